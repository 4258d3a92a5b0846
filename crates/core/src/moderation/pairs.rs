//! What two people who did not see each other's marks gave the same tables.
//!
//! Two numbers say whether two people mark alike: the interval in which nineteen of twenty of their
//! differences lie, in points, and kappa, which asks whether they decided the same findings the
//! same way more often than chance would have it. Both come with an interval, and neither is told
//! of fewer than eight pairs.

use serde::{Deserialize, Serialize};

use super::places::quantile;
use crate::finding::{Finding, Kind, Severity};
use crate::stats::summary;
use crate::verdict::Judged;

/// Random pairs under which nothing is said.
pub const FEWEST_PAIRS: usize = 8;
/// Samples of the tables from which the interval of kappa is read.
///
/// The interval then moves by less than a hundredth from one seed to another.
const SAMPLES: usize = 2_000;

/// What a person did with a finding, beside what was computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// Took less off than was computed.
    Less,
    /// Took it as it was proposed.
    Proposed,
    /// Took more off.
    More,
}

impl Way {
    /// Which way a decision went from what was computed.
    fn of(finding: &Finding) -> Way {
        match finding.decided_cost.cmp(&finding.computed_cost) {
            std::cmp::Ordering::Less => Way::Less,
            std::cmp::Ordering::Equal => Way::Proposed,
            std::cmp::Ordering::Greater => Way::More,
        }
    }
}

/// One finding that two people decided.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Twice {
    /// The finding as a ruling would know it: `code/item/slip`.
    pub pattern: String,
    /// The first person's way.
    pub first: Way,
    /// The second person's.
    pub second: Way,
    /// Whether they took the same points off.
    pub same: bool,
}

/// One table that was marked twice.
#[derive(Clone, Debug, PartialEq)]
pub struct Pair {
    /// Points that the first gave.
    pub first: f64,
    /// Points that the second gave.
    pub second: f64,
    /// Whether it was drawn at random; else it was chosen because it hangs on a decision, and is
    /// drawn but not counted.
    pub random: bool,
    /// The findings that both decided.
    pub twice: Vec<Twice>,
}

/// The findings of a table that both people had to decide or that either changed, in the table's
/// order. Both verdicts are on the same cells, by the same protocol and rulings.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::moderation::{Way, alike};
/// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
/// // Both left everything as it was proposed.
/// let twice = alike(&lab(), &judged, &judged);
/// assert!(!twice.is_empty());
/// assert!(twice.iter().all(|t| t.same && t.first == Way::Proposed && t.second == Way::Proposed));
/// ```
pub fn alike(protocol: &crate::protocol::Protocol, first: &Judged, second: &Judged) -> Vec<Twice> {
    let pairs = first.findings.iter().filter_map(|f| Some((f, second.findings.iter().find(|s| s.key == f.key)?)));
    let chosen = pairs.filter(|(f, s)| {
        // What only the paper tells stands for both.
        if matches!(f.kind, Kind::Manual(_)) {
            return false;
        }
        let asked = f.severity == Severity::Decide && f.ruling.is_none();
        asked || Way::of(f) != Way::Proposed || Way::of(s) != Way::Proposed
    });
    chosen
        .map(|(f, s)| Twice {
            pattern: crate::summary::pattern(protocol, first, f),
            first: Way::of(f),
            second: Way::of(s),
            same: f.decided_cost == s.decided_cost,
        })
        .collect()
}

/// What the random pairs say. Points throughout; every pair of numbers is an interval of 95 %, from
/// and to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Agreement {
    /// Random pairs.
    pub pairs: usize,
    /// Mean of second − first.
    pub mean: f64,
    /// Its interval.
    pub mean_in: (f64, f64),
    /// Between which nineteen of twenty such differences lie.
    pub limits: (f64, f64),
    /// Half the interval of either limit.
    pub limit_half: f64,
    /// Pairs that differ by a quarter of a point or less.
    pub close: usize,
    /// Findings that both decided.
    pub findings: usize,
    /// Of these, those that were decided alike.
    pub same: usize,
    /// Weighted kappa of the decisions; `None` where one way was taken throughout.
    pub kappa: Option<f64>,
    /// Its interval; `None` where too many samples have no kappa.
    pub kappa_in: Option<(f64, f64)>,
}

