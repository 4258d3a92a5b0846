//! What counts: exclusions honoured or not, planned rough runs, concordant sets, and the tests for
//! a replicate that stands apart. A test only raises its hand; what it points at stays in, and is
//! told with and without.
//!
//! # Which rows count
//!
//! 1. A rough run that the plan provides for never counts.
//! 2. A row that a reviewer left out does not count, whatever the team says of it.
//! 3. A row that the team left out does not count if its reason is one of the lab's causes and the
//!    value lies to the side that the cause pushes to, or if it gives a reason and a test raises
//!    its hand. Else it counts, and a person is asked.
//! 4. Where concordant results are wanted the largest set that agrees counts, and nothing else.
//! 5. Everything else counts. A test that raises its hand on a reading that was kept is a question.
//!
//! A test is asked of all values, those that the team left out among them: whether they stand apart
//! is what is asked. Readings that were issued to everybody are not tested.

mod concordance;
mod exclusions;
mod hands;
mod limits;

use crate::row::Row;
use concordance::concordant;
use exclusions::{by_person, exclusion, marks, table_marks};
use hands::{Hand, hands, kept};
pub use limits::limits;

use super::readings::step_in_unit;
use super::table::Table;
use super::values::{Env, Out};
use crate::finding::Findings;
use crate::formula::{ItemId, Shape, Value};
use crate::notation;
use crate::protocol::{ItemKind, Protocol, Rejection, ResultSpec, TableId};
use crate::quantity::leading_place;
use crate::section::{Section, Source};
use crate::verdict::{CellState, JudgedReading, OutlierTest};

/// A column whose rows repeat one quantity: replicates of a reading, or a result worked out in each
/// run.
///
/// Replicates of one reading repeat one quantity; a column of a table does so only where the lab
/// says it.
struct Repeated {
    /// The reading or result.
    item: ItemId,
    /// The school its protocol names; `None` leaves it to the course.
    rejection: Option<Rejection>,
    /// The group that its rows belong to.
    group: u16,
    /// Values by row, in the item's unit.
    values: Vec<Option<f64>>,
    /// What stands in the row, as typed.
    texts: Vec<String>,
    /// The least difference that is real, in its unit.
    step: f64,
}

/// The columns that repeat one quantity.
///
/// Results that repeat one quantity are shown to about the step of the readings that go into them.
fn repeated(protocol: &Protocol, readings: &[JudgedReading], clean: &Env) -> Vec<Repeated> {
    let mut out = Vec::new();
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        let Shape::Column(group) = protocol.items[spec.item].rows else { continue };
        // A column of a table repeats something only where its protocol says so.
        if protocol.items[spec.item].words.is_some() || (spec.table.is_some() && spec.rejection.is_none()) {
            continue;
        }
        out.push(Repeated {
            item: spec.item,
            rejection: spec.rejection,
            group,
            values: reading.cells.iter().map(|c| c.repaired.or(c.value)).collect(),
            texts: reading.cells.iter().map(|c| c.text.clone()).collect(),
            step: step_in_unit(protocol, spec, clean, None),
        });
    }
    for spec in protocol.results.iter().filter(|s| s.rejection.is_some()) {
        let item = &protocol.items[spec.item];
        let (Shape::Column(group), Some(Value::Column(xs))) = (item.rows, &clean[spec.item]) else { continue };
        let step = step_of_result(protocol, spec, clean);
        let values: Vec<Option<f64>> = xs.iter().map(|x| x.map(|x| item.from_si(x))).collect();
        let digits = if step > 0.0 { leading_place(step) } else { -3 };
        let texts = values.iter().map(|v| v.map_or_else(String::new, |v| notation::to_place(v, digits))).collect();
        out.push(Repeated { item: spec.item, rejection: spec.rejection, group, values, texts, step });
    }
    out
}

/// The step of a worked-out value, in its unit: about that of the readings of one dimension that go
/// into it.
///
/// Nought where no reading of that dimension has an instrument: the tests then take any difference
/// for real.
fn step_of_result(protocol: &Protocol, spec: &ResultSpec, clean: &Env) -> f64 {
    let unit = &protocol.items[spec.item].unit;
    let used = spec.node.items().into_iter().filter_map(|i| protocol.reading_of(i));
    let alike = used.filter(|r| protocol.items[r.item].unit.dimension == unit.dimension && r.instrument.is_some());
    let steps =
        alike.map(|r| step_in_unit(protocol, r, clean, None) * protocol.items[r.item].unit.factor / unit.factor);
    steps.fold(0.0, f64::max)
}

