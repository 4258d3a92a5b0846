//! Replicates, reading by reading, with the limits past which the one farthest out would stand apart.

use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::row::Row;
use jurado_core::verdict::{Judged, JudgedReading};

use super::axes::extent;
use super::svg::{Anchor, Path, Svg};

const HEIGHT: f64 = 150.0;
const TOP: f64 = 8.0;

/// Draws one reading's replicates in a panel of `width` at `x`; `None` where fewer than three can be drawn.
fn panel(protocol: &Protocol, judged: &Judged, reading: &JudgedReading, x: f64, width: f64) -> Option<Svg> {
    let item = &protocol.items[reading.item];
    let points: Vec<(Row, f64, bool)> =
        reading.cells.iter().filter_map(|c| c.value.map(|v| (c.row.unwrap_or(Row::at(0)), v, c.counts))).collect();
    if points.len() < 3 {
        return None;
    }
    let test = judged.outliers.iter().find(|o| o.item == reading.item);
    let suspect = test.and_then(|t| t.row);
    let others: Vec<f64> = points.iter().filter(|p| Some(p.0) != suspect).map(|p| p.1).collect();
    // Where the suspect would have to stand for its test to raise its hand; a side on which it never would has no dashes.
    let limits = test.map_or((None, None), |t| jurado_core::judging::limits(protocol, judged, t));
    let (mut from, mut to) = extent(points.iter().map(|p| p.1));
    for limit in [limits.0, limits.1].into_iter().flatten() {
        (from, to) = (from.min(limit), to.max(limit));
    }
    let margin = ((to - from) * 0.12).max(f64::MIN_POSITIVE);
    let (from, to) = if to > from { (from - margin, to + margin) } else { (from - 0.5, to + 0.5) };
    let y = |v: f64| TOP + (to - v) / (to - from) * HEIGHT;
    let mut out = Svg::default();
    let inner = x + 40.0;
    let span = width - 44.0;
    let across = |y: f64| Path::at((inner, y)).across(span);
    out.rect("w1", (inner, TOP), (span, HEIGHT));
    // Between the dashes the water is clear.
    let (ya, yb) = (limits.1.map_or(TOP, y).max(TOP), limits.0.map_or(TOP + HEIGHT, y).min(TOP + HEIGHT));
    out.rect("w0", (inner, ya), (span, yb - ya));
    for (l, there) in [(ya, limits.1.is_some()), (yb, limits.0.is_some())] {
        if there {
            out.path("limit", &across(l));
        }
    }
    let counted: Vec<f64> = points.iter().filter(|p| p.2).map(|p| p.1).collect();
    let mean = |xs: &[f64]| xs.iter().sum::<f64>() / xs.len().max(1) as f64;
    out.path("stile", &across(y(mean(&counted))));
    if suspect.is_some() && test.is_some_and(|t| t.flagged) {
        out.path("ghost", &across(y(mean(&others))));
    }
    let digits = usize::try_from(1 - jurado_core::quantity::leading_place(to - from)).unwrap_or(0).min(6);
    for v in [from + margin, (from + to) / 2.0, to - margin] {
        out.text("t3", Anchor::End, (inner - 4.0, y(v) + 4.0), &notation::decimals(v, digits));
    }
    for (i, (row, v, counts)) in points.iter().enumerate() {
        let px = inner + span * (i as f64 + 0.5) / points.len() as f64;
        if Some(*row) == suspect && test.is_some_and(|t| t.flagged) || !counts {
            out.mark("apart", (px, y(*v) + 2.0), 15.0);
        } else {
            out.circle("dot", (px, y(*v)), 3.2);
        }
        out.text("t3", Anchor::Middle, (px, TOP + HEIGHT + 13.0), &row.to_string());
    }
    let title = item.symbol.split('_').next().unwrap_or("");
    out.text("t3", Anchor::Start, (inner, TOP + HEIGHT + 27.0), &format!("{title} in {}", item.unit.text));
    Some(out)
}

/// Panels of replicates, and by which tests their dashes are.
pub(crate) struct Drawn {
    pub(crate) svg: Svg,
    /// Names of the tests, as people say them; empty where none was asked.
    pub(crate) tests: String,
}

/// A test's name in a sentence.
fn name(test: &str) -> &'static str {
    match test {
        "dixon" => "Dixon’s test",
        "grubbs" => "Grubbs’ test",
        "esd" => "the generalised extreme deviate",
        "modified-z" => "the modified z",
        "known" => "the known repeatability",
        _ => "its test",
    }
}

/// Panels side by side under the readings, at most two; empty where nothing is repeated.
pub(crate) fn draw(protocol: &Protocol, judged: &Judged, width: f64) -> Drawn {
    // Rows of a table differ on purpose: only what was read several times alike is drawn here.
    let again = |r: &&JudgedReading| protocol.rows_of(r.item).is_some() && protocol.table_of(r.item).is_none();
    let repeated: Vec<&JudgedReading> = judged.readings.iter().filter(again).take(2).collect();
    let each = width / repeated.len().max(1) as f64;
    let mut tests: Vec<&str> = repeated
        .iter()
        .filter_map(|r| judged.outliers.iter().find(|o| o.item == r.item && o.level == "replicate"))
        .map(|o| name(o.test))
        .collect();
    tests.dedup();
    let mut svg = Svg::default();
    for (i, r) in repeated.iter().enumerate() {
        if let Some(panel) = panel(protocol, judged, r, i as f64 * each, each) {
            svg.over(&panel);
        }
    }
    Drawn { svg, tests: tests.join(" and ") }
}
