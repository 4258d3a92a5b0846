//! The append-only record of who did what.

use diesel::prelude::*;

use crate::schema::events;
use crate::{Db, StoreError, now};

/// Notes an act, in the transaction of the act itself.
pub(crate) fn note(c: &mut Db, user: Option<u32>, what: &str, about: &str) -> Result<(), StoreError> {
    let about: String = about.chars().take(160).collect();
    diesel::insert_into(events::table)
        .values((events::at.eq(now()), events::user_id.eq(user), events::what.eq(what), events::about.eq(about)))
        .execute(c)?;
    Ok(())
}
