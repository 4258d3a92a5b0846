//! Submissions as JSON: a list of tables with their cells as typed.

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;

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
        table.cells.retain(|cell| {
            out.rows += 1;
            let known = protocol.item(&cell.item).is_some();
            if !known {
                let fault = Fault {
                    line: 1,
                    column: 1,
                    what: format!(
                        "`{}` in the table of {place} is no reading or result of {}",
                        cell.item, protocol.title
                    ),
                    mend: "mend its id".into(),
                };
                out.held.push(HeldRow { code: "unknown-item", fault, text: cell.value.clone() });
            }
            known
        });
    }
    out.tables = tables;
    Ok(out)
}
