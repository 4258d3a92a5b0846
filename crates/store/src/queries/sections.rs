//! What a section sets for a lab, with its history. Changing it is in [`super::changes`], since tables are judged anew.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::section::Section;

use super::labs::Hold;
use crate::schema::{section_lab_history as history, section_labs, users};
use crate::{Db, StoreError};

/// What a section sets for a lab now.
#[derive(Clone, Debug, Default)]
pub struct Setting {
    /// Version that a change must be based on; 0 where nothing was ever set.
    pub version: u32,
    /// As the core reads it.
    pub settings: Section,
    /// When tables are due.
    pub due_at: Option<NaiveDateTime>,
}

/// One change of what a section sets.
#[derive(Clone, Debug)]
pub struct Past {
    /// Version it made.
    pub version: u32,
    /// What it set.
    pub settings: Section,
    /// When tables were due by it.
    pub due_at: Option<NaiveDateTime>,
    /// Why.
    pub reason: String,
    /// Who.
    pub by: String,
    /// When.
    pub at: NaiveDateTime,
}

fn parsed(text: &str) -> Result<Section, StoreError> {
    serde_json::from_str(text).map_err(|e| StoreError::Broken(format!("a section's settings: {e}")))
}

#[derive(QueryableByName)]
struct Stands {
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    term_id: u32,
    #[diesel(sql_type = diesel::sql_types::Bool)]
    closed: bool,
}

/// Holds the row of a section, in which something is to be changed. Gives whether it is open for tables.
///
/// # Errors
/// [`StoreError::Bad`] where its term has ended: what belongs to it stays as it is; [`StoreError::NotFound`]; faults of the
/// database.
pub(crate) fn hold(c: &mut Db, id: u32, how: Hold) -> Result<bool, StoreError> {
    let text = format!("SELECT term_id, closed_at IS NOT NULL AS closed FROM sections WHERE id = {id} {}", how.sql());
    let rows: Vec<Stands> = diesel::sql_query(text).load(c.sql())?;
    let stands = rows.first().ok_or(StoreError::NotFound("section"))?;
    if stands.term_id != 0 {
        return Err(StoreError::Bad(
            "this belongs to a term that has ended".into(),
            "it can be read and exported, and is not changed any more".into(),
        ));
    }
    Ok(!stands.closed)
}

/// What a section sets for a lab now.
///
/// # Errors
/// Faults of the database.
pub fn get(c: &mut Db, section: u32, lab: u32) -> Result<Setting, StoreError> {
    let row: Option<(u32, String, Option<NaiveDateTime>)> = section_labs::table
        .find((section, lab))
        .select((section_labs::version, section_labs::settings, section_labs::due_at))
        .first(c.sql())
        .optional()?;
    match row {
        None => Ok(Setting::default()),
        Some((version, text, due_at)) => Ok(Setting { version, settings: parsed(&text)?, due_at }),
    }
}

/// All due times, by section and lab.
///
/// # Errors
/// Faults of the database.
pub fn due(c: &mut Db) -> Result<Vec<(u32, u32, NaiveDateTime)>, StoreError> {
    Ok(section_labs::table
        .filter(section_labs::due_at.is_not_null())
        .select((section_labs::section_id, section_labs::lab_id, section_labs::due_at.assume_not_null()))
        .load(c.sql())?)
}

/// Keeps what a section sets for a lab as its next version, with its history. The section's row is held by the caller.
pub(crate) fn keep(
    c: &mut Db,
    (section, lab): (u32, u32),
    new: &Setting,
    reason: &str,
    user: u32,
) -> Result<(), StoreError> {
    let text = serde_json::to_string(&new.settings).map_err(|e| StoreError::Broken(e.to_string()))?;
    let at = c.now()?;
    diesel::replace_into(section_labs::table)
        .values((
            section_labs::section_id.eq(section),
            section_labs::lab_id.eq(lab),
            section_labs::version.eq(new.version),
            section_labs::settings.eq(&text),
            section_labs::due_at.eq(new.due_at),
        ))
        .execute(c.sql())?;
    diesel::insert_into(history::table)
        .values((
            history::section_id.eq(section),
            history::lab_id.eq(lab),
            history::version.eq(new.version),
            history::settings.eq(&text),
            history::due_at.eq(new.due_at),
            history::reason.eq(reason),
            history::user_id.eq(user),
            history::at.eq(at),
        ))
        .execute(c.sql())?;
    Ok(())
}

/// The changes of what a section sets for a lab, newest first.
///
/// # Errors
/// Faults of the database.
pub fn past(c: &mut Db, section: u32, lab: u32) -> Result<Vec<Past>, StoreError> {
    type Row = (u32, String, Option<NaiveDateTime>, String, String, NaiveDateTime);
    let rows: Vec<Row> = history::table
        .inner_join(users::table)
        .filter(history::section_id.eq(section))
        .filter(history::lab_id.eq(lab))
        .order(history::version.desc())
        .select((history::version, history::settings, history::due_at, history::reason, users::name, history::at))
        .load(c.sql())?;
    rows.into_iter()
        .map(|(version, text, due_at, reason, by, at)| {
            Ok(Past { version, settings: parsed(&text)?, due_at, reason, by, at })
        })
        .collect()
}
