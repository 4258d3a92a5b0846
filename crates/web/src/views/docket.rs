//! What waits: the chart by lab and section, and the order of what is next.

use std::collections::BTreeMap;
use std::fmt::Write;

use chrono::NaiveDateTime;
use jurado_store::{Counts, DocketRow, Lab, SheetState, User, roster::Section};
use rust_decimal::prelude::ToPrimitive;

use super::Mark;
use super::shoals::{self, Place};
use crate::routes::docket::Asked;
use crate::views::bench::points;
use crate::views::intake::time;

/// What the store gave.
pub(crate) struct Waiting {
    pub(crate) labs: Vec<Lab>,
    pub(crate) sections: Vec<Section>,
    pub(crate) counts: BTreeMap<(u32, u32), Counts>,
    /// Those that want a person, most wanting first.
    pub(crate) next: Vec<DocketRow>,
    /// The first that looks clear.
    pub(crate) clear: Vec<DocketRow>,
    pub(crate) hanging: f64,
    pub(crate) held: i64,
    pub(crate) due: BTreeMap<(u32, u32), NaiveDateTime>,
    pub(crate) found: Option<Found>,
}

/// What a search found.
pub(crate) struct Found {
    pub(crate) rows: Vec<DocketRow>,
    pub(crate) most: usize,
}

/// Everything the template lays out.
pub(crate) struct DocketView {
    pub(crate) wants: usize,
    pub(crate) clear: usize,
    pub(crate) done: usize,
    pub(crate) returned: usize,
    pub(crate) absent: usize,
    pub(crate) total: usize,
    pub(crate) chart: String,
    pub(crate) chart_height: u32,
    /// Too many places for a chart: a band for each lab.
    pub(crate) bands: Vec<BandView>,
    /// Names of the sections over the bands, where they are few enough to be read.
    pub(crate) band_heads: String,
    pub(crate) table: Vec<PlaceView>,
    pub(crate) next: Vec<NextView>,
    pub(crate) more: usize,
    pub(crate) more_points: String,
    pub(crate) first_clear: Option<u32>,
    pub(crate) held: i64,
    pub(crate) asked: Asked,
    pub(crate) labs: Vec<(String, String)>,
    pub(crate) sections: Vec<(String, String)>,
    pub(crate) found: Option<Vec<NextView>>,
    pub(crate) more_found: bool,
}

/// One lab as a band: a stroke for each section, as high as what waits there.
pub(crate) struct BandView {
    pub(crate) id: u32,
    pub(crate) lab: String,
    pub(crate) counts: Counts,
    pub(crate) strokes: String,
    pub(crate) says: String,
}

/// One lab in one section, as a row of the plain table.
pub(crate) struct PlaceView {
    pub(crate) lab_id: u32,
    pub(crate) section_id: u32,
    pub(crate) lab: String,
    pub(crate) section: String,
    pub(crate) counts: Counts,
    pub(crate) absent: usize,
    pub(crate) due: String,
}

/// One entry of what is next.
pub(crate) struct NextView {
    pub(crate) id: u32,
    pub(crate) team: String,
    pub(crate) section: String,
    pub(crate) lab: String,
    pub(crate) mark: Mark,
    pub(crate) why: String,
    pub(crate) points: String,
    pub(crate) profile: String,
    /// Whose hand it is in, if not this person's; or its state, where it does not wait.
    pub(crate) aside: String,
}

/// Entries of the queue that are shown.
const SHOWN: usize = 6;
/// Labs and sections up to which the chart serves.
const MOST_LABS: usize = 8;
const MOST_SECTIONS: usize = 8;

