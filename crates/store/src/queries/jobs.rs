//! Long work: a file of many tables, a protocol put in force for thousands. Any process may take it, for as long as its
//! lease runs, which it makes longer while it works; what a killed process had is free when its lease has run out. Doing it
//! is in [`crate::work`].

use diesel::prelude::*;

pub use crate::records::job::Job;
use crate::records::words::{JobKind, JobState};
use crate::schema::{jobs, judged_ahead};
use crate::{Db, Store, StoreError};

/// For how long a process has work without a word.
const LEASE_SECONDS: u32 = 15;
/// How often work is begun before it is given up: it may be the work that ends the process.
const MOST_TRIES: u32 = 5;

/// Work by id.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32) -> Result<Job, StoreError> {
    jobs::table.find(id).select(Job::as_select()).first(c.sql()).optional()?.ok_or(StoreError::NotFound("work"))
}

/// The protocol that is being put in force for a lab, if one is.
///
/// # Errors
/// Faults of the database.
pub fn under_way(c: &mut Db, lab: u32) -> Result<Option<Job>, StoreError> {
    Ok(jobs::table
        .filter(jobs::lab_id.eq(lab))
        .filter(jobs::kind.eq(JobKind::InForce))
        .filter(jobs::state.eq_any([JobState::Waiting, JobState::Running]))
        .select(Job::as_select())
        .first(c.sql())
        .optional()?)
}

/// Whether anything waits to be done or is being done: a protocol put in force, a file taken in.
pub(crate) fn any_under_way(c: &mut Db) -> Result<bool, StoreError> {
    let some = jobs::table.filter(jobs::state.eq_any([JobState::Waiting, JobState::Running]));
    Ok(diesel::select(diesel::dsl::exists(some)).get_result(c.sql())?)
}

/// The newest work on a lab's protocol, whatever became of it.
///
/// # Errors
/// Faults of the database.
pub fn last_of_lab(c: &mut Db, lab: u32) -> Result<Option<Job>, StoreError> {
    Ok(jobs::table
        .filter(jobs::lab_id.eq(lab))
        .filter(jobs::kind.eq(JobKind::InForce))
        .order(jobs::id.desc())
        .select(Job::as_select())
        .first(c.sql())
        .optional()?)
}

/// The newest work on a file.
///
/// # Errors
/// Faults of the database.
pub fn of_import(c: &mut Db, import: u32) -> Result<Option<Job>, StoreError> {
    Ok(jobs::table
        .filter(jobs::import_id.eq(import))
        .order(jobs::id.desc())
        .select(Job::as_select())
        .first(c.sql())
        .optional()?)
}

/// How much work waits or is under way, by kind.
///
/// # Errors
/// Faults of the database.
pub fn waiting(c: &mut Db) -> Result<Vec<(JobKind, i64)>, StoreError> {
    Ok(jobs::table
        .filter(jobs::state.eq_any([JobState::Waiting, JobState::Running]))
        .group_by(jobs::kind)
        .select((jobs::kind, diesel::dsl::count_star()))
        .load(c.sql())?)
}

#[derive(QueryableByName)]
struct Id {
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    id: u32,
}

/// Takes work of a kind that nobody has, or whose lease ran out; or one piece of work by its id.
pub(crate) fn take(c: &mut Db, which: &str, process: &str) -> Result<Option<Job>, StoreError> {
    let text = format!(
        "SELECT id FROM jobs WHERE {which} AND (state = '{}' OR (state = '{}' AND lease_until < UTC_TIMESTAMP(3))) \
         ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED",
        JobState::Waiting.word(),
        JobState::Running.word()
    );
    let Some(Id { id }) = diesel::sql_query(text).get_result(c.sql()).optional()? else { return Ok(None) };
    let job = get(c, id)?;
    if job.tries >= MOST_TRIES {
        end(c, &job, &format!("It was begun {MOST_TRIES} times and ended the program each time."), true)?;
        return Ok(None);
    }
    diesel::sql_query(format!(
        "UPDATE jobs SET state = '{}', tries = tries + 1, done = 0, lease_by = ?, \
         lease_until = UTC_TIMESTAMP(3) + INTERVAL {LEASE_SECONDS} SECOND WHERE id = {id}",
        JobState::Running.word()
    ))
    .bind::<diesel::sql_types::Text, _>(process)
    .execute(c.sql())?;
    get(c, id).map(Some)
}

/// The lease of some work is another process's now.
pub(crate) const LOST: StoreError = StoreError::NotFound(LEASE);
/// See [`LOST`].
pub(crate) const LEASE: &str = "lease of this work";

/// Makes a lease longer and writes down how far the work is.
///
/// # Errors
/// [`StoreError::NotFound`] where another process has the work now; faults of the database.
pub(crate) fn renew(store: &Store, id: u32, process: &str, done: usize) -> Result<(), StoreError> {
    store.run(|c| {
        let kept = diesel::sql_query(format!(
            "UPDATE jobs SET done = {done}, lease_until = UTC_TIMESTAMP(3) + INTERVAL {LEASE_SECONDS} SECOND \
             WHERE id = {id} AND state = '{}' AND lease_by = ?",
            JobState::Running.word()
        ))
        .bind::<diesel::sql_types::Text, _>(process)
        .execute(c.sql())?;
        if kept == 0 { Err(LOST) } else { Ok(()) }
    })
}

/// Holds work that this process has, so that no other can take it before the transaction ends.
pub(crate) fn hold_own(c: &mut Db, id: u32, process: &str) -> Result<(), StoreError> {
    let text = format!(
        "SELECT id FROM jobs WHERE id = {id} AND lease_by = ? AND state = '{}' FOR UPDATE",
        JobState::Running.word()
    );
    let found: Option<Id> =
        diesel::sql_query(text).bind::<diesel::sql_types::Text, _>(process).get_result(c.sql()).optional()?;
    found.map(|_| ()).ok_or(LOST)
}

/// Writes down what work came to.
pub(crate) fn end(c: &mut Db, job: &Job, outcome: &str, failed: bool) -> Result<(), StoreError> {
    let at = c.now()?;
    let state = if failed { JobState::Failed } else { JobState::Done };
    diesel::update(jobs::table.find(job.id))
        .set((
            jobs::state.eq(state),
            jobs::outcome.eq(outcome.chars().take(390).collect::<String>()),
            jobs::ended_at.eq(Some(at)),
            jobs::done.eq(if failed { job.done } else { job.total }),
        ))
        .execute(c.sql())?;
    if failed {
        // What was judged ahead for it is of no use any more.
        diesel::delete(judged_ahead::table.filter(judged_ahead::job_id.eq(job.id))).execute(c.sql())?;
    }
    Ok(())
}
