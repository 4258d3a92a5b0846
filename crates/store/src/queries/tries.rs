//! Tries to sign in, counted before the password is looked at: by name and address together, so that a stranger elsewhere
//! cannot lock anybody out, and by address alone, so that one password cannot be tried over many names. What was typed as a
//! name is not kept, only a digest of it.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::events;
use crate::schema::sign_in_tries as tries;
use crate::{Db, StoreError};

/// Tries of one name from one address that cost nothing.
const FREE_BY_NAME: u32 = 4;
/// Refusals from one address that cost nothing: a whole class may sit behind it.
const FREE_BY_ADDRESS: u32 = 60;
/// Longest pause, in seconds.
const MOST_SECONDS: u32 = 300;
/// After so long without a try all is forgotten.
const FORGET_MINUTES: u32 = 30;

/// What a try is counted by.
#[derive(Clone, Debug)]
pub struct Counted {
    name: String,
    address: String,
}

impl Counted {
    /// A name from an address.
    pub fn new(name: &str, address: &str) -> Counted {
        Counted {
            name: crate::digest(format!("name\n{name}\n{address}").as_bytes()),
            address: crate::digest(format!("address\n{address}").as_bytes()),
        }
    }
}

impl Counted {
    /// A digest of the name and the address, by which tries come one after the other.
    pub fn name(&self) -> &str {
        &self.name
    }
}

/// Seconds of pause after so many tries: none at first, then 1, 2, 4, 8 and so on.
fn pause(tried: u32, free: u32) -> u32 {
    match tried.checked_sub(free) {
        None => 0,
        Some(over) => 2u32.saturating_pow(over.min(20)).min(MOST_SECONDS),
    }
}

#[derive(QueryableByName)]
struct Wait {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    seconds: i64,
}

fn waits(c: &mut Db, by: &str) -> Result<u32, StoreError> {
    let row: Option<Wait> = diesel::sql_query(
        "SELECT CAST(CEIL(TIMESTAMPDIFF(MICROSECOND, UTC_TIMESTAMP(3), free_at) / 1000000) AS SIGNED) AS seconds \
         FROM sign_in_tries WHERE counted_by = ? FOR UPDATE",
    )
    .bind::<diesel::sql_types::Text, _>(by)
    .get_result(c.sql())
    .optional()?;
    Ok(row.map_or(0, |w| w.seconds.max(0) as u32))
}

fn count(c: &mut Db, by: &str, free: u32) -> Result<(), StoreError> {
    diesel::sql_query(format!(
        "INSERT INTO sign_in_tries (counted_by, tries, free_at, last_at) VALUES (?, 1, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3)) \
         ON DUPLICATE KEY UPDATE tries = IF(last_at < UTC_TIMESTAMP(3) - INTERVAL {FORGET_MINUTES} MINUTE, 1, tries + 1), \
         last_at = UTC_TIMESTAMP(3)"
    ))
    .bind::<diesel::sql_types::Text, _>(by)
    .execute(c.sql())?;
    let tried: u32 = tries::table.find(by).select(tries::tries).first(c.sql())?;
    let pause = pause(tried, free);
    diesel::sql_query(format!(
        "UPDATE sign_in_tries SET free_at = UTC_TIMESTAMP(3) + INTERVAL {pause} SECOND WHERE counted_by = ?"
    ))
    .bind::<diesel::sql_types::Text, _>(by)
    .execute(c.sql())?;
    Ok(())
}

/// Counts a try that is about to be made. Gives how many seconds it has to wait; 0 where it may be made now.
///
/// # Errors
/// Faults of the database.
pub fn begin(c: &mut Db, counted: &Counted) -> Result<u32, StoreError> {
    let wait = waits(c, &counted.name)?.max(waits(c, &counted.address)?);
    if wait == 0 {
        count(c, &counted.name, FREE_BY_NAME)?;
    }
    Ok(wait)
}

/// Forgets the tries of a name that was let in, and writes down that the person signed in.
///
/// # Errors
/// Faults of the database.
pub fn let_in(c: &mut Db, counted: &Counted, user: u32) -> Result<(), StoreError> {
    forget(c, counted)?;
    events::note(c, Some(user), "signed in", &format!("person {user}"))
}

/// Forgets the tries of what was right.
///
/// # Errors
/// Faults of the database.
pub fn forget(c: &mut Db, counted: &Counted) -> Result<(), StoreError> {
    diesel::delete(tries::table.find(&counted.name)).execute(c.sql())?;
    Ok(())
}

/// Counts a refusal for its address and writes it down; the name itself is not kept. Now and then old tries are forgotten.
///
/// # Errors
/// Faults of the database.
pub fn refused(c: &mut Db, counted: &Counted, person: Option<u32>) -> Result<(), StoreError> {
    count(c, &counted.address, FREE_BY_ADDRESS)?;
    let old: NaiveDateTime = c.now()? - chrono::TimeDelta::days(1);
    if rand::random_ratio(1, 50) {
        diesel::delete(tries::table.filter(tries::last_at.lt(old))).execute(c.sql())?;
    }
    let about = match person {
        Some(id) => format!("person {id}"),
        None => format!("a name that is nobody’s, {}", &counted.name[..12]),
    };
    events::note(c, None, "sign-in refused", &about)
}

#[cfg(test)]
mod tests {
    use super::pause;

    #[test]
    fn the_pause_grows_from_nothing_and_has_an_end() {
        let pauses: Vec<u32> = (1..=14).map(|n| pause(n, 4)).collect();
        assert_eq!(pauses, [0, 0, 0, 1, 2, 4, 8, 16, 32, 64, 128, 256, 300, 300]);
    }
}
