//! Cross-checks: relations between readings that hold whatever the unknown is.
//!
//! A check needs no answer: a pile of four plates is four plates high whatever a plate is, and a
//! lever balances whatever hangs on it. So it finds a wrong reading where no result does.

use super::Judge;
use crate::finding::{Finding, Findings, Key, Kind, Off, Place, Severity};
use crate::formula::{Context, Function, Node, Num, Op, Shape, Value, evaluate_any};
use crate::judging::propagate::Propagated;
use crate::judging::values::{Env, Out, within};
use crate::protocol::{CheckRule, Protocol, Relation};
use crate::row::Row;
use crate::verdict::{Compared, Comparison};
use rust_decimal::Decimal;

/// What one check gave: the rows where it fails, and how far the worst row lies off as a share of
/// its room.
///
/// Rows that were left out are not asked. `worst` is none where no row could be.
#[derive(Default)]
struct Checked {
    /// Rows in which it fails, none for a single relation, with how far off they are.
    failed: Vec<(Option<Row>, Option<Off>)>,
    /// The farthest off of all, as a share of its room.
    worst: Option<f64>,
}

/// Judges cross-checks: relations that hold whatever the unknown is.
///
/// A check costs only what the lab says it costs; a failed one without points is a question all the
/// same, since a wrong reading is likeliest there.
pub(in crate::judging) fn checks(
    protocol: &Protocol,
    out: &Out,
    clean: &Env,
    propagated: &Propagated,
    found: &mut Findings<'_>,
) -> Vec<Comparison> {
    let judge = Judge { protocol, out, propagated, reported: clean };
    let mut told = Vec::new();
    for (n, check) in protocol.checks.iter().enumerate() {
        let checked = match &check.rule {
            CheckRule::Holds(node) => judge.holds(node),
            CheckRule::Related { left, right, relation, k } => match judge.related((left, right), *relation, *k) {
                Some(checked) => checked,
                None => continue,
            },
        };
        if let Some(off) = checked.worst {
            told.push(Comparison {
                id: check.id.clone(),
                kind: "check",
                value: off,
                limit: Some(1.0),
                verdict: if checked.failed.is_empty() { "within" } else { "beyond" }.to_owned(),
                what: Compared::Check(n),
            });
        }
        judge.tell(n, &checked.failed, found);
    }
    told
}

impl Judge<'_> {
    /// A condition over readings: nought is false.
    ///
    /// A condition that cannot be worked out does not fail.
    fn holds(&self, node: &Node) -> Checked {
        let failed = match evaluate_any(node, &Context::without(self.reported, self.out)) {
            Ok(Value::Scalar(0.0)) => vec![(None, None)],
            Ok(Value::Column(xs)) => xs
                .iter()
                .enumerate()
                .filter(|(i, x)| **x == Some(0.0) && !self.left_out(node, *i))
                .map(|(i, _)| (Some(Row::at(i)), None))
                .collect(),
            _ => Vec::new(),
        };
        Checked { failed, worst: None }
    }

    /// A relation of two sides, row by row: `k` standard uncertainties of the difference are its
    /// room. `None` where a side cannot be worked out.
    ///
    /// The room is what the readings' own uncertainties leave, k standard deviations of it.
    fn related(&self, (left, right): (&Node, &Node), relation: Relation, k: f64) -> Option<Checked> {
        if self.sums_a_gap(left) || self.sums_a_gap(right) {
            return None;
        }
        let (l, r) = (self.value(left)?, self.value(right)?);
        let rows = match (&l, &r) {
            (Value::Column(xs), _) | (_, Value::Column(xs)) => Some(xs.len()),
            _ => None,
        };
        let (column, rows) = (rows.is_some(), rows.unwrap_or(1));
        let mut checked = Checked::default();
        for i in 0..rows {
            let (Some(a), Some(b)) = (l.at(Some(i)), r.at(Some(i))) else { continue };
            if column && (self.left_out(left, i) || self.left_out(right, i)) {
                continue;
            }
            let difference = a.sub(b);
            let (d, limit) = (difference.value(), k * self.spread(&difference));
            let holds = holds(relation, (a.value(), b.value()), limit);
            let off = if limit > 0.0 { d.abs() / limit } else { f64::from(u8::from(!holds)) };
            checked.worst = Some(checked.worst.map_or(off, |w| if off > w { off } else { w }));
            if !holds {
                let off = Off { left: a.value(), right: b.value(), room: limit };
                checked.failed.push((column.then_some(Row::at(i)), Some(off)));
            }
        }
        Some(checked)
    }

    /// Whether a row of a formula's column was left out of everything.
    ///
    /// `row` counts from 0.
    fn left_out(&self, node: &Node, row: usize) -> bool {
        let Shape::Column(group) = node.shape else { return false };
        self.out.iter().any(|(g, rows)| *g == group && rows.get(row) == Some(&true))
    }

    /// Whether a formula adds up a column of which a row is not there, or was left out: the whole
    /// is then another.
    ///
    /// Masses of parts do not add up to the whole where one part is missing, and that is told
    /// elsewhere.
    fn sums_a_gap(&self, node: &Node) -> bool {
        let gap = |column: &Node| {
            let values = evaluate_any(column, &Context::exact(self.reported)).ok();
            let missing = matches!(&values, Some(Value::Column(xs)) if xs.iter().any(Option::is_none));
            let rows = if let Some(Value::Column(xs)) = &values { xs.len() } else { 0 };
            missing || (0..rows).any(|row| self.left_out(column, row))
        };
        matches!(&node.op, Op::Call(Function::Sum, args) if args.iter().any(gap))
            || node.children().any(|child| self.sums_a_gap(child))
    }

    /// One finding for a check that fails, with all rows where it does.
    ///
    /// It hangs on a person, with the points that the lab gives the check.
    fn tell(&self, n: usize, failed: &[(Option<Row>, Option<Off>)], found: &mut Findings<'_>) {
        let Some((first, off)) = failed.first() else { return };
        let check = &self.protocol.checks[n];
        let charge = check.charge.clone().map_or((None, Decimal::ZERO), |(c, p)| (Some(c), p));
        let item = match &check.rule {
            CheckRule::Holds(node) | CheckRule::Related { left: node, .. } => node.items().first().copied(),
        };
        let rows = failed.iter().filter_map(|(row, _)| *row).collect();
        let kind = Kind::Check { check: n, rows, off: *off };
        let (key, place) = (Key::about(&kind, &check.id, None), Place { item, row: *first });
        found.push(Finding::new(kind, key, Severity::Decide, place).hanging(charge));
    }
}

/// Whether a relation of two values holds within a limit.
///
/// Below and above hold within the room as well: a limit that is touched is not passed.
fn holds(relation: Relation, (a, b): (f64, f64), limit: f64) -> bool {
    let d = a - b;
    match relation {
        Relation::Equal => within(d, limit, limit, a, b),
        Relation::Below => d <= limit + 1e-13 * a.abs(),
        Relation::Above => d >= -limit - 1e-13 * a.abs(),
    }
}
