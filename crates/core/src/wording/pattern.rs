//! What many tables have alike, in words: for whoever rules on it, and to be said at the start of
//! the next lab.

use super::slips;
use crate::finding::Habit;
use crate::notation::capital;
use crate::protocol::{Protocol, SlipKind};

/// The parts of a pattern as [`crate::summary::Summary::pattern`] writes it: code, item's id and
/// kind of slip; the last two may be empty.
///
/// `slip/plate_volume/decimal-point` has three, `digits//` one.
fn parts(pattern: &str) -> (&str, &str, &str) {
    let mut parts = pattern.splitn(3, '/');
    let mut next = || parts.next().unwrap_or_default();
    (next(), next(), next())
}

/// The kind of slip of a word, one that the protocol declares among them.
///
/// `None` for a word of no kind.
fn kind_of(protocol: &Protocol, word: &str) -> Option<SlipKind> {
    let mut own = protocol.results.iter().flat_map(|r| &r.variants).map(|v| &v.kind);
    own.find(|k| k.word() == word).cloned().or_else(|| SlipKind::named(word))
}

/// What a pattern is about: its kind of slip, any slip, or its code in words.
///
/// # Example
/// ```
/// use jurado_core::{example::lab, wording};
/// assert_eq!(wording::what(&lab(), "slip", Some("power")), "a power gone wrong");
/// ```
pub fn what(protocol: &Protocol, code: &str, slip: Option<&str>) -> String {
    match slip {
        Some(word) => {
            kind_of(protocol, word).map_or_else(|| word.replace('-', " "), |k| slips::told(protocol, &k).to_owned())
        }
        None => Habit::of_code(code).map_or_else(|| code.replace('-', " "), |h| habit(h).0.to_owned()),
    }
}

/// "plate volume: a decimal point gone astray".
///
/// # Example
/// ```
/// use jurado_core::{example::lab, wording};
/// assert_eq!(wording::pattern(&lab(), "slip/section/power"), "area of the section: a power gone wrong");
/// ```
pub fn pattern(protocol: &Protocol, pattern: &str) -> String {
    let (code, item, slip) = parts(pattern);
    let what = what(protocol, code, Some(slip).filter(|s| !s.is_empty()));
    protocol.item(item).map_or_else(|| what.clone(), |i| format!("{}: {what}", protocol.full_title(i)))
}

/// One sentence to say to the next section before it begins, so that fewer do it again.
///
/// # Example
/// ```
/// use jurado_core::{example::lab, wording};
/// let said = wording::to_say(&lab(), "slip/section/radius-diameter");
/// assert!(said.starts_with("Area of the section: say aloud whether it is the radius or the diameter"), "{said}");
/// ```
pub fn to_say(protocol: &Protocol, pattern: &str) -> String {
    let (code, item, slip) = parts(pattern);
    let item = protocol.item(item).map_or_else(|| "the table".to_owned(), |i| protocol.full_title(i));
    let say = if slip.is_empty() {
        Habit::of_code(code).map_or("Look at it together on the board.", |h| habit(h).1)
    } else {
        kind_of(protocol, slip).map_or("Work one through on the board.", |k| before(&k))
    };
    format!("{}: {}{}", capital(&item), say[..1].to_lowercase(), &say[1..])
}

