//! Changes of what tables are judged by: what a section sets, and the protocol in force.

use diesel::prelude::*;
use jurado_core::section::Section;

use super::ground::{self, Ground};
use super::labs::{self, Hold, Lab};
use super::sections::{self, Setting};
use super::users::User;
use super::{events, jobs, practice, sheets};
use crate::records::job::{Job, NewJob};
use crate::records::words::{JobKind, JobState};
use crate::schema::{jobs as job_table, sheets as sheet_table, users};
use crate::{Db, Store, StoreError, inserted};

use chrono::NaiveDateTime;

/// Sets what a section asks of a lab, based on the version the person saw, and judges its tables anew, all in one
/// transaction. Gives how many were judged anew.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first; [`StoreError::NotFound`] for a section that is not the person's;
/// [`StoreError::Bad`] where the course asks the person to practise first; faults of the database.
pub fn set_section(
    c: &mut Db,
    (section, lab): (u32, u32),
    version: u32,
    new: &Section,
    due_at: Option<NaiveDateTime>,
    reason: &str,
    user: &User,
) -> Result<usize, StoreError> {
    if !user.sees(section) {
        return Err(StoreError::NotFound("section"));
    }
    practice::allow(c, user)?;
    labs::hold(c, lab, Hold::Shared)?;
    sections::hold(c, section, Hold::Alone)?;
    let before = sections::get(c, section, lab)?;
    if before.version != version {
        let last = sections::past(c, section, lab)?.into_iter().next();
        let (by, reason) = last.map_or_else(|| ("Somebody".to_owned(), String::new()), |p| (p.by, p.reason));
        return Err(StoreError::conflict(
            before.version,
            by,
            format!("what this section sets was changed (“{reason}”)"),
        ));
    }
    let next = Setting { version: version + 1, settings: new.clone(), due_at };
    sections::keep(c, (section, lab), &next, reason, user.id)?;
    let about = format!("section {section} lab {lab} version {}", next.version);
    events::note_why(c, Some(user.id), "section set", &about, reason)?;
    let ground = ground::of(c, lab, section)?;
    let changed = format!("changed what the section sets (“{reason}”)");
    sheets::rejudge_held(c, &ground, section, &user.name, &changed)
}

/// Sets the same for several sections at once, all of it or nothing: the first is based on the version the person saw, the
/// others take what is set for it in place of theirs. Gives how many tables were judged anew.
///
/// # Errors
/// As [`set_section`].
pub fn set_sections(
    c: &mut Db,
    (section, lab): (u32, u32),
    also: &[u32],
    version: u32,
    (new, due_at): (&Section, Option<NaiveDateTime>),
    reason: &str,
    user: &User,
) -> Result<usize, StoreError> {
    let all: std::collections::BTreeSet<u32> = also.iter().copied().chain([section]).collect();
    let mut judged = 0;
    // In the order of their ids, so that two who set many at once wait for each other in the same order.
    for one in all {
        if !user.sees(one) {
            return Err(StoreError::NotFound("section"));
        }
        labs::hold(c, lab, Hold::Shared)?;
        sections::hold(c, one, Hold::Alone)?;
        let now = sections::get(c, one, lab)?;
        let seen = if one == section { version } else { now.version };
        // How well a section's own apparatus repeats is its own.
        let set = Section { repeatability: now.settings.repeatability, ..new.clone() };
        judged += set_section(c, (one, lab), seen, &set, due_at, reason, user)?;
    }
    Ok(judged)
}

/// Tables up to which a protocol is put in force while the person waits; more are judged anew beside the people's work.
pub const AT_ONCE: u32 = 300;

/// Asks for a protocol's text to be put in force for its lab: what it concerns is judged anew first, in portions, while
/// everything goes on, and then both change in one step. Gives the work; [`crate::work_on`] does it.
///
/// # Errors
/// [`StoreError::Protocol`] with every fault of the text; [`StoreError::Conflict`] where another text is being put in force;
/// [`StoreError::NotFound`] where there is no such lab; faults of the database.
pub fn ask_in_force(c: &mut Db, source: &str, user: Option<&User>, reason: &str) -> Result<Job, StoreError> {
    let (protocol_id, protocol) = labs::keep(c, source)?;
    let lab = labs::by_slug(c, &protocol.id)?.ok_or(StoreError::NotFound("lab"))?;
    ask_in_force_of(c, &lab, protocol_id, user, reason)
}

