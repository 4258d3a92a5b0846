//! Bays, keys, parameters, instruments and tables as a file has them.

use schemars::JsonSchema;
use serde::Deserialize;

use super::{Count, Number, Spanned, Text};

/// A group of readings and results.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Bay {
    /// Its id, for parts that belong to it.
    pub(in crate::protocol) id: Text,
    /// As it is shown.
    pub(in crate::protocol) title: String,
}

/// What tells tables, or the rows of one, apart.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Key {
    /// Its id; "station" is asked for first.
    pub(in crate::protocol) id: Text,
    /// As it is shown.
    pub(in crate::protocol) title: String,
    /// Values it may have, in the order of the sheet.
    pub(in crate::protocol) values: Spanned<Vec<String>>,
}

/// A number that a section may set.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Parameter {
    /// Its id, for formulas.
    pub(in crate::protocol) id: Text,
    /// As it is shown.
    pub(in crate::protocol) title: String,
    /// What it is where a section sets nothing.
    pub(in crate::protocol) value: Number,
    /// What a section may set, from and to.
    pub(in crate::protocol) range: Spanned<[f64; 2]>,
}

/// Something that is read.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Instrument {
    /// Its id, for the readings taken with it.
    pub(in crate::protocol) id: Text,
    /// As it is called in sentences: "caliper".
    pub(in crate::protocol) title: String,
    /// The unit it shows.
    pub(in crate::protocol) unit: Text,
    /// The least difference it shows.
    pub(in crate::protocol) step: Number,
    /// The reading, a setting, in whose units `step` is.
    pub(in crate::protocol) step_of: Option<Text>,
    /// Its limit of error, from the maker or the last calibration.
    pub(in crate::protocol) limit: Option<Number>,
    /// Whether the error is one and the same in all its readings.
    #[serde(default)]
    pub(in crate::protocol) limit_shared: bool,
    /// Distribution of the limit: rectangular or triangular.
    pub(in crate::protocol) distribution: Option<Text>,
    /// What it can show, from and to.
    pub(in crate::protocol) range: Option<Spanned<[f64; 2]>>,
    /// The scale runs the other way: "up" (default) or "down".
    pub(in crate::protocol) scale: Option<Text>,
    /// Digits estimated between the graduations.
    #[serde(default)]
    pub(in crate::protocol) estimated: bool,
    /// What is to be known before reading it.
    #[serde(default)]
    pub(in crate::protocol) notes: Vec<String>,
}

/// A table that is filled row by row.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Table {
    /// Its id, for its columns.
    pub(in crate::protocol) id: Text,
    /// As it is called in sentences.
    pub(in crate::protocol) title: String,
    /// The bay it stands in.
    pub(in crate::protocol) bay: Text,
    /// How many rows are asked for.
    pub(in crate::protocol) rows: Spanned<Count>,
    /// The key that a row belongs to.
    pub(in crate::protocol) key: Option<Text>,
    /// Rows that are tries and do not count.
    pub(in crate::protocol) rough: Option<Rough>,
    /// Values that are to be set, one a row.
    pub(in crate::protocol) grid: Option<Grid>,
    /// When a team may stop.
    pub(in crate::protocol) stop: Option<Stop>,
    /// Reasons for which a row may be missing at no cost, as phrases.
    #[serde(default)]
    pub(in crate::protocol) absence: Vec<Text>,
}

/// The word in a column that says a row was a try.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Rough {
    /// Id of a reading in words.
    pub(in crate::protocol) column: Text,
    /// One of its words.
    pub(in crate::protocol) word: Text,
}

/// Values that a column is to be set to.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Grid {
    /// Id of the reading that is set.
    pub(in crate::protocol) column: Text,
    /// Nominal values, in its unit.
    pub(in crate::protocol) values: Spanned<Vec<f64>>,
    /// How near a set value has to come.
    pub(in crate::protocol) within: Number,
}

/// When a team may stop; any of its rules is enough.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Stop {
    /// Id of the reading or result that is watched.
    pub(in crate::protocol) column: Text,
    /// The last value reaches this.
    pub(in crate::protocol) at: Option<Number>,
    /// Or the last rows differ by no more than this.
    pub(in crate::protocol) flat: Option<Number>,
    /// How many last rows `flat` looks at.
    pub(in crate::protocol) rows: Option<u32>,
    /// Or so many rows agree within a tolerance, absolute or percent.
    pub(in crate::protocol) agree: Option<u32>,
    /// The tolerance within which they agree, in the column's unit.
    pub(in crate::protocol) within: Option<Number>,
    /// The same in percent.
    pub(in crate::protocol) percent: Option<Number>,
}
