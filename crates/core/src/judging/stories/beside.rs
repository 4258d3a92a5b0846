//! What the rest of a table says to a story about one odd result.
//!
//! Every answer is a logarithm: nought where the table says nothing, above it where it speaks for
//! the story.

use std::cell::OnceCell;

use super::super::sheet::Sheet;
use super::super::values::{Out, put, within};
use super::evidence::evidence;
use super::{ODD, Odd, Whole, alike};
use crate::formula::{Context, ItemId, Node, Shape, evaluate_any};
use crate::protocol::{ResultId, ResultSpec};
use crate::quantity::Nature;
use crate::row::Row;

/// A miswritten answer feeds what follows with what was meant; with what stands there, so seldom.
///
/// A team that writes 7.29 for 7.92 mostly goes on with 7.92.
const AS_WRITTEN: f64 = 0.3;

/// One wrong idea down a whole column, beside one in a single place.
///
/// 0.08 against 0.30: of those who take a wrong formula in one place, about a quarter take it in
/// all.
const SAME_THROUGHOUT: f64 = 0.08 / 0.30;

/// No table says more than this, for or against.
const MOST: f64 = 200.0;

/// What a table says to a story, as logarithms.
///
/// Both are natural logarithms; 0 says nothing, above it speaks for the story.
pub(in super::super) struct Said {
    /// The other rows of the odd result's own column, which are weighed as a whole besides.
    pub(in super::super) own: f64,
    /// All else.
    pub(in super::super) beyond: f64,
}

impl Said {
    /// The sum of both, bounded.
    pub(in super::super) fn whole(&self) -> f64 {
        (self.own + self.beyond).clamp(-MOST, MOST)
    }
}

/// The rest of a table beside one odd result.
///
/// It holds on to the result in question.
pub(in super::super) struct Beside<'a> {
    /// The whole table.
    pub(super) whole: &'a Whole<'a>,
    /// The result in question.
    pub(super) odd: Odd,
    /// Worked out when a story first asks.
    pub(super) base: OnceCell<Vec<f64>>,
}

