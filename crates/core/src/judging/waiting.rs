//! Results that were not worked out because a reading is missing: one finding, whose points are
//! proposed as not earned.
//!
//! Thirty results that wait for one missing mass are one finding. Its points are proposed as lost
//! only where the reading is missing without a word: a reason is for a person to weigh, and a
//! reason that the lab lists costs nothing.

use crate::formula::ItemId;
use crate::row::Row;
use std::collections::{BTreeSet, HashMap};

use rust_decimal::Decimal;

use super::readings::{is_listed, listed_for, lost_rows};
use super::table::Table;
use crate::finding::{Finding, Findings, Key, Kind, Place, Severity};
use crate::protocol::{Protocol, ReadingId, ResultId, TableId, beside};
use crate::verdict::{CellState, JudgedCell, JudgedResult};

/// Rows that wait to be mended may hold what is missing: that costs nothing until they are released
/// or dropped, and a person is asked for them.
///
/// `rows` is how many wait at the door. What is missing is told without points until then, so that
/// nobody loses any for a row that a machine could not place.
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

/// What a result that is missing waits for, the worst first.
///
/// The order matters: the least is the worst, and the worst is what counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum WaitsFor {
    /// Readings that are missing without a word.
    Silent,
    /// Readings that are missing for a reason that a person has to weigh.
    Reason,
    /// Readings that are missing for a reason that the protocol lists.
    Listed,
}

/// Why the rows of a table that are not there are missing, by row; `None` for a row that is missing
/// without a word.
type Lost = HashMap<Row, Option<String>>;
beside!(TableId: Lost);

/// Results that wait, as they are met.
///
/// It is filled while results are gone through, and becomes one finding at the end.
pub(super) struct Waiting<'a> {
    /// Says what each result uses, and which reasons for a gap are listed.
    protocol: &'a Protocol,
    /// The placed cells.
    table: &'a Table,
    /// By the protocol's tables.
    lost: Vec<Lost>,
    /// What each result of the protocol needs, once it has been asked for: a column of ten thousand
    /// rows asks once.
    needs: HashMap<ResultId, Needs>,
    /// Results that wait, with their rows.
    results: Vec<(ItemId, Option<Row>)>,
    /// Points of those that wait without a word.
    cost: Decimal,
    /// Points of all of them.
    hangs: Decimal,
}

/// What a result needs, whatever its row.
///
/// Readings of other tables and single ones matter to every row alike, so that they are looked at
/// once.
struct Needs {
    /// Readings that stand in its own table, of which a row needs its own row.
    own: Vec<ReadingId>,
    /// The worst that all other readings wait for.
    others: Option<WaitsFor>,
}

impl<'a> Waiting<'a> {
    /// What waits for a reading; nothing is gathered yet.
    ///
    /// Which rows are lost is worked out here, once for each table.
    pub(super) fn new(protocol: &'a Protocol, table: &'a Table) -> Waiting<'a> {
        let lost =
            TableId::each(&protocol.tables).map(|t| lost_rows(protocol, table, t).into_iter().collect()).collect();
        let (results, needs) = (Vec::new(), HashMap::new());
        Waiting { protocol, table, lost, needs, results, cost: Decimal::ZERO, hangs: Decimal::ZERO }
    }

    /// Takes a result that nothing is known of, with the points it could have earned.
    ///
    /// `points` are what the result is worth, or its share of a column's.
    pub(super) fn take(&mut self, result: &JudgedResult, points: Decimal) {
        // Beyond the rows that were taken nothing is missing: the table just ended.
        let why = match self.why(result) {
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

    /// What a result waits for; `None` where every reading that it needs is there. One reading that
    /// is missing without a word is enough to leave the result out without a word.
    ///
    /// The worst reason of all readings is the one that is told.
    fn why(&mut self, result: &JudgedResult) -> Option<WaitsFor> {
        if !self.needs.contains_key(&result.id) {
            let needs = self.needs_of(result.id);
            self.needs.insert(result.id, needs);
        }
        let needs = self.needs.get(&result.id)?;
        let at = |n: &ReadingId| {
            let cells = &self.table.readings[*n].cells;
            let row = result.row.map_or(0, Row::index);
            cells.get(row).filter(|c| c.row == result.row).and_then(|c| self.of_cell(*n, c))
        };
        needs.own.iter().filter_map(at).chain(needs.others).min()
    }

    /// The readings that a result needs, directly or through other results.
    ///
    /// Results above are followed to their readings.
    fn needs_of(&self, id: ResultId) -> Needs {
        let protocol = self.protocol;
        let (mut open, mut items) = (vec![id], BTreeSet::new());
        while let Some(n) = open.pop() {
            for item in protocol.results[n].node.items().into_iter().filter(|i| items.insert(*i)) {
                open.extend(protocol.result_of(item));
            }
        }
        let used = ReadingId::each(&protocol.readings).filter(|n| items.contains(&protocol.readings[*n].item));
        let own_table = protocol.results[id].table;
        let is_own = |n: &ReadingId| own_table.is_some() && protocol.readings[*n].table == own_table;
        let (own, others): (Vec<ReadingId>, Vec<ReadingId>) = used.partition(is_own);
        let of_reading = |n: &ReadingId| self.table.readings[*n].cells.iter().filter_map(|c| self.of_cell(*n, c)).min();
        Needs { own, others: others.iter().filter_map(of_reading).min() }
    }

    /// What waits for a cell of a reading waits for; `None` where there is a value.
    ///
    /// A bound (`>20`) is a reason where the lab allows bounds.
    fn of_cell(&self, n: ReadingId, cell: &JudgedCell) -> Option<WaitsFor> {
        let spec = &self.protocol.readings[n];
        match cell.state {
            CellState::Read => return None,
            CellState::Bound if spec.bound => return Some(WaitsFor::Listed),
            _ => {}
        }
        let of_row = || self.lost[spec.table?].get(&cell.row?).cloned().flatten();
        Some(match cell.absent.clone().or_else(of_row) {
            None => WaitsFor::Silent,
            Some(reason) if is_listed(&reason, &listed_for(self.protocol, spec)) => WaitsFor::Listed,
            Some(_) => WaitsFor::Reason,
        })
    }

    /// The one finding on all of them.
    ///
    /// `None` where nothing waits. It stands at the first result, and names the others.
    pub(super) fn finding(self, criterion: Option<String>) -> Option<Finding> {
        let first = *self.results.first()?;
        let mut also: Vec<ItemId> = self.results[1..].iter().map(|(item, _)| *item).filter(|i| *i != first.0).collect();
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
