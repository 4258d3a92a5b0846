//! A reading as judged: its cells, each with what was written, what it is worth and whether it
//! counts.

use crate::formula::ItemId;
use crate::reading::{Number, Remark, Unreadable};
use crate::row::Row;

/// One reading with its cells.
#[derive(Clone, Debug)]
pub struct JudgedReading {
    /// Place of the reading among the lab's items.
    pub item: ItemId,
    /// Its cells by row, as many as the protocol asks or the team wrote.
    pub cells: Vec<JudgedCell>,
}

/// One cell of a reading.
#[derive(Clone, Debug)]
pub struct JudgedCell {
    /// Row, from 1; `None` for a single reading.
    pub row: Option<Row>,
    /// As typed.
    pub text: String,
    /// Unit as typed.
    pub unit: String,
    /// What became of it.
    pub state: CellState,
    /// Value in the protocol's unit.
    pub value: Option<f64>,
    /// The word's number in the item's list, for a word.
    pub word: Option<u32>,
    /// The bound, for a value beyond the range: the limit in the protocol's unit, and whether the
    /// value lies above it.
    pub bound: Option<(f64, bool)>,
    /// Resolution in the protocol's unit.
    pub resolution: f64,
    /// The number as read.
    pub number: Option<Number>,
    /// The team's exclusion mark or reason; `None` where it is kept.
    pub excluded: Option<String>,
    /// Why nothing stands there, where the team says so.
    pub absent: Option<String>,
    /// Whether a reviewer left it out: no school is asked.
    pub by_person: bool,
    /// Whether it counts in the recomputation.
    pub counts: bool,
    /// What a repair takes it for, in the protocol's unit, where a diagnosis repaired it; the text
    /// stays as it is.
    pub repaired: Option<f64>,
    /// What was decided while reading it.
    pub remarks: Vec<Remark>,
}

/// What became of a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum CellState {
    /// A number was read, and it lies within its range.
    Read,
    /// Nothing stands in the cell.
    Missing,
    /// Beyond the range.
    Bound,
    /// No number, with the reason.
    Unreadable(Unreadable),
}
