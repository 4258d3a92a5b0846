//! Sheets go back to their teams. What went out is kept as it went out; where it would be another now, a person decides
//! whether it goes out again or stays.

use diesel::prelude::*;
use jurado_core::verdict::Judged;
use rust_decimal::Decimal;

use super::hold::{Held, hold};
use super::read::{JudgedFrom, ReturnedLine};
use crate::queries::docket::{self, Filter, Order};
use crate::queries::events;
use crate::queries::users::User;
use crate::records::sheet::{Turn, outcome_digest};
use crate::records::went_out::NewWentOut;
use crate::records::words::SheetState;
use crate::schema::{sections, sheets, teams, went_out};
use crate::{Db, StoreError};

/// Returns every signed sheet that a filter lets through and the person sees, with what goes out kept beside it. Each is
/// held and judged as it is then: one that was opened again meanwhile stays. Gives how many went out.
///
/// # Errors
/// Faults of the database.
pub fn release(c: &mut Db, filter: &Filter, user: &User) -> Result<usize, StoreError> {
    let filter = Filter { state: Some("signed".to_owned()), ..filter.clone() };
    let mut ids: Vec<u32> =
        docket::list(c, user, &filter, Order::Roster, i64::MAX)?.into_iter().map(|r| r.id).collect();
    ids.sort_unstable();
    let mut count = 0;
    for id in ids {
        let held = hold(c, id, user)?;
        if held.detail.state == SheetState::Signed {
            let judged = held.judge();
            send(c, &held, &judged, user, "")?;
            events::note(c, Some(user.id), "returned", &format!("sheet {id}"))?;
            count += 1;
        }
    }
    Ok(count)
}

/// The lines of a score as they go out.
pub(crate) fn lines_of(judged: &Judged) -> Vec<ReturnedLine> {
    let line = |l: &jurado_core::verdict::ScoreLine| ReturnedLine {
        criterion: l.criterion.clone(),
        title: l.title.clone(),
        points: l.decided.normalize().to_string(),
        possible: l.possible.normalize().to_string(),
    };
    judged.score.lines.iter().map(line).collect()
}

/// Writes down what goes out of a held sheet, and that it went.
fn send(c: &mut Db, held: &Held, judged: &Judged, user: &User, reason: &str) -> Result<(), StoreError> {
    let (detail, at) = (&held.detail, c.now()?);
    let derived = held.ground.derived(judged);
    let lines = lines_of(judged);
    let from = JudgedFrom {
        submission_id: detail.submission_id,
        settings: detail.settings.clone(),
        decisions: detail.in_force(),
        rulings: detail.rulings.clone(),
        waiting: detail.submission.waiting,
    };
    let text = |value: Result<String, serde_json::Error>| value.map_err(|e| StoreError::Broken(e.to_string()));
    let number = detail.returns + 1;
    diesel::insert_into(went_out::table)
        .values(NewWentOut {
            sheet_id: detail.id,
            number,
            points: derived.decided,
            possible: derived.possible,
            score_lines: text(serde_json::to_string(&lines))?,
            outcome: derived.outcome.clone(),
            protocol_id: Some(held.ground.lab.protocol_id),
            judged_from: Some(text(serde_json::to_string(&from))?),
            user_id: Some(user.id),
            at,
            reason: reason.to_owned(),
        })
        .execute(c.sql())?;
    let turn = Turn {
        state: SheetState::Returned,
        signed_by: None,
        signed_at: None,
        ..Turn::waiting(detail.version + 1, &user.name, "returned the sheet")
    };
    diesel::update(sheets::table.find(detail.id))
        .set((derived, turn, sheets::returned_at.eq(Some(at)), sheets::returns.eq(number)))
        .execute(c.sql())?;
    Ok(())
}

/// A returned sheet that would give other marks now.
#[derive(Clone, Debug, Queryable)]
pub struct Moved {
    /// Sheet.
    pub id: u32,
    /// Version that a change must be based on.
    pub version: u32,
    /// Lab.
    pub lab_id: u32,
    /// Section's name.
    pub section: String,
    /// Team.
    pub team: String,
    /// Points as they went out.
    pub sent: Decimal,
    /// Points as they would be now.
    pub now: Decimal,
    /// Findings that would want a person first.
    pub open: u32,
    /// What changed it last.
    pub changed: String,
    /// Who did that.
    pub changed_by: String,
}

