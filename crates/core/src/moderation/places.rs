//! A reviewer's section beside all others, field by field.
//!
//! A place is one reviewer in one section, field by field. It stands apart only if its mean lies
//! outside of where chance alone would put it, and if its own interval does not reach back to the
//! others' mean; of pages on which nothing is wrong one in twenty shows such a place.

use statrs::distribution::{ContinuousCDF, Normal, StudentsT};

use super::moved::Field;

/// Findings of a field under which a place has no mean.
pub const FEWEST_FINDINGS: u32 = 6;
/// Tables of others under which nothing is named.
pub const FEWEST_OTHERS: usize = 20;
/// One page in so many shows a place that stands apart by chance.
const PAGES: f64 = 20.0;

/// The decided tables of one reviewer in one section: what was changed of each table, by field, in
/// points, and how many findings of each field they hold.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Row {
    /// Points decided less computed, of each table.
    pub tables: Vec<[f64; 6]>,
    /// Findings of each field, over all of them.
    pub findings: [u32; 6],
}

/// One field of one row.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Cell {
    /// Findings of the field.
    pub findings: u32,
    /// Mean change, points a table, and half its interval of 95 %; `None` under [`FEWEST_FINDINGS`]
    /// findings.
    pub mean: Option<(f64, f64)>,
    /// Where chance alone would put the mean, from and to; `None` where the others are too few or
    /// all alike.
    pub channel: Option<(f64, f64)>,
    /// Whether the mean lies outside, and its own interval does not reach the others' mean.
    pub apart: bool,
    /// Mean change of the other rows, points a table.
    pub others: Option<f64>,
}

/// One row beside the others.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Placed {
    /// The drawn fields.
    pub fields: [Cell; Field::DRAWN],
    /// Mean change of all fields, points a table, and half its interval; `None` under two tables.
    pub all: Option<(f64, f64)>,
}

/// The drawn fields of every row beside the other rows, and the mean of all fields with half its
/// interval.
///
/// # Example
/// ```
/// use jurado_core::moderation::{Row, places};
/// let row = |by: f64| Row {
///     tables: (0..12).map(|n| [by + 0.05 * f64::from(n % 3), 0.0, 0.0, 0.0, 0.0, 0.0]).collect(),
///     findings: [12, 0, 0, 0, 0, 0],
/// };
/// // Three reviewers who change little, and one who gives half a point more for every slip.
/// let placed = places(&[row(0.0), row(0.0), row(0.0), row(0.5)]);
/// let apart: Vec<bool> = placed.iter().map(|p| p.fields[0].apart).collect();
/// assert_eq!(apart, [false, false, false, true]);
/// ```
///
/// # Formula
/// The interval is mean ± t·s/√n, t at 97.5 % with n − 1 degrees of freedom, s never below half the
/// others' standard deviation: a row in which nothing was changed is not known exactly. The channel
/// is the others' mean ± z·s·√(1/n + 1/N), s and N of the tables of the other rows; z is the
/// quantile at which one page in twenty shows a place outside by chance, 1 − (1 − 1/20)^(1/m) for m
/// places, from Student's distribution with N − 1 degrees of freedom. One large change among many
/// tables may carry a mean outside; the interval of such a mean reaches back, and it is not named.
pub fn places(rows: &[Row]) -> Vec<Placed> {
    let told = |row: &Row, field: usize| row.findings[field] >= FEWEST_FINDINGS && row.tables.len() > 1;
    let all = rows.iter().flat_map(|r| (0..Field::DRAWN).map(move |f| (r, f))).filter(|(r, f)| told(r, *f)).count();
    // A share of 1/20 over all places that have a mean, both sides.
    let share = 1.0 - (1.0 - 1.0 / PAGES).powf(1.0 / all.max(1) as f64);
    let own: Vec<[Sums; Field::DRAWN]> =
        rows.iter().map(|r| std::array::from_fn(|f| Sums::of(r.tables.iter().map(|t| t[f])))).collect();
    let whole: [Sums; Field::DRAWN] =
        std::array::from_fn(|f| own.iter().fold(Sums::default(), |w, o| w.with(o[f], 1.0)));
    let cell = |row: &Row, field: usize, own: Sums| {
        let others = whole[field].with(own, -1.0);
        let spread = others.spread();
        let mut cell = Cell {
            findings: row.findings[field],
            others: (others.count > 1.0).then(|| others.mean()),
            ..Cell::default()
        };
        if !told(row, field) {
            return cell;
        }
        cell.mean = own.interval(spread / 2.0);
        if let Some((mean, half)) = cell.mean.filter(|_| others.count >= FEWEST_OTHERS as f64 && spread > 0.0) {
            let root = (1.0 / own.count + 1.0 / others.count).sqrt();
            let reach = quantile(1.0 - share / 2.0, others.count - 1.0) * spread * root;
            cell.channel = Some((others.mean() - reach, others.mean() + reach));
            cell.apart = (mean - others.mean()).abs() > reach.max(half);
        }
        cell
    };
    let of_row = |(row, own): (&Row, &[Sums; Field::DRAWN])| Placed {
        fields: std::array::from_fn(|f| cell(row, f, own[f])),
        all: Sums::of(row.tables.iter().map(|t| t.iter().sum())).interval(0.0),
    };
    rows.iter().zip(&own).map(of_row).collect()
}

/// Count, sum and sum of squares of values, so that those of others are the whole's less one's own.
/// Points are of the size of one, so that nothing is lost in the squares.
#[derive(Clone, Copy, Default)]
struct Sums {
    /// How many tables are summed.
    count: f64,
    /// Their sum.
    sum: f64,
    /// The sum of their squares.
    squares: f64,
}

impl Sums {
    /// Count, sum and sum of squares of some values.
    ///
    /// Empty sums of no values.
    fn of(values: impl Iterator<Item = f64>) -> Sums {
        values.fold(Sums::default(), |s, v| Sums { count: s.count + 1.0, sum: s.sum + v, squares: s.squares + v * v })
    }

    /// Two sums together, or one taken out of the other.
    ///
    /// `sign` is 1 to add and −1 to take out.
    fn with(self, other: Sums, sign: f64) -> Sums {
        Sums {
            count: self.count + sign * other.count,
            sum: self.sum + sign * other.sum,
            squares: self.squares + sign * other.squares,
        }
    }

    /// Their mean; of none it is no number.
    fn mean(self) -> f64 {
        self.sum / self.count
    }

    /// Standard deviation; nought under two values and below what a sum of squares tells from
    /// nothing, far below the least step of points.
    fn spread(self) -> f64 {
        let variance = (self.squares - self.sum * self.mean()) / (self.count - 1.0);
        if self.count > 1.0 && variance > 1e-9 { variance.sqrt() } else { 0.0 }
    }

    /// Mean and half its interval of 95 %, with a standard deviation that is never below `least`;
    /// `None` for under two values.
    fn interval(self, least: f64) -> Option<(f64, f64)> {
        let half = |s: f64| quantile(0.975, self.count - 1.0) * s / self.count.sqrt();
        (self.count > 1.0).then(|| (self.mean(), half(self.spread().max(least))))
    }
}

/// The quantile of Student's distribution; of the normal one where it is not defined.
pub(super) fn quantile(p: f64, freedom: f64) -> f64 {
    match StudentsT::new(0.0, 1.0, freedom) {
        Ok(t) => t.inverse_cdf(p),
        Err(_) => Normal::standard().inverse_cdf(p),
    }
}
