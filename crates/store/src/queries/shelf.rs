//! Tables that are taken out, for a reason, and for thirty days brought back: one, or all of a lab. Nothing is deleted.

use std::collections::BTreeSet;

use diesel::prelude::*;

use super::course::reason;
use super::labs::{self, Hold, Move};
use super::users::User;
use super::{events, ground, sections, sheets};
use crate::records::sheet::Turn;
use crate::schema::{removals, sections as section_table, sheets as sheet_table, teams, users};
use crate::{Db, StoreError, inserted};

pub use sheets::{DAYS_BACK, Removal, Shelved};

/// What lies on the shelf, with how many tables it holds and what the first of them is.
#[derive(Clone, Debug)]
pub struct OnShelf {
    /// What was taken out.
    pub removal: Removal,
    /// Tables.
    pub tables: usize,
    /// Sheet, section and team of the first.
    pub first: Option<(u32, String, String)>,
}

/// What was taken out in the last thirty days and not brought back, newest first.
///
/// # Errors
/// Faults of the database.
pub fn list(c: &mut Db) -> Result<Vec<OnShelf>, StoreError> {
    let since = c.now()? - chrono::Duration::days(DAYS_BACK);
    let rows: Vec<Removal> = removals::table
        .inner_join(users::table)
        .filter(removals::back_at.is_null())
        .filter(removals::at.gt(since))
        .order(removals::id.desc())
        .limit(100)
        .select((removals::id, removals::lab_id, removals::whole_lab, removals::reason, users::name, removals::at))
        .load(c.sql())?;
    let mut out = Vec::new();
    for removal in rows {
        let of = sheet_table::table.filter(sheet_table::removal_id.eq(removal.id)).filter(sheet_table::term_id.eq(0));
        let tables: i64 = of.count().get_result(c.sql())?;
        let first = sheet_table::table
            .inner_join(teams::table)
            .inner_join(section_table::table)
            .filter(sheet_table::removal_id.eq(removal.id))
            .order(sheet_table::id)
            .select((sheet_table::id, section_table::name, teams::name))
            .first(c.sql())
            .optional()?;
        if tables > 0 {
            out.push(OnShelf { removal, tables: tables as usize, first });
        }
    }
    Ok(out)
}

fn keep(c: &mut Db, lab: u32, whole_lab: bool, why: &str, user: &User) -> Result<u32, StoreError> {
    let at = c.now()?;
    diesel::insert_into(removals::table)
        .values((
            removals::lab_id.eq(lab),
            removals::whole_lab.eq(whole_lab),
            removals::reason.eq(why),
            removals::user_id.eq(user.id),
            removals::at.eq(at),
        ))
        .execute(c.sql())?;
    inserted(c.sql())
}

/// Takes one table out, at the version the person saw: it stands in no queue and gives no mark.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first; [`StoreError::Bad`] without a reason, or where it is out already;
/// [`StoreError::NotFound`]; faults of the database.
pub fn remove_table(c: &mut Db, id: u32, version: u32, why: &str, user: &User) -> Result<u32, StoreError> {
    let why = reason(why)?;
    let (lab, version) = sheets::claimed(c, id, version, user)?;
    let removal = keep(c, lab, false, why, user)?;
    diesel::update(sheet_table::table.find(id))
        .set((Turn::waiting(version + 1, &user.name, "took the table out"), sheet_table::removal_id.eq(Some(removal))))
        .execute(c.sql())?;
    events::note_why(c, Some(user.id), "table taken out", &format!("sheet {id}"), why)?;
    Ok(removal)
}

/// Takes all tables of a lab out and retires the lab, in one step. Gives how many tables.
///
/// # Errors
/// [`StoreError::Bad`] without a reason or where nothing of the lab is in; [`StoreError::NotFound`]; faults of the database.
pub fn remove_lab(c: &mut Db, lab: u32, why: &str, user: &User) -> Result<usize, StoreError> {
    let why = reason(why)?;
    labs::hold(c, lab, Hold::Alone)?;
    let removal = keep(c, lab, true, why, user)?;
    let text = format!(
        "UPDATE sheets SET removal_id = {removal}, version = version + 1, changed = 'took all tables of the lab out', \
         changed_by = ? WHERE lab_id = {lab} AND stage IS NOT NULL"
    );
    let count = diesel::sql_query(text).bind::<diesel::sql_types::Text, _>(&user.name).execute(c.sql())?;
    if count == 0 {
        return Err(StoreError::Bad(
            "no table of this lab is in".into(),
            "retire it, if nothing is to come in either".into(),
        ));
    }
    labs::stand(c, lab, Move::Retire, user)?;
    events::note_why(c, Some(user.id), "lab taken out", &format!("lab {lab}: {count} tables"), why)?;
    Ok(count)
}

/// Brings back what was taken out, judged by what is in force now. Tables whose term has ended meanwhile stay. Gives how
/// many tables.
///
/// # Errors
/// [`StoreError::Bad`] after thirty days; [`StoreError::NotFound`] also where it was brought back already; faults of the
/// database.
pub fn bring_back(c: &mut Db, id: u32, user: &User) -> Result<usize, StoreError> {
    let lab: u32 = removals::table
        .find(id)
        .select(removals::lab_id)
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("removal"))?;
    labs::hold(c, lab, Hold::Alone)?;
    let removal = sheets::removal_of(c, id)?;
    let now = c.now()?;
    if now > removal.until() {
        return Err(StoreError::Bad(
            format!("this was taken out more than {DAYS_BACK} days ago"),
            "bring the table’s file again".into(),
        ));
    }
    let of: Vec<(u32, u32)> = sheet_table::table
        .filter(sheet_table::removal_id.eq(id))
        .filter(sheet_table::term_id.eq(0))
        .select((sheet_table::id, sheet_table::section_id))
        .load(c.sql())?;
    let in_sections: BTreeSet<u32> = of.iter().map(|(_, section)| *section).collect();
    for section in &in_sections {
        sections::hold(c, *section, Hold::Shared)?;
    }
    let text = format!(
        "UPDATE sheets SET removal_id = NULL, version = version + 1, changed = 'brought the table back', changed_by = ? \
         WHERE removal_id = {id} AND term_id = 0"
    );
    let count = diesel::sql_query(text).bind::<diesel::sql_types::Text, _>(&user.name).execute(c.sql())?;
    for section in in_sections {
        let ground = ground::of(c, lab, section)?;
        sheets::rejudge_held(c, &ground, section, &user.name, "brought the table back")?;
    }
    diesel::update(removals::table.find(id)).set(removals::back_at.eq(Some(now))).execute(c.sql())?;
    if removal.whole_lab {
        labs::stand(c, lab, Move::Back, user)?;
    }
    events::note(c, Some(user.id), "brought back", &format!("lab {lab}: {count} tables"))?;
    Ok(count)
}
