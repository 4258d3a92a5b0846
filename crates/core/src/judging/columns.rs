//! What is judged about columns of a table: how many rows, the grid, steps and their plan, rising
//! and falling, start readings that continue from the row above, running sums, and when the team
//! stopped.
//!
//! | what | asks | severity |
//! |---|---|---|
//! | rows | more than the table has; a key that is not said or not the lab's | note, decide |
//! | grid | a displayed value that was to be set and was not | charge |
//! | stopped | the rule by which to stop was met | decide |
//! | trend | a column that rises or falls throughout | decide |
//! | plan | each step is the size that the plan has for it | note |
//! | follows | the start of a row is the end of the row before | decide |
//! | sums | a running sum is what its parts add up to | decide |
//!
//! Only what the lab states is asked. Values are compared in the unit of their column, with the
//! limit of its instrument or half a step of its scale as room.

use super::readings::{column, completeness, lost_rows};
use super::table::Table;
use super::values::{Env, Out, within};
use crate::finding::{Finding, Findings, Key, Kind, OffPlan, Place, Severity};
use crate::formula::{Context, evaluate_any};
use crate::protocol::{PlannedStep, Protocol, ReadingSpec, TableId};
use crate::row::Row;
use crate::section::{Section, Source};
use crate::stats::concordance;
use crate::verdict::JudgedReading;

/// Judges every table and every column that has an order.
///
/// `env` holds the clean values. Readings that were issued to everybody are not asked when they
/// stopped.
pub(super) fn check(protocol: &Protocol, section: &Section, table: &Table, env: &Env, found: &mut Findings<'_>) {
    for t in TableId::each(&protocol.tables) {
        rows(protocol, table, t, found);
        grid(protocol, table, t, env, found);
        if section.readings == Source::Own {
            stopped(protocol, t, env, found);
        }
    }
    for (spec, reading) in protocol.readings.iter().zip(&table.readings) {
        let c = Column { protocol, spec, reading, env };
        c.trend(found);
        c.plan(found);
        c.follows(found);
        c.sums(found);
    }
}

/// Tells how many rows a table has where that is more than it asks for, and every row whose key is
/// not said or not one of the lab's. Too few rows are not told here: each cell that has to be
/// filled and is not is a finding of its own.
///
/// A row that is wholly empty is told as a missing row, and not for its key as well.
fn rows(protocol: &Protocol, table: &Table, t: TableId, found: &mut Findings<'_>) {
    let (spec, rows) = (&protocol.tables[t], &table.rows[t]);
    // Too few are cells that are missing, each told as that.
    if rows.there > rows.most {
        let kind = Kind::MoreRows { table: t, there: rows.there, asked: rows.most };
        let key = Key::about(&kind, &spec.id, None);
        found.push(Finding::new(kind, key, Severity::Note, Place::TABLE));
    }
    let Some(key) = spec.key.map(|k| &protocol.keys[k]) else { return };
    let lost = lost_rows(protocol, table, t);
    for (i, value) in rows.keys.iter().enumerate() {
        let row = Row::at(i);
        // A row that is not there names nothing.
        if value.is_none() && lost.iter().any(|(n, _)| *n == row) {
            continue;
        }
        let kind = match value {
            None => Kind::KeyMissing { table: t },
            Some(v) if !key.values.contains(v) => Kind::KeyUnknown { table: t, value: v.clone() },
            Some(_) => continue,
        };
        let key = Key::about(&kind, &spec.id, Some(row));
        found.push(Finding::new(kind, key, Severity::Decide, Place::row(row)));
    }
}

/// The displayed value nearest to each nominal one counts; one that is not there is missing, at an
/// end of the range only noted where a reason is given.
///
/// Of rows that are lost and values that are missing as many are charged as are the greater number:
/// a row that was never taken is one fault, and the grid's gap is told beside it for nothing.
fn grid(protocol: &Protocol, table: &Table, t: TableId, env: &Env, found: &mut Findings<'_>) {
    let Some(grid) = &protocol.tables[t].grid else { return };
    let item = &protocol.items[grid.column];
    let values: Vec<f64> = column(protocol, env, grid.column).into_iter().flatten().collect();
    if values.is_empty() {
        return;
    }
    let (low, high) = grid.values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(*v), h.max(*v)));
    let excused = is_excused(protocol, table, t);
    // A row that is not there at all is missing already.
    let mut lost = lost_rows(protocol, table, t).len();
    let there = |n: f64| values.iter().any(|v| within(v - n, grid.within, grid.within, *v, n));
    for nominal in grid.values.iter().copied().filter(|n| !there(*n)) {
        let at_end = nominal == low || nominal == high;
        let named = |kind: Kind, severity| {
            let key = Key::of_cell(&kind, &item.id, None);
            Finding::new(kind, key, severity, Place::of(grid.column, None))
        };
        let told = lost > 0;
        lost = lost.saturating_sub(1);
        let missing = Kind::GridMissing { table: t, nominal };
        found.push(match (at_end && excused, told) {
            (true, _) => named(Kind::GridLeft { table: t, nominal }, Severity::Note),
            (_, true) => named(missing, Severity::Note),
            _ => named(missing, Severity::Charge).charged(completeness(protocol)),
        });
    }
}

