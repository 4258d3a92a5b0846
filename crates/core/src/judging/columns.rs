//! What is judged about columns of a table: how many rows, the grid, steps and their plan, rising and falling, start
//! readings that continue from the row above, running sums, and when the team stopped.

use super::findings::Findings;
use super::readings::{column, completeness};
use super::table::Table;
use super::values::{Env, Out, within};
use crate::formula::{Context, evaluate_any};
use crate::notation::{self, capital};
use crate::protocol::{PlannedStep, Protocol, ReadingSpec, Tolerance};
use crate::section::{Section, Source};
use crate::stats::concordance;
use crate::verdict::{Finding, JudgedReading, Severity};

/// Judges every table and every column that has an order.
pub(super) fn check(protocol: &Protocol, section: &Section, table: &Table, env: &Env, found: &mut Findings<'_>) {
    for t in 0..protocol.tables.len() {
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

fn rows(protocol: &Protocol, table: &Table, t: usize, found: &mut Findings<'_>) {
    let (spec, rows) = (&protocol.tables[t], &table.rows[t]);
    // Too few are cells that are missing, each told as that.
    if rows.there > rows.most {
        found.push(Finding {
            says: format!("{} has {} rows; the protocol asks for {}.", capital(&spec.title), rows.there, rows.most),
            ..Findings::blank("rows-more", format!("rows-more:{}", spec.id), Severity::Note, None, None)
        });
    }
    let Some(key) = spec.key.map(|k| &protocol.keys[k]) else { return };
    for (i, value) in rows.keys.iter().enumerate() {
        let row = i as u32 + 1;
        match value {
            None => found.push(Finding {
                says: format!("Row {row} of the {} names no {}.", spec.title, key.title.to_lowercase()),
                tells: format!(
                    "Please write which {} row {row} of the {} belongs to.",
                    key.title.to_lowercase(),
                    spec.title
                ),
                ..Findings::blank(
                    "key-missing",
                    format!("key-missing:{}:{row}", spec.id),
                    Severity::Decide,
                    None,
                    Some(row),
                )
            }),
            Some(v) if !key.values.contains(v) => found.push(Finding {
                says: format!(
                    "Row {row} of the {} names the {} “{v}”, which is none of {}.",
                    spec.title,
                    key.title.to_lowercase(),
                    key.values.join(", ")
                ),
                tells: format!(
                    "“{v}” in row {row} of the {} is no {} of this lab.",
                    spec.title,
                    key.title.to_lowercase()
                ),
                ..Findings::blank(
                    "key-unknown",
                    format!("key-unknown:{}:{row}", spec.id),
                    Severity::Decide,
                    None,
                    Some(row),
                )
            }),
            Some(_) => {}
        }
    }
}

/// The displayed value nearest to each nominal one counts; one that is not there is missing, at an end of the range
/// only noted where a reason is given.
fn grid(protocol: &Protocol, table: &Table, t: usize, env: &Env, found: &mut Findings<'_>) {
    let Some(grid) = &protocol.tables[t].grid else { return };
    let item = &protocol.items[grid.column];
    let values: Vec<f64> = column(protocol, env, grid.column).into_iter().flatten().collect();
    if values.is_empty() {
        return;
    }
    let (low, high) = grid.values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(*v), h.max(*v)));
    let excused = protocol
        .readings
        .iter()
        .zip(&table.readings)
        .filter(|(s, _)| s.table == Some(t))
        .any(|(_, r)| r.cells.iter().any(|c| c.excluded.as_deref().is_some_and(|e| !e.is_empty())));
    for nominal in &grid.values {
        if values.iter().any(|v| within(v - nominal, grid.within, grid.within, *v, *nominal)) {
            continue;
        }
        let at_end = *nominal == low || *nominal == high;
        let (criterion, cost) = completeness(protocol);
        let key = format!("grid:{}:{nominal}", item.id);
        let says =
            format!("No {} near {nominal}{} is in the {}.", item.title, item.unit_after(), protocol.tables[t].title);
        found.push(if at_end && excused {
            Finding {
                says: format!("{says} A reason is given."),
                ..Findings::blank("grid-left", key, Severity::Note, Some(grid.column), None)
            }
        } else {
            Finding {
                tells: format!("The setting near {nominal}{} of the {} is not there.", item.unit_after(), item.title),
                says,
                criterion,
                cost,
                ..Findings::blank("grid-missing", key, Severity::Charge, Some(grid.column), None)
            }
        });
    }
}