/// [`ask_in_force`] of a text that is kept already, such as an older version.
///
/// # Errors
/// As [`ask_in_force`].
pub fn ask_in_force_of(
    c: &mut Db,
    lab: &Lab,
    protocol_id: u32,
    user: Option<&User>,
    reason: &str,
) -> Result<Job, StoreError> {
    labs::hold(c, lab.id, Hold::Alone)?;
    if let Some(other) = jobs::under_way(c, lab.id)? {
        let by: Option<String> = match other.user_id {
            Some(id) => users::table.find(id).select(users::name).first(c.sql()).optional()?,
            None => None,
        };
        let theirs = "a text of this lab is being put in force; wait until that has come to its end";
        return Err(StoreError::conflict(lab.protocol.version, by.unwrap_or_else(|| "The program".into()), theirs));
    }
    let protocol = labs::protocol(c, protocol_id)?;
    let total: i64 = sheet_table::table
        .filter(sheet_table::lab_id.eq(lab.id))
        .filter(sheet_table::stage.is_not_null())
        .count()
        .get_result(c.sql())?;
    let asked_at = c.now()?;
    diesel::insert_into(job_table::table)
        .values(NewJob {
            kind: JobKind::InForce,
            lab_id: lab.id,
            import_id: None,
            protocol_id: Some(protocol_id),
            state: JobState::Waiting,
            total: total as u32,
            reason,
            user_id: user.map(|u| u.id),
            asked_at,
        })
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    let about = format!("lab {}: {} version {}", lab.id, protocol.id, protocol.version);
    events::note_why(c, user.map(|u| u.id), "protocol to be put in force", &about, reason)?;
    jobs::get(c, id)
}

/// Asks for every lab to be judged anew of which some tables were judged with something else than what is in force: after
/// the judge itself was changed, or where a node of a cluster let something through. Gives how many labs.
///
/// # Errors
/// Faults of the database.
pub fn ask_stale(c: &mut Db) -> Result<usize, StoreError> {
    let judged: Vec<(u32, u32, String)> = sheet_table::table
        .filter(sheet_table::stage.is_not_null())
        .select((sheet_table::lab_id, sheet_table::section_id, sheet_table::judged_with))
        .distinct()
        .load(c.sql())?;
    let mut stale = std::collections::BTreeSet::new();
    for (lab, section, with) in judged {
        if !stale.contains(&lab) && ground::of(c, lab, section)?.judged_with != with {
            stale.insert(lab);
        }
    }
    let mut asked = 0;
    for id in stale {
        let lab = labs::get(c, id)?;
        if jobs::under_way(c, id)?.is_none() {
            ask_in_force_of(c, &lab, lab.protocol_id, None, "the judge has changed")?;
            asked += 1;
        }
    }
    Ok(asked)
}

/// Tables judged between two words on how far it is.
const PORTION: i64 = 200;
/// Tables that may be left to be judged while all wait.
const REST: usize = 60;

/// Judges a lab's tables anew under a protocol, in portions, and then puts it in force with all of them in one step. What
/// is decided, handed in or set meanwhile is seen by the sheet's version and judged once more.
///
/// # Errors
/// Faults of the database; [`StoreError::NotFound`] where the lease was lost.
pub(crate) fn put_in_force(store: &Store, job: &Job, process: &str) -> Result<String, StoreError> {
    let protocol_id = job.protocol_id.ok_or_else(|| StoreError::Broken("a job without a protocol".to_owned()))?;
    let protocol = store.look(|c| labs::protocol(c, protocol_id))?;
    let lab = Lab { id: job.lab_id, protocol_id, protocol };
    let mut done = 0;
    // Each round judges what was changed in the one before; people are slower than this, so a few are enough.
    for _ in 0..20 {
        let round = judge_ahead(store, job, process, &lab, &mut done)?;
        if round <= REST {
            break;
        }
    }
    let rest = store.run(|c| switch(c, job, process, &lab))?;
    clear_ahead(store, job.id)?;
    Ok(format!("{} tables were judged anew.", rest.max(done.min(job.total as usize))))
}

fn sections_of(c: &mut Db, lab: u32) -> Result<Vec<u32>, StoreError> {
    let mut ids: Vec<u32> = sheet_table::table
        .filter(sheet_table::lab_id.eq(lab))
        .filter(sheet_table::term_id.eq(0))
        .select(sheet_table::section_id)
        .distinct()
        .load(c.sql())?;
    ids.sort_unstable();
    Ok(ids)
}