impl Agreement {
    /// What the random pairs say; `None` under [`FEWEST_PAIRS`] of them.
    ///
    /// # Example
    /// ```
    /// use jurado_core::moderation::{Agreement, Pair};
    /// let pair = |second: f64| Pair { first: 16.0, second, random: true, twice: Vec::new() };
    /// let pairs: Vec<Pair> = [16.0, 16.25, 15.75, 16.0, 16.5, 16.0, 15.75, 16.25].map(pair).into();
    /// let agreement = Agreement::of(&pairs).expect("eight pairs");
    /// assert!((agreement.mean - 0.0625).abs() < 1e-9);
    /// assert_eq!((agreement.close, agreement.kappa), (7, None));
    /// assert_eq!(Agreement::of(&pairs[1..]), None);
    /// ```
    ///
    /// # Formula
    /// d = second − first; d̄ ± t·s/√n; limits d̄ ± 1.96·s, each known to ± t·s·√(3/n). Kappa is 1
    /// − Σw·o/Σw·e over the three ways, w = |i − j|/2, o the share observed and e the share that
    /// the margins give; its interval runs between the 2.5th and the 97.5th percentile over samples
    /// of whole tables, since findings of one table hang together.
    ///
    /// # Source
    /// Bland and Altman, Statistical Methods in Medical Research 8 (1999) 135; Cohen, Psychological
    /// Bulletin 70 (1968) 213.
    pub fn of(pairs: &[Pair]) -> Option<Agreement> {
        let random: Vec<&Pair> = pairs.iter().filter(|p| p.random).collect();
        if random.len() < FEWEST_PAIRS {
            return None;
        }
        let differences: Vec<f64> = random.iter().map(|p| p.second - p.first).collect();
        let s = summary(&differences)?;
        let (n, sd) = (random.len() as f64, s.sd?);
        let t = quantile(0.975, n - 1.0);
        let half = t * sd / n.sqrt();
        let all = || random.iter().flat_map(|p| &p.twice);
        let kappa = kappa(all());
        Some(Agreement {
            pairs: random.len(),
            mean: s.mean,
            mean_in: (s.mean - half, s.mean + half),
            limits: (s.mean - 1.96 * sd, s.mean + 1.96 * sd),
            limit_half: t * sd * (3.0 / n).sqrt(),
            close: differences.iter().filter(|d| d.abs() <= 0.25 + 1e-9).count(),
            findings: all().count(),
            same: all().filter(|t| t.same).count(),
            kappa,
            kappa_in: kappa.and_then(|_| kappa_interval(&random)),
        })
    }
}

/// Kappa with linear weights over the three ways; `None` where the margins leave no room to
/// disagree.
///
/// One step apart counts half, two steps whole.
fn kappa<'a>(twice: impl Iterator<Item = &'a Twice>) -> Option<f64> {
    let mut counts = [[0.0f64; 3]; 3];
    let mut n = 0.0;
    for t in twice {
        counts[t.first as usize][t.second as usize] += 1.0;
        n += 1.0;
    }
    let rows: [f64; 3] = std::array::from_fn(|i| counts[i].iter().sum());
    let columns: [f64; 3] = std::array::from_fn(|j| counts.iter().map(|row| row[j]).sum());
    let (mut observed, mut expected) = (0.0, 0.0);
    for (i, row) in counts.iter().enumerate() {
        for (j, count) in row.iter().enumerate() {
            let weight = i.abs_diff(j) as f64 / 2.0;
            observed += weight * count / n;
            expected += weight * rows[i] * columns[j] / (n * n);
        }
    }
    (expected > 0.0).then(|| 1.0 - observed / expected)
}

/// Between the 2.5th and the 97.5th percentile of kappa over samples of whole tables, drawn with
/// replacement from a seed that is always the same; `None` where a tenth of the samples has no
/// kappa.
///
/// The generator starts from the same number each time, so that a page shows the same interval on
/// every day.
fn kappa_interval(pairs: &[&Pair]) -> Option<(f64, f64)> {
    let mut state = 0x9e37_79b9_7f4a_7c15u64;
    let mut next = || {
        // xorshift64*: Vigna, ACM Transactions on Mathematical Software 42 (2016) 30.
        state ^= state >> 12;
        state ^= state << 25;
        state ^= state >> 27;
        (state.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 33) as usize % pairs.len()
    };
    let mut found: Vec<f64> = (0..SAMPLES)
        .filter_map(|_| {
            let sample: Vec<&Pair> = (0..pairs.len()).map(|_| pairs[next()]).collect();
            kappa(sample.iter().flat_map(|p| &p.twice))
        })
        .collect();
    if found.len() * 10 < SAMPLES * 9 {
        return None;
    }
    found.sort_by(f64::total_cmp);
    let at = |share: f64| found[((found.len() - 1) as f64 * share).round() as usize];
    Some((at(0.025), at(0.975)))
}
