//! Tries to sign in, counted before the password is looked at: by name and address together, so that a stranger elsewhere
//! cannot lock anybody out, and by name alone, so that many addresses have no more tries than some hundred. What is tried from
//! one address bars nothing that is right: a class and its reviewers may sit behind it. What was typed as a name is not kept,
//! only a digest of it.

use std::net::{IpAddr, Ipv6Addr};

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::events;
use crate::schema::sign_in_tries as tries;
use crate::{Db, StoreError};

/// Tries of one name from one address that cost nothing.
const FREE_BY_NAME: u32 = 4;
/// Tries of one name from anywhere that cost nothing.
const FREE_ANYWHERE: u32 = 200;
/// Refusals from one address after which each is answered slowly, and the record is told of them.
const MANY_BY_ADDRESS: u32 = 60;
/// Longest pause of one name from one address, in seconds.
const MOST_SECONDS: u32 = 300;
/// Longest pause of a name from anywhere: somebody else made it wait.
const MOST_ANYWHERE: u32 = 30;
/// After so long without a try all is forgotten.
const FORGET_MINUTES: u32 = 30;

/// What a try is counted by.
#[derive(Clone, Debug)]
pub struct Counted {
    name: String,
    anywhere: String,
    address: String,
}

/// An address as it is counted: whoever has one of IPv6 has the other 2⁶⁴ of its network too.
fn network(address: &str) -> String {
    match address.parse::<IpAddr>() {
        Ok(IpAddr::V6(v6)) => match v6.to_ipv4_mapped() {
            Some(v4) => v4.to_string(),
            None => Ipv6Addr::from_bits(v6.to_bits() & (u128::MAX << 64)).to_string(),
        },
        _ => address.to_owned(),
    }
}

impl Counted {
    /// A name from an address.
    pub fn new(name: &str, address: &str) -> Counted {
        let address = network(address);
        Counted {
            name: crate::digest(format!("name\n{name}\n{address}").as_bytes()),
            anywhere: crate::digest(format!("anywhere\n{name}").as_bytes()),
            address: crate::digest(format!("address\n{address}").as_bytes()),
        }
    }

    /// A digest of the name and the address, by which tries come one after the other.
    pub fn name(&self) -> &str {
        &self.name
    }
}

/// Seconds of pause after so many tries: none at first, then 1, 2, 4, 8 and so on.
fn pause(tried: u32, free: u32, most: u32) -> u32 {
    match tried.checked_sub(free) {
        None => 0,
        Some(over) => 2u32.saturating_pow(over.min(20)).min(most),
    }
}

/// Whether so many refusals are written into the record, which keeps all for good: the first few of a person, then each tenfold.
fn is_told(refusals: u32, first: u32) -> bool {
    let tenfold = |base: u32| std::iter::successors(Some(base), |n| n.checked_mul(10)).any(|n| n == refusals);
    refusals < first || tenfold(first.max(1))
}

#[derive(QueryableByName)]
struct Wait {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    seconds: i64,
}

/// Seconds that are left to wait. Where the last try lies ahead of us the clock was set back, and nobody waits for that.
fn waits(c: &mut Db, by: &str) -> Result<u32, StoreError> {
    let row: Option<Wait> = diesel::sql_query(
        "SELECT IF(last_at > UTC_TIMESTAMP(3) + INTERVAL 5 SECOND, 0, \
         CAST(CEIL(TIMESTAMPDIFF(MICROSECOND, UTC_TIMESTAMP(3), free_at) / 1000000) AS SIGNED)) AS seconds \
         FROM sign_in_tries WHERE counted_by = ? FOR UPDATE",
    )
    .bind::<diesel::sql_types::Text, _>(by)
    .get_result(c.sql())
    .optional()?;
    Ok(row.map_or(0, |w| w.seconds.max(0) as u32))
}

