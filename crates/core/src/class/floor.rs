//! One result of a lab over all sections: where each team stands from the consensus, by any key,
//! and what its group does.
//!
//! # How teams are placed
//!
//! Values of one thing are placed in their unit; with a reference of its own for each table in
//! percent of it, or, where that may be nought, as a difference from it; values of different things
//! in robust spreads of each thing's own consensus. On that scale the consensus is worked out by
//! Algorithm A, every group has its median, and what a group does is what is left of it once the
//! other groups' differences are taken out.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::scale::{Placing, Referred};
use super::teams::{By, Team, gather, group_of, numbered};
use super::{Cochran, Effect, Entry, Mandel, Member, Robust, Scale, algorithm_a, cochran, effects, mandel};
use crate::protocol::{Protocol, ResultId};
use crate::quantity::power_of_ten;
use crate::stats::median;

/// What a class is asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Asked {
    /// Of which result.
    pub result: ResultId,
    /// By what teams are grouped.
    pub by: By,
    /// The key whose groups are taken out of what sections and reviewers do, such as the station.
    pub beside: Option<String>,
    /// The key whose values are different things: each value is compared with the consensus of its
    /// own.
    pub thing: Option<String>,
}

impl Asked {
    /// What is asked of a class where nothing else is said.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{Asked, By};
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ResultId;
    /// let asked = Asked::usual(&lab(), &[], ResultId::at(0), By::Section);
    /// assert_eq!((asked.beside, asked.thing), (None, None));
    /// ```
    pub fn usual(protocol: &Protocol, entries: &[Entry], result: ResultId, by: By) -> Asked {
        let beside = main_key(protocol, result).map(str::to_owned);
        Asked { result, by, beside, thing: thing(protocol, entries, result) }
    }

    /// Whether the groups themselves are different things, so that none of them is off.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{Asked, By};
    /// use jurado_core::protocol::ResultId;
    /// let key = || "sample".to_owned();
    /// let asked = Asked { result: ResultId::at(0), by: By::Key(key()), beside: None, thing: Some(key()) };
    /// assert!(asked.alone());
    /// assert!(!Asked { by: By::Section, ..asked }.alone());
    /// ```
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
    /// Lower and upper end of the one reference, on the scale: nought where every table has its
    /// own.
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

/// Results that can be compared over a class: numbers, and of columns those whose rows have a
/// reference or a key.
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
///
/// # Example
/// ```
/// use jurado_core::class::worded;
/// use jurado_core::example::lab;
/// assert!(worded(&lab()).is_empty());
/// ```
pub fn worded(protocol: &Protocol) -> Vec<ResultId> {
    ResultId::each(&protocol.results).filter(|n| protocol.items[protocol.results[*n].item].words.is_some()).collect()
}

/// The result that is shown first: the one whose accuracy is worth most, else the last.
///
/// # Example
/// ```
/// use jurado_core::class::{comparable, first};
/// use jurado_core::example::lab;
/// // Nothing is worth more than anything else: the last result is shown.
/// assert_eq!(first(&lab()), comparable(&lab()).last().copied());
/// ```
pub fn first(protocol: &Protocol) -> Option<ResultId> {
    let there = comparable(protocol);
    let worth = |n: &&ResultId| (protocol.accuracy_of(**n).map(|(c, _)| c.points), std::cmp::Reverse(**n));
    let judged = there.iter().filter(|n| protocol.accuracy_of(**n).is_some()).max_by_key(worth);
    judged.or(there.last()).copied()
}

/// The key whose consensus is the reference of a result: its values are different things, each
/// known by its teams alone.
///
/// # Example
/// ```
/// use jurado_core::class::unknown_by;
/// use jurado_core::example::lab;
/// use jurado_core::protocol::ResultId;
/// assert_eq!(unknown_by(&lab(), ResultId::at(0)), None);
/// ```
pub fn unknown_by(protocol: &Protocol, result: ResultId) -> Option<&str> {
    let reference = &protocol.references[protocol.accuracy_of(result)?.1];
    let key = reference.key.filter(|_| reference.consensus)?;
    Some(protocol.keys[key].id.as_str())
}

/// The key by which a result is grouped first: the one that its unknown or its reference goes by,
/// else a station, else the first.
///
/// # Example
/// ```
/// use jurado_core::class::main_key;
/// use jurado_core::example::lab;
/// use jurado_core::protocol::ResultId;
/// assert_eq!(main_key(&lab(), ResultId::at(0)), None);
/// ```
pub fn main_key(protocol: &Protocol, result: ResultId) -> Option<&str> {
    let of_reference = || protocol.references[protocol.accuracy_of(result)?.1].key;
    let of_row = || protocol.row_key(protocol.results[result].item);
    let station = || protocol.keys.iter().position(|k| k.id == "station");
    let key = of_reference().or_else(of_row).or_else(station).or((!protocol.keys.is_empty()).then_some(0))?;
    Some(protocol.keys[key].id.as_str())
}

/// A spread within groups that is less than this part of the spread of all tells that they measure
/// different things.
const UNLIKE: f64 = 1.0 / 3.0;

/// The key whose values are different things for a result: the key of its unknown; without a
/// reference the key within whose groups values lie much closer together than among all.
///
/// # Example
/// ```
/// use jurado_core::class::thing;
/// use jurado_core::example::lab;
/// use jurado_core::protocol::ResultId;
/// // Without keys there is nothing by which things could differ.
/// assert_eq!(thing(&lab(), &[], ResultId::at(0)), None);
/// ```
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
///
/// Empty of none.
fn centred(values: &mut [f64]) -> Vec<f64> {
    let middle = median(values).unwrap_or(0.0);
    values.iter().map(|v| v - middle).collect()
}

/// Median absolute deviation from the median.
///
/// Nought of none.
fn deviation(values: &mut [f64]) -> f64 {
    median(&centred(values).iter().map(|d| d.abs()).collect::<Vec<f64>>()).unwrap_or(0.0)
}

impl Floor {
    /// One result over all tables of a lab.
    ///
    /// A table without a value, or without the reference that the others have, is in no number; how
    /// many there are is told. Cost: a few passes over the class, so that fifty thousand tables
    /// take tenths of a second.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{Asked, By, Entry, Floor};
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::protocol::ResultId;
    /// let lab = lab();
    /// let entries = vec![Entry::of(&lab, &judge(&lab, &table("29.98", "706.1"), &[], &[])); 4];
    /// let asked = Asked::usual(&lab, &entries, ResultId::at(0), By::Section);
    /// let floor = Floor::of(&lab, &entries, &asked);
    /// assert_eq!((floor.points.len(), floor.groups.len(), floor.without), (4, 1, 0));
    /// let consensus = floor.consensus.expect("four teams");
    /// assert!((consensus.centre - 29.985).abs() < 0.01);
    /// ```
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

