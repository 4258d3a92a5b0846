//! Dimensions and units. No readings and no formulas live here; start with [`Unit::parse`].

mod dimension;
mod unit;

pub use dimension::Dimension;
pub(crate) use unit::superscript;
pub use unit::{Nature, Unit, UnitError, confusable_factors, leading_place, power_of_ten};
