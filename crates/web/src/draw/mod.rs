//! All drawings. Each is made with the kit in [`svg`], which escapes what it is given; nothing else in this crate but the
//! templates writes markup. A drawing knows places and figures, and the words it is told; it decides nothing.

pub(crate) mod apparatus;
pub(crate) mod axes;
pub(crate) mod charts;
pub(crate) mod docket;
pub(crate) mod floor;
pub(crate) mod ladder;
pub(crate) mod leg;
pub(crate) mod moderation;
pub(crate) mod practice;
pub(crate) mod profile;
pub(crate) mod raft;
pub(crate) mod replicates;
pub(crate) mod shoals;
pub(crate) mod strip;
pub(crate) mod svg;
