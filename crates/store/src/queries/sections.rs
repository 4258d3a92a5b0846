//! What a section sets for a lab, with its history.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::section::Section;

use super::users::User;
use super::{events, labs, sheets};
use crate::error::Conflict;
use crate::schema::{section_lab_history as history, section_labs, sections, users};
use crate::{Db, StoreError, now};

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

/// The settings of a section for a lab and its due time; what a section never set is the default.
pub(crate) fn settings(c: &mut Db, section: u32, lab: u32) -> Result<(Section, Option<NaiveDateTime>), StoreError> {
    let now = get(c, section, lab)?;
    Ok((now.settings, now.due_at))
}

/// What a section sets for a lab now.
///
/// # Errors
/// Faults of the database.
pub fn get(c: &mut Db, section: u32, lab: u32) -> Result<Setting, StoreError> {
    let row: Option<(u32, String, Option<NaiveDateTime>)> = section_labs::table
        .find((section, lab))
        .select((section_labs::version, section_labs::settings, section_labs::due_at))
        .first(c)
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
        .load(c)?)
}

/// Sets what a section asks of a lab, based on the version the person saw, and judges its tables anew, all in one
/// transaction. Gives how many were judged anew.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first; [`StoreError::NotFound`] for a section that is not the person's;
/// faults of the database.
pub fn set(
    c: &mut Db,
    (section, lab): (u32, u32),
    version: u32,
    new: &Section,
    due_at: Option<NaiveDateTime>,
    reason: &str,
    user: &User,
) -> Result<usize, StoreError> {
    if !user.sees(section) {
        return Err(StoreError::NotFound("section"));
    }
    let text = serde_json::to_string(new).map_err(|e| StoreError::Broken(e.to_string()))?;
    c.transaction(|c| {
        // The row of the section is locked, so that two first settings of one place cannot both be the first.
        let _: u32 = sections::table.find(section).select(sections::id).for_update().first(c)?;
        let before = get(c, section, lab)?;
        if before.version != version {
            let last = past(c, section, lab)?.into_iter().next();
            let (by, reason) = last.map_or_else(|| ("Somebody".to_owned(), String::new()), |p| (p.by, p.reason));
            let theirs = format!("what this section sets was changed (“{reason}”)");
            return Err(StoreError::Conflict(Box::new(Conflict { version: before.version, by, theirs })));
        }
        let next = version + 1;
        diesel::replace_into(section_labs::table)
            .values((
                section_labs::section_id.eq(section),
                section_labs::lab_id.eq(lab),
                section_labs::version.eq(next),
                section_labs::settings.eq(&text),
                section_labs::due_at.eq(due_at),
            ))
            .execute(c)?;
        diesel::insert_into(history::table)
            .values((
                history::section_id.eq(section),
                history::lab_id.eq(lab),
                history::version.eq(next),
                history::settings.eq(&text),
                history::due_at.eq(due_at),
                history::reason.eq(reason),
                history::user_id.eq(user.id),
                history::at.eq(now()),
            ))
            .execute(c)?;
        events::note(c, Some(user.id), "section set", &format!("section {section} lab {lab} version {next}"))?;
        let lab = labs::get(c, lab)?;
        sheets::rejudge(c, &lab, section, new)
    })
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
        .load(c)?;
    rows.into_iter()
        .map(|(version, text, due_at, reason, by, at)| {
            Ok(Past { version, settings: parsed(&text)?, due_at, reason, by, at })
        })
        .collect()
}
