//! Values of formulas as a person would read them.

use crate::formula::Node;
use crate::notation;
use crate::protocol::Protocol;

/// A value of a formula, SI, in the unit of the first item of its dimension, as a person would read
/// it.
///
/// Four figures are shown; a pure number has no unit.
pub(super) fn quantity(protocol: &Protocol, node: &Node, si: f64) -> String {
    let like = node
        .items()
        .into_iter()
        .map(|i| &protocol.items[i])
        .find(|i| i.unit.dimension == node.dimension && i.words.is_none());
    match like {
        Some(item) => format!("{}{}", notation::figures(item.unit.from_si(si, node.nature), 4), item.unit_after()),
        None => notation::figures(si, 4),
    }
}

/// The half-width of a formula's value, SI, in such a unit, without its ±.
///
/// It has the figures of an uncertainty: two at most.
pub(super) fn half_width(protocol: &Protocol, node: &Node, si: f64) -> String {
    let like = node.items().into_iter().map(|i| &protocol.items[i]).find(|i| i.unit.dimension == node.dimension);
    match like {
        Some(item) => format!("{}{}", notation::uncertainty(si / item.unit.factor), item.unit_after()),
        None => notation::uncertainty(si),
    }
}
