//! Who has which table in hand. A courtesy and not a lock: a decision is guarded by the sheet's version.

use chrono::{NaiveDateTime, TimeDelta};
use diesel::prelude::*;

use super::users::User;
use crate::records::words::SheetState;
use crate::schema::sheets;
use crate::{Db, StoreError};

/// How long a table that was taken stays with the person who took it.
const HELD_MINUTES: i64 = 30;
/// Tables at the head of the queue that are looked at in one go.
const CANDIDATES: usize = 24;

#[derive(QueryableByName)]
struct Id {
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    id: u32,
}

/// Takes the next table for a person: one already in hand before a new one, the lab and section of `near` before others,
/// and never one that somebody else has in hand, nor `not`. Gives its id.
///
/// Candidates are read without holding anything; then one row alone is held and looked at once more. A row that another
/// process is choosing at this moment is passed over, not waited for.
///
/// # Errors
/// Faults of the database.
pub fn take_next(
    c: &mut Db,
    user: &User,
    near: Option<(u32, u32)>,
    not: Option<u32>,
) -> Result<Option<u32>, StoreError> {
    let (me, not) = (user.id, not.unwrap_or(0));
    // Numbers only: nothing that a person typed comes near this text.
    let seen = if user.sees_all() {
        String::new()
    } else if user.sections.is_empty() {
        return Ok(None);
    } else {
        let ids: Vec<String> = user.sections.iter().map(u32::to_string).collect();
        format!(" AND section_id IN ({})", ids.join(","))
    };
    let beside = near.map(|(lab, section)| format!(" AND lab_id = {lab} AND section_id = {section}"));
    let free = format!(" AND (taken_until IS NULL OR taken_until <= UTC_TIMESTAMP() OR taken_by = {me})");
    let mine = format!(" AND taken_by = {me} AND taken_until > UTC_TIMESTAMP()");
    let tries = [
        beside.as_ref().map(|b| format!("{mine}{b}")),
        Some(mine),
        beside.map(|b| format!("{free}{b}")),
        Some(free.clone()),
    ];
    for condition in tries.into_iter().flatten() {
        for stage in [super::docket::WANTS, super::docket::CLEAR] {
            let which = format!("FROM sheets WHERE stage = {stage} AND id <> {not}{seen}{condition}");
            let mut passed = 0;
            loop {
                let text = format!("SELECT id {which} ORDER BY calm, id LIMIT {CANDIDATES} OFFSET {passed}");
                let some: Vec<Id> = diesel::sql_query(text).load(c.sql())?;
                for Id { id } in &some {
                    let text = format!(
                        "SELECT id FROM sheets WHERE id = {id} AND stage = {stage}{free} FOR UPDATE SKIP LOCKED"
                    );
                    if diesel::sql_query(text).get_result::<Id>(c.sql()).optional()?.is_some() {
                        put_in_hand(c, *id, user)?;
                        return Ok(Some(*id));
                    }
                }
                passed += some.len();
                if some.len() < CANDIDATES {
                    break;
                }
            }
        }
    }
    Ok(None)
}

fn put_in_hand(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let until = c.now()? + TimeDelta::minutes(HELD_MINUTES);
    diesel::update(sheets::table.find(id))
        .set((sheets::taken_by.eq(Some(user.id)), sheets::taken_until.eq(Some(until))))
        .execute(c.sql())?;
    Ok(())
}

/// Puts a table in a person's hand, if nobody else has it and nobody is changing it at this moment.
///
/// # Errors
/// Faults of the database.
pub fn hold(c: &mut Db, id: u32, user: &User) -> Result<bool, StoreError> {
    let me = user.id;
    let text = format!(
        "SELECT id FROM sheets WHERE id = {id} AND state = '{}' AND (taken_until IS NULL OR taken_until <= UTC_TIMESTAMP() \
         OR taken_by = {me}) FOR UPDATE SKIP LOCKED",
        SheetState::Waiting.word()
    );
    let free = diesel::sql_query(text).get_result::<Id>(c.sql()).optional()?.is_some();
    if free {
        put_in_hand(c, id, user)?;
    }
    Ok(free)
}

/// Whether a person has a table in hand for so long still that holding it anew can wait.
///
/// # Errors
/// Faults of the database.
pub fn holds_well(c: &mut Db, taken: Option<(u32, NaiveDateTime)>, user: &User) -> Result<bool, StoreError> {
    let now = c.now()?;
    Ok(taken.is_some_and(|(by, until)| by == user.id && until > now + TimeDelta::minutes(HELD_MINUTES * 2 / 3)))
}

/// Lets a table go.
///
/// # Errors
/// Faults of the database.
pub fn let_go(c: &mut Db, id: u32) -> Result<(), StoreError> {
    diesel::update(sheets::table.find(id))
        .set((sheets::taken_by.eq(None::<u32>), sheets::taken_until.eq(None::<NaiveDateTime>)))
        .execute(c.sql())?;
    Ok(())
}
