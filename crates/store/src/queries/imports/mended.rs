//! Rows held back, mended in place.

use std::collections::BTreeMap;

use diesel::prelude::*;
use jurado_core::error::Fault;
use jurado_core::submission::Submission;
use jurado_intake::{Effort, UPLOAD, put_into, read_file, under_head};

use super::{Place, Preview, Taken, Teams, placed, preview};
use crate::queries::ground::{self, Ground};
use crate::queries::labs::{self, Lab};
use crate::queries::sheets::{self, hand_in};
use crate::queries::users::User;
use crate::queries::{quarantine as waiting, roster};
use crate::schema::{imports, quarantine};
use crate::{Db, StoreError};

/// Mends a held row in place: read anew under the head of its file, and what it gives added to its team's table as a new
/// revision. The row as it stood stays stored.
///
/// # Errors
/// [`StoreError::NotFound`]; [`StoreError::File`] where the mended row still cannot be used; faults of the database.
pub fn mend(c: &mut Db, held: u32, text: &str, user: &User) -> Result<Taken, StoreError> {
    if !waiting::waiting(c, user)?.iter().any(|h| h.id == held) {
        return Err(StoreError::NotFound("row that waits"));
    }
    let import: u32 = quarantine::table.find(held).select(quarantine::import_id).for_update().first(c.sql())?;
    let Preview { file, columns, .. } = preview(c, import, user)?;
    let body: Vec<u8> = imports::table.find(import).select(imports::body).first(c.sql())?;
    let lab = labs::get(c, file.lab_id)?;
    let roster = roster::roster(c, user)?;
    let line = under_head(&body, &columns, text).map_err(StoreError::File)?;
    let intake = read_file(line.as_bytes(), &lab.protocol, Some(&roster), &Effort::new(UPLOAD), None)
        .map_err(StoreError::File)?;
    if let Some(h) = intake.held.into_iter().next() {
        return Err(StoreError::File(Fault { line: 1, ..h.fault }));
    }
    let taken = put_rows(c, &lab, (import, held), intake.tables, user)?;
    Ok(taken)
}

/// Puts cells into the tables that are there.
fn put_rows(
    c: &mut Db,
    lab: &Lab,
    (import, held): (u32, u32),
    rows: Vec<Submission>,
    user: &User,
) -> Result<Taken, StoreError> {
    let teams = Teams::all(c)?;
    let places: Vec<Place> = placed(&teams, &rows)?.iter().map(|(place, _)| *place).collect();
    let grounds: BTreeMap<u32, Ground> = ground::hold_sections(c, lab.id, places.iter().map(|place| place.1))?;
    ground::still_there(c, &places)?;
    waiting::put_away(c, held, user)?;
    let mut taken = Taken::default();
    for table in rows {
        let place = placed(&teams, std::slice::from_ref(&table))?[0].0;
        // The sheet is held before what it has is read, so that two mended rows of one table both stay.
        sheets::place_of(c, lab.id, place.0, place.1)?;
        let whole = match sheets::current(c, lab.id, place.0)? {
            None => table,
            Some(there) => put_into(there, table),
        };
        let whole = Submission { waiting: sheets::waiting(c, (lab.id, import), place.0)?, ..whole };
        let ground = grounds.get(&place.1).ok_or(StoreError::NotFound("section"))?;
        taken.count(hand_in(c, ground, place, import, &whole, &user.into())?);
    }
    Ok(taken)
}
