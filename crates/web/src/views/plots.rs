//! Charts of a table in SVG: data in the upper part, what tells whether the model holds in the lower. Coordinates only.

use std::fmt::Write;

use jurado_core::formula::mathml::escape;
use jurado_core::notation;
use jurado_core::plots::{Curve, Decay, Fit, Plot, Point};
use jurado_core::protocol::Protocol;

/// Size of a chart.
pub(crate) const WIDTH: f64 = 424.0;
pub(crate) const HEIGHT: f64 = 268.0;
const LEFT: f64 = 52.0;
const RIGHT: f64 = 10.0;

/// One chart, ready to be laid out.
pub(crate) struct PlotView {
    pub(crate) title: String,
    pub(crate) svg: String,
    /// Height of the drawing.
    pub(crate) height: u32,
    /// The chart in words.
    pub(crate) says: String,
    pub(crate) legend: &'static str,
}

/// A rectangle of the page with its scales.
struct Frame {
    top: f64,
    height: f64,
    x: (f64, f64),
    y: (f64, f64),
}

impl Frame {
    fn new(top: f64, height: f64, x: (f64, f64), y: (f64, f64)) -> Frame {
        let wide = |(a, b): (f64, f64)| {
            if !(a.is_finite() && b.is_finite()) {
                return (0.0, 1.0);
            }
            let margin = if b > a { (b - a) * 0.07 } else { a.abs().max(1.0) * 0.05 };
            (a - margin, b + margin)
        };
        Frame { top, height, x: wide(x), y: wide(y) }
    }

    fn px(&self, x: f64) -> f64 {
        LEFT + (x - self.x.0) / (self.x.1 - self.x.0) * (WIDTH - LEFT - RIGHT)
    }

    fn py(&self, y: f64) -> f64 {
        (self.top + (self.y.1 - y) / (self.y.1 - self.y.0) * self.height).clamp(self.top - 400.0, self.top + 800.0)
    }

    fn ground(&self, out: &mut String, class: &str) {
        let _ = write!(
            out,
            "<rect class=\"{class}\" x=\"{LEFT}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\"/>",
            self.top,
            WIDTH - LEFT - RIGHT,
            self.height
        );
    }

    fn ticks_y(&self, out: &mut String, most: usize) {
        for v in round_values(self.y, most) {
            let y = self.py(v.0);
            let _ = write!(
                out,
                "<path class=\"grat\" d=\"M{LEFT} {y:.1}H{:.1}\"/><text class=\"t3\" text-anchor=\"end\" x=\"{:.1}\" y=\"{:.1}\">{}</text>",
                WIDTH - RIGHT,
                LEFT - 5.0,
                y + 4.0,
                v.1
            );
        }
    }

    fn ticks_x(&self, out: &mut String) {
        for v in round_values(self.x, 6) {
            let x = self.px(v.0);
            let _ = write!(
                out,
                "<path class=\"grat\" d=\"M{x:.1} {:.1}v{:.1}\"/><text class=\"t3\" text-anchor=\"middle\" x=\"{x:.1}\" y=\"{:.1}\">{}</text>",
                self.top,
                self.height,
                self.top + self.height + 13.0,
                v.1
            );
        }
    }
}

/// Round values inside a range with their texts, at most so many.
pub(super) fn round_values((low, high): (f64, f64), most: usize) -> Vec<(f64, String)> {
    let span = high - low;
    if !span.is_finite() || span <= 0.0 {
        return Vec::new();
    }
    let rough = span / most as f64;
    let power = 10f64.powi(rough.log10().floor() as i32);
    let step = [1.0, 2.0, 5.0, 10.0].into_iter().map(|s| s * power).find(|s| *s >= rough).unwrap_or(power * 10.0);
    let digits = usize::try_from(-(step.log10().floor() as i32)).unwrap_or(0).min(9);
    let first = (low / step).ceil() as i64;
    (0..=most as i64)
        .map(|i| (first + i) as f64 * step)
        .filter(|v| *v <= high)
        .map(|v| {
            let text = if v != 0.0 && (v.abs() >= 1e6 || v.abs() < 1e-4) {
                notation::figures(v, 3)
            } else {
                notation::decimals(v, digits)
            };
            (v, text)
        })
        .collect()
}