fn stopped(protocol: &Protocol, t: usize, env: &Env, found: &mut Findings<'_>) {
    let spec = &protocol.tables[t];
    let Some(stop) = &spec.stop else { return };
    let item = &protocol.items[stop.column];
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
    let mut ends: Vec<String> = Vec::new();
    if let Some(at) = stop.at {
        ends.push(format!("{} {at}{}", item.title, item.unit_after()));
    }
    if let Some((rows, width)) = stop.flat {
        ends.push(format!("{rows} rows within {width}{}", item.unit_after()));
    }
    if let Some((rows, tolerance)) = stop.agree {
        ends.push(match tolerance {
            Tolerance::Within(w) => format!("{rows} rows within {w}{}", item.unit_after()),
            Tolerance::Percent(p) => format!("{rows} rows within {p} %"),
        });
    }
    found.push(Finding {
        says: format!("The {} ends at {last}{}, before {}.", spec.title, item.unit_after(), ends.join(" or ")),
        tells: format!(
            "Your {} stops at {last}{}; it should go on until {}.",
            spec.title,
            item.unit_after(),
            ends.join(" or ")
        ),
        ..Findings::blank(
            "stopped-early",
            format!("stopped-early:{}", spec.id),
            Severity::Decide,
            Some(stop.column),
            None,
        )
    });
}

struct Column<'a> {
    protocol: &'a Protocol,
    spec: &'a ReadingSpec,
    reading: &'a JudgedReading,
    env: &'a Env,
}

