//! Amounts and points on a scale.

/// Whether values are amounts or points on a scale, and what a pressure is counted from. An amount
/// can be scaled; of two points only the difference can.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Nature {
    /// An amount, or a difference.
    #[default]
    Plain,
    /// A point on the Celsius or Fahrenheit scale, kept as its thermodynamic temperature.
    Point,
    /// A pressure above the surroundings.
    Gauge,
    /// A pressure above nothing.
    Absolute,
}