/// Whether the team says of any cell of the table why it is empty or left out.
///
/// A reason anywhere in the table is enough: teams write it once.
fn is_excused(protocol: &Protocol, table: &Table, t: TableId) -> bool {
    protocol.readings.iter().zip(&table.readings).filter(|(s, _)| s.table == Some(t)).any(|(_, r)| {
        r.cells.iter().any(|c| c.absent.is_some() || c.excluded.as_deref().is_some_and(|e| !e.is_empty()))
    })
}

/// Tells a table that ends before its rule to stop is met: the column has not passed its mark, and
/// its last rows still move by more than the rule calls flat. Values are in the column's unit, in
/// the order of the rows.
///
/// Any of the lab's rules is enough: a mark that was passed, a tail that is flat, values that
/// agree.
fn stopped(protocol: &Protocol, t: TableId, env: &Env, found: &mut Findings<'_>) {
    let spec = &protocol.tables[t];
    let Some(stop) = &spec.stop else { return };
    let values: Vec<f64> = column(protocol, env, stop.column).into_iter().flatten().collect();
    let (Some(first), Some(last)) = (values.first(), values.last()) else { return };
    let reached = stop.at.is_some_and(|at| if *first <= at { *last >= at } else { *last <= at });
    let flat = stop.flat.is_some_and(|(rows, width)| {
        values.len() >= rows && {
            let tail = &values[values.len() - rows..];
            let spread = tail.iter().copied().fold(f64::NEG_INFINITY, f64::max)
                - tail.iter().copied().fold(f64::INFINITY, f64::min);
            within(spread, width, width, *last, *last)
        }
    });
    let agreed = stop.agree.is_some_and(|(rows, tolerance)| {
        let about = |middle: f64| tolerance.about(middle);
        concordance(&values, about, 1e-9 * last.abs().max(1e-12)).is_some_and(|set| set.kept.len() >= rows)
    });
    if reached || flat || agreed {
        return;
    }
    let kind = Kind::StoppedEarly { table: t, last: *last };
    found.push(Finding::about(kind, Severity::Decide, (stop.column, &spec.id), None));
}

/// It is made for each reading; those without an order have nothing to be asked.
struct Column<'a> {
    /// States plans, sums and rules to stop; what it does not state is not asked.
    protocol: &'a Protocol,
    /// The reading as the lab has it.
    spec: &'a ReadingSpec,
    /// The reading as judged.
    reading: &'a JudgedReading,
    /// Clean values, SI.
    env: &'a Env,
}

