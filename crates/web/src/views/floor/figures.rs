//! The chart with its figures: consensus, effects, h and k, shares of words.

use jurado_core::class::{APART, By, Floor, Mandel, Scale, unknown_by, word_consensus};
use jurado_core::notation::{self, capital, counted};
use jurado_core::protocol::ResultId;
use jurado_core::quantity::leading_place;

use super::{Room, Wanted};
use crate::draw::floor::{self as drawn, Chart, Shelf, Spot};
use crate::draw::svg::Svg;

/// Everything of a result that is a number.
pub(crate) struct NumbersView {
    pub(crate) chart: Svg,
    pub(crate) width: u32,
    pub(crate) height: u32,
    pub(crate) says: String,
    /// What the scale counts.
    pub(crate) scale: String,
    pub(crate) taken_out: bool,
    /// The address with effects in, or out.
    pub(crate) other: String,
    pub(crate) can_take_out: bool,
    /// Consensus: what it is, and the figure.
    pub(crate) consensus: Vec<(&'static str, String)>,
    pub(crate) has_reference: bool,
    pub(crate) effects: Vec<EffectRow>,
    pub(crate) alone: bool,
    pub(crate) gauges: Option<Gauges>,
    pub(crate) cochran: String,
    pub(crate) without: String,
    pub(crate) apart: Vec<(String, Option<String>, String)>,
}

/// One group with what it does.
pub(crate) struct EffectRow {
    pub(crate) name: String,
    pub(crate) svg: Svg,
    pub(crate) effect: String,
    pub(crate) errors: String,
    pub(crate) teams: usize,
    pub(crate) named: bool,
    /// What was noted and measured there, over the term.
    pub(crate) log: Option<String>,
    /// Where its consensus is taken as the reference of a shared unknown.
    pub(crate) reference: Option<String>,
}

/// Sections as laboratories.
pub(crate) struct Gauges {
    pub(crate) rows: Vec<GaugeRow>,
    pub(crate) h_limit: String,
    pub(crate) means: String,
}

/// One section.
pub(crate) struct GaugeRow {
    pub(crate) section: String,
    pub(crate) h: Svg,
    pub(crate) h_figure: String,
    pub(crate) k: Svg,
    pub(crate) k_figure: String,
    pub(crate) k_limit: String,
}

/// How often one word was given.
pub(crate) struct WordRow {
    pub(crate) row: String,
    pub(crate) word: String,
    pub(crate) svg: Svg,
    pub(crate) count: String,
    pub(crate) right: &'static str,
}

/// Sections drawn as laboratories.
const MOST_GAUGES: usize = 14;
/// Teams from which on a consensus can be taken as a reference.
const LEAST_KNOWN: usize = 5;
/// Groups up to which each has its row of figures.
const MOST_GROUPS: usize = 40;

/// The unit that a scale counts in, with its space before.
fn unit(room: &Room<'_>, floor: &Floor) -> String {
    let item = &room.protocol().items[room.protocol().results[floor.result].item];
    match floor.scale {
        Scale::Unit | Scale::Apart => item.unit_after(),
        Scale::Percent => " %".to_owned(),
        Scale::Spreads => String::new(),
    }
}

/// A figure of the scale to a tenth of the spread.
pub(super) fn figure(value: f64, spread: f64) -> String {
    notation::to_place(value, if spread > 0.0 { leading_place(spread) - 1 } else { leading_place(value) - 3 })
}

/// With its sign; what is rounded to nought has none.
pub(super) fn signed(value: f64, spread: f64) -> String {
    let text = figure(value, spread);
    let nought = !text.contains(|c: char| ('1'..='9').contains(&c));
    if value > 0.0 && !nought { format!("+{text}") } else { text }
}

/// A distance in spreads, to hundredths.
pub(super) fn spreads(z: f64) -> String {
    signed(z, 0.1)
}

impl NumbersView {
    pub(super) fn new(room: &Room<'_>, floor: &Floor, by: &By, wanted: &Wanted) -> NumbersView {
        let unit = unit(room, floor);
        let out = wanted.out == "1" && floor.scale != Scale::Spreads;
        let (lab, id) = (room.lab.id, super::id_of(room.protocol(), floor.result));
        let here = wanted.with(lab, "", id, jurado_core::class::by_word(by));
        let (centre, spread) = floor.consensus.map_or((0.0, 0.0), |c| (c.centre, c.spread));
        let count = floor.consensus.map_or(0, |c| c.count);
        let noun = room.noun(by);
        let named = floor.groups.iter().filter(|g| g.effect.is_some_and(|e| e.named)).count();
        NumbersView {
            chart: chart(room, floor, (by, out), wanted, false),
            width: drawn::SIZE.0 as u32,
            height: drawn::SIZE.1 as u32,
            says: format!(
                "{} by {noun}: robust mean {}{unit}, robust spread {}{unit}, {named} of {} named",
                counted(count, "value"),
                figure(centre, spread),
                figure(spread, spread),
                counted(floor.groups.len(), &noun)
            ),
            scale: match floor.scale {
                Scale::Unit if unit.is_empty() => "from each team’s own readings".to_owned(),
                Scale::Unit => format!("{}, from each team’s own readings", unit.trim()),
                Scale::Percent => "% from the reference of each table, from its own readings".to_owned(),
                Scale::Apart => format!("{} from the reference of each table, from its own readings", unit.trim()),
                Scale::Spreads => "robust spreads from the consensus of the same thing: each is another".to_owned(),
            },
            taken_out: out,
            other: if out { here } else { format!("{here}&out=1") },
            can_take_out: floor.scale != Scale::Spreads && floor.groups.len() > 1,
            consensus: consensus(floor, &unit),
            has_reference: floor.reference.is_some(),
            effects: effects(room, floor, by, &unit),
            alone: floor.groups.iter().all(|g| g.effect.is_none()),
            gauges: floor.mandel.as_ref().filter(|m| m.rows.len() <= MOST_GAUGES).map(gauges),
            cochran: cochran(room, floor),
            without: if floor.without > 0 {
                format!("{} without a value to place", counted(floor.without, "table"))
            } else {
                String::new()
            },
            apart: apart(room, floor),
        }
    }
}

/// Who stands apart: name, where the table is, and how far.
fn apart(room: &Room<'_>, floor: &Floor) -> Vec<(String, Option<String>, String)> {
    let mut far: Vec<_> = floor.points.iter().filter(|p| p.z.abs() > APART).collect();
    far.sort_by(|a, b| b.z.abs().total_cmp(&a.z.abs()));
    let spread = floor.consensus.map_or(0.0, |c| c.spread);
    far.into_iter()
        .take(12)
        .map(|p| {
            let place = &floor.groups[p.group].name;
            let far = format!("{}, {}, z {}", figure(p.placed, spread), place, spreads(p.z));
            (room.name(p.entry), room.table(p.entry), far)
        })
        .collect()
}

/// What a group without a name is.
fn nameless(by: &By) -> &'static str {
    if *by == By::Reviewer { "nobody yet" } else { "not said" }
}

