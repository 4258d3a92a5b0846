//! Everything a formula can name.

use super::{ReadingId, ReferenceId, ResultId};
use crate::formula::Shape;
use crate::quantity::Nature;
use crate::quantity::Unit;

/// What a name stands for.
#[derive(Clone, Debug)]
pub struct Item {
    /// Id, as used in formulas and tables.
    pub id: String,
    /// Title in words, without capital.
    pub title: String,
    /// Symbol such as `V_c`.
    pub symbol: String,
    /// Unit in which its values are asked for; formulas work in SI.
    pub unit: Unit,
    /// Amount, point on a scale, gauge or absolute pressure.
    pub nature: Nature,
    /// One value or a column.
    pub rows: Shape,
    /// The words it may be; `None` for a number.
    pub words: Option<Vec<String>>,
    /// Kind, with its number in its own list.
    pub kind: ItemKind,
    /// Marked as a diameter or radius.
    pub shape: Option<Roundness>,
    /// An empty vessel, to be taken off.
    pub tare: bool,
}

impl Item {
    /// A value in its unit, in coherent SI units.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// let girth = &lab.items[lab.item("girth").expect("a reading")];
    /// assert!((girth.to_si(94.2) - 0.942).abs() < 1e-12);
    /// ```
    pub fn to_si(&self, value: f64) -> f64 {
        self.unit.to_si(value, self.nature)
    }

    /// A value in coherent SI units, in its unit.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// let girth = &lab.items[lab.item("girth").expect("a reading")];
    /// assert!((girth.from_si(0.942) - 94.2).abs() < 1e-12);
    /// ```
    pub fn from_si(&self, value: f64) -> f64 {
        self.unit.from_si(value, self.nature)
    }

    /// ` mm` with its space, or nothing for a pure number.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// assert_eq!(lab.items[lab.item("section").expect("a result")].unit_after(), " cm²");
    /// ```
    pub fn unit_after(&self) -> String {
        if self.unit.text.is_empty() || self.unit.text == "1" { String::new() } else { format!(" {}", self.unit.text) }
    }
}

/// Kinds of item.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ItemKind {
    /// Index into `readings`.
    Reading(ReadingId),
    /// Index into `references`.
    Reference(ReferenceId),
    /// Index into `results`.
    Result(ResultId),
    /// Worked out for other formulas, which hold its own in its place; never asked for.
    Hidden,
    /// Index into `parameters`.
    Parameter(usize),
}

/// Which measure of a circle an item is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Roundness {
    /// Across.
    Diameter,
    /// From the centre.
    Radius,
}
