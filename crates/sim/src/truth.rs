//! What is true of a simulated class, beside its tables: what a judge, or a reviewer who practises, is measured against.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// Everything known about a simulated class.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Truth {
    /// Lab.
    pub protocol: String,
    /// Its version.
    pub version: u32,
    /// Seed.
    pub seed: u64,
    /// Id of the criterion under which working out is judged.
    pub calculation: String,
    /// One entry a table, in their order.
    pub tables: Vec<TableTruth>,
}

/// What is true of one table.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct TableTruth {
    /// Section.
    pub section: String,
    /// Team.
    pub team: String,
    /// Keys.
    pub keys: BTreeMap<String, String>,
    /// How the team rounds.
    pub style: String,
    /// How it types.
    pub typing: String,
    /// Mistakes planted in working it through.
    pub planted: Vec<Planted>,
    /// Readings pushed by a cause.
    pub outliers: Vec<Outlier>,
    /// Readings that stand otherwise on the sheet than they were seen.
    #[serde(default)]
    pub meant: Vec<Meant>,
    /// Readings not written down, as `item` or `item:row`.
    pub omitted: Vec<String>,
    /// Whose readings these are, if not their own.
    pub copied_from: Option<String>,
    /// Whether replicates were made up after the first.
    pub fabricated: bool,
    /// Faults of the apparatus that this team had.
    pub faults: Vec<String>,
}

/// A planted mistake.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Planted {
    /// The word a judge should say; `unmodelled` for what has none.
    pub kind: String,
    /// Result it happened in.
    pub item: String,
    /// Row, if it happened in one row of a column alone.
    pub row: Option<u32>,
    /// In words.
    pub says: String,
    /// Value without it, in the result's unit.
    pub right: f64,
    /// Value as written.
    pub wrong: f64,
    /// Figures written.
    pub figures: i32,
    /// Results that follow from it.
    pub follows: Vec<String>,
    /// The reading copied wrongly, if it was one.
    pub reading: Option<String>,
    /// Points it should cost under calculation, as the rubric has it.
    pub costs: f64,
}

/// A reading as it was seen, where the sheet has it otherwise.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Meant {
    /// Reading.
    pub item: String,
    /// Row.
    pub row: Option<u32>,
    /// As seen, with its unit.
    pub text: String,
}

/// A reading pushed by a physical cause.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Outlier {
    /// Reading.
    pub item: String,
    /// Row.
    pub row: u32,
    /// The cause, by its id in the protocol; empty where there is none.
    pub cause: String,
    /// Left out by the team, with the cause as reason.
    pub excluded: bool,
    /// How far it was pushed, in standard deviations of the others.
    pub deviations: f64,
}
