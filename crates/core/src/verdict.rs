//! What judging says, as data. The documented JSON object is made from it in [`crate::report`].

use crate::formula::ItemId;
use crate::row::Row;
use std::collections::BTreeMap;

use rust_decimal::Decimal;

use crate::finding::{Account, Accuracy, Finding, Fragile, Named, Place, Sides, Spread};
use crate::protocol::{CriterionId, ReadingId, ResultId, SlipKind, TableId, beside};
use crate::reading::{Number, Remark, Unreadable};
use crate::uncertainty::{Budget, Source};
use crate::underneath::Underneath;

/// Version of the engine; it stands in every verdict.
pub const ENGINE: &str = concat!("jurado ", env!("CARGO_PKG_VERSION"));

/// The verdict on one table.
#[derive(Clone, Debug)]
pub struct Judged {
    /// Section.
    pub section: String,
    /// Team.
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
    /// Score.
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

/// One reading with its cells.
#[derive(Clone, Debug)]
pub struct JudgedReading {
    /// Its item.
    pub item: ItemId,
    /// Its cells by row, as many as the protocol asks or the team wrote.
    pub cells: Vec<JudgedCell>,
}

/// One cell of a reading.
#[derive(Clone, Debug)]
pub struct JudgedCell {
    /// Row, from 1; `None` for a single reading.
    pub row: Option<Row>,
    /// As typed.
    pub text: String,
    /// Unit as typed.
    pub unit: String,
    /// What became of it.
    pub state: CellState,
    /// Value in the protocol's unit.
    pub value: Option<f64>,
    /// The word's number in the item's list, for a word.
    pub word: Option<u32>,
    /// The bound, for a value beyond the range: the limit in the protocol's unit, and whether the value lies above it.
    pub bound: Option<(f64, bool)>,
    /// Resolution in the protocol's unit.
    pub resolution: f64,
    /// The number as read.
    pub number: Option<Number>,
    /// The team's exclusion mark or reason; `None` where it is kept.
    pub excluded: Option<String>,
    /// Why nothing stands there, where the team says so.
    pub absent: Option<String>,
    /// Whether a reviewer left it out: no school is asked.
    pub by_person: bool,
    /// Whether it counts in the recomputation.
    pub counts: bool,
    /// What a repair takes it for, in the protocol's unit, where a diagnosis repaired it; the text stays as it is.
    pub repaired: Option<f64>,
    /// What was decided while reading it.
    pub remarks: Vec<Remark>,
}

/// What became of a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum CellState {
    /// A number.
    Read,
    /// Nothing there.
    Missing,
    /// Beyond the range.
    Bound,
    /// No number, with the reason.
    Unreadable(Unreadable),
}

beside!(ReadingId: JudgedReading);
beside!(ResultId: Vec<Reported>);
beside!(TableId: Vec<Option<String>>);

/// One result.
#[derive(Clone, Debug)]
pub struct JudgedResult {
    /// Which result of the lab it is.
    pub id: ResultId,
    /// Its item.
    pub item: ItemId,
    /// Row, from 1, where the result is a column of a table.
    pub row: Option<Row>,
    /// What the team wrote.
    pub reported: Reported,
    /// Clean value in the protocol's unit.
    pub clean: Option<f64>,
    /// What the readings give by the lab's own formulas, where the table is judged by another: how well was measured does
    /// not hang on what was taught.
    pub own: Option<f64>,
    /// Carried value in the protocol's unit.
    pub carried: Option<f64>,
    /// Rounding envelope of the carried value.
    pub envelope: f64,
    /// Figures the result deserves.
    pub deserved: i32,
    /// Whether it comes of exact numbers alone, so that no number of figures is too many or too few.
    pub exact: bool,
    /// Verdict.
    pub verdict: VerdictKind,
    /// How it came to be rounded, where it did.
    pub face: Option<Face>,
    /// Diagnosis: the slip, or what could be.
    pub slip: Option<Slip>,
    /// Items of upstream results that were tainted when this one was judged.
    pub tainted_by: Vec<ItemId>,
    /// Uncertainty budget of the clean value, in the protocol's unit.
    pub budget: Option<Budget>,
    /// Expanded uncertainty with which a stated ± is compared, in the protocol's unit.
    pub expanded: Option<f64>,
    /// The uncertainty by each school, in the order of [`crate::protocol::UncertaintySchool::ALL`].
    pub schools: [Option<f64>; 5],
    /// What a Monte Carlo run gave in place of the linear value, where one was made.
    pub monte_carlo: Option<f64>,
    /// The right word's number, for a word result.
    pub right_word: Option<u32>,
    /// The factor by which all differing rows of a column are off alike, where no slip gives it.
    pub throughout: Option<f64>,
    /// The cell without which it cannot be checked.
    pub gap: Option<Gap>,
    /// The formula under it, where it came in a spreadsheet and has one.
    pub under: Option<Box<Underneath>>,
}

