//! Files handed in: offered with a preview, then taken in one transaction or dropped. A file is known by its digest, so
//! the same file twice changes nothing.

use std::collections::HashMap;

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::error::Fault;
use jurado_intake::{Column, ColumnMap, Intake, UPLOAD, columns_of, read_file};

use super::sheets::{HandedIn, hand_in};
use super::users::User;
use super::{events, labs, roster};
use crate::schema::{column_maps, import_progress, imports, quarantine, sections, teams, users};
use crate::{Db, StoreError, inserted, now};

/// Where a file stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ImportState {
    /// Looked at, nothing stored of its tables.
    Offered,
    /// Being taken at this moment.
    Taking,
    /// Its tables are in.
    Taken,
    /// Put aside by the person who brought it.
    Dropped,
}

impl ImportState {
    fn of(word: &str) -> Self {
        match word {
            "taken" => ImportState::Taken,
            "taking" => ImportState::Taking,
            "dropped" => ImportState::Dropped,
            _ => ImportState::Offered,
        }
    }
}

/// A file handed in.
#[derive(Clone, Debug)]
pub struct ImportRow {
    /// Id.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Who brought it.
    pub by: String,
    /// Id of who brought it.
    pub user_id: u32,
    /// Its name.
    pub file_name: String,
    /// Where it stands.
    pub state: ImportState,
    /// When it was brought.
    pub offered_at: NaiveDateTime,
    /// When it was taken.
    pub taken_at: Option<NaiveDateTime>,
}

/// What taking a file did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Taken {
    /// Tables that are new.
    pub new: usize,
    /// Tables that are a new revision.
    pub revised: usize,
    /// Tables that were there already, the same.
    pub unchanged: usize,
    /// Rows put in quarantine.
    pub held: usize,
}

/// Stores a file as offered; the same bytes again give the import there is (a dropped one is offered again).
///
/// # Errors
/// Faults of the database.
pub fn offer(c: &mut Db, lab: u32, user: &User, file_name: &str, body: &[u8]) -> Result<u32, StoreError> {
    let digest = crate::digest(body);
    let file_name: String = file_name.chars().filter(|c| !c.is_control()).take(200).collect();
    c.transaction(|c| {
        let existing: Option<(u32, String)> = imports::table
            .filter(imports::lab_id.eq(lab))
            .filter(imports::digest.eq(&digest))
            .select((imports::id, imports::state))
            .for_update()
            .first(c)
            .optional()?;
        if let Some((id, state)) = existing {
            if state != "taken" && state != "taking" {
                // Whoever brings it now looks at it with own sections.
                diesel::update(imports::table.find(id))
                    .set((imports::state.eq("offered"), imports::user_id.eq(user.id), imports::offered_at.eq(now())))
                    .execute(c)?;
            }
            return Ok(id);
        }
        diesel::insert_into(imports::table)
            .values((
                imports::lab_id.eq(lab),
                imports::user_id.eq(user.id),
                imports::file_name.eq(file_name),
                imports::digest.eq(digest),
                imports::body.eq(body),
                imports::state.eq("offered"),
                imports::offered_at.eq(now()),
            ))
            .execute(c)?;
        let id = inserted(c)?;
        events::note(c, Some(user.id), "file offered", &format!("import {id}"))?;
        Ok(id)
    })
}

type Row = (u32, u32, String, u32, String, String, NaiveDateTime, Option<NaiveDateTime>);

fn row((id, lab_id, by, user_id, file_name, state, offered_at, taken_at): Row) -> ImportRow {
    ImportRow { id, lab_id, by, user_id, file_name, state: ImportState::of(&state), offered_at, taken_at }
}

const COLUMNS: (
    imports::id,
    imports::lab_id,
    users::name,
    imports::user_id,
    imports::file_name,
    imports::state,
    imports::offered_at,
    imports::taken_at,
) = (
    imports::id,
    imports::lab_id,
    users::name,
    imports::user_id,
    imports::file_name,
    imports::state,
    imports::offered_at,
    imports::taken_at,
);

/// The last files a person brought (all, for a coordinator), newest first.
///
/// # Errors
/// Faults of the database.
pub fn recent(c: &mut Db, user: &User) -> Result<Vec<ImportRow>, StoreError> {
    let mut query =
        imports::table.inner_join(users::table).order(imports::id.desc()).limit(12).select(COLUMNS).into_boxed();
    if user.role != super::users::Role::Coordinator {
        query = query.filter(imports::user_id.eq(user.id));
    }
    Ok(query.load::<Row>(c)?.into_iter().map(row).collect())
}

