//! Rows that could not be used. They wait, with the reason, until somebody settles them.

use diesel::prelude::*;

use super::users::User;
use super::{events, ground, sheets};
use crate::schema::{imports, quarantine, submissions, teams};
use crate::{Db, StoreError};

/// The columns of a row that waits, as [`HeldRecord`] has them.
const HELD: (
    quarantine::id,
    imports::file_name,
    quarantine::line_number,
    quarantine::column_number,
    quarantine::what,
    quarantine::mend,
    quarantine::body,
) = (
    quarantine::id,
    imports::file_name,
    quarantine::line_number,
    quarantine::column_number,
    quarantine::what,
    quarantine::mend,
    quarantine::body,
);

/// A row that waits.
#[derive(Clone, Debug, Queryable)]
pub struct HeldRecord {
    /// Id.
    pub id: u32,
    /// File's name.
    pub file_name: String,
    /// Line in it.
    pub line: u32,
    /// Column in it.
    pub column: u32,
    /// What is wrong.
    pub what: String,
    /// How to mend it.
    pub mend: String,
    /// The row.
    pub body: String,
}

/// Rows that wait from files this person brought (all, for a coordinator), at most 200.
///
/// # Errors
/// Faults of the database.
pub fn waiting(c: &mut Db, user: &User) -> Result<Vec<HeldRecord>, StoreError> {
    let mut query = quarantine::table
        .inner_join(imports::table)
        .filter(quarantine::settled_at.is_null())
        .filter(imports::term_id.eq(0))
        .order((quarantine::import_id.desc(), quarantine::line_number))
        .limit(200)
        .select(HELD)
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(imports::user_id.eq(user.id));
    }
    Ok(query.load(c.sql())?)
}

/// Rows that wait of the table whose submission this is, at most 200, and whether this person may release them: who brought
/// their files, or a coordinator.
///
/// # Errors
/// Faults of the database.
pub fn of_table(c: &mut Db, submission: u32, team: u32, user: &User) -> Result<(Vec<HeldRecord>, bool), StoreError> {
    let (lab, import): (u32, u32) = submissions::table
        .inner_join(imports::table)
        .filter(submissions::id.eq(submission))
        .select((imports::lab_id, imports::id))
        .first(c.sql())?;
    let rows: Vec<(HeldRecord, Option<u32>)> = quarantine::table
        .inner_join(imports::table)
        .filter(imports::lab_id.eq(lab))
        .filter(imports::id.ge(import))
        .filter(quarantine::team_id.eq(team))
        .filter(quarantine::settled_at.is_null())
        .order(quarantine::line_number)
        .limit(200)
        .select((HELD, imports::user_id))
        .load(c.sql())?;
    let may = user.sees_all() || rows.iter().all(|(_, by)| *by == Some(user.id));
    Ok((rows.into_iter().map(|(row, _)| row).collect(), may))
}

/// How many rows wait.
///
/// # Errors
/// Faults of the database.
pub fn count(c: &mut Db, user: &User) -> Result<i64, StoreError> {
    let mut query = quarantine::table
        .inner_join(imports::table)
        .filter(quarantine::settled_at.is_null())
        .filter(imports::term_id.eq(0))
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(imports::user_id.eq(user.id));
    }
    Ok(query.count().get_result(c.sql())?)
}

/// Settles a row: somebody has seen to it. It stays stored.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn settle(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    if !waiting(c, user)?.iter().any(|h| h.id == id) {
        return Err(StoreError::NotFound("row that waits"));
    }
    // What it is judged by is held before the row and its table are.
    let (lab, team): (u32, Option<u32>) = quarantine::table
        .inner_join(imports::table)
        .filter(quarantine::id.eq(id))
        .select((imports::lab_id, quarantine::team_id))
        .first(c.sql())?;
    let of_team = match team {
        Some(team) => {
            let section: u32 = teams::table.find(team).select(teams::section_id).first(c.sql())?;
            let ground = ground::hold(c, lab, section)?;
            ground::still_there(c, &[(team, section)])?;
            Some((ground, team))
        }
        None => None,
    };
    put_away(c, id, user)?;
    match of_team {
        Some((ground, team)) => {
            sheets::recount(c, &ground, team, &user.name, "a row of it that waited in quarantine was dropped")
        }
        None => Ok(()),
    }
}

/// Takes a row out of those that wait.
pub(crate) fn put_away(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let at = c.now()?;
    diesel::update(quarantine::table.find(id))
        .set((quarantine::settled_at.eq(Some(at)), quarantine::settled_by.eq(Some(user.id))))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "row settled", &format!("quarantine {id}"))
}
