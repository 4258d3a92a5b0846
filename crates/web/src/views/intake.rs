//! A file before it is taken.

use jurado_core::notation::counted;
use jurado_core::protocol::Protocol;
use jurado_core::reading::{CellKind, Hints, read};
use jurado_core::submission::Submission;
use jurado_core::wording;
use jurado_intake::{HeldRow, added_to, items_of, meanings};
use jurado_store::attachments::Placed;
use jurado_store::{ImportState, Lab, Preview};

use super::revisions::{DiffView, difference};

/// Most tables and held rows listed one by one.
const LISTED: usize = 60;

pub(crate) use super::course::time;

/// Everything the template lays out.
pub(crate) struct PreviewView {
    pub(crate) id: u32,
    pub(crate) file_name: String,
    pub(crate) lab: String,
    pub(crate) rows: usize,
    pub(crate) cells: usize,
    pub(crate) taken: bool,
    pub(crate) taken_at: String,
    /// Whether it was taken just now.
    pub(crate) done: bool,
    pub(crate) remarks: Vec<String>,
    pub(crate) tables: Vec<TableView>,
    pub(crate) more_tables: usize,
    pub(crate) table_count: usize,
    pub(crate) unreadable: Vec<UnreadableView>,
    pub(crate) held: Vec<HeldView>,
    pub(crate) held_count: usize,
    pub(crate) more_held: usize,
    /// Why nothing of it can be used.
    pub(crate) fault: Option<String>,
    pub(crate) columns: Vec<ColumnView>,
    pub(crate) meanings: Vec<(String, String)>,
    pub(crate) sections: Vec<String>,
    /// Teams that it names and that are not on the roster, each with its section.
    pub(crate) new_teams: Vec<String>,
    /// Other labs that it may be of.
    pub(crate) labs: Vec<(u32, String)>,
    /// Whether a table of it holds only some of what is in.
    pub(crate) adding: bool,
    /// Whether it is looked at as taking the place of what is in.
    pub(crate) replace: bool,
    /// Being taken: done and in all.
    pub(crate) running: Option<(u32, u32)>,
    pub(crate) outcome: String,
}

/// A column of the file.
pub(crate) struct ColumnView {
    pub(crate) name: String,
    pub(crate) examples: String,
    pub(crate) meaning: String,
    pub(crate) sure: bool,
}

/// One table of the file.
pub(crate) struct TableView {
    pub(crate) section: String,
    pub(crate) team: String,
    pub(crate) keys: String,
    pub(crate) cells: usize,
    pub(crate) missing: usize,
    pub(crate) standing: String,
    /// What would change against the table that is in.
    pub(crate) changes: Vec<DiffView>,
}

/// Files brought together.
pub(crate) struct LotView {
    pub(crate) ids: String,
    pub(crate) files: Vec<LotFile>,
    pub(crate) attached: Vec<AttachedView>,
    pub(crate) twice: Vec<String>,
    pub(crate) tables: usize,
    pub(crate) waiting: usize,
}

/// A picture that went with a table, and where that table is typed off beside it.
pub(crate) struct AttachedView {
    pub(crate) file: String,
    pub(crate) team: String,
    pub(crate) section: String,
    pub(crate) entry: String,
}

impl AttachedView {
    fn of(a: &Placed) -> AttachedView {
        AttachedView {
            entry: format!("/entry?lab={}&section={}&team={}", a.lab_id, a.section_id, super::query(&a.team)),
            file: a.file_name.clone(),
            team: a.team.clone(),
            section: a.section.clone(),
        }
    }
}

/// One of them.
pub(crate) struct LotFile {
    pub(crate) id: u32,
    pub(crate) name: String,
    pub(crate) teams: String,
    pub(crate) held: usize,
    pub(crate) says: String,
}

impl LotView {
    pub(crate) fn new(ids: &str, previews: &[Preview], attached: &[Placed]) -> LotView {
        let mut seen: Vec<(String, String)> = Vec::new();
        let mut twice = Vec::new();
        let mut files = Vec::new();
        let (mut tables, mut waiting) = (0, 0);
        for p in previews {
            let names: Vec<(String, String)> =
                p.intake.iter().flat_map(|i| &i.tables).map(|t| (t.section.clone(), t.team.clone())).collect();
            for name in &names {
                if seen.contains(name) {
                    twice.push(format!(
                        "{} of {} is in more than one file; the last one taken stands, as a new revision.",
                        name.1, name.0
                    ));
                }
                seen.push(name.clone());
            }
            let open = p.file.state == ImportState::Offered;
            if open {
                tables += names.len();
                waiting += 1;
            }
            let shown: Vec<String> = names.iter().take(4).map(|(s, t)| format!("{t} ({s})")).collect();
            let more = if names.len() > 4 { format!(" and {} more", names.len() - 4) } else { String::new() };
            files.push(LotFile {
                id: p.file.id,
                name: p.file.file_name.clone(),
                teams: format!("{}{more}", shown.join(", ")),
                held: p.intake.as_ref().map_or(0, |i| i.held.len()),
                says: match (&p.intake, p.file.state) {
                    (Err(f), _) => format!("wants a word on its columns: {}", f.what),
                    (_, ImportState::Taken) => "taken".to_owned(),
                    (_, ImportState::Dropped) => "put aside".to_owned(),
                    _ => "waits".to_owned(),
                },
            });
        }
        LotView {
            ids: ids.to_owned(),
            files,
            attached: attached.iter().map(AttachedView::of).collect(),
            twice,
            tables,
            waiting,
        }
    }
}

