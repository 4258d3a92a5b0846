//! The types of a checked protocol, by what they describe.

mod apparatus;
mod checks;
mod ids;
mod items;
mod readings;
mod references;
mod results;
mod rubric;
mod school;

pub use crate::formula::ItemId;
pub use apparatus::{Bay, Grid, Instrument, Key, Parameter, RowCount, Stop, TableSpec, Tolerance};
pub use checks::{
    Agreement, Cause, Check, CheckRule, ComparisonSpec, Identify, Relation, SketchKind, SketchPart, SketchSpec,
};
pub(crate) use ids::beside;
pub use ids::{CriterionId, ReadingId, ReferenceId, ResultId, TableId};
pub use items::{Item, ItemKind, Roundness};
pub use readings::{Need, PlannedStep, ReadingKind, ReadingSpec, Rejection, Role};
pub use references::{Reference, ReferenceEntry};
pub use results::{ResultSpec, Right};
pub use rubric::{Band, Criterion, Rule};
pub use school::{School, UncertaintySchool};