fn extent(values: impl Iterator<Item = f64>) -> (f64, f64) {
    values.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
}

fn path(points: impl Iterator<Item = (f64, f64)>) -> String {
    let mut d = String::new();
    for (i, (x, y)) in points.enumerate() {
        let _ = write!(d, "{}{x:.1} {y:.1}", if i == 0 { "M" } else { "L" });
    }
    d
}

fn axis_title(protocol: &Protocol, item: usize) -> String {
    let it = &protocol.items[item];
    let symbol = if it.symbol.is_empty() { it.title.clone() } else { it.symbol.replace('_', "") };
    let unit = it.unit_after();
    if unit.is_empty() { symbol } else { format!("{symbol} in{unit}") }
}

fn heads(out: &mut String, protocol: &Protocol, x: usize, y: usize, bottom: f64) {
    let _ = write!(
        out,
        "<text class=\"t3\" x=\"{LEFT}\" y=\"11\">{}</text><text class=\"t3\" text-anchor=\"end\" x=\"{:.1}\" y=\"{bottom:.1}\">{}</text>",
        escape(&axis_title(protocol, y)),
        WIDTH - RIGHT,
        escape(&axis_title(protocol, x))
    );
}

fn dot(out: &mut String, (x, y): (f64, f64), row: u32, counts: bool, apart: bool) {
    if apart || !counts {
        let _ = write!(
            out,
            "<svg class=\"mk apart\" x=\"{:.1}\" y=\"{:.1}\" width=\"15\" height=\"15\"><use href=\"#apart\"/></svg><text class=\"tb\" x=\"{:.1}\" y=\"{:.1}\">{row}</text>",
            x - 7.5,
            y - 5.5,
            x + 8.0,
            y + 4.0
        );
    } else {
        let _ = write!(out, "<circle class=\"dot\" cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"3.2\"/>");
    }
}

/// Draws a table's charts.
pub(crate) fn draw(protocol: &Protocol, plots: &[Plot]) -> Vec<PlotView> {
    plots
        .iter()
        .map(|plot| match plot {
            Plot::Fit(f) => fit(protocol, f),
            Plot::Curve(c) => curve(protocol, c),
            Plot::Decay(d) => decay(protocol, d),
        })
        .collect()
}

fn titles(protocol: &Protocol, x: usize, y: usize) -> (String, String) {
    (protocol.items[x].title.clone(), protocol.items[y].title.clone())
}