/// The chart of a result; for a wall without names, figures and reference.
pub(super) fn chart(room: &Room<'_>, floor: &Floor, (by, out): (&By, bool), wanted: &Wanted, wall: bool) -> Svg {
    let mut sections: Vec<(u32, String)> = Vec::new();
    for (seat, entry) in room.seats.iter().zip(room.entries) {
        if sections.last().is_none_or(|(id, _)| *id != seat.section_id) {
            sections.push((seat.section_id, entry.section.clone()));
        }
    }
    let at = |id: u32| sections.iter().position(|(s, _)| *s == id).unwrap_or(0);
    let (from, find) = (wanted.from.parse().unwrap_or(0u32), wanted.find.trim().to_lowercase());
    let spread = floor.consensus.map_or(0.0, |c| c.spread);
    let unit = unit(room, floor);
    let by_section = *by == By::Section;
    let spots: Vec<Spot> = floor
        .points
        .iter()
        .map(|p| {
            let name = room.name(p.entry);
            let found = !find.is_empty() && room.sees(p.entry) && name.to_lowercase().contains(&find);
            let value = if out { floor.taken_out(p) } else { p.placed };
            Spot {
                group: p.group,
                section: if by_section { 0 } else { at(room.seats[p.entry].section_id) },
                value,
                apart: p.z.abs() > APART && !out,
                ringed: found || (from > 0 && room.seats[p.entry].sheet == from),
                href: room.table(p.entry),
                says: format!(
                    "{name}, {}, {}{}: {}{unit}, {} spreads from the consensus",
                    room.entries[p.entry].section,
                    room.noun(by),
                    if floor.groups[p.group].name.is_empty() {
                        format!(" {}", nameless(by))
                    } else {
                        format!(" {}", floor.groups[p.group].name)
                    },
                    figure(value, spread),
                    spreads(p.z)
                ),
                name: if room.sees(p.entry) { name } else { String::new() },
            }
        })
        .collect();
    let title = |name: &str| match (by, name) {
        (_, "") => nameless(by).to_owned(),
        (By::Key(_), name) => format!("{} {name}", capital(&room.noun(by))),
        (_, name) => name.to_owned(),
    };
    let centre = floor.consensus.map_or(0.0, |c| c.centre);
    let shelves: Vec<Shelf> = floor
        .groups
        .iter()
        .enumerate()
        .map(|(n, g)| Shelf {
            name: title(&g.name),
            teams: floor.points.iter().filter(|p| p.group == n).count(),
            median: if out { centre } else { g.median },
            named: !out && g.effect.is_some_and(|e| e.named),
        })
        .collect();
    let letters: Vec<String> = sections.iter().map(|(_, name)| name.chars().take(2).collect()).collect();
    let letters = if by_section { vec![String::new()] } else { letters };
    drawn::chart(
        &Chart { shelves: &shelves, spots: &spots, sections: &letters, centre, spread, reference: floor.reference },
        wall,
    )
}

