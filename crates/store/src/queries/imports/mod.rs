//! Files handed in: offered with a preview, then taken in one transaction or dropped. A file is known by who brought it and
//! its digest, so the same file twice changes nothing.

mod aside;
mod mended;

use std::collections::{BTreeMap, BTreeSet, HashMap};

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::error::Fault;
use jurado_core::submission::Submission;
use jurado_intake::{Column, ColumnMap, Effort, HeldRow, Intake, UPLOAD, added_to, columns_of, items_of};

use super::ground::{self, Ground};
use super::jobs::{self, Job};
use super::labs;
use super::sheets::{self, HandedIn, hand_in};
use super::users::{self, User};
use super::{events, roster};
use crate::records::import::{ImportRecord, NewImport};
use crate::records::job::NewJob;
use crate::records::words::{ImportState, JobKind, JobState};
use crate::schema::{column_maps, imports, jobs as job_table, quarantine, sections, teams, users as people};
use crate::{Db, Store, StoreError, inserted};

pub use aside::{add_teams, drop, move_to_lab};
pub use mended::mend;

/// A file handed in.
#[derive(Clone, Debug)]
pub struct ImportRow {
    /// Id.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Who brought it.
    pub by: String,
    /// Id of who brought it; nought where a team did.
    pub user_id: u32,
    /// Its name.
    pub file_name: String,
    /// Where it stands.
    pub state: ImportState,
    /// Whether it waits to be taken in the background, or is being taken at this moment.
    pub taking: bool,
    /// When it was brought.
    pub offered_at: NaiveDateTime,
    /// When it was taken.
    pub taken_at: Option<NaiveDateTime>,
    /// Why it was set aside: it could not be read, and is not read again. Empty for any other.
    pub unreadable: String,
    /// Whether its tables take the place of those there, instead of adding to them.
    pub replaces: bool,
}

/// What taking a file did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Taken {
    /// Tables that are new.
    pub new: usize,
    /// Tables that are a new revision.
    pub revised: usize,
    /// Tables that were there already, the same.
    pub unchanged: usize,
    /// Rows put in quarantine.
    pub held: usize,
}

impl Taken {
    fn count(&mut self, what: HandedIn) {
        match what {
            HandedIn::New => self.new += 1,
            HandedIn::Revised => self.revised += 1,
            HandedIn::Unchanged => self.unchanged += 1,
        }
    }

    /// What was done, in a sentence.
    pub fn in_words(&self) -> String {
        let parts: Vec<String> = [(self.new, "new"), (self.revised, "revised"), (self.unchanged, "unchanged")]
            .into_iter()
            .filter(|(n, _)| *n > 0)
            .map(|(n, words)| format!("{n} {words}"))
            .collect();
        let tables = if parts.is_empty() { "No tables".to_owned() } else { format!("Tables: {}", parts.join(", ")) };
        let held = match self.held {
            0 => String::new(),
            n => format!("; {} in quarantine", jurado_core::notation::counted(n, "row")),
        };
        format!("{tables}{held}.")
    }
}

/// Longest name of a file, in characters.
const MOST_NAME: usize = 200;

/// Stores a file as offered; the same bytes again from the same person give the import there is (a dropped one is offered
/// again).
///
/// # Errors
/// [`StoreError::Bad`] where the lab is retired; faults of the database.
pub fn offer(c: &mut Db, lab: u32, user: &User, file_name: &str, body: &[u8]) -> Result<u32, StoreError> {
    labs::takes_in(c, lab)?;
    let digest = crate::digest(body);
    let file_name: String = jurado_intake::without_unseen_signs(file_name).chars().take(MOST_NAME).collect();
    let offered_at = c.now()?;
    let made = diesel::insert_or_ignore_into(imports::table)
        .values(NewImport {
            lab_id: lab,
            user_id: Some(user.id),
            file_name: &file_name,
            digest: &digest,
            body,
            state: ImportState::Offered,
            offered_at,
        })
        .execute(c.sql())?;
    if made == 1 {
        let id = inserted(c.sql())?;
        events::note(c, Some(user.id), "file offered", &format!("import {id}"))?;
        return Ok(id);
    }
    let (id, state): (u32, ImportState) = imports::table
        .filter(imports::lab_id.eq(lab))
        .filter(imports::digest.eq(&digest))
        .filter(imports::term_id.eq(0))
        .filter(imports::user_id.eq(user.id))
        .select((imports::id, imports::state))
        .for_update()
        .first(c.sql())?;
    if state != ImportState::Taken {
        diesel::update(imports::table.find(id))
            .set((imports::state.eq(ImportState::Offered), imports::offered_at.eq(offered_at)))
            .execute(c.sql())?;
    }
    Ok(id)
}

