//! Charts of a table: data in the upper part, what tells whether the model holds in the lower.

use jurado_core::notation::{self, capital};
use jurado_core::plots::{Curve, Decay, Fit, Plot, Point};
use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::row::Row;

use super::axes::{Panel, extent};
use super::svg::{Anchor, At, Path, Svg};

/// Width and height of a chart that stands by itself, px.
pub(crate) const SIZE: (f64, f64) = (424.0, 268.0);
/// Room for figures at the left, and free room at the right.
const LEFT: f64 = 52.0;
const RIGHT: f64 = 10.0;
/// Where data begin; between data and what is left of them; figures and name of the axis at the bottom.
const HEAD: f64 = 18.0;
const BETWEEN: f64 = 16.0;
const FOOT: f64 = 34.0;
/// The panel of a whole curve beside the reach around its end point, and the gap between the two.
const WHOLE: f64 = 142.0;
const GAP: f64 = 32.0;
/// Points of a curve on each side of its end point that its reach shows.
const REACH: usize = 5;

/// One chart, ready to be laid out.
pub(crate) struct ChartView {
    pub(crate) title: String,
    pub(crate) svg: Svg,
    pub(crate) width: u32,
    pub(crate) height: u32,
    /// The chart in words.
    pub(crate) says: String,
    pub(crate) legend: &'static str,
}

/// Draws one chart in so much room.
pub(crate) fn draw(protocol: &Protocol, plot: &Plot, size: (f64, f64)) -> ChartView {
    match plot {
        Plot::Fit(f) => fit(protocol, f, size),
        Plot::Curve(c) => curve(protocol, c, size),
        Plot::Decay(d) => decay(protocol, d, size),
    }
}

/// Columns of a chart: abscissa and ordinate.
pub(crate) fn columns(plot: &Plot) -> (ItemId, ItemId) {
    match plot {
        Plot::Fit(f) => (f.x, f.y),
        Plot::Curve(c) => (c.x, c.y),
        Plot::Decay(d) => (d.x, d.y),
    }
}

/// Where the two parts stand: top and height of the data, top and height of what is below.
fn parts(height: f64) -> ((f64, f64), (f64, f64)) {
    let room = (height - HEAD - BETWEEN - FOOT).max(30.0);
    let data = (room * 0.69).round();
    ((HEAD, data), (HEAD + data + BETWEEN, room - data))
}

fn axis_title(protocol: &Protocol, item: ItemId) -> String {
    let it = &protocol.items[item];
    let symbol = if it.symbol.is_empty() { it.title.clone() } else { it.symbol.replace('_', "") };
    let unit = it.unit_after();
    if unit.is_empty() { symbol } else { format!("{symbol} in{unit}") }
}

fn heads(out: &mut Svg, protocol: &Protocol, (x, y): (ItemId, ItemId), (width, height): (f64, f64)) {
    out.text("t3", Anchor::Start, (LEFT, 11.0), &axis_title(protocol, y));
    out.text("t3", Anchor::End, (width - RIGHT, height - 4.0), &axis_title(protocol, x));
}

fn dot(out: &mut Svg, (x, y): At, row: Row, counts: bool, apart: bool) {
    if apart || !counts {
        out.mark("apart", (x, y + 2.0), 15.0);
        out.text("tb", Anchor::Start, (x + 8.0, y + 4.0), &row.to_string());
    } else {
        out.circle("dot", (x, y), 3.2);
    }
}

