//! Sections and teams.

use std::collections::BTreeSet;

use diesel::prelude::*;
use jurado_intake::Roster;

use crate::queries::users::{Role, User};
use crate::schema::{sections, teams};
use crate::{Db, StoreError};

/// A section with the number of its teams.
#[derive(Clone, Debug)]
pub struct Section {
    /// Id.
    pub id: u32,
    /// Name.
    pub name: String,
    /// Teams.
    pub teams: usize,
}

/// Adds sections and teams that are not there yet, sections in the order given.
///
/// # Errors
/// Faults of the database.
pub fn add(c: &mut Db, roster: &[(&str, &[&str])]) -> Result<(), StoreError> {
    c.transaction(|c| {
        for (position, (section, names)) in roster.iter().enumerate() {
            diesel::insert_or_ignore_into(sections::table)
                .values((sections::name.eq(section), sections::position.eq(position as i32)))
                .execute(c)?;
            let id: u32 = sections::table.filter(sections::name.eq(section)).select(sections::id).first(c)?;
            let rows: Vec<_> = names.iter().map(|n| (teams::section_id.eq(id), teams::name.eq(*n))).collect();
            diesel::insert_or_ignore_into(teams::table).values(rows).execute(c)?;
        }
        Ok(())
    })
}

/// The sections a person sees, in order.
///
/// # Errors
/// Faults of the database.
pub fn sections(c: &mut Db, user: &User) -> Result<Vec<Section>, StoreError> {
    let rows: Vec<(u32, String)> =
        sections::table.order((sections::position, sections::name)).select((sections::id, sections::name)).load(c)?;
    let counts: Vec<(u32, i64)> =
        teams::table.group_by(teams::section_id).select((teams::section_id, diesel::dsl::count_star())).load(c)?;
    let count = |id: u32| counts.iter().find(|(s, _)| *s == id).map_or(0, |(_, n)| *n as usize);
    Ok(rows
        .into_iter()
        .filter(|(id, _)| user.sees(*id))
        .map(|(id, name)| Section { id, teams: count(id), name })
        .collect())
}

/// The whole roster, with the sections this person may hand in for.
///
/// # Errors
/// Faults of the database.
pub fn roster(c: &mut Db, user: &User) -> Result<Roster, StoreError> {
    let rows: Vec<(u32, String, Option<String>)> = sections::table
        .left_join(teams::table)
        .select((sections::id, sections::name, teams::name.nullable()))
        .load(c)?;
    let mut roster = Roster::default();
    let mut allowed = BTreeSet::new();
    for (id, section, team) in rows {
        if user.sees(id) {
            allowed.insert(section.clone());
        }
        let names = roster.sections.entry(section).or_default();
        names.extend(team);
    }
    roster.allowed = (user.role != Role::Coordinator).then_some(allowed);
    Ok(roster)
}
