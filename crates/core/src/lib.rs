//! The judging core of Jurado: protocols, formulas, judging and scoring as pure functions.
//!
//! Nothing here reads a file, a clock, the environment or a random number, and nothing here draws
//! or stores. A new reader starts with [`judging::judge`]: submission text and protocol in, verdict
//! out.

pub mod cell;
pub mod class;
pub mod decision;
pub mod error;
pub mod example;
pub mod explain;
pub mod finding;
pub mod formula;
pub mod gaps;
pub mod instructor;
pub mod judging;
pub mod moderation;
pub mod notation;
pub mod plan;
pub mod plots;
pub mod practice;
pub mod preview;
pub mod protocol;
pub mod quantity;
pub mod reading;
pub mod repair;
pub mod report;
pub mod row;
pub mod section;
pub mod sketches;
pub mod stats;
pub mod submission;
pub mod summary;
pub mod uncertainty;
pub mod underneath;
pub mod verdict;
pub mod wording;
