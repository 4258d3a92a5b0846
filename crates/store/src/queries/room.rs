//! What a team types in the room, while it measures: each phone's readings beside the others', so that two phones join. Nothing
//! of it is a sheet, and nothing is kept for longer than an hour.

use std::collections::BTreeMap;

use chrono::{NaiveDateTime, TimeDelta};
use diesel::prelude::*;

use super::door::Team;
use crate::schema::room_readings as readings;
use crate::{Db, StoreError};

/// For how long a phone's readings are kept after it sent them last.
pub const KEPT: TimeDelta = TimeDelta::minutes(60);
/// Most phones of a team in a lab; the oldest goes.
const MOST_PHONES: i64 = 8;
/// Longest text of a phone's readings, in bytes.
const MOST_BYTES: usize = 60_000;

/// The readings of one phone, by the name of their field.
pub type Readings = BTreeMap<String, String>;

/// What the phones of a team have typed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Joined {
    /// Of this phone.
    pub mine: Readings,
    /// Of all others, the newest first.
    pub others: Vec<Readings>,
    /// Until when the last of it is kept; `None` where there is nothing.
    pub until: Option<NaiveDateTime>,
}

/// Keeps what a phone has typed so far, in place of what it sent before, and gives what all phones have.
///
/// # Errors
/// [`StoreError::Bad`] where it is more than any sheet holds; faults of the database.
pub fn send(c: &mut Db, team: &Team, lab: u32, phone: &str, typed: &Readings) -> Result<Joined, StoreError> {
    let body = serde_json::to_string(typed).map_err(|e| StoreError::Broken(e.to_string()))?;
    if body.len() > MOST_BYTES {
        return Err(StoreError::Bad("these are more readings than a sheet holds".into(), "shorten them".into()));
    }
    let now = c.now()?;
    forget(c, now)?;
    diesel::replace_into(readings::table)
        .values((
            readings::team_id.eq(team.id),
            readings::lab_id.eq(lab),
            readings::phone.eq(phone),
            readings::body.eq(body),
            readings::at.eq(now),
        ))
        .execute(c.sql())?;
    look(c, team, lab, phone)
}

/// What the phones of a team have typed within the hour.
///
/// # Errors
/// Faults of the database.
pub fn look(c: &mut Db, team: &Team, lab: u32, phone: &str) -> Result<Joined, StoreError> {
    let now = c.now()?;
    let rows: Vec<(String, String, NaiveDateTime)> = readings::table
        .filter(readings::team_id.eq(team.id))
        .filter(readings::lab_id.eq(lab))
        .filter(readings::at.gt(now - KEPT))
        .order((readings::at.desc(), readings::phone))
        .limit(MOST_PHONES)
        .select((readings::phone, readings::body, readings::at))
        .load(c.sql())?;
    let mut out = Joined::default();
    for (of, body, at) in rows {
        let typed: Readings = serde_json::from_str(&body).unwrap_or_default();
        out.until = out.until.max(Some(at + KEPT));
        if of == phone {
            out.mine = typed;
        } else {
            out.others.push(typed);
        }
    }
    Ok(out)
}

/// Deletes what is older than an hour, of all teams.
///
/// # Errors
/// Faults of the database.
pub fn forget(c: &mut Db, now: NaiveDateTime) -> Result<usize, StoreError> {
    Ok(diesel::delete(readings::table.filter(readings::at.le(now - KEPT))).execute(c.sql())?)
}