fn fit(protocol: &Protocol, f: &Fit) -> PlotView {
    let mut out = String::new();
    let xs = extent(f.points.iter().map(|p| p.x));
    let bands = f.band.iter().flat_map(|(_, a, b)| [*a, *b]);
    let ys = extent(f.points.iter().map(|p| p.y));
    // A wide band does not push the data together.
    let (low, high) = extent(bands);
    let room = (ys.1 - ys.0).abs() * 0.35;
    let ys = (ys.0.min(low.max(ys.0 - room)), ys.1.max(high.min(ys.1 + room)));
    let upper = Frame::new(18.0, 138.0, xs, ys);
    upper.ground(&mut out, "w0");
    upper.ticks_y(&mut out, 5);
    let _ = write!(
        out,
        "<clipPath id=\"fit{}\"><rect x=\"{LEFT}\" y=\"18\" width=\"{}\" height=\"138\"/></clipPath><g clip-path=\"url(#fit{})\">",
        f.y,
        WIDTH - LEFT - RIGHT,
        f.y
    );
    if !f.band.is_empty() {
        let there = f.band.iter().map(|(x, a, _)| (upper.px(*x), upper.py(*a)));
        let back = f.band.iter().rev().map(|(x, _, b)| (upper.px(*x), upper.py(*b)));
        let _ = write!(out, "<path class=\"w1\" d=\"{}Z\"/>", path(there.chain(back)));
    }
    let line = |slope: f64, intercept: f64| {
        let ends = [upper.x.0, upper.x.1];
        path(ends.iter().map(|x| (upper.px(*x), upper.py(intercept + slope * x))))
    };
    let _ = write!(out, "<path class=\"fitline\" d=\"{}\"/>", line(f.slope, f.intercept));
    if let Some((slope, intercept)) = f.without {
        let _ = write!(out, "<path class=\"ghost\" d=\"{}\"/>", line(slope, intercept));
    }
    out.push_str("</g>");
    let apart = |p: &Point| f.suspect == Some((p.row, true));
    for p in &f.points {
        dot(&mut out, (upper.px(p.x), upper.py(p.y)), p.row, p.counts, apart(p));
    }
    // Residuals on a channel of ± 2 residual standard deviations; leverage as a tick under the axis.
    let s = f.residual_sd.unwrap_or(0.0);
    let most = f.residuals.iter().fold(2.2 * s, |a, r| a.max(r.abs()));
    let lower = Frame::new(172.0, 62.0, xs, (-most, most));
    lower.ground(&mut out, "w1");
    if s > 0.0 {
        let (a, b) = (lower.py(2.0 * s), lower.py(-2.0 * s));
        let _ = write!(
            out,
            "<rect class=\"w0\" x=\"{LEFT}\" y=\"{a:.1}\" width=\"{:.1}\" height=\"{:.1}\"/><path class=\"limit\" d=\"M{LEFT} {a:.1}H{:.1}M{LEFT} {b:.1}H{:.1}\"/>",
            WIDTH - LEFT - RIGHT,
            b - a,
            WIDTH - RIGHT,
            WIDTH - RIGHT
        );
    }
    lower.ticks_x(&mut out);
    let _ = write!(out, "<path class=\"stile\" d=\"M{LEFT} {:.1}H{:.1}\"/>", lower.py(0.0), WIDTH - RIGHT);
    for ((p, r), h) in f.points.iter().zip(&f.residuals).zip(&f.leverage) {
        let x = lower.px(p.x);
        let _ = write!(out, "<path class=\"tread\" d=\"M{x:.1} {:.1}V{:.1}\"/>", lower.py(0.0), lower.py(*r));
        dot(&mut out, (x, lower.py(*r)), p.row, p.counts, apart(p));
        let _ = write!(out, "<path class=\"lever\" d=\"M{x:.1} 234v{:.1}\"/>", 12.0 * h.clamp(0.0, 1.0));
    }
    let _ = write!(
        out,
        "<text class=\"t3\" text-anchor=\"end\" x=\"{:.1}\" y=\"{:.1}\">± 2 s</text>",
        LEFT - 5.0,
        lower.top + 9.0
    );
    heads(&mut out, protocol, f.x, f.y, HEIGHT - 4.0);
    let (x, y) = titles(protocol, f.x, f.y);
    let told = match f.suspect {
        Some((row, true)) => format!("point {row} stands apart; dotted: the line without it"),
        Some((row, false)) => format!("point {row} lies farthest off, and belongs to the line"),
        None => "no point stands apart".to_owned(),
    };
    PlotView {
        height: HEIGHT as u32,
        says: format!(
            "Line of {y} against {x} through {} points: slope {}, intercept {}; {told}.",
            f.points.iter().filter(|p| p.counts).count(),
            notation::figures(f.slope, 4),
            notation::figures(f.intercept, 4)
        ),
        title: format!("{} against {x}", super::capital(&y)),
        svg: out,
        legend: "Above: points, line and its confidence band. Below: residuals between ± 2 s; ticks: how far a point pulls the line.",
    }
}

