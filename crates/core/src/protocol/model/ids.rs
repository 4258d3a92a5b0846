//! Which of a lab's lists a number counts in. A result's number is no item's: the compiler tells
//! them apart.

use super::{Criterion, Item, ReadingSpec, Reference, ResultSpec, TableSpec};
use crate::formula::ItemId;

/// A list that runs beside one of a lab's, an entry each, is indexed by the same id:
/// `beside!(ReadingId: JudgedReading)`.
macro_rules! beside {
    ($id:ident: $of:ty) => {
        impl std::ops::Index<$id> for Vec<$of> {
            type Output = $of;

            fn index(&self, id: $id) -> &$of {
                &self[id.index()]
            }
        }

        impl std::ops::Index<$id> for [$of] {
            type Output = $of;

            fn index(&self, id: $id) -> &$of {
                &self[id.index()]
            }
        }

        impl std::ops::IndexMut<$id> for Vec<$of> {
            fn index_mut(&mut self, id: $id) -> &mut $of {
                &mut self[id.index()]
            }
        }
    };
}
pub(crate) use beside;

/// Each of a list of a lab, and the list indexed by its id.
macro_rules! list {
    ($name:ident, $of:ty) => {
        impl $name {
            /// Each of a list, in its order.
            pub fn each(list: &[$of]) -> impl DoubleEndedIterator<Item = Self> + ExactSizeIterator + Clone + use<> {
                (0..list.len()).map(Self::at)
            }

            /// Each of a list with what it is, in its order.
            pub fn with(list: &[$of]) -> impl DoubleEndedIterator<Item = (Self, &$of)> + ExactSizeIterator + Clone {
                list.iter().enumerate().map(|(n, one)| (Self::at(n), one))
            }
        }

        beside!($name: $of);
    };
}

macro_rules! id {
    ($(#[$doc:meta])* $name:ident, $of:ty) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(usize);

        impl $name {
            /// The one at a place of its list, from 0.
            pub const fn at(index: usize) -> Self {
                Self(index)
            }

            /// Its place in its list, from 0: for a list that runs beside it.
            pub const fn index(self) -> usize {
                self.0
            }
        }

        list!($name, $of);
    };
}

list!(ItemId, Item);

id! {
    /// A reading of a lab, by its place in
    /// [`Protocol::readings`](crate::protocol::Protocol::readings).
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ReadingId;
    /// let lab = lab();
    /// let first = ReadingId::at(0);
    /// assert_eq!(lab.items[lab.readings[first].item].id, "girth");
    /// ```
    ReadingId, ReadingSpec
}
id! {
    /// A result of a lab, by its place in
    /// [`Protocol::results`](crate::protocol::Protocol::results).
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ResultId;
    /// let lab = lab();
    /// let titles: Vec<&str> = ResultId::each(&lab.results).map(|r| lab.items[lab.results[r].item].id.as_str()).collect();
    /// assert_eq!(titles, ["diameter", "section"]);
    /// ```
    ResultId, ResultSpec
}
id! {
    /// A reference of a lab, by its place in
    /// [`Protocol::references`](crate::protocol::Protocol::references).
    ReferenceId, Reference
}
id! {
    /// A criterion of a lab's rubric, by its place in
    /// [`Protocol::criteria`](crate::protocol::Protocol::criteria).
    CriterionId, Criterion
}
id! {
    /// A table of rows of a lab, by its place in
    /// [`Protocol::tables`](crate::protocol::Protocol::tables).
    TableId, TableSpec
}
