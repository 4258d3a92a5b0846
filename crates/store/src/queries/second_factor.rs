//! A second factor to sign in with: codes by time, as RFC 6238 has them (SHA-1, six digits, thirty seconds), which any such device
//! gives. Here the secret is kept and the last step that was used; the codes themselves are worked out by a crate.

use diesel::prelude::*;
use totp_rs::{Algorithm, Secret, TOTP};

use super::events;
use super::users::User;
use crate::schema::second_factors as factors;
use crate::{Db, StoreError};

/// Seconds of a step.
const STEP: u64 = 30;
/// Steps that a device's clock may be off, before and after.
const OFF: u64 = 1;
/// Bytes of a secret.
const BYTES: usize = 20;

/// A secret as it is typed into a device.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shown {
    /// In the letters that devices take, in fours.
    pub letters: String,
    /// As an address that a device reads.
    pub address: String,
}

fn codes(secret: &str) -> Result<TOTP, StoreError> {
    let broken = |e: String| StoreError::Broken(e);
    let bytes: Option<Vec<u8>> =
        (0..BYTES).map(|n| secret.get(2 * n..2 * n + 2).and_then(|two| u8::from_str_radix(two, 16).ok())).collect();
    let bytes = bytes.ok_or_else(|| broken("a second factor's secret cannot be read".into()))?;
    TOTP::new(Algorithm::SHA1, 6, OFF as u8, STEP, bytes).map_err(|e| broken(e.to_string()))
}

/// Which step of time a code is of, if it is one of those around now and later than the last that was used.
fn step_of(codes: &TOTP, code: &str, now: u64, last: u64) -> Option<u64> {
    let typed: String = code.chars().filter(|c| !c.is_whitespace()).collect();
    let step = now / STEP;
    // Every step is compared, so that the time says nothing.
    let fits: Vec<u64> =
        (step.saturating_sub(OFF)..=step + OFF).filter(|s| codes.generate(s * STEP) == typed).collect();
    fits.into_iter().find(|s| *s > last)
}

/// Begins a second factor of a person: it counts once a code of it was typed. One that was begun and never confirmed is replaced.
///
/// # Errors
/// [`StoreError::Bad`] where there is one; faults of the database.
pub fn begin(c: &mut Db, user: &User) -> Result<Shown, StoreError> {
    if is_on(c, user.id)? {
        return Err(StoreError::Bad("you have a second factor".into(), "take it off first, with a code of it".into()));
    }
    let secret: String = crate::secret().chars().chain(crate::secret().chars()).take(2 * BYTES).collect();
    diesel::replace_into(factors::table)
        .values((factors::user_id.eq(user.id), factors::secret.eq(&secret), factors::last_step.eq(0)))
        .execute(c.sql())?;
    let bytes = codes(&secret)?.secret;
    let letters = Secret::Raw(bytes).to_encoded().to_string();
    let fours: Vec<String> =
        letters.as_bytes().chunks(4).map(|four| String::from_utf8_lossy(four).into_owned()).collect();
    let address = format!(
        "otpauth://totp/Jurado:{}?secret={letters}&issuer=Jurado&digits=6&period={STEP}",
        percent(&user.sign_in)
    );
    Ok(Shown { letters: fours.join(" "), address })
}

/// A name made safe for an address.
fn percent(text: &str) -> String {
    text.bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect()
}

/// Whether a person has a second factor that counts.
///
/// # Errors
/// Faults of the database.
pub fn is_on(c: &mut Db, user: u32) -> Result<bool, StoreError> {
    let of = factors::table.find(user).filter(factors::confirmed_at.is_not_null());
    Ok(of.count().get_result::<i64>(c.sql())? > 0)
}

/// Takes a code: each serves once. Gives whether it is right; where the person has no second factor at all it is not.
///
/// # Errors
/// Faults of the database.
pub fn take(c: &mut Db, user: u32, code: &str) -> Result<bool, StoreError> {
    let row: Option<(String, u64)> = factors::table
        .find(user)
        .select((factors::secret, factors::last_step))
        .for_update()
        .first(c.sql())
        .optional()?;
    let Some((secret, last)) = row else { return Ok(false) };
    let now = c.now()?.and_utc().timestamp().max(0) as u64;
    let Some(step) = step_of(&codes(&secret)?, code, now, last) else { return Ok(false) };
    diesel::update(factors::table.find(user)).set(factors::last_step.eq(step)).execute(c.sql())?;
    Ok(true)
}

/// Confirms a second factor by a code of it. Gives whether the code was right.
///
/// # Errors
/// Faults of the database.
pub fn confirm(c: &mut Db, user: &User, code: &str) -> Result<bool, StoreError> {
    if !take(c, user.id, code)? {
        return Ok(false);
    }
    let now = c.now()?;
    diesel::update(factors::table.find(user.id)).set(factors::confirmed_at.eq(Some(now))).execute(c.sql())?;
    events::note(c, Some(user.id), "second factor set", &format!("person {}", user.id))?;
    Ok(true)
}

/// Takes a second factor off; `by` is who does it, nobody for a one-time link.
///
/// # Errors
/// Faults of the database.
pub fn take_off(c: &mut Db, user: u32, by: Option<u32>) -> Result<(), StoreError> {
    if diesel::delete(factors::table.find(user)).execute(c.sql())? > 0 {
        events::note(c, by, "second factor taken off", &format!("person {user}"))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::{codes, step_of};

    /// The secret of RFC 6238, appendix B, with its values for SHA-1, of which the last six digits are taken.
    #[test]
    fn a_code_is_that_of_the_standard_and_serves_once_and_about_now() {
        let secret: String = b"12345678901234567890".iter().map(|b| format!("{b:02x}")).collect();
        let codes = codes(&secret).expect("a secret");
        for (at, code) in
            [(59, "287082"), (1_111_111_109, "081804"), (1_234_567_890, "005924"), (20_000_000_000, "353130")]
        {
            let step = at / 30;
            assert_eq!(step_of(&codes, code, at, 0), Some(step), "at {at}");
            // A clock that is off by one step serves, by two not.
            assert_eq!(step_of(&codes, code, at + 30, 0), Some(step));
            assert_eq!(step_of(&codes, code, at + 60, 0), None);
            assert_eq!(step_of(&codes, code, at, step), None, "a code that was used");
            assert_eq!(step_of(&codes, &format!("{} {}", &code[..3], &code[3..]), at, 0), Some(step), "with a blank");
        }
        for wrong in ["", "000000", "2870823", "28708"] {
            assert_eq!(step_of(&codes, wrong, 59, 0), None, "{wrong}");
        }
    }
}
