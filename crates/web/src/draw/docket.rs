//! The Docket drawn: places where work waits as shoals of a chart, or as bands of strokes where there are many.

use jurado_store::Counts;

use super::shoals::{self, Place};
use super::svg::{Anchor, Path, Svg};

/// One place: a lab in a section.
pub(crate) struct Spot {
    pub(crate) counts: Counts,
    /// Teams that have handed nothing in.
    pub(crate) absent: usize,
    /// Where it leads; nowhere while nothing is in.
    pub(crate) href: Option<String>,
    /// What stands there in place of a figure.
    pub(crate) words: &'static str,
    /// The place in words.
    pub(crate) says: String,
}

impl Spot {
    fn teams(&self) -> usize {
        self.counts.all() + self.absent
    }
}

/// A name with what stands below it.
pub(crate) struct Head {
    pub(crate) name: String,
    pub(crate) below: String,
}

/// Coordinates of the chart, px.
const WIDTH: f64 = 764.0;
const LABEL: f64 = 112.0;
const ROW: f64 = 150.0;
/// Pitch where there are many labs.
const CLOSE: f64 = 92.0;
const HEAD: f64 = 44.0;

/// The chart of `rows` by `columns` places, row by row, and its height.
pub(crate) fn chart(rows: &[Head], columns: &[Head], spots: &[Spot]) -> (Svg, u32) {
    let mut out = Svg::default();
    let column = (WIDTH - LABEL) / columns.len().max(1) as f64;
    let pitch = if rows.len() > 4 { CLOSE } else { ROW };
    let centre = |s: usize| LABEL + column * (s as f64 + 0.5);
    let middle = |l: usize| HEAD + pitch * l as f64 + if rows.len() > 4 { 46.0 } else { 62.0 };
    let height = HEAD + pitch * rows.len() as f64;
    let places: Vec<Place> = spots
        .iter()
        .enumerate()
        .map(|(i, p)| Place {
            x: centre(i % columns.len()),
            y: middle(i / columns.len()),
            weight: p.counts.wants as f64 + 0.45 * p.counts.clear as f64,
        })
        .collect();
    // Closer places lend each other more: the levels rise with them, so that lines still tell places apart.
    let lift = ROW / pitch;
    for (class, level) in [("w1", 0.5), ("w2", 1.62), ("w3", 3.05)] {
        out.path(&format!("{class} isobath"), &shoals::lines(&places, WIDTH, height, level * lift * lift));
    }
    for (s, head) in columns.iter().enumerate() {
        out.text("it", Anchor::Middle, (centre(s).round(), 14.0), &head.name);
        out.text("t3", Anchor::Middle, (centre(s).round(), 29.0), &head.below);
    }
    for (l, head) in rows.iter().enumerate() {
        out.text("lab", Anchor::Start, (0.0, middle(l) - 6.0), &head.name);
        out.text("t3", Anchor::Start, (0.0, middle(l) + 12.0), &head.below);
        for s in 0..columns.len() {
            let spot = &spots[l * columns.len() + s];
            let inside = |out: &mut Svg| place(out, spot, (centre(s), middle(l)), column);
            match &spot.href {
                Some(href) => out.link(href, &spot.says, inside),
                None => out.named(&spot.says, inside),
            }
        }
    }
    (out, height.ceil() as u32)
}

