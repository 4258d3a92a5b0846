//! Decisions on a sheet, and taking them back.

use diesel::prelude::*;
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::Key;

use super::hold::{Held, claim};
use super::read::in_force;
use crate::queries::events;
use crate::queries::users::User;
use crate::records::decision::{NewDecisionRecord, parts};
use crate::records::sheet::Turn;
use crate::records::words::SheetState;
use crate::schema::{decisions, sheets};
use crate::{Db, StoreError};

/// A decision to be stored.
#[derive(Clone, Debug)]
pub struct NewDecision {
    /// What it is about.
    pub finding: Key,
    /// What.
    pub action: Action,
    /// Why.
    pub reason: String,
    /// The cell's text or the sentence put in place.
    pub text: String,
}

impl NewDecision {
    /// A decision without a text of its own.
    pub fn new(finding: impl Into<Key>, action: Action, reason: impl Into<String>) -> NewDecision {
        NewDecision { finding: finding.into(), action, reason: reason.into(), text: String::new() }
    }
}

/// What is not there where nothing is left to take back.
pub const NOTHING_TO_UNDO: &str = "decision to undo";

/// A decision in words.
fn said(finding: &Key, action: Action, text: &str, reason: &str) -> String {
    let what = match action {
        Action::Accept => "took what was proposed".to_owned(),
        Action::Forgive => "forgave it".to_owned(),
        Action::Refuse => "refused the repair".to_owned(),
        Action::Points(p) => format!("set {p} points"),
        Action::Read => format!("read “{text}”"),
        Action::LeaveOut => "left the reading out".to_owned(),
        Action::Say => "put it in other words".to_owned(),
    };
    let reason = if reason.is_empty() { String::new() } else { format!(" (“{reason}”)") };
    format!("{what} for {finding}{reason}")
}

fn said_of(d: &Decision) -> String {
    said(&d.finding, d.action, &d.text, &d.reason)
}

/// Stores decisions on a sheet, based on the version the person saw; the Docket's view changes with them. A sheet that was
/// signed or returned waits again; what went out stays as it was.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first; [`StoreError::NotFound`]; faults of the database.
pub fn decide(c: &mut Db, id: u32, version: u32, user: &User, new: &[NewDecision]) -> Result<(), StoreError> {
    let mut held = claim(c, id, version, user)?;
    let at = c.now()?;
    for d in new {
        let (action, points) = parts(d.action);
        diesel::insert_into(decisions::table)
            .values(NewDecisionRecord {
                submission_id: held.detail.submission_id,
                finding: &d.finding.to_string(),
                action,
                points,
                reason: &d.reason,
                user_id: user.id,
                decided_at: at,
                text: &d.text,
            })
            .execute(c.sql())?;
        let about = format!("sheet {id}: {} {}", d.finding, action.word());
        events::note_why(c, Some(user.id), "decided", &about, &d.reason)?;
    }
    let last = new.last().map(|d| said(&d.finding, d.action, &d.text, &d.reason)).unwrap_or_default();
    judge_anew(c, &mut held, user, &last)
}

/// Judges a held sheet with the decisions in force now, and keeps what follows.
fn judge_anew(c: &mut Db, held: &mut Held, user: &User, changed: &str) -> Result<(), StoreError> {
    held.detail.decisions = in_force(c, held.detail.submission_id)?;
    let judged = held.judge();
    held.keep(c, &judged, &user.name, changed)
}

/// Takes back the last decision in force, or the signature if that came later. Gives what was taken back, in words.
///
/// # Errors
/// As [`decide`]; [`StoreError::NotFound`] where nothing is left to undo.
pub fn undo(c: &mut Db, id: u32, version: u32, user: &User) -> Result<String, StoreError> {
    let mut held = claim(c, id, version, user)?;
    if held.detail.state == SheetState::Signed {
        let turn = Turn::waiting(version + 1, &user.name, "took the signature back");
        diesel::update(sheets::table.find(id)).set(turn).execute(c.sql())?;
        events::note(c, Some(user.id), "signature taken back", &format!("sheet {id}"))?;
        return Ok("the signature".to_owned());
    }
    let last = held.detail.decisions.pop().ok_or(StoreError::NotFound(NOTHING_TO_UNDO))?;
    let at = c.now()?;
    diesel::update(decisions::table.find(last.id)).set(decisions::undone_at.eq(at)).execute(c.sql())?;
    events::note(c, Some(user.id), "undid", &format!("sheet {id}: {}", last.decision.finding))?;
    let words = said_of(&last.decision);
    judge_anew(c, &mut held, user, &format!("took back what was decided: {words}"))?;
    Ok(words)
}
