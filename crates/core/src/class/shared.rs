//! Tables that share their typed measured cells beyond chance. Worth a look, never an accusation: a single display read
//! by all, or one set of apparatus passed on, are honest causes.

use std::collections::{BTreeMap, HashMap};

use statrs::function::gamma::ln_gamma;

use super::Entry;
use crate::stats::median;

/// Two tables that share more cells than chance allows.
#[derive(Clone, Debug, PartialEq)]
pub struct SharedTables {
    /// Number of one entry.
    pub one: usize,
    /// Number of the other.
    pub other: usize,
    /// Measured cells both have.
    pub cells: usize,
    /// Of these, typed alike.
    pub alike: usize,
    /// Chance of so many, times the number of pairs.
    pub chance: f64,
}

/// Fewest shared cells worth a look.
const FEWEST: usize = 6;
/// Chance times pairs below which a pair is listed.
const LIMIT: f64 = 1e-3;

/// Pairs of tables that share their typed measured cells beyond chance; the unlikeliest first. Settings, counts, words
/// and constants are no measured cells. `key` is the key by which tables belong to a station.
///
/// # Formula
/// p per cell = share of the other pairs that agree there, or, where that is more, share of the other tables that have
/// what one of the two has (who reads what most read agrees with more than the average pair); at the same station first,
/// and with one agreement and one pair added, so that a cell nobody else shares is not impossible. Tail of the
/// Poisson-binomial for at least m matches, times the number of pairs, below 1e-3, m ≥ 6. Replicates of what one replicate
/// has in common agree as often as those of one table do: after the first match p is at least the share of a table's own
/// pairs of replicates that are alike. Cells of one table hang
/// together (a stiff piston moves all its pressures), so that matches spread more than independent ones do: where the
/// pairs of the class spread σ times as much, the tail of the beta-binomial with the same mean and that spread counts if
/// it is the greater one: ρ = (σ² − 1)/(n − 1), α = p̄(1 − ρ)/ρ, β = (1 − p̄)(1 − ρ)/ρ.
pub fn shared_tables(entries: &[Entry], key: Option<&str>) -> Vec<SharedTables> {
    let typed = Typed::of(entries, key);
    let n = entries.len();
    let wider = typed.dispersion();
    let pairs = (n * n.saturating_sub(1) / 2) as f64;
    let mut out = Vec::new();
    for one in 0..n {
        for other in one + 1..n {
            let alike = typed.alike(one, other);
            if alike < FEWEST {
                continue;
            }
            let ps = typed.chances(one, other);
            // Half of all pairs share as many as are expected: no need to work such a tail out.
            if ps.iter().sum::<f64>() >= alike as f64 {
                continue;
            }
            let chance = at_least(&ps, alike).max(together(&ps, wider, alike)) * pairs;
            if chance < LIMIT {
                out.push(SharedTables { one, other, cells: ps.len(), alike, chance: chance.min(1.0) });
            }
        }
    }
    out.sort_by(|x, y| x.chance.total_cmp(&y.chance).then((x.one, x.other).cmp(&(y.one, y.other))));
    out
}

/// Pairs by which the spread of matches is told.
const MOST_LOOKED_AT: usize = 20_000;

/// What was typed, as numbers that are equal where the texts are; nought where nothing stands.
struct Typed {
    /// Cells of a table.
    width: usize,
    /// By table, then by cell.
    texts: Vec<u32>,
    /// Station of each table.
    stations: Vec<usize>,
    /// The reading of each cell, and how often two of its replicates are alike in one table.
    readings: Vec<(usize, f64)>,
    /// What is typed at each cell, how often: of each station, then of all; by station, then by cell.
    counts: Vec<Vec<Cell>>,
}

/// How often each text stands in a cell.
#[derive(Clone, Default)]
struct Cell {
    /// Tables by text.
    of: HashMap<u32, usize>,
    /// Tables.
    all: usize,
    /// Share of pairs that agree.
    agree: f64,
}

/// Numbers for names, from nought in the order they come.
fn numbered<T: std::hash::Hash + Eq>(known: &mut HashMap<T, usize>, name: T) -> usize {
    let next = known.len();
    *known.entry(name).or_insert(next)
}

