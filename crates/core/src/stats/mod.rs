//! The statistics shelf: summaries of replicates, tests for one that stands apart, straight lines,
//! end points. Plain numbers in and out; nothing here knows a protocol.
//!
//! # What is here
//!
//! | module | gives |
//! |---|---|
//! | `outlier` | tests for readings that stand apart, and concordant sets |
//! | `fit` | straight lines with weights, their errors, leverage, the point off the line |
//! | `curve` | curves of any form, by damped least squares |
//! | `endpoint` | end points of titrations, by second derivative and by tangents |
//!
//! All of it works on plain slices in the units given, keeps nothing, and says `None` or why where
//! a figure is not defined. Certified data of statistical reference sets are in `core/tests`.

mod curve;
pub mod endpoint;
mod fit;
mod outlier;

pub use curve::{Curve, least_squares};
pub use fit::{Line, PointTest, line, point_apart};
pub use outlier::{
    Concordance, Confidence, DixonTest, Suspect, concordance, dixon, generalised_esd, grubbs, known_repeatability,
    median, modified_z,
};

/// Mean and sample standard deviation of replicates.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Summary {
    /// How many readings there are.
    pub count: usize,
    /// Arithmetic mean.
    pub mean: f64,
    /// Sample standard deviation, n − 1; `None` for one reading.
    pub sd: Option<f64>,
}

/// Mean and sample standard deviation; `None` for no readings. Order is irrelevant up to rounding.
///
/// # Formula
/// s² = (Σ(x − x̄)² − (Σ(x − x̄))²/n) / (n − 1), the corrected two-pass form: the second term takes
/// back the rounding of x̄.
///
/// # Source
/// Chan, Golub and LeVeque, The American Statistician 37 (1983), the corrected two-pass algorithm.
///
/// # Example
/// ```
/// use jurado_core::stats::summary;
/// let s = summary(&[4.98, 5.00, 5.02]).ok_or("no readings")?;
/// assert!((s.mean - 5.0).abs() < 1e-12);
/// assert!((s.sd.unwrap_or(0.0) - 0.02).abs() < 1e-12);
/// assert!(summary(&[]).is_none());
/// # Ok::<(), &str>(())
/// ```
pub fn summary(readings: &[f64]) -> Option<Summary> {
    let n = readings.len();
    if n == 0 {
        return None;
    }
    let count = n as f64;
    // Offsets from the first reading, so that 1000000.1, 1000000.2, … keeps its last digits.
    let origin = readings[0];
    let mean_offset = readings.iter().map(|x| x - origin).sum::<f64>() / count;
    // Deviations as parts of the widest, so that 1e300 squared does not overflow nor 1e-300 squared vanish.
    let widest = readings.iter().map(|x| ((x - origin) - mean_offset).abs()).fold(0.0, f64::max);
    let (mut squares, mut sum) = (0.0, 0.0);
    for x in readings.iter().filter(|_| widest > 0.0) {
        let d = ((x - origin) - mean_offset) / widest;
        squares += d * d;
        sum += d;
    }
    let sd = (n > 1).then(|| widest * ((squares - sum * sum / count) / (count - 1.0)).max(0.0).sqrt());
    Some(Summary { count: n, mean: origin + mean_offset, sd })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn summaries_keep_their_digits_far_from_nought() {
        // Exact by rational arithmetic: 1e9 + {1, 2, 4, 5}/16 has mean 1e9 + 3/16 and s² = (10/3)/256.
        let shifted: Vec<f64> = [1.0, 2.0, 4.0, 5.0].iter().map(|x| 1e9 + x / 16.0).collect();
        let s = summary(&shifted).expect("readings");
        assert_eq!(s.mean, 1e9 + 3.0 / 16.0);
        assert!((s.sd.expect("four") / ((10.0f64 / 3.0).sqrt() / 16.0) - 1.0).abs() < 1e-12);
        let huge = summary(&[1e300, 3e300]).and_then(|s| s.sd).expect("two");
        assert!((huge / (2f64.sqrt() * 1e300) - 1.0).abs() < 1e-12, "{huge}");
        assert_eq!(summary(&[]), None);
        assert_eq!(summary(&[2.0]).map(|s| s.sd), Some(None));
    }
}
