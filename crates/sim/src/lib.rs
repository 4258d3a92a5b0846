//! A simulated class: true values forward through instruments, people who work a table through and slip, and the
//! truth beside the tables. It shares no code with the judge that turns one formula into another: what is planted here
//! is a mistake in how a person works.

mod assess;
mod book;
mod calculator;
mod class;
mod demo;
mod keel_plate;
mod mistake;
mod pen;
mod person;
mod practice;
mod random;
#[cfg(test)]
mod tests;
mod truth;
mod worker;
mod world;

pub use assess::{Assessment, assess};
pub use book::{Booked, FormulaTruth, Misdone};
pub use class::{Class, Lab, Mix, Order, to_csv as class_csv};
pub use demo::{DEMO_LABS, DEMO_REVIEWED, DEMO_SECTIONS, Demo, class_of, demo_class, demo_lab};
pub use person::Plant;
pub use practice::{Level, TABLES as PRACTICE_TABLES, truth_of};
pub use truth::{Meant, Outlier, Planted, TableTruth, Truth};
pub use worker::Style;
pub use world::World;

use jurado_core::submission::Submission;
use serde::Serialize;

/// A simulated table and what was planted in it.
#[derive(Clone, Debug, Serialize)]
pub struct Simulated {
    /// The table.
    #[serde(skip)]
    pub submission: Submission,
    /// Section.
    pub section: String,
    /// Team.
    pub team: String,
    /// What was planted, as a stable word; `none` for a right table.
    pub plant: String,
    /// Kind of slip a judge should name, if a slip was planted.
    pub slip: Option<String>,
    /// Item it was planted at.
    pub item: Option<String>,
}

fn quoted(field: &str) -> String {
    if field.contains([',', '"', '\n']) { format!("\"{}\"", field.replace('"', "\"\"")) } else { field.to_owned() }
}
