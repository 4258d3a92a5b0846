//! The course as a coordinator changes it one thing at a time: sections, their teams, the students in them. Nothing that
//! was judged is lost: a team with tables stays, a student who leaves stays beside the marks that went out.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use diesel::result::{DatabaseErrorKind, Error as Sql};

use super::labs::{self, Hold};
use super::users::User;
use super::{events, ground, sections as section_rows, sheets as sheet_rows};
use crate::schema::{
    draft_books, drafts, room_readings, section_labs, sections, sheets, students, team_codes, teams, user_sections,
};
use crate::{Db, StoreError};

/// Longest name of a section or team, of a student, and longest number of a student, in characters, as wide as their
/// columns.
pub const MOST_NAME: usize = 80;
/// As above.
pub const MOST_STUDENT: usize = 120;
/// As above.
pub const MOST_NUMBER: usize = 40;
/// Longest reason for which a student left, in characters.
pub const MOST_REASON: usize = 500;

/// A student as the coordinator sees them.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct Member {
    /// Id.
    pub id: u32,
    /// Team.
    pub team_id: u32,
    /// Number.
    pub number: String,
    /// Name.
    pub name: String,
    /// Whether they left.
    pub left: bool,
    /// Why they left.
    pub left_why: String,
}

/// A team with its students and how many tables it has handed in.
#[derive(Clone, Debug)]
pub struct Team {
    /// Id.
    pub id: u32,
    /// Name.
    pub name: String,
    /// Tables.
    pub tables: usize,
    /// Students, also those who left.
    pub members: Vec<Member>,
}

/// One change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Change {
    /// A new section, the last.
    AddSection(String),
    /// Another name for a section.
    RenameSection(u32, String),
    /// A section one place up (true) or down.
    MoveSection(u32, bool),
    /// Takes out a section that holds no team.
    RemoveSection(u32),
    /// Takes no more tables of a section in (true), or takes them in again.
    CloseSection(u32, bool),
    /// A new team in a section.
    AddTeam(u32, String),
    /// Another name for a team.
    RenameTeam(u32, String),
    /// A team with its students and tables into another section, whose settings then hold for it.
    MoveTeam(u32, u32),
    /// Takes out a team that has handed nothing in and holds no student.
    RemoveTeam(u32),
    /// A new student in a team: number and name.
    AddStudent(u32, String, String),
    /// Another name for a student.
    RenameStudent(u32, String),
    /// A student into another team, as `section: team`.
    MoveStudent(u32, String),
    /// A student leaves, for a reason.
    Leave(u32, String),
    /// A student who left is back.
    Return(u32),
}

fn bad(what: impl Into<String>, mend: impl Into<String>) -> StoreError {
    StoreError::Bad(what.into(), mend.into())
}

/// A name without blanks around it, if it may be one.
pub(crate) fn named<'a>(what: &str, text: &'a str, most: usize) -> Result<&'a str, StoreError> {
    let text = text.trim();
    if text.is_empty() {
        return Err(bad(format!("the {what} is empty"), "write one"));
    }
    if text.chars().count() > most {
        return Err(bad(format!("the {what} is longer than {most} characters"), "shorten it"));
    }
    Ok(text)
}

/// A reason without blanks around it, if it may be one.
pub(crate) fn reason(text: &str) -> Result<&str, StoreError> {
    named("reason", text, MOST_REASON)
}

/// What is wrong where a name is there already.
pub(crate) fn taken(e: StoreError, what: &str, name: &str) -> StoreError {
    match e {
        StoreError::Database(Sql::DatabaseError(DatabaseErrorKind::UniqueViolation, _)) => {
            bad(format!("there is {what} “{name}” already"), "choose another name")
        }
        e => e,
    }
}

/// What is wrong where something belongs to what would be taken out.
fn needed(e: StoreError) -> StoreError {
    match e {
        StoreError::Database(Sql::DatabaseError(DatabaseErrorKind::ForeignKeyViolation, _)) => bad(
            "something was brought for it, such as a picture",
            "it stays, so that nothing is lost; it can be renamed",
        ),
        e => e,
    }
}

fn found(rows: usize, what: &'static str) -> Result<(), StoreError> {
    if rows == 0 { Err(StoreError::NotFound(what)) } else { Ok(()) }
}