fn curve(protocol: &Protocol, c: &Curve) -> PlotView {
    let mut out = String::new();
    let xs = extent(c.points.iter().map(|p| p.x));
    let upper = Frame::new(18.0, 138.0, xs, extent(c.points.iter().map(|p| p.y)));
    upper.ground(&mut out, "w0");
    upper.ticks_y(&mut out, 5);
    let drawn = c.points.iter().filter(|p| p.counts).map(|p| (upper.px(p.x), upper.py(p.y)));
    let _ = write!(out, "<path class=\"fitline\" d=\"{}\"/>", path(drawn));
    for p in &c.points {
        dot(&mut out, (upper.px(p.x), upper.py(p.y)), p.row, p.counts, false);
    }
    let (low, high) = extent(c.second.iter().map(|p| p.1).chain([0.0]));
    let lower = Frame::new(172.0, 62.0, xs, (low, high));
    lower.ground(&mut out, "w1");
    lower.ticks_x(&mut out);
    let _ = write!(out, "<path class=\"stile\" d=\"M{LEFT} {:.1}H{:.1}\"/>", lower.py(0.0), WIDTH - RIGHT);
    let second = c.second.iter().map(|(x, y)| (lower.px(*x), lower.py(*y)));
    let _ = write!(out, "<path class=\"ghost\" d=\"{}\"/>", path(second));
    if let Some(end) = c.end {
        let x = lower.px(end);
        let _ = write!(
            out,
            "<path class=\"limit\" d=\"M{x:.1} 18V234\"/><text class=\"tb\" x=\"{:.1}\" y=\"30\">{}</text>",
            x + 5.0,
            notation::figures(end, 4)
        );
    }
    let _ = write!(out, "<text class=\"t3\" text-anchor=\"end\" x=\"{:.1}\" y=\"190\">2nd</text>", LEFT - 5.0);
    heads(&mut out, protocol, c.x, c.y, HEIGHT - 4.0);
    let (x, y) = titles(protocol, c.x, c.y);
    PlotView {
        height: HEIGHT as u32,
        says: match c.end {
            Some(end) => format!(
                "{} against {x}: the second derivative is nought at {}{}.",
                super::capital(&y),
                notation::figures(end, 4),
                protocol.items[c.x].unit_after()
            ),
            None => format!("{} against {x}: the curve gives no end point.", super::capital(&y)),
        },
        title: format!("{} against {x}", super::capital(&y)),
        svg: out,
        legend: "Above: the curve as read, plumb line at the end point. Below: second derivative, nought there.",
    }
}

fn decay(protocol: &Protocol, d: &Decay) -> PlotView {
    let mut out = String::new();
    let xs = extent(d.points.iter().map(|p| p.x));
    let ys = extent(d.points.iter().map(|p| p.y).chain(d.curve.iter().map(|p| p.1)));
    let frame = Frame::new(18.0, 216.0, xs, ys);
    frame.ground(&mut out, "w0");
    frame.ticks_y(&mut out, 6);
    frame.ticks_x(&mut out);
    let drawn = d.curve.iter().map(|(x, y)| (frame.px(*x), frame.py(*y)));
    let _ = write!(out, "<path class=\"fitline\" d=\"{}\"/>", path(drawn));
    for p in &d.points {
        dot(&mut out, (frame.px(p.x), frame.py(p.y)), p.row, p.counts, false);
    }
    heads(&mut out, protocol, d.x, d.y, HEIGHT - 4.0);
    let (x, y) = titles(protocol, d.x, d.y);
    PlotView {
        height: HEIGHT as u32,
        says: format!(
            "{} against {x} as read, with the curve that the line through its logarithms gives.",
            super::capital(&y)
        ),
        title: format!("{} against {x}", super::capital(&y)),
        svg: out,
        legend: "As read, with the curve that the line through the logarithms gives.",
    }
}

#[cfg(test)]
mod tests {
    use super::{Frame, round_values};

    #[test]
    fn ticks_are_round_and_inside() {
        for (range, most) in
            [((0.0, 10.0), 5), ((-0.031, 0.027), 4), ((99.9, 100.3), 6), ((1e-9, 3e-9), 5), ((5.0, 5.0), 4)]
        {
            let ticks = round_values(range, most);
            assert!(ticks.len() <= most + 1, "{range:?}: {ticks:?}");
            assert!(ticks.iter().all(|(v, _)| *v >= range.0 && *v <= range.1), "{range:?}: {ticks:?}");
            assert_eq!(ticks.is_empty(), range.0 >= range.1);
        }
        assert_eq!(
            round_values((0.0, 10.0), 5).iter().map(|t| t.1.as_str()).collect::<Vec<_>>(),
            ["0", "2", "4", "6", "8", "10"]
        );
    }

    #[test]
    fn a_frame_draws_finite_places_for_any_extent() {
        for extent in [(0.0, 0.0), (f64::INFINITY, f64::NEG_INFINITY), (-1e300, 1e300), (3.0, 3.0)] {
            let frame = Frame::new(18.0, 100.0, extent, extent);
            assert!(frame.px(1.0).is_finite() && frame.py(1.0).is_finite(), "{extent:?}");
        }
    }
}
