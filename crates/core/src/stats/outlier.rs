//! Tests for a replicate that stands apart. A test only raises its hand; it never removes a
//! reading.

use statrs::distribution::{ContinuousCDF, Normal, StudentsT};

use super::summary;

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

impl Confidence {
    /// The level α: the share of ordinary sets in which a test may fire.
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::Confidence;
    /// assert!((Confidence::NinetyFive.alpha() - 0.05).abs() < 1e-12);
    /// ```
    pub fn alpha(self) -> f64 {
        match self {
            Confidence::Ninety => 0.10,
            Confidence::NinetyFive => 0.05,
            Confidence::NinetyNine => 0.01,
        }
    }
}

/// Dixon's test for the reading farthest out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DixonTest {
    /// Q, the gap over the range.
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
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::{Confidence, dixon};
    /// let readings = [84.30, 84.32, 84.31, 84.33, 84.71];
    /// assert!(dixon(&readings, 0.01, Confidence::NinetyFive).is_some_and(|t| t.flagged()));
    /// ```
    pub fn flagged(&self) -> bool {
        self.statistic > self.critical
    }
}

/// Two-sided critical values of r₁₀ at 90, 95 and 99 %, n from 3 to 10 (computed by quadrature for
/// the design of the tests; the simulation below checks them).
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

/// Dixon's r₁₀ for 3 to 10 readings; `None` outside that and where all are alike. It is a weak test
/// for few readings: a value 8 standard deviations off is found in 13 of 100 cases at n = 3, in 76
/// at n = 5.
///
/// # Formula
/// Q = gap / (range + δ), where δ is the instrument's resolution. Without δ, readings rounded to
/// the resolution make it fire: 16 to 56 % false alarms at n = 3 for δ = 0.2 to 1 standard
/// deviation.
///
/// # Source
/// Dixon, Annals of Mathematical Statistics 21 (1950) and 22 (1951), r₁₀.
///
/// # Example
/// ```
/// use jurado_core::stats::{Confidence, dixon};
/// let readings = [84.30, 84.32, 84.31, 84.33, 84.71];
/// let test = dixon(&readings, 0.01, Confidence::NinetyFive).ok_or("three to ten readings")?;
/// // The gap is 0.38, the range 0.41, the resolution 0.01.
/// assert!((test.statistic - 0.38 / 0.42).abs() < 1e-9);
/// assert_eq!((test.suspect, test.low), (4, false));
/// # Ok::<(), &str>(())
/// ```
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

/// A test's figure against its limit, for the reading farthest out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Suspect {
    /// What the test measures for the suspect.
    pub statistic: f64,
    /// Value that the statistic has to pass for the suspect to be flagged.
    pub critical: f64,
    /// Index of the reading.
    pub suspect: usize,
    /// Whether it stands low.
    pub low: bool,
}

impl Suspect {
    /// Whether the test raises its hand.
    ///
    /// # Example
    /// ```
    /// use jurado_core::stats::{Confidence, grubbs};
    /// let readings = [84.30, 84.32, 84.31, 84.33, 84.71];
    /// assert!(grubbs(&readings, 0.01, Confidence::NinetyFive).is_some_and(|t| t.flagged()));
    /// ```
    pub fn flagged(&self) -> bool {
        self.statistic > self.critical
    }
}

/// Index of the reading farthest from a centre, and whether it lies below it.
fn farthest(readings: &[f64], centre: f64) -> Option<(usize, bool)> {
    let far = |i: usize| (readings[i] - centre).abs();
    let i = (0..readings.len()).max_by(|a, b| far(*a).total_cmp(&far(*b)).then(b.cmp(a)))?;
    Some((i, readings[i] < centre))
}

/// The upper quantile of Student's t.
fn t_upper(tail: f64, freedom: f64) -> Option<f64> {
    StudentsT::new(0.0, 1.0, freedom).ok().map(|t| t.inverse_cdf(1.0 - tail))
}

/// Readings rounded to a coarse scale lie up to half a step from where they would: a quarter of a
/// step taken off the largest deviation keeps every test at or below its level up to δ = 2σ
/// (simulated for 2 to 20 readings; without it Grubbs' test fires in 6 to 12 of 100 ordinary sets
/// there).
const COARSE: f64 = 0.25;

