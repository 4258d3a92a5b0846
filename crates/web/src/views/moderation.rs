//! Moderation: what was changed beside what was computed, and what blind second marks say. Rows stand in the order of the
//! sections, never by a figure, and a row is shown to others after its reviewer has read it.

use chrono::NaiveDateTime;
use jurado_core::moderation::{Agreement, Cell, FEWEST_PAIRS, Field, Pair, Row, places};
use jurado_core::notation::counted;
use jurado_core::wording;
use jurado_store::moderation::{Decided, Round};
use jurado_store::rulings::Kept;
use jurado_store::second::Marked;
use jurado_store::{Lab, User};

use super::course::current;
use super::intake::time;
use super::query;
use crate::draw::moderation::{self as drawn, Group, Line, Spot, signed};
use crate::draw::svg::Svg;

/// Heads of the fields, on two lines.
pub(crate) const HEADS: [[&str; 2]; Field::DRAWN] = [
    ["slips and", "what follows"],
    ["digits", "and units"],
    ["readings", "left out"],
    ["", "stated ±"],
    ["", "missing"],
];
/// Differences that are named.
const MOST_NAMED: usize = 3;

/// All that the page is made from.
pub(crate) struct Seen<'a> {
    pub(crate) labs: &'a [Lab],
    pub(crate) decided: &'a [Decided],
    pub(crate) round: Option<&'a Round>,
    pub(crate) marked: &'a [Marked],
    pub(crate) rulings: &'a [Kept],
    pub(crate) now: NaiveDateTime,
    pub(crate) user: &'a User,
    pub(crate) blind: bool,
}

/// A place that stands apart.
pub(crate) struct ApartView {
    pub(crate) says: String,
}

/// Who has read, and their word.
pub(crate) struct WordView {
    pub(crate) name: String,
    pub(crate) at: String,
    pub(crate) remark: String,
}

/// A table that was marked twice.
#[derive(Clone)]
pub(crate) struct DifferenceView {
    pub(crate) name: String,
    pub(crate) href: Option<String>,
    pub(crate) about: String,
    pub(crate) off: String,
}

/// What several differences are about alike.
pub(crate) struct QuestionView {
    pub(crate) head: String,
    pub(crate) says: String,
    pub(crate) tables: usize,
    /// Where it is ruled on, for whoever may see one of the tables.
    pub(crate) href: Option<String>,
}

/// A row of the plain table.
pub(crate) struct PlainRow {
    pub(crate) reviewer: String,
    pub(crate) section: String,
    pub(crate) tables: usize,
    pub(crate) fields: Vec<String>,
    pub(crate) all: String,
}

/// Everything that the templates lay out.
pub(crate) struct ModerationView {
    pub(crate) tables: usize,
    pub(crate) height: f64,
    pub(crate) chart: Svg,
    pub(crate) says: String,
    pub(crate) rows: Vec<PlainRow>,
    /// How many reviewers' rows wait for being read by them.
    pub(crate) unread: usize,
    pub(crate) apart: Vec<ApartView>,
    pub(crate) pairs: Svg,
    pub(crate) pairs_say: String,
    pub(crate) random: usize,
    pub(crate) hanging: usize,
    pub(crate) sentences: Vec<String>,
    pub(crate) aside: String,
    pub(crate) marked: Vec<DifferenceView>,
    pub(crate) largest: Vec<DifferenceView>,
    pub(crate) question: Option<QuestionView>,
    pub(crate) led_to: Vec<(u64, String)>,
    pub(crate) words: Vec<WordView>,
    pub(crate) opened: Option<String>,
    pub(crate) round: u32,
    /// Whether who looks has tables here of their own, and what they said of them.
    pub(crate) own: bool,
    pub(crate) own_word: Option<String>,
}

/// The tables of one reviewer in one section.
struct Place<'a> {
    user_id: u32,
    reviewer: &'a str,
    section: &'a str,
    row: Row,
}

