//! Readings of a sheet that were written wrongly, as they were meant.

use crate::formula::ItemId;
use crate::row::Row;

/// Readings as they were meant, where the sheet was written wrongly.
#[derive(Clone, Debug, PartialEq)]
pub struct Repair {
    /// Item, row and value of each reading, in the protocol's unit.
    pub cells: Vec<(ItemId, Option<Row>, f64)>,
    /// What was done to all of them in one act; `None` for a single reading.
    pub act: Option<Rewriting>,
}

impl Repair {
    /// The reading that the repair is told at: the only one, or the whole column of the first.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::repair::{Repair, Rewriting};
    /// use jurado_core::row::Row;
    /// let girth = lab().item("girth").expect("a reading");
    /// let one = Repair { cells: vec![(girth, Row::numbered(2), 93.4)], act: None };
    /// assert_eq!(one.place(), Some((girth, Row::numbered(2))));
    /// // A whole column is told at its item.
    /// let cells = vec![(girth, Row::numbered(1), 9.43), (girth, Row::numbered(2), 9.34)];
    /// let all = Repair { cells, act: Some(Rewriting::Unit { factor: 0.1 }) };
    /// assert_eq!(all.place(), Some((girth, None)));
    /// ```
    pub fn place(&self) -> Option<(ItemId, Option<Row>)> {
        let (item, row, _) = *self.cells.first()?;
        Some((item, row.filter(|_| self.act.is_none())))
    }
}

/// One act that wrote several readings wrongly.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rewriting {
    /// All readings of a column were written in another unit: so many times too large.
    Unit {
        /// What the numbers on the sheet are multiplied by.
        factor: f64,
    },
    /// All readings of a column were written with one constant too much, in its unit.
    Offset {
        /// What is added to the numbers on the sheet.
        by: f64,
    },
    /// Two readings of a column stand in each other's rows.
    Rows {
        /// Row, from 1.
        first: Row,
        /// Row, from 1.
        second: Row,
    },
    /// Two columns stand in each other's place.
    Columns {
        /// Item of the other column.
        other: ItemId,
    },
    /// Two readings of one row stand in each other's columns.
    InRow {
        /// Item of the other column.
        other: ItemId,
        /// Row, from 1.
        row: Row,
    },
}
