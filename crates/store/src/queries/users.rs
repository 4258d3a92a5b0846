//! People who sign in.

use std::collections::BTreeSet;

use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordHasher, PasswordVerifier};
use chrono::{NaiveDateTime, TimeDelta};
use diesel::prelude::*;

use super::events;
use crate::records::user::{NewUser, UserRecord};
pub use crate::records::words::Role;
use crate::schema::{invitations, sections, user_sections, users};
use crate::{Db, StoreError, inserted};

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
    /// Sessions from before this number are over.
    pub epoch: u32,
    /// Whether the person may not sign in any more.
    pub closed: bool,
    /// Whether the person belongs to the demo.
    pub demo: bool,
}

impl User {
    /// Whether this person sees every section.
    pub fn sees_all(&self) -> bool {
        matches!(self.role, Role::Coordinator | Role::Auditor)
    }

    /// Whether a section is this person's to see.
    pub fn sees(&self, section: u32) -> bool {
        self.sees_all() || self.sections.contains(&section)
    }
}

/// Shortest password, in characters.
pub const LEAST_PASSWORD: usize = 10;
/// Longest password, in bytes: hashing takes time.
pub const MOST_PASSWORD: usize = 200;
/// Longest name to sign in with, in characters.
pub const MOST_SIGN_IN: usize = 60;
/// Longest name for display, in characters.
pub const MOST_NAME: usize = 80;
/// How long a one-time link serves.
const LINK_HOURS: i64 = 72;

fn bad(what: impl Into<String>, mend: impl Into<String>) -> StoreError {
    StoreError::Bad(what.into(), mend.into())
}

/// A password that may be kept: of a length that cannot be guessed through, and not the name it goes with.
///
/// # Errors
/// [`StoreError::Bad`] with what is wrong.
pub fn check_password(sign_in: &str, password: &str) -> Result<(), StoreError> {
    if password.chars().count() < LEAST_PASSWORD {
        return Err(bad(
            format!("the password has fewer than {LEAST_PASSWORD} characters"),
            "take a longer one, for instance four words",
        ));
    }
    if password.len() > MOST_PASSWORD {
        return Err(bad(format!("the password has more than {MOST_PASSWORD} bytes"), "take a shorter one"));
    }
    let plain = |text: &str| text.to_lowercase();
    if plain(password).contains(&plain(sign_in)) && sign_in.chars().count() > 3 {
        return Err(bad("the password holds the name it goes with", "take another one"));
    }
    let mut letters: Vec<char> = password.chars().collect();
    letters.sort_unstable();
    letters.dedup();
    if letters.len() < 4 {
        return Err(bad("the password is made of one or two characters", "take another one"));
    }
    if is_common(&plain(password)) {
        return Err(bad(
            "the password is one of those that are tried first",
            "take four words that nobody says together",
        ));
    }
    Ok(())
}

/// Words that many people take, in small letters: with figures and signs around them, twice, or written backwards they are tried
/// as soon.
const COMMON: &str = include_str!("common_words.txt");

/// Whether a password in small letters is made of what is tried first.
fn is_common(password: &str) -> bool {
    let words: Vec<&str> = COMMON.split_whitespace().collect();
    // Figures and signs that stand for letters.
    let spelled = |text: &str| -> String {
        let letter = |c| match c {
            '0' => 'o',
            '1' | '!' => 'i',
            '3' => 'e',
            '4' | '@' => 'a',
            '5' | '$' => 's',
            '7' => 't',
            c => c,
        };
        text.chars().map(letter).collect()
    };
    let bare = |text: &str| text.chars().filter(|c| c.is_alphabetic()).collect::<String>();
    let backwards = |text: &str| text.chars().rev().collect::<String>();
    let around = password.trim_matches(|c: char| !c.is_alphabetic());
    let forms = [password.to_owned(), bare(password), bare(&spelled(password)), bare(&spelled(around))];
    let run = |text: &str| {
        let signs: Vec<i32> = text.chars().map(|c| c as i32).collect();
        // 1234567890 goes back to nought.
        [[1, -9], [-1, 9]].iter().any(|steps| signs.windows(2).all(|w| steps.contains(&(w[1] - w[0]))))
    };
    let made_of = |text: &str| {
        let (mut rest, mut taken) = (text, 0);
        while let Some(word) = words.iter().filter(|w| rest.starts_with(**w)).max_by_key(|w| w.len()) {
            rest = &rest[word.len()..];
            taken += 1;
        }
        // Three words are many to try.
        rest.is_empty() && (1..=2).contains(&taken)
    };
    run(password) || forms.iter().any(|f| made_of(f) || made_of(&backwards(f)))
}

