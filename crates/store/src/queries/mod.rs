//! One file per noun. No SQL stands anywhere else.

pub(crate) mod events;
pub mod imports;
pub mod labs;
pub mod quarantine;
pub mod roster;
pub mod settings;
pub mod sheets;
pub(crate) mod summary;
pub mod users;