/// Known repeatability: σ stated by the protocol, or pooled over many teams; two readings suffice.
///
/// # Formula
/// (max|xᵢ − x̄| − δ/4)·√(n/(n − 1))/σ against z(1 − α/2n), σ widened by the resolution δ/√12 in
/// quadrature.
///
/// # Example
/// ```
/// use jurado_core::stats::{Confidence, known_repeatability};
/// // Two titres 0.30 mL apart, where the class repeats within 0.05 mL.
/// let test = known_repeatability(&[24.10, 24.40], 0.05, 0.05, Confidence::NinetyFive).ok_or("two readings")?;
/// assert!(test.flagged());
/// # Ok::<(), &str>(())
/// ```
pub fn known_repeatability(readings: &[f64], sigma: f64, resolution: f64, confidence: Confidence) -> Option<Suspect> {
    let n = readings.len() as f64;
    let sigma = sigma.hypot(resolution / 12f64.sqrt());
    if readings.len() < 2 || sigma <= 0.0 || !sigma.is_finite() {
        return None;
    }
    let mean = summary(readings)?.mean;
    let (suspect, low) = farthest(readings, mean)?;
    let far = ((readings[suspect] - mean).abs() - COARSE * resolution).max(0.0);
    let statistic = far * (n / (n - 1.0)).sqrt() / sigma;
    let critical = Normal::standard().inverse_cdf(1.0 - confidence.alpha() / (2.0 * n));
    Some(Suspect { statistic, critical, suspect, low })
}

/// Grubbs' test for one reading, n ≥ 3; `None` without spread.
///
/// # Formula
/// G = (max|x − x̄| − δ/4)/s; critical (n − 1)/√n·√(t²/(n − 2 + t²)), t at 1 − α/2n with n − 2
/// degrees of freedom. s is never taken smaller than δ/√12: readings rounded to a coarse scale must
/// not make it fire.
///
/// # Source
/// Grubbs, Annals of Mathematical Statistics 21 (1950); ISO 5725-2:2019, 7.3.4.
///
/// # Example
/// ```
/// use jurado_core::stats::{Confidence, grubbs};
/// let readings = [84.30, 84.32, 84.31, 84.33, 84.71];
/// let test = grubbs(&readings, 0.01, Confidence::NinetyFive).ok_or("three readings")?;
/// assert_eq!(test.suspect, 4);
/// assert!(test.statistic > test.critical);
/// # Ok::<(), &str>(())
/// ```
pub fn grubbs(readings: &[f64], resolution: f64, confidence: Confidence) -> Option<Suspect> {
    let n = readings.len() as f64;
    let s = summary(readings)?;
    let sd = s.sd?.max(resolution / 12f64.sqrt());
    if readings.len() < 3 || s.sd == Some(0.0) || !sd.is_finite() {
        return None;
    }
    let (suspect, low) = farthest(readings, s.mean)?;
    let t = t_upper(confidence.alpha() / (2.0 * n), n - 2.0)?;
    let critical = (n - 1.0) / n.sqrt() * (t * t / (n - 2.0 + t * t)).sqrt();
    let far = ((readings[suspect] - s.mean).abs() - COARSE * resolution).max(0.0);
    Some(Suspect { statistic: far / sd, critical, suspect, low })
}

/// Generalised extreme studentised deviate: each step's test in the order the readings are set
/// aside, at most ⌊n/4⌋. The outliers are the first k, k the largest step whose statistic passes
/// its limit.
///
/// # Formula
/// λᵢ = (n − i)t/√((n − i − 1 + t²)(n − i + 1)), t at 1 − α/(2(n − i + 1)) with n − i − 1 degrees
/// of freedom. The limits are for n ≥ 25; of fewer readings the steps share α, or the first of them
/// would fire in 8 of 100 ordinary sets where 5 are stated.
///
/// # Source
/// Rosner, Technometrics 25 (1983).
///
/// # Example
/// ```
/// use jurado_core::stats::{Confidence, generalised_esd};
/// let readings = [5.0, 5.1, 4.9, 5.0, 5.2, 4.8, 5.1, 9.0];
/// let steps = generalised_esd(&readings, 0.1, Confidence::NinetyFive);
/// assert_eq!(steps.len(), 2, "a quarter of eight");
/// assert_eq!(steps[0].suspect, 7);
/// ```
pub fn generalised_esd(readings: &[f64], resolution: f64, confidence: Confidence) -> Vec<Suspect> {
    let n = readings.len();
    let mut left: Vec<usize> = (0..n).collect();
    let mut out = Vec::new();
    let steps = n / 4;
    let alpha = if n < 25 { confidence.alpha() / steps.max(1) as f64 } else { confidence.alpha() };
    for step in 1..=steps {
        let values: Vec<f64> = left.iter().map(|i| readings[*i]).collect();
        let Some((mean, sd)) = summary(&values).and_then(|s| Some((s.mean, s.sd?))) else { break };
        let sd = if sd == 0.0 { break } else { sd.max(resolution / 12f64.sqrt()) };
        let Some((at, low)) = farthest(&values, mean) else { break };
        let (m, i) = (n as f64, step as f64);
        let Some(t) = t_upper(alpha / (2.0 * (m - i + 1.0)), m - i - 1.0) else { break };
        let critical = (m - i) * t / ((m - i - 1.0 + t * t) * (m - i + 1.0)).sqrt();
        let far = ((values[at] - mean).abs() - COARSE * resolution).max(0.0);
        out.push(Suspect { statistic: far / sd, critical, suspect: left[at], low });
        left.remove(at);
    }
    out
}

