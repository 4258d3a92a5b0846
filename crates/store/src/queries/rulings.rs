//! Rulings: a decision about a pattern, for all like cases. Putting one in force and withdrawing it judge every table that it
//! may touch anew, in one step; since a verdict is made from its ground alone, withdrawing gives back every byte.

use std::collections::BTreeMap;

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::Ruling;

use super::course::reason;
use super::floor::Depth;
use super::labs::{self, Hold};
use super::rulings_kept::parsed;
use super::sheets::{self, SheetDetail};
use super::users::User;
use super::{events, ground, practice, sections};
use crate::schema::{rulings, sections as section_table, sheets as sheet_table, submissions, teams, users};
use crate::{Db, StoreError, inserted};

/// A ruling with its history.
#[derive(Clone, Debug)]
pub struct Kept {
    /// The ruling; its section is the name it has now.
    pub ruling: Ruling,
    /// Lab.
    pub lab_id: u32,
    /// Tables that it touched when it was put in force.
    pub touched: u32,
    /// Who put it in force.
    pub by: String,
    /// When.
    pub at: NaiveDateTime,
    /// Who withdrew it, when and why.
    pub withdrawn: Option<(String, NaiveDateTime, String)>,
}

/// The rulings of the term that runs, newest first, those that were withdrawn too.
///
/// # Errors
/// Faults of the database.
pub fn all(c: &mut Db) -> Result<Vec<Kept>, StoreError> {
    type Row = (
        (u32, u32, Option<u32>, String, String, u32),
        (String, NaiveDateTime),
        (Option<u32>, Option<NaiveDateTime>, String),
    );
    let rows: Vec<Row> = rulings::table
        .inner_join(users::table)
        .filter(rulings::term_id.eq(0))
        .order(rulings::id.desc())
        .select((
            (rulings::id, rulings::lab_id, rulings::section_id, rulings::pattern, rulings::reason, rulings::touched),
            (users::name, rulings::at),
            (rulings::withdrawn_by, rulings::withdrawn_at, rulings::withdrawn_why),
        ))
        .load(c.sql())?;
    let names: Vec<(u32, String)> =
        section_table::table.select((section_table::id, section_table::name)).load(c.sql())?;
    let people: Vec<(u32, String)> = users::table.select((users::id, users::name)).load(c.sql())?;
    let name = |of: &[(u32, String)], id: u32| of.iter().find(|(i, _)| *i == id).map(|(_, n)| n.clone());
    rows.into_iter()
        .map(|((id, lab_id, section, pattern, reason, touched), (by, at), (who, when, why))| {
            let section = section.and_then(|s| name(&names, s));
            let withdrawn = who.zip(when).map(|(who, when)| (name(&people, who).unwrap_or_default(), when, why));
            let ruling = Ruling { section, reason, ..parsed(id, &pattern)? };
            Ok(Kept { ruling, lab_id, touched, by, at, withdrawn })
        })
        .collect()
}

/// A table of a lab as the strip of a ruling draws it: sheet, section, its name.
pub type Place = (u32, u32, String);

/// The tables of a lab that hold a finding of this kind about this item, with all that judges them, and the places of all
/// its tables, by section and team: of all sections, since a ruling is for all of them. Whoever shows them hides the names
/// of those that are not the person's. `sheet` is among them whatever it holds.
///
/// # Errors
/// Faults of the database.
pub fn tables(
    c: &mut Db,
    of: (u32, u32),
    code: &str,
    item: Option<&str>,
) -> Result<(Vec<SheetDetail>, Vec<Place>), StoreError> {
    matching(c, of, &holds(code, item))
}

/// As [`tables`], all tables of a lab.
///
/// # Errors
/// Faults of the database.
pub fn tables_of(c: &mut Db, lab: u32) -> Result<(Vec<SheetDetail>, Vec<Place>), StoreError> {
    matching(c, (lab, 0), "%")
}

/// The tables of a lab whose list of findings is like a text, and `sheet`.
fn matching(c: &mut Db, (lab, sheet): (u32, u32), like: &str) -> Result<(Vec<SheetDetail>, Vec<Place>), StoreError> {
    let places: Vec<(Place, bool)> = sheet_table::table
        .inner_join(section_table::table)
        .inner_join(teams::table)
        .filter(sheet_table::lab_id.eq(lab))
        .filter(sheet_table::stage.is_not_null())
        .order((section_table::position, section_table::id, teams::name))
        .select((
            (sheet_table::id, sheet_table::section_id, section_table::name),
            sheet_table::patterns.like(like).or(sheet_table::patterns.eq("*")),
        ))
        .load(c.sql())?;
    let like: Vec<u32> =
        places.iter().filter(|((id, ..), like)| *like || *id == sheet).map(|((id, ..), _)| *id).collect();
    let out = sheets::many(c, lab, &like)?;
    Ok((out, places.into_iter().map(|(place, _)| place).collect()))
}

