//! One result of a lab over all sections: where each team stands from the consensus, by any key, and what its group does.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::scale::{Placing, Referred};
use super::{Cochran, Effect, Entry, Mandel, Member, Robust, Scale, Value, algorithm_a, cochran, effects, mandel};
use crate::formula::ItemId;
use crate::protocol::{Protocol, ResultId};
use crate::quantity::power_of_ten;
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

/// What a class is asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Asked {
    /// Of which result.
    pub result: ResultId,
    /// By what teams are grouped.
    pub by: By,
    /// The key whose groups are taken out of what sections and reviewers do, such as the station.
    pub beside: Option<String>,
    /// The key whose values are different things: each value is compared with the consensus of its own.
    pub thing: Option<String>,
}

impl Asked {
    /// What is asked of a class where nothing else is said.
    pub fn usual(protocol: &Protocol, entries: &[Entry], result: ResultId, by: By) -> Asked {
        let beside = main_key(protocol, result).map(str::to_owned);
        Asked { result, by, beside, thing: thing(protocol, entries, result) }
    }

    /// Whether the groups themselves are different things, so that none of them is off.
    pub fn alone(&self) -> bool {
        matches!((&self.by, &self.thing), (By::Key(key), Some(thing)) if key == thing)
    }
}

/// A team's value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Point {
    /// Number of the entry.
    pub entry: usize,
    /// Number of the group.
    pub group: usize,
    /// In the result's unit; of several rows their median.
    pub value: f64,
    /// On the scale.
    pub placed: f64,
    /// Distance from the consensus in robust spreads; of different things from that of its own.
    pub z: f64,
}

/// Teams of one station, section or reviewer.
#[derive(Clone, Debug, PartialEq)]
pub struct Group {
    /// Its name; empty where a table names none.
    pub name: String,
    /// Median of its teams, on the scale.
    pub median: f64,
    /// Its own consensus, in the result's unit.
    pub own: Robust,
    /// What it does; `None` where groups measure different things.
    pub effect: Option<Effect>,
}

/// One result over all sections.
#[derive(Clone, Debug, PartialEq)]
pub struct Floor {
    /// Of which result.
    pub result: ResultId,
    /// Scale of the points.
    pub scale: Scale,
    /// Whether effects are shares: ln(x/reference).
    pub relative: bool,
    /// Lower and upper end of the one reference, on the scale: nought where every table has its own.
    pub reference: Option<[f64; 2]>,
    /// Consensus of all teams, on the scale; `None` without a value.
    pub consensus: Option<Robust>,
    /// Groups, in the order of their names.
    pub groups: Vec<Group>,
    /// Points, in the order of the entries.
    pub points: Vec<Point>,
    /// Tables without a value, or without the reference that the others have.
    pub without: usize,
    /// Sections as laboratories, in the order in which they come.
    pub mandel: Option<Mandel>,
    /// Test of the widest section.
    pub cochran: Option<Cochran>,
}

/// A distance in robust spreads beyond which a team is named.
pub const APART: f64 = 3.0;

/// Results that can be compared over a class: numbers, and of columns those whose rows have a reference or a key.
///
/// # Example
/// ```
/// use jurado_core::class::comparable;
/// use jurado_core::example::lab;
/// // Posts differ from team to team and nothing says which is which: only what has a reference is compared.
/// assert!(comparable(&lab()).iter().all(|result| result.index() < lab().results.len()));
/// ```
pub fn comparable(protocol: &Protocol) -> Vec<ResultId> {
    let fits = |n: &ResultId| {
        let spec = &protocol.results[*n];
        let rows_fit = || protocol.accuracy_of(*n).is_some() || protocol.row_key(spec.item).is_some();
        protocol.items[spec.item].words.is_none() && !spec.guess && (spec.table.is_none() || rows_fit())
    };
    ResultId::each(&protocol.results).filter(fits).collect()
}

/// Results that are words.
pub fn worded(protocol: &Protocol) -> Vec<ResultId> {
    ResultId::each(&protocol.results).filter(|n| protocol.items[protocol.results[*n].item].words.is_some()).collect()
}

