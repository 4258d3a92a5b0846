//! Practice classes: tables whose truth is known, which a person works through on the Bench. They are kept beside the course
//! and are seen by that person alone; nothing of them enters the Docket, a mark or a count of the course.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::Decision;
use jurado_core::practice::{Summed, Truth, given, judged};
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;

use super::settings;
use super::sheets::{self, NOTHING_TO_UNDO, NewDecision};
use super::users::User;
use super::{course, events, labs};
use crate::records::words::{Role, SheetState};
use crate::schema::{decisions, practice_classes as classes, practice_examples as examples, practice_tables as tables};
use crate::schema::{sheets as sheet_table, users};
use crate::{Db, StoreError, inserted};

/// Most classes of a person that are open at the same time.
pub const MOST_OPEN: i64 = 4;
/// Longest word on an example, in characters.
pub const MOST_SAID: usize = 300;
/// The kind of a class that is made of a course's own examples; other kinds are those of the simulator.
pub const EXAMPLES: &str = "examples";

/// A practice class.
#[derive(Clone, Debug, Queryable)]
pub struct Class {
    /// Id.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Protocol that it is judged by, whatever the lab's becomes.
    pub protocol_id: u32,
    /// How hard it is, or [`EXAMPLES`].
    pub kind: String,
    /// When it was begun.
    pub begun_at: NaiveDateTime,
    /// When it ended; `None` while it is open.
    pub ended_at: Option<NaiveDateTime>,
    /// Things to find in its signed tables, once it ended.
    pub planted: u32,
    /// Those that were found.
    pub found: u32,
}

/// A table of a practice class.
#[derive(Clone, Debug)]
pub struct Table {
    /// Number within the class, from 1.
    pub number: u32,
    /// Version that a change must be based on.
    pub version: u32,
    /// The table as typed.
    pub submission: Submission,
    /// What is true of it.
    pub truth: Truth,
    /// What the person decided, oldest first, without what is given.
    pub decisions: Vec<Decision>,
    /// When it was looked at first.
    pub opened_at: Option<NaiveDateTime>,
    /// When it was signed.
    pub signed_at: Option<NaiveDateTime>,
}

impl Table {
    /// The verdict with what is given and what the person decided.
    pub fn judge(&self, protocol: &Protocol) -> Judged {
        judged(protocol, &self.submission, &self.decisions)
    }

    /// What is given with the table, then what the person decided.
    pub fn in_force(&self, protocol: &Protocol) -> Vec<Decision> {
        given(protocol).into_iter().chain(self.decisions.iter().cloned()).collect()
    }
}

type Row = (u32, u32, (String, String, String), (Option<NaiveDateTime>, Option<NaiveDateTime>));

fn table(row: Row) -> Result<Table, StoreError> {
    let (number, version, (body, truth, decided), (opened_at, signed_at)) = row;
    let broken = |e: serde_json::Error| StoreError::Broken(format!("practice table {number}: {e}"));
    Ok(Table {
        number,
        version,
        submission: serde_json::from_str(&body).map_err(broken)?,
        truth: serde_json::from_str(&truth).map_err(broken)?,
        decisions: serde_json::from_str(&decided).map_err(broken)?,
        opened_at,
        signed_at,
    })
}

fn text<T: serde::Serialize>(value: &T) -> Result<String, StoreError> {
    serde_json::to_string(value).map_err(|e| StoreError::Broken(e.to_string()))
}