impl DocketView {
    pub(crate) fn new(w: &Waiting, user: &User, asked: Asked, blind: bool) -> DocketView {
        let title = |id: u32| w.labs.iter().find(|l| l.id == id).map_or_else(String::new, |l| l.protocol.title.clone());
        let entry = |r: &DocketRow| NextView {
            id: r.id,
            // The number of the table says which without saying whose.
            team: if blind { format!("Table {}", r.id) } else { r.team.clone() },
            section: if blind { String::new() } else { r.section.clone() },
            lab: title(r.lab_id),
            mark: Mark { symbol: r.mark.word(), word: r.mark.word() },
            why: first_sentences(&r.headline),
            points: points(r.hanging),
            profile: profile(&r.profile),
            aside: match r.state {
                SheetState::Signed => "signed".to_owned(),
                SheetState::Returned => "returned".to_owned(),
                SheetState::Waiting if r.held_from(user) => "in another reviewer’s hands".to_owned(),
                SheetState::Waiting => String::new(),
            },
        };
        // What somebody else has in hand is not offered as the next.
        let next: Vec<NextView> = w.next.iter().filter(|r| !r.held_from(user)).take(SHOWN).map(entry).collect();
        let shown: f64 = w
            .next
            .iter()
            .filter(|r| next.iter().any(|n| n.id == r.id))
            .map(|r| r.hanging.to_f64().unwrap_or(0.0))
            .sum();
        let mut table = Vec::new();
        for lab in &w.labs {
            for section in &w.sections {
                let counts = w.counts.get(&(lab.id, section.id)).copied().unwrap_or_default();
                table.push(PlaceView {
                    lab_id: lab.id,
                    section_id: section.id,
                    lab: lab.protocol.title.clone(),
                    section: section.name.clone(),
                    counts,
                    absent: section.teams.saturating_sub(counts.all()),
                    due: w.due.get(&(lab.id, section.id)).map(|t| time(*t)).unwrap_or_default(),
                });
            }
        }
        let sum = |f: &dyn Fn(&PlaceView) -> usize| table.iter().map(f).sum::<usize>();
        let (wants, clear) = (sum(&|p| p.counts.wants), sum(&|p| p.counts.clear));
        let (done, returned) = (sum(&|p| p.counts.decided), sum(&|p| p.counts.returned));
        let (absent, total) = (sum(&|p| p.absent), sum(&|p| p.counts.all()));
        let charted = w.labs.len() <= MOST_LABS && w.sections.len() <= MOST_SECTIONS;
        let (chart, chart_height) = if charted { chart(&w.labs, &w.sections, &table) } else { (String::new(), 0) };
        let bands = if charted { Vec::new() } else { bands(&w.labs, w.sections.len(), &table) };
        let band_heads = if charted { String::new() } else { band_heads(&w.sections) };
        if !charted {
            table = by_lab(table, w.sections.len());
        }
        let more_found = w.found.as_ref().is_some_and(|f| f.rows.len() > f.most);
        DocketView {
            wants,
            clear,
            done,
            returned,
            absent,
            total,
            chart,
            chart_height,
            bands,
            band_heads,
            more: wants.saturating_sub(next.len()),
            more_points: format!("{:.1}", (w.hanging - shown).max(0.0)),
            next,
            first_clear: w.clear.first().map(|r| r.id),
            held: w.held,
            labs: w.labs.iter().map(|l| (l.id.to_string(), l.protocol.title.clone())).collect(),
            sections: w.sections.iter().map(|s| (s.id.to_string(), s.name.clone())).collect(),
            found: w.found.as_ref().map(|f| f.rows.iter().take(f.most).map(entry).collect()),
            more_found,
            asked,
            table,
        }
    }
}

/// Width of a band, px.
const BAND: f64 = 500.0;
/// Sections whose names stand over the bands.
const NAMED: usize = 10;

/// A stroke upwards from a place, told from where its path ended.
fn stroke(path: &mut String, end: &mut (i32, i32), (x, y): (i32, i32), up: i32) {
    if path.is_empty() {
        let _ = write!(path, "M{x} {y}v-{up}");
    } else {
        let (dx, dy) = (x - end.0, y - end.1);
        let gap = if dy < 0 { "" } else { " " };
        let _ = write!(path, "m{dx}{gap}{dy}v-{up}");
    }
    *end = (x, y - up);
}

