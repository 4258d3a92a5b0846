//! Readings that were copied wrongly, taken as they were meant: one story at a time, each tried on the
//! whole table before it is believed.
//!
//! What is repaired is told with its chance and with how many further results fit, and a person may
//! refuse it. The table as it was handed in is never altered.

use super::sheet::Stage;
use super::table::Table;
use super::{Worked, readings, work};
use crate::decision::{Action, Decision};
use crate::finding::{Finding, Fragile, Key, Kind, Place, Severity};
use crate::formula::ItemId;
use crate::protocol::{Protocol, ResultId, SlipKind};
use crate::repair::Repair;
use crate::row::Row;
use crate::verdict::{JudgedResult, VerdictKind};

/// Readings that may be repaired in one table, one after the other.
///
/// A table with five readings that were copied wrongly is no longer the table that was measured; a
/// person has to look at the sheet.
const MOST_REPAIRS: usize = 4;

/// The table worked out with every repair that its results ask for: one story at a time, and what
/// is left is judged anew with it. What a story was told for and does not fit by it after all is
/// refuted, and not tried again.
///
/// Each round takes the likeliest story of all results, works the whole table out with it and asks
/// whether the result that told the story fits now. If it does, the story is kept and the next
/// round begins from there. If it does not, the story is refuted: the reading gets its written
/// value back, and nobody tells that story again. So a table that one wrong cell spoiled in nine
/// results is one finding and not nine.
pub(super) fn repaired(
    stage: Stage<'_>,
    table: &mut Table,
    refuted: &mut Vec<(ItemId, Option<Row>)>,
    decisions: &[Decision],
) -> Worked {
    let mut worked = work(stage, table, refuted);
    let mut repairs = Vec::new();
    for _ in 0..MOST_REPAIRS {
        let Some((finding, place, told)) = repair(stage.protocol, table, &worked, decisions) else { break };
        let after = work(stage, table, refuted);
        if after.results.iter().any(|r| (r.id, r.row) == place && fits(r)) {
            repairs.push(gaining(finding, &worked, &after));
            worked = after;
            continue;
        }
        if let Some(place) = told.place() {
            refuted.push(place);
            unrepair(table, &told);
            worked = work(stage, table, refuted);
        }
    }
    worked.list.extend(repairs);
    worked
}

/// Readings that a person refuses to take as copied wrongly.
///
/// The last decision about a repair holds: who refused it and took it back later has taken it.
pub(super) fn refused(protocol: &Protocol, decisions: &[Decision]) -> Vec<(ItemId, Option<Row>)> {
    let refuses =
        |key: &Key| decisions.iter().rev().find(|d| d.finding == *key).is_some_and(|d| d.action == Action::Refuse);
    decisions
        .iter()
        .filter(|d| refuses(&d.finding))
        .filter_map(|d| match &d.finding {
            Key::Repair { item, row } => Some((protocol.item(item)?, *row)),
            _ => None,
        })
        .collect()
}

/// The likeliest story of a reading that was copied wrongly, taken: the table is judged with the
/// reading as it was meant. The submission stays as it is; a reviewer may refuse, and then all is
/// judged without the story.
///
/// `before` is the table worked out as it stands. Gives the finding to be told, the result that
/// told the story, and the cells that were changed. `None` where no story is left, or where the
/// likeliest one is of a reading that has been repaired already.
///
/// The finding is open ([`Severity::Decide`]) and hangs with the points for complete readings,
/// until a person has taken or refused it.
fn repair(
    protocol: &Protocol,
    table: &mut Table,
    before: &Worked,
    decisions: &[Decision],
) -> Option<(Finding, (ResultId, Option<Row>), Repair)> {
    let stories = before.results.iter().filter(|r| r.verdict == VerdictKind::Slip).filter_map(|r| {
        let slip = r.slip.as_ref().filter(|s| s.kind == SlipKind::ReadingMistyped)?;
        Some(((r.id, r.row), slip.repair.as_ref()?, slip.probability))
    });
    let (result, repair, probability) = stories.max_by(|a, b| a.2.total_cmp(&b.2).then(b.0.cmp(&a.0)))?;
    let (item, row) = repair.place()?;
    // A reading is repaired once.
    if repair.cells.iter().any(|(i, r, _)| table.cell_mut(*i, *r).is_none_or(|c| c.repaired.is_some())) {
        return None;
    }
    for (i, r, value) in &repair.cells {
        if let Some(cell) = table.cell_mut(*i, *r) {
            cell.repaired = Some(*value);
        }
    }
    let key = Key::Repair { item: protocol.items[item].id.clone(), row };
    let taken = decisions.iter().any(|d| d.finding == key);
    let kind = repair_told(table, repair, (item, row), probability);
    let finding = Finding::new(kind, key, Severity::Decide, Place::of(item, row));
    let finding = Finding {
        fragile: (!taken).then_some(Fragile::RepairOpen),
        ..finding.hanging(readings::completeness(protocol))
    };
    Some((finding, result, repair.clone()))
}

/// The readings as they stand on the sheet again.
fn unrepair(table: &mut Table, told: &Repair) {
    for (item, row, _) in &told.cells {
        if let Some(cell) = table.cell_mut(*item, *row) {
            cell.repaired = None;
        }
    }
}

/// Whether a value needs no story.
///
/// A slip, a carried or an unexplained value needs one; so does what could not be checked.
fn fits(r: &JudgedResult) -> bool {
    matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded)
}

/// The finding of a repair with the number of further results that fit by it.
///
/// The number is what a reviewer goes by: a repair after which eight more results fit is hardly
/// chance. The result that told the story is not counted among them.
fn gaining(mut finding: Finding, before: &Worked, after: &Worked) -> Finding {
    // What was carried followed already: only what nothing explained is gained.
    let lost = |r: &JudgedResult| matches!(r.verdict, VerdictKind::Slip | VerdictKind::Unexplained);
    let more = before.results.iter().zip(&after.results).filter(|(a, b)| lost(a) && fits(b)).count().saturating_sub(1);
    if let Kind::Repair { gained, .. } | Kind::Rewritten { gained, .. } = &mut finding.kind {
        *gained = more;
    }
    finding
}

/// A repair as what was found.
///
/// Acts on a whole column (rows exchanged, another unit) are told as such; a single reading is told
/// with the text on the sheet and the value that was meant, to the place that its instrument shows.
fn repair_told(table: &mut Table, repair: &Repair, (item, row): (ItemId, Option<Row>), probability: f64) -> Kind {
    if let Some(act) = repair.act {
        return Kind::Rewritten { act, probability, gained: 0 };
    }
    let text = table.cell_mut(item, row).map_or_else(String::new, |c| c.text.clone());
    let value = repair.cells.first().map_or(0.0, |c| c.2);
    Kind::Repair { text, value, resolution: resolution_of(table, item, row), probability, gained: 0 }
}

/// Resolution of a cell in its unit: what a repaired value is shown to. A cell that is not there
/// has a thousandth.
///
/// The least is 10⁻³⁰⁰, so that its logarithm is a number.
fn resolution_of(table: &Table, item: ItemId, row: Option<Row>) -> f64 {
    table
        .readings
        .iter()
        .find(|r| r.item == item)
        .and_then(|r| r.cells.iter().find(|c| c.row == row))
        .map_or(1e-3, |c| c.resolution.max(1e-300))
}
