//! Straight lines through points, and the point that stands apart from one.
//!
//! Sums are about the means, so that a pressure near 10⁵ Pa with steps of 10 Pa keeps its slope.
//! Errors are those of weighted least squares with the scatter taken from the residuals.

use statrs::distribution::{ContinuousCDF, StudentsT};

/// A least-squares line y = a + b·x.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Line {
    /// b, in units of y by units of x.
    pub slope: f64,
    /// a; nought for a line through the origin.
    pub intercept: f64,
    /// Standard error of b, scaled by the residuals; `None` without spare points.
    pub slope_error: Option<f64>,
    /// Standard error of a; `None` without spare points and through the origin.
    pub intercept_error: Option<f64>,
    /// √(Σwr²/(n − p)).
    pub residual_sd: Option<f64>,
    /// How many points went into the fit.
    pub count: usize,
    /// Σw, weighted means of x, and Σw(x − x̄)² (about nought through the origin).
    weight: f64,
    /// Weighted mean of x.
    x_mean: f64,
    /// Weighted sum of squares of x about its mean, or about nought.
    spread: f64,
    /// Whether the line is held to the origin.
    through_origin: bool,
}

impl Line {
    /// Degrees of freedom of the residuals.
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::line;
    /// let fit = line(&[0.0, 1.0, 2.0, 3.0], &[1.0, 3.0, 5.0, 7.0], None, false)?;
    /// assert_eq!(fit.freedom(), 2);
    /// # Ok::<(), &str>(())
    /// ```
    pub fn freedom(&self) -> usize {
        self.count.saturating_sub(if self.through_origin { 1 } else { 2 })
    }

    /// y of the line.
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::line;
    /// let fit = line(&[0.0, 1.0, 2.0, 3.0], &[1.0, 3.0, 5.0, 7.0], None, false)?;
    /// assert!((fit.at(10.0) - 21.0).abs() < 1e-9);
    /// # Ok::<(), &str>(())
    /// ```
    pub fn at(&self, x: f64) -> f64 {
        self.intercept + self.slope * x
    }

    /// ∂b/∂x, ∂b/∂y and ∂b/∂w of one point.
    ///
    /// # Formula
    /// With r = y − a − bx, d = x − x̄ and S = Σwd²: w(r − bd)/S, wd/S, dr/S; through the origin d
    /// = x, S = Σwx².
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::line;
    /// let fit = line(&[0.0, 1.0, 2.0, 3.0], &[1.0, 3.0, 5.0, 7.0], None, false)?;
    /// // The outermost points turn the line most.
    /// assert!((fit.slope_partials(3.0, 7.0, 1.0)[1] - 0.3).abs() < 1e-12);
    /// assert!((fit.slope_partials(2.0, 5.0, 1.0)[1] - 0.1).abs() < 1e-12);
    /// # Ok::<(), &str>(())
    /// ```
    pub fn slope_partials(&self, x: f64, y: f64, w: f64) -> [f64; 3] {
        let (r, d) = (y - self.at(x), if self.through_origin { x } else { x - self.x_mean });
        [w * (r - self.slope * d) / self.spread, w * d / self.spread, d * r / self.spread]
    }

    /// ∂a/∂x, ∂a/∂y and ∂a/∂w of one point.
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::line;
    /// let fit = line(&[0.0, 1.0, 2.0, 3.0], &[1.0, 3.0, 5.0, 7.0], None, false)?;
    /// assert!((fit.intercept_partials(0.0, 1.0, 1.0)[1] - 0.7).abs() < 1e-12);
    /// # Ok::<(), &str>(())
    /// ```
    pub fn intercept_partials(&self, x: f64, y: f64, w: f64) -> [f64; 3] {
        let [bx, by, bw] = self.slope_partials(x, y, w);
        let r = y - self.at(x);
        [
            -self.slope * w / self.weight - self.x_mean * bx,
            w / self.weight - self.x_mean * by,
            r / self.weight - self.x_mean * bw,
        ]
    }

    /// Leverage of one point: how far it pulls the line to itself, 0 to 1.
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::line;
    /// let fit = line(&[0.0, 1.0, 2.0, 3.0], &[1.0, 3.0, 5.0, 7.0], None, false)?;
    /// // The leverages of all points add up to the number of parameters.
    /// let sum: f64 = [0.0, 1.0, 2.0, 3.0].iter().map(|x| fit.leverage(*x, 1.0)).sum();
    /// assert!((sum - 2.0).abs() < 1e-12);
    /// # Ok::<(), &str>(())
    /// ```
    pub fn leverage(&self, x: f64, w: f64) -> f64 {
        if self.through_origin {
            w * x * x / self.spread
        } else {
            w / self.weight + w * (x - self.x_mean).powi(2) / self.spread
        }
    }
}

