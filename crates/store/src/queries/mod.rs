//! One file per noun. No SQL stands anywhere else. Arrows go one way: what only reads stands below what changes.

pub mod attachments;
pub mod changes;
pub mod course;
pub mod docket;
pub mod door;
pub mod events;
pub mod floor;
pub(crate) mod ground;
pub mod hands;
pub mod imports;
pub mod jobs;
pub mod labs;
pub mod moderation;
pub mod quarantine;
pub mod roster;
pub mod rulings;
pub(crate) mod rulings_kept;
pub mod second;
pub mod sections;
pub mod settings;
pub mod sheets;
pub mod shelf;
pub mod terms;
pub mod tries;
pub mod users;
pub mod verify;
