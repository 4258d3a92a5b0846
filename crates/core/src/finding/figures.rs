//! The figures that findings carry: which story was told, what it gives, what was left out and why.

use super::clause::Account;
use crate::formula::ItemId;
use crate::protocol::{SlipKind, TableId};
use crate::row::Row;
use crate::verdict::Gap;

/// What the readings give in place of what was written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Right {
    /// A value in the unit of its item, and the decimal place it is shown to.
    Value {
        /// What the cells give, in the unit of the item.
        value: f64,
        /// Exponent of ten of its last digit shown.
        place: i32,
    },
    /// A word, by its number in the item's list.
    Word(u32),
    /// Nothing: a reading is missing.
    Unknown,
}

/// What is wrong with a unit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum UnitFault {
    /// None is written: `84.3` in a column of mm without a unit.
    Missing,
    /// One that is not known, with why: `84.3 mmm`.
    Unknown(String),
    /// One of another dimension: `84.3 g` for a length.
    Wrong(String),
    /// Another of the same dimension, which was converted: `8.43 cm`.
    Converted(String),
}

/// What a team left out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Excluded {
    /// A replicate, as typed.
    Reading(String),
    /// A row of a table, by the table's index.
    Row(TableId),
}

/// Why a team's exclusion is honoured.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Support {
    /// A declared cause that its reason names, by its index.
    Cause(usize),
    /// A test raises its hand.
    Test,
}

/// What accuracy or precision needs and does not have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Needed {
    /// An entry of the station sheet that the table names.
    Entry,
    /// A reading.
    Reading,
    /// A second reading.
    TwoReadings,
}

/// A replicate that stands apart, or nearly.
#[derive(Clone, Debug, PartialEq)]
pub struct Apart {
    /// As typed.
    pub text: String,
    /// The test that says so.
    pub test: &'static str,
    /// What the test measures for this value.
    pub statistic: f64,
    /// Its critical value.
    pub critical: f64,
    /// A second test that says otherwise.
    pub otherwise: Option<&'static str>,
    /// Mean with it, in the item's unit.
    pub with: f64,
    /// Mean without it.
    pub without: f64,
    /// Decimal places of the means.
    pub places: usize,
    /// The usual cause that pushes a reading this way, by its index.
    pub cause: Option<usize>,
}

/// A step of a column that is off its plan.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct OffPlan {
    /// Row that the step ends in.
    pub row: Row,
    /// Amount by which the column went on, in its unit.
    pub by: f64,
    /// The step as planned.
    pub size: f64,
    /// How far it may be off.
    pub tolerance: f64,
}

/// The two sides of a comparison, SI; differences in percent for a comparison in percent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sides {
    /// Index of the comparison.
    pub comparison: usize,
    /// One value.
    pub a: f64,
    /// What the second way gives.
    pub b: f64,
    /// Whether they agree.
    pub agree: bool,
    /// How far apart they are.
    pub apart: f64,
    /// How far apart they may be.
    pub allowed: f64,
}

/// What an unknown may be.
#[derive(Clone, Debug, PartialEq)]
pub struct Named {
    /// Index of the unknown.
    pub unknown: usize,
    /// Its value, in the item's unit.
    pub value: f64,
    /// Candidates within reach, nearest first, by their indices.
    pub near: Vec<usize>,
    /// Distance of the nearest in standard uncertainties.
    pub off: f64,
    /// Whether the nearest lies within reach.
    pub within: bool,
}

/// A value beside its reference.
#[derive(Clone, Debug, PartialEq)]
pub struct Accuracy {
    /// The value, in the item's unit.
    pub value: f64,
    /// Figures it deserves.
    pub figures: i32,
    /// Percent error, or distance in standard uncertainties; 0 inside the reference's range.
    pub off: f64,
    /// Whether `off` counts standard uncertainties.
    pub in_uncertainties: bool,
    /// Lower end of the reference, in the item's unit.
    pub low: f64,
    /// Upper end.
    pub high: f64,
    /// What the sheet calls the entry; empty where it has no name.
    pub name: String,
    /// Whether a ruling set the reference.
    pub ruled: bool,
    /// Lower and upper end that the sheet gives, whatever a ruling puts in its place; `None` where
    /// the class's own consensus is the reference.
    pub sheet: Option<[f64; 2]>,
}

/// The spread of the replicates of a reading.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spread {
    /// Standard deviation, in the item's unit.
    pub sd: f64,
    /// Of how many readings.
    pub count: usize,
    /// The kept outlier it is judged without.
    pub without: Option<Row>,
}

/// The two sides of a cross-check in the row where it fails, SI.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Off {
    /// Left side.
    pub left: f64,
    /// Right side.
    pub right: f64,
    /// Room between them.
    pub room: f64,
}

/// What a person did to a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Correction {
    /// Left it out.
    LeftOut,
    /// Reads it as this text.
    ReadAs(String),
}

/// A result whose figures are too few or too many.
#[derive(Clone, Debug, PartialEq)]
pub struct Figures {
    /// Reading or result whose digits are counted.
    pub item: ItemId,
    /// Row of a column, from 1; `None` for a single value.
    pub row: Option<Row>,
    /// As typed.
    pub text: String,
    /// Figures written.
    pub written: usize,
    /// Figures the readings support.
    pub deserved: i32,
    /// The clean value, in the item's unit.
    pub clean: f64,
}

/// A stated ± beside the one that the readings support, both in the item's unit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlusMinus {
    /// As stated.
    pub stated: f64,
    /// Exponent of ten of its last digit.
    pub place: i32,
    /// As supported.
    pub supported: f64,
    /// How many standard uncertainties that is: k, or t where few replicates make it wider.
    pub factor: f64,
}

/// A slip with what follows from it.
#[derive(Clone, Debug, PartialEq)]
pub struct Story {
    /// As typed.
    pub text: String,
    /// What the readings give.
    pub right: Right,
    /// What seems to have happened.
    pub account: Account,
    /// Its probability.
    pub probability: f64,
    /// Results that follow from it.
    pub followers: usize,
    /// Rows it runs through, down a column.
    pub rows: Vec<Row>,
    /// Results in which it happened.
    pub places: usize,
    /// The next likely kind, where it has at least one chance in five.
    pub guess: Option<(SlipKind, f64)>,
    /// Kinds that would give the same value: nothing here tells them from the kind told.
    pub alike: Vec<SlipKind>,
    /// Whether all that uses the value was worked out with the right one.
    pub only_copied: bool,
}

/// A value that nothing explains, or that several stories explain.
#[derive(Clone, Debug, PartialEq)]
pub struct Riddle {
    /// As typed.
    pub text: String,
    /// What the readings give.
    pub right: Right,
    /// The likeliest stories, with their probabilities.
    pub stories: Vec<(SlipKind, f64)>,
    /// The factor by which all differing rows of a column are off alike.
    pub throughout: Option<f64>,
    /// The missing cell that no plausible value fills.
    pub gap: Option<Gap>,
}
