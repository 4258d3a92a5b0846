//! What is measured with and where: bays, keys, parameters, instruments and tables.

use super::ItemId;
use crate::quantity::Unit;

/// A group of readings and results.
#[derive(Clone, Debug)]
pub struct Bay {
    /// Name by which readings and results say that they belong to it.
    pub id: String,
    /// Title above the group on the sheet.
    pub title: String,
}

/// A key and its values.
#[derive(Clone, Debug)]
pub struct Key {
    /// Id, such as `station`.
    pub id: String,
    /// Title as people see it, such as “Station”.
    pub title: String,
    /// Values it may take, in the sheet's order.
    pub values: Vec<String>,
}

/// What a section may set, such as a number of portions.
#[derive(Clone, Debug)]
pub struct Parameter {
    /// Place among the lab's items, by which formulas name it.
    pub item: ItemId,
    /// Value where a section says nothing.
    pub value: f64,
    /// Least and most.
    pub range: (f64, f64),
}

/// An instrument.
#[derive(Clone, Debug)]
pub struct Instrument {
    /// Name by which readings say what they were read off.
    pub id: String,
    /// Title as people see it, such as “Vernier caliper”.
    pub title: String,
    /// Unit of its display.
    pub unit: Unit,
    /// Graduation or display step, in its unit, or in units of a setting.
    pub step: f64,
    /// Item of the setting that the step is multiplied by.
    pub step_of: Option<ItemId>,
    /// Limit of error, in its unit.
    pub limit: Option<f64>,
    /// Whether the limit is one and the same for all its readings.
    pub limit_shared: bool,
    /// Whether values inside the limit crowd towards its middle.
    pub triangular: bool,
    /// Range of its scale, in its unit.
    pub range: Option<(f64, f64)>,
    /// Whether its scale is read downwards.
    pub reads_down: bool,
    /// Whether one digit is estimated between the graduations.
    pub estimated: bool,
    /// What has to be ready before it is read, in words for teams.
    pub notes: Vec<String>,
}

/// A table: readings taken together, row by row.
#[derive(Clone, Debug)]
pub struct TableSpec {
    /// Name by which readings and results say that they are columns of it.
    pub id: String,
    /// Title above the table on the sheet.
    pub title: String,
    /// Group under which the table stands on the sheet.
    pub bay: usize,
    /// Rows asked for.
    pub rows: RowCount,
    /// Key that each row belongs to.
    pub key: Option<usize>,
    /// Item of words and the word that marks a planned rough run, which is never averaged.
    pub rough: Option<(ItemId, u32)>,
    /// Displayed values one column is to be taken near.
    pub grid: Option<Grid>,
    /// When the team may stop.
    pub stop: Option<Stop>,
    /// Reasons for which a row may be missing at no cost, as phrases.
    pub absence: Vec<String>,
}

/// How many rows or replicates.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RowCount {
    /// So many.
    Fixed(u32),
    /// At least and at most.
    Between(u32, u32),
    /// As many as the parameter of this item says.
    Parameter(ItemId),
}

/// Nominal values of a column; the nearest displayed value counts.
#[derive(Clone, Debug)]
pub struct Grid {
    /// Item of the column.
    pub column: ItemId,
    /// Nominal values in its unit.
    pub values: Vec<f64>,
    /// How far a displayed value may lie from its nominal.
    pub within: f64,
}

/// A stopping rule of a table.
#[derive(Clone, Debug)]
pub struct Stop {
    /// Item of the column it looks at.
    pub column: ItemId,
    /// A value to be reached, in the column's unit.
    pub at: Option<f64>,
    /// A flat tail: so many rows within so much.
    pub flat: Option<(usize, f64)>,
    /// So many rows that agree within a tolerance.
    pub agree: Option<(usize, Tolerance)>,
}

/// A tolerance, absolute or in percent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Tolerance {
    /// In the unit of what is compared.
    Within(f64),
    /// Percent of the value.
    Percent(f64),
}

impl Tolerance {
    /// The widest difference about a value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::Tolerance;
    /// assert_eq!(Tolerance::Within(0.1).about(24.0), 0.1);
    /// assert!((Tolerance::Percent(1.0).about(24.0) - 0.24).abs() < 1e-12);
    /// ```
    pub fn about(self, value: f64) -> f64 {
        match self {
            Tolerance::Within(t) => t,
            Tolerance::Percent(p) => p / 100.0 * value.abs(),
        }
    }
}
