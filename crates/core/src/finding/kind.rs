//! The kinds of findings with their figures, and one table of what follows from a kind alone. Each variant names an input
//! that gives it; the inputs are rows of `tests/edges.rs` and `tests/tables.rs`.

use crate::protocol::{Role, SlipKind};
use crate::summary::Mark;

/// What a finding is about, which says who has to look at it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum About {
    /// What was read off an instrument: there is still time in the room to read it again.
    Reading,
    /// What was worked out from the readings.
    Result,
    /// The rows and columns of the table as a whole.
    Table,
    /// The lab and its rubric: what a person judges, decided or added.
    Lab,
}

/// What follows from a kind alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Properties {
    /// The stable word of the kind, as rulings, JSON and exports write it.
    pub code: &'static str,
    /// What it is about.
    pub about: About,
    /// How it is drawn, on the Docket as on the Bench.
    pub mark: Mark,
    /// Whether measuring again would settle it.
    pub again: bool,
    /// Whether it presses while the team is still in the room.
    pub pressing: bool,
}

/// What the readings give in place of what was written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Right {
    /// A value in the unit of its item, and the decimal place it is shown to.
    Value {
        /// The value.
        value: f64,
        /// Exponent of ten of its last digit shown.
        place: i32,
    },
    /// A word, by its number in the item's list.
    Word(u32),
    /// Nothing: a reading is missing.
    Unknown,
}

/// What is wrong with a unit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum UnitFault {
    /// None is written: `84.3` in a column of mm without a unit.
    Missing,
    /// One that is not known, with why: `84.3 mmm`.
    Unknown(String),
    /// One of another dimension: `84.3 g` for a length.
    Wrong(String),
    /// Another of the same dimension, which was converted: `8.43 cm`.
    Converted(String),
}

/// What a team left out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Excluded {
    /// A replicate, as typed.
    Reading(String),
    /// A row of a table, by the table's index.
    Row(usize),
}

/// Why a team's exclusion is honoured.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Support {
    /// A declared cause that its reason names, by its index.
    Cause(usize),
    /// A test raises its hand.
    Test,
}

/// What accuracy or precision needs and does not have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Needed {
    /// An entry of the station sheet that the table names.
    Entry,
    /// A reading.
    Reading,
    /// A second reading.
    TwoReadings,
}

/// A replicate that stands apart, or nearly.
#[derive(Clone, Debug, PartialEq)]
pub struct Apart {
    /// As typed.
    pub text: String,
    /// The test that says so.
    pub test: &'static str,
    /// Its statistic.
    pub statistic: f64,
    /// Its critical value.
    pub critical: f64,
    /// A second test that says otherwise.
    pub otherwise: Option<&'static str>,
    /// Mean with it, in the item's unit.
    pub with: f64,
    /// Mean without it.
    pub without: f64,
    /// Decimal places of the means.
    pub places: usize,
    /// The usual cause that pushes a reading this way, by its index.
    pub cause: Option<usize>,
}

/// A step of a column that is off its plan.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct OffPlan {
    /// Row that the step ends in.
    pub row: u32,
    /// The step.
    pub by: f64,
    /// The step as planned.
    pub size: f64,
    /// How far it may be off.
    pub tolerance: f64,
}

/// The two sides of a comparison, SI; differences in percent for a comparison in percent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sides {
    /// Index of the comparison.
    pub comparison: usize,
    /// One value.
    pub a: f64,
    /// The other.
    pub b: f64,
    /// Whether they agree.
    pub agree: bool,
    /// How far apart they are.
    pub apart: f64,
    /// How far apart they may be.
    pub allowed: f64,
}

/// What an unknown may be.
#[derive(Clone, Debug, PartialEq)]
pub struct Named {
    /// Index of the unknown.
    pub unknown: usize,
    /// Its value, in the item's unit.
    pub value: f64,
    /// Candidates within reach, nearest first, by their indices.
    pub near: Vec<usize>,
    /// Distance of the nearest in standard uncertainties.
    pub off: f64,
    /// Whether the nearest lies within reach.
    pub within: bool,
}

