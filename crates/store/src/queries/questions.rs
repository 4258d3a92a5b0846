//! Questions: a team asks on one line of a sheet that it got back; a reviewer of its section answers.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::door::Team;
use super::events;
use super::users::User;
use crate::schema::{questions, sections, sheets as sheet_table, teams, users};
use crate::{Db, StoreError};

/// Longest question or answer, in characters.
pub const MOST_WORDS: usize = 1_000;
/// Most questions of one sheet that wait for an answer.
pub const MOST_OPEN: i64 = 8;

/// A question on a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Question {
    /// Id.
    pub id: u32,
    /// The sheet.
    pub sheet_id: u32,
    /// Key of the line: `points:<criterion>` or `result:<item>:<row>`.
    pub line: String,
    /// What the line said when it was asked.
    pub says: String,
    /// What is asked.
    pub body: String,
    /// When.
    pub at: NaiveDateTime,
    /// The answer, if there is one.
    pub answer: Option<Answer>,
}

/// An answer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Answer {
    /// What was answered.
    pub body: String,
    /// Who answered.
    pub by: String,
    /// When.
    pub at: NaiveDateTime,
}

/// A question with the place that it comes from.
#[derive(Clone, Debug)]
pub struct Placed {
    /// The question.
    pub question: Question,
    /// Lab.
    pub lab_id: u32,
    /// Section's name.
    pub section: String,
    /// Team's name.
    pub team: String,
}

/// A row of the table, with the name of whoever answered.
type Row = (u32, u32, String, String, String, NaiveDateTime, String, Option<NaiveDateTime>, Option<String>);

fn question((id, sheet_id, line, says, body, at, answer, answered_at, by): Row) -> Question {
    let answer = answered_at.map(|at| Answer { body: answer, by: by.unwrap_or_default(), at });
    Question { id, sheet_id, line, says, body, at, answer }
}

/// The columns of a [`Row`].
macro_rules! columns {
    () => {
        (
            questions::id,
            questions::sheet_id,
            questions::line_key,
            questions::says,
            questions::body,
            questions::asked_at,
            questions::answer,
            questions::answered_at,
            users::name.nullable(),
        )
    };
}

/// All questions on a sheet, oldest first.
///
/// # Errors
/// Faults of the database.
pub fn of(c: &mut Db, sheet: u32) -> Result<Vec<Question>, StoreError> {
    let rows: Vec<Row> = questions::table
        .left_join(users::table.on(questions::answered_by.eq(users::id.nullable())))
        .filter(questions::sheet_id.eq(sheet))
        .order(questions::id)
        .select(columns!())
        .load(c.sql())?;
    Ok(rows.into_iter().map(question).collect())
}

/// Asks on a line of the team's sheet of a lab, once that has gone out.
///
/// # Errors
/// [`StoreError::NotFound`] where the sheet has not gone out; [`StoreError::Bad`] where the line has an open question, or the
/// sheet too many; faults of the database.
pub fn ask(c: &mut Db, team: &Team, lab: u32, line: &str, says: &str, body: &str) -> Result<u32, StoreError> {
    // The sheet is held, so that two phones do not ask on one line at once.
    let held: Option<u32> = sheet_table::table
        .filter(sheet_table::lab_id.eq(lab))
        .filter(sheet_table::team_id.eq(team.id))
        .filter(sheet_table::stage.is_not_null())
        .filter(sheet_table::returns.gt(0))
        .select(sheet_table::id)
        .for_update()
        .first(c.sql())
        .optional()?;
    let sheet = held.ok_or(StoreError::NotFound("sheet that has gone out"))?;
    let open = || questions::table.filter(questions::sheet_id.eq(sheet)).filter(questions::answered_at.is_null());
    if open().filter(questions::line_key.eq(line)).count().get_result::<i64>(c.sql())? > 0 {
        return Err(StoreError::Bad(
            "a question on this line waits for its answer".into(),
            "read the answer first; then ask again".into(),
        ));
    }
    if open().count().get_result::<i64>(c.sql())? >= MOST_OPEN {
        return Err(StoreError::Bad(
            format!("{MOST_OPEN} questions on this sheet wait for their answers"),
            "wait for one of them, or speak to your reviewer".into(),
        ));
    }
    let now = c.now()?;
    diesel::insert_into(questions::table)
        .values((
            questions::sheet_id.eq(sheet),
            questions::line_key.eq(line),
            questions::says.eq(says),
            questions::body.eq(body),
            questions::asked_at.eq(now),
        ))
        .execute(c.sql())?;
    let id = crate::inserted(c.sql())?;
    events::note(c, None, "asked", &format!("sheet {sheet}: question {id} of the team on {line}"))?;
    Ok(id)
}

/// Questions of a person's sections in the term that runs: those that wait, oldest first, or the last that were answered.
///
/// # Errors
/// Faults of the database.
pub fn list(c: &mut Db, user: &User, answered: bool, most: i64) -> Result<Vec<Placed>, StoreError> {
    let mut query = questions::table
        .inner_join(sheet_table::table.on(questions::sheet_id.eq(sheet_table::id)))
        .inner_join(sections::table.on(sheet_table::section_id.eq(sections::id)))
        .inner_join(teams::table.on(sheet_table::team_id.eq(teams::id)))
        .left_join(users::table.on(questions::answered_by.eq(users::id.nullable())))
        .filter(sheet_table::stage.is_not_null())
        .filter(sheet_table::term_id.eq(0))
        .limit(most)
        .select((columns!(), sheet_table::lab_id, sections::name, teams::name))
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(sheet_table::section_id.eq_any(user.sections.iter().copied()));
    }
    let rows: Vec<(Row, u32, String, String)> = if answered {
        query.filter(questions::answered_at.is_not_null()).order(questions::answered_at.desc()).load(c.sql())?
    } else {
        query.filter(questions::answered_at.is_null()).order(questions::id).load(c.sql())?
    };
    Ok(rows
        .into_iter()
        .map(|(row, lab_id, section, team)| Placed { question: question(row), lab_id, section, team })
        .collect())
}

/// Answers a question of a section that is the person's.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody answered first; [`StoreError::NotFound`]; faults of the database.
pub fn answer(c: &mut Db, id: u32, user: &User, body: &str) -> Result<(), StoreError> {
    let row: Option<(u32, u32)> = questions::table
        .inner_join(sheet_table::table.on(questions::sheet_id.eq(sheet_table::id)))
        .filter(questions::id.eq(id))
        .filter(sheet_table::stage.is_not_null())
        .filter(sheet_table::term_id.eq(0))
        .select((questions::sheet_id, sheet_table::section_id))
        .first(c.sql())
        .optional()?;
    let (sheet, section) = row.ok_or(StoreError::NotFound("question"))?;
    if !user.sees(section) {
        return Err(StoreError::NotFound("question"));
    }
    let now = c.now()?;
    let put = diesel::update(questions::table.filter(questions::id.eq(id)).filter(questions::answered_at.is_null()))
        .set((
            questions::answer.eq(body),
            questions::answered_by.eq(Some(user.id)),
            questions::answered_at.eq(Some(now)),
        ))
        .execute(c.sql())?;
    if put == 0 {
        let first = of(c, sheet)?.into_iter().find(|q| q.id == id).and_then(|q| q.answer);
        let (by, theirs) = first.map_or_else(Default::default, |a| (a.by, a.body));
        return Err(StoreError::conflict(0, by, theirs));
    }
    events::note(c, Some(user.id), "answered", &format!("sheet {sheet}: question {id}"))
}