/// The teams of a section, by name, with their students by number.
///
/// # Errors
/// [`StoreError::NotFound`] where the section is not this person's; faults of the database.
pub fn teams_of(c: &mut Db, section: u32, user: &User) -> Result<Vec<Team>, StoreError> {
    if !user.sees(section) {
        return Err(StoreError::NotFound("section"));
    }
    let rows: Vec<(u32, String)> = teams::table
        .filter(teams::section_id.eq(section))
        .order(teams::name)
        .select((teams::id, teams::name))
        .load(c.sql())?;
    let members: Vec<Member> = students::table
        .inner_join(teams::table)
        .filter(teams::section_id.eq(section))
        .order(students::number)
        .select((
            students::id,
            students::team_id,
            students::number,
            students::name,
            students::left_at.is_not_null(),
            students::left_why,
        ))
        .load(c.sql())?;
    let tables: Vec<(u32, i64)> = sheets::table
        .filter(sheets::section_id.eq(section))
        .group_by(sheets::team_id)
        .select((sheets::team_id, diesel::dsl::count_star()))
        .load(c.sql())?;
    let count = |id: u32| tables.iter().find(|(t, _)| *t == id).map_or(0, |(_, n)| *n as usize);
    Ok(rows
        .into_iter()
        .map(|(id, name)| Team {
            tables: count(id),
            members: members.iter().filter(|m| m.team_id == id).cloned().collect(),
            id,
            name,
        })
        .collect())
}

/// Makes one change, and notes who made it.
///
/// # Errors
/// [`StoreError::Bad`] with what cannot be and how to mend it; [`StoreError::NotFound`]; faults of the database.
pub fn change(c: &mut Db, change: &Change, user: &User) -> Result<(), StoreError> {
    // What belongs to a term that has ended stays as it is.
    if let Some(section) = section_of(c, change)? {
        section_rows::hold(c, section, Hold::Alone)?;
    }
    let (what, about) = match change {
        Change::AddSection(_)
        | Change::RenameSection(..)
        | Change::MoveSection(..)
        | Change::RemoveSection(_)
        | Change::CloseSection(..) => section(c, change)?,
        Change::AddTeam(..) | Change::RenameTeam(..) | Change::RemoveTeam(_) => team(c, change)?,
        Change::MoveTeam(id, to) => move_team(c, *id, *to, user)?,
        _ => student(c, change)?,
    };
    events::note(c, Some(user.id), what, &about)
}

/// The section in which something is changed, if that is there.
fn section_of(c: &mut Db, change: &Change) -> Result<Option<u32>, StoreError> {
    let of_team = |c: &mut Db, team: &u32| -> Result<Option<u32>, StoreError> {
        Ok(teams::table.find(team).select(teams::section_id).first(c.sql()).optional()?)
    };
    match change {
        // A team that moves has two; they are held in order there.
        Change::AddSection(_) | Change::MoveTeam(..) => Ok(None),
        Change::RenameSection(id, _)
        | Change::MoveSection(id, _)
        | Change::RemoveSection(id)
        | Change::CloseSection(id, _)
        | Change::AddTeam(id, _) => Ok(Some(*id)),
        Change::RenameTeam(id, _) | Change::RemoveTeam(id) | Change::AddStudent(id, ..) => of_team(c, id),
        Change::RenameStudent(id, _) | Change::MoveStudent(id, _) | Change::Leave(id, _) | Change::Return(id) => {
            let team: Option<u32> = students::table.find(id).select(students::team_id).first(c.sql()).optional()?;
            team.map_or(Ok(None), |team| of_team(c, &team))
        }
    }
}