/// A value beside its reference.
#[derive(Clone, Debug, PartialEq)]
pub struct Accuracy {
    /// The value, in the item's unit.
    pub value: f64,
    /// Figures it deserves.
    pub figures: i32,
    /// Percent error, or distance in standard uncertainties; 0 inside the reference's range.
    pub off: f64,
    /// Whether `off` counts standard uncertainties.
    pub in_uncertainties: bool,
    /// Lower end of the reference, in the item's unit.
    pub low: f64,
    /// Upper end.
    pub high: f64,
    /// What the sheet calls the entry; empty where it has no name.
    pub name: String,
    /// Whether a ruling set the reference.
    pub ruled: bool,
}

/// The spread of the replicates of a reading.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spread {
    /// Standard deviation, in the item's unit.
    pub sd: f64,
    /// Of how many readings.
    pub count: usize,
    /// The kept outlier it is judged without.
    pub without: Option<u32>,
}

/// The two sides of a cross-check in the row where it fails, SI.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Off {
    /// Left side.
    pub left: f64,
    /// Right side.
    pub right: f64,
    /// Room between them.
    pub room: f64,
}

/// What a person did to a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Correction {
    /// Left it out.
    LeftOut,
    /// Reads it as this text.
    ReadAs(String),
}

/// A result whose figures are too few or too many.
#[derive(Clone, Debug, PartialEq)]
pub struct Figures {
    /// Its item.
    pub item: usize,
    /// Its row.
    pub row: Option<u32>,
    /// As typed.
    pub text: String,
    /// Figures written.
    pub written: usize,
    /// Figures the readings support.
    pub deserved: i32,
    /// The clean value, in the item's unit.
    pub clean: f64,
}

/// A stated ± beside the one that the readings support, both in the item's unit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlusMinus {
    /// As stated.
    pub stated: f64,
    /// Exponent of ten of its last digit.
    pub place: i32,
    /// As supported.
    pub supported: f64,
}

/// A slip with what follows from it.
#[derive(Clone, Debug, PartialEq)]
pub struct Story {
    /// As typed.
    pub text: String,
    /// What the readings give.
    pub right: Right,
    /// What seems to have happened, a sentence that the protocol's variant brings.
    pub says: String,
    /// The same as a clause.
    pub clause: String,
    /// Its probability.
    pub probability: f64,
    /// Results that follow from it.
    pub followers: usize,
    /// Rows it runs through, down a column.
    pub rows: Vec<u32>,
    /// Results in which it happened.
    pub places: usize,
    /// The next likely kind, where it has at least one chance in twenty.
    pub guess: Option<(SlipKind, f64)>,
    /// Whether all that uses the value was worked out with the right one.
    pub only_copied: bool,
}

/// A value that nothing explains, or that several stories explain.
#[derive(Clone, Debug, PartialEq)]
pub struct Riddle {
    /// As typed.
    pub text: String,
    /// What the readings give.
    pub right: Right,
    /// The likeliest stories, with their probabilities.
    pub stories: Vec<(SlipKind, f64)>,
    /// The factor by which all differing rows of a column are off alike.
    pub throughout: Option<f64>,
}

/// The kinds of findings. `text` is always as typed; numbers are in the unit of the item unless said otherwise.
#[derive(Clone, Debug, PartialEq)]
pub enum Kind {
    /// A cell that has to be filled is empty: no mass in a table that asks for it.
    MissingReading,
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
        /// Why.
        why: String,
    },
    /// A text that was read in a way worth telling: `8,43` among points.
    ReadAs {
        /// How it was read.
        remark: String,
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
        /// The step.
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
        /// How many.
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
        table: usize,
        /// Rows there.
        there: usize,
        /// Rows asked for at most.
        asked: usize,
    },
    /// A row that names no key, such as its sample.
    KeyMissing {
        /// Index of the table.
        table: usize,
    },
    /// A row with a key that the lab does not have.
    KeyUnknown {
        /// Index of the table.
        table: usize,
        /// As typed.
        value: String,
    },
    /// No row near a nominal value of the grid.
    GridMissing {
        /// Index of the table.
        table: usize,
        /// The nominal value.
        nominal: f64,
    },
    /// The same at an end of the grid, with a reason given.
    GridLeft {
        /// Index of the table.
        table: usize,
        /// The nominal value.
        nominal: f64,
    },
    /// A table that ends before it may.
    StoppedEarly {
        /// Index of the table.
        table: usize,
        /// The last value of the column that decides.
        last: f64,
    },
    /// A column that should rise, or fall, and does not.
    Trend {
        /// Whether it should rise.
        rising: bool,
        /// Row, the value before, the value in it.
        steps: Vec<(u32, f64, f64)>,
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
        /// The sum.
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
        x: usize,
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
        /// Its resolution.
        resolution: f64,
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
        /// Why.
        reason: String,
    },
    /// A finding of a person's own.
    Own {
        /// Its words.
        text: String,
    },
    /// A result that is not there.
    MissingResult {
        /// What the readings give; `None` where it waits for a reading.
        right: Option<Right>,
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
        rows: Vec<u32>,
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
    /// A criterion that a person judges, by its index.
    Manual(usize),
}

