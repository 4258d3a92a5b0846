//! Rows as people count them.

use std::fmt;

use serde::Serialize;

/// A row of a table, or a replicate of a repeated reading, counted from 1 as on the sheet. Lists
/// count from 0: the two meet here and nowhere else.
///
/// # Example
/// ```
/// use jurado_core::row::Row;
/// let third = Row::at(2);
/// assert_eq!((third.number(), third.index(), third.to_string().as_str()), (3, 2, "3"));
/// // A sheet can name a row that is none.
/// assert_eq!((Row::numbered(3), Row::numbered(0)), (Some(third), None));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(transparent)]
pub struct Row(u32);

impl Row {
    /// The row at a place of a list, from 0.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// assert_eq!(Row::at(0).number(), 1);
    /// ```
    pub const fn at(index: usize) -> Row {
        Row(index as u32 + 1)
    }

    /// The row of a number from 1; `None` for 0.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// assert_eq!(Row::numbered(4).map(Row::index), Some(3));
    /// assert_eq!(Row::numbered(0), None);
    /// ```
    pub const fn numbered(number: u32) -> Option<Row> {
        if number == 0 { None } else { Some(Row(number)) }
    }

    /// The first so many rows.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// assert_eq!(Row::first(3).map(Row::number).collect::<Vec<u32>>(), [1, 2, 3]);
    /// ```
    pub fn first(count: u32) -> impl DoubleEndedIterator<Item = Row> + Clone {
        (1..=count).map(Row)
    }

    /// The row after it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// assert_eq!(Row::at(0).next(), Row::at(1));
    /// ```
    #[must_use]
    pub const fn next(self) -> Row {
        Row(self.0 + 1)
    }

    /// The row before it; `None` for the first.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// assert_eq!((Row::at(1).before(), Row::at(0).before()), (Some(Row::at(0)), None));
    /// ```
    pub const fn before(self) -> Option<Row> {
        Row::numbered(self.0 - 1)
    }

    /// Its number, from 1.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// let rows: Vec<u32> = (0..3).map(|n| Row::at(n).number()).collect();
    /// assert_eq!(rows, [1, 2, 3]);
    /// ```
    pub const fn number(self) -> u32 {
        self.0
    }

    /// Its place in a list, from 0.
    ///
    /// # Example
    /// ```
    /// use jurado_core::row::Row;
    /// let titres = [12.40, 12.35, 12.45];
    /// assert_eq!(Row::numbered(2).and_then(|row| titres.get(row.index())), Some(&12.35));
    /// ```
    pub const fn index(self) -> usize {
        self.0 as usize - 1
    }
}

impl fmt::Display for Row {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}
