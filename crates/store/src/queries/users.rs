//! People who sign in.

use std::collections::BTreeSet;

use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordHasher, PasswordVerifier};
use diesel::prelude::*;

use super::events;
use crate::schema::{sections, user_sections, users};
use crate::{Db, StoreError, inserted};

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
    let hash = Argon2::default().hash_password(password.as_bytes()).map_err(|e| StoreError::Broken(e.to_string()))?.to_string();
    c.transaction(|c| {
        let existing: Option<u32> = users::table.filter(users::sign_in.eq(sign_in)).select(users::id).first(c).optional()?;
        let values = (users::sign_in.eq(sign_in), users::name.eq(name), users::role.eq(role.word()), users::password_hash.eq(&hash));
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
            diesel::insert_into(user_sections::table).values((user_sections::user_id.eq(id), user_sections::section_id.eq(section))).execute(c)?;
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
    let sections: Vec<u32> = user_sections::table.filter(user_sections::user_id.eq(id)).select(user_sections::section_id).load(c)?;
    Ok(User { id, sign_in, name, role: Role::of(&role), sections: sections.into_iter().collect() })
}

/// The person whose name and password these are. An unknown name takes as long as a wrong password.
///
/// # Errors
/// Faults of the database.
pub fn verify(c: &mut Db, sign_in: &str, password: &str) -> Result<Option<u32>, StoreError> {
    const NOBODY: &str = "$argon2id$v=19$m=19456,t=2,p=1$bm9ib2R5bm9ib2R5$n0Fq3pVn2nTf3vfq6cJ1K3O3m1qvY8m0l8l8N0lq9xk";
    let row: Option<(u32, String)> = users::table.filter(users::sign_in.eq(sign_in)).select((users::id, users::password_hash)).first(c).optional()?;
    let hash = row.as_ref().map_or(NOBODY, |(_, h)| h.as_str());
    let parsed = PasswordHash::new(hash).map_err(|e| StoreError::Broken(e.to_string()))?;
    let right = Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok();
    let user = row.filter(|_| right).map(|(id, _)| id);
    events::note(c, user, if user.is_some() { "signed in" } else { "sign-in refused" }, sign_in)?;
    Ok(user)
}
