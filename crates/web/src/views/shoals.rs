//! Shoals of the Docket: lines of equal crowding, computed from what waits.
//!
//! F(x, y) = Σ (wants + 0.45·clear)·exp(−(Δx/50)² − (Δy/37)²) on a grid of 6 px; marching squares with linear
//! interpolation; the field is nought around the grid, so every line closes.

use std::fmt::Write;

const STEP: f64 = 6.0;

/// A place where work waits.
pub(crate) struct Place {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) weight: f64,
}

/// The closed lines of one level as the `d` of a path; empty where the field stays below it.
pub(crate) fn lines(places: &[Place], width: f64, height: f64, level: f64) -> String {
    let (columns, rows) = ((width / STEP) as usize + 1, (height / STEP) as usize + 1);
    let field = |c: usize, r: usize| -> f64 {
        if c == 0 || r == 0 || c == columns || r == rows {
            return 0.0;
        }
        let (x, y) = (c as f64 * STEP, r as f64 * STEP);
        places.iter().map(|p| p.weight * (-((x - p.x) / 50.0).powi(2) - ((y - p.y) / 37.0).powi(2)).exp()).sum()
    };
    let grid: Vec<f64> =
        (0..=rows).flat_map(|r| (0..=columns).map(move |c| (c, r))).map(|(c, r)| field(c, r)).collect();
    let at = |c: usize, r: usize| grid[r * (columns + 1) + c];
    // Segments by the edges they join; an edge is (column, row, 0 across or 1 down).
    type Edge = (usize, usize, u8);
    let mut segments: Vec<(Edge, Edge)> = Vec::new();
    for r in 0..rows {
        for c in 0..columns {
            let inside = [at(c, r) >= level, at(c + 1, r) >= level, at(c + 1, r + 1) >= level, at(c, r + 1) >= level];
            let edges: [Edge; 4] = [(c, r, 0), (c + 1, r, 1), (c, r + 1, 0), (c, r, 1)];
            let crossed: Vec<Edge> = (0..4).filter(|i| inside[*i] != inside[(*i + 1) % 4]).map(|i| edges[i]).collect();
            match crossed[..] {
                [a, b] => segments.push((a, b)),
                // A saddle: the two corners inside stay apart.
                [a, b, d, e] => segments.extend(if inside[0] { [(e, a), (b, d)] } else { [(a, b), (d, e)] }),
                _ => {}
            }
        }
    }
    let point = |(c, r, down): Edge| -> (f64, f64) {
        let (a, b) = if down == 0 { (at(c, r), at(c + 1, r)) } else { (at(c, r), at(c, r + 1)) };
        let t = if b == a { 0.5 } else { (level - a) / (b - a) };
        if down == 0 { ((c as f64 + t) * STEP, r as f64 * STEP) } else { (c as f64 * STEP, (r as f64 + t) * STEP) }
    };
    let mut path = String::new();
    while let Some((start, mut end)) = segments.pop() {
        let mut ring = vec![start];
        while end != start {
            ring.push(end);
            let Some(i) = segments.iter().position(|(a, b)| *a == end || *b == end) else { break };
            let (a, b) = segments.swap_remove(i);
            end = if a == end { b } else { a };
        }
        smooth(&mut path, &ring.into_iter().map(point).collect::<Vec<_>>());
    }
    path
}

/// A ring through the middles of its edges, its corners as control points.
fn smooth(path: &mut String, ring: &[(f64, f64)]) {
    let n = ring.len();
    if n < 3 {
        return;
    }
    let middle = |i: usize| ((ring[i % n].0 + ring[(i + 1) % n].0) / 2.0, (ring[i % n].1 + ring[(i + 1) % n].1) / 2.0);
    let first = middle(0);
    let _ = write!(path, "M{:.0} {:.0}", first.0, first.1);
    for i in 1..=n {
        let (corner, next) = (ring[i % n], middle(i));
        let _ = write!(path, "Q{:.0} {:.0} {:.0} {:.0}", corner.0, corner.1, next.0, next.1);
    }
    path.push('Z');
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_place_has_one_shoal_and_two_far_apart_have_two() {
        let place = |x| Place { x, y: 60.0, weight: 2.0 };
        assert_eq!(lines(&[place(100.0)], 600.0, 120.0, 0.5).matches('M').count(), 1);
        assert_eq!(lines(&[place(100.0), place(500.0)], 600.0, 120.0, 0.5).matches('M').count(), 2);
        assert_eq!(lines(&[place(100.0)], 600.0, 120.0, 3.0), "", "nothing reaches that level");
        let path = lines(&[place(0.0)], 600.0, 120.0, 0.5);
        assert!(path.ends_with('Z'), "closed at the border too");
    }
}