fn consensus(floor: &Floor, unit: &str) -> Vec<(&'static str, String)> {
    let Some(c) = floor.consensus else { return Vec::new() };
    if floor.scale == Scale::Spreads {
        return vec![("values", c.count.to_string())];
    }
    let at = |v: f64| figure(v, c.spread);
    let mut out = vec![("robust mean", format!("{}{unit}", at(c.centre))), ("robust spread", at(c.spread))];
    if let Some([low, high]) = floor.reference {
        let middle = (low + high) / 2.0;
        let range = if low < high { format!("{} to {}", at(low), at(high)) } else { at(low) };
        out.push(("reference", range));
        out.push(("apart by", signed(c.centre - middle, c.spread)));
    }
    out
}

fn effects(room: &Room<'_>, floor: &Floor, by: &By, unit: &str) -> Vec<EffectRow> {
    let spread = floor.consensus.map_or(0.0, |c| c.spread);
    let log = |name: &str| match by {
        By::Key(key) if !name.is_empty() => {
            Some(format!("/floor/{}/place?by={}&at={}", room.lab.id, super::query(key), super::query(name)))
        }
        _ => None,
    };
    let unknown = unknown_by(room.protocol(), floor.result).filter(|key| *by == By::Key((*key).to_owned()));
    let row = |g: &jurado_core::class::Group| EffectRow {
        name: if g.name.is_empty() { nameless(by).to_owned() } else { g.name.clone() },
        svg: g.effect.map_or_else(Svg::default, |e| drawn::effect(e.in_errors(), e.named)),
        effect: match g.effect {
            Some(e) => format!("{}{unit}", signed(floor.on_scale(e.effect), spread)),
            None => {
                format!("{} ± {}", figure(g.own.centre, g.own.uncertainty), notation::uncertainty(g.own.uncertainty))
            }
        },
        errors: g.effect.map_or_else(String::new, |e| notation::decimals(e.in_errors().abs(), 1)),
        teams: g.own.count,
        named: g.effect.is_some_and(|e| e.named),
        log: log(&g.name),
        reference: unknown.filter(|_| !g.name.is_empty() && g.own.count >= LEAST_KNOWN).map(|key| {
            let item = super::id_of(room.protocol(), floor.result);
            super::cards::against(room, item, (key, &g.name), g.own.centre)
        }),
    };
    let mut rows: Vec<&jurado_core::class::Group> = floor.groups.iter().collect();
    if rows.len() > MOST_GROUPS {
        // Of many the ones that stand out most; the table has them all.
        let size = |g: &jurado_core::class::Group| g.effect.map_or(0.0, |e| e.in_errors().abs());
        rows.sort_by(|a, b| size(b).total_cmp(&size(a)));
        rows.truncate(MOST_GROUPS);
    }
    rows.into_iter().map(row).collect()
}

