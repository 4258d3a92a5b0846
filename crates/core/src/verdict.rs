//! What judging says, as data. The documented JSON object is made from it in [`crate::report`].

use std::collections::BTreeMap;

use rust_decimal::Decimal;

use crate::protocol::SlipKind;
use crate::reading::Number;
use crate::uncertainty::{Budget, Source};

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
}

/// One reading with its cells.
#[derive(Clone, Debug)]
pub struct JudgedReading {
    /// Its item.
    pub item: usize,
    /// Its cells by row, as many as the protocol asks or the team wrote.
    pub cells: Vec<JudgedCell>,
}

/// One cell of a reading.
#[derive(Clone, Debug)]
pub struct JudgedCell {
    /// Row, from 1; `None` for a single reading.
    pub row: Option<u32>,
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
    /// Whether a reviewer left it out: no school is asked.
    pub by_person: bool,
    /// Whether it counts in the recomputation.
    pub counts: bool,
    /// What a repair takes it for, in the protocol's unit, where a diagnosis repaired it; the text stays as it is.
    pub repaired: Option<f64>,
    /// What was decided while reading it.
    pub remarks: Vec<String>,
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
    Unreadable(String),
}

/// One result.
#[derive(Clone, Debug)]
pub struct JudgedResult {
    /// Index in the protocol's results.
    pub index: usize,
    /// Its item.
    pub item: usize,
    /// Row, from 1, where the result is a column of a table.
    pub row: Option<u32>,
    /// What the team wrote.
    pub reported: Reported,
    /// Clean value in the protocol's unit.
    pub clean: Option<f64>,
    /// Carried value in the protocol's unit.
    pub carried: Option<f64>,
    /// Rounding envelope of the carried value.
    pub envelope: f64,
    /// Figures the result deserves.
    pub deserved: i32,
    /// Verdict.
    pub verdict: VerdictKind,
    /// How it came to be rounded, where it did.
    pub face: Option<String>,
    /// Diagnosis: the slip, or what could be.
    pub slip: Option<Slip>,
    /// Items of upstream results that were tainted when this one was judged.
    pub tainted_by: Vec<usize>,
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
}

impl JudgedResult {
    /// A result with nothing but what was written: missing until it is judged. `row` counts from 0.
    pub(crate) fn unjudged(index: usize, item: usize, row: Option<usize>, reported: &Reported) -> JudgedResult {
        JudgedResult {
            index,
            item,
            row: row.map(|r| r as u32 + 1),
            reported: reported.clone(),
            clean: None,
            carried: None,
            envelope: 0.0,
            deserved: 1,
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
        }
    }
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

/// The verdicts, in the order they are tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum VerdictKind {
    Missing,
    Unreadable,
    Unchecked,
    Agrees,
    Rounded,
    Carried,
    Slip,
    Unexplained,
    /// A word that is not the right one.
    Differs,
}

impl VerdictKind {
    /// Its word.
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
    pub fn taints(self) -> bool {
        matches!(self, VerdictKind::Slip | VerdictKind::Unexplained | VerdictKind::Carried | VerdictKind::Differs)
    }
}

/// A diagnosis.
#[derive(Clone, Debug)]
pub struct Slip {
    /// Likeliest kind.
    pub kind: SlipKind,
    /// What seems to have happened, one sentence with numbers.
    pub says: String,
    /// The same as a bare clause: "the mean diameter was used as the radius".
    pub clause: String,
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
    pub subject: Option<usize>,
    /// Rows of the result where it happened, where it is one slip down a column.
    pub rows: Vec<u32>,
    /// The reading that was mistyped: its item, its row, and what it should have been, in the protocol's unit.
    pub repair: Option<(usize, Option<u32>, f64)>,
    /// What the mistaken calculation gives, in the protocol's unit.
    pub predicted: f64,
}

/// How much a finding asks of a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Severity {
    /// Wants a decision.
    Decide,
    /// Charged by rule; may be overruled.
    Charge,
    /// Worth knowing; costs nothing.
    Note,
}

impl Severity {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Severity::Decide => "decide",
            Severity::Charge => "charge",
            Severity::Note => "note",
        }
    }
}

/// One thing found.
#[derive(Clone, Debug)]
pub struct Finding {
    /// Stable name within the table, such as `slip:disc_volume`.
    pub key: String,
    /// Kind of finding.
    pub code: &'static str,
    /// How much it asks of a person.
    pub severity: Severity,
    /// Item it is about.
    pub item: Option<usize>,
    /// Further items it is about: the other places of one slip, all results with too many digits.
    pub also: Vec<usize>,
    /// Row it is about.
    pub row: Option<u32>,
    /// For the reviewer: what was found, with the figure that proves it.
    pub says: String,
    /// The same in a few words, for a list.
    pub brief: String,
    /// For the student; empty where there is nothing to tell.
    pub tells: String,
    /// Criterion it is charged to.
    pub criterion: Option<String>,
    /// Points it takes, by rule.
    pub cost: Decimal,
    /// Points that a decision could move.
    pub hangs: Decimal,
    /// What the mark hangs on, where a defensible choice gives other points.
    pub fragile: Option<String>,
    /// Ruling that settles it.
    pub ruling: Option<u64>,
    /// Points it takes after rulings and decisions.
    pub decided_cost: Decimal,
    /// The decision on it.
    pub decision: Option<crate::decision::Decision>,
}

impl Finding {
    /// Whether it is about an item.
    pub fn concerns(&self, item: usize) -> bool {
        self.item == Some(item) || self.also.contains(&item)
    }

    /// Whether it still wants a person.
    pub fn open(&self) -> bool {
        self.severity == Severity::Decide && self.decision.is_none() && self.ruling.is_none()
    }
}

/// A test for a reading that stands apart.
#[derive(Clone, Debug, PartialEq)]
pub struct OutlierTest {
    /// `replicate`, `point` of a fit, or `team` of a class.
    pub level: &'static str,
    /// Item tested.
    pub item: usize,
    /// Row of the suspect.
    pub row: Option<u32>,
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
    /// In words.
    pub says: String,
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
    /// Points as computed.
    pub awarded: Decimal,
    /// Points after rulings and decisions.
    pub decided: Decimal,
    /// Points there are.
    pub possible: Decimal,
    /// Why, in a few words.
    pub says: String,
    /// What it hangs on.
    pub fragile: Option<String>,
    /// Ruling that touched it.
    pub ruling: Option<u64>,
    /// A reviewer's change of the whole line.
    pub changed: Option<crate::decision::Decision>,
}
