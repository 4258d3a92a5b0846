//! Sheets: one team's place in one lab, what was handed in, decided, signed and returned.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::{Action, Decision};
use jurado_core::judging::judge_in;
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;

use super::summary::Summary;
use super::users::User;
use super::{docket, events, labs};
use crate::error::Conflict;
use crate::schema::{decisions, sheets, submissions, teams, users};
use crate::{Db, StoreError, inserted, now};

/// A sheet with all that belongs to it.
#[derive(Clone, Debug)]
pub struct SheetDetail {
    /// Id.
    pub id: u32,
    /// Lab's id.
    pub lab_id: u32,
    /// Version that a change must be based on.
    pub version: u32,
    /// `waiting`, `signed` or `returned`.
    pub state: String,
    /// Section's id.
    pub section_id: u32,
    /// Team's id.
    pub team_id: u32,
    /// What the section sets for the lab.
    pub settings: Section,
    /// When it is due.
    pub due_at: Option<NaiveDateTime>,
    /// Points as they were returned last.
    pub returned_points: Option<String>,
    /// Lines as they were returned last.
    pub returned_lines: Vec<ReturnedLine>,
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
        let decisions: Vec<Decision> = self.decisions.iter().map(|d| d.decision.clone()).collect();
        judge_in(protocol, &self.settings, &self.submission, &[], &decisions)
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

/// A decision to be stored.
#[derive(Clone, Debug)]
pub struct NewDecision {
    /// Key of the finding, or `line:<criterion>`.
    pub finding: String,
    /// What.
    pub action: Action,
    /// Why.
    pub reason: String,
    /// The cell's text or the sentence put in place.
    pub text: String,
}

impl NewDecision {
    /// A decision without a text of its own.
    pub fn new(finding: impl Into<String>, action: Action, reason: impl Into<String>) -> NewDecision {
        NewDecision { finding: finding.into(), action, reason: reason.into(), text: String::new() }
    }
}

type Head = (
    (u32, u32, u32, String, u32, u32, Option<u32>, Option<NaiveDateTime>),
    (Option<String>, Option<String>, Option<u32>, Option<NaiveDateTime>),
);

/// A sheet, if it is this person's to see. One that is not looks like one that does not exist.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32, user: &User) -> Result<SheetDetail, StoreError> {
    let head: Option<Head> = sheets::table
        .filter(sheets::id.eq(id))
        .select((
            (
                sheets::id,
                sheets::lab_id,
                sheets::version,
                sheets::state,
                sheets::section_id,
                sheets::team_id,
                sheets::submission_id,
                sheets::returned_at,
            ),
            (sheets::returned_points, sheets::returned_lines, sheets::taken_by, sheets::taken_until),
        ))
        .first(c)
        .optional()?;
    let Some((
        (id, lab_id, version, state, section_id, team_id, Some(submission_id), returned_at),
        (returned_points, lines, by, until),
    )) = head.filter(|h| user.sees(h.0.4))
    else {
        return Err(StoreError::NotFound("table"));
    };
    let (revision, body, handed_in_at): (u32, String, NaiveDateTime) = submissions::table
        .find(submission_id)
        .select((submissions::revision, submissions::body, submissions::handed_in_at))
        .first(c)?;
    let submission = serde_json::from_str(&body).map_err(|e| StoreError::Broken(e.to_string()))?;
    let decisions = in_force(c, submission_id)?;
    let (settings, due_at) = super::sections::settings(c, section_id, lab_id)?;
    let returned_lines = lines.map_or_else(Vec::new, |l| serde_json::from_str(&l).unwrap_or_default());
    Ok(SheetDetail {
        id,
        lab_id,
        version,
        state,
        section_id,
        team_id,
        settings,
        due_at,
        returned_points,
        returned_lines,
        taken: by.zip(until),
        submission_id,
        revision,
        handed_in_at,
        submission,
        decisions,
        returned_at,
    })
}

type DecisionRow = (u32, String, String, Option<String>, String, String, NaiveDateTime, String);

