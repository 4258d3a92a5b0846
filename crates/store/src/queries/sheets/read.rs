//! A sheet with all that belongs to it.

use std::collections::{HashMap, HashSet};

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::{Decision, Ruling};
use jurado_core::judging::judge_in;
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;
use rust_decimal::Decimal;

use crate::queries::docket::{self, Filter, Order};
use crate::queries::sheets::shelved::{self, Shelved};
use crate::queries::users::User;
use crate::queries::{labs, rulings_kept, sections};
use crate::records::decision::{self, DecisionRecord};
use crate::records::sheet::Head;
use crate::records::went_out::WentOutRecord;
use crate::records::words::SheetState;
use crate::schema::{decisions, sections as section_names, sheets, submissions, teams, users, went_out};
use crate::{Db, StoreError};

/// A sheet with all that belongs to it.
#[derive(Clone, Debug)]
pub struct SheetDetail {
    /// Id.
    pub id: u32,
    /// Lab's id.
    pub lab_id: u32,
    /// Version that a change must be based on.
    pub version: u32,
    /// Where it stands.
    pub state: SheetState,
    /// Section's id.
    pub section_id: u32,
    /// Team's id.
    pub team_id: u32,
    /// What the section sets for the lab.
    pub settings: Section,
    /// Rulings in force for it.
    pub rulings: Vec<Ruling>,
    /// When it is due.
    pub due_at: Option<NaiveDateTime>,
    /// Why nothing of it is changed any more, if it was taken out or its term has ended.
    pub shelved: Option<Shelved>,
    /// As it went out last.
    pub went_out: Option<WentOut>,
    /// How often it went out.
    pub returns: u32,
    /// Who has it in hand, and until when.
    pub taken: Option<(u32, NaiveDateTime)>,
    /// Current submission's id.
    pub submission_id: u32,
    /// Its revision.
    pub revision: u32,
    /// When it was handed in.
    pub handed_in_at: NaiveDateTime,
    /// The table as typed.
    pub submission: Submission,
    /// Decisions in force, oldest first.
    pub decisions: Vec<StoredDecision>,
    /// When it was returned.
    pub returned_at: Option<NaiveDateTime>,
}

impl SheetDetail {
    /// The verdict with the decisions in force. The same function as on the command line.
    pub fn judge(&self, protocol: &Protocol) -> Judged {
        judge_in(protocol, &self.settings, &self.submission, &self.rulings, &self.in_force())
    }

    /// The decisions in force as the judge reads them, oldest first.
    pub fn in_force(&self) -> Vec<Decision> {
        self.decisions.iter().map(|d| d.decision.clone()).collect()
    }
}

/// A line of the score as it went out.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct ReturnedLine {
    /// Criterion's id.
    pub criterion: String,
    /// Its title then.
    pub title: String,
    /// Points then.
    pub points: String,
    /// Points there were then; empty where it went out before that was kept.
    #[serde(default)]
    pub possible: String,
}

/// What a verdict was made from besides the protocol, so that a sheet can be shown as its team got it.
#[derive(Clone, Debug, serde::Serialize, serde::Deserialize)]
pub struct JudgedFrom {
    /// The submission.
    pub submission_id: u32,
    /// What the section set.
    pub settings: Section,
    /// Decisions that were in force.
    pub decisions: Vec<Decision>,
    /// Rulings that were in force.
    #[serde(default)]
    pub rulings: Vec<Ruling>,
    /// Rows of the table that waited in quarantine.
    #[serde(default)]
    pub waiting: u32,
}

/// A sheet as it went out.
#[derive(Clone, Debug)]
pub struct WentOut {
    /// Points.
    pub points: Decimal,
    /// Points there were.
    pub possible: Decimal,
    /// The score line by line.
    pub lines: Vec<ReturnedLine>,
    /// The points of every criterion as a digest.
    pub outcome: String,
    /// The protocol it was judged by; not known of what went out before that was kept.
    pub protocol_id: Option<u32>,
    /// What else it was judged from; not known as above.
    pub from: Option<JudgedFrom>,
    /// When.
    pub at: NaiveDateTime,
    /// Why it went out again.
    pub reason: String,
}

