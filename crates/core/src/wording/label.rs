//! A kind of finding in a word or two, beside its mark.
//!
//! Labels are two or three words, so that they fit beside a mark on a narrow page. Several kinds
//! share one: the mark and the place tell them apart.

use crate::finding::Kind::{self, *};

/// What a mark is called on the Bench and in the room.
///
/// # Example
/// ```
/// use jurado_core::{finding::Kind, wording};
/// assert_eq!(wording::label(&Kind::SlipAgain), "the same slip");
/// ```
pub fn label(kind: &Kind) -> &'static str {
    match kind {
        MissingReading
        | Absent { .. }
        | MissingRow { .. }
        | RowsWait { .. }
        | MissingResult { .. }
        | NotWorkedOut { .. }
        | GridMissing { .. }
        | KeyMissing { .. } => "missing",
        ForbiddenReading { .. } => "nothing to read",
        Bound { .. } => "beyond the range",
        UnreadableReading { .. } | UnreadableResult { .. } => "unreadable",
        ReadAs { .. } => "read as",
        Implausible { .. } => "implausible",
        BeyondScale { .. } => "beyond the scale",
        EndOfScale { .. } => "end of the scale",
        AmountNotMet { .. } | Misread { .. } | Trend { .. } | DoesNotFollow { .. } | DoesNotAddUp { .. } => {
            "out of step"
        }
        NoSuchSetting { .. } | KeyUnknown { .. } => "not known",
        Unsettled => "still moving",
        ReadingDigits { .. } | DigitsFew(_) => "a digit short",
        OffGraduation { .. } => "between marks",
        Heaping { .. } => "round numbers",
        NoSpread { .. } => "all alike",
        Duplicate { .. } => "there twice",
        Unit(_) => "unit",
        MoreRows { .. } => "more rows",
        GridLeft { .. } | Exclusion { .. } | ExclusionUnsupported { .. } => "left out",
        StoppedEarly { .. } => "stopped early",
        StepOffPlan { .. } => "off the plan",
        NotConcordant | ConcordanceTied { .. } => "not concordant",
        Concordance { .. } => "concordant",
        OutlierKept(_) => "stands apart",
        OutlierNear(_) => "nearly apart",
        PointApart { .. } => "off the line",
        Repair { .. } | Rewritten { .. } => "copied wrongly",
        Corrected { .. } => "corrected",
        Own { .. } => "own finding",
        Unchecked { .. } | AccuracyUnchecked(_) | PrecisionUnchecked => "unchecked",
        Differs { .. } => "differs",
        Slip(_) => "slip",
        SlipAgain => "the same slip",
        Unexplained(_) => "unexplained",
        Ambiguous(_) => "several stories",
        Carried { .. } => "carried",
        Formula { .. } => "the formula",
        CutTooEarly { .. } => "cut early",
        DigitsMany(_) => "digits too many",
        PlusMinusMissing { .. } => "no ±",
        PlusMinusUnfair(_) | PlusMinusNear(_) => "±",
        PlusMinusDigits { .. } => "digits of the ±",
        Check { .. } => "does not hold",
        Disagreement(_) => "disagree",
        LastDigit { .. } => "exactly alike",
        CannotTellApart(_) => "cannot be told apart",
        Accuracy(_) => "accuracy",
        Precision { .. } => "spread",
        Taught { .. } => "taught so",
        Manual(_) => "by a person",
    }
}
