//! A person who signs in.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::words::Role;
use crate::schema::users;

/// A person without own sections.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = users)]
pub(crate) struct UserRecord {
    pub(crate) id: u32,
    pub(crate) sign_in: String,
    pub(crate) name: String,
    pub(crate) role: Role,
    pub(crate) epoch: u32,
    pub(crate) closed_at: Option<NaiveDateTime>,
    pub(crate) demo: u8,
}

/// A person to be kept.
#[derive(Insertable)]
#[diesel(table_name = users)]
pub(crate) struct NewUser<'a> {
    pub(crate) sign_in: &'a str,
    pub(crate) name: &'a str,
    pub(crate) role: Role,
    pub(crate) password_hash: &'a str,
    pub(crate) made_at: NaiveDateTime,
    pub(crate) demo: u8,
}
