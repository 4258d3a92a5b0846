//! [`Ast`] → [`Node`]: names resolved, dimensions and shapes settled. A node can only be made here or by the
//! diagnoser's mutations, which keep a tree evaluable but not its dimensions (a mistake need not respect them).

use std::ops::Range;

use super::FormulaError;
use super::ast::{Ast, AstKind, Operator};
use crate::quantity::{Dimension, Unit};

/// A checked piece: coherent SI values throughout.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// What it does.
    pub op: Op,
    /// Its dimension.
    pub dimension: Dimension,
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
    /// A column, in the order of its rows.
    Column,
}

/// What a node does.
#[derive(Clone, Debug, PartialEq)]
pub enum Op {
    /// An exact number in coherent SI units; the text as typed, with its unit.
    Number(f64, String),
    /// π.
    Pi,
    /// A reading, constant or result, by its number in the table of items.
    Item(usize),
    /// Sign turned.
    Negative(Box<Node>),
    /// Operator on two nodes.
    Binary(Operator, Box<Node>, Box<Node>),
    /// A function.
    Call(Function, Vec<Node>),
}

/// The functions. Those over a column give one value, but for `diff` and `cumsum`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Function {
    Mean,
    /// Mean with the count wrong by so many; only the diagnoser makes it.
    MeanOver(i8),
    Sum,
    Count,
    Min,
    Max,
    Median,
    Sd,
    Sem,
    Range,
    First,
    Last,
    Diff,
    Cumsum,
    Sqrt,
    Exp,
    Ln,
    Log10,
    Sin,
    Cos,
    Tan,
    Asin,
    Acos,
    Atan,
    Atan2,
    Abs,
}

impl Function {
    const NAMED: [(&'static str, Function); 25] = {
        use Function::*;
        [
            ("mean", Mean),
            ("sum", Sum),
            ("count", Count),
            ("min", Min),
            ("max", Max),
            ("median", Median),
            ("sd", Sd),
            ("sem", Sem),
            ("range", Range),
            ("first", First),
            ("last", Last),
            ("diff", Diff),
            ("cumsum", Cumsum),
            ("sqrt", Sqrt),
            ("exp", Exp),
            ("ln", Ln),
            ("log10", Log10),
            ("sin", Sin),
            ("cos", Cos),
            ("tan", Tan),
            ("asin", Asin),
            ("acos", Acos),
            ("atan", Atan),
            ("atan2", Atan2),
            ("abs", Abs),
        ]
    };

    /// The function of a name.
    pub fn named(name: &str) -> Option<Function> {
        Self::NAMED.iter().find(|(n, _)| *n == name).map(|(_, f)| *f)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Function::MeanOver(_) => "mean",
            f => Self::NAMED.iter().find(|(_, g)| *g == f).map_or("", |(n, _)| n),
        }
    }

    fn over_column(self) -> bool {
        use Function::*;
        matches!(
            self,
            Mean | MeanOver(_) | Sum | Count | Min | Max | Median | Sd | Sem | Range | First | Last | Diff | Cumsum
        )
    }
}

/// What a name stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Symbol {
    /// Number in the table of items.
    pub item: usize,
    /// Dimension.
    pub dimension: Dimension,
    /// One value or a column.
    pub shape: Shape,
}