fn section(c: &mut Db, change: &Change) -> Result<(&'static str, String), StoreError> {
    match change {
        Change::AddSection(name) => {
            let name = named("name of the section", name, MOST_NAME)?;
            let last: Option<i32> = sections::table.select(diesel::dsl::max(sections::position)).first(c.sql())?;
            diesel::insert_into(sections::table)
                .values((sections::name.eq(name), sections::position.eq(last.map_or(0, |p| p + 1))))
                .execute(c.sql())
                .map_err(|e| taken(e.into(), "a section", name))?;
            Ok(("section added", name.to_owned()))
        }
        Change::RenameSection(id, name) => {
            let name = named("name of the section", name, MOST_NAME)?;
            let was: String = sections::table
                .find(id)
                .select(sections::name)
                .first(c.sql())
                .optional()?
                .ok_or(StoreError::NotFound("section"))?;
            diesel::update(sections::table.find(id))
                .set(sections::name.eq(name))
                .execute(c.sql())
                .map_err(|e| taken(e.into(), "a section", name))?;
            Ok(("section renamed", format!("section {id}: {was} is {name}")))
        }
        Change::MoveSection(id, up) => {
            let mut order: Vec<u32> = super::roster::here()
                .order((sections::position, sections::name))
                .select(sections::id)
                .for_update()
                .load(c.sql())?;
            let at = order.iter().position(|s| s == id).ok_or(StoreError::NotFound("section"))?;
            let to = if *up { at.saturating_sub(1) } else { (at + 1).min(order.len() - 1) };
            order.swap(at, to);
            for (position, section) in order.iter().enumerate() {
                diesel::update(sections::table.find(section))
                    .set(sections::position.eq(position as i32))
                    .execute(c.sql())?;
            }
            Ok(("section moved", format!("section {id}: place {}", to + 1)))
        }
        Change::RemoveSection(id) => {
            let teams: i64 = teams::table.filter(teams::section_id.eq(id)).count().get_result(c.sql())?;
            let set: i64 = section_labs::table.filter(section_labs::section_id.eq(id)).count().get_result(c.sql())?;
            if teams > 0 || set > 0 {
                return Err(bad(
                    "the section holds teams, or has set something for a lab",
                    "take its teams out first; a section that has set something stays",
                ));
            }
            diesel::delete(user_sections::table.filter(user_sections::section_id.eq(id))).execute(c.sql())?;
            found(diesel::delete(sections::table.find(id)).execute(c.sql())?, "section")?;
            Ok(("section taken out", format!("section {id}:")))
        }
        Change::CloseSection(id, close) => {
            let at = if *close { Some(c.now()?) } else { None };
            let row = diesel::update(sections::table.find(id)).set(sections::closed_at.eq(at));
            found(row.execute(c.sql())?, "section")?;
            Ok((if *close { "section closed" } else { "section opened" }, format!("section {id}:")))
        }
        _ => Err(StoreError::NotFound("change of a section")),
    }
}

fn team(c: &mut Db, change: &Change) -> Result<(&'static str, String), StoreError> {
    match change {
        Change::AddTeam(section, name) => {
            let name = named("name of the team", name, MOST_NAME)?;
            let there: i64 = sections::table.filter(sections::id.eq(section)).count().get_result(c.sql())?;
            found(there as usize, "section")?;
            diesel::insert_into(teams::table)
                .values((teams::section_id.eq(section), teams::name.eq(name)))
                .execute(c.sql())
                .map_err(|e| taken(e.into(), "a team", name))?;
            Ok(("team added", format!("section {section}: {name}")))
        }
        Change::RenameTeam(id, name) => {
            let name = named("name of the team", name, MOST_NAME)?;
            let was: String = teams::table
                .find(id)
                .select(teams::name)
                .first(c.sql())
                .optional()?
                .ok_or(StoreError::NotFound("team"))?;
            diesel::update(teams::table.find(id))
                .set(teams::name.eq(name))
                .execute(c.sql())
                .map_err(|e| taken(e.into(), "a team", name))?;
            Ok(("team renamed", format!("team {id}: {was} is {name}")))
        }
        Change::RemoveTeam(id) => {
            let tables: i64 = sheets::table.filter(sheets::team_id.eq(id)).count().get_result(c.sql())?;
            let members: i64 = students::table.filter(students::team_id.eq(id)).count().get_result(c.sql())?;
            if tables > 0 || members > 0 {
                return Err(bad(
                    "the team has tables or students",
                    "move its students first; a team with tables stays, so that nothing judged is lost",
                ));
            }
            // Pictures and rows may belong to it besides: the database says so.
            diesel::delete(team_codes::table.find(id)).execute(c.sql())?;
            diesel::delete(drafts::table.filter(drafts::team_id.eq(id))).execute(c.sql())?;
            diesel::delete(draft_books::table.filter(draft_books::team_id.eq(id))).execute(c.sql())?;
            diesel::delete(room_readings::table.filter(room_readings::team_id.eq(id))).execute(c.sql())?;
            let gone = diesel::delete(teams::table.find(id)).execute(c.sql()).map_err(|e| needed(e.into()))?;
            found(gone, "team")?;
            Ok(("team taken out", format!("team {id}:")))
        }
        _ => Err(StoreError::NotFound("change of a team")),
    }
}