/// Fits a line. `x`, `y` and `weights` have one length; order is irrelevant up to rounding.
///
/// # Formula
/// b = Σw(x − x̄)(y − ȳ)/Σw(x − x̄)² by centred sums, so that no large squares cancel; through the
/// origin Σwxy/Σwx². Standard errors s/√S and s·√(1/Σw + x̄²/S), s² = Σwr²/(n − 2), or n − 1
/// through the origin.
///
/// # Source
/// Draper and Smith, Applied Regression Analysis, 3rd edition, chapters 1 and 9.
///
/// # Errors
/// What stands in the way: too few points, all x alike, a weight that is not above nought.
///
/// # Example
/// ```
/// use jurado_core::stats::line;
/// let fit = line(&[0.0, 1.0, 2.0], &[1.0, 3.1, 4.9], None, false)?;
/// assert!((fit.slope - 1.95).abs() < 1e-12);
/// assert_eq!(line(&[1.0, 1.0], &[1.0, 2.0], None, false).is_err(), true);
/// # Ok::<(), &str>(())
/// ```
pub fn line(x: &[f64], y: &[f64], weights: Option<&[f64]>, through_origin: bool) -> Result<Line, &'static str> {
    let n = x.len();
    if n < if through_origin { 1 } else { 2 } {
        return Err("a line needs two points");
    }
    let w = |i: usize| weights.map_or(1.0, |w| w[i]);
    if (0..n).any(|i| w(i) <= 0.0 || !w(i).is_finite()) {
        return Err("a weight is not above nought");
    }
    let weight: f64 = (0..n).map(w).sum();
    // Means by offsets from the first point, then corrected once: x far from nought keeps its digits.
    let mean = |v: &[f64]| {
        let first = v[0] + (0..n).map(|i| w(i) * (v[i] - v[0])).sum::<f64>() / weight;
        first + (0..n).map(|i| w(i) * (v[i] - first)).sum::<f64>() / weight
    };
    let (x_mean, y_mean) = if through_origin { (0.0, 0.0) } else { (mean(x), mean(y)) };
    let spread: f64 = (0..n).map(|i| w(i) * (x[i] - x_mean).powi(2)).sum();
    if spread <= 0.0 || !spread.is_finite() || x.iter().all(|v| *v == x[0]) && !through_origin {
        return Err("all points stand above one another");
    }
    let mut slope = (0..n).map(|i| w(i) * (x[i] - x_mean) * (y[i] - y_mean)).sum::<f64>() / spread;
    // One step of refinement on the residuals takes back what the sums lost.
    let left = |slope: f64, i: usize| (y[i] - y_mean) - slope * (x[i] - x_mean);
    slope += (0..n).map(|i| w(i) * (x[i] - x_mean) * left(slope, i)).sum::<f64>() / spread;
    let intercept = if through_origin { 0.0 } else { y_mean - slope * x_mean };
    let freedom = n.saturating_sub(if through_origin { 1 } else { 2 });
    let squares: f64 = (0..n).map(|i| w(i) * left(slope, i).powi(2)).sum();
    let residual_sd = (freedom > 0).then(|| (squares / freedom as f64).sqrt()).filter(|s| s.is_finite());
    Ok(Line {
        slope,
        intercept,
        slope_error: residual_sd.map(|s| s / spread.sqrt()),
        intercept_error: residual_sd
            .filter(|_| !through_origin)
            .map(|s| s * (1.0 / weight + x_mean * x_mean / spread).sqrt()),
        residual_sd,
        count: n,
        weight,
        x_mean,
        spread,
        through_origin,
    })
    .and_then(|l: Line| {
        if l.slope.is_finite() && l.intercept.is_finite() {
            Ok(l)
        } else {
            Err("the line is beyond what can be computed with")
        }
    })
}

/// The point farthest from a line.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PointTest {
    /// Largest externally studentised residual, as a size.
    pub statistic: f64,
    /// Student's t at 1 − α/2n with n − p − 1 degrees of freedom.
    pub critical: f64,
    /// Index of the point.
    pub suspect: usize,
}