/// A file as a person looks at it before taking it.
#[derive(Clone, Debug)]
pub struct Preview {
    /// The file.
    pub file: ImportRow,
    /// What it gives, or why nothing of it can be used.
    pub intake: Result<Intake, Fault>,
    /// Its columns, where a person may have to say what they mean; empty otherwise.
    pub columns: Vec<Column>,
    /// How far a long import is, and what it came to.
    pub progress: Progress,
}

/// How far a long import is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Progress {
    /// Tables done.
    pub done: u32,
    /// Tables in all.
    pub total: u32,
    /// Whether it is being taken at this moment.
    pub running: bool,
    /// What it came to, in a sentence, or why it failed.
    pub outcome: String,
}

/// A digest of a file's column names: files with the same head are read the same way.
fn head_of(columns: &[Column]) -> String {
    let names: Vec<&str> = columns.iter().map(|c| c.name.as_str()).collect();
    crate::digest(names.join("\u{1f}").as_bytes())
}

/// What a person once said of files with this head.
fn known_map(c: &mut Db, lab: u32, columns: &[Column]) -> Result<Option<ColumnMap>, StoreError> {
    if columns.is_empty() {
        return Ok(None);
    }
    let text: Option<String> =
        column_maps::table.find((lab, head_of(columns))).select(column_maps::map).first(c).optional()?;
    Ok(text.and_then(|t| serde_json::from_str(&t).ok()))
}

fn head(c: &mut Db, id: u32, user: &User) -> Result<ImportRow, StoreError> {
    let head: Row = imports::table
        .inner_join(users::table)
        .filter(imports::id.eq(id))
        .select(COLUMNS)
        .first(c)
        .optional()?
        .ok_or(StoreError::NotFound("file"))?;
    let head = row(head);
    if head.user_id != user.id && user.role != super::users::Role::Coordinator {
        return Err(StoreError::NotFound("file"));
    }
    Ok(head)
}

/// A file and what it gives, read anew with the roster of today and what was said of its columns.
///
/// # Errors
/// [`StoreError::NotFound`] also for somebody else's file; faults of the database.
pub fn preview(c: &mut Db, id: u32, user: &User) -> Result<Preview, StoreError> {
    let file = head(c, id, user)?;
    let told: Option<(u32, u32, String)> = import_progress::table
        .find(id)
        .select((import_progress::done, import_progress::total, import_progress::outcome))
        .first(c)
        .optional()?;
    let (done, total, outcome) = told.unwrap_or_default();
    let body: Vec<u8> = imports::table.find(id).select(imports::body).first(c)?;
    let lab = labs::get(c, file.lab_id)?;
    let roster = roster::roster(c, user)?;
    let mut columns = columns_of(&body, &lab.protocol).unwrap_or_default();
    let map = known_map(c, lab.id, &columns)?;
    if let Some(map) = &map {
        columns.iter_mut().zip(&map.columns).for_each(|(c, m)| c.meaning.clone_from(m));
    }
    let intake = read_file(&body, &lab.protocol, Some(&roster), UPLOAD, map.as_ref());
    let progress = Progress { done, total, running: file.state == ImportState::Taking, outcome };
    Ok(Preview { file, intake, columns, progress })
}

/// Keeps what a person says of a file's columns, for this file and all with the same head.
///
/// # Errors
/// As [`preview`].
pub fn say_columns(c: &mut Db, id: u32, user: &User, map: &ColumnMap) -> Result<(), StoreError> {
    let file = head(c, id, user)?;
    let body: Vec<u8> = imports::table.find(id).select(imports::body).first(c)?;
    let lab = labs::get(c, file.lab_id)?;
    let Some(columns) = columns_of(&body, &lab.protocol) else { return Ok(()) };
    let text = serde_json::to_string(map).map_err(|e| StoreError::Broken(e.to_string()))?;
    diesel::replace_into(column_maps::table)
        .values((
            column_maps::lab_id.eq(lab.id),
            column_maps::head.eq(head_of(&columns)),
            column_maps::map.eq(text),
            column_maps::user_id.eq(user.id),
            column_maps::at.eq(now()),
        ))
        .execute(c)?;
    events::note(c, Some(user.id), "columns said", &format!("import {id}"))
}

/// Tables from which on an import is long: it is taken in the background and says how far it is.
pub const LONG: usize = 300;

