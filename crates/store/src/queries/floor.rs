//! A lab over all its sections, and what is noted of its apparatus for the storeroom.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::class::{Entry, Essence};

use super::course::named;
use super::users::User;
use super::{events, labs};
use crate::records::words::SheetState;
use crate::schema::{sections, sheets, storeroom_notes, teams, users};
use crate::{Db, StoreError, inserted, on_all_cores};

/// Where the table of an entry stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Seat {
    /// Its sheet.
    pub sheet: u32,
    /// Its section.
    pub section_id: u32,
    /// Whether somebody has decided it.
    pub decided: bool,
}

/// What is asked of the tables of a class.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// Values and keys.
    Values,
    /// The cells as well, to find shared readings.
    Cells,
}

/// The tables of a lab as a class sees them, each with its place, by section and team: of all sections, since a station
/// stands in all of them. Whoever shows them hides the names of those that are not the person's.
///
/// # Errors
/// [`StoreError::Broken`] where what was kept of a table cannot be read; faults of the database.
pub fn class(c: &mut Db, lab: u32, depth: Depth) -> Result<(Vec<Seat>, Vec<Entry>), StoreError> {
    type Row = ((u32, u32, SheetState, i32), (String, String, Option<String>), (String, String));
    let mut rows: Vec<Row> = sheets::table
        .inner_join(sections::table)
        .inner_join(teams::table)
        .left_join(users::table.on(sheets::signed_by.eq(users::id.nullable())))
        .filter(sheets::lab_id.eq(lab))
        .filter(sheets::stage.is_not_null())
        .select((
            (sheets::id, sheets::section_id, sheets::state, sections::position),
            (sections::name, teams::name, users::name.nullable()),
            (sheets::patterns, sheets::essence),
        ))
        .load(c.sql())?;
    // Sorted here: the database would carry the long texts through its sort.
    rows.sort_by(|(a, of_a, _), (b, of_b, _)| (a.3, a.1, &of_a.1, a.0).cmp(&(b.3, b.1, &of_b.1, b.0)));
    let read = |((sheet, section_id, state, _), (section, team, reviewer), (patterns, essence)): &Row| {
        let essence = match depth {
            // It was judged by an earlier program and is being judged anew: it has its place and no value yet.
            _ if essence.is_empty() => Some(Essence::default()),
            Depth::Values => Essence::without_cells(essence),
            Depth::Cells => Essence::from_text(essence),
        };
        let essence = essence.ok_or_else(|| StoreError::Broken(format!("what the class is told of sheet {sheet}")))?;
        let seat = Seat { sheet: *sheet, section_id: *section_id, decided: *state != SheetState::Waiting };
        let (section, team, reviewer) = (section.clone(), team.clone(), reviewer.clone().unwrap_or_default());
        Ok((seat, Entry { section, team, reviewer, found: Entry::found(patterns), essence }))
    };
    // Reading two thousand texts takes as long as fetching them: each core reads a part.
    let both: Result<Vec<(Seat, Entry)>, StoreError> = on_all_cores(&rows, read).into_iter().collect();
    Ok(both?.into_iter().unzip())
}

/// How many tables of each lab are in, by its number.
///
/// # Errors
/// Faults of the database.
pub fn in_by_lab(c: &mut Db) -> Result<Vec<(u32, i64)>, StoreError> {
    Ok(sheets::table
        .filter(sheets::stage.is_not_null())
        .group_by(sheets::lab_id)
        .order(sheets::lab_id)
        // As text, so that the statement is not kept.
        .select((sheets::lab_id, diesel::dsl::sql::<diesel::sql_types::BigInt>("COUNT(*)")))
        .load(c.sql())?)
}

/// A note for the storeroom.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoreroomNote {
    /// Number.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Id of the key, such as `station`.
    pub key: String,
    /// Its value.
    pub at: String,
    /// What was seen.
    pub body: String,
    /// Who wrote it, and when.
    pub by: String,
    /// When.
    pub written_at: NaiveDateTime,
    /// When it was seen to.
    pub done_at: Option<NaiveDateTime>,
}

/// Longest note, in characters.
pub const MOST_NOTE: usize = 500;
/// Longest name of what it is about, in characters.
const MOST_PLACE: usize = 80;

/// The notes for the storeroom, of one lab or of all: those to be seen to first, newest first.
///
/// # Errors
/// Faults of the database.
pub fn notes(c: &mut Db, lab: Option<u32>) -> Result<Vec<StoreroomNote>, StoreError> {
    type Row = (u32, u32, String, String, String, String, NaiveDateTime, Option<NaiveDateTime>);
    let mut query = storeroom_notes::table
        .inner_join(users::table.on(storeroom_notes::user_id.eq(users::id)))
        .order((storeroom_notes::done_at.is_not_null(), storeroom_notes::id.desc()))
        .select((
            storeroom_notes::id,
            storeroom_notes::lab_id,
            storeroom_notes::key_id,
            storeroom_notes::at_value,
            storeroom_notes::body,
            users::name,
            storeroom_notes::written_at,
            storeroom_notes::done_at,
        ))
        .limit(500)
        .into_boxed();
    if let Some(lab) = lab {
        query = query.filter(storeroom_notes::lab_id.eq(lab));
    }
    let rows: Vec<Row> = query.load(c.sql())?;
    let note = |(id, lab_id, key, at, body, by, written_at, done_at): Row| StoreroomNote {
        id,
        lab_id,
        key,
        at,
        body,
        by,
        written_at,
        done_at,
    };
    Ok(rows.into_iter().map(note).collect())
}

/// Writes a note about what stands at a place: `key` and `at` as the protocol has them. Gives its number.
///
/// # Errors
/// [`StoreError::Bad`] without a word, with too many, or for a place that the lab does not have; [`StoreError::NotFound`];
/// faults of the database.
pub fn write_note(c: &mut Db, lab: u32, (key, at): (&str, &str), body: &str, user: &User) -> Result<u32, StoreError> {
    let body = named("note", body, MOST_NOTE)?;
    let protocol = labs::get(c, lab)?.protocol;
    if !protocol.keys.iter().any(|k| k.id == key) || at.trim().is_empty() || at.chars().count() > MOST_PLACE {
        return Err(StoreError::Bad(
            "this lab has no such place".into(),
            "write the note from the place on the Floor".into(),
        ));
    }
    let now = c.now()?;
    diesel::insert_into(storeroom_notes::table)
        .values((
            storeroom_notes::lab_id.eq(lab),
            storeroom_notes::key_id.eq(key),
            storeroom_notes::at_value.eq(at.trim()),
            storeroom_notes::body.eq(body),
            storeroom_notes::user_id.eq(user.id),
            storeroom_notes::written_at.eq(now),
        ))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    events::note_why(c, Some(user.id), "note for the storeroom", &format!("lab {lab} {key} {at}"), body)?;
    Ok(id)
}

/// Says that a note was seen to.
///
/// # Errors
/// [`StoreError::NotFound`] also where somebody said so already; faults of the database.
pub fn see_to_note(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let now = c.now()?;
    let open = storeroom_notes::table.find(id).filter(storeroom_notes::done_at.is_null());
    let changed = diesel::update(open)
        .set((storeroom_notes::done_at.eq(Some(now)), storeroom_notes::done_by.eq(Some(user.id))))
        .execute(c.sql())?;
    if changed == 0 {
        return Err(StoreError::NotFound("note that waits"));
    }
    events::note(c, Some(user.id), "note for the storeroom seen to", &format!("note {id}"))
}
