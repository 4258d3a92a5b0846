//! What a person put beside the rules: readings taken otherwise than typed, findings of their own, other words for the
//! team. The submission itself is never altered: a correction is applied to a copy, and told.

use std::borrow::Cow;

use rust_decimal::Decimal;

use super::findings::Findings;
use crate::decision::{Action, Decision};
use crate::notation;
use crate::protocol::Protocol;
use crate::submission::{Submission, SubmittedCell};
use crate::verdict::{Finding, Severity};

/// The cell that a decision's key names: `cell:<item>` or `cell:<item>:<row>`.
fn cell_of(key: &str) -> Option<(&str, Option<u32>)> {
    let rest = key.strip_prefix("cell:")?;
    match rest.split_once(':') {
        Some((item, row)) => Some((item, Some(row.parse().ok()?))),
        None => Some((rest, None)),
    }
}

/// The decisions in force on cells: the newest of each key.
fn on_cells(decisions: &[Decision]) -> impl Iterator<Item = (&Decision, &str, Option<u32>)> {
    decisions.iter().enumerate().filter_map(|(n, d)| {
        let newest = !decisions[n + 1..].iter().any(|later| later.finding == d.finding);
        let (item, row) = cell_of(&d.finding).filter(|_| newest)?;
        matches!(d.action, Action::Read | Action::LeaveOut).then_some((d, item, row))
    })
}

/// The table as it is judged: as handed in, with the cells that a person reads otherwise.
pub(super) fn corrected<'a>(submission: &'a Submission, decisions: &[Decision]) -> Cow<'a, Submission> {
    let mut table = Cow::Borrowed(submission);
    for (decision, item, row) in on_cells(decisions) {
        let cells = &mut table.to_mut().cells;
        let at = cells.iter().position(|c| c.item == item && c.row == row).unwrap_or_else(|| {
            cells.push(SubmittedCell { item: item.to_owned(), row, ..SubmittedCell::default() });
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
pub(super) fn add(protocol: &Protocol, submission: &Submission, decisions: &[Decision], found: &mut Findings<'_>) {
    for (decision, id, row) in on_cells(decisions) {
        let Some(item) = protocol.item(id) else { continue };
        let it = &protocol.items[item];
        let place = row.map_or_else(|| format!("the {}", it.title), |r| format!("reading {r} of the {}", it.title));
        let cell = submission.cells.iter().find(|c| c.item == id && c.row == row);
        let typed = cell.map_or("", |c| c.value.trim());
        let (what, told) = match decision.action {
            Action::LeaveOut => (format!("{place}, {typed}, is left out"), format!("{place}, {typed}, was left out")),
            _ if typed.is_empty() => (
                format!("{place} is taken as {}, though nothing stands there", decision.text),
                format!("{place} was taken as {}, where your table has nothing", decision.text),
            ),
            _ => (
                format!("{place} is taken as {} in place of {typed}", decision.text),
                format!("{place} was taken as {} in place of {typed}", decision.text),
            ),
        };
        found.push(Finding {
            says: format!("{}, by {}: {}.", notation::capital(&what), decision.by, decision.reason),
            brief: format!("{}.", notation::capital(&what)),
            tells: format!("{}: {}.", notation::capital(&told), decision.reason),
            ..Findings::blank("corrected", decision.finding.clone(), Severity::Note, Some(item), row)
        });
    }
    for decision in decisions.iter().filter(|d| d.finding.starts_with("own:")) {
        let criterion = decision.finding.split(':').nth(1).unwrap_or("");
        let criterion = protocol.criteria.iter().find(|c| c.id == criterion);
        let cost = match (decision.action, criterion) {
            (Action::Points(p), Some(c)) => p.clamp(Decimal::ZERO, c.points),
            _ => Decimal::ZERO,
        };
        // It takes nothing of the computed value: its points are the decision's, and `settle` takes them.
        let severity = if cost > Decimal::ZERO { Severity::Charge } else { Severity::Note };
        found.push(Finding {
            says: decision.reason.clone(),
            tells: decision.reason.clone(),
            criterion: criterion.map(|c| c.id.clone()),
            ..Findings::blank("own", decision.finding.clone(), severity, None, None)
        });
    }
}

/// Puts a person's words in place of what the team would be told of a finding.
pub(super) fn reword(findings: &mut [Finding], decisions: &[Decision]) {
    for finding in findings {
        let said = |d: &&Decision| d.finding.strip_prefix("say:") == Some(&finding.key);
        if let Some(decision) = decisions.iter().rev().find(said) {
            finding.tells.clone_from(&decision.text);
        }
    }
}
