//! The profile of a table in the queue: one sounding a result, up is higher.

use super::svg::{Path, Svg};

/// Draws soundings as they are stored: distances in last digits, separated by `;`, empty where there is none.
pub(crate) fn draw(stored: &str) -> Svg {
    let soundings: Vec<Option<f64>> = stored.split(';').map(|t| t.parse().ok()).collect();
    let pitch = (96.0 / soundings.len().max(1) as f64).min(12.0);
    let mut out = Svg::default();
    out.rect("w0", (0.0, 9.0), (98.0, 10.0));
    out.path("stl", &Path::at((0.0, 9.0)).across_to(98.0).and_at((0.0, 19.0)).across_to(98.0));
    for (i, d) in soundings.iter().enumerate() {
        let Some(d) = d else { continue };
        let x = 4.0 + pitch * i as f64;
        // Half a unit is the channel's edge; beyond it logarithmic, to the edge at ten thousand.
        let up = if d.abs() <= 0.5 { 10.0 * d } else { d.signum() * (5.0 + (2.0 * d.abs()).log10() * 2.0).min(12.0) };
        let (line, dot, r) = if d.abs() > 0.5 { ("pf", "pd", 2.0) } else { ("pf0", "pd0", 1.3) };
        out.path(line, &Path::at((x, 14.0)).down_to(14.0 - up));
        out.circle(dot, (x, 14.0 - up), r);
    }
    out
}
