//! The significant figures a result deserves, by the usual rules carried through the tree: products
//! keep the fewest figures, sums the coarsest last place, a mean the last place of its readings.
//!
//! | operation | rule | example |
//! |---|---|---|
//! | product, quotient | as many figures as the operand with the fewest | 84.3 × 2.1 has two |
//! | sum, difference | down to the coarsest last place | 84.3 + 2.11 ends at tenths |
//! | mean | the last place of its readings | |
//! | logarithm | as many places as its argument has figures | log 84.3 has three |
//! | a spread | two figures at most | |
//!
//! Exact numbers limit nothing. Nought has a last place and no figures, so that places are carried
//! and not counts.

use super::value::Num;
use crate::quantity::leading_place;

/// A number that knows its last significant place.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Figured {
    /// Plain value, coherent SI units.
    pub value: f64,
    /// Power of ten of the last significant place; `None` for an exact number. Kept rather than a
    /// count of figures, since a zero reading of 0.00 has a last place and no figures.
    pub place: Option<i32>,
}

impl Figured {
    /// A value with so many significant figures.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::figures::Figured;
    /// assert_eq!(Figured::with_figures(84.3, 3).place, Some(-1));
    /// ```
    pub fn with_figures(value: f64, figures: i32) -> Figured {
        Figured { value, place: Some(leading_place(value) - figures + 1) }
    }

    /// Significant figures, at least one; `None` for an exact number.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Num;
    /// use jurado_core::formula::figures::Figured;
    /// // 84.3 × 2.1 has as many figures as the poorer of the two.
    /// let product = Figured::with_figures(84.3, 3).mul(&Figured::with_figures(2.1, 2));
    /// assert_eq!(product.figures(), Some(2));
    /// ```
    pub fn figures(&self) -> Option<i32> {
        self.place.map(|p| (leading_place(self.value) - p + 1).max(1))
    }

    /// Rule of products and quotients: as many significant figures as the operand with the fewest.
    fn scaled(&self, other: &Figured, value: f64) -> Figured {
        match self.figures().into_iter().chain(other.figures()).min() {
            Some(figures) => Figured::with_figures(value, figures),
            None => Figured { value, place: None },
        }
    }

    /// Rule of sums and differences: down to the last place that all operands have.
    fn summed(&self, other: &Figured, value: f64) -> Figured {
        Figured { value, place: self.place.into_iter().chain(other.place).max() }
    }
}

impl Num for Figured {
    /// A number that limits nothing.
    fn exact(value: f64) -> Self {
        Figured { value, place: None }
    }
    /// The plain number.
    fn value(&self) -> f64 {
        self.value
    }
    /// Down to the coarser last place.
    fn add(&self, other: &Self) -> Self {
        self.summed(other, self.value + other.value)
    }
    /// As a sum: the places stay, and the figures may be few.
    fn sub(&self, other: &Self) -> Self {
        self.summed(other, self.value - other.value)
    }
    /// As many figures as the operand with the fewest.
    fn mul(&self, other: &Self) -> Self {
        self.scaled(other, self.value * other.value)
    }
    /// As a product.
    fn div(&self, other: &Self) -> Self {
        self.scaled(other, self.value / other.value)
    }
    /// As many figures as the argument.
    fn map(&self, result: f64, _derivative: f64) -> Self {
        match self.figures() {
            Some(figures) => Figured::with_figures(result, figures),
            None => Figured { value: result, place: None },
        }
    }
    /// ln 8.96 = 2.193: three figures make three places. A flat place of the function says nothing.
    fn map_places(&self, result: f64, derivative: f64) -> Self {
        match self.place {
            Some(_) if derivative != 0.0 && derivative.is_finite() => Self::combine(result, &[(self, derivative)]),
            _ => self.map(result, derivative),
        }
    }
    /// One unit in the last place of the reading that moves the result most says where the result's
    /// figures end.
    fn combine(result: f64, parts: &[(&Self, f64)]) -> Self {
        let moved = |p: &(&Self, f64)| p.0.place.map(|place| p.1.abs() * crate::quantity::power_of_ten(place));
        let widest = parts.iter().filter_map(moved).fold(0.0, f64::max);
        // An exact step or a dead end says nothing.
        Figured { value: result, place: (widest > 0.0 && widest.is_finite()).then(|| leading_place(widest)) }
    }
    /// A standard deviation has two figures at most, however finely its readings were written.
    fn of_a_spread(self) -> Self {
        let second = leading_place(self.value) - 1;
        Figured { place: Some(self.place.map_or(second, |p| p.max(second))), ..self }
    }
    /// Down to the coarsest last place of all.
    fn sum(values: &[&Self]) -> Self {
        Figured { value: values.iter().map(|v| v.value).sum(), place: values.iter().filter_map(|v| v.place).max() }
    }
    /// At the last place of its readings: dividing by a count takes no figure away.
    fn mean(values: &[&Self]) -> Self {
        let sum = Self::sum(values);
        Figured { value: sum.value / values.len() as f64, ..sum }
    }
}