/// A cell that is kept but cannot be read as a number.
pub(crate) struct UnreadableView {
    pub(crate) team: String,
    pub(crate) item: String,
    pub(crate) text: String,
    pub(crate) why: String,
}

/// Rows held back for one reason: the first, and those after it.
pub(crate) struct HeldView {
    pub(crate) at: String,
    pub(crate) what: String,
    pub(crate) mend: String,
    pub(crate) text: String,
    /// Place and text of the others.
    pub(crate) alike: Vec<(String, String)>,
}

/// The same reason for many rows is said once, where the first of them stands.
fn held_back(rows: &[HeldRow]) -> Vec<HeldView> {
    let mut out: Vec<HeldView> = Vec::new();
    for h in rows {
        let at = format!("line {}, column {}", h.fault.line, h.fault.column);
        match out.iter_mut().find(|v| v.what == h.fault.what && v.mend == h.fault.mend) {
            Some(v) => v.alike.push((at, h.text.clone())),
            None => out.push(HeldView {
                at,
                what: h.fault.what.clone(),
                mend: h.fault.mend.clone(),
                text: h.text.clone(),
                alike: Vec::new(),
            }),
        }
    }
    out
}

impl PreviewView {
    pub(crate) fn new(
        protocol: &Protocol,
        look: &Preview,
        standing: &[Submission],
        (sections, labs): (&[String], &[Lab]),
        done: bool,
        replace: bool,
    ) -> PreviewView {
        let columns = items_of(&look.columns);
        let mut adding = false;
        let row = &look.file;
        let empty = jurado_intake::Intake::default();
        let (intake, fault) = match &look.intake {
            Ok(intake) => (intake, None),
            Err(f) => (&empty, Some(format!("Line {}, column {}: {}; {}.", f.line, f.column, f.what, f.mend))),
        };
        let expected: usize =
            protocol.readings.iter().map(|r| r.replicates as usize).sum::<usize>() + protocol.results.len();
        let tables = intake
            .tables
            .iter()
            .take(LISTED)
            .map(|t| {
                let there = standing.iter().find(|s| s.section == t.section && s.team == t.team);
                let added = there.filter(|_| !intake.whole).and_then(|s| added_to(s, t, &columns));
                adding |= added.is_some();
                let (whole, stay) = match added {
                    Some((whole, stay)) if !replace => (whole, stay),
                    _ => (t.clone(), 0),
                };
                let changes = there.map_or_else(Vec::new, |s| difference(protocol, s, &whole).0);
                let stays = if stay == 0 { String::new() } else { format!("; {} of it stay", counted(stay, "cell")) };
                TableView {
                    section: t.section.clone(),
                    team: t.team.clone(),
                    keys: t.keys.iter().map(|(k, v)| format!("{k} {v}")).collect::<Vec<_>>().join(", "),
                    cells: t.cells.len(),
                    missing: expected.saturating_sub(t.cells.iter().filter(|c| !c.value.is_empty()).count()),
                    standing: match there {
                        None => "new".to_owned(),
                        Some(_) if changes.is_empty() => format!("what it holds is in already{stays}"),
                        Some(_) if stay > 0 => {
                            format!(
                                "adds to the table that is in: {} would change{stays}",
                                counted(changes.len(), "cell")
                            )
                        }
                        Some(_) => {
                            format!("a table is in already; {} would change", counted(changes.len(), "cell"))
                        }
                    },
                    changes,
                }
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
                    (None, CellKind::Unreadable { why }) => Some(wording::unreadable(&why)),
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
            held: held_back(&intake.held[..intake.held.len().min(LISTED * 5)]),
            held_count: intake.held.len(),
            more_held: intake.held.len().saturating_sub(LISTED * 5),
            fault,
            meanings: if look.columns.is_empty() { Vec::new() } else { meanings(protocol) },
            columns: look
                .columns
                .iter()
                .map(|c| ColumnView {
                    name: c.name.clone(),
                    examples: c.examples.join(" · "),
                    meaning: c.meaning.clone(),
                    sure: c.by_name,
                })
                .collect(),
            sections: sections.to_vec(),
            new_teams: intake.new_teams().into_iter().map(|(section, team)| format!("{team} in {section}")).collect(),
            labs: labs.iter().filter(|l| l.id != row.lab_id).map(|l| (l.id, l.protocol.title.clone())).collect(),
            adding,
            replace,
            running: look.progress.running.then_some((look.progress.done, look.progress.total)),
            outcome: look.progress.outcome.clone(),
        }
    }
}