impl Column<'_> {
    /// Pairs of neighbouring rows with their values: (row number of the later one, before, after).
    fn steps(&self) -> Vec<(u32, f64, f64)> {
        let values = column(self.protocol, self.env, self.spec.item);
        values
            .windows(2)
            .enumerate()
            .filter_map(|(i, w)| Some((self.reading.cells.get(i + 1)?.row?, w[0]?, w[1]?)))
            .collect()
    }

    fn excused(&self, row: u32) -> bool {
        let cell = self.reading.cells.iter().find(|c| c.row == Some(row));
        cell.is_some_and(|c| c.excluded.as_deref().is_some_and(|e| !e.is_empty()))
    }

    fn trend(&self, found: &mut Findings<'_>) {
        let Some(rising) = self.spec.trend else { return };
        let item = &self.protocol.items[self.spec.item];
        let wrong: Vec<String> = self
            .steps()
            .into_iter()
            .filter(|(row, a, b)| if rising { b < a } else { b > a } && !self.excused(*row))
            .map(|(row, a, b)| format!("{a} to {b} at row {row}"))
            .collect();
        if wrong.is_empty() {
            return;
        }
        let word = if rising { "rise" } else { "fall" };
        found.push(Finding {
            says: format!("The {} should {word} down the rows and does not: {}.", item.title, wrong.join(", ")),
            tells: format!("The {} should {word} from row to row; please look at {}.", item.title, wrong.join(", ")),
            ..Findings::blank("trend", format!("trend:{}", item.id), Severity::Decide, Some(self.spec.item), None)
        });
    }

    fn plan(&self, found: &mut Findings<'_>) {
        if self.spec.steps.is_empty() {
            return;
        }
        let item = &self.protocol.items[self.spec.item];
        let off: Vec<String> = self
            .steps()
            .into_iter()
            .filter(|(row, ..)| !self.excused(*row))
            .filter_map(|(row, a, b)| {
                let plan = self.planned(row)?;
                let fine = within((b - a) - plan.size, plan.tolerance, plan.tolerance, a, b);
                let told = || {
                    let (by, size, tolerance) = (notation::figures(b - a, 3), plan.size, plan.tolerance);
                    format!("{by} at row {row}, planned {size} ± {tolerance}")
                };
                (!fine).then(told)
            })
            .collect();
        if off.is_empty() {
            return;
        }
        found.push(Finding {
            says: format!(
                "Steps of the {} off the plan{}: {}.",
                item.title,
                if item.unit_after().is_empty() { String::new() } else { format!(" in{}", item.unit_after()) },
                off.join("; ")
            ),
            ..Findings::blank(
                "step-off-plan",
                format!("step-off-plan:{}", item.id),
                Severity::Note,
                Some(self.spec.item),
                None,
            )
        });
    }

    /// The plan for the step that ends in this row (from 1): what was seen in the row before decides, or, for a condition
    /// on differences, the step before it.
    fn planned(&self, row: u32) -> Option<&PlannedStep> {
        let out = Out::new();
        self.spec.steps.iter().find(|s| {
            let Some(condition) = &s.condition else { return true };
            let longest = self.protocol.items[self.spec.item].rows;
            let back = if condition.shape == longest { 2 } else { 3 };
            let Some(at) = (row as usize).checked_sub(back) else { return false };
            let holds = evaluate_any(condition, &Context::without(self.env, &out));
            holds.is_ok_and(|v| v.at(Some(at)).is_some_and(|t| *t != 0.0))
        })
    }

    /// A start reading is the end reading of the row above, unless it was refilled: then it is nearer to the start of
    /// the scale than that.
    fn follows(&self, found: &mut Findings<'_>) {
        let Some(end) = self.spec.follows else { return };
        let (starts, ends) = (column(self.protocol, self.env, self.spec.item), column(self.protocol, self.env, end));
        let item = &self.protocol.items[self.spec.item];
        for (i, (start, before)) in starts.iter().skip(1).zip(&ends).enumerate() {
            let (Some(start), Some(before)) = (start, before) else { continue };
            let row = i as u32 + 2;
            let cell = self.reading.cells.get(i + 1);
            let half = cell.map_or(0.0, |c| 0.5 * c.resolution);
            let refilled = start.abs() < 0.5 * before.abs();
            if within(start - before, half, half, *start, *before) || refilled || self.excused(row) {
                continue;
            }
            found.push(Finding {
                says: format!(
                    "The {} of row {row} is {start}{}; row {} ended at {before}{}.",
                    item.title,
                    item.unit_after(),
                    row - 1,
                    item.unit_after()
                ),
                tells: format!(
                    "Row {row} begins at {start}{}, but the row before ended at {before}{}: which of them was read wrongly, or was it refilled?",
                    item.unit_after(),
                    item.unit_after()
                ),
                ..Findings::blank("does-not-follow", format!("does-not-follow:{}:{row}", item.id), Severity::Decide, Some(self.spec.item), Some(row))
            });
        }
    }

    fn sums(&self, found: &mut Findings<'_>) {
        let Some(portions) = self.spec.sums else { return };
        let (totals, parts) =
            (column(self.protocol, self.env, self.spec.item), column(self.protocol, self.env, portions));
        let item = &self.protocol.items[self.spec.item];
        let mut sum = Some(0.0);
        for (i, (total, part)) in totals.iter().zip(&parts).enumerate() {
            sum = sum.zip(*part).map(|(s, p)| s + p);
            let (Some(total), Some(expected)) = (total, sum) else { continue };
            let half = self.reading.cells.get(i).map_or(0.0, |c| 0.5 * c.resolution);
            if within(total - expected, half, half, *total, expected) {
                continue;
            }
            let row = i as u32 + 1;
            found.push(Finding {
                says: format!(
                    "The {} of row {row} is {total}{}; the portions add up to {}{}.",
                    item.title,
                    item.unit_after(),
                    notation::figures(expected, 5),
                    item.unit_after()
                ),
                tells: format!(
                    "Your {} does not add up from row {row} on: {total} in place of {}.",
                    item.title,
                    notation::figures(expected, 5)
                ),
                ..Findings::blank(
                    "does-not-add-up",
                    format!("does-not-add-up:{}", item.id),
                    Severity::Decide,
                    Some(self.spec.item),
                    Some(row),
                )
            });
            // What follows from it is told by it; from here on the sum is what the team wrote.
            sum = Some(*total);
        }
    }
}