fn row(record: ImportRecord, by: String, taking: bool) -> ImportRow {
    ImportRow {
        id: record.id,
        lab_id: record.lab_id,
        by,
        user_id: record.user_id.unwrap_or(0),
        file_name: record.file_name,
        state: record.state,
        taking,
        offered_at: record.offered_at,
        taken_at: record.taken_at,
        unreadable: record.unreadable,
        replaces: record.replaces,
    }
}

/// The last files a person brought (all, for a coordinator), newest first.
///
/// # Errors
/// Faults of the database.
pub fn recent(c: &mut Db, user: &User) -> Result<Vec<ImportRow>, StoreError> {
    let mut query = imports::table
        .inner_join(people::table)
        .filter(imports::term_id.eq(0))
        .order(imports::id.desc())
        .limit(12)
        .select((ImportRecord::as_select(), people::name))
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(imports::user_id.eq(user.id));
    }
    let rows: Vec<(ImportRecord, String)> = query.load(c.sql())?;
    let ids: Vec<u32> = rows.iter().map(|(r, _)| r.id).collect();
    let taking: Vec<Option<u32>> = job_table::table
        .filter(job_table::import_id.eq_any(ids))
        .filter(job_table::state.eq_any([JobState::Waiting, JobState::Running]))
        .select(job_table::import_id)
        .load(c.sql())?;
    Ok(rows.into_iter().map(|(r, by)| (taking.contains(&Some(r.id)), r, by)).map(|(t, r, by)| row(r, by, t)).collect())
}

/// A file as a person looks at it before taking it.
#[derive(Clone, Debug)]
pub struct Preview {
    /// The file.
    pub file: ImportRow,
    /// What it gives, or why nothing of it can be used.
    pub intake: Result<Intake, Fault>,
    /// Its columns, where a person may have to say what they mean; empty otherwise.
    pub columns: Vec<Column>,
    /// How far a long import is, and what it came to.
    pub progress: Progress,
}

/// How far a long import is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Progress {
    /// Tables done.
    pub done: u32,
    /// Tables in all.
    pub total: u32,
    /// Whether it waits to be taken or is being taken at this moment.
    pub running: bool,
    /// What it came to, in a sentence, or why it failed.
    pub outcome: String,
}

/// A digest of a file's column names: files with the same head are read the same way.
fn head_of(columns: &[Column]) -> String {
    let names: Vec<&str> = columns.iter().map(|c| c.name.as_str()).collect();
    crate::digest(names.join("\u{1f}").as_bytes())
}

/// What a person once said of own files with this head.
fn known_map(c: &mut Db, lab: u32, user: u32, columns: &[Column]) -> Result<Option<ColumnMap>, StoreError> {
    if columns.is_empty() {
        return Ok(None);
    }
    let text: Option<String> =
        column_maps::table.find((lab, head_of(columns), user)).select(column_maps::map).first(c.sql()).optional()?;
    Ok(text.and_then(|t| serde_json::from_str(&t).ok()))
}

fn head(c: &mut Db, id: u32, user: &User) -> Result<(ImportRow, Option<Job>), StoreError> {
    let (record, by): (ImportRecord, String) = imports::table
        .inner_join(people::table)
        .filter(imports::id.eq(id))
        .filter(imports::term_id.eq(0))
        .select((ImportRecord::as_select(), people::name))
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("file"))?;
    if record.user_id != Some(user.id) && !user.sees_all() {
        return Err(StoreError::NotFound("file"));
    }
    let job = jobs::of_import(c, id)?;
    let taking = job.as_ref().is_some_and(|j| matches!(j.state, JobState::Waiting | JobState::Running));
    Ok((row(record, by, taking), job))
}

/// A file and what it gives, read anew with the roster of today and what was said of its columns. One that was set aside
/// as unreadable is not read again.
///
/// # Errors
/// [`StoreError::NotFound`] also for somebody else's file; faults of the database.
pub fn preview(c: &mut Db, id: u32, user: &User) -> Result<Preview, StoreError> {
    look_at(c, id, user, None)
}

