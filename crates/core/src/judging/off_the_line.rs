//! Points of a fit that lie off the line of the others.
//!
//! A point is held against the line through all the others, by its studentised residual. A point
//! far out on the line's own axis pulls the line towards itself; the residual is divided by what
//! its leverage leaves of it, so that such a point is not missed. Nothing is left out here: a
//! person decides, beside the slope with the point and without it.

use super::propagate::Propagated;
use super::values::{Env, Out};
use crate::finding::{Finding, Findings, Kind, Severity};
use crate::formula::{Context, Function, ItemId, Node, Num, Op, Shape, Value, evaluate_any};
use crate::protocol::Protocol;
use crate::row::Row;
use crate::stats::{Line, PointTest, line, point_apart};
use crate::uncertainty::Dual;
use crate::verdict::OutlierTest;

/// The points of one fit that count: their row from 0, x, y and weight.
type Points = Vec<(usize, f64, f64, f64)>;

/// One fit of a table.
///
/// Coordinates are SI; weights are one where the formula gives none.
struct Fit<'a> {
    /// Gives the level of confidence, and the units of both axes.
    protocol: &'a Protocol,
    /// Item of the abscissae.
    x: ItemId,
    /// Item of the ordinates.
    y: ItemId,
    /// Whether the line is held to the origin.
    through_origin: bool,
    /// Whether the formula gives weights.
    weighted: bool,
    /// Points that count.
    points: Points,
}

/// The point farthest from each fitted line, on clean values.
///
/// Two results that fit the same columns are one fit, and are tested once. Cost: two fits for each,
/// and one more for a point that stands apart.
pub(super) fn points(
    protocol: &Protocol,
    clean: &Env,
    out: &Out,
    propagated: &Propagated,
    found: &mut Findings<'_>,
) -> Vec<OutlierTest> {
    let mut tests = Vec::new();
    let mut seen: Vec<(ItemId, ItemId)> = Vec::new();
    for spec in &protocol.results {
        let mut fits: Vec<&Node> = Vec::new();
        collect_fits(&spec.node, &mut fits);
        for node in fits {
            let Op::Call(_, args) = &node.op else { continue };
            let (Op::Item(x), Op::Item(y)) = (&args[0].op, &args[1].op) else { continue };
            if seen.contains(&(*x, *y)) {
                continue;
            }
            seen.push((*x, *y));
            let fit = Fit::of(protocol, node, (*x, *y), clean, out);
            tests.extend(fit.and_then(|f| f.test(propagated, found)));
        }
    }
    tests
}

