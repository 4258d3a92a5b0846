//! What a name in a formula stands for.

use std::ops::{Index, IndexMut};

use super::value::Value;

/// A reading, reference, constant, parameter or result of a lab, by its place in
/// [`Protocol::items`](crate::protocol::Protocol::items): everything that a formula can name.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::protocol::ItemId;
/// let lab = lab();
/// let height = lab.item("height").expect("a reading");
/// assert_eq!(lab.items[height].title, "height");
/// assert_eq!(ItemId::with(&lab.items).find(|(_, item)| item.id == "height").map(|(id, _)| id), Some(height));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ItemId(u32);

impl ItemId {
    /// The one at a place of the list of items, from 0.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::ItemId;
    /// assert!(ItemId::at(0) < ItemId::at(1));
    /// ```
    pub const fn at(index: usize) -> Self {
        Self(index as u32)
    }

    /// Its place in the list of items, from 0: for a list that runs beside it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::ItemId;
    /// let beside = ["girth", "height"];
    /// assert_eq!(beside[ItemId::at(1).index()], "height");
    /// ```
    pub const fn index(self) -> usize {
        self.0 as usize
    }
}

impl<N> Index<ItemId> for [Option<Value<N>>] {
    type Output = Option<Value<N>>;

    fn index(&self, id: ItemId) -> &Option<Value<N>> {
        &self[id.index()]
    }
}

impl<N> Index<ItemId> for Vec<Option<Value<N>>> {
    type Output = Option<Value<N>>;

    fn index(&self, id: ItemId) -> &Option<Value<N>> {
        &self[id.index()]
    }
}

impl<N> IndexMut<ItemId> for Vec<Option<Value<N>>> {
    fn index_mut(&mut self, id: ItemId) -> &mut Option<Value<N>> {
        &mut self[id.index()]
    }
}
