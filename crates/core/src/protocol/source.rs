//! The TOML file as written. Unknown names are refused, and whatever can be wrong keeps its place.

use rust_decimal::Decimal;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Deserializer, de};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;

/// A value with its bytes in the file. Its schema is the value's own.
#[derive(Deserialize, Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[serde(transparent)]
pub(super) struct Spanned<T>(toml::Spanned<T>);

impl<T> Spanned<T> {
    pub(super) fn get_ref(&self) -> &T {
        self.0.get_ref()
    }
    pub(super) fn span(&self) -> Range<usize> {
        self.0.span()
    }
    pub(super) fn into_inner(self) -> T {
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

pub(super) type Text = Spanned<String>;

/// A decimal exactly as written: `"0.25"`, `0.25` or `1`.
#[derive(Clone, Copy, Debug)]
pub(super) struct Exact(pub(super) Decimal);

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
pub(super) type Number = Spanned<f64>;

/// A number of rows or replicates: written out, from … to …, or the id of a parameter.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
pub(super) enum Count {
    Fixed(u32),
    Between([u32; 2]),
    Parameter(String),
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "A lab of Jurado", rename = "Protocol")]
pub(super) struct File {
    pub(super) format: Spanned<u32>,
    pub(super) id: Text,
    pub(super) version: u32,
    pub(super) title: String,
    pub(super) summary: String,
    pub(super) possible: Spanned<Exact>,
    pub(super) school: Option<School>,
    #[serde(default)]
    pub(super) caution: Vec<String>,
    #[serde(default)]
    pub(super) bay: Vec<Bay>,
    #[serde(default)]
    pub(super) key: Vec<Key>,
    #[serde(default)]
    pub(super) parameter: Vec<Parameter>,
    #[serde(default)]
    pub(super) instrument: Vec<Instrument>,
    #[serde(default)]
    pub(super) table: Vec<Table>,
    #[serde(default)]
    pub(super) reading: Vec<Reading>,
    #[serde(default)]
    pub(super) constant: Vec<Reference>,
    #[serde(default)]
    pub(super) reference: Vec<Reference>,
    #[serde(default)]
    pub(super) result: Vec<ResultSpec>,
    #[serde(default)]
    pub(super) slip: Vec<Declared>,
    #[serde(default)]
    pub(super) check: Vec<Check>,
    #[serde(default)]
    pub(super) comparison: Vec<Comparison>,
    #[serde(default)]
    pub(super) identify: Vec<Identify>,
    #[serde(default)]
    pub(super) cause: Vec<Cause>,
    #[serde(default)]
    pub(super) criterion: Vec<Criterion>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct School {
    pub(super) confidence: Option<Spanned<u32>>,
    pub(super) coverage_factor: Option<Number>,
    pub(super) figure_tolerance: Option<i32>,
    pub(super) rejection: Option<Rejection>,
    pub(super) uncertainty: Option<Text>,
    pub(super) monte_carlo: Option<bool>,
    pub(super) plus_minus_band: Option<Spanned<[f64; 2]>>,
    pub(super) accuracy_of: Option<Text>,
    pub(super) digits_from: Option<Text>,
    pub(super) logarithm_table: Option<Spanned<[u32; 2]>>,
    pub(super) signed_percent: Option<bool>,
    /// Weight of "none of these" against all slips together.
    pub(super) unexplained: Option<Number>,
    /// Weights of kinds of slip, re-estimated from decisions.
    #[serde(default)]
    pub(super) weights: BTreeMap<Spanned<String>, Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Rejection {
    pub(super) by: Text,
    pub(super) sigma: Option<Number>,
    pub(super) within: Option<Number>,
    pub(super) percent: Option<Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Bay {
    pub(super) id: Text,
    pub(super) title: String,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Key {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) values: Spanned<Vec<String>>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Parameter {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) value: Number,
    pub(super) range: Spanned<[f64; 2]>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Instrument {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) unit: Text,
    pub(super) step: Number,
    /// The reading, a setting, in whose units `step` is.
    pub(super) step_of: Option<Text>,
    pub(super) limit: Option<Number>,
    #[serde(default)]
    pub(super) limit_shared: bool,
    /// Distribution of the limit: rectangular or triangular.
    pub(super) distribution: Option<Text>,
    pub(super) range: Option<Spanned<[f64; 2]>>,
    /// The scale runs the other way: "up" (default) or "down".
    pub(super) scale: Option<Text>,
    /// Digits estimated between the graduations.
    #[serde(default)]
    pub(super) estimated: bool,
    #[serde(default)]
    pub(super) notes: Vec<String>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Table {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) bay: Text,
    pub(super) rows: Spanned<Count>,
    /// The key that a row belongs to.
    pub(super) key: Option<Text>,
    pub(super) rough: Option<Rough>,
    pub(super) grid: Option<Grid>,
    pub(super) stop: Option<Stop>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Rough {
    pub(super) column: Text,
    pub(super) word: Text,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Grid {
    pub(super) column: Text,
    pub(super) values: Spanned<Vec<f64>>,
    pub(super) within: Number,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Stop {
    pub(super) column: Text,
    /// The last value reaches this.
    pub(super) at: Option<Number>,
    /// Or the last rows differ by no more than this.
    pub(super) flat: Option<Number>,
    pub(super) rows: Option<u32>,
    /// Or so many rows agree within a tolerance, absolute or percent.
    pub(super) agree: Option<u32>,
    pub(super) within: Option<Number>,
    pub(super) percent: Option<Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Reading {
    pub(super) id: Text,
    pub(super) title: String,
    #[serde(default)]
    pub(super) symbol: String,
    pub(super) bay: Option<Text>,
    pub(super) table: Option<Text>,
    /// number (default), count, word or setting.
    pub(super) kind: Option<Text>,
    pub(super) unit: Option<Text>,
    /// gauge or absolute, for a pressure.
    pub(super) pressure: Option<Text>,
    pub(super) instrument: Option<Text>,
    pub(super) replicates: Option<Spanned<Count>>,
    pub(super) words: Option<Spanned<Vec<String>>>,
    /// Values a setting may take.
    pub(super) settings: Option<Spanned<Vec<f64>>>,
    pub(super) plausible: Option<Spanned<[f64; 2]>>,
    pub(super) shape: Option<Text>,
    #[serde(default)]
    pub(super) zero: bool,
    /// An empty vessel, to be taken off.
    #[serde(default)]
    pub(super) tare: bool,
    #[serde(default)]
    pub(super) optional: bool,
    pub(super) required_if: Option<Text>,
    pub(super) forbidden_if: Option<Text>,
    /// exact, window, free or chosen.
    pub(super) role: Option<Text>,
    pub(super) target: Option<Number>,
    pub(super) window: Option<Spanned<[f64; 2]>>,
    /// rising or falling down the rows.
    pub(super) trend: Option<Text>,
    /// A start reading: the column whose value one row above it must equal.
    pub(super) follows: Option<Text>,
    /// A running sum: the column it adds up.
    pub(super) sums: Option<Text>,
    /// Planned step from row to row, with its tolerance.
    pub(super) step: Option<Spanned<[f64; 2]>>,
    /// Planned steps by region.
    #[serde(default)]
    pub(super) plan: Vec<Planned>,
    /// Where it was not taken: the band its reference is judged with.
    pub(super) fallback: Option<Spanned<[f64; 2]>>,
    pub(super) rejection: Option<Rejection>,
    #[serde(default)]
    pub(super) heaping: Option<Number>,
    /// A judged bracket: two readings, surely too small and surely too big.
    pub(super) bracket: Option<[Text; 2]>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Planned {
    /// Condition in the row that the step starts from; absent on the last line.
    #[serde(rename = "if")]
    pub(super) condition: Option<Text>,
    pub(super) step: Spanned<[f64; 2]>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Reference {
    pub(super) id: Text,
    pub(super) title: String,
    #[serde(default)]
    pub(super) symbol: String,
    pub(super) unit: Text,
    pub(super) source: Spanned<String>,
    pub(super) key: Option<Text>,
    pub(super) value: Option<Number>,
    pub(super) range: Option<Spanned<[f64; 2]>>,
    pub(super) uncertainty: Option<Number>,
    /// Short forms in use, such as 9.8 for 9.81.
    #[serde(default)]
    pub(super) short: Vec<f64>,
    /// A function of conditions.
    pub(super) formula: Option<Text>,
    /// The class's own consensus is the reference.
    #[serde(default)]
    pub(super) consensus: bool,
    pub(super) shape: Option<Text>,
    #[serde(default)]
    pub(super) at: BTreeMap<Spanned<String>, ReferenceAt>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ReferenceAt {
    #[serde(default)]
    pub(super) says: String,
    pub(super) value: Option<Number>,
    pub(super) range: Option<Spanned<[f64; 2]>>,
    pub(super) uncertainty: Option<Number>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ResultSpec {
    pub(super) id: Text,
    pub(super) title: String,
    #[serde(default)]
    pub(super) symbol: String,
    pub(super) bay: Option<Text>,
    pub(super) table: Option<Text>,
    pub(super) unit: Option<Text>,
    pub(super) pressure: Option<Text>,
    pub(super) formula: Option<Text>,
    pub(super) points: Spanned<Exact>,
    #[serde(default)]
    pub(super) plus_minus: bool,
    pub(super) shape: Option<Text>,
    #[serde(default)]
    pub(super) optional: bool,
    /// An estimate made before measuring: marked as present, not as right.
    #[serde(default)]
    pub(super) guess: bool,
    /// A word result: its words and the right one.
    pub(super) words: Option<Spanned<Vec<String>>>,
    #[serde(default)]
    pub(super) right: Vec<Right>,
    /// Other courses' formulas for the same thing, by name.
    #[serde(default)]
    pub(super) schools: BTreeMap<Spanned<String>, Text>,
    /// Read off a graph: so much of its unit either way.
    pub(super) read_off: Option<Number>,
    pub(super) rejection: Option<Rejection>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Right {
    /// Condition; absent on the last line.
    #[serde(rename = "if")]
    pub(super) condition: Option<Text>,
    pub(super) word: Text,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Declared {
    pub(super) id: Text,
    pub(super) result: Text,
    pub(super) formula: Text,
    pub(super) says: String,
    pub(super) share: Option<Exact>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Check {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) left: Option<Text>,
    pub(super) right: Option<Text>,
    /// equal (default), below or above.
    pub(super) relation: Option<Text>,
    pub(super) k: Option<Number>,
    /// Or any condition.
    pub(super) holds: Option<Text>,
    pub(super) says: Option<String>,
    pub(super) each: Option<Exact>,
    pub(super) criterion: Option<Text>,
    /// A drawing of the apparatus as the readings have it, shown where the check fails.
    pub(super) sketch: Option<Sketch>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Sketch {
    /// beam, rail or rings.
    pub(super) draw: Text,
    pub(super) unit: Text,
    /// Ends of the beam or rail, or nought and the largest ring drawn, in that unit.
    pub(super) span: Spanned<[f64; 2]>,
    /// What a beam turns about.
    pub(super) pivot: Option<Text>,
    pub(super) parts: Spanned<Vec<SketchPart>>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SketchPart {
    pub(super) says: String,
    /// Mark on the beam or rail, or diameter of the ring.
    pub(super) at: Text,
    /// What hangs there, of a beam.
    pub(super) weight: Option<Text>,
    /// Height of an arrow that stands there, of a rail; negative hangs.
    pub(super) height: Option<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Comparison {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) a: Text,
    pub(super) b: Text,
    /// k (default), overlap, percent or coarse.
    pub(super) method: Option<Text>,
    pub(super) k: Option<Number>,
    pub(super) percent: Option<Number>,
    /// The word result in which the team says whether they agree; its first word is yes, its second no.
    pub(super) conclusion: Option<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Identify {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) result: Text,
    pub(super) candidates: Spanned<BTreeMap<String, ReferenceAt>>,
    pub(super) source: Spanned<String>,
    /// The word result in which the team names it.
    pub(super) answer: Option<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Cause {
    pub(super) id: String,
    pub(super) on: Vec<Text>,
    pub(super) direction: Text,
    pub(super) says: String,
    #[serde(default)]
    pub(super) words: Vec<String>,
    #[serde(default)]
    pub(super) advice: String,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Band {
    pub(super) within: Number,
    pub(super) points: Exact,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Level {
    pub(super) says: String,
    pub(super) points: Exact,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Criterion {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) points: Spanned<Exact>,
    pub(super) rule: Text,
    /// Counted only where a section switches it on.
    #[serde(default)]
    pub(super) off: bool,
    pub(super) share: Option<Exact>,
    #[serde(default)]
    pub(super) shares: BTreeMap<String, Exact>,
    /// Share of its points that a result takes which only follows from a wrong one.
    pub(super) carried: Option<Exact>,
    pub(super) each: Option<Exact>,
    pub(super) result: Option<Text>,
    pub(super) reference: Option<Text>,
    pub(super) reading: Option<Text>,
    pub(super) comparison: Option<Text>,
    #[serde(default)]
    pub(super) bands: Vec<Band>,
    #[serde(default)]
    pub(super) levels: Vec<Level>,
    /// The bands count standard uncertainties instead of percent.
    #[serde(default)]
    pub(super) in_uncertainties: bool,
    pub(super) outlier: Option<Exact>,
    pub(super) missing: Option<Exact>,
    pub(super) unfair: Option<Exact>,
    pub(super) digits: Option<Exact>,
}