impl WentOut {
    fn of(r: WentOutRecord) -> Result<WentOut, StoreError> {
        let broken = |e: serde_json::Error| StoreError::Broken(format!("what went out of sheet {}: {e}", r.sheet_id));
        Ok(WentOut {
            points: r.points.normalize(),
            possible: r.possible.normalize(),
            lines: serde_json::from_str(&r.score_lines).map_err(broken)?,
            outcome: r.outcome.clone(),
            protocol_id: r.protocol_id,
            from: r.judged_from.as_deref().map(serde_json::from_str).transpose().map_err(broken)?,
            at: r.at,
            reason: r.reason.clone(),
        })
    }
}

/// A decision with its id and time.
#[derive(Clone, Debug)]
pub struct StoredDecision {
    /// Id.
    pub id: u32,
    /// The decision.
    pub decision: Decision,
    /// When.
    pub at: NaiveDateTime,
}

/// A sheet, if it is this person's to see. One that is not looks like one that does not exist.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32, user: &User) -> Result<SheetDetail, StoreError> {
    let head: Option<Head> =
        sheets::table.filter(sheets::id.eq(id)).select(Head::as_select()).first(c.sql()).optional()?;
    let head = head.filter(|h| user.sees(h.section_id)).ok_or(StoreError::NotFound("table"))?;
    detail_of(c, head)
}

/// All that belongs to a sheet, as it is at this moment.
pub(crate) fn detail_of(c: &mut Db, head: Head) -> Result<SheetDetail, StoreError> {
    let submission = head.submission_id.ok_or(StoreError::NotFound("table"))?;
    let stored = as_stored(c, submission)?;
    let parts = Parts {
        sets: Sets::of(c, head.lab_id, head.section_id)?,
        shelved: shelved::why(c, head.section_id, head.removal_id)?,
        went_out: if head.returns == 0 { None } else { went_out_last(c, head.id, head.returns)? },
        submission: named(c, head.team_id, stored.table()?)?,
        stored,
        decisions: in_force(c, submission)?,
    };
    Ok(parts.of(&head, submission))
}

/// What a section sets for a lab, and the rulings in force there.
#[derive(Clone)]
struct Sets {
    settings: Section,
    due_at: Option<NaiveDateTime>,
    rulings: Vec<Ruling>,
}

impl Sets {
    fn of(c: &mut Db, lab: u32, section: u32) -> Result<Sets, StoreError> {
        let set = sections::get(c, section, lab)?;
        Ok(Sets { settings: set.settings, due_at: set.due_at, rulings: rulings_kept::in_force(c, lab, section)? })
    }
}

/// What belongs to a sheet besides its head.
struct Parts {
    sets: Sets,
    shelved: Option<Shelved>,
    went_out: Option<WentOut>,
    stored: Stored,
    submission: Submission,
    decisions: Vec<StoredDecision>,
}

impl Parts {
    fn of(self, head: &Head, submission_id: u32) -> SheetDetail {
        SheetDetail {
            id: head.id,
            lab_id: head.lab_id,
            version: head.version,
            state: head.state,
            section_id: head.section_id,
            team_id: head.team_id,
            settings: self.sets.settings,
            rulings: self.sets.rulings,
            due_at: self.sets.due_at,
            shelved: self.shelved,
            went_out: self.went_out,
            returns: head.returns,
            taken: head.taken_by.zip(head.taken_until),
            submission_id,
            revision: self.stored.revision,
            handed_in_at: self.stored.handed_in_at,
            submission: self.submission,
            decisions: self.decisions,
            returned_at: head.returned_at,
        }
    }
}

/// Tables that are read in one statement.
const AT_ONCE: usize = 500;