fn in_force(c: &mut Db, submission: u32) -> Result<Vec<StoredDecision>, StoreError> {
    let rows: Vec<DecisionRow> = decisions::table
        .inner_join(users::table)
        .filter(decisions::submission_id.eq(submission))
        .filter(decisions::undone_at.is_null())
        .order(decisions::id)
        .select((
            decisions::id,
            decisions::finding,
            decisions::action,
            decisions::points,
            decisions::reason,
            users::name,
            decisions::decided_at,
            decisions::text,
        ))
        .load(c)?;
    rows.into_iter()
        .map(|(id, finding, action, points, reason, by, at, text)| {
            let action = match (action.as_str(), points) {
                ("accept", _) => Action::Accept,
                ("forgive", _) => Action::Forgive,
                ("refuse", _) => Action::Refuse,
                ("read", _) => Action::Read,
                ("leave-out", _) => Action::LeaveOut,
                ("say", _) => Action::Say,
                ("points", Some(p)) => {
                    Action::Points(p.parse().map_err(|_| StoreError::Broken(format!("points `{p}`")))?)
                }
                (other, _) => return Err(StoreError::Broken(format!("action `{other}`"))),
            };
            Ok(StoredDecision { id, decision: Decision { finding, action, reason, by, text }, at })
        })
        .collect()
}

/// Claims the sheet at the version the person saw. A lost race is told with what was decided in the meantime.
fn claim(c: &mut Db, id: u32, version: u32, user: &User) -> Result<SheetDetail, StoreError> {
    let claimed = diesel::update(sheets::table.filter(sheets::id.eq(id)).filter(sheets::version.eq(version)))
        .set(sheets::version.eq(version.wrapping_add(1)))
        .execute(c)?;
    let detail = get(c, id, user)?;
    if claimed == 1 {
        return Ok(detail);
    }
    let (by, theirs) = match detail.decisions.last() {
        Some(d) => (d.decision.by.clone(), said(&d.decision)),
        None => ("Somebody".to_owned(), "the table was changed".to_owned()),
    };
    Err(StoreError::Conflict(Box::new(Conflict { version: detail.version, by, theirs })))
}

/// A decision in words.
fn said(d: &Decision) -> String {
    let what = match d.action {
        Action::Accept => "took what was proposed".to_owned(),
        Action::Forgive => "forgave it".to_owned(),
        Action::Refuse => "refused the repair".to_owned(),
        Action::Points(p) => format!("set {p} points"),
        Action::Read => format!("read “{}”", d.text),
        Action::LeaveOut => "left the reading out".to_owned(),
        Action::Say => "put it in other words".to_owned(),
    };
    let reason = if d.reason.is_empty() { String::new() } else { format!(" (“{}”)", d.reason) };
    format!("{what} for {}{reason}", d.finding)
}

/// Stores decisions on a sheet, based on the version the person saw; the Docket's view changes with them.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first; [`StoreError::NotFound`]; faults of the database.
pub fn decide(c: &mut Db, id: u32, version: u32, user: &User, new: &[NewDecision]) -> Result<(), StoreError> {
    c.transaction(|c| {
        let detail = claim(c, id, version, user)?;
        for d in new {
            let (action, points) = match d.action {
                Action::Accept => ("accept", None),
                Action::Forgive => ("forgive", None),
                Action::Refuse => ("refuse", None),
                Action::Points(p) => ("points", Some(p.to_string())),
                Action::Read => ("read", None),
                Action::LeaveOut => ("leave-out", None),
                Action::Say => ("say", None),
            };
            diesel::insert_into(decisions::table)
                .values((
                    decisions::submission_id.eq(detail.submission_id),
                    decisions::finding.eq(&d.finding),
                    decisions::action.eq(action),
                    decisions::points.eq(points),
                    decisions::reason.eq(&d.reason),
                    decisions::user_id.eq(user.id),
                    decisions::decided_at.eq(now()),
                    decisions::text.eq(&d.text),
                ))
                .execute(c)?;
            events::note(c, Some(user.id), "decided", &format!("sheet {id}: {} {action}", d.finding))?;
        }
        reopen(c, id)?;
        refresh(c, id, user)
    })
}

/// Takes back the last decision in force, or the signature if that came later. Gives what was taken back, in words.
///
/// # Errors
/// As [`decide`]; [`StoreError::NotFound`] where nothing is left to undo.
pub fn undo(c: &mut Db, id: u32, version: u32, user: &User) -> Result<String, StoreError> {
    c.transaction(|c| {
        let detail = claim(c, id, version, user)?;
        if detail.state == "signed" {
            reopen(c, id)?;
            events::note(c, Some(user.id), "signature taken back", &format!("sheet {id}"))?;
            return Ok("the signature".to_owned());
        }
        let last = detail.decisions.last().ok_or(StoreError::NotFound("decision to undo"))?;
        diesel::update(decisions::table.find(last.id)).set(decisions::undone_at.eq(now())).execute(c)?;
        // A mark that has gone out is not changed behind anybody's back: the sheet waits again.
        reopen(c, id)?;
        events::note(c, Some(user.id), "undid", &format!("sheet {id}: {}", last.decision.finding))?;
        refresh(c, id, user)?;
        Ok(said(&last.decision))
    })
}