/// Hashes a password. Slow on purpose, so no transaction should wait for it.
///
/// # Errors
/// [`StoreError::Broken`] where the system gives no random numbers.
pub fn hash(password: &str) -> Result<String, StoreError> {
    Ok(Argon2::default().hash_password(password.as_bytes()).map_err(|e| StoreError::Broken(e.to_string()))?.to_string())
}

/// Whether a password goes with a hash; without a hash it takes as long and does not.
pub fn goes_with(password: &str, hash: Option<&str>) -> bool {
    match hash.and_then(|h| PasswordHash::new(h).ok()) {
        Some(parsed) => Argon2::default().verify_password(password.as_bytes(), &parsed).is_ok(),
        None => {
            let _ = Argon2::default().hash_password(password.as_bytes());
            false
        }
    }
}

/// A person to be added.
#[derive(Clone, Debug)]
pub struct NewPerson<'a> {
    /// Name to sign in with.
    pub sign_in: &'a str,
    /// Name for display.
    pub name: &'a str,
    /// Role.
    pub role: Role,
    /// Hash of the password; `None` where one will be chosen through a one-time link.
    pub hash: Option<&'a str>,
    /// Names of own sections.
    pub sections: &'a [String],
    /// Whether the person belongs to the demo.
    pub demo: bool,
}

/// A hash that no password goes with.
const NO_PASSWORD: &str = "none";

/// Adds a person. `by` is who does it, nobody for the command line.
///
/// # Errors
/// [`StoreError::Bad`] where the name is taken, blank or too long, or a section is not there; faults of the database.
pub fn add(c: &mut Db, new: &NewPerson<'_>, by: Option<u32>) -> Result<u32, StoreError> {
    let sign_in = new.sign_in.trim();
    let name = new.name.trim();
    if sign_in.is_empty()
        || sign_in.chars().count() > MOST_SIGN_IN
        || sign_in.chars().any(char::is_whitespace)
        || jurado_intake::unseen_sign(sign_in).is_some()
    {
        return Err(bad(
            "the name to sign in with is empty, too long, or has a space or a sign that is not seen in it",
            format!("take one word of at most {MOST_SIGN_IN} characters"),
        ));
    }
    if name.is_empty() || name.chars().count() > MOST_NAME || jurado_intake::unseen_sign(name).is_some() {
        return Err(bad(
            "the person’s name is empty, too long, or has a sign that is not seen in it",
            format!("write at most {MOST_NAME} characters"),
        ));
    }
    let is_taken = || bad(format!("somebody signs in as “{sign_in}” already"), "take another name to sign in with");
    if id_of(c, sign_in)?.is_some() {
        return Err(is_taken());
    }
    let made_at = c.now()?;
    diesel::insert_into(users::table)
        .values(NewUser {
            sign_in,
            name,
            role: new.role,
            password_hash: new.hash.unwrap_or(NO_PASSWORD),
            made_at,
            demo: u8::from(new.demo),
        })
        .execute(c.sql())
        // Somebody else may have added the same name since it was looked for.
        .map_err(|e| match e {
            diesel::result::Error::DatabaseError(diesel::result::DatabaseErrorKind::UniqueViolation, _) => is_taken(),
            e => e.into(),
        })?;
    let id = inserted(c.sql())?;
    put_sections(c, id, new.sections)?;
    // The record is for good, so it names a person by no name of theirs.
    let about = format!("person {id}: {}, sections {}", new.role.word(), new.sections.join(", "));
    events::note(c, by, "person added", &about)?;
    Ok(id)
}

fn put_sections(c: &mut Db, id: u32, names: &[String]) -> Result<(), StoreError> {
    // Those of terms that have ended stay: who judged there reads there.
    let running: Vec<u32> = super::roster::here().select(sections::id).load(c.sql())?;
    let own = user_sections::table.filter(user_sections::user_id.eq(id));
    diesel::delete(own.filter(user_sections::section_id.eq_any(running))).execute(c.sql())?;
    let names: BTreeSet<&str> = names.iter().map(|n| n.trim()).filter(|n| !n.is_empty()).collect();
    for name in names {
        let section: Option<u32> =
            super::roster::here().filter(sections::name.eq(name)).select(sections::id).first(c.sql()).optional()?;
        let section = section.ok_or_else(|| {
            bad(format!("there is no section “{name}”"), "bring the roster first, or write the name as it is there")
        })?;
        diesel::insert_into(user_sections::table)
            .values((user_sections::user_id.eq(id), user_sections::section_id.eq(section)))
            .execute(c.sql())?;
    }
    Ok(())
}

