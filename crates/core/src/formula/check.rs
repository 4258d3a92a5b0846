//! [`Ast`] → [`Node`]: names resolved, dimensions, natures and shapes settled. A node can only be
//! made here or by the diagnoser's mutations, which keep a tree evaluable but not its dimensions (a
//! mistake need not respect them).
//!
//! # What is settled
//!
//! | of two | gives |
//! |---|---|
//! | sum | dimensions alike; a Celsius point and an amount give a point, two points an amount |
//! | product, quotient | the product or quotient of dimensions; no points |
//! | power | a whole number over a dimension; anything over a pure number |
//! | comparison | dimensions alike, or a nought |
//!
//! A gauge pressure and an absolute one do not mix, but for a sum with the surroundings' pressure.
//! All of this is known from the text and the lab alone, so that a lab that loads never fails for a
//! unit.

use std::ops::Range;

use super::FormulaError;
use super::ast::{Ast, AstKind, Comparator, Operator};
use super::fit;
use super::function::Function;
use super::node::{Node, Op, Shape, Symbol};
use super::typed::{join, point_fault, typed};
use crate::quantity::{Dimension, Nature, Unit};

/// Checks a tree against the names in `resolve`.
///
/// # Errors
/// A [`FormulaError`] under the offending piece: unknown name or function, wrong number of
/// arguments, dimensions that do not fit, a column where one value is needed or the reverse, a
/// Celsius temperature taken for an amount, gauge and absolute pressure mixed.
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
/// let area = check(&formula::parse("a * b")?, &length)?;
/// assert_eq!(area.dimension, Dimension::LENGTH.power(2));
/// let fault = check(&formula::parse("a + a * b")?, &length).unwrap_err();
/// assert!(fault.what.contains("length"), "{}", fault.what);
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn check<'a>(ast: &Ast, resolve: &dyn Fn(&str) -> Option<Symbol<'a>>) -> Result<Node, FormulaError> {
    let span = ast.span.clone();
    match &ast.kind {
        AstKind::Number { text, unit } => literal(text, unit.as_deref(), span),
        AstKind::Word(word) => Err(FormulaError::new(
            span,
            format!("the word “{word}” can only be compared with a word"),
            "write it like run == \"kept\"",
        )),
        AstKind::Name(name) => named(name, span, resolve),
        AstKind::Negative(inner) => negative(number(check(inner, resolve)?)?, span),
        AstKind::Binary(op, left, right) => {
            binary(*op, number(check(left, resolve)?)?, number(check(right, resolve)?)?, span)
        }
        AstKind::Compare(op, left, right) => {
            if let (AstKind::Name(name), AstKind::Word(word)) = (&left.kind, &right.kind) {
                let (op, shape) = word_test(name, word, *op, left.span.clone(), right.span.clone(), resolve)?;
                return Ok(Node { op, dimension: Dimension::ONE, nature: Nature::Plain, truth: true, shape, span });
            }
            compare(*op, number(check(left, resolve)?)?, number(check(right, resolve)?)?, span)
        }
        AstKind::Call(name, args) => {
            let function = Function::named(name).ok_or_else(|| {
                FormulaError::new(
                    span.start..span.start + name.len(),
                    format!("there is no function `{name}`"),
                    "see the list of functions in docs/protocols.md",
                )
            })?;
            if matches!(function, Function::Fit | Function::FitError) {
                return fit::checked(function, args, span, resolve, check);
            }
            let args = args.iter().map(|a| check(a, resolve)).collect::<Result<Vec<_>, _>>()?;
            let t = typed(function, &args, &span)?;
            let op = Op::Call(function, args);
            Ok(Node { op, dimension: t.dimension, nature: t.nature, truth: t.truth, shape: t.shape, span })
        }
    }
}

/// A number, or a quantity such as `331.3[m/s]`.
///
/// A number with its unit, in SI units. A Celsius number is a point.
fn literal(text: &str, unit: Option<&str>, span: Range<usize>) -> Result<Node, FormulaError> {
    let value: f64 = text.parse().unwrap_or(0.0);
    let (op, dimension, nature) = match unit {
        None => (Op::Number(value, text.to_owned()), Dimension::ONE, Nature::Plain),
        Some(unit) => {
            let unit = Unit::parse(unit)
                .map_err(|e| FormulaError::new(span.clone(), e.to_string(), "write a unit such as [mm] or [g/cm^3]"))?;
            let op = Op::Number(unit.to_si(value, unit.nature), format!("{text} {}", unit.text));
            (op, unit.dimension, unit.nature)
        }
    };
    Ok(Node { op, dimension, nature, truth: false, shape: Shape::Scalar, span })
}

