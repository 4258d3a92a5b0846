//! Tokens with which a person's scripts come in. A token is shown once; a digest alone is kept.

use chrono::{NaiveDateTime, TimeDelta};
use diesel::prelude::*;

use super::events;
use super::users::{self, User};
use crate::schema::api_tokens as tokens;
use crate::{Db, StoreError};

/// Longest name, in characters.
pub const MOST_NAME: usize = 80;
/// For how many days a token serves.
pub const DAYS: i64 = 180;
/// Most tokens of a person that serve at the same time.
const MOST: i64 = 20;
/// The time of use is written anew after so long.
const USED: TimeDelta = TimeDelta::minutes(5);
/// How every token begins, so that one that stands where it should not is recognised.
pub const BEGINS: &str = "jurado_";

/// A token, without what opens anything.
#[derive(Clone, Debug, Queryable)]
pub struct Token {
    /// Id.
    pub id: u32,
    /// What it is for.
    pub name: String,
    /// Whether it may bring tables; any may read.
    pub brings: bool,
    /// When it was made.
    pub made_at: NaiveDateTime,
    /// Until when it serves.
    pub until: NaiveDateTime,
    /// When it was used last, within five minutes.
    pub used_at: Option<NaiveDateTime>,
}

fn digest_of(secret: &str) -> String {
    crate::digest(format!("token\n{secret}").as_bytes())
}

/// Makes a token of a person, and gives it: the only time.
///
/// # Errors
/// [`StoreError::Bad`] where the person has too many; faults of the database.
pub fn make(c: &mut Db, user: &User, name: &str, brings: bool) -> Result<String, StoreError> {
    let now = c.now()?;
    if list(c, user)?.len() as i64 >= MOST {
        return Err(StoreError::Bad(format!("you have {MOST} tokens"), "end one that is not used any more".into()));
    }
    let secret = format!("{BEGINS}{}", crate::secret());
    diesel::insert_into(tokens::table)
        .values((
            tokens::user_id.eq(user.id),
            tokens::name.eq(name),
            tokens::digest.eq(digest_of(&secret)),
            tokens::brings.eq(brings),
            tokens::made_at.eq(now),
            tokens::until.eq(now + TimeDelta::days(DAYS)),
        ))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "token made", name)?;
    Ok(secret)
}

/// The tokens of a person that serve, newest first.
///
/// # Errors
/// Faults of the database.
pub fn list(c: &mut Db, user: &User) -> Result<Vec<Token>, StoreError> {
    let now = c.now()?;
    Ok(tokens::table
        .filter(tokens::user_id.eq(user.id))
        .filter(tokens::closed_at.is_null())
        .filter(tokens::until.gt(now))
        .order(tokens::id.desc())
        .select((tokens::id, tokens::name, tokens::brings, tokens::made_at, tokens::until, tokens::used_at))
        .load(c.sql())?)
}

/// Ends a token of a person.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is another's; faults of the database.
pub fn end(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let now = c.now()?;
    let own =
        tokens::table.filter(tokens::id.eq(id)).filter(tokens::user_id.eq(user.id)).filter(tokens::closed_at.is_null());
    if diesel::update(own).set(tokens::closed_at.eq(Some(now))).execute(c.sql())? == 0 {
        return Err(StoreError::NotFound("token"));
    }
    events::note(c, Some(user.id), "token ended", &format!("token {id}"))
}

/// Ends all tokens of a person: whoever has one comes in no longer.
///
/// # Errors
/// Faults of the database.
pub(crate) fn end_all(c: &mut Db, user: u32) -> Result<(), StoreError> {
    let now = c.now()?;
    let all = tokens::table.filter(tokens::user_id.eq(user)).filter(tokens::closed_at.is_null());
    let ended = diesel::update(all).set(tokens::closed_at.eq(Some(now))).execute(c.sql())?;
    if ended > 0 {
        events::note(c, None, "tokens ended", &format!("person {user}: {ended}"))?;
    }
    Ok(())
}

/// How many tokens of each person serve, for whoever looks after people.
///
/// # Errors
/// Faults of the database.
pub fn counted(c: &mut Db) -> Result<Vec<(u32, i64)>, StoreError> {
    let now = c.now()?;
    Ok(tokens::table
        .filter(tokens::closed_at.is_null())
        .filter(tokens::until.gt(now))
        .group_by(tokens::user_id)
        .select((tokens::user_id, diesel::dsl::count_star()))
        .load(c.sql())?)
}

/// Ends all tokens of a person, as the coordinator does it.
///
/// # Errors
/// [`StoreError::NotFound`] where there is no such person; faults of the database.
pub fn end_of(c: &mut Db, person: u32, by: &User) -> Result<(), StoreError> {
    users::get(c, person)?;
    end_all(c, person)?;
    events::note(c, Some(by.id), "tokens ended", &format!("person {person}"))
}

/// Whose a token is, and whether it may bring tables; nobody's where it does not serve or its person was closed.
///
/// # Errors
/// Faults of the database.
pub fn whose(c: &mut Db, secret: &str) -> Result<Option<(User, bool)>, StoreError> {
    let now = c.now()?;
    let row: Option<(u32, u32, bool, Option<NaiveDateTime>)> = tokens::table
        .filter(tokens::digest.eq(digest_of(secret)))
        .filter(tokens::closed_at.is_null())
        .filter(tokens::until.gt(now))
        .select((tokens::id, tokens::user_id, tokens::brings, tokens::used_at))
        .first(c.sql())
        .optional()?;
    let Some((id, user, brings, used_at)) = row else { return Ok(None) };
    let user = users::get(c, user)?;
    if user.closed {
        return Ok(None);
    }
    if used_at.is_none_or(|at| now - at > USED) {
        diesel::update(tokens::table.find(id)).set(tokens::used_at.eq(Some(now))).execute(c.sql())?;
    }
    Ok(Some((user, brings)))
}
