//! The TOML file as written. Unknown names are refused, and whatever can be wrong keeps its place.

use rust_decimal::Decimal;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Deserializer, de};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;

mod judged;

pub(in crate::protocol) use judged::*;

/// A value with its bytes in the file. Its schema is the value's own.
#[derive(Deserialize, Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[serde(transparent)]
pub(in crate::protocol) struct Spanned<T>(toml::Spanned<T>);

impl<T> Spanned<T> {
    pub(in crate::protocol) fn get_ref(&self) -> &T {
        self.0.get_ref()
    }
    pub(in crate::protocol) fn span(&self) -> Range<usize> {
        self.0.span()
    }
    pub(in crate::protocol) fn into_inner(self) -> T {
        self.0.into_inner()
    }
}

impl<T: JsonSchema> JsonSchema for Spanned<T> {
    fn schema_name() -> Cow<'static, str> {
        T::schema_name()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        T::json_schema(generator)
    }
    fn inline_schema() -> bool {
        T::inline_schema()
    }
}

impl JsonSchema for Exact {
    fn schema_name() -> Cow<'static, str> {
        "ExactDecimal".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({ "type": ["number", "string"], "description": "A decimal number taken exactly as written, such as \"0.25\"." })
    }
}

pub(in crate::protocol) type Text = Spanned<String>;

/// A decimal exactly as written: `"0.25"`, `0.25` or `1`.
#[derive(Clone, Copy, Debug)]
pub(in crate::protocol) struct Exact(pub(in crate::protocol) Decimal);

impl<'de> Deserialize<'de> for Exact {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Visit;
        impl de::Visitor<'_> for Visit {
            type Value = Exact;
            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a decimal number such as 0.5")
            }
            fn visit_i64<E: de::Error>(self, v: i64) -> Result<Exact, E> {
                Ok(Exact(v.into()))
            }
            fn visit_f64<E: de::Error>(self, v: f64) -> Result<Exact, E> {
                // The shortest text of the float is what was written.
                self.visit_str(&v.to_string())
            }
            fn visit_str<E: de::Error>(self, v: &str) -> Result<Exact, E> {
                v.trim().parse().map(Exact).map_err(|_| E::custom(format!("`{v}` is no decimal number")))
            }
        }
        deserializer.deserialize_any(Visit)
    }
}

/// A number kept with its place.
pub(in crate::protocol) type Number = Spanned<f64>;

