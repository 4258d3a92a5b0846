//! Submissions as JSON: a list of tables with their cells as typed.

use std::collections::HashSet;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;

use crate::csv_long::beyond;
use crate::roster::Roster;
use crate::{COMMAND, HeldRow, Intake};

/// Reads a list of submissions.
///
/// # Errors
/// Where the text is no such list, with the place in it. A cell with an unknown item is held.
pub fn read_json(bytes: &[u8], protocol: &Protocol) -> Result<Intake, Fault> {
    if bytes.len() > COMMAND.bytes {
        return Err(Fault {
            line: 1,
            column: 1,
            what: "the file is too large".into(),
            mend: "hand in one section at a time".into(),
        });
    }
    let mut tables: Vec<Submission> = serde_json::from_slice(bytes).map_err(|e| Fault {
        line: e.line().max(1),
        column: e.column().max(1),
        what: format!("this is no list of submissions: {e}"),
        mend: "see docs/protocols.md for the object".into(),
    })?;
    let mut out = Intake::default();
    for table in &mut tables {
        let place = format!("{} {}", table.section, table.team);
        // What a spreadsheet gives is bounded as it is read; a list of one's own is no way round that.
        if table.under.as_deref().is_some_and(crate::under::is_too_much) {
            table.under = None;
            out.remarks.push(format!("The formulas of {place} are more than are looked at; they were left aside."));
        }
        table.cells.retain(|cell| {
            out.rows += 1;
            let objection = match protocol.item(&cell.item) {
                None => {
                    let what = format!(
                        "`{}` in the table of {place} is no reading or result of {}",
                        cell.item, protocol.title
                    );
                    Some(("unknown-item", what, "mend its id".to_owned()))
                }
                Some(item) => cell
                    .row
                    .and_then(|row| beyond(protocol, item, row))
                    .map(|(what, mend)| ("row-beyond", format!("{what}, in the table of {place}"), mend)),
            };
            let taken = objection.is_none();
            if let Some((code, what, mend)) = objection {
                let fault = Fault { line: 1, column: 1, what, mend };
                let whose = (table.section.clone(), table.team.clone());
                out.held.push(HeldRow { code, fault, text: cell.value.clone(), whose });
            }
            taken
        });
    }
    out.tables = tables;
    Ok(out.count_waiting())
}

/// Whether bytes are a JSON list.
pub(crate) fn looks_like(bytes: &[u8]) -> bool {
    let bytes = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
    bytes.iter().find(|b| !b.is_ascii_whitespace()).is_some_and(|b| *b == b'[')
}

/// [`read_json`] for what a person hands in: tables of teams that are not on the roster, or are there twice, are held.
pub(crate) fn read_json_for(bytes: &[u8], protocol: &Protocol, roster: Option<&Roster>) -> Result<Intake, Fault> {
    let bytes = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
    let mut out = read_json(bytes, protocol)?;
    if out.rows > crate::UPLOAD.rows {
        return Err(Fault {
            line: 1,
            column: 1,
            what: format!("the file has {} cells; at most {} are taken", out.rows, crate::UPLOAD.rows),
            mend: "hand in one section at a time".into(),
        });
    }
    let mut seen: HashSet<(String, String)> = HashSet::new();
    let tables = std::mem::take(&mut out.tables);
    for table in tables {
        let twice = seen.contains(&(table.section.clone(), table.team.clone()));
        let objection = roster.and_then(|r| r.objection(&table.section, &table.team)).or_else(|| {
            twice.then(|| {
                let what = format!("the table of {} in {} is there twice", table.team, table.section);
                ("duplicate", what, "keep the right one of the two".to_owned())
            })
        });
        match objection {
            Some((code, what, mend)) => {
                let text: String = serde_json::to_string(&table).unwrap_or_default().chars().take(1000).collect();
                let whose = (table.section.clone(), table.team.clone());
                out.held.push(HeldRow { code, fault: Fault { line: 1, column: 1, what, mend }, text, whose });
            }
            None => {
                seen.insert((table.section.clone(), table.team.clone()));
                out.tables.push(table);
            }
        }
    }
    Ok(out)
}
