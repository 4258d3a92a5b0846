//! The door: teams hand their sheets in themselves, with a code of their own. Nothing here gives a verdict, a reference or
//! anything of another team.

use std::collections::HashMap;
use std::time::Instant;

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use rand::Rng;
use rust_decimal::Decimal;

use super::attachments::{self, Attachment};
use super::drafts::{self, Draft};

use super::labs::{self, Lab, Standing};
use super::sheets::{self, By, SheetDetail, hand_in as put_in};
use super::users::User;
use super::{events, ground, sections};
use crate::records::words::ImportState;
use crate::schema::{
    hand_ins, imports, questions, section_labs, sections as section_table, sheets as sheet_table, team_codes,
    team_ends, teams, went_out,
};
use crate::{Db, StoreError, inserted};

/// A team that has come in with its code.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Team {
    /// Id.
    pub id: u32,
    /// Name.
    pub name: String,
    /// Section.
    pub section_id: u32,
    /// Its name.
    pub section: String,
    /// Digest of the code: a session that carries another one is over.
    pub code: String,
}

/// A lab that a team may hand in.
#[derive(Clone, Debug)]
pub struct Due {
    /// The lab.
    pub lab: Lab,
    /// When it is due.
    pub due_at: Option<NaiveDateTime>,
    /// The last time it was handed in.
    pub last: Option<Receipt>,
    /// Whether a sheet is in, whoever brought it.
    pub brought: bool,
    /// Whether marks are out, so that it is not handed in again.
    pub out: bool,
    /// The points that went out last.
    pub sent: Option<SentPoints>,
    /// Questions on its lines that wait for an answer.
    pub asked: i64,
}

/// The points of a sheet as they went out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SentPoints {
    /// Points.
    pub points: Decimal,
    /// Of how many.
    pub possible: Decimal,
    /// When.
    pub at: NaiveDateTime,
}

/// One time that a team handed in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Receipt {
    /// Number.
    pub id: u32,
    /// When.
    pub at: NaiveDateTime,
    /// SHA-256 of the file, hexadecimal.
    pub digest: String,
    /// Minutes after it was due.
    pub minutes_late: Option<u32>,
}

/// A team's place in a lab.
#[derive(Clone, Debug)]
pub struct Place {
    /// The lab.
    pub lab: Lab,
    /// What its section sets.
    pub settings: Section,
    /// When it is due.
    pub due_at: Option<NaiveDateTime>,
    /// What was handed in last, or came in any other way.
    pub sheet: Option<Submission>,
    /// What was typed last, if anything was typed here.
    pub draft: Option<Draft>,
    /// The formulas under the cells of the spreadsheet that it brought last.
    pub book: Option<Box<jurado_core::cell::Under>>,
    /// Pictures that the team brought.
    pub pictures: Vec<Attachment>,
    /// Each time it was handed in, newest first.
    pub receipts: Vec<Receipt>,
    /// Whether marks are out.
    pub out: bool,
}

/// Signs of a code: none of them is read as another.
const SIGNS: &[u8] = b"ABCDEFGHJKMNPQRSTUVWXYZ23456789";
/// Most times that a team hands a sheet in: each is kept.
pub const MOST_HAND_INS: i64 = 200;
/// Signs in a code.
const LENGTH: usize = 12;
/// A code as a digest, however it was typed.
fn digest_of(code: &str) -> String {
    let plain: String = code.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_uppercase()).collect();
    crate::digest(format!("team code\n{plain}").as_bytes())
}

fn new_code() -> String {
    let mut rng = rand::rng();
    let signs: Vec<char> = (0..LENGTH).map(|_| char::from(SIGNS[rng.random_range(0..SIGNS.len())])).collect();
    signs.chunks(4).map(|four| four.iter().collect::<String>()).collect::<Vec<_>>().join("-")
}

/// Ends what a team, or a student who came in as it, has open: on a computer that somebody left, or with a code that got about. The code
/// still opens; a new one ends that too.
///
/// # Errors
/// [`StoreError::NotFound`] where the section or team is not the person's; faults of the database.
pub fn end_sessions(c: &mut Db, section: u32, team: &str, user: &User) -> Result<(), StoreError> {
    let here = teams::table.filter(teams::section_id.eq(section)).filter(teams::name.eq(team));
    let id: Option<u32> = here.select(teams::id).first(c.sql()).optional()?;
    let id = id.filter(|_| user.sees(section)).ok_or(StoreError::NotFound("team"))?;
    let now = c.now()?;
    diesel::replace_into(team_ends::table)
        .values((team_ends::team_id.eq(id), team_ends::ended_at.eq(now)))
        .execute(c.sql())?;
    events::note(c, Some(user.id), "a team's sessions ended", &format!("team {id}"))
}

