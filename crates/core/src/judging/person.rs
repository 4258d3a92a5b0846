//! What a person put beside the rules: readings taken otherwise than typed, findings of their own,
//! other words for the team. The submission itself is never altered: a correction is applied to a
//! copy, and told.
//!
//! | decision | what it does | where it is told |
//! |---|---|---|
//! | read a cell otherwise | the table is judged with that text | a note at the cell, with who and why |
//! | leave a cell out | the cell does not count | a note at the cell, with who and why |
//! | a finding of one's own | takes points from a criterion | a finding with its text |
//! | other words | the team reads these in place of ours | at the finding |
//!
//! What was handed in stays as it was: every one of these can be taken back, and then all is as
//! before.

use std::borrow::Cow;

use rust_decimal::Decimal;

use crate::decision::{Action, Decision};
use crate::finding::{Correction, Finding, Findings, Key, Kind, Place, Severity};
use crate::protocol::Protocol;
use crate::row::Row;
use crate::submission::{Submission, SubmittedCell};

/// The decisions in force on cells: the newest of each key.
///
/// Rows count from 1. A cell that was corrected twice counts as it was last.
fn on_cells(decisions: &[Decision]) -> impl Iterator<Item = (&Decision, &str, Option<Row>)> {
    decisions.iter().enumerate().filter_map(|(n, d)| {
        let newest = !decisions[n + 1..].iter().any(|later| later.finding == d.finding);
        let Key::Cell { item, row } = &d.finding else { return None };
        (newest && matches!(d.action, Action::Read | Action::LeaveOut)).then_some((d, item.as_str(), *row))
    })
}

/// The table as it is judged: as handed in, with the cells that a person reads otherwise.
///
/// Nothing is copied where nobody corrected anything. A cell that was not handed in may be filled.
pub(super) fn corrected<'a>(submission: &'a Submission, decisions: &[Decision]) -> Cow<'a, Submission> {
    let mut table = Cow::Borrowed(submission);
    for (decision, item, row) in on_cells(decisions) {
        let cells = &mut table.to_mut().cells;
        let at = cells.iter().position(|c| c.item == item && c.row == row.map(Row::number)).unwrap_or_else(|| {
            cells.push(SubmittedCell { item: item.to_owned(), row: row.map(Row::number), ..SubmittedCell::default() });
            cells.len() - 1
        });
        match decision.action {
            Action::LeaveOut => {
                cells[at].excluded.clone_from(&decision.reason);
                cells[at].by_person = true;
            }
            _ => {
                cells[at].value.clone_from(&decision.text);
                cells[at].excluded.clear();
            }
        }
    }
    table
}

/// Adds a note for every corrected cell and a finding for every one of the person's own.
///
/// Points of a finding of one's own are kept between nought and those of its criterion.
pub(super) fn add(protocol: &Protocol, submission: &Submission, decisions: &[Decision], found: &mut Findings<'_>) {
    for (decision, id, row) in on_cells(decisions) {
        let Some(item) = protocol.item(id) else { continue };
        let cell = submission.cells.iter().find(|c| c.item == id && c.row == row.map(Row::number));
        let typed = cell.map_or("", |c| c.value.trim()).to_owned();
        let how = match decision.action {
            Action::LeaveOut => Correction::LeftOut,
            _ => Correction::ReadAs(decision.text.clone()),
        };
        let kind = Kind::Corrected { typed, how, by: decision.by.clone(), reason: decision.reason.clone() };
        found.push(Finding::new(kind, decision.finding.clone(), Severity::Note, Place::of(item, row)));
    }
    for decision in decisions {
        let Key::Own { criterion, .. } = &decision.finding else { continue };
        let criterion = protocol.criteria.iter().find(|c| c.id == *criterion);
        let cost = match (decision.action, criterion) {
            (Action::Points(p), Some(c)) => p.clamp(Decimal::ZERO, c.points),
            _ => Decimal::ZERO,
        };
        // It takes nothing of the computed value: its points are the decision's, and `settle` takes them.
        let severity = if cost > Decimal::ZERO { Severity::Charge } else { Severity::Note };
        let kind = Kind::Own { text: decision.reason.clone() };
        let finding = Finding::new(kind, decision.finding.clone(), severity, Place::TABLE);
        found.push(Finding { criterion: criterion.map(|c| c.id.clone()), ..finding });
    }
}

/// Puts a person's words in place of what the team would be told of a finding.
///
/// An empty text is none: the team then reads nothing of it, which is not what deleting it means.
pub(super) fn reword(findings: &mut [Finding], decisions: &[Decision]) {
    for finding in findings {
        let said = |d: &&Decision| matches!(&d.finding, Key::Say(key) if **key == finding.key);
        finding.reworded = decisions.iter().rev().find(said).map(|d| d.text.clone());
    }
}
