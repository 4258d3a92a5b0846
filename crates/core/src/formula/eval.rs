//! Evaluation of a checked tree over any kind of number: plain, with derivatives, or with significant figures.

use super::ast::Operator;
use super::check::{Function, Node, Op};

/// A kind of number a tree can be evaluated over.
pub trait Num: Clone {
    /// An exact constant.
    fn exact(value: f64) -> Self;
    /// The plain value.
    fn value(&self) -> f64;
    /// Sum.
    fn add(&self, other: &Self) -> Self;
    /// Difference.
    fn sub(&self, other: &Self) -> Self;
    /// Product.
    fn mul(&self, other: &Self) -> Self;
    /// Quotient; the divisor is not zero.
    fn div(&self, other: &Self) -> Self;
    /// A function of one value: its result and its derivative there.
    fn map(&self, result: f64, derivative: f64) -> Self;
    /// Arithmetic mean of at least one value.
    fn mean(values: &[Self]) -> Self {
        sum(values).div(&Self::exact(values.len() as f64))
    }
    /// After each operation: rounds if the arithmetic rounds as it goes. Only plain numbers do.
    fn settle(self, _steps: Option<StepRounding>) -> Self {
        self
    }
}

fn sum<N: Num>(values: &[N]) -> N {
    values.iter().skip(1).fold(values[0].clone(), |a, b| a.add(b))
}

/// Arithmetic in which every operation is rounded or cut to so many significant figures.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct StepRounding {
    /// Significant figures kept after each operation.
    pub figures: i32,
    /// Cut off instead of rounded.
    pub cut: bool,
}

impl Num for f64 {
    fn exact(value: f64) -> f64 {
        value
    }
    fn value(&self) -> f64 {
        *self
    }
    fn add(&self, other: &f64) -> f64 {
        self + other
    }
    fn sub(&self, other: &f64) -> f64 {
        self - other
    }
    fn mul(&self, other: &f64) -> f64 {
        self * other
    }
    fn div(&self, other: &f64) -> f64 {
        self / other
    }
    fn map(&self, result: f64, _derivative: f64) -> f64 {
        result
    }
    fn settle(self, steps: Option<StepRounding>) -> f64 {
        match steps {
            Some(s) => crate::notation::to_figures(self, s.figures, s.cut),
            None => self,
        }
    }
}

/// One value or a column.
#[derive(Clone, Debug, PartialEq)]
pub enum Value<N> {
    /// One value.
    Scalar(N),
    /// A column, in row order.
    Column(Vec<N>),
}

/// Where values come from and how the arithmetic is done.
pub struct Context<'a, N> {
    /// Values by item number; `None` where there is none.
    pub items: &'a [Option<Value<N>>],
    /// The π in use.
    pub pi: f64,
    /// Rounding at each step, if any.
    pub steps: Option<StepRounding>,
}

impl<'a, N> Context<'a, N> {
    /// Full precision.
    pub fn exact(items: &'a [Option<Value<N>>]) -> Self {
        Context { items, pi: std::f64::consts::PI, steps: None }
    }
}

/// Why a value cannot be computed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EvalError {
    /// An item has no value: a blank reading, an upstream result that cannot be computed.
    #[error("item {0} has no value")]
    Missing(usize),
    /// `ln(-1)`, `sd` of one value, a division by zero, a result beyond all numbers.
    #[error("{0}")]
    Undefined(&'static str),
}

/// Evaluates a tree to one value.
///
/// # Errors
/// [`EvalError`] where an item is missing or the value is not defined; never a NaN or an infinity.
pub fn evaluate<N: Num>(node: &Node, context: &Context<'_, N>) -> Result<N, EvalError> {
    match walk(node, context)? {
        Value::Scalar(n) => Ok(n),
        Value::Column(_) => Err(EvalError::Undefined("a column stands where one value is needed")),
    }
}

fn walk<N: Num>(node: &Node, context: &Context<'_, N>) -> Result<Value<N>, EvalError> {
    match &node.op {
        Op::Number(v, _) => Ok(Value::Scalar(N::exact(*v))),
        Op::Pi => Ok(Value::Scalar(N::exact(context.pi))),
        Op::Item(i) => context.items.get(*i).cloned().flatten().ok_or(EvalError::Missing(*i)),
        Op::Negative(a) => map(walk(a, context)?, context, |x| Ok(x.map(-x.value(), -1.0))),
        Op::Binary(op, a, b) => {
            let (a, b) = (walk(a, context)?, walk(b, context)?);
            zip(a, b, context, |x, y| binary(*op, x, y))
        }
        Op::Call(function, args) => call(*function, args, context),
    }
}

