//! What is remarked of a cell that was read, and why another could not be. Values only:
//! [`crate::wording`] says them.

/// What was decided while a cell was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Remark {
    /// `6.31 → 6.27`: the last value counts, the earlier ones are kept.
    Corrected {
        /// The last value as typed.
        last: String,
    },
    /// `6.27 still rising`: the team wrote it down before it settled.
    Unsettled,
    /// `~6.27`, `about 6.27`.
    Approximate,
    /// `1,234`: one comma before three digits, which groups thousands for some and parts decimals
    /// for others.
    Comma {
        /// As typed.
        text: String,
        /// As read, with a point for a decimal mark.
        read: String,
        /// What decided.
        by: CommaBy,
    },
}

impl Remark {
    /// A word for it that stays the same for good: keys of decisions hold it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::reading::{Hints, read};
    /// assert_eq!(read("about 6.27", &Hints::default()).remarks[0].word(), "approximate");
    /// ```
    pub fn word(&self) -> &'static str {
        match self {
            Remark::Corrected { .. } => "corrected",
            Remark::Unsettled => "unsettled",
            Remark::Approximate => "approximate",
            Remark::Comma { .. } => "comma",
        }
    }
}

/// What decided how a comma was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum CommaBy {
    /// Other cells of the team have a decimal comma (`12,4`).
    OtherCommas,
    /// Other cells of the team have a decimal point (`12.4`).
    OtherPoints,
    /// The other way to read it, given here, is outside the reading's plausible range.
    Implausible(String),
}

/// Why a cell could not be read. Texts are pieces of what was typed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unreadable {
    /// It is longer than so many characters.
    TooLong(usize),
    /// `6.31 →`: nothing stands after the arrow of a correction.
    NothingAfterArrow,
    /// `6.3 ± -0.1`.
    NegativeHalfWidth,
    /// `6.31(x)`: the digits in brackets are none.
    Brackets,
    /// `34–31`: the second value of a range is not the larger one.
    RangeTurned,
    /// `wet`: no digit stands in it.
    NoNumber(String),
    /// `6.3 furlongs`: no known unit.
    UnknownUnit(String),
    /// `6.3 m//s`: what follows the number is not written as a unit is.
    MalformedUnit(String),
    /// Digits that make no number.
    NotANumber(String),
    /// `1e999`: beyond the range of double precision, or so near to it that nothing can be worked
    /// out with it.
    BeyondComputing,
    /// `3/0`.
    ZeroUnderLine,
    /// `1.2.3`.
    SecondMark(String),
    /// `1.2,3.4`: points and commas so mixed that none is the decimal mark.
    MixedMarks(String),
    /// `12 34`: a gap, comma or apostrophe that does not group three digits.
    Gap(String),
    /// `1,234` where neither the column nor the plausible range decides.
    Either {
        /// Read with a decimal comma.
        decimal: String,
        /// Read with grouped thousands.
        grouped: String,
    },
    /// `3 × 10^`: the power of ten cannot be read.
    Power,
    /// `3e900`: the power of ten is beyond ±400.
    PowerBeyond,
    /// `2.5` where something is counted, or a count below nought.
    NotWhole,
    /// A word that the reading does not offer; the words that it does.
    NoneOf(Vec<String>),
}
