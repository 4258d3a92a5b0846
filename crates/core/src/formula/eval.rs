//! Evaluation of a checked tree over any kind of number: plain, with derivatives, or with
//! significant figures.
//!
//! One walk serves all kinds of number ([`Num`]): plain numbers for values, numbers with
//! derivatives for uncertainties, numbers with a last place for figures. The rules of each kind
//! stand with it; the formula's own rules – gaps, columns, what is undefined – stand here, once.

use std::borrow::Cow;

use super::ItemId;
use super::ast::Operator;
use super::fit;
use super::function::Function;
use super::node::{Node, Op};
use super::value::{Context, EvalError, Num, Seen, Value, finish};
use super::vector;

/// Evaluates a tree to one value.
///
/// # Errors
/// [`EvalError`] where an item is missing or the value is not defined; never a NaN or an infinity.
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
/// let items = [Some(Value::Scalar(3.0)), Some(Value::Scalar(4.0)), None, Some(Value::column(vec![1.0, 2.0, 6.0]))];
/// let context = Context::exact(&items);
/// let node = check(&formula::parse("a * b + mean(column) ^ 2")?, &length)?;
/// assert_eq!(evaluate(&node, &context), Ok(21.0));
/// // `c` was not measured.
/// let node = check(&formula::parse("a + c")?, &length)?;
/// assert!(evaluate(&node, &context).is_err());
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn evaluate<N: Num>(node: &Node, context: &Context<'_, N>) -> Result<N, EvalError> {
    match walk(node, context)?.into_owned() {
        Value::Scalar(n) => Ok(n),
        _ => Err(EvalError::Undefined("a column stands where one value is needed")),
    }
}

/// Evaluates a tree to one value or a column. A row that is not defined is a gap.
///
/// # Errors
/// As [`evaluate`].
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
/// let items = [Some(Value::Scalar(3.0)), Some(Value::Scalar(4.0)), None, Some(Value::column(vec![1.0, 2.0, 6.0]))];
/// let context = Context::exact(&items);
/// let node = check(&formula::parse("2 * column")?, &length)?;
/// assert_eq!(evaluate_any(&node, &context), Ok(Value::column(vec![2.0, 4.0, 12.0])));
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn evaluate_any<N: Num>(node: &Node, context: &Context<'_, N>) -> Result<Value<N>, EvalError> {
    walk(node, context).map(Cow::into_owned)
}

/// The value of a node, over plain numbers, derivatives or figures alike: the one place where a
/// formula is worked out. What an item holds is lent and not copied: a mean of twelve readings
/// needs no second column of them.
pub(super) fn walk<'a, N: Num>(node: &Node, context: &Context<'a, N>) -> Result<Seen<'a, N>, EvalError> {
    let made = match &node.op {
        Op::Item(i) => {
            return context.value(*i).map(Cow::Borrowed).ok_or(EvalError::Missing(*i));
        }
        Op::Call(function, args) => return call(*function, args, context),
        Op::Number(v, _) => Value::Scalar(N::exact(*v)),
        Op::Pi => Value::Scalar(N::exact(context.pi)),
        Op::Parameter(k, _) => match context.parameters.get(*k) {
            Some(v) => Value::Scalar(N::exact(*v)),
            None => return Err(EvalError::Undefined("a parameter stands outside its fit")),
        },
        Op::Is(item, word, _) => is(*item, *word, context)?,
        Op::Negative(a) => map(&*walk(a, context)?, context, |x| Ok(x.map(-x.value(), -1.0)))?,
        Op::Binary(op, a, b) => {
            let (a, b) = (walk(a, context)?, walk(b, context)?);
            zip(&a, &b, context, |x, y| binary(*op, x, y))?
        }
        Op::Compare(op, a, b) => {
            let (a, b) = (walk(a, context)?, walk(b, context)?);
            zip(&a, &b, context, |x, y| Ok(N::exact(f64::from(u8::from(op.holds(x.value(), y.value()))))))?
        }
    };
    Ok(Cow::Owned(made))
}

/// 1 where an item's word is the one asked for, by its number in the item's list, and 0 elsewhere.
///
/// A gap in a column of words is a gap.
fn is<N: Num>(item: ItemId, word: u32, context: &Context<'_, N>) -> Result<Value<N>, EvalError> {
    let is = |w: &u32| N::exact(f64::from(u8::from(*w == word)));
    match context.value(item) {
        Some(Value::Word(w)) => Ok(Value::Scalar(is(w))),
        Some(Value::Words(ws)) => Ok(Value::Column(ws.iter().map(|w| w.as_ref().map(is)).collect())),
        _ => Err(EvalError::Missing(item)),
    }
}