/// All that belongs to several sheets of one lab that are in, in the order of the ids: a few statements for all of them
/// together, since a large course has thousands.
///
/// # Errors
/// [`StoreError::NotFound`] where one of them is not in any more; faults of the database.
pub(crate) fn many(c: &mut Db, lab: u32, ids: &[u32]) -> Result<Vec<SheetDetail>, StoreError> {
    let missing = || StoreError::NotFound("table");
    let mut by_section: HashMap<u32, Sets> = HashMap::new();
    let mut out = Vec::with_capacity(ids.len());
    for some in ids.chunks(AT_ONCE) {
        let rows: Vec<(Head, String, String)> = sheets::table
            .inner_join(teams::table)
            .inner_join(section_names::table)
            .filter(sheets::id.eq_any(some))
            .filter(sheets::lab_id.eq(lab))
            .filter(sheets::stage.is_not_null())
            .select((Head::as_select(), section_names::name, teams::name))
            .load(c.sql())?;
        let submissions: Vec<u32> = rows.iter().filter_map(|(h, ..)| h.submission_id).collect();
        let (mut bodies, mut decisions) = (as_stored_of(c, &submissions)?, in_force_of(c, &submissions)?);
        let mut sent = went_out_last_of(c, some)?;
        let mut made: HashMap<u32, SheetDetail> = HashMap::new();
        for (head, section, team) in rows {
            let sets = match by_section.get(&head.section_id) {
                Some(sets) => sets.clone(),
                None => by_section.entry(head.section_id).or_insert(Sets::of(c, lab, head.section_id)?).clone(),
            };
            let submission = head.submission_id.ok_or_else(missing)?;
            let stored = bodies.remove(&submission).ok_or_else(missing)?;
            let parts = Parts {
                sets,
                shelved: None,
                went_out: sent.remove(&head.id),
                submission: Submission { section, team, ..stored.table()? },
                stored,
                decisions: decisions.remove(&submission).unwrap_or_default(),
            };
            made.insert(head.id, parts.of(&head, submission));
        }
        for id in some {
            out.push(made.remove(id).ok_or_else(missing)?);
        }
    }
    Ok(out)
}

/// A table out of its text, how many of its rows wait in quarantine, and its number.
pub(crate) fn table(body: &str, waiting: u32, number: u32) -> Result<Submission, StoreError> {
    let table: Submission =
        serde_json::from_str(body).map_err(|e| StoreError::Broken(format!("a table that was handed in: {e}")))?;
    Ok(Submission { waiting, number, ..table })
}

/// A table as it was handed in.
#[derive(Queryable, Selectable)]
#[diesel(table_name = submissions)]
pub(super) struct Stored {
    id: u32,
    pub(super) revision: u32,
    body: String,
    waiting: u32,
    pub(super) handed_in_at: NaiveDateTime,
}

impl Stored {
    /// The table, under the names it was handed in with.
    pub(super) fn table(&self) -> Result<Submission, StoreError> {
        table(&self.body, self.waiting, self.id)
    }
}

/// A table as it was handed in.
pub(super) fn as_stored(c: &mut Db, submission: u32) -> Result<Stored, StoreError> {
    Ok(submissions::table.find(submission).select(Stored::as_select()).first(c.sql())?)
}

/// As [`as_stored`] for several at once, by their numbers.
pub(super) fn as_stored_of(c: &mut Db, ids: &[u32]) -> Result<HashMap<u32, Stored>, StoreError> {
    let rows: Vec<Stored> =
        submissions::table.filter(submissions::id.eq_any(ids)).select(Stored::as_select()).load(c.sql())?;
    Ok(rows.into_iter().map(|s| (s.id, s)).collect())
}

/// A table under the names that its section and team have now: either may have been renamed since it was handed in.
pub(crate) fn named(c: &mut Db, team: u32, table: Submission) -> Result<Submission, StoreError> {
    let (section, team): (String, String) = teams::table
        .inner_join(section_names::table)
        .filter(teams::id.eq(team))
        .select((section_names::name, teams::name))
        .first(c.sql())?;
    Ok(Submission { section, team, ..table })
}

fn went_out_last(c: &mut Db, sheet: u32, number: u32) -> Result<Option<WentOut>, StoreError> {
    let row: Option<WentOutRecord> =
        went_out::table.find((sheet, number)).select(WentOutRecord::as_select()).first(c.sql()).optional()?;
    row.map(WentOut::of).transpose()
}

/// What went out last of several sheets, by sheet.
fn went_out_last_of(c: &mut Db, ids: &[u32]) -> Result<HashMap<u32, WentOut>, StoreError> {
    let rows: Vec<WentOutRecord> = went_out::table
        .inner_join(sheets::table.on(went_out::sheet_id.eq(sheets::id).and(went_out::number.eq(sheets::returns))))
        .filter(sheets::id.eq_any(ids))
        .select(WentOutRecord::as_select())
        .load(c.sql())?;
    rows.into_iter().map(|r| Ok((r.sheet_id, WentOut::of(r)?))).collect()
}

/// Decisions in force on a submission, oldest first.
pub(crate) fn in_force(c: &mut Db, submission: u32) -> Result<Vec<StoredDecision>, StoreError> {
    let rows: Vec<(DecisionRecord, String)> = decisions::table
        .inner_join(users::table)
        .filter(decisions::submission_id.eq(submission))
        .filter(decisions::undone_at.is_null())
        .order(decisions::id)
        .select((DecisionRecord::as_select(), users::name))
        .load(c.sql())?;
    rows.into_iter().map(|(d, by)| stored(d, by)).collect()
}

