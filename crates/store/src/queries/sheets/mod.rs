//! Sheets: one team's place in one lab. One file for each thing that is done with one; start with [`read`].
//!
//! Whoever changes a sheet holds what it is judged by and then its row ([`hold`]), judges it as it is then, and keeps what
//! follows in the same transaction. So what is kept beside a sheet is what judging it gives, whatever ran beside it.

mod decide;
mod hand_in;
mod hold;
mod read;
mod rejudge;
mod release;
mod revisions;
mod shelved;
mod sign;

pub use decide::{NOTHING_TO_UNDO, NewDecision, decide, undo};
pub(crate) use hand_in::{By, HandedIn, hand_in, place_of};
pub(crate) use hold::claimed;
pub use read::{JudgedFrom, ReturnedLine, SheetDetail, StoredDecision, WentOut, details_of, get, standing};
pub(crate) use read::{current, detail_of, import_of, many};
pub(crate) use rejudge::{Stale, derive_ahead, recount, rejudge_held, waiting};
pub(crate) use release::lines_of;
pub use release::{Moved, complete_outcomes, keep_as_sent, moved, release, release_again};
pub use revisions::{Revision, revisions};
pub(crate) use shelved::removal_of;
pub use shelved::{DAYS_BACK, Removal, Shelved};
pub use sign::{MOST_AT_ONCE, sign, sign_clear};
