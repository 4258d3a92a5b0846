//! What a quantity is measured in, apart from any unit: exponents of the base quantities.
//!
//! Exponents are whole numbers, seven to a dimension. An angle is kept as a base of its own, so
//! that degrees are not mistaken for pure numbers.

use std::fmt;

/// Of the seven base dimensions, as they are shown.
const NAMES: [&str; 7] = ["length", "mass", "time", "current", "temperature", "amount", "angle"];

/// Exponents of length, mass, time, electric current, temperature, amount of substance and plane
/// angle.
///
/// Plane angle is kept as a dimension of its own, against the SI, so that a formula cannot take
/// degrees for a pure number.
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
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// let area = Dimension::LENGTH.times(Dimension::LENGTH);
    /// assert_eq!(area, Dimension::LENGTH.power(2));
    /// ```
    pub fn times(self, other: Self) -> Self {
        self.plus_scaled(other, 1)
    }

    /// Dimension of a quotient.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// let density = Dimension::MASS.over(Dimension::LENGTH.power(3));
    /// assert_eq!(density.times(Dimension::LENGTH.power(3)), Dimension::MASS);
    /// ```
    pub fn over(self, other: Self) -> Self {
        self.plus_scaled(other, -1)
    }

    /// Exponents of one dimension, and so many times those of another.
    fn plus_scaled(self, other: Self, sign: i8) -> Self {
        let mut out = self.0;
        for (a, b) in out.iter_mut().zip(other.0) {
            *a = a.saturating_add(b.saturating_mul(sign));
        }
        Dimension(out)
    }

    /// Dimension of a whole power.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// assert_eq!(Dimension::TIME.power(-1), Dimension::ONE.over(Dimension::TIME));
    /// ```
    pub fn power(self, exponent: i8) -> Self {
        Dimension(self.0.map(|a| a.saturating_mul(exponent)))
    }

    /// Dimension of a square root, if every exponent is even.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// assert_eq!(Dimension::TIME.power(2).root(), Some(Dimension::TIME));
    /// assert_eq!(Dimension::TIME.root(), None);
    /// ```
    pub fn root(self) -> Option<Self> {
        self.0.iter().all(|a| a % 2 == 0).then(|| Dimension(self.0.map(|a| a / 2)))
    }

    /// The one base quantity it is a power of, with the exponent.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// assert_eq!(Dimension::LENGTH.power(3).only(), Some((0, 3)));
    /// assert_eq!(Dimension::LENGTH.over(Dimension::TIME).only(), None);
    /// ```
    pub fn only(self) -> Option<(usize, i8)> {
        let mut used = self.0.iter().enumerate().filter(|(_, e)| **e != 0);
        used.next().filter(|_| used.next().is_none()).map(|(i, e)| (i, *e))
    }

    /// Π scaleᵢ^exponentᵢ: one unit of a system with these scales, in coherent SI units.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// // One cubic unit, where lengths are counted in centimetres.
    /// let scales = [0.01, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0];
    /// assert!((Dimension::LENGTH.power(3).in_scales(&scales) - 1e-6).abs() < 1e-18);
    /// ```
    pub fn in_scales(self, scales: &[f64; 7]) -> f64 {
        self.0.iter().zip(scales).map(|(e, s)| s.powi(i32::from(*e))).product()
    }

    /// Whether this is a pure number.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Dimension;
    /// assert!(Dimension::MASS.over(Dimension::MASS).is_one());
    /// ```
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
