//! What a table is judged by besides itself: the protocol in force for its lab, and what its section sets.
//!
//! Whoever judges in order to keep the verdict holds both. The order in which rows are held is the same everywhere: labs,
//! then sections, then sheets, each by id, so that two changes seldom wait for each other in a circle.

use std::collections::BTreeMap;

use diesel::prelude::*;
use jurado_core::class::Essence;
use jurado_core::decision::{Decision, Ruling};
use jurado_core::judging::judge_in;
use jurado_core::moderation::Moved;
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_core::summary::Summary;
use jurado_core::verdict::Judged;

use super::labs::{self, Lab};
use super::{rulings_kept, sections};
use crate::records::sheet::Derived;
use crate::schema::teams;
use crate::{Db, StoreError};

/// What tables of one lab in one section are judged by.
#[derive(Clone, Debug)]
pub(crate) struct Ground {
    pub(crate) lab: Lab,
    pub(crate) settings: Section,
    /// Rulings in force, and the name of the section that some of them are about.
    pub(crate) rulings: Vec<Ruling>,
    /// Engine, protocol, settings and rulings as one digest, kept beside each verdict.
    pub(crate) judged_with: String,
    /// Whether the section takes tables in.
    pub(crate) open: bool,
}

impl Ground {
    /// What tables of a section are judged by under a protocol, in force or not yet.
    pub(crate) fn under(c: &mut Db, lab: Lab, section: u32) -> Result<Ground, StoreError> {
        let settings = sections::get(c, section, lab.id)?.settings;
        let rulings = rulings_kept::in_force(c, lab.id, section)?;
        let judged_with = judged_with(&lab.protocol, &settings, &rulings);
        Ok(Ground { lab, settings, rulings, judged_with, open: true })
    }

    /// The verdict on a table.
    pub(crate) fn judge(&self, table: &Submission, decisions: &[Decision]) -> Judged {
        match self.rulings.iter().find_map(|r| r.section.as_ref()).filter(|name| **name != table.section) {
            None => judge_in(&self.lab.protocol, &self.settings, table, &self.rulings, decisions),
            // The section was renamed since the table was handed in; rulings know it by the name it has.
            Some(name) => {
                let table = Submission { section: name.clone(), ..table.clone() };
                judge_in(&self.lab.protocol, &self.settings, &table, &self.rulings, decisions)
            }
        }
    }

    /// What is kept of a verdict.
    pub(crate) fn derived(&self, judged: &Judged) -> Derived {
        let protocol = &self.lab.protocol;
        let (summary, moved) = (Summary::of(protocol, judged), Moved::of(protocol, judged));
        Derived::of(summary, &Essence::of(protocol, judged), &moved, &self.judged_with)
    }
}

/// What a verdict depends on besides the table: engine, protocol, the section's settings and rulings, as one digest.
fn judged_with(protocol: &Protocol, settings: &Section, rulings: &[Ruling]) -> String {
    let settings = if *settings == Section::default() {
        String::new()
    } else {
        serde_json::to_string(settings).unwrap_or_default()
    };
    // A section may be renamed: that it is this one is what counts.
    let unnamed = |r: &Ruling| Ruling { section: r.section.as_ref().map(|_| "here".to_owned()), ..r.clone() };
    let rulings: Vec<Ruling> = rulings.iter().map(unnamed).collect();
    let rulings = if rulings.is_empty() { String::new() } else { serde_json::to_string(&rulings).unwrap_or_default() };
    let judge = format!("{} {}", jurado_core::verdict::ENGINE, Summary::EDITION);
    crate::digest(format!("{judge}\n{}\n{settings}{rulings}", protocol.digest).as_bytes())
}

/// What is in force for a lab in a section, as it is at this moment.
pub(crate) fn of(c: &mut Db, lab: u32, section: u32) -> Result<Ground, StoreError> {
    let lab = labs::get_in(c, lab, section)?;
    Ground::under(c, lab, section)
}

/// As [`of`], held until the transaction ends: no protocol is put in force and the section sets nothing meanwhile.
pub(crate) fn hold(c: &mut Db, lab: u32, section: u32) -> Result<Ground, StoreError> {
    labs::hold(c, lab, labs::Hold::Shared)?;
    let open = sections::hold(c, section, labs::Hold::Shared)?;
    Ok(Ground { open, ..of(c, lab, section)? })
}

/// As [`hold`] for several sections of a lab.
pub(crate) fn hold_sections(
    c: &mut Db,
    lab: u32,
    of_sections: impl IntoIterator<Item = u32>,
) -> Result<BTreeMap<u32, Ground>, StoreError> {
    let ids: std::collections::BTreeSet<u32> = of_sections.into_iter().collect();
    labs::hold(c, lab, labs::Hold::Shared)?;
    let lab = labs::get(c, lab)?;
    let mut grounds = BTreeMap::new();
    for id in ids {
        let open = sections::hold(c, id, labs::Hold::Shared)?;
        grounds.insert(id, Ground { open, ..Ground::under(c, lab.clone(), id)? });
    }
    Ok(grounds)
}

/// Refuses to go on where a team was moved to another section since it was looked up. Their sections are held, so that
/// none moves after this.
pub(crate) fn still_there(c: &mut Db, places: &[(u32, u32)]) -> Result<(), StoreError> {
    for some in places.chunks(1_000) {
        let ids: Vec<u32> = some.iter().map(|p| p.0).collect();
        let now: Vec<(u32, u32)> =
            teams::table.filter(teams::id.eq_any(ids)).select((teams::id, teams::section_id)).load(c.sql())?;
        if some.iter().any(|place| !now.contains(place)) {
            return Err(StoreError::conflict(0, "Somebody", "a team was moved to another section or taken out"));
        }
    }
    Ok(())
}
