//! Pieces of mistaken trees.
//!
//! Mistaken trees need not make sense as physics: they are what was worked out, and not what should
//! have been.

use super::super::{Protocol, Roundness};
use crate::formula::ItemId;
use crate::formula::ast::Operator;
use crate::formula::{Node, Op};
use crate::quantity::Dimension;

/// A pure number.
///
/// It is shown as it would be typed.
pub(super) fn number(value: f64) -> Node {
    Node::made(Op::Number(value, format!("{value}")), Dimension::ONE)
}

/// Two nodes joined by an operator, of the dimension of `like`.
///
/// The span and the shape are those of `like`.
pub(super) fn binary(like: &Node, op: Operator, a: Node, b: Node) -> Node {
    Node { op: Op::Binary(op, Box::new(a), Box::new(b)), ..like.clone() }
}

/// A node times a pure number.
///
/// The factor has no unit.
pub(super) fn scaled(node: &Node, factor: f64) -> Node {
    binary(node, Operator::Multiply, node.clone(), number(factor))
}

/// Whether a subtree is a number of the formula, however written: π, 4, ln 2, π².
pub(super) fn is_literal(node: &Node) -> bool {
    match &node.op {
        Op::Number(..) | Op::Pi => true,
        Op::Item(_) | Op::Parameter(..) | Op::Is(..) => false,
        Op::Call(f, args) => !f.reduces() && !args.is_empty() && args.iter().all(is_literal),
        _ => node.children().all(is_literal),
    }
}

/// A number of the formula as it is written there.
pub(super) fn literal_text(node: &Node) -> String {
    match &node.op {
        Op::Number(_, text) => text.clone(),
        Op::Pi => "π".to_owned(),
        _ => crate::formula::plain::formula(node, &|_| String::new()),
    }
}

/// The item of a node that uses a single one.
///
/// `None` for none, and for several.
pub(super) fn only(node: &Node) -> Option<ItemId> {
    match node.items()[..] {
        [one] => Some(one),
        _ => None,
    }
}

/// The single item of a node, and whether it is a diameter or a radius.
///
/// The second is `None` for what the lab does not say is round.
pub(super) fn round_item(protocol: &Protocol, node: &Node) -> (Option<ItemId>, Option<Roundness>) {
    let item = only(node);
    (item, item.and_then(|i| protocol.items[i].shape))
}

/// How often an item stands in a node.
pub(super) fn occurrences(node: &Node, item: ItemId) -> usize {
    usize::from(node.op == Op::Item(item)) + node.children().map(|c| occurrences(c, item)).sum::<usize>()
}

/// The tree with every item put through `by`.
///
/// An item for which `by` gives nothing stays.
pub(super) fn renamed(node: &Node, by: &dyn Fn(ItemId) -> Option<Op>) -> Node {
    if let Op::Item(i) = node.op {
        return Node { op: by(i).unwrap_or(Op::Item(i)), ..node.clone() };
    }
    node.with_children(node.children().map(|c| renamed(c, by)).collect())
}

/// A node with an item put in place of another.
///
/// Wherever it stands.
pub(super) fn replace(node: &Node, item: ItemId, by: &Node) -> Node {
    renamed(node, &|i| (i == item).then(|| by.op.clone()))
}

/// A node with two items in each other's place.
pub(super) fn swap(node: &Node, a: ItemId, b: ItemId) -> Node {
    renamed(node, &|i| match i {
        i if i == a => Some(Op::Item(b)),
        i if i == b => Some(Op::Item(a)),
        _ => None,
    })
}
