//! Seeded chance.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

pub(crate) struct Chance(ChaCha8Rng);

/// A seed for one part of a class, by its names (FNV-1a).
pub(crate) fn seed_of(seed: u64, names: &[&str]) -> u64 {
    let mut hash = 0xcbf2_9ce4_8422_2325 ^ seed.wrapping_mul(0x9e37_79b9_7f4a_7c15);
    for byte in names.iter().flat_map(|n| n.bytes().chain([0])) {
        hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
    }
    hash
}

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

    /// Whether something that happens so often happens now.
    pub(crate) fn happens(&mut self, share: f64) -> bool {
        self.0.random::<f64>() < share
    }

    /// One of so many, from 0.
    pub(crate) fn one_of(&mut self, count: usize) -> usize {
        if count == 0 { 0 } else { self.0.random_range(0..count) }
    }
}
