//! A checked tree as one line of text, for the command line and for copying: `ρ = m / (L × W²)`.

use super::ItemId;
use super::ast::{Comparator, Operator};
use super::function::Function;
use super::node::{Node, Op};

/// The tree as text. `name` writes an item: a symbol, or a number with its unit.
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
/// let name = |i: ItemId| ["a", "b", "c", "x"][i.index()].to_owned();
/// let node = check(&formula::parse("a / (b * c)")?, &length)?;
/// assert_eq!(formula::plain::formula(&node, &name), "a / (b × c)");
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn formula(node: &Node, name: &dyn Fn(ItemId) -> String) -> String {
    write(node, name, 0)
}

/// How tightly a node binds, to know where brackets are needed.
fn level(node: &Node) -> u8 {
    match &node.op {
        Op::Compare(..) | Op::Is(..) => 0,
        Op::Binary(Operator::Add | Operator::Subtract, ..) => 1,
        Op::Binary(Operator::Multiply | Operator::Divide, ..) => 2,
        Op::Negative(_) => 3,
        Op::Binary(Operator::Power, ..) => 4,
        _ => 9,
    }
}

/// A node as a line of text, in brackets where what is around it binds more tightly.
fn write(node: &Node, name: &dyn Fn(ItemId) -> String, outer: u8) -> String {
    let own = level(node);
    let inner = match &node.op {
        Op::Number(_, text) => text.clone(),
        Op::Pi => "π".to_owned(),
        Op::Parameter(_, name) => name.clone(),
        Op::Item(i) => {
            let text = name(*i);
            // A negative number put in is bracketed, or `84.64 − −0.02` would stand there.
            if outer > 0 && text.starts_with(['-', '−']) { format!("({text})") } else { text }
        }
        Op::Is(i, _, word) => format!("{} is {word}", name(*i)),
        Op::Negative(a) => format!("−{}", write(a, name, own)),
        Op::Binary(op, a, b) => {
            let (sign, right) = match op {
                Operator::Add => (" + ", own),
                Operator::Subtract => (" − ", own + 1),
                Operator::Multiply => (" × ", own),
                Operator::Divide => (" / ", own + 1),
                Operator::Power => ("^", own),
            };
            // A number with its unit is raised as a whole.
            let left = if *op == Operator::Power { own + 1 } else { own };
            let base = write(a, name, left);
            let base = if *op == Operator::Power && base.contains(' ') && !base.starts_with('(') {
                format!("({base})")
            } else {
                base
            };
            format!("{base}{sign}{}", write(b, name, right))
        }
        Op::Compare(op, a, b) => {
            let sign = match op {
                Comparator::Less => "<",
                Comparator::LessOrEqual => "≤",
                Comparator::Greater => ">",
                Comparator::GreaterOrEqual => "≥",
                Comparator::Equal => "=",
                Comparator::Unequal => "≠",
            };
            format!("{} {sign} {}", write(a, name, 1), write(b, name, 1))
        }
        Op::Call(Function::Abs, args) => format!("|{}|", write(&args[0], name, 0)),
        Op::Call(Function::Sqrt, args) => format!("√({})", write(&args[0], name, 0)),
        Op::Call(Function::Kelvin, args) => write(&args[0], name, outer),
        Op::Call(f, args) => {
            let args: Vec<String> = args.iter().map(|a| write(a, name, 0)).collect();
            format!("{}({})", f.name(), args.join(", "))
        }
    };
    if own < outer { format!("({inner})") } else { inner }
}