/// Decisions in force on several submissions at once, oldest first.
pub(super) fn in_force_of(c: &mut Db, submissions: &[u32]) -> Result<HashMap<u32, Vec<StoredDecision>>, StoreError> {
    let rows: Vec<(u32, DecisionRecord, String)> = decisions::table
        .inner_join(users::table)
        .filter(decisions::submission_id.eq_any(submissions))
        .filter(decisions::undone_at.is_null())
        .order(decisions::id)
        .select((decisions::submission_id, DecisionRecord::as_select(), users::name))
        .load(c.sql())?;
    let mut out: HashMap<u32, Vec<StoredDecision>> = HashMap::new();
    for (submission, d, by) in rows {
        out.entry(submission).or_default().push(stored(d, by)?);
    }
    Ok(out)
}

pub(super) fn stored(d: DecisionRecord, by: String) -> Result<StoredDecision, StoreError> {
    let action = decision::action(d.action, d.points)?;
    let decision = Decision { finding: d.finding.into(), action, reason: d.reason, by, text: d.text };
    Ok(StoredDecision { id: d.id, decision, at: d.decided_at })
}

/// Every table of a lab in a section with its settings and decisions, to work out what a change would do.
///
/// # Errors
/// Faults of the database.
pub fn details_of(c: &mut Db, lab: u32, section: Option<u32>, user: &User) -> Result<Vec<SheetDetail>, StoreError> {
    let filter = Filter { lab: Some(lab), section, ..Filter::default() };
    let rows = docket::list(c, user, &filter, Order::Roster, i64::MAX)?;
    many(c, lab, &rows.iter().map(|r| r.id).collect::<Vec<u32>>())
}

/// The file that a revision came with.
pub(crate) fn import_of(c: &mut Db, submission: u32) -> Result<u32, StoreError> {
    Ok(submissions::table.find(submission).select(submissions::import_id).first(c.sql())?)
}

/// A team's table of a lab as it stands, if it is in.
pub(crate) fn current(c: &mut Db, lab: u32, team: u32) -> Result<Option<Submission>, StoreError> {
    let id: Option<Option<u32>> = sheets::table
        .filter(sheets::lab_id.eq(lab))
        .filter(sheets::team_id.eq(team))
        .filter(sheets::removal_id.is_null())
        .select(sheets::submission_id)
        .first(c.sql())
        .optional()?;
    let Some(id) = id.flatten() else { return Ok(None) };
    let stored = as_stored(c, id)?;
    named(c, team, stored.table()?).map(Some)
}

/// The tables of some teams of a lab as they stand, by section and team; what is not in is left out.
///
/// # Errors
/// Faults of the database.
pub fn standing(c: &mut Db, lab: u32, names: &[(String, String)], user: &User) -> Result<Vec<Submission>, StoreError> {
    let wanted: HashSet<(&str, &str)> = names.iter().map(|(s, t)| (s.as_str(), t.as_str())).collect();
    let rows = docket::of_lab(c, lab, user)?;
    let there = rows.iter().filter(|r| wanted.contains(&(r.section.as_str(), r.team.as_str())));
    let ids: Vec<u32> = there.map(|r| r.id).collect();
    Ok(many(c, lab, &ids)?.into_iter().map(|d| d.submission).collect())
}

impl SheetDetail {
    /// The verdict as it went out: with the protocol, settings and decisions of then. `None` where nothing went out, or
    /// where that was not kept yet.
    ///
    /// # Errors
    /// Faults of the database.
    pub fn as_sent(&self, c: &mut Db) -> Result<Option<(std::sync::Arc<Protocol>, Judged)>, StoreError> {
        let Some(sent) = &self.went_out else { return Ok(None) };
        let (Some(protocol), Some(from)) = (sent.protocol_id, &sent.from) else { return Ok(None) };
        let protocol = labs::protocol(c, protocol)?;
        let table = if from.submission_id == self.submission_id {
            Submission { waiting: from.waiting, ..self.submission.clone() }
        } else {
            Submission { waiting: from.waiting, ..as_stored(c, from.submission_id)?.table()? }
        };
        let judged = judge_in(&protocol, &from.settings, &table, &from.rulings, &from.decisions);
        Ok(Some((protocol, judged)))
    }
}
