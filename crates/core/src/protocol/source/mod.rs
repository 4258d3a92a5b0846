//! The TOML file as written. Unknown names are refused, and whatever can be wrong keeps its place.
//!
//! The docs of these structs are the descriptions in the JSON Schema, which an editor shows beside
//! a key while a lab is written. docs/protocols.md says the same at length, with examples.

use rust_decimal::Decimal;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Deserializer, de};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;

mod apparatus;
mod judged;
mod results;

pub(in crate::protocol) use apparatus::*;
pub(in crate::protocol) use judged::*;
pub(in crate::protocol) use results::*;

/// A value with its bytes in the file. Its schema is the value's own.
#[derive(Deserialize, Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[serde(transparent)]
pub(in crate::protocol) struct Spanned<T>(toml::Spanned<T>);

impl<T> Spanned<T> {
    /// The value without the place where it stands.
    pub(in crate::protocol) fn get_ref(&self) -> &T {
        self.0.get_ref()
    }
    /// Its bytes in the file.
    pub(in crate::protocol) fn span(&self) -> Range<usize> {
        self.0.span()
    }
    /// The value without its place.
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

/// A text kept with its place.
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
///
/// A parameter's number is set by the section.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
pub(in crate::protocol) enum Count {
    /// Exactly so many.
    Fixed(u32),
    /// From the first to the second.
    Between([u32; 2]),
    /// As many as the section sets.
    Parameter(String),
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "A lab of Jurado", rename = "Protocol")]
pub(in crate::protocol) struct File {
    /// Version of this format: 1.
    pub(in crate::protocol) format: Spanned<u32>,
    /// Small letters, digits and hyphens, such as "keel-plate".
    pub(in crate::protocol) id: Text,
    /// Counted up with every change that can change a mark.
    pub(in crate::protocol) version: u32,
    /// What the lab is called.
    pub(in crate::protocol) title: String,
    /// One sentence on what it teaches.
    pub(in crate::protocol) summary: String,
    /// Points of a whole table; those of the criteria add up to it.
    pub(in crate::protocol) possible: Spanned<Exact>,
    /// What this course teaches where courses differ.
    pub(in crate::protocol) school: Option<School>,
    /// Cautions that are shown before the work begins; local rules go before them.
    #[serde(default)]
    pub(in crate::protocol) caution: Vec<String>,
    /// Groups of readings and results, in the order in which they are shown.
    #[serde(default)]
    pub(in crate::protocol) bay: Vec<Bay>,
    /// What tells tables or their rows apart: a station, an object, a batch.
    #[serde(default)]
    pub(in crate::protocol) key: Vec<Key>,
    /// Numbers that a section may set.
    #[serde(default)]
    pub(in crate::protocol) parameter: Vec<Parameter>,
    /// What is read, with its steps and limits.
    #[serde(default)]
    pub(in crate::protocol) instrument: Vec<Instrument>,
    /// Tables that are filled row by row.
    #[serde(default)]
    pub(in crate::protocol) table: Vec<Table>,
    /// What is measured.
    #[serde(default)]
    pub(in crate::protocol) reading: Vec<Reading>,
    /// Numbers that are given.
    #[serde(default)]
    pub(in crate::protocol) constant: Vec<Reference>,
    /// Values that results are compared with.
    #[serde(default)]
    pub(in crate::protocol) reference: Vec<Reference>,
    /// What is worked out.
    #[serde(default)]
    pub(in crate::protocol) result: Vec<ResultSpec>,
    /// Mistakes that this lab invites.
    #[serde(default)]
    pub(in crate::protocol) slip: Vec<Declared>,
    /// A table that is known to be good: every check of the protocol judges it, and it has to come
    /// out clean.
    pub(in crate::protocol) run: Option<Spanned<Run>>,
    /// Relations that hold whatever the unknown is.
    #[serde(default)]
    pub(in crate::protocol) check: Vec<Check>,
    /// Two ways to one quantity, that should agree.
    #[serde(default)]
    pub(in crate::protocol) comparison: Vec<Comparison>,
    /// Unknowns to be named from a list.
    #[serde(default)]
    pub(in crate::protocol) identify: Vec<Identify>,
    /// What can push a reading to one side.
    #[serde(default)]
    pub(in crate::protocol) cause: Vec<Cause>,
    /// The rubric, a criterion each.
    #[serde(default)]
    pub(in crate::protocol) criterion: Vec<Criterion>,
}

