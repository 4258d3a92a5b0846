//! How well a sheet goes together, whatever its team worked out from it: every rule that readings
//! have to keep, judged with the clean values. A story that alters the sheet is weighed by what
//! becomes of these.
//!
//! A story that alters a reading has to pay for what it breaks: a trend that turns back, a point
//! that leaves its line, a value beyond the scale. Each misfit of r limits costs up to 2r², and
//! never more than one broken rule does.

use super::super::sheet::{Sheet, Stage};
use super::super::table::Table;
use super::super::values::reference_entry;
use super::super::{off_the_line, relations};
use crate::finding::{Findings, Kind};
use crate::protocol::{Protocol, ReadingSpec, Rule};
use crate::verdict::JudgedCell;

/// The least that one broken rule can weigh: nobody's apparatus is beyond surprise.
///
/// The same for all rules, since a rule that is broken says only that something is wrong.
const BROKEN: f64 = 0.02;

/// ln max(0.02, exp(−2r²)) of a misfit of r limits, a limit being two standard uncertainties.
///
/// A limit is where a test would raise its hand; half of it costs 0.5.
fn graded(r: f64) -> f64 {
    let r = if r.is_finite() { r } else { 10.0 };
    (-2.0 * r * r).max(BROKEN.ln())
}

/// ln of the evidence of a table worked out as `sheet`; only differences between two sheets of one
/// table mean anything.
///
/// `table` has to be as `sheet` was worked out from it.
pub(super) fn evidence(stage: Stage<'_>, table: &Table, sheet: &Sheet) -> f64 {
    let Stage { protocol, .. } = stage;
    let mut list = Vec::new();
    let mut found = Findings::onto(&mut list);
    let points = off_the_line::points(protocol, &sheet.clean, &sheet.out, &sheet.propagated, &mut found);
    let checks = relations::checks(protocol, &sheet.out, &sheet.clean, &sheet.propagated, &mut found);
    let apart = relations::apart(protocol, &sheet.out, &sheet.propagated);
    let broken: usize = sheet.list.iter().map(|f| broken(&f.kind)).sum();
    let cells = protocol.readings.iter().zip(&table.readings).flat_map(|(s, r)| r.cells.iter().map(move |c| (s, c)));
    let odd = cells.filter(|(s, c)| !possible(protocol, s, c)).count();
    // A check that is a condition and does not hold has no measure of its own.
    let conditions = list.iter().filter(|f| matches!(f.kind, Kind::Check { off: None, .. })).count();
    let tests = sheet.outliers.iter().chain(&points).map(|t| graded(t.statistic / t.critical)).sum::<f64>();
    let graded_checks = checks.iter().map(|c| graded(c.value)).sum::<f64>();
    (broken + odd + conditions) as f64 * BROKEN.ln()
        + tests
        + graded_checks
        + apart.into_iter().map(graded).sum::<f64>()
        + references(stage, table, sheet)
}

/// How many rules a finding says are broken; what is graded, or only typed, counts elsewhere.
///
/// Each step that goes back, or is not of its plan, counts by itself.
fn broken(kind: &Kind) -> usize {
    match kind {
        Kind::Trend { steps, .. } => steps.len(),
        Kind::StepOffPlan { steps } => steps.len(),
        Kind::DoesNotFollow { .. } | Kind::DoesNotAddUp { .. } | Kind::NotConcordant | Kind::Misread { .. } => 1,
        _ => 0,
    }
}

/// Whether a cell's value, as the story has it, lies in its plausible range and on its instrument's
/// scale and graduation.
///
/// A cell without a value is possible.
fn possible(protocol: &Protocol, spec: &ReadingSpec, cell: &JudgedCell) -> bool {
    let Some(value) = cell.repaired.or(cell.value) else { return true };
    let within = |(low, high): (f64, f64)| value >= low && value <= high;
    let tool = spec.instrument.map(|i| &protocol.instruments[i]);
    let shown = tool.map(|t| protocol.items[spec.item].to_si(value) / t.unit.factor);
    let on_scale = tool
        .and_then(|t| Some((t.range?, t.step)))
        .zip(shown)
        .is_none_or(|((range, step), shown)| shown >= range.0 - 0.5 * step && shown <= range.1 + 0.5 * step);
    let step = protocol.step(spec).filter(|s| *s > 0.0);
    let estimated = if tool.is_some_and(|t| t.estimated) { 10.0 } else { 1.0 };
    let on_mark = step.is_none_or(|s| {
        let marks = value / s * estimated;
        (marks - marks.round()).abs() <= 1e-6
    });
    spec.plausible.is_none_or(within) && on_scale && on_mark
}

/// What the references that the rubric compares with say.
///
/// Accuracy is a hint too: a density of 79.2 where brass has 8.4 is likelier a slip than a
/// measurement.
fn references(stage: Stage<'_>, table: &Table, sheet: &Sheet) -> f64 {
    let Stage { protocol, submission, .. } = stage;
    let mut sum = 0.0;
    for criterion in &protocol.criteria {
        let Rule::Accuracy { result, reference, .. } = &criterion.rule else { continue };
        let spec = &protocol.results[*result];
        let Some(value) = sheet.clean[spec.item].as_ref().and_then(|v| v.scalar()) else { continue };
        let Some(entry) = reference_entry(protocol, *reference, submission, table, &sheet.measured, None) else {
            continue;
        };
        let budget = sheet.propagated.budgets[*result].first().and_then(Option::as_ref);
        let own = budget.map_or(0.0, |b| b.standard) * protocol.items[spec.item].unit.factor;
        let off = (value - value.clamp(entry.low, entry.high)).abs();
        let room = 2.0 * own.hypot(entry.uncertainty).max(0.005 * entry.middle().abs());
        if off > 0.0 && room > 0.0 {
            sum += graded(off / room);
        }
    }
    sum
}