impl<'a> Fit<'a> {
    /// The points of a fit in a formula, without rows that are left out or empty; `None` for
    /// anything else than a straight line of two columns.
    ///
    /// A fit of what is itself a formula has no rows of readings to point at, and is not tested.
    fn of(protocol: &'a Protocol, node: &Node, (x, y): (ItemId, ItemId), clean: &Env, out: &Out) -> Option<Fit<'a>> {
        let Op::Call(function, args) = &node.op else { return None };
        let Shape::Column(group) = protocol.items[x].rows else { return None };
        let rows = out.iter().find(|(g, _)| *g == group).map(|(_, o)| o);
        let (Some(Value::Column(xs)), Some(Value::Column(ys))) = (&clean[x], &clean[y]) else { return None };
        let weights = match args.get(2).map(|w| evaluate_any(w, &Context::without(clean, out))) {
            None => None,
            Some(Ok(Value::Column(ws))) => Some(ws),
            Some(_) => return None,
        };
        let weight = |i: usize| weights.as_ref().map_or(Some(1.0), |w| w.get(i).copied().flatten());
        let points = xs
            .iter()
            .zip(ys)
            .enumerate()
            .filter(|(i, _)| rows.and_then(|r| r.get(*i)).is_none_or(|o| !o))
            .filter_map(|(i, (x, y))| Some((i, (*x)?, (*y)?, weight(i)?)))
            .collect();
        let through_origin = *function == Function::SlopeOrigin;
        Some(Fit { protocol, x, y, through_origin, weighted: weights.is_some(), points })
    }

    /// The abscissae, the ordinates and the weights, without one of the points where one is named.
    ///
    /// `without` is a place among the points, from 0, and no row of the sheet.
    fn columns(&self, without: Option<usize>) -> (Vec<f64>, Vec<f64>, Option<Vec<f64>>) {
        let kept = || self.points.iter().enumerate().filter(|(i, _)| Some(*i) != without).map(|(_, p)| p);
        let weights = self.weighted.then(|| kept().map(|p| p.3).collect());
        (kept().map(|p| p.1).collect(), kept().map(|p| p.2).collect(), weights)
    }

    /// The line through all points, or all but one; `None` where none can be drawn.
    ///
    /// With two points, or with all at one abscissa, there is none.
    fn line(&self, without: Option<usize>) -> Option<Line> {
        let (x, y, w) = self.columns(without);
        line(&x, &y, w.as_deref(), self.through_origin).ok()
    }

    /// Tests the farthest point; a finding where it stands apart.
    ///
    /// The test is told whether it raises its hand or not, so that a drawing can show how near it
    /// came. A line needs three points more than it has parameters: five, or four through the
    /// origin.
    fn test(&self, propagated: &Propagated, found: &mut Findings<'_>) -> Option<OutlierTest> {
        let confidence = 1.0 - self.protocol.school.confidence.alpha();
        let whole = self.line(None)?;
        let own = own_spread(propagated, (self.x, self.y), whole.slope, &self.points);
        let (px, py, pw) = self.columns(None);
        let test = point_apart(&px, &py, pw.as_deref(), self.through_origin, confidence, own)?;
        let row = Row::at(self.points[test.suspect].0);
        let flagged = test.statistic > test.critical;
        if flagged {
            let id = &self.protocol.items[self.y].id;
            found.push(Finding::about(self.apart(&whole, &test), Severity::Decide, (self.y, id), Some(row)));
        }
        Some(OutlierTest {
            level: "point",
            item: self.y,
            row: Some(row),
            test: "studentised-residual",
            statistic: test.statistic,
            critical: test.critical,
            flagged,
        })
    }

    /// A point that stands apart, with the line's slope with and without it.
    ///
    /// The slopes are in the units of the sheet. They are left out where no line goes through the
    /// others.
    fn apart(&self, whole: &Line, test: &PointTest) -> Kind {
        let (ix, iy) = (&self.protocol.items[self.x], &self.protocol.items[self.y]);
        let scale = ix.unit.factor / iy.unit.factor;
        let without = self.line(Some(test.suspect));
        Kind::PointApart {
            x: self.x,
            statistic: test.statistic,
            critical: test.critical,
            slopes: without.map(|b| (whole.slope * scale, b.slope * scale)),
        }
    }
}

/// Spread about the line, at weight one, that the points' own unshared uncertainties make: √(Σ
/// w·u²(y − slope·x)/n).
///
/// It keeps a test from calling the last digit of an instrument a point apart: a residual within
/// what the readings themselves leave open is none. Nought where the uncertainty of any point is
/// not known.
fn own_spread(propagated: &Propagated, (x, y): (ItemId, ItemId), slope: f64, points: &[(usize, f64, f64, f64)]) -> f64 {
    let of = |item: ItemId, row: usize| propagated.values[item].as_ref().and_then(|v| v.at(Some(row)));
    let squares: Vec<f64> = points
        .iter()
        .filter_map(|(row, _, _, w)| {
            let residual = of(y, *row)?.sub(&of(x, *row)?.mul(&Dual::exact(slope)));
            let u = residual.spread(&propagated.sources);
            Some(w * u * u)
        })
        .collect();
    if squares.len() < points.len() { 0.0 } else { (squares.iter().sum::<f64>() / squares.len() as f64).sqrt() }
}

/// Collects every straight line that a formula fits, those inside others too.
///
/// In the order in which they stand in the formula.
fn collect_fits<'n>(node: &'n Node, out: &mut Vec<&'n Node>) {
    if let Op::Call(f, args) = &node.op
        && f.fits_line()
        && args.len() >= 2
    {
        out.push(node);
    }
    node.children().for_each(|c| collect_fits(c, out));
}
