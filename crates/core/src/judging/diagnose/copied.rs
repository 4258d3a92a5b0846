//! Readings that were copied into the table wrongly, while the calculation used the right ones.

use super::super::values::put;
use super::maker::{Maker, Story};
use crate::notation;
use crate::protocol::{ReadingKind, SlipKind};
use crate::quantity::power_of_ten;
use crate::reading::Number;
use crate::verdict::JudgedCell;

impl Maker<'_> {
    /// One reading mistyped in the sheet while the calculation used the right one: solved for the reading that would
    /// give R, and kept if that is a near miss of the one written.
    pub(super) fn mistyped_readings(&mut self) {
        let case = self.case;
        let spec = &case.protocol.results[case.index];
        let factor = case.protocol.items[spec.item].unit.factor;
        for (item, r, row, cell) in self.readings_used() {
            if case.protocol.readings[r].kind != ReadingKind::Number {
                continue;
            }
            let Some(written) = case.readings[r].cells.get(cell) else { continue };
            if case.refuted.contains(&(item, written.row)) {
                continue;
            }
            let (Some(value), Some(number)) = (written.value.filter(|_| written.counts), &written.number) else {
                continue;
            };
            if value == 0.0 || number.value == 0.0 {
                continue;
            }
            let mut near = near_misses(number, value);
            // A scale read downwards: 22.6 taken for 23.4, mirrored between two marks.
            let down = case.protocol.readings[r].instrument.is_some_and(|i| case.protocol.instruments[i].reads_down);
            if down && value.fract() != 0.0 {
                near.push(2.0 * value.floor() + 1.0 - value);
            }
            *self.counts.entry(SlipKind::ReadingMistyped).or_default() += near.len();
            let base = if case.clean.is_some() { case.clean_env } else { case.reported_env };
            // One environment for all trials of this reading: only its own value moves.
            let scratch = std::cell::RefCell::new(base.clone());
            let f = |x: f64| {
                let mut env = scratch.borrow_mut();
                put(&mut env, item, row, case.protocol.items[item].to_si(x));
                (case.value_of)(&spec.node, &env, case.out).map(|v| self.in_unit(v, 1.0 / factor))
            };
            let Some((target, slope)) = solve(&f, value, case.reported) else { continue };
            let reach = 2.0 * case.width / slope.abs() + 1e-9 * target.abs();
            let hits: Vec<f64> = near.into_iter().filter(|x| (x - target).abs() <= reach).collect();
            for x in hits {
                self.meant(item, row, written, x);
            }
        }
    }

    /// Weighs one reading that was meant as `x`, in its unit, and copied otherwise.
    fn meant(&mut self, item: usize, row: Option<usize>, written: &JudgedCell, x: f64) {
        let case = self.case;
        let spec = &case.protocol.results[case.index];
        let (clean, reported) = self.both(
            &spec.node,
            1.0 / case.protocol.items[spec.item].unit.factor,
            &self.with(case.clean_env, item, row, x),
            &self.with(case.reported_env, item, row, x),
            case.out,
        );
        let it = &case.protocol.items[item];
        let place =
            written.row.map_or_else(|| format!("the {}", it.title), |n| format!("reading {n} of the {}", it.title));
        let shown = notation::to_place(x, crate::quantity::leading_place(written.resolution.max(1e-300)));
        let story = || Story {
            kind: SlipKind::ReadingMistyped,
            variant: None,
            subject: Some(item),
            says: format!(
                "{place} was {shown}{} and was copied into the table as {}",
                it.unit_after(),
                written.text.trim()
            ),
            repair: Some((item, written.row, x)),
        };
        // Counted before with all that were generated.
        if let Some(n) = self.counts.get_mut(&SlipKind::ReadingMistyped) {
            *n -= 1;
        }
        self.add(story, SlipKind::ReadingMistyped, clean, reported, |_| case.envelope);
    }
}

/// Readings that a slip of the pen turns into the one written: digits swapped, one digit wrong, the decimal point moved.
fn near_misses(number: &Number, value: f64) -> Vec<f64> {
    if number.fraction {
        return Vec::new();
    }
    let scale = value / number.value;
    let digits = number.digits.as_bytes();
    let positions: Vec<usize> = (0..digits.len()).filter(|i| digits[*i].is_ascii_digit()).collect();
    if positions.len() > 12 {
        return Vec::new();
    }
    // The written digits as one whole number, so that an edit is a sum.
    let whole: Vec<i64> = positions.iter().map(|i| i64::from(digits[*i] - b'0')).collect();
    let n = whole.len();
    let weight = |i: usize| 10i64.pow((n - 1 - i) as u32);
    let total: i64 = whole.iter().enumerate().map(|(i, d)| d * weight(i)).sum();
    let unit = power_of_ten(number.last_place) * number.value.signum() * scale;
    let mut out = Vec::with_capacity(10 * n);
    for i in 0..n.saturating_sub(1) {
        let (a, b) = (whole[i], whole[i + 1]);
        if a != b {
            out.push((total + (b - a) * weight(i) + (a - b) * weight(i + 1)) as f64 * unit);
        }
    }
    for (i, d) in whole.iter().enumerate() {
        out.extend((0..10).filter(|e| e != d).map(|e| (total + (e - d) * weight(i)) as f64 * unit));
    }
    out.extend([1, -1, 2, -2].map(|p| total as f64 * unit * power_of_ten(p)));
    out
}

/// The x near `start` where f(x) = target, with f′ there; `None` where f does not depend on x or is not tame.
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