impl Beside<'_> {
    /// Logarithms of the likelihood of every other result with the table as it is written, by
    /// result.
    ///
    /// Rows that a team set aside are tried both ways, since the sheet may not say that it did.
    fn base(&self) -> &[f64] {
        let Sheet { measured, out, .. } = self.whole.sheet;
        let as_reported = self.odd.reported;
        self.base.get_or_init(|| {
            let logs = self.whole.logs(measured, out, self.odd, as_reported, as_reported);
            // A team sets aside a row of its own that does not agree, which the sheet has no reason to.
            let Some(aside) = self.set_aside(out) else { return logs };
            let without = self.whole.logs(measured, &aside, self.odd, as_reported, as_reported);
            logs.into_iter().zip(without).map(|(a, b)| a.max(b)).collect()
        })
    }

    /// The rows that count without that of the result in question.
    ///
    /// `None` where the result is no row of a column, or that row is out already.
    fn set_aside(&self, out: &Out) -> Option<Out> {
        let protocol = self.whole.stage.protocol;
        let spec = &protocol.results[self.odd.id];
        let Shape::Column(group) = protocol.items[spec.item].rows else { return None };
        let row = self.odd.row?;
        let mut out = out.clone();
        let flags = out.iter_mut().find(|(g, _)| *g == group).map(|(_, rows)| rows)?;
        let flag = flags.get_mut(row).filter(|f| !**f)?;
        *flag = true;
        Some(out)
    }

    /// What a table says to a story: the sum of the changes of all results but the odd one, bounded
    /// on both sides, so that no single result outweighs everything else.
    ///
    /// Each result but the odd one counts once.
    fn against(&self, logs: &[f64]) -> f64 {
        logs.iter().zip(self.base()).map(|(a, b)| a - b).sum::<f64>().clamp(-MOST, MOST)
    }

    /// The answer was written down wrongly; `meant` (SI) was right, and fed what follows.
    ///
    /// The greater of both ways of going on: with what was meant, or with what stands there.
    pub(in super::super) fn miswritten(&self, meant: f64) -> f64 {
        let Sheet { measured, out, .. } = self.whole.sheet;
        let logs = self.whole.logs(measured, out, self.odd, meant, meant);
        self.against(&logs).max(AS_WRITTEN.ln())
    }

    /// Readings of the sheet are wrong – item, row, and value in its unit – and everything was
    /// worked out with these.
    ///
    /// The table is worked out anew with the cells as the story has them, with all that its
    /// readings and columns say of themselves: a story that makes a plausible reading implausible
    /// pays for it.
    pub(in super::super) fn misread(&self, cells: &[(ItemId, Option<Row>, f64)]) -> Said {
        let whole = self.whole;
        let mut table = whole.table.clone();
        for (item, row, value) in cells {
            let Some(cell) = table.cell_mut(*item, *row) else { return Said { own: 0.0, beyond: -MOST } };
            cell.repaired = Some(*value);
        }
        let sheet = Sheet::of(whole.stage, &mut table);
        // The result in question is right in this story: what stands there is what follows.
        let logs = whole.logs(&sheet.measured, &sheet.out, self.odd, self.odd.reported, self.odd.reported);
        let fits = evidence(whole.stage, &table, &sheet) - whole.as_written();
        let own = self.own(&logs);
        Said { beyond: self.against(&logs) + fits - own, own }
    }

    /// What the other rows of the result's own column say.
    ///
    /// Rows of one column that share a wrong reading speak with one voice.
    fn own(&self, logs: &[f64]) -> f64 {
        let first = self.first_of(self.odd.id);
        let rows = first..first + self.whole.table.reported[self.odd.id].len();
        logs[rows.clone()].iter().zip(&self.base()[rows]).map(|(a, b)| a - b).sum::<f64>().clamp(-MOST, MOST)
    }

    /// An item of the sheet was `value`, SI, in every calculation that uses it, though the sheet
    /// has it right.
    ///
    /// For a constant or a count that was wrong in every calculation. The sheet keeps its value, so
    /// that nothing is asked of what its readings say.
    pub(in super::super) fn given(&self, item: ItemId, row: Option<usize>, value: f64) -> Said {
        let Sheet { measured, out, .. } = self.whole.sheet;
        let mut measured = measured.clone();
        put(&mut measured, item, row, value);
        let logs = self.whole.logs(&measured, out, self.odd, self.odd.reported, self.odd.reported);
        let own = self.own(&logs);
        Said { beyond: self.against(&logs) - own, own }
    }

    /// The same wrong idea in the other rows of the column: what their values say to the mistaken
    /// formula `node`, where that fits them better than nothing does.
    ///
    /// Nought for a single value.
    pub(in super::super) fn throughout(&self, node: &Node, scale: f64) -> f64 {
        let whole = self.whole;
        let Sheet { clean, out, .. } = whole.sheet;
        let spec = &whole.stage.protocol.results[self.odd.id];
        if spec.table.is_none() {
            return 0.0;
        }
        let item = &whole.stage.protocol.items[spec.item];
        let first: usize = self.first_of(self.odd.id);
        let Ok(predicted) = evaluate_any(node, &Context::without(clean, out)) else { return 0.0 };
        let mut sum = 0.0;
        for (n, w) in whole.table.reported[self.odd.id].iter().enumerate().filter(|(n, _)| Some(*n) != self.odd.row) {
            let (Some(r), Some(p)) = (w.value, predicted.at(Some(n)).copied()) else { continue };
            let p = p * scale - if item.nature == Nature::Point { item.unit.offset / item.unit.factor } else { 0.0 };
            let width = whole.width(self.odd.id, Some(n), w, r, Some(p));
            if within(r - p, width, w.half_step, r, p) {
                sum += (-self.base()[first + n]).max(0.0);
            }
        }
        if sum > 0.0 { (sum + SAME_THROUGHOUT.ln()).clamp(0.0, MOST) } else { 0.0 }
    }

    /// The same wrong idea in other results: what they say to it where it fits them better than
    /// nothing does.
    ///
    /// `number` is that of the mistaken form. Nought unless another result is odd and could show
    /// the same idea; the search costs a working of the whole table.
    pub(in super::super) fn elsewhere(&self, number: usize) -> f64 {
        let whole = self.whole;
        let spec = &whole.stage.protocol.results[self.odd.id];
        let others = || ResultId::with(&whole.stage.protocol.results).filter(|(n, _)| *n != self.odd.id);
        let odd = |n: ResultId| {
            let first = self.first_of(n);
            (0..whole.table.reported[n].len()).any(|row| self.base()[first + row] < (0.5 * ODD).ln())
        };
        let worded = |r: &ResultSpec| whole.stage.protocol.items[r.item].words.is_some();
        if !others().any(|(n, r)| !worded(r) && odd(n) && !alike(spec, number, r).is_empty()) {
            return 0.0;
        }
        let Sheet { measured, out, .. } = whole.sheet;
        let fed = (self.odd.reported, self.odd.reported);
        let logs = whole.logs_with(measured, out, self.odd, fed, Some((spec, number)));
        let gain = self.against(&logs);
        if gain <= 0.0 {
            return 0.0;
        }
        // Wrong at every place where an item stands is one idea, however many of its places could be wrong alone.
        let (kind, subject) = spec.variants.get(number).map_or((None, None), |v| (Some(&v.kind), v.subject));
        let places = spec.variants.iter().filter(|v| Some(&v.kind) == kind && v.subject == subject).count();
        (gain + (SAME_THROUGHOUT * places as f64).ln()).max(0.0)
    }

    /// Where the values of a result begin among all.
    ///
    /// Counted as [`Whole::logs`] counts.
    fn first_of(&self, id: ResultId) -> usize {
        let protocol = self.whole.stage.protocol;
        let counted = |n: &ResultId| protocol.items[protocol.results[*n].item].words.is_none();
        ResultId::each(&protocol.results)
            .take_while(|n| *n < id)
            .filter(counted)
            .map(|n| self.whole.table.reported[n].len())
            .sum()
    }

    /// Other results that use an item and do not fit as the sheet stands.
    ///
    /// Rows are counted one by one.
    pub(in super::super) fn others_odd(&self, item: ItemId) -> usize {
        let protocol = self.whole.stage.protocol;
        let mut at = 0;
        let mut odd = 0;
        for (id, spec) in ResultId::with(&protocol.results) {
            if protocol.items[spec.item].words.is_some() {
                continue;
            }
            for w in &self.whole.table.reported[id] {
                let unfit = w.value.is_some() && self.base()[at] < (0.5 * ODD).ln();
                odd += usize::from(unfit && id != self.odd.id && spec.node.uses(item));
                at += 1;
            }
        }
        odd
    }
}
