//! Dimensions and units. No readings and no formulas live here; start with [`Unit::parse`].
//!
//! Everything is computed in coherent SI units and compared in the units of the sheet. A unit is a
//! dimension, a factor and, for points on a scale, an offset; factors are kept as a mantissa and a
//! power of ten as long as they are built, so that a millilitre is 10⁻⁶ m³ and not 0.000 000 999….

mod dimension;
mod nature;
mod table;
mod unit;

pub use dimension::Dimension;
pub use nature::Nature;
pub(crate) use unit::superscript;
pub use unit::{Unit, UnitError, confusable_factors, leading_place, power_of_ten, unit_pairs};
