//! Where something is, as values.

use crate::formula::ItemId;

/// An item, a row of it, or neither.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Place {
    /// The item, by its index in the protocol.
    pub item: Option<ItemId>,
    /// The row or replicate, from 1.
    pub row: Option<u32>,
}

impl Place {
    /// The table as a whole.
    pub const TABLE: Place = Place { item: None, row: None };

    /// An item, or a row of it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::{example::lab, finding::Place};
    /// let girth = lab().item("girth").expect("a reading");
    /// assert_eq!(Place::of(girth, Some(2)), Place { item: Some(girth), row: Some(2) });
    /// ```
    pub fn of(item: ItemId, row: Option<u32>) -> Place {
        Place { item: Some(item), row }
    }

    /// A row of a table that no single item stands for.
    ///
    /// # Example
    /// ```
    /// use jurado_core::finding::Place;
    /// assert_eq!(Place::row(4), Place { item: None, row: Some(4) });
    /// ```
    pub fn row(row: u32) -> Place {
        Place { item: None, row: Some(row) }
    }
}
