//! Moderation: what was changed by section and field beside the channel of chance, and the differences of second marks.

use jurado_core::moderation::{Agreement, Cell, FEWEST_FINDINGS, Field};

use super::svg::{Anchor, At, Path, Svg};

/// Width of both drawings, px.
pub(crate) const WIDTH: f64 = 832.0;
/// Where the first field begins, how wide each is and how far from the next.
const FIELDS: f64 = 206.0;
const FIELD: f64 = 108.0;
const PITCH: f64 = 114.0;
/// Heights: the heads, a reviewer's name, a section.
const HEAD: f64 = 34.0;
const NAME: f64 = 21.0;
const ROW: f64 = 25.0;
/// Pixels a point at most: a quarter of a point is then 50 px off.
const MOST_SCALE: f64 = 200.0;

/// One section of a reviewer.
pub(crate) struct Line {
    pub(crate) section: String,
    pub(crate) tables: usize,
    pub(crate) cells: [Cell; Field::DRAWN],
    pub(crate) all: String,
}

/// One reviewer; without lines where it is read first by them.
pub(crate) struct Group {
    pub(crate) name: String,
    pub(crate) note: String,
    pub(crate) lines: Vec<Line>,
}

/// Height of the chart of places, px.
pub(crate) fn height(groups: &[Group]) -> f64 {
    HEAD + groups.iter().map(|g| NAME + ROW * g.lines.len() as f64).sum::<f64>() + 4.0
}

/// Draws the places: a column for each field, a row for each section, never in the order of a figure.
pub(crate) fn places(groups: &[Group], heads: [[&str; 2]; Field::DRAWN]) -> Svg {
    let mut out = Svg::default();
    let reach = groups
        .iter()
        .flat_map(|g| &g.lines)
        .flat_map(|l| &l.cells)
        .filter_map(|c| c.mean)
        .fold(0.0f64, |most, (mean, half)| most.max(mean.abs() + half));
    let scale = MOST_SCALE.min((FIELD / 2.0 - 4.0) / reach.max(1e-9));
    let bottom = height(groups) - 4.0;
    out.text("fig quiet", Anchor::Start, (0.0, HEAD - 6.0), "section");
    out.text("fig quiet", Anchor::End, (188.0, HEAD - 6.0), "tables");
    out.text("fig quiet", Anchor::End, (WIDTH, HEAD - 6.0), "all kinds");
    for (n, [above, below]) in heads.iter().enumerate() {
        let middle = FIELDS + PITCH * n as f64 + FIELD / 2.0;
        out.rect("w1", (middle - FIELD / 2.0, HEAD), (FIELD, bottom - HEAD));
        out.text("fig quiet", Anchor::Middle, (middle, HEAD - 20.0), above);
        out.text("fig quiet", Anchor::Middle, (middle, HEAD - 6.0), below);
        channel(&mut out, groups, n, (middle, scale));
        for quarter in [-0.25, 0.25].into_iter().filter(|q: &f64| q.abs() * scale < FIELD / 2.0) {
            out.path("isobath", &Path::at((middle + quarter * scale, HEAD)).down_to(bottom));
        }
        out.path("tread", &Path::at((middle, HEAD)).down_to(bottom));
    }
    let mut y = HEAD;
    for group in groups {
        out.text("lab", Anchor::Start, (0.0, y + 15.0), &group.name);
        out.text("fig quiet", Anchor::Start, (10.0 + 7.2 * group.name.chars().count() as f64, y + 15.0), &group.note);
        y += NAME;
        for line in &group.lines {
            let middle = y + ROW / 2.0;
            out.text("fig", Anchor::Start, (12.0, middle + 4.5), &line.section);
            out.text("fig quiet", Anchor::End, (188.0, middle + 4.5), &line.tables.to_string());
            out.text("fig", Anchor::End, (WIDTH, middle + 4.5), &line.all);
            for (n, cell) in line.cells.iter().enumerate() {
                place(&mut out, cell, (FIELDS + PITCH * n as f64 + FIELD / 2.0, middle), scale);
            }
            y += ROW;
        }
    }
    out
}

