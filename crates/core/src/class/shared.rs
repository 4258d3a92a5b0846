//! Tables that share their typed measured cells beyond chance. Worth a look, never an accusation: a single display read
//! by all, or one set of apparatus passed on, are honest causes.

use std::collections::HashMap;

use crate::protocol::{Protocol, ReadingKind};
use crate::verdict::{CellState, Judged};

/// Two tables that share more cells than chance allows.
#[derive(Clone, Debug, PartialEq)]
pub struct SharedTables {
    /// Section and team of one.
    pub one: (String, String),
    /// Section and team of the other.
    pub other: (String, String),
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
/// and constants are no measured cells.
///
/// # Formula
/// p per cell = share of the other pairs that agree there, at the same station first (with one agreement and one pair
/// added, so that a cell nobody else shares is not impossible); tail of the Poisson-binomial for at least m matches,
/// times the number of pairs, below 1e-3, m ≥ 6.
pub fn shared_tables(protocol: &Protocol, tables: &[Judged], key: Option<&str>) -> Vec<SharedTables> {
    let typed: Vec<Typed<'_>> = tables.iter().map(|t| typed_cells(protocol, t)).collect();
    let n = tables.len();
    let pairs = (n * n.saturating_sub(1) / 2) as f64;
    let stations = stations_of(tables, key);
    let chances = Chances::of(&typed, &stations);
    let mut out = Vec::new();
    for a in 0..n {
        for b in a + 1..n {
            let mut ps = Vec::new();
            let mut alike = 0;
            let mut cells: Vec<&(usize, u32)> = typed[a].keys().filter(|c| typed[b].contains_key(*c)).collect();
            cells.sort_unstable();
            for cell in cells {
                let station = (stations[a] == stations[b]).then_some(stations[a]);
                ps.push(chances.at(*cell, station));
                alike += usize::from(typed[a][cell] == typed[b][cell]);
            }
            if alike < FEWEST {
                continue;
            }
            let tail = at_least(&ps, alike) * pairs;
            if tail < LIMIT {
                out.push(SharedTables {
                    one: (tables[a].section.clone(), tables[a].team.clone()),
                    other: (tables[b].section.clone(), tables[b].team.clone()),
                    cells: ps.len(),
                    alike,
                    chance: tail.min(1.0),
                });
            }
        }
    }
    out.sort_by(|x, y| x.chance.total_cmp(&y.chance).then(x.one.cmp(&y.one)).then(x.other.cmp(&y.other)));
    out
}

/// What was typed, by item and row; row 0 where the item has no rows.
type Typed<'a> = HashMap<(usize, u32), &'a str>;

fn typed_cells<'a>(protocol: &Protocol, table: &'a Judged) -> Typed<'a> {
    table
        .readings
        .iter()
        .zip(&protocol.readings)
        .filter(|(_, s)| s.kind == ReadingKind::Number && s.instrument.is_some())
        .flat_map(|(r, _)| {
            r.cells
                .iter()
                .filter(|c| c.state == CellState::Read)
                .map(move |c| ((r.item, c.row.unwrap_or(0)), c.text.trim()))
        })
        .collect()
}

/// A number for each table's value of `key`; equal values have equal numbers.
fn stations_of(tables: &[Judged], key: Option<&str>) -> Vec<usize> {
    let mut names: Vec<Option<&String>> = Vec::new();
    tables
        .iter()
        .map(|t| {
            let name = key.and_then(|k| t.keys.get(k));
            names.iter().position(|n| *n == name).unwrap_or_else(|| {
                names.push(name);
                names.len() - 1
            })
        })
        .collect()
}

/// For each cell, how often two other teams agree there: pairs that agree and pairs in all, of one station and of all.
struct Chances(HashMap<Place, (f64, f64)>);

/// A cell (item and row) at one station, or at all of them.
type Place = ((usize, u32), Option<usize>);

impl Chances {
    fn of(typed: &[Typed<'_>], stations: &[usize]) -> Chances {
        // How often each text occurs: pairs that agree follow from the counts.
        let mut texts: HashMap<Place, HashMap<&str, usize>> = HashMap::new();
        for (cells, station) in typed.iter().zip(stations) {
            for (cell, text) in cells {
                for at in [Some(*station), None] {
                    *texts.entry((*cell, at)).or_default().entry(*text).or_default() += 1;
                }
            }
        }
        let choose2 = |n: usize| (n * n.saturating_sub(1) / 2) as f64;
        let of_pairs = |by_text: HashMap<&str, usize>| {
            (by_text.values().map(|c| choose2(*c)).sum(), choose2(by_text.values().sum()))
        };
        Chances(texts.into_iter().map(|(place, by_text)| (place, of_pairs(by_text))).collect())
    }

    /// Share of the other pairs that agree: at the same station where ten pairs are there, else in all. One agreement
    /// is added, so that a cell nobody else shares is not impossible.
    fn at(&self, cell: (usize, u32), station: Option<usize>) -> f64 {
        let (mut agree, mut all) = self.0.get(&(cell, station)).copied().unwrap_or((0.0, 0.0));
        if all < 10.0 {
            (agree, all) = self.0.get(&(cell, None)).copied().unwrap_or((0.0, 0.0));
        }
        // The pair in question is not among the others.
        ((agree - 1.0).max(0.0) + 1.0) / ((all - 1.0).max(0.0) + 2.0)
    }
}

/// Chance of at least `m` successes of independent trials with these chances.
pub(super) fn at_least(ps: &[f64], m: usize) -> f64 {
    let mut of: Vec<f64> = vec![0.0; ps.len() + 1];
    of[0] = 1.0;
    for (n, p) in ps.iter().enumerate() {
        for k in (0..=n + 1).rev() {
            let below = if k > 0 { of[k - 1] * p } else { 0.0 };
            of[k] = of[k] * (1.0 - p) + below;
        }
    }
    of[m.min(ps.len() + 1)..].iter().sum()
}
