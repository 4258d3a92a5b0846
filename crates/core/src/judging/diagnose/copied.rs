//! Readings that were copied into the table wrongly, while the calculation used the right ones.
//!
//! The two stories about a wrong reading differ in what else they change. If the sheet is wrong,
//! everything that uses the reading was right and only looks wrong. If the key was wrong, one value
//! is wrong and the sheet stands. The rest of the table tells which, and where it cannot, the sheet
//! is left alone.
//!
//! | edit of 84.30 | gives |
//! |---|---|
//! | neighbours changed places | 48.30, 83.40, 84.03 |
//! | one digit is another | 14.30, 24.30, … 84.39 |
//! | the point moved | 8.43, 0.843, 843, 8430 |

use std::cell::OnceCell;

use super::super::stories::Said;
use super::super::values::{Tried, replaced};
use super::acts::Edit;
use super::maker::{Maker, Story};
use crate::finding::{Clause, Reading};
use crate::formula::{ItemId, Shape};
use crate::protocol::{ReadingId, ReadingKind, SlipKind};
use crate::quantity::{leading_place, power_of_ten};
use crate::reading::Number;
use crate::repair::Repair;
use crate::verdict::JudgedCell;

/// A reading of the sheet that a result uses, and what was written for it.
///
/// The cell is that of the table as handed in, with what a story has repaired.
struct Used<'a> {
    item: ItemId,
    /// Its row in the environment, if it stands in a column there.
    at: Option<usize>,
    cell: &'a JudgedCell,
}

impl Used<'_> {
    /// The reading with another number, in its unit.
    ///
    /// `number` has the reading's unit.
    fn taken_as(&self, number: f64) -> Reading {
        Reading {
            item: self.item,
            row: self.cell.row,
            number,
            place: leading_place(self.cell.resolution.max(1e-300)),
            text: self.cell.text.trim().to_owned(),
        }
    }
}

