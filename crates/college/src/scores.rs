//! The score interface, as it goes over the line: JSON over HTTP, with a token in the `Authorization` head.
//!
//! | request | answer |
//! |---|---|
//! | `PUT /scores` with a [`Score`] | 200 and a [`Receipt`]; 404 for a student it does not know; 422 for what is no score |
//! | `GET /scores?column=…` | 200 and a list of [`Score`] as they stand |
//! | `GET /roster` | 200 and a list of [`Person`] |
//!
//! A score counts once under its key, however often it comes. Of two scores of a student in a column the one with the higher
//! sequence stands, in whatever order they come.

use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

/// A score of a student in a column.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Score {
    /// Key under which it counts once.
    pub key: String,
    /// Place in the order of the sender's scores.
    pub sequence: u32,
    /// Number of the student.
    pub student: String,
    /// The column: a lab.
    pub column: String,
    /// Points.
    pub points: Decimal,
    /// Of how many.
    pub possible: Decimal,
    /// When they went out, in universal time.
    pub at: String,
}

/// What became of a score.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Became {
    /// It stands in the column now.
    Stored,
    /// It came before under this key.
    Known,
    /// One with a higher sequence stands there.
    Older,
}

/// The answer to a score.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Receipt {
    /// What became of it.
    pub became: Became,
}

/// A refusal in words.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Refusal {
    /// What is wrong.
    pub what: String,
}

/// A student on the college's roster.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Person {
    /// Section.
    pub section: String,
    /// Team.
    pub team: String,
    /// Number.
    pub number: String,
    /// Name.
    pub name: String,
}