/// The result that is shown first: the one whose accuracy is worth most, else the last.
pub fn first(protocol: &Protocol) -> Option<ResultId> {
    let there = comparable(protocol);
    let worth = |n: &&ResultId| (protocol.accuracy_of(**n).map(|(c, _)| c.points), std::cmp::Reverse(**n));
    let judged = there.iter().filter(|n| protocol.accuracy_of(**n).is_some()).max_by_key(worth);
    judged.or(there.last()).copied()
}

/// The key whose consensus is the reference of a result: its values are different things, each known by its teams alone.
pub fn unknown_by(protocol: &Protocol, result: ResultId) -> Option<&str> {
    let reference = &protocol.references[protocol.accuracy_of(result)?.1];
    let key = reference.key.filter(|_| reference.consensus)?;
    Some(protocol.keys[key].id.as_str())
}

/// The key by which a result is grouped first: the one that its unknown or its reference goes by, else a station, else the
/// first.
pub fn main_key(protocol: &Protocol, result: ResultId) -> Option<&str> {
    let of_reference = || protocol.references[protocol.accuracy_of(result)?.1].key;
    let of_row = || protocol.row_key(protocol.results[result].item);
    let station = || protocol.keys.iter().position(|k| k.id == "station");
    let key = of_reference().or_else(of_row).or_else(station).or((!protocol.keys.is_empty()).then_some(0))?;
    Some(protocol.keys[key].id.as_str())
}

/// A spread within groups that is less than this part of the spread of all tells that they measure different things.
const UNLIKE: f64 = 1.0 / 3.0;

/// The key whose values are different things for a result: the key of its unknown; without a reference the key within
/// whose groups values lie much closer together than among all.
pub fn thing(protocol: &Protocol, entries: &[Entry], result: ResultId) -> Option<String> {
    if let Some(key) = unknown_by(protocol, result) {
        return Some(key.to_owned());
    }
    if protocol.accuracy_of(result).is_some() {
        return None;
    }
    let item = protocol.results[result].item;
    let spread = |key: &str| {
        let mut groups: BTreeMap<String, Vec<f64>> = BTreeMap::new();
        for team in gather(protocol, entries, item, &By::Key(key.to_owned()), None) {
            groups.entry(team.group).or_default().extend(team.rows.iter().map(|v| v.0));
        }
        let mut all: Vec<f64> = groups.values().flatten().copied().collect();
        let (whole, many) = (deviation(&mut all), groups.len() > 1);
        let mut within: Vec<f64> = groups.into_values().flat_map(|mut v| centred(&mut v)).collect();
        Some(deviation(&mut within)).filter(|s| many && *s < UNLIKE * whole)
    };
    let unlike = protocol.keys.iter().filter_map(|k| Some((spread(&k.id)?, &k.id)));
    unlike.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, id)| id.clone())
}

/// Values less their median.
fn centred(values: &mut [f64]) -> Vec<f64> {
    let middle = median(values).unwrap_or(0.0);
    values.iter().map(|v| v - middle).collect()
}

/// Median absolute deviation from the median.
fn deviation(values: &mut [f64]) -> f64 {
    median(&centred(values).iter().map(|d| d.abs()).collect::<Vec<f64>>()).unwrap_or(0.0)
}

/// The rows of one team in one group.
struct Team {
    entry: usize,
    group: String,
    /// What it measured, where groups measure different things.
    thing: String,
    rows: Vec<Referred>,
    place: i32,
}

impl Team {
    /// Median over its rows of what `of` gives.
    fn middle(&self, of: impl Fn(&Referred) -> Option<f64>) -> Option<f64> {
        median(&self.rows.iter().filter_map(of).collect::<Vec<f64>>())
    }
}

/// Teams with their rows, in the order of the entries; a team that measured at several forks is there once for each group
/// and each thing.
fn gather(protocol: &Protocol, entries: &[Entry], item: ItemId, by: &By, thing: Option<&str>) -> Vec<Team> {
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

/// The group of a table, or of one of its rows where a value is given; empty where it belongs to none.
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
fn numbered<'a>(names: impl Iterator<Item = &'a str>) -> (Vec<String>, HashMap<String, usize>) {
    let unique: BTreeSet<&str> = names.collect();
    let mut sorted: Vec<String> = unique.into_iter().map(str::to_owned).collect();
    sorted.sort_by_cached_key(|name| natural(name));
    let numbers = sorted.iter().enumerate().map(|(n, name)| (name.clone(), n)).collect();
    (sorted, numbers)
}

