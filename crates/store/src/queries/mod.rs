//! One file per noun. No SQL stands anywhere else.

pub mod attachments;
pub mod docket;
pub(crate) mod events;
pub mod imports;
pub mod labs;
pub mod quarantine;
pub mod roster;
pub mod sections;
pub mod settings;
pub mod sheets;
pub(crate) mod summary;
pub mod users;
