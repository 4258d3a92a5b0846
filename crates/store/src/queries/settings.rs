//! Small values the application keeps, such as the key that signs its cookies.

use diesel::prelude::*;

use crate::schema::settings;
use crate::{Db, StoreError};

/// The value of a name; `make` gives it the first time. Two processes starting at once agree on the first one stored.
///
/// # Errors
/// Faults of the database.
pub fn get_or_insert(c: &mut Db, name: &str, make: impl FnOnce() -> String) -> Result<String, StoreError> {
    let find = |c: &mut Db| settings::table.find(name).select(settings::value).first::<String>(c.sql()).optional();
    if let Some(value) = find(c)? {
        return Ok(value);
    }
    diesel::insert_or_ignore_into(settings::table)
        .values((settings::name.eq(name), settings::value.eq(make())))
        .execute(c.sql())?;
    find(c)?.ok_or(StoreError::NotFound("setting"))
}

/// Writes a small value, to see whether the database can keep anything.
pub(crate) fn touch(c: &mut Db) -> Result<(), StoreError> {
    let at = c.now()?.to_string();
    diesel::replace_into(settings::table)
        .values((settings::name.eq("last-well"), settings::value.eq(at)))
        .execute(c.sql())?;
    Ok(())
}
