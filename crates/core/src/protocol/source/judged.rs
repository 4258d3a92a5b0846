//! What is judged, as written: checks, comparisons, causes and the rubric.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Deserialize;

use super::{Exact, Number, ReferenceAt, Spanned, Text};

/// A relation that holds whatever the unknown is: two sides, or a condition.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Check {
    /// By which the rubric and findings mean the check.
    pub(in crate::protocol) id: Text,
    /// As it is called.
    pub(in crate::protocol) title: String,
    /// First side of the relation; both sides have one dimension.
    pub(in crate::protocol) left: Option<Text>,
    /// Second side of the relation; both sides have one dimension.
    pub(in crate::protocol) right: Option<Text>,
    /// equal (default), below or above.
    pub(in crate::protocol) relation: Option<Text>,
    /// So many standard uncertainties of the difference are its room; 2 by default.
    pub(in crate::protocol) k: Option<Number>,
    /// Or any condition.
    pub(in crate::protocol) holds: Option<Text>,
    /// What is told where it fails.
    pub(in crate::protocol) says: Option<String>,
    /// Points it takes where it fails.
    pub(in crate::protocol) each: Option<Exact>,
    /// The criterion that they are taken from.
    pub(in crate::protocol) criterion: Option<Text>,
    /// A drawing of the apparatus as the readings have it, shown where the check fails.
    pub(in crate::protocol) sketch: Option<Sketch>,
}

/// A drawing of the apparatus as the readings have it.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Sketch {
    /// beam, rail or rings.
    pub(in crate::protocol) draw: Text,
    /// Unit of all marks.
    pub(in crate::protocol) unit: Text,
    /// Ends of the beam or rail, or nought and the largest ring drawn, in that unit.
    pub(in crate::protocol) span: Spanned<[f64; 2]>,
    /// What a beam turns about.
    pub(in crate::protocol) pivot: Option<Text>,
    /// What stands on it.
    pub(in crate::protocol) parts: Spanned<Vec<SketchPart>>,
}

/// Something that stands on the drawing.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct SketchPart {
    /// What it is.
    pub(in crate::protocol) says: String,
    /// Mark on the beam or rail, or diameter of the ring.
    pub(in crate::protocol) at: Text,
    /// What hangs there, of a beam.
    pub(in crate::protocol) weight: Option<Text>,
    /// Height of an arrow that stands there, of a rail; negative hangs.
    pub(in crate::protocol) height: Option<Text>,
}

/// Two ways to one quantity.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Comparison {
    /// By which the rubric means the comparison.
    pub(in crate::protocol) id: Text,
    /// As it is called.
    pub(in crate::protocol) title: String,
    /// Formula of the first way.
    pub(in crate::protocol) a: Text,
    /// Formula of the second way.
    pub(in crate::protocol) b: Text,
    /// k (default), overlap, percent or coarse.
    pub(in crate::protocol) method: Option<Text>,
    /// So many standard uncertainties may lie between them; 2 by default.
    pub(in crate::protocol) k: Option<Number>,
    /// With method = "percent": so much of their mean may lie between them.
    pub(in crate::protocol) percent: Option<Number>,
    /// The word result in which the team says whether they agree; its first word is yes, its second
    /// no.
    pub(in crate::protocol) conclusion: Option<Text>,
}

/// An unknown that is to be named.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Identify {
    /// By which the rubric means the identification.
    pub(in crate::protocol) id: Text,
    /// As it is called.
    pub(in crate::protocol) title: String,
    /// The result by which it is named.
    pub(in crate::protocol) result: Text,
    /// What it may be, with the values of each.
    pub(in crate::protocol) candidates: Spanned<BTreeMap<String, ReferenceAt>>,
    /// Where these values come from.
    pub(in crate::protocol) source: Spanned<String>,
    /// The word result in which the team names it.
    pub(in crate::protocol) answer: Option<Text>,
}

/// What can push a reading to one side.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Cause {
    /// By which a report on a class means the cause.
    pub(in crate::protocol) id: String,
    /// The readings it pushes.
    pub(in crate::protocol) on: Vec<Text>,
    /// "low" or "high".
    pub(in crate::protocol) direction: Text,
    /// What it is, as a clause.
    pub(in crate::protocol) says: String,
    /// Words by which a team names it.
    #[serde(default)]
    pub(in crate::protocol) words: Vec<String>,
    /// What to do about it the next time.
    #[serde(default)]
    pub(in crate::protocol) advice: String,
}

/// A band of accuracy or precision.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Band {
    /// Up to so much, the edge included.
    pub(in crate::protocol) within: Number,
    /// What it gives.
    pub(in crate::protocol) points: Exact,
}

/// A level that a person chooses.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Level {
    /// What it means.
    pub(in crate::protocol) says: String,
    /// What it gives.
    pub(in crate::protocol) points: Exact,
}

/// A line of the rubric.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(in crate::protocol) struct Criterion {
    /// By which scores and decisions mean the line.
    pub(in crate::protocol) id: Text,
    /// As it is called.
    pub(in crate::protocol) title: String,
    /// What it is worth.
    pub(in crate::protocol) points: Spanned<Exact>,
    /// Points are given in steps of this; a quarter where nothing is said.
    pub(in crate::protocol) step: Option<Spanned<Exact>>,
    /// calculation, completeness, accuracy, precision, uncertainty, digits, units, agreement,
    /// checks or manual.
    pub(in crate::protocol) rule: Text,
    /// Counted only where a section switches it on.
    #[serde(default)]
    pub(in crate::protocol) off: bool,
    /// Share of a result's points that a slip takes; a half by default.
    pub(in crate::protocol) share: Option<Exact>,
    /// The same by kind of slip.
    #[serde(default)]
    pub(in crate::protocol) shares: BTreeMap<String, Exact>,
    /// Share of its points that a result takes which only follows from a wrong one.
    pub(in crate::protocol) carried: Option<Exact>,
    /// Points for each thing that is missing or wrong.
    pub(in crate::protocol) each: Option<Exact>,
    /// The result, for accuracy.
    pub(in crate::protocol) result: Option<Text>,
    /// What it is compared with.
    pub(in crate::protocol) reference: Option<Text>,
    /// The reading, for precision.
    pub(in crate::protocol) reading: Option<Text>,
    /// The comparison, for agreement.
    pub(in crate::protocol) comparison: Option<Text>,
    /// Bands from narrow to wide.
    #[serde(default)]
    pub(in crate::protocol) bands: Vec<Band>,
    /// Levels, for what a person judges.
    #[serde(default)]
    pub(in crate::protocol) levels: Vec<Level>,
    /// The bands count standard uncertainties instead of percent.
    #[serde(default)]
    pub(in crate::protocol) in_uncertainties: bool,
    /// Points for a replicate that stands apart and was kept.
    pub(in crate::protocol) outlier: Option<Exact>,
    /// Points for a ± that is missing.
    pub(in crate::protocol) missing: Option<Exact>,
    /// Points for one that is not fair.
    pub(in crate::protocol) unfair: Option<Exact>,
    /// Points for one with too many figures.
    pub(in crate::protocol) digits: Option<Exact>,
}
