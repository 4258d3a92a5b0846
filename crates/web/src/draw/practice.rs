//! The account of a practice class: points given beside the truth, table by table, and below in the same columns what was
//! found, what passed and what was charged twice.

use jurado_core::practice::{Summed, wilson};

use super::moderation::signed;
use super::svg::{Anchor, Path, Svg};

/// Width and height of the drawing, px.
pub(crate) const WIDTH: f64 = 832.0;
pub(crate) const HEIGHT: f64 = 382.0;
/// Where the columns begin.
const LEFT: f64 = 104.0;
/// The field of points: its top, its middle and its bottom.
const TOP: f64 = 26.0;
const ZERO: f64 = 144.0;
const BOTTOM: f64 = 262.0;
/// Points at the edge of the field.
const REACH: f64 = 1.5;
/// The lanes beneath: found, missed, charged twice.
const LANES: [(f64, f64, &str); 3] =
    [(278.0, 46.0, "planted, found"), (324.0, 28.0, "missed"), (352.0, 28.0, "charged twice")];
/// Marks that stand under each other in the first lane, and beside each other at most.
const STACK: usize = 2;
/// Width of the drawing of one share.
const SHARE: (f64, f64) = (6.0, 126.0);

/// One table.
pub(crate) struct Column {
    pub(crate) number: u32,
    pub(crate) href: String,
    /// Points given less true, and by taking all.
    pub(crate) mine: f64,
    pub(crate) all: f64,
    pub(crate) found: Vec<&'static str>,
    pub(crate) missed: Vec<&'static str>,
    pub(crate) twice: Vec<&'static str>,
}

/// The height of a difference; beyond the field it stands at its edge.
fn height(off: f64) -> f64 {
    ZERO - (off / REACH).clamp(-1.0, 1.0) * (ZERO - TOP)
}