fn band_heads(sections: &[Section]) -> String {
    let mut out = String::new();
    if sections.len() > NAMED {
        return out;
    }
    let pitch = BAND / sections.len().max(1) as f64;
    // A name is cut where the next one begins: the plain table has it whole.
    let room = (pitch / 7.0) as usize;
    for (i, s) in sections.iter().enumerate() {
        let name: String = if s.name.chars().count() > room {
            s.name.chars().take(room.saturating_sub(1)).chain(['…']).collect()
        } else {
            s.name.clone()
        };
        let x = pitch * (i as f64 + 0.5);
        let _ = write!(
            out,
            "<text class=\"it\" text-anchor=\"middle\" x=\"{x:.0}\" y=\"14\">{}</text>",
            jurado_core::formula::mathml::escape(&name)
        );
    }
    out
}

/// One row a lab, over all its sections: with as many as make bands, a row for each place would be a page of its own.
fn by_lab(table: Vec<PlaceView>, sections: usize) -> Vec<PlaceView> {
    let mut out: Vec<PlaceView> = Vec::new();
    for p in table {
        match out.last_mut().filter(|o| o.lab_id == p.lab_id) {
            None => out.push(PlaceView {
                section_id: 0,
                section: if sections == 1 { "1 watch".to_owned() } else { format!("{sections} watches") },
                due: String::new(),
                ..p
            }),
            Some(o) => {
                o.counts.wants += p.counts.wants;
                o.counts.clear += p.counts.clear;
                o.counts.decided += p.counts.decided;
                o.counts.returned += p.counts.returned;
                o.absent += p.absent;
            }
        }
    }
    out
}

/// A band for each lab: a stroke for each section, as high as the share of its tables that wait.
fn bands(labs: &[Lab], sections: usize, table: &[PlaceView]) -> Vec<BandView> {
    labs.iter()
        .zip(table.chunks(sections.max(1)))
        .map(|(lab, places)| {
            let mut counts = Counts::default();
            let (mut waiting, mut looking) = (String::new(), String::new());
            let pitch = BAND / sections.max(1) as f64;
            let few = sections <= NAMED;
            let mut figures = String::new();
            // Where each path stands: its strokes are told from there, which is shorter.
            let mut ends = ((0, 0), (0, 0));
            for (i, p) in places.iter().enumerate() {
                counts.wants += p.counts.wants;
                counts.clear += p.counts.clear;
                counts.decided += p.counts.decided;
                counts.returned += p.counts.returned;
                let all = (p.counts.all() + p.absent).max(1) as f64;
                let x = pitch * (i as f64 + 0.5);
                // Whole pixels are as fine as a stroke shows, and a term has thousands of strokes.
                let wants = (30.0 * p.counts.wants as f64 / all).ceil() as i32;
                let clear = (30.0 * p.counts.clear as f64 / all).ceil() as i32;
                let x_px = x.round() as i32;
                if wants > 0 {
                    stroke(&mut waiting, &mut ends.0, (x_px, 34), wants);
                }
                if few && p.counts.wants > 0 {
                    let _ = write!(figures, "<text x=\"{:.0}\" y=\"31\">{}</text>", x + 9.0, p.counts.wants);
                }
                if clear > 0 {
                    stroke(&mut looking, &mut ends.1, (x_px, 34 - wants), clear);
                }
            }
            // Few strokes are broad and say how many tables want a person.
            let broad = if few { " broad" } else { "" };
            let strokes = format!(
                "<path class=\"tk-wa{broad}\" d=\"{waiting}\"/><path class=\"tk{broad}\" d=\"{looking}\"/>{figures}"
            );
            BandView {
                id: lab.id,
                lab: lab.protocol.title.clone(),
                says: format!(
                    "{}: {} want a person, {} look clear, {} decided, {} returned, over {sections} sections",
                    lab.protocol.title, counts.wants, counts.clear, counts.decided, counts.returned
                ),
                counts,
                strokes,
            }
        })
        .collect()
}

/// As many whole sentences as stay short; at least the first words.
fn first_sentences(text: &str) -> String {
    let mut out = String::new();
    for sentence in text.split_inclusive(". ") {
        if !out.is_empty() && out.chars().count() + sentence.chars().count() > 118 {
            break;
        }
        out.push_str(sentence);
    }
    let out = out.trim();
    if out.chars().count() > 150 { out.chars().take(147).collect::<String>() + "…" } else { out.to_owned() }
}

