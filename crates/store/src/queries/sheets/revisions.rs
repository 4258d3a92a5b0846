//! What was handed in before.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::submission::Submission;

use super::read::{get, table};
use crate::queries::users::User;
use crate::schema::submissions;
use crate::{Db, StoreError};

/// A revision of a table: its number, when it came, and the table.
#[derive(Clone, Debug)]
pub struct Revision {
    /// Number, from 1.
    pub number: u32,
    /// When it was handed in.
    pub at: NaiveDateTime,
    /// The table.
    pub submission: Submission,
}

/// All revisions of a sheet, oldest first.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn revisions(c: &mut Db, id: u32, user: &User) -> Result<Vec<Revision>, StoreError> {
    get(c, id, user)?;
    let rows: Vec<(u32, NaiveDateTime, String, u32, u32)> = submissions::table
        .filter(submissions::sheet_id.eq(id))
        .order(submissions::revision)
        .select((
            submissions::revision,
            submissions::handed_in_at,
            submissions::body,
            submissions::waiting,
            submissions::id,
        ))
        .load(c.sql())?;
    rows.into_iter()
        .map(|(number, at, body, waiting, id)| Ok(Revision { number, at, submission: table(&body, waiting, id)? }))
        .collect()
}
