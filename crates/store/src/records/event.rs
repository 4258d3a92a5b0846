//! An event of the record.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use crate::schema::events;

/// A row of the record. Events older than strands have none.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = events)]
pub(crate) struct EventRecord {
    pub(crate) id: u64,
    pub(crate) at: NaiveDateTime,
    pub(crate) user_id: Option<u32>,
    pub(crate) what: String,
    pub(crate) about: String,
    pub(crate) reason: String,
    pub(crate) strand: Option<u32>,
    pub(crate) number: Option<u32>,
    pub(crate) before_digest: String,
    pub(crate) digest: String,
}

/// A row to be written.
#[derive(Insertable)]
#[diesel(table_name = events)]
pub(crate) struct NewEvent<'a> {
    at: NaiveDateTime,
    user_id: Option<u32>,
    what: &'a str,
    about: &'a str,
    reason: &'a str,
    strand: Option<u32>,
    number: Option<u32>,
    before_digest: &'a str,
    digest: &'a str,
}

impl<'a> From<&'a EventRecord> for NewEvent<'a> {
    fn from(e: &'a EventRecord) -> Self {
        NewEvent {
            at: e.at,
            user_id: e.user_id,
            what: &e.what,
            about: &e.about,
            reason: &e.reason,
            strand: e.strand,
            number: e.number,
            before_digest: &e.before_digest,
            digest: &e.digest,
        }
    }
}
