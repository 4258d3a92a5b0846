//! The drawing of the ladder: how far each reported value stands from the recomputed one, in units of the last digit
//! the team wrote. Coordinates only; `screens.md` of the design gives the grammar.

use std::fmt::Write;

/// Middle line, left and right edge of the chart, x.
const MIDDLE: f64 = 563.0;
const LEFT: f64 = 436.0;
const RIGHT: f64 = 690.0;
/// Farthest a mark stands from the middle.
const FARTHEST: f64 = 119.0;
/// Head of the ladder, title of a bay, pitch of a rung.
pub(crate) const HEAD: f64 = 34.0;
pub(crate) const BAY: f64 = 22.0;
pub(crate) const RUNG: f64 = 28.0;

/// Distance from the middle for `a` units of the last digit: even up to ½, then logarithmic.
fn g(a: f64) -> f64 {
    if a <= 0.5 { 17.0 * a / 0.5 } else { 17.0 + 23.6 * (2.0 * a).log10() }
}

/// One rung to draw.
#[derive(Clone, Debug, Default)]
pub(crate) struct Rung {
    /// Symbol of its verdict.
    pub(crate) symbol: &'static str,
    /// Distance in last digits; `None` where there is none.
    pub(crate) distance: Option<f64>,
    /// Rounding envelope in last digits.
    pub(crate) envelope: f64,
    /// Rungs (over the whole ladder) that it was carried from.
    pub(crate) carried_from: Vec<usize>,
    /// Whether it is the rung in hand.
    pub(crate) in_hand: bool,
    /// Where it would stand in a try-out.
    pub(crate) ghost: Option<f64>,
}

/// One bay to draw.
#[derive(Clone, Debug, Default)]
pub(crate) struct Bay {
    /// Rows of the block, rungs and fillers.
    pub(crate) rows: usize,
    /// Its rungs.
    pub(crate) rungs: Vec<Rung>,
}

/// Inner SVG and its height.
pub(crate) struct Drawing {
    pub(crate) svg: String,
    pub(crate) height: u32,
}

/// Where a mark stands.
fn place(rung: &Rung) -> f64 {
    rung.distance.map_or(MIDDLE, across)
}

/// x of a distance.
fn across(d: f64) -> f64 {
    MIDDLE + d.signum() * g(d.abs()).min(FARTHEST)
}

/// The water behind a place: class of the halo.
fn water(x: f64) -> &'static str {
    let off = (x - MIDDLE).abs();
    if off <= g(0.5) {
        "knock"
    } else if off <= g(10.0) {
        "k1"
    } else if off <= g(100.0) {
        "k2"
    } else {
        "k3"
    }
}

fn signed(d: f64) -> String {
    let a = d.abs();
    let digits = if a < 10.0 { 1 } else { 0 };
    let text = if a >= 100_000.0 { "far".to_owned() } else { format!("{a:.digits$}") };
    format!("{}{text}", if d < 0.0 { "−" } else { "+" })
}

/// A distance in words, for readers without the drawing.
pub(crate) fn in_words(distance: Option<f64>) -> String {
    match distance {
        None => "no distance".to_owned(),
        Some(d) if d.abs() <= 0.5 => "within the last digit".to_owned(),
        Some(d) => format!(
            "{} last digits {}",
            signed(d).trim_start_matches(['+', '−']),
            if d > 0.0 { "above" } else { "below" }
        ),
    }
}

/// Draws all bays. `thread` joins readings (their y) to the rung in hand and on to its card.
pub(crate) fn draw(bays: &[Bay], thread_from: &[f64]) -> Drawing {
    let mut out = String::new();
    let mut marks = String::new();
    let mut centres: Vec<(f64, f64)> = Vec::new();
    let mut courses: Vec<(usize, usize)> = Vec::new();
    let mut hand = None;
    let mut top = HEAD;
    axis(&mut out);
    for bay in bays {
        let _ = write!(out, "<path class=\"hairline\" d=\"M0 {:.1}H868\"/>", top + 0.5);
        let first = top + BAY;
        if !bay.rungs.is_empty() {
            waters(&mut out, first, bay);
        }
        for (i, rung) in bay.rungs.iter().enumerate() {
            let y = first + RUNG * i as f64 + RUNG / 2.0;
            let x = place(rung);
            for from in &rung.carried_from {
                courses.push((*from, centres.len()));
            }
            if rung.in_hand {
                hand = Some(y);
            }
            centres.push((x, y));
            mark(&mut marks, rung, x, y);
        }
        top = first + RUNG * bay.rows as f64;
    }
    for (from, to) in courses {
        course(&mut out, centres[from], centres[to]);
    }
    out.push_str(&marks);
    if let Some(y) = hand {
        thread(&mut out, thread_from, y);
    }
    Drawing { svg: out, height: top.ceil() as u32 + 4 }
}

