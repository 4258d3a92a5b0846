//! Seeded chance.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

pub(crate) struct Chance(ChaCha8Rng);

impl Chance {
    pub(crate) fn new(seed: u64) -> Self {
        Chance(ChaCha8Rng::seed_from_u64(seed))
    }

    /// Uniform in [low, high).
    pub(crate) fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.0.random::<f64>()
    }

    /// Normal with standard deviation `sd` about nought (Box and Muller).
    pub(crate) fn normal(&mut self, sd: f64) -> f64 {
        let (u, v) = (self.0.random::<f64>().max(1e-300), self.0.random::<f64>());
        sd * (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
    }
}
