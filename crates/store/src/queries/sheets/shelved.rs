//! Why nothing of a table is changed any more.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use crate::schema::{removals, sections, terms, users};
use crate::{Db, StoreError};

/// Days for which what was taken out can be brought back.
pub const DAYS_BACK: i64 = 30;

/// Where a table lies that is in no queue.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shelved {
    /// In a term that has ended, of this name.
    Ended(String),
    /// It was taken out.
    Removed(Removal),
}

/// A table, or all tables of a lab, that were taken out.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct Removal {
    /// Id.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Whether all tables of the lab were.
    pub whole_lab: bool,
    /// Why.
    pub reason: String,
    /// Who did it.
    pub by: String,
    /// When.
    pub at: NaiveDateTime,
}

impl Removal {
    /// Until when it can be brought back.
    pub fn until(&self) -> NaiveDateTime {
        self.at + chrono::Duration::days(DAYS_BACK)
    }
}

/// Why nothing is changed of a table of this section that bears this removal.
pub(super) fn why(c: &mut Db, section: u32, removal: Option<u32>) -> Result<Option<Shelved>, StoreError> {
    let term: Option<String> = sections::table
        .inner_join(terms::table.on(terms::id.eq(sections::term_id)))
        .filter(sections::id.eq(section))
        .select(terms::name)
        .first(c.sql())
        .optional()?;
    if let Some(term) = term {
        return Ok(Some(Shelved::Ended(term)));
    }
    match removal {
        None => Ok(None),
        Some(id) => Ok(Some(Shelved::Removed(removal_of(c, id)?))),
    }
}

/// What was taken out, by id.
pub(crate) fn removal_of(c: &mut Db, id: u32) -> Result<Removal, StoreError> {
    removals::table
        .inner_join(users::table)
        .filter(removals::id.eq(id))
        .filter(removals::back_at.is_null())
        .select((removals::id, removals::lab_id, removals::whole_lab, removals::reason, users::name, removals::at))
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("removal"))
}
