//! Judging tables anew because what they are judged by has changed: at once under a lock, or ahead for a later switch.

use diesel::prelude::*;

use super::read::{as_stored, as_stored_of, in_force, in_force_of};
use crate::queries::ground::Ground;
use crate::records::ahead::Ahead;
use crate::records::sheet::{Derived, Turn};
use crate::records::words::SheetState;
use crate::schema::{imports, judged_ahead, quarantine, sheets, submissions};
use crate::{Db, StoreError};

/// A table that was judged with something else than what is asked: sheet, version, submission.
pub(crate) type Stale = (u32, u32, u32);

/// Tables of a lab in a section that were judged with something else than this ground, by id, after `after`, at most
/// `most`.
pub(crate) fn stale(
    c: &mut Db,
    ground: &Ground,
    section: u32,
    after: u32,
    most: i64,
) -> Result<Vec<Stale>, StoreError> {
    Ok(sheets::table
        .filter(sheets::lab_id.eq(ground.lab.id))
        .filter(sheets::section_id.eq(section))
        .filter(sheets::judged_with.ne(&ground.judged_with))
        .filter(sheets::submission_id.is_not_null())
        .filter(sheets::removal_id.is_null())
        .filter(sheets::id.gt(after))
        .order(sheets::id)
        .limit(most)
        .select((sheets::id, sheets::version, sheets::submission_id.assume_not_null()))
        .load(c.sql())?)
}

/// What is kept of a verdict on a submission with its decisions, under this ground.
fn derived(c: &mut Db, ground: &Ground, submission: u32) -> Result<Derived, StoreError> {
    let table = as_stored(c, submission)?.table()?;
    let decisions: Vec<_> = in_force(c, submission)?.into_iter().map(|d| d.decision).collect();
    Ok(ground.derived(&ground.judge(&table, &decisions)))
}

/// Judges anew, under a ground that the caller holds alone, every table of a section that was judged with something else;
/// each sheet is held first and read as it is then. Gives how many.
pub(crate) fn rejudge_held(
    c: &mut Db,
    ground: &Ground,
    section: u32,
    by: &str,
    changed: &str,
) -> Result<usize, StoreError> {
    let stale = stale(c, ground, section, 0, i64::MAX)?;
    for (sheet, ..) in &stale {
        let (version, submission, state): (u32, Option<u32>, SheetState) = sheets::table
            .find(sheet)
            .select((sheets::version, sheets::submission_id, sheets::state))
            .for_update()
            .first(c.sql())?;
        let Some(submission) = submission else { continue };
        let derived = derived(c, ground, submission)?;
        // One that was signed and now wants a person waits again.
        let opened = state == SheetState::Signed && derived.open_findings > 0;
        diesel::update(sheets::table.find(sheet))
            .set((
                derived,
                sheets::state.eq(if opened { SheetState::Waiting } else { state }),
                sheets::version.eq(version + 1),
                sheets::changed.eq(changed.chars().take(290).collect::<String>()),
                sheets::changed_by.eq(by),
            ))
            .execute(c.sql())?;
    }
    Ok(stale.len())
}

/// How many rows of a team wait that came with a file of the lab or with a later one: a table that is brought anew is whole
/// without what waited of the file before.
pub(crate) fn waiting(c: &mut Db, (lab, import): (u32, u32), team: u32) -> Result<u32, StoreError> {
    let count: i64 = quarantine::table
        .inner_join(imports::table)
        .filter(imports::lab_id.eq(lab))
        .filter(imports::id.ge(import))
        .filter(quarantine::team_id.eq(team))
        .filter(quarantine::settled_at.is_null())
        .count()
        .get_result(c.sql())?;
    Ok(count as u32)
}

/// Counts anew how many rows of a table wait in quarantine. Where that has changed it is judged anew and waits for a person
/// again, with its decisions. The ground is held by the caller.
pub(crate) fn recount(c: &mut Db, ground: &Ground, team: u32, by: &str, why: &str) -> Result<(), StoreError> {
    let there: Option<(u32, u32, Option<u32>)> = sheets::table
        .filter(sheets::lab_id.eq(ground.lab.id))
        .filter(sheets::team_id.eq(team))
        .select((sheets::id, sheets::version, sheets::submission_id))
        .for_update()
        .first(c.sql())
        .optional()?;
    let Some((sheet, version, Some(submission))) = there else { return Ok(()) };
    let (import, before): (u32, u32) =
        submissions::table.find(submission).select((submissions::import_id, submissions::waiting)).first(c.sql())?;
    let now = waiting(c, (ground.lab.id, import), team)?;
    if now == before {
        return Ok(());
    }
    diesel::update(submissions::table.find(submission)).set(submissions::waiting.eq(now)).execute(c.sql())?;
    let derived = derived(c, ground, submission)?;
    diesel::update(sheets::table.find(sheet)).set((derived, Turn::waiting(version + 1, by, why))).execute(c.sql())?;
    Ok(())
}

/// Judges some tables under a ground that is not in force yet and keeps what follows aside, for the version each has now.
pub(crate) fn derive_ahead(c: &mut Db, job: u32, ground: &Ground, some: &[Stale]) -> Result<(), StoreError> {
    let ids: Vec<u32> = some.iter().map(|s| s.2).collect();
    let bodies = as_stored_of(c, &ids)?;
    let mut decisions = in_force_of(c, &ids)?;
    let mut rows = Vec::with_capacity(some.len());
    for (sheet, version, submission) in some {
        let stored = bodies.get(submission).ok_or(StoreError::NotFound("table"))?;
        let decided: Vec<_> =
            decisions.remove(submission).unwrap_or_default().into_iter().map(|d| d.decision).collect();
        let derived = ground.derived(&ground.judge(&stored.table()?, &decided));
        rows.push(Ahead::new(job, *sheet, *version, derived));
    }
    for part in rows.chunks(100) {
        diesel::replace_into(judged_ahead::table).values(part).execute(c.sql())?;
    }
    Ok(())
}
