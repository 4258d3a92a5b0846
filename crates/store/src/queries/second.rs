//! Second marks: somebody else marks a table again and sees neither the first mark nor whose table it is. Nothing of it
//! changes what the team gets; a difference is told afterwards, and may lead to a ruling.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::Decision;
use jurado_core::finding::Key;
use jurado_core::judging::judge_in;
use jurado_core::moderation::{Pair, Twice, alike};
use jurado_core::protocol::{Protocol, Rule};
use rand::seq::SliceRandom;
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::docket::SIGNED;
use super::sheets::{self, SheetDetail};
use super::users::{self, User};
use super::{events, ground, labs};
use crate::records::sheet::Head;
use crate::records::words::{Role, SheetState};
use crate::schema::{decisions, second_marks, sections, sheets as sheet_table, teams};
use crate::{Db, StoreError};

/// Most tables that are drawn at once.
pub const MOST_DRAWN: usize = 200;

/// A table that waits for somebody's second mark.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Asked {
    /// Number.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Who is to mark it.
    pub user_id: u32,
    /// When it was asked for.
    pub asked_at: NaiveDateTime,
}

/// What is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Sample {
    /// Of this lab; of all where there is none.
    pub lab: Option<u32>,
    /// Tables at random.
    pub random: usize,
    /// Tables that hang on a decision, or that a person changed.
    pub hanging: usize,
}

/// Draws signed tables that nobody has marked a second time, and gives each to the reviewer with the fewest who has not
/// decided anything on it. Gives how many were drawn: fewer than wanted where there are no more.
///
/// # Errors
/// [`StoreError::Bad`] where nothing can be drawn; faults of the database.
pub fn draw(c: &mut Db, sample: &Sample, user: &User) -> Result<usize, StoreError> {
    if sample.random + sample.hanging == 0 || sample.random + sample.hanging > MOST_DRAWN {
        return Err(StoreError::Bad(
            format!("{} tables cannot be drawn", sample.random + sample.hanging),
            format!("draw 1 to {MOST_DRAWN} at a time"),
        ));
    }
    let marked = second_marks::table.select(second_marks::submission_id);
    let mut query = sheet_table::table
        .filter(sheet_table::stage.ge(Some(SIGNED)))
        .filter(sheet_table::submission_id.is_not_null())
        .filter(sheet_table::submission_id.assume_not_null().ne_all(marked))
        .order(sheet_table::id)
        .select((
            sheet_table::id,
            sheet_table::submission_id.assume_not_null(),
            sheet_table::mark.eq("hangs").or(sheet_table::awarded.ne(sheet_table::decided)),
        ))
        .into_boxed();
    if let Some(lab) = sample.lab {
        query = query.filter(sheet_table::lab_id.eq(lab));
    }
    let mut free: Vec<(u32, u32, bool)> = query.load(c.sql())?;
    free.shuffle(&mut rand::rng());
    // Those at random first: of all tables, those that hang too.
    let chosen: Vec<(u32, u32, bool)> = {
        let rest = free.split_off(free.len().min(sample.random));
        let random = free.into_iter().map(|(sheet, submission, _)| (sheet, submission, true));
        let hanging =
            rest.into_iter().filter(|(.., hangs)| *hangs).map(|(sheet, submission, _)| (sheet, submission, false));
        random.chain(hanging.take(sample.hanging)).collect()
    };
    let mut drawn = 0;
    let now = c.now()?;
    let mut load = markers(c)?;
    for (sheet, submission, at_random) in chosen {
        let others = had_a_hand(c, sheet, submission)?;
        load.sort_by_key(|(_, role, has)| (*role != Role::Reviewer, *has));
        let Some(marker) = load.iter_mut().find(|(id, ..)| !others.contains(id)) else { continue };
        marker.2 += 1;
        // Somebody else may draw it at this moment.
        drawn += diesel::insert_or_ignore_into(second_marks::table)
            .values((
                second_marks::sheet_id.eq(sheet),
                second_marks::submission_id.eq(submission),
                second_marks::user_id.eq(marker.0),
                second_marks::at_random.eq(at_random),
                second_marks::asked_by.eq(user.id),
                second_marks::asked_at.eq(now),
                second_marks::decisions.eq("[]"),
                second_marks::twice.eq("[]"),
            ))
            .execute(c.sql())?;
    }
    if drawn == 0 {
        return Err(StoreError::Bad(
            "no signed table is there that somebody else could mark".into(),
            "wait until tables are signed, or make another reviewer under People".into(),
        ));
    }
    events::note(c, Some(user.id), "second marks asked for", &format!("{drawn} tables"))?;
    Ok(drawn)
}

