//! Sketches of the apparatus in SVG, where a check failed: the beam with its moments, the rail with a ray, the rings.
//! Drawn in ink what was read, in sea what follows from it.

use jurado_core::notation::{self, capital};
use jurado_core::protocol::{Protocol, SketchKind};
use jurado_core::sketches::Sketch;

use super::axes::round_values;
use super::charts::{ChartView, SIZE};
use super::svg::{Anchor, At, Path, Svg};

const WIDTH: f64 = SIZE.0;
const LEFT: f64 = 22.0;
const RIGHT: f64 = 22.0;
/// Bars of moments that a sketch has room for.
const MOST_BARS: usize = 8;

/// Draws sketches, ready to be laid out.
pub(crate) fn draw(protocol: &Protocol, sketches: &[Sketch]) -> Vec<ChartView> {
    sketches
        .iter()
        .map(|s| {
            let drawn = match s.kind {
                SketchKind::Beam => beam(s),
                SketchKind::Rail => rail(s),
                SketchKind::Rings => rings(s),
            };
            let row = s.row.map_or_else(String::new, |r| format!(", row {r}"));
            ChartView {
                width: WIDTH as u32,
                title: format!("{}{row}", capital(&protocol.checks[s.check].title)),
                svg: drawn.svg,
                height: drawn.height.ceil() as u32,
                says: drawn.says,
                legend: drawn.legend,
            }
        })
        .collect()
}

/// A drawing, in words too.
struct Drawn {
    svg: Svg,
    height: f64,
    says: String,
    legend: &'static str,
}

fn figure(value: f64) -> String {
    notation::figures(value, 4)
}

fn with_unit(value: f64, unit: &str) -> String {
    if unit.is_empty() { figure(value) } else { format!("{} {unit}", figure(value)) }
}

fn place(s: &Sketch, at: f64) -> f64 {
    let (a, b) = s.span;
    LEFT + ((at - a) / (b - a)).clamp(-0.04, 1.04) * (WIDTH - LEFT - RIGHT)
}

/// The scale along a beam or rail.
fn scale(out: &mut Svg, s: &Sketch, y: f64) {
    for (v, text) in round_values(s.span, 10) {
        let x = place(s, v);
        out.path("tread", &Path::at((x, y)).down(5.0));
        out.text("t3", Anchor::Middle, (x, y + 16.0), &text);
    }
}

fn text(out: &mut Svg, class: &str, anchor: Anchor, (x, y): At, words: &str) {
    // Nothing is written past the edges.
    let x = if anchor == Anchor::Middle { x.clamp(26.0, WIDTH - 26.0) } else { x };
    out.text(class, anchor, (x, y), words);
}

