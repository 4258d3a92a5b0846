//! The Floor: every team as a sounding, groups side by side, water by distance from the consensus.

use super::axes::round_values;
use super::svg::{Anchor, Path, Svg};

/// Size of the chart, px.
pub(crate) const SIZE: (f64, f64) = (832.0, 424.0);
/// Where the groups begin and end, across and down.
const LEFT: f64 = 46.0;
const RIGHT: f64 = 800.0;
const TOP: f64 = 24.0;
const BOTTOM: f64 = 404.0;
/// Robust spreads that the chart reaches, up and down.
const REACH: f64 = 4.2;
/// Points up to which each is a link of its own.
const MOST_LINKS: usize = 320;

/// One team.
pub(crate) struct Spot {
    pub(crate) group: usize,
    /// Number of its section.
    pub(crate) section: usize,
    /// On the scale.
    pub(crate) value: f64,
    /// Whether it stands apart.
    pub(crate) apart: bool,
    /// Ringed: somebody came from it, or looks for it.
    pub(crate) ringed: bool,
    /// Where its table is, where the person may see it.
    pub(crate) href: Option<String>,
    /// Its name, written where it stands apart or is ringed.
    pub(crate) name: String,
    /// What it is for those who do not see it.
    pub(crate) says: String,
}

/// One group.
pub(crate) struct Shelf {
    pub(crate) name: String,
    pub(crate) teams: usize,
    pub(crate) median: f64,
    /// Whether what it does is named.
    pub(crate) named: bool,
}

/// What is drawn.
pub(crate) struct Chart<'a> {
    pub(crate) shelves: &'a [Shelf],
    pub(crate) spots: &'a [Spot],
    /// Short names of the sections, under each group.
    pub(crate) sections: &'a [String],
    pub(crate) centre: f64,
    pub(crate) spread: f64,
    pub(crate) reference: Option<[f64; 2]>,
}

/// Scales of the chart.
struct Scales {
    centre: f64,
    spread: f64,
    pitch: f64,
}

impl Scales {
    fn y(&self, value: f64) -> f64 {
        let z = ((value - self.centre) / self.spread).clamp(-REACH, REACH);
        (TOP + BOTTOM) / 2.0 - z / REACH * (BOTTOM - TOP) / 2.0
    }

    /// Where a mark stands: what lies beyond the chart is drawn at its edge.
    fn mark(&self, value: f64) -> f64 {
        self.y(value).clamp(TOP + 9.0, BOTTOM - 9.0)
    }

    fn left(&self, group: usize) -> f64 {
        LEFT + group as f64 * self.pitch
    }

    /// Room between groups: none where they are many.
    fn gap(&self) -> f64 {
        if self.pitch > 20.0 { 6.0 } else { 0.0 }
    }
}

/// Draws the chart; `wall` leaves the axes' figures, names and reference away.
pub(crate) fn chart(c: &Chart<'_>, wall: bool) -> Svg {
    let mut out = Svg::default();
    let spread = if c.spread > 0.0 { c.spread } else { 1.0 };
    let scales = Scales { centre: c.centre, spread, pitch: (RIGHT - LEFT) / c.shelves.len().max(1) as f64 };
    water(&mut out, &scales, c.shelves.len());
    if !wall {
        figures(&mut out, &scales);
    }
    out.path("stile", &Path::at((LEFT, scales.y(c.centre))).across_to(RIGHT));
    if let Some([low, high]) = c.reference.filter(|_| !wall) {
        let (a, b) = (scales.y(high) - 1.4, scales.y(low) + 1.4);
        out.path("refl", &Path::at((LEFT, a)).across_to(RIGHT));
        out.path("refl", &Path::at((LEFT, b)).across_to(RIGHT));
    }
    for (n, shelf) in c.shelves.iter().enumerate() {
        head(&mut out, &scales, n, shelf, wall);
    }
    letters(&mut out, &scales, c);
    spots(&mut out, &scales, c, wall);
    out
}

/// White within one spread, then nearer and farther water, land beyond three.
fn water(out: &mut Svg, scales: &Scales, groups: usize) {
    let bands: [(&str, f64, f64); 7] = [
        ("w3", REACH, 3.0),
        ("w2", 3.0, 2.0),
        ("w1", 2.0, 1.0),
        ("w0", 1.0, -1.0),
        ("w1", -1.0, -2.0),
        ("w2", -2.0, -3.0),
        ("w3", -3.0, -REACH),
    ];
    let at = |z: f64| scales.y(scales.centre + z * scales.spread);
    for n in 0..groups {
        let (x, width) = (scales.left(n) + scales.gap() / 2.0, scales.pitch - scales.gap());
        for (class, from, to) in bands {
            out.rect(class, (x, at(from)), (width, at(to) - at(from)));
        }
    }
}

