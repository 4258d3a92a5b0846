//! What the formula under a result says of it, as data; the words are made in [`crate::wording`].

use crate::formula::ItemId;
use crate::row::Row;
use std::ops::Range;

use crate::cell::{Fault, NotUnderstood};
use crate::finding::Clause;

/// The formula under a result.
#[derive(Clone, Debug, PartialEq)]
pub struct Underneath {
    /// Address of the cell: `F12`.
    pub address: String,
    /// The formula as the file spells it.
    pub text: String,
    /// What it gives with the cells of the file.
    pub gives: Gives,
    /// Whether it is the lab's formula; `None` where that cannot be told.
    pub same: Option<bool>,
    /// Whether it rounds before its end.
    pub rounds: bool,
    /// What differs from the lab's formula: where in which cell's formula.
    pub marks: Vec<Mark>,
    /// The readings and results that it reads: item and row from 1.
    pub reads: Vec<(ItemId, Option<Row>)>,
}

/// What a formula gives, beside what its cell holds.
#[derive(Clone, Debug, PartialEq)]
pub enum Gives {
    /// What the cell holds.
    ItsValue,
    /// Another number, in the unit of the cell.
    Another(f64),
    /// A number, where the file holds none.
    Unsaved(f64),
    /// An error of the worksheet, such as `#DIV/0!`.
    Fault(Fault),
    /// It cannot be followed.
    Unknown,
}

/// A part of a formula.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// Address of the cell whose formula it is.
    pub address: String,
    /// That formula.
    pub text: String,
    /// The bytes that differ.
    pub span: Range<usize>,
}

impl Oddity {
    /// Whether the file itself shows it, so that it may be told before anybody judges; what was
    /// found beside the lab's formula may not.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::ItemId;
    /// use jurado_core::underneath::Oddity;
    /// assert!(Oddity::Empty(vec!["B4".into()]).shows_in_the_file());
    /// assert!(!Oddity::TypedIn { text: "94.2".into(), item: ItemId::at(0) }.shows_in_the_file());
    /// ```
    pub fn shows_in_the_file(&self) -> bool {
        match self {
            Oddity::Circle(_)
            | Oddity::Fault(_)
            | Oddity::Another { .. }
            | Oddity::ChangedSince(_)
            | Oddity::Unsaved { .. }
            | Oddity::Empty(_)
            | Oddity::NumbersAsTexts(_)
            | Oddity::OfAReading => true,
            Oddity::NotUnderstood(_)
            | Oddity::TooLarge
            | Oddity::TypedIn { .. }
            | Oddity::RightByChance { .. }
            | Oddity::PassedOver(_) => false,
        }
    }
}

/// What is odd about a formula, whatever its lab asks for.
#[derive(Clone, Debug, PartialEq)]
pub enum Oddity {
    /// It is not understood, and why.
    NotUnderstood(NotUnderstood),
    /// Cells that read one another in a circle, by their addresses.
    Circle(Vec<String>),
    /// It reads more than is followed.
    TooLarge,
    /// It gives an error.
    Fault(Fault),
    /// Its cell holds another number than it gives.
    Another {
        /// What the cell holds, as the table has it.
        holds: String,
        /// What the formula gives.
        gives: f64,
        /// Whether the formula is the lab's.
        right: bool,
    },
    /// Cells that it reads hold other numbers now than when the file was brought, by their
    /// addresses.
    ChangedSince(Vec<String>),
    /// The file was saved without what it gives.
    Unsaved {
        /// What it gives.
        gives: f64,
    },
    /// It reads cells that are empty, by their addresses.
    Empty(Vec<String>),
    /// Sums and means pass over numbers that are kept as texts, by their addresses.
    NumbersAsTexts(Vec<String>),
    /// A number is typed into it where the sheet has a cell, and it is the cell's.
    TypedIn {
        /// The number as typed.
        text: String,
        /// Item of the cell.
        item: ItemId,
    },
    /// It is not the lab's, and gives the right value to its figures all the same.
    RightByChance {
        /// What was done.
        clause: Clause,
    },
    /// A reading is worked out by a formula, so that what was read off is not on the sheet.
    OfAReading,
    /// More formulas than are looked at: how many were passed over.
    PassedOver(u32),
}
