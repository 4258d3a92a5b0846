//! Readings: their kind, their plan, and how replicates may be rejected.

use super::ItemId;
use super::{TableId, Tolerance};
use crate::formula::Node;

/// A reading to take.
#[derive(Clone, Debug)]
pub struct ReadingSpec {
    /// Place among the lab's items, where its title, unit and rows stand.
    pub item: ItemId,
    /// Group under which it stands on the sheet.
    pub bay: usize,
    /// Its table, if it is a column of one.
    pub table: Option<TableId>,
    /// What is written down.
    pub kind: ReadingKind,
    /// Its instrument; counts and words have none.
    pub instrument: Option<usize>,
    /// How often it is taken; 1 has no row numbers.
    pub replicates: u32,
    /// Parameter that says how often instead.
    pub replicates_of: Option<ItemId>,
    /// Plausible range in its unit.
    pub plausible: Option<(f64, f64)>,
    /// Whether the instrument's limit belongs to it (not to the zero reading that takes it off).
    pub takes_limit: bool,
    /// Whether it counts events that happen by chance: N of them have the standard uncertainty √N.
    pub events: bool,
    /// Whether it is the zero reading of its instrument.
    pub is_zero: bool,
    /// When it has to be there.
    pub need: Need,
    /// What its amount means.
    pub role: Role,
    /// Whether it must rise (true) or fall down the rows.
    pub trend: Option<bool>,
    /// Item of the end reading that it continues from the row above.
    pub follows: Option<ItemId>,
    /// Item of the column that it adds up.
    pub sums: Option<ItemId>,
    /// Planned steps from row to row with their tolerances, in its unit: the first whose condition
    /// holds in the row that a step starts from; without a condition, everywhere.
    pub steps: Vec<PlannedStep>,
    /// Band to judge references with where it was not taken, in its unit.
    pub fallback: Option<(f64, f64)>,
    /// How a reading may be rejected.
    pub rejection: Option<Rejection>,
    /// Round figures it should not heap on.
    pub heaping: Option<f64>,
    /// Reasons for which it may be missing at no cost, as phrases.
    pub absence: Vec<String>,
    /// Whether a bound is a right entry.
    pub bound: bool,
    /// Readings surely too small and surely too big around it.
    pub bracket: Option<(ItemId, ItemId)>,
}

/// What a reading is.
#[derive(Clone, Debug, PartialEq)]
pub enum ReadingKind {
    /// A number off an instrument.
    Number,
    /// An exact count.
    Count,
    /// One of the item's words.
    Word,
    /// A scale, a range, a zone: one of these values, or any where there are none.
    Setting(Vec<f64>),
}

/// A step of a plan.
#[derive(Clone, Debug)]
pub struct PlannedStep {
    /// Where it is the plan; `None` everywhere.
    pub condition: Option<Node>,
    /// How large the step has to be, in the unit of the reading.
    pub size: f64,
    /// How far a step may be off.
    pub tolerance: f64,
}

/// When a cell has to be there.
#[derive(Clone, Debug, Default)]
pub struct Need {
    /// It may be left out.
    pub optional: bool,
    /// It must be there in rows (or tables) where this holds, and may be left out elsewhere.
    pub required_if: Option<Node>,
    /// It must not be there where this holds.
    pub forbidden_if: Option<Node>,
}

/// What an amount means.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Role {
    /// A measured value.
    Measured,
    /// Exactly this, in its unit.
    Exact(f64),
    /// Any value inside.
    Window(f64, f64),
    /// It does not matter.
    Free,
    /// Chosen by the team; what follows from it is judged from it.
    Chosen,
}

/// By which school a replicate may be rejected.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rejection {
    /// Dixon's Q, 3 to 10 readings.
    Dixon,
    /// Grubbs' test.
    Grubbs,
    /// Generalised extreme studentised deviate.
    Esd,
    /// Known repeatability σ, in the reading's unit.
    Known(f64),
    /// Modified z.
    ModifiedZ,
    /// The largest set within a tolerance counts.
    Concordance(Tolerance),
    /// By judgement, with a reason.
    Judgement,
}

impl Rejection {
    /// Its word in protocols and verdicts.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::Rejection;
    /// assert_eq!(Rejection::Known(0.05).word(), "known");
    /// ```
    pub fn word(self) -> &'static str {
        match self {
            Rejection::Dixon => "dixon",
            Rejection::Grubbs => "grubbs",
            Rejection::Esd => "esd",
            Rejection::Known(_) => "known",
            Rejection::ModifiedZ => "modified-z",
            Rejection::Concordance(_) => "concordance",
            Rejection::Judgement => "judgement",
        }
    }
}
