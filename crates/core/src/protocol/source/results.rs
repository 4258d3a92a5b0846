//! Results and the mistakes that a lab declares, as a file has them.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Deserialize;

use super::{Exact, Number, Rejection, Spanned, Text};

/// Something that is worked out, or answered in words.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct ResultSpec {
    /// Its id, for formulas and sheets.
    pub(in crate::protocol) id: Text,
    /// As it is called in sentences.
    pub(in crate::protocol) title: String,
    /// As it stands in a worked correction.
    #[serde(default)]
    pub(in crate::protocol) symbol: String,
    /// The bay it stands in; that of its table where it has one.
    pub(in crate::protocol) bay: Option<Text>,
    /// The table it is a column of.
    pub(in crate::protocol) table: Option<Text>,
    /// The unit asked for.
    pub(in crate::protocol) unit: Option<Text>,
    /// gauge or absolute, for a pressure.
    pub(in crate::protocol) pressure: Option<Text>,
    /// How it follows from readings, constants and other results.
    pub(in crate::protocol) formula: Option<Text>,
    /// What it is worth under the criterion on calculations.
    pub(in crate::protocol) points: Spanned<Exact>,
    /// Whether a ± is asked for.
    #[serde(default)]
    pub(in crate::protocol) plus_minus: bool,
    /// Its standard uncertainty by a formula of its own, in place of what its sources give.
    pub(in crate::protocol) uncertainty: Option<Text>,
    /// Worked out for other formulas and never asked for.
    #[serde(default)]
    pub(in crate::protocol) hidden: bool,
    /// Whether its figures are judged; `false` for a power of ten or a dilution.
    pub(in crate::protocol) digits: Option<bool>,
    /// "diameter" or "radius".
    pub(in crate::protocol) shape: Option<Text>,
    /// Whether it may be left out.
    #[serde(default)]
    pub(in crate::protocol) optional: bool,
    /// An estimate made before measuring: marked as present, not as right.
    #[serde(default)]
    pub(in crate::protocol) guess: bool,
    /// A word result: its words and the right one.
    pub(in crate::protocol) words: Option<Spanned<Vec<String>>>,
    /// Which word is right, by conditions, the first that holds.
    #[serde(default)]
    pub(in crate::protocol) right: Vec<Right>,
    /// Other courses' formulas for the same thing, by name.
    #[serde(default)]
    pub(in crate::protocol) schools: BTreeMap<Spanned<String>, Text>,
    /// Read off a graph: so much of its unit either way.
    pub(in crate::protocol) read_off: Option<Number>,
    /// Whether a slope or an end point may be seen in a graph; `false` asks for the calculation.
    pub(in crate::protocol) by_eye: Option<bool>,
    /// How its rows may be rejected, where they repeat one quantity.
    pub(in crate::protocol) rejection: Option<Rejection>,
}

/// A word that is right where its condition holds.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Right {
    /// Condition; absent on the last line.
    #[serde(rename = "if")]
    pub(in crate::protocol) condition: Option<Text>,
    /// One of the result's words.
    pub(in crate::protocol) word: Text,
}

/// A mistake that this lab invites, with the formula that shows it.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Declared {
    /// Its id, for shares and rulings.
    pub(in crate::protocol) id: Text,
    /// The result it happens in.
    pub(in crate::protocol) result: Text,
    /// What is worked out by mistake.
    pub(in crate::protocol) formula: Text,
    /// What was done, as a clause.
    pub(in crate::protocol) says: String,
    /// Its share of the result's points.
    pub(in crate::protocol) share: Option<Exact>,
}
