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

/// Whether a row of the table says so: a word stands for yes, `no` for no.
macro_rules! says {
    (no) => {
        false
    };
    (again) => {
        true
    };
    (presses) => {
        true
    };
}

/// Writes [`Kind::properties`] from the rows of the table below: the kind, its code, what it is
/// about, its mark, whether measuring `again` would settle it, and whether it `presses` while the
/// team is in the room. The compiler refuses a kind without a row.
macro_rules! table {
    ($($kind:pat => $code:literal, $about:ident, $mark:ident, $again:ident, $presses:ident;)+) => {
        impl Kind {
            /// The code of every kind, in the order of the table; that of a kind with two faces
            /// stands there twice.
            pub const CODES: &'static [&'static str] = &[$($code),+];

            /// What follows from the kind alone.
            ///
            /// # Example
            /// ```
            /// use jurado_core::finding::{About, Kind};
            /// // A reading that is not there can still be taken, and does not press before the table is handed in.
            /// let properties = Kind::MissingReading.properties();
            /// assert_eq!((properties.code, properties.about), ("missing-reading", About::Reading));
            /// assert!(properties.again && !properties.pressing);
            /// ```
            pub fn properties(&self) -> Properties {
                match self {
                    $($kind => Properties {
                        code: $code,
                        about: About::$about,
                        mark: Mark::$mark,
                        again: says!($again),
                        pressing: says!($presses),
                    },)+
                }
            }
        }
    };
}

