//! Signing: all that was open has been decided. One table, or several that look clear.

use diesel::prelude::*;

use super::hold::claim;
use crate::queries::docket::in_a_lot;
use crate::queries::users::User;
use crate::queries::{events, hands, practice};
use crate::records::sheet::Turn;
use crate::records::words::SheetState;
use crate::schema::sheets;
use crate::{Db, StoreError};

/// Signs a sheet. It is judged once more as it is held, so that nothing is signed that wants a decision.
///
/// # Errors
/// [`StoreError::Conflict`] where somebody was first or findings are open; [`StoreError::NotFound`]; faults of the
/// database.
pub fn sign(c: &mut Db, id: u32, version: u32, user: &User) -> Result<(), StoreError> {
    let held = claim(c, id, version, user)?;
    let judged = held.judge();
    let open = judged.findings.iter().filter(|f| f.open()).count();
    if open > 0 {
        return Err(StoreError::conflict(version, "The table", format!("{open} findings are still open")));
    }
    let at = c.now()?;
    let turn = Turn {
        state: SheetState::Signed,
        signed_by: Some(Some(user.id)),
        signed_at: Some(Some(at)),
        ..Turn::waiting(version + 1, &user.name, "signed the table")
    };
    diesel::update(sheets::table.find(id)).set((held.ground.derived(&judged), turn)).execute(c.sql())?;
    hands::let_go(c, id)?;
    events::note(c, Some(user.id), "signed", &format!("sheet {id}"))
}

/// Most tables that are signed at once.
pub const MOST_AT_ONCE: usize = 500;

/// Signs tables that look clear, each at the version that the person saw. One that was changed since, that wants a decision
/// or hangs by now, or that somebody else has taken in hand, is left as it is. Gives how many were signed.
///
/// # Errors
/// [`StoreError::Bad`] for too many at once; faults of the database.
pub fn sign_clear(c: &mut Db, seen: &[(u32, u32)], user: &User) -> Result<usize, StoreError> {
    if seen.len() > MOST_AT_ONCE {
        return Err(StoreError::Bad(
            format!("{} tables are too many to be signed at once", seen.len()),
            format!("sign {MOST_AT_ONCE} at a time"),
        ));
    }
    practice::allow(c, user)?;
    let now = c.now()?;
    let ids: Vec<u32> = seen.iter().map(|s| s.0).collect();
    // In the order in which rows are held everywhere: by lab, section, sheet.
    let mut places: Vec<(u32, u32, u32)> = sheets::table
        .filter(sheets::id.eq_any(&ids))
        .filter(in_a_lot(user.id, now))
        .select((sheets::lab_id, sheets::section_id, sheets::id))
        .load(c.sql())?;
    places.sort_unstable();
    let mut signed = 0;
    for (.., id) in places {
        let version = seen.iter().find(|s| s.0 == id).map_or(0, |s| s.1);
        match sign(c, id, version, user) {
            Ok(()) => signed += 1,
            // Somebody was first, it is not this person's, or it was taken out: it stays, and the count tells.
            Err(StoreError::Conflict(_) | StoreError::NotFound(_) | StoreError::Bad(..)) => {}
            Err(e) => return Err(e),
        }
    }
    Ok(signed)
}
