//! Dimensions and units. No readings and no formulas live here; start with [`Unit::parse`].

mod dimension;
mod nature;
mod table;
mod unit;

pub use dimension::Dimension;
pub use nature::Nature;
pub(crate) use unit::superscript;
pub use unit::{Unit, UnitError, confusable_factors, leading_place, power_of_ten, unit_pairs};
