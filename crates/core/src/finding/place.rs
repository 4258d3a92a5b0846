//! Where something is, as values.

use crate::formula::ItemId;
use crate::row::Row;

/// An item, a row of it, or neither.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Place {
    /// The item, by its index in the protocol.
    pub item: Option<ItemId>,
    /// The row or replicate, from 1.
    pub row: Option<Row>,
}

impl Place {
    /// The table as a whole.
    pub const TABLE: Place = Place { item: None, row: None };

    /// An item, or a row of it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::{example::lab, finding::Place, row::Row};
    /// let girth = lab().item("girth").expect("a reading");
    /// assert_eq!(Place::of(girth, Row::numbered(2)), Place { item: Some(girth), row: Some(Row::at(1)) });
    /// ```
    pub fn of(item: ItemId, row: Option<Row>) -> Place {
        Place { item: Some(item), row }
    }

    /// A row of a table that no single item stands for.
    ///
    /// # Example
    /// ```
    /// use jurado_core::{finding::Place, row::Row};
    /// assert_eq!(Place::row(Row::at(3)), Place { item: None, row: Row::numbered(4) });
    /// ```
    pub fn row(row: Row) -> Place {
        Place { item: None, row: Some(row) }
    }
}