fn fit(protocol: &Protocol, f: &Fit, size: (f64, f64)) -> ChartView {
    let mut out = Svg::default();
    let ((top, height), (below, rest)) = parts(size.1);
    let inner = size.0 - LEFT - RIGHT;
    let xs = extent(f.points.iter().map(|p| p.x));
    let ys = extent(f.points.iter().map(|p| p.y));
    // A wide band does not push the data together.
    let (low, high) = extent(f.band.iter().flat_map(|(_, a, b)| [*a, *b]));
    let room = (ys.1 - ys.0).abs() * 0.35;
    let ys = (ys.0.min(low.max(ys.0 - room)), ys.1.max(high.min(ys.1 + room)));
    let upper = Panel::new((LEFT, top), (inner, height), xs, ys);
    upper.ground(&mut out, "w0");
    upper.ticks_y(&mut out, 5);
    let line = |slope: f64, intercept: f64| {
        Path::through([upper.x.0, upper.x.1].map(|x| upper.place((x, intercept + slope * x))))
    };
    out.window(&format!("fit{}-{}", f.x.index(), f.y.index()), upper.at, upper.size, |out| {
        if !f.band.is_empty() {
            let there = f.band.iter().map(|(x, a, _)| upper.place((*x, *a)));
            let back = f.band.iter().rev().map(|(x, _, b)| upper.place((*x, *b)));
            out.path("w1", &Path::through(there.chain(back)).close());
        }
        out.path("fitline", &line(f.slope, f.intercept));
        if let Some((slope, intercept)) = f.without {
            out.path("ghost", &line(slope, intercept));
        }
    });
    let apart = |p: &Point| f.suspect == Some((p.row, true));
    for p in &f.points {
        dot(&mut out, upper.place((p.x, p.y)), p.row, p.counts, apart(p));
    }
    // Residuals on a channel of ± 2 residual standard deviations; leverage as a tick under the axis.
    let s = f.residual_sd.unwrap_or(0.0);
    let most = f.residuals.iter().fold(2.2 * s, |a, r| a.max(r.abs()));
    let lower = Panel::new((LEFT, below), (inner, rest), xs, (-most, most));
    lower.ground(&mut out, "w1");
    if s > 0.0 {
        let (a, b) = (lower.py(2.0 * s), lower.py(-2.0 * s));
        out.rect("w0", (LEFT, a), (inner, b - a));
        out.path("limit", &lower.across(2.0 * s).then(&lower.across(-2.0 * s)));
    }
    lower.ticks_x(&mut out);
    out.path("stile", &lower.across(0.0));
    for ((p, r), h) in f.points.iter().zip(&f.residuals).zip(&f.leverage) {
        let (x, y) = lower.place((p.x, *r));
        out.path("tread", &Path::at((x, lower.py(0.0))).down_to(y));
        dot(&mut out, (x, y), p.row, p.counts, apart(p));
        out.path("lever", &Path::at((x, lower.bottom())).down(12.0 * h.clamp(0.0, 1.0)));
    }
    out.text("t3", Anchor::End, (LEFT - 5.0, below + 9.0), "± 2 s");
    heads(&mut out, protocol, (f.x, f.y), size);
    let (x, y) = (&protocol.items[f.x].title, &protocol.items[f.y].title);
    let told = match f.suspect {
        Some((row, true)) => format!("point {row} stands apart; dotted: the line without it"),
        Some((row, false)) => format!("point {row} lies farthest off, and belongs to the line"),
        None => "no point stands apart".to_owned(),
    };
    ChartView {
        width: size.0 as u32,
        height: size.1 as u32,
        says: format!(
            "Line of {y} against {x} through {} points: slope {}, intercept {}; {told}.",
            f.points.iter().filter(|p| p.counts).count(),
            notation::figures(f.slope, 4),
            notation::figures(f.intercept, 4)
        ),
        title: format!("{} against {x}", capital(y)),
        svg: out,
        legend: "Above: points, line and its confidence band. Below: residuals between ± 2 s; ticks: how far a point pulls the line.",
    }
}

/// The points on both sides of an end point, as many as its reach shows.
fn reach(c: &Curve) -> Option<(f64, f64)> {
    let end = c.end?;
    let mut xs: Vec<f64> = c.points.iter().filter(|p| p.counts).map(|p| p.x).collect();
    xs.sort_by(f64::total_cmp);
    let after = xs.partition_point(|x| *x <= end);
    if xs.len() < 3 * REACH {
        return None;
    }
    let (first, last) = (after.saturating_sub(REACH), (after + REACH - 1).min(xs.len() - 1));
    Some((xs[first], xs[last]))
}