/// Marks of the same kind together with how many there are.
fn grouped(marks: &[&'static str]) -> Vec<(&'static str, usize)> {
    let mut out: Vec<(&'static str, usize)> = Vec::new();
    for mark in marks {
        match out.iter_mut().find(|(known, _)| known == mark) {
            Some((_, n)) => *n += 1,
            None => out.push((mark, 1)),
        }
    }
    out
}

/// Draws the account.
pub(crate) fn account(columns: &[Column], sum: &Summed) -> Svg {
    let mut out = Svg::default();
    let pitch = (WIDTH - LEFT) / columns.len().max(1) as f64;
    let band = |from: f64| (height(from), height(-from) - height(from));
    for (class, from) in [("w2", REACH), ("w1", 1.0), ("w0", 0.25)] {
        let (y, tall) = band(from);
        out.rect(class, (LEFT, y), (WIDTH - LEFT, tall));
    }
    for tick in [-1.5, -1.0, -0.5, 0.5, 1.0, 1.5] {
        out.text("fig quiet", Anchor::End, (LEFT - 8.0, height(tick) + 4.0), &signed(tick));
    }
    out.text("fig quiet", Anchor::End, (LEFT - 8.0, ZERO + 4.0), "truth");
    out.text("fig quiet", Anchor::Start, (0.0, 50.0), "too many");
    out.text("fig quiet", Anchor::Start, (0.0, 247.0), "too few");
    for (y, tall, name) in LANES {
        out.path("grat", &Path::at((0.0, y)).across_to(WIDTH));
        out.text("fig quiet", Anchor::Start, (0.0, y + tall / 2.0 + 4.0), name);
    }
    out.path("grat", &Path::at((0.0, HEIGHT - 2.0)).across_to(WIDTH));
    for ((y, tall, _), n) in LANES.iter().zip([sum.found, sum.planted - sum.found, sum.twice]) {
        out.text("fig", Anchor::End, (LEFT - 8.0, y + tall / 2.0 + 4.0), &n.to_string());
    }
    for (n, column) in columns.iter().enumerate() {
        let middle = LEFT + pitch * (n as f64 + 0.5);
        if n > 0 {
            out.path("grat", &Path::at((middle - pitch / 2.0, TOP)).down_to(BOTTOM));
        }
        let says = told(column);
        out.link(&column.href, &says, |out| {
            out.text("fig", Anchor::Middle, (middle, 20.0), &column.number.to_string());
        });
    }
    out.path("tread", &Path::at((LEFT, ZERO)).across_to(WIDTH));
    for (n, column) in columns.iter().enumerate() {
        let middle = LEFT + pitch * (n as f64 + 0.5);
        points(&mut out, column, middle);
        lanes(&mut out, column, (middle, pitch));
    }
    out
}

/// A table in words, for whoever does not see the drawing.
fn told(c: &Column) -> String {
    format!(
        "table {}: {} points beside the truth, {} found, {} missed, {} charged twice",
        c.number,
        signed(c.mine),
        c.found.len(),
        c.missed.len(),
        c.twice.len()
    )
}

fn points(out: &mut Svg, column: &Column, middle: f64) {
    let (mine, all) = (height(column.mine), height(column.all));
    let apart = (column.mine - column.all).abs() < 0.005 && column.mine.abs() > 0.005;
    if column.all.abs() > 0.005 || column.mine.abs() > 0.005 {
        out.circle("prop", (if apart { middle + 8.0 } else { middle }, all), 5.0);
    }
    if column.mine.abs() > 0.005 {
        out.path("stem", &Path::at((middle, ZERO)).down_to(mine));
        let y = if column.mine > 0.0 { mine - 8.0 } else { mine + 16.0 };
        out.text("fig", Anchor::Middle, (middle, y.clamp(TOP + 12.0, BOTTOM - 4.0)), &signed(column.mine));
    }
    out.circle("given", (middle, mine), 3.6);
}

fn lanes(out: &mut Svg, column: &Column, (middle, pitch): (f64, f64)) {
    let (first, second, third) = (LANES[0].0, LANES[1].0 + LANES[1].1 / 2.0, LANES[2].0 + LANES[2].1 / 2.0);
    if column.found.is_empty() && column.missed.is_empty() {
        out.text("fig quiet", Anchor::Middle, (middle, first + 27.0), "none");
    }
    let found = grouped(&column.found);
    for (n, (mark, count)) in found.iter().enumerate() {
        let (row, beside) = (n % STACK, n / STACK);
        let wide = found.len() > STACK;
        let x = if wide { middle + pitch / 4.0 * if beside == 0 { -1.0 } else { 1.0 } } else { middle };
        let y = if found.len() == 1 { first + 23.0 } else { first + 13.0 + 20.0 * row as f64 };
        out.mark(mark, (x, y), 15.0);
        if *count > 1 && !wide {
            out.text("fig quiet", Anchor::Start, (x + 9.0, y + 4.0), &format!("×{count}"));
        }
    }
    for (marks, y, bracketed) in [(&column.missed, second, true), (&column.twice, third, false)] {
        let marks = grouped(marks);
        let step = (pitch / marks.len().max(1) as f64).min(22.0);
        for (n, (mark, _)) in marks.iter().enumerate() {
            let x = middle + (n as f64 - (marks.len() - 1) as f64 / 2.0) * step;
            out.mark(mark, (x, y), 15.0);
        }
        if bracketed && !marks.is_empty() {
            let half = 11.0 + (marks.len() - 1) as f64 * step / 2.0;
            for side in [-1.0, 1.0] {
                let from = (middle + side * (half - 3.0), y - 9.0);
                out.path("brk", &Path::at(from).across_to(middle + side * half).down_to(y + 9.0).across_to(from.0));
            }
        }
    }
}

/// The share that was found, with its limits at 95 %, and the share that is found by taking all; dashes where it is too
/// little to say.
pub(crate) fn share((found, planted): (usize, usize), all: usize, few: bool) -> Svg {
    let mut out = Svg::default();
    let at = |p: f64| SHARE.0 + SHARE.1 * p;
    for tick in [0.0, 0.5, 1.0] {
        out.path("grat", &Path::at((at(tick), 2.0)).down_to(18.0));
    }
    if few {
        out.path("few", &Path::at((at(0.25), 10.0)).across_to(at(0.75)));
        return out;
    }
    let (low, high) = wilson(found, planted);
    out.path("bar", &Path::at((at(low), 10.0)).across_to(at(high)));
    for end in [low, high] {
        out.path("bar", &Path::at((at(end), 7.0)).down_to(13.0));
    }
    out.circle("given", (at(found as f64 / planted as f64), 10.0), 3.1);
    out.circle("prop", (at(all as f64 / planted as f64), 10.0), 5.5);
    out
}
