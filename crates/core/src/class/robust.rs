//! Robust centre and spread of many teams.

use crate::formula::ItemId;
use crate::stats::{median, summary};
use crate::verdict::Judged;

/// Robust centre and spread.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Robust {
    /// Robust mean x*.
    pub centre: f64,
    /// Robust standard deviation s*.
    pub spread: f64,
    /// Standard uncertainty of the centre, 1.25·s*/√p.
    pub uncertainty: f64,
    /// How many teams went into it.
    pub count: usize,
}

/// Algorithm A; `None` for no values. Order is irrelevant.
///
/// # Formula
/// x* = median, s* = 1.483·median|x − x*| to begin with; then values beyond x* ± 1.5·s* are drawn
/// in to there, x* = their mean, s* = 1.134·their standard deviation (n − 1), until neither moves
/// by 1e-9. s* is never below δ/√12, δ the resolution of the values. u(x*) = 1.25·s*/√p.
///
/// # Source
/// ISO 13528:2015, annex C.3, Algorithm A.
///
/// # Example
/// ```
/// use jurado_core::class::algorithm_a;
/// let with = algorithm_a(&[8.49, 8.51, 8.50, 8.52, 8.48, 9.90], 0.0).expect("six teams");
/// // One wild team moves the mean of six by 0.23, and the consensus by a hundredth.
/// assert!((with.centre - 8.50).abs() < 0.02, "{}", with.centre);
/// ```
pub fn algorithm_a(values: &[f64], resolution: f64) -> Option<Robust> {
    let n = values.len();
    let floor = resolution.abs() / 12f64.sqrt();
    let mut centre = median(values)?;
    let deviations: Vec<f64> = values.iter().map(|x| (x - centre).abs()).collect();
    let mut spread = (1.483 * median(&deviations)?).max(floor);
    if n > 1 && spread > 0.0 {
        let mut drawn = values.to_vec();
        // The iteration contracts by about a third a step; a thousand steps are far more than it takes.
        for _ in 0..1000 {
            let reach = 1.5 * spread;
            for (d, x) in drawn.iter_mut().zip(values) {
                *d = x.clamp(centre - reach, centre + reach);
            }
            let s = summary(&drawn)?;
            let next = (1.134 * s.sd.unwrap_or(0.0)).max(floor);
            let moved = (s.mean - centre).abs().max((next - spread).abs());
            (centre, spread) = (s.mean, next);
            if moved <= 1e-9 * spread || spread == 0.0 {
                break;
            }
        }
    }
    Some(Robust { centre, spread, uncertainty: 1.25 * spread / (n as f64).sqrt(), count: n })
}

/// Fewest teams that give a known repeatability.
const POOLED_TEAMS: usize = 20;

/// The repeatability of a reading, in its unit, pooled over at least twenty teams that repeated it;
/// `None` for fewer. Teams whose spread a robust centre finds far out (one reading slipped) do not
/// count.
///
/// Only replicates that count are taken, as they are in each table's own judgement.
///
/// # Example
/// ```
/// use jurado_core::class::pooled_repeatability;
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// let lab = lab();
/// let girth = lab.item("girth").expect("a reading");
/// let one = judge(&lab, &table("29.98", "706.1"), &[], &[]);
/// // Three girths that scatter by 0.1 cm in each of twenty teams; nineteen are too few.
/// let class = vec![one; 20];
/// let pooled = pooled_repeatability(&class, girth).expect("twenty teams");
/// assert!((pooled - 0.1).abs() < 1e-9);
/// assert_eq!(pooled_repeatability(&class[1..], girth), None);
/// ```
///
/// # Formula
/// σ = √(Σνᵢsᵢ²/Σνᵢ), νᵢ = nᵢ − 1, over teams with sᵢ ≤ 3 times the median spread.
pub fn pooled_repeatability(tables: &[Judged], item: ItemId) -> Option<f64> {
    let spreads: Vec<(f64, f64)> = tables
        .iter()
        .flat_map(|t| t.readings.iter().filter(|r| r.item == item))
        .filter_map(|r| {
            let values: Vec<f64> = r.cells.iter().filter(|c| c.counts).filter_map(|c| c.value).collect();
            Some((summary(&values)?.sd?, (values.len() - 1) as f64))
        })
        .collect();
    if spreads.len() < POOLED_TEAMS {
        return None;
    }
    let usual = median(&spreads.iter().map(|s| s.0).collect::<Vec<f64>>())?;
    let kept = spreads.iter().filter(|s| s.0 <= 3.0 * usual);
    let (squares, freedom) = kept.fold((0.0, 0.0), |(q, f), (s, n)| (q + n * s * s, f + n));
    Some((squares / freedom).sqrt()).filter(|s| s.is_finite() && *s > 0.0)
}

/// z of each value: (x − x*)/s*; nought for all where there is no spread.
///
/// # Example
/// ```
/// use jurado_core::class::{algorithm_a, z_scores};
/// let values = [8.49, 8.51, 8.50, 8.52, 8.48, 9.90];
/// let robust = algorithm_a(&values, 0.0).expect("six teams");
/// let z = z_scores(&values, &robust);
/// assert!(z[5] > 10.0 && z[0].abs() < 2.0);
/// ```
pub fn z_scores(values: &[f64], robust: &Robust) -> Vec<f64> {
    values.iter().map(|x| if robust.spread > 0.0 { (x - robust.centre) / robust.spread } else { 0.0 }).collect()
}
