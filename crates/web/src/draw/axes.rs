//! Scales of charts: a panel of the page that knows which place a value has, with its ground and its ticks.

use jurado_core::notation;

use super::svg::{Anchor, At, Path, Svg};

/// A panel with its scales.
pub(crate) struct Panel {
    pub(crate) at: At,
    pub(crate) size: (f64, f64),
    /// Least and greatest value across.
    pub(crate) x: (f64, f64),
    /// Least and greatest value down the page, the greatest on top.
    pub(crate) y: (f64, f64),
}

impl Panel {
    /// A panel with a little room round the values.
    pub(crate) fn new(at: At, size: (f64, f64), x: (f64, f64), y: (f64, f64)) -> Panel {
        let wide = |(a, b): (f64, f64)| {
            if !(a.is_finite() && b.is_finite()) {
                return (0.0, 1.0);
            }
            let margin = if b > a { (b - a) * 0.07 } else { a.abs().max(1.0) * 0.05 };
            (a - margin, b + margin)
        };
        Panel { at, size, x: wide(x), y: wide(y) }
    }

    pub(crate) fn left(&self) -> f64 {
        self.at.0
    }

    pub(crate) fn right(&self) -> f64 {
        self.at.0 + self.size.0
    }

    pub(crate) fn top(&self) -> f64 {
        self.at.1
    }

    pub(crate) fn bottom(&self) -> f64 {
        self.at.1 + self.size.1
    }

    pub(crate) fn px(&self, x: f64) -> f64 {
        self.at.0 + (x - self.x.0) / (self.x.1 - self.x.0) * self.size.0
    }

    pub(crate) fn py(&self, y: f64) -> f64 {
        let place = self.at.1 + (self.y.1 - y) / (self.y.1 - self.y.0) * self.size.1;
        place.clamp(self.at.1 - 400.0, self.at.1 + 800.0)
    }

    pub(crate) fn place(&self, (x, y): (f64, f64)) -> At {
        (self.px(x), self.py(y))
    }

    pub(crate) fn ground(&self, out: &mut Svg, class: &str) {
        out.rect(class, self.at, self.size);
    }

    /// A line from the left to the right at a value.
    pub(crate) fn across(&self, y: f64) -> Path {
        Path::at((self.left(), self.py(y))).across_to(self.right())
    }

    pub(crate) fn ticks_y(&self, out: &mut Svg, most: usize) {
        for (value, text) in round_values(self.y, most) {
            out.path("grat", &self.across(value));
            out.text("t3", Anchor::End, (self.left() - 5.0, self.py(value) + 4.0), &text);
        }
    }

    pub(crate) fn ticks_x(&self, out: &mut Svg) {
        for (value, text) in round_values(self.x, 6) {
            let x = self.px(value);
            out.path("grat", &Path::at((x, self.top())).down(self.size.1));
            out.text("t3", Anchor::Middle, (x, self.bottom() + 13.0), &text);
        }
    }
}

/// Round values inside a range with their texts, about so many.
pub(crate) fn round_values((low, high): (f64, f64), most: usize) -> Vec<(f64, String)> {
    let span = high - low;
    if !span.is_finite() || span <= 0.0 {
        return Vec::new();
    }
    let rough = span / most as f64;
    let power = 10f64.powi(rough.log10().floor() as i32);
    let step = [1.0, 2.0, 5.0, 10.0].into_iter().map(|s| s * power).find(|s| *s >= rough).unwrap_or(power * 10.0);
    let digits = usize::try_from(-(step.log10().floor() as i32)).unwrap_or(0).min(9);
    let first = (low / step).ceil() as i64;
    (0..=most as i64)
        .map(|i| (first + i) as f64 * step)
        .filter(|v| *v <= high)
        .map(|v| {
            let text = if v != 0.0 && (v.abs() >= 1e6 || v.abs() < 1e-4) {
                notation::figures(v, 3)
            } else {
                notation::decimals(v, digits)
            };
            (v, text)
        })
        .collect()
}

/// Least and greatest of some values; the wrong way round where there are none.
pub(crate) fn extent(values: impl IntoIterator<Item = f64>) -> (f64, f64) {
    values.into_iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ticks_are_round_and_inside() {
        for (range, most) in
            [((0.0, 10.0), 5), ((-0.031, 0.027), 4), ((99.9, 100.3), 6), ((1e-9, 3e-9), 5), ((5.0, 5.0), 4)]
        {
            let ticks = round_values(range, most);
            assert!(ticks.len() <= most + 1, "{range:?}: {ticks:?}");
            assert!(ticks.iter().all(|(v, _)| *v >= range.0 && *v <= range.1), "{range:?}: {ticks:?}");
            assert_eq!(ticks.is_empty(), range.0 >= range.1);
        }
        assert_eq!(
            round_values((0.0, 10.0), 5).iter().map(|t| t.1.as_str()).collect::<Vec<_>>(),
            ["0", "2", "4", "6", "8", "10"]
        );
    }

    #[test]
    fn a_panel_gives_finite_places_for_any_extent() {
        for extent in [(0.0, 0.0), (f64::INFINITY, f64::NEG_INFINITY), (-1e300, 1e300), (3.0, 3.0)] {
            let panel = Panel::new((52.0, 18.0), (300.0, 100.0), extent, extent);
            assert!(panel.px(1.0).is_finite() && panel.py(1.0).is_finite(), "{extent:?}");
        }
    }
}