fn beam(s: &Sketch) -> Drawn {
    let mut out = Svg::default();
    let pivot = s.pivot.unwrap_or(s.span.0);
    // Names stand in as many lines as keep them apart.
    let mut ends: Vec<f64> = Vec::new();
    let mut order: Vec<usize> = (0..s.parts.len()).collect();
    order.sort_by(|a, b| s.parts[*a].at.total_cmp(&s.parts[*b].at));
    let mut line_of = vec![0; s.parts.len()];
    for i in order {
        let p = &s.parts[i];
        let half = 3.0 * p.row.map_or(p.says.chars().count(), |_| 2) as f64 + 2.0;
        let x = place(s, p.at);
        let line = ends.iter().position(|end| x - half > *end).unwrap_or(ends.len());
        if line == ends.len() {
            ends.push(0.0);
        }
        ends[line] = x + half;
        line_of[i] = line;
    }
    let (px, top) = (place(s, pivot), 34.0 + 13.0 * ends.len().saturating_sub(1) as f64);
    scale(&mut out, s, top);
    out.path("stile", &Path::at((place(s, s.span.0), top)).across_to(place(s, s.span.1)));
    out.path("tk-n", &Path::at((px, top + 18.0)).by(-7.0, 12.0).across(14.0).close());
    text(&mut out, "ts", Anchor::Middle, (px, top + 42.0), &format!("turns at {}", with_unit(pivot, &s.unit)));
    let heaviest = s.parts.iter().filter_map(|p| p.weight).fold(0.0, |a: f64, w| a.max(w.abs()));
    for (p, line) in s.parts.iter().zip(&line_of) {
        let x = place(s, p.at);
        let up = 13.0 * *line as f64;
        let name = p.row.map_or_else(|| p.says.clone(), |r| r.to_string());
        match p.weight {
            // A weight hangs above the scale here, as a block as wide as it is heavy.
            Some(w) if heaviest > 0.0 => {
                let side = (20.0 * (w.abs() / heaviest).sqrt()).max(4.0);
                out.rect("sk-block", (x - side / 2.0, top - side), (side, side));
                text(&mut out, "k0", Anchor::Middle, (x, top - 23.0 - up), &name);
            }
            _ => {
                out.path("feed", &Path::at((x, top - 14.0)).down(14.0));
                text(&mut out, "tb", Anchor::Middle, (x, top - 17.0 - up), &name);
            }
        }
    }
    let bars: Vec<(String, f64)> = s
        .parts
        .iter()
        .filter_map(|p| Some((p.row.map_or_else(|| p.says.clone(), |r| format!("row {r}")), p.moment?)))
        .collect();
    let by_row = s.parts.iter().any(|p| p.row.is_some());
    let mut says = format!("A beam that turns at {}. ", with_unit(pivot, &s.unit));
    if bars.is_empty() {
        let marks: Vec<String> =
            s.parts.iter().map(|p| format!("{} at {}", p.says, with_unit(p.at, &s.unit))).collect();
        says.push_str(&format!("Marks: {}.", marks.join(", ")));
        let legend = "Brass: the painted marks. The triangle: where it was put down.";
        return Drawn { svg: out, height: top + 52.0, says, legend };
    }
    let mean = bars.iter().map(|b| b.1).sum::<f64>() / bars.len() as f64;
    let (left, right) = s.sides();
    let widest =
        bars.iter().map(|b| b.1.abs()).fold(left.max(right).min(f64::MAX) * f64::from(u8::from(!by_row)), f64::max);
    let start = top + 62.0;
    let pitch = if bars.len() > 5 { 17.0 } else { 22.0 };
    // Bars that all go one way have the whole width; others turn about the middle.
    let two_sided = bars.iter().any(|b| b.1 < 0.0) && bars.iter().any(|b| b.1 > 0.0);
    let (zero, room) = if two_sided { (WIDTH / 2.0, 104.0) } else { (92.0, 220.0) };
    let length = |m: f64| if widest > 0.0 { room * m.abs() / widest } else { 0.0 };
    let mut bar = |y: f64, name: &str, m: f64, class: &str| {
        let w = length(m);
        let x = if two_sided && m < 0.0 { zero - w } else { zero };
        out.rect(class, (x, y - 9.0), (w, 10.0));
        let value = with_unit(m.abs(), &s.moment_unit);
        if two_sided && m < 0.0 {
            text(&mut out, "t3", Anchor::End, (zero - w - 5.0, y), &format!("{name} {value}"));
        } else {
            if two_sided {
                text(&mut out, "t3", Anchor::Start, (zero + w + 5.0, y), &format!("{value} {name}"));
            } else {
                // In a column of their own, past the dashes of the mean.
                text(&mut out, "t3", Anchor::End, (zero - 6.0, y), name);
                text(&mut out, "t3", Anchor::End, (WIDTH - 4.0, y), &value);
            }
        }
    };
    for (i, (name, m)) in bars.iter().take(MOST_BARS).enumerate() {
        bar(start + pitch * i as f64, name, *m, "sk-moment");
    }
    let below = start + pitch * bars.len().min(MOST_BARS) as f64;
    if by_row {
        let x = zero + length(mean);
        out.path("limit", &Path::at((x, start - 14.0)).down_to(below));
        let each: Vec<String> = bars.iter().map(|(n, m)| format!("{n} {}", figure(*m))).collect();
        says.push_str(&format!("Moments in {}: {}. Their mean is {}.", s.moment_unit, each.join(", "), figure(mean)));
        let legend = "Bars: mass times arm. Dashes: their mean.";
        return Drawn { svg: out, height: below, says, legend };
    }
    bar(below + 4.0, "left in all", -left, "sk-moment sk-sum");
    bar(below + 4.0 + if two_sided { 0.0 } else { pitch }, "right in all", right, "sk-moment sk-sum");
    says.push_str(&format!(
        "To the left it turns with {}, to the right with {}.",
        with_unit(left, &s.moment_unit),
        with_unit(right, &s.moment_unit)
    ));
    let legend = "Blocks: what hangs there. Bars: weight times distance from the pivot, to its side; the last, in all.";
    Drawn { svg: out, height: below + pitch + 8.0, says, legend }
}

