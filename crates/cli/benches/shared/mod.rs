//! What several benches use; each uses its own part of it.
#![allow(dead_code)]

use std::path::Path;

use jurado_sim::Lab;
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// A lab of the library with its world.
pub(crate) fn lab(id: &str) -> Lab {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../protocols");
    let read = |p: &Path| std::fs::read_to_string(p).unwrap_or_else(|e| panic!("{}: {e}", p.display()));
    Lab::new(&read(&folder.join(format!("{id}.toml"))), &read(&folder.join(format!("worlds/{id}.toml"))))
        .unwrap_or_else(|f| panic!("{id}: {f:?}"))
}

pub(crate) fn percent(part: usize, of: usize) -> f64 {
    100.0 * part as f64 / of.max(1) as f64
}

/// A number of the standard normal distribution.
pub(crate) fn normal(chance: &mut ChaCha8Rng) -> f64 {
    let (u, v): (f64, f64) = (chance.random::<f64>().max(1e-300), chance.random());
    (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
}
