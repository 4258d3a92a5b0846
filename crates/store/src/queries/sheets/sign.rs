//! Signing: all that was open has been decided.

use diesel::prelude::*;

use super::hold::claim;
use crate::queries::users::User;
use crate::queries::{events, hands};
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
