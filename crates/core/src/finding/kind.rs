//! The kinds of findings with their figures. Each variant names an input that gives it; the inputs
//! are rows of `tests/edges/` and `tests/tables.rs`.

use super::figures::{
    Accuracy, Apart, Correction, Excluded, Figures, Named, Needed, Off, OffPlan, PlusMinus, Riddle, Right, Sides,
    Spread, Story, Support, UnitFault,
};
use crate::formula::ItemId;
use crate::protocol::{CriterionId, Role, TableId};
use crate::reading::{Remark, Unreadable};
use crate::repair::Rewriting;
use crate::row::Row;
use crate::underneath::Oddity;
use crate::verdict::Gap;

/// The kinds of findings. `text` is always as typed; numbers are in the unit of the item unless
/// said otherwise.
#[derive(Clone, Debug, PartialEq)]
pub enum Kind {
    /// A cell that has to be filled is empty: no mass in a table that asks for it.
    MissingReading,
    /// A cell that has to be filled is empty, and the team says why: a note beside it, "not shown".
    Absent {
        /// As the team wrote it.
        reason: String,
    },
    /// Rows of the table could not be used and wait to be mended: a row with a station that there
    /// is none of.
    RowsWait {
        /// How many rows stand beyond the table's last.
        rows: u32,
    },
    /// A row of a table that has to be there is not: four rows of five.
    MissingRow {
        /// The table's number.
        table: TableId,
        /// Why, where the team says so.
        reason: Option<String>,
    },
    /// A cell is filled where a condition says that there is nothing to read.
    ForbiddenReading {
        /// As typed.
        text: String,
    },
    /// A bound in place of a value: `> 200`, `OL`.
    Bound {
        /// As typed.
        text: String,
    },
    /// A reading that is no number, or no word of its list: `41 1 .8, about 5 .2`.
    UnreadableReading {
        /// As typed.
        text: String,
        /// What in the text stands in the way of a number.
        why: Unreadable,
    },
    /// A text that was read in a way worth telling: `8,43` among points.
    ReadAs {
        /// How it was read.
        remark: Remark,
    },
    /// A reading outside its plausible range: a plate of 8430 mm.
    Implausible {
        /// As typed.
        text: String,
        /// Least plausible value.
        low: f64,
        /// Greatest.
        high: f64,
    },
    /// A reading beyond the scale of its instrument: 30 cm on a rule of 20 cm.
    BeyondScale {
        /// As typed.
        text: String,
        /// Index of the instrument.
        instrument: usize,
    },
    /// A reading at the very end of the scale, which may be a bound.
    EndOfScale {
        /// Index of the instrument.
        instrument: usize,
    },
    /// An amount that had to be met and is not: 20 mL where 25 mL are asked for.
    AmountNotMet {
        /// As typed.
        text: String,
        /// What is asked for.
        asked: Role,
    },
    /// A setting that the instrument does not have.
    NoSuchSetting {
        /// As typed.
        text: String,
    },
    /// Another value than the one that was issued to everybody.
    Misread {
        /// As typed.
        text: String,
        /// As issued.
        issued: f64,
    },
    /// A value marked as still moving: `24.1~`.
    Unsettled,
    /// Fewer digits than the instrument shows: `84` on a caliper of 0.02 mm.
    ReadingDigits {
        /// Index of the instrument.
        instrument: usize,
        /// Its step.
        step: f64,
        /// Those readings, as typed.
        texts: Vec<String>,
    },
    /// Values between the graduation marks: `84.33` on steps of 0.02.
    OffGraduation {
        /// Smallest step that the instrument shows.
        step: f64,
        /// Those readings, as typed.
        texts: Vec<String>,
    },
    /// At least three quarters of six or more readings are round.
    Heaping {
        /// Round ones.
        round: usize,
        /// Of how many.
        of: usize,
        /// What they are multiples of.
        step: f64,
    },
    /// Four or more replicates that are all alike.
    NoSpread {
        /// How many values are missing.
        count: usize,
        /// As typed.
        text: String,
    },
    /// Two cells in one place; the first counts.
    Duplicate {
        /// The first, as typed.
        first: String,
    },
    /// A unit that is missing, unknown, wrong or another.
    Unit(UnitFault),
    /// More rows than the protocol asks for.
    MoreRows {
        /// Index of the table.
        table: TableId,
        /// Rows there.
        there: usize,
        /// Rows asked for at most.
        asked: usize,
    },
    /// A row that names no key, such as its sample.
    KeyMissing {
        /// Index of the table.
        table: TableId,
    },
    /// A row with a key that the lab does not have.
    KeyUnknown {
        /// Index of the table.
        table: TableId,
        /// As typed.
        value: String,
    },
    /// No row near a nominal value of the grid.
    GridMissing {
        /// Index of the table.
        table: TableId,
        /// The nominal value.
        nominal: f64,
    },
    /// The same at an end of the grid, with a reason given.
    GridLeft {
        /// Index of the table.
        table: TableId,
        /// The nominal value.
        nominal: f64,
    },
    /// A table that ends before it may.
    StoppedEarly {
        /// Index of the table.
        table: TableId,
        /// The last value of the column that decides.
        last: f64,
    },
    /// A column that should rise, or fall, and does not.
    Trend {
        /// Whether it should rise.
        rising: bool,
        /// Row, the value before, the value in it.
        steps: Vec<(Row, f64, f64)>,
    },
    /// Steps that are not those of the plan.
    StepOffPlan {
        /// Those steps.
        steps: Vec<OffPlan>,
    },
    /// A start reading that is not the end reading of the row above.
    DoesNotFollow {
        /// Start reading.
        start: f64,
        /// End reading of the row above.
        before: f64,
    },
    /// A running sum that is not the sum of its portions.
    DoesNotAddUp {
        /// As written.
        total: f64,
        /// What its parts add up to.
        expected: f64,
    },
    /// A reading or row left out for a reason that is supported.
    Exclusion {
        /// What was left out.
        what: Excluded,
        /// The reason given.
        reason: String,
        /// What supports it.
        support: Support,
    },
    /// One left out without a reason that explains it.
    ExclusionUnsupported {
        /// What was left out.
        what: Excluded,
        /// The reason given; empty for none.
        reason: String,
    },
    /// Values of which no two agree within the tolerance.
    NotConcordant,
    /// Two sets that agree equally well and have different means.
    ConcordanceTied {
        /// Those taken, as typed.
        kept: Vec<String>,
    },
    /// The set that agrees; the others do not count.
    Concordance {
        /// Those taken, as typed.
        kept: Vec<String>,
    },
    /// A replicate that stands apart and was kept.
    OutlierKept(Apart),
    /// A replicate that is within a tenth of standing apart.
    OutlierNear(Apart),
    /// A point that lies off the line of the others.
    PointApart {
        /// Item of the abscissa.
        x: ItemId,
        /// Studentised residual.
        statistic: f64,
        /// Its critical value.
        critical: f64,
        /// Slope with it and without, in the units of the two items.
        slopes: Option<(f64, f64)>,
    },
    /// A reading that was copied wrongly and is judged as it was meant.
    Repair {
        /// As typed.
        text: String,
        /// As meant.
        value: f64,
        /// Smallest step that the instrument shows.
        resolution: f64,
        /// Probability of the story.
        probability: f64,
        /// Further results that fit with it.
        gained: usize,
    },
    /// Several readings that one act wrote wrongly, judged as they were meant: lengths in mm in a
    /// column of cm.
    Rewritten {
        /// What was done.
        act: Rewriting,
        /// Probability of the story.
        probability: f64,
        /// Further results that fit with it.
        gained: usize,
    },
    /// A cell that a person reads otherwise.
    Corrected {
        /// What stands there; empty for nothing.
        typed: String,
        /// What was done.
        how: Correction,
        /// Who did it.
        by: String,
        /// The reason that was written with it.
        reason: String,
    },
    /// A finding of a person's own.
    Own {
        /// Its words.
        text: String,
    },
    /// A result that is not there.
    MissingResult {
        /// What the readings give.
        right: Right,
    },
    /// Results that are not there because readings are missing: a table without the mass, and no
    /// density.
    NotWorkedOut {
        /// Item and row of each.
        results: Vec<(ItemId, Option<Row>)>,
    },
    /// A result that is no number, or no word of its list.
    UnreadableResult {
        /// As typed.
        text: String,
        /// What the readings give.
        right: Right,
    },
    /// A result that cannot be checked: it waits for a reading.
    Unchecked {
        /// As typed.
        text: String,
        /// The reading it waits for, where it takes that with the rest of a column.
        gap: Option<Gap>,
    },
    /// A word that is not the right one.
    Differs {
        /// As typed.
        text: String,
        /// The right one.
        right: Right,
    },
    /// A named mistake.
    Slip(Box<Story>),
    /// The same mistake in another result, charged where it came first.
    SlipAgain,
    /// A value that no story explains.
    Unexplained(Box<Riddle>),
    /// A value that several stories explain, none of them with one half.
    Ambiguous(Box<Riddle>),
    /// What is odd about the formula under a result: one that reads an empty cell.
    Formula {
        /// Address of its cell.
        address: String,
        /// What is odd.
        oddities: Vec<Oddity>,
    },
    /// A value that follows rightly from a wrong one, in a course that takes a part for that.
    Carried {
        /// What the readings give.
        right: Right,
    },
    /// Figures cut so early that the result cannot be checked well.
    CutTooEarly {
        /// Half-width that the cut leaves open.
        envelope: f64,
    },
    /// Results with fewer figures than the readings support.
    DigitsFew(Vec<Figures>),
    /// Results with more.
    DigitsMany(Vec<Figures>),
    /// No ± where one is asked for.
    PlusMinusMissing {
        /// The ± that the readings support.
        supported: Option<f64>,
    },
    /// A ± outside the fair band.
    PlusMinusUnfair(PlusMinus),
    /// A ± that is just fair.
    PlusMinusNear(PlusMinus),
    /// A ± of more than two figures, or one that ends elsewhere than its value.
    PlusMinusDigits {
        /// Value and ± as typed.
        text: String,
        /// Whether it has too many figures.
        many: bool,
    },
    /// A cross-check that does not hold.
    Check {
        /// Index of the check.
        check: usize,
        /// Rows in which it fails.
        rows: Vec<Row>,
        /// The sides in the first of them.
        off: Option<Off>,
    },
    /// Two values that should agree and do not.
    Disagreement(Sides),
    /// Two ways that agree to the last digit.
    LastDigit {
        /// Index of the comparison.
        comparison: usize,
        /// As typed.
        text: String,
    },
    /// An unknown that fits several candidates.
    CannotTellApart(Named),
    /// A value off its reference, at a band's edge, or judged by a ruling.
    Accuracy(Box<Accuracy>),
    /// Accuracy that cannot be judged.
    AccuracyUnchecked(Needed),
    /// Replicates that scatter more than the best band allows.
    Precision {
        /// Their spread.
        spread: Spread,
        /// Points it gets.
        got: rust_decimal::Decimal,
        /// Points of the criterion.
        of: rust_decimal::Decimal,
        /// Limit of the band it fell in, or of the last.
        edge: f64,
        /// Limit of the best band.
        best: f64,
    },
    /// Precision that cannot be judged.
    PrecisionUnchecked,
    /// A result judged by another formula than the protocol has, or a constant taken as another
    /// value.
    Taught {
        /// The result or constant.
        item: ItemId,
        /// The school in words; empty of a constant.
        school: String,
        /// Value of the constant, in its unit.
        value: Option<f64>,
        /// Whether a ruling says so, and not the section's settings.
        ruled: bool,
    },
    /// A criterion that a person judges, by its index.
    Manual(CriterionId),
}

