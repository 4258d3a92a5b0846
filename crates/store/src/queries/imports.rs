//! Files handed in: offered with a preview, then taken in one transaction or dropped. A file is known by its digest, so
//! the same file twice changes nothing.

use std::collections::HashMap;

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_intake::{Intake, read_csv};

use super::sheets::{HandedIn, hand_in};
use super::users::User;
use super::{events, labs, roster};
use crate::schema::{imports, quarantine, sections, teams, users};
use crate::{Db, StoreError, inserted, now};

/// Where a file stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ImportState {
    /// Looked at, nothing stored of its tables.
    Offered,
    /// Its tables are in.
    Taken,
    /// Put aside by the person who brought it.
    Dropped,
}

impl ImportState {
    fn of(word: &str) -> Self {
        match word {
            "taken" => ImportState::Taken,
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
            if state != "taken" {
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

/// A file and what it gives, read anew with the roster of today.
///
/// # Errors
/// [`StoreError::NotFound`] also for somebody else's file; [`StoreError::File`] where nothing of it can be used.
pub fn preview(c: &mut Db, id: u32, user: &User) -> Result<(ImportRow, Intake), StoreError> {
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
    let body: Vec<u8> = imports::table.find(id).select(imports::body).first(c)?;
    let lab = labs::get(c, head.lab_id)?;
    let roster = roster::roster(c, user)?;
    let intake = read_csv(&body, &lab.protocol, Some(&roster)).map_err(StoreError::File)?;
    Ok((head, intake))
}

/// Takes an offered file: all its tables judged and stored, its held rows in quarantine, or nothing at all. Taking a
/// taken file changes nothing.
///
/// # Errors
/// As [`preview`]; faults of the database leave everything as it was.
pub fn take(c: &mut Db, id: u32, user: &User) -> Result<Taken, StoreError> {
    c.transaction(|c| {
        let state: String = imports::table
            .find(id)
            .select(imports::state)
            .for_update()
            .first(c)
            .optional()?
            .ok_or(StoreError::NotFound("file"))?;
        let (head, intake) = preview(c, id, user)?;
        if ImportState::of(&state) == ImportState::Taken {
            return Ok(Taken { unchanged: intake.tables.len(), ..Taken::default() });
        }
        let lab = labs::get(c, head.lab_id)?;
        let ids: Vec<(String, String, u32)> =
            teams::table.inner_join(sections::table).select((sections::name, teams::name, teams::id)).load(c)?;
        let ids: HashMap<(&str, &str), u32> = ids.iter().map(|(s, t, id)| ((s.as_str(), t.as_str()), *id)).collect();
        let mut taken = Taken { held: intake.held.len(), ..Taken::default() };
        for table in &intake.tables {
            let team = *ids.get(&(table.section.as_str(), table.team.as_str())).ok_or(StoreError::NotFound("team"))?;
            match hand_in(c, &lab, team, id, table, user)? {
                HandedIn::New => taken.new += 1,
                HandedIn::Revised => taken.revised += 1,
                HandedIn::Unchanged => taken.unchanged += 1,
            }
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