/// How many tables of a lab hold a finding of this kind at any result: with this slip, and with whatever slip.
///
/// # Errors
/// Faults of the database.
pub fn anywhere(c: &mut Db, lab: u32, code: &str, slip: Option<&str>) -> Result<(i64, i64), StoreError> {
    let count = |c: &mut Db, like: &str| -> Result<i64, StoreError> {
        Ok(sheet_table::table
            .filter(sheet_table::lab_id.eq(lab))
            .filter(sheet_table::stage.is_not_null())
            .filter(sheet_table::patterns.like(like).or(sheet_table::patterns.eq("*")))
            .count()
            .get_result(c.sql())?)
    };
    let any = count(c, &holds(code, None))?;
    // Slips alone have a third part, so that no other finding's can be meant.
    let same = slip.map_or(Ok(any), |slip| count(c, &format!("%/{};%", plain(slip))))?;
    Ok((same, any))
}

/// As [`tables`], those that stand at a place: the value `at` of the key `key`.
///
/// # Errors
/// Faults of the database.
pub fn tables_at(c: &mut Db, lab: u32, (key, at): (&str, &str)) -> Result<(Vec<SheetDetail>, Vec<Place>), StoreError> {
    let (seats, entries) = super::floor::class(c, lab, Depth::Values)?;
    let (mut there, mut places) = (Vec::new(), Vec::new());
    for (seat, entry) in seats.into_iter().zip(entries) {
        if entry.essence.keys.get(key).is_some_and(|v| v == at) {
            there.push(seat.sheet);
        }
        places.push((seat.sheet, seat.section_id, entry.section));
    }
    Ok((sheets::many(c, lab, &there)?, places))
}

/// What the list of a table's findings is like that holds one of a kind about an item.
fn holds(code: &str, item: Option<&str>) -> String {
    format!("%;{}/{}/%", plain(code), item.map_or_else(|| "%".to_owned(), plain))
}

/// A text as it stands in a pattern of the database.
fn plain(text: &str) -> String {
    text.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_")
}

/// What a person has seen of a lab's rulings: the number of the newest, and how many were withdrawn.
///
/// # Errors
/// Faults of the database.
pub fn seen(c: &mut Db, lab: u32) -> Result<String, StoreError> {
    let (newest, withdrawn): (Option<u32>, i64) = rulings::table
        .filter(rulings::lab_id.eq(lab))
        .select((diesel::dsl::max(rulings::id), diesel::dsl::count(rulings::withdrawn_at)))
        .first(c.sql())?;
    Ok(format!("{}-{withdrawn}", newest.unwrap_or(0)))
}

/// What changed last in the rulings of a lab, and who changed it, to be told to whoever came second.
fn changed_last(c: &mut Db, lab: u32) -> Result<StoreError, StoreError> {
    let of_lab = all(c)?.into_iter().filter(|k| k.lab_id == lab);
    let last = of_lab.max_by_key(|k| (k.withdrawn.as_ref().map_or(k.at, |w| w.1), k.withdrawn.is_some(), k.ruling.id));
    let (by, told) = match last {
        Some(Kept { ruling, withdrawn: Some((by, _, why)), .. }) => {
            (by, format!("ruling {} of this lab was withdrawn (“{why}”)", ruling.id))
        }
        Some(Kept { ruling, by, .. }) => {
            (by, format!("ruling {} of this lab was put in force (“{}”)", ruling.id, ruling.reason))
        }
        None => ("Somebody".to_owned(), "the rulings of this lab were changed".to_owned()),
    };
    Ok(StoreError::conflict(0, by, told))
}

/// What the tables of a lab are judged with now, by section: of all, or of the one that a ruling is about.
fn grounds(c: &mut Db, lab: u32, section: Option<u32>) -> Result<BTreeMap<u32, String>, StoreError> {
    let of: Vec<u32> = match section {
        Some(section) => vec![section],
        None => {
            let ids = sheet_table::table.filter(sheet_table::lab_id.eq(lab)).filter(sheet_table::stage.is_not_null());
            ids.select(sheet_table::section_id).distinct().order(sheet_table::section_id).load(c.sql())?
        }
    };
    of.into_iter().map(|section| Ok((section, ground::of(c, lab, section)?.judged_with))).collect()
}

