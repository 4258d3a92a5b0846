//! Relations that hold, values that should agree, unknowns with candidates, and causes.

use super::ItemId;
use super::{ReferenceEntry, ResultId};
use crate::formula::Node;
use crate::quantity::Unit;
use rust_decimal::Decimal;

/// A relation that holds whatever the unknown is.
#[derive(Clone, Debug)]
pub struct Check {
    /// Name by which the rubric and findings mean this check.
    pub id: String,
    /// What is checked, as people see it.
    pub title: String,
    /// What is compared.
    pub rule: CheckRule,
    /// What to say where it fails.
    pub says: String,
    /// Criterion's id and the points it takes.
    pub charge: Option<(String, Decimal)>,
    /// What is drawn where it fails.
    pub sketch: Option<SketchSpec>,
}

/// A drawing of the apparatus as the readings have it.
#[derive(Clone, Debug)]
pub struct SketchSpec {
    /// What is drawn.
    pub kind: SketchKind,
    /// Unit of its marks.
    pub unit: Unit,
    /// Its ends, in that unit.
    pub span: (f64, f64),
    /// What a beam turns about.
    pub pivot: Option<Node>,
    /// What is on it. Of a rail: first the mirror, then what stands before it, then its image.
    pub parts: Vec<SketchPart>,
}

/// What a sketch draws.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SketchKind {
    /// A beam that turns about a pivot, with what hangs on it.
    Beam,
    /// A rail with a mirror, an object and its image.
    Rail,
    /// Rings about one centre.
    Rings,
}

/// One thing on a sketch.
#[derive(Clone, Debug)]
pub struct SketchPart {
    /// What the mark is called beside it in the sketch.
    pub says: String,
    /// Its mark, or its diameter.
    pub at: Node,
    /// What hangs there.
    pub weight: Option<Node>,
    /// Height of the arrow that stands there.
    pub height: Option<Node>,
}

/// How a check is judged.
#[derive(Clone, Debug)]
pub enum CheckRule {
    /// Two values, within k standard uncertainties of their difference.
    Related {
        /// Left side.
        left: Node,
        /// Right side.
        right: Node,
        /// How they should stand.
        relation: Relation,
        /// k.
        k: f64,
    },
    /// A condition.
    Holds(Node),
}

/// How two values should stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Relation {
    /// Equal.
    Equal,
    /// The left one below.
    Below,
    /// The left one above.
    Above,
}

/// Two values that should agree.
#[derive(Clone, Debug)]
pub struct ComparisonSpec {
    /// Name by which the rubric means this comparison.
    pub id: String,
    /// What is compared, as people see it.
    pub title: String,
    /// The first way to the quantity.
    pub a: Node,
    /// The second way to the quantity, of the same dimension as the first.
    pub b: Node,
    /// By which limit the two are held to agree.
    pub method: Agreement,
    /// Index in `results` of the word in which the team says so.
    pub conclusion: Option<ResultId>,
}

/// When two values agree.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Agreement {
    /// |a − b| ≤ k·u(a − b), over the sources they share.
    WithinK(f64),
    /// Their expanded intervals, k·u each, overlap.
    Overlap(f64),
    /// They differ by at most so many percent of the mean of their sizes.
    Percent(f64),
    /// The coarse one is the rounding of the fine one.
    Coarse,
}

/// An unknown to be named from a list.
#[derive(Clone, Debug)]
pub struct Identify {
    /// Name by which the rubric means this identification.
    pub id: String,
    /// What is identified, as people see it.
    pub title: String,
    /// Index in `results` of the value.
    pub result: ResultId,
    /// What it may be.
    pub candidates: Vec<ReferenceEntry>,
    /// Where their values come from.
    pub source: String,
    /// Index in `results` of the word in which the team names it.
    pub answer: Option<ResultId>,
}

/// What can physically push a reading.
#[derive(Clone, Debug)]
pub struct Cause {
    /// Name by which a report on a class means this cause.
    pub id: String,
    /// Items of the readings it pushes.
    pub on: Vec<ItemId>,
    /// Whether it makes them low.
    pub low: bool,
    /// What it is, in words: "an off-centre chord is shorter than the diameter".
    pub says: String,
    /// Words in a reason that name it.
    pub words: Vec<String>,
    /// What to do when measuring again.
    pub advice: String,
}
