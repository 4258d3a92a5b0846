//! What somebody seems to have done, as values. [`crate::wording`] says it as a clause and as a
//! sentence.

use crate::formula::ItemId;
use crate::row::Row;

/// One small act of a person that explains a value. Items and results are numbers of the protocol's
/// lists; rows count from 1.
#[derive(Clone, Debug, PartialEq)]
pub enum Clause {
    /// In words that stand elsewhere: those that the protocol has for a mistaken form of its
    /// formula, or those of what a cell's own formula shows.
    Said(String),
    /// A reading that counts was left out of a sum or mean.
    LeftOut {
        /// Item of the reading.
        item: ItemId,
        /// Row that was left out, from 1.
        row: Row,
        /// As typed; empty where nothing is.
        text: String,
    },
    /// A reading that had been left out was used.
    Used {
        /// Item of the reading.
        item: ItemId,
        /// Row that was taken, from 1.
        row: Row,
        /// As typed; empty where nothing is.
        text: String,
    },
    /// The readings that the sheet marks as left out were left out.
    AsMarked {
        /// Item of the readings.
        item: ItemId,
        /// Rows that the sheet marks as left out, from 1.
        rows: Vec<Row>,
    },
    /// A setting was misread by a step.
    Setting {
        /// Item of the setting.
        item: ItemId,
        /// What it was taken as, in its unit.
        taken: f64,
    },
    /// Another number went in for a constant.
    Constant {
        /// Item of the constant.
        item: ItemId,
        /// What went in, in its unit.
        taken: f64,
        /// To how many significant figures that is told.
        figures: i32,
        /// The constant as the sheet has it.
        sheet: String,
    },
    /// Another constant of the same dimension went in.
    Neighbour {
        /// Item of the constant that belongs there.
        item: ItemId,
        /// Item of the one that went in.
        taken: ItemId,
    },
    /// A count was one or a few too large or too small.
    Count {
        /// Item of the count.
        item: ItemId,
        /// What went in.
        taken: f64,
        /// What the sheet has.
        sheet: f64,
    },
    /// A reading was keyed wrongly into one calculation; the sheet is right.
    Keyed(Reading),
    /// A reading was copied wrongly into the sheet; the calculation is right.
    Copied(Reading),
    /// All readings of a column are numbers of another unit.
    OtherUnit {
        /// Item of the column.
        item: ItemId,
        /// Which unit for which: "mm for cm".
        units: String,
    },
    /// All readings of a column are off by one amount.
    Offset {
        /// Item of the column.
        item: ItemId,
    },
    /// Two readings of a column stand in each other's rows.
    Rows {
        /// Item of the column.
        item: ItemId,
        /// The upper row.
        first: Row,
        /// The lower row.
        second: Row,
    },
    /// Two columns stand in each other's place.
    Columns {
        /// Item of the one.
        item: ItemId,
        /// Item of the other.
        other: ItemId,
        /// The one row where they do; `None` where it is throughout.
        row: Option<Row>,
    },
    /// Two neighbouring digits of the answer were swapped in writing it down.
    DigitsSwapped {
        /// What was meant.
        meant: String,
    },
    /// One digit of the answer went wrong in writing it down.
    DigitWrong {
        /// What was meant.
        meant: String,
    },
    /// The decimal point of the answer moved.
    Point {
        /// How many places to the left; to the right where negative.
        places: i32,
    },
}

/// A reading that was not taken over as it is.
#[derive(Clone, Debug, PartialEq)]
pub struct Reading {
    /// Reading that was taken otherwise than it stands.
    pub item: ItemId,
    /// Its row; `None` for a single reading.
    pub row: Option<Row>,
    /// The other number, in the item's unit.
    pub number: f64,
    /// Exponent of ten of the last digit to which that is told.
    pub place: i32,
    /// What the sheet has, as typed.
    pub text: String,
}

/// An act with what proves it.
#[derive(Clone, Debug, PartialEq)]
pub struct Account {
    /// What was done.
    pub clause: Clause,
    /// What that gives, or what was meant, as it is told; empty where a formula shows it.
    pub gives: String,
    /// Address of the team's own formula that shows it; `None` where it is told from the value.
    pub cell: Option<String>,
}
