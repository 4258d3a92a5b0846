//! A table comes in: a new sheet, a new revision, or nothing where it is the same as before.

use diesel::prelude::*;
use jurado_core::submission::Submission;

use crate::queries::events;
use crate::queries::ground::Ground;
use crate::queries::sheets::read::{named, table as read};
use crate::queries::users::User;
use crate::records::sheet::{NewSheet, Turn};
use crate::schema::{sheets, submissions};
use crate::{Db, StoreError, inserted};

/// What handing in a table did.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum HandedIn {
    New,
    Revised,
    Unchanged,
}

/// A team's sheet of a lab, held: its id, version and current submission. One is made where there is none. Looking comes
/// first, since an insertion that finds a row there holds it in a way that two such can wait for each other.
pub(crate) fn place_of(c: &mut Db, lab: u32, team: u32, section: u32) -> Result<(u32, u32, Option<u32>), StoreError> {
    loop {
        let there: Option<(u32, u32, Option<u32>)> = sheets::table
            .filter(sheets::lab_id.eq(lab))
            .filter(sheets::team_id.eq(team))
            .select((sheets::id, sheets::version, sheets::submission_id))
            .for_update()
            .first(c.sql())
            .optional()?;
        if let Some(place) = there {
            return Ok(place);
        }
        let made =
            diesel::insert_or_ignore_into(sheets::table).values(NewSheet::new(lab, team, section)).execute(c.sql())?;
        if made == 1 {
            return Ok((inserted(c.sql())?, 0, None));
        }
    }
}

/// Who brings a table: a person, or the team itself.
pub(crate) struct By<'a> {
    pub(crate) id: Option<u32>,
    pub(crate) name: &'a str,
}

impl<'a> From<&'a User> for By<'a> {
    fn from(user: &'a User) -> By<'a> {
        By { id: Some(user.id), name: &user.name }
    }
}

/// Puts a table in its team's place. What it is judged by is held by the caller.
pub(crate) fn hand_in(
    c: &mut Db,
    ground: &Ground,
    (team, section): (u32, u32),
    import: u32,
    table: &Submission,
    by: &By<'_>,
) -> Result<HandedIn, StoreError> {
    if !ground.open {
        return Err(StoreError::Bad(
            format!("{} is closed, so that no table of it is taken in", table.section),
            "the coordinator can open it again under Sections".into(),
        ));
    }
    // How many rows wait is no part of what was handed in.
    let as_typed = Submission { waiting: 0, ..table.clone() };
    let body = serde_json::to_string(&as_typed).map_err(|e| StoreError::Broken(e.to_string()))?;
    let digest = crate::digest(body.as_bytes());
    let (sheet, version, current) = place_of(c, ground.lab.id, team, section)?;
    let removed: bool = sheets::table.find(sheet).select(sheets::removal_id.is_not_null()).first(c.sql())?;
    let mut revision = 1;
    if let Some(current) = current {
        let (last, same, was): (u32, String, String) = submissions::table
            .find(current)
            .select((submissions::revision, submissions::digest, submissions::body))
            .first(c.sql())?;
        // Its section or team may have been renamed since: the same table under a new name is the same table.
        // One that had been taken out is there again, whatever it holds.
        if !removed
            && (same == digest
                || serde_json::to_string(&named(c, team, read(&was, 0, 0)?)?).is_ok_and(|was| was == body))
        {
            return Ok(HandedIn::Unchanged);
        }
        revision = last + 1;
    }
    let at = c.now()?;
    diesel::insert_into(submissions::table)
        .values((
            submissions::sheet_id.eq(sheet),
            submissions::revision.eq(revision),
            submissions::import_id.eq(import),
            submissions::body.eq(&body),
            submissions::digest.eq(&digest),
            submissions::handed_in_at.eq(at),
            submissions::waiting.eq(table.waiting),
        ))
        .execute(c.sql())?;
    let submission = inserted(c.sql())?;
    let station = table.keys.get("station").map(String::as_str).unwrap_or_default();
    let judged = ground.judge(&Submission { number: submission, ..table.clone() }, &[]);
    diesel::update(sheets::table.find(sheet))
        .set((
            (
                sheets::submission_id.eq(Some(submission)),
                sheets::station.eq(station),
                sheets::removal_id.eq(None::<u32>),
            ),
            ground.derived(&judged),
            Turn::waiting(version + 1, by.name, &format!("brought revision {revision} of the table")),
        ))
        .execute(c.sql())?;
    events::note(c, by.id, "handed in", &format!("sheet {sheet} revision {revision}"))?;
    Ok(if revision == 1 { HandedIn::New } else { HandedIn::Revised })
}
