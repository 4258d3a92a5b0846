//! Drafts: what a team has typed of a sheet. Each saving makes a version, and the last ones are kept, so that what two phones
//! typed at once can be joined.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::cell::Under;

use super::door::Team;
use crate::schema::{draft_books, drafts};
use crate::{Db, StoreError};

/// Longest draft, in bytes.
pub const MOST_BYTES: usize = 256 * 1024;
/// Versions that are kept of a sheet.
const KEPT: u32 = 12;

/// What was typed.
#[derive(Clone, Debug, Queryable)]
pub struct Draft {
    /// Version, from 1.
    pub version: u32,
    /// The fields, as their page made a text of them.
    pub body: String,
    /// When it was saved.
    pub at: NaiveDateTime,
    /// Whether it was handed in just so.
    pub handed_in: bool,
}

/// The last version of a team's sheet.
///
/// # Errors
/// Faults of the database.
pub fn last(c: &mut Db, team: &Team, lab: u32) -> Result<Option<Draft>, StoreError> {
    Ok(drafts::table
        .filter(drafts::team_id.eq(team.id))
        .filter(drafts::lab_id.eq(lab))
        .filter(drafts::version.gt(0))
        .order(drafts::version.desc())
        .select((drafts::version, drafts::body, drafts::saved_at, drafts::handed_in))
        .first(c.sql())
        .optional()?)
}

/// What was typed in a version, if it is still kept.
///
/// # Errors
/// Faults of the database.
pub fn body(c: &mut Db, team: &Team, lab: u32, version: u32) -> Result<Option<String>, StoreError> {
    Ok(drafts::table.find((team.id, lab, version)).select(drafts::body).first(c.sql()).optional()?)
}

/// Keeps what a sheet was before anybody typed here, as version 0: two phones that both begin with it can be joined.
///
/// # Errors
/// Faults of the database.
pub fn keep_first(c: &mut Db, team: &Team, lab: u32, body: &str) -> Result<(), StoreError> {
    let now = c.now()?;
    let new = (
        drafts::team_id.eq(team.id),
        drafts::lab_id.eq(lab),
        drafts::version.eq(0),
        drafts::body.eq(body),
        drafts::saved_at.eq(now),
        drafts::handed_in.eq(false),
    );
    diesel::insert_or_ignore_into(drafts::table).values(new).execute(c.sql())?;
    Ok(())
}

/// Keeps what a team has typed as the version after `before`.
///
/// # Errors
/// [`StoreError::Conflict`] where another phone saved meanwhile; [`StoreError::Bad`] where it is too long; faults of the
/// database.
pub fn keep(
    c: &mut Db,
    team: &Team,
    lab: u32,
    (before, body): (u32, &str),
    handed_in: bool,
) -> Result<NaiveDateTime, StoreError> {
    if body.len() > MOST_BYTES {
        return Err(StoreError::Bad(
            "the sheet is too long to be kept".into(),
            "take out what is not of the lab".into(),
        ));
    }
    let (now, version) = (c.now()?, before + 1);
    let new = (
        drafts::team_id.eq(team.id),
        drafts::lab_id.eq(lab),
        drafts::version.eq(version),
        drafts::body.eq(body),
        drafts::saved_at.eq(now),
        drafts::handed_in.eq(handed_in),
    );
    let put = diesel::insert_or_ignore_into(drafts::table).values(new).execute(c.sql())?;
    if put == 0 {
        return Err(StoreError::conflict(version, "Another phone of your team", "it saved this sheet meanwhile"));
    }
    if let Some(old) = version.checked_sub(KEPT).filter(|n| *n > 0) {
        let of = drafts::table.filter(drafts::team_id.eq(team.id)).filter(drafts::lab_id.eq(lab));
        diesel::delete(of.filter(drafts::version.le(old))).execute(c.sql())?;
    }
    Ok(now)
}

/// Keeps the formulas under the cells of the spreadsheet that a team brought to its draft, in place of those of the one before;
/// nothing where it has none.
///
/// # Errors
/// Faults of the database.
pub fn keep_book(c: &mut Db, team: &Team, lab: u32, under: Option<&Under>) -> Result<(), StoreError> {
    let Some(under) = under else {
        let of = draft_books::table.filter(draft_books::team_id.eq(team.id)).filter(draft_books::lab_id.eq(lab));
        diesel::delete(of).execute(c.sql())?;
        return Ok(());
    };
    let body = serde_json::to_string(under).map_err(|e| StoreError::Broken(e.to_string()))?;
    let new = (
        draft_books::team_id.eq(team.id),
        draft_books::lab_id.eq(lab),
        draft_books::body.eq(body),
        draft_books::at.eq(c.now()?),
    );
    diesel::replace_into(draft_books::table).values(new).execute(c.sql())?;
    Ok(())
}

/// The formulas under the cells of the spreadsheet that a team brought last.
///
/// # Errors
/// Faults of the database.
pub fn book(c: &mut Db, team: &Team, lab: u32) -> Result<Option<Box<Under>>, StoreError> {
    let body: Option<String> =
        draft_books::table.find((team.id, lab)).select(draft_books::body).first(c.sql()).optional()?;
    body.map(|b| serde_json::from_str(&b).map_err(|e| StoreError::Broken(format!("formulas of a draft: {e}"))))
        .transpose()
}
