//! What formulas work with: numbers, texts, truths, errors, and grids of them.

use std::fmt;

/// What a cell or a piece of a formula gives.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// An empty cell.
    Empty,
    /// A number as the workbook stores it, in no unit of ours.
    Number(f64),
    /// A text; arithmetic takes it for a number where it reads as one.
    Text(String),
    /// `TRUE` or `FALSE`; arithmetic takes them for 1 and 0.
    Truth(bool),
    /// An error; whatever uses the cell gives it too.
    Fault(Fault),
    /// Several, as of a range.
    Grid(Grid),
}

/// Values in rows and columns.
#[derive(Clone, Debug, PartialEq)]
pub struct Grid {
    /// How many columns.
    pub columns: usize,
    /// Row by row.
    pub cells: Vec<Value>,
}

/// The errors of worksheets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// A division by nought, a mean of nothing.
    Division,
    /// A text where a number is needed.
    Value,
    /// A name that is not there.
    Name,
    /// A value beyond what can be computed with, a root of less than nought.
    Number,
    /// A value that is not there.
    NotThere,
    /// A cell that is not there.
    Reference,
    /// Ranges that do not meet.
    Null,
}

impl Fault {
    const WORDS: [(Fault, &'static str); 7] = [
        (Fault::Division, "#DIV/0!"),
        (Fault::Value, "#VALUE!"),
        (Fault::Name, "#NAME?"),
        (Fault::Number, "#NUM!"),
        (Fault::NotThere, "#N/A"),
        (Fault::Reference, "#REF!"),
        (Fault::Null, "#NULL!"),
    ];

    /// The error of a word as files spell it; any other word is a wrong value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Fault;
    /// assert_eq!(Fault::named("#DIV/0!"), Fault::Division);
    /// ```
    pub fn named(word: &str) -> Fault {
        let word = word.trim();
        Self::WORDS.iter().find(|(_, w)| *w == word).map_or(Fault::Value, |(f, _)| *f)
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(Self::WORDS.iter().find(|(fault, _)| fault == self).map_or("", |(_, w)| w))
    }
}

impl Value {
    /// The first value of a grid, or the value itself.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Grid, Value};
    /// let one = Value::Grid(Grid { columns: 1, cells: vec![Value::Number(94.2)] });
    /// assert_eq!(one.single(), Value::Number(94.2));
    /// ```
    pub fn single(self) -> Value {
        match self {
            Value::Grid(g) => g.cells.into_iter().next().unwrap_or(Value::Empty),
            other => other,
        }
    }

    /// As a number: an empty cell is nought, a truth one or nought, a text what it says if it is a
    /// plain number.
    ///
    /// # Errors
    /// The error that it is, or a wrong value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Fault, Value};
    /// assert_eq!(Value::Text(" 8.40 ".into()).number(), Ok(8.4));
    /// assert_eq!(Value::Text("about 8".into()).number(), Err(Fault::Value));
    /// ```
    pub fn number(&self) -> Result<f64, Fault> {
        match self {
            Value::Empty => Ok(0.0),
            Value::Number(v) => Ok(*v),
            Value::Truth(b) => Ok(f64::from(u8::from(*b))),
            Value::Text(t) => plain_number(t).ok_or(Fault::Value),
            Value::Fault(f) => Err(*f),
            Value::Grid(g) => g.cells.first().map_or(Ok(0.0), Value::number),
        }
    }

    /// Whether it holds: any number but nought.
    pub(super) fn holds(&self) -> Result<bool, Fault> {
        Ok(self.number()? != 0.0)
    }
}

/// A text that is a plain number and nothing else.
pub(super) fn plain_number(text: &str) -> Option<f64> {
    let text = text.trim();
    let begins = text.trim_start_matches(['+', '-']).starts_with(|c: char| c.is_ascii_digit() || c == '.');
    text.parse().ok().filter(|v: &f64| begins && v.is_finite())
}

/// A number that can be computed with, or an error.
pub(super) fn finite(v: f64) -> Value {
    if v.is_finite() { Value::Number(v) } else { Value::Fault(Fault::Number) }
}
