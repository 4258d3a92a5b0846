//! What Jurado says to the college it stands in: scores to its gradebook, the roster from it. Beside the client stands a small
//! service that takes the gradebook's place where there is none.

pub mod client;
pub mod door;
pub mod outbox;
pub mod scores;
pub mod sign_in;
pub mod stand_in;

pub use client::{Client, check_url, is_same_place};
pub use outbox::Sender;