/// Who may mark, with their role and how many tables wait for them.
fn markers(c: &mut Db) -> Result<Vec<(u32, Role, i64)>, StoreError> {
    let people = users::all(c)?.into_iter().filter(|u| !u.closed && u.role != Role::Auditor);
    let waiting: Vec<(u32, i64)> = second_marks::table
        .filter(second_marks::marked_at.is_null())
        .group_by(second_marks::user_id)
        .select((second_marks::user_id, diesel::dsl::count_star()))
        .load(c.sql())?;
    let has = |id: u32| waiting.iter().find(|(u, _)| *u == id).map_or(0, |(_, n)| *n);
    Ok(people.map(|u| (u.id, u.role, has(u.id))).collect())
}

/// Who has signed a table or decided anything on it.
fn had_a_hand(c: &mut Db, sheet: u32, submission: u32) -> Result<Vec<u32>, StoreError> {
    let signed: Option<u32> = sheet_table::table.find(sheet).select(sheet_table::signed_by).first(c.sql())?;
    let mut out: Vec<u32> = decisions::table
        .filter(decisions::submission_id.eq(submission))
        .select(decisions::user_id)
        .distinct()
        .load(c.sql())?;
    out.extend(signed);
    Ok(out)
}

/// Tables that wait for a second mark: of one person, or of all.
///
/// # Errors
/// Faults of the database.
pub fn waiting(c: &mut Db, person: Option<u32>) -> Result<Vec<Asked>, StoreError> {
    let mut query = second_marks::table
        .inner_join(sheet_table::table.on(second_marks::sheet_id.eq(sheet_table::id)))
        .filter(second_marks::marked_at.is_null())
        .filter(sheet_table::stage.is_not_null())
        // A table that was handed in again is another one.
        .filter(sheet_table::submission_id.eq(second_marks::submission_id.nullable()))
        .order(second_marks::id)
        .select((second_marks::id, sheet_table::lab_id, second_marks::user_id, second_marks::asked_at))
        .into_boxed();
    if let Some(person) = person {
        query = query.filter(second_marks::user_id.eq(person));
    }
    let rows: Vec<(u32, u32, u32, NaiveDateTime)> = query.load(c.sql())?;
    Ok(rows.into_iter().map(|(id, lab_id, user_id, asked_at)| Asked { id, lab_id, user_id, asked_at }).collect())
}

/// The table of a second mark that waits for this person, without what others decided on it.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is another person's, was marked, or was handed in again; faults of the database.
pub fn get(c: &mut Db, id: u32, user: &User) -> Result<SheetDetail, StoreError> {
    let mut detail = first_of(c, id, user)?;
    let protocol = labs::get_in(c, detail.lab_id, detail.section_id)?.protocol;
    detail.decisions.retain(|d| by_paper(&protocol, &d.decision));
    Ok(detail)
}

/// Whether a decision is about what only the paper tells: it stands for both marks as it was given.
fn by_paper(protocol: &Protocol, decision: &Decision) -> bool {
    let manual = |line: &str| protocol.criteria.iter().any(|c| c.id == line && matches!(c.rule, Rule::Manual { .. }));
    matches!(&decision.finding, Key::Line(line) if manual(line))
}

/// The table of a second mark as it stands.
fn first_of(c: &mut Db, id: u32, user: &User) -> Result<SheetDetail, StoreError> {
    let asked = waiting(c, Some(user.id))?.into_iter().any(|a| a.id == id);
    let sheet: u32 = second_marks::table
        .find(id)
        .select(second_marks::sheet_id)
        .first(c.sql())
        .optional()?
        .filter(|_| asked)
        .ok_or(StoreError::NotFound("table to mark a second time"))?;
    let head: Head = sheet_table::table.find(sheet).select(Head::as_select()).first(c.sql())?;
    sheets::detail_of(c, head)
}