/// Signs a sheet: all that was open has been decided.
///
/// # Errors
/// As [`decide`]; [`StoreError::Broken`] never: a sheet with open findings gives a [`StoreError::Conflict`].
pub fn sign(c: &mut Db, id: u32, version: u32, user: &User) -> Result<(), StoreError> {
    c.transaction(|c| {
        let detail = claim(c, id, version, user)?;
        let open: u32 = sheets::table.find(id).select(sheets::open_findings).first(c)?;
        if open > 0 {
            let theirs = format!("{open} findings are still open");
            return Err(StoreError::Conflict(Box::new(Conflict {
                version: detail.version,
                by: "The table".to_owned(),
                theirs,
            })));
        }
        diesel::update(sheets::table.find(id))
            .set((sheets::state.eq("signed"), sheets::signed_by.eq(Some(user.id)), sheets::signed_at.eq(Some(now()))))
            .execute(c)?;
        super::docket::let_go(c, id)?;
        events::note(c, Some(user.id), "signed", &format!("sheet {id}"))
    })
}

/// A change after signing or returning puts the sheet back among those that wait.
fn reopen(c: &mut Db, id: u32) -> Result<(), StoreError> {
    diesel::update(sheets::table.find(id))
        .set((
            sheets::state.eq("waiting"),
            sheets::signed_by.eq(None::<u32>),
            sheets::signed_at.eq(None::<NaiveDateTime>),
        ))
        .execute(c)?;
    Ok(())
}

/// Returns every signed sheet that a filter lets through and the person sees, with what goes out kept beside it, so
/// that the next return can say what changed. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn release(c: &mut Db, filter: &docket::Filter, user: &User) -> Result<usize, StoreError> {
    c.transaction(|c| {
        let filter = docket::Filter { state: Some("signed".to_owned()), ..filter.clone() };
        let ready = docket::list(c, user, &filter, docket::Order::Roster, i64::MAX)?;
        for row in &ready {
            let detail = get(c, row.id, user)?;
            let lab = labs::get(c, detail.lab_id)?;
            let judged = detail.judge(&lab.protocol);
            let lines: Vec<ReturnedLine> = judged
                .score
                .lines
                .iter()
                .map(|l| ReturnedLine {
                    criterion: l.criterion.clone(),
                    title: l.title.clone(),
                    points: l.decided.normalize().to_string(),
                })
                .collect();
            let lines = serde_json::to_string(&lines).map_err(|e| StoreError::Broken(e.to_string()))?;
            diesel::update(sheets::table.filter(sheets::id.eq(row.id)).filter(sheets::state.eq("signed")))
                .set((
                    sheets::state.eq("returned"),
                    sheets::returned_at.eq(Some(now())),
                    sheets::returned_points.eq(Some(judged.score.decided.normalize().to_string())),
                    sheets::returned_lines.eq(Some(lines)),
                    sheets::returns.eq(sheets::returns + 1),
                    sheets::version.eq(sheets::version + 1),
                ))
                .execute(c)?;
            events::note(c, Some(user.id), "returned", &format!("sheet {}", row.id))?;
        }
        Ok(ready.len())
    })
}

/// Judges the sheet as it stands now and brings the Docket's view of it up to date.
pub(crate) fn refresh(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let detail = get(c, id, user)?;
    let lab = labs::get(c, detail.lab_id)?;
    let judged = detail.judge(&lab.protocol);
    store_summary(c, id, &lab.protocol, &detail.settings, &judged)
}

pub(crate) fn store_summary(
    c: &mut Db,
    id: u32,
    protocol: &Protocol,
    settings: &Section,
    judged: &Judged,
) -> Result<(), StoreError> {
    let s = Summary::of(judged);
    diesel::update(sheets::table.find(id))
        .set((
            sheets::awarded.eq(s.awarded),
            sheets::decided.eq(s.decided),
            sheets::possible.eq(s.possible),
            sheets::open_findings.eq(s.open),
            sheets::hanging.eq(s.hanging),
            sheets::mark.eq(s.mark),
            sheets::headline.eq(s.headline),
            sheets::profile.eq(s.profile),
            sheets::judged_with.eq(judged_with(protocol, settings)),
        ))
        .execute(c)?;
    Ok(())
}