/// Takes an offered file: all its tables judged and stored, its held rows in quarantine, or nothing at all. Taking a
/// taken file changes nothing. `tell` hears how many of how many tables are done.
///
/// # Errors
/// As [`preview`]; [`StoreError::File`] where nothing of the file can be used; faults of the database leave everything as
/// it was.
pub fn take(c: &mut Db, id: u32, user: &User) -> Result<Taken, StoreError> {
    take_telling(c, id, user, &mut |_, _| {})
}

/// [`take`], telling how far it is.
///
/// # Errors
/// As [`take`].
pub fn take_telling(c: &mut Db, id: u32, user: &User, tell: &mut dyn FnMut(usize, usize)) -> Result<Taken, StoreError> {
    c.transaction(|c| {
        let state: String = imports::table
            .find(id)
            .select(imports::state)
            .for_update()
            .first(c)
            .optional()?
            .ok_or(StoreError::NotFound("file"))?;
        let Preview { file, intake, .. } = preview(c, id, user)?;
        let intake = intake.map_err(StoreError::File)?;
        if ImportState::of(&state) == ImportState::Taken {
            return Ok(Taken { unchanged: intake.tables.len(), ..Taken::default() });
        }
        let lab = labs::get(c, file.lab_id)?;
        let ids: Vec<(String, String, u32)> =
            teams::table.inner_join(sections::table).select((sections::name, teams::name, teams::id)).load(c)?;
        let ids: HashMap<(&str, &str), u32> = ids.iter().map(|(s, t, id)| ((s.as_str(), t.as_str()), *id)).collect();
        let mut taken = Taken { held: intake.held.len(), ..Taken::default() };
        for (n, table) in intake.tables.iter().enumerate() {
            let team = *ids.get(&(table.section.as_str(), table.team.as_str())).ok_or(StoreError::NotFound("team"))?;
            match hand_in(c, &lab, team, id, table, user)? {
                HandedIn::New => taken.new += 1,
                HandedIn::Revised => taken.revised += 1,
                HandedIn::Unchanged => taken.unchanged += 1,
            }
            tell(n + 1, intake.tables.len());
        }
        for chunk in intake.held.chunks(500) {
            let rows: Vec<_> = chunk
                .iter()
                .map(|h| {
                    (
                        quarantine::import_id.eq(id),
                        quarantine::line_number.eq(h.fault.line as u32),
                        quarantine::column_number.eq(h.fault.column as u32),
                        quarantine::code.eq(h.code),
                        quarantine::what.eq(h.fault.what.chars().take(590).collect::<String>()),
                        quarantine::mend.eq(h.fault.mend.chars().take(590).collect::<String>()),
                        quarantine::body.eq(h.text.clone()),
                    )
                })
                .collect();
            diesel::insert_into(quarantine::table).values(rows).execute(c)?;
        }
        diesel::update(imports::table.find(id))
            .set((imports::state.eq("taken"), imports::taken_at.eq(Some(now()))))
            .execute(c)?;
        events::note(c, Some(user.id), "file taken", &format!("import {id}"))?;
        Ok(taken)
    })
}

/// Says that an import begins to be taken in the background, unless it is already. Gives whether it is this caller's.
///
/// # Errors
/// Faults of the database.
pub fn begin(c: &mut Db, id: u32, total: usize) -> Result<bool, StoreError> {
    let begun = diesel::update(imports::table.find(id).filter(imports::state.eq("offered")))
        .set(imports::state.eq("taking"))
        .execute(c)?;
    if begun == 1 {
        diesel::replace_into(import_progress::table)
            .values((
                import_progress::import_id.eq(id),
                import_progress::done.eq(0),
                import_progress::total.eq(total as u32),
                import_progress::outcome.eq(""),
            ))
            .execute(c)?;
    }
    Ok(begun == 1)
}

/// Writes down how far a long import is; on a connection of its own, so that others see it.
///
/// # Errors
/// Faults of the database.
pub fn progress(c: &mut Db, id: u32, done: usize) -> Result<(), StoreError> {
    diesel::update(import_progress::table.find(id)).set(import_progress::done.eq(done as u32)).execute(c)?;
    Ok(())
}

/// Writes down what a long import came to. One that failed is offered again.
///
/// # Errors
/// Faults of the database.
pub fn finish(c: &mut Db, id: u32, outcome: &str, failed: bool) -> Result<(), StoreError> {
    let outcome: String = outcome.chars().take(390).collect();
    diesel::update(import_progress::table.find(id)).set(import_progress::outcome.eq(outcome)).execute(c)?;
    if failed {
        diesel::update(imports::table.find(id).filter(imports::state.eq("taking")))
            .set(imports::state.eq("offered"))
            .execute(c)?;
    }
    Ok(())
}

