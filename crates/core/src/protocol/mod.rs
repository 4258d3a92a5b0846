//! One lab described as data. [`source`] is the TOML file as written, [`compile`] checks it and
//! makes the [`Protocol`] that everything else uses. No lab is known to the code: a new lab is a
//! new file.

mod apparatus;
mod compile;
mod derive;
pub mod differ;
pub mod draft;
pub mod form;
mod loading;
mod lookup;
mod model;
mod mutate;
mod nameable;
mod readings;
mod references;
mod refused;
mod relate;
mod rubric;
mod run;
pub mod sheet;
mod slip;
mod source;
mod taught;
#[cfg(test)]
mod tests;
mod warnings;

use rustc_hash::FxHashMap;

use rust_decimal::Decimal;

use crate::error::Fault;
use crate::submission::Submission;

pub use compile::compile;
pub use model::*;
pub use slip::{SlipKind, Variant};
pub use taught::{Lent, SchoolOf, Taught};

/// A checked protocol.
#[derive(Clone, Debug)]
pub struct Protocol {
    /// Id, such as `keel-plate`.
    pub id: String,
    /// Version, counted up with every change that can change a mark.
    pub version: u32,
    /// SHA-256 of the file's text, hexadecimal.
    pub digest: String,
    /// Title on every page, such as “Keel plate”.
    pub title: String,
    /// One sentence on what the lab teaches.
    pub summary: String,
    /// Cautions to show.
    pub cautions: Vec<String>,
    /// Groups of readings and results, in reading order.
    pub bays: Vec<Bay>,
    /// Keys and the values they may take.
    pub keys: Vec<Key>,
    /// What a section may set.
    pub parameters: Vec<Parameter>,
    /// What readings are read off, in the file's order.
    pub instruments: Vec<Instrument>,
    /// Tables of readings taken row by row.
    pub tables: Vec<TableSpec>,
    /// All names a formula can use: readings, then references, then results in the order they are
    /// derived.
    pub items: Vec<Item>,
    /// What teams write down, in the file's order.
    pub readings: Vec<ReadingSpec>,
    /// Constants and references.
    pub references: Vec<Reference>,
    /// Results in the order they are derived.
    pub results: Vec<ResultSpec>,
    /// Ids and formulas of hidden results in the order they are derived; the formulas above hold
    /// them written out.
    pub hidden: Vec<(String, String)>,
    /// Relations that hold whatever the unknown is.
    pub checks: Vec<Check>,
    /// Values that should agree.
    pub comparisons: Vec<ComparisonSpec>,
    /// Unknowns to be named from a list.
    pub identifies: Vec<Identify>,
    /// Declared slips and other schools, with the share of points they take.
    pub declared: Vec<(SlipKind, Decimal)>,
    /// What can physically push a reading.
    pub causes: Vec<Cause>,
    /// Lines of the rubric, in the order in which they are shown.
    pub criteria: Vec<Criterion>,
    /// Sum of the rubric's points.
    pub possible: Decimal,
    /// How the college rounds, rejects and states uncertainty.
    pub school: School,
    /// The instructor's run.
    pub run: Option<Run>,
    /// What is no fault and still looks like one: a reading that nothing uses, a short form that is
    /// far off.
    pub warnings: Vec<Fault>,
    /// Items by id.
    by_id: FxHashMap<String, ItemId>,
    /// As it is taught here and there.
    made: taught::Made,
}

/// A table that is known to be good, handed in under the protocol's own name.
#[derive(Clone, Debug)]
pub struct Run {
    /// Line and column in the file.
    pub at: (usize, usize),
    /// The table of the run, true readings with the scatter of its instruments.
    pub submission: Submission,
}

/// The JSON Schema of the file format, for editors: generated from what the loader reads.
///
/// # Example
/// ```
/// assert!(jurado_core::protocol::schema().contains("\"reading\""));
/// ```
pub fn schema() -> String {
    let schema = schemars::schema_for!(source::File);
    serde_json::to_string_pretty(&schema).unwrap_or_default()
}