/// Begins a class of a person, judged by the lab's protocol in force. Gives its id.
///
/// # Errors
/// [`StoreError::Bad`] where there is no table, or too many classes of the person are open; faults of the database.
pub fn begin(c: &mut Db, lab: u32, kind: &str, new: &[(Submission, Truth)], user: &User) -> Result<u32, StoreError> {
    if new.is_empty() {
        return Err(StoreError::Bad(
            "there is no table to practise on".into(),
            "choose another lab or difficulty, or keep examples of your own on the Bench".into(),
        ));
    }
    let open: i64 = classes::table
        .filter(classes::user_id.eq(user.id))
        .filter(classes::ended_at.is_null())
        .count()
        .get_result(c.sql())?;
    if open >= MOST_OPEN {
        return Err(StoreError::Bad(
            format!("you have {open} practice classes open"),
            "work one of them through, or end it, before you begin another".into(),
        ));
    }
    let protocol_id = labs::get(c, lab)?.protocol_id;
    let at = c.now()?;
    diesel::insert_into(classes::table)
        .values((
            classes::user_id.eq(user.id),
            classes::lab_id.eq(lab),
            classes::protocol_id.eq(protocol_id),
            classes::kind.eq(kind),
            classes::begun_at.eq(at),
        ))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    for (number, (submission, truth)) in (1u32..).zip(new) {
        diesel::insert_into(tables::table)
            .values((
                tables::class_id.eq(id),
                tables::number.eq(number),
                tables::body.eq(text(submission)?),
                tables::truth.eq(text(truth)?),
                tables::decisions.eq("[]"),
            ))
            .execute(c.sql())?;
    }
    Ok(id)
}

/// The classes of a person, newest first, each with how many of its tables are signed and how many there are.
///
/// # Errors
/// Faults of the database.
pub fn list(c: &mut Db, user: &User) -> Result<Vec<(Class, i64, i64)>, StoreError> {
    let rows: Vec<Class> = classes::table
        .filter(classes::user_id.eq(user.id))
        .order(classes::id.desc())
        .select((
            classes::id,
            classes::lab_id,
            classes::protocol_id,
            classes::kind,
            classes::begun_at,
            classes::ended_at,
            classes::planted,
            classes::found,
        ))
        .load(c.sql())?;
    let counts: Vec<(u32, i64, i64)> = tables::table
        .inner_join(classes::table)
        .filter(classes::user_id.eq(user.id))
        .group_by(tables::class_id)
        .select((tables::class_id, diesel::dsl::count(tables::signed_at), diesel::dsl::count_star()))
        .load(c.sql())?;
    let of = |id: u32| counts.iter().find(|n| n.0 == id).map_or((0, 0), |n| (n.1, n.2));
    Ok(rows.into_iter().map(|r| (r.id, r)).map(|(id, r)| (r, of(id).0, of(id).1)).collect())
}

/// A class of this person, with its tables in order.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is another's; faults of the database.
pub fn get(c: &mut Db, id: u32, user: &User) -> Result<(Class, Vec<Table>), StoreError> {
    let class = list(c, user)?
        .into_iter()
        .map(|(class, ..)| class)
        .find(|r| r.id == id)
        .ok_or(StoreError::NotFound("practice class"))?;
    let rows: Vec<Row> = tables::table
        .filter(tables::class_id.eq(id))
        .order(tables::number)
        .select((
            tables::number,
            tables::version,
            (tables::body, tables::truth, tables::decisions),
            (tables::opened_at, tables::signed_at),
        ))
        .load(c.sql())?;
    Ok((class, rows.into_iter().map(table).collect::<Result<_, _>>()?))
}

/// A table of a class of this person that is looked at now; the first look is kept.
///
/// # Errors
/// As [`get`].
pub fn look(c: &mut Db, id: u32, number: u32, user: &User) -> Result<(), StoreError> {
    get(c, id, user)?;
    let at = c.now()?;
    diesel::update(tables::table.find((id, number)).filter(tables::opened_at.is_null()))
        .set(tables::opened_at.eq(Some(at)))
        .execute(c.sql())?;
    Ok(())
}

/// The class and one of its tables, both held, at the version the person saw, to be changed.
fn claim(c: &mut Db, id: u32, number: u32, version: u32, user: &User) -> Result<(Class, Table), StoreError> {
    classes::table.find(id).select(classes::id).for_update().first::<u32>(c.sql()).optional()?;
    let (class, tables) = get(c, id, user)?;
    if class.ended_at.is_some() {
        return Err(StoreError::Bad(
            "this practice class has ended, and its account is told".into(),
            "begin another under Practice".into(),
        ));
    }
    let found = tables.into_iter().find(|t| t.number == number).ok_or(StoreError::NotFound("practice table"))?;
    if found.version != version {
        return Err(StoreError::conflict(found.version, "You, in another window,", "the table was changed"));
    }
    Ok((class, found))
}