/// A number of rows or replicates: written out, from … to …, or the id of a parameter.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
pub(in crate::protocol) enum Count {
    Fixed(u32),
    Between([u32; 2]),
    Parameter(String),
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "A lab of Jurado", rename = "Protocol")]
pub(in crate::protocol) struct File {
    pub(in crate::protocol) format: Spanned<u32>,
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) version: u32,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) summary: String,
    pub(in crate::protocol) possible: Spanned<Exact>,
    pub(in crate::protocol) school: Option<School>,
    #[serde(default)]
    pub(in crate::protocol) caution: Vec<String>,
    #[serde(default)]
    pub(in crate::protocol) bay: Vec<Bay>,
    #[serde(default)]
    pub(in crate::protocol) key: Vec<Key>,
    #[serde(default)]
    pub(in crate::protocol) parameter: Vec<Parameter>,
    #[serde(default)]
    pub(in crate::protocol) instrument: Vec<Instrument>,
    #[serde(default)]
    pub(in crate::protocol) table: Vec<Table>,
    #[serde(default)]
    pub(in crate::protocol) reading: Vec<Reading>,
    #[serde(default)]
    pub(in crate::protocol) constant: Vec<Reference>,
    #[serde(default)]
    pub(in crate::protocol) reference: Vec<Reference>,
    #[serde(default)]
    pub(in crate::protocol) result: Vec<ResultSpec>,
    #[serde(default)]
    pub(in crate::protocol) slip: Vec<Declared>,
    /// A table that is known to be good: every check of the protocol judges it, and it has to come out clean.
    pub(in crate::protocol) run: Option<Spanned<Run>>,
    #[serde(default)]
    pub(in crate::protocol) check: Vec<Check>,
    #[serde(default)]
    pub(in crate::protocol) comparison: Vec<Comparison>,
    #[serde(default)]
    pub(in crate::protocol) identify: Vec<Identify>,
    #[serde(default)]
    pub(in crate::protocol) cause: Vec<Cause>,
    #[serde(default)]
    pub(in crate::protocol) criterion: Vec<Criterion>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct School {
    pub(in crate::protocol) confidence: Option<Spanned<u32>>,
    pub(in crate::protocol) coverage_factor: Option<Number>,
    pub(in crate::protocol) figure_tolerance: Option<i32>,
    pub(in crate::protocol) rejection: Option<Rejection>,
    pub(in crate::protocol) uncertainty: Option<Text>,
    pub(in crate::protocol) monte_carlo: Option<bool>,
    pub(in crate::protocol) plus_minus_band: Option<Spanned<[f64; 2]>>,
    pub(in crate::protocol) accuracy_of: Option<Text>,
    pub(in crate::protocol) digits_from: Option<Text>,
    pub(in crate::protocol) logarithm_table: Option<Spanned<[u32; 2]>>,
    pub(in crate::protocol) signed_percent: Option<bool>,
    /// Weight of "none of these" against all slips together.
    pub(in crate::protocol) unexplained: Option<Number>,
    /// Weights of kinds of slip, re-estimated from decisions.
    #[serde(default)]
    pub(in crate::protocol) weights: BTreeMap<Spanned<String>, Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Rejection {
    pub(in crate::protocol) by: Text,
    pub(in crate::protocol) sigma: Option<Number>,
    pub(in crate::protocol) within: Option<Number>,
    pub(in crate::protocol) percent: Option<Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Bay {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Key {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) values: Spanned<Vec<String>>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Parameter {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) value: Number,
    pub(in crate::protocol) range: Spanned<[f64; 2]>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Instrument {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) unit: Text,
    pub(in crate::protocol) step: Number,
    /// The reading, a setting, in whose units `step` is.
    pub(in crate::protocol) step_of: Option<Text>,
    pub(in crate::protocol) limit: Option<Number>,
    #[serde(default)]
    pub(in crate::protocol) limit_shared: bool,
    /// Distribution of the limit: rectangular or triangular.
    pub(in crate::protocol) distribution: Option<Text>,
    pub(in crate::protocol) range: Option<Spanned<[f64; 2]>>,
    /// The scale runs the other way: "up" (default) or "down".
    pub(in crate::protocol) scale: Option<Text>,
    /// Digits estimated between the graduations.
    #[serde(default)]
    pub(in crate::protocol) estimated: bool,
    #[serde(default)]
    pub(in crate::protocol) notes: Vec<String>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Table {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) bay: Text,
    pub(in crate::protocol) rows: Spanned<Count>,
    /// The key that a row belongs to.
    pub(in crate::protocol) key: Option<Text>,
    pub(in crate::protocol) rough: Option<Rough>,
    pub(in crate::protocol) grid: Option<Grid>,
    pub(in crate::protocol) stop: Option<Stop>,
    /// Reasons for which a row may be missing at no cost, as phrases.
    #[serde(default)]
    pub(in crate::protocol) absence: Vec<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Rough {
    pub(in crate::protocol) column: Text,
    pub(in crate::protocol) word: Text,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Grid {
    pub(in crate::protocol) column: Text,
    pub(in crate::protocol) values: Spanned<Vec<f64>>,
    pub(in crate::protocol) within: Number,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Stop {
    pub(in crate::protocol) column: Text,
    /// The last value reaches this.
    pub(in crate::protocol) at: Option<Number>,
    /// Or the last rows differ by no more than this.
    pub(in crate::protocol) flat: Option<Number>,
    pub(in crate::protocol) rows: Option<u32>,
    /// Or so many rows agree within a tolerance, absolute or percent.
    pub(in crate::protocol) agree: Option<u32>,
    pub(in crate::protocol) within: Option<Number>,
    pub(in crate::protocol) percent: Option<Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Reading {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    #[serde(default)]
    pub(in crate::protocol) symbol: String,
    pub(in crate::protocol) bay: Option<Text>,
    pub(in crate::protocol) table: Option<Text>,
    /// number (default), count, word or setting.
    pub(in crate::protocol) kind: Option<Text>,
    pub(in crate::protocol) unit: Option<Text>,
    /// gauge or absolute, for a pressure.
    pub(in crate::protocol) pressure: Option<Text>,
    pub(in crate::protocol) instrument: Option<Text>,
    pub(in crate::protocol) replicates: Option<Spanned<Count>>,
    pub(in crate::protocol) words: Option<Spanned<Vec<String>>>,
    /// Values a setting may take.
    pub(in crate::protocol) settings: Option<Spanned<Vec<f64>>>,
    pub(in crate::protocol) plausible: Option<Spanned<[f64; 2]>>,
    pub(in crate::protocol) shape: Option<Text>,
    #[serde(default)]
    pub(in crate::protocol) zero: bool,
    /// An empty vessel, to be taken off.
    #[serde(default)]
    pub(in crate::protocol) tare: bool,
    /// A count of events that happen by chance.
    #[serde(default)]
    pub(in crate::protocol) events: bool,
    #[serde(default)]
    pub(in crate::protocol) optional: bool,
    pub(in crate::protocol) required_if: Option<Text>,
    pub(in crate::protocol) forbidden_if: Option<Text>,
    /// exact, window, free or chosen.
    pub(in crate::protocol) role: Option<Text>,
    pub(in crate::protocol) target: Option<Number>,
    pub(in crate::protocol) window: Option<Spanned<[f64; 2]>>,
    /// rising or falling down the rows.
    pub(in crate::protocol) trend: Option<Text>,
    /// A start reading: the column whose value one row above it must equal.
    pub(in crate::protocol) follows: Option<Text>,
    /// A running sum: the column it adds up.
    pub(in crate::protocol) sums: Option<Text>,
    /// Planned step from row to row, with its tolerance.
    pub(in crate::protocol) step: Option<Spanned<[f64; 2]>>,
    /// Planned steps by region.
    #[serde(default)]
    pub(in crate::protocol) plan: Vec<Planned>,
    /// Where it was not taken: the band its reference is judged with.
    pub(in crate::protocol) fallback: Option<Spanned<[f64; 2]>>,
    pub(in crate::protocol) rejection: Option<Rejection>,
    #[serde(default)]
    pub(in crate::protocol) heaping: Option<Number>,
    /// Reasons for which it may be missing at no cost, as phrases.
    #[serde(default)]
    pub(in crate::protocol) absence: Vec<Text>,
    /// Whether a bound is a right entry: an end of the scale, too many to count.
    #[serde(default)]
    pub(in crate::protocol) bound: bool,
    /// A judged bracket: two readings, surely too small and surely too big.
    pub(in crate::protocol) bracket: Option<[Text; 2]>,
}

/// The instructor's run.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Run {
    /// Keys of the table.
    #[serde(default)]
    pub(in crate::protocol) keys: BTreeMap<Spanned<String>, String>,
    /// The key of each row, by table.
    #[serde(default)]
    pub(in crate::protocol) rows: BTreeMap<Spanned<String>, Vec<String>>,
    /// Readings and results as they stand on the sheet, in its units: one text, or one for each row.
    pub(in crate::protocol) values: BTreeMap<Spanned<String>, Filled>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
pub(in crate::protocol) enum Filled {
    /// A single value.
    One(String),
    /// One for each row.
    Rows(Vec<String>),
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Planned {
    /// Condition in the row that the step starts from; absent on the last line.
    #[serde(rename = "if")]
    pub(in crate::protocol) condition: Option<Text>,
    pub(in crate::protocol) step: Spanned<[f64; 2]>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Reference {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    #[serde(default)]
    pub(in crate::protocol) symbol: String,
    pub(in crate::protocol) unit: Text,
    pub(in crate::protocol) source: Spanned<String>,
    pub(in crate::protocol) key: Option<Text>,
    pub(in crate::protocol) value: Option<Number>,
    pub(in crate::protocol) range: Option<Spanned<[f64; 2]>>,
    pub(in crate::protocol) uncertainty: Option<Number>,
    /// Short forms in use, such as 9.8 for 9.81.
    #[serde(default)]
    pub(in crate::protocol) short: Vec<f64>,
    /// A function of conditions.
    pub(in crate::protocol) formula: Option<Text>,
    /// The class's own consensus is the reference.
    #[serde(default)]
    pub(in crate::protocol) consensus: bool,
    pub(in crate::protocol) shape: Option<Text>,
    #[serde(default)]
    pub(in crate::protocol) at: BTreeMap<Spanned<String>, ReferenceAt>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct ReferenceAt {
    #[serde(default)]
    pub(in crate::protocol) says: String,
    pub(in crate::protocol) value: Option<Number>,
    pub(in crate::protocol) range: Option<Spanned<[f64; 2]>>,
    pub(in crate::protocol) uncertainty: Option<Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct ResultSpec {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    #[serde(default)]
    pub(in crate::protocol) symbol: String,
    pub(in crate::protocol) bay: Option<Text>,
    pub(in crate::protocol) table: Option<Text>,
    pub(in crate::protocol) unit: Option<Text>,
    pub(in crate::protocol) pressure: Option<Text>,
    pub(in crate::protocol) formula: Option<Text>,
    pub(in crate::protocol) points: Spanned<Exact>,
    #[serde(default)]
    pub(in crate::protocol) plus_minus: bool,
    /// Its standard uncertainty by a formula of its own, in place of what its sources give.
    pub(in crate::protocol) uncertainty: Option<Text>,
    /// Worked out for other formulas and never asked for.
    #[serde(default)]
    pub(in crate::protocol) hidden: bool,
    /// Whether its figures are judged; `false` for a power of ten or a dilution.
    pub(in crate::protocol) digits: Option<bool>,
    pub(in crate::protocol) shape: Option<Text>,
    #[serde(default)]
    pub(in crate::protocol) optional: bool,
    /// An estimate made before measuring: marked as present, not as right.
    #[serde(default)]
    pub(in crate::protocol) guess: bool,
    /// A word result: its words and the right one.
    pub(in crate::protocol) words: Option<Spanned<Vec<String>>>,
    #[serde(default)]
    pub(in crate::protocol) right: Vec<Right>,
    /// Other courses' formulas for the same thing, by name.
    #[serde(default)]
    pub(in crate::protocol) schools: BTreeMap<Spanned<String>, Text>,
    /// Read off a graph: so much of its unit either way.
    pub(in crate::protocol) read_off: Option<Number>,
    /// Whether a slope or an end point may be seen in a graph; `false` asks for the calculation.
    pub(in crate::protocol) by_eye: Option<bool>,
    pub(in crate::protocol) rejection: Option<Rejection>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Right {
    /// Condition; absent on the last line.
    #[serde(rename = "if")]
    pub(in crate::protocol) condition: Option<Text>,
    pub(in crate::protocol) word: Text,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Declared {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) result: Text,
    pub(in crate::protocol) formula: Text,
    pub(in crate::protocol) says: String,
    pub(in crate::protocol) share: Option<Exact>,
}
