//! The same lab over all sections, as an inter-laboratory comparison. Pure functions of what is
//! kept of judged tables; nothing here changes a mark. [`Essence`] is what a class needs of one
//! table, [`Floor`] one result over all of them, on a scale that allows for each table's own
//! reference, so that stations with their own loads are comparable. The other files hold the
//! statistics: robust centre and spread (`robust`), sections as laboratories (`sections`), effects
//! of stations and sections (`effects`), consensus of words (`words`), what was taught otherwise
//! (`taught`), tables that share their typed cells (`shared`).

mod books;
mod effects;
mod essence;
mod floor;
mod report;
mod robust;
mod scale;
mod sections;
mod shape;
mod shared;
mod taught;
mod teams;
#[cfg(test)]
mod tests;
mod words;

pub use books::{Book, SharedBook, shared_books};
pub use effects::{Effect, Member, effects};
pub use essence::{Entry, Essence, Value};
pub use floor::{APART, Asked, Floor, Group, Point, comparable, first, main_key, thing, unknown_by, worded};
pub use report::{ClassReport, by_word, groupings, scale_word};
pub use robust::{Robust, algorithm_a, pooled_repeatability, z_scores};
pub use scale::Scale;
pub use sections::{Cochran, Mandel, MandelRow, cochran, mandel};
pub use shared::{SharedTables, shared_tables};
pub use taught::{Frequent, Shared, frequent, taught};
pub use teams::{By, group_of, natural};
pub use words::{WordShare, word_consensus};