impl Maker<'_> {
    /// One reading wrong in the sheet while the calculation used the right one, or right in the
    /// sheet and keyed wrongly into this one calculation: solved for the reading that would give R,
    /// and kept if that is a near miss of the one written.
    ///
    /// Each reading is solved for: the value that gives R is found first, and only if a slip of the
    /// pen leads from it to the one written is the story told. So a reading costs some ten workings
    /// of one formula and not one for each of sixty ways to miswrite it.
    pub(super) fn readings(&mut self) {
        let case = self.case;
        for (item, r, at, n) in self.readings_used() {
            if case.protocol.readings[r].kind != ReadingKind::Number {
                continue;
            }
            let Some(cell) = case.readings[r].cells.get(n) else { continue };
            let (Some(value), Some(number)) = (cell.repaired.or(cell.value), &cell.number) else { continue };
            if value == 0.0 || number.value == 0.0 || cell.excluded.is_some() {
                continue;
            }
            let mut near = near_misses(number, value);
            // A scale read downwards: 22.6 taken for 23.4, mirrored between two marks.
            let down = case.protocol.readings[r].instrument.is_some_and(|i| case.protocol.instruments[i].reads_down);
            if down && value.fract() != 0.0 {
                near.push((2.0 * value.floor() + 1.0 - value, Edit::Digit));
            }
            for (_, edit) in &near {
                for kind in [SlipKind::ReadingMistyped, SlipKind::ReadingMiskeyed] {
                    *self.counts.entry((kind, Some(*edit))).or_default() += 1;
                }
            }
            // Nobody read what the instrument does not show, unless the sheet has such a number already. It may be keyed in.
            let step = case.protocol.step(&case.protocol.readings[r]).filter(|s| *s > 0.0);
            let marked = |x: f64| step.is_none_or(|s| (x / s - (x / s).round()).abs() <= 1e-6);
            let read = |x: f64| marked(x) || !marked(value);
            let used = Used { item, at, cell };
            let Some((target, slope)) = self.solved(item, at, value) else { continue };
            // A story about the digits of a number is exact.
            let reach = (case.exact + case.envelope) / slope.abs() * (1.0 + 1e-6) + 1e-9 * target.abs();
            let mut hit = false;
            for (x, edit) in near.into_iter().filter(|(x, _)| (x - target).abs() <= reach) {
                hit = true;
                let said = OnceCell::new();
                self.keyed(&used, x, edit, &said);
                if read(x) {
                    self.copied(&used, (x, edit), 1.0, &said);
                }
            }
            if !hit {
                self.any_value(&used, r, target, reach);
            }
        }
    }

    /// The value of one item, in its unit, that would give R, and the slope of the result there.
    ///
    /// `at` is the row in the environment, from 0, and `value` the reading as written, in its unit.
    /// `None` where R does not depend on the reading, or no value near it gives R.
    pub(super) fn solved(&self, item: ItemId, at: Option<usize>, value: f64) -> Option<(f64, f64)> {
        let case = self.case;
        let spec = &case.protocol.results[case.id];
        let factor = case.protocol.items[spec.item].unit.factor;
        let base = if case.clean.is_some() { case.clean_env } else { case.reported_env };
        let f = |x: f64| {
            let tried = replaced(base, item, at, case.protocol.items[item].to_si(x));
            let from = Tried::with(base, item, &tried);
            (case.value_of)(&spec.node, from, case.out).map(|v| self.in_unit(v, 1.0 / factor))
        };
        solve(&f, value, case.reported)
    }

    /// Any other value of the scale, where other results that do not fit use the reading as well:
    /// several that ask for one value need no near miss.
    ///
    /// The value is moved to the nearest graduation if that still gives R. Its prior is a step over
    /// the plausible range: any of the scale's values is as likely.
    fn any_value(&mut self, used: &Used<'_>, r: ReadingId, target: f64, reach: f64) {
        let case = self.case;
        let spec = &case.protocol.readings[r];
        let Some((low, high)) = spec.plausible.filter(|(low, high)| target >= *low && target <= *high) else { return };
        if case.beside.others_odd(used.item) == 0 {
            return;
        }
        let step = case.protocol.step(spec).filter(|s| *s > 0.0).unwrap_or(used.cell.resolution).max(1e-300);
        let marked = (target / step).round() * step;
        let value = if (marked - target).abs() <= reach.max(0.5 * step) { marked } else { target };
        // A reading of nought is one that was forgotten.
        if value == 0.0 {
            return;
        }
        let kind = (SlipKind::ReadingMistyped, Some(Edit::Any));
        self.counts.insert(kind, 1);
        self.copied(used, (value, Edit::Any), (step / (high - low)).min(1.0), &OnceCell::new());
    }

    /// The sheet is right, and `x` went into this calculation. `said` is what the table says to
    /// `x`, worked out when first asked.
    ///
    /// `x` is in the reading's unit. Where a whole column was worked out with one wrong number, its
    /// other rows speak for the story; they do not speak for it where each row has a reading of its
    /// own.
    fn keyed(&mut self, used: &Used<'_>, x: f64, edit: Edit, said: &OnceCell<Said>) {
        let case = self.case;
        let (clean, reported) = self.with_item(used.item, used.at, x);
        let item = used.item;
        let story = || Story {
            kind: SlipKind::ReadingMiskeyed,
            subject: Some(item),
            clause: Clause::Keyed(used.taken_as(x)),
            edit: Some(edit),
            ..Story::default()
        };
        let before = self.fitting.len();
        self.consider(story, clean, reported, |_| case.envelope);
        // The rows of a column are one calculation: a single reading that went into them wrongly went into all of them.
        let throughout = case.row.is_some() && case.protocol.items[item].rows == Shape::Scalar;
        if let Some(h) = self.fitting.get_mut(before).filter(|_| throughout) {
            h.sisters = said.get_or_init(|| case.beside.misread(&[(item, used.cell.row, x)])).own.max(0.0);
        }
    }

    /// The sheet is wrong, and everything was worked out with `x`.
    ///
    /// A reading that a person says is right is not doubted again. `prior` is what the story's
    /// share of its kind is multiplied by.
    fn copied(&mut self, used: &Used<'_>, (x, edit): (f64, Edit), prior: f64, said: &OnceCell<Said>) {
        let case = self.case;
        if case.refuted.contains(&(used.item, used.cell.row)) {
            return;
        }
        let (clean, reported) = self.with_item(used.item, used.at, x);
        let (item, row) = (used.item, used.cell.row);
        let story = || Story {
            kind: SlipKind::ReadingMistyped,
            subject: Some(item),
            clause: Clause::Copied(used.taken_as(x)),
            repair: Some(Repair { cells: vec![(item, row, x)], act: None }),
            edit: Some(edit),
            prior,
            ..Story::default()
        };
        let before = self.fitting.len();
        self.consider(story, clean, reported, |_| case.envelope);
        if let Some(h) = self.fitting.get_mut(before) {
            h.joint = said.get_or_init(|| case.beside.misread(&[(item, row, x)])).whole();
        }
    }
}

