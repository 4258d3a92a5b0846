//! Sections and teams.

use std::collections::BTreeSet;

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_intake::Roster;

use crate::queries::users::User;
use crate::schema::{sections, students, teams};
use crate::{Db, StoreError};

/// A section with the number of its teams.
#[derive(Clone, Debug)]
pub struct Section {
    /// Id.
    pub id: u32,
    /// Name.
    pub name: String,
    /// Teams.
    pub teams: usize,
    /// Whether it takes no more tables in.
    pub closed: bool,
}

/// Sections of the term that runs.
#[diesel::dsl::auto_type]
pub(crate) fn here() -> _ {
    let running: u32 = 0;
    sections::table.filter(sections::term_id.eq(running))
}

/// Adds sections and teams that are not there yet, sections in the order given.
///
/// # Errors
/// Faults of the database.
pub fn add(c: &mut Db, roster: &[(&str, &[&str])]) -> Result<(), StoreError> {
    for (position, (section, names)) in roster.iter().enumerate() {
        diesel::insert_or_ignore_into(sections::table)
            .values((sections::name.eq(section), sections::position.eq(position as i32)))
            .execute(c.sql())?;
        let id: u32 = here().filter(sections::name.eq(section)).select(sections::id).first(c.sql())?;
        let rows: Vec<_> = names.iter().map(|n| (teams::section_id.eq(id), teams::name.eq(*n))).collect();
        diesel::insert_or_ignore_into(teams::table).values(rows).execute(c.sql())?;
    }
    Ok(())
}

/// The sections a person sees, in order.
///
/// # Errors
/// Faults of the database.
pub fn sections(c: &mut Db, user: &User) -> Result<Vec<Section>, StoreError> {
    let rows: Vec<(u32, String, bool)> = here()
        .order((sections::position, sections::name))
        .select((sections::id, sections::name, sections::closed_at.is_not_null()))
        .load(c.sql())?;
    let counts: Vec<(u32, i64)> = teams::table
        .group_by(teams::section_id)
        .select((teams::section_id, diesel::dsl::count_star()))
        .load(c.sql())?;
    let count = |id: u32| counts.iter().find(|(s, _)| *s == id).map_or(0, |(_, n)| *n as usize);
    Ok(rows
        .into_iter()
        .filter(|(id, ..)| user.sees(*id))
        .map(|(id, name, closed)| Section { id, teams: count(id), name, closed })
        .collect())
}

/// The whole roster, with the sections this person may hand in for.
///
/// # Errors
/// Faults of the database.
pub fn roster(c: &mut Db, user: &User) -> Result<Roster, StoreError> {
    let rows: Vec<(u32, String, Option<String>)> = sections::table
        .left_join(teams::table)
        .filter(sections::term_id.eq(0))
        .select((sections::id, sections::name, teams::name.nullable()))
        .load(c.sql())?;
    let mut roster = Roster::default();
    let mut allowed = BTreeSet::new();
    for (id, section, team) in rows {
        if user.sees(id) {
            allowed.insert(section.clone());
        }
        let names = roster.sections.entry(section).or_default();
        names.extend(team);
    }
    roster.allowed = (!user.sees_all()).then_some(allowed);
    Ok(roster)
}

/// Id of a team by its section and name.
///
/// # Errors
/// Faults of the database.
pub fn team(c: &mut Db, section: u32, name: &str) -> Result<Option<u32>, StoreError> {
    Ok(teams::table
        .filter(teams::section_id.eq(section))
        .filter(teams::name.eq(name))
        .select(teams::id)
        .first(c.sql())
        .optional()?)
}

/// A student.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct Student {
    /// Section's name.
    pub section: String,
    /// Team's name.
    pub team: String,
    /// Number, of which there is one.
    pub number: String,
    /// Name.
    pub name: String,
}

/// The students a person sees who have not left, by section, team and number.
///
/// # Errors
/// Faults of the database.
pub fn students(c: &mut Db, user: &User) -> Result<Vec<Student>, StoreError> {
    students_of(c, 0, user)
}

/// As [`students`], of a term; 0 is the one that runs.
///
/// # Errors
/// Faults of the database.
pub fn students_of(c: &mut Db, term: u32, user: &User) -> Result<Vec<Student>, StoreError> {
    let rows: Vec<(u32, Student)> = students::table
        .inner_join(teams::table.inner_join(sections::table))
        .filter(students::left_at.is_null())
        .filter(students::term_id.eq(term))
        .order((sections::position, sections::name, teams::name, students::number))
        .select((sections::id, (sections::name, teams::name, students::number, students::name)))
        .load(c.sql())?;
    Ok(rows.into_iter().filter(|(section, _)| user.sees(*section)).map(|(_, s)| s).collect())
}

/// What taking a roster did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Enrolled {
    /// Sections that are new.
    pub sections: usize,
    /// Teams that are new.
    pub teams: usize,
    /// Students that are new.
    pub added: usize,
    /// Students who moved or were renamed.
    pub changed: usize,
    /// Lines that changed nothing.
    pub unchanged: usize,
}

/// Takes a roster: sections, teams and students that are new are added, a student who is listed elsewhere moves. Nobody
/// is taken out. All of it or nothing.
///
/// # Errors
/// Faults of the database.
pub fn enrol(c: &mut Db, lines: &[Student], user: &User) -> Result<Enrolled, StoreError> {
    let mut done = Enrolled::default();
    for line in lines {
        let position: i64 = here().count().get_result(c.sql())?;
        done.sections += diesel::insert_or_ignore_into(sections::table)
            .values((sections::name.eq(&line.section), sections::position.eq(position as i32)))
            .execute(c.sql())?;
        let section: u32 = here().filter(sections::name.eq(&line.section)).select(sections::id).first(c.sql())?;
        done.teams += diesel::insert_or_ignore_into(teams::table)
            .values((teams::section_id.eq(section), teams::name.eq(&line.team)))
            .execute(c.sql())?;
        if line.number.is_empty() {
            continue;
        }
        let team: u32 = teams::table
            .filter(teams::section_id.eq(section))
            .filter(teams::name.eq(&line.team))
            .select(teams::id)
            .first(c.sql())?;
        let existing: Option<(u32, u32, String, bool)> = students::table
            .filter(students::number.eq(&line.number))
            .filter(students::term_id.eq(0))
            .select((students::id, students::team_id, students::name, students::left_at.is_not_null()))
            .first(c.sql())
            .optional()?;
        match existing {
            None => {
                diesel::insert_into(students::table)
                    .values((
                        students::team_id.eq(team),
                        students::number.eq(&line.number),
                        students::name.eq(&line.name),
                    ))
                    .execute(c.sql())?;
                done.added += 1;
            }
            Some((_, t, name, false)) if t == team && name == line.name => done.unchanged += 1,
            // Who had left and is listed again is back.
            Some((id, ..)) => {
                diesel::update(students::table.find(id))
                    .set((
                        students::team_id.eq(team),
                        students::name.eq(&line.name),
                        students::left_at.eq(None::<NaiveDateTime>),
                        students::left_why.eq(""),
                    ))
                    .execute(c.sql())?;
                done.changed += 1;
            }
        }
    }
    super::events::note(c, Some(user.id), "roster taken", &format!("{} lines", lines.len()))?;
    Ok(done)
}

/// All sections of the term that runs, by id and name.
///
/// # Errors
/// Faults of the database.
pub fn names(c: &mut Db) -> Result<Vec<(u32, String)>, StoreError> {
    Ok(here().order((sections::position, sections::name)).select((sections::id, sections::name)).load(c.sql())?)
}