/// Offers again what a process that is gone was taking: its transaction went with it.
///
/// # Errors
/// Faults of the database.
pub fn recover(c: &mut Db) -> Result<usize, StoreError> {
    Ok(diesel::update(imports::table.filter(imports::state.eq("taking")))
        .set(imports::state.eq("offered"))
        .execute(c)?)
}

/// Mends a held row in place: read anew under the head of its file, and what it gives added to its team's table as a new
/// revision. The row as it stood stays stored.
///
/// # Errors
/// [`StoreError::NotFound`]; [`StoreError::File`] where the mended row still cannot be used; faults of the database.
pub fn mend(c: &mut Db, held: u32, text: &str, user: &User) -> Result<Taken, StoreError> {
    if !super::quarantine::waiting(c, user)?.iter().any(|h| h.id == held) {
        return Err(StoreError::NotFound("row that waits"));
    }
    c.transaction(|c| {
        let import: u32 = quarantine::table.find(held).select(quarantine::import_id).for_update().first(c)?;
        let Preview { file, columns, .. } = preview(c, import, user)?;
        let body: Vec<u8> = imports::table.find(import).select(imports::body).first(c)?;
        let lab = labs::get(c, file.lab_id)?;
        let roster = roster::roster(c, user)?;
        let line = held_under(&body, &columns, text)?;
        let intake =
            read_file(line.as_bytes(), &lab.protocol, Some(&roster), UPLOAD, None).map_err(StoreError::File)?;
        if let Some(h) = intake.held.into_iter().next() {
            return Err(StoreError::File(Fault { line: 1, ..h.fault }));
        }
        let mut taken = Taken::default();
        for table in intake.tables {
            let team: u32 = teams::table
                .inner_join(sections::table)
                .filter(sections::name.eq(&table.section))
                .filter(teams::name.eq(&table.team))
                .select(teams::id)
                .first(c)?;
            let whole = match super::sheets::current(c, lab.id, team)? {
                None => table,
                Some(mut there) => {
                    for (key, value) in table.keys {
                        there.keys.entry(key).or_insert(value);
                    }
                    for cell in table.cells {
                        match there.cells.iter_mut().find(|x| x.item == cell.item && x.row == cell.row) {
                            Some(old) => *old = cell,
                            None => there.cells.push(cell),
                        }
                    }
                    there
                }
            };
            match hand_in(c, &lab, team, import, &whole, user)? {
                HandedIn::New => taken.new += 1,
                HandedIn::Revised => taken.revised += 1,
                HandedIn::Unchanged => taken.unchanged += 1,
            }
        }
        super::quarantine::settle(c, held, user)?;
        Ok(taken)
    })
}

/// A held row under the names of the long layout. Rows of wide files are held in that layout already.
fn held_under(body: &[u8], columns: &[Column], text: &str) -> Result<String, StoreError> {
    let first = String::from_utf8_lossy(body).lines().next().unwrap_or("").trim_start_matches('\u{feff}').to_owned();
    let plain = columns.is_empty() && first.to_lowercase().contains("item") && first.to_lowercase().contains("team");
    if plain {
        // The separator of the file is not that of the held text, which is shown with commas.
        let separator = if first.contains(';') {
            ';'
        } else if first.contains('\t') {
            '\t'
        } else {
            ','
        };
        return Ok(format!("{}\n{text}\n", first.replace(separator, ",")));
    }
    if columns.is_empty() {
        return Err(StoreError::File(Fault {
            line: 1,
            column: 1,
            what: "a row of a data sheet has no meaning without the sheet".into(),
            mend: "mend it in the sheet and bring the sheet again".into(),
        }));
    }
    let keys: Vec<&str> = columns.iter().filter_map(|c| c.meaning.strip_prefix("key:")).collect();
    let mut names = vec!["section", "team"];
    names.extend(keys);
    names.extend(["item", "row", "value", "unit", "plus_minus", "excluded", "note"]);
    Ok(format!("{}\n{text}\n", names.join(",")))
}

/// Puts an offered file aside.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn drop(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let done = diesel::update(
        imports::table
            .filter(imports::id.eq(id))
            .filter(imports::state.eq("offered"))
            .filter(imports::user_id.eq(user.id)),
    )
    .set(imports::state.eq("dropped"))
    .execute(c)?;
    if done == 0 {
        return Err(StoreError::NotFound("file that waits"));
    }
    events::note(c, Some(user.id), "file dropped", &format!("import {id}"))
}
