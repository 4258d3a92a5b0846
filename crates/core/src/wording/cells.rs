//! What is said of a cell that was read with a remark or could not be read: clauses that follow the
//! cell’s place and a colon.

use crate::reading::{CommaBy, Remark, Unreadable};

/// A remark as a clause.
///
/// ```
/// use jurado_core::{reading::Remark, wording};
/// assert_eq!(wording::remark(&Remark::Approximate), "marked as approximate");
/// ```
///
/// It follows the cell's place and a colon.
pub fn remark(remark: &Remark) -> String {
    match remark {
        Remark::Corrected { last } => {
            format!("corrected by the team: the last value, {last}, counts and the earlier ones are kept")
        }
        Remark::Unsettled => "marked as not settled when it was written".to_owned(),
        Remark::Approximate => "marked as approximate".to_owned(),
        Remark::Comma { text, read, by } => {
            let why = match by {
                CommaBy::OtherCommas => "other cells of this team use a decimal comma".to_owned(),
                CommaBy::OtherPoints => "other cells of this team use a decimal point".to_owned(),
                CommaBy::Implausible(other) => format!("{other} is outside the plausible range"),
            };
            format!("“{text}” read as {read}: {why}")
        }
    }
}

/// Why a cell cannot be read, as a clause.
///
/// ```
/// use jurado_core::{reading::{CellKind, Hints, read}, wording};
/// let CellKind::Unreadable { why } = read("1,234", &Hints::default()).kind else { panic!("it may be either") };
/// assert_eq!(wording::unreadable(&why), "it could be 1.234 or 1234");
/// ```
///
/// It follows the cell's text and a colon, and quotes what cannot be read.
pub fn unreadable(why: &Unreadable) -> String {
    let plain = match why {
        Unreadable::TooLong(most) => return format!("it is longer than {most} characters"),
        Unreadable::NoNumber(text) if !text.is_empty() => return format!("there is no number in “{text}”"),
        Unreadable::UnknownUnit(unit) => return format!("“{unit}” after the number is no known unit"),
        Unreadable::MalformedUnit(unit) => return format!("“{unit}” after the number cannot be read as a unit"),
        Unreadable::NotANumber(text) => return format!("“{text}” cannot be read as a number"),
        Unreadable::SecondMark(text) => return format!("a second decimal mark in “{text}”"),
        Unreadable::MixedMarks(text) => {
            return format!("“{text}” mixes points and commas so that its decimal mark cannot be told");
        }
        Unreadable::Gap(text) => return format!("“{text}” has a gap that does not group three digits"),
        Unreadable::Either { decimal, grouped } => return format!("it could be {decimal} or {grouped}"),
        Unreadable::NoneOf(words) => return format!("it is none of {}", words.join(", ")),
        Unreadable::NothingAfterArrow => "nothing stands after the arrow",
        Unreadable::NegativeHalfWidth => "the half-width after ± is negative",
        Unreadable::Brackets => "the digits in brackets cannot be read",
        Unreadable::RangeTurned => "the second value of the range is not the larger one",
        Unreadable::NoNumber(_) => "there is no number",
        Unreadable::BeyondComputing => "it is beyond what can be computed with",
        Unreadable::ZeroUnderLine => "the fraction has zero under its line",
        Unreadable::Power => "the power of ten cannot be read",
        Unreadable::PowerBeyond => "the power of ten is beyond what can be computed with",
        Unreadable::NotWhole => "a count is a whole number",
    };
    plain.to_owned()
}