/// What to say so that a slip is not made: an imperative sentence.
///
/// It fits before a lab begins: it says what to do, and not what was done wrong.
fn before(kind: &SlipKind) -> &'static str {
    match kind {
        SlipKind::UnitFactor => "Write the unit beside every number and turn all into one before you multiply.",
        SlipKind::RadiusDiameter => "Say aloud whether it is the radius or the diameter; halve before you square.",
        SlipKind::TermOmitted => "Put every letter of the formula under its number before you work it out.",
        SlipKind::Literal => "Mind the plain numbers of the formula: they are part of it.",
        SlipKind::DecimalPoint => "Guess the size first; a point that slipped shows at once.",
        SlipKind::Power => "Read the exponent twice, and count how often you multiplied.",
        SlipKind::Root => "The last step takes a root, or takes none: look at the unit, it tells.",
        SlipKind::Inverted | SlipKind::Reciprocal => "Look which of the two is on top; the unit of the answer tells.",
        SlipKind::Sign => "Write the difference down with its sign before you go on.",
        SlipKind::OtherStation => "Take the value that stands on your own station’s card.",
        SlipKind::DigitsSwapped | SlipKind::DigitWrong => "Read the answer back from the display, digit by digit.",
        SlipKind::Exclusion => "Say which readings count, and count the same ones everywhere.",
        SlipKind::Swapped => "Touch each quantity on the apparatus as you put it in.",
        SlipKind::WrongCount => "Count the readings that you added, and divide by that.",
        SlipKind::SumForMean => "A mean lies among its readings: look before you go on.",
        SlipKind::SingleReplicate => "All readings go into the mean, not the last one alone.",
        SlipKind::Setting => "Write the range of the instrument beside what it shows.",
        SlipKind::LogBase => "There are two keys for a logarithm: say which the formula means.",
        SlipKind::AngleUnit => "Set the calculator to the unit of your angle, and try sin 30° first.",
        SlipKind::GrossForNet => "The vessel is still in it: take it off before you go on.",
        SlipKind::SlopeInverted => "Say what goes up and what goes across; the unit of the slope tells.",
        SlipKind::TwoPointSlope => "The line belongs to all points: take its slope from the line.",
        SlipKind::Intercept => "Let the line cross where it will, unless the sheet says that it begins at nought.",
        SlipKind::ReadingMistyped | SlipKind::ReadingMiskeyed => "One reads aloud, the other types and reads back.",
        SlipKind::ConstantWrong => "Copy the constant from the sheet with all its digits.",
        SlipKind::CountWrong => "Count once more, in twos, before you divide.",
        SlipKind::Declared(_) => "Show the right way and the usual wrong one side by side.",
        SlipKind::Brackets => "Put what stands below the line in brackets, and what is added too.",
        SlipKind::WrongCell => "Click on a formula and look at the cells that it lights up.",
        SlipKind::WrongFunction => "Read out what the function does before you take it.",
        SlipKind::Compound => "Work it in single steps, each written down.",
    }
}

/// What a habit is, and what to say before the next lab.
///
/// The first names it in a list, the second is said before the next lab.
fn habit(habit: Habit) -> (&'static str, &'static str) {
    match habit {
        Habit::Slip => ("any slip", "Work one through on the board."),
        Habit::Unexplained => ("a value that no story explains", "Write the working beside the value."),
        Habit::Ambiguous => ("a value that several stories explain", "Write the working beside the value."),
        Habit::Differs => ("another answer than the readings give", "Look at your own readings before you answer."),
        Habit::DigitsFew => ("a digit short", "Give as many figures as your readings have."),
        Habit::DigitsMany => ("digits too many", "Round once, at the end, to the figures of your readings."),
        Habit::CutTooEarly => ("figures cut early", "Keep all figures until the last step."),
        Habit::ReadingDigits => {
            ("readings with a digit short", "Write every digit that the instrument shows, noughts too.")
        }
        Habit::OffGraduation => ("readings between the marks", "Read to the mark of the scale, not between."),
        Habit::UnitMissing => ("no unit", "A number without a unit is half an answer."),
        Habit::UnitWrong => ("a wrong unit", "Work the unit out with the number."),
        Habit::PlusMinusMissing => ("no ±", "Every final value has its ±."),
        Habit::PlusMinusUnfair => ("a ± that the readings do not give", "Work the ± out from the spread and the step."),
        Habit::PlusMinusDigits => ("digits of the ±", "One figure or two for the ±, and the value ends where it does."),
        Habit::ExclusionUnsupported => {
            ("left out without support", "Leave out only what a test or a cause speaks for.")
        }
        Habit::MissingReading => ("a reading that is not there", "Fill every cell, or write why it is empty."),
        Habit::MissingResult => ("a result that is not there", "Work every result out before you clear the bench."),
        Habit::StoppedEarly => ("stopped early", "Go on past the end point: the curve needs its upper part."),
        Habit::Disagreement => ("two values that do not agree", "Compare the two before you clear the bench."),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_has_a_sentence_that_can_be_said_and_none_is_said_of_two_kinds_that_differ() {
        let sentences: Vec<&str> =
            SlipKind::all().map(|k| before(&k)).chain(Habit::all().map(|h| habit(h).1)).collect();
        for said in &sentences {
            assert!(said.ends_with('.') && said.len() > 20 && said.len() < 100, "{said}");
            assert!(said.chars().next().is_some_and(char::is_uppercase), "{said}");
        }
        let unlike: std::collections::BTreeSet<&&str> = sentences.iter().collect();
        assert!(unlike.len() + 4 >= sentences.len(), "at most four pairs are told alike");
    }
}