/// Settles which rows count (the readings' `counts`, and the rows left out by group), and gives the
/// tests.
///
/// `clean` holds the values worked out with every row. Gives the rows left out, by the group of
/// their columns, and every test that was made, raised or not. Cells learn in `table` whether they
/// count.
pub(super) fn settle(
    protocol: &Protocol,
    table: &mut Table,
    clean: &Env,
    section: &Section,
    found: &mut Findings<'_>,
) -> (Out, Vec<OutlierTest>) {
    // Of readings that everybody shares a test says nothing.
    let own = section.readings == Source::Own;
    // A table may be gone through again with a reading repaired: nothing is left over from the time before.
    table.readings.iter_mut().flat_map(|r| &mut r.cells).for_each(|c| c.counts = c.state == CellState::Read);
    let mut out = beforehand(protocol, &table.readings, clean);
    let mut tests = Vec::new();
    let columns = repeated(protocol, &table.readings, clean);
    for c in &columns {
        column(protocol, &table.readings, section, c, own, &mut out, &mut tests, found);
    }
    // Rows of tables that repeat nothing may be left out for a reason all the same.
    for (t, spec) in TableId::with(&protocol.tables) {
        let group = t.index() as u16;
        if columns.iter().any(|c| c.group == group) {
            continue;
        }
        table_marks(protocol, table, (t, &spec.id), &mut out, found);
    }
    for (spec, reading) in protocol.readings.iter().zip(table.readings.iter_mut()) {
        let Shape::Column(group) = protocol.items[spec.item].rows else { continue };
        let Some((_, rows)) = out.iter().find(|(g, _)| *g == group) else { continue };
        reading.cells.iter_mut().zip(rows).filter(|(_, o)| **o).for_each(|(c, _)| c.counts = false);
    }
    (out, tests)
}

/// The rows that are out beforehand: planned rough runs, and nothing else.
///
/// Every group of columns has its flags from here on, all down but those of rough runs.
fn beforehand(protocol: &Protocol, readings: &[JudgedReading], clean: &Env) -> Out {
    let mut out: Out = Vec::new();
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        if let Shape::Column(group) = protocol.items[spec.item].rows
            && !out.iter().any(|(g, _)| *g == group)
        {
            out.push((group, vec![false; reading.cells.len()]));
        }
    }
    for t in &protocol.tables {
        let Some((item, word)) = t.rough else { continue };
        let Some(Value::Words(ws)) = &clean[item] else { continue };
        let Shape::Column(group) = protocol.items[item].rows else { continue };
        if let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) {
            rows.iter_mut().zip(ws).filter(|(_, w)| **w == Some(word)).for_each(|(o, _)| *o = true);
        }
    }
    out
}

/// Settles one column that repeats a quantity: exclusions, concordance, and the hands that are
/// raised.
///
/// The way of rejecting is the reading's own, else a repeatability that was pooled over the
/// section, else the school's by the number of values.
#[allow(clippy::too_many_arguments)]
fn column(
    protocol: &Protocol,
    readings: &[JudgedReading],
    section: &Section,
    c: &Repeated,
    own: bool,
    out: &mut Out,
    tests: &mut Vec<OutlierTest>,
    found: &mut Findings<'_>,
) {
    let rough: Vec<bool> = out.iter().find(|(g, _)| *g == c.group).map_or_else(Vec::new, |(_, o)| o.clone());
    let rows: Vec<usize> =
        (0..c.values.len()).filter(|i| c.values[*i].is_some() && !rough.get(*i).copied().unwrap_or(false)).collect();
    let values: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
    // Judged on all of them: what the team left out by itself is part of the question.
    let pooled = section.repeatability.get(&protocol.items[c.item].id).filter(|s| **s > 0.0 && s.is_finite());
    let known = pooled.map(|s| Rejection::Known(*s));
    let by = protocol.rejection_of(c.rejection.or(known), values.len());
    let hands = if own { hands(by, &values, c.step, protocol.school.confidence) } else { Vec::new() };
    let hands: Vec<Hand> = hands.into_iter().map(|h| Hand { row: rows[h.row], ..h }).collect();
    let marks = marks(protocol, readings, c.group);
    for (row, reason) in &marks {
        let hand = hands.iter().find(|h| h.row == *row);
        let honoured =
            by_person(readings, protocol, c.group, *row) || exclusion(protocol, c, &values, *row, reason, hand, found);
        if honoured && let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == c.group) {
            rows[*row] = true;
        }
    }
    if let Rejection::Concordance(tolerance) = by {
        concordant(protocol, c, &rows, tolerance, out, found);
        return;
    }
    for hand in &hands {
        let row = row_of(readings, protocol, c.item, hand.row);
        tests.push(OutlierTest {
            level: "replicate",
            item: c.item,
            row,
            test: hand.test,
            statistic: hand.statistic,
            critical: hand.critical,
            flagged: hand.raised(),
        });
        if !marks.iter().any(|(r, _)| *r == hand.row) {
            kept(protocol, c, &rows, hand, row, &values, found);
        }
    }
}

/// Row of the sheet, from 1, of a value in a column: a reading may have its cells in an order of
/// its own.
///
/// Replicates may have gaps in their numbering.
fn row_of(readings: &[JudgedReading], protocol: &Protocol, item: ItemId, row: usize) -> Option<Row> {
    match protocol.items[item].kind {
        ItemKind::Reading(r) => readings[r].cells.get(row).and_then(|c| c.row),
        _ => Some(Row::at(row)),
    }
}
