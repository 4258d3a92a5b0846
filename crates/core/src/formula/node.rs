//! A checked formula as a tree: what a piece does, its dimension and shape, and the pieces under
//! it.

use std::ops::Range;

use super::ast::{Comparator, Operator};
use super::function::Function;
use super::item::ItemId;
use crate::quantity::{Dimension, Nature};

/// A checked piece: coherent SI values throughout.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// What it does.
    pub op: Op,
    /// Dimension of what the node gives, settled when the formula was checked.
    pub dimension: Dimension,
    /// Amount, point on a scale, gauge or absolute pressure.
    pub nature: Nature,
    /// Whether it is a condition: 1 where it holds, 0 where it does not.
    pub truth: bool,
    /// One value or a column.
    pub shape: Shape,
    /// Its bytes in the formula's text.
    pub span: Range<usize>,
}

/// One value or a column of values.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shape {
    /// One value.
    Scalar,
    /// A column, in the order of its rows. Columns of one group have the same rows.
    Column(u16),
}

impl Shape {
    /// Added to a group for the column of its differences, which is one row shorter.
    pub(super) const SHORTER: u16 = 4096;
}

/// What a name stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Symbol<'a> {
    /// Which item it is.
    pub item: ItemId,
    /// Dimension of its values, which the check of a formula asks for.
    pub dimension: Dimension,
    /// Whether it is a difference or a point on a scale.
    pub nature: Nature,
    /// One value or a column.
    pub shape: Shape,
    /// The words it may be; `None` for a number.
    pub words: Option<&'a [String]>,
}

/// What a node does.
#[derive(Clone, Debug, PartialEq)]
pub enum Op {
    /// An exact number in coherent SI units; the text as typed, with its unit.
    Number(f64, String),
    /// π.
    Pi,
    /// A reading, constant or result, by its number in the table of items.
    Item(ItemId),
    /// A parameter of the fit it stands in, by its number there, with its name.
    Parameter(usize, String),
    /// Whether a word item is this word, by its number in the item's list.
    Is(ItemId, u32, String),
    /// Sign turned.
    Negative(Box<Node>),
    /// Operator on two nodes.
    Binary(Operator, Box<Node>, Box<Node>),
    /// Comparison of two nodes.
    Compare(Comparator, Box<Node>, Box<Node>),
    /// A function.
    Call(Function, Vec<Node>),
}

impl Node {
    /// A plain node like another, for what the diagnoser makes.
    pub(crate) fn made(op: Op, dimension: Dimension) -> Node {
        Node { op, dimension, nature: Nature::Plain, truth: false, shape: Shape::Scalar, span: 0..0 }
    }

    /// The pieces directly under this one.
    ///
    /// # Example
    /// ```
    /// # use jurado_core::formula::{self, Context, ItemId, Shape, Symbol, Value, check::check, evaluate, evaluate_any};
    /// # use jurado_core::quantity::{Dimension, Nature};
    /// # // `a`, `b` and `c` are lengths; `column` is a column of lengths.
    /// # fn length(name: &str) -> Option<Symbol<'static>> {
    /// #     let item = ItemId::at(["a", "b", "c", "column"].iter().position(|n| *n == name)?);
    /// #     let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
    /// #     Some(Symbol { item, dimension: Dimension::LENGTH, nature: Nature::Plain, shape, words: None })
    /// # }
    /// let node = check(&formula::parse("a / b")?, &length)?;
    /// assert_eq!(node.children().count(), 2);
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn children(&self) -> impl Iterator<Item = &Node> {
        let (two, more): ([Option<&Node>; 2], &[Node]) = match &self.op {
            Op::Negative(a) => ([Some(a), None], &[]),
            Op::Binary(_, a, b) | Op::Compare(_, a, b) => ([Some(a), Some(b)], &[]),
            Op::Call(_, args) => ([None, None], args),
            _ => ([None, None], &[]),
        };
        two.into_iter().flatten().chain(more)
    }

