//! Sheets: one team's place in one lab, what was handed in, decided, signed and returned.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::{Action, Decision};
use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;
use rust_decimal::Decimal;

use super::summary::Summary;
use super::users::User;
use super::{events, labs};
use crate::error::Conflict;
use crate::schema::{decisions, sections, sheets, submissions, teams, users};
use crate::{Db, StoreError, inserted, now};

/// One line of the Docket.
#[derive(Clone, Debug, Queryable)]
pub struct DocketRow {
    /// Sheet.
    pub id: u32,
    /// Section.
    pub section_id: u32,
    /// Section's name.
    pub section: String,
    /// Team.
    pub team: String,
    /// Station, blank where there is none.
    pub station: String,
    /// `waiting`, `signed` or `returned`.
    pub state: String,
    /// Points as decided.
    pub decided: String,
    /// Points as computed.
    pub awarded: String,
    /// Points there are.
    pub possible: String,
    /// Findings that want a person.
    pub open_findings: u32,
    /// Points that hang on a decision.
    pub hanging: String,
    /// Word of the verdict that most wants a person.
    pub mark: String,
    /// One sentence on why.
    pub headline: String,
    /// Distances of the results.
    pub profile: String,
    /// When it was returned.
    pub returned_at: Option<NaiveDateTime>,
}

impl DocketRow {
    /// Points that hang, for ordering.
    pub fn hangs(&self) -> Decimal {
        self.hanging.parse().unwrap_or_default()
    }

    /// Whether it waits and wants a person.
    pub fn wants(&self) -> bool {
        self.state == "waiting" && self.open_findings > 0
    }

    /// Whether it waits and nothing is to be decided.
    pub fn is_clear(&self) -> bool {
        self.state == "waiting" && self.open_findings == 0
    }
}

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
        judge(protocol, &self.submission, &[], &decisions)
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

/// A decision to be stored.
#[derive(Clone, Debug)]
pub struct NewDecision {
    /// Key of the finding, or `line:<criterion>`.
    pub finding: String,
    /// What.
    pub action: Action,
    /// Why.
    pub reason: String,
}

/// Sheets of a lab that a person sees, by section and team.
///
/// # Errors
/// Faults of the database.
pub fn docket(c: &mut Db, lab: u32, user: &User) -> Result<Vec<DocketRow>, StoreError> {
    let rows: Vec<DocketRow> = sheets::table
        .inner_join(teams::table.inner_join(sections::table))
        .filter(sheets::lab_id.eq(lab))
        .filter(sheets::submission_id.is_not_null())
        .order((sections::position, teams::name))
        .select((
            sheets::id,
            sections::id,
            sections::name,
            teams::name,
            sheets::station,
            sheets::state,
            sheets::decided,
            sheets::awarded,
            sheets::possible,
            sheets::open_findings,
            sheets::hanging,
            sheets::mark,
            sheets::headline,
            sheets::profile,
            sheets::returned_at,
        ))
        .load(c)?;
    Ok(rows.into_iter().filter(|r| user.sees(r.section_id)).collect())
}

type Head = (u32, u32, u32, String, u32, Option<u32>, Option<NaiveDateTime>);

/// A sheet, if it is this person's to see. One that is not looks like one that does not exist.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32, user: &User) -> Result<SheetDetail, StoreError> {
    let head: Option<Head> = sheets::table
        .inner_join(teams::table)
        .filter(sheets::id.eq(id))
        .select((
            sheets::id,
            sheets::lab_id,
            sheets::version,
            sheets::state,
            teams::section_id,
            sheets::submission_id,
            sheets::returned_at,
        ))
        .first(c)
        .optional()?;
    let Some((id, lab_id, version, state, section_id, Some(submission_id), returned_at)) =
        head.filter(|h| user.sees(h.4))
    else {
        return Err(StoreError::NotFound("table"));
    };
    let (revision, body, handed_in_at): (u32, String, NaiveDateTime) = submissions::table
        .find(submission_id)
        .select((submissions::revision, submissions::body, submissions::handed_in_at))
        .first(c)?;
    let submission = serde_json::from_str(&body).map_err(|e| StoreError::Broken(e.to_string()))?;
    let decisions = in_force(c, submission_id)?;
    Ok(SheetDetail {
        id,
        lab_id,
        version,
        state,
        section_id,
        submission_id,
        revision,
        handed_in_at,
        submission,
        decisions,
        returned_at,
    })
}

