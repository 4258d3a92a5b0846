//! A result as judged: R, C and F side by side, the verdict, and what explains it.
//!
//! | R, C and F | verdict |
//! |---|---|
//! | R is C to its last digit | agrees |
//! | R is C but for rounding on the way | rounded |
//! | R follows from a wrong value above | carried |
//! | a mistake gives R, likelier than not | slip |
//! | nothing gives R | unexplained |
//! | a word is another than the right one | differs |
//! | nothing is there | missing |
//! | no number can be read | unreadable |
//! | nothing to compare with | unchecked |

use crate::finding::Account;
use crate::formula::ItemId;
use crate::protocol::{ResultId, School, SlipKind, UncertaintySchool};
use crate::reading::Number;
use crate::row::Row;
use crate::uncertainty::Budget;
use crate::underneath::Underneath;

/// One result.
#[derive(Clone, Debug)]
pub struct JudgedResult {
    /// Which result of the lab it is.
    pub id: ResultId,
    /// Place of the result among the lab's items.
    pub item: ItemId,
    /// Row, from 1, where the result is a column of a table.
    pub row: Option<Row>,
    /// What the team wrote.
    pub reported: Reported,
    /// Clean value in the protocol's unit.
    pub clean: Option<f64>,
    /// What the readings give by the lab's own formulas, where the table is judged by another: how
    /// well was measured does not hang on what was taught.
    pub own: Option<f64>,
    /// Carried value in the protocol's unit.
    pub carried: Option<f64>,
    /// Rounding envelope of the carried value.
    pub envelope: f64,
    /// Figures the result deserves.
    pub deserved: i32,
    /// Whether it comes of exact numbers alone, so that no number of figures is too many or too
    /// few.
    pub exact: bool,
    /// What was found of the value when it was compared.
    pub verdict: VerdictKind,
    /// How it came to be rounded, where it did.
    pub face: Option<Face>,
    /// Diagnosis: the slip, or what could be.
    pub slip: Option<Slip>,
    /// Items of upstream results that were tainted when this one was judged.
    pub tainted_by: Vec<ItemId>,
    /// Uncertainty budget of the clean value, in the protocol's unit.
    pub budget: Option<Budget>,
    /// The uncertainty by each school but the first, quadrature, in the order of
    /// [`UncertaintySchool::ALL`] and in the protocol's unit.
    pub limits: [Option<f64>; 4],
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
            limits: [None; 4],
            monte_carlo: None,
            right_word: None,
            throughout: None,
            gap: None,
            under: None,
        }
    }

    /// The uncertainty by one school, in the protocol's unit; `None` where it cannot be told.
    /// Quadrature is worked out when it is asked for: the t of few degrees of freedom costs more
    /// than all the rest of a result.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::protocol::UncertaintySchool;
    /// let judged = judge(&lab(), &table("29.98", "706.1"), &[], &[]);
    /// let by = |school| judged.results[0].by_school(school, 1.0).expect("a budget");
    /// // Limits added up are never less than the same in quadrature.
    /// assert!(by(UncertaintySchool::WorstCase) > by(UncertaintySchool::Quadrature));
    /// ```
    pub fn by_school(&self, which: UncertaintySchool, coverage_factor: f64) -> Option<f64> {
        match UncertaintySchool::ALL.iter().position(|(s, _)| *s == which) {
            Some(n) if n > 0 => self.limits[n - 1],
            _ => {
                let refined = self.monte_carlo.map(|u| u * coverage_factor);
                let expanded = || self.budget.as_ref().map(|b| b.expanded(coverage_factor));
                refined.or_else(expanded).filter(|u| u.is_finite())
            }
        }
    }

    /// Expanded uncertainty with which a stated ± is compared, in the protocol's unit.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::protocol::School;
    /// let judged = judge(&lab(), &table("29.98", "706.1"), &[], &[]);
    /// let with = |k: f64| judged.results[0].expanded(&School { coverage_factor: k, ..School::default() });
    /// assert!(with(2.0) > with(1.0));
    /// ```
    pub fn expanded(&self, school: &School) -> Option<f64> {
        self.by_school(school.uncertainty, school.coverage_factor)
    }
}

/// A cell that a result takes with the rest of its column, and that is missing or cannot be read.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// Item of the reading.
    pub item: ItemId,
    /// Its row, from 1.
    pub row: Row,
    /// The value that would give the result, in the reading's unit; `None` where no plausible one
    /// does.
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
    ///
    /// # Example
    /// ```
    /// use jurado_core::verdict::Reported;
    /// let reported = Reported { text: "7.92".into(), unit: "g/cm^3".into(), ..Reported::default() };
    /// assert!(reported.written().starts_with("7.92"));
    /// ```
    pub fn written(&self) -> String {
        match self.plus_minus.trim().trim_start_matches('±').trim() {
            "" => self.text.clone(),
            pm => format!("{} ± {pm}", self.text),
        }
    }
}

/// The verdicts on a result, in the order they are tried. R is what the team wrote, C what the
/// readings give, F what the team's own values before it give.
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
    /// R is C rounded earlier or otherwise than at the end: 2.7 beside 2.7043 where three figures
    /// are deserved.
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
