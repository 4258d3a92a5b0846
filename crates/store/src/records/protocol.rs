//! Texts of protocols, those in force and those before.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::words::FolderState;
use crate::schema::{folder_texts, protocols};

/// A text to be kept.
#[derive(Insertable)]
#[diesel(table_name = protocols)]
pub(crate) struct NewProtocol<'a> {
    pub(crate) slug: &'a str,
    pub(crate) version: u32,
    pub(crate) digest: &'a str,
    pub(crate) title: &'a str,
    pub(crate) source: &'a str,
    pub(crate) loaded_at: NaiveDateTime,
}

/// A version of a lab's protocol.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = protocols)]
pub struct Version {
    /// Id.
    pub id: u32,
    /// Its digest.
    pub digest: String,
    /// Its number.
    pub version: u32,
    /// When it was kept first.
    pub loaded_at: NaiveDateTime,
}

/// A text of the protocols' folder that is not in force and is no newer version.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = folder_texts)]
pub struct FolderText {
    /// Id of its lab.
    pub slug: String,
    /// Its digest.
    pub digest: String,
    /// Its version.
    pub version: u32,
    /// The text.
    pub source: String,
    /// What is done with it.
    pub state: FolderState,
    /// When it was seen last.
    pub seen_at: NaiveDateTime,
}
