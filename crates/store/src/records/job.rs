//! Long work: what, for whom, how far, and in whose hands it is.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::words::{JobKind, JobState};
use crate::schema::jobs;

/// A piece of long work.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = jobs)]
pub struct Job {
    /// Id.
    pub id: u32,
    /// What it does.
    pub kind: JobKind,
    /// For which lab.
    pub lab_id: u32,
    /// The file it takes, if it takes one.
    pub import_id: Option<u32>,
    /// The protocol it puts in force, if it does.
    pub protocol_id: Option<u32>,
    /// Where it stands.
    pub state: JobState,
    /// Tables done.
    pub done: u32,
    /// Tables in all, as far as is known.
    pub total: u32,
    /// What it came to, in a sentence.
    pub outcome: String,
    /// Why it was asked for.
    pub reason: String,
    /// Who asked for it; nobody for a start of the program.
    pub user_id: Option<u32>,
    /// How often it was begun.
    pub tries: u32,
    /// When it was asked for.
    pub asked_at: NaiveDateTime,
    /// When it ended.
    pub ended_at: Option<NaiveDateTime>,
}

/// Work that is asked for.
#[derive(Insertable)]
#[diesel(table_name = jobs)]
pub(crate) struct NewJob<'a> {
    pub(crate) kind: JobKind,
    pub(crate) lab_id: u32,
    pub(crate) import_id: Option<u32>,
    pub(crate) protocol_id: Option<u32>,
    pub(crate) state: JobState,
    pub(crate) total: u32,
    pub(crate) reason: &'a str,
    pub(crate) user_id: Option<u32>,
    pub(crate) asked_at: NaiveDateTime,
}