/// As [`preview`] of a file that was just stored and is at hand, whether it was set aside or not, with no more effort than is left.
///
/// # Errors
/// As [`preview`].
pub fn read_anew(c: &mut Db, id: u32, user: &User, body: &[u8], effort: &Effort) -> Result<Preview, StoreError> {
    look_at(c, id, user, Some((body, effort)))
}

fn look_at(c: &mut Db, id: u32, user: &User, anew: Option<(&[u8], &Effort)>) -> Result<Preview, StoreError> {
    let (file, job) = head(c, id, user)?;
    let progress = job.map_or_else(Progress::default, |j| Progress {
        done: j.done,
        total: j.total,
        running: file.taking,
        outcome: j.outcome,
    });
    if !file.unreadable.is_empty() && anew.is_none() {
        let (what, mend) = file.unreadable.split_once('\n').unwrap_or((&file.unreadable, ""));
        let fault = Fault { line: 1, column: 1, what: what.to_owned(), mend: mend.to_owned() };
        return Ok(Preview { file, intake: Err(fault), columns: Vec::new(), progress });
    }
    let stored: Vec<u8> = match anew {
        Some(_) => Vec::new(),
        None => imports::table.find(id).select(imports::body).first(c.sql())?,
    };
    let lab = labs::get(c, file.lab_id)?;
    let roster = roster::roster(c, user)?;
    let own = Effort::new(UPLOAD);
    let (body, effort) = anew.unwrap_or((&stored, &own));
    let said = |columns: &[Column]| known_map(c, lab.id, file.user_id, columns);
    let (columns, intake) = jurado_intake::look(body, &lab.protocol, Some(&roster), effort, said)?;
    Ok(Preview { file, intake, columns, progress })
}

/// What is said of a file that was being read when the program ended.
pub fn being_read() -> Fault {
    Fault {
        line: 1,
        column: 1,
        what: "the program ended while it read this file".into(),
        mend: "save it as “CSV UTF-8” and bring that, and tell whoever looks after the machine".into(),
    }
}

/// Sets a file aside, which is then not read any more; with no reason, takes it back.
///
/// # Errors
/// Faults of the database.
pub fn set_aside(c: &mut Db, id: u32, fault: Option<&Fault>) -> Result<(), StoreError> {
    let why: String = fault.map_or_else(String::new, |f| format!("{}\n{}", f.what, f.mend).chars().take(590).collect());
    diesel::update(imports::table.find(id)).set(imports::unreadable.eq(why)).execute(c.sql())?;
    Ok(())
}

/// Keeps what a person says of a file's columns, for this file and all of this person's with the same head.
///
/// # Errors
/// As [`preview`].
pub fn say_columns(c: &mut Db, id: u32, user: &User, map: &ColumnMap) -> Result<(), StoreError> {
    let (file, _) = head(c, id, user)?;
    let body: Vec<u8> = imports::table.find(id).select(imports::body).first(c.sql())?;
    let lab = labs::get(c, file.lab_id)?;
    let columns = columns_of(&body, &lab.protocol);
    if columns.is_empty() {
        return Ok(());
    }
    let text = serde_json::to_string(map).map_err(|e| StoreError::Broken(e.to_string()))?;
    let at = c.now()?;
    diesel::replace_into(column_maps::table)
        .values((
            column_maps::lab_id.eq(lab.id),
            column_maps::head.eq(head_of(&columns)),
            column_maps::map.eq(text),
            column_maps::user_id.eq(file.user_id),
            column_maps::at.eq(at),
        ))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "columns said", &format!("import {id}"))
}

/// Tables from which on an import is long: it is taken in the background and says how far it is.
pub const LONG: usize = 300;

/// Takes an offered file: all its tables judged and stored, its held rows in quarantine, or nothing at all. Taking a
/// taken file changes nothing.
///
/// # Errors
/// As [`preview`]; [`StoreError::File`] where nothing of the file can be used; faults of the database leave everything as
/// it was.
pub fn take(c: &mut Db, id: u32, user: &User) -> Result<Taken, StoreError> {
    take_telling(c, id, user, &mut |_, _| Ok(())).map(|(taken, _)| taken)
}