/// In a column a row that is not defined becomes a gap; a column of nothing but such rows says why
/// of the first.
///
/// A gap that was there before is no error.
fn rows<N>(out: impl Iterator<Item = Option<Result<N, EvalError>>>) -> Result<Value<N>, EvalError> {
    let (mut any, mut first) = (false, None);
    let one = |row: Option<Result<N, EvalError>>| match row {
        Some(Err(e)) => {
            first.get_or_insert(e);
            None
        }
        Some(Ok(n)) => {
            any = true;
            Some(n)
        }
        None => {
            any = true;
            None
        }
    };
    let column = out.map(one).collect();
    match first {
        Some(e) if !any => Err(e),
        _ => Ok(Value::Column(column)),
    }
}

/// A word where a number belongs.
const NOT_NUMBERS: EvalError = EvalError::Undefined("a word stands where a number is needed");

/// A function of each row of a value; a gap stays a gap.
///
/// Of a column the rows are worked out one by one.
fn map<N: Num>(
    v: &Value<N>,
    context: &Context<'_, N>,
    f: impl Fn(&N) -> Result<N, EvalError>,
) -> Result<Value<N>, EvalError> {
    let one = |x: &N| finish(f(x)?, context);
    match v {
        Value::Scalar(x) => Ok(Value::Scalar(one(x)?)),
        Value::Column(xs) => rows(xs.iter().map(|x| x.as_ref().map(one))),
        _ => Err(NOT_NUMBERS),
    }
}

/// A function of two values, row by row where either is a column; a single value goes with every
/// row.
///
/// Two columns need as many rows as each other.
fn zip<N: Num>(
    a: &Value<N>,
    b: &Value<N>,
    context: &Context<'_, N>,
    f: impl Fn(&N, &N) -> Result<N, EvalError>,
) -> Result<Value<N>, EvalError> {
    let one = |x: &N, y: &N| finish(f(x, y)?, context);
    match (a, b) {
        (Value::Scalar(x), Value::Scalar(y)) => Ok(Value::Scalar(one(x, y)?)),
        (Value::Column(xs), Value::Scalar(y)) => rows(xs.iter().map(|x| x.as_ref().map(|x| one(x, y)))),
        (Value::Scalar(x), Value::Column(ys)) => rows(ys.iter().map(|y| y.as_ref().map(|y| one(x, y)))),
        (Value::Column(xs), Value::Column(ys)) => {
            if xs.len() != ys.len() {
                return Err(EvalError::Undefined("two columns have different numbers of rows"));
            }
            rows(xs.iter().zip(ys).map(|(x, y)| x.as_ref().zip(y.as_ref()).map(|(x, y)| one(x, y))))
        }
        _ => Err(NOT_NUMBERS),
    }
}

/// An operator on two numbers. A division by nought and a power that is not real are undefined and
/// not infinite.
///
/// The value may still be beyond all numbers; that is asked when it is finished.
fn binary<N: Num>(op: Operator, x: &N, y: &N) -> Result<N, EvalError> {
    match op {
        Operator::Add => Ok(x.add(y)),
        Operator::Subtract => Ok(x.sub(y)),
        Operator::Multiply => Ok(x.mul(y)),
        Operator::Divide if y.value() == 0.0 => Err(EvalError::Undefined("it divides by zero")),
        Operator::Divide => Ok(x.div(y)),
        Operator::Power => power(x, y),
    }
}

/// xʸ with its derivatives by both.
///
/// Where the base is negative the derivative by the exponent is nought: the exponent is a whole
/// number there.
fn power<N: Num>(x: &N, y: &N) -> Result<N, EvalError> {
    let (base, exponent) = (x.value(), y.value());
    let result = base.powf(exponent);
    if base == 0.0 && exponent < 0.0 {
        return Err(EvalError::Undefined("it divides by zero"));
    }
    if result.is_nan() {
        return Err(EvalError::Undefined("a negative number has no such power"));
    }
    let by_base = if exponent == 0.0 { 0.0 } else { exponent * base.powf(exponent - 1.0) };
    let by_exponent = if base > 0.0 { result * base.ln() } else { 0.0 };
    Ok(N::combine(result, &[(x, by_base), (y, by_exponent)]))
}