/// Coordinates of the chart, px.
const WIDTH: f64 = 764.0;
const LABEL: f64 = 112.0;
const ROW: f64 = 150.0;
/// Pitch where there are many labs.
const CLOSE: f64 = 92.0;
const HEAD: f64 = 44.0;

fn chart(labs: &[Lab], sections: &[Section], table: &[PlaceView]) -> (String, u32) {
    let mut out = String::new();
    let column = (WIDTH - LABEL) / sections.len().max(1) as f64;
    let pitch = if labs.len() > 4 { CLOSE } else { ROW };
    let centre = |s: usize| LABEL + column * (s as f64 + 0.5);
    let middle = |l: usize| HEAD + pitch * l as f64 + if labs.len() > 4 { 46.0 } else { 62.0 };
    let height = HEAD + pitch * labs.len() as f64;
    let places: Vec<Place> = table
        .iter()
        .enumerate()
        .map(|(i, p)| Place {
            x: centre(i % sections.len()),
            y: middle(i / sections.len()),
            weight: p.counts.wants as f64 + 0.45 * p.counts.clear as f64,
        })
        .collect();
    // Closer places lend each other more: the levels rise with them, so that lines still tell places apart.
    let lift = ROW / pitch;
    for (class, level) in [("w1", 0.5), ("w2", 1.62), ("w3", 3.05)] {
        let d = shoals::lines(&places, WIDTH, height, level * lift * lift);
        if !d.is_empty() {
            let _ = write!(out, "<path class=\"{class} isobath\" d=\"{d}\"/>");
        }
    }
    for (s, section) in sections.iter().enumerate() {
        let x = centre(s);
        let _ = write!(
            out,
            "<text class=\"it\" text-anchor=\"middle\" x=\"{x:.0}\" y=\"14\">{}</text><text class=\"t3\" text-anchor=\"middle\" x=\"{x:.0}\" y=\"29\">{}</text>",
            jurado_core::formula::mathml::escape(&section.name),
            jurado_core::notation::counted(section.teams, "team")
        );
    }
    for (l, lab) in labs.iter().enumerate() {
        let _ = write!(
            out,
            "<text class=\"lab\" x=\"0\" y=\"{:.0}\">{}</text><text class=\"t3\" x=\"0\" y=\"{:.0}\">protocol {}</text>",
            middle(l) - 6.0,
            jurado_core::formula::mathml::escape(&lab.protocol.title),
            middle(l) + 12.0,
            lab.protocol.version
        );
        for s in 0..sections.len() {
            place(&mut out, &table[l * sections.len() + s], centre(s), middle(l), column);
        }
    }
    (out, height.ceil() as u32)
}