/// Keeps what became of a held table: another version of it.
fn keep(c: &mut Db, id: u32, table: &Table) -> Result<(), StoreError> {
    diesel::update(tables::table.find((id, table.number)))
        .set((
            tables::decisions.eq(text(&table.decisions)?),
            tables::version.eq(table.version + 1),
            tables::signed_at.eq(table.signed_at),
        ))
        .execute(c.sql())?;
    Ok(())
}

/// Keeps decisions on a table; one that was signed waits again.
///
/// # Errors
/// [`StoreError::Conflict`] where the table was changed since; [`StoreError::Bad`] where the class has ended;
/// [`StoreError::NotFound`]; faults of the database.
pub fn decide(c: &mut Db, at: (u32, u32), version: u32, user: &User, new: &[NewDecision]) -> Result<(), StoreError> {
    let (_, mut table) = claim(c, at.0, at.1, version, user)?;
    let by = || user.name.clone();
    table.decisions.extend(new.iter().cloned().map(|d| Decision {
        finding: d.finding,
        action: d.action,
        reason: d.reason,
        by: by(),
        text: d.text,
    }));
    table.signed_at = None;
    keep(c, at.0, &table)
}

/// Takes back the signature of a table, else the last decision on it.
///
/// # Errors
/// As [`decide`]; [`StoreError::NotFound`] where nothing is left to take back.
pub fn undo(c: &mut Db, at: (u32, u32), version: u32, user: &User) -> Result<(), StoreError> {
    let (_, mut table) = claim(c, at.0, at.1, version, user)?;
    if table.signed_at.take().is_none() {
        table.decisions.pop().ok_or(StoreError::NotFound(NOTHING_TO_UNDO))?;
    }
    keep(c, at.0, &table)
}

/// Signs a table of which nothing is open. Gives the number of the next that is not signed; with the last one the class ends.
///
/// # Errors
/// As [`decide`]; [`StoreError::Conflict`] where findings are open.
pub fn sign(c: &mut Db, at: (u32, u32), version: u32, user: &User) -> Result<Option<u32>, StoreError> {
    let (class, mut table) = claim(c, at.0, at.1, version, user)?;
    let protocol = labs::protocol(c, class.protocol_id)?;
    let open = table.judge(&protocol).findings.iter().filter(|f| f.open()).count();
    if open > 0 {
        return Err(StoreError::conflict(version, "The table", format!("{open} findings are still open")));
    }
    table.signed_at = Some(c.now()?);
    keep(c, at.0, &table)?;
    let (_, all) = get(c, at.0, user)?;
    let waiting: Vec<u32> = all.iter().filter(|t| t.signed_at.is_none()).map(|t| t.number).collect();
    let next = waiting.iter().find(|n| **n > at.1).or(waiting.first()).copied();
    if next.is_none() {
        close(c, &class, &all)?;
    }
    Ok(next)
}

/// Ends a class before its time: what was not signed is left out of the account.
///
/// # Errors
/// [`StoreError::Bad`] where it has ended or nothing was signed; [`StoreError::NotFound`]; faults of the database.
pub fn end(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    classes::table.find(id).select(classes::id).for_update().first::<u32>(c.sql()).optional()?;
    let (class, all) = get(c, id, user)?;
    if class.ended_at.is_some() {
        return Err(StoreError::Bad("this practice class has ended".into(), "begin another under Practice".into()));
    }
    close(c, &class, &all)
}