/// Figures of the scale at the left, robust spreads at the right.
fn figures(out: &mut Svg, scales: &Scales) {
    let reach = REACH * scales.spread;
    for (value, text) in round_values((scales.centre - reach, scales.centre + reach), 7) {
        out.text("t3", Anchor::End, (LEFT - 5.0, scales.y(value) + 4.0), &text);
    }
    for z in [-3, -2, -1, 1, 2, 3] {
        let y = scales.y(scales.centre + f64::from(z) * scales.spread);
        out.path("isobath", &Path::at((LEFT, y)).across_to(RIGHT));
        let text = if z > 0 { format!("+{z}") } else { format!("−{}", -z) };
        out.text("t3", Anchor::Start, (RIGHT + 6.0, y + 4.0), &text);
    }
}

/// Name of a group over its column, and its median.
fn head(out: &mut Svg, scales: &Scales, n: usize, shelf: &Shelf, wall: bool) {
    let (x, width) = (scales.left(n) + scales.gap() / 2.0, scales.pitch - scales.gap());
    if scales.pitch >= 34.0 {
        out.text("lab", Anchor::Start, (x + 2.0, 16.0), &shortened(&shelf.name, width - if wall { 4.0 } else { 30.0 }));
    }
    if scales.pitch >= 72.0 && !wall {
        out.text("t3", Anchor::End, (x + width - 2.0, 16.0), &shelf.teams.to_string());
    }
    let y = scales.y(shelf.median);
    let class = if shelf.named && !wall { "shelf named" } else { "shelf" };
    out.path(class, &Path::at((x, y)).across_to(x + width));
    if shelf.named && !wall {
        // How far it reaches from the consensus.
        let (at, middle) = (x + width - 8.0, scales.y(scales.centre));
        out.path("reach", &Path::at((at, middle)).down(y - middle));
    }
}

/// As much of a name as fits in so many px.
fn shortened(name: &str, width: f64) -> String {
    let most = (width / 6.6).max(1.0) as usize;
    if name.chars().count() <= most {
        name.to_owned()
    } else {
        name.chars().take(most.max(2) - 1).chain(['…']).collect()
    }
}

/// Short names of the sections at the foot of every group, where there is room.
fn letters(out: &mut Svg, scales: &Scales, c: &Chart<'_>) {
    let each = (scales.pitch - scales.gap()) / c.sections.len().max(1) as f64;
    if each < 13.0 {
        return;
    }
    for group in 0..c.shelves.len() {
        for (n, section) in c.sections.iter().enumerate() {
            let x = scales.left(group) + scales.gap() / 2.0 + (n as f64 + 0.5) * each;
            out.text("t3", Anchor::Middle, (x, BOTTOM + 15.0), section);
        }
    }
}

fn spots(out: &mut Svg, scales: &Scales, c: &Chart<'_>, wall: bool) {
    let each = (scales.pitch - scales.gap()) / c.sections.len().max(1) as f64;
    // Teams of one section and group side by side, in their order.
    let mut seen: std::collections::HashMap<(usize, usize), usize> = Default::default();
    let mut many: std::collections::HashMap<(usize, usize), usize> = Default::default();
    c.spots.iter().for_each(|s| *many.entry((s.group, s.section)).or_default() += 1);
    let mut named = Vec::new();
    let links = c.spots.len() <= MOST_LINKS && !wall;
    for s in c.spots {
        let at = seen.entry((s.group, s.section)).or_default();
        let share = (*at as f64 + 1.0) / (many[&(s.group, s.section)] as f64 + 1.0);
        *at += 1;
        let x = scales.left(s.group) + scales.gap() / 2.0 + (s.section as f64 + share) * each;
        let place = (x, scales.mark(s.value));
        let marked = (s.apart || s.ringed) && !wall;
        let draw = |out: &mut Svg| {
            if s.ringed {
                out.circle("ringed", place, 6.5);
            }
            if s.apart && !wall {
                out.mark("apart", place, 15.0);
            } else {
                out.circle("dot", place, if links { 3.2 } else { 2.2 });
            }
        };
        match &s.href {
            Some(href) if links || marked => out.link(href, &s.says, |out| {
                out.circle("hit", place, 8.0);
                draw(out);
            }),
            _ => draw(out),
        }
        // A name that would lie over another is left to the list beside the chart.
        let free = named.iter().all(|(a, b): &(f64, f64)| (a - x).abs() > 62.0 || (b - place.1).abs() > 11.0);
        if marked && !s.name.is_empty() && (free || s.ringed) {
            named.push(place);
            let over = x > RIGHT - 90.0;
            let (anchor, by) = if over { (Anchor::End, -10.0) } else { (Anchor::Start, 10.0) };
            out.text("tb", anchor, (x + by, place.1 + 4.0), &s.name);
        }
    }
}

