//! Names of findings, and of what else a decision may be about: they are stored with decisions and
//! stand in forms, so they print and parse.
//!
//! # Why a key is not a number
//!
//! A decision names the finding it is about by what was found and where: `slip:density`,
//! `cell:titre:3`. So it still finds it when the table is judged anew, by a newer version or after
//! a reading was mended, and it does not when what it was about is gone.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::Kind;
use crate::reading::Remark;
use crate::row::Row;

/// The stable name, within one table, of what a decision is about. It prints as, and is read from,
/// a text such as `slip:disc_volume`; every text is a key, and printing it gives the text again.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(into = "String", from = "String")]
pub enum Key {
    /// A line of the score: `line:<criterion>`.
    Line(String),
    /// A cell as it is read: `cell:<item>` or `cell:<item>:<row>`.
    Cell {
        /// Item's id.
        item: String,
        /// Row, from 1.
        row: Option<Row>,
    },
    /// A reviewer's own finding: `own:<criterion>:<number>`, the criterion empty for a word that
    /// costs nothing.
    Own {
        /// Criterion's id.
        criterion: String,
        /// Its number, as written.
        number: String,
    },
    /// What the team is told of a finding: `say:<key>`.
    Say(Box<Key>),
    /// A repaired reading: `repair:<item>` or `repair:<item>:<row>`.
    Repair {
        /// Item's id.
        item: String,
        /// Row, from 1.
        row: Option<Row>,
    },
    /// Any other finding: `<word>:<what it is about>`.
    Finding(String),
}

impl Key {
    /// The key of a finding about something with an id, or one of its rows.
    pub(crate) fn about(kind: &Kind, id: &str, row: Option<Row>) -> Key {
        Key::Finding(with_row(kind.word(), id, row))
    }

    /// The key of a finding about a cell; a cell without a row has the number 0. A note on how it
    /// was read is named by that, and a value of a grid by its number.
    pub(crate) fn of_cell(kind: &Kind, item: &str, row: Option<Row>) -> Key {
        let cell = format!("{}:{item}:{}", kind.word(), row.map_or(0, Row::number));
        match kind {
            // A value and its ± may each hold a comma that was decided on.
            Kind::ReadAs { remark: Remark::Comma { text, .. } } => Key::Finding(format!("{cell}:comma:{text}")),
            Kind::ReadAs { remark } => Key::Finding(format!("{cell}:{}", remark.word())),
            Kind::GridMissing { nominal, .. } | Kind::GridLeft { nominal, .. } => {
                Key::Finding(format!("{}:{item}:{nominal}", kind.word()))
            }
            _ => Key::Finding(cell),
        }
    }
}

fn with_row(word: &str, item: &str, row: Option<Row>) -> String {
    match row {
        Some(row) => format!("{word}:{item}:{row}"),
        None => format!("{word}:{item}"),
    }
}

impl fmt::Display for Key {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Key::Line(criterion) => write!(f, "line:{criterion}"),
            Key::Cell { item, row } => f.write_str(&with_row("cell", item, *row)),
            Key::Own { criterion, number } => write!(f, "own:{criterion}:{number}"),
            Key::Say(key) => write!(f, "say:{key}"),
            Key::Repair { item, row } => f.write_str(&with_row("repair", item, *row)),
            Key::Finding(text) => f.write_str(text),
        }
    }
}

/// An item and a row of it as they stand in a key; `None` where the row does not print as it is
/// written.
fn item_and_row(text: &str) -> Option<(String, Option<Row>)> {
    match text.split_once(':') {
        None => Some((text.to_owned(), None)),
        Some((item, row)) => {
            let number: u32 = row.parse().ok()?;
            let row = Row::numbered(number).filter(|r| r.to_string() == row)?;
            Some((item.to_owned(), Some(row)))
        }
    }
}

impl From<&str> for Key {
    fn from(text: &str) -> Key {
        let plain = || Key::Finding(text.to_owned());
        let Some((word, rest)) = text.split_once(':') else { return plain() };
        match word {
            "line" => Key::Line(rest.to_owned()),
            "cell" => item_and_row(rest).map_or_else(plain, |(item, row)| Key::Cell { item, row }),
            "repair" => item_and_row(rest).map_or_else(plain, |(item, row)| Key::Repair { item, row }),
            "own" => rest.split_once(':').map_or_else(plain, |(criterion, number)| Key::Own {
                criterion: criterion.to_owned(),
                number: number.to_owned(),
            }),
            "say" => Key::Say(Box::new(Key::from(rest))),
            _ => plain(),
        }
    }
}

impl From<String> for Key {
    fn from(text: String) -> Key {
        Key::from(text.as_str())
    }
}

impl From<&String> for Key {
    fn from(text: &String) -> Key {
        Key::from(text.as_str())
    }
}

impl From<&Key> for Key {
    fn from(key: &Key) -> Key {
        key.clone()
    }
}

impl From<Key> for String {
    fn from(key: Key) -> String {
        key.to_string()
    }
}

impl FromStr for Key {
    type Err = std::convert::Infallible;

    fn from_str(text: &str) -> Result<Key, Self::Err> {
        Ok(Key::from(text))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::{Key, Kind};
    use crate::reading::{Comma, Hints, Remark, read};
    use crate::row::Row;

    #[test]
    fn keys_are_read_as_what_they_name() {
        let row = Row::numbered;
        for (text, key) in [
            ("line:accuracy", Key::Line("accuracy".into())),
            ("cell:mass", Key::Cell { item: "mass".into(), row: None }),
            ("cell:mass:3", Key::Cell { item: "mass".into(), row: row(3) }),
            ("cell:mass:03", Key::Finding("cell:mass:03".into())),
            ("own::2", Key::Own { criterion: String::new(), number: "2".into() }),
            ("repair:mass:1", Key::Repair { item: "mass".into(), row: row(1) }),
            ("say:slip:mass", Key::Say(Box::new(Key::Finding("slip:mass".into())))),
            ("slip:mass", Key::Finding("slip:mass".into())),
            ("", Key::Finding(String::new())),
        ] {
            assert_eq!(Key::from(text), key);
            assert_eq!(key.to_string(), text);
        }
    }

    #[test]
    fn two_remarks_on_one_cell_are_two_notes() {
        let read_as = |remark: Remark| Key::of_cell(&Kind::ReadAs { remark }, "mass", Row::numbered(3)).to_string();
        let hints = Hints { comma: Comma::Decimal, ..Hints::default() };
        let keys: Vec<String> = read("~1,234 ± 1,002", &hints).remarks.into_iter().map(read_as).collect();
        assert_eq!(keys, ["read:mass:3:approximate", "read:mass:3:comma:1,234", "read:mass:3:comma:1,002"]);
    }

    proptest! {
        #[test]
        fn every_text_is_a_key_and_prints_as_itself(text in "((say|line|cell|own|repair|slip):)*[a-z_:0-9]{0,12}", other in ".*") {
            prop_assert_eq!(Key::from(text.as_str()).to_string(), text);
            prop_assert_eq!(Key::from(other.as_str()).to_string(), other);
        }
    }
}