/// What is changed of a person.
#[derive(Clone, Debug)]
pub enum Change<'a> {
    /// The role. Ends the person's sessions.
    Role(Role),
    /// Own sections, by name.
    Sections(&'a [String]),
    /// The password, by its hash. Ends the person's sessions.
    Password(&'a str),
    /// May not sign in any more. Ends the person's sessions.
    Close,
    /// May sign in again.
    Open,
}

/// Changes a person. `by` is who does it, nobody for the command line. At least one coordinator stays who may sign in.
///
/// # Errors
/// [`StoreError::Bad`] with what cannot be; [`StoreError::NotFound`]; faults of the database.
pub fn change(c: &mut Db, id: u32, change: &Change<'_>, by: Option<u32>) -> Result<(), StoreError> {
    // All coordinators are held, so that two of them cannot close each other at the same moment.
    let open: Vec<u32> = users::table
        .filter(users::role.eq(Role::Coordinator))
        .filter(users::closed_at.is_null())
        .order(users::id)
        .select(users::id)
        .for_update()
        .load(c.sql())?;
    get(c, id)?;
    let leaves = matches!(change, Change::Close | Change::Role(Role::Reviewer | Role::Auditor));
    if leaves && open == [id] {
        return Err(bad("this is the only coordinator who may sign in", "make somebody else a coordinator first"));
    }
    let row = users::table.find(id);
    let at = c.now()?;
    let (what, about) = match change {
        Change::Role(role) => {
            diesel::update(row).set(users::role.eq(*role)).execute(c.sql())?;
            ("role changed", role.word().to_owned())
        }
        Change::Sections(names) => {
            put_sections(c, id, names)?;
            ("sections changed", names.join(", "))
        }
        Change::Password(hash) => {
            diesel::update(row).set(users::password_hash.eq(*hash)).execute(c.sql())?;
            ("password changed", String::new())
        }
        Change::Close => {
            diesel::update(row).set(users::closed_at.eq(Some(at))).execute(c.sql())?;
            ("person closed", String::new())
        }
        Change::Open => {
            diesel::update(row).set(users::closed_at.eq(None::<NaiveDateTime>)).execute(c.sql())?;
            ("person opened again", String::new())
        }
    };
    if !matches!(change, Change::Sections(_) | Change::Open) {
        end_sessions(c, id)?;
    }
    // Whoever had the password for a moment may have made one.
    if matches!(change, Change::Password(_) | Change::Close) {
        super::tokens::end_all(c, id)?;
    }
    let about = format!("person {id}: {about}");
    events::note(c, by, what, about.trim_end_matches([' ', ':']))
}

/// Ends all sessions of a person.
fn end_sessions(c: &mut Db, id: u32) -> Result<(), StoreError> {
    diesel::update(users::table.find(id)).set(users::epoch.eq(users::epoch + 1)).execute(c.sql())?;
    Ok(())
}

/// Signs a person out, everywhere.
///
/// # Errors
/// Faults of the database.
pub fn sign_out(c: &mut Db, user: &User) -> Result<(), StoreError> {
    end_sessions(c, user.id)?;
    events::note(c, Some(user.id), "signed out", &format!("person {}", user.id))
}

/// A person by id.
///
/// # Errors
/// [`StoreError::NotFound`], faults of the database.
pub fn get(c: &mut Db, id: u32) -> Result<User, StoreError> {
    let record: UserRecord = users::table
        .find(id)
        .select(UserRecord::as_select())
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("person"))?;
    let sections: Vec<u32> =
        user_sections::table.filter(user_sections::user_id.eq(id)).select(user_sections::section_id).load(c.sql())?;
    Ok(user(record, sections))
}

fn user(r: UserRecord, sections: Vec<u32>) -> User {
    User {
        id: r.id,
        sign_in: r.sign_in,
        name: r.name,
        role: r.role,
        sections: sections.into_iter().collect(),
        epoch: r.epoch,
        closed: r.closed_at.is_some(),
        demo: r.demo != 0,
    }
}

/// All people, by name.
///
/// # Errors
/// Faults of the database.
pub fn all(c: &mut Db) -> Result<Vec<User>, StoreError> {
    let records: Vec<UserRecord> = users::table.order(users::name).select(UserRecord::as_select()).load(c.sql())?;
    let own: Vec<(u32, u32)> =
        user_sections::table.select((user_sections::user_id, user_sections::section_id)).load(c.sql())?;
    Ok(records
        .into_iter()
        .map(|r| {
            let sections = own.iter().filter(|(u, _)| *u == r.id).map(|(_, s)| *s).collect();
            user(r, sections)
        })
        .collect())
}