/// When the sessions of a team were ended last; those that began until then are over.
///
/// # Errors
/// Faults of the database.
pub fn ended(c: &mut Db, team: u32) -> Result<Option<NaiveDateTime>, StoreError> {
    Ok(team_ends::table.find(team).select(team_ends::ended_at).first(c.sql()).optional()?)
}

/// Makes codes for the teams of a section, all anew or those that are missing. Each is given once: a digest alone is kept.
///
/// # Errors
/// [`StoreError::NotFound`] where the section is not the person's; faults of the database.
pub fn make_codes(c: &mut Db, section: u32, anew: bool, user: &User) -> Result<Vec<(String, String)>, StoreError> {
    if !user.sees(section) {
        return Err(StoreError::NotFound("section"));
    }
    let all: Vec<(u32, String)> = teams::table
        .inner_join(section_table::table)
        .filter(teams::section_id.eq(section))
        .filter(section_table::term_id.eq(0))
        .order(teams::name)
        .select((teams::id, teams::name))
        .load(c.sql())?;
    let have: Vec<u32> = team_codes::table.select(team_codes::team_id).load(c.sql())?;
    let now = c.now()?;
    let mut out = Vec::new();
    for (id, name) in all.into_iter().filter(|(id, _)| anew || !have.contains(id)) {
        let code = new_code();
        diesel::replace_into(team_codes::table)
            .values((
                team_codes::team_id.eq(id),
                team_codes::digest.eq(digest_of(&code)),
                team_codes::made_by.eq(Some(user.id)),
                team_codes::made_at.eq(now),
            ))
            .execute(c.sql())?;
        out.push((name, code));
    }
    events::note(c, Some(user.id), "team codes made", &format!("section {section}: {} codes", out.len()))?;
    Ok(out)
}

/// How many teams of a section have a code.
///
/// # Errors
/// Faults of the database.
pub fn with_code(c: &mut Db, section: u32) -> Result<i64, StoreError> {
    let of = team_codes::table.inner_join(teams::table).filter(teams::section_id.eq(section));
    Ok(of.count().get_result(c.sql())?)
}

/// The team of a session, as long as its code is the one that it came in with: the digest of a code.
///
/// # Errors
/// Faults of the database.
pub fn still(c: &mut Db, digest: &str) -> Result<Option<Team>, StoreError> {
    let row: Option<(u32, String, u32, String)> = team_codes::table
        .inner_join(teams::table.inner_join(section_table::table))
        .filter(team_codes::digest.eq(digest))
        .filter(section_table::term_id.eq(0))
        .filter(section_table::closed_at.is_null())
        .select((teams::id, teams::name, section_table::id, section_table::name))
        .first(c.sql())
        .optional()?;
    Ok(row.map(|(id, name, section_id, section)| Team { id, name, section_id, section, code: digest.to_owned() }))
}

/// The team whose code this is, in the term that runs.
///
/// # Errors
/// Faults of the database.
pub fn team_of(c: &mut Db, code: &str) -> Result<Option<Team>, StoreError> {
    still(c, &digest_of(code))
}

fn receipts(c: &mut Db, team: u32, lab: Option<u32>) -> Result<Vec<(u32, Receipt)>, StoreError> {
    let mut query = hand_ins::table
        .filter(hand_ins::team_id.eq(team))
        .order(hand_ins::id.desc())
        .select((hand_ins::lab_id, hand_ins::id, hand_ins::handed_in_at, hand_ins::digest, hand_ins::minutes_late))
        .into_boxed();
    if let Some(lab) = lab {
        query = query.filter(hand_ins::lab_id.eq(lab));
    }
    let rows: Vec<(u32, u32, NaiveDateTime, String, Option<u32>)> = query.load(c.sql())?;
    Ok(rows
        .into_iter()
        .map(|(lab, id, at, digest, minutes_late)| (lab, Receipt { id, at, digest, minutes_late }))
        .collect())
}

