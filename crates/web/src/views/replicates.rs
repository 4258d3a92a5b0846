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
    let (low, high) = extent(&others);
    // Where the suspect would have to stand for Q to reach its limit: s = (near − q·far) / (1 − q).
    let limits =
        test.map(|t| ((low - t.critical * high) / (1.0 - t.critical), (high - t.critical * low) / (1.0 - t.critical)));
    let (mut from, mut to) = extent(&points.iter().map(|p| p.1).collect::<Vec<_>>());
    if let Some((a, b)) = limits.filter(|(a, b)| b > a) {
        (from, to) = (from.min(a), to.max(b));
    }
    let margin = ((to - from) * 0.12).max(f64::MIN_POSITIVE);
    let (from, to) = if to > from { (from - margin, to + margin) } else { (from - 0.5, to + 0.5) };
    let y = |v: f64| TOP + (to - v) / (to - from) * HEIGHT;
    let mut out = String::new();
    let inner = x + 40.0;
    let span = width - 44.0;
    let _ = write!(out, "<rect class=\"w1\" x=\"{inner:.1}\" y=\"{TOP}\" width=\"{span:.1}\" height=\"{HEIGHT}\"/>");
    if limits.is_none_or(|(a, b)| b <= a) {
        // All alike: nothing is to be said, so the water is clear.
        let _ =
            write!(out, "<rect class=\"w0\" x=\"{inner:.1}\" y=\"{TOP}\" width=\"{span:.1}\" height=\"{HEIGHT}\"/>");
    }
    if let Some((a, b)) = limits.filter(|(a, b)| b > a) {
        let (ya, yb) = (y(b).max(TOP), y(a).min(TOP + HEIGHT));
        let _ = write!(
            out,
            "<rect class=\"w0\" x=\"{inner:.1}\" y=\"{ya:.1}\" width=\"{span:.1}\" height=\"{:.1}\"/>",
            (yb - ya).max(0.0)
        );
        for l in [ya, yb] {
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

/// Panels side by side under the readings, at most two; empty where nothing is repeated.
pub(crate) fn draw(protocol: &Protocol, judged: &Judged, width: f64) -> String {
    // Rows of a table differ on purpose: only what was read several times alike is drawn here.
    let again = |r: &&JudgedReading| protocol.rows_of(r.item).is_some() && protocol.table_of(r.item).is_none();
    let repeated: Vec<&JudgedReading> = judged.readings.iter().filter(again).take(2).collect();
    let each = width / repeated.len().max(1) as f64;
    repeated.iter().enumerate().filter_map(|(i, r)| panel(protocol, judged, r, i as f64 * each, each)).collect()
}