impl Kind {
    /// The stable word of the kind, such as `slip`.
    pub fn code(&self) -> &'static str {
        self.properties().code
    }

    /// The word its key begins with: stored decisions name findings by it, so it stays as it is.
    pub(crate) fn word(&self) -> &'static str {
        match self {
            Kind::MissingReading | Kind::MissingResult { .. } => "missing",
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

    /// What follows from the kind alone: the one table of it.
    pub fn properties(&self) -> Properties {
        use About::{Lab, Reading, Result, Table};
        const NO: bool = false;
        let row = |code, about, mark, again, pressing| Properties { code, about, mark, again, pressing };
        match self {
            Kind::MissingReading => row("missing-reading", Reading, Mark::Missing, true, NO),
            Kind::ForbiddenReading { .. } => row("forbidden-reading", Reading, Mark::Unexplained, NO, true),
            Kind::Bound { .. } => row("bound", Reading, Mark::Unreadable, NO, true),
            Kind::UnreadableReading { .. } => row("unreadable", Reading, Mark::Unreadable, NO, true),
            Kind::ReadAs { .. } => row("read-as", Reading, Mark::Hangs, NO, NO),
            Kind::Implausible { .. } => row("implausible", Reading, Mark::Unexplained, NO, true),
            Kind::BeyondScale { .. } => row("beyond-scale", Reading, Mark::Unexplained, NO, true),
            Kind::EndOfScale { .. } => row("end-of-scale", Reading, Mark::Unreadable, NO, NO),
            Kind::AmountNotMet { .. } => row("amount-not-met", Reading, Mark::Differs, NO, true),
            Kind::NoSuchSetting { .. } => row("no-such-setting", Reading, Mark::Unreadable, NO, NO),
            Kind::Misread { .. } => row("misread", Reading, Mark::Differs, true, true),
            Kind::Unsettled => row("unsettled", Reading, Mark::Rounded, NO, NO),
            Kind::ReadingDigits { .. } => row("reading-digits", Reading, Mark::Short, NO, true),
            Kind::OffGraduation { .. } => row("off-graduation", Reading, Mark::Short, NO, NO),
            Kind::Heaping { .. } => row("heaping", Reading, Mark::Agrees, NO, NO),
            Kind::NoSpread { .. } => row("no-spread", Reading, Mark::Agrees, NO, NO),
            Kind::Duplicate { .. } => row("duplicate", Reading, Mark::Unexplained, NO, NO),
            Kind::Unit(UnitFault::Missing) => row("unit-missing", Result, Mark::Short, NO, NO),
            Kind::Unit(UnitFault::Unknown(_)) => row("unit-unknown", Reading, Mark::Short, NO, NO),
            Kind::Unit(UnitFault::Wrong(_)) => row("unit-wrong", Result, Mark::Short, NO, NO),
            Kind::Unit(UnitFault::Converted(_)) => row("unit-converted", Reading, Mark::Short, NO, NO),
            Kind::MoreRows { .. } => row("rows-more", Table, Mark::Hangs, NO, NO),
            Kind::KeyMissing { .. } => row("key-missing", Result, Mark::Missing, NO, NO),
            Kind::KeyUnknown { .. } => row("key-unknown", Table, Mark::Unreadable, NO, NO),
            Kind::GridMissing { .. } => row("grid-missing", Table, Mark::Missing, NO, true),
            Kind::GridLeft { .. } => row("grid-left", Table, Mark::Missing, NO, NO),
            Kind::StoppedEarly { .. } => row("stopped-early", Table, Mark::Missing, true, true),
            Kind::Trend { .. } => row("trend", Table, Mark::Differs, NO, true),
            Kind::StepOffPlan { .. } => row("step-off-plan", Table, Mark::Differs, NO, NO),
            Kind::DoesNotFollow { .. } => row("does-not-follow", Table, Mark::Differs, NO, true),
            Kind::DoesNotAddUp { .. } => row("does-not-add-up", Table, Mark::Differs, NO, true),
            Kind::Exclusion { .. } => row("exclusion", Reading, Mark::Apart, NO, NO),
            Kind::ExclusionUnsupported { .. } => row("exclusion-unsupported", Reading, Mark::Apart, NO, NO),
            Kind::NotConcordant => row("not-concordant", Reading, Mark::Apart, NO, true),
            Kind::ConcordanceTied { .. } => row("concordance-tied", Reading, Mark::Apart, NO, NO),
            Kind::Concordance { .. } => row("concordance", Reading, Mark::Hangs, NO, NO),
            Kind::OutlierKept(_) => row("outlier-kept", Reading, Mark::Apart, true, true),
            Kind::OutlierNear(_) => row("outlier-near", Reading, Mark::Apart, NO, NO),
            Kind::PointApart { .. } => row("point-apart", Reading, Mark::Apart, true, true),
            Kind::Repair { .. } => row("repair", Reading, Mark::Slip, NO, NO),
            Kind::Corrected { .. } => row("corrected", Lab, Mark::Hangs, NO, NO),
            Kind::Own { .. } => row("own", Lab, Mark::Hangs, NO, NO),
            Kind::MissingResult { .. } => row("missing-result", Result, Mark::Missing, NO, NO),
            Kind::UnreadableResult { .. } => row("unreadable", Result, Mark::Unreadable, NO, NO),
            Kind::Unchecked { .. } => row("unchecked", Result, Mark::Unchecked, NO, NO),
            Kind::Differs { .. } => row("differs", Result, Mark::Differs, NO, NO),
            Kind::Slip(_) => row("slip", Result, Mark::Slip, NO, NO),
            Kind::SlipAgain => row("slip-again", Result, Mark::Slip, NO, NO),
            Kind::Unexplained(_) => row("unexplained", Result, Mark::Unexplained, NO, NO),
            Kind::Ambiguous(_) => row("ambiguous", Result, Mark::Unexplained, NO, NO),
            Kind::Carried { .. } => row("carried", Result, Mark::Carried, NO, NO),
            Kind::CutTooEarly { .. } => row("cut-too-early", Result, Mark::Rounded, NO, NO),
            Kind::DigitsFew(_) => row("digits-few", Result, Mark::Short, NO, NO),
            Kind::DigitsMany(_) => row("digits-many", Result, Mark::Short, NO, NO),
            Kind::PlusMinusMissing { .. } => row("plus-minus-missing", Result, Mark::Tight, NO, NO),
            Kind::PlusMinusUnfair(_) => row("plus-minus-unfair", Result, Mark::Tight, NO, NO),
            Kind::PlusMinusNear(_) => row("plus-minus-near", Result, Mark::Tight, NO, NO),
            Kind::PlusMinusDigits { .. } => row("plus-minus-digits", Result, Mark::Tight, NO, NO),
            Kind::Check { .. } => row("check", Table, Mark::Differs, NO, true),
            Kind::Disagreement(_) => row("disagreement", Lab, Mark::Differs, NO, NO),
            Kind::LastDigit { .. } => row("last-digit", Lab, Mark::Hangs, NO, NO),
            Kind::CannotTellApart(_) => row("cannot-tell-apart", Lab, Mark::Hangs, NO, NO),
            Kind::Accuracy(_) => row("accuracy", Lab, Mark::Differs, NO, NO),
            Kind::AccuracyUnchecked(_) => row("accuracy-unchecked", Result, Mark::Unchecked, NO, NO),
            Kind::Precision { .. } => row("precision", Reading, Mark::Apart, NO, NO),
            Kind::PrecisionUnchecked => row("precision-unchecked", Result, Mark::Unchecked, NO, NO),
            Kind::Manual(_) => row("manual", Result, Mark::Unchecked, NO, NO),
        }
    }
}