/// How often a team's sheet of a lab went out, if one is in.
fn returns(c: &mut Db, team: u32, lab: u32) -> Result<Option<u32>, StoreError> {
    Ok(sheet_table::table
        .filter(sheet_table::team_id.eq(team))
        .filter(sheet_table::lab_id.eq(lab))
        .filter(sheet_table::stage.is_not_null())
        .select(sheet_table::returns)
        .first(c.sql())
        .optional()?)
}

/// Whether the marks of a team's sheet are out; they stay out when a reviewer opens it again.
fn is_out(c: &mut Db, team: u32, lab: u32) -> Result<bool, StoreError> {
    Ok(returns(c, team, lab)?.is_some_and(|n| n > 0))
}

/// The labs of the term with what the team handed in of each, and those of which it got a sheet back.
///
/// # Errors
/// Faults of the database.
pub fn due(c: &mut Db, team: &Team) -> Result<Vec<Due>, StoreError> {
    let all = receipts(c, team.id, None)?;
    let due_at: HashMap<u32, Option<NaiveDateTime>> = section_labs::table
        .filter(section_labs::section_id.eq(team.section_id))
        .select((section_labs::lab_id, section_labs::due_at))
        .load(c.sql())?
        .into_iter()
        .collect();
    let rows: Vec<(u32, u32, u32)> = sheet_table::table
        .filter(sheet_table::team_id.eq(team.id))
        .filter(sheet_table::stage.is_not_null())
        .select((sheet_table::lab_id, sheet_table::id, sheet_table::returns))
        .load(c.sql())?;
    let sent: HashMap<u32, SentPoints> = went_out::table
        .inner_join(sheet_table::table.on(went_out::sheet_id.eq(sheet_table::id)))
        .filter(sheet_table::team_id.eq(team.id))
        .filter(went_out::number.eq(sheet_table::returns))
        .select((sheet_table::id, (went_out::points, went_out::possible, went_out::at)))
        .load::<(u32, (Decimal, Decimal, NaiveDateTime))>(c.sql())?
        .into_iter()
        .map(|(id, (points, possible, at))| (id, SentPoints { points, possible, at }))
        .collect();
    let waiting: Vec<(u32, i64)> = questions::table
        .inner_join(sheet_table::table.on(questions::sheet_id.eq(sheet_table::id)))
        .filter(sheet_table::team_id.eq(team.id))
        .filter(questions::answered_at.is_null())
        .group_by(sheet_table::id)
        .select((sheet_table::id, diesel::dsl::count_star()))
        .load(c.sql())?;
    let (mut out, standings) = (Vec::new(), labs::standings(c)?);
    // A sheet that came back stays on the record, also of a lab that is retired by now.
    for lab in labs::all(c)? {
        let standing = standings.get(&lab.id).copied().unwrap_or(Standing::Library);
        let sheet = rows.iter().find(|(of, ..)| *of == lab.id);
        let out_now = sheet.is_some_and(|(.., returns)| *returns > 0);
        if standing != Standing::Term && !out_now {
            continue;
        }
        out.push(Due {
            due_at: due_at.get(&lab.id).copied().flatten(),
            last: all.iter().find(|(of, _)| *of == lab.id).map(|(_, receipt)| receipt.clone()),
            brought: sheet.is_some(),
            out: out_now,
            sent: sheet.and_then(|(_, id, _)| sent.get(id).cloned()),
            asked: sheet.and_then(|(_, id, _)| waiting.iter().find(|(of, _)| of == id)).map_or(0, |(_, n)| *n),
            lab,
        });
    }
    Ok(out)
}

/// A team's sheet of a lab, once it has gone out.
///
/// # Errors
/// [`StoreError::NotFound`] where it has not; faults of the database.
pub fn sheet(c: &mut Db, team: &Team, lab: u32) -> Result<SheetDetail, StoreError> {
    let id: Option<u32> = sheet_table::table
        .filter(sheet_table::team_id.eq(team.id))
        .filter(sheet_table::lab_id.eq(lab))
        .filter(sheet_table::stage.is_not_null())
        .filter(sheet_table::returns.gt(0))
        .select(sheet_table::id)
        .first(c.sql())
        .optional()?;
    sheets::many(c, lab, &[id.ok_or(StoreError::NotFound("sheet that has gone out"))?])?
        .pop()
        .ok_or(StoreError::NotFound("sheet that has gone out"))
}

