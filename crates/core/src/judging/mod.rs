//! Judging.
mod mutate;
mod slip;
pub(crate) use mutate::variants;
pub use slip::{SlipKind, Variant};