fn curve(protocol: &Protocol, c: &Curve, size: (f64, f64)) -> ChartView {
    let mut out = Svg::default();
    let ((top, height), (below, rest)) = parts(size.1);
    let all = extent(c.points.iter().map(|p| p.x));
    // Where there is room, the reach around the end point stands large and the whole curve beside it.
    let near = reach(c).filter(|_| size.0 >= LEFT + RIGHT + WHOLE + GAP + 150.0);
    let inner = size.0 - LEFT - RIGHT - near.map_or(0.0, |_| WHOLE + GAP);
    let xs = near.unwrap_or(all);
    let seen = |x: f64| (xs.0..=xs.1).contains(&x);
    let shown: Vec<&Point> = c.points.iter().filter(|p| seen(p.x)).collect();
    let upper = Panel::new((LEFT, top), (inner, height), xs, extent(shown.iter().map(|p| p.y)));
    upper.ground(&mut out, "w0");
    upper.ticks_y(&mut out, 5);
    out.path("fitline", &Path::through(shown.iter().filter(|p| p.counts).map(|p| upper.place((p.x, p.y)))));
    for p in &shown {
        let at = upper.place((p.x, p.y));
        dot(&mut out, at, p.row, p.counts, false);
        if near.is_some() && p.counts {
            let side =
                if c.end.is_some_and(|e| p.x > e) { (Anchor::Start, 6.0, 13.0) } else { (Anchor::End, -5.0, -6.0) };
            out.text("t3", side.0, (at.0 + side.1, at.1 + side.2), &p.row.to_string());
        }
    }
    let second: Vec<(f64, f64)> = c.second.iter().copied().filter(|(x, _)| seen(*x)).collect();
    let lower = Panel::new((LEFT, below), (inner, rest), xs, extent(second.iter().map(|p| p.1).chain([0.0])));
    lower.ground(&mut out, "w1");
    lower.ticks_x(&mut out);
    out.path("stile", &lower.across(0.0));
    out.path("ghost", &Path::through(second.iter().map(|p| lower.place(*p))));
    if let Some(end) = c.end {
        let x = lower.px(end);
        out.path("limit", &Path::at((x, top)).down_to(lower.bottom()));
        out.text("tb", Anchor::Start, (x + 5.0, top + 12.0), &notation::figures(end, 4));
    }
    out.text("t3", Anchor::End, (LEFT - 5.0, below + 18.0), "2nd");
    if let Some((from, to)) = near {
        let whole =
            Panel::new((size.0 - RIGHT - WHOLE, top), (WHOLE, height), all, extent(c.points.iter().map(|p| p.y)));
        whole.ground(&mut out, "w0");
        out.rect("reach", (whole.px(from), top), (whole.px(to) - whole.px(from), height));
        out.path("fitline", &Path::through(c.points.iter().filter(|p| p.counts).map(|p| whole.place((p.x, p.y)))));
        for p in &c.points {
            out.circle("dot", whole.place((p.x, p.y)), 1.6);
        }
        out.text("t3", Anchor::Start, (whole.left(), 11.0), "whole curve");
        whole.ticks_x(&mut out);
    }
    heads(&mut out, protocol, (c.x, c.y), size);
    let (x, y) = (&protocol.items[c.x].title, &protocol.items[c.y].title);
    ChartView {
        width: size.0 as u32,
        height: size.1 as u32,
        says: match c.end {
            Some(end) => format!(
                "{} against {x}: the second derivative is nought at {}{}.",
                capital(y),
                notation::figures(end, 4),
                protocol.items[c.x].unit_after()
            ),
            None => format!("{} against {x}: the curve gives no end point.", capital(y)),
        },
        title: format!("{} against {x}", capital(y)),
        svg: out,
        legend: "Above: the curve as read, plumb line at the end point. Below: second derivative, nought there.",
    }
}

fn decay(protocol: &Protocol, d: &Decay, size: (f64, f64)) -> ChartView {
    let mut out = Svg::default();
    let xs = extent(d.points.iter().map(|p| p.x));
    let ys = extent(d.points.iter().map(|p| p.y).chain(d.curve.iter().map(|p| p.1)));
    let panel = Panel::new((LEFT, HEAD), (size.0 - LEFT - RIGHT, (size.1 - HEAD - FOOT).max(30.0)), xs, ys);
    panel.ground(&mut out, "w0");
    panel.ticks_y(&mut out, 6);
    panel.ticks_x(&mut out);
    out.path("fitline", &Path::through(d.curve.iter().map(|p| panel.place(*p))));
    for p in &d.points {
        dot(&mut out, panel.place((p.x, p.y)), p.row, p.counts, false);
    }
    heads(&mut out, protocol, (d.x, d.y), size);
    let (x, y) = (&protocol.items[d.x].title, &protocol.items[d.y].title);
    ChartView {
        width: size.0 as u32,
        height: size.1 as u32,
        says: format!("{} against {x} as read, with the curve that the line through its logarithms gives.", capital(y)),
        title: format!("{} against {x}", capital(y)),
        svg: out,
        legend: "As read, with the curve that the line through the logarithms gives.",
    }
}