/// Ends a held class with the sums of its signed tables.
fn close(c: &mut Db, class: &Class, all: &[Table]) -> Result<(), StoreError> {
    let protocol = labs::protocol(c, class.protocol_id)?;
    let mut sum = Summed::default();
    for t in all.iter().filter(|t| t.signed_at.is_some()) {
        sum.add(&t.truth.account(&t.judge(&protocol)));
    }
    let at = c.now()?;
    let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
    diesel::update(classes::table.find(class.id))
        .set((
            classes::ended_at.eq(Some(at)),
            classes::planted.eq(count(sum.planted)),
            classes::found.eq(count(sum.found)),
        ))
        .execute(c.sql())?;
    Ok(())
}

/// What the course asks of a reviewer before the first evening, and how far this one is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Asked {
    /// Classes worked through to the end, every table of each signed.
    pub done: u32,
    /// Classes asked for.
    pub of: u32,
    /// Things found in the last of them, and planted.
    pub last: Option<(u32, u32)>,
    /// Per cent that are to be found in the last.
    pub per_cent: u32,
}

impl Asked {
    /// Whether nothing is left to do.
    pub fn is_met(&self) -> bool {
        let enough = self.last.is_some_and(|(found, planted)| found * 100 >= planted * self.per_cent);
        self.done >= self.of && enough
    }
}

/// What the course asks of a person before the first evening: nothing of a coordinator, of somebody who has signed or decided
/// a table before, and where the course asks for nothing.
///
/// # Errors
/// Faults of the database.
pub fn asked(c: &mut Db, user: &User) -> Result<Option<Asked>, StoreError> {
    let course = settings::course(c)?;
    if course.practice == 0 || user.role != Role::Reviewer || has_marked(c, user)? {
        return Ok(None);
    }
    let through: Vec<Class> = list(c, user)?
        .into_iter()
        .filter(|(class, signed, of)| class.ended_at.is_some() && signed == of)
        .map(|(class, ..)| class)
        .collect();
    Ok(Some(Asked {
        done: u32::try_from(through.len()).unwrap_or(u32::MAX),
        of: course.practice,
        last: through.first().map(|class| (class.found, class.planted)),
        per_cent: course.practice_found,
    }))
}

/// Whether a person has marked before: the first evening is over.
fn has_marked(c: &mut Db, user: &User) -> Result<bool, StoreError> {
    let signed: Option<u32> = sheet_table::table
        .filter(sheet_table::signed_by.eq(user.id))
        .select(sheet_table::id)
        .first(c.sql())
        .optional()?;
    if signed.is_some() {
        return Ok(true);
    }
    let decided: Option<u32> =
        decisions::table.filter(decisions::user_id.eq(user.id)).select(decisions::id).first(c.sql()).optional()?;
    Ok(decided.is_some())
}

/// Lets nobody change a mark who has not practised as the course asks.
///
/// # Errors
/// [`StoreError::Bad`] with what is left to do; faults of the database.
pub(crate) fn allow(c: &mut Db, user: &User) -> Result<(), StoreError> {
    match asked(c, user)? {
        Some(asked) if !asked.is_met() => Err(StoreError::Bad(
            format!(
                "this course asks for {} practice {} before the first evening, and for {} in a hundred found in the last",
                asked.of,
                if asked.of == 1 { "class" } else { "classes" },
                asked.per_cent
            ),
            "work them through under Practice; until then you may look at every table of yours".into(),
        )),
        _ => Ok(()),
    }
}

/// An example of the course's own.
#[derive(Clone, Debug)]
pub struct Example {
    /// Id.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// What it is about.
    pub says: String,
    /// Who kept it.
    pub by: String,
    /// When.
    pub at: NaiveDateTime,
    /// Whether it can be used: the lab's protocol is still the one that it was decided by.
    pub serves: bool,
}