fn places_of(decided: &[Decided]) -> Vec<Place<'_>> {
    use rust_decimal::prelude::ToPrimitive;
    let mut out: Vec<Place<'_>> = Vec::new();
    for d in decided {
        let at = out.iter().position(|p| p.user_id == d.user_id && p.section == d.section).unwrap_or_else(|| {
            out.push(Place { user_id: d.user_id, reviewer: &d.reviewer, section: &d.section, row: Row::default() });
            out.len() - 1
        });
        let row = &mut out[at].row;
        row.tables.push(d.moved.points.map(|p| p.to_f64().unwrap_or(0.0)));
        row.findings.iter_mut().zip(d.moved.findings).for_each(|(n, more)| *n += more);
    }
    out
}

fn with_half((mean, half): (f64, f64)) -> String {
    format!("{} ± {half:.2}", signed(mean))
}

fn head(field: usize) -> String {
    HEADS[field].join(" ").trim().to_owned()
}

impl ModerationView {
    pub(crate) fn new(seen: &Seen<'_>) -> ModerationView {
        let all = places_of(seen.decided);
        let rows: Vec<Row> = all.iter().map(|p| p.row.clone()).collect();
        let cells = places(&rows);
        let shown =
            |p: &Place<'_>| p.user_id == seen.user.id || seen.round.is_some_and(|r| r.shows(p.user_id, seen.now));
        let (mut groups, mut plain, mut apart) = (Vec::<Group>::new(), Vec::new(), Vec::new());
        let mut unread = 0;
        // A reviewer's sections together, reviewers in the order of their first section.
        let mut people: Vec<u32> = Vec::new();
        for p in &all {
            if !people.contains(&p.user_id) {
                people.push(p.user_id);
            }
        }
        for person in people {
            let mine: Vec<usize> = (0..all.len()).filter(|n| all[*n].user_id == person).collect();
            let first = &all[mine[0]];
            if !shown(first) {
                unread += 1;
                let note = "is read first by the one it is about".to_owned();
                groups.push(Group { name: first.reviewer.to_owned(), note, lines: Vec::new() });
                continue;
            }
            let mut lines = Vec::new();
            for n in mine {
                let (p, placed) = (&all[n], &cells[n]);
                let fields = &placed.fields;
                let all_kinds = placed.all.map_or_else(String::new, with_half);
                apart.extend((0..Field::DRAWN).filter(|f| fields[*f].apart).map(|f| told_apart(p, f, &fields[f])));
                plain.push(PlainRow {
                    reviewer: p.reviewer.to_owned(),
                    section: p.section.to_owned(),
                    tables: p.row.tables.len(),
                    fields: fields.iter().map(in_words).collect(),
                    all: all_kinds.clone(),
                });
                lines.push(Line {
                    section: p.section.to_owned(),
                    tables: p.row.tables.len(),
                    cells: *fields,
                    all: all_kinds,
                });
            }
            groups.push(Group { name: first.reviewer.to_owned(), note: String::new(), lines });
        }
        let pairs: Vec<Pair> = seen.marked.iter().map(|m| m.pair.clone()).collect();
        let said = Agreement::of(&pairs);
        let random = pairs.iter().filter(|p| p.random).count();
        let differences = differences(seen);
        let (sentences, aside) = sentences(said.as_ref(), random);
        let question = question(seen);
        let names = largest(seen);
        let own_word =
            seen.round.and_then(|r| r.words.iter().find(|w| w.user_id == seen.user.id)).map(|w| w.remark.clone());
        ModerationView {
            tables: seen.decided.len(),
            height: drawn::height(&groups),
            chart: drawn::places(&groups, HEADS),
            says: format!(
                "Points decided less points computed by {}, in {}; the same as a table below",
                current().section,
                counted(plain.len(), "row")
            ),
            rows: plain,
            unread,
            apart,
            pairs: drawn::pairs(&spots(seen, &names), said.as_ref()),
            pairs_say: format!("Second mark less first mark over their mean, {}", counted(pairs.len(), "table")),
            random,
            hanging: pairs.len() - random,
            sentences,
            aside,
            largest: names.iter().filter_map(|n| differences.get(*n)).cloned().collect(),
            marked: differences,
            question,
            led_to: led_to(seen),
            words: seen.round.map_or_else(Vec::new, |r| {
                r.words
                    .iter()
                    .map(|w| WordView { name: w.name.clone(), at: time(w.at), remark: w.remark.clone() })
                    .collect()
            }),
            opened: seen.round.map(|r| {
                format!(
                    "Opened {} by {}; rows that nobody has read are shown from {} on",
                    time(r.opened_at),
                    r.by,
                    time(r.shown_from())
                )
            }),
            round: seen.round.map_or(0, |r| r.id),
            own: all.iter().any(|p| p.user_id == seen.user.id),
            own_word,
        }
    }
}