/// As [`take`]; gives the rows that were held back too, for whoever looks at the file with it.
///
/// # Errors
/// As [`take`].
pub fn take_and_tell(c: &mut Db, id: u32, user: &User) -> Result<(Taken, Vec<HeldRow>), StoreError> {
    take_telling(c, id, user, &mut |_, _| Ok(()))
}

/// What hears how many of how many tables are done; its fault ends the work.
type Tell<'a> = &'a mut dyn FnMut(usize, usize) -> Result<(), StoreError>;

fn take_telling(c: &mut Db, id: u32, user: &User, tell: Tell<'_>) -> Result<(Taken, Vec<HeldRow>), StoreError> {
    let state: ImportState = imports::table
        .find(id)
        .select(imports::state)
        .for_update()
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("file"))?;
    let Preview { file, intake, columns, .. } = preview(c, id, user)?;
    let intake = intake.map_err(StoreError::File)?;
    let columns = items_of(&columns);
    if state == ImportState::Taken {
        return Ok((Taken { unchanged: intake.tables.len(), ..Taken::default() }, intake.held));
    }
    labs::takes_in(c, file.lab_id)?;
    let lab = labs::get(c, file.lab_id)?;
    let mut taken = Taken { held: intake.held.len(), ..Taken::default() };
    let teams = Teams::all(c)?;
    let placed = placed(&teams, &intake.tables)?;
    let held = hold_back(c, id, &intake, &teams)?;
    // By team, so that two files with the same teams hold their sheets in the same order.
    let mut by_team: BTreeMap<Place, Option<&Submission>> = held.iter().map(|place| (*place, None)).collect();
    by_team.extend(placed.into_iter().map(|(place, table)| (place, Some(table))));
    let grounds = ground::hold_sections(c, lab.id, by_team.keys().map(|place| place.1))?;
    ground::still_there(c, &by_team.keys().copied().collect::<Vec<_>>())?;
    for (n, (place @ (team, section), table)) in by_team.iter().enumerate() {
        let ground = grounds.get(section).ok_or(StoreError::NotFound("section"))?;
        if let Some(table) = table {
            let beside = if file.replaces || intake.whole { None } else { beside(c, ground, *place, table, &columns)? };
            // What adds to a table goes on with it: rows of the file before it wait as they did.
            let (table, import) = beside.as_ref().map_or((*table, id), |(whole, import)| (whole, *import));
            taken.count(hand_in(c, ground, *place, import, table, &user.into())?);
        }
        // Rows may wait of a table that came with another file, or that is as it was.
        if held.contains(place) {
            sheets::recount(c, ground, *team, &user.name, "a row of it waits in quarantine")?;
        }
        tell(n + 1, by_team.len())?;
    }
    let at = c.now()?;
    diesel::update(imports::table.find(id))
        .set((imports::state.eq(ImportState::Taken), imports::taken_at.eq(Some(at))))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "file taken", &format!("import {id}"))?;
    Ok((taken, intake.held))
}

/// The table there with what a file adds to it, and the file that it came with first; nothing where none is there or the
/// file holds all of it. A file laid out for whole tables is not asked.
fn beside(
    c: &mut Db,
    ground: &Ground,
    (team, section): Place,
    table: &Submission,
    columns: &BTreeSet<String>,
) -> Result<Option<(Submission, u32)>, StoreError> {
    // The sheet is held before what it has is read, so that two files that add to one table both stay.
    let (_, _, current) = sheets::place_of(c, ground.lab.id, team, section)?;
    let Some(current) = current else { return Ok(None) };
    let Some(there) = sheets::current(c, ground.lab.id, team)? else { return Ok(None) };
    let Some((whole, _)) = added_to(&there, table, columns) else { return Ok(None) };
    let import = sheets::import_of(c, current)?;
    let waiting = sheets::waiting(c, (ground.lab.id, import), team)?;
    Ok(Some((Submission { waiting, ..whole }, import)))
}

/// Says whether the tables of a file that waits take the place of those there, or add to them.
///
/// # Errors
/// As [`preview`].
pub fn say_replaces(c: &mut Db, id: u32, user: &User, replaces: bool) -> Result<(), StoreError> {
    head(c, id, user)?;
    diesel::update(imports::table.find(id)).set(imports::replaces.eq(replaces)).execute(c.sql())?;
    Ok(())
}