fn axis(out: &mut String) {
    let y = HEAD + 15.0;
    for (a, label) in [(0.5, "½"), (10.0, "10"), (100.0, "100"), (1000.0, "1000")] {
        for side in [-1.0, 1.0] {
            let _ = write!(
                out,
                "<text class=\"t3\" text-anchor=\"middle\" x=\"{:.1}\" y=\"{y}\">{label}</text>",
                MIDDLE + side * g(a)
            );
        }
    }
    let _ = write!(
        out,
        "<text class=\"t3\" text-anchor=\"middle\" x=\"{MIDDLE}\" y=\"28\">last digits apart</text><text class=\"t3\" x=\"{LEFT}\" y=\"28\">lower</text>\
         <text class=\"t3\" text-anchor=\"end\" x=\"{RIGHT}\" y=\"28\">higher</text>"
    );
}

/// Tints by distance, the fairway that widens with the envelope, treads and stiles.
fn waters(out: &mut String, first: f64, bay: &Bay) {
    let height = RUNG * bay.rungs.len() as f64;
    let bottom = first + height;
    let mut rect = |class: &str, half: f64| {
        let _ = write!(
            out,
            "<rect class=\"{class}\" x=\"{:.1}\" y=\"{first:.1}\" width=\"{:.1}\" height=\"{height:.1}\"/>",
            MIDDLE - half,
            2.0 * half
        );
    };
    rect("wl", RIGHT - MIDDLE);
    rect("w2", g(100.0));
    rect("w1", g(10.0));
    for a in [1.0, 10.0, 100.0, 1000.0] {
        for side in [-1.0, 1.0] {
            let _ = write!(out, "<path class=\"grat\" d=\"M{:.1} {first:.1}V{bottom:.1}\"/>", MIDDLE + side * g(a));
        }
    }
    for side in [-1.0, 1.0] {
        let line = fairway(first, bay, side);
        let _ = write!(
            out,
            "<path class=\"w0\" d=\"M{MIDDLE} {first:.1}L{}H{MIDDLE}Z\"/><path class=\"contour\" d=\"M{line}\"/>",
            line
        );
    }
    for i in 0..bay.rungs.len() {
        let _ = write!(out, "<path class=\"tread\" d=\"M{LEFT} {:.1}H{RIGHT}\"/>", first + RUNG * (i as f64 + 0.5));
    }
    for side in [-1.0, 1.0] {
        let _ = write!(out, "<path class=\"stile\" d=\"M{:.1} {first:.1}V{bottom:.1}\"/>", MIDDLE + side * g(0.5));
    }
}

/// One bank of the fairway, from the top of the bay to its bottom, with upright tangents at each rung.
fn fairway(first: f64, bay: &Bay, side: f64) -> String {
    let half = |rung: &Rung| MIDDLE + side * g(0.5 + rung.envelope.clamp(0.0, 1e6)).min(RIGHT - MIDDLE);
    let xs: Vec<f64> = bay.rungs.iter().map(half).collect();
    let y = |i: usize| first + RUNG * (i as f64 + 0.5);
    let mut line = format!("{:.1} {first:.1}V{:.1}", xs[0], y(0));
    for i in 1..xs.len() {
        let middle = (y(i - 1) + y(i)) / 2.0;
        let _ = write!(line, "C{:.1} {middle:.1} {:.1} {middle:.1} {:.1} {:.1}", xs[i - 1], xs[i], xs[i], y(i));
    }
    let _ = write!(line, "V{:.1}", first + RUNG * xs.len() as f64);
    line
}

