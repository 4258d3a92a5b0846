//! Constants and reference values.

use super::ItemId;
use crate::formula::Node;

/// A constant or a reference value, perhaps by key.
#[derive(Clone, Debug)]
pub struct Reference {
    /// Place among the lab's items, where its title and unit stand.
    pub item: ItemId,
    /// Key that selects the entry; `None` for a single entry.
    pub key: Option<usize>,
    /// Where the value comes from.
    pub source: String,
    /// Key value (empty for a single entry), name, lower and upper end in coherent SI units.
    pub entries: Vec<ReferenceEntry>,
    /// Short forms in use, coherent SI units.
    pub short: Vec<f64>,
    /// A function of conditions, in place of entries.
    pub formula: Option<Node>,
    /// The class's own consensus is the reference: nothing is compared in one table alone.
    pub consensus: bool,
}

/// One value of a reference.
#[derive(Clone, Debug, PartialEq)]
pub struct ReferenceEntry {
    /// Value of the key.
    pub at: String,
    /// What it is, such as the metal's name.
    pub says: String,
    /// Lower end, coherent SI units.
    pub low: f64,
    /// Upper end, coherent SI units; equal to `low` for an exact value.
    pub high: f64,
    /// Standard uncertainty, coherent SI units; 0 for an exact value.
    pub uncertainty: f64,
}

impl ReferenceEntry {
    /// The value used in formulas: the midpoint.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::ReferenceEntry;
    /// let brass = ReferenceEntry { at: "A".into(), says: "brass".into(), low: 8400.0, high: 8700.0, uncertainty: 20.0 };
    /// assert_eq!(brass.middle(), 8550.0);
    /// ```
    pub fn middle(&self) -> f64 {
        (self.low + self.high) / 2.0
    }
}
