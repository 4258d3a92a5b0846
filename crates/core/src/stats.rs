//! The statistics shelf: summaries of replicates and the tests for one that stands apart.

/// Mean and sample standard deviation of replicates.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Summary {
    /// How many.
    pub count: usize,
    /// Arithmetic mean.
    pub mean: f64,
    /// Sample standard deviation, n − 1; `None` for one reading.
    pub sd: Option<f64>,
}

/// Mean and sample standard deviation; `None` for no readings. Order is irrelevant up to rounding.
///
/// # Formula
/// s² = (Σ(x − x̄)² − (Σ(x − x̄))²/n) / (n − 1), the corrected two-pass form: the second term takes back the rounding of x̄.
///
/// # Source
/// Chan, Golub and LeVeque, The American Statistician 37 (1983), the corrected two-pass algorithm.
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

/// Confidence at which a test raises its hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Confidence {
    /// 90 in 100.
    Ninety,
    /// 95 in 100.
    NinetyFive,
    /// 99 in 100.
    NinetyNine,
}

/// Dixon's test for the reading farthest out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DixonTest {
    /// Q.
    pub statistic: f64,
    /// Critical value for this n and confidence.
    pub critical: f64,
    /// Index of the reading farthest out.
    pub suspect: usize,
    /// Whether it stands low.
    pub low: bool,
}

impl DixonTest {
    /// Whether the test raises its hand.
    pub fn flagged(&self) -> bool {
        self.statistic > self.critical
    }
}

/// Two-sided critical values of r₁₀ at 90, 95 and 99 %, n from 3 to 10 (computed by quadrature for the design of the
/// tests; the simulation below checks them).
const DIXON: [[f64; 3]; 8] = [
    [0.9413, 0.9702, 0.9940],
    [0.7655, 0.8298, 0.9207],
    [0.6424, 0.7102, 0.8232],
    [0.5624, 0.6275, 0.7427],
    [0.5073, 0.5690, 0.6811],
    [0.4671, 0.5256, 0.6336],
    [0.4363, 0.4922, 0.5963],
    [0.4118, 0.4656, 0.5661],
];

/// Dixon's r₁₀ for 3 to 10 readings; `None` outside that and where all are alike. It is a weak test for few readings:
/// a value 8 standard deviations off is found in 13 of 100 cases at n = 3, in 76 at n = 5.
///
/// # Formula
/// Q = gap / (range + δ), where δ is the instrument's resolution. Without δ, readings rounded to the resolution make it
/// fire: 16 to 56 % false alarms at n = 3 for δ = 0.2 to 1 standard deviation.
///
/// # Source
/// Dixon, Annals of Mathematical Statistics 21 (1950) and 22 (1951), r₁₀.
pub fn dixon(readings: &[f64], resolution: f64, confidence: Confidence) -> Option<DixonTest> {
    let n = readings.len();
    let critical = *DIXON.get(n.checked_sub(3)?)?.get(confidence as usize)?;
    let mut order: Vec<usize> = (0..n).collect();
    order.sort_by(|&a, &b| readings[a].total_cmp(&readings[b]));
    let x = |i: usize| readings[order[i]];
    let range = x(n - 1) - x(0);
    if range <= 0.0 || !range.is_finite() {
        return None;
    }
    let (below, above) = (x(1) - x(0), x(n - 1) - x(n - 2));
    let low = below > above;
    let gap = below.max(above);
    Some(DixonTest {
        statistic: gap / (range + resolution),
        critical,
        suspect: order[if low { 0 } else { n - 1 }],
        low,
    })
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

    #[test]
    fn dixon_follows_its_definition() {
        let test = |xs: &[f64], d| dixon(xs, d, Confidence::NinetyFive);
        // gap 0.12, range 0.14, δ 0.02: 0.12 / 0.16.
        let t = test(&[6.40, 6.38, 6.40, 6.26, 6.38], 0.02).expect("five readings");
        assert!((t.statistic - 0.75).abs() < 1e-9 && t.low && t.suspect == 3 && t.flagged());
        assert_eq!(test(&[1.0, 1.0, 1.0], 0.1), None, "no spread, no test");
        assert_eq!(test(&[1.0, 2.0], 0.1), None);
        assert_eq!(test(&[1.0; 11], 0.1), None);
        // At n = 3 a coarse scale cannot fire.
        assert!(!test(&[1.0, 1.0, 1.1], 0.1).expect("three").flagged());
    }

    /// The false alarm rate of each critical value, by simulation with a generator of the test's own.
    #[test]
    fn dixon_critical_values_have_their_stated_level() {
        let mut state = 0x9e37_79b9_7f4a_7c15u64;
        let mut uniform = move || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            ((state >> 11) as f64 + 0.5) / (1u64 << 53) as f64
        };
        let trials = 20_000;
        for n in 3..=7 {
            let mut alarms = 0;
            for _ in 0..trials {
                // Box and Muller: normal deviates.
                let xs: Vec<f64> = (0..n)
                    .map(|_| (-2.0 * uniform().ln()).sqrt() * (std::f64::consts::TAU * uniform()).cos())
                    .collect();
                alarms += usize::from(dixon(&xs, 0.0, Confidence::NinetyFive).is_some_and(|t| t.flagged()));
            }
            let rate = alarms as f64 / f64::from(trials);
            // Standard error 0.0015; four of them.
            assert!((rate - 0.05).abs() < 0.0062, "n = {n}: {rate}");
        }
    }
}