fn gauges(m: &Mandel) -> Gauges {
    let [five, _] = m.h_limits;
    let most_h = m.rows.iter().map(|r| r.h.abs()).fold(five, f64::max) * 1.1;
    let most_k = m.rows.iter().filter_map(|r| r.k).fold(1.6, f64::max) * 1.05;
    let two = |v: f64| notation::decimals(v, 2);
    let rows = m.rows.iter().map(|r| {
        let limit = r.k_limits.map_or(f64::INFINITY, |l| l[0]);
        GaugeRow {
            section: r.section.clone(),
            h: drawn::gauge(r.h, five, most_h, false),
            h_figure: two(r.h),
            k: r.k.map_or_else(Svg::default, |k| drawn::gauge(k, limit, most_k, true)),
            k_figure: r.k.map_or_else(|| "–".to_owned(), two),
            k_limit: r.k_limits.map_or_else(String::new, |l| two(l[0])),
        }
    });
    let far = m.rows.iter().filter(|r| r.h.abs() > five);
    let wide = m.rows.iter().filter(|r| r.k.zip(r.k_limits).is_some_and(|(k, l)| k > l[0]));
    let far: Vec<String> = far
        .map(|r| {
            format!(
                "{} stands {} than the others together allow.",
                r.section,
                if r.h > 0.0 { "higher" } else { "lower" }
            )
        })
        .collect();
    let wide: Vec<String> = wide.map(|r| format!("Teams of {} differ more than those elsewhere.", r.section)).collect();
    let means = if far.is_empty() && wide.is_empty() {
        "No section stands apart from the others, and none spreads more.".to_owned()
    } else {
        [far, wide].concat().join(" ")
    };
    Gauges { rows: rows.collect(), h_limit: two(five), means }
}

fn cochran(room: &Room<'_>, floor: &Floor) -> String {
    let Some(c) = &floor.cochran else { return String::new() };
    let (statistic, critical) = (notation::decimals(c.statistic, 2), notation::decimals(c.critical, 2));
    let noun = room.noun(&By::Section);
    if c.statistic > c.critical {
        format!(
            "Cochran’s test: the widest {noun}, {}, holds {statistic} of all variance, over {critical}: its teams differ more \
             than chance allows.",
            c.section
        )
    } else {
        format!(
            "Cochran’s test: the widest {noun}, {}, holds {statistic} of all variance; up to {critical} is chance.",
            c.section
        )
    }
}

/// The shares of the words of a result.
pub(super) fn words(room: &Room<'_>, result: ResultId) -> Vec<WordRow> {
    let mut last = None;
    word_consensus(room.protocol(), room.entries, result)
        .into_iter()
        .map(|s| {
            let new = last != Some(s.row);
            last = Some(s.row);
            WordRow {
                row: s.row.filter(|_| new).map_or_else(String::new, |r| r.to_string()),
                word: s.word,
                svg: drawn::share(s.count, s.of),
                count: format!("{} of {}", s.count, s.of),
                right: match s.right {
                    Some(true) => "right for most",
                    _ => "",
                },
            }
        })
        .collect()
}