fn finish<N: Num>(n: N, context: &Context<'_, N>) -> Result<N, EvalError> {
    let n = n.settle(context.steps);
    if n.value().is_finite() {
        Ok(n)
    } else {
        Err(EvalError::Undefined("the value is beyond what can be computed with"))
    }
}

fn map<N: Num>(
    v: Value<N>,
    context: &Context<'_, N>,
    f: impl Fn(&N) -> Result<N, EvalError>,
) -> Result<Value<N>, EvalError> {
    let one = |x: &N| finish(f(x)?, context);
    Ok(match v {
        Value::Scalar(x) => Value::Scalar(one(&x)?),
        Value::Column(xs) => Value::Column(xs.iter().map(one).collect::<Result<_, _>>()?),
    })
}

fn zip<N: Num>(
    a: Value<N>,
    b: Value<N>,
    context: &Context<'_, N>,
    f: impl Fn(&N, &N) -> Result<N, EvalError>,
) -> Result<Value<N>, EvalError> {
    let one = |x: &N, y: &N| finish(f(x, y)?, context);
    Ok(match (a, b) {
        (Value::Scalar(x), Value::Scalar(y)) => Value::Scalar(one(&x, &y)?),
        (Value::Column(xs), Value::Scalar(y)) => {
            Value::Column(xs.iter().map(|x| one(x, &y)).collect::<Result<_, _>>()?)
        }
        (Value::Scalar(x), Value::Column(ys)) => {
            Value::Column(ys.iter().map(|y| one(&x, y)).collect::<Result<_, _>>()?)
        }
        (Value::Column(xs), Value::Column(ys)) => {
            if xs.len() != ys.len() {
                return Err(EvalError::Undefined("two columns have different numbers of rows"));
            }
            Value::Column(xs.iter().zip(&ys).map(|(x, y)| one(x, y)).collect::<Result<_, _>>()?)
        }
    })
}

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

/// xⁿ by repeated multiplication for small whole n (as a person keys it, and exact in its figures), else by logarithms.
fn power<N: Num>(x: &N, y: &N) -> Result<N, EvalError> {
    let (base, exponent) = (x.value(), y.value());
    let result = base.powf(exponent);
    if base == 0.0 && exponent < 0.0 {
        return Err(EvalError::Undefined("it divides by zero"));
    }
    if result.is_nan() {
        return Err(EvalError::Undefined("a negative number has no such power"));
    }
    Ok(x.map(result, if exponent == 0.0 { 0.0 } else { exponent * base.powf(exponent - 1.0) }))
}

fn column<N: Num>(args: &[Node], context: &Context<'_, N>) -> Result<Vec<N>, EvalError> {
    match args.first().map(|a| walk(a, context)) {
        Some(Ok(Value::Column(xs))) if !xs.is_empty() => Ok(xs),
        Some(Ok(Value::Scalar(x))) => Ok(vec![x]),
        Some(Err(e)) => Err(e),
        _ => Err(EvalError::Undefined("the column has no readings")),
    }
}

