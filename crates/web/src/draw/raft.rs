//! The drawing of a raft: a channel under each figure, courses and threads in the streets between the values. All places
//! are in the raft's own pixels, its title at the top.

use super::ladder::head;
use super::svg::{At, Path, Svg};

/// Title of a raft, head of its columns, a row, a row with something recomputed under it.
pub(crate) const TITLE: f64 = 22.0;
pub(crate) const HEAD: f64 = 46.0;
pub(crate) const ROW: f64 = 22.0;
pub(crate) const TALL: f64 = 36.0;

/// Width of a channel; where it ends before its column's right edge; half of its clear water, of a distance of 10, of 100.
const CHANNEL: f64 = 44.0;
const INSET: f64 = 22.0;
const CLEAR: f64 = 5.0;
/// The row lane under a row with something recomputed, and under any other.
const LANE: f64 = 33.5;
const LOW_LANE: f64 = 19.5;
/// The gutter at the right of a column, and how much farther a second course keeps off.
const GUTTER: f64 = 3.0;
const SECOND: f64 = 6.0;
const CORNER: f64 = 4.0;

/// Distance from a channel's middle for `a` units of the last digit: the ladder's law, with a wider fairway, so that a
/// value near its edge can be seen.
fn g(a: f64) -> f64 {
    if a <= 0.5 { CLEAR * a / 0.5 } else { (CLEAR + 4.4 * (2.0 * a).log10()).min(20.5) }
}

/// Where the columns and rows of a raft stand.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grid {
    /// Left edge and right edge of each column.
    pub(crate) columns: Vec<(f64, f64)>,
    /// Whether a column holds words, whose mark stands before them.
    pub(crate) words: Vec<bool>,
    /// Top of each row and whether something recomputed stands in it.
    pub(crate) rows: Vec<(f64, bool)>,
    /// Bottom of the last row.
    pub(crate) bottom: f64,
}

impl Grid {
    /// Columns by their widths; words stand where `words` says so.
    pub(crate) fn new(widths: &[f64], words: Vec<bool>) -> Grid {
        let mut left = 0.0;
        let columns = widths
            .iter()
            .map(|w| {
                left += w;
                (left - w, left)
            })
            .collect();
        Grid { columns, words, rows: Vec::new(), bottom: TITLE + HEAD }
    }

    /// Adds a row below the others.
    pub(crate) fn row(&mut self, tall: bool) {
        self.rows.push((self.bottom, tall));
        self.bottom += if tall { TALL } else { ROW };
    }

    fn lane(&self, row: usize) -> f64 {
        let (top, tall) = self.rows[row];
        top + if tall { LANE } else { LOW_LANE }
    }

    /// Middle of the mark of a cell, across.
    fn mark(&self, column: usize) -> f64 {
        let (left, right) = self.columns[column];
        if self.words[column] { left + 7.0 } else { right - 13.0 }
    }

    fn gutter(&self, column: usize, second: bool) -> f64 {
        self.columns[column].1 - GUTTER - if second { SECOND } else { 0.0 }
    }
}

/// What one channel shows.
pub(crate) struct Needle {
    /// Row and column.
    pub(crate) cell: (usize, usize),
    /// Distances in last digits: one of a row, many of folded rows.
    pub(crate) distances: Vec<f64>,
    /// Rounding envelope in last digits.
    pub(crate) envelope: f64,
    /// The verdict's symbol.
    pub(crate) symbol: &'static str,
    /// Where it would stand in a try-out.
    pub(crate) ghost: Option<f64>,
}

/// A slip and the cells that carry it.
pub(crate) struct Course {
    pub(crate) slip: (usize, usize),
    pub(crate) carriers: Vec<(usize, usize)>,
    /// Whether it is not the first of the raft.
    pub(crate) second: bool,
    /// Whether results below the raft carry it too.
    pub(crate) leaves: bool,
}

