//! What somebody seems to have done: the clause, and the sentence with what it gives.
//!
//! A clause says what was done and never that somebody did it: “the mean diameter was used as the
//! radius”. It fits behind “It seems that”, and behind a colon.

use super::under;
use crate::finding::{Account, Clause, Reading};
use crate::formula::ItemId;
use crate::notation;
use crate::protocol::Protocol;
use crate::row::Row;

/// What was done, as a clause without a capital or a full stop: "the mean diameter was used as the
/// radius".
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::{finding::Clause, row::Row, wording};
/// let girth = lab().item("girth").expect("a reading");
/// let clause = Clause::LeftOut { item: girth, row: Row::at(1), text: "94.3".into() };
/// assert_eq!(wording::clause(&lab(), &clause), "reading 2 of the girth, 94.3, was left out of the sum");
/// ```
pub fn clause(protocol: &Protocol, clause: &Clause) -> String {
    let title = |item: &ItemId| protocol.items[*item].title.as_str();
    let unit = |item: &ItemId| protocol.items[*item].unit_after();
    match clause {
        Clause::Said(words) => words.clone(),
        Clause::LeftOut { item, row, text } => {
            format!("reading {row} of the {}{} was left out of the sum", title(item), between_commas(text))
        }
        Clause::Used { item, row, text } => {
            // The clause that follows stands between commas with the number or without it.
            let number = if text.is_empty() { ",".to_owned() } else { between_commas(text) };
            format!("reading {row} of the {}{number} which had been left out, was used", title(item))
        }
        Clause::AsMarked { item, rows } => {
            let rows: Vec<String> = rows.iter().map(ToString::to_string).collect();
            format!("reading {} of the {} was left out, as the sheet marks it", rows.join(", "), title(item))
        }
        Clause::Setting { item, taken } => format!("the {} was taken as {taken}{}", title(item), unit(item)),
        Clause::Constant { item, taken, figures, sheet } => {
            let taken = notation::figures(*taken, *figures);
            format!("the {} went in as {taken}{}, where the sheet has {sheet}", title(item), unit(item))
        }
        Clause::Neighbour { item, taken } => format!("the {} went in for the {}", title(taken), title(item)),
        Clause::Count { item, taken, sheet } => {
            format!("the {} went in as {taken}{}, where the sheet has {sheet}", title(item), unit(item))
        }
        Clause::Keyed(r) => {
            let (place, number) = reading(protocol, r);
            format!("{place} went into the calculation as {number}, where the sheet has {}", r.text)
        }
        Clause::Copied(r) => {
            let (place, number) = reading(protocol, r);
            format!("{place} was {number} and was copied into the table as {}", r.text)
        }
        Clause::OtherUnit { item, units } => {
            format!("all readings of the {} stand there in another unit ({units})", title(item))
        }
        Clause::Offset { item } => format!("all readings of the {} are off by one and the same amount", title(item)),
        Clause::Rows { item, first, second } => {
            format!("the readings {first} and {second} of the {} stand in each other’s rows", title(item))
        }
        Clause::Columns { item, other, row } => {
            let (one, two) = (title(item), title(other));
            row.map_or_else(
                || format!("the {one} and the {two} stand in each other’s columns"),
                |row| format!("the {one} and the {two} of row {row} stand in each other’s place"),
            )
        }
        Clause::DigitsSwapped { meant } => format!("two digits of {meant} were swapped in writing it down"),
        Clause::DigitWrong { meant } => format!("one digit of {meant} went wrong in writing it down"),
        Clause::Point { places } => {
            let far = if places.abs() == 1 { "one place" } else { "two places" };
            let side = if *places > 0 { "left" } else { "right" };
            format!("the decimal point went {far} to the {side}")
        }
    }
}

/// What was done, as a sentence with what it gives; `rows` are those of a column in which it
/// happened alike.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::finding::{Account, Clause};
/// use jurado_core::wording;
/// let account = Account { clause: Clause::DigitsSwapped { meant: "29.98".into() }, gives: "29.98 cm".into(), cell: None };
/// assert_eq!(
///     wording::happened(&lab(), &account, &[]),
///     "It seems that two digits of 29.98 were swapped in writing it down: 29.98 cm was meant."
/// );
/// ```
pub fn happened(protocol: &Protocol, account: &Account, rows: &[Row]) -> String {
    let done = clause(protocol, &account.clause);
    let Account { clause, gives, cell } = account;
    match (cell, clause) {
        (Some(cell), _) => under::told(cell, &done),
        _ if !rows.is_empty() => format!("It seems that, in {} rows alike, {done}.", rows.len()),
        (None, Clause::DigitsSwapped { .. } | Clause::DigitWrong { .. } | Clause::Point { .. }) => {
            format!("It seems that {done}: {gives} was meant.")
        }
        (None, _) => format!("It seems that {done}: that gives {gives}."),
    }
}

/// A text as typed, set between commas behind what it belongs to.
///
/// Nothing for an empty text.
fn between_commas(text: &str) -> String {
    if text.is_empty() { String::new() } else { format!(", {text},") }
}

/// Where a reading is, and the other number with its unit.
///
/// The number is shown to the place of its reading.
fn reading(protocol: &Protocol, reading: &Reading) -> (String, String) {
    let item = &protocol.items[reading.item];
    let title = &item.title;
    let place = reading.row.map_or_else(|| format!("the {title}"), |n| format!("reading {n} of the {title}"));
    (place, notation::to_place(reading.number, reading.place) + &item.unit_after())
}
