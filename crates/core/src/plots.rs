//! What belongs on a chart of a table, as data: lines with residuals and their confidence band,
//! titration curves with derivative and end point, decays on a linear scale. Values are in the
//! protocol's units. Nothing here draws.
//!
//! | chart | of | shows |
//! |---|---|---|
//! | fit | `slope(x, y)` and its kin | points, line, band, residuals, leverage, the point that stands apart |
//! | curve | `equivalence(v, s)` | points, second derivative, end point |
//! | decay | a line through ln of a column | points as read, the curve that the line is |
//!
//! What is drawn is what was judged: rows that were left out are drawn as left out, repaired
//! readings where they were meant to be, and the line is the one that the result was compared with.

use statrs::distribution::{ContinuousCDF, StudentsT};

use crate::formula::{Context, Function, ItemId, Node, Op, Shape, Value, evaluate_any};
use crate::protocol::{ItemKind, Protocol, ReferenceId};
use crate::row::Row;
use crate::stats::endpoint::second_derivative;
use crate::stats::{Line, line as fit_line};
use crate::verdict::Judged;

/// One chart.
#[derive(Clone, Debug)]
pub enum Plot {
    /// A straight line through points.
    Fit(Fit),
    /// A titration curve.
    Curve(Curve),
    /// A quantity whose logarithm is fitted by a line, on its own scale.
    Decay(Decay),
}

/// A point of a chart.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Point {
    /// Row, from 1.
    pub row: Row,
    /// Where it lies along the axis of the column that was set.
    pub x: f64,
    /// Where it lies along the axis of what was measured or worked out.
    pub y: f64,
    /// Whether it counts.
    pub counts: bool,
}

/// A line through points, with what tells whether it is one.
#[derive(Clone, Debug)]
pub struct Fit {
    /// Item of the abscissa.
    pub x: ItemId,
    /// Item of the ordinate.
    pub y: ItemId,
    /// Points, in the order of their rows.
    pub points: Vec<Point>,
    /// Slope, in units of y by units of x.
    pub slope: f64,
    /// Where the line meets the axis; 0 for a line through the origin.
    pub intercept: f64,
    /// Standard deviation of the residuals, where points are to spare.
    pub residual_sd: Option<f64>,
    /// Residual of each point, observed − fitted.
    pub residuals: Vec<f64>,
    /// How far each point pulls the line to itself, 0 to 1; nought for one that does not count.
    pub leverage: Vec<f64>,
    /// Confidence band of the line: x, lower and upper y, from the left to the right.
    pub band: Vec<(f64, f64, f64)>,
    /// Row of the point farthest off, and whether it stands apart by its studentised residual.
    pub suspect: Option<(Row, bool)>,
    /// Slope and intercept without that point, where it stands apart.
    pub without: Option<(f64, f64)>,
}

/// A titration curve.
#[derive(Clone, Debug)]
pub struct Curve {
    /// Item of the volume.
    pub x: ItemId,
    /// Item of what the meter shows.
    pub y: ItemId,
    /// Points in the order taken.
    pub points: Vec<Point>,
    /// Second derivative: place and value.
    pub second: Vec<(f64, f64)>,
    /// End point, where the curve gives one.
    pub end: Option<f64>,
}

/// A decay.
#[derive(Clone, Debug)]
pub struct Decay {
    /// Item of the abscissa.
    pub x: ItemId,
    /// Item of the decaying quantity.
    pub y: ItemId,
    /// Points.
    pub points: Vec<Point>,
    /// The fitted curve: x and y.
    pub curve: Vec<(f64, f64)>,
}

/// Places across a curve.
///
/// A band bends little between two of them.
const STEPS: usize = 24;

