//! What a team left out, and whether that is honoured.
//!
//! # Whether a reading may be left out
//!
//! | the team says | a test says | then |
//! |---|---|---|
//! | a cause of the lab that pushes that way | anything | it is out, and told |
//! | some other reason | it stands apart | it is out, and told |
//! | some other reason | it does not | it counts, and a person is asked |
//! | nothing | anything | it counts, and a person is asked |
//!
//! The result is shown with it and without, whichever way it went.

use super::hands::{Hand, precision_of};
use super::{Out, Repeated};
use crate::finding::{Excluded, Finding, Findings, Key, Kind, Place, Severity, Support};
use crate::formula::{ItemId, Shape};
use crate::judging::table::Table;
use crate::protocol::{Protocol, TableId};
use crate::row::Row;
use crate::verdict::JudgedReading;

/// Whether a reviewer left the row out; that is told elsewhere.
///
/// Replicates and the cells of a table's row go together: one mark takes the whole row out.
pub(super) fn by_person(readings: &[JudgedReading], protocol: &Protocol, group: u16, row: usize) -> bool {
    readings
        .iter()
        .filter(|r| protocol.items[r.item].rows == Shape::Column(group))
        .any(|r| r.cells.get(row).is_some_and(|c| c.by_person))
}

/// Rows the team left out: its mark on a replicate, or on any cell of a table's row. With the
/// reason.
///
/// Rows count from 0 and come in order. Of several reasons in one row the first that says something
/// counts.
pub(super) fn marks(protocol: &Protocol, readings: &[JudgedReading], group: u16) -> Vec<(usize, String)> {
    let mut out: Vec<(usize, String)> = Vec::new();
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        if protocol.items[spec.item].rows != Shape::Column(group) {
            continue;
        }
        for (row, cell) in reading.cells.iter().enumerate() {
            let Some(reason) = &cell.excluded else { continue };
            match out.iter_mut().find(|(r, _)| *r == row) {
                Some((_, said)) if said.is_empty() => said.clone_from(reason),
                Some(_) => {}
                None => out.push((row, reason.clone())),
            }
        }
    }
    out.sort();
    out
}

/// Takes the rows of a table out that the team marked, where its reason is one of the lab's causes
/// or a test bears it out, and tells each.
///
/// Rows of a table that repeats nothing cannot be tested, so that the team's word stands until a
/// person says otherwise: the row is out, and is told as a question where no cause of the lab names
/// the reason.
pub(super) fn table_marks(
    protocol: &Protocol,
    table: &Table,
    (t, id): (TableId, &str),
    out: &mut Out,
    found: &mut Findings<'_>,
) {
    let group = t.index() as u16;
    for (row, reason) in marks(protocol, &table.readings, group) {
        let said = reason.to_lowercase();
        let cause = protocol.causes.iter().position(|c| {
            c.on.iter().any(|i| protocol.table_of(*i) == Some(t))
                && c.words.iter().any(|w| said.contains(&w.to_lowercase()))
        });
        if let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) {
            rows[row] = true;
        }
        if by_person(&table.readings, protocol, group, row) {
            continue;
        }
        let n = Row::at(row);
        let what = Excluded::Row(t);
        let (kind, severity) = match cause.map(Support::Cause) {
            Some(support) => (Kind::Exclusion { what, reason, support }, Severity::Note),
            None => (Kind::ExclusionUnsupported { what, reason }, Severity::Decide),
        };
        let key = Key::about(&kind, id, Some(n));
        found.push(Finding::new(kind, key, severity, Place::row(n)));
    }
}

/// Whether a team's exclusion is honoured: a declared cause that pushes that way and is named in
/// the reason, or any reason where a test raises its hand.
///
/// `values` are all values of the column, `row` counts from 0. A reason that nothing bears out is a
/// question with the points of the criterion on precision.
pub(super) fn exclusion(
    protocol: &Protocol,
    c: &Repeated,
    values: &[f64],
    row: usize,
    reason: &str,
    hand: Option<&Hand>,
    found: &mut Findings<'_>,
) -> bool {
    let item = &protocol.items[c.item];
    let value = c.values.get(row).copied().flatten();
    let sum: f64 = values.iter().sum();
    let others = value.map_or(sum, |v| (sum - v) / (values.len().saturating_sub(1).max(1)) as f64);
    let low = value.is_some_and(|v| v < others);
    let cause = cause_of(protocol, c.item, low, &reason.to_lowercase());
    let tested = hand.is_some_and(Hand::raised);
    let n = Row::at(row);
    let about = (c.item, item.id.as_str());
    let (what, reason) = (Excluded::Reading(c.texts[row].clone()), reason.to_owned());
    let tested = || (tested && !reason.is_empty()).then_some(Support::Test);
    match cause.map(Support::Cause).or_else(tested) {
        Some(support) => {
            let kind = Kind::Exclusion { what, reason, support };
            found.push(Finding::about(kind, Severity::Note, about, Some(n)));
            true
        }
        None => {
            let kind = Kind::ExclusionUnsupported { what, reason };
            let finding = Finding::about(kind, Severity::Decide, about, Some(n));
            found.push(finding.charged(precision_of(protocol, c.item)));
            false
        }
    }
}

/// The cause of the protocol that a reason names, in lower case, for a value that lies `low` or
/// high.
///
/// A cause pushes to one side: an air bubble makes a titre high and never low.
fn cause_of(protocol: &Protocol, item: ItemId, low: bool, said: &str) -> Option<usize> {
    let rows = protocol.items[item].rows;
    protocol.causes.iter().position(|cause| {
        (cause.on.contains(&item) || cause.on.iter().any(|i| rows == protocol.items[*i].rows))
            && cause.low == low
            && cause.words.iter().any(|w| said.contains(&w.to_lowercase()))
    })
}
