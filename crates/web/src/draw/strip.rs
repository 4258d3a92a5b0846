//! What a ruling would move: a section a line, a stroke a table, a block where it moves.

use super::svg::{Path, Svg};

/// What becomes of a table.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Stroke {
    /// It is not like it.
    Other,
    /// It moves, by so many points.
    Moves(f64),
    /// It is like it and was settled by hand.
    ByHand,
    /// It is like it and stands outside the pattern.
    Outside,
}

/// Width of a drawing, px, for so many tables at most.
pub(crate) const PITCH: f64 = 12.0;
/// Height of one line.
pub(crate) const LINE: f64 = 34.0;
/// Height of a block for one point, px, and the highest there is.
const POINT: f64 = 9.0;
const MOST: f64 = 18.0;
const BASE: f64 = 22.0;

/// One line: strokes on a tread, with a mark under the table that the ruling comes from.
pub(crate) fn line(strokes: &[Stroke], from: Option<usize>) -> Svg {
    let mut out = Svg::default();
    let x = |n: usize| 4.0 + PITCH * n as f64;
    let end = x(strokes.len().max(1) - 1) + 4.0;
    out.path("tread", &Path::at((0.0, BASE)).across_to(end));
    for (n, stroke) in strokes.iter().enumerate() {
        match stroke {
            Stroke::Other => out.path("stk", &Path::at((x(n), BASE)).by(0.0, -7.0)),
            Stroke::Outside => out.path("stk out", &Path::at((x(n), BASE)).by(0.0, -14.0)),
            Stroke::ByHand => out.rect("stb hand", (x(n) - 3.0, BASE - 16.0), (6.0, 16.0)),
            Stroke::Moves(by) => {
                let high = (by.abs() * POINT).clamp(5.0, MOST);
                // Up where points are given back, down where they are taken.
                let top = if *by < 0.0 { BASE } else { BASE - high };
                out.rect("stb", (x(n) - 3.0, top), (6.0, high));
            }
        }
        if from == Some(n) {
            out.path("stf", &Path::at((x(n), BASE + 3.0)).by(4.0, 7.0).by(-8.0, 0.0).close());
        }
    }
    out
}

/// Points before and after on one axis: a ring, and an arrow where they move.
pub(crate) fn arrow(before: f64, after: f64, (least, most): (f64, f64)) -> Svg {
    let mut out = Svg::default();
    let x = |p: f64| 4.0 + 132.0 * ((p - least) / (most - least).max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
    out.path("tread", &Path::at((4.0, 8.0)).across_to(136.0));
    let (a, b) = (x(before), x(after));
    if (a - b).abs() > 0.5 {
        let back = if b > a { -6.0 } else { 6.0 };
        out.path("arw", &Path::at((a, 8.0)).across_to(b));
        out.path("arh", &Path::at((b, 8.0)).by(back, -3.0).by(0.0, 6.0).close());
    }
    out.circle("ring", (a, 8.0), 3.0);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_stands_up_where_points_come_back_and_down_where_they_go() {
        let top = |by: f64| {
            let drawn = line(&[Stroke::Moves(by)], None);
            let y = drawn.as_str().split("class=\"stb\"").nth(1).and_then(|r| r.split("y=\"").nth(1)).unwrap_or("");
            y.split('"').next().and_then(|n| n.parse::<f64>().ok()).expect("a place")
        };
        assert!(top(1.0) < BASE && top(-1.0) >= BASE);
        assert!(top(40.0) >= BASE - MOST, "no block is higher than its line");
        let text = line(&[Stroke::Other, Stroke::ByHand, Stroke::Outside], Some(1));
        assert!(text.as_str().contains("stf") && text.as_str().contains("hand") && !text.as_str().contains("NaN"));
        assert!(arrow(3.0, 3.0, (0.0, 0.0)).as_str().contains("ring"));
        assert!(!arrow(3.0, 3.0, (0.0, 5.0)).as_str().contains("arh"), "what stays has no arrow");
    }
}