/// What a course teaches where courses differ. All of it may be left out.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct School {
    /// Confidence of the tests for outliers, in 100: 90, 95 (default) or 99.
    pub(in crate::protocol) confidence: Option<Spanned<u32>>,
    /// A stated ± is compared with so many standard uncertainties; 1 by default.
    pub(in crate::protocol) coverage_factor: Option<Number>,
    /// Figures that a result may have more or fewer than it deserves; 1 by default.
    pub(in crate::protocol) figure_tolerance: Option<i32>,
    /// How a replicate may be rejected, where its reading says nothing.
    pub(in crate::protocol) rejection: Option<Rejection>,
    /// Which uncertainty a ± is compared with: quadrature (default), worst-case, extremes,
    /// replicates or figures.
    pub(in crate::protocol) uncertainty: Option<Text>,
    /// Whether uncertainties are always found by trials.
    pub(in crate::protocol) monte_carlo: Option<bool>,
    /// Fair ratios of a stated ± to the one supported; [0.5, 2] by default.
    pub(in crate::protocol) plus_minus_band: Option<Spanned<[f64; 2]>>,
    /// What accuracy looks at: "readings" (default) or "reported".
    pub(in crate::protocol) accuracy_of: Option<Text>,
    /// Where deserved figures come from: "figures" (default) or "uncertainty".
    pub(in crate::protocol) digits_from: Option<Text>,
    /// So many units in the last of so many figures are left open, such as [5, 4].
    pub(in crate::protocol) logarithm_table: Option<Spanned<[u32; 2]>>,
    /// Whether a percent error keeps its sign.
    pub(in crate::protocol) signed_percent: Option<bool>,
    /// Weight of "none of these" against all slips together.
    pub(in crate::protocol) unexplained: Option<Number>,
    /// Weights of kinds of slip, re-estimated from decisions.
    #[serde(default)]
    pub(in crate::protocol) weights: BTreeMap<Spanned<String>, Number>,
}

/// How a replicate that stands apart may be rejected.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Rejection {
    /// dixon, grubbs, known, modified-z, esd, concordance or judgement.
    pub(in crate::protocol) by: Text,
    /// The known repeatability, in the unit of the reading.
    pub(in crate::protocol) sigma: Option<Number>,
    /// Concordant values lie so near to each other, in the unit of the reading.
    pub(in crate::protocol) within: Option<Number>,
    /// The same in percent of their middle.
    pub(in crate::protocol) percent: Option<Number>,
}