/// Returned sheets, of those a person sees, whose marks would be others than those that went out, and that nobody has
/// decided to leave so; of one lab or of all, at most `most`.
///
/// # Errors
/// Faults of the database.
pub fn moved(c: &mut Db, user: &User, lab: Option<u32>, most: i64) -> Result<Vec<Moved>, StoreError> {
    let mut query = sheets::table
        .inner_join(went_out::table.on(went_out::sheet_id.eq(sheets::id).and(went_out::number.eq(sheets::returns))))
        .inner_join(teams::table)
        .inner_join(sections::table)
        .filter(sheets::state.eq(SheetState::Returned))
        .filter(sheets::stage.is_not_null())
        .filter(sheets::outcome.ne(went_out::outcome))
        .filter(went_out::kept_outcome.is_null().or(went_out::kept_outcome.ne(sheets::outcome.nullable())))
        .order((sheets::lab_id, sections::position, sections::id, teams::name))
        .limit(most)
        .select((
            sheets::id,
            sheets::version,
            sheets::lab_id,
            sections::name,
            teams::name,
            went_out::points,
            sheets::decided,
            sheets::open_findings,
            sheets::changed,
            sheets::changed_by,
        ))
        .into_boxed();
    if let Some(lab) = lab {
        query = query.filter(sheets::lab_id.eq(lab));
    }
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.iter().copied().collect::<Vec<u32>>()));
    }
    Ok(query.load(c.sql())?)
}

/// Sends sheets out again as they are now, for a reason, each at the version the person saw. One at which a finding wants a
/// person first is refused, and with it all: look at it on the Bench.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first or a finding is open; [`StoreError::NotFound`]; faults of the database.
pub fn release_again(c: &mut Db, which: &[(u32, u32)], reason: &str, user: &User) -> Result<usize, StoreError> {
    for held in returned(c, which, user)? {
        let judged = held.judge();
        let open = judged.findings.iter().filter(|f| f.open()).count();
        if open > 0 {
            let theirs = format!("{open} findings of table {} want a person first", held.detail.id);
            return Err(StoreError::conflict(held.detail.version, "The table", theirs));
        }
        send(c, &held, &judged, user, reason)?;
        events::note_why(c, Some(user.id), "returned again", &format!("sheet {}", held.detail.id), reason)?;
    }
    Ok(which.len())
}

/// Leaves sheets as they went out, for a reason, each at the version the person saw. A later change that would give other
/// marks again puts them on the list again.
///
/// # Errors
/// As [`release_again`].
pub fn keep_as_sent(c: &mut Db, which: &[(u32, u32)], reason: &str, user: &User) -> Result<usize, StoreError> {
    for held in returned(c, which, user)? {
        let outcome = held.ground.derived(&held.judge()).outcome;
        diesel::update(went_out::table.find((held.detail.id, held.detail.returns)))
            .set(went_out::kept_outcome.eq(Some(outcome)))
            .execute(c.sql())?;
        events::note_why(c, Some(user.id), "kept as sent", &format!("sheet {}", held.detail.id), reason)?;
    }
    Ok(which.len())
}

/// Returned sheets, held in order of their ids.
fn returned(c: &mut Db, which: &[(u32, u32)], user: &User) -> Result<Vec<Held>, StoreError> {
    let mut which = which.to_vec();
    which.sort_unstable();
    which.dedup_by_key(|w| w.0);
    let mut all = Vec::with_capacity(which.len());
    for (id, version) in which {
        let held = super::hold::claim(c, id, version, user)?;
        if held.detail.state != SheetState::Returned {
            return Err(StoreError::conflict(held.detail.version, "The table", "it waits on the Bench again"));
        }
        all.push(held);
    }
    Ok(all)
}

/// Works out the digest of what went out before it was kept, from its lines. Gives how many.
///
/// # Errors
/// Faults of the database; lines that cannot be read.
pub fn complete_outcomes(c: &mut Db) -> Result<usize, StoreError> {
    let rows: Vec<(u32, u32, String)> = went_out::table
        .filter(went_out::outcome.eq(""))
        .select((went_out::sheet_id, went_out::number, went_out::score_lines))
        .load(c.sql())?;
    for (sheet, number, lines) in &rows {
        let lines: Vec<ReturnedLine> = serde_json::from_str(lines).map_err(|e| StoreError::Broken(e.to_string()))?;
        let each: Vec<String> = lines.iter().map(|l| format!("{}={}", l.criterion, l.points)).collect();
        diesel::update(went_out::table.find((sheet, number)))
            .set(went_out::outcome.eq(outcome_digest(&each.join(";"))))
            .execute(c.sql())?;
    }
    Ok(rows.len())
}