/// Keeps a signed table as an example: without its section and team, with what was decided on it as its truth.
///
/// # Errors
/// [`StoreError::Bad`] where it is not signed, or the words are missing or too long; [`StoreError::NotFound`]; faults of the
/// database.
pub fn keep_example(c: &mut Db, sheet: u32, says: &str, user: &User) -> Result<u32, StoreError> {
    let says = course::named("word on the example", says, MOST_SAID)?;
    let detail = sheets::get(c, sheet, user)?;
    if detail.state == SheetState::Waiting {
        return Err(StoreError::Bad(
            "this table is not signed, so nobody has said what is right of it".into(),
            "decide and sign it first; then it can be kept as an example".into(),
        ));
    }
    let lab = labs::get(c, detail.lab_id)?;
    let submission = Submission { section: "Practice".into(), team: "Example".into(), ..detail.submission.clone() };
    // An example stands for itself: what a section sets and what a ruling says are no part of it.
    // Nor is what only the paper tells, which is given.
    let base = given(&lab.protocol);
    let by_paper = |d: &Decision| base.iter().any(|g| g.finding == d.finding);
    let own: Vec<Decision> =
        detail.in_force().into_iter().filter(|d| !by_paper(d)).map(|d| Decision { by: String::new(), ..d }).collect();
    let with = |own: &[Decision]| judged(&lab.protocol, &submission, own);
    let truth = Truth::decided(&with(&[]), &with(&own), &own);
    let at = c.now()?;
    diesel::insert_into(examples::table)
        .values((
            examples::lab_id.eq(lab.id),
            examples::protocol_id.eq(lab.protocol_id),
            examples::says.eq(says),
            examples::body.eq(text(&submission)?),
            examples::truth.eq(text(&truth)?),
            examples::user_id.eq(user.id),
            examples::at.eq(at),
        ))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    events::note_why(c, Some(user.id), "example kept", &format!("example {id} of sheet {sheet}"), says)?;
    Ok(id)
}

/// The examples that are kept, of all labs, newest first.
///
/// # Errors
/// Faults of the database.
pub fn examples(c: &mut Db) -> Result<Vec<Example>, StoreError> {
    let in_force: Vec<(u32, u32)> = labs::all(c)?.iter().map(|l| (l.id, l.protocol_id)).collect();
    let rows: Vec<(u32, u32, u32, String, String, NaiveDateTime)> = examples::table
        .inner_join(users::table)
        .filter(examples::closed_at.is_null())
        .order(examples::id.desc())
        .select((examples::id, examples::lab_id, examples::protocol_id, examples::says, users::name, examples::at))
        .load(c.sql())?;
    Ok(rows
        .into_iter()
        .map(|(id, lab_id, protocol_id, says, by, at)| {
            let serves = in_force.contains(&(lab_id, protocol_id));
            Example { id, lab_id, says, by, at, serves }
        })
        .collect())
}

/// The tables of a lab's examples that can be used, oldest first, as a class takes them.
///
/// # Errors
/// [`StoreError::Broken`]; faults of the database.
pub fn example_tables(c: &mut Db, lab: u32) -> Result<Vec<(Submission, Truth)>, StoreError> {
    let protocol_id = labs::get(c, lab)?.protocol_id;
    let rows: Vec<(u32, String, String)> = examples::table
        .filter(examples::lab_id.eq(lab))
        .filter(examples::protocol_id.eq(protocol_id))
        .filter(examples::closed_at.is_null())
        .order(examples::id)
        .select((examples::id, examples::body, examples::truth))
        .load(c.sql())?;
    rows.into_iter()
        .zip(1..)
        .map(|((id, body, truth), n)| {
            let broken = |e: serde_json::Error| StoreError::Broken(format!("example {id}: {e}"));
            let table: Submission = serde_json::from_str(&body).map_err(broken)?;
            Ok((Submission { team: format!("Example {n}"), ..table }, serde_json::from_str(&truth).map_err(broken)?))
        })
        .collect()
}

/// Takes an example out; classes that were begun with it keep it.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn close_example(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let at = c.now()?;
    let open = examples::table.filter(examples::id.eq(id)).filter(examples::closed_at.is_null());
    if diesel::update(open).set(examples::closed_at.eq(Some(at))).execute(c.sql())? == 0 {
        return Err(StoreError::NotFound("example"));
    }
    events::note(c, Some(user.id), "example taken out", &format!("example {id}"))
}
