//! Results that were not worked out because a reading is missing: one finding, whose points are proposed as not earned.

use rust_decimal::Decimal;

use super::readings::{is_listed, listed_for, lost_rows};
use super::table::Table;
use crate::finding::{Finding, Findings, Key, Kind, Place, Severity};
use crate::protocol::Protocol;
use crate::verdict::{CellState, JudgedResult};

/// Rows that wait to be mended may hold what is missing: that costs nothing until they are released or dropped, and a person
/// is asked for them.
pub(super) fn excuse(rows: u32, found: &mut Findings<'_>) {
    if rows == 0 {
        return;
    }
    let gone = |k: &Kind| {
        matches!(
            k,
            Kind::MissingReading
                | Kind::MissingRow { .. }
                | Kind::MissingResult { .. }
                | Kind::NotWorkedOut { .. }
                | Kind::GridMissing { .. }
                | Kind::StoppedEarly { .. }
                | Kind::KeyMissing { .. }
        )
    };
    for f in found.list.iter_mut().filter(|f| gone(&f.kind)) {
        (f.severity, f.cost, f.hangs) = (Severity::Note, Decimal::ZERO, Decimal::ZERO);
    }
    let kind = Kind::RowsWait { rows };
    let key = Key::Finding(kind.code().to_owned());
    found.push(Finding::new(kind, key, Severity::Decide, Place::TABLE));
}

/// What a result that is missing waits for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum WaitsFor {
    /// Readings that are missing without a word.
    Silent,
    /// Readings that are missing for a reason that a person has to weigh.
    Reason,
    /// Readings that are missing for a reason that the protocol lists.
    Listed,
}

/// Results that wait, as they are met.
#[derive(Default)]
pub(super) struct Waiting {
    results: Vec<(usize, Option<u32>)>,
    cost: Decimal,
    hangs: Decimal,
}

impl Waiting {
    /// Takes a result that nothing is known of, with the points it could have earned.
    pub(super) fn take(&mut self, protocol: &Protocol, table: &Table, result: &JudgedResult, points: Decimal) {
        // Beyond the rows that were taken nothing is missing: the table just ended.
        let why = match waits_for(protocol, table, result) {
            None if result.row.is_some() => return,
            Some(WaitsFor::Listed) => return,
            why => why.unwrap_or(WaitsFor::Silent),
        };
        self.results.push((result.item, result.row));
        self.hangs += points;
        if why == WaitsFor::Silent {
            self.cost += points;
        }
    }

    /// The one finding on all of them.
    pub(super) fn finding(self, criterion: Option<String>) -> Option<Finding> {
        let first = *self.results.first()?;
        let mut also: Vec<usize> = self.results[1..].iter().map(|(item, _)| *item).filter(|i| *i != first.0).collect();
        also.dedup();
        let kind = Kind::NotWorkedOut { results: self.results };
        let key = Key::Finding(kind.code().to_owned());
        Some(Finding {
            criterion,
            cost: self.cost,
            hangs: self.hangs,
            also,
            ..Finding::new(kind, key, Severity::Decide, Place::of(first.0, first.1))
        })
    }
}

/// `None` where every reading that it needs is there.
fn waits_for(protocol: &Protocol, table: &Table, result: &JudgedResult) -> Option<WaitsFor> {
    let mut needed = vec![result.index];
    let mut items: Vec<usize> = Vec::new();
    while let Some(n) = needed.pop() {
        for item in protocol.results[n].node.items() {
            if !items.contains(&item) {
                items.push(item);
                needed.extend(protocol.results.iter().position(|r| r.item == item));
            }
        }
    }
    let own_table = protocol.results[result.index].table;
    let mut gone = Vec::new();
    for (n, reading) in table.readings.iter().enumerate().filter(|(_, r)| items.contains(&r.item)) {
        let own = own_table.is_some() && protocol.readings[n].table == own_table;
        let lost = protocol.readings[n].table.map_or_else(Vec::new, |t| lost_rows(protocol, table, t));
        for cell in reading.cells.iter().filter(|c| c.state != CellState::Read && (!own || c.row == result.row)) {
            if cell.state == CellState::Bound && protocol.readings[n].bound {
                gone.push(WaitsFor::Listed);
                continue;
            }
            let of_row = || lost.iter().find(|(row, _)| Some(*row) == cell.row).and_then(|(_, reason)| reason.clone());
            let listed = |reason: String| {
                if is_listed(&reason, &listed_for(protocol, &protocol.readings[n])) {
                    WaitsFor::Listed
                } else {
                    WaitsFor::Reason
                }
            };
            gone.push(cell.absent.clone().or_else(of_row).map_or(WaitsFor::Silent, listed));
        }
    }
    // One reading that is missing without a word is enough to leave the result out without a word.
    [WaitsFor::Silent, WaitsFor::Reason, WaitsFor::Listed].into_iter().find(|why| gone.contains(why))
}