type DecisionRow = (u32, String, String, Option<String>, String, String, NaiveDateTime);

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
        ))
        .load(c)?;
    rows.into_iter()
        .map(|(id, finding, action, points, reason, by, at)| {
            let action = match (action.as_str(), points) {
                ("accept", _) => Action::Accept,
                ("forgive", _) => Action::Forgive,
                ("refuse", _) => Action::Refuse,
                ("points", Some(p)) => {
                    Action::Points(p.parse().map_err(|_| StoreError::Broken(format!("points `{p}`")))?)
                }
                (other, _) => return Err(StoreError::Broken(format!("action `{other}`"))),
            };
            Ok(StoredDecision { id, decision: Decision { finding, action, reason, by }, at })
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

/// Returns every signed sheet of a lab that the person sees. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn release(c: &mut Db, lab: u32, user: &User) -> Result<usize, StoreError> {
    c.transaction(|c| {
        let ready: Vec<u32> = docket(c, lab, user)?.into_iter().filter(|r| r.state == "signed").map(|r| r.id).collect();
        diesel::update(sheets::table.filter(sheets::id.eq_any(&ready)).filter(sheets::state.eq("signed")))
            .set((
                sheets::state.eq("returned"),
                sheets::returned_at.eq(Some(now())),
                sheets::version.eq(sheets::version + 1),
            ))
            .execute(c)?;
        for id in &ready {
            events::note(c, Some(user.id), "returned", &format!("sheet {id}"))?;
        }
        Ok(ready.len())
    })
}

/// Judges the sheet as it stands now and brings the Docket's view of it up to date.
pub(crate) fn refresh(c: &mut Db, id: u32, user: &User) -> Result<(), StoreError> {
    let detail = get(c, id, user)?;
    let lab = labs::get(c, detail.lab_id)?;
    let judged = detail.judge(&lab.protocol);
    store_summary(c, id, &lab.protocol, &judged)
}

pub(crate) fn store_summary(c: &mut Db, id: u32, protocol: &Protocol, judged: &Judged) -> Result<(), StoreError> {
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
            sheets::judged_with.eq(judged_with(protocol)),
        ))
        .execute(c)?;
    Ok(())
}

/// What a verdict depends on besides the table: engine and protocol, as one digest.
fn judged_with(protocol: &Protocol) -> String {
    crate::digest(format!("{}\n{}", jurado_core::verdict::ENGINE, protocol.digest).as_bytes())
}

/// Judges anew every sheet whose verdict came from another engine or protocol version. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn rejudge_stale(c: &mut Db) -> Result<usize, StoreError> {
    let mut count = 0;
    for lab in labs::all(c)? {
        let with = judged_with(&lab.protocol);
        let stale: Vec<(u32, u32)> = sheets::table
            .filter(sheets::lab_id.eq(lab.id))
            .filter(sheets::judged_with.ne(&with))
            .filter(sheets::submission_id.is_not_null())
            .select((sheets::id, sheets::submission_id.assume_not_null()))
            .load(c)?;
        c.transaction(|c| {
            for (sheet, submission) in &stale {
                let body: String = submissions::table.find(submission).select(submissions::body).first(c)?;
                let table: Submission = serde_json::from_str(&body).map_err(|e| StoreError::Broken(e.to_string()))?;
                let decisions: Vec<Decision> = in_force(c, *submission)?.into_iter().map(|d| d.decision).collect();
                store_summary(c, *sheet, &lab.protocol, &judge(&lab.protocol, &table, &[], &decisions))?;
            }
            Ok::<_, StoreError>(())
        })?;
        count += stale.len();
    }
    Ok(count)
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
    let (sheet, current) = match existing {
        Some(row) => row,
        None => {
            diesel::insert_into(sheets::table)
                .values((
                    (
                        sheets::lab_id.eq(lab.id),
                        sheets::team_id.eq(team),
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
    let judged = judge(&lab.protocol, table, &[], &[]);
    store_summary(c, sheet, &lab.protocol, &judged)?;
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
