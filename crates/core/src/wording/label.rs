//! A kind of finding in a word or two, beside its mark.

use crate::finding::{Kind, UnitFault};

/// What a mark is called on the Bench and in the room.
///
/// # Example
/// ```
/// use jurado_core::{finding::Kind, wording};
/// assert_eq!(wording::label(&Kind::SlipAgain), "the same slip");
/// ```
pub fn label(kind: &Kind) -> &'static str {
    match kind {
        Kind::MissingReading
        | Kind::Absent { .. }
        | Kind::MissingRow { .. }
        | Kind::RowsWait { .. }
        | Kind::MissingResult { .. }
        | Kind::NotWorkedOut { .. }
        | Kind::GridMissing { .. }
        | Kind::KeyMissing { .. } => "missing",
        Kind::ForbiddenReading { .. } => "nothing to read",
        Kind::Bound { .. } => "beyond the range",
        Kind::UnreadableReading { .. } | Kind::UnreadableResult { .. } => "unreadable",
        Kind::ReadAs { .. } => "read as",
        Kind::Implausible { .. } => "implausible",
        Kind::BeyondScale { .. } => "beyond the scale",
        Kind::EndOfScale { .. } => "end of the scale",
        Kind::AmountNotMet { .. }
        | Kind::Misread { .. }
        | Kind::Trend { .. }
        | Kind::DoesNotFollow { .. }
        | Kind::DoesNotAddUp { .. } => "out of step",
        Kind::NoSuchSetting { .. } | Kind::KeyUnknown { .. } => "not known",
        Kind::Unsettled => "still moving",
        Kind::ReadingDigits { .. } | Kind::DigitsFew(_) => "a digit short",
        Kind::OffGraduation { .. } => "between marks",
        Kind::Heaping { .. } => "round numbers",
        Kind::NoSpread { .. } => "all alike",
        Kind::Duplicate { .. } => "there twice",
        Kind::Unit(UnitFault::Missing | UnitFault::Unknown(_) | UnitFault::Wrong(_) | UnitFault::Converted(_)) => {
            "unit"
        }
        Kind::MoreRows { .. } => "more rows",
        Kind::GridLeft { .. } | Kind::Exclusion { .. } | Kind::ExclusionUnsupported { .. } => "left out",
        Kind::StoppedEarly { .. } => "stopped early",
        Kind::StepOffPlan { .. } => "off the plan",
        Kind::NotConcordant | Kind::ConcordanceTied { .. } => "not concordant",
        Kind::Concordance { .. } => "concordant",
        Kind::OutlierKept(_) => "stands apart",
        Kind::OutlierNear(_) => "nearly apart",
        Kind::PointApart { .. } => "off the line",
        Kind::Repair { .. } | Kind::Rewritten { .. } => "copied wrongly",
        Kind::Corrected { .. } => "corrected",
        Kind::Own { .. } => "own finding",
        Kind::Unchecked { .. } | Kind::AccuracyUnchecked(_) | Kind::PrecisionUnchecked => "unchecked",
        Kind::Differs { .. } => "differs",
        Kind::Slip(_) => "slip",
        Kind::SlipAgain => "the same slip",
        Kind::Unexplained(_) => "unexplained",
        Kind::Ambiguous(_) => "several stories",
        Kind::Carried { .. } => "carried",
        Kind::Formula { .. } => "the formula",
        Kind::CutTooEarly { .. } => "cut early",
        Kind::DigitsMany(_) => "digits too many",
        Kind::PlusMinusMissing { .. } => "no ±",
        Kind::PlusMinusUnfair(_) | Kind::PlusMinusNear(_) => "±",
        Kind::PlusMinusDigits { .. } => "digits of the ±",
        Kind::Check { .. } => "does not hold",
        Kind::Disagreement(_) => "disagree",
        Kind::LastDigit { .. } => "exactly alike",
        Kind::CannotTellApart(_) => "cannot be told apart",
        Kind::Accuracy(_) => "accuracy",
        Kind::Precision { .. } => "spread",
        Kind::Taught { .. } => "taught so",
        Kind::Manual(_) => "by a person",
    }
}