/// Modified z, n ≥ 8. It is no test of a stated level: among 5 to 15 ordinary readings it fires in
/// 12 to 21 of 100 cases.
///
/// # Formula
/// 0.6745·|x − median|/MAD against 3.5; where the MAD is 0, |x − median|/(1.2533·mean|x − median|).
/// MAD and mean deviation never below a quarter of the resolution.
///
/// # Source
/// Iglewicz and Hoaglin, How to Detect and Handle Outliers (1993).
///
/// # Example
/// ```
/// use jurado_core::stats::modified_z;
/// let readings = [5.0, 5.1, 4.9, 5.0, 5.2, 4.8, 5.1, 9.0];
/// let test = modified_z(&readings, 0.1).ok_or("eight readings")?;
/// assert_eq!(test.suspect, 7);
/// assert!(test.statistic > 3.5);
/// # Ok::<(), &str>(())
/// ```
pub fn modified_z(readings: &[f64], resolution: f64) -> Option<Suspect> {
    if readings.len() < 8 {
        return None;
    }
    let centre = median(readings)?;
    let deviations: Vec<f64> = readings.iter().map(|x| (x - centre).abs()).collect();
    let (suspect, low) = farthest(readings, centre)?;
    let floor = resolution / 4.0;
    let mad = median(&deviations)?;
    let statistic = if mad > 0.0 {
        0.6745 * deviations[suspect] / mad.max(floor)
    } else {
        let mean = deviations.iter().sum::<f64>() / deviations.len() as f64;
        if mean == 0.0 {
            return None;
        }
        deviations[suspect] / (1.2533 * mean).max(floor)
    };
    Some(Suspect { statistic, critical: 3.5, suspect, low })
}

/// Middle value, or the mean of the two middle ones.
///
/// # Example
/// ```
/// use jurado_core::stats::median;
/// assert_eq!(median(&[3.0, 1.0, 2.0]), Some(2.0));
/// assert_eq!(median(&[4.0, 1.0, 2.0, 3.0]), Some(2.5));
/// assert_eq!(median(&[]), None);
/// ```
pub fn median(values: &[f64]) -> Option<f64> {
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    let n = sorted.len();
    match n {
        0 => None,
        _ if n % 2 == 1 => Some(sorted[n / 2]),
        _ => Some(sorted[n / 2 - 1] + (sorted[n / 2] - sorted[n / 2 - 1]) / 2.0),
    }
}

/// The largest set of readings that agree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Concordance {
    /// Indices of the readings that count, in order.
    pub kept: Vec<usize>,
    /// Whether another set of the same size gives another mean.
    pub tied: bool,
}

