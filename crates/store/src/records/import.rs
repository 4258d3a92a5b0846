//! A file that was handed in.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::words::ImportState;
use crate::schema::imports;

/// A file without its bytes.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = imports)]
pub(crate) struct ImportRecord {
    pub(crate) id: u32,
    pub(crate) lab_id: u32,
    pub(crate) user_id: Option<u32>,
    pub(crate) file_name: String,
    pub(crate) state: ImportState,
    pub(crate) offered_at: NaiveDateTime,
    pub(crate) taken_at: Option<NaiveDateTime>,
    pub(crate) unreadable: String,
    pub(crate) replaces: bool,
}

/// A file to be kept.
#[derive(Insertable)]
#[diesel(table_name = imports)]
pub(crate) struct NewImport<'a> {
    pub(crate) lab_id: u32,
    pub(crate) user_id: Option<u32>,
    pub(crate) file_name: &'a str,
    pub(crate) digest: &'a str,
    pub(crate) body: &'a [u8],
    pub(crate) state: ImportState,
    pub(crate) offered_at: NaiveDateTime,
}
