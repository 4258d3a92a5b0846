//! Tables that share their typed measured cells beyond chance. Worth a look, never an accusation: a
//! single display read by all, or one set of apparatus passed on, are honest causes.

use std::collections::{BTreeMap, HashMap};

use statrs::function::gamma::ln_gamma;

use super::Entry;

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

/// Pairs of tables that share their typed measured cells beyond chance; the unlikeliest first.
/// Settings, counts, words and constants are no measured cells. `key` is the key by which tables
/// belong to a station.
///
/// # Example
/// ```
/// use jurado_core::class::{Entry, Essence, shared_tables};
/// // Twelve tables of ten cells; the last two have the same digits throughout.
/// let entry = |team: usize| {
///     let seed = team.min(10);
///     let cells = (0..10).map(|n| format!("{}.{}", 20 + n, (seed * 7 + n * n * (seed + 3)) % 97)).collect();
///     let essence = Essence { cells: [("titre".to_owned(), cells)].into(), ..Essence::default() };
///     Entry { team: team.to_string(), essence, ..Entry::default() }
/// };
/// let entries: Vec<Entry> = (0..12).map(entry).collect();
/// let found = shared_tables(&entries, None);
/// assert_eq!(found.iter().map(|s| (s.one, s.other)).collect::<Vec<_>>(), [(10, 11)]);
/// assert_eq!((found[0].cells, found[0].alike), (10, 10));
/// ```
///
/// # Formula
/// p per cell = share of the other pairs that agree there, or, where that is more, share of the
/// other tables that have what one of the two has (who reads what most read agrees with more than
/// the average pair); at the same station first, and with one agreement and one pair added, so that
/// a cell nobody else shares is not impossible. Tail of the Poisson-binomial for at least m
/// matches, times the number of pairs, below 1e-3, m ≥ 6. Replicates of what one replicate has in
/// common agree as often as those of one table do: after the first match p is at least the share of
/// a table's own pairs of replicates that are alike. Cells of one table hang together (a stiff
/// piston moves all its pressures), so that matches spread more than independent ones do: where the
/// pairs of the class spread σ times as much, the tail of the beta-binomial with the same mean and
/// that spread counts if it is the greater one: ρ = (σ² − 1)/(n − 1), α = p̄(1 − ρ)/ρ, β = (1 −
/// p̄)(1 − ρ)/ρ.
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
            // What lies within two and a half deviations is never so unlikely: most pairs end here.
            let (expected, variance) = moments(&ps);
            if (alike as f64 - expected) <= 2.5 * variance.sqrt() {
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
/// So far a pair counts when the spread is told, in deviations: tables that were copied are not to
/// hide each other.
const MOST_APART: f64 = 5.0;

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
    /// Of how many tables a cell is, and the share of pairs that agree there: of each station, then
    /// of all; by station, then by cell.
    cells: Vec<Vec<Cell>>,
    /// How many tables have what this one has at a cell, by table and cell: of its own station, and
    /// of all.
    likewise: [Vec<u32>; 2],
}

/// What is known of a cell.
#[derive(Clone, Copy)]
struct Cell {
    /// Tables that have it.
    all: usize,
    /// Share of pairs that agree.
    agree: f64,
}

/// What was typed, as numbers that are equal where the texts are, from 1; by table and then by
/// cell.
///
/// Equal texts have equal numbers all over the class, so that a comparison is one of numbers.
fn texts(entries: &[Entry], places: &BTreeMap<(&str, usize), usize>) -> Vec<u32> {
    let (mut texts, mut known) = (vec![0u32; places.len() * entries.len()], HashMap::new());
    for (n, entry) in entries.iter().enumerate() {
        for (id, cells) in &entry.essence.cells {
            for (row, text) in cells.iter().enumerate().filter(|(_, t)| !t.is_empty()) {
                let at = n * places.len() + places[&(id.as_str(), row)];
                texts[at] = numbered(&mut known, text.as_str()) as u32 + 1;
            }
        }
    }
    texts
}

/// Numbers for names, from nought in the order they come.
fn numbered<T: std::hash::Hash + Eq>(known: &mut HashMap<T, usize>, name: T) -> usize {
    let next = known.len();
    *known.entry(name).or_insert(next)
}

