//! What a row holds: one file per noun, structs that Diesel reads and writes, and the words that states are kept as. No
//! query stands here.

pub(crate) mod ahead;
pub(crate) mod decision;
pub(crate) mod event;
pub(crate) mod import;
pub(crate) mod job;
pub(crate) mod protocol;
pub(crate) mod sheet;
pub(crate) mod user;
pub(crate) mod went_out;
pub(crate) mod words;
