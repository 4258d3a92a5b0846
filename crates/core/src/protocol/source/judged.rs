//! What is judged, as written: checks, comparisons, causes and the rubric.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Deserialize;

use super::{Exact, Number, ReferenceAt, Spanned, Text};

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Check {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) left: Option<Text>,
    pub(in crate::protocol) right: Option<Text>,
    /// equal (default), below or above.
    pub(in crate::protocol) relation: Option<Text>,
    pub(in crate::protocol) k: Option<Number>,
    /// Or any condition.
    pub(in crate::protocol) holds: Option<Text>,
    pub(in crate::protocol) says: Option<String>,
    pub(in crate::protocol) each: Option<Exact>,
    pub(in crate::protocol) criterion: Option<Text>,
    /// A drawing of the apparatus as the readings have it, shown where the check fails.
    pub(in crate::protocol) sketch: Option<Sketch>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Sketch {
    /// beam, rail or rings.
    pub(in crate::protocol) draw: Text,
    pub(in crate::protocol) unit: Text,
    /// Ends of the beam or rail, or nought and the largest ring drawn, in that unit.
    pub(in crate::protocol) span: Spanned<[f64; 2]>,
    /// What a beam turns about.
    pub(in crate::protocol) pivot: Option<Text>,
    pub(in crate::protocol) parts: Spanned<Vec<SketchPart>>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct SketchPart {
    pub(in crate::protocol) says: String,
    /// Mark on the beam or rail, or diameter of the ring.
    pub(in crate::protocol) at: Text,
    /// What hangs there, of a beam.
    pub(in crate::protocol) weight: Option<Text>,
    /// Height of an arrow that stands there, of a rail; negative hangs.
    pub(in crate::protocol) height: Option<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Comparison {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) a: Text,
    pub(in crate::protocol) b: Text,
    /// k (default), overlap, percent or coarse.
    pub(in crate::protocol) method: Option<Text>,
    pub(in crate::protocol) k: Option<Number>,
    pub(in crate::protocol) percent: Option<Number>,
    /// The word result in which the team says whether they agree; its first word is yes, its second no.
    pub(in crate::protocol) conclusion: Option<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Identify {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) result: Text,
    pub(in crate::protocol) candidates: Spanned<BTreeMap<String, ReferenceAt>>,
    pub(in crate::protocol) source: Spanned<String>,
    /// The word result in which the team names it.
    pub(in crate::protocol) answer: Option<Text>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Cause {
    pub(in crate::protocol) id: String,
    pub(in crate::protocol) on: Vec<Text>,
    pub(in crate::protocol) direction: Text,
    pub(in crate::protocol) says: String,
    #[serde(default)]
    pub(in crate::protocol) words: Vec<String>,
    #[serde(default)]
    pub(in crate::protocol) advice: String,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Band {
    pub(in crate::protocol) within: Number,
    pub(in crate::protocol) points: Exact,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Level {
    pub(in crate::protocol) says: String,
    pub(in crate::protocol) points: Exact,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Criterion {
    pub(in crate::protocol) id: Text,
    pub(in crate::protocol) title: String,
    pub(in crate::protocol) points: Spanned<Exact>,
    /// Points are given in steps of this; a quarter where nothing is said.
    pub(in crate::protocol) step: Option<Spanned<Exact>>,
    pub(in crate::protocol) rule: Text,
    /// Counted only where a section switches it on.
    #[serde(default)]
    pub(in crate::protocol) off: bool,
    pub(in crate::protocol) share: Option<Exact>,
    #[serde(default)]
    pub(in crate::protocol) shares: BTreeMap<String, Exact>,
    /// Share of its points that a result takes which only follows from a wrong one.
    pub(in crate::protocol) carried: Option<Exact>,
    pub(in crate::protocol) each: Option<Exact>,
    pub(in crate::protocol) result: Option<Text>,
    pub(in crate::protocol) reference: Option<Text>,
    pub(in crate::protocol) reading: Option<Text>,
    pub(in crate::protocol) comparison: Option<Text>,
    #[serde(default)]
    pub(in crate::protocol) bands: Vec<Band>,
    #[serde(default)]
    pub(in crate::protocol) levels: Vec<Level>,
    /// The bands count standard uncertainties instead of percent.
    #[serde(default)]
    pub(in crate::protocol) in_uncertainties: bool,
    pub(in crate::protocol) outlier: Option<Exact>,
    pub(in crate::protocol) missing: Option<Exact>,
    pub(in crate::protocol) unfair: Option<Exact>,
    pub(in crate::protocol) digits: Option<Exact>,
}