/// What a verdict depends on besides the table: engine, protocol and the section's settings, as one digest.
fn judged_with(protocol: &Protocol, settings: &Section) -> String {
    let settings = if *settings == Section::default() {
        String::new()
    } else {
        serde_json::to_string(settings).unwrap_or_default()
    };
    crate::digest(format!("{}\n{}\n{settings}", jurado_core::verdict::ENGINE, protocol.digest).as_bytes())
}

/// Judges anew every sheet whose verdict came from another engine, protocol version or settings. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn rejudge_stale(c: &mut Db) -> Result<usize, StoreError> {
    let mut places: Vec<(u32, u32)> = sheets::table.select((sheets::lab_id, sheets::section_id)).distinct().load(c)?;
    places.sort_unstable();
    c.transaction(|c| {
        let mut count = 0;
        for (lab, section) in places {
            let lab = labs::get(c, lab)?;
            let (settings, _) = super::sections::settings(c, section, lab.id)?;
            count += rejudge(c, &lab, section, &settings)?;
        }
        Ok(count)
    })
}

/// Puts a protocol's text in force for its lab and judges anew what it concerns: both, or neither. Gives how many tables
/// were judged.
///
/// # Errors
/// [`StoreError::Protocol`] with every fault of the text; faults of the database leave the one before in force.
pub fn put_in_force(c: &mut Db, source: &str) -> Result<usize, StoreError> {
    c.transaction(|c| {
        labs::install(c, source)?;
        rejudge_stale(c)
    })
}

