//! Scores on their way to the college's gradebook. What should be there follows from what went out; each difference makes a
//! row, and a row is sent under one key until an answer says that it arrived. Nothing is sent from here.

use chrono::{NaiveDateTime, TimeDelta};
use diesel::prelude::*;
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use super::users::User;
use super::{events, settings};
pub use crate::records::words::ScoreState;
use crate::schema::{labs, outbox, sections, settings as setting_table, sheets, students, teams, went_out};
use crate::{Db, StoreError};

/// Where the gradebook is.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Place {
    /// Address of its score interface, such as `https://grades.example/api`.
    pub url: String,
    /// The token that Jurado shows it.
    pub token: String,
}

/// Name under which it is kept.
const GRADEBOOK: &str = "gradebook";
/// Name under which the installation's own name in keys is kept.
const INSTALLATION: &str = "installation";
/// For how long a row that was taken to be sent is left to whoever took it.
const LEASE: TimeDelta = TimeDelta::seconds(60);
/// Longest pause between two tries.
const MOST_PAUSE: i64 = 600;

/// Where the gradebook is, if there is one.
///
/// # Errors
/// Faults of the database.
pub fn place(c: &mut Db) -> Result<Option<Place>, StoreError> {
    settings::kept(c, GRADEBOOK)
}

/// Sets where the gradebook is, or that there is none: then nothing is sent any more.
///
/// # Errors
/// Faults of the database.
pub fn set_place(c: &mut Db, place: Option<&Place>, user: &User) -> Result<(), StoreError> {
    settings::keep(c, GRADEBOOK, place)?;
    let about = place.map_or("none", |p| p.url.as_str());
    events::note(c, Some(user.id), "gradebook set", &about.chars().take(150).collect::<String>())
}

/// A score to be sent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Score {
    /// Row.
    pub id: u32,
    /// Key under which it counts once.
    pub key: String,
    /// Number of the student.
    pub student: String,
    /// The lab.
    pub column: String,
    /// Points as they went out.
    pub points: Decimal,
    /// Of how many.
    pub possible: Decimal,
    /// When they went out.
    pub at: NaiveDateTime,
    /// How often it was tried before.
    pub tries: u32,
}

/// Makes a row for every student and lab where the last one is not what went out last. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn fill(c: &mut Db) -> Result<usize, StoreError> {
    // One process at a time, so that no difference makes two rows.
    let held: Option<String> =
        setting_table::table.find(GRADEBOOK).select(setting_table::value).for_update().first(c.sql()).optional()?;
    if held.is_none() {
        return Ok(0);
    }
    let made = diesel::sql_query(
        "INSERT INTO outbox (student_id, lab_id, sheet_id, number, state, next_at, made_at) \
         SELECT st.id, s.lab_id, s.id, s.returns, 'waiting', UTC_TIMESTAMP(), UTC_TIMESTAMP() \
         FROM students st JOIN sheets s ON s.team_id = st.team_id \
         LEFT JOIN (SELECT student_id, lab_id, MAX(id) AS id FROM outbox GROUP BY student_id, lab_id) m \
         ON m.student_id = st.id AND m.lab_id = s.lab_id LEFT JOIN outbox o ON o.id = m.id \
         WHERE st.left_at IS NULL AND st.term_id = 0 AND s.term_id = 0 AND s.stage IS NOT NULL AND s.returns > 0 \
         AND (o.id IS NULL OR o.sheet_id <> s.id OR o.number <> s.returns)",
    )
    .execute(c.sql())?;
    if made > 0 {
        overtake(c)?;
        events::note(c, None, "scores to send", &format!("{made} scores for the gradebook"))?;
    }
    Ok(made)
}

/// Rows of which a later one waits are not sent any more.
fn overtake(c: &mut Db) -> Result<(), StoreError> {
    diesel::sql_query(
        "UPDATE outbox o JOIN outbox n ON n.student_id = o.student_id AND n.lab_id = o.lab_id AND n.id > o.id \
         AND n.state = 'waiting' SET o.state = 'overtaken' WHERE o.state <> 'overtaken'",
    )
    .execute(c.sql())?;
    Ok(())
}