/// One place: its figure and a stroke for each team, all one link that says its counts.
fn place(out: &mut String, p: &PlaceView, x: f64, y: f64, column: f64) {
    let c = p.counts;
    let teams = c.all() + p.absent;
    let words = if c.wants > 0 {
        String::new()
    } else if c.clear > 0 {
        "all look clear".to_owned()
    } else if c.decided > 0 {
        "all decided".to_owned()
    } else if c.returned > 0 {
        "all returned".to_owned()
    } else {
        "nothing in yet".to_owned()
    };
    // What is seen is also what is said, first.
    let lead = if words.is_empty() { String::new() } else { format!("{words}; ") };
    let label = format!(
        "{lead}{}, {}: {} want a person, {} look clear, {} decided, {} returned, {} not in yet",
        p.lab, p.section, c.wants, c.clear, c.decided, c.returned, p.absent
    );
    let linked = c.all() > 0;
    if linked {
        let _ = write!(
            out,
            "<a href=\"/docket?lab={}&amp;section={}\" aria-label=\"{}\">",
            p.lab_id,
            p.section_id,
            jurado_core::formula::mathml::escape(&label)
        );
    } else {
        let _ = write!(out, "<g role=\"img\" aria-label=\"{}\">", jurado_core::formula::mathml::escape(&label));
    }
    let half = (column / 2.0 - 10.0).min(80.0);
    let _ = write!(
        out,
        "<rect class=\"hit\" x=\"{:.0}\" y=\"{:.0}\" width=\"{:.0}\" height=\"86\"/>",
        x - half,
        y - 46.0,
        2.0 * half
    );
    if c.wants > 0 {
        let _ = write!(
            out,
            "<text class=\"snd\" text-anchor=\"middle\" x=\"{x:.0}\" y=\"{:.0}\">{}</text>",
            y - 10.0,
            c.wants
        );
    } else {
        let _ = write!(
            out,
            "<text class=\"snd snd0\" text-anchor=\"middle\" x=\"{x:.0}\" y=\"{:.0}\">{words}</text>",
            y - 10.0
        );
    }
    let pitch = (2.0 * half / teams.max(1) as f64).min(8.0);
    let left = x - pitch * teams as f64 / 2.0;
    let floor = y + 26.0;
    let _ = write!(
        out,
        "<path class=\"tk-n\" d=\"M{:.1} {floor:.1}h{:.1}\"/>",
        left - 2.0,
        pitch * (teams - p.absent) as f64 + 2.0
    );
    let kinds = [(c.wants, 'w'), (c.clear, 'c'), (c.decided, 'd'), (c.returned, 'r'), (p.absent, 'a')];
    let strokes = kinds.iter().flat_map(|(n, k)| std::iter::repeat_n(*k, *n));
    for (i, kind) in strokes.enumerate() {
        let tx = left + pitch * (i as f64 + 0.5);
        let _ = match kind {
            'w' => write!(out, "<path class=\"tk-wa\" d=\"M{tx:.1} {floor:.1}v-16l6 2.5l-6 2.5\"/>"),
            'c' => write!(
                out,
                "<path class=\"tk\" d=\"M{tx:.1} {floor:.1}v-7\"/><circle class=\"tk-o\" cx=\"{tx:.1}\" cy=\"{:.1}\" r=\"2.6\"/>",
                floor - 9.5
            ),
            'd' => write!(out, "<path class=\"tk\" d=\"M{tx:.1} {floor:.1}v-8\"/>"),
            'r' => write!(out, "<circle class=\"tk-d\" cx=\"{tx:.1}\" cy=\"{floor:.1}\" r=\"2.2\"/>"),
            _ => write!(out, "<path class=\"tk-n\" d=\"M{:.1} {:.1}h4\"/>", tx - 2.0, floor + 4.0),
        };
    }
    out.push_str(if linked { "</a>" } else { "</g>" });
}

/// One sounding a result, up is higher; the channel is half a unit of the last digit.
fn profile(stored: &str) -> String {
    let soundings: Vec<Option<f64>> = stored.split(';').map(|t| t.parse().ok()).collect();
    let pitch = (96.0 / soundings.len().max(1) as f64).min(12.0);
    let mut out = String::from(
        "<rect class=\"w0\" x=\"0\" y=\"9\" width=\"98\" height=\"10\"/><path class=\"stl\" d=\"M0 9H98M0 19H98\"/>",
    );
    for (i, d) in soundings.iter().enumerate() {
        let Some(d) = d else { continue };
        let x = 4.0 + pitch * i as f64;
        // Half a unit is the channel's edge; beyond it logarithmic, to the edge at ten thousand.
        let up = if d.abs() <= 0.5 { 10.0 * d } else { d.signum() * (5.0 + (2.0 * d.abs()).log10() * 2.0).min(12.0) };
        let off = d.abs() > 0.5;
        let (line, dot) = if off { ("pf", "pd") } else { ("pf0", "pd0") };
        let _ = write!(
            out,
            "<path class=\"{line}\" d=\"M{x:.1} 14V{0:.1}\"/><circle class=\"{dot}\" cx=\"{x:.1}\" cy=\"{0:.1}\" r=\"{1}\"/>",
            14.0 - up,
            if off { 2.0 } else { 1.3 }
        );
    }
    out
}