fn mark(out: &mut String, rung: &Rung, x: f64, y: f64) {
    let _ = write!(
        out,
        "<svg class=\"mk {0}\" x=\"{1:.1}\" y=\"{2:.1}\" width=\"15\" height=\"15\"><use href=\"#{0}\"/></svg>",
        rung.symbol,
        x - 7.5,
        y - 7.5
    );
    if let Some(d) = rung.ghost {
        // Where it would stand: a dashed ring with its own distance, joined to the mark by dots.
        let gx = across(d);
        if (gx - x).abs() > 15.0 {
            let side = (gx - x).signum();
            let _ = write!(out, "<path class=\"ghost\" d=\"M{:.1} {y:.1}H{:.1}\"/>", x + side * 8.0, gx - side * 6.0);
        }
        let _ = write!(
            out,
            "<circle class=\"ghost\" cx=\"{gx:.1}\" cy=\"{y:.1}\" r=\"5.5\"/><text class=\"ts {}\" x=\"{gx:.1}\" y=\"{:.1}\" text-anchor=\"middle\">{}</text>",
            water(gx),
            y - 8.0,
            signed(d)
        );
    }
    let Some(d) = rung.distance.filter(|d| d.abs() > 0.5) else { return };
    let tone = match rung.symbol {
        "slip" | "carried" => "tt",
        "unexplained" => "tb",
        _ => "",
    };
    // Beside the mark, away from the middle; at the edge there is no room, so it stands on the inner side.
    let outward = if d > 0.0 { 1.0 } else { -1.0 };
    let side = if (x - MIDDLE).abs() > 88.0 { -outward } else { outward };
    let anchor = if side > 0.0 { "start" } else { "end" };
    let at = x + side * 11.0;
    let _ = write!(
        out,
        "<text class=\"{tone} {}\" x=\"{at:.1}\" y=\"{:.1}\" text-anchor=\"{anchor}\">{}</text>",
        water(at + side * 10.0),
        y + 4.0,
        signed(d)
    );
}

/// An arrow from one mark to another, ending short of both.
fn course(out: &mut String, from: (f64, f64), to: (f64, f64)) {
    let (dx, dy) = (to.0 - from.0, to.1 - from.1);
    let length = dx.hypot(dy);
    if length < 18.0 {
        return;
    }
    let (ux, uy) = (dx / length, dy / length);
    let start = (from.0 + ux * 9.0, from.1 + uy * 9.0);
    let end = (to.0 - ux * 9.0, to.1 - uy * 9.0);
    let back = (end.0 - ux * 6.5, end.1 - uy * 6.5);
    let _ = write!(
        out,
        "<path class=\"course\" d=\"M{:.1} {:.1}L{:.1} {:.1}\"/><path class=\"course-h\" d=\"M{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}Z\"/>",
        start.0,
        start.1,
        back.0,
        back.1,
        end.0,
        end.1,
        back.0 - uy * 3.0,
        back.1 + ux * 3.0,
        back.0 + uy * 3.0,
        back.1 - ux * 3.0
    );
}

/// Readings → the rung in hand → the edge where its card begins.
fn thread(out: &mut String, readings: &[f64], y: f64) {
    let (xr, xl) = (229.0, 247.0);
    for yr in readings {
        let _ = write!(
            out,
            "<circle class=\"brassdot\" cx=\"{xr}\" cy=\"{yr:.1}\" r=\"2\"/><path class=\"feed\" d=\"M{xr} {yr:.1}C{:.1} {yr:.1} {:.1} {y:.1} {xl} {y:.1}\"/>",
            xr + 13.0,
            xl - 13.0
        );
    }
    let _ = write!(
        out,
        "<circle class=\"brassdot\" cx=\"872\" cy=\"{y:.1}\" r=\"2\"/><path class=\"feed\" d=\"M872 {y:.1}H884\"/>"
    );
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_scale_is_even_to_one_half_and_logarithmic_beyond() {
        for (a, expected) in [(0.0, 0.0), (0.25, 8.5), (0.5, 17.0), (5.0, 40.6), (50.0, 64.2)] {
            assert!((g(a) - expected).abs() < 1e-9, "{a}");
        }
        // Agreement lies between the stiles by definition.
        assert!((place(&Rung { distance: Some(-0.5), ..Rung::default() }) - (MIDDLE - 17.0)).abs() < 1e-9);
        assert_eq!(place(&Rung { distance: Some(1e9), ..Rung::default() }), MIDDLE + FARTHEST);
    }

    #[test]
    fn distances_are_told_in_words_too() {
        for (d, words) in [
            (None, "no distance"),
            (Some(0.3), "within the last digit"),
            (Some(-283.2), "283 last digits below"),
            (Some(2.84), "2.8 last digits above"),
        ] {
            assert_eq!(in_words(d), words);
        }
    }

    #[test]
    fn a_carried_value_has_a_course_from_its_slip() {
        let rung =
            |symbol, distance, carried_from| Rung { symbol, distance: Some(distance), carried_from, ..Rung::default() };
        let bays = [Bay { rows: 2, rungs: vec![rung("slip", 40.0, vec![]), rung("carried", -30.0, vec![0])] }];
        let drawing = draw(&bays, &[]);
        assert_eq!(drawing.svg.matches("class=\"course\"").count(), 1);
        assert_eq!(drawing.height, (HEAD + BAY + 2.0 * RUNG) as u32 + 4);
    }
}
