//! A sheet that is to be changed, held with all it is judged by.

use diesel::prelude::*;
use jurado_core::verdict::Judged;

use super::read::{SheetDetail, detail_of};
use crate::queries::ground::{self, Ground};
use crate::queries::practice;
use crate::queries::users::User;
use crate::records::sheet::{Head, Turn};
use crate::schema::sheets;
use crate::{Db, StoreError};

/// A sheet whose row is held until the transaction ends.
pub(super) struct Held {
    pub(super) detail: SheetDetail,
    pub(super) ground: Ground,
    pub(super) changed: String,
    pub(super) changed_by: String,
}

/// Holds a sheet, if it is this person's to see: first what it is judged by, then its row, which is read as it is then.
pub(super) fn hold(c: &mut Db, id: u32, user: &User) -> Result<Held, StoreError> {
    let place: Option<(u32, u32)> =
        sheets::table.find(id).select((sheets::lab_id, sheets::section_id)).first(c.sql()).optional()?;
    let (lab, section) = place.filter(|p| user.sees(p.1)).ok_or(StoreError::NotFound("table"))?;
    let ground = ground::hold(c, lab, section)?;
    let head: Head = sheets::table.find(id).select(Head::as_select()).for_update().first(c.sql())?;
    if head.section_id != section {
        return Err(StoreError::conflict(head.version, "Somebody", "the team was moved to another section"));
    }
    if head.removal_id.is_some() {
        return Err(StoreError::Bad(
            "this table was taken out".into(),
            "the coordinator can bring it back on its Bench, for thirty days".into(),
        ));
    }
    let (changed, changed_by) = (head.changed.clone(), head.changed_by.clone());
    Ok(Held { detail: detail_of(c, head)?, ground, changed, changed_by })
}

/// As [`hold`], at the version the person saw. A lost race is told with what was changed in the meantime.
pub(super) fn claim(c: &mut Db, id: u32, version: u32, user: &User) -> Result<Held, StoreError> {
    practice::allow(c, user)?;
    let held = hold(c, id, user)?;
    if held.detail.version == version {
        return Ok(held);
    }
    let by = if held.changed_by.is_empty() { "Somebody" } else { &held.changed_by };
    let theirs = if held.changed.is_empty() { "the table was changed" } else { &held.changed };
    Err(StoreError::conflict(held.detail.version, by, theirs))
}

/// As [`claim`], for what is not judged: the lab and the version.
pub(crate) fn claimed(c: &mut Db, id: u32, version: u32, user: &User) -> Result<(u32, u32), StoreError> {
    let held = claim(c, id, version, user)?;
    Ok((held.ground.lab.id, held.detail.version))
}

impl Held {
    /// The verdict on the sheet as it is held.
    pub(super) fn judge(&self) -> Judged {
        self.ground.judge(&self.detail.submission, &self.detail.in_force())
    }

    /// Keeps a verdict on the held sheet, and that this person made a new version of it.
    pub(super) fn keep(&self, c: &mut Db, judged: &Judged, by: &str, changed: &str) -> Result<(), StoreError> {
        diesel::update(sheets::table.find(self.detail.id))
            .set((self.ground.derived(judged), Turn::waiting(self.detail.version + 1, by, changed)))
            .execute(c.sql())?;
        Ok(())
    }
}