fn rail(s: &Sketch) -> Drawn {
    let mut out = Svg::default();
    let [mirror, object, image] = &s.parts[..] else {
        return Drawn { svg: out, height: 1.0, says: "A part of it was not read.".into(), legend: "" };
    };
    let axis = 110.0;
    // The whole rail is rarely used: drawn from the mirror to what is farthest.
    let far = object.at.max(image.at).max(mirror.at);
    let near = Sketch { span: (mirror.at.min(object.at).min(image.at).min(s.span.0), far * 1.06), ..s.clone() };
    let x = |at: f64| place(&near, at);
    let ray = s.ray_at_image();
    let tallest = [object.height, image.height, ray].into_iter().flatten().fold(0.0, |a: f64, h| a.max(h.abs()));
    let y = |h: f64| if tallest > 0.0 { axis - 76.0 * h / tallest } else { axis };
    let base = 216.0;
    scale(&mut out, &near, base);
    let along = |y: f64| Path::at((x(near.span.0), y)).across_to(x(near.span.1));
    out.path("stile", &along(base));
    out.path("grat", &along(axis));
    let mx = x(mirror.at);
    out.path("stile sk-bow", &Path::at((mx + 8.0, 30.0)).bend((mx - 8.0, axis), (mx + 8.0, 190.0)));
    let mut says = format!("The mirror at {}", with_unit(mirror.at, &s.unit));
    for (p, anchor) in [(object, Anchor::Middle), (image, Anchor::Middle)] {
        let h = p.height.unwrap_or(0.0);
        let (px, py) = (x(p.at), y(h));
        let tip = if h < 0.0 { -7.0 } else { 7.0 };
        out.path("tk", &Path::at((px, axis)).down_to(py));
        out.path("sk-head", &Path::at((px, py)).by(-4.0, tip).across(8.0).close());
        out.path("hairline", &Path::at((px, axis)).down_to(base));
        let label = format!("{} {}", p.says, figure(h.abs()));
        text(&mut out, "k0", anchor, (px, if h < 0.0 { py + 17.0 } else { py - 6.0 }), &label);
        says.push_str(&format!(", {} {} high at {}", p.says, figure(h.abs()), with_unit(p.at, &s.unit)));
    }
    text(&mut out, "t3", Anchor::Start, (mx + 12.0, 36.0), &mirror.says);
    if let (Some(h), Some(end)) = (object.height, ray) {
        out.path("ghost", &Path::through([(x(object.at), y(h)), (mx, axis), (x(image.at), y(end))]));
        out.circle("sk-ring", (x(image.at), y(end)), 4.0);
        says.push_str(&format!("; by the distances the image would be {} high", figure(end.abs())));
        let beside = if x(image.at) > WIDTH - 120.0 {
            (Anchor::End, x(image.at) - 8.0)
        } else {
            (Anchor::Start, x(image.at) + 8.0)
        };
        text(&mut out, "ts", beside.0, (beside.1, y(end) + 4.0), &format!("{} by the distances", figure(end.abs())));
    }
    says.push('.');
    let legend = "Arrows: heights as read. Dashes: a ray by the mirror’s foot; its ring is where the image should end.";
    Drawn { svg: out, height: base + 22.0, says, legend }
}

fn rings(s: &Sketch) -> Drawn {
    let mut out = Svg::default();
    let (cx, cy) = (140.0, 134.0);
    // A ring far beyond the screen stands at the edge, so that the others keep their size.
    let widest = s.parts.iter().map(|p| p.at).fold(0.0, f64::max).clamp(s.span.1 * 0.2, s.span.1 * 1.2);
    let radius = |d: f64| (122.0 * d.abs() / widest).min(128.0);
    for (i, p) in s.parts.iter().enumerate() {
        let class = if i % 2 == 0 { "sk-ringline sk-inner" } else { "sk-ringline" };
        out.circle(class, (cx, cy), radius(p.at));
        let y = 62.0 + 44.0 * i as f64;
        out.path(class, &Path::at((286.0, y - 4.0)).across(24.0));
        text(&mut out, "t3", Anchor::Start, (286.0, y + 12.0), &p.says);
        text(&mut out, "k0", Anchor::Start, (316.0, y), &with_unit(p.at, &s.unit));
    }
    let each: Vec<String> = s.parts.iter().map(|p| format!("{} {}", p.says, with_unit(p.at, &s.unit))).collect();
    Drawn {
        svg: out,
        height: f64::max(cy * 2.0, 62.0 + 44.0 * s.parts.len() as f64),
        says: format!("Rings to scale: {}.", each.join(", ")),
        legend: "To scale. Dashed: inner edges, which lie inside the full lines.",
    }
}
