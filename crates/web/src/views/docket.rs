//! What waits: the chart by lab and section, and the order of what is next.

use std::fmt::Write;

use jurado_store::{DocketRow, Lab, roster::Section};
use rust_decimal::Decimal;

use super::bench::points;
use super::shoals::{self, Place};
use super::{Mark, mark_of};

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
    pub(crate) table: Vec<PlaceView>,
    pub(crate) next: Vec<NextView>,
    pub(crate) more: usize,
    pub(crate) more_points: String,
    pub(crate) first_clear: Option<u32>,
    pub(crate) held: i64,
}

/// One lab in one section, as a row of the plain table.
pub(crate) struct PlaceView {
    pub(crate) lab: String,
    pub(crate) section: String,
    pub(crate) counts: Counts,
    pub(crate) link: Option<u32>,
}

/// Counts by state.
#[derive(Clone, Copy, Default)]
pub(crate) struct Counts {
    pub(crate) wants: usize,
    pub(crate) clear: usize,
    pub(crate) decided: usize,
    pub(crate) returned: usize,
    pub(crate) absent: usize,
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
}

/// Tables that wait, in the order that most needs a person: points that hang, then section and team; clear ones last.
pub(crate) fn ordered(rows: &[DocketRow]) -> Vec<&DocketRow> {
    let mut out: Vec<&DocketRow> = rows.iter().filter(|r| r.state == "waiting").collect();
    out.sort_by(|a, b| b.wants().cmp(&a.wants()).then(b.hangs().cmp(&a.hangs())));
    out
}

fn counts(rows: &[&DocketRow], teams: usize) -> Counts {
    let count = |f: &dyn Fn(&DocketRow) -> bool| rows.iter().filter(|r| f(r)).count();
    Counts {
        wants: count(&|r| r.wants()),
        clear: count(&|r| r.is_clear()),
        decided: count(&|r| r.state == "signed"),
        returned: count(&|r| r.state == "returned"),
        absent: teams.saturating_sub(rows.len()),
    }
}

impl DocketView {
    pub(crate) fn new(labs: &[(Lab, Vec<DocketRow>)], sections: &[Section], held: i64) -> DocketView {
        const SHOWN: usize = 6;
        let all: Vec<DocketRow> = labs.iter().flat_map(|(_, rows)| rows.clone()).collect();
        let queue = ordered(&all);
        let wanting: Vec<&&DocketRow> = queue.iter().filter(|r| r.wants()).collect();
        let title = |id: u32| {
            labs.iter()
                .find(|(_, rows)| rows.iter().any(|r| r.id == id))
                .map_or_else(String::new, |(l, _)| l.protocol.title.clone())
        };
        let next: Vec<NextView> = wanting
            .iter()
            .take(SHOWN)
            .map(|r| NextView {
                id: r.id,
                team: r.team.clone(),
                section: r.section.clone(),
                lab: title(r.id),
                mark: Mark { symbol: mark_symbol(&r.mark), word: mark_symbol(&r.mark) },
                why: first_sentences(&r.headline),
                points: points(r.hangs()),
                profile: profile(&r.profile),
            })
            .collect();
        let rest: Decimal = wanting.iter().skip(SHOWN).map(|r| r.hangs()).sum();
        let mut table = Vec::new();
        for (lab, rows) in labs {
            for section in sections {
                let mine: Vec<&DocketRow> = rows.iter().filter(|r| r.section_id == section.id).collect();
                let link = queue
                    .iter()
                    .find(|q| mine.iter().any(|m| m.id == q.id))
                    .map(|q| q.id)
                    .or(mine.first().map(|m| m.id));
                table.push(PlaceView {
                    lab: lab.protocol.title.clone(),
                    section: section.name.clone(),
                    counts: counts(&mine, section.teams),
                    link,
                });
            }
        }
        let (chart, chart_height) = chart(labs, sections, &table);
        let sum = |f: &dyn Fn(&Counts) -> usize| table.iter().map(|p| f(&p.counts)).sum::<usize>();
        DocketView {
            wants: sum(&|c| c.wants),
            clear: sum(&|c| c.clear),
            done: sum(&|c| c.decided),
            returned: sum(&|c| c.returned),
            absent: sum(&|c| c.absent),
            total: all.len(),
            chart,
            chart_height,
            next,
            more: wanting.len().saturating_sub(SHOWN),
            more_points: points(rest),
            first_clear: queue.iter().find(|r| r.is_clear()).map(|r| r.id),
            held,
            table,
        }
    }
}

fn mark_symbol(word: &str) -> &'static str {
    match word {
        "slip" => "slip",
        "unexplained" => "unexplained",
        "unreadable" => "unreadable",
        "apart" => "apart",
        "unchecked" => "unchecked",
        "hangs" => mark_of("").symbol,
        _ => "agrees",
    }
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
const HEAD: f64 = 44.0;

fn chart(labs: &[(Lab, Vec<DocketRow>)], sections: &[Section], table: &[PlaceView]) -> (String, u32) {
    let mut out = String::new();
    let column = (WIDTH - LABEL) / sections.len().max(1) as f64;
    let centre = |s: usize| LABEL + column * (s as f64 + 0.5);
    let middle = |l: usize| HEAD + ROW * l as f64 + 62.0;
    let height = HEAD + ROW * labs.len() as f64;
    let places: Vec<Place> = table
        .iter()
        .enumerate()
        .map(|(i, p)| Place {
            x: centre(i % sections.len()),
            y: middle(i / sections.len()),
            weight: p.counts.wants as f64 + 0.45 * p.counts.clear as f64,
        })
        .collect();
    for (class, level) in [("w1", 0.5), ("w2", 1.62), ("w3", 3.05)] {
        let d = shoals::lines(&places, WIDTH, height, level);
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
    for (l, (lab, _)) in labs.iter().enumerate() {
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
    let teams = c.wants + c.clear + c.decided + c.returned + c.absent;
    let label = format!(
        "{}, {}: {} want a person, {} look clear, {} decided, {} returned, {} not in yet",
        p.lab, p.section, c.wants, c.clear, c.decided, c.returned, c.absent
    );
    if let Some(id) = p.link {
        let _ = write!(out, "<a href=\"/bench/{id}\" aria-label=\"{}\">", jurado_core::formula::mathml::escape(&label));
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
        let words = if c.clear > 0 {
            "all look clear"
        } else if c.decided > 0 {
            "all decided"
        } else if c.returned > 0 {
            "all returned"
        } else {
            "nothing in yet"
        };
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
        pitch * (teams - c.absent) as f64 + 2.0
    );
    let kinds = [(c.wants, 'w'), (c.clear, 'c'), (c.decided, 'd'), (c.returned, 'r'), (c.absent, 'a')];
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
    out.push_str(if p.link.is_some() { "</a>" } else { "</g>" });
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