/// The cell in hand with the readings of its row that it is made from.
pub(crate) struct Thread {
    pub(crate) from: Vec<usize>,
    pub(crate) to: (usize, usize),
    /// Where it goes on to, at the right.
    pub(crate) until: f64,
}

/// Draws a raft; also gives where its courses leave it at the bottom, across.
pub(crate) fn draw(grid: &Grid, needles: &[Needle], courses: &[Course], thread: Option<&Thread>) -> (Svg, Vec<f64>) {
    let mut out = Svg::default();
    for needle in needles {
        channel(&mut out, grid, needle);
    }
    let exits = courses.iter().filter_map(|c| course(&mut out, grid, c)).collect();
    if let Some(t) = thread {
        feed(&mut out, grid, t);
    }
    (out, exits)
}

fn channel(out: &mut Svg, grid: &Grid, needle: &Needle) {
    let (row, column) = needle.cell;
    let top = grid.rows[row].0 + 16.0;
    let middle = grid.columns[column].1 - INSET - CHANNEL / 2.0;
    let clear = g(0.5 + needle.envelope.clamp(0.0, 1e6));
    for (class, half) in [("wl", CHANNEL / 2.0), ("w2", g(100.0)), ("w1", g(10.0)), ("w0", clear)] {
        out.rect(class, (middle - half, top), (2.0 * half, 5.0));
    }
    let stile = |side: f64| Path::at((middle + side * CLEAR, top - 1.0)).down(7.0);
    out.path("rstile", &stile(-1.0).then(&stile(1.0)));
    let across = |d: f64| middle + d.signum() * g(d.abs());
    if let [d] = needle.distances[..] {
        out.circle(&format!("needle {}", needle.symbol), (across(d), top + 2.5), 2.5);
    } else {
        for d in &needle.distances {
            out.path("needle many", &Path::at((across(*d), top)).down(5.0));
        }
    }
    if let Some(d) = needle.ghost {
        out.circle("ghost", (across(d), top + 2.5), 4.0);
    }
}

/// The slip's mark, down to the lane of its row, under each carrier and up to its mark; on to the gutter and out below.
fn course(out: &mut Svg, grid: &Grid, c: &Course) -> Option<f64> {
    let class = if c.second { "course off" } else { "course" };
    let (row, column) = c.slip;
    let lane = grid.lane(row);
    let start = (grid.mark(column), grid.rows[row].0 + 16.0);
    let mut here: Vec<usize> = c.carriers.iter().filter(|(r, _)| *r == row).map(|(_, k)| *k).collect();
    here.sort_unstable();
    for carrier in &here {
        let x = grid.mark(*carrier);
        out.path(class, &Path::street(&[start, (start.0, lane), (x, lane), (x, start.1 + 7.0)], CORNER));
        head(out, (x, start.1 + 1.5), (0.0, -1.0));
    }
    let gutter = grid.gutter(here.last().copied().filter(|k| *k > column).unwrap_or(column), c.second);
    // Rows further down that carry it are reached from the gutter, the first of them for all.
    if let Some((r, k)) = c.carriers.iter().filter(|(r, _)| *r > row).min() {
        let (x, y) = (grid.mark(*k), grid.rows[*r].0);
        let below = grid.lane(*r);
        out.path(
            class,
            &Path::street(&[(start.0, lane), (gutter, lane), (gutter, below), (x, below), (x, y + 23.0)], CORNER),
        );
        head(out, (x, y + 17.5), (0.0, -1.0));
    }
    c.leaves.then(|| {
        let from = if here.is_empty() { start } else { (start.0, lane) };
        out.path(class, &Path::street(&[from, (start.0, lane), (gutter, lane), (gutter, grid.bottom + 3.0)], CORNER));
        gutter
    })
}