    /// Where a point stands once what its group does is taken out: every group's median lies on the
    /// consensus then.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{Asked, By, Entry, Floor};
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::protocol::ResultId;
    /// let lab = lab();
    /// let entries = vec![Entry::of(&lab, &judge(&lab, &table("29.98", "706.1"), &[], &[])); 4];
    /// let asked = Asked::usual(&lab, &entries, ResultId::at(0), By::Section);
    /// let floor = Floor::of(&lab, &entries, &asked);
    /// // All are alike, so that nothing moves.
    /// let moved = (floor.taken_out(&floor.points[0]) - floor.points[0].placed).abs();
    /// assert!(moved < 1e-9);
    /// ```
    pub fn taken_out(&self, point: &Point) -> f64 {
        point.placed - self.groups[point.group].median + self.consensus.map_or(0.0, |c| c.centre)
    }

    /// What an effect comes to on the scale: of a share 100·(e^effect − 1) percent, or that part of
    /// the consensus.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{Asked, By, Floor};
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ResultId;
    /// let lab = lab();
    /// let asked = Asked::usual(&lab, &[], ResultId::at(0), By::Section);
    /// let floor = Floor::of(&lab, &[], &asked);
    /// // In the unit of the result an effect stands as it is.
    /// assert!(floor.relative || floor.on_scale(0.5) == 0.5);
    /// ```
    pub fn on_scale(&self, effect: f64) -> f64 {
        match self.scale {
            Scale::Percent => 100.0 * effect.exp_m1(),
            Scale::Unit if self.relative => effect.exp_m1() * self.consensus.map_or(0.0, |c| c.centre),
            _ => effect,
        }
    }
}

/// Distances from the consensus of all.
///
/// `None` without a point; then nothing is placed.
fn together(points: &mut [Point], resolution: f64) -> Option<Robust> {
    let consensus = algorithm_a(&points.iter().map(|p| p.placed).collect::<Vec<f64>>(), resolution)?;
    points
        .iter_mut()
        .filter(|_| consensus.spread > 0.0)
        .for_each(|p| p.z = (p.placed - consensus.centre) / consensus.spread);
    Some(consensus)
}

/// Distances of each value from the consensus of its own thing, which become the scale.
///
/// The scale has its consensus at nought and a spread of one.
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

/// An effect is not named where the group's teams lie inside what the sheet itself leaves open of
/// their reference, or differ from the others by no more than that.
fn beyond_reference(effect: Effect, teams: &[(Team, f64)], points: &[Point], placing: Placing) -> Effect {
    let mine = || teams.iter().zip(points).filter(|(_, p)| p.group == effect.group).map(|((t, _), _)| t);
    let middle =
        |of: &dyn Fn(&Referred) -> Option<f64>| median(&mine().filter_map(|t| t.middle(of)).collect::<Vec<f64>>());
    let Some(room) = middle(&|v| placing.room(v)) else { return effect };
    let off = middle(&|v| placing.plain(v)).unwrap_or(0.0);
    Effect { named: effect.named && effect.effect.abs() > room && off.abs() > room, ..effect }
}

/// Every group with its own consensus; `step` is one in the last figure.
///
/// A group without a value has no consensus.
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

/// What the effects are worked out from: of a station's its sections are taken out, of a section's
/// or a reviewer's the stations. A team that measured several things counts once in a group, with
/// its median.
///
/// Distances are logarithms of the ratio to the reference, or differences where a value may be
/// nought.
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

/// The teams of each section, each once with the median of its points, in the order in which the
/// sections come.
///
/// A team that measured at several stations counts once.
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
