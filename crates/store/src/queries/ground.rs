//! What a table is judged by besides itself: the protocol in force for its lab, and what its section sets.
//!
//! Whoever judges in order to keep the verdict holds both. The order in which rows are held is the same everywhere: labs,
//! then sections, then sheets, each by id, so that two changes seldom wait for each other in a circle.

use std::collections::BTreeMap;

use diesel::prelude::*;
use jurado_core::decision::Decision;
use jurado_core::judging::judge_in;
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_core::summary::Summary;
use jurado_core::verdict::Judged;

use super::labs::{self, Lab};
use super::sections;
use crate::records::sheet::Derived;
use crate::schema::teams;
use crate::{Db, StoreError};

/// What tables of one lab in one section are judged by.
#[derive(Clone, Debug)]
pub(crate) struct Ground {
    pub(crate) lab: Lab,
    pub(crate) settings: Section,
    /// Engine, protocol and settings as one digest, kept beside each verdict.
    pub(crate) judged_with: String,
    /// Whether the section takes tables in.
    pub(crate) open: bool,
}

impl Ground {
    pub(crate) fn new(lab: Lab, settings: Section) -> Ground {
        let judged_with = judged_with(&lab.protocol, &settings);
        Ground { lab, settings, judged_with, open: true }
    }

    /// The verdict on a table.
    pub(crate) fn judge(&self, table: &Submission, decisions: &[Decision]) -> Judged {
        judge_in(&self.lab.protocol, &self.settings, table, &[], decisions)
    }

    /// What is kept of a verdict.
    pub(crate) fn derived(&self, judged: &Judged) -> Derived {
        Derived::of(Summary::of(&self.lab.protocol, judged), &self.judged_with)
    }
}

/// What a verdict depends on besides the table: engine, protocol and the section's settings, as one digest.
pub(crate) fn judged_with(protocol: &Protocol, settings: &Section) -> String {
    let settings = if *settings == Section::default() {
        String::new()
    } else {
        serde_json::to_string(settings).unwrap_or_default()
    };
    let judge = format!("{} {}", jurado_core::verdict::ENGINE, Summary::EDITION);
    crate::digest(format!("{judge}\n{}\n{settings}", protocol.digest).as_bytes())
}

/// What is in force for a lab in a section, as it is at this moment.
pub(crate) fn of(c: &mut Db, lab: u32, section: u32) -> Result<Ground, StoreError> {
    let lab = labs::get_in(c, lab, section)?;
    let set = sections::get(c, section, lab.id)?;
    Ok(Ground::new(lab, set.settings))
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
        let set = sections::get(c, id, lab.id)?;
        grounds.insert(id, Ground { open, ..Ground::new(lab.clone(), set.settings) });
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