/// Where chance alone would put the means of a field, row by row, joined by curves with upright tangents.
fn channel(out: &mut Svg, groups: &[Group], field: usize, (middle, scale): At) {
    let at = |v: f64| middle + (v * scale).clamp(-FIELD / 2.0, FIELD / 2.0);
    let mut y = HEAD;
    let mut runs: Vec<Vec<(f64, f64, f64)>> = vec![Vec::new()];
    for group in groups {
        y += NAME;
        for line in &group.lines {
            match line.cells[field].channel {
                Some((low, high)) => {
                    if let Some(run) = runs.last_mut() {
                        run.push((y, at(low), at(high)));
                    }
                }
                None => runs.push(Vec::new()),
            }
            y += ROW;
        }
    }
    for run in runs.iter().filter(|r| !r.is_empty()) {
        let side = |of: &dyn Fn(&(f64, f64, f64)) -> f64, down: bool| -> Vec<(f64, f64, f64)> {
            let mut points: Vec<(f64, f64, f64)> = run.iter().map(|r| (r.0, r.0 + ROW, of(r))).collect();
            if !down {
                points.reverse();
                points.iter_mut().for_each(|p| (p.0, p.1) = (p.1, p.0));
            }
            points
        };
        let edge = |points: &[(f64, f64, f64)], mut path: Path| {
            for (n, (from, to, x)) in points.iter().enumerate() {
                if n > 0 {
                    let (_, end, before) = points[n - 1];
                    let half = (end + from) / 2.0;
                    path = path.curve((before, half), (*x, half), (*x, *from));
                }
                path = path.down_to(*to);
            }
            path
        };
        let (left, right) = (side(&|r| r.1, true), side(&|r| r.2, false));
        let (first, last) = (left[0], right[0]);
        let banks = (edge(&left, Path::at((first.2, first.0))), edge(&right, Path::at((last.2, last.0))));
        out.path("chan", &edge(&right, edge(&left, Path::at((first.2, first.0))).to((last.2, last.0))).close());
        out.path("edge", &banks.0);
        out.path("edge", &banks.1);
    }
}

/// The mean of a place with its interval; a lozenge where it stands apart, a dotted stroke where there is too little to say.
fn place(out: &mut Svg, cell: &Cell, (middle, y): At, scale: f64) {
    let Some((mean, half)) = cell.mean else {
        if cell.findings > 0 {
            out.path("few", &Path::at((middle - 30.0, y)).across(52.0));
            out.text("fig quiet", Anchor::Start, (middle + 27.0, y + 4.0), &cell.findings.to_string());
        }
        return;
    };
    let x = |v: f64| middle + (v * scale).clamp(-FIELD / 2.0 + 3.0, FIELD / 2.0 - 3.0);
    let class = if cell.apart { "bar apartbar" } else { "bar" };
    let (a, b) = (x(mean - half), x(mean + half));
    let whiskers = Path::at((a, y - 3.5)).down(7.0).and_at((b, y - 3.5)).down(7.0);
    out.path(class, &Path::at((a, y)).across_to(b).then(&whiskers));
    if cell.apart {
        out.mark("apart", (x(mean), y - 5.0), 15.0);
    } else {
        out.circle("dot", (x(mean), y), 3.2);
    }
}

/// Too little to say: the least number of findings, for the legend.
pub(crate) const FEWEST: u32 = FEWEST_FINDINGS;

/// A pair of marks as it is drawn.
pub(crate) struct Spot {
    /// Mean of both marks, and second less first, points.
    pub(crate) at: (f64, f64),
    pub(crate) random: bool,
    /// Its name, written where it is one of the largest.
    pub(crate) name: Option<String>,
    pub(crate) says: String,
    /// Where its table is, where the person may see it.
    pub(crate) href: Option<String>,
}

/// Size of the chart of differences, px.
pub(crate) const PAIRS: (f64, f64) = (520.0, 252.0);
const PLOT: (f64, f64) = (36.0, 8.0);
const PLOT_SIZE: (f64, f64) = (424.0, 218.0);

