//! What waits: the chart by lab and section, and the order of what is next.

use std::collections::BTreeMap;

use chrono::NaiveDateTime;
use jurado_core::notation::counted;
use jurado_store::docket::Alike;
use jurado_store::questions::Placed;
use jurado_store::{Counts, DocketRow, Lab, SheetState, User, roster::Section};
use rust_decimal::prelude::ToPrimitive;

use super::Mark;
use super::asked::AskedView;
use super::rulings::AlikeView;
use crate::draw::docket::{self as drawn, Head, Spot};
use crate::draw::profile;
use crate::draw::svg::Svg;
use crate::routes::docket::{Asked, MOST_QUESTIONS};
use crate::views::bench::points;
use crate::views::intake::time;

/// What the store gave.
pub(crate) struct Waiting {
    pub(crate) labs: Vec<Lab>,
    pub(crate) sections: Vec<Section>,
    pub(crate) counts: BTreeMap<(u32, u32), Counts>,
    /// Those that want a person, most wanting first.
    pub(crate) next: Vec<DocketRow>,
    /// What most tables wait for alike.
    pub(crate) alike: Vec<Alike>,
    /// The first that looks clear.
    pub(crate) clear: Vec<DocketRow>,
    pub(crate) hanging: f64,
    pub(crate) held: i64,
    /// What teams ask on their lines: the oldest, and one more where there are more.
    pub(crate) questions: Vec<Placed>,
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
    /// What several tables wait for alike.
    pub(crate) alike: Vec<AlikeView>,
    pub(crate) chart: Svg,
    pub(crate) chart_height: u32,
    /// Too many places for a chart: a band for each lab.
    pub(crate) bands: Vec<BandView>,
    /// Names of the sections over the bands, where they are few enough to be read.
    pub(crate) band_heads: Svg,
    pub(crate) table: Vec<PlaceView>,
    pub(crate) next: Vec<NextView>,
    pub(crate) more: usize,
    pub(crate) more_points: String,
    pub(crate) first_clear: Option<u32>,
    pub(crate) held: i64,
    /// What teams ask: number, who, line and words.
    pub(crate) questions: Vec<AskedView>,
    pub(crate) more_questions: bool,
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
    pub(crate) strokes: Svg,
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
    pub(crate) profile: Svg,
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
            profile: profile::draw(&r.profile),
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
        let (chart, chart_height) = if charted { chart(&w.labs, &w.sections, &table) } else { (Svg::default(), 0) };
        let bands = if charted { Vec::new() } else { bands(&w.labs, w.sections.len(), &table) };
        let band_heads = if charted {
            Svg::default()
        } else {
            drawn::band_heads(&w.sections.iter().map(|s| s.name.as_str()).collect::<Vec<_>>())
        };
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
            alike: w
                .alike
                .iter()
                .filter_map(|a| Some(AlikeView::new(a, &w.labs.iter().find(|l| l.id == a.lab_id)?.protocol)))
                .collect(),
            chart,
            chart_height,
            bands,
            band_heads,
            more: wants.saturating_sub(next.len()),
            more_points: format!("{:.1}", (w.hanging - shown).max(0.0)),
            next,
            first_clear: w.clear.first().map(|r| r.id),
            questions: (w.questions.iter().take(MOST_QUESTIONS as usize))
                .map(|q| AskedView::new(q, &w.labs, blind))
                .collect(),
            more_questions: w.questions.len() > MOST_QUESTIONS as usize,
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

/// One row a lab, over all its sections: with as many as make bands, a row for each place would be a page of its own.
fn by_lab(table: Vec<PlaceView>, sections: usize) -> Vec<PlaceView> {
    let mut out: Vec<PlaceView> = Vec::new();
    for p in table {
        match out.last_mut().filter(|o| o.lab_id == p.lab_id) {
            None => out.push(PlaceView {
                section_id: 0,
                section: {
                    let course = super::course::current();
                    format!("{sections} {}", if sections == 1 { &course.section } else { &course.sections })
                },
                due: String::new(),
                ..p
            }),
            Some(o) => {
                add(&mut o.counts, p.counts);
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
            places.iter().for_each(|p| add(&mut counts, p.counts));
            BandView {
                id: lab.id,
                lab: lab.protocol.title.clone(),
                says: format!(
                    "{}: {} want a person, {} look clear, {} decided, {} returned, over {sections} sections",
                    lab.protocol.title, counts.wants, counts.clear, counts.decided, counts.returned
                ),
                counts,
                strokes: drawn::band(&places.iter().map(|p| (p.counts, p.absent)).collect::<Vec<_>>()),
            }
        })
        .collect()
}

fn add(to: &mut Counts, more: Counts) {
    to.wants += more.wants;
    to.clear += more.clear;
    to.decided += more.decided;
    to.returned += more.returned;
}

/// The chart: labs down, sections across.
fn chart(labs: &[Lab], sections: &[Section], table: &[PlaceView]) -> (Svg, u32) {
    let rows: Vec<Head> = labs
        .iter()
        .map(|l| Head { name: l.protocol.title.clone(), below: format!("protocol {}", l.protocol.version) })
        .collect();
    let columns: Vec<Head> =
        sections.iter().map(|s| Head { name: s.name.clone(), below: counted(s.teams, "team") }).collect();
    let spots: Vec<Spot> = table.iter().map(spot).collect();
    drawn::chart(&rows, &columns, &spots)
}

/// A place as it is drawn: one link that says its counts.
fn spot(p: &PlaceView) -> Spot {
    let c = p.counts;
    let words = match (c.wants, c.clear, c.decided, c.returned) {
        (1.., ..) => "",
        (_, 1.., ..) => "all look clear",
        (_, _, 1.., _) => "all decided",
        (.., 1..) => "all returned",
        _ => "nothing in yet",
    };
    // What is seen is also what is said, first.
    let lead = if words.is_empty() { String::new() } else { format!("{words}; ") };
    Spot {
        counts: c,
        absent: p.absent,
        href: (c.all() > 0).then(|| format!("/docket?lab={}&section={}", p.lab_id, p.section_id)),
        words,
        says: format!(
            "{lead}{}, {}: {} want a person, {} look clear, {} decided, {} returned, {} not in yet",
            p.lab, p.section, c.wants, c.clear, c.decided, c.returned, p.absent
        ),
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
