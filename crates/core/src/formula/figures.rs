//! The significant figures a result deserves, by the usual rules carried through the tree: products keep the fewest
//! figures, sums the coarsest last place, a mean the last place of its readings.

use super::eval::Num;

/// A number that knows how many of its figures are significant.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Figured {
    /// Plain value, coherent SI units.
    pub value: f64,
    /// Significant figures; `None` for an exact number.
    pub figures: Option<i32>,
}

/// Power of ten of the first digit; the small nudge keeps 0.1·10 at 10⁰ when it comes out as 0.999….
pub fn leading_place(value: f64) -> i32 {
    if value == 0.0 { 0 } else { (value.abs().log10() + 1e-12).floor() as i32 }
}

impl Figured {
    fn place(&self) -> Option<i32> {
        self.figures.map(|s| leading_place(self.value) - s + 1)
    }

    fn from_place(value: f64, place: Option<i32>) -> Figured {
        Figured { value, figures: place.map(|p| (leading_place(value) - p + 1).max(1)) }
    }

    fn summed(&self, other: &Figured, value: f64) -> Figured {
        Figured::from_place(value, most(self.place(), other.place()))
    }
}

fn most(a: Option<i32>, b: Option<i32>) -> Option<i32> {
    a.into_iter().chain(b).max()
}

fn fewest(a: Option<i32>, b: Option<i32>) -> Option<i32> {
    a.into_iter().chain(b).min()
}

impl Num for Figured {
    fn exact(value: f64) -> Self {
        Figured { value, figures: None }
    }
    fn value(&self) -> f64 {
        self.value
    }
    fn add(&self, other: &Self) -> Self {
        self.summed(other, self.value + other.value)
    }
    fn sub(&self, other: &Self) -> Self {
        self.summed(other, self.value - other.value)
    }
    fn mul(&self, other: &Self) -> Self {
        Figured { value: self.value * other.value, figures: fewest(self.figures, other.figures) }
    }
    fn div(&self, other: &Self) -> Self {
        Figured { value: self.value / other.value, figures: fewest(self.figures, other.figures) }
    }
    fn map(&self, result: f64, _derivative: f64) -> Self {
        Figured { value: result, figures: self.figures }
    }
    fn mean(values: &[Self]) -> Self {
        let mean = values.iter().map(|v| v.value).sum::<f64>() / values.len() as f64;
        Figured::from_place(mean, values.iter().filter_map(Figured::place).max())
    }
}
