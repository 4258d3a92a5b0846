//! Another number for a constant, or another count, put into the calculation: the sheet is right.

use super::acts::Edit;
use super::copied::near_misses;
use super::maker::{Maker, Story};
use crate::finding::Clause;
use crate::formula::{ItemId, Shape, Value};
use crate::notation;
use crate::protocol::{ItemKind, ReadingKind, SlipKind};
use crate::reading::{CellKind, read};

/// A wrong constant is wrong wherever it is used, else in one calculation.
const IN_ALL: f64 = 0.7;
/// Counts more or fewer that are tried.
const MISCOUNT: [f64; 6] = [1.0, -1.0, 2.0, -2.0, 3.0, -3.0];

/// Another value of an item that may have been put in.
///
/// Values are in the item's unit.
struct Other {
    value: f64,
    clause: Clause,
    /// What its prior is multiplied by.
    prior: f64,
}

impl Maker<'_> {
    /// Constants with a digit wrong, cut short, or a neighbour's; counts one or a few more or
    /// fewer.
    ///
    /// A parameter counts as a number that may be miscounted; a constant as one that may be misread
    /// or taken for its neighbour in the table.
    pub(super) fn constants(&mut self) {
        let case = self.case;
        for item in self.spec().node.items() {
            match case.protocol.items[item].kind {
                ItemKind::Reference(_) => self.constant(item),
                ItemKind::Parameter(p) => {
                    let value = case.protocol.parameters[p].value;
                    self.count(item, None, self.scalar(item).unwrap_or(value));
                }
                _ => {}
            }
        }
        for (item, r, at, n) in self.readings_used() {
            if case.protocol.readings[r].kind == ReadingKind::Count
                && let Some(value) = case.readings[r].cells.get(n).and_then(|c| c.value)
            {
                self.count(item, at, value);
            }
        }
    }

    /// The single value of an item as the sheet has it, in its unit.
    fn scalar(&self, item: ItemId) -> Option<f64> {
        let env = if self.case.clean.is_some() { self.case.clean_env } else { self.case.reported_env };
        match env[item].as_ref()? {
            Value::Scalar(v) => Some(self.case.protocol.items[item].from_si(*v)),
            _ => None,
        }
    }

    /// A constant of the lab with a digit wrong, cut short, or taken for another constant of the
    /// same dimension. Half of the prior goes to either way.
    ///
    /// Neighbours are constants of one dimension and kind with another name: the density of brass
    /// for that of steel.
    fn constant(&mut self, item: ItemId) {
        let case = self.case;
        let it = &case.protocol.items[item];
        let Some(value) = self.scalar(item).filter(|v| *v != 0.0 && v.is_finite()) else { return };
        let mut others = other_digits(item, value);
        let digits = others.len();
        for (n, other) in ItemId::with(&case.protocol.items) {
            let alike = n != item && matches!(other.kind, ItemKind::Reference(_)) && other.rows == Shape::Scalar;
            if alike && other.unit.dimension == it.unit.dimension && other.nature == it.nature && other.id != it.id {
                let Some(si) = self.scalar(n).map(|v| other.to_si(v)) else { continue };
                others.push(Other { value: it.from_si(si), clause: Clause::Neighbour { item, taken: n }, prior: 1.0 });
            }
        }
        // Half of all wrong constants are a neighbour's, half have a digit wrong.
        let (all, neighbours) = (others.len() as f64, (others.len() - digits) as f64);
        for (n, other) in others.iter_mut().enumerate() {
            let of_kind = if n < digits { digits as f64 } else { neighbours };
            other.prior = if digits == 0 || neighbours == 0.0 { 1.0 } else { 0.5 * all / of_kind };
        }
        self.put_in(SlipKind::ConstantWrong, item, None, value, others);
    }

    /// A count one, two or three too many or too few; `value` is what the sheet has, `at` its row
    /// in the environment.
    fn count(&mut self, item: ItemId, at: Option<usize>, value: f64) {
        let others = MISCOUNT.iter().map(|by| value + by).filter(|x| *x > 0.0);
        let clause = |taken: f64| Clause::Count { item, taken, sheet: value };
        let others = others.map(|x| Other { value: x, clause: clause(x), prior: 1.0 }).collect();
        self.put_in(SlipKind::CountWrong, item, at, value, others);
    }

    /// Solves for the value that would give R, and keeps those of the others that are it.
    ///
    /// A story about a constant fits only if R is what that value gives, to within what R's digits
    /// and the envelope leave open. All other results are asked twice: whether they used the same
    /// wrong value (seven in ten would), and whether the other rows of this column did.
    fn put_in(&mut self, kind: SlipKind, item: ItemId, at: Option<usize>, value: f64, others: Vec<Other>) {
        let case = self.case;
        *self.counts.entry((kind.clone(), None)).or_default() += others.len();
        let Some((target, slope)) = self.solved(item, at, value) else { return };
        let reach = (case.exact + case.envelope) / slope.abs() * (1.0 + 1e-6) + 1e-9 * target.abs();
        // A story about the digits of a number is exact.
        for other in others.into_iter().filter(|o| (o.value - target).abs() <= reach) {
            let (clean, reported) = self.with_item(item, at, other.value);
            let Other { value, clause, prior } = other;
            let story = || Story { kind: kind.clone(), subject: Some(item), clause, prior, ..Story::default() };
            let before = self.fitting.len();
            self.consider(story, clean, reported, |_| case.envelope);
            if let Some(h) = self.fitting.get_mut(before) {
                let column = matches!(case.protocol.items[item].rows, Shape::Column(_));
                let row = if case.sliced && column { case.row } else { at };
                let all = case.beside.given(item, row, case.protocol.items[item].to_si(value));
                h.joint = (IN_ALL * all.beyond.exp() + 1.0 - IN_ALL).ln();
                h.sisters = all.own.max(0.0);
            }
        }
    }
}

/// A constant with a digit wrong or cut short. It has as many digits as it needs; what is worked
/// out of conditions has no digits of its own.
///
/// None for a number of more than twelve characters: it is no number that anybody keys in.
fn other_digits(item: ItemId, value: f64) -> Vec<Other> {
    let text = format!("{}", notation::figures(value, 10).parse::<f64>().unwrap_or(value));
    let CellKind::Number(number) = read(&text, &Default::default()).kind else { return Vec::new() };
    if text.len() > 12 {
        return Vec::new();
    }
    let figures = number.figures() as i32;
    let clause = |taken: f64| Clause::Constant { item, taken, figures, sheet: text.clone() };
    let misses = near_misses(&number, value).into_iter().filter(|(_, e)| *e != Edit::Point).map(|(x, _)| x);
    let cut = (1..figures).map(|n| notation::figures(value, n).parse().unwrap_or(value));
    let digits = misses.chain(cut).filter(|x| *x != value);
    digits.map(|x| Other { value: x, clause: clause(x), prior: 1.0 }).collect()
}
