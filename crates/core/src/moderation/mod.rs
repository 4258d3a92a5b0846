//! Whether reviewers mark alike: what they changed against the computed score, and what two of them
//! gave the same table. Pure functions of what is kept of decided tables; nothing here changes a
//! mark, and nothing ranks anybody.
//!
//! [`Moved`] is what persons changed of one table, by field. [`places`] compares a reviewer's
//! section with all others; [`Agreement`] is what blind second marks say.
//!
//! # What it does not do
//!
//! It gives no grade to a reviewer, puts nobody in an order, and alters no mark. A place that
//! stands apart is a question for the people who work there; one page in twenty shows one by
//! chance, and says so.

mod moved;
mod pairs;
mod places;

pub use moved::{Field, Moved};
pub use pairs::{Agreement, FEWEST_PAIRS, Pair, Twice, Way, alike};
pub use places::{Cell, FEWEST_FINDINGS, FEWEST_OTHERS, Placed, Row, places};