/// Keeps a second mark. What is open has to be decided; `based_on` is the submission that the person saw.
///
/// # Errors
/// [`StoreError::NotFound`] as in [`get`]; [`StoreError::Conflict`] where it was handed in again or findings are open; faults
/// of the database.
pub fn mark(c: &mut Db, id: u32, based_on: u32, new: &[Decision], user: &User) -> Result<(), StoreError> {
    let detail = first_of(c, id, user)?;
    // What both are judged by is held until both verdicts are kept, and so is the place of the second.
    ground::hold(c, detail.lab_id, detail.section_id)?;
    let free = second_marks::table.find(id).filter(second_marks::marked_at.is_null());
    let held: Option<u32> = free.select(second_marks::id).for_update().first(c.sql()).optional()?;
    held.ok_or(StoreError::NotFound("table to mark a second time"))?;
    let detail = first_of(c, id, user)?;
    if detail.submission_id != based_on {
        return Err(StoreError::conflict(detail.version, "The team", "the table was handed in again"));
    }
    let protocol = labs::get_in(c, detail.lab_id, detail.section_id)?.protocol;
    let first = detail.judge(&protocol);
    let given = detail.decisions.iter().map(|d| &d.decision).filter(|d| by_paper(&protocol, d));
    let all: Vec<Decision> = given.chain(new).cloned().collect();
    let second = judge_in(&protocol, &detail.settings, &detail.submission, &detail.rulings, &all);
    let open = second.findings.iter().filter(|f| f.open()).count();
    if open > 0 {
        return Err(StoreError::conflict(detail.version, "The table", format!("{open} findings are still open")));
    }
    let twice =
        serde_json::to_string(&alike(&protocol, &first, &second)).map_err(|e| StoreError::Broken(e.to_string()))?;
    let decided = serde_json::to_string(new).map_err(|e| StoreError::Broken(e.to_string()))?;
    let now = c.now()?;
    diesel::update(second_marks::table.find(id))
        .set((
            second_marks::marked_at.eq(Some(now)),
            second_marks::decisions.eq(decided),
            second_marks::first_points.eq(first.score.decided),
            second_marks::second_points.eq(second.score.decided),
            second_marks::twice.eq(twice),
        ))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "marked a second time", &format!("second mark {id}, sheet {}", detail.id))
}

/// Takes back what was asked for and nobody has marked yet. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn take_back(c: &mut Db, user: &User) -> Result<usize, StoreError> {
    let gone = diesel::delete(second_marks::table.filter(second_marks::marked_at.is_null())).execute(c.sql())?;
    events::note(c, Some(user.id), "second marks taken back", &format!("{gone} tables"))?;
    Ok(gone)
}

/// A table that was marked twice.
#[derive(Clone, Debug, PartialEq)]
pub struct Marked {
    /// Its sheet.
    pub sheet: u32,
    /// Its lab.
    pub lab_id: u32,
    /// Its section.
    pub section_id: u32,
    /// The section's name.
    pub section: String,
    /// Its team.
    pub team: String,
    /// Points there are.
    pub possible: f64,
    /// Whether it is signed still.
    pub signed: bool,
    /// Both marks.
    pub pair: Pair,
}

/// The tables that were marked twice in this term, of one lab or of all, oldest second mark first.
///
/// # Errors
/// [`StoreError::Broken`] where what was kept cannot be read; faults of the database.
pub fn marked(c: &mut Db, lab: Option<u32>) -> Result<Vec<Marked>, StoreError> {
    type Row = ((u32, u32, u32, SheetState), (String, String), (Decimal, Decimal, Decimal), (bool, String));
    let mut query = second_marks::table
        .inner_join(sheet_table::table.on(second_marks::sheet_id.eq(sheet_table::id)))
        .inner_join(sections::table.on(sheet_table::section_id.eq(sections::id)))
        .inner_join(teams::table.on(sheet_table::team_id.eq(teams::id)))
        .filter(second_marks::marked_at.is_not_null())
        .filter(sheet_table::stage.is_not_null())
        .order(second_marks::id)
        .select((
            (sheet_table::id, sheet_table::lab_id, sheet_table::section_id, sheet_table::state),
            (sections::name, teams::name),
            (second_marks::first_points, second_marks::second_points, sheet_table::possible),
            (second_marks::at_random, second_marks::twice),
        ))
        .into_boxed();
    if let Some(lab) = lab {
        query = query.filter(sheet_table::lab_id.eq(lab));
    }
    let rows: Vec<Row> = query.load(c.sql())?;
    let number = |d: Decimal| d.to_f64().unwrap_or(0.0);
    rows.into_iter()
        .map(|((sheet, lab_id, section_id, state), (section, team), (first, second, possible), (random, twice))| {
            let twice: Vec<Twice> = serde_json::from_str(&twice)
                .map_err(|e| StoreError::Broken(format!("what was decided twice of sheet {sheet}: {e}")))?;
            let pair = Pair { first: number(first), second: number(second), random, twice };
            let signed = state != SheetState::Waiting;
            Ok(Marked { sheet, lab_id, section_id, section, team, possible: number(possible), signed, pair })
        })
        .collect()
}
