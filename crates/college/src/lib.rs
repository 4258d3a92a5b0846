//! What Jurado says to the college it stands in: scores to its gradebook, the roster from it. Beside the client stands a small
//! service that takes the gradebook's place where there is none.

pub mod client;
pub mod door;
pub mod outbox;
pub mod scores;
pub mod sign_in;
pub mod stand_in;

pub use client::Client;
pub use outbox::Sender;