impl Typed {
    fn of(entries: &[Entry], key: Option<&str>) -> Typed {
        let mut places: BTreeMap<(&str, usize), usize> = BTreeMap::new();
        for (id, cells) in entries.iter().flat_map(|e| &e.essence.cells) {
            for row in 0..cells.len() {
                places.insert((id, row), 0);
            }
        }
        // Numbered in their order, so that the replicates of a reading stand together.
        places.values_mut().enumerate().for_each(|(n, at)| *at = n);
        let width = places.len();
        let (mut texts, mut known) = (vec![0u32; width * entries.len()], HashMap::new());
        for (n, entry) in entries.iter().enumerate() {
            for (id, cells) in &entry.essence.cells {
                for (row, text) in cells.iter().enumerate().filter(|(_, t)| !t.is_empty()) {
                    texts[n * width + places[&(id.as_str(), row)]] = numbered(&mut known, text.as_str()) as u32 + 1;
                }
            }
        }
        let mut names = HashMap::new();
        let at = |e: &Entry| key.and_then(|k| e.essence.keys.get(k)).cloned();
        let stations: Vec<usize> = entries.iter().map(|e| numbered(&mut names, at(e))).collect();
        let mut ids = HashMap::new();
        let mut of_cell: Vec<(usize, usize)> =
            places.iter().map(|((id, _), at)| (*at, numbered(&mut ids, *id))).collect();
        of_cell.sort_unstable();
        let mut out = Typed { width, texts, stations, readings: Vec::new(), counts: Vec::new() };
        let alike: Vec<f64> = (0..ids.len()).map(|id| out.replicates_alike(&of_cell, id)).collect();
        out.readings = of_cell.iter().map(|(_, id)| (*id, alike[*id])).collect();
        let all: Vec<Cell> = (0..width).map(|cell| out.cell(cell, None)).collect();
        for station in 0..names.len() {
            // At the same station where five tables have it, else in all.
            let own = |cell: usize| Some(out.cell(cell, Some(station))).filter(|c| c.all >= 5);
            let counts = (0..width).map(|cell| own(cell).unwrap_or_else(|| all[cell].clone())).collect();
            out.counts.push(counts);
        }
        out.counts.push(all);
        out
    }

    fn row(&self, table: usize) -> &[u32] {
        &self.texts[table * self.width..(table + 1) * self.width]
    }

    /// How much wider than independent matches those of the class spread, at least 1: by the median absolute deviation of
    /// (m − Σp)/√Σp(1 − p) over pairs taken evenly from all.
    fn dispersion(&self) -> f64 {
        let n = self.stations.len();
        let pairs = n * n.saturating_sub(1) / 2;
        let step = (pairs / MOST_LOOKED_AT).max(1);
        let all = (0..n).flat_map(|one| (one + 1..n).map(move |other| (one, other)));
        let off: Vec<f64> = all
            .step_by(step)
            .filter_map(|(one, other)| {
                let ps = self.chances(one, other);
                let (expected, variance) = ps.iter().fold((0.0, 0.0), |(e, v), p| (e + p, v + p * (1.0 - p)));
                (variance > 0.0).then(|| (self.alike(one, other) as f64 - expected) / variance.sqrt())
            })
            .collect();
        let middle = median(&off).unwrap_or(0.0);
        let from = off.iter().map(|z| (z - middle).abs()).collect::<Vec<f64>>();
        median(&from).map_or(1.0, |mad| (1.4826 * mad).max(1.0))
    }

    /// Cells that two tables have alike.
    fn alike(&self, one: usize, other: usize) -> usize {
        self.row(one).iter().zip(self.row(other)).map(|(a, b)| u32::from(a == b && *a != 0)).sum::<u32>() as usize
    }

    /// Share of the pairs of one table's own replicates of a reading that are alike.
    fn replicates_alike(&self, of_cell: &[(usize, usize)], reading: usize) -> f64 {
        let cells: Vec<usize> = of_cell.iter().filter(|(_, id)| *id == reading).map(|(at, _)| *at).collect();
        let (mut alike, mut all) = (0usize, 0usize);
        for table in 0..self.stations.len() {
            let typed: Vec<u32> = cells.iter().map(|c| self.row(table)[*c]).filter(|t| *t != 0).collect();
            for (n, one) in typed.iter().enumerate() {
                all += typed.len() - n - 1;
                alike += typed[n + 1..].iter().filter(|other| *other == one).count();
            }
        }
        if all > 0 { alike as f64 / all as f64 } else { 0.0 }
    }