/// A cell as the plain table tells it.
fn in_words(cell: &Cell) -> String {
    match cell.mean {
        Some(mean) => format!("{}{}", with_half(mean), if cell.apart { ", stands apart" } else { "" }),
        None if cell.findings == 0 => "none".to_owned(),
        None => format!("too little to say: {}", counted(cell.findings as usize, "finding")),
    }
}

fn told_apart(place: &Place<'_>, field: usize, cell: &Cell) -> ApartView {
    let mean = cell.mean.map_or(0.0, |m| m.0);
    ApartView {
        says: format!(
            "{}, {}: {} points a table, where the others give {}. {} in {}.",
            place.section,
            head(field),
            signed(mean),
            signed(cell.others.unwrap_or(0.0)),
            counted(cell.findings as usize, "finding"),
            counted(place.row.tables.len(), "table"),
        ),
    }
}

impl Seen<'_> {
    /// What a table is called before this person, and where it is if they may see it.
    fn table(&self, m: &Marked) -> (String, Option<String>) {
        let sees = self.user.sees(m.section_id);
        let name = if sees && !self.blind { m.team.clone() } else { format!("Table {}", m.sheet) };
        (name, sees.then(|| format!("/bench/{}", m.sheet)))
    }

    fn lab(&self, id: u32) -> Option<&Lab> {
        self.labs.iter().find(|l| l.id == id)
    }
}

/// Every table that was marked twice, with what was decided otherwise.
fn differences(seen: &Seen<'_>) -> Vec<DifferenceView> {
    let view = |m: &Marked| {
        let (name, href) = seen.table(m);
        let title = seen.lab(m.lab_id).map_or_else(String::new, |l| l.protocol.title.clone());
        let other = m.pair.twice.iter().find(|t| !t.same).zip(seen.lab(m.lab_id));
        let what = other.map(|(t, l)| format!(": {}", wording::pattern(&l.protocol, &t.pattern))).unwrap_or_default();
        DifferenceView { name, href, about: format!("{title}{what}"), off: signed(m.pair.second - m.pair.first) }
    };
    seen.marked.iter().map(view).collect()
}

/// The largest differences, by their place among the pairs.
fn largest(seen: &Seen<'_>) -> Vec<usize> {
    let mut off: Vec<(usize, f64)> =
        seen.marked.iter().enumerate().map(|(n, m)| (n, (m.pair.second - m.pair.first).abs())).collect();
    off.retain(|(_, d)| *d > 1e-9);
    off.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    off.into_iter().take(MOST_NAMED).map(|(n, _)| n).collect()
}

fn spots(seen: &Seen<'_>, named: &[usize]) -> Vec<Spot> {
    let spot = |(n, m): (usize, &Marked)| {
        let (name, href) = seen.table(m);
        let off = m.pair.second - m.pair.first;
        Spot {
            at: ((m.pair.first + m.pair.second) / 2.0, off),
            random: m.pair.random,
            says: format!("{name}: {} points", signed(off)),
            name: named.contains(&n).then_some(name),
            href,
        }
    };
    seen.marked.iter().enumerate().map(spot).collect()
}