/// The charts that a table's formulas ask for, each pair of columns once, in the order of the
/// results.
///
/// Fewer than three points that count give no chart.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::plots::plots;
/// // A lab without a fit has no plot.
/// assert!(plots(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[])).is_empty());
/// ```
pub fn plots(protocol: &Protocol, judged: &Judged) -> Vec<Plot> {
    let values = values(protocol, judged);
    let mut out = Vec::new();
    let mut seen: Vec<(ItemId, ItemId)> = Vec::new();
    for spec in &protocol.results {
        let mut calls: Vec<(Function, &[Node])> = Vec::new();
        collect(&spec.node, &mut calls);
        for (function, args) in calls {
            let (Some(Op::Item(x)), Some(Op::Item(y))) = (args.first().map(|a| &a.op), args.get(1).map(|a| &a.op))
            else {
                continue;
            };
            if seen.contains(&(*x, *y)) {
                continue;
            }
            let points = points(protocol, judged, *x, *y);
            if points.iter().filter(|p| p.counts).count() < 3 {
                continue;
            }
            seen.push((*x, *y));
            if matches!(function, Function::Equivalence | Function::EquivalenceTangents) {
                out.push(Plot::Curve(curve(*x, *y, points)));
                continue;
            }
            let weights = args.get(2).and_then(|w| match evaluate_any(w, &Context::exact(&values)) {
                Ok(Value::Column(ws)) => Some(ws),
                _ => None,
            });
            let Some(fit) = fit(protocol, judged, (*x, *y), points, weights.as_deref(), function) else { continue };
            // A line through logarithms is a curve through what was read.
            if let Some(decay) = decay(protocol, judged, &fit) {
                out.push(Plot::Decay(decay));
            }
            out.push(Plot::Fit(fit));
        }
    }
    out
}

/// Collects what of a formula can be drawn: lines through points, and curves with an end point.
///
/// In the order in which they stand in the formula.
fn collect<'n>(node: &'n Node, out: &mut Vec<(Function, &'n [Node])>) {
    if let Op::Call(f, args) = &node.op
        && (f.fits_line() || matches!(f, Function::Equivalence | Function::EquivalenceTangents))
    {
        out.push((*f, args));
    }
    node.children().for_each(|c| collect(c, out));
}

/// Values of all items as judged, in coherent SI units: columns by row, single ones by themselves,
/// repairs in the place of what was misread.
///
/// A row that was not written leaves a gap, and a column without any row is none.
pub(crate) fn values(protocol: &Protocol, judged: &Judged) -> Vec<Option<Value<f64>>> {
    ItemId::each(&protocol.items)
        .map(|i| {
            let item = &protocol.items[i];
            let rows = by_row(protocol, judged, i);
            let Some(most) = rows.iter().map(|(row, ..)| *row).max() else {
                return single(protocol, judged, i).map(|v| Value::Scalar(item.to_si(v)));
            };
            let mut column = vec![None; most.index() + 1];
            for (row, value, _) in rows {
                column[row.index()] = Some(item.to_si(value));
            }
            Some(Value::Column(column))
        })
        .collect()
}

/// The value of an item that has no rows, in the protocol's unit.
///
/// `None` for a reference that goes by a key: which entry it is hangs on the table.
fn single(protocol: &Protocol, judged: &Judged, item: ItemId) -> Option<f64> {
    match protocol.items[item].kind {
        ItemKind::Reading(r) => judged.readings[r].cells.first().and_then(|c| c.repaired.or(c.value)),
        ItemKind::Result(_) => judged.results.iter().find(|r| r.item == item).and_then(|r| r.clean),
        ItemKind::Reference(r) => match &protocol.references[r].entries[..] {
            [only] if only.at.is_empty() => Some(protocol.items[item].from_si(only.middle())),
            _ => None,
        },
        ItemKind::Parameter(_) | ItemKind::Hidden => None,
    }
}

/// Row, value in the protocol's unit and whether it counts, of a column.
///
/// Rows are in the order in which they were written.
fn by_row(protocol: &Protocol, judged: &Judged, item: ItemId) -> Vec<(Row, f64, bool)> {
    match protocol.items[item].kind {
        ItemKind::Reading(r) => {
            judged.readings[r].cells.iter().filter_map(|c| Some((c.row?, c.repaired.or(c.value)?, c.counts))).collect()
        }
        ItemKind::Result(_) => {
            let counts = |row: Row| row_counts(protocol, judged, item, row);
            let mine = judged.results.iter().filter(|r| r.item == item);
            mine.filter_map(|r| Some((r.row?, r.clean?, counts(r.row?)))).collect()
        }
        ItemKind::Reference(r) => by_key(protocol, judged, r),
        ItemKind::Parameter(_) | ItemKind::Hidden => Vec::new(),
    }
}