/// A team's place in a lab of the term.
///
/// # Errors
/// [`StoreError::NotFound`] where the lab is not on the term; faults of the database.
pub fn place(c: &mut Db, team: &Team, lab: u32) -> Result<Place, StoreError> {
    let on_term = labs::standings(c)?.get(&lab).copied() == Some(Standing::Term);
    if !on_term {
        return Err(StoreError::NotFound("lab on this term"));
    }
    let setting = sections::get(c, team.section_id, lab)?;
    Ok(Place {
        lab: labs::get(c, lab)?,
        settings: setting.settings,
        due_at: setting.due_at,
        sheet: sheets::current(c, lab, team.id)?,
        draft: drafts::last(c, team, lab)?,
        book: drafts::book(c, team, lab)?,
        pictures: attachments::of_team(c, lab, team)?,
        receipts: receipts(c, team.id, Some(lab))?.into_iter().map(|(_, receipt)| receipt).collect(),
        out: is_out(c, team.id, lab)?,
    })
}

/// Hands a team's sheet in: it is stored as typed, with the file that the team may keep, and judged. Nothing of the verdict
/// is given. `typed` are the fields, and the version that they came after. It counts from the moment that it arrived.
///
/// # Errors
/// [`StoreError::Bad`] where marks are out, the section is closed or the lab is retired; [`StoreError::Conflict`] where the
/// team was moved or another phone saved meanwhile; faults of the database.
pub fn hand_in(
    c: &mut Db,
    team: &Team,
    lab: u32,
    (table, file): (&Submission, &[u8]),
    typed: (u32, &str),
    arrived: Instant,
) -> Result<Receipt, StoreError> {
    // Before any lock: on the last evening everybody presses at once, and waits.
    let now = c.arrived(arrived)?;
    labs::takes_in(c, lab)?;
    let ground = ground::hold(c, lab, team.section_id)?;
    ground::still_there(c, &[(team.id, team.section_id)])?;
    // The sheet is held before its state is looked at, so that no marks go out meanwhile.
    sheets::place_of(c, lab, team.id, team.section_id)?;
    if is_out(c, team.id, lab)? {
        return Err(StoreError::Bad(
            "marks are out, so that this sheet is not handed in again".into(),
            "ask on a line of it instead".into(),
        ));
    }
    let before: i64 = hand_ins::table
        .filter(hand_ins::team_id.eq(team.id))
        .filter(hand_ins::lab_id.eq(lab))
        .count()
        .get_result(c.sql())?;
    if before >= MOST_HAND_INS {
        return Err(StoreError::Bad(
            format!("this sheet was handed in {MOST_HAND_INS} times"),
            "speak to your reviewer, who can put it right on the Bench".into(),
        ));
    }
    let due_at = sections::get(c, team.section_id, lab)?.due_at;
    let digest = crate::digest(file);
    diesel::insert_into(imports::table)
        .values((
            imports::lab_id.eq(lab),
            imports::user_id.eq(None::<u32>),
            imports::file_name.eq(format!("handed in by {}, {}", team.name, team.section)),
            imports::digest.eq(&digest),
            imports::body.eq(file),
            imports::state.eq(ImportState::Taken),
            imports::offered_at.eq(now),
            imports::taken_at.eq(Some(now)),
        ))
        .execute(c.sql())?;
    let import = inserted(c.sql())?;
    put_in(c, &ground, (team.id, team.section_id), import, table, &By { id: None, name: "The team" })?;
    let late = due_at.map(|due| (now - due).num_seconds()).filter(|s| *s > 0).map(|s| (s as u64).div_ceil(60) as u32);
    diesel::insert_into(hand_ins::table)
        .values((
            hand_ins::team_id.eq(team.id),
            hand_ins::lab_id.eq(lab),
            hand_ins::import_id.eq(import),
            hand_ins::digest.eq(&digest),
            hand_ins::handed_in_at.eq(now),
            hand_ins::minutes_late.eq(late),
        ))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    drafts::keep(c, team, lab, typed, true)?;
    Ok(Receipt { id, at: now, digest, minutes_late: late })
}

/// The file of a receipt of this team.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is another team's; faults of the database.
pub fn file_of(c: &mut Db, team: &Team, receipt: u32) -> Result<Vec<u8>, StoreError> {
    hand_ins::table
        .inner_join(imports::table)
        .filter(hand_ins::id.eq(receipt))
        .filter(hand_ins::team_id.eq(team.id))
        .select(imports::body)
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("receipt"))
}
