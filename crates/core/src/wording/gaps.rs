//! For a team that hands in: what is on the sheet and what to do about it. Numbers are quoted as
//! they were typed, and nothing is told that the sheet does not say itself.
//!
//! Before a table is handed in a team is told what is empty, what cannot be read, and what its own
//! sheet contradicts. It is never told whether a value is right: that would be an answer sheet.

use super::{At, amount, sentence};
use crate::finding::{Finding, Kind, UnitFault};
use crate::notation::{capital, counted};
use crate::protocol::{Key, Protocol, TableId};

/// A key that was not said, or that this lab does not have.
///
/// `said` is what stands on the sheet.
pub(crate) fn key(key: &Key, said: &str) -> (String, String) {
    let title = key.title.to_lowercase();
    if said.is_empty() {
        return (format!("The {title} is not said."), format!("It is one of {}.", key.values.join(", ")));
    }
    (format!("There is no {title} {said}."), format!("Here they are {}.", key.values.join(", ")))
}

/// What is told of a finding, and where to look; `None` for all that a team is not told at the
/// door.
///
/// The first text says what it is, the second what to do.
pub(crate) fn gap(protocol: &Protocol, finding: &Finding) -> Option<(String, String)> {
    let at = At::of(protocol, finding);
    of_a_cell(&at, finding).or_else(|| of_an_answer(&at, &finding.kind)).or_else(|| of_a_row(&at, &finding.kind))
}

/// A sentence, and a look that is always the same.
///
/// The second text is the same whatever the numbers.
fn both(what: String, look: &str) -> Option<(String, String)> {
    Some((what, look.to_owned()))
}

/// Of a cell that is empty, that cannot be read, or that does not show what its instrument does.
///
/// A letter in a number is named, since it is mostly an O for a 0.
fn of_a_cell(at: &At<'_>, finding: &Finding) -> Option<(String, String)> {
    let (protocol, unit) = (at.protocol, at.unit());
    match &finding.kind {
        Kind::MissingReading => {
            both(format!("{} is empty.", sentence(&at.reading())), "Fill it, or say why it is not there.")
        }
        Kind::UnreadableReading { text, .. } | Kind::UnreadableResult { text, .. } => {
            let look = match at.item().and_then(|i| i.words.as_ref()) {
                Some(words) => format!("Write one of these: {}.", words.join(", ")),
                None if text.chars().any(char::is_alphabetic) => {
                    "There is a letter in it. Type it as it was shown.".to_owned()
                }
                None => "Type it as it was shown.".to_owned(),
            };
            let place = if protocol.reading_of(finding.place.item?).is_some() { at.reading() } else { at.result() };
            Some((format!("{}, “{}”, cannot be read.", sentence(&place), text.trim()), look))
        }
        Kind::BeyondScale { text, instrument } => Some((
            format!("The {} cannot show {}.", protocol.instruments[*instrument].title, amount(text.trim(), &unit)),
            format!("Look at {} once more.", at.reading()),
        )),
        Kind::ReadingDigits { instrument, texts, .. } => Some((
            format!("{} is a digit short: {}.", capital(at.title()), texts.join(", ")),
            format!(
                "Write every digit that the {} shows; a last 0 is written too.",
                protocol.instruments[*instrument].title
            ),
        )),
        Kind::Unit(UnitFault::Unknown(_)) => {
            Some((format!("The unit of {} cannot be read.", at.reading()), format!("The sheet asks for{unit}.")))
        }
        _ => None,
    }
}

/// Of a result.
///
/// A team may always hand in without it.
fn of_an_answer(at: &At<'_>, kind: &Kind) -> Option<(String, String)> {
    match kind {
        Kind::MissingResult { .. } => {
            both(format!("The {} is empty.", at.result()), "Work it out, or hand in without it.")
        }
        Kind::Formula { address, oddities } => {
            let shown: Vec<_> = oddities.iter().filter(|o| o.shows_in_the_file()).cloned().collect();
            let what = super::under::oddities_for_team(at, address, &shown);
            (!what.is_empty())
                .then(|| (what, "Look at that cell of your file and bring it again, or hand in as it is.".to_owned()))
        }
        Kind::PlusMinusMissing { .. } => both(format!("The {} has no ±.", at.result()), "The sheet asks for one."),
        _ => None,
    }
}

/// Of a row, its key, or several rows beside one another.
///
/// What two rows contradict is shown at both.
fn of_a_row(at: &At<'_>, kind: &Kind) -> Option<(String, String)> {
    let (protocol, row) = (at.protocol, at.number());
    let title = |table: TableId| &protocol.tables[table].title;
    match kind {
        Kind::MissingRow { table, .. } => {
            both(format!("Row {row} of the {} is empty.", title(*table)), "Fill it, or say why it is not there.")
        }
        Kind::KeyMissing { table } => {
            let key = &protocol.keys[protocol.tables[*table].key?];
            let what = format!("Row {row} of the {} does not say its {}.", title(*table), key.title.to_lowercase());
            Some((what, format!("It is one of {}.", key.values.join(", "))))
        }
        Kind::KeyUnknown { table, value } => {
            let key = &protocol.keys[protocol.tables[*table].key?];
            let name = key.title.to_lowercase();
            let what = format!("There is no {name} {value}, in row {row} of the {}.", title(*table));
            Some((what, format!("Here they are {}.", key.values.join(", "))))
        }
        Kind::NotConcordant => both(
            format!("No two of the values of the {} agree within what the sheet asks.", at.title()),
            "One more run may settle it; without one, hand in as it is.",
        ),
        Kind::DoesNotAddUp { .. } => {
            both(format!("Row {row} does not add up with the rows before it."), "Look at both readings.")
        }
        Kind::DoesNotFollow { .. } => both(
            format!("Row {row} does not begin where the row before ended."),
            "Look at both readings, or say that it was filled again.",
        ),
        _ => None,
    }
}

/// "Five things to look at", or that there is nothing.
///
/// # Example
/// ```
/// use jurado_core::wording::gaps::to_look_at;
/// assert_eq!(to_look_at(0), "Nothing is empty, and all of it can be read.");
/// ```
pub fn to_look_at(count: usize) -> String {
    match count {
        0 => "Nothing is empty, and all of it can be read.".to_owned(),
        1 => {
            "One thing to look at, in its place. Mend it, say why, or leave it: you can hand in at any time.".to_owned()
        }
        n => format!(
            "{} to look at, each in its place. Mend them, say why, or leave them: you can hand in at any time.",
            counted(n, "thing")
        ),
    }
}
