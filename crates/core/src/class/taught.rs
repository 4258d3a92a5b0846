//! What most teams of one section (or station) share and others do not: taught so, or caused by
//! what stands there?

use std::collections::{BTreeMap, BTreeSet};

use statrs::distribution::{DiscreteCDF, Hypergeometric};

use super::Entry;
use crate::finding::Habit;

/// A finding that is frequent in one group.
#[derive(Clone, Debug, PartialEq)]
pub struct Shared {
    /// What was found, as [`crate::summary::Summary::pattern`] writes it.
    pub pattern: String,
    /// The group.
    pub group: String,
    /// Tables of the group that have it, and tables of the group.
    pub here: (usize, usize),
    /// The same of all other tables.
    pub elsewhere: (usize, usize),
    /// Chance of so many here or more, were it spread at random, times the number of comparisons
    /// made.
    pub chance: f64,
}

/// Fewest tables of a group that share it.
const FEWEST: usize = 3;
/// Chance times comparisons below which it is told.
const LIMIT: f64 = 0.01;

/// The code of a pattern.
fn code(pattern: &str) -> &str {
    pattern.split('/').next().unwrap_or(pattern)
}

/// What was found, each with the numbers of the tables that have it; only what can be taught.
fn holders(entries: &[Entry]) -> BTreeMap<&str, Vec<usize>> {
    let mut out: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for (n, entry) in entries.iter().enumerate() {
        let own: BTreeSet<&str> = entry.found.iter().map(String::as_str).collect();
        for pattern in own.into_iter().filter(|p| Habit::of_code(code(p)).is_some()) {
            out.entry(pattern).or_default().push(n);
        }
    }
    out
}

/// What most tables of one group share and others do not, the unlikeliest first. `group_of` names
/// the group of each entry, by its number; an empty name belongs to none.
///
/// # Example
/// ```
/// use jurado_core::class::{Entry, taught};
/// let entry = |section: &str, slips: bool| Entry {
///     section: section.into(),
///     found: if slips { vec!["slip/area/radius-diameter".into()] } else { Vec::new() },
///     ..Entry::default()
/// };
/// // Eight of eight in the evening took the diameter for the radius, and one of twenty-four elsewhere.
/// let mut entries: Vec<Entry> = (0..8).map(|_| entry("Evening", true)).collect();
/// entries.extend((0..24).map(|n| entry("Morning", n == 0)));
/// let found = taught(&entries, |n| entries[n].section.clone());
/// assert_eq!((found.len(), found[0].group.as_str(), found[0].here), (1, "Evening", (8, 8)));
/// ```
///
/// # Formula
/// Fisher's exact test, one-sided: the hypergeometric chance of at least so many of the group's
/// tables among those that have it, times the number of pairs of group and finding, below 1 in 100.
/// At least three tables and half of the group have it, and the share elsewhere is less than half
/// of the share here.
///
/// # Source
/// R. A. Fisher, The Design of Experiments (1935), chapter II; the factor is Bonferroni's.
pub fn taught(entries: &[Entry], group_of: impl Fn(usize) -> String) -> Vec<Shared> {
    let groups: Vec<String> = (0..entries.len()).map(group_of).collect();
    let mut sizes: BTreeMap<&str, usize> = BTreeMap::new();
    for group in groups.iter().filter(|g| !g.is_empty()) {
        *sizes.entry(group).or_default() += 1;
    }
    let all: usize = sizes.values().sum();
    let found = holders(entries);
    let comparisons = (found.len() * sizes.len()) as f64;
    let mut out = Vec::new();
    for (pattern, holding) in &found {
        let mut here: BTreeMap<&str, usize> = BTreeMap::new();
        for n in holding.iter().filter(|n| !groups[**n].is_empty()) {
            *here.entry(&groups[*n]).or_default() += 1;
        }
        let having: usize = here.values().sum();
        for (group, count) in here {
            let size = sizes[group];
            let (others, of_others) = (having - count, all - size);
            let rare_elsewhere = 2 * others * size < count * of_others;
            if count < FEWEST || 2 * count < size || of_others == 0 || !rare_elsewhere {
                continue;
            }
            let chance = at_least((all, having, size), count) * comparisons;
            if chance < LIMIT {
                out.push(Shared {
                    pattern: (*pattern).to_owned(),
                    group: group.to_owned(),
                    here: (count, size),
                    elsewhere: (others, of_others),
                    chance,
                });
            }
        }
    }
    out.sort_by(|a, b| a.chance.total_cmp(&b.chance).then(a.pattern.cmp(&b.pattern)).then(a.group.cmp(&b.group)));
    out
}

/// Chance of at least `count` of the `having` among `drawn` of `all`.
fn at_least((all, having, drawn): (usize, usize, usize), count: usize) -> f64 {
    match Hypergeometric::new(all as u64, having as u64, drawn as u64) {
        Ok(d) if count > 0 => d.sf(count as u64 - 1),
        _ => 1.0,
    }
}

/// A finding with how many tables and sections have it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Frequent {
    /// What was found, as [`crate::summary::Summary::pattern`] writes it.
    pub pattern: String,
    /// Tables that have it.
    pub tables: usize,
    /// Sections in which it was found.
    pub sections: usize,
}

/// What was found most often, of what can be said at the start of a lab; what only one table has is
/// left out.
///
/// # Example
/// ```
/// use jurado_core::class::{Entry, frequent};
/// let entry = |section: &str, found: &[&str]| Entry {
///     section: section.into(),
///     found: found.iter().map(|f| (*f).to_owned()).collect(),
///     ..Entry::default()
/// };
/// let entries = [entry("A", &["digits-few//", "slip/d/sign"]), entry("B", &["digits-few//"])];
/// let found = frequent(&entries);
/// assert_eq!((found.len(), found[0].tables, found[0].sections), (1, 2, 2));
/// ```
pub fn frequent(entries: &[Entry]) -> Vec<Frequent> {
    let mut out: Vec<Frequent> = holders(entries)
        .into_iter()
        .filter(|(_, holding)| holding.len() > 1)
        .map(|(pattern, holding)| {
            let sections: BTreeSet<&str> = holding.iter().map(|n| entries[*n].section.as_str()).collect();
            Frequent { pattern: pattern.to_owned(), tables: holding.len(), sections: sections.len() }
        })
        .collect();
    out.sort_by(|a, b| b.tables.cmp(&a.tables).then(b.sections.cmp(&a.sections)).then(a.pattern.cmp(&b.pattern)));
    out
}
