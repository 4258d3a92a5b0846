//! Terms. One runs; those that have ended keep their sections, teams, tables and marks, to be read and exported.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::course::named;
use super::labs::Hold;
use super::sections::{self, Setting};
use super::settings::{self, Course};
use super::users::User;
use super::{course, docket, events, jobs, labs, roster};
use crate::schema::{section_labs, sections as section_table, sheets, teams, term_labs, terms, user_sections, users};
use crate::{Db, StoreError, inserted};

/// A term that has ended.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct Term {
    /// Id.
    pub id: u32,
    /// Name.
    pub name: String,
    /// When it ended.
    pub ended_at: NaiveDateTime,
    /// Who ended it.
    pub by: Option<String>,
}

/// All terms that have ended, newest first.
///
/// # Errors
/// Faults of the database.
pub fn ended(c: &mut Db) -> Result<Vec<Term>, StoreError> {
    Ok(terms::table
        .left_join(users::table.on(users::id.nullable().eq(terms::ended_by)))
        .order(terms::id.desc())
        .select((terms::id, terms::name, terms::ended_at, users::name.nullable()))
        .load(c.sql())?)
}

/// A table of a term that has ended.
#[derive(Clone, Debug, Queryable)]
pub struct Kept {
    /// Sheet.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Section's id.
    pub section_id: u32,
    /// Section's name.
    pub section: String,
    /// Team.
    pub team: String,
    /// Points as decided.
    pub points: rust_decimal::Decimal,
    /// Points there were.
    pub possible: rust_decimal::Decimal,
    /// Whether it went out.
    pub went_out: bool,
}

/// The tables of a term that has ended, of what a person sees, by section, team and lab.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn tables(c: &mut Db, term: u32, user: &User) -> Result<(Term, Vec<Kept>), StoreError> {
    let found = ended(c)?.into_iter().find(|t| t.id == term).ok_or(StoreError::NotFound("term"))?;
    let rows: Vec<Kept> = sheets::table
        .inner_join(teams::table)
        .inner_join(section_table::table)
        .filter(sheets::term_id.eq(term))
        .filter(sheets::submission_id.is_not_null())
        .filter(sheets::removal_id.is_null())
        .order((section_table::position, section_table::id, teams::name, sheets::lab_id))
        .select((
            sheets::id,
            sheets::lab_id,
            section_table::id,
            section_table::name,
            teams::name,
            sheets::decided,
            sheets::possible,
            sheets::returns.gt(0),
        ))
        .load(c.sql())?;
    Ok((found, rows.into_iter().filter(|r| user.sees(r.section_id)).collect()))
}

/// What a new term begins with.
#[derive(Clone, Debug)]
pub struct New<'a> {
    /// Name of the term that ends.
    pub ends: &'a str,
    /// Name of the one that begins.
    pub begins: &'a str,
    /// Whether its sections have the same teams, without students.
    pub same_teams: bool,
}