fn call<N: Num>(function: Function, args: &[Node], context: &Context<'_, N>) -> Result<Value<N>, EvalError> {
    use Function::*;
    let scalar = |n: N| Ok(Value::Scalar(finish(n, context)?));
    match function {
        Mean => scalar(N::mean(&column(args, context)?)),
        MeanOver(delta) => {
            let xs = column(args, context)?;
            let count = xs.len() as f64 + f64::from(delta);
            if count <= 0.0 {
                return Err(EvalError::Undefined("it divides by zero"));
            }
            scalar(N::mean(&xs).mul(&N::exact(xs.len() as f64 / count)))
        }
        Sum => scalar(sum(&column(args, context)?)),
        Count => scalar(N::exact(column(args, context)?.len() as f64)),
        Min | Max | Median | Range => {
            let mut xs = column(args, context)?;
            xs.sort_by(|a, b| a.value().total_cmp(&b.value()));
            let n = xs.len();
            scalar(match function {
                Min => xs[0].clone(),
                Max => xs[n - 1].clone(),
                Range => xs[n - 1].sub(&xs[0]),
                _ if n % 2 == 1 => xs[n / 2].clone(),
                _ => N::mean(&xs[n / 2 - 1..=n / 2]),
            })
        }
        First => scalar(column(args, context)?[0].clone()),
        Last => column(args, context)?.pop().ok_or(EvalError::Undefined("the column has no readings")).and_then(scalar),
        Sd | Sem => {
            let xs = column(args, context)?;
            let sd = spread(&xs)?;
            scalar(if function == Sem { sd.div(&N::exact((xs.len() as f64).sqrt())) } else { sd })
        }
        Diff => {
            let xs = column(args, context)?;
            xs.windows(2).map(|w| finish(w[1].sub(&w[0]), context)).collect::<Result<_, _>>().map(Value::Column)
        }
        Cumsum => {
            let mut total: Option<N> = None;
            let mut out = Vec::new();
            for x in column(args, context)? {
                let next = finish(total.as_ref().map_or(x.clone(), |t| t.add(&x)), context)?;
                out.push(next.clone());
                total = Some(next);
            }
            Ok(Value::Column(out))
        }
        Atan2 => {
            let (y, x) = (walk(&args[0], context)?, walk(&args[1], context)?);
            zip(y, x, context, |y, x| {
                let (b, a) = (y.value(), x.value());
                let r2 = a * a + b * b;
                if r2 == 0.0 {
                    return Err(EvalError::Undefined("the direction of a zero vector"));
                }
                // d atan2(y, x) = (x dy − y dx)/r²; the second map carries dx with the value left at nought.
                Ok(y.map(b.atan2(a), a / r2).add(&x.map(0.0, -b / r2)))
            })
        }
        Sqrt | Exp | Ln | Log10 | Sin | Cos | Tan | Asin | Acos | Atan | Abs => {
            let inner = walk(&args[0], context)?;
            map(inner, context, |x| unary(function, x))
        }
    }
}

/// Sample standard deviation (n − 1), about the mean, so that no large squares cancel.
fn spread<N: Num>(xs: &[N]) -> Result<N, EvalError> {
    if xs.len() < 2 {
        return Err(EvalError::Undefined("a standard deviation needs two readings"));
    }
    let mean = N::mean(xs);
    let squares: Vec<N> = xs
        .iter()
        .map(|x| {
            let d = x.sub(&mean);
            d.mul(&d)
        })
        .collect();
    let variance = sum(&squares).div(&N::exact((xs.len() - 1) as f64));
    let root = variance.value().sqrt();
    Ok(variance.map(root, if root == 0.0 { 0.0 } else { 0.5 / root }))
}

fn unary<N: Num>(function: Function, x: &N) -> Result<N, EvalError> {
    let v = x.value();
    let fail = |why| Err(EvalError::Undefined(why));
    Ok(match function {
        Function::Sqrt if v < 0.0 => return fail("a negative number has no square root"),
        Function::Sqrt => {
            let r = v.sqrt();
            x.map(r, if r == 0.0 { 0.0 } else { 0.5 / r })
        }
        Function::Exp => x.map(v.exp(), v.exp()),
        Function::Ln if v <= 0.0 => return fail("only a positive number has a logarithm"),
        Function::Ln => x.map(v.ln(), 1.0 / v),
        Function::Log10 if v <= 0.0 => return fail("only a positive number has a logarithm"),
        Function::Log10 => x.map(v.log10(), 1.0 / (v * std::f64::consts::LN_10)),
        Function::Sin => x.map(v.sin(), v.cos()),
        Function::Cos => x.map(v.cos(), -v.sin()),
        Function::Tan => x.map(v.tan(), 1.0 / v.cos().powi(2)),
        Function::Asin | Function::Acos if v.abs() > 1.0 => return fail("no angle has that sine or cosine"),
        Function::Asin => x.map(v.asin(), 1.0 / (1.0 - v * v).sqrt().max(f64::MIN_POSITIVE)),
        Function::Acos => x.map(v.acos(), -1.0 / (1.0 - v * v).sqrt().max(f64::MIN_POSITIVE)),
        Function::Atan => x.map(v.atan(), 1.0 / (1.0 + v * v)),
        _ => x.map(v.abs(), if v < 0.0 { -1.0 } else { 1.0 }),
    })
}