impl Floor {
    /// One result over all tables of a lab.
    pub fn of(protocol: &Protocol, entries: &[Entry], asked: &Asked) -> Floor {
        let item = protocol.results[asked.result].item;
        let teams = gather(protocol, entries, item, &asked.by, asked.thing.as_deref());
        let placing = Placing::of(teams.iter().flat_map(|t| &t.rows));
        let teams: Vec<(Team, f64)> =
            teams.into_iter().filter_map(|t| t.middle(|v| placing.place(v)).map(|x| (t, x))).collect();
        let (names, numbers) = numbered(teams.iter().map(|(t, _)| t.group.as_str()));
        let mut points: Vec<Point> = teams
            .iter()
            .map(|(t, placed)| Point {
                entry: t.entry,
                group: numbers[&t.group],
                value: t.middle(|v| Some(v.0)).unwrap_or(f64::NAN),
                placed: *placed,
                z: 0.0,
            })
            .collect();
        let step = median(&teams.iter().map(|(t, _)| power_of_ten(t.place)).collect::<Vec<f64>>()).unwrap_or(0.0);
        let mut groups = groups(names, &points, step);
        let resolution = placing.resolution(teams.iter().flat_map(|(t, _)| t.rows.iter().map(|v| (v, t.place))));
        let consensus = match &asked.thing {
            Some(_) => of_things(&teams, &mut points, &mut groups, step),
            None => together(&mut points, if placing.scale == Scale::Percent { 100.0 * resolution } else { step }),
        };
        if !asked.alone() {
            // Spreads have allowed for the last figures already.
            let resolution = if asked.thing.is_some() { 0.0 } else { resolution };
            for effect in effects(&members(entries, &teams, &points, placing, asked), resolution) {
                groups[effect.group].effect = Some(beyond_reference(effect, &teams, &points, placing));
            }
        }
        let sections = by_section(entries, &points);
        let shown: BTreeSet<usize> = points.iter().map(|p| p.entry).collect();
        Floor {
            result: asked.result,
            scale: if asked.thing.is_some() { Scale::Spreads } else { placing.scale },
            relative: placing.relative && asked.thing.is_none(),
            reference: match placing.scale {
                _ if asked.thing.is_some() => None,
                Scale::Unit | Scale::Spreads => placing.reference,
                Scale::Percent | Scale::Apart => Some([0.0, 0.0]),
            },
            consensus,
            without: entries.len() - shown.len(),
            groups,
            points,
            mandel: mandel(&sections),
            cochran: cochran(&sections),
        }
    }

    /// Where a point stands once what its group does is taken out: every group's median lies on the consensus then.
    pub fn taken_out(&self, point: &Point) -> f64 {
        point.placed - self.groups[point.group].median + self.consensus.map_or(0.0, |c| c.centre)
    }

    /// What an effect comes to on the scale: of a share 100·(e^effect − 1) percent, or that part of the consensus.
    pub fn on_scale(&self, effect: f64) -> f64 {
        match self.scale {
            Scale::Percent => 100.0 * effect.exp_m1(),
            Scale::Unit if self.relative => effect.exp_m1() * self.consensus.map_or(0.0, |c| c.centre),
            _ => effect,
        }
    }
}

/// Distances from the consensus of all.
fn together(points: &mut [Point], resolution: f64) -> Option<Robust> {
    let consensus = algorithm_a(&points.iter().map(|p| p.placed).collect::<Vec<f64>>(), resolution)?;
    points
        .iter_mut()
        .filter(|_| consensus.spread > 0.0)
        .for_each(|p| p.z = (p.placed - consensus.centre) / consensus.spread);
    Some(consensus)
}