table! {
    Kind::MissingReading => "missing-reading", Reading, Missing, again, no;
    Kind::Absent { .. } => "absent", Reading, Missing, no, no;
    Kind::RowsWait { .. } => "rows-wait", Lab, Missing, no, no;
    Kind::MissingRow { .. } => "missing-row", Table, Missing, again, no;
    Kind::ForbiddenReading { .. } => "forbidden-reading", Reading, Unexplained, no, presses;
    Kind::Bound { .. } => "bound", Reading, Unreadable, no, presses;
    Kind::UnreadableReading { .. } => "unreadable", Reading, Unreadable, no, presses;
    Kind::ReadAs { .. } => "read-as", Reading, Hangs, no, no;
    Kind::Implausible { .. } => "implausible", Reading, Unexplained, no, presses;
    Kind::BeyondScale { .. } => "beyond-scale", Reading, Unexplained, no, presses;
    Kind::EndOfScale { .. } => "end-of-scale", Reading, Unreadable, no, no;
    Kind::AmountNotMet { .. } => "amount-not-met", Reading, Differs, no, presses;
    Kind::NoSuchSetting { .. } => "no-such-setting", Reading, Unreadable, no, no;
    Kind::Misread { .. } => "misread", Reading, Differs, again, presses;
    Kind::Unsettled => "unsettled", Reading, Rounded, no, no;
    Kind::ReadingDigits { .. } => "reading-digits", Reading, Short, no, presses;
    Kind::OffGraduation { .. } => "off-graduation", Reading, Short, no, no;
    Kind::Heaping { .. } => "heaping", Reading, Agrees, no, no;
    Kind::NoSpread { .. } => "no-spread", Reading, Agrees, no, no;
    Kind::Duplicate { .. } => "duplicate", Reading, Unexplained, no, no;
    Kind::Unit(UnitFault::Missing) => "unit-missing", Result, Short, no, no;
    Kind::Unit(UnitFault::Unknown(_)) => "unit-unknown", Reading, Short, no, no;
    Kind::Unit(UnitFault::Wrong(_)) => "unit-wrong", Result, Short, no, no;
    Kind::Unit(UnitFault::Converted(_)) => "unit-converted", Reading, Short, no, no;
    Kind::MoreRows { .. } => "rows-more", Table, Hangs, no, no;
    Kind::KeyMissing { .. } => "key-missing", Result, Missing, no, no;
    Kind::KeyUnknown { .. } => "key-unknown", Table, Unreadable, no, no;
    Kind::GridMissing { .. } => "grid-missing", Table, Missing, no, presses;
    Kind::GridLeft { .. } => "grid-left", Table, Missing, no, no;
    Kind::StoppedEarly { .. } => "stopped-early", Table, Missing, again, presses;
    Kind::Trend { .. } => "trend", Table, Differs, no, presses;
    Kind::StepOffPlan { .. } => "step-off-plan", Table, Differs, no, no;
    Kind::DoesNotFollow { .. } => "does-not-follow", Table, Differs, no, presses;
    Kind::DoesNotAddUp { .. } => "does-not-add-up", Table, Differs, no, presses;
    Kind::Exclusion { .. } => "exclusion", Reading, Apart, no, no;
    Kind::ExclusionUnsupported { .. } => "exclusion-unsupported", Reading, Apart, no, no;
    Kind::NotConcordant => "not-concordant", Reading, Apart, no, presses;
    Kind::ConcordanceTied { .. } => "concordance-tied", Reading, Apart, no, no;
    Kind::Concordance { .. } => "concordance", Reading, Hangs, no, no;
    Kind::OutlierKept(_) => "outlier-kept", Reading, Apart, again, presses;
    Kind::OutlierNear(_) => "outlier-near", Reading, Apart, no, no;
    Kind::PointApart { .. } => "point-apart", Reading, Apart, again, presses;
    Kind::Rewritten { .. } => "rewritten", Reading, Slip, no, no;
    Kind::Repair { .. } => "repair", Reading, Slip, no, no;
    Kind::Corrected { .. } => "corrected", Lab, Hangs, no, no;
    Kind::Own { .. } => "own", Lab, Hangs, no, no;
    Kind::MissingResult { .. } => "missing-result", Result, Missing, no, no;
    Kind::NotWorkedOut { .. } => "not-worked-out", Result, Missing, no, no;
    Kind::UnreadableResult { .. } => "unreadable", Result, Unreadable, no, no;
    Kind::Unchecked { .. } => "unchecked", Result, Unchecked, no, no;
    Kind::Differs { .. } => "differs", Result, Differs, no, no;
    Kind::Slip(_) => "slip", Result, Slip, no, no;
    Kind::SlipAgain => "slip-again", Result, Slip, no, no;
    Kind::Unexplained(_) => "unexplained", Result, Unexplained, no, no;
    Kind::Ambiguous(_) => "ambiguous", Result, Unexplained, no, no;
    Kind::Formula { .. } => "formula", Result, Hangs, no, no;
    Kind::Carried { .. } => "carried", Result, Carried, no, no;
    Kind::CutTooEarly { .. } => "cut-too-early", Result, Rounded, no, no;
    Kind::DigitsFew(_) => "digits-few", Result, Short, no, no;
    Kind::DigitsMany(_) => "digits-many", Result, Short, no, no;
    Kind::PlusMinusMissing { .. } => "plus-minus-missing", Result, Tight, no, no;
    Kind::PlusMinusUnfair(_) => "plus-minus-unfair", Result, Tight, no, no;
    Kind::PlusMinusNear(_) => "plus-minus-near", Result, Tight, no, no;
    Kind::PlusMinusDigits { .. } => "plus-minus-digits", Result, Tight, no, no;
    Kind::Check { .. } => "check", Table, Differs, no, presses;
    Kind::Disagreement(_) => "disagreement", Lab, Differs, no, no;
    Kind::LastDigit { .. } => "last-digit", Lab, Hangs, no, no;
    Kind::CannotTellApart(_) => "cannot-tell-apart", Lab, Hangs, no, no;
    Kind::Accuracy(_) => "accuracy", Lab, Differs, no, no;
    Kind::AccuracyUnchecked(_) => "accuracy-unchecked", Result, Unchecked, no, no;
    Kind::Precision { .. } => "precision", Reading, Apart, no, no;
    Kind::PrecisionUnchecked => "precision-unchecked", Result, Unchecked, no, no;
    Kind::Taught { .. } => "taught", Lab, Agrees, no, no;
    Kind::Manual(_) => "manual", Result, Unchecked, no, no;
}