/// π, or what a name stands for.
///
/// An item, or π. A word cannot stand where a number is needed.
fn named<'a>(
    name: &str,
    span: Range<usize>,
    resolve: &dyn Fn(&str) -> Option<Symbol<'a>>,
) -> Result<Node, FormulaError> {
    if name == "pi" || name == "π" {
        return Ok(Node { span, ..Node::made(Op::Pi, Dimension::ONE) });
    }
    match resolve(name) {
        Some(Symbol { words: Some(words), .. }) => {
            let first = words.first().map_or("…", String::as_str);
            Err(FormulaError::new(
                span,
                format!("`{name}` is a word, not a number"),
                format!("compare it with one of its words, such as {name} == \"{first}\""),
            ))
        }
        Some(s) => {
            let op = Op::Item(s.item);
            Ok(Node { op, dimension: s.dimension, nature: s.nature, truth: false, shape: s.shape, span })
        }
        None => Err(unknown(name, span)),
    }
}

/// A minus before a value. Of a temperature written out it belongs to the number: `-5[°C]` is the
/// point five degrees below nought, not the opposite of 278.15 K. Any other point on a scale has no
/// opposite and is refused.
///
/// Of a point only one that is written out has an opposite that means anything.
fn negative(inner: Node, span: Range<usize>) -> Result<Node, FormulaError> {
    let Node { dimension, nature, shape, .. } = inner;
    let op = match (nature, &inner.op) {
        // `-5[°C]` is the point five degrees below nought, not the opposite of 278.15 K.
        (Nature::Point, Op::Number(v, text)) => {
            let unit = text.split_once(' ').and_then(|(_, u)| Unit::parse(u).ok()).unwrap_or_else(Unit::one);
            Op::Number(2.0 * unit.offset - v, format!("−{text}"))
        }
        (Nature::Point, _) => return Err(point_fault(span)),
        _ => Op::Negative(Box::new(inner)),
    };
    Ok(Node { op, dimension, nature, truth: false, shape, span })
}

/// Two operands joined by an operator, with the dimension and nature that come of it. Sums need one
/// dimension, powers a pure exponent; points on a scale (a temperature in °C) can be subtracted and
/// shifted, never multiplied.
///
/// Columns have to belong to one table.
fn binary(op: Operator, left: Node, right: Node, span: Range<usize>) -> Result<Node, FormulaError> {
    let shape = join(left.shape, right.shape, &span)?;
    let (dimension, nature) = match op {
        Operator::Add | Operator::Subtract => sum(op, &left, &right, &span)?,
        Operator::Multiply | Operator::Divide => product(op, &left, &right, &span)?,
        Operator::Power if left.nature == Nature::Point => return Err(point_fault(left.span)),
        Operator::Power => (power_dimension(&left, &right)?, Nature::Plain),
    };
    let op = Op::Binary(op, Box::new(left), Box::new(right));
    Ok(Node { op, dimension, nature, truth: false, shape, span })
}

/// Dimension and nature of a sum or difference.
///
/// Sums and differences of one dimension.
fn sum(op: Operator, left: &Node, right: &Node, span: &Range<usize>) -> Result<(Dimension, Nature), FormulaError> {
    if left.dimension == right.dimension {
        return Ok((left.dimension, sum_nature(op, left.nature, right.nature, span)?));
    }
    let (verb, joint) = if op == Operator::Add { ("add", "to") } else { ("subtract", "from") };
    Err(FormulaError::new(
        span.clone(),
        format!("cannot {verb} {} {joint} {}", right.dimension, left.dimension),
        "both sides need the same dimension",
    ))
}

/// Dimension and nature of a product or quotient.
///
/// A temperature in °C is multiplied by nothing.
fn product(op: Operator, left: &Node, right: &Node, span: &Range<usize>) -> Result<(Dimension, Nature), FormulaError> {
    if let Some(point) = [left, right].into_iter().find(|n| n.nature == Nature::Point) {
        return Err(point_fault(point.span.clone()));
    }
    if op == Operator::Multiply {
        return Ok((left.dimension.times(right.dimension), Nature::Plain));
    }
    if mixed(left.nature, right.nature) {
        return Err(mixed_fault(span.clone()));
    }
    Ok((left.dimension.over(right.dimension), Nature::Plain))
}

/// A comparison: both sides of one dimension, or one of them a plain nought.
///
/// A nought needs no unit, so that `x > 0` can be written.
fn compare(op: Comparator, left: Node, right: Node, span: Range<usize>) -> Result<Node, FormulaError> {
    let shape = join(left.shape, right.shape, &span)?;
    // A plain nought may be compared with anything.
    let nought = |n: &Node| matches!(n.op, Op::Number(0.0, _));
    if left.dimension != right.dimension && !nought(&right) && !nought(&left) {
        return Err(FormulaError::new(
            span,
            format!("cannot compare {} with {}", left.dimension, right.dimension),
            "both sides need the same dimension",
        ));
    }
    if mixed(left.nature, right.nature) || (left.nature == Nature::Point) != (right.nature == Nature::Point) {
        return Err(mixed_fault(span));
    }
    let op = Op::Compare(op, Box::new(left), Box::new(right));
    Ok(Node { op, dimension: Dimension::ONE, nature: Nature::Plain, truth: true, shape, span })
}

