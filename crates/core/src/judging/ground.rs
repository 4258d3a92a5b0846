//! What every result of a table is judged from.
//!
//! It exists so that the judgement of a result takes one thing and not eleven. Nothing in it
//! changes while results are judged; what does change – the verdicts so far – is handed on beside
//! it.

use super::stories::Whole;
use super::table::Table;
use super::under::Beneath;
use super::values::{Env, Out};
use crate::formula::figures::Figured;
use crate::formula::{ItemId, Value};
use crate::protocol::Protocol;
use crate::row::Row;
use crate::uncertainty::Budget;

/// What all results are judged from.
pub(super) struct Ground<'a> {
    /// The lab by which the table is judged.
    pub(super) protocol: &'a Protocol,
    /// The placed cells.
    pub(super) table: &'a Table,
    /// Rows left out, by group.
    pub(super) out: &'a Out,
    /// Clean values of everything.
    pub(super) clean: &'a Env,
    /// Readings and references alone.
    pub(super) measured: &'a Env,
    /// The clean values with their last significant places.
    pub(super) figured: &'a [Option<Value<Figured>>],
    /// Readings that a person says were not copied wrongly.
    pub(super) refuted: &'a [(ItemId, Option<Row>)],
    /// Budgets by result and row, for deserved figures from the uncertainty.
    pub(super) budgets: &'a [Vec<Option<Budget>>],
    /// For weighing a story by the whole table.
    pub(super) whole: &'a Whole<'a>,
    /// What the formulas under results say.
    pub(super) beneath: &'a Beneath,
}
