//! Replicates, reading by reading, with the limits past which the one farthest out would stand apart.

use std::fmt::Write;

use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::verdict::{Judged, JudgedReading};

const HEIGHT: f64 = 150.0;
const TOP: f64 = 8.0;

/// Draws one reading's replicates in a panel of `width` at `x`; `None` where fewer than three can be drawn.
fn panel(protocol: &Protocol, judged: &Judged, reading: &JudgedReading, x: f64, width: f64) -> Option<String> {
    let item = &protocol.items[reading.item];
    let points: Vec<(u32, f64, bool)> =
        reading.cells.iter().filter_map(|c| c.value.map(|v| (c.row.unwrap_or(1), v, c.counts))).collect();
    if points.len() < 3 {
        return None;
    }
    let test = judged.outliers.iter().find(|o| o.item == reading.item);
    let suspect = test.and_then(|t| t.row);
    let others: Vec<f64> = points.iter().filter(|p| Some(p.0) != suspect).map(|p| p.1).collect();
    // Where the suspect would have to stand for its test to raise its hand; a side on which it never would has no dashes.
    let limits = test.map_or((None, None), |t| jurado_core::judging::limits(protocol, judged, t));
    let (mut from, mut to) = extent(&points.iter().map(|p| p.1).collect::<Vec<_>>());
    for limit in [limits.0, limits.1].into_iter().flatten() {
        (from, to) = (from.min(limit), to.max(limit));
    }
    let margin = ((to - from) * 0.12).max(f64::MIN_POSITIVE);
    let (from, to) = if to > from { (from - margin, to + margin) } else { (from - 0.5, to + 0.5) };
    let y = |v: f64| TOP + (to - v) / (to - from) * HEIGHT;
    let mut out = String::new();
    let inner = x + 40.0;
    let span = width - 44.0;
    let _ = write!(out, "<rect class=\"w1\" x=\"{inner:.1}\" y=\"{TOP}\" width=\"{span:.1}\" height=\"{HEIGHT}\"/>");
    // Between the dashes the water is clear.
    let (ya, yb) = (limits.1.map_or(TOP, y).max(TOP), limits.0.map_or(TOP + HEIGHT, y).min(TOP + HEIGHT));
    let _ = write!(
        out,
        "<rect class=\"w0\" x=\"{inner:.1}\" y=\"{ya:.1}\" width=\"{span:.1}\" height=\"{:.1}\"/>",
        (yb - ya).max(0.0)
    );
    for (l, there) in [(ya, limits.1.is_some()), (yb, limits.0.is_some())] {
        if there {
            let _ = write!(out, "<path class=\"limit\" d=\"M{inner:.1} {l:.1}h{span:.1}\"/>");
        }
    }
    let counted: Vec<f64> = points.iter().filter(|p| p.2).map(|p| p.1).collect();
    let mean = |xs: &[f64]| xs.iter().sum::<f64>() / xs.len().max(1) as f64;
    let _ = write!(out, "<path class=\"stile\" d=\"M{inner:.1} {:.1}h{span:.1}\"/>", y(mean(&counted)));
    if suspect.is_some() && test.is_some_and(|t| t.flagged) {
        let _ = write!(out, "<path class=\"ghost\" d=\"M{inner:.1} {:.1}h{span:.1}\"/>", y(mean(&others)));
    }
    let digits = usize::try_from(1 - jurado_core::quantity::leading_place(to - from)).unwrap_or(0).min(6);
    for v in [from + margin, (from + to) / 2.0, to - margin] {
        let _ = write!(
            out,
            "<text class=\"t3\" text-anchor=\"end\" x=\"{:.1}\" y=\"{:.1}\">{}</text>",
            inner - 4.0,
            y(v) + 4.0,
            notation::decimals(v, digits)
        );
    }
    for (i, (row, v, counts)) in points.iter().enumerate() {
        let px = inner + span * (i as f64 + 0.5) / points.len() as f64;
        if Some(*row) == suspect && test.is_some_and(|t| t.flagged) || !counts {
            let _ = write!(
                out,
                "<svg class=\"mk apart\" x=\"{:.1}\" y=\"{:.1}\" width=\"15\" height=\"15\"><use href=\"#apart\"/></svg>",
                px - 7.5,
                y(*v) - 5.5
            );
        } else {
            let _ = write!(out, "<circle class=\"dot\" cx=\"{px:.1}\" cy=\"{:.1}\" r=\"3.2\"/>", y(*v));
        }
        let _ = write!(
            out,
            "<text class=\"t3\" text-anchor=\"middle\" x=\"{px:.1}\" y=\"{:.1}\">{row}</text>",
            TOP + HEIGHT + 13.0
        );
    }
    let title = item.symbol.split('_').next().unwrap_or("");
    let _ = write!(
        out,
        "<text class=\"t3\" x=\"{inner:.1}\" y=\"{:.1}\">{} in {}</text>",
        TOP + HEIGHT + 27.0,
        jurado_core::formula::mathml::escape(title),
        item.unit.text
    );
    Some(out)
}

fn extent(values: &[f64]) -> (f64, f64) {
    values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)))
}

/// Panels of replicates, and by which tests their dashes are.
pub(crate) struct Drawn {
    pub(crate) svg: String,
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
    Drawn {
        svg: repeated
            .iter()
            .enumerate()
            .filter_map(|(i, r)| panel(protocol, judged, r, i as f64 * each, each))
            .collect(),
        tests: tests.join(" and "),
    }
}
