//! The drawing of the ladder: how far each reported value stands from the recomputed one, in units of the last digit
//! the team wrote.

use super::svg::{Anchor, At, Path, Svg};

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
pub(super) fn g(a: f64) -> f64 {
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

/// What was drawn, and where its rungs stand.
pub(crate) struct Placed {
    pub(crate) svg: Svg,
    /// Middle of each rung's mark, in order.
    pub(crate) marks: Vec<At>,
    /// Bottom of the last bay.
    pub(crate) bottom: f64,
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

/// A distance with its sign, as short as it is worth.
pub(crate) fn signed(d: f64) -> String {
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
        Some(d) => {
            let side = if d > 0.0 { "above" } else { "below" };
            match signed(d).trim_start_matches(['+', '−']) {
                "far" => format!("far {side}"),
                figure => format!("{figure} last digits {side}"),
            }
        }
    }
}

/// Draws all bays of one ladder, its head at `top`.
pub(crate) fn draw(bays: &[Bay], top: f64) -> Placed {
    let mut out = Svg::default();
    let mut over = Svg::default();
    let mut marks: Vec<At> = Vec::new();
    let mut courses: Vec<(usize, usize)> = Vec::new();
    let mut top = top + HEAD;
    for bay in bays {
        out.path("hairline", &Path::at((0.0, top + 0.5)).across_to(868.0));
        let first = top + BAY;
        if !bay.rungs.is_empty() {
            waters(&mut out, first, bay);
        }
        for (i, rung) in bay.rungs.iter().enumerate() {
            let at = (place(rung), first + RUNG * i as f64 + RUNG / 2.0);
            courses.extend(rung.carried_from.iter().map(|from| (*from, marks.len())));
            marks.push(at);
            mark(&mut over, rung, at);
        }
        top = first + RUNG * bay.rows as f64;
    }
    for (from, to) in courses {
        arrow(&mut out, marks[from], marks[to]);
    }
    out.over(&over);
    Placed { svg: out, marks, bottom: top }
}

/// The scale over a ladder whose head is at `top`. It is drawn after whatever runs through the head.
pub(crate) fn axis(out: &mut Svg, top: f64) {
    for (a, label) in [(0.5, "½"), (10.0, "10"), (100.0, "100"), (1000.0, "1000")] {
        for side in [-1.0, 1.0] {
            out.text("t3 kp", Anchor::Middle, (MIDDLE + side * g(a), top + HEAD + 15.0), label);
        }
    }
    out.text("t3 kp", Anchor::Middle, (MIDDLE, top + 28.0), "last digits apart");
    out.text("t3 kp", Anchor::Start, (LEFT, top + 28.0), "lower");
    out.text("t3 kp", Anchor::End, (RIGHT, top + 28.0), "higher");
}

/// Tints by distance, the fairway that widens with the envelope, treads and stiles.
fn waters(out: &mut Svg, first: f64, bay: &Bay) {
    let height = RUNG * bay.rungs.len() as f64;
    for (class, half) in [("wl", RIGHT - MIDDLE), ("w2", g(100.0)), ("w1", g(10.0))] {
        out.rect(class, (MIDDLE - half, first), (2.0 * half, height));
    }
    let upright = |a: f64, side: f64| Path::at((MIDDLE + side * g(a), first)).down(height);
    for a in [1.0, 10.0, 100.0, 1000.0] {
        out.path("grat", &upright(a, -1.0).then(&upright(a, 1.0)));
    }
    for side in [-1.0, 1.0] {
        let bank = fairway(first, bay, side);
        let closed = bank.clone().across_to(MIDDLE).down_to(first).close();
        out.path("w0", &closed);
        out.path("contour", &bank);
    }
    for i in 0..bay.rungs.len() {
        out.path("tread", &Path::at((LEFT, first + RUNG * (i as f64 + 0.5))).across_to(RIGHT));
    }
    out.path("stile", &upright(0.5, -1.0).then(&upright(0.5, 1.0)));
}

/// One bank of the fairway, from the top of the bay to its bottom, with upright tangents at each rung.
fn fairway(first: f64, bay: &Bay, side: f64) -> Path {
    let half = |rung: &Rung| MIDDLE + side * g(0.5 + rung.envelope.clamp(0.0, 1e6)).min(RIGHT - MIDDLE);
    let xs: Vec<f64> = bay.rungs.iter().map(half).collect();
    let y = |i: usize| first + RUNG * (i as f64 + 0.5);
    let mut line = Path::at((xs[0], first)).down_to(y(0));
    for i in 1..xs.len() {
        let middle = (y(i - 1) + y(i)) / 2.0;
        line = line.curve((xs[i - 1], middle), (xs[i], middle), (xs[i], y(i)));
    }
    line.down_to(first + RUNG * xs.len() as f64)
}

fn mark(out: &mut Svg, rung: &Rung, (x, y): At) {
    out.mark(rung.symbol, (x, y), 15.0);
    if let Some(d) = rung.ghost {
        // Where it would stand: a dashed ring with its own distance, joined to the mark by dots.
        let gx = across(d);
        if (gx - x).abs() > 15.0 {
            let side = (gx - x).signum();
            out.path("ghost", &Path::at((x + side * 8.0, y)).across_to(gx - side * 6.0));
        }
        out.circle("ghost", (gx, y), 5.5);
        out.text(&format!("ts {}", water(gx)), Anchor::Middle, (gx, y - 8.0), &signed(d));
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
    let anchor = if side > 0.0 { Anchor::Start } else { Anchor::End };
    let at = x + side * 11.0;
    out.text(&format!("{tone} {}", water(at + side * 10.0)), anchor, (at, y + 4.0), &signed(d));
}

/// An arrow from one mark to another, ending short of both.
fn arrow(out: &mut Svg, from: At, to: At) {
    let (dx, dy) = (to.0 - from.0, to.1 - from.1);
    let length = dx.hypot(dy);
    if length < 18.0 {
        return;
    }
    let (ux, uy) = (dx / length, dy / length);
    let start = (from.0 + ux * 9.0, from.1 + uy * 9.0);
    let end = (to.0 - ux * 9.0, to.1 - uy * 9.0);
    out.path("course", &Path::at(start).to((end.0 - ux * 6.5, end.1 - uy * 6.5)));
    head(out, end, (ux, uy));
}

/// The head of an arrow that ends at `tip`, along a direction of length 1.
pub(crate) fn head(out: &mut Svg, tip: At, (ux, uy): (f64, f64)) {
    let back = (tip.0 - ux * 6.5, tip.1 - uy * 6.5);
    let corner = |side: f64| (back.0 - side * uy * 3.0, back.1 + side * ux * 3.0);
    out.path("course-h", &Path::through([tip, corner(1.0), corner(-1.0)]).close());
}

/// Readings → the rung in hand → the edge where its card begins.
pub(crate) fn thread(out: &mut Svg, readings: &[f64], y: f64) {
    let (xr, xl) = (229.0, 247.0);
    for yr in readings {
        out.circle("brassdot", (xr, *yr), 2.0);
        out.path("feed", &Path::at((xr, *yr)).curve((xr + 13.0, *yr), (xl - 13.0, y), (xl, y)));
    }
    out.circle("brassdot", (872.0, y), 2.0);
    out.path("feed", &Path::at((872.0, y)).across_to(884.0));
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
            (Some(-4e7), "far below"),
        ] {
            assert_eq!(in_words(d), words);
        }
    }

    #[test]
    fn a_carried_value_has_a_course_from_its_slip() {
        let rung =
            |symbol, distance, carried_from| Rung { symbol, distance: Some(distance), carried_from, ..Rung::default() };
        let bays = [Bay { rows: 2, rungs: vec![rung("slip", 40.0, vec![]), rung("carried", -30.0, vec![0])] }];
        let placed = draw(&bays, 10.0);
        assert_eq!(placed.svg.as_str().matches("class=\"course\"").count(), 1);
        assert_eq!(placed.marks.len(), 2);
        assert_eq!(placed.bottom, 10.0 + HEAD + BAY + 2.0 * RUNG);
    }
}