/// Judges anew what of a lab in a section was judged with something else, in one transaction.
pub(crate) fn rejudge(c: &mut Db, lab: &labs::Lab, section: u32, settings: &Section) -> Result<usize, StoreError> {
    let with = judged_with(&lab.protocol, settings);
    let stale: Vec<(u32, u32)> = sheets::table
        .filter(sheets::lab_id.eq(lab.id))
        .filter(sheets::section_id.eq(section))
        .filter(sheets::judged_with.ne(&with))
        .filter(sheets::submission_id.is_not_null())
        .select((sheets::id, sheets::submission_id.assume_not_null()))
        .load(c)?;
    c.transaction(|c| {
        for (sheet, submission) in &stale {
            let body: String = submissions::table.find(submission).select(submissions::body).first(c)?;
            let table: Submission = serde_json::from_str(&body).map_err(|e| StoreError::Broken(e.to_string()))?;
            let decisions: Vec<Decision> = in_force(c, *submission)?.into_iter().map(|d| d.decision).collect();
            let judged = judge_in(&lab.protocol, settings, &table, &[], &decisions);
            store_summary(c, *sheet, &lab.protocol, settings, &judged)?;
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(stale.len())
}

/// Every table of a lab in a section with its settings and decisions, to work out what a change would do.
///
/// # Errors
/// Faults of the database.
pub fn details_of(c: &mut Db, lab: u32, section: Option<u32>, user: &User) -> Result<Vec<SheetDetail>, StoreError> {
    let filter = docket::Filter { lab: Some(lab), section, ..docket::Filter::default() };
    let rows = docket::list(c, user, &filter, docket::Order::Roster, i64::MAX)?;
    rows.iter().map(|r| get(c, r.id, user)).collect()
}

/// A team's table of a lab as it stands, if it is in.
pub(crate) fn current(c: &mut Db, lab: u32, team: u32) -> Result<Option<Submission>, StoreError> {
    let id: Option<Option<u32>> = sheets::table
        .filter(sheets::lab_id.eq(lab))
        .filter(sheets::team_id.eq(team))
        .select(sheets::submission_id)
        .first(c)
        .optional()?;
    let Some(id) = id.flatten() else { return Ok(None) };
    let body: String = submissions::table.find(id).select(submissions::body).first(c)?;
    serde_json::from_str(&body).map(Some).map_err(|e| StoreError::Broken(e.to_string()))
}

/// The tables of some teams of a lab as they stand, by section and team; what is not in is left out.
///
/// # Errors
/// Faults of the database.
pub fn standing(c: &mut Db, lab: u32, names: &[(String, String)], user: &User) -> Result<Vec<Submission>, StoreError> {
    let wanted: std::collections::HashSet<(&str, &str)> = names.iter().map(|(s, t)| (s.as_str(), t.as_str())).collect();
    let rows = docket::of_lab(c, lab, user)?;
    rows.iter()
        .filter(|r| wanted.contains(&(r.section.as_str(), r.team.as_str())))
        .map(|r| get(c, r.id, user).map(|d| d.submission))
        .collect()
}

/// An earlier revision of a table: its number, when, by which file, and the table.
#[derive(Clone, Debug)]
pub struct Revision {
    /// Number, from 1.
    pub number: u32,
    /// When it was handed in.
    pub at: NaiveDateTime,
    /// The table.
    pub submission: Submission,
}

/// All revisions of a sheet, oldest first.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn revisions(c: &mut Db, id: u32, user: &User) -> Result<Vec<Revision>, StoreError> {
    get(c, id, user)?;
    let rows: Vec<(u32, NaiveDateTime, String)> = submissions::table
        .filter(submissions::sheet_id.eq(id))
        .order(submissions::revision)
        .select((submissions::revision, submissions::handed_in_at, submissions::body))
        .load(c)?;
    rows.into_iter()
        .map(|(number, at, body)| {
            let submission = serde_json::from_str(&body).map_err(|e| StoreError::Broken(e.to_string()))?;
            Ok(Revision { number, at, submission })
        })
        .collect()
}

/// Puts a table in its place: a new sheet, a new revision, or nothing where it is the same as before.
pub(crate) fn hand_in(
    c: &mut Db,
    lab: &labs::Lab,
    team: u32,
    import: u32,
    table: &Submission,
    user: &User,
) -> Result<HandedIn, StoreError> {
    let body = serde_json::to_string(table).map_err(|e| StoreError::Broken(e.to_string()))?;
    let digest = crate::digest(body.as_bytes());
    let existing: Option<(u32, Option<u32>)> = sheets::table
        .filter(sheets::lab_id.eq(lab.id))
        .filter(sheets::team_id.eq(team))
        .select((sheets::id, sheets::submission_id))
        .for_update()
        .first(c)
        .optional()?;
    let section: u32 = teams::table.find(team).select(teams::section_id).first(c)?;
    let (sheet, current) = match existing {
        Some(row) => row,
        None => {
            diesel::insert_into(sheets::table)
                .values((
                    (
                        sheets::lab_id.eq(lab.id),
                        sheets::team_id.eq(team),
                        sheets::section_id.eq(section),
                        sheets::version.eq(1u32),
                        sheets::state.eq("waiting"),
                    ),
                    (
                        sheets::station.eq(""),
                        sheets::awarded.eq("0"),
                        sheets::decided.eq("0"),
                        sheets::possible.eq("0"),
                    ),
                    (
                        sheets::open_findings.eq(0u32),
                        sheets::hanging.eq("0"),
                        sheets::mark.eq("agrees"),
                        sheets::headline.eq(""),
                    ),
                    (sheets::profile.eq(""), sheets::judged_with.eq("")),
                ))
                .execute(c)?;
            (inserted(c)?, None)
        }
    };
    let mut revision = 1;
    if let Some(current) = current {
        let (last, same): (u32, String) =
            submissions::table.find(current).select((submissions::revision, submissions::digest)).first(c)?;
        if same == digest {
            return Ok(HandedIn::Unchanged);
        }
        revision = last + 1;
    }
    diesel::insert_into(submissions::table)
        .values((
            submissions::sheet_id.eq(sheet),
            submissions::revision.eq(revision),
            submissions::import_id.eq(import),
            submissions::body.eq(&body),
            submissions::digest.eq(&digest),
            submissions::handed_in_at.eq(now()),
        ))
        .execute(c)?;
    let submission = inserted(c)?;
    let station = table.keys.get("station").cloned().unwrap_or_default();
    diesel::update(sheets::table.find(sheet))
        .set((
            sheets::submission_id.eq(Some(submission)),
            sheets::station.eq(station),
            sheets::version.eq(sheets::version + 1),
        ))
        .execute(c)?;
    reopen(c, sheet)?;
    let (settings, _) = super::sections::settings(c, section, lab.id)?;
    let judged = judge_in(&lab.protocol, &settings, table, &[], &[]);
    store_summary(c, sheet, &lab.protocol, &settings, &judged)?;
    events::note(c, Some(user.id), "handed in", &format!("sheet {sheet} revision {revision}"))?;
    Ok(if revision == 1 { HandedIn::New } else { HandedIn::Revised })
}

/// What handing in a table did.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum HandedIn {
    New,
    Revised,
    Unchanged,
}