/// Takes rows whose time has come, for a minute: whoever takes them sends them.
///
/// # Errors
/// Faults of the database.
pub fn take(c: &mut Db, most: i64) -> Result<Vec<Score>, StoreError> {
    let now = c.now()?;
    let due: Vec<u32> = outbox::table
        .filter(outbox::state.eq(ScoreState::Waiting))
        .filter(outbox::next_at.le(now))
        .order(outbox::id)
        .limit(most)
        .select(outbox::id)
        .for_update()
        .skip_locked()
        .load(c.sql())?;
    diesel::update(outbox::table.filter(outbox::id.eq_any(&due)))
        .set(outbox::next_at.eq(now + LEASE))
        .execute(c.sql())?;
    let name = settings::get_or_insert(c, INSTALLATION, || crate::secret()[..12].to_owned())?;
    let rows: Vec<(u32, u32, String, String, Decimal, Decimal, NaiveDateTime)> = outbox::table
        .inner_join(students::table)
        .inner_join(labs::table.on(labs::id.eq(outbox::lab_id)))
        .inner_join(
            went_out::table.on(went_out::sheet_id.eq(outbox::sheet_id).and(went_out::number.eq(outbox::number))),
        )
        .filter(outbox::id.eq_any(&due))
        .order(outbox::id)
        .select((
            outbox::id,
            outbox::tries,
            students::number,
            labs::slug,
            went_out::points,
            went_out::possible,
            went_out::at,
        ))
        .load(c.sql())?;
    Ok(rows
        .into_iter()
        .map(|(id, tries, student, column, points, possible, at)| Score {
            id,
            key: format!("jurado-{name}-{id}"),
            student,
            column,
            points,
            possible,
            at,
            tries,
        })
        .collect())
}

/// What a try came to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Tried {
    /// An answer says that it arrived, now or before.
    Arrived,
    /// It may have arrived or not: it is sent again under the same key.
    Later(String),
    /// The gradebook does not take it.
    Refused(String),
}

/// Seconds until the next try: five, and twice as long each time.
pub fn pause(tries: u32) -> i64 {
    (5i64 << tries.min(10)).min(MOST_PAUSE)
}

/// Writes down what a try came to.
///
/// # Errors
/// Faults of the database.
pub fn tried(c: &mut Db, score: &Score, what: &Tried) -> Result<(), StoreError> {
    let now = c.now()?;
    let (state, told, next) = match what {
        Tried::Arrived => (ScoreState::Sent, "", now),
        Tried::Later(told) => (ScoreState::Waiting, told.as_str(), now + TimeDelta::seconds(pause(score.tries))),
        Tried::Refused(told) => (ScoreState::Refused, told.as_str(), now),
    };
    let told: String = told.chars().take(400).collect();
    // One that was overtaken meanwhile stays so; whether it arrived is of no account.
    diesel::update(outbox::table.filter(outbox::id.eq(score.id)).filter(outbox::state.eq(ScoreState::Waiting)))
        .set((
            outbox::state.eq(state),
            outbox::told.eq(told),
            outbox::next_at.eq(next),
            outbox::tries.eq(score.tries + 1),
            outbox::sent_at.eq((state == ScoreState::Sent).then_some(now)),
        ))
        .execute(c.sql())?;
    Ok(())
}

/// How many rows stand how.
///
/// # Errors
/// Faults of the database.
pub fn counts(c: &mut Db) -> Result<Vec<(ScoreState, i64)>, StoreError> {
    Ok(outbox::table.group_by(outbox::state).select((outbox::state, diesel::dsl::count_star())).load(c.sql())?)
}

/// A row with whose it is.
#[derive(Clone, Debug, Queryable)]
pub struct Row {
    /// Row.
    pub id: u32,
    /// How it stands.
    pub state: ScoreState,
    /// Number of the student.
    pub number: String,
    /// Name of the student.
    pub name: String,
    /// Section.
    pub section: String,
    /// Team.
    pub team: String,
    /// The lab.
    pub column: String,
    /// Points.
    pub points: Decimal,
    /// Of how many.
    pub possible: Decimal,
    /// How often it was tried.
    pub tries: u32,
    /// What was told last.
    pub told: String,
    /// When it is tried next.
    pub next_at: NaiveDateTime,
    /// When it arrived.
    pub sent_at: Option<NaiveDateTime>,
}

