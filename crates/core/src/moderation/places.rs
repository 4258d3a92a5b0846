//! A reviewer's section beside all others, field by field.

use statrs::distribution::{ContinuousCDF, Normal, StudentsT};

use super::moved::Field;
use crate::stats::summary;

/// Findings of a field under which a place has no mean.
pub const FEWEST_FINDINGS: u32 = 6;
/// Tables of others under which nothing is named.
pub const FEWEST_OTHERS: usize = 20;
/// One page in so many shows a place that stands apart by chance.
const PAGES: f64 = 20.0;

/// The decided tables of one reviewer in one section: what was changed of each table, by field, in points, and how many
/// findings of each field they hold.
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
    /// Mean change, points a table, and half its interval of 95 %; `None` under [`FEWEST_FINDINGS`] findings.
    pub mean: Option<(f64, f64)>,
    /// Where chance alone would put the mean, from and to; `None` where the others are too few or all alike.
    pub channel: Option<(f64, f64)>,
    /// Whether the mean lies outside.
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

/// The drawn fields of every row beside the other rows, and the mean of all fields with half its interval.
///
/// # Formula
/// The interval is mean ± t·s/√n, t at 97.5 % with n − 1 degrees of freedom, s never below half the others' standard
/// deviation: a row in which nothing was changed is not known exactly. The channel is the others' mean ± z·s·√(1/n + 1/N),
/// s and N of the tables of the other rows; z is the quantile at which one page in twenty shows a place outside by chance,
/// 1 − (1 − 1/20)^(1/m) for m places, from Student's distribution with N − 1 degrees of freedom.
pub fn places(rows: &[Row]) -> Vec<Placed> {
    let told = |row: &Row, field: usize| row.findings[field] >= FEWEST_FINDINGS && row.tables.len() > 1;
    let all = rows.iter().flat_map(|r| (0..Field::DRAWN).map(move |f| (r, f))).filter(|(r, f)| told(r, *f)).count();
    // A share of 1/20 over all places that have a mean, both sides.
    let share = 1.0 - (1.0 - 1.0 / PAGES).powf(1.0 / all.max(1) as f64);
    let of_row = |at: usize| {
        let row = &rows[at];
        let cell = |field: usize| {
            let own: Vec<f64> = row.tables.iter().map(|t| t[field]).collect();
            let others: Vec<f64> = rows
                .iter()
                .enumerate()
                .filter(|(n, _)| *n != at)
                .flat_map(|(_, r)| r.tables.iter().map(|t| t[field]))
                .collect();
            let mut cell = Cell { findings: row.findings[field], ..Cell::default() };
            let spread = summary(&others).and_then(|s| Some((s.mean, s.sd?)));
            cell.others = spread.map(|s| s.0);
            if !told(row, field) {
                return cell;
            }
            cell.mean = interval(&own, spread.map_or(0.0, |s| s.1) / 2.0);
            let enough = spread.filter(|s| others.len() >= FEWEST_OTHERS && s.1 > 0.0);
            if let Some((mean, (middle, s))) = cell.mean.map(|m| m.0).zip(enough) {
                let reach = quantile(1.0 - share / 2.0, others.len() as f64 - 1.0)
                    * s
                    * (1.0 / own.len() as f64 + 1.0 / others.len() as f64).sqrt();
                cell.channel = Some((middle - reach, middle + reach));
                cell.apart = (mean - middle).abs() > reach;
            }
            cell
        };
        let sums: Vec<f64> = row.tables.iter().map(|t| t.iter().sum()).collect();
        Placed { fields: std::array::from_fn(cell), all: interval(&sums, 0.0) }
    };
    (0..rows.len()).map(of_row).collect()
}

/// Mean and half its interval of 95 %, with a standard deviation that is never below `least`; `None` for under two values.
fn interval(values: &[f64], least: f64) -> Option<(f64, f64)> {
    let s = summary(values)?;
    let n = values.len() as f64;
    Some((s.mean, quantile(0.975, n - 1.0) * s.sd?.max(least) / n.sqrt()))
}

/// The quantile of Student's distribution; of the normal one where it is not defined.
pub(super) fn quantile(p: f64, freedom: f64) -> f64 {
    match StudentsT::new(0.0, 1.0, freedom) {
        Ok(t) => t.inverse_cdf(p),
        Err(_) => Normal::standard().inverse_cdf(p),
    }
}