/// Tests the point farthest from a line; `None` for fewer than p + 3 points, and where a point
/// alone holds the line (leverage 1) or the others lie on it exactly.
///
/// # Formula
/// t = r/(s₍ᵢ₎√(1 − h)), s₍ᵢ₎² = ((n − p)s² − wr²/(1 − h))/(n − p − 1): the residual in units of
/// the spread of the others, which is never taken smaller than `own`, what the points' own
/// uncertainties make of it: on coarse scales a few points lie on a line by chance.
///
/// # Example
/// ```
/// use jurado_core::stats::point_apart;
/// let x = [0.0, 1.0, 2.0, 3.0, 4.0, 5.0];
/// let y = [0.02, 0.99, 2.01, 4.50, 3.98, 5.01];
/// let test = point_apart(&x, &y, None, false, 0.95, 0.0).ok_or("too few")?;
/// assert_eq!(test.suspect, 3);
/// assert!(test.statistic > test.critical);
/// # Ok::<(), &str>(())
/// ```
pub fn point_apart(
    x: &[f64],
    y: &[f64],
    weights: Option<&[f64]>,
    through_origin: bool,
    confidence: f64,
    own: f64,
) -> Option<PointTest> {
    let fit = line(x, y, weights, through_origin).ok()?;
    let parameters = if through_origin { 1 } else { 2 };
    let n = Some(x.len()).filter(|n| *n >= parameters + 3)?;
    let s2 = fit.residual_sd?.powi(2);
    let freedom = (n - parameters) as f64;
    let mut best: Option<(f64, usize)> = None;
    for i in 0..n {
        let w = weights.map_or(1.0, |w| w[i]);
        let (r, room) = (y[i] - fit.at(x[i]), 1.0 - fit.leverage(x[i], w));
        // This point decides the line: nothing to compare with.
        if room < 1e-9 {
            continue;
        }
        let others = (freedom * s2 - w * r * r / room) / (freedom - 1.0);
        // All the others lie on it.
        if others <= 1e-12 * s2 || !others.is_finite() {
            return None;
        }
        let t = (w.sqrt() * r / (others.max(own * own) * room).sqrt()).abs();
        best = best.filter(|(b, _)| *b >= t).or(Some((t, i)));
    }
    let (statistic, suspect) = best?;
    let critical =
        StudentsT::new(0.0, 1.0, freedom - 1.0).ok()?.inverse_cdf(1.0 - (1.0 - confidence) / (2.0 * n as f64));
    Some(PointTest { statistic, critical, suspect })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_without_scatter_is_found_exactly() {
        let x = [1.0, 2.0, 4.0, 8.0];
        let y: Vec<f64> = x.iter().map(|x| 3.0 - 0.5 * x).collect();
        let fit = line(&x, &y, None, false).expect("a line");
        assert!((fit.slope + 0.5).abs() < 1e-15 && (fit.intercept - 3.0).abs() < 1e-15);
        assert_eq!(line(&[2.0, 2.0], &[1.0, 5.0], None, false), Err("all points stand above one another"));
        assert_eq!(line(&[2.0], &[1.0], None, false), Err("a line needs two points"));
        assert_eq!(line(&x, &y, Some(&[1.0, 0.0, 1.0, 1.0]), false), Err("a weight is not above nought"));
        assert!(point_apart(&x, &y, None, false, 0.95, 0.0).is_none(), "four points are too few");
    }

    #[test]
    fn partials_agree_with_differences() {
        let (x, y, w) = ([1.0, 2.0, 3.5, 5.0, 7.0], [2.1, 3.9, 7.3, 9.6, 14.4], [1.0, 2.0, 0.5, 3.0, 1.5]);
        for through in [false, true] {
            let fit = line(&x, &y, Some(&w), through).expect("a line");
            for i in 0..x.len() {
                let h = 1e-6;
                let moved = |k: usize, by: f64| {
                    let (mut x, mut y, mut w) = (x, y, w);
                    [&mut x, &mut y, &mut w][k][i] += by;
                    line(&x, &y, Some(&w), through).expect("a line")
                };
                let (slope, intercept) =
                    (fit.slope_partials(x[i], y[i], w[i]), fit.intercept_partials(x[i], y[i], w[i]));
                for k in 0..3 {
                    let (up, down) = (moved(k, h), moved(k, -h));
                    let want = (up.slope - down.slope) / (2.0 * h);
                    assert!((slope[k] - want).abs() < 1e-7, "{through} {i} {k}: {} {want}", slope[k]);
                    if !through {
                        let want = (up.intercept - down.intercept) / (2.0 * h);
                        assert!((intercept[k] - want).abs() < 1e-7, "{i} {k}: {} {want}", intercept[k]);
                    }
                }
            }
        }
    }

    #[test]
    fn the_point_apart_is_found_and_ordinary_scatter_is_not() {
        let x: Vec<f64> = (1..=8).map(f64::from).collect();
        let mut y = [2.02, 3.99, 6.01, 7.97, 10.02, 12.01, 13.98, 16.01];
        let quiet = point_apart(&x, &y, None, false, 0.95, 0.0).expect("eight points");
        assert!(quiet.statistic < quiet.critical, "{quiet:?}");
        y[5] += 0.3;
        let loud = point_apart(&x, &y, None, false, 0.95, 0.0).expect("eight points");
        assert!(loud.suspect == 5 && loud.statistic > loud.critical, "{loud:?}");
    }
}
