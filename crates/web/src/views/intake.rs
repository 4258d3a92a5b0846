//! A file before it is taken.

use chrono::NaiveDateTime;
use jurado_core::protocol::Protocol;
use jurado_core::reading::{CellKind, Hints, read};
use jurado_intake::Intake;
use jurado_store::{DocketRow, ImportRow, ImportState, Taken};

/// Most tables and held rows listed one by one.
const LISTED: usize = 60;

/// A moment as people say it.
pub(crate) fn time(t: NaiveDateTime) -> String {
    t.format("%a %-d %b, %H:%M").to_string()
}

/// Everything the template lays out.
pub(crate) struct PreviewView {
    pub(crate) id: u32,
    pub(crate) file_name: String,
    pub(crate) lab: String,
    pub(crate) rows: usize,
    pub(crate) cells: usize,
    pub(crate) taken: bool,
    pub(crate) taken_at: String,
    pub(crate) done: Option<String>,
    pub(crate) remarks: Vec<String>,
    pub(crate) tables: Vec<TableView>,
    pub(crate) more_tables: usize,
    pub(crate) table_count: usize,
    pub(crate) unreadable: Vec<UnreadableView>,
    pub(crate) held: Vec<HeldView>,
    pub(crate) held_count: usize,
    pub(crate) more_held: usize,
}

/// One table of the file.
pub(crate) struct TableView {
    pub(crate) section: String,
    pub(crate) team: String,
    pub(crate) keys: String,
    pub(crate) cells: usize,
    pub(crate) missing: usize,
    pub(crate) standing: &'static str,
}

/// A cell that is kept but cannot be read as a number.
pub(crate) struct UnreadableView {
    pub(crate) team: String,
    pub(crate) item: String,
    pub(crate) text: String,
    pub(crate) why: String,
}

/// A row held back.
pub(crate) struct HeldView {
    pub(crate) line: usize,
    pub(crate) column: usize,
    pub(crate) what: String,
    pub(crate) mend: String,
    pub(crate) text: String,
}

impl PreviewView {
    pub(crate) fn new(
        protocol: &Protocol,
        row: &ImportRow,
        intake: &Intake,
        standing: &[DocketRow],
        done: Option<String>,
    ) -> PreviewView {
        let expected: usize =
            protocol.readings.iter().map(|r| r.replicates as usize).sum::<usize>() + protocol.results.len();
        let tables = intake
            .tables
            .iter()
            .take(LISTED)
            .map(|t| TableView {
                section: t.section.clone(),
                team: t.team.clone(),
                keys: t.keys.iter().map(|(k, v)| format!("{k} {v}")).collect::<Vec<_>>().join(", "),
                cells: t.cells.len(),
                missing: expected.saturating_sub(t.cells.iter().filter(|c| !c.value.is_empty()).count()),
                standing: if standing.iter().any(|r| r.section == t.section && r.team == t.team) {
                    "a table is in already"
                } else {
                    "new"
                },
            })
            .collect();
        let mut unreadable = Vec::new();
        for table in &intake.tables {
            for cell in &table.cells {
                let words = protocol.item(&cell.item).and_then(|i| protocol.items[i].words.as_ref());
                let why = match (words, read(&cell.value, &Hints::default()).kind) {
                    (Some(words), _) => {
                        let known = words.iter().any(|w| w.eq_ignore_ascii_case(cell.value.trim()));
                        (!known && !cell.value.trim().is_empty()).then(|| format!("it may be {}", words.join(", ")))
                    }
                    (None, CellKind::Unreadable { why }) => Some(why),
                    _ => None,
                };
                if let Some(why) = why
                    && unreadable.len() < LISTED
                {
                    let at = cell.row.map_or_else(String::new, |r| format!(", reading {r}"));
                    let title = protocol.item(&cell.item).map_or_else(|| cell.item.clone(), |i| protocol.full_title(i));
                    unreadable.push(UnreadableView {
                        team: table.team.clone(),
                        item: format!("{title}{at}"),
                        text: cell.value.clone(),
                        why,
                    });
                }
            }
        }
        PreviewView {
            id: row.id,
            file_name: row.file_name.clone(),
            lab: protocol.title.clone(),
            rows: intake.rows,
            cells: intake.cells(),
            taken: row.state == ImportState::Taken,
            taken_at: row.taken_at.map(time).unwrap_or_default(),
            done,
            remarks: intake.remarks.clone(),
            tables,
            more_tables: intake.tables.len().saturating_sub(LISTED),
            table_count: intake.tables.len(),
            unreadable,
            held: intake
                .held
                .iter()
                .take(LISTED)
                .map(|h| HeldView {
                    line: h.fault.line,
                    column: h.fault.column,
                    what: h.fault.what.clone(),
                    mend: h.fault.mend.clone(),
                    text: h.text.clone(),
                })
                .collect(),
            held_count: intake.held.len(),
            more_held: intake.held.len().saturating_sub(LISTED),
        }
    }
}

/// What taking a file did, in a sentence.
pub(crate) fn taken_in_words(t: &Taken) -> String {
    let mut parts = Vec::new();
    for (n, words) in [(t.new, "new"), (t.revised, "revised"), (t.unchanged, "unchanged")] {
        if n > 0 {
            parts.push(format!("{n} {words}"));
        }
    }
    let tables = if parts.is_empty() { "No tables".to_owned() } else { format!("Tables: {}", parts.join(", ")) };
    let held = if t.held > 0 {
        format!("; {} in quarantine", jurado_core::notation::counted(t.held, "row"))
    } else {
        String::new()
    };
    format!("{tables}{held}.")
}