/// Whether a row of an item's table, or a replicate, counts. A reading in it that was read and does
/// not count takes the whole row out: the team left it out, or a rule did.
///
/// A row of which nothing was read counts: there is nothing to leave out.
pub(crate) fn row_counts(protocol: &Protocol, judged: &Judged, item: ItemId, row: Row) -> bool {
    let beside = judged.readings.iter().filter(|r| protocol.items[r.item].rows == protocol.items[item].rows);
    let mut cells = beside.flat_map(|r| &r.cells).filter(|c| c.row == Some(row) && c.value.is_some());
    cells.all(|c| c.counts)
}

/// A constant that goes by the key of a row, such as the frequency of the fork that was used: its
/// value in each row whose key the team wrote, in the protocol's unit.
pub(crate) fn by_key(protocol: &Protocol, judged: &Judged, reference: ReferenceId) -> Vec<(Row, f64, bool)> {
    let reference = &protocol.references[reference];
    let item = &protocol.items[reference.item];
    let Shape::Column(table) = item.rows else { return Vec::new() };
    let value = |key: &String| reference.entries.iter().find(|e| e.at == *key).map(|e| item.from_si(e.middle()));
    let keys = judged.row_keys.get(usize::from(table)).into_iter().flatten().enumerate();
    keys.filter_map(|(n, key)| Some((Row::at(n), value(key.as_ref()?)?, true))).collect()
}

/// The points of two columns, those that are left out too, in the units of the sheet.
///
/// A row without one of its two values is no point.
fn points(protocol: &Protocol, judged: &Judged, x: ItemId, y: ItemId) -> Vec<Point> {
    let ys = by_row(protocol, judged, y);
    by_row(protocol, judged, x)
        .into_iter()
        .filter_map(|(row, x, counts)| {
            let (_, y, also) = ys.iter().find(|(r, ..)| *r == row)?;
            (x.is_finite() && y.is_finite()).then_some(Point { row, x, y: *y, counts: counts && *also })
        })
        .collect()
}

/// A line with its points, its slope and intercept, and the band that its points' own uncertainty
/// gives.
///
/// `None` where no line goes through the points.
fn fit(
    protocol: &Protocol,
    judged: &Judged,
    (x, y): (ItemId, ItemId),
    points: Vec<Point>,
    weights: Option<&[Option<f64>]>,
    function: Function,
) -> Option<Fit> {
    let through = function == Function::SlopeOrigin;
    let weight = |p: &Point| match weights {
        None => Some(1.0),
        Some(w) => w.get(p.row.index()).copied().flatten(),
    };
    let counted: Vec<(&Point, f64)> =
        points.iter().filter(|p| p.counts).filter_map(|p| Some((p, weight(p)?))).collect();
    let run = |of: &[(&Point, f64)]| -> Option<Line> {
        let (xs, ys): (Vec<f64>, Vec<f64>) = of.iter().map(|(p, _)| (p.x, p.y)).unzip();
        let ws: Vec<f64> = of.iter().map(|(_, w)| *w).collect();
        fit_line(&xs, &ys, weights.is_some().then_some(&ws[..]), through).ok()
    };
    let line = run(&counted)?;
    let test = judged.outliers.iter().find(|o| o.level == "point" && o.item == y);
    let suspect = test.and_then(|t| Some((t.row?, t.flagged)));
    let without = suspect.filter(|(_, apart)| *apart).and_then(|(row, _)| {
        let rest: Vec<(&Point, f64)> = counted.iter().filter(|(p, _)| p.row != row).copied().collect();
        run(&rest).map(|l| (l.slope, l.intercept))
    });
    let mean_weight = counted.iter().map(|(_, w)| w).sum::<f64>() / counted.len() as f64;
    let residuals = points.iter().map(|p| p.y - line.at(p.x)).collect();
    let leverage =
        points.iter().map(|p| if p.counts { weight(p).map_or(0.0, |w| line.leverage(p.x, w)) } else { 0.0 }).collect();
    Some(Fit {
        x,
        y,
        band: band(protocol, &line, &points, mean_weight),
        slope: line.slope,
        intercept: line.intercept,
        residual_sd: line.residual_sd,
        residuals,
        leverage,
        suspect,
        without,
        points,
    })
}