/// Width and height of one row of h, k or an effect, px.
pub(crate) const ROW: (f64, f64) = (190.0, 18.0);

/// One figure on its own scale with the limits: `limits` at both sides of nought, or one above where `upper`.
pub(crate) fn gauge(value: f64, limit: f64, most: f64, upper: bool) -> Svg {
    let mut out = Svg::default();
    let (width, y) = (ROW.0, ROW.1 / 2.0);
    let x = |v: f64| {
        let share = if upper { v / most } else { (v + most) / (2.0 * most) };
        4.0 + share.clamp(0.0, 1.0) * (width - 8.0)
    };
    let from = if upper { 1.0 } else { 0.0 };
    out.path("limit", &Path::at((x(limit), 0.0)).down(ROW.1));
    if !upper {
        out.path("limit", &Path::at((x(-limit), 0.0)).down(ROW.1));
    }
    out.path("stile", &Path::at((x(from), 0.0)).down(ROW.1));
    out.path("tread", &Path::at((x(from), y)).across_to(x(value)));
    if value.abs() > limit {
        out.mark("apart", (x(value), y), 15.0);
    } else {
        out.circle("dot", (x(value), y), 3.2);
    }
    out
}

/// Width and height of an effect's bar, px.
pub(crate) const BAR: (f64, f64) = (112.0, 14.0);

/// An effect beside what it is held against, both in its standard errors.
pub(crate) fn effect(in_errors: f64, named: bool) -> Svg {
    let mut out = Svg::default();
    let x = |e: f64| 56.0 + (e / 8.0).clamp(-1.0, 1.0) * 54.0;
    out.rect("w2", (x(-3.0), 1.0), (x(3.0) - x(-3.0), 12.0));
    out.path("stile", &Path::at((56.0, 0.0)).down(BAR.1));
    out.path(if named { "shelf named" } else { "shelf" }, &Path::at((56.0, 7.0)).across_to(x(in_errors)));
    out
}

/// Width and height of a share, px.
pub(crate) const SHARE: (f64, f64) = (220.0, 14.0);

/// How many of all gave a word.
pub(crate) fn share(count: usize, of: usize) -> Svg {
    let mut out = Svg::default();
    out.rect("w1", (0.0, 1.0), (SHARE.0, 12.0));
    out.rect("filled", (0.0, 1.0), (SHARE.0 * count as f64 / of.max(1) as f64, 12.0));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn spot(value: f64, apart: bool) -> Spot {
        let (href, name) = (Some("/bench/7".to_owned()), "Lapwing".to_owned());
        Spot { group: 0, section: 0, value, apart, ringed: false, href, name, says: "Lapwing: 8.59".to_owned() }
    }

    #[test]
    fn nothing_of_a_wall_tells_whose_a_point_is_or_what_is_right() {
        let shelves = [Shelf { name: "Station 3".into(), teams: 2, median: 8.5, named: true }];
        let (spots, sections) = ([spot(8.5, false), spot(9.9, true)], ["Mo".to_owned()]);
        let chart = |wall| {
            let drawn = Chart {
                shelves: &shelves,
                spots: &spots,
                sections: &sections,
                centre: 8.48,
                spread: 0.04,
                reference: Some([8.46, 8.47]),
            };
            super::chart(&drawn, wall).as_str().to_owned()
        };
        let (floor, wall) = (chart(false), chart(true));
        assert!(floor.contains("Lapwing") && floor.contains("refl") && floor.contains("/bench/7"));
        for hidden in ["Lapwing", "refl", "/bench/7", "8.5", "named", "apart"] {
            assert!(!wall.contains(hidden), "{hidden}");
        }
        // What lies far off stays on the chart.
        assert!(!floor.contains("NaN") && scales_hold(&floor));
    }

    /// Whether every place of a drawing lies on it.
    fn scales_hold(text: &str) -> bool {
        text.split("cy=\"").skip(1).all(|r| {
            r.split('"').next().and_then(|n| n.parse::<f64>().ok()).is_some_and(|y| (0.0..=SIZE.1).contains(&y))
        })
    }

    #[test]
    fn a_figure_beyond_its_limit_is_marked_and_one_within_is_not() {
        assert!(gauge(1.7, 1.66, 2.0, false).as_str().contains("apart"));
        assert!(!gauge(1.6, 1.66, 2.0, false).as_str().contains("apart"));
        assert!(gauge(1.4, 1.33, 2.0, true).as_str().contains("apart"));
        assert!(effect(4.0, true).as_str().contains("named") && !effect(2.0, false).as_str().contains("named"));
        assert!(share(0, 0).as_str().contains("width=\"0\""));
    }
}
