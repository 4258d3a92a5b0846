//! On which scale the values of a class are compared.

use crate::quantity::power_of_ten;
use crate::stats::median;

/// On which scale values are compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scale {
    /// As they are, in the result's unit: all have one reference, or none.
    Unit,
    /// In percent from each table's own reference.
    Percent,
    /// Less each table's own reference, in the result's unit: references may be 0 or negative.
    Apart,
    /// In robust spreads from the consensus of the team's own group: groups measure different
    /// things.
    Spreads,
}

/// A value with the two ends of its reference, in the result's unit.
pub(super) type Referred = (f64, Option<[f64; 2]>);

/// How values are put on their scale.
#[derive(Clone, Copy, Debug)]
pub(super) struct Placing {
    pub(super) scale: Scale,
    /// Whether effects are worked out as ln(x/reference).
    pub(super) relative: bool,
    /// The one reference of all.
    pub(super) reference: Option<[f64; 2]>,
}

/// The middle of a range.
fn middle([low, high]: [f64; 2]) -> f64 {
    (low + high) / 2.0
}

impl Placing {
    /// The scale on which values are placed: as they are where all share one reference, in per cent
    /// of their own reference where those differ.
    pub(super) fn of<'a>(values: impl Iterator<Item = &'a Referred>) -> Placing {
        let sheets: Vec<[f64; 2]> = values.filter_map(|v| v.1).collect();
        let Some(first) = sheets.first() else {
            return Placing { scale: Scale::Unit, relative: false, reference: None };
        };
        let relative = sheets.iter().all(|s| middle(*s) > 0.0);
        if sheets.iter().all(|s| s == first) {
            return Placing { scale: Scale::Unit, relative, reference: Some(*first) };
        }
        Placing { scale: if relative { Scale::Percent } else { Scale::Apart }, relative, reference: None }
    }

    /// The reference that a value is placed by.
    fn sheet(&self, value: &Referred) -> Option<f64> {
        value.1.or(self.reference).map(middle)
    }

    /// Its place on the scale; `None` where it lacks the reference that others have.
    pub(super) fn place(&self, value: &Referred) -> Option<f64> {
        match self.scale {
            Scale::Unit | Scale::Spreads => Some(value.0),
            Scale::Percent => self.sheet(value).map(|m| 100.0 * (value.0 / m - 1.0)),
            Scale::Apart => self.sheet(value).map(|m| value.0 - m),
        }
    }

    /// ln(x/reference), or x − reference where that may be 0 or negative, or x without one.
    pub(super) fn plain(&self, value: &Referred) -> Option<f64> {
        match self.sheet(value) {
            Some(m) if self.relative => Some(value.0 / m).filter(|q| *q > 0.0).map(f64::ln),
            Some(m) => Some(value.0 - m),
            None => Some(value.0).filter(|_| self.scale == Scale::Unit),
        }
    }

    /// Half of what the reference leaves open, as [`Placing::plain`] counts.
    pub(super) fn room(&self, value: &Referred) -> Option<f64> {
        let [low, high] = value.1?;
        let half = (high - low) / 2.0;
        Some(if self.relative { half / middle([low, high]) } else { half })
    }

    /// Steps of the last figures, as parts of the references where effects are shares.
    pub(super) fn resolution<'a>(&self, values: impl Iterator<Item = (&'a Referred, i32)>) -> f64 {
        let share = |v: &Referred| if self.relative { self.sheet(v).map_or(1.0, f64::abs) } else { 1.0 };
        median(&values.map(|(v, place)| power_of_ten(place) / share(v)).collect::<Vec<f64>>()).unwrap_or(0.0)
    }
}
