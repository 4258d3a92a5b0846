//! What judging says, as data. The documented JSON object is made from it in [`crate::report`].

mod reading;
mod result;

pub use reading::{CellState, JudgedCell, JudgedReading};
pub use result::{Face, Gap, JudgedResult, Reported, Slip, VerdictKind};

use crate::formula::ItemId;
use crate::row::Row;
use std::collections::BTreeMap;

use rust_decimal::Decimal;

use crate::finding::{Accuracy, Finding, Fragile, Named, Place, Sides, Spread};
use crate::protocol::{CriterionId, ReadingId, ResultId, TableId, beside};
use crate::uncertainty::Source;

/// Version of the engine; it stands in every verdict.
pub const ENGINE: &str = concat!("jurado ", env!("CARGO_PKG_VERSION"));

/// The verdict on one table.
#[derive(Clone, Debug)]
pub struct Judged {
    /// Section in which the table was handed in.
    pub section: String,
    /// Team within its section.
    pub team: String,
    /// Keys of the table.
    pub keys: BTreeMap<String, String>,
    /// Readings, in the protocol's order.
    pub readings: Vec<JudgedReading>,
    /// Results, in the order they are derived.
    pub results: Vec<JudgedResult>,
    /// Findings, in the order a reviewer works.
    pub findings: Vec<Finding>,
    /// Tests for readings that stand apart.
    pub outliers: Vec<OutlierTest>,
    /// Comparisons with references.
    pub comparisons: Vec<Comparison>,
    /// Points by the rubric, line by line, and their sum.
    pub score: Score,
    /// Independent sources of uncertainty, for the budgets.
    pub sources: Vec<Source>,
    /// The key of each row, by the protocol's tables; `None` where the row has none.
    pub row_keys: Vec<Vec<Option<String>>>,
    /// What it was judged by in place of what the protocol says: whoever explains the verdict needs
    /// [`crate::protocol::Protocol::taught`].
    pub taught: crate::protocol::Taught,
    /// What its formulas are known by, where it came in a spreadsheet with any.
    pub book: Option<crate::class::Book>,
}

beside!(ReadingId: JudgedReading);
beside!(ResultId: Vec<Reported>);
beside!(TableId: Vec<Option<String>>);

/// A test for a reading that stands apart.
#[derive(Clone, Debug, PartialEq)]
pub struct OutlierTest {
    /// `replicate`, `point` of a fit, or `team` of a class.
    pub level: &'static str,
    /// Reading whose replicates were tested.
    pub item: ItemId,
    /// Row of the suspect.
    pub row: Option<Row>,
    /// Name of the test, such as `grubbs`.
    pub test: &'static str,
    /// What the test measures for the most distant replicate.
    pub statistic: f64,
    /// Value that the statistic has to pass for the test to flag.
    pub critical: f64,
    /// Whether it raises its hand.
    pub flagged: bool,
}

/// A comparison with a reference.
#[derive(Clone, Debug)]
pub struct Comparison {
    /// Id of the criterion, comparison or unknown.
    pub id: String,
    /// `percent-error`, `spread`, `agreement`, `identify` or `check`.
    pub kind: &'static str,
    /// Value that is compared, in the unit of its item.
    pub value: f64,
    /// Limit of the band it fell in; `None` beyond all bands.
    pub limit: Option<f64>,
    /// `within` or `beyond`; `agree` or `differ` for a comparison; the name for an unknown.
    pub verdict: String,
    /// What was compared, with its figures.
    pub what: Compared,
}

/// What was compared.
#[derive(Clone, Debug, PartialEq)]
pub enum Compared {
    /// A cross-check, by its index.
    Check(usize),
    /// Two values that should agree.
    Agreement(Sides),
    /// An unknown and its candidates.
    Identified(Named),
    /// The value at a place, and its reference.
    Accuracy(Place, Accuracy),
    /// The replicates of the reading at a place.
    Spread(Place, Spread),
}

/// The score.
#[derive(Clone, Debug, Default)]
pub struct Score {
    /// Sum of the lines as computed.
    pub awarded: Decimal,
    /// Sum of the lines as decided.
    pub decided: Decimal,
    /// Points there are.
    pub possible: Decimal,
    /// A line per criterion.
    pub lines: Vec<ScoreLine>,
}

/// One line of the score.
#[derive(Clone, Debug)]
pub struct ScoreLine {
    /// Criterion's id.
    pub criterion: String,
    /// Title of the rubric's line.
    pub title: String,
    /// Points as computed, before the criterion's step.
    pub exact: Decimal,
    /// Points as computed, in the criterion's step.
    pub awarded: Decimal,
    /// Points as computed, with rulings and before anybody decides, in the criterion's step.
    pub computed: Decimal,
    /// Points after rulings and decisions.
    pub decided: Decimal,
    /// Points there are.
    pub possible: Decimal,
    /// From what the points follow.
    pub standing: Standing,
    /// What it hangs on.
    pub fragile: Option<Fragile>,
    /// Ruling that touched it.
    pub ruling: Option<u64>,
    /// A reviewer's change of the whole line.
    pub changed: Option<crate::decision::Decision>,
}

/// Why a line of the score has the points it has.
#[derive(Clone, Debug, PartialEq)]
pub enum Standing {
    /// The value lies inside the reference's range.
    InsideRange,
    /// It is so many standard uncertainties off.
    OffInUncertainties(f64),
    /// It is so many percent off.
    OffInPercent(f64),
    /// Something is missing, or a person has not judged it yet.
    NotJudged,
    /// Whether two values agree.
    Agree(bool),
    /// A person gave a level of a criterion, both by their index.
    Level {
        /// The line of the rubric whose level was given.
        criterion: CriterionId,
        /// Place of the level among those of its line, from 0.
        level: usize,
    },
    /// A person gave points between the levels.
    ByJudgement,
    /// The standard deviation of a reading's replicates, in its unit.
    Spread {
        /// The reading whose replicates spread.
        item: ItemId,
        /// Sample standard deviation of the replicates, in the unit of the reading.
        sd: f64,
    },
    /// Nothing is charged.
    Right,
    /// So many results are missing, and nothing else.
    Missing(usize),
    /// So many slips, or values without a story.
    Slips(usize),
    /// So many findings.
    Findings(usize),
}