/// Draws second − first over the mean of both: water white to ½ point, nearer to 1, farther beyond.
pub(crate) fn pairs(spots: &[Spot], said: Option<&Agreement>) -> Svg {
    let mut out = Svg::default();
    let most = spots.iter().fold(1.0f64, |m, s| m.max(s.at.1.abs() + 0.25));
    let reach = (most * 2.0).ceil() / 2.0;
    let (low, high) = spots.iter().fold((f64::MAX, f64::MIN), |(l, h), s| (l.min(s.at.0), h.max(s.at.0)));
    let (low, high) = if spots.is_empty() { (0.0, 20.0) } else { ((low - 0.5).floor().max(0.0), (high + 0.5).ceil()) };
    let x = |v: f64| PLOT.0 + 12.0 + (v - low) / (high - low).max(1.0) * (PLOT_SIZE.0 - 24.0);
    let y = |v: f64| PLOT.1 + (reach - v.clamp(-reach, reach)) / (2.0 * reach) * PLOT_SIZE.1;
    out.rect("w2", PLOT, PLOT_SIZE);
    for (class, to) in [("w1", 1.0f64), ("w0", 0.5)] {
        let to = to.min(reach);
        out.rect(class, (PLOT.0, y(to)), (PLOT_SIZE.0, y(-to) - y(to)));
    }
    if let Some(a) = said {
        out.rect("band", (PLOT.0, y(a.mean_in.1)), (PLOT_SIZE.0, y(a.mean_in.0) - y(a.mean_in.1)));
        out.path("shelf", &Path::at((PLOT.0, y(a.mean))).across(PLOT_SIZE.0));
        for limit in [a.limits.0, a.limits.1] {
            let bracket = PLOT.0 + PLOT_SIZE.0 + 6.0;
            let (from, to) = (y(limit + a.limit_half), y(limit - a.limit_half));
            out.path("reach", &Path::at((PLOT.0, y(limit))).across(PLOT_SIZE.0));
            out.path("brk", &Path::at((bracket, from)).across(5.0).down_to(to).across(-5.0));
            out.text("fig limit", Anchor::Start, (bracket + 9.0, y(limit) + 4.0), &signed(limit));
        }
        out.text("fig quiet", Anchor::Start, (PLOT.0 + PLOT_SIZE.0 + 15.0, y(a.mean) + 4.0), &signed(a.mean));
    }
    let steps = (reach * 2.0) as i32;
    for half in (-steps..=steps).filter(|h| steps < 6 || h % 2 == 0) {
        let v = f64::from(half) / 2.0;
        let words =
            if half == 0 { "0".to_owned() } else { format!("{}{:.1}", if half > 0 { "+" } else { "−" }, v.abs()) };
        out.text("fig quiet", Anchor::End, (PLOT.0 - 6.0, y(v) + 4.0), &words);
    }
    let every = ((high - low) / 6.0).ceil().max(1.0);
    let mut tick = low;
    while tick <= high {
        out.text("fig quiet", Anchor::Middle, (x(tick), PLOT.1 + PLOT_SIZE.1 + 16.0), &format!("{tick:.0}"));
        tick += every;
    }
    let places: Vec<At> = spots.iter().map(|s| (x(s.at.0), y(s.at.1))).collect();
    let mut taken: Vec<(f64, f64, f64)> = places.iter().map(|p| (p.0 - 4.0, p.0 + 4.0, p.1)).collect();
    for (s, at) in spots.iter().zip(&places) {
        let label = s.name.as_ref().map(|name| {
            let (anchor, place, span) = beside(*at, name, &taken);
            taken.push(span);
            (anchor, place, name)
        });
        let draw = |out: &mut Svg| {
            if s.random {
                out.circle("dot", *at, 3.2);
            } else {
                out.mark("hangs", *at, 15.0);
            }
            if let Some((anchor, place, name)) = label {
                out.text("fig", anchor, place, name);
            }
        };
        match &s.href {
            Some(href) => out.link(href, &s.says, draw),
            None => out.named(&s.says, draw),
        }
    }
    out
}

