//! Signing in with the college: where that is, and who somebody who comes from there is here.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use serde::{Deserialize, Serialize};

use super::course::{named, taken};
use super::door::Team;
use super::events;
use super::settings::{self, Course};
use super::sheets::{self, SheetDetail};
use super::users::{self, User};
use crate::records::sheet::Head;
use crate::schema::{college_accounts, college_students, labs, sections, sheets as sheet_table, students, teams};
use crate::schema::{terms, went_out};
use crate::{Db, StoreError};

/// Where the college signs people in, and as what it knows us.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Place {
    /// Address of the issuer.
    pub issuer: String,
    /// Name that it gave us.
    pub client: String,
    /// Secret that it gave us.
    pub secret: String,
}

/// Name under which it is kept.
const SIGN_IN: &str = "college-sign-in";
/// Longest name at the college, in characters.
pub const MOST_NAME: usize = 80;

/// Where the college signs people in, if it does.
///
/// # Errors
/// Faults of the database.
pub fn place(c: &mut Db) -> Result<Option<Place>, StoreError> {
    settings::kept(c, SIGN_IN)
}

/// Sets where the college signs people in, or that it does not.
///
/// # Errors
/// Faults of the database.
pub fn set_place(c: &mut Db, place: Option<&Place>, user: &User) -> Result<(), StoreError> {
    settings::keep(c, SIGN_IN, place)?;
    let course = Course { college: place.is_some(), ..settings::course(c)? };
    settings::set_course(c, &course, Some(user))?;
    let about = place.map_or("none", |p| p.issuer.as_str());
    events::note(c, Some(user.id), "sign-in with the college set", &about.chars().take(150).collect::<String>())
}

/// Who somebody from the college is here.
#[derive(Clone, Debug)]
pub enum Found {
    /// Somebody who signs in here.
    Person(User),
    /// A student, by the number.
    Student(String),
    /// Somebody else than the student who came first under that number.
    Another(String),
    /// Nobody.
    Nobody,
}

fn digest_of(subject: &str) -> String {
    crate::digest(format!("college\n{subject}").as_bytes())
}

/// Who somebody from the college is here: the person who came from there under this subject before; else the one of whom the
/// coordinator wrote down that name and who never came from there, who is bound to the subject from now on; else the student
/// who came from there under this subject before, or the one of that number who never did and is bound from now on. At many
/// colleges people may change the name they sign in with, so whoever comes with the number of another is refused, and that is kept for
/// the coordinator.
///
/// # Errors
/// Faults of the database.
pub fn who(c: &mut Db, subject: &str, name: &str) -> Result<Found, StoreError> {
    let digest = digest_of(subject);
    let bound: Option<u32> = college_accounts::table
        .filter(college_accounts::subject.eq(&digest))
        .select(college_accounts::user_id)
        .first(c.sql())
        .optional()?;
    if let Some(id) = bound {
        let user = users::get(c, id)?;
        return Ok(if user.closed { Found::Nobody } else { Found::Person(user) });
    }
    let named: Option<(u32, Option<String>)> = college_accounts::table
        .filter(college_accounts::name.eq(name))
        .select((college_accounts::user_id, college_accounts::subject))
        .for_update()
        .first(c.sql())
        .optional()?;
    if let Some((id, other)) = named {
        let user = users::get(c, id)?;
        // Who is bound to another subject is somebody else of the same name.
        if user.closed || other.is_some() {
            return Ok(Found::Nobody);
        }
        let at = c.now()?;
        diesel::update(college_accounts::table.find(id))
            .set((college_accounts::subject.eq(Some(digest)), college_accounts::bound_at.eq(Some(at))))
            .execute(c.sql())?;
        events::note(c, Some(id), "bound to the college", &format!("person {id}"))?;
        return Ok(Found::Person(user));
    }
    let known: Option<String> = college_students::table
        .filter(college_students::subject.eq(&digest))
        .select(college_students::number)
        .first(c.sql())
        .optional()?;
    if let Some(number) = known {
        return Ok(student(c, &number)?.map_or(Found::Nobody, |_| Found::Student(number)));
    }
    if student(c, name)?.is_none() {
        return Ok(Found::Nobody);
    }
    bind_student(c, name, &digest)
}

/// Binds a student who comes from the college first, or refuses another who comes under the number.
fn bind_student(c: &mut Db, number: &str, digest: &str) -> Result<Found, StoreError> {
    let at = c.now()?;
    let bound = diesel::insert_or_ignore_into(college_students::table)
        .values((
            college_students::number.eq(number),
            college_students::subject.eq(digest),
            college_students::bound_at.eq(at),
        ))
        .execute(c.sql())?;
    let of = college_students::table.find(number);
    if bound == 0 {
        diesel::update(of)
            .set((college_students::refused.eq(college_students::refused + 1), college_students::refused_at.eq(at)))
            .execute(c.sql())?;
        return Ok(Found::Another(number.to_owned()));
    }
    events::note(
        c,
        None,
        "student bound to the college",
        &format!("student {}", &crate::digest(number.as_bytes())[..12]),
    )?;
    Ok(Found::Student(number.to_owned()))
}