/// Distances of each value from the consensus of its own thing, which become the scale.
fn of_things(teams: &[(Team, f64)], points: &mut [Point], groups: &mut [Group], step: f64) -> Option<Robust> {
    let mut values: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    teams.iter().zip(points.iter()).for_each(|((t, _), p)| values.entry(&t.thing).or_default().push(p.value));
    let own: BTreeMap<&str, Robust> =
        values.into_iter().filter_map(|(thing, v)| Some((thing, algorithm_a(&v, step)?))).collect();
    for (p, (t, _)) in points.iter_mut().zip(teams) {
        let own = own[t.thing.as_str()];
        p.z = if own.spread > 0.0 { (p.value - own.centre) / own.spread } else { 0.0 };
        p.placed = p.z;
    }
    for (n, group) in groups.iter_mut().enumerate() {
        let of_group: Vec<f64> = points.iter().filter(|p| p.group == n).map(|p| p.placed).collect();
        group.median = median(&of_group).unwrap_or(0.0);
    }
    let count = points.len();
    (count > 0).then(|| Robust { centre: 0.0, spread: 1.0, uncertainty: 1.25 / (count as f64).sqrt(), count })
}

/// An effect is not named where the group's teams lie inside what the sheet itself leaves open of their reference, or
/// differ from the others by no more than that.
fn beyond_reference(effect: Effect, teams: &[(Team, f64)], points: &[Point], placing: Placing) -> Effect {
    let mine = || teams.iter().zip(points).filter(|(_, p)| p.group == effect.group).map(|((t, _), _)| t);
    let middle =
        |of: &dyn Fn(&Referred) -> Option<f64>| median(&mine().filter_map(|t| t.middle(of)).collect::<Vec<f64>>());
    let Some(room) = middle(&|v| placing.room(v)) else { return effect };
    let off = middle(&|v| placing.plain(v)).unwrap_or(0.0);
    Effect { named: effect.named && effect.effect.abs() > room && off.abs() > room, ..effect }
}

/// Every group with its own consensus; `step` is one in the last figure.
fn groups(names: Vec<String>, points: &[Point], step: f64) -> Vec<Group> {
    let mut placed: Vec<(Vec<f64>, Vec<f64>)> = vec![Default::default(); names.len()];
    for p in points {
        placed[p.group].0.push(p.placed);
        placed[p.group].1.push(p.value);
    }
    let none = Robust { centre: f64::NAN, spread: 0.0, uncertainty: 0.0, count: 0 };
    let with = |(name, (on_scale, values)): (String, (Vec<f64>, Vec<f64>))| Group {
        name,
        median: median(&on_scale).unwrap_or(0.0),
        own: algorithm_a(&values, step).unwrap_or(none),
        effect: None,
    };
    names.into_iter().zip(placed).map(with).collect()
}

/// What the effects are worked out from: of a station's its sections are taken out, of a section's or a reviewer's the
/// stations. A team that measured several things counts once in a group, with its median.
fn members(entries: &[Entry], teams: &[(Team, f64)], points: &[Point], placing: Placing, asked: &Asked) -> Vec<Member> {
    let beside = asked.beside.clone().map(By::Key);
    let other = match (&asked.by, &beside) {
        (By::Key(_), _) => Some(&By::Section),
        (_, beside) => beside.as_ref(),
    };
    let name = |entry: usize| other.map_or("", |by| group_of(&entries[entry], None, by));
    let (_, numbers) = numbered(points.iter().map(|p| name(p.entry)));
    let mut values: BTreeMap<(usize, usize), Vec<f64>> = BTreeMap::new();
    for ((t, _), p) in teams.iter().zip(points) {
        let value = if asked.thing.is_some() { Some(p.placed) } else { t.middle(|v| placing.plain(v)) };
        values.entry((p.entry, p.group)).or_default().extend(value);
    }
    let member = |((entry, group), of): ((usize, usize), Vec<f64>)| {
        Some(Member { group, other: numbers[name(entry)], value: median(&of)? })
    };
    values.into_iter().filter_map(member).collect()
}

/// The teams of each section, each once with the median of its points, in the order in which the sections come.
fn by_section(entries: &[Entry], points: &[Point]) -> Vec<(String, Vec<f64>)> {
    let mut of_team: BTreeMap<usize, Vec<f64>> = BTreeMap::new();
    points.iter().for_each(|p| of_team.entry(p.entry).or_default().push(p.placed));
    let mut out: Vec<(String, Vec<f64>)> = Vec::new();
    let mut at: HashMap<&str, usize> = HashMap::new();
    for (entry, values) in of_team {
        let section = entries[entry].section.as_str();
        let n = *at.entry(section).or_insert(out.len());
        if n == out.len() {
            out.push((section.to_owned(), Vec::new()));
        }
        out[n].1.extend(median(&values));
    }
    out
}