/// One round over all tables that are not judged ahead as they are now. Gives how many it judged.
fn judge_ahead(store: &Store, job: &Job, process: &str, lab: &Lab, done: &mut usize) -> Result<usize, StoreError> {
    let mut round = 0;
    for section in store.look(|c| sections_of(c, lab.id))? {
        let mut after = 0;
        loop {
            let (count, last) = store.run(|c| {
                let ground = Ground::under(c, lab.clone(), section)?;
                let some = not_ahead(c, job.id, &ground, section, after)?;
                sheets::derive_ahead(c, job.id, &ground, &some)?;
                Ok((some.len(), some.last().map_or(u32::MAX, |s| s.0)))
            })?;
            round += count;
            *done += count;
            if count > 0 {
                jobs::renew(store, job.id, process, *done)?;
            }
            if (count as i64) < PORTION {
                break;
            }
            after = last;
        }
    }
    Ok(round)
}

#[derive(QueryableByName)]
struct Place {
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    id: u32,
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    version: u32,
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    submission_id: u32,
}

/// Tables of a section that were judged with something else, and not ahead at the version they have.
fn not_ahead(
    c: &mut Db,
    job: u32,
    ground: &Ground,
    section: u32,
    after: u32,
) -> Result<Vec<sheets::Stale>, StoreError> {
    // Numbers and a digest of ours only: nothing that a person typed comes near this text.
    let (lab, with) = (ground.lab.id, &ground.judged_with);
    let text = format!(
        "SELECT s.id, s.version, s.submission_id FROM sheets s \
         LEFT JOIN judged_ahead a ON a.job_id = {job} AND a.sheet_id = s.id AND a.version = s.version AND a.judged_with = '{with}' \
         WHERE s.lab_id = {lab} AND s.section_id = {section} AND s.id > {after} AND s.stage IS NOT NULL \
         AND s.judged_with <> '{with}' AND a.sheet_id IS NULL ORDER BY s.id LIMIT {PORTION}"
    );
    let rows: Vec<Place> = diesel::sql_query(text).load(c.sql())?;
    Ok(rows.into_iter().map(|p| (p.id, p.version, p.submission_id)).collect())
}

/// Puts a protocol in force with all that was judged ahead, and judges what is left. Whoever decides or hands in holds the
/// lab too, so none of it runs beside this. Gives how many tables changed.
fn switch(c: &mut Db, job: &Job, process: &str, lab: &Lab) -> Result<usize, StoreError> {
    labs::hold(c, lab.id, Hold::Alone)?;
    jobs::hold_own(c, job.id, process)?;
    let by: Option<String> = match job.user_id {
        Some(id) => users::table.find(id).select(users::name).first(c.sql()).optional()?,
        None => None,
    };
    let by = by.unwrap_or_else(|| "The program".to_owned());
    let was = labs::get(c, lab.id)?;
    let changed = if was.protocol_id == lab.protocol_id {
        "judged the table anew".to_owned()
    } else {
        format!("put version {} of the lab’s protocol in force", lab.protocol.version)
    };
    // A table that was signed and now wants a person waits again.
    let mut count = diesel::sql_query(format!(
        "UPDATE sheets s JOIN judged_ahead a ON a.sheet_id = s.id AND a.job_id = {} AND a.version = s.version SET \
         s.awarded = a.awarded, s.decided = a.decided, s.possible = a.possible, s.open_findings = a.open_findings, \
         s.hanging = a.hanging, s.mark = a.mark, s.headline = a.headline, s.profile = a.profile, \
         s.judged_with = a.judged_with, s.outcome = a.outcome, s.pattern = a.pattern, s.patterns = a.patterns, \
         s.essence = a.essence, s.moved = a.moved, s.version = s.version + 1, s.changed = ?, s.changed_by = ?, \
         s.state = IF(s.state = 'signed' AND a.open_findings > 0, 'waiting', s.state) WHERE s.lab_id = {}",
        job.id, lab.id
    ))
    .bind::<diesel::sql_types::Text, _>(&changed)
    .bind::<diesel::sql_types::Text, _>(&by)
    .execute(c.sql())?;
    for section in sections_of(c, lab.id)? {
        let ground = Ground::under(c, lab.clone(), section)?;
        count += sheets::rejudge_held(c, &ground, section, &by, &changed)?;
    }
    if was.protocol_id != lab.protocol_id {
        labs::set_in_force(c, lab.id, lab.protocol_id)?;
        let about = format!(
            "lab {}: {} version {}, before {}",
            lab.id, lab.protocol.id, lab.protocol.version, was.protocol.version
        );
        events::note_why(c, job.user_id, "protocol put in force", &about, &job.reason)?;
    }
    Ok(count)
}

fn clear_ahead(store: &Store, job: u32) -> Result<(), StoreError> {
    loop {
        let gone = store.run(|c| {
            let text = format!("DELETE FROM judged_ahead WHERE job_id = {job} LIMIT 5000");
            Ok(diesel::sql_query(text).execute(c.sql())?)
        })?;
        if gone == 0 {
            return Ok(());
        }
    }
}