/// The last row of every student and lab: of some states, or of one lab, at most `most`.
///
/// # Errors
/// Faults of the database.
pub fn rows(c: &mut Db, states: &[ScoreState], column: Option<&str>, most: i64) -> Result<Vec<Row>, StoreError> {
    let mut query = outbox::table
        .inner_join(students::table)
        .inner_join(labs::table.on(labs::id.eq(outbox::lab_id)))
        .inner_join(sheets::table.on(sheets::id.eq(outbox::sheet_id)))
        .inner_join(sections::table.on(sections::id.eq(sheets::section_id)))
        .inner_join(teams::table.on(teams::id.eq(sheets::team_id)))
        .inner_join(
            went_out::table.on(went_out::sheet_id.eq(outbox::sheet_id).and(went_out::number.eq(outbox::number))),
        )
        .filter(outbox::state.eq_any(states.to_vec()))
        .order((outbox::lab_id, sections::position, teams::name, students::number))
        .limit(most)
        .select((
            outbox::id,
            outbox::state,
            students::number,
            students::name,
            sections::name,
            teams::name,
            labs::slug,
            went_out::points,
            went_out::possible,
            outbox::tries,
            outbox::told,
            outbox::next_at,
            outbox::sent_at,
        ))
        .into_boxed();
    if let Some(column) = column {
        query = query.filter(labs::slug.eq(column.to_owned()));
    }
    Ok(query.load(c.sql())?)
}

/// Tries everything that waits or was refused at once.
///
/// # Errors
/// Faults of the database.
pub fn try_now(c: &mut Db, user: &User) -> Result<usize, StoreError> {
    let now = c.now()?;
    let open = outbox::table.filter(outbox::state.eq_any([ScoreState::Waiting, ScoreState::Refused]));
    let n = diesel::update(open)
        .set((outbox::state.eq(ScoreState::Waiting), outbox::next_at.eq(now), outbox::tries.eq(0)))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "scores tried again", &format!("{n} scores"))?;
    Ok(n)
}

/// Sends the scores of students in a lab anew, each under a new key: what is in the gradebook is another value.
///
/// # Errors
/// Faults of the database.
pub fn send_anew(c: &mut Db, column: &str, numbers: &[String], user: &User) -> Result<usize, StoreError> {
    let ids: Vec<u32> = outbox::table
        .inner_join(students::table)
        .inner_join(labs::table.on(labs::id.eq(outbox::lab_id)))
        .filter(labs::slug.eq(column))
        .filter(students::number.eq_any(numbers))
        .filter(outbox::state.eq(ScoreState::Sent))
        .select(outbox::id)
        .load(c.sql())?;
    let mut n = 0;
    for id in ids {
        n += diesel::sql_query(
            "INSERT INTO outbox (student_id, lab_id, sheet_id, number, state, next_at, made_at) \
             SELECT o.student_id, o.lab_id, o.sheet_id, o.number, 'waiting', UTC_TIMESTAMP(), UTC_TIMESTAMP() FROM outbox o \
             WHERE o.id = ? AND NOT EXISTS (SELECT 1 FROM outbox n WHERE n.student_id = o.student_id \
             AND n.lab_id = o.lab_id AND n.id > o.id)",
        )
        .bind::<diesel::sql_types::Unsigned<diesel::sql_types::Integer>, _>(id)
        .execute(c.sql())?;
    }
    overtake(c)?;
    events::note(c, Some(user.id), "scores sent anew", &format!("{column}: {n} scores"))?;
    Ok(n)
}

#[cfg(test)]
mod tests {
    use super::pause;

    #[test]
    fn a_try_that_failed_waits_longer_each_time_and_never_for_ever() {
        assert_eq!([0, 1, 2, 3, 6, 7, 30].map(pause), [5, 10, 20, 40, 320, 600, 600]);
    }
}
