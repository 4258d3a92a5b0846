//! Shoals of the Docket: lines of equal crowding, computed from what waits.
//!
//! F(x, y) = Σ (wants + 0.45·clear)·exp(−(Δx/50)² − (Δy/37)²) on a grid of 6 px; marching squares with linear
//! interpolation; the field is nought around the grid, so every line closes.

use std::collections::HashMap;

use super::svg::Path;

const STEP: f64 = 6.0;

/// A place where work waits.
pub(crate) struct Place {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) weight: f64,
}

/// The closed lines of one level; empty where the field stays below it.
pub(crate) fn lines(places: &[Place], width: f64, height: f64, level: f64) -> Path {
    let (columns, rows) = ((width / STEP) as usize + 1, (height / STEP) as usize + 1);
    // The bell of a place is one across times one down, each worked out once.
    let bell = |n: usize, centre: f64, width: f64| -> Vec<f64> {
        (0..=n).map(|i| (-((i as f64 * STEP - centre) / width).powi(2)).exp()).collect()
    };
    let bells: Vec<(Vec<f64>, Vec<f64>)> = places
        .iter()
        .map(|p| (bell(columns, p.x, 50.0).iter().map(|v| v * p.weight).collect(), bell(rows, p.y, 37.0)))
        .collect();
    let mut grid = vec![0.0; (columns + 1) * (rows + 1)];
    for r in 1..rows {
        for c in 1..columns {
            grid[r * (columns + 1) + c] = bells.iter().map(|(across, down)| across[c] * down[r]).sum();
        }
    }
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
    // Each edge is crossed by two segments at most: walking from one to the next closes a ring.
    let mut at_edge: HashMap<Edge, Vec<usize>> = HashMap::new();
    for (n, (a, b)) in segments.iter().enumerate() {
        at_edge.entry(*a).or_default().push(n);
        at_edge.entry(*b).or_default().push(n);
    }
    let mut used = vec![false; segments.len()];
    let mut path = Path::default();
    for n in 0..segments.len() {
        if std::mem::replace(&mut used[n], true) {
            continue;
        }
        let (start, mut end) = segments[n];
        let mut ring = vec![start];
        while end != start {
            ring.push(end);
            let Some(next) = at_edge[&end].iter().copied().find(|m| !used[*m]) else { break };
            used[next] = true;
            let (a, b) = segments[next];
            end = if a == end { b } else { a };
        }
        path = smooth(path, &ring.into_iter().map(point).collect::<Vec<_>>());
    }
    path
}

/// A ring through the middles of its edges, its corners as control points. Whole pixels are as fine as it shows.
fn smooth(path: Path, ring: &[(f64, f64)]) -> Path {
    let n = ring.len();
    if n < 3 {
        return path;
    }
    let whole = |(x, y): (f64, f64)| (x.round(), y.round());
    let middle = |i: usize| {
        let (a, b) = (ring[i % n], ring[(i + 1) % n]);
        whole(((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0))
    };
    (1..=n).fold(path.and_at(middle(0)), |path, i| path.bend(whole(ring[i % n]), middle(i))).close()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_place_has_one_shoal_and_two_far_apart_have_two() {
        let place = |x| Place { x, y: 60.0, weight: 2.0 };
        assert_eq!(lines(&[place(100.0)], 600.0, 120.0, 0.5).as_str().matches('M').count(), 1);
        assert_eq!(lines(&[place(100.0), place(500.0)], 600.0, 120.0, 0.5).as_str().matches('M').count(), 2);
        assert!(lines(&[place(100.0)], 600.0, 120.0, 3.0).is_empty(), "nothing reaches that level");
        let path = lines(&[place(0.0)], 600.0, 120.0, 0.5);
        assert!(path.as_str().ends_with('Z'), "closed at the border too");
    }
}
