//! What a quantity is measured in, apart from any unit: exponents of the base quantities.

use std::fmt;

const NAMES: [&str; 7] = ["length", "mass", "time", "current", "temperature", "amount", "angle"];

/// Exponents of length, mass, time, electric current, temperature, amount of substance and plane angle.
///
/// Plane angle is kept as a dimension of its own, against the SI, so that a formula cannot take degrees for a pure number.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Dimension([i8; 7]);

impl Dimension {
    /// A pure number.
    pub const ONE: Dimension = Dimension([0; 7]);
    /// Length.
    pub const LENGTH: Dimension = Dimension([1, 0, 0, 0, 0, 0, 0]);
    /// Mass.
    pub const MASS: Dimension = Dimension([0, 1, 0, 0, 0, 0, 0]);
    /// Time.
    pub const TIME: Dimension = Dimension([0, 0, 1, 0, 0, 0, 0]);
    /// Electric current.
    pub const CURRENT: Dimension = Dimension([0, 0, 0, 1, 0, 0, 0]);
    /// Thermodynamic temperature.
    pub const TEMPERATURE: Dimension = Dimension([0, 0, 0, 0, 1, 0, 0]);
    /// Amount of substance.
    pub const AMOUNT: Dimension = Dimension([0, 0, 0, 0, 0, 1, 0]);
    /// Plane angle.
    pub const ANGLE: Dimension = Dimension([0, 0, 0, 0, 0, 0, 1]);

    /// Dimension of a product.
    pub fn times(self, other: Self) -> Self {
        self.plus_scaled(other, 1)
    }

    /// Dimension of a quotient.
    pub fn over(self, other: Self) -> Self {
        self.plus_scaled(other, -1)
    }

    fn plus_scaled(self, other: Self, sign: i8) -> Self {
        let mut out = self.0;
        for (a, b) in out.iter_mut().zip(other.0) {
            *a = a.saturating_add(b.saturating_mul(sign));
        }
        Dimension(out)
    }

    /// Dimension of a whole power.
    pub fn power(self, exponent: i8) -> Self {
        Dimension(self.0.map(|a| a.saturating_mul(exponent)))
    }

    /// Dimension of a square root, if every exponent is even.
    pub fn root(self) -> Option<Self> {
        self.0.iter().all(|a| a % 2 == 0).then(|| Dimension(self.0.map(|a| a / 2)))
    }

    /// The one base quantity it is a power of, with the exponent.
    pub fn only(self) -> Option<(usize, i8)> {
        let mut used = self.0.iter().enumerate().filter(|(_, e)| **e != 0);
        used.next().filter(|_| used.next().is_none()).map(|(i, e)| (i, *e))
    }

    /// Π scaleᵢ^exponentᵢ: one unit of a system with these scales, in coherent SI units.
    pub fn in_scales(self, scales: &[f64; 7]) -> f64 {
        self.0.iter().zip(scales).map(|(e, s)| s.powi(i32::from(*e))).product()
    }

    /// Whether this is a pure number.
    pub fn is_one(self) -> bool {
        self == Self::ONE
    }
}

impl fmt::Display for Dimension {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.is_one() {
            return f.write_str("a pure number");
        }
        let parts: Vec<String> = NAMES
            .iter()
            .zip(self.0)
            .filter(|(_, e)| *e != 0)
            .map(|(n, e)| if e == 1 { (*n).to_owned() } else { format!("{n}^{e}") })
            .collect();
        f.write_str(&parts.join("·"))
    }
}
