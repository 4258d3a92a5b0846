//! What a call gives: its dimension, nature and shape, or what is wrong with an argument.

use std::ops::Range;

use super::FormulaError;
use super::function::Function;
use super::node::{Node, Op, Shape};
use crate::quantity::{Dimension, Nature};

/// What a call gives.
pub(super) struct Typed {
    pub(super) dimension: Dimension,
    pub(super) nature: Nature,
    pub(super) truth: bool,
    pub(super) shape: Shape,
}

/// Types a call, or says what is wrong with an argument.
pub(super) fn typed(function: Function, args: &[Node], span: &Range<usize>) -> Result<Typed, FormulaError> {
    use Function::*;
    let (least, most) = function.arity();
    if !(least..=most).contains(&args.len()) {
        let wanted = if least == most { least.to_string() } else { format!("{least} or {most}") };
        return Err(FormulaError::new(
            span.clone(),
            format!(
                "{}() takes {wanted} value{}, not {}",
                function.name(),
                if most == 1 { "" } else { "s" },
                args.len()
            ),
            "give it exactly that many",
        ));
    }
    let call = Call { function, args, span };
    let first = &args[0];
    if function.reduces() || matches!(function, Diff | Cumsum | Only) {
        call.column(0)?;
    }
    if !matches!(function, And | Or | Not | If) {
        for (i, arg) in args.iter().enumerate().filter(|(i, _)| !(function == Only && *i == 1)) {
            if arg.truth {
                return Err(call.fault(
                    i,
                    format!("{}() takes a number, this is a condition", function.name()),
                    "use if(…, …, …) to make a number of it",
                ));
            }
        }
    }
    let mut out =
        Typed { dimension: first.dimension, nature: Nature::Plain, truth: false, shape: call.joined_shape()? };
    if function.reduces() {
        out.shape = Shape::Scalar;
    }
    match function {
        Count => out.dimension = Dimension::ONE,
        Mean | MeanOver(_) | Min | Max | Median | First | Last => out.nature = first.nature,
        Sum | Cumsum => {
            call.no_point(0)?;
            out.nature = first.nature;
        }
        Sd | Sem | Range => {}
        Abs => {
            call.no_point(0)?;
            out.nature = first.nature;
        }
        Diff => {
            out.shape = match first.shape {
                Shape::Column(group) => Shape::Column(group.saturating_add(Shape::SHORTER)),
                Shape::Scalar => Shape::Scalar,
            }
        }
        WeightedMean => {
            call.column(1)?;
            call.one_table()?;
            out.nature = first.nature;
        }
        Row => {
            match args[1].op {
                Op::Number(n, _) if n.fract() == 0.0 && (1.0..=10_000.0).contains(&n) => {}
                _ => {
                    return Err(call.fault(
                        1,
                        "row() takes a whole number from 1, written out",
                        "write it like row(x, 3)",
                    ));
                }
            }
            out.nature = first.nature;
        }
        Only => {
            call.condition(1)?;
            call.one_table()?;
            (out.nature, out.shape) = (first.nature, first.shape);
        }
        Sqrt => {
            call.no_point(0)?;
            out.dimension = first.dimension.root().ok_or_else(|| {
                call.fault(
                    0,
                    format!("{} has no square root", first.dimension),
                    "every exponent of the dimension must be even",
                )
            })?;
        }
        Exp | Ln | Log10 | Round => {
            call.need(0, Dimension::ONE, "a pure number")?;
            out.dimension = Dimension::ONE;
        }
        Sin | Cos | Tan => {
            call.need(0, Dimension::ANGLE, "an angle")?;
            out.dimension = Dimension::ONE;
        }
        Asin | Acos | Atan => {
            call.need(0, Dimension::ONE, "a pure number")?;
            out.dimension = Dimension::ANGLE;
        }
        Atan2 => {
            if args[0].dimension != args[1].dimension {
                return Err(FormulaError::new(
                    span.clone(),
                    "atan2() needs two values of one dimension",
                    "convert one of them",
                ));
            }
            out.dimension = Dimension::ANGLE;
        }
        Kelvin => {
            if first.nature != Nature::Point {
                return Err(call.fault(
                    0,
                    "kelvin() takes a temperature in °C",
                    "leave it away for what is in kelvin already",
                ));
            }
        }
        If => {
            call.condition(0)?;
            let (a, b) = (&args[1], &args[2]);
            if a.dimension != b.dimension || a.nature != b.nature || a.truth != b.truth {
                return Err(call.fault(
                    2,
                    format!("the two values of if() differ: {} and {}", a.dimension, b.dimension),
                    "both need the same dimension",
                ));
            }
            (out.dimension, out.nature, out.truth) = (a.dimension, a.nature, a.truth);
        }
        And | Or | Not => {
            for i in 0..args.len() {
                call.condition(i)?;
            }
            (out.dimension, out.truth) = (Dimension::ONE, true);
        }
        Slope | SlopeOrigin | SlopeEnds | SlopeError | Intercept | InterceptError | ResidualSd | Interp
        | Equivalence | EquivalenceTangents => {
            call.column(1)?;
            if args.len() > 2 && function.fits_line() {
                call.column(2)?;
            }
            call.one_table()?;
            let y = &args[1];
            match function {
                Slope | SlopeEnds | SlopeError => out.dimension = y.dimension.over(first.dimension),
                SlopeOrigin => {
                    call.no_point(0)?;
                    call.no_point(1)?;
                    out.dimension = y.dimension.over(first.dimension);
                }
                InterceptError | ResidualSd => out.dimension = y.dimension,
                Intercept => (out.dimension, out.nature) = (y.dimension, y.nature),
                Interp => {
                    if args[2].dimension != first.dimension || args[2].nature != first.nature {
                        return Err(call.fault(
                            2,
                            format!("interp() looks for {} in {}", args[2].dimension, first.dimension),
                            "its first and its third value need the same dimension",
                        ));
                    }
                    (out.dimension, out.nature) = (y.dimension, y.nature);
                    out.shape = args[2].shape;
                }
                _ => {
                    for (i, arg) in args.iter().enumerate().skip(2) {
                        if arg.dimension != first.dimension || arg.shape != Shape::Scalar {
                            return Err(call.fault(i, "the ends of the ranges are volumes", "write them like 2.0[mL]"));
                        }
                    }
                    out.dimension = first.dimension;
                }
            }
        }
    }
    Ok(out)
}