fn feed(out: &mut Svg, grid: &Grid, t: &Thread) {
    let (row, column) = t.to;
    let (top, _) = grid.rows[row];
    let left = grid.columns[column].0;
    let lane = grid.lane(row);
    let door = top + if grid.rows[row].1 { 26.0 } else { 11.0 };
    for reading in &t.from {
        let x = grid.columns[*reading].1 - 9.0;
        if x >= left {
            continue;
        }
        out.circle("brassdot", (x, top + 17.5), 2.2);
        let turn = left - 7.0;
        let points = [(x, top + 17.5), (x, lane), (turn, lane), (turn, door), (left, door)];
        out.path("feed", &Path::street(&points, CORNER));
    }
    let from = grid.columns[column].1;
    if t.until > from {
        out.circle("brassdot", (from, top + 0.5), 2.0);
        out.path("feed", &Path::at((from, top + 0.5)).across_to(t.until));
    }
}

/// A thread from a reading above to the left edge of the cell in hand, down the street at its left. `to` is in the same
/// pixels as `from`.
pub(crate) fn from_above(out: &mut Svg, from: At, street: f64, level: f64, to: At) {
    out.circle("brassdot", from, 2.2);
    let points = [from, (from.0 + 8.0, from.1), (from.0 + 8.0, level), (street, level), (street, to.1), to];
    out.path("feed", &Path::street(&points, CORNER));
}

#[cfg(test)]
mod tests {
    use super::*;

    fn grid() -> Grid {
        let mut grid = Grid::new(&[38.0, 50.0, 18.0, 70.0, 70.0, 60.0], vec![false, false, false, false, false, true]);
        for tall in [false, true, false] {
            grid.row(tall);
        }
        grid
    }

    #[test]
    fn rows_and_columns_stand_one_after_the_other() {
        let grid = grid();
        assert_eq!(grid.columns[3], (106.0, 176.0));
        assert_eq!(grid.rows.iter().map(|r| r.0).collect::<Vec<_>>(), [68.0, 90.0, 126.0]);
        assert_eq!(grid.bottom, 148.0);
        // Marks of figures stand after them, marks of words before.
        assert_eq!((grid.mark(3), grid.mark(5)), (163.0, 253.0));
    }

    #[test]
    fn agreement_lies_between_the_stiles_and_all_else_outside() {
        for (a, half) in [(0.0, 0.0), (0.5, 5.0), (5.0, 9.4), (50.0, 13.8), (1e9, 20.5)] {
            assert!((g(a) - half).abs() < 1e-9, "{a}");
        }
        assert!(g(0.51) > CLEAR);
    }

    #[test]
    fn a_course_reaches_each_carrier_and_leaves_by_the_gutter_of_the_last() {
        let course = |carriers: &[(usize, usize)], leaves| Course {
            slip: (1, 3),
            carriers: carriers.to_vec(),
            second: false,
            leaves,
        };
        let heads = |c: &Course| {
            let (svg, exits) = draw(&grid(), &[], std::slice::from_ref(c), None);
            (svg.as_str().matches("course-h").count(), exits)
        };
        assert_eq!(heads(&course(&[(1, 4), (1, 5)], true)), (2, vec![303.0]));
        // Nothing in its row carries it: it leaves by its own gutter.
        assert_eq!(heads(&course(&[], true)), (0, vec![173.0]));
        // A row further down is reached once, whatever carries it there.
        assert_eq!(heads(&course(&[(2, 3), (2, 4)], false)), (1, vec![]));
    }

    #[test]
    fn folded_rows_share_one_channel() {
        let needle =
            |distances: Vec<f64>| Needle { cell: (0, 3), distances, envelope: 0.0, symbol: "agrees", ghost: None };
        let (svg, _) = draw(&grid(), &[needle(vec![0.1, -0.2, 0.3])], &[], None);
        assert_eq!(svg.as_str().matches("needle many").count(), 3);
        let (svg, _) = draw(&grid(), &[needle(vec![0.1])], &[], None);
        assert_eq!(svg.as_str().matches("<circle class=\"needle agrees\"").count(), 1);
    }
}