/// The confidence band of a line.
///
/// Empty where no point is to spare.
///
/// # Formula
/// ŷ(x) ± t·s·√(1/Σw + (x − x̄)²/S), t of n − p degrees of freedom at the school's confidence.
///
/// # Source
/// Draper and Smith, Applied Regression Analysis, 3rd edition, chapter 1.
fn band(protocol: &Protocol, line: &Line, points: &[Point], mean_weight: f64) -> Vec<(f64, f64, f64)> {
    let (Some(s), freedom) = (line.residual_sd, line.freedom()) else { return Vec::new() };
    let Ok(student) = StudentsT::new(0.0, 1.0, freedom as f64) else { return Vec::new() };
    let t = student.inverse_cdf(1.0 - protocol.school.confidence.alpha() / 2.0);
    let (low, high) = points.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| (a.min(p.x), b.max(p.x)));
    (0..=STEPS)
        .map(|i| {
            let x = low + (high - low) * i as f64 / STEPS as f64;
            // The leverage of a point of weight w is w times what the band needs.
            let half = t * s * (line.leverage(x, mean_weight) / mean_weight).max(0.0).sqrt();
            (x, line.at(x) - half, line.at(x) + half)
        })
        .filter(|(_, a, b)| a.is_finite() && b.is_finite())
        .collect()
}

/// A curve with its end point, and its steps as the first derivative.
///
/// Places of the second derivative lie between those of the steps.
fn curve(x: ItemId, y: ItemId, points: Vec<Point>) -> Curve {
    let counted: Vec<&Point> = points.iter().filter(|p| p.counts).collect();
    let pairs: Vec<(&f64, &f64)> = counted.iter().map(|p| (&p.x, &p.y)).collect();
    let end = second_derivative(&pairs).ok().map(|(v, _)| v);
    let steps: Vec<(f64, f64)> = counted
        .windows(2)
        .filter(|w| w[1].x != w[0].x)
        .map(|w| ((w[0].x + w[1].x) / 2.0, (w[1].y - w[0].y) / (w[1].x - w[0].x)))
        .collect();
    let second = steps
        .windows(2)
        .filter(|w| w[1].0 != w[0].0)
        .map(|w| ((w[0].0 + w[1].0) / 2.0, (w[1].1 - w[0].1) / (w[1].0 - w[0].0)))
        .filter(|(a, b)| a.is_finite() && b.is_finite())
        .collect();
    Curve { x, y, points, second, end }
}

/// Where the ordinate is the logarithm of a column of readings, the curve exp(a + b·x) through
/// those.
///
/// `None` where the ordinate is no logarithm of a column.
fn decay(protocol: &Protocol, judged: &Judged, fit: &Fit) -> Option<Decay> {
    let ItemKind::Result(n) = protocol.items[fit.y].kind else { return None };
    let inner = logarithm_of(&protocol.results[n].node)?;
    let points = points(protocol, judged, fit.x, inner);
    if points.is_empty() {
        return None;
    }
    // The line is of logarithms of pure numbers; its level is taken from the points, so that their unit does not matter.
    let level: f64 = points.iter().filter(|p| p.counts && p.y > 0.0).map(|p| p.y.ln() - fit.slope * p.x).sum::<f64>()
        / points.iter().filter(|p| p.counts && p.y > 0.0).count().max(1) as f64;
    let (low, high) = points.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| (a.min(p.x), b.max(p.x)));
    let curve = (0..=STEPS)
        .map(|i| {
            let x = low + (high - low) * i as f64 / STEPS as f64;
            (x, (level + fit.slope * x).exp())
        })
        .filter(|(_, y)| y.is_finite())
        .collect();
    Some(Decay { x: fit.x, y: inner, points, curve })
}

/// The item whose natural logarithm a formula is, perhaps over a constant.
///
/// `ln(a)` and `ln(a / a0)` are both of a.
fn logarithm_of(node: &Node) -> Option<ItemId> {
    let Op::Call(Function::Ln, args) = &node.op else { return None };
    match &args.first()?.op {
        Op::Item(i) => Some(*i),
        Op::Binary(_, a, _) => match a.op {
            Op::Item(i) => Some(i),
            _ => None,
        },
        _ => None,
    }
}
