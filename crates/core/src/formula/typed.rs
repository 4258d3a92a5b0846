//! What a call gives: its dimension, nature and shape, or what is wrong with an argument.
//!
//! A function is typed before it is ever worked out: how many arguments it takes, which of them are
//! columns, conditions or pure numbers, and the dimension of what comes of it. So `sin(12[mm])` is
//! refused when the lab is loaded, with the place of the argument.

use std::ops::Range;

use super::FormulaError;
use super::function::Function;
use super::node::{Node, Op, Shape};
use crate::quantity::{Dimension, Nature};

/// What a call gives.
///
/// It is what a node of the call will have.
pub(super) struct Typed {
    /// Dimension of the value.
    pub(super) dimension: Dimension,
    /// Whether it is an amount or a point on a scale.
    pub(super) nature: Nature,
    /// Whether it is a condition.
    pub(super) truth: bool,
    /// One value, or the rows of a table.
    pub(super) shape: Shape,
}

/// Types a call, or says what is wrong with an argument.
///
/// Errors are those of the first argument at fault.
pub(super) fn typed(function: Function, args: &[Node], span: &Range<usize>) -> Result<Typed, FormulaError> {
    use Function::*;
    let call = Call { function, args, span };
    call.count()?;
    if function.reduces() || function.makes_column() || matches!(function, RowNumber | Only) {
        call.column(0)?;
    }
    call.numbers()?;
    let shape = if function.reduces() { Shape::Scalar } else { call.joined_shape()? };
    // Columns that a reduction takes together have to be of one table all the same.
    call.one_table()?;
    let out = Typed { dimension: args[0].dimension, nature: Nature::Plain, truth: false, shape };
    match function {
        Count | Mean | MeanOver(_) | Min | Max | Median | First | Last | Sum | Cumsum | Sd | Sem | Range | Abs
        | Diff | WeightedMean | Row | Only | Cumprod | RowNumber | Sorted | AtMax | AtMin => call.of_columns(out),
        Sqrt | Exp | Ln | Log10 | Round | Kelvin => call.of_numbers(out),
        Sin | Cos | Tan | Asin | Acos | Atan | Atan2 => call.of_angles(out),
        If | And | Or | Not => call.of_conditions(out),
        Slope | SlopeOrigin | SlopeEnds | SlopeError | Intercept | InterceptError | ResidualSd => call.of_lines(out),
        // A fit is checked with the names of its parameters.
        Interp | Equivalence | EquivalenceTangents | Fit | FitError => call.of_curves(out),
    }
}

/// It is passed to the checks of one argument each.
struct Call<'a> {
    /// The function.
    function: Function,
    /// Its arguments, typed.
    args: &'a [Node],
    /// Its bytes in the formula.
    span: &'a Range<usize>,
}