/// Readings that a slip of the pen turns into the one written: digits swapped, one digit wrong, the
/// decimal point moved.
///
/// `number` is as written, `value` the same in the reading's unit. The values found have that unit
/// too. For n digits there are at most n − 1 + 9n + 4 of them; none for a fraction or more than
/// twelve digits.
pub(super) fn near_misses(number: &Number, value: f64) -> Vec<(f64, Edit)> {
    if number.fraction {
        return Vec::new();
    }
    // The written digits as one whole number, so that an edit is a sum.
    let whole: Vec<i64> = number.digits.bytes().filter(u8::is_ascii_digit).map(|d| i64::from(d - b'0')).collect();
    let n = whole.len();
    if n > 12 {
        return Vec::new();
    }
    let weight = |i: usize| 10i64.pow((n - 1 - i) as u32);
    let total: i64 = whole.iter().enumerate().map(|(i, d)| d * weight(i)).sum();
    let unit = power_of_ten(number.last_place) * number.value.signum() * (value / number.value);
    let mut out = Vec::with_capacity(10 * n);
    for i in 0..n.saturating_sub(1) {
        let (a, b) = (whole[i], whole[i + 1]);
        if a != b {
            out.push(((total + (b - a) * weight(i) + (a - b) * weight(i + 1)) as f64 * unit, Edit::Swapped));
        }
    }
    for (i, d) in whole.iter().enumerate() {
        let others = (0..10).filter(|e| e != d);
        out.extend(others.map(|e| ((total + (e - d) * weight(i)) as f64 * unit, Edit::Digit)));
    }
    out.extend([1, -1, 2, -2].map(|p| (total as f64 * unit * power_of_ten(p), Edit::Point)));
    // A reading of nought is one that was forgotten.
    out.retain(|(x, _)| *x != 0.0);
    out
}

/// The x near `start` where f(x) = target, with f′ there; `None` where f does not depend on x or is
/// not tame.
///
/// The secant rule, twelve steps at most, from `start` and a thousandth beside it. The value may
/// not leave a thousandfold of the start: a story that asks for that is no slip of the pen.
fn solve(f: &dyn Fn(f64) -> Option<f64>, start: f64, target: f64) -> Option<(f64, f64)> {
    let (mut x0, mut y0) = (start, f(start)? - target);
    let mut x1 = start * (1.0 + 1e-3);
    let mut slope = 0.0;
    for _ in 0..12 {
        let y1 = f(x1)? - target;
        slope = (y1 - y0) / (x1 - x0);
        if slope == 0.0 || !slope.is_finite() {
            return None;
        }
        let next = x1 - y1 / slope;
        if !next.is_finite() || next.abs() > 1e3 * start.abs() {
            return None;
        }
        (x0, y0) = (x1, y1);
        if (next - x1).abs() <= 1e-10 * x1.abs() {
            return Some((next, slope));
        }
        x1 = next;
    }
    Some((x1, slope)).filter(|_| y0.abs() <= 1e-6 * target.abs())
}