/// Where a name stands beside its point: right, left, above or below, the first that lies on nothing; and what it takes,
/// from, to and how far down.
fn beside(at: At, name: &str, taken: &[(f64, f64, f64)]) -> (Anchor, At, (f64, f64, f64)) {
    let wide = 6.6 * name.chars().count() as f64;
    let ways = [
        (Anchor::Start, (at.0 + 9.0, at.1 + 4.0), at.0 + 8.0),
        (Anchor::End, (at.0 - 9.0, at.1 + 4.0), at.0 - 8.0 - wide),
        (Anchor::Middle, (at.0, at.1 - 9.0), at.0 - wide / 2.0),
        (Anchor::Middle, (at.0, at.1 + 17.0), at.0 - wide / 2.0),
    ];
    let span = |(_, place, from): &(Anchor, At, f64)| (*from, from + wide, place.1 - 4.0);
    let free = |way: &&(Anchor, At, f64)| {
        let (from, to, down) = span(way);
        let inside = from > PLOT.0 && to < PLOT.0 + PLOT_SIZE.0;
        inside && !taken.iter().any(|t| t.0 < to && t.1 > from && (t.2 - down).abs() < 9.0)
    };
    let way = ways.iter().find(free).unwrap_or(&ways[0]);
    (way.0, way.1, span(way))
}

/// Points with their sign, to hundredths; what is rounded to nought has none.
pub(crate) fn signed(value: f64) -> String {
    let text = format!("{:.2}", value.abs());
    match (text.trim_matches(['0', '.']).is_empty(), value > 0.0) {
        (true, _) => text,
        (false, true) => format!("+{text}"),
        (false, false) => format!("−{text}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line(section: &str, mean: f64, apart: bool) -> Line {
        let cell =
            Cell { findings: 20, mean: Some((mean, 0.05)), channel: Some((-0.1, 0.1)), apart, others: Some(0.0) };
        let few = Cell { findings: 3, ..Cell::default() };
        Line {
            section: section.into(),
            tables: 40,
            cells: [cell, few, cell, Cell::default(), cell],
            all: "+0.10".into(),
        }
    }

    #[test]
    fn a_place_apart_has_a_lozenge_and_too_few_findings_have_their_number() {
        let groups = [
            Group {
                name: "R <1>".into(),
                note: String::new(),
                lines: vec![line("Morning", 0.0, false), line("Evening", 0.2, true)],
            },
            Group { name: "R 2".into(), note: "is read first by R 2".into(), lines: Vec::new() },
        ];
        let drawn = places(&groups, [["a", "b"]; 5]);
        assert_eq!(drawn.as_str().matches("#apart").count(), 3, "one row of three fields that have a mean");
        assert_eq!(drawn.as_str().matches("class=\"few\"").count(), 2);
        assert!(drawn.as_str().contains("R &lt;1&gt;") && drawn.as_str().contains("is read first"));
        assert!((height(&groups) - (34.0 + 2.0 * 21.0 + 2.0 * 25.0 + 4.0)).abs() < 1e-9);
        // The scale gives way to what is large: all stays inside its field.
        let wide = [Group { name: "R".into(), note: String::new(), lines: vec![line("Morning", 3.0, true)] }];
        assert!(!places(&wide, [["a", "b"]; 5]).as_str().contains("NaN"));
    }

    #[test]
    fn signs_and_pairs_are_drawn() {
        for (value, text) in [(0.126, "+0.13"), (-0.5, "−0.50"), (0.001, "0.00"), (-0.001, "0.00")] {
            assert_eq!(signed(value), text);
        }
        let spot = |at, random| Spot { at, random, name: Some("Kilo".into()), says: "Kilo".into(), href: None };
        let drawn = pairs(&[spot((15.0, 0.25), true), spot((12.0, -2.0), false)], None);
        assert_eq!((drawn.as_str().matches("<circle").count(), drawn.as_str().matches("#hangs").count()), (1, 1));
        assert!(!pairs(&[], None).as_str().contains("NaN"));
    }
}
