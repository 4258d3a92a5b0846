//! The teams of a class by their groups, each with its rows.
//!
//! A team that measured at three forks is in three groups by fork, and in one by section.

use std::collections::{BTreeSet, HashMap};

use super::scale::Referred;
use super::{Entry, Value};
use crate::formula::ItemId;
use crate::protocol::Protocol;
use crate::stats::median;

/// By what teams are grouped.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum By {
    /// Section.
    Section,
    /// Who decided the table.
    Reviewer,
    /// A key of the protocol, by its id: station, fork, object, batch, letter.
    Key(String),
}

/// The rows of one team in one group.
pub(super) struct Team {
    /// Number of its table among the entries.
    pub(super) entry: usize,
    /// Name of its group.
    pub(super) group: String,
    /// What it measured, where groups measure different things.
    pub(super) thing: String,
    /// Its values, each with the reference of its row.
    pub(super) rows: Vec<Referred>,
    /// Place of the last figure that its values deserve.
    pub(super) place: i32,
}

impl Team {
    /// Median over its rows of what `of` gives.
    pub(super) fn middle(&self, of: impl Fn(&Referred) -> Option<f64>) -> Option<f64> {
        median(&self.rows.iter().filter_map(of).collect::<Vec<f64>>())
    }
}

/// Teams with their rows, in the order of the entries; a team that measured at several forks is
/// there once for each group and each thing.
///
/// Words and values that could not be worked out have no row.
pub(super) fn gather(protocol: &Protocol, entries: &[Entry], item: ItemId, by: &By, thing: Option<&str>) -> Vec<Team> {
    let id = &protocol.items[item].id;
    // A row belongs to a group by itself only where rows are told apart by that very key.
    let row_key = protocol.row_key(item).map(|k| protocol.keys[k].id.as_str());
    let by_row = |by: &By| matches!(by, By::Key(key) if Some(key.as_str()) == row_key);
    let thing = thing.map(|key| By::Key(key.to_owned()));
    let mut out: Vec<Team> = Vec::new();
    for (n, entry) in entries.iter().enumerate() {
        let begin = out.len();
        for value in entry.essence.values.iter().filter(|v| v.item == *id) {
            let Some(clean) = value.clean else { continue };
            let name = |by: &By| group_of(entry, Some(value).filter(|_| by_row(by)), by).to_owned();
            let (group, thing) = (name(by), thing.as_ref().map(name).unwrap_or_default());
            let row = (clean, value.sheet);
            match out[begin..].iter_mut().find(|t| t.group == group && t.thing == thing) {
                Some(team) => team.rows.push(row),
                None => out.push(Team { entry: n, group, thing, rows: vec![row], place: value.place }),
            }
        }
    }
    out
}

/// The group of a table, or of one of its rows where a value is given; empty where it belongs to
/// none.
///
/// # Example
/// ```
/// use jurado_core::class::{By, Entry, group_of};
/// let entry = Entry { section: "Evening".into(), reviewer: "2".into(), ..Entry::default() };
/// assert_eq!(group_of(&entry, None, &By::Section), "Evening");
/// assert_eq!(group_of(&entry, None, &By::Key("station".into())), "");
/// ```
pub fn group_of<'a>(entry: &'a Entry, value: Option<&'a Value>, by: &By) -> &'a str {
    match by {
        By::Section => &entry.section,
        By::Reviewer => &entry.reviewer,
        By::Key(key) => {
            let row = value.and_then(|v| v.at.as_deref());
            row.or_else(|| entry.essence.keys.get(key).map(String::as_str)).unwrap_or_default()
        }
    }
}

/// A name's order as people count: 2 before 10.
///
/// # Example
/// ```
/// use jurado_core::class::natural;
/// let mut names = ["Station 10", "Station 9", "Station 1"];
/// names.sort_by_key(|name| natural(name));
/// assert_eq!(names, ["Station 1", "Station 9", "Station 10"]);
/// ```
pub fn natural(name: &str) -> (u64, String) {
    let digits: String = name.chars().filter(char::is_ascii_digit).collect();
    (digits.parse().unwrap_or(0), name.to_lowercase())
}

/// Numbers for names in their order.
///
/// The second is the place of each name in the first.
pub(super) fn numbered<'a>(names: impl Iterator<Item = &'a str>) -> (Vec<String>, HashMap<String, usize>) {
    let unique: BTreeSet<&str> = names.collect();
    let mut sorted: Vec<String> = unique.into_iter().map(str::to_owned).collect();
    sorted.sort_by_cached_key(|name| natural(name));
    let numbers = sorted.iter().enumerate().map(|(n, name)| (name.clone(), n)).collect();
    (sorted, numbers)
}
