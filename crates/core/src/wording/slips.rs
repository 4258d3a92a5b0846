//! Kinds of slips in plain words, and the stories made of them.
//!
//! These are names for lists and for “or else”; what happened in one table is told by its clause
//! ([`super::happened`]).

use super::At;
use crate::finding::{Kind, Riddle, Story};
use crate::notation::{self, capital};
use crate::protocol::{Protocol, SlipKind};

/// A kind in plain words.
///
/// It fits behind “Or:” and behind “The same value comes of”.
pub(super) fn said(kind: &SlipKind) -> &'static str {
    match kind {
        SlipKind::UnitFactor => "a unit taken for another",
        SlipKind::RadiusDiameter => "radius and diameter taken for each other",
        SlipKind::TermOmitted => "a part left out",
        SlipKind::Literal => "a number of the formula left out",
        SlipKind::DecimalPoint => "a decimal point gone astray",
        SlipKind::Power => "a power gone wrong",
        SlipKind::Root => "a root forgotten",
        SlipKind::Inverted => "a quotient upside down",
        SlipKind::Sign => "a sign turned",
        SlipKind::OtherStation => "another station’s value",
        SlipKind::DigitsSwapped => "two digits swapped",
        SlipKind::DigitWrong => "one digit wrong",
        SlipKind::Exclusion => "a reading too many or too few",
        SlipKind::Swapped => "two quantities taken for each other",
        SlipKind::WrongCount => "a mean over the wrong count",
        SlipKind::SumForMean => "a sum in place of a mean",
        SlipKind::SingleReplicate => "one reading in place of the mean",
        SlipKind::Setting => "a setting misread by a step",
        SlipKind::LogBase => "one logarithm taken for the other",
        SlipKind::AngleUnit => "degrees and radians taken for each other",
        SlipKind::Reciprocal => "a reciprocal forgotten",
        SlipKind::GrossForNet => "the vessel not taken off",
        SlipKind::SlopeInverted => "the slope turned over",
        SlipKind::TwoPointSlope => "a slope from two points",
        SlipKind::Intercept => "an intercept forced or freed",
        SlipKind::ReadingMistyped => "a reading copied wrongly",
        SlipKind::ReadingMiskeyed => "a reading keyed in wrongly",
        SlipKind::ConstantWrong => "another number for a constant",
        SlipKind::CountWrong => "a miscount",
        SlipKind::Declared(_) => "a slip this lab invites",
        SlipKind::Brackets => "brackets missing or wrong",
        SlipKind::WrongCell => "another cell read",
        SlipKind::WrongFunction => "another function taken",
        SlipKind::Compound => "two slips at once",
    }
}

/// A kind in plain words, a declared one in those of the lab's author.
///
/// # Example
/// ```
/// use jurado_core::{example::lab, protocol::SlipKind, wording};
/// assert_eq!(wording::slip(&lab(), &SlipKind::RadiusDiameter), "radius and diameter taken for each other");
/// ```
pub fn told<'a>(protocol: &'a Protocol, kind: &SlipKind) -> &'a str {
    let declared = matches!(kind, SlipKind::Declared(_));
    let mut variants = protocol.results.iter().filter(|_| declared).flat_map(|r| &r.variants);
    variants.find(|v| v.kind == *kind).map_or(said(kind), |v| v.says.as_str())
}

/// The kinds that would give the same value, and the next likely one, with a space before them.
///
/// Empty where nothing else is likely.
pub(super) fn guess(at: &At<'_>, story: &Story) -> String {
    let told = |kind| told(at.protocol, kind);
    let alike: Vec<&str> = story.alike.iter().map(told).collect();
    let alike = match alike.as_slice() {
        [] => String::new(),
        kinds => format!(" The same value comes of {}.", kinds.join(", or of ")),
    };
    let other = story.guess.as_ref();
    alike + &other.map_or_else(String::new, |(kind, p)| format!(" Or: {}, {}.", told(kind), notation::chance(*p)))
}

/// What is told of a value without a diagnosis, with a space before it.
///
/// Several stories are told with their chances; where none is likely that is said first.
pub(super) fn riddle(at: &At<'_>, kind: &Kind) -> String {
    if let Kind::Unexplained(riddle) = kind
        && let Some(gap) = riddle.gap
    {
        return format!(
            " {} is not there, and no plausible value there gives it.",
            capital(&at.reading_at(gap.item, gap.row))
        );
    }
    match kind {
        Kind::Ambiguous(riddle) => {
            format!(" Several stories fit: {}. The mildest is charged.", stories(at, &riddle.stories))
        }
        Kind::Unexplained(riddle) if !riddle.stories.is_empty() => {
            format!(" No single slip is likely; perhaps {}.", stories(at, &riddle.stories))
        }
        _ => " No single slip gives it.".to_owned(),
    }
}

/// The factor by which all rows are off alike, with a space before it.
///
/// Empty where the rows are not off alike.
pub(super) fn throughout(riddle: &Riddle) -> String {
    riddle.throughout.map_or_else(String::new, |factor| {
        format!(
            " All rows that differ are {} times what the readings give: something was done throughout.",
            notation::figures(factor, 4)
        )
    })
}

/// The likeliest stories of a value, each with its chance.
///
/// “a unit taken for another (40 in 100), a part left out (25 in 100)”.
fn stories(at: &At<'_>, stories: &[(SlipKind, f64)]) -> String {
    let one = |(k, p): &(SlipKind, f64)| format!("{} ({})", told(at.protocol, k), notation::chance(*p));
    let told: Vec<String> = stories.iter().map(one).collect();
    told.join(", ")
}