/// Moves a team to another section, and judges its tables by what that one sets. All labs of its tables and both sections
/// are held first, so that nothing is judged by the old section's settings meanwhile.
fn move_team(c: &mut Db, id: u32, to: u32, user: &User) -> Result<(&'static str, String), StoreError> {
    let labs_of = |c: &mut Db| -> Result<Vec<u32>, StoreError> {
        let ids = sheets::table.filter(sheets::team_id.eq(id)).select(sheets::lab_id).distinct();
        Ok(ids.order(sheets::lab_id).load(c.sql())?)
    };
    for lab in labs_of(c)? {
        labs::hold(c, lab, Hold::Shared)?;
    }
    let row = teams::table.find(id).select((teams::section_id, teams::name));
    let (from, name): (u32, String) = row.first(c.sql()).optional()?.ok_or(StoreError::NotFound("team"))?;
    if from == to {
        return Err(bad(format!("{name} is in that section already"), "choose another section"));
    }
    for section in [from.min(to), from.max(to)] {
        section_rows::hold(c, section, Hold::Alone)?;
    }
    let moved = diesel::update(teams::table.find(id).filter(teams::section_id.eq(from)))
        .set(teams::section_id.eq(to))
        .execute(c.sql())
        .map_err(|e| taken(e.into(), "a team", &name))?;
    found(moved, "team")?;
    diesel::update(sheets::table.filter(sheets::team_id.eq(id))).set(sheets::section_id.eq(to)).execute(c.sql())?;
    // Something of another lab may have come in before the sections were held.
    for lab in labs_of(c)? {
        labs::hold(c, lab, Hold::Shared)?;
        let ground = ground::of(c, lab, to)?;
        sheet_rows::rejudge_held(c, &ground, to, &user.name, "moved the team to another section")?;
    }
    Ok(("team moved", format!("team {id}: section {from} to section {to}")))
}

fn student(c: &mut Db, change: &Change) -> Result<(&'static str, String), StoreError> {
    match change {
        Change::AddStudent(team, number, name) => {
            let number = named("number of the student", number, MOST_NUMBER)?;
            let name = named("name of the student", name, MOST_STUDENT)?;
            has_team(c, *team)?;
            diesel::insert_into(students::table)
                .values((students::team_id.eq(team), students::number.eq(number), students::name.eq(name)))
                .execute(c.sql())
                .map_err(|e| taken(e.into(), "a student with the number", number))?;
            // The record is for good, so it names a student by no name or number of theirs.
            let id = crate::inserted(c.sql())?;
            Ok(("student added", format!("team {team}: student {id}")))
        }
        Change::RenameStudent(id, name) => {
            let name = named("name of the student", name, MOST_STUDENT)?;
            let row = diesel::update(students::table.find(id)).set(students::name.eq(name));
            found(row.execute(c.sql())?, "student")?;
            Ok(("student renamed", format!("student {id}:")))
        }
        Change::MoveStudent(id, to) => {
            let team = team_called(c, to)?;
            let row = diesel::update(students::table.find(id)).set(students::team_id.eq(team));
            found(row.execute(c.sql())?, "student")?;
            Ok(("student moved", format!("student {id}: team {team}")))
        }
        Change::Leave(id, why) => {
            let why = reason(why)?;
            let at = c.now()?;
            let row = diesel::update(students::table.find(id))
                .set((students::left_at.eq(Some(at)), students::left_why.eq(why)));
            found(row.execute(c.sql())?, "student")?;
            Ok(("student left", format!("student {id}:")))
        }
        Change::Return(id) => {
            let row = diesel::update(students::table.find(id))
                .set((students::left_at.eq(None::<NaiveDateTime>), students::left_why.eq("")));
            found(row.execute(c.sql())?, "student")?;
            Ok(("student back", format!("student {id}:")))
        }
        _ => Err(StoreError::NotFound("change of a student")),
    }
}

/// The team that `section: team` names. Either name may hold a colon.
fn team_called(c: &mut Db, text: &str) -> Result<u32, StoreError> {
    for (at, _) in text.match_indices(':') {
        let (section, team) = (text[..at].trim(), text[at + 1..].trim());
        let id: Option<u32> = teams::table
            .inner_join(sections::table)
            .filter(sections::term_id.eq(0))
            .filter(sections::name.eq(section))
            .filter(teams::name.eq(team))
            .select(teams::id)
            .first(c.sql())
            .optional()?;
        if let Some(id) = id {
            return Ok(id);
        }
    }
    Err(bad(format!("there is no team “{}”", text.trim()), "choose one of the list, as section: team"))
}

fn has_team(c: &mut Db, team: u32) -> Result<(), StoreError> {
    let there: i64 = teams::table.filter(teams::id.eq(team)).count().get_result(c.sql())?;
    found(there as usize, "team")
}
