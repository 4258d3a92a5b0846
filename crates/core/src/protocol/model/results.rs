//! Results and the right ways to reach them.

use super::ItemId;
use super::{Rejection, TableId};
use crate::formula::Node;
use crate::protocol::Variant;
use rust_decimal::Decimal;

/// A result to derive.
#[derive(Clone, Debug)]
pub struct ResultSpec {
    /// Place among the lab's items, where its title, unit and rows stand.
    pub item: ItemId,
    /// Group under which it stands on the sheet.
    pub bay: usize,
    /// Its table, if it is a column of one.
    pub table: Option<TableId>,
    /// Formula as written.
    pub text: String,
    /// Formula, checked; of a word result a nought.
    pub node: Node,
    /// The right word, by the first condition that holds; empty for a number.
    pub right: Vec<Right>,
    /// Items of results that the formula uses.
    pub upstream: Vec<ItemId>,
    /// Points for working it out.
    pub points: Decimal,
    /// Whether a ± is asked for.
    pub plus_minus: bool,
    /// Its standard uncertainty by a formula of its own, in place of what its sources give.
    pub uncertainty: Option<Node>,
    /// That formula as written; empty where there is none.
    pub uncertainty_text: String,
    /// Whether its figures are judged.
    pub digits: bool,
    /// Whether it may be left out.
    pub optional: bool,
    /// An estimate made before measuring.
    pub guess: bool,
    /// Tolerance of a value read off a graph, in its unit.
    pub read_off: Option<f64>,
    /// Whether a slope or an end point may be seen in a graph.
    pub by_eye: bool,
    /// How one row of it may be rejected.
    pub rejection: Option<Rejection>,
    /// Whether its rows repeat one quantity, so that another result takes their mean.
    pub averaged: bool,
    /// Mistaken forms of the formula.
    pub variants: Vec<Variant>,
    /// Whether a row of it depends on that row alone.
    pub row_local: bool,
    /// Whether the formula holds an end point, which brings an uncertainty of its own.
    pub end_point: bool,
}

/// One line of what is right for a word result.
#[derive(Clone, Debug)]
pub struct Right {
    /// When it holds; `None` always.
    pub condition: Option<Node>,
    /// The right word's number.
    pub word: u32,
}