/// How many people there are, and how many of them belong to the demo.
///
/// # Errors
/// Faults of the database.
pub fn count(c: &mut Db) -> Result<(i64, i64), StoreError> {
    let all = users::table.count().get_result(c.sql())?;
    let demo = users::table.filter(users::demo.ne(0)).count().get_result(c.sql())?;
    Ok((all, demo))
}

/// The id of a name, if there is one.
///
/// # Errors
/// Faults of the database.
pub fn id_of(c: &mut Db, name: &str) -> Result<Option<u32>, StoreError> {
    Ok(users::table.filter(users::sign_in.eq(name)).select(users::id).first(c.sql()).optional()?)
}

/// What a password is compared with: the person's id and hash, if there is one of this name who may sign in.
///
/// # Errors
/// Faults of the database.
pub fn secret_of(c: &mut Db, name: &str) -> Result<Option<(u32, String)>, StoreError> {
    Ok(users::table
        .filter(users::sign_in.eq(name))
        .filter(users::closed_at.is_null())
        .select((users::id, users::password_hash))
        .first(c.sql())
        .optional()?)
}

/// Makes a one-time link: for a person, to choose a new password; for nobody, to become the first coordinator. Gives what
/// the link carries; only a digest of it is kept.
///
/// # Errors
/// Faults of the database.
pub fn invite(c: &mut Db, person: Option<u32>, by: Option<u32>) -> Result<String, StoreError> {
    let secret = crate::secret();
    let made_at = c.now()?;
    if let Some(id) = person {
        // An older link of the same person serves no longer.
        diesel::update(invitations::table.filter(invitations::user_id.eq(id)).filter(invitations::used_at.is_null()))
            .set(invitations::used_at.eq(Some(made_at)))
            .execute(c.sql())?;
    }
    diesel::insert_into(invitations::table)
        .values((
            invitations::digest.eq(crate::digest(secret.as_bytes())),
            invitations::user_id.eq(person),
            invitations::made_by.eq(by),
            invitations::made_at.eq(made_at),
            invitations::until.eq(made_at + TimeDelta::hours(LINK_HOURS)),
        ))
        .execute(c.sql())?;
    let about = person.map_or_else(|| "the first coordinator".to_owned(), |id| format!("person {id}"));
    events::note(c, by, "one-time link made", &about)?;
    Ok(secret)
}

/// Whom a one-time link is for, if it still serves.
///
/// # Errors
/// [`StoreError::NotFound`] where it was used, ran out, or never was; faults of the database.
pub fn invited(c: &mut Db, secret: &str) -> Result<Option<User>, StoreError> {
    let now = c.now()?;
    let person: Option<u32> = invitations::table
        .find(crate::digest(secret.as_bytes()))
        .filter(invitations::used_at.is_null())
        .filter(invitations::until.gt(now))
        .select(invitations::user_id)
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("one-time link"))?;
    match person {
        Some(id) => get(c, id).map(Some),
        None if count(c)?.0 > 0 => Err(StoreError::NotFound("one-time link")),
        None => Ok(None),
    }
}

/// Uses a one-time link: the person's password is set, or the first coordinator added with this name. Gives the id.
///
/// # Errors
/// [`StoreError::NotFound`] where it serves no longer; [`StoreError::Bad`] for a name that cannot be; faults of the database.
pub fn use_invitation(c: &mut Db, secret: &str, first: (&str, &str), hash: &str) -> Result<u32, StoreError> {
    let digest = crate::digest(secret.as_bytes());
    let held: Option<Option<NaiveDateTime>> =
        invitations::table.find(&digest).select(invitations::used_at).for_update().first(c.sql()).optional()?;
    if held.flatten().is_some() {
        return Err(StoreError::NotFound("one-time link"));
    }
    let person = invited(c, secret)?;
    let at = c.now()?;
    diesel::update(invitations::table.find(&digest)).set(invitations::used_at.eq(Some(at))).execute(c.sql())?;
    match person {
        Some(person) => {
            change(c, person.id, &Change::Password(hash), Some(person.id))?;
            Ok(person.id)
        }
        None => {
            let (sign_in, name) = first;
            let new =
                NewPerson { sign_in, name, role: Role::Coordinator, hash: Some(hash), sections: &[], demo: false };
            add(c, &new, None)
        }
    }
}
