//! The keel plate's bench: true bodies per station, read through a caliper with a zero error and a balance.

use crate::random::{Chance, seed_of};

/// What a team reads, in mm and g, before anything is typed.
#[derive(Clone, Debug)]
pub(crate) struct Readings {
    pub(crate) zero: f64,
    pub(crate) length: f64,
    pub(crate) width: f64,
    pub(crate) thickness: f64,
    pub(crate) plate_mass: f64,
    pub(crate) diameters: Vec<f64>,
    pub(crate) thicknesses: Vec<f64>,
    pub(crate) disc_mass: f64,
}

/// Densities in g/cm³ of plate and disc by station; inside the ranges of the station sheet.
pub(crate) const METALS: [(f64, f64); 5] =
    [(2.702, 8.941), (7.852, 8.411), (8.408, 7.128), (8.938, 2.699), (4.437, 7.991)];
/// Caliper's step in mm, its spread in one hand, the balance's step in g.
const STEP: f64 = 0.02;
const HAND: f64 = 0.016;
const GRAM: f64 = 0.01;

fn to_step(value: f64, step: f64) -> f64 {
    (value / step).round() * step
}

/// Sleeve and core in g/cm³, radius of the core in inches, length and width in mm, by rod; the core's metal in words.
pub(crate) const RODS: [(f64, f64, f64, f64, f64, &str); 4] = [
    (8.41, 2.702, 0.15625, 101.36, 21.84, "aluminium alloy"),
    (2.70, 8.938, 0.203125, 96.72, 22.62, "copper"),
    (8.94, 7.123, 0.25, 88.14, 20.46, "zinc"),
    (4.44, 11.338, 0.21875, 110.58, 23.18, "lead"),
];

/// A sleeved rod as it was read: the length off the main scale and the vernier, three diameters, the mass.
#[derive(Clone, Debug)]
pub(crate) struct Rod {
    pub(crate) number: usize,
    pub(crate) main: f64,
    pub(crate) line: u32,
    pub(crate) diameters: Vec<f64>,
    pub(crate) mass: f64,
}

/// A team measures its rod with the caliper of its station.
pub(crate) fn read_rod(section: &str, team: &str, zero: f64) -> Rod {
    let mut chance = Chance::new(seed_of(0, &["rod", section, team]));
    let number = chance.one_of(RODS.len());
    let (sleeve, core, radius, length, width, _) = RODS[number];
    let inside = std::f64::consts::PI * (radius * 25.4).powi(2) * length / 1000.0;
    let whole = std::f64::consts::PI * (width / 2.0).powi(2) * length / 1000.0;
    let seen = to_step(length + zero + chance.normal(HAND), STEP);
    Rod {
        number,
        main: seen.floor(),
        line: ((seen - seen.floor()) / STEP).round() as u32,
        diameters: (0..3).map(|_| to_step(width + zero + chance.normal(HAND), STEP)).collect(),
        mass: to_step(inside * core + (whole - inside) * sleeve + chance.normal(0.008), GRAM),
    }
}

/// A team at station `station` (from 1) takes its readings.
pub(crate) fn read(station: usize, chance: &mut Chance) -> Readings {
    let (plate, disc) = METALS[(station - 1) % METALS.len()];
    // Each station has its own pieces and its own caliper.
    let s = station as f64;
    let (length, width, thickness) = (78.46 + 3.1 * s, 39.18 + 1.3 * s, 7.64 + 0.52 * s);
    let (diameter, height) = (43.72 + 1.9 * s, 5.88 + 0.34 * s);
    let zero = [0.04, -0.02, 0.0, 0.06, 0.02][(station - 1) % 5];
    let plate_mass = length * width * thickness / 1000.0 * plate;
    let disc_mass = std::f64::consts::PI * (diameter / 2.0) * (diameter / 2.0) * height / 1000.0 * disc;
    let mut caliper = |truth: f64| to_step(truth + zero + chance.normal(HAND), STEP);
    let (length, width, thickness) = (caliper(length), caliper(width), caliper(thickness));
    let diameters = (0..5).map(|_| caliper(diameter)).collect();
    let thicknesses = (0..5).map(|_| caliper(height)).collect();
    let mut balance = |truth: f64| to_step(truth + chance.normal(0.008), GRAM);
    Readings {
        zero,
        length,
        width,
        thickness,
        plate_mass: balance(plate_mass),
        diameters,
        thicknesses,
        disc_mass: balance(disc_mass),
    }
}