/// Judges anew what a change of the rulings of a lab concerns: tables that hold a finding that the ruling is about, of those
/// handed in since it holds. Of the others the verdict is what it was, and only what it was judged with is written down. Gives how many tables have other
/// points or open findings.
fn rejudge(
    c: &mut Db,
    lab: u32,
    ruling: &Ruling,
    with: &BTreeMap<u32, String>,
    by: &str,
    changed: &str,
) -> Result<u32, StoreError> {
    let count = |c: &mut Db| -> Result<Vec<(u32, rust_decimal::Decimal, u32)>, StoreError> {
        Ok(sheet_table::table
            .filter(sheet_table::lab_id.eq(lab))
            .filter(sheet_table::stage.is_not_null())
            .order(sheet_table::id)
            .select((sheet_table::id, sheet_table::decided, sheet_table::open_findings))
            .load(c.sql())?)
    };
    let before = count(c)?;
    let like = holds(&ruling.code, ruling.item.as_deref());
    for (section, before) in with {
        sections::hold(c, *section, Hold::Shared)?;
        let ground = ground::of(c, lab, *section)?;
        let here = || {
            sheet_table::table
                .filter(sheet_table::lab_id.eq(lab))
                .filter(sheet_table::section_id.eq(section))
                .filter(sheet_table::stage.is_not_null())
                .filter(sheet_table::judged_with.eq(before))
        };
        let set = sheet_table::judged_with.eq(&ground.judged_with);
        // A ruling that sets what is judged by moves what no finding tells yet.
        if !ruling.sets() {
            let unlike = sheet_table::patterns.ne("*").and(sheet_table::patterns.not_like(&like));
            diesel::update(here().filter(unlike)).set(set).execute(c.sql())?;
        }
        if let Some(first) = ruling.since {
            diesel::update(here().filter(sheet_table::submission_id.lt(Some(first)))).set(set).execute(c.sql())?;
        }
        sheets::rejudge_held(c, &ground, *section, by, changed)?;
    }
    let after = count(c)?;
    Ok(before.iter().zip(&after).filter(|(b, a)| b != a).count() as u32)
}

/// The least number that the next table handed in may have.
fn next_submission(c: &mut Db) -> Result<u32, StoreError> {
    let newest: Option<u32> = submissions::table.select(diesel::dsl::max(submissions::id)).first(c.sql())?;
    Ok(newest.unwrap_or(0) + 1)
}

/// Puts a ruling in force, based on what the person saw of the lab's rulings, and judges what it touches anew, all in one
/// step. Gives its number and how many tables have other points or open findings.
///
/// # Errors
/// [`StoreError::Conflict`] where another ruling of the lab came or went meanwhile; [`StoreError::Bad`] without a reason;
/// [`StoreError::NotFound`]; faults of the database.
pub fn put(
    c: &mut Db,
    lab: u32,
    section: Option<u32>,
    new: &Ruling,
    based_on: &str,
    user: &User,
) -> Result<(u32, u32), StoreError> {
    practice::allow(c, user)?;
    let why = reason(&new.reason)?.to_owned();
    labs::hold(c, lab, Hold::Alone)?;
    if let Some(section) = section {
        sections::hold(c, section, Hold::Shared)?;
    }
    if seen(c, lab)? != based_on {
        return Err(changed_last(c, lab)?);
    }
    let with = grounds(c, lab, section)?;
    let at = c.now()?;
    // From now on means after all that is there: the lab is held, so that nothing is handed in meanwhile.
    let since = match new.since {
        Some(_) => Some(next_submission(c)?),
        None => None,
    };
    let pattern = Ruling { id: 0, section: None, since, reason: why.clone(), ..new.clone() };
    let text = serde_json::to_string(&pattern).map_err(|e| StoreError::Broken(e.to_string()))?;
    diesel::insert_into(rulings::table)
        .values((
            rulings::lab_id.eq(lab),
            rulings::section_id.eq(section),
            rulings::pattern.eq(&text),
            rulings::reason.eq(&why),
            rulings::touched.eq(0),
            rulings::user_id.eq(user.id),
            rulings::at.eq(at),
        ))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    let touched = rejudge(c, lab, &pattern, &with, &user.name, &format!("put ruling {id} in force (“{why}”)"))?;
    diesel::update(rulings::table.find(id)).set(rulings::touched.eq(touched)).execute(c.sql())?;
    events::note_why(c, Some(user.id), "ruling put in force", &format!("ruling {id} lab {lab}: {text}"), &why)?;
    Ok((id, touched))
}

/// Withdraws a ruling, for a reason; what was before it stands again. Gives how many tables have other points or open
/// findings.
///
/// # Errors
/// [`StoreError::Bad`] without a reason; [`StoreError::NotFound`] also where it was withdrawn already; faults of the
/// database.
pub fn withdraw(c: &mut Db, id: u32, why: &str, user: &User) -> Result<u32, StoreError> {
    practice::allow(c, user)?;
    let why = reason(why)?;
    let lab: Option<u32> = rulings::table.find(id).select(rulings::lab_id).first(c.sql()).optional()?;
    let lab = lab.ok_or(StoreError::NotFound("ruling"))?;
    labs::hold(c, lab, Hold::Alone)?;
    let (section, text): (Option<u32>, String) = rulings::table
        .find(id)
        .filter(rulings::withdrawn_at.is_null())
        .filter(rulings::term_id.eq(0))
        .select((rulings::section_id, rulings::pattern))
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("ruling in force"))?;
    let (ruling, with) = (parsed(id, &text)?, grounds(c, lab, section)?);
    let at = c.now()?;
    diesel::update(rulings::table.find(id))
        .set((
            rulings::withdrawn_at.eq(Some(at)),
            rulings::withdrawn_by.eq(Some(user.id)),
            rulings::withdrawn_why.eq(why),
        ))
        .execute(c.sql())?;
    let touched = rejudge(c, lab, &ruling, &with, &user.name, &format!("withdrew ruling {id} (“{why}”)"))?;
    events::note_why(c, Some(user.id), "ruling withdrawn", &format!("ruling {id}"), why)?;
    Ok(touched)
}