struct Call<'a> {
    function: Function,
    args: &'a [Node],
    span: &'a Range<usize>,
}

impl Call<'_> {
    fn fault(&self, i: usize, what: impl Into<String>, mend: impl Into<String>) -> FormulaError {
        FormulaError::new(self.args[i].span.clone(), what, mend)
    }

    fn column(&self, i: usize) -> Result<(), FormulaError> {
        if matches!(self.args[i].shape, Shape::Column(_)) {
            return Ok(());
        }
        Err(self.fault(
            i,
            format!("{}() needs a column of readings", self.function.name()),
            "give it a reading with replicates, or a column of a table",
        ))
    }

    fn condition(&self, i: usize) -> Result<(), FormulaError> {
        if self.args[i].truth {
            return Ok(());
        }
        Err(self.fault(
            i,
            format!("{}() needs a condition here", self.function.name()),
            "write a comparison such as a < b, or a word such as run == \"kept\"",
        ))
    }

    fn need(&self, i: usize, dimension: Dimension, words: &str) -> Result<(), FormulaError> {
        self.no_point(i)?;
        if self.args[i].dimension == dimension {
            return Ok(());
        }
        Err(self.fault(
            i,
            format!("{}() takes {words}, this is {}", self.function.name(), self.args[i].dimension),
            "divide by a unit, or convert it first",
        ))
    }

    fn no_point(&self, i: usize) -> Result<(), FormulaError> {
        if self.args[i].nature != Nature::Point {
            return Ok(());
        }
        Err(point_fault(self.args[i].span.clone()))
    }

    /// The shape of an elementwise call: that of its columns, which must belong to one table.
    fn joined_shape(&self) -> Result<Shape, FormulaError> {
        self.args.iter().skip(1).try_fold(self.args[0].shape, |shape, arg| join(shape, arg.shape, self.span))
    }

    fn one_table(&self) -> Result<(), FormulaError> {
        self.joined_shape().map(|_| ())
    }
}

/// The shape of something made row by row from two.
pub(super) fn join(a: Shape, b: Shape, span: &Range<usize>) -> Result<Shape, FormulaError> {
    match (a, b) {
        (Shape::Scalar, other) | (other, Shape::Scalar) => Ok(other),
        (Shape::Column(x), Shape::Column(y)) if x == y => Ok(a),
        _ => Err(FormulaError::new(
            span.clone(),
            "these columns belong to different tables",
            "take columns of one table, or a single value such as mean() of one of them",
        )),
    }
}

/// A Celsius temperature where an amount is needed.
pub(super) fn point_fault(span: Range<usize>) -> FormulaError {
    FormulaError::new(
        span,
        "a temperature in °C is a point on a scale and no amount",
        "take a difference, such as t - 0[°C], or kelvin(t)",
    )
}