impl JudgedResult {
    /// A result with nothing but what was written: missing until it is judged. `row` counts from 0.
    pub(crate) fn unjudged(id: ResultId, item: ItemId, row: Option<usize>, reported: &Reported) -> JudgedResult {
        JudgedResult {
            id,
            item,
            row: row.map(Row::at),
            reported: reported.clone(),
            clean: None,
            own: None,
            carried: None,
            envelope: 0.0,
            deserved: 1,
            exact: false,
            verdict: VerdictKind::Missing,
            face: None,
            slip: None,
            tainted_by: Vec::new(),
            budget: None,
            expanded: None,
            schools: [None; 5],
            monte_carlo: None,
            right_word: None,
            throughout: None,
            gap: None,
            under: None,
        }
    }
}

/// A cell that a result takes with the rest of its column, and that is missing or cannot be read.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// Item of the reading.
    pub item: ItemId,
    /// Its row, from 1.
    pub row: Row,
    /// The value that would give the result, in the reading's unit; `None` where no plausible one does.
    pub fits: Option<f64>,
    /// Whether it is the only one.
    pub alone: bool,
}

/// How a right value comes to differ from the recomputed one by rounding alone.
#[derive(Clone, Debug, PartialEq)]
pub enum Face {
    /// Worked on from the team's own rounded values.
    FromRounded,
    /// Rounded before the end.
    Early,
    /// Rounded, and padded with noughts: `8.4100` for 8.4083.
    Padded,
    /// Rounded in two steps: 1.5645 to 1.565 to 1.57.
    TwoSteps,
    /// Cut off instead of rounded: 1.56 for 1.5683.
    CutOff,
    /// Every step rounded, or cut, to so many figures.
    EveryStep {
        /// Figures kept.
        figures: i32,
        /// Whether the rest was cut off.
        cut: bool,
    },
    /// Worked with a short form of π, as written.
    Pi(&'static str),
    /// Worked with a short form of a constant, by its item, in its unit.
    Constant(ItemId, f64),
    /// Seen in a graph: a slope within its standard uncertainty, an end point in the steepest step.
    Graph,
    /// Follows from a wrong value above, and how it was rounded besides.
    Follows(Option<Box<Face>>),
}

/// What the team wrote for a result.
#[derive(Clone, Debug, Default)]
pub struct Reported {
    /// As typed.
    pub text: String,
    /// Unit as typed.
    pub unit: String,
    /// ± as typed.
    pub plus_minus: String,
    /// The number read.
    pub number: Option<Number>,
    /// The word's number, for a word result.
    pub word: Option<u32>,
    /// Value in the protocol's unit.
    pub value: Option<f64>,
    /// Units of the protocol's unit in one of the written unit.
    pub scale: f64,
    /// Half a unit of the last written digit, in the protocol's unit.
    pub half_step: f64,
}

impl Reported {
    /// The value and its ± as typed, whether in one text or in two.
    pub fn written(&self) -> String {
        match self.plus_minus.trim().trim_start_matches('±').trim() {
            "" => self.text.clone(),
            pm => format!("{} ± {pm}", self.text),
        }
    }
}

/// The verdicts on a result, in the order they are tried. R is what the team wrote, C what the readings give, F what the
/// team's own values before it give.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum VerdictKind {
    /// Nothing is written: an empty cell.
    Missing,
    /// What is written is no number, or no word of the list: `about five`.
    Unreadable,
    /// Nothing to compare with: a reading that it needs is missing.
    Unchecked,
    /// R is C to the figures that R has: 2.70 beside 2.7043.
    Agrees,
    /// R is C rounded earlier or otherwise than at the end: 2.7 beside 2.7043 where three figures are deserved.
    Rounded,
    /// R follows from the team's own values, one of which is wrong: a density from a wrong volume.
    Carried,
    /// R is what a named mistake gives: 27.0 beside 2.70.
    Slip,
    /// R is none of these: 3.14 beside 2.70.
    Unexplained,
    /// A word that is not the right one: `real` beside `virtual`.
    Differs,
}

