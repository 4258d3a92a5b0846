//! What a team is told of its sheet at the door, before it is handed in: what is empty, cannot be
//! read, is a digit short, or does not agree with itself. Never an answer, a reference or a
//! verdict: whatever else was found is left out here, and a kind of finding that joins is told to
//! nobody until it has a sentence of its own.
//!
//! # What is told
//!
//! - a key of the table that was not said, or that the lab does not have;
//! - a cell that has to be filled and is not, a row that is missing;
//! - what cannot be read, does not show the digits of its instrument, or lies beyond its scale;
//! - rows that do not continue or do not add up, values that have to agree and do not;
//! - a result that is missing, a ± that was asked for, a formula that is broken in its file.
//!
//! Whether anything is right is not among them.

use crate::formula::ItemId;
use crate::row::Row;
use std::collections::BTreeSet;

use crate::finding::{Finding, Kind, UnitFault};
use crate::judging::judge_in;
use crate::protocol::Protocol;
use crate::section::Section;
use crate::submission::Submission;
use crate::summary::Mark;
use crate::wording::gaps as wording;

/// One thing to look at.
#[derive(Clone, Debug, PartialEq)]
pub struct Gap {
    /// Cells that it is about: item and row from 1; none where it is about a key of the whole
    /// table.
    pub cells: Vec<(ItemId, Option<Row>)>,
    /// The key that it is about, by its place in the protocol.
    pub key: Option<usize>,
    /// Its mark.
    pub mark: Mark,
    /// What is on the sheet, in one sentence.
    pub what: String,
    /// Where to look, or what to do.
    pub look: String,
    /// Whether a reason in the team's own words is as good as a value.
    pub may_say_why: bool,
}

/// What is told of a sheet, in the sheet's own order. `section` may leave things out.
///
/// Things come in the order of the sheet, keys first.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::gaps::gaps;
/// use jurado_core::section::Section;
/// // A letter among the digits is told in the sheet's own place; that the value is wrong is not.
/// let told = gaps(&lab(), &Section::default(), &table("94.2", "69o9"));
/// assert_eq!(told.iter().map(|g| g.look.as_str()).collect::<Vec<_>>(), ["There is a letter in it. Type it as it was shown."]);
/// ```
pub fn gaps(protocol: &Protocol, section: &Section, sheet: &Submission) -> Vec<Gap> {
    let mut out = keys(protocol, sheet);
    let judged = judge_in(protocol, section, sheet, &[], &[]);
    let found: Vec<(&Finding, Gap)> =
        judged.findings.iter().filter_map(|f| Some((f, of_finding(protocol, sheet, f)?))).collect();
    // A row is one thing: its cells are not told one by one.
    let whole = |f: &Finding| matches!(f.kind, Kind::MissingRow { .. });
    let in_rows: BTreeSet<(ItemId, Option<Row>)> =
        found.iter().filter(|(f, _)| whole(f)).flat_map(|(_, g)| g.cells.iter().copied()).collect();
    let stays = |(f, gap): &(&Finding, Gap)| whole(f) || !gap.cells.iter().all(|cell| in_rows.contains(cell));
    let mut told: Vec<Gap> = found.into_iter().filter(stays).map(|(_, gap)| gap).collect();
    told.sort_by_key(|g| g.cells.first().map(|(item, row)| place(protocol, *item, *row)));
    out.extend(told);
    out
}

/// Where a cell stands on the sheet: its bay, its table, then row by row.
///
/// Numbers to sort by; what has no bay comes last.
fn place(protocol: &Protocol, item: ItemId, row: Option<Row>) -> (usize, usize, u32, ItemId) {
    let result = protocol.result_of(item).map(|r| protocol.results[r].bay);
    let bay = protocol.reading_of(item).map(|r| r.bay).or(result).unwrap_or(usize::MAX);
    match protocol.table_of(item) {
        Some(t) => (bay, t.index() + 1, row.map_or(0, Row::number), item),
        None => (bay, 0, 0, item),
    }
}

/// Keys of the whole table that were not said, or that this lab does not have.
///
/// Keys of rows are told at their rows.
fn keys(protocol: &Protocol, sheet: &Submission) -> Vec<Gap> {
    let of_rows: BTreeSet<usize> = protocol.tables.iter().filter_map(|t| t.key).collect();
    let of = |(n, key): (usize, &crate::protocol::Key)| {
        let said = sheet.keys.get(&key.id).map(String::as_str).unwrap_or_default();
        if key.values.iter().any(|v| v == said) {
            return None;
        }
        let (what, look) = wording::key(key, said);
        let mark = if said.is_empty() { Mark::Missing } else { Mark::Unreadable };
        Some(Gap { cells: Vec::new(), key: Some(n), mark, what, look, may_say_why: false })
    };
    protocol.keys.iter().enumerate().filter(|(n, _)| !of_rows.contains(n)).filter_map(of).collect()
}

/// The cells of an item that were typed, by what was typed: of a single one the cell that there is.
///
/// `is` says which texts are meant.
fn typed(
    protocol: &Protocol,
    sheet: &Submission,
    item: ItemId,
    is: impl Fn(&str) -> bool,
) -> Vec<(ItemId, Option<Row>)> {
    let of = sheet.cells.iter().filter(|c| protocol.item(&c.item) == Some(item) && is(c.value.trim()));
    of.map(|c| (item, c.row.and_then(Row::numbered))).collect()
}

/// What may be told of a finding.
///
/// `None` for everything that a team is not told here.
fn of_finding(protocol: &Protocol, sheet: &Submission, f: &Finding) -> Option<Gap> {
    let one = || f.place.item.map(|item| vec![(item, f.place.row)]);
    let cells = match &f.kind {
        Kind::MissingReading
        | Kind::MissingResult { .. }
        | Kind::UnreadableReading { .. }
        | Kind::UnreadableResult { .. }
        | Kind::BeyondScale { .. }
        | Kind::PlusMinusMissing { .. }
        | Kind::Formula { .. }
        | Kind::Unit(UnitFault::Unknown(_)) => one()?,
        Kind::MissingRow { table, reason: None } => {
            let readings = protocol.readings.iter().filter(|r| r.table == Some(*table));
            readings.map(|r| (r.item, f.place.row)).collect()
        }
        Kind::KeyMissing { table } | Kind::KeyUnknown { table, .. } => {
            let first = protocol.readings.iter().find(|r| r.table == Some(*table))?;
            vec![(first.item, f.place.row)]
        }
        // Readings that are repeated are told together: at those that are short, and after the last run.
        Kind::ReadingDigits { texts, .. } => {
            typed(protocol, sheet, f.place.item?, |value| texts.iter().any(|t| t.trim() == value))
        }
        Kind::NotConcordant => typed(protocol, sheet, f.place.item?, |value| !value.is_empty())
            .into_iter()
            .next_back()
            .into_iter()
            .collect(),
        Kind::DoesNotAddUp { .. } | Kind::DoesNotFollow { .. } => one()?,
        _ => return None,
    };
    let (what, look) = wording::gap(protocol, f)?;
    let may_say_why = matches!(f.kind, Kind::MissingReading | Kind::MissingRow { .. });
    Some(Gap { cells, key: None, mark: f.kind.properties().mark, what, look, may_say_why })
}