impl Call<'_> {
    /// Whether there are as many arguments as the function takes.
    ///
    /// Functions with a last argument that may be left out take one or two.
    fn count(&self) -> Result<(), FormulaError> {
        let (least, most) = self.function.arity();
        if (least..=most).contains(&self.args.len()) {
            return Ok(());
        }
        let wanted = if least == most { least.to_string() } else { format!("{least} or {most}") };
        let plural = if most == 1 { "" } else { "s" };
        Err(FormulaError::new(
            self.span.clone(),
            format!("{}() takes {wanted} value{plural}, not {}", self.function.name(), self.args.len()),
            "give it exactly that many",
        ))
    }

    /// Whether no condition stands where a number is needed.
    ///
    /// `only(x, x > 3)` takes a condition as its second argument, and the logical functions take
    /// nothing else.
    fn numbers(&self) -> Result<(), FormulaError> {
        use Function::*;
        if matches!(self.function, And | Or | Not | If) {
            return Ok(());
        }
        let condition = |(i, a): (usize, &Node)| a.truth && !(self.function == Only && i == 1);
        match self.args.iter().enumerate().position(condition) {
            None => Ok(()),
            Some(i) => Err(self.fault(
                i,
                format!("{}() takes a number, this is a condition", self.function.name()),
                "use if(…, …, …) to make a number of it",
            )),
        }
    }

    /// What makes one value of a column, or another column.
    ///
    /// A spread of Celsius points is an amount, their mean a point.
    fn of_columns(&self, mut out: Typed) -> Result<Typed, FormulaError> {
        use Function::*;
        let first = &self.args[0];
        match self.function {
            Count | RowNumber => out.dimension = Dimension::ONE,
            Cumprod => self.need(0, Dimension::ONE, "pure numbers")?,
            AtMax | AtMin => {
                self.column(1)?;
                out.nature = first.nature;
            }
            Sum | Cumsum | Abs => {
                self.no_point(0)?;
                out.nature = first.nature;
            }
            Sd | Sem | Range => {}
            Diff => {
                if let Shape::Column(group) = first.shape {
                    out.shape = Shape::Column(group.saturating_add(Shape::SHORTER));
                }
            }
            WeightedMean => {
                self.column(1)?;
                out.nature = first.nature;
            }
            Row => {
                self.row_number()?;
                out.nature = first.nature;
            }
            Only => {
                self.condition(1)?;
                (out.nature, out.shape) = (first.nature, first.shape);
            }
            _ => out.nature = first.nature,
        }
        Ok(out)
    }

    /// The second argument of `row()` is a whole number written out: which row is meant may not
    /// depend on what was read.
    fn row_number(&self) -> Result<(), FormulaError> {
        match self.args[1].op {
            Op::Number(n, _) if n.fract() == 0.0 && (1.0..=10_000.0).contains(&n) => Ok(()),
            _ => Err(self.fault(1, "row() takes a whole number from 1, written out", "write it like row(x, 3)")),
        }
    }

    /// What takes a number and gives one.
    ///
    /// A root halves the exponents of a dimension; a logarithm is of a pure number.
    fn of_numbers(&self, mut out: Typed) -> Result<Typed, FormulaError> {
        let first = &self.args[0];
        match self.function {
            Function::Sqrt => {
                self.no_point(0)?;
                out.dimension = first.dimension.root().ok_or_else(|| {
                    let what = format!("{} has no square root", first.dimension);
                    self.fault(0, what, "every exponent of the dimension must be even")
                })?;
            }
            Function::Kelvin if first.nature != Nature::Point => {
                let mend = "leave it away for what is in kelvin already";
                return Err(self.fault(0, "kelvin() takes a temperature in °C", mend));
            }
            Function::Kelvin => {}
            _ => {
                self.need(0, Dimension::ONE, "a pure number")?;
                out.dimension = Dimension::ONE;
            }
        }
        Ok(out)
    }

    /// What takes an angle or gives one.
    ///
    /// Angles come out in radians.
    fn of_angles(&self, mut out: Typed) -> Result<Typed, FormulaError> {
        use Function::*;
        match self.function {
            Sin | Cos | Tan => {
                self.need(0, Dimension::ANGLE, "an angle")?;
                out.dimension = Dimension::ONE;
            }
            Atan2 if self.args[0].dimension != self.args[1].dimension => {
                let what = "atan2() needs two values of one dimension";
                return Err(FormulaError::new(self.span.clone(), what, "convert one of them"));
            }
            Atan2 => out.dimension = Dimension::ANGLE,
            _ => {
                self.need(0, Dimension::ONE, "a pure number")?;
                out.dimension = Dimension::ANGLE;
            }
        }
        Ok(out)
    }

    /// What asks whether something holds.
    ///
    /// Both values of a choice are of one kind.
    fn of_conditions(&self, mut out: Typed) -> Result<Typed, FormulaError> {
        if self.function != Function::If {
            (0..self.args.len()).try_for_each(|i| self.condition(i))?;
            (out.dimension, out.truth) = (Dimension::ONE, true);
            return Ok(out);
        }
        self.condition(0)?;
        let (a, b) = (&self.args[1], &self.args[2]);
        if a.dimension != b.dimension || a.nature != b.nature || a.truth != b.truth {
            let what = format!("the two values of if() differ: {} and {}", a.dimension, b.dimension);
            return Err(self.fault(2, what, "both need the same dimension"));
        }
        (out.dimension, out.nature, out.truth) = (a.dimension, a.nature, a.truth);
        Ok(out)
    }

    /// What comes of a fitted line.
    ///
    /// The slope of y over x has the dimension of y/x.
    fn of_lines(&self, mut out: Typed) -> Result<Typed, FormulaError> {
        use Function::*;
        self.column(1)?;
        if self.args.len() > 2 {
            self.column(2)?;
        }
        let (x, y) = (&self.args[0], &self.args[1]);
        match self.function {
            SlopeOrigin => {
                self.no_point(0)?;
                self.no_point(1)?;
                out.dimension = y.dimension.over(x.dimension);
            }
            InterceptError | ResidualSd => out.dimension = y.dimension,
            Intercept => (out.dimension, out.nature) = (y.dimension, y.nature),
            _ => out.dimension = y.dimension.over(x.dimension),
        }
        Ok(out)
    }

    /// What is looked up on a curve.
    ///
    /// The ranges of tangents are volumes.
    fn of_curves(&self, mut out: Typed) -> Result<Typed, FormulaError> {
        self.column(1)?;
        let (x, y) = (&self.args[0], &self.args[1]);
        if self.function == Function::Interp {
            let at = &self.args[2];
            if at.dimension != x.dimension || at.nature != x.nature {
                let what = format!("interp() looks for {} in {}", at.dimension, x.dimension);
                return Err(self.fault(2, what, "its first and its third value need the same dimension"));
            }
            return Ok(Typed { dimension: y.dimension, nature: y.nature, shape: at.shape, ..out });
        }
        let strange = |a: &Node| a.dimension != x.dimension || a.shape != Shape::Scalar;
        if let Some(i) = (2..self.args.len()).find(|i| strange(&self.args[*i])) {
            return Err(self.fault(i, "the ends of the ranges are volumes", "write them like 2.0[mL]"));
        }
        out.dimension = x.dimension;
        Ok(out)
    }

    /// A fault at an argument, counted from 0.
    ///
    /// It is drawn under the argument.
    fn fault(&self, i: usize, what: impl Into<String>, mend: impl Into<String>) -> FormulaError {
        FormulaError::new(self.args[i].span.clone(), what, mend)
    }

    /// The argument has to be a column.
    ///
    /// `i` counts arguments from 0.
    fn column(&self, i: usize) -> Result<(), FormulaError> {
        if matches!(self.args[i].shape, Shape::Column(_)) {
            return Ok(());
        }
        let mend = "give it a reading with replicates, or a column of a table";
        Err(self.fault(i, format!("{}() needs a column of readings", self.function.name()), mend))
    }

    /// The argument has to be a condition.
    fn condition(&self, i: usize) -> Result<(), FormulaError> {
        if self.args[i].truth {
            return Ok(());
        }
        let mend = "write a comparison such as a < b, or a word such as run == \"kept\"";
        Err(self.fault(i, format!("{}() needs a condition here", self.function.name()), mend))
    }

    /// The argument has to have a dimension; `words` name it.
    ///
    /// Points are refused first, since they have the right dimension and are wrong all the same.
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

    /// The argument may not be a point on a scale.
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

    /// All arguments that are columns have to belong to one table.
    fn one_table(&self) -> Result<(), FormulaError> {
        self.joined_shape().map(|_| ())
    }
}

/// The shape of something made row by row from two.
///
/// A single value goes with every row.
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
///
/// The difference of two points is an amount.
pub(super) fn point_fault(span: Range<usize>) -> FormulaError {
    FormulaError::new(
        span,
        "a temperature in °C is a point on a scale and no amount",
        "take a difference, such as t - 0[°C], or kelvin(t)",
    )
}
