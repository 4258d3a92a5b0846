//! What follows from the kind of a finding alone: one table of it.

use super::figures::UnitFault;
use super::kind::Kind;
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

impl Kind {
    /// What follows from the kind alone: the one table of it.
    pub fn properties(&self) -> Properties {
        use About::{Lab, Reading, Result, Table};
        const NO: bool = false;
        let row = |code, about, mark, again, pressing| Properties { code, about, mark, again, pressing };
        match self {
            Kind::MissingReading => row("missing-reading", Reading, Mark::Missing, true, NO),
            Kind::Absent { .. } => row("absent", Reading, Mark::Missing, NO, NO),
            Kind::RowsWait { .. } => row("rows-wait", Lab, Mark::Missing, NO, NO),
            Kind::MissingRow { .. } => row("missing-row", Table, Mark::Missing, true, NO),
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
            Kind::Rewritten { .. } => row("rewritten", Reading, Mark::Slip, NO, NO),
            Kind::Repair { .. } => row("repair", Reading, Mark::Slip, NO, NO),
            Kind::Corrected { .. } => row("corrected", Lab, Mark::Hangs, NO, NO),
            Kind::Own { .. } => row("own", Lab, Mark::Hangs, NO, NO),
            Kind::MissingResult { .. } => row("missing-result", Result, Mark::Missing, NO, NO),
            Kind::NotWorkedOut { .. } => row("not-worked-out", Result, Mark::Missing, NO, NO),
            Kind::UnreadableResult { .. } => row("unreadable", Result, Mark::Unreadable, NO, NO),
            Kind::Unchecked { .. } => row("unchecked", Result, Mark::Unchecked, NO, NO),
            Kind::Differs { .. } => row("differs", Result, Mark::Differs, NO, NO),
            Kind::Slip(_) => row("slip", Result, Mark::Slip, NO, NO),
            Kind::SlipAgain => row("slip-again", Result, Mark::Slip, NO, NO),
            Kind::Unexplained(_) => row("unexplained", Result, Mark::Unexplained, NO, NO),
            Kind::Ambiguous(_) => row("ambiguous", Result, Mark::Unexplained, NO, NO),
            Kind::Formula { .. } => row("formula", Result, Mark::Hangs, NO, NO),
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
            Kind::Taught { .. } => row("taught", Lab, Mark::Agrees, NO, NO),
            Kind::Manual(_) => row("manual", Result, Mark::Unchecked, NO, NO),
        }
    }
}