    /// How often each text stands in a cell: at one station, or at all.
    fn cell(&self, cell: usize, station: Option<usize>) -> Cell {
        let mut of: HashMap<u32, usize> = HashMap::new();
        for (n, _) in self.stations.iter().enumerate().filter(|(_, s)| station.is_none_or(|at| **s == at)) {
            let text = self.texts[n * self.width + cell];
            if text != 0 {
                *of.entry(text).or_default() += 1;
            }
        }
        let choose2 = |n: usize| (n * n.saturating_sub(1) / 2) as f64;
        let all: usize = of.values().sum();
        // The pair in question is not among the others.
        let agree = share(of.values().map(|c| choose2(*c)).sum::<f64>() - 1.0, choose2(all) - 1.0);
        Cell { of, all, agree }
    }

    /// The chance to agree, of every cell that both have.
    fn chances(&self, one: usize, other: usize) -> Vec<f64> {
        let same = self.stations[one] == self.stations[other];
        let counts = &self.counts[if same { self.stations[one] } else { self.counts.len() - 1 }];
        let mut matched: Option<usize> = None;
        let both = self.row(one).iter().zip(self.row(other)).zip(counts.iter().zip(&self.readings));
        both.filter(|((a, b), _)| **a != 0 && **b != 0)
            .map(|((a, b), (cell, (reading, replicates)))| {
                // Of the tables other than these two.
                let with = |text: &u32| {
                    let own = if a == b { 2 } else { 1 };
                    let others = cell.of.get(text).map_or(0.0, |c| *c as f64 - f64::from(own));
                    share(others, cell.all as f64 - 2.0)
                };
                let again = if matched == Some(*reading) { *replicates } else { 0.0 };
                if a == b {
                    matched = Some(*reading);
                }
                cell.agree.max(with(a)).max(with(b)).max(again)
            })
            .collect()
    }
}

/// Share of others that agree. One agreement is added, so that a cell nobody else shares is not impossible.
fn share(agree: f64, all: f64) -> f64 {
    (agree.max(0.0) + 1.0) / (all.max(0.0) + 2.0)
}

/// Chance of at least `m` matches of cells that hang together, so that their number spreads `wider` times as much as that
/// of independent ones; nought where it does not.
fn together(ps: &[f64], wider: f64, m: usize) -> f64 {
    let n = ps.len() as f64;
    let (mean, rho) = (ps.iter().sum::<f64>() / n, (wider * wider - 1.0) / (n - 1.0));
    if rho <= 1e-9 || rho >= 1.0 || mean >= 1.0 {
        return 0.0;
    }
    let (a, b) = (mean * (1.0 - rho) / rho, (1.0 - mean) * (1.0 - rho) / rho);
    let ln_beta = |x: f64, y: f64| ln_gamma(x) + ln_gamma(y) - ln_gamma(x + y);
    let ln_choose = |k: f64| ln_gamma(n + 1.0) - ln_gamma(k + 1.0) - ln_gamma(n - k + 1.0);
    (m..=ps.len()).map(|k| k as f64).map(|k| (ln_choose(k) + ln_beta(k + a, n - k + b) - ln_beta(a, b)).exp()).sum()
}

/// Chance of at least `m` successes of independent trials with these chances. Work: trials × `m`.
pub(super) fn at_least(ps: &[f64], m: usize) -> f64 {
    // By successes so far; whoever reaches `m` stays there.
    let mut of: Vec<f64> = vec![0.0; m + 1];
    of[0] = 1.0;
    for p in ps {
        of[m] += if m > 0 { of[m - 1] * p } else { 0.0 };
        for k in (1..m).rev() {
            of[k] = of[k] * (1.0 - p) + of[k - 1] * p;
        }
        if m > 0 {
            of[0] *= 1.0 - p;
        }
    }
    of[m]
}