impl Typed {
    /// What was typed in all tables, with how often each cell is alike at its station and over all.
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
        let texts = texts(entries, &places);
        let mut names = HashMap::new();
        let at = |e: &Entry| key.and_then(|k| e.essence.keys.get(k)).cloned();
        let stations: Vec<usize> = entries.iter().map(|e| numbered(&mut names, at(e))).collect();
        let mut ids = HashMap::new();
        let mut of_cell: Vec<(usize, usize)> =
            places.iter().map(|((id, _), at)| (*at, numbered(&mut ids, *id))).collect();
        of_cell.sort_unstable();
        let likewise = [vec![0; texts.len()], vec![0; texts.len()]];
        let mut out = Typed { width, texts, stations, readings: Vec::new(), cells: Vec::new(), likewise };
        let alike: Vec<f64> = (0..ids.len()).map(|id| out.replicates_alike(&of_cell, id)).collect();
        out.readings = of_cell.iter().map(|(_, id)| (*id, alike[*id])).collect();
        out.count(names.len());
        out
    }

    /// Counts what stands in every cell: of all tables, and of each station where five tables have
    /// the cell.
    ///
    /// A station with fewer than five tables of a cell is judged by the whole class there.
    fn count(&mut self, stations: usize) {
        let n = self.stations.len();
        let everybody: Vec<usize> = (0..n).collect();
        let all: Vec<(Cell, HashMap<u32, u32>)> = (0..self.width).map(|cell| self.cell(cell, &everybody)).collect();
        self.set(1, &everybody, &all);
        for station in 0..stations {
            let here: Vec<usize> = (0..n).filter(|t| self.stations[*t] == station).collect();
            let own = |cell: usize| Some(self.cell(cell, &here)).filter(|(c, _)| c.all >= 5);
            let counts: Vec<_> = (0..self.width).map(|c| own(c).unwrap_or_else(|| all[c].clone())).collect();
            self.set(0, &here, &counts);
            self.cells.push(counts.into_iter().map(|(cell, _)| cell).collect());
        }
        self.cells.push(all.into_iter().map(|(cell, _)| cell).collect());
    }

    /// Writes down of some tables how many have what they have.
    ///
    /// `which` is 0 for the station's own tables and 1 for all.
    fn set(&mut self, which: usize, tables: &[usize], counts: &[(Cell, HashMap<u32, u32>)]) {
        for table in tables {
            for (cell, (_, of)) in counts.iter().enumerate() {
                let at = table * self.width + cell;
                self.likewise[which][at] = of.get(&self.texts[at]).copied().unwrap_or(0);
            }
        }
    }

    /// What a table has, by cell.
    fn row(&self, table: usize) -> &[u32] {
        &self.texts[table * self.width..(table + 1) * self.width]
    }

    /// How much wider than independent matches those of the class spread, at least 1: the standard
    /// deviation of z = (m − Σp)/√Σp(1 − p) over pairs taken evenly from all, each at most
    /// [`MOST_APART`] from their mean. That lies below 0, since p is taken rather too large. A
    /// median of deviations would not do: of few cells, m takes few values, and the median jumps
    /// from one to the next.
    fn dispersion(&self) -> f64 {
        let n = self.stations.len();
        let pairs = n * n.saturating_sub(1) / 2;
        let step = (pairs / MOST_LOOKED_AT).max(1);
        let all = (0..n).flat_map(|one| (one + 1..n).map(move |other| (one, other)));
        let off: Vec<f64> = all
            .step_by(step)
            .filter_map(|(one, other)| {
                let (expected, variance) = moments(&self.chances(one, other));
                (variance > 0.0).then(|| (self.alike(one, other) as f64 - expected) / variance.sqrt())
            })
            .collect();
        let bounded = |z: &f64, middle: f64| (z - middle).clamp(-MOST_APART, MOST_APART);
        let mean = |of: &dyn Fn(&f64) -> f64| off.iter().map(of).sum::<f64>() / off.len().max(1) as f64;
        let middle = mean(&|z| bounded(z, 0.0));
        mean(&|z| bounded(z, middle).powi(2)).sqrt().max(1.0)
    }

    /// Cells that two tables have alike.
    fn alike(&self, one: usize, other: usize) -> usize {
        self.row(one).iter().zip(self.row(other)).map(|(a, b)| u32::from(a == b && *a != 0)).sum::<u32>() as usize
    }

    /// Share of the pairs of one table's own replicates of a reading that are alike.
    ///
    /// Nought where no table has two replicates of it.
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

    /// A cell of some tables, with how often each text stands there.
    ///
    /// A cell of two tables says little, and its share is a half.
    fn cell(&self, cell: usize, tables: &[usize]) -> (Cell, HashMap<u32, u32>) {
        let mut of: HashMap<u32, u32> = HashMap::new();
        for text in tables.iter().map(|t| self.texts[t * self.width + cell]).filter(|t| *t != 0) {
            *of.entry(text).or_default() += 1;
        }
        let choose2 = |n: usize| (n * n.saturating_sub(1) / 2) as f64;
        let all = of.values().sum::<u32>() as usize;
        // The pair in question is not among the others.
        let agree = share(of.values().map(|c| choose2(*c as usize)).sum::<f64>() - 1.0, choose2(all) - 1.0);
        (Cell { all, agree }, of)
    }

    /// The chance to agree, of every cell that both have.
    ///
    /// In the order of the cells, those that one of them lacks left out.
    fn chances(&self, one: usize, other: usize) -> Vec<f64> {
        let same = self.stations[one] == self.stations[other];
        let (cells, likewise) = if same {
            (&self.cells[self.stations[one]], &self.likewise[0])
        } else {
            (&self.cells[self.cells.len() - 1], &self.likewise[1])
        };
        let (a, b) = (self.row(one), self.row(other));
        let mut matched: Option<usize> = None;
        let mut out = Vec::with_capacity(self.width);
        for n in (0..self.width).filter(|n| a[*n] != 0 && b[*n] != 0) {
            let (reading, replicates) = self.readings[n];
            let alike = a[n] == b[n];
            // Of the tables other than these two.
            let others = cells[n].all as f64 - 2.0;
            let with = |table: usize| {
                let count = f64::from(likewise[table * self.width + n]) - if alike { 2.0 } else { 1.0 };
                share(count, others)
            };
            let again = if matched == Some(reading) { replicates } else { 0.0 };
            if alike {
                matched = Some(reading);
            }
            out.push(cells[n].agree.max(with(one)).max(with(other)).max(again));
        }
        out
    }
}

/// Expected number of matches and its variance, of independent cells with these chances: Σp and
/// Σp(1 − p).
///
/// Both are of the number of cells that two tables have alike.
fn moments(ps: &[f64]) -> (f64, f64) {
    ps.iter().fold((0.0, 0.0), |(e, v), p| (e + p, v + p * (1.0 - p)))
}

/// Share of others that agree. One agreement is added, so that a cell nobody else shares is not
/// impossible.
fn share(agree: f64, all: f64) -> f64 {
    (agree.max(0.0) + 1.0) / (all.max(0.0) + 2.0)
}

/// Chance of at least `m` matches of cells that hang together, so that their number spreads `wider`
/// times as much as that of independent ones; nought where it does not.
///
/// The sum runs over every number of matches from `m` up.
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