/// A function's value: those of columns in [`super::vector`], curves in [`super::fit`], the others
/// here row by row.
///
/// Arguments are worked out only where they are needed: of a choice with one condition one branch.
fn call<'a, N: Num>(function: Function, args: &[Node], context: &Context<'a, N>) -> Result<Seen<'a, N>, EvalError> {
    use Function::*;
    let value = |i: usize| walk(&args[i], context);
    let made = match function {
        Fit | FitError => fit::fitted(function, args, context, (walk, walk)),
        f if f.reduces() || f.makes_column() => vector::call(f, args, context, walk),
        RowNumber => match &*value(0)? {
            Value::Column(xs) => Ok(Value::Column(
                xs.iter().enumerate().map(|(i, x)| x.as_ref().map(|_| N::exact((i + 1) as f64))).collect(),
            )),
            _ => Err(NOT_NUMBERS),
        },
        Only => only(&*value(0)?, &*value(1)?),
        If => match &*value(0)? {
            Value::Scalar(c) => return value(if c.value() != 0.0 { 1 } else { 2 }),
            Value::Column(cs) => {
                let (a, b) = (value(1), value(2));
                let pick =
                    |v: &Result<Seen<'a, N>, EvalError>, i: usize| v.as_ref().ok().and_then(|v| v.at(Some(i)).cloned());
                Ok(Value::Column(
                    cs.iter()
                        .enumerate()
                        .map(|(i, c)| c.as_ref().and_then(|c| pick(if c.value() != 0.0 { &a } else { &b }, i)))
                        .collect(),
                ))
            }
            _ => Err(NOT_NUMBERS),
        },
        Not => map(&*value(0)?, context, |x| Ok(N::exact(f64::from(u8::from(x.value() == 0.0))))),
        And | Or => zip(&*value(0)?, &*value(1)?, context, |x, y| {
            let (x, y) = (x.value() != 0.0, y.value() != 0.0);
            Ok(N::exact(f64::from(u8::from(if function == And { x && y } else { x || y }))))
        }),
        Atan2 => zip(&*value(0)?, &*value(1)?, context, |y, x| {
            let (b, a) = (y.value(), x.value());
            let r2 = a * a + b * b;
            if r2 == 0.0 {
                return Err(EvalError::Undefined("the direction of a zero vector"));
            }
            // d atan2(y, x) = (x dy − y dx)/r².
            Ok(N::combine(b.atan2(a), &[(y, a / r2), (x, -b / r2)]))
        }),
        // Points are kept as thermodynamic temperatures already.
        Kelvin => return value(0),
        _ => map(&*value(0)?, context, |x| unary(function, x)),
    };
    made.map(Cow::Owned)
}

/// The rows of a column where a condition holds; all of them or none where it is a single one.
///
/// The columns keep their length; rows that do not count become gaps.
fn only<N: Num>(xs: &Value<N>, keep: &Value<N>) -> Result<Value<N>, EvalError> {
    let holds = |k: &N| k.value() != 0.0;
    let kept = |x: &Option<N>, so: bool| x.as_ref().filter(|_| so).cloned();
    match (xs, keep) {
        (Value::Column(xs), Value::Column(keep)) if xs.len() == keep.len() => {
            let row = |(x, k): (&Option<N>, &Option<N>)| kept(x, k.as_ref().is_some_and(holds));
            Ok(Value::Column(xs.iter().zip(keep).map(row).collect()))
        }
        (Value::Column(xs), Value::Scalar(keep)) => {
            Ok(Value::Column(xs.iter().map(|x| kept(x, holds(keep))).collect()))
        }
        _ => Err(EvalError::Undefined("two columns have different numbers of rows")),
    }
}

/// A function of one number with its derivative, which carries the uncertainty through it. Angles
/// are in radians.
///
/// Outside of where a function is defined it says so in words.
fn unary<N: Num>(function: Function, x: &N) -> Result<N, EvalError> {
    let v = x.value();
    let fail = |why| Err(EvalError::Undefined(why));
    Ok(match function {
        Function::Sqrt if v < 0.0 => return fail("a negative number has no square root"),
        Function::Sqrt => {
            let r = v.sqrt();
            x.map(r, if r == 0.0 { 0.0 } else { 0.5 / r })
        }
        Function::Exp => x.map_places(v.exp(), v.exp()),
        Function::Round => x.map(v.round(), 0.0),
        Function::Ln if v <= 0.0 => return fail("only a positive number has a logarithm"),
        Function::Ln => x.map_places(v.ln(), 1.0 / v),
        Function::Log10 if v <= 0.0 => return fail("only a positive number has a logarithm"),
        Function::Log10 => x.map_places(v.log10(), 1.0 / (v * std::f64::consts::LN_10)),
        Function::Sin => x.map_places(v.sin(), v.cos()),
        Function::Cos => x.map_places(v.cos(), -v.sin()),
        Function::Tan => x.map_places(v.tan(), 1.0 / v.cos().powi(2)),
        Function::Asin | Function::Acos if v.abs() > 1.0 => return fail("no angle has that sine or cosine"),
        Function::Asin => x.map_places(v.asin(), 1.0 / (1.0 - v * v).sqrt().max(f64::MIN_POSITIVE)),
        Function::Acos => x.map_places(v.acos(), -1.0 / (1.0 - v * v).sqrt().max(f64::MIN_POSITIVE)),
        Function::Atan => x.map_places(v.atan(), 1.0 / (1.0 + v * v)),
        _ => x.map(v.abs(), if v < 0.0 { -1.0 } else { 1.0 }),
    })
}
