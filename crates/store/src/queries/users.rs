//! People who sign in.

use std::collections::BTreeSet;

use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordHasher, PasswordVerifier};
use diesel::prelude::*;

use super::events;
use crate::schema::{events as record, sections, user_sections, users};
use crate::{Db, StoreError, inserted, now};

/// What a person may do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// Sees every section, releases marks.
    Coordinator,
    /// Sees own sections.
    Reviewer,
}

impl Role {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Role::Coordinator => "coordinator",
            Role::Reviewer => "reviewer",
        }
    }

    fn of(word: &str) -> Role {
        if word == "coordinator" { Role::Coordinator } else { Role::Reviewer }
    }
}

/// A person.
#[derive(Clone, Debug)]
pub struct User {
    /// Id.
    pub id: u32,
    /// Name to sign in with.
    pub sign_in: String,
    /// Name for display.
    pub name: String,
    /// Role.
    pub role: Role,
    /// Ids of own sections; a coordinator's is not asked.
    pub sections: BTreeSet<u32>,
}

impl User {
    /// Whether a section is this person's to see.
    pub fn sees(&self, section: u32) -> bool {
        self.role == Role::Coordinator || self.sections.contains(&section)
    }
}

/// Adds a person, or changes name, role, password and sections of the one there is.
///
/// # Errors
/// Faults of the database; a section that does not exist.
pub fn put(c: &mut Db, sign_in: &str, name: &str, role: Role, password: &str, own: &[&str]) -> Result<u32, StoreError> {
    let hash = Argon2::default()
        .hash_password(password.as_bytes())
        .map_err(|e| StoreError::Broken(e.to_string()))?
        .to_string();
    c.transaction(|c| {
        let existing: Option<u32> =
            users::table.filter(users::sign_in.eq(sign_in)).select(users::id).first(c).optional()?;
        let values = (
            users::sign_in.eq(sign_in),
            users::name.eq(name),
            users::role.eq(role.word()),
            users::password_hash.eq(&hash),
        );
        let id = match existing {
            Some(id) => {
                diesel::update(users::table.find(id)).set(values).execute(c)?;
                id
            }
            None => {
                diesel::insert_into(users::table).values(values).execute(c)?;
                inserted(c)?
            }
        };
        diesel::delete(user_sections::table.filter(user_sections::user_id.eq(id))).execute(c)?;
        for section in own {
            let section: u32 = sections::table.filter(sections::name.eq(section)).select(sections::id).first(c)?;
            diesel::insert_into(user_sections::table)
                .values((user_sections::user_id.eq(id), user_sections::section_id.eq(section)))
                .execute(c)?;
        }
        Ok(id)
    })
}

/// A person by id.
///
/// # Errors
/// [`StoreError::NotFound`], faults of the database.
pub fn get(c: &mut Db, id: u32) -> Result<User, StoreError> {
    let (id, sign_in, name, role): (u32, String, String, String) = users::table
        .find(id)
        .select((users::id, users::sign_in, users::name, users::role))
        .first(c)
        .optional()?
        .ok_or(StoreError::NotFound("person"))?;
    let sections: Vec<u32> =
        user_sections::table.filter(user_sections::user_id.eq(id)).select(user_sections::section_id).load(c)?;
    Ok(User { id, sign_in, name, role: Role::of(&role), sections: sections.into_iter().collect() })
}

/// How an attempt to sign in ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Attempt {
    /// In, with the person's id.
    In(u32),
    /// The name and the password do not go together.
    Wrong,
    /// Too many refusals of this name lately.
    TooMany,
}

/// Refusals of one name within [`WINDOW_MINUTES`] after which it has to wait.
const MOST_REFUSALS: i64 = 8;
/// See [`MOST_REFUSALS`].
const WINDOW_MINUTES: i64 = 10;

/// Tries a name and a password. An unknown name takes as long as a wrong password, and refusals are counted in the
/// record, so that several processes count together.
///
/// # Errors
/// Faults of the database.
pub fn sign_in(c: &mut Db, name: &str, password: &str) -> Result<Attempt, StoreError> {
    let about = format!("name {}", name.chars().take(60).collect::<String>());
    let since = now() - chrono::TimeDelta::minutes(WINDOW_MINUTES);
    let refusals: i64 = record::table
        .filter(record::about.eq(&about))
        .filter(record::at.gt(since))
        .filter(record::what.eq("sign-in refused"))
        .count()
        .get_result(c)?;
    if refusals >= MOST_REFUSALS {
        return Ok(Attempt::TooMany);
    }
    let row: Option<(u32, String)> =
        users::table.filter(users::sign_in.eq(name)).select((users::id, users::password_hash)).first(c).optional()?;
    let right = match &row {
        Some((_, hash)) => {
            let parsed = PasswordHash::new(hash).map_err(|e| StoreError::Broken(e.to_string()))?;
            Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok()
        }
        None => {
            // The same work as for somebody who is there.
            let _ = Argon2::default().hash_password(password.as_bytes());
            false
        }
    };
    let user = row.filter(|_| right).map(|(id, _)| id);
    events::note(c, user, if user.is_some() { "signed in" } else { "sign-in refused" }, &about)?;
    Ok(user.map_or(Attempt::Wrong, Attempt::In))
}

/// The id of a name, if there is one.
///
/// # Errors
/// Faults of the database.
pub fn id_of(c: &mut Db, name: &str) -> Result<Option<u32>, StoreError> {
    Ok(users::table.filter(users::sign_in.eq(name)).select(users::id).first(c).optional()?)
}