/// The fault of a name that nothing declares.
///
/// What is said of a name that nobody declared.
fn unknown(name: &str, span: Range<usize>) -> FormulaError {
    FormulaError::new(
        span,
        format!("`{name}` is not known here"),
        "declare it as a reading, reference, constant or result, or mend its spelling",
    )
}

/// A node where a number is needed; a condition is none.
///
/// A condition is no number, though it is kept as one.
fn number(node: Node) -> Result<Node, FormulaError> {
    if !node.truth {
        return Ok(node);
    }
    let mend = "use if(condition, value, value) to make a number of it";
    Err(FormulaError::new(node.span, "a condition is no number", mend))
}

/// `run == "kept"`: the word's number, and whether it is asked for or against.
///
/// A word compared with one of the list of its item; `!=` is the opposite of `==`.
fn word_test<'a>(
    name: &str,
    word: &str,
    op: Comparator,
    at_name: Range<usize>,
    at_word: Range<usize>,
    resolve: &dyn Fn(&str) -> Option<Symbol<'a>>,
) -> Result<(Op, Shape), FormulaError> {
    let symbol = resolve(name).ok_or_else(|| unknown(name, at_name.clone()))?;
    let Some(words) = symbol.words else {
        let what = format!("`{name}` is a number, not a word");
        return Err(FormulaError::new(at_word, what, "compare it with a number"));
    };
    let Some(n) = words.iter().position(|w| w == word) else {
        let what = format!("`{name}` is never “{word}”");
        return Err(FormulaError::new(at_word, what, format!("it may be {}", words.join(", "))));
    };
    let is = Op::Is(symbol.item, n as u32, word.to_owned());
    let shape = symbol.shape;
    match op {
        Comparator::Equal => Ok((is, shape)),
        Comparator::Unequal => {
            let (dimension, nature, span) = (Dimension::ONE, Nature::Plain, at_name.start..at_word.end);
            let inner = Node { op: is, dimension, nature, truth: true, shape, span };
            Ok((Op::Call(Function::Not, vec![inner]), shape))
        }
        _ => Err(FormulaError::new(at_word, "words have no order", "use == or !=")),
    }
}

/// Whether one is a gauge pressure and the other an absolute one.
///
/// Gauge and absolute.
fn mixed(a: Nature, b: Nature) -> bool {
    matches!((a, b), (Nature::Gauge, Nature::Absolute) | (Nature::Absolute, Nature::Gauge))
}

/// The fault of adding what is counted from two different noughts.
///
/// One text for all that cannot be mixed.
fn mixed_fault(span: Range<usize>) -> FormulaError {
    FormulaError::new(
        span,
        "gauge and absolute pressure, or a point and an amount, are mixed here",
        "add the surroundings' pressure to the gauge pressure first, or take kelvin() of a temperature",
    )
}

/// The nature of a sum or difference.
///
/// `add` tells a sum from a difference.
fn sum_nature(op: Operator, a: Nature, b: Nature, span: &Range<usize>) -> Result<Nature, FormulaError> {
    use Nature::*;
    let add = op == Operator::Add;
    Ok(match (a, b) {
        (Plain, Plain) => Plain,
        (Point, Point) if !add => Plain,
        (Point, Plain) => Point,
        (Plain, Point) if add => Point,
        (Point, _) | (_, Point) => return Err(point_fault(span.clone())),
        // The surroundings' pressure added makes a gauge pressure absolute.
        (Gauge, Absolute) | (Absolute, Gauge) if add => Absolute,
        (Gauge, Absolute) | (Absolute, Gauge) => return Err(mixed_fault(span.clone())),
        (x, y) if x == y && !add => Plain,
        (Plain, other) | (other, _) => other,
    })
}

/// A number written out, with or without a minus.
///
/// A number as it stands in the formula, its sign taken in; `None` for anything else.
fn written_out(node: &Node) -> Option<f64> {
    match &node.op {
        Op::Number(v, _) => Some(*v),
        Op::Negative(inner) => match inner.op {
            Op::Number(v, _) => Some(-v),
            _ => None,
        },
        _ => None,
    }
}

/// Dimension of a power. A base with a dimension needs a whole exponent written out, of at most
/// twelve; a pure number may be raised to anything.
///
/// Up to the twelfth power, which no lab exceeds.
fn power_dimension(base: &Node, exponent: &Node) -> Result<Dimension, FormulaError> {
    if !exponent.dimension.is_one() {
        return Err(FormulaError::new(
            exponent.span.clone(),
            format!("an exponent must be a pure number, this is {}", exponent.dimension),
            "divide it by a unit",
        ));
    }
    if base.dimension.is_one() {
        return Ok(Dimension::ONE);
    }
    match written_out(exponent) {
        Some(v) if v.fract() == 0.0 && v.abs() <= 12.0 => Ok(base.dimension.power(v as i8)),
        _ => Err(FormulaError::new(
            exponent.span.clone(),
            format!("{} can only be raised to a whole number written out", base.dimension),
            "write the exponent as a number, or use sqrt()",
        )),
    }
}