/// Ends the term that runs and begins a new one, in one step. Labs, people and what sections set go on; due times do not.
/// The sections of the old term, with their teams, students and tables, are kept as they are. Gives the id of the term that
/// ended.
///
/// # Errors
/// [`StoreError::Bad`] where a name is wrong or nothing is there to end; [`StoreError::Conflict`] where tables are being
/// judged at this moment; faults of the database.
pub fn begin(c: &mut Db, new: &New<'_>, user: &User) -> Result<u32, StoreError> {
    let (ends, begins) = (named("name of the term that ends", new.ends, course::MOST_NAME)?, {
        named("name of the new term", new.begins, course::MOST_NAME)?
    });
    if ends == begins {
        return Err(StoreError::Bad("both terms have one name".into(), "give the new term another".into()));
    }
    let mut held: Vec<u32> = labs::all(c)?.iter().map(|l| l.id).collect();
    held.sort_unstable();
    for lab in &held {
        labs::hold(c, *lab, Hold::Alone)?;
    }
    if jobs::any_under_way(c)? {
        let theirs = "tables are being taken in or judged; wait until that has come to its end";
        return Err(StoreError::conflict(0, "The program", theirs));
    }
    let mut old: Vec<u32> = roster::here().select(section_table::id).load(c.sql())?;
    old.sort_unstable();
    for section in &old {
        sections::hold(c, *section, Hold::Alone)?;
    }
    if old.is_empty() {
        return Err(StoreError::Bad("there is no section yet, so no term has run".into(), "add sections first".into()));
    }
    let at = c.now()?;
    diesel::insert_into(terms::table)
        .values((terms::name.eq(ends), terms::ended_at.eq(at), terms::ended_by.eq(Some(user.id))))
        .execute(c.sql())
        .map_err(|e| course::taken(e.into(), "a term", ends))?;
    let term = inserted(c.sql())?;
    for lab in docket::labs_in_use(c)? {
        let protocol_id = labs::get(c, lab)?.protocol_id;
        diesel::insert_into(term_labs::table)
            .values((term_labs::term_id.eq(term), term_labs::lab_id.eq(lab), term_labs::protocol_id.eq(protocol_id)))
            .execute(c.sql())?;
    }
    for table in ["sections", "students", "imports", "sheets", "rulings", "moderation_rounds"] {
        diesel::sql_query(format!("UPDATE {table} SET term_id = {term} WHERE term_id = 0")).execute(c.sql())?;
    }
    for section in old {
        begin_section(c, section, new, ends, user)?;
    }
    let course = Course { term: begins.to_owned(), ..settings::course(c)? };
    settings::set_course(c, &course, Some(user))?;
    events::note(c, Some(user.id), "term begun", &format!("{begins}, after {ends}"))?;
    Ok(term)
}

/// A section of the new term with what the old one set, its reviewers and, where asked, its teams.
fn begin_section(c: &mut Db, old: u32, new: &New<'_>, ends: &str, user: &User) -> Result<(), StoreError> {
    let (name, position, closed): (String, i32, bool) = section_table::table
        .find(old)
        .select((section_table::name, section_table::position, section_table::closed_at.is_not_null()))
        .first(c.sql())?;
    if closed {
        return Ok(());
    }
    diesel::insert_into(section_table::table)
        .values((section_table::name.eq(&name), section_table::position.eq(position)))
        .execute(c.sql())?;
    let section = inserted(c.sql())?;
    let people: Vec<u32> =
        user_sections::table.filter(user_sections::section_id.eq(old)).select(user_sections::user_id).load(c.sql())?;
    for person in people {
        diesel::insert_into(user_sections::table)
            .values((user_sections::user_id.eq(person), user_sections::section_id.eq(section)))
            .execute(c.sql())?;
    }
    if new.same_teams {
        let names: Vec<String> = teams::table.filter(teams::section_id.eq(old)).select(teams::name).load(c.sql())?;
        let rows: Vec<_> = names.iter().map(|n| (teams::section_id.eq(section), teams::name.eq(n))).collect();
        diesel::insert_into(teams::table).values(rows).execute(c.sql())?;
    }
    let set: Vec<u32> =
        section_labs::table.filter(section_labs::section_id.eq(old)).select(section_labs::lab_id).load(c.sql())?;
    for lab in set {
        let settings = sections::get(c, old, lab)?.settings;
        let next = Setting { version: 1, settings, due_at: None };
        sections::keep(c, (section, lab), &next, &format!("taken over from {ends}"), user.id)?;
    }
    Ok(())
}

/// How many tables wait for a person or to go out in the term that runs: whoever ends it is told first. Waiting, signed.
///
/// # Errors
/// Faults of the database.
pub fn unfinished(c: &mut Db) -> Result<(i64, i64), StoreError> {
    let count = |c: &mut Db, low: u8, high: u8| -> Result<i64, StoreError> {
        Ok(sheets::table.filter(sheets::stage.between(low, high)).count().get_result(c.sql())?)
    };
    Ok((count(c, docket::WANTS, docket::CLEAR)?, count(c, docket::SIGNED, docket::SIGNED)?))
}
