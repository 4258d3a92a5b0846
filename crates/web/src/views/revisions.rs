//! What differs between one handing in of a table and the next.

use std::collections::BTreeMap;

use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_store::sheets::Revision;

use crate::views::intake::time;

/// Everything the template lays out.
pub(crate) struct RevisionsView {
    pub(crate) id: u32,
    pub(crate) team: String,
    pub(crate) lab: String,
    /// Newest first.
    pub(crate) steps: Vec<StepView>,
}

/// One handing in against the one before.
pub(crate) struct StepView {
    pub(crate) number: u32,
    pub(crate) at: String,
    pub(crate) first: bool,
    pub(crate) lines: Vec<DiffView>,
    pub(crate) same: usize,
}

/// One cell that differs.
pub(crate) struct DiffView {
    pub(crate) title: String,
    pub(crate) before: String,
    pub(crate) after: String,
}

/// Cells of a table by item and row, as one line of text each.
fn cells(table: &Submission) -> BTreeMap<(String, Option<u32>), String> {
    table
        .cells
        .iter()
        .map(|c| {
            let mut text = c.value.clone();
            for (mark, part) in [("", &c.unit), ("± ", &c.plus_minus), ("left out: ", &c.excluded), ("note: ", &c.note)]
            {
                if !part.is_empty() {
                    text.push_str(&format!(" {mark}{part}"));
                }
            }
            ((c.item.clone(), c.row), text.trim().to_owned())
        })
        .collect()
}

/// Cells that differ between two tables: item and row, before, after; and how many are the same.
pub(crate) fn difference(protocol: &Protocol, before: &Submission, after: &Submission) -> (Vec<DiffView>, usize) {
    let (old, new) = (cells(before), cells(after));
    let mut keys: Vec<&(String, Option<u32>)> = new.keys().collect();
    keys.extend(old.keys().filter(|k| !new.contains_key(*k)));
    let mut lines = Vec::new();
    let mut same = 0;
    for (key, value) in &after.keys {
        let was = before.keys.get(key).map_or("", String::as_str);
        if was != value {
            lines.push(DiffView { title: key.clone(), before: was.to_owned(), after: value.clone() });
        }
    }
    for key in keys {
        let (a, b) = (old.get(key).map_or("", String::as_str), new.get(key).map_or("", String::as_str));
        if a == b {
            same += 1;
            continue;
        }
        let title = protocol.item(&key.0).map_or_else(|| key.0.clone(), |i| super::capital(&protocol.full_title(i)));
        let title = key.1.map_or_else(|| title.clone(), |r| format!("{title}, {r}"));
        lines.push(DiffView { title, before: a.to_owned(), after: b.to_owned() });
    }
    (lines, same)
}

impl RevisionsView {
    pub(crate) fn new(protocol: &Protocol, id: u32, revisions: &[Revision]) -> RevisionsView {
        let mut steps: Vec<StepView> = revisions
            .iter()
            .enumerate()
            .map(|(n, r)| {
                let (lines, same) = match n.checked_sub(1).map(|p| &revisions[p]) {
                    Some(before) => difference(protocol, &before.submission, &r.submission),
                    None => (Vec::new(), r.submission.cells.len()),
                };
                StepView { number: r.number, at: time(r.at), first: n == 0, lines, same }
            })
            .collect();
        steps.reverse();
        RevisionsView {
            id,
            team: revisions.last().map_or_else(String::new, |r| r.submission.team.clone()),
            lab: protocol.title.clone(),
            steps,
        }
    }
}