/// Checks a tree against the names in `resolve`.
///
/// # Errors
/// A [`FormulaError`] under the offending piece: unknown name or function, wrong number of arguments, dimensions that
/// do not fit, a column where one value is needed or the reverse.
pub fn check(ast: &Ast, resolve: &dyn Fn(&str) -> Option<Symbol>) -> Result<Node, FormulaError> {
    let span = ast.span.clone();
    let node = |op, dimension, shape| Node { op, dimension, shape, span: span.clone() };
    match &ast.kind {
        AstKind::Number { text, unit } => {
            let value: f64 = text.parse().unwrap_or(0.0);
            match unit {
                None => Ok(node(Op::Number(value, text.clone()), Dimension::ONE, Shape::Scalar)),
                Some(unit) => {
                    let unit = Unit::parse(unit).map_err(|e| {
                        FormulaError::new(span.clone(), e.to_string(), "write a unit such as [mm] or [g/cm^3]")
                    })?;
                    let op = Op::Number(value * unit.factor, format!("{text} {}", unit.text));
                    Ok(node(op, unit.dimension, Shape::Scalar))
                }
            }
        }
        AstKind::Name(name) if name == "pi" || name == "π" => Ok(node(Op::Pi, Dimension::ONE, Shape::Scalar)),
        AstKind::Name(name) => match resolve(name) {
            Some(symbol) => Ok(node(Op::Item(symbol.item), symbol.dimension, symbol.shape)),
            None => Err(FormulaError::new(
                span,
                format!("`{name}` is not known here"),
                "declare it as a reading, reference, constant or result, or mend its spelling",
            )),
        },
        AstKind::Negative(inner) => {
            let inner = check(inner, resolve)?;
            let (dimension, shape) = (inner.dimension, inner.shape);
            Ok(node(Op::Negative(Box::new(inner)), dimension, shape))
        }
        AstKind::Binary(op, left, right) => {
            let (left, right) = (check(left, resolve)?, check(right, resolve)?);
            let shape =
                if left.shape == Shape::Column || right.shape == Shape::Column { Shape::Column } else { Shape::Scalar };
            let dimension = match op {
                Operator::Add | Operator::Subtract => {
                    if left.dimension != right.dimension {
                        let (verb, joint) = if *op == Operator::Add { ("add", "to") } else { ("subtract", "from") };
                        return Err(FormulaError::new(
                            span,
                            format!("cannot {verb} {} {joint} {}", right.dimension, left.dimension),
                            "both sides need the same dimension",
                        ));
                    }
                    left.dimension
                }
                Operator::Multiply => left.dimension.times(right.dimension),
                Operator::Divide => left.dimension.over(right.dimension),
                Operator::Power => power_dimension(&left, &right)?,
            };
            Ok(node(Op::Binary(*op, Box::new(left), Box::new(right)), dimension, shape))
        }
        AstKind::Call(name, args) => {
            let function = Function::named(name).ok_or_else(|| {
                FormulaError::new(
                    span.start..span.start + name.len(),
                    format!("there is no function `{name}`"),
                    "see the list of functions in docs/protocols.md",
                )
            })?;
            let args = args.iter().map(|a| check(a, resolve)).collect::<Result<Vec<_>, _>>()?;
            let (dimension, shape) = call_type(function, &args, &span)?;
            Ok(node(Op::Call(function, args), dimension, shape))
        }
    }
}

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
    let literal = match &exponent.op {
        Op::Number(v, _) => Some(*v),
        Op::Negative(inner) => match inner.op {
            Op::Number(v, _) => Some(-v),
            _ => None,
        },
        _ => None,
    };
    match literal {
        Some(v) if v.fract() == 0.0 && v.abs() <= 12.0 => Ok(base.dimension.power(v as i8)),
        _ => Err(FormulaError::new(
            exponent.span.clone(),
            format!("{} can only be raised to a whole number written out", base.dimension),
            "write the exponent as a number, or use sqrt()",
        )),
    }
}

fn call_type(function: Function, args: &[Node], span: &Range<usize>) -> Result<(Dimension, Shape), FormulaError> {
    use Function::*;
    let wanted = if function == Atan2 { 2 } else { 1 };
    if args.len() != wanted {
        return Err(FormulaError::new(
            span.clone(),
            format!(
                "{}() takes {wanted} value{}, not {}",
                function.name(),
                if wanted == 1 { "" } else { "s" },
                args.len()
            ),
            "give it exactly that many",
        ));
    }
    let first = &args[0];
    if function.over_column() && first.shape != Shape::Column {
        return Err(FormulaError::new(
            first.span.clone(),
            format!("{}() needs a column of readings", function.name()),
            "give it a reading with replicates",
        ));
    }
    let need = |dimension: Dimension, words: &str| {
        if first.dimension == dimension {
            Ok(())
        } else {
            Err(FormulaError::new(
                first.span.clone(),
                format!("{}() takes {words}, this is {}", function.name(), first.dimension),
                "divide by a unit, or convert it first",
            ))
        }
    };
    let dimension = match function {
        Count => Dimension::ONE,
        Mean | MeanOver(_) | Sum | Min | Max | Median | Sd | Sem | Range | First | Last | Diff | Cumsum | Abs => {
            first.dimension
        }
        Sqrt => first.dimension.root().ok_or_else(|| {
            FormulaError::new(
                first.span.clone(),
                format!("{} has no square root", first.dimension),
                "every exponent of the dimension must be even",
            )
        })?,
        Exp | Ln | Log10 => {
            need(Dimension::ONE, "a pure number")?;
            Dimension::ONE
        }
        Sin | Cos | Tan => {
            need(Dimension::ANGLE, "an angle")?;
            Dimension::ONE
        }
        Asin | Acos | Atan => {
            need(Dimension::ONE, "a pure number")?;
            Dimension::ANGLE
        }
        Atan2 => {
            if args[0].dimension != args[1].dimension {
                return Err(FormulaError::new(
                    span.clone(),
                    "atan2() needs two values of one dimension",
                    "convert one of them",
                ));
            }
            Dimension::ANGLE
        }
    };
    let column_out =
        matches!(function, Diff | Cumsum) || (!function.over_column() && args.iter().any(|a| a.shape == Shape::Column));
    Ok((dimension, if column_out { Shape::Column } else { Shape::Scalar }))
}

impl Node {
    /// Every item the tree uses, in order of appearance, each once.
    pub fn items(&self) -> Vec<usize> {
        fn walk(node: &Node, out: &mut Vec<usize>) {
            match &node.op {
                Op::Item(i) if !out.contains(i) => out.push(*i),
                Op::Negative(a) => walk(a, out),
                Op::Binary(_, a, b) => {
                    walk(a, out);
                    walk(b, out);
                }
                Op::Call(_, args) => args.iter().for_each(|a| walk(a, out)),
                _ => {}
            }
        }
        let mut out = Vec::new();
        walk(self, &mut out);
        out
    }
}
