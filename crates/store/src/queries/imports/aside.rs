//! What is done with a file instead of taking it: its teams added, it is another lab's, it is put aside.

use diesel::prelude::*;

use super::{head, offer, preview};
use crate::queries::course::{self, Change};
use crate::queries::users::User;
use crate::queries::{events, roster};
use crate::records::words::ImportState;
use crate::schema::{imports, sections};
use crate::{Db, StoreError};

/// Adds the teams that a file names and the roster does not hold, in the sections that this person may hand in for. Gives
/// how many.
///
/// # Errors
/// As [`preview`]; [`StoreError::Bad`] where a name cannot be one.
pub fn add_teams(c: &mut Db, id: u32, user: &User) -> Result<usize, StoreError> {
    let new = preview(c, id, user)?.intake.map_err(StoreError::File)?.new_teams();
    for (section, team) in &new {
        let section: u32 = roster::here().filter(sections::name.eq(section)).select(sections::id).first(c.sql())?;
        course::change(c, &Change::AddTeam(section, team.clone()), user)?;
    }
    Ok(new.len())
}

/// Puts an offered file aside and offers it for another lab instead. Gives the import there.
///
/// # Errors
/// As [`drop`] and [`offer`].
pub fn move_to_lab(c: &mut Db, id: u32, lab: u32, user: &User) -> Result<u32, StoreError> {
    let (file, _) = head(c, id, user)?;
    let body: Vec<u8> = imports::table.find(id).select(imports::body).first(c.sql())?;
    drop(c, id, user)?;
    offer(c, lab, user, &file.file_name, &body)
}

/// Puts an offered file aside.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is being taken; faults of the database.
pub fn drop(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let state: Option<ImportState> = imports::table
        .filter(imports::id.eq(id))
        .filter(imports::user_id.eq(user.id))
        .select(imports::state)
        .for_update()
        .first(c.sql())
        .optional()?;
    if state != Some(ImportState::Offered) || head(c, id, user)?.0.taking {
        return Err(StoreError::NotFound("file that waits"));
    }
    diesel::update(imports::table.find(id)).set(imports::state.eq(ImportState::Dropped)).execute(c.sql())?;
    events::note(c, Some(user.id), "file dropped", &format!("import {id}"))
}