    /// The same piece with other pieces under it, as many as [`Node::children`] gives.
    pub(crate) fn with_children(&self, mut children: Vec<Node>) -> Node {
        let op = match &self.op {
            Op::Negative(_) => children.pop().map(|a| Op::Negative(Box::new(a))),
            Op::Binary(op, ..) => {
                children.pop().zip(children.pop()).map(|(b, a)| Op::Binary(*op, Box::new(a), Box::new(b)))
            }
            Op::Compare(op, ..) => {
                children.pop().zip(children.pop()).map(|(b, a)| Op::Compare(*op, Box::new(a), Box::new(b)))
            }
            Op::Call(f, _) => Some(Op::Call(*f, children)),
            _ => None,
        };
        Node { op: op.unwrap_or_else(|| self.op.clone()), ..self.clone() }
    }

    /// Whether any piece, this one included, is so.
    ///
    /// # Example
    /// ```
    /// # use jurado_core::formula::{self, Context, ItemId, Shape, Symbol, Value, check::check, evaluate, evaluate_any};
    /// # use jurado_core::quantity::{Dimension, Nature};
    /// # // `a`, `b` and `c` are lengths; `column` is a column of lengths.
    /// # fn length(name: &str) -> Option<Symbol<'static>> {
    /// #     let item = ItemId::at(["a", "b", "c", "column"].iter().position(|n| *n == name)?);
    /// #     let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
    /// #     Some(Symbol { item, dimension: Dimension::LENGTH, nature: Nature::Plain, shape, words: None })
    /// # }
    /// use jurado_core::formula::Op;
    /// let node = check(&formula::parse("a * b + c * c")?, &length)?;
    /// assert!(node.any(&|n| n.op == Op::Item(ItemId::at(2))));
    /// assert!(!node.any(&|n| n.op == Op::Pi));
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn any(&self, so: &dyn Fn(&Node) -> bool) -> bool {
        so(self) || self.children().any(|c| c.any(so))
    }

    /// Every item the tree uses, in order of appearance, each once.
    ///
    /// # Example
    /// ```
    /// # use jurado_core::formula::{self, Context, ItemId, Shape, Symbol, Value, check::check, evaluate, evaluate_any};
    /// # use jurado_core::quantity::{Dimension, Nature};
    /// # // `a`, `b` and `c` are lengths; `column` is a column of lengths.
    /// # fn length(name: &str) -> Option<Symbol<'static>> {
    /// #     let item = ItemId::at(["a", "b", "c", "column"].iter().position(|n| *n == name)?);
    /// #     let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
    /// #     Some(Symbol { item, dimension: Dimension::LENGTH, nature: Nature::Plain, shape, words: None })
    /// # }
    /// let node = check(&formula::parse("b * a + b * b")?, &length)?;
    /// assert_eq!(node.items(), [ItemId::at(1), ItemId::at(0)]);
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn items(&self) -> Vec<ItemId> {
        /// Gathers the items of a node in the order in which they first stand in it.
        fn walk(node: &Node, out: &mut Vec<ItemId>) {
            match &node.op {
                Op::Item(i) | Op::Is(i, ..) => {
                    if !out.contains(i) {
                        out.push(*i);
                    }
                }
                _ => node.children().for_each(|c| walk(c, out)),
            }
        }
        let mut out = Vec::new();
        walk(self, &mut out);
        out
    }

    /// Whether the tree uses an item anywhere.
    ///
    /// # Example
    /// ```
    /// # use jurado_core::formula::{self, Context, ItemId, Shape, Symbol, Value, check::check, evaluate, evaluate_any};
    /// # use jurado_core::quantity::{Dimension, Nature};
    /// # // `a`, `b` and `c` are lengths; `column` is a column of lengths.
    /// # fn length(name: &str) -> Option<Symbol<'static>> {
    /// #     let item = ItemId::at(["a", "b", "c", "column"].iter().position(|n| *n == name)?);
    /// #     let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
    /// #     Some(Symbol { item, dimension: Dimension::LENGTH, nature: Nature::Plain, shape, words: None })
    /// # }
    /// let node = check(&formula::parse("b * a + b * b")?, &length)?;
    /// assert!(node.uses(ItemId::at(0)));
    /// assert!(!node.uses(ItemId::at(2)));
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn uses(&self, item: ItemId) -> bool {
        match &self.op {
            Op::Item(i) | Op::Is(i, ..) => *i == item,
            _ => self.children().any(|c| c.uses(item)),
        }
    }
}