/// Team and section.
type Place = (u32, u32);

/// Every team by the names of its section and its own.
struct Teams(HashMap<(String, String), Place>);

impl Teams {
    fn all(c: &mut Db) -> Result<Teams, StoreError> {
        let rows: Vec<(String, String, u32, u32)> = teams::table
            .inner_join(sections::table)
            .filter(sections::term_id.eq(0))
            .select((sections::name, teams::name, teams::id, sections::id))
            .load(c.sql())?;
        Ok(Teams(rows.into_iter().map(|(s, t, team, section)| ((s, t), (team, section))).collect()))
    }

    fn place(&self, section: &str, team: &str) -> Option<Place> {
        self.0.get(&(section.to_owned(), team.to_owned())).copied()
    }
}

/// Each table with its place.
fn placed<'a>(teams: &Teams, tables: &'a [Submission]) -> Result<Vec<(Place, &'a Submission)>, StoreError> {
    let place = |t: &Submission| teams.place(&t.section, &t.team).ok_or(StoreError::NotFound("team"));
    tables.iter().map(|t| Ok((place(t)?, t))).collect()
}

/// Puts the rows that could not be used in quarantine. Gives the places of those that name a team.
fn hold_back(c: &mut Db, import: u32, intake: &Intake, teams: &Teams) -> Result<BTreeSet<Place>, StoreError> {
    let place = |h: &HeldRow| teams.place(&h.whose.0, &h.whose.1);
    for chunk in intake.held.chunks(500) {
        let rows: Vec<_> = chunk
            .iter()
            .map(|h| {
                (
                    quarantine::import_id.eq(import),
                    quarantine::team_id.eq(place(h).map(|p| p.0)),
                    quarantine::line_number.eq(h.fault.line as u32),
                    quarantine::column_number.eq(h.fault.column as u32),
                    quarantine::code.eq(h.code),
                    quarantine::what.eq(h.fault.what.chars().take(590).collect::<String>()),
                    quarantine::mend.eq(h.fault.mend.chars().take(590).collect::<String>()),
                    quarantine::body.eq(h.text.clone()),
                )
            })
            .collect();
        diesel::insert_into(quarantine::table).values(rows).execute(c.sql())?;
    }
    Ok(intake.held.iter().filter_map(place).collect())
}

/// Asks for an offered file to be taken in the background, unless that was asked for already. Gives the work.
///
/// # Errors
/// [`StoreError::NotFound`] also for somebody else's file or one that does not wait; faults of the database.
pub fn ask_to_take(c: &mut Db, id: u32, user: &User, total: usize) -> Result<Job, StoreError> {
    let (file, job) = head(c, id, user)?;
    let state: ImportState = imports::table.find(id).select(imports::state).for_update().first(c.sql())?;
    if let Some(job) = job.filter(|_| file.taking) {
        return Ok(job);
    }
    if state != ImportState::Offered {
        return Err(StoreError::NotFound("file that waits"));
    }
    let asked_at = c.now()?;
    diesel::insert_into(job_table::table)
        .values(NewJob {
            kind: JobKind::Import,
            lab_id: file.lab_id,
            import_id: Some(id),
            protocol_id: None,
            state: JobState::Waiting,
            total: total as u32,
            reason: "",
            user_id: Some(user.id),
            asked_at,
        })
        .execute(c.sql())?;
    let job = inserted(c.sql())?;
    jobs::get(c, job)
}

/// Takes a file for the person who asked, and says now and then how far it is, which makes the lease longer too.
pub(crate) fn take_in_background(store: &Store, job: &Job, process: &str) -> Result<String, StoreError> {
    let import = job.import_id.ok_or_else(|| StoreError::Broken("a job without a file".to_owned()))?;
    let user = job.user_id.ok_or_else(|| StoreError::Broken("a job without a person".to_owned()))?;
    let (taken, _) = store.run(|c| {
        let user = users::get(c, user)?;
        let mut told = std::time::Instant::now();
        take_telling(c, import, &user, &mut |done, _| {
            if told.elapsed() < std::time::Duration::from_millis(700) {
                return Ok(());
            }
            told = std::time::Instant::now();
            // On another connection: what is told there is seen before all is done.
            jobs::renew(store, job.id, process, done)
        })
    })?;
    Ok(taken.in_words())
}