/// What the second marks say, and how it was worked out.
fn sentences(said: Option<&Agreement>, random: usize) -> (Vec<String>, String) {
    let Some(a) = said else {
        let few =
            format!("Too little to say: {random} of at least {FEWEST_PAIRS} tables drawn at random are marked twice.");
        return (vec![few], String::new());
    };
    let mut out = vec![
        format!(
            "Two people who did not see each other’s marks differed by {} points on average ({} to {}), and by a quarter or less in {} of {} tables.",
            signed(a.mean),
            signed(a.mean_in.0),
            signed(a.mean_in.1),
            a.close,
            a.pairs
        ),
        format!("Nineteen of twenty such pairs differ by {} to {} points.", signed(a.limits.0), signed(a.limits.1)),
    ];
    if a.findings > 0 {
        let (verb, of) = (if a.same == 1 { "was" } else { "were" }, counted(a.findings, "finding"));
        out.push(format!("Of {of} decided twice, {} {verb} decided alike.", a.same));
    }
    let plain = |k: f64| signed(k).trim_start_matches('+').to_owned();
    let interval = a.kappa_in.map_or_else(String::new, |(l, h)| format!(" ({} to {})", plain(l), plain(h)));
    let kappa = match a.kappa {
        Some(k) => format!("Weighted kappa {}{interval}, by decision: less off, as proposed, more off. ", plain(k)),
        None => "No kappa: one way was taken throughout. ".to_owned(),
    };
    (out, format!("{kappa}All figures are of the {} at random; the others were chosen because they are hard.", a.pairs))
}

/// What most differences are about alike: from two tables on.
fn question(seen: &Seen<'_>) -> Option<QuestionView> {
    let mut found: Vec<(u32, &str, Vec<&Marked>)> = Vec::new();
    let mut total = 0;
    for m in seen.marked {
        for t in m.pair.twice.iter().filter(|t| !t.same) {
            total += 1;
            match found.iter_mut().find(|(lab, pattern, _)| *lab == m.lab_id && *pattern == t.pattern) {
                Some((.., of)) => of.push(m),
                None => found.push((m.lab_id, &t.pattern, vec![m])),
            }
        }
    }
    // A ruling that is in force has answered it.
    found.retain(|(lab, pattern, of)| of.len() > 1 && !seen.rulings.iter().any(|k| answers(k, *lab, pattern)));
    let (lab, pattern, of) = found.into_iter().rev().max_by_key(|(.., of)| of.len())?;
    let protocol = &seen.lab(lab)?.protocol;
    let source = of.iter().find(|m| seen.user.sees(m.section_id));
    Some(QuestionView {
        head: format!("{} of {} are one question", of.len(), counted(total, "difference")),
        says: format!(
            "{}, {}: one of two took it otherwise each time. Decide it once, and it holds for all.",
            protocol.title,
            wording::pattern(protocol, pattern)
        ),
        tables: of.len(),
        href: source.map(|m| format!("/rulings/new?sheet={}&pattern={}", m.sheet, query(pattern))),
    })
}

/// Whether a ruling in force is about findings of this pattern.
fn answers(kept: &Kept, lab: u32, pattern: &str) -> bool {
    let r = &kept.ruling;
    let mut parts = pattern.splitn(3, '/');
    let (code, item, slip) = (parts.next().unwrap_or(""), parts.next().unwrap_or(""), parts.next().unwrap_or(""));
    kept.withdrawn.is_none()
        && kept.lab_id == lab
        && !r.sets()
        && r.code == code
        && r.item.as_deref().is_none_or(|i| i == item)
        && r.slip.as_deref().is_none_or(|s| s == slip)
}

/// Rulings in force about what two people had decided otherwise.
fn led_to(seen: &Seen<'_>) -> Vec<(u64, String)> {
    let about = |k: &&Kept| {
        let differs = |m: &Marked| m.pair.twice.iter().any(|t| !t.same && answers(k, m.lab_id, &t.pattern));
        seen.marked.iter().any(differs)
    };
    seen.rulings.iter().filter(about).map(|k| (k.ruling.id, k.ruling.reason.clone())).collect()
}
