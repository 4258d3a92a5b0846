//! Small values the application keeps: the key that signs its cookies, and how the course calls itself.

use diesel::prelude::*;

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use super::events;
use super::users::User;
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

/// A small value that is kept under a name, if it is there and can be read.
pub(crate) fn kept<T: DeserializeOwned>(c: &mut Db, name: &str) -> Result<Option<T>, StoreError> {
    let text: Option<String> = settings::table.find(name).select(settings::value).first(c.sql()).optional()?;
    Ok(text.and_then(|t| serde_json::from_str(&t).ok()))
}

/// Keeps a small value under a name, or nothing any more.
pub(crate) fn keep<T: Serialize>(c: &mut Db, name: &str, value: Option<&T>) -> Result<(), StoreError> {
    match value {
        Some(value) => {
            let text = serde_json::to_string(value).map_err(|e| StoreError::Broken(e.to_string()))?;
            diesel::replace_into(settings::table)
                .values((settings::name.eq(name), settings::value.eq(text)))
                .execute(c.sql())?;
        }
        None => {
            diesel::delete(settings::table.find(name)).execute(c.sql())?;
        }
    }
    Ok(())
}

/// How the course calls itself and its sections, and how it tells time.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Course {
    /// Name of the school; empty where none was given.
    pub school: String,
    /// Name of the term that runs; empty where none was given.
    pub term: String,
    /// What one section is called, as within a sentence.
    pub section: String,
    /// What several are called.
    pub sections: String,
    /// Its time zone, by its name in the IANA list. Times are stored in universal time.
    pub zone: String,
    /// Form of its dates, as a pattern of the kind `%d.%m.`.
    pub dates: String,
    /// Practice classes that a reviewer works through before the first evening; nought for none.
    pub practice: u32,
    /// Of what is planted in the last of them, per cent that are to be found.
    pub practice_found: u32,
    /// Months after its end for which the students of a term are kept by name; nought for good.
    pub keep_months: u32,
    /// Whether people may sign in with the college; set where that is.
    pub college: bool,
}

impl Default for Course {
    fn default() -> Course {
        Course {
            school: String::new(),
            term: String::new(),
            section: "section".into(),
            sections: "sections".into(),
            zone: "UTC".into(),
            dates: "%a %-d %b, %H:%M".into(),
            practice: 0,
            practice_found: 70,
            keep_months: 0,
            college: false,
        }
    }
}

/// Name under which the course is kept.
const COURSE: &str = "course";

/// The course; as it comes where nobody has set it.
///
/// # Errors
/// Faults of the database.
pub fn course(c: &mut Db) -> Result<Course, StoreError> {
    Ok(kept(c, COURSE)?.unwrap_or_default())
}

/// Sets the course.
///
/// # Errors
/// Faults of the database.
pub fn set_course(c: &mut Db, course: &Course, by: Option<&User>) -> Result<(), StoreError> {
    let text = serde_json::to_string(course).map_err(|e| StoreError::Broken(e.to_string()))?;
    diesel::replace_into(settings::table)
        .values((settings::name.eq(COURSE), settings::value.eq(&text)))
        .execute(c.sql())?;
    events::note(c, by.map(|u| u.id), "course set", &text.chars().take(150).collect::<String>())
}

/// Writes a small value, to see whether the database can keep anything.
pub(crate) fn touch(c: &mut Db) -> Result<(), StoreError> {
    let at = c.now()?.to_string();
    diesel::replace_into(settings::table)
        .values((settings::name.eq("last-well"), settings::value.eq(at)))
        .execute(c.sql())?;
    Ok(())
}