/// The largest set of at least two readings within a tolerance of one another; `None` if no two
/// agree. Among sets of one size the smaller spread wins, then the later readings. `tolerance` of
/// the widest difference, inclusive, on a scale of `resolution`: typed numbers are compared as
/// typed.
///
/// # Example
/// ```
/// use jurado_core::stats::concordance;
/// // Titres in mL that must agree within 0.10.
/// let set = concordance(&[24.85, 24.30, 24.20, 24.25], |_| 0.10, 0.05).ok_or("none agree")?;
/// assert_eq!(set.kept, [1, 2, 3]);
/// assert!(!set.tied);
/// # Ok::<(), &str>(())
/// ```
pub fn concordance(readings: &[f64], tolerance: impl Fn(f64) -> f64, resolution: f64) -> Option<Concordance> {
    let n = readings.len();
    let mut order: Vec<usize> = (0..n).collect();
    order.sort_by(|a, b| readings[*a].total_cmp(&readings[*b]).then(a.cmp(b)));
    // Any best set is a run of the sorted readings.
    let mut best: Option<(usize, f64, Vec<usize>)> = None;
    let mut tied = false;
    let slack = 1e-6 * resolution.abs();
    let mut to = 0;
    for from in 0..n {
        to = to.max(from + 1);
        let spread = |to: usize| readings[order[to - 1]] - readings[order[from]];
        let middle = |to: usize| (readings[order[to - 1]] + readings[order[from]]) / 2.0;
        while to < n && spread(to + 1) <= tolerance(middle(to + 1)) + slack {
            to += 1;
        }
        let size = to - from;
        if size < 2 {
            continue;
        }
        let mut set: Vec<usize> = order[from..to].to_vec();
        set.sort_unstable();
        let width = spread(to);
        let mean = |set: &[usize]| set.iter().map(|i| readings[*i]).sum::<f64>() / set.len() as f64;
        let better = match &best {
            None => true,
            Some((s, w, kept)) => {
                if *s == size && (mean(&set) - mean(kept)).abs() > slack {
                    tied = true;
                }
                size > *s
                    || (size == *s && width < *w - slack)
                    || (size == *s && (width - *w).abs() <= slack && set.iter().rev().gt(kept.iter().rev()))
            }
        };
        if better {
            if best.as_ref().is_some_and(|(s, ..)| size > *s) {
                tied = false;
            }
            best = Some((size, width, set));
        }
    }
    best.map(|(_, _, kept)| Concordance { kept, tied })
}

#[cfg(test)]
mod tests {
    use super::*;

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

    /// The false alarm rate of each critical value, by simulation with a generator of the test's
    /// own.
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

    #[test]
    fn limits_are_those_of_the_tables() {
        // Grubbs, 5 % two-sided: n = 3 1.1543, n = 5 1.7150, n = 10 2.2900 (ISO 5725-2, table 5).
        for (n, critical) in [(3, 1.1543), (5, 1.7150), (10, 2.2900), (20, 2.7082)] {
            let readings: Vec<f64> = (0..n).map(f64::from).collect();
            let t = grubbs(&readings, 0.0, Confidence::NinetyFive).expect("spread");
            assert!((t.critical - critical).abs() < 2e-4, "n = {n}: {}", t.critical);
        }
        // Generalised ESD for n = 54: the first three limits.
        let readings: Vec<f64> = (0..54).map(f64::from).collect();
        let esd = generalised_esd(&readings, 0.0, Confidence::NinetyFive);
        assert_eq!(esd.len(), 13);
        for (t, critical) in esd.iter().zip([3.159, 3.151, 3.144]) {
            assert!((t.critical - critical).abs() < 6e-4, "{}", t.critical);
        }
        // z(1 − 0.05/6) = 2.394.
        let known = known_repeatability(&[1.0, 2.0, 3.0], 1.0, 0.0, Confidence::NinetyFive).expect("three");
        assert!((known.critical - 2.3940).abs() < 1e-4, "{}", known.critical);
        assert!((known.statistic - 1.5f64.sqrt()).abs() < 1e-12);
    }

    #[test]
    fn concordance_takes_the_largest_set_then_the_tightest_then_the_latest() {
        let within = |readings: &[f64], tolerance: f64| concordance(readings, |_| tolerance, 0.05);
        for (readings, kept, tied) in [
            (&[24.35, 24.15, 24.10, 24.20][..], Some(&[1, 2, 3][..]), false),
            (&[24.10, 24.20, 24.50, 24.55], Some(&[2, 3]), true),
            // Typed decimals: 24.2 − 24.1 is 0.1 though binary numbers say a little more.
            (&[24.1, 24.2], Some(&[0, 1]), false),
            (&[24.1, 24.3, 24.5], None, false),
            (&[24.1], None, false),
            // Equal spread: the later pair.
            (&[24.10, 24.15, 24.40, 24.45], Some(&[2, 3]), true),
        ] {
            let got = within(readings, 0.1);
            assert_eq!(got.as_ref().map(|c| &c.kept[..]), kept, "{readings:?}");
            assert_eq!(got.is_some_and(|c| c.tied), tied, "{readings:?}");
        }
    }

    #[test]
    fn no_spread_is_no_test() {
        let same = [3.1; 9];
        assert!(grubbs(&same, 0.1, Confidence::NinetyFive).is_none());
        assert!(modified_z(&same, 0.1).is_none());
        assert!(generalised_esd(&same, 0.1, Confidence::NinetyFive).is_empty());
        assert!(known_repeatability(&same, 0.0, 0.0, Confidence::NinetyFive).is_none());
        assert_eq!(median(&[4.0, 1.0, 3.0]), Some(3.0));
        assert_eq!(median(&[4.0, 1.0]), Some(2.5));
    }
}
