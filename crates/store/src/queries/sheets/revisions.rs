//! What was handed in before.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::submission::Submission;

use super::read::{Stored, get};
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
    let rows: Vec<Stored> = submissions::table
        .filter(submissions::sheet_id.eq(id))
        .order(submissions::revision)
        .select(Stored::as_select())
        .load(c.sql())?;
    rows.into_iter().map(|s| Ok(Revision { number: s.revision, at: s.handed_in_at, submission: s.table()? })).collect()
}
