//! The slack with which computed numbers are compared, and the values they are computed from.

use crate::formula::Value;

/// Values by item, coherent SI units.
pub(super) type Env = Vec<Option<Value<f64>>>;

/// Computed numbers are compared with this slack: 1e-9 of the half-step and 1e-13 of the values.
pub(super) fn within(difference: f64, bound: f64, half_step: f64, a: f64, b: f64) -> bool {
    difference.abs() <= bound + 1e-9 * half_step + 1e-13 * a.abs().max(b.abs())
}