/// Something that is measured.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Reading {
    /// Its id, for formulas and sheets.
    pub(in crate::protocol) id: Text,
    /// As it is called in sentences: "plate length".
    pub(in crate::protocol) title: String,
    /// As it stands in a worked correction: "l".
    #[serde(default)]
    pub(in crate::protocol) symbol: String,
    /// The bay it stands in; that of its table where it has one.
    pub(in crate::protocol) bay: Option<Text>,
    /// The table it is a column of.
    pub(in crate::protocol) table: Option<Text>,
    /// number (default), count, word or setting.
    pub(in crate::protocol) kind: Option<Text>,
    /// Its unit; none for a pure number.
    pub(in crate::protocol) unit: Option<Text>,
    /// gauge or absolute, for a pressure.
    pub(in crate::protocol) pressure: Option<Text>,
    /// What it is read off.
    pub(in crate::protocol) instrument: Option<Text>,
    /// How often it is taken.
    pub(in crate::protocol) replicates: Option<Spanned<Count>>,
    /// The words it may be, for a word.
    pub(in crate::protocol) words: Option<Spanned<Vec<String>>>,
    /// Values a setting may take.
    pub(in crate::protocol) settings: Option<Spanned<Vec<f64>>>,
    /// What can be measured at all, from and to; beyond that a person looks.
    pub(in crate::protocol) plausible: Option<Spanned<[f64; 2]>>,
    /// "diameter" or "radius", which people take for each other.
    pub(in crate::protocol) shape: Option<Text>,
    /// Whether it is a zero reading, taken off others to get rid of the instrument's own.
    #[serde(default)]
    pub(in crate::protocol) zero: bool,
    /// An empty vessel, to be taken off.
    #[serde(default)]
    pub(in crate::protocol) tare: bool,
    /// A count of events that happen by chance.
    #[serde(default)]
    pub(in crate::protocol) events: bool,
    /// Whether it may be left out.
    #[serde(default)]
    pub(in crate::protocol) optional: bool,
    /// A condition under which it is asked for.
    pub(in crate::protocol) required_if: Option<Text>,
    /// A condition under which there is nothing to read.
    pub(in crate::protocol) forbidden_if: Option<Text>,
    /// exact, window, free or chosen.
    pub(in crate::protocol) role: Option<Text>,
    /// The amount asked for, with role = "exact".
    pub(in crate::protocol) target: Option<Number>,
    /// The amounts allowed, with role = "window".
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
    /// How its replicates may be rejected.
    pub(in crate::protocol) rejection: Option<Rejection>,
    /// Multiples of this are suspiciously round.
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
    /// Readings and results as they stand on the sheet, in its units: one text, or one for each
    /// row.
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

/// A step of a plan, and where it holds.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Planned {
    /// Condition in the row that the step starts from; absent on the last line.
    #[serde(rename = "if")]
    pub(in crate::protocol) condition: Option<Text>,
    /// Size and tolerance, in the column's unit.
    pub(in crate::protocol) step: Spanned<[f64; 2]>,
}

/// A number that is given, or that results are compared with.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Reference {
    /// Its id, for formulas.
    pub(in crate::protocol) id: Text,
    /// As it is called in sentences.
    pub(in crate::protocol) title: String,
    /// As it stands in a worked correction.
    #[serde(default)]
    pub(in crate::protocol) symbol: String,
    /// Unit of the value and its uncertainty.
    pub(in crate::protocol) unit: Text,
    /// Where it comes from: a table, a certificate, a measurement.
    pub(in crate::protocol) source: Spanned<String>,
    /// The key by which its value goes.
    pub(in crate::protocol) key: Option<Text>,
    /// Its value, where there is one for all.
    pub(in crate::protocol) value: Option<Number>,
    /// Its range, where it has two ends.
    pub(in crate::protocol) range: Option<Spanned<[f64; 2]>>,
    /// Its standard uncertainty.
    pub(in crate::protocol) uncertainty: Option<Number>,
    /// Short forms in use, such as 9.8 for 9.81.
    #[serde(default)]
    pub(in crate::protocol) short: Vec<f64>,
    /// A function of conditions.
    pub(in crate::protocol) formula: Option<Text>,
    /// The class's own consensus is the reference.
    #[serde(default)]
    pub(in crate::protocol) consensus: bool,
    /// "diameter" or "radius".
    pub(in crate::protocol) shape: Option<Text>,
    /// Its values by the key.
    #[serde(default)]
    pub(in crate::protocol) at: BTreeMap<Spanned<String>, ReferenceAt>,
}

/// A value of a reference for one value of its key.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct ReferenceAt {
    /// What it is, such as "naval brass".
    #[serde(default)]
    pub(in crate::protocol) says: String,
    /// Value that holds for this key or condition, in the unit of the reference.
    pub(in crate::protocol) value: Option<Number>,
    /// Its range.
    pub(in crate::protocol) range: Option<Spanned<[f64; 2]>>,
    /// Its standard uncertainty.
    pub(in crate::protocol) uncertainty: Option<Number>,
}
