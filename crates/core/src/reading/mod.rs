//! One cell's text to a number, a bound, a blank or a thing that could not be read. Nothing of a
//! protocol lives here but the few [`Hints`] that decide an otherwise ambiguous text. Start with
//! [`read`].
//!
//! # What a cell may hold
//!
//! | text | is read as |
//! |---|---|
//! | `12.40`, `12,40` | 12.40 with two decimals |
//! | `12.40 mm` | the same with its unit |
//! | `1.2e-3`, `1.2 × 10⁻³` | with its power |
//! | `5/32`, `1 5/8` | a fraction, known to its graduation |
//! | `12.4 ± 0.2`, `12.4(2)`, `31–33` | with a half-width |
//! | `>20`, `20+` | a bound and no value |
//! | `6.31 → 6.27` | 6.27, and 6.31 before |
//! | `~12.4`, `12.4 still rising` | with a remark |
//! | ``, `n/a`, `–` | nothing |
//!
//! What is not among these is unreadable and keeps its text. Nothing is guessed: `1,234` is one of
//! two numbers, and is told so where neither the other cells nor the plausible range decide.

mod odd;
mod parse;
#[cfg(test)]
mod tests;

use crate::quantity::{Unit, power_of_ten};

pub use odd::{CommaBy, Remark, Unreadable};
pub use parse::read;

/// What is known beforehand about a cell, used only to decide a text such as `1,234`.
#[derive(Clone, Copy, Debug, Default)]
pub struct Hints {
    /// What a comma means in this team's other cells.
    pub comma: Comma,
    /// Plausible range in the cell's own unit.
    pub plausible: Option<(f64, f64)>,
    /// Graduation in the cell's own unit: the resolution of a vulgar fraction.
    pub graduation: Option<f64>,
}

/// The part a comma plays in a column.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Comma {
    /// Nothing in the column tells.
    #[default]
    Unknown,
    /// `12,4` stands elsewhere in the column.
    Decimal,
    /// `12.4` stands elsewhere, so a comma groups thousands.
    Grouping,
}

/// A cell as read. The text itself is never changed and stays with the submission.
#[derive(Clone, Debug, PartialEq)]
pub struct Cell {
    /// What the text turned out to be.
    pub kind: CellKind,
    /// What was decided while reading it.
    pub remarks: Vec<Remark>,
}

/// The kinds of cell.
#[derive(Clone, Debug, PartialEq)]
pub enum CellKind {
    /// Nothing was written.
    Blank,
    /// `n/a`, `none`, a dash: deliberately left empty.
    NotApplicable,
    /// A number, with its digits as written.
    Number(Box<Number>),
    /// Beyond the range (`>20`, `20+`): a bound and never a value.
    Bound {
        /// The limit that was passed.
        limit: f64,
        /// Whether the true value lies above it.
        above: bool,
    },
    /// No number, with the reason.
    Unreadable {
        /// What stands in the way.
        why: Unreadable,
    },
}

/// A number as written.
#[derive(Clone, Debug, PartialEq)]
pub struct Number {
    /// Value in the written unit (or the column's, where none is written).
    pub value: f64,
    /// The number's own characters, tidied: ASCII digits, `.` as decimal mark, no grouping, no
    /// exponent.
    pub digits: String,
    /// Power of ten of the last written digit, exponent included.
    pub last_place: i32,
    /// Step between neighbouring values of this spelling: 10^last_place, or the graduation for a
    /// vulgar fraction.
    pub resolution: f64,
    /// Half-width stated in the cell itself (`± 0.2`, `(2)`, a range).
    pub plus_minus: Option<PlusMinus>,
    /// Unit written in the cell.
    pub unit: Option<Unit>,
    /// Values struck out before the last one, oldest first.
    pub earlier: Vec<f64>,
    /// `~5`: written as approximate.
    pub approximate: bool,
    /// `still rising`: not settled when written.
    pub unsettled: bool,
    /// Written as a vulgar fraction.
    pub fraction: bool,
    /// Written with a decimal comma (true), a point (false), or without either.
    pub comma: Option<bool>,
}

/// A stated half-width as written.
#[derive(Clone, Debug, PartialEq)]
pub struct PlusMinus {
    /// Half-width, not negative, in the unit of the number.
    pub value: f64,
    /// Power of ten of its last written digit.
    pub last_place: i32,
    /// Significant digits written.
    pub figures: usize,
}

impl Number {
    /// A number without a unit, a stated half-width or anything else beside its digits.
    pub(crate) fn plain(value: f64, digits: String, last_place: i32) -> Number {
        Number {
            value,
            digits,
            last_place,
            resolution: power_of_ten(last_place),
            plus_minus: None,
            unit: None,
            earlier: Vec::new(),
            approximate: false,
            unsettled: false,
            fraction: false,
            comma: None,
        }
    }

    /// Significant figures written: from the first digit that is not zero to the last. Zero itself
    /// has one.
    ///
    /// # Example
    /// ```
    /// use jurado_core::reading::{CellKind, Hints, read};
    /// let CellKind::Number(n) = read("0.0840", &Hints::default()).kind else { panic!("a number") };
    /// assert_eq!(n.figures(), 3);
    /// ```
    pub fn figures(&self) -> usize {
        let digits = self.digits.bytes().filter(u8::is_ascii_digit);
        digits.skip_while(|d| *d == b'0').count().max(1)
    }

    /// Half a unit of the last written digit.
    ///
    /// # Example
    /// ```
    /// use jurado_core::reading::{CellKind, Hints, read};
    /// let CellKind::Number(n) = read("84.30", &Hints::default()).kind else { panic!("a number") };
    /// assert_eq!(n.half_step(), 0.005);
    /// ```
    pub fn half_step(&self) -> f64 {
        self.resolution / 2.0
    }

    /// Half-steps to try, narrowest first: a whole number's trailing zeros may be place-holders, so
    /// each zero up to the last other digit is tried too, while the half-step stays within 5 % of
    /// the value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::reading::{CellKind, Hints, read};
    /// // The noughts of 2700 may hold places: 2700 ± 0.5, ± 5 or ± 50.
    /// let CellKind::Number(n) = read("2700", &Hints::default()).kind else { panic!("a number") };
    /// assert_eq!(n.half_steps().collect::<Vec<f64>>(), [0.5, 5.0, 50.0]);
    /// ```
    pub fn half_steps(&self) -> impl Iterator<Item = f64> + '_ {
        let whole = !self.fraction && !self.digits.contains('.') && self.value != 0.0;
        let zeros = if whole { self.digits.len() - self.digits.trim_end_matches('0').len() } else { 0 };
        let coarser = (1..=zeros.min(18)).map(|k| 0.5 * power_of_ten(self.last_place + k as i32));
        std::iter::once(self.half_step()).chain(coarser.filter(|half| *half <= 0.05 * self.value.abs()))
    }
}
