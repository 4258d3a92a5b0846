//! What several benches use.

use rand::Rng;
use rand_chacha::ChaCha8Rng;

pub(crate) fn percent(part: usize, of: usize) -> f64 {
    100.0 * part as f64 / of.max(1) as f64
}

/// A number of the standard normal distribution.
pub(crate) fn normal(chance: &mut ChaCha8Rng) -> f64 {
    let (u, v): (f64, f64) = (chance.random::<f64>().max(1e-300), chance.random());
    (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
}