/// One place: its figure and a stroke for each team.
fn place(out: &mut Svg, p: &Spot, (x, y): (f64, f64), column: f64) {
    let c = p.counts;
    let half = (column / 2.0 - 10.0).min(80.0);
    out.rect("hit", ((x - half).round(), y - 46.0), ((2.0 * half).round(), 86.0));
    if p.words.is_empty() {
        out.text("snd", Anchor::Middle, (x.round(), y - 10.0), &c.wants.to_string());
    } else {
        out.text("snd snd0", Anchor::Middle, (x.round(), y - 10.0), p.words);
    }
    let teams = p.teams();
    let pitch = (2.0 * half / teams.max(1) as f64).min(8.0);
    let left = x - pitch * teams as f64 / 2.0;
    let floor = y + 26.0;
    out.path("tk-n", &Path::at((left - 2.0, floor)).across(pitch * (teams - p.absent) as f64 + 2.0));
    let kinds = [(c.wants, 'w'), (c.clear, 'c'), (c.decided, 'd'), (c.returned, 'r'), (p.absent, 'a')];
    let strokes = kinds.iter().flat_map(|(n, k)| std::iter::repeat_n(*k, *n));
    for (i, kind) in strokes.enumerate() {
        let at = (left + pitch * (i as f64 + 0.5), floor);
        match kind {
            'w' => out.path("tk-wa", &Path::at(at).down(-16.0).by(6.0, 2.5).by(-6.0, 2.5)),
            'c' => {
                out.path("tk", &Path::at(at).down(-7.0));
                out.circle("tk-o", (at.0, floor - 9.5), 2.6);
            }
            'd' => out.path("tk", &Path::at(at).down(-8.0)),
            'r' => out.circle("tk-d", at, 2.2),
            _ => out.path("tk-n", &Path::at((at.0 - 2.0, floor + 4.0)).across(4.0)),
        }
    }
}

/// Width of a band, px.
const BAND: f64 = 500.0;
/// Sections whose names stand over the bands.
const NAMED: usize = 10;

/// Names over the bands; none where there are too many.
pub(crate) fn band_heads(names: &[&str]) -> Svg {
    let mut out = Svg::default();
    if names.len() > NAMED {
        return out;
    }
    let pitch = BAND / names.len().max(1) as f64;
    // A name is cut where the next one begins: the plain table has it whole.
    let room = (pitch / 7.0) as usize;
    for (i, name) in names.iter().enumerate() {
        let name: String = if name.chars().count() > room {
            name.chars().take(room.saturating_sub(1)).chain(['…']).collect()
        } else {
            (*name).to_owned()
        };
        out.text("it", Anchor::Middle, ((pitch * (i as f64 + 0.5)).round(), 14.0), &name);
    }
    out
}

/// Strokes upwards, each told from where the one before ended, which is shorter than from the corner.
#[derive(Default)]
struct Strokes {
    path: Path,
    end: (f64, f64),
}

impl Strokes {
    fn put(&mut self, (x, y): (f64, f64), up: f64) {
        let path = std::mem::take(&mut self.path);
        let there = if path.is_empty() { Path::at((x, y)) } else { path.and_by(x - self.end.0, y - self.end.1) };
        self.path = there.down(-up);
        self.end = (x, y - up);
    }
}

/// A band: a stroke for each section, as high as the share of its tables that wait.
pub(crate) fn band(places: &[(Counts, usize)]) -> Svg {
    let mut out = Svg::default();
    let (mut waiting, mut looking) = (Strokes::default(), Strokes::default());
    let pitch = BAND / places.len().max(1) as f64;
    let few = places.len() <= NAMED;
    let mut figures = Svg::default();
    for (i, (counts, absent)) in places.iter().enumerate() {
        let all = (counts.all() + absent).max(1) as f64;
        // Whole pixels are as fine as a stroke shows, and a term has thousands of strokes.
        let x = (pitch * (i as f64 + 0.5)).round();
        let wants = (30.0 * counts.wants as f64 / all).ceil();
        let clear = (30.0 * counts.clear as f64 / all).ceil();
        if wants > 0.0 {
            waiting.put((x, 34.0), wants);
        }
        if few && counts.wants > 0 {
            figures.text("", Anchor::Start, (x + 9.0, 31.0), &counts.wants.to_string());
        }
        if clear > 0.0 {
            looking.put((x, 34.0 - wants), clear);
        }
    }
    // Few strokes are broad and say how many tables want a person.
    let broad = if few { " broad" } else { "" };
    out.path(&format!("tk-wa{broad}"), &waiting.path);
    out.path(&format!("tk{broad}"), &looking.path);
    out.over(&figures);
    out
}