impl VerdictKind {
    /// All of them.
    pub const ALL: [VerdictKind; 9] = [
        VerdictKind::Agrees,
        VerdictKind::Rounded,
        VerdictKind::Carried,
        VerdictKind::Slip,
        VerdictKind::Unexplained,
        VerdictKind::Differs,
        VerdictKind::Missing,
        VerdictKind::Unreadable,
        VerdictKind::Unchecked,
    ];

    /// Its word.
    ///
    /// # Example
    /// ```
    /// use jurado_core::verdict::VerdictKind;
    /// assert_eq!(VerdictKind::Carried.word(), "carried");
    /// ```
    pub fn word(self) -> &'static str {
        match self {
            VerdictKind::Missing => "missing",
            VerdictKind::Unreadable => "unreadable",
            VerdictKind::Unchecked => "unchecked",
            VerdictKind::Agrees => "agrees",
            VerdictKind::Rounded => "rounded",
            VerdictKind::Carried => "carried",
            VerdictKind::Slip => "slip",
            VerdictKind::Unexplained => "unexplained",
            VerdictKind::Differs => "differs",
        }
    }

    /// Whether what is derived from it may be carried.
    ///
    /// # Example
    /// ```
    /// use jurado_core::verdict::VerdictKind;
    /// // What follows from a slip is carried and costs nothing again; what is only rounded taints nothing.
    /// assert!(VerdictKind::Slip.taints() && !VerdictKind::Rounded.taints());
    /// ```
    pub fn taints(self) -> bool {
        matches!(self, VerdictKind::Slip | VerdictKind::Unexplained | VerdictKind::Carried | VerdictKind::Differs)
    }
}

/// A diagnosis.
#[derive(Clone, Debug)]
pub struct Slip {
    /// Likeliest kind.
    pub kind: SlipKind,
    /// What seems to have happened, with what proves it.
    pub account: Account,
    /// Chance of the class it belongs to.
    pub probability: f64,
    /// Other kinds, likeliest first.
    pub alternatives: Vec<(SlipKind, f64)>,
    /// Kinds that this result alone cannot tell from `kind`.
    pub alike: Vec<SlipKind>,
    /// Ids of all results where it happened.
    pub places: Vec<String>,
    /// Two or more stories fit and none reaches one half.
    pub ambiguous: bool,
    /// Item it happened at.
    pub subject: Option<ItemId>,
    /// Rows of the result where it happened, where it is one slip down a column.
    pub rows: Vec<Row>,
    /// What the sheet should have said, where it was written down wrongly.
    pub repair: Option<crate::repair::Repair>,
    /// What the mistaken calculation gives, in the protocol's unit.
    pub predicted: f64,
}

/// A test for a reading that stands apart.
#[derive(Clone, Debug, PartialEq)]
pub struct OutlierTest {
    /// `replicate`, `point` of a fit, or `team` of a class.
    pub level: &'static str,
    /// Item tested.
    pub item: ItemId,
    /// Row of the suspect.
    pub row: Option<Row>,
    /// Test's name.
    pub test: &'static str,
    /// Statistic.
    pub statistic: f64,
    /// Critical value.
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
    /// Value compared.
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
    /// Title.
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
    /// Why.
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
        /// Criterion.
        criterion: CriterionId,
        /// Level.
        level: usize,
    },
    /// A person gave points between the levels.
    ByJudgement,
    /// The standard deviation of a reading's replicates, in its unit.
    Spread {
        /// Its item.
        item: ItemId,
        /// Standard deviation.
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