impl Kind {
    /// The stable word of the kind, such as `slip`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::finding::Kind;
    /// assert_eq!(Kind::MissingReading.code(), "missing-reading");
    /// assert!(Kind::CODES.contains(&Kind::NotConcordant.code()));
    /// ```
    pub fn code(&self) -> &'static str {
        self.properties().code
    }

    /// The word its key begins with: stored decisions name findings by it, so it stays as it is.
    pub(crate) fn word(&self) -> &'static str {
        match self {
            Kind::MissingReading | Kind::Absent { .. } | Kind::MissingResult { .. } => "missing",
            Kind::ForbiddenReading { .. } => "forbidden",
            Kind::ReadAs { .. } => "read",
            Kind::AmountNotMet { .. } => "amount",
            Kind::NoSuchSetting { .. } => "setting",
            Kind::GridMissing { .. } | Kind::GridLeft { .. } => "grid",
            Kind::Exclusion { .. } | Kind::ExclusionUnsupported { .. } => "exclusion",
            Kind::OutlierKept(_) | Kind::OutlierNear(_) => "outlier",
            Kind::Ambiguous(_) => "unexplained",
            Kind::AccuracyUnchecked(_) => "accuracy",
            Kind::PrecisionUnchecked => "precision",
            kind => kind.code(),
        }
    }
}