/// Counts, and gives how many there are now.
fn count(c: &mut Db, by: &str, free: u32, most: u32) -> Result<u32, StoreError> {
    diesel::sql_query(format!(
        "INSERT INTO sign_in_tries (counted_by, tries, free_at, last_at) VALUES (?, 1, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3)) \
         ON DUPLICATE KEY UPDATE tries = IF(last_at < UTC_TIMESTAMP(3) - INTERVAL {FORGET_MINUTES} MINUTE, 1, tries + 1), \
         last_at = UTC_TIMESTAMP(3)"
    ))
    .bind::<diesel::sql_types::Text, _>(by)
    .execute(c.sql())?;
    let tried: u32 = tries::table.find(by).select(tries::tries).first(c.sql())?;
    let pause = pause(tried, free, most);
    diesel::sql_query(format!(
        "UPDATE sign_in_tries SET free_at = UTC_TIMESTAMP(3) + INTERVAL {pause} SECOND WHERE counted_by = ?"
    ))
    .bind::<diesel::sql_types::Text, _>(by)
    .execute(c.sql())?;
    Ok(tried)
}

/// Counts a try that is about to be made. Gives how many seconds it has to wait; 0 where it may be made now. One that has to wait
/// is not made, and so not counted.
///
/// # Errors
/// Faults of the database.
pub fn begin(c: &mut Db, counted: &Counted) -> Result<u32, StoreError> {
    let wait = waits(c, &counted.name)?.max(waits(c, &counted.anywhere)?);
    if wait == 0 {
        count(c, &counted.name, FREE_BY_NAME, MOST_SECONDS)?;
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

/// How a refusal is answered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pace {
    /// At once.
    AtOnce,
    /// After a moment, since there were many from its address.
    Slowly,
}

/// Counts a refusal of a name that was tried. The name itself is not kept, and the record is told of few: it is kept for good, and
/// strangers set the pace.
///
/// # Errors
/// Faults of the database.
pub fn refused(c: &mut Db, counted: &Counted, person: Option<u32>) -> Result<Pace, StoreError> {
    let tried = count(c, &counted.anywhere, FREE_ANYWHERE, MOST_ANYWHERE)?;
    if let Some(id) = person.filter(|_| is_told(tried, 5)) {
        events::note(c, None, "sign-in refused", &format!("person {id}, {tried} in a row"))?;
    }
    refused_from(c, counted)
}

/// Counts a wrong secret that carries its own name, such as a code or a token: it bars nothing, since the right one is let in whatever
/// was tried beside it, and guessing it is hopeless.
///
/// # Errors
/// Faults of the database.
pub fn refused_from(c: &mut Db, counted: &Counted) -> Result<Pace, StoreError> {
    let refusals = count(c, &counted.address, u32::MAX, 0)?;
    if refusals >= MANY_BY_ADDRESS && is_told(refusals, MANY_BY_ADDRESS) {
        let about = format!("{refusals} wrong tries from one address, {}", &counted.address[..12]);
        events::note(c, None, "sign-in refused", &about)?;
    }
    if rand::random_ratio(1, 50) {
        let old: NaiveDateTime = c.now()? - chrono::TimeDelta::minutes(i64::from(FORGET_MINUTES));
        diesel::delete(tries::table.filter(tries::last_at.lt(old))).execute(c.sql())?;
    }
    Ok(if refusals > MANY_BY_ADDRESS { Pace::Slowly } else { Pace::AtOnce })
}

#[cfg(test)]
mod tests {
    use super::{MOST_SECONDS, is_told, network, pause};

    #[test]
    fn the_pause_grows_from_nothing_and_has_an_end() {
        let pauses: Vec<u32> = (1..=14).map(|n| pause(n, 4, MOST_SECONDS)).collect();
        assert_eq!(pauses, [0, 0, 0, 1, 2, 4, 8, 16, 32, 64, 128, 256, 300, 300]);
    }

    #[test]
    fn the_record_is_told_of_few_refusals_however_many_there_are() {
        let told = |first| (1..=10_000).filter(|n| is_told(*n, first)).collect::<Vec<u32>>();
        assert_eq!(told(5), [1, 2, 3, 4, 5, 50, 500, 5_000]);
        assert_eq!(told(60)[59..], [60, 600, 6_000]);
    }

    #[test]
    fn a_network_of_ipv6_counts_as_one_address() {
        for (address, counted) in [
            ("192.0.2.7", "192.0.2.7"),
            ("::ffff:192.0.2.7", "192.0.2.7"),
            ("2001:db8:1:2:3:4:5:6", "2001:db8:1:2::"),
            ("2001:db8:1:2::9", "2001:db8:1:2::"),
            ("2001:db8:1:3::9", "2001:db8:1:3::"),
            ("", ""),
        ] {
            assert_eq!(network(address), counted, "{address}");
        }
    }
}