impl Column<'_> {
    /// Pairs of neighbouring rows with their values: (row number of the later one, before, after).
    ///
    /// Pairs with a gap between them are no steps.
    fn steps(&self) -> Vec<(Row, f64, f64)> {
        let values = column(self.protocol, self.env, self.spec.item);
        values
            .windows(2)
            .enumerate()
            .filter_map(|(i, w)| Some((self.reading.cells.get(i + 1)?.row?, w[0]?, w[1]?)))
            .collect()
    }

    /// A finding about the column, or one of its rows.
    fn finding(&self, kind: Kind, severity: Severity, row: Option<Row>) -> Finding {
        Finding::about(kind, severity, (self.spec.item, &self.protocol.items[self.spec.item].id), row)
    }

    /// Whether the team says why a row, from 1, is empty or left out; what is explained is no break
    /// in the column.
    ///
    /// A row that was left out by the team needs a reason for this; an empty one always has a
    /// reason of its own.
    fn excused(&self, row: Row) -> bool {
        let cell = self.reading.cells.iter().find(|c| c.row == Some(row));
        cell.is_some_and(|c| c.absent.is_some() || c.excluded.as_deref().is_some_and(|e| !e.is_empty()))
    }

    /// Tells the rows at which a column that should rise (or fall) throughout goes back by more
    /// than its instrument may be off. The limit is the instrument's, in the reading's unit;
    /// without one every step back counts.
    ///
    /// All rows that go back are one finding, since they mostly have one cause.
    fn trend(&self, found: &mut Findings<'_>) {
        let Some(rising) = self.spec.trend else { return };
        // What an instrument may be off by is no step back.
        let limit = self.spec.instrument.and_then(|i| self.protocol.instruments[i].limit).unwrap_or(0.0);
        let back = |a: f64, b: f64| if rising { a - b } else { b - a };
        let steps: Vec<(Row, f64, f64)> = self
            .steps()
            .into_iter()
            .filter(|(row, a, b)| back(*a, *b) > limit * (1.0 + 1e-9) && !self.excused(*row))
            .collect();
        if !steps.is_empty() {
            found.push(self.finding(Kind::Trend { rising, steps }, Severity::Decide, None));
        }
    }

    /// Tells the rows at which the steps of a column are not those of its plan, in the reading's
    /// unit and within half a step of its scale.
    ///
    /// A plan may hang on what was seen in the row before: steps of 1 mL until the colour changes,
    /// then of 0.1.
    fn plan(&self, found: &mut Findings<'_>) {
        if self.spec.steps.is_empty() {
            return;
        }
        let steps: Vec<OffPlan> = self
            .steps()
            .into_iter()
            .filter(|(row, ..)| !self.excused(*row))
            .filter_map(|(row, a, b)| {
                let plan = self.planned(row)?;
                let fine = within((b - a) - plan.size, plan.tolerance, plan.tolerance, a, b);
                (!fine).then_some(OffPlan { row, by: b - a, size: plan.size, tolerance: plan.tolerance })
            })
            .collect();
        if !steps.is_empty() {
            found.push(self.finding(Kind::StepOffPlan { steps }, Severity::Note, None));
        }
    }

    /// The plan for the step that ends in this row (from 1): what was seen in the row before
    /// decides, or, for a condition on differences, the step before it.
    ///
    /// `None` where no line of the plan holds, or where the row before does not say.
    fn planned(&self, row: Row) -> Option<&PlannedStep> {
        let out = Out::new();
        self.spec.steps.iter().find(|s| {
            let Some(condition) = &s.condition else { return true };
            let longest = self.protocol.items[self.spec.item].rows;
            let back = if condition.shape == longest { 2 } else { 3 };
            let Some(at) = (row.number() as usize).checked_sub(back) else { return false };
            let holds = evaluate_any(condition, &Context::without(self.env, &out));
            holds.is_ok_and(|v| v.at(Some(at)).is_some_and(|t| *t != 0.0))
        })
    }

    /// A start reading is the end reading of the row above, unless it was refilled: then it is
    /// nearer to the start of the scale than that.
    fn follows(&self, found: &mut Findings<'_>) {
        let Some(end) = self.spec.follows else { return };
        let (starts, ends) = (column(self.protocol, self.env, self.spec.item), column(self.protocol, self.env, end));
        for (i, (start, before)) in starts.iter().skip(1).zip(&ends).enumerate() {
            let (Some(start), Some(before)) = (start, before) else { continue };
            let row = Row::at(i + 1);
            let cell = self.reading.cells.get(i + 1);
            let half = cell.map_or(0.0, |c| 0.5 * c.resolution);
            let refilled = start.abs() < 0.5 * before.abs();
            if within(start - before, half, half, *start, *before) || refilled || self.excused(row) {
                continue;
            }
            let kind = Kind::DoesNotFollow { start: *start, before: *before };
            found.push(self.finding(kind, Severity::Decide, Some(row)));
        }
    }

    /// Tells the rows in which a running total is not the sum of its portions so far, within half a
    /// resolution of each of the cells that went into it. A gap in the portions ends the
    /// comparison: what follows it has no sum.
    fn sums(&self, found: &mut Findings<'_>) {
        let Some(portions) = self.spec.sums else { return };
        let (totals, parts) =
            (column(self.protocol, self.env, self.spec.item), column(self.protocol, self.env, portions));
        let mut sum = Some(0.0);
        for (i, (total, part)) in totals.iter().zip(&parts).enumerate() {
            sum = sum.zip(*part).map(|(s, p)| s + p);
            let (Some(total), Some(expected)) = (total, sum) else { continue };
            let half = self.reading.cells.get(i).map_or(0.0, |c| 0.5 * c.resolution);
            if within(total - expected, half, half, *total, expected) {
                continue;
            }
            let row = Row::at(i);
            // One finding for the column: the rows after the first are told by it.
            let kind = Kind::DoesNotAddUp { total: *total, expected };
            let first = self.finding(kind, Severity::Decide, None);
            found.push(Finding { place: Place::of(self.spec.item, Some(row)), ..first });
            // What follows from it is told by it; from here on the sum is what the team wrote.
            sum = Some(*total);
        }
    }
}