/// A number under which somebody else came than the student it is bound to.
#[derive(Clone, Debug, Queryable)]
pub struct Refused {
    /// The student's number.
    pub number: String,
    /// When the first one came.
    pub bound_at: NaiveDateTime,
    /// How often another did.
    pub refused: u32,
    /// When last.
    pub refused_at: Option<NaiveDateTime>,
}

/// The numbers under which somebody else came, the last first.
///
/// # Errors
/// Faults of the database.
pub fn refused(c: &mut Db) -> Result<Vec<Refused>, StoreError> {
    Ok(college_students::table
        .filter(college_students::refused.gt(0))
        .order(college_students::refused_at.desc())
        .limit(50)
        .select((
            college_students::number,
            college_students::bound_at,
            college_students::refused,
            college_students::refused_at,
        ))
        .load(c.sql())?)
}

/// Lets a number go: who comes next under it is bound to it.
///
/// # Errors
/// [`StoreError::NotFound`] where it is bound to nobody; faults of the database.
pub fn unbind(c: &mut Db, number: &str, by: &User) -> Result<(), StoreError> {
    if diesel::delete(college_students::table.find(number)).execute(c.sql())? == 0 {
        return Err(StoreError::NotFound("student who came from the college"));
    }
    let student = &crate::digest(number.as_bytes())[..12];
    events::note(c, Some(by.id), "student let go from the college", &format!("student {student}"))
}

/// Writes down under which name somebody signs in at the college, or that they do not. Another name is another person there.
///
/// # Errors
/// [`StoreError::Bad`] where the name is another's or too long; [`StoreError::NotFound`]; faults of the database.
pub fn set_name(c: &mut Db, id: u32, name: &str, by: &User) -> Result<(), StoreError> {
    users::get(c, id)?;
    let name = name.trim();
    diesel::delete(college_accounts::table.find(id)).execute(c.sql())?;
    if !name.is_empty() {
        let name = named("name at the college", name, MOST_NAME)?;
        diesel::insert_into(college_accounts::table)
            .values((college_accounts::user_id.eq(id), college_accounts::name.eq(name)))
            .execute(c.sql())
            .map_err(|e| taken(e.into(), "somebody here with the college’s name", name))?;
    }
    events::note(c, Some(by.id), "name at the college set", &format!("person {id}"))
}

/// The names at the college that are written down, by person.
///
/// # Errors
/// Faults of the database.
pub fn names(c: &mut Db) -> Result<Vec<(u32, String)>, StoreError> {
    Ok(college_accounts::table.select((college_accounts::user_id, college_accounts::name)).load(c.sql())?)
}

/// The team of a student in the term that runs, while the student is in it.
///
/// # Errors
/// Faults of the database.
pub fn student(c: &mut Db, number: &str) -> Result<Option<Team>, StoreError> {
    let row: Option<(u32, String, u32, String)> = students::table
        .inner_join(teams::table.inner_join(sections::table))
        .filter(students::number.eq(number))
        .filter(students::term_id.eq(0))
        .filter(students::left_at.is_null())
        .filter(sections::closed_at.is_null())
        .select((teams::id, teams::name, sections::id, sections::name))
        .first(c.sql())
        .optional()?;
    Ok(row.map(|(id, name, section_id, section)| Team { id, name, section_id, section, code: String::new() }))
}

/// A sheet that went out to a team that a student was in before.
#[derive(Clone, Debug, Queryable)]
pub struct Earlier {
    /// Sheet.
    pub id: u32,
    /// Lab's slug.
    pub lab: String,
    /// Team.
    pub team: String,
    /// When it went out last.
    pub at: NaiveDateTime,
    /// Term; `None` of the one that runs.
    pub term: Option<String>,
}

/// What went out to other teams that a student was in, of this term and of those before, newest first.
///
/// # Errors
/// Faults of the database.
pub fn earlier(c: &mut Db, number: &str, now: u32) -> Result<Vec<Earlier>, StoreError> {
    let own: Vec<u32> = students::table
        .filter(students::number.eq(number))
        .filter(students::team_id.ne(now))
        .select(students::team_id)
        .load(c.sql())?;
    Ok(went_out::table
        .inner_join(sheet_table::table.on(sheet_table::id.eq(went_out::sheet_id)))
        .inner_join(labs::table.on(labs::id.eq(sheet_table::lab_id)))
        .inner_join(teams::table.on(teams::id.eq(sheet_table::team_id)))
        .left_join(terms::table.on(terms::id.eq(sheet_table::term_id)))
        .filter(sheet_table::team_id.eq_any(own))
        .filter(sheet_table::removal_id.is_null())
        .filter(went_out::number.eq(sheet_table::returns))
        .order((went_out::at.desc(), sheet_table::id))
        .select((sheet_table::id, labs::slug, teams::name, went_out::at, terms::name.nullable()))
        .load(c.sql())?)
}

/// One of those sheets.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is none of the student's; faults of the database.
pub fn earlier_sheet(c: &mut Db, number: &str, now: u32, sheet: u32) -> Result<(Earlier, SheetDetail), StoreError> {
    let missing = StoreError::NotFound("sheet that has gone out");
    let found = earlier(c, number, now)?.into_iter().find(|e| e.id == sheet).ok_or(missing)?;
    let head: Head = sheet_table::table.find(sheet).select(Head::as_select()).first(c.sql())?;
    Ok((found, sheets::detail_of(c, head)?))
}
