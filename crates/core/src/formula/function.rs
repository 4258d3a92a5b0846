//! The functions of the language: names, arguments, and what they do to dimensions and columns.

use std::ops::Range;

use super::FormulaError;
use super::check::{Node, Op, Shape};
use crate::quantity::{Dimension, Nature};

/// The functions. Those over a column give one value, but for `diff`, `cumsum` and `only`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Function {
    Mean,
    /// Mean with the count wrong by so many; only the diagnoser makes it.
    MeanOver(i8),
    /// Mean weighted by a second column.
    WeightedMean,
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
    /// The n-th row.
    Row,
    Diff,
    Cumsum,
    /// The rows of a column where a condition holds.
    Only,
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
    /// The nearest whole number, half away from nought.
    Round,
    /// A Celsius temperature as thermodynamic temperature.
    Kelvin,
    If,
    And,
    Or,
    Not,
    Slope,
    SlopeOrigin,
    SlopeEnds,
    Intercept,
    SlopeError,
    InterceptError,
    ResidualSd,
    Interp,
    Equivalence,
    EquivalenceTangents,
}

/// What `docs/protocols.md` says of a function: how it is called and what it gives.
pub struct Described {
    /// Name.
    pub name: &'static str,
    /// The function.
    pub function: Function,
    /// Arguments in words.
    pub takes: &'static str,
    /// What it gives, and by which rule.
    pub gives: &'static str,
}

/// All functions by name.
pub const FUNCTIONS: [Described; 44] = {
    use Function::*;
    const fn d(name: &'static str, function: Function, takes: &'static str, gives: &'static str) -> Described {
        Described { name, function, takes, gives }
    }
    [
        d("mean", Mean, "column", "arithmetic mean"),
        d("wmean", WeightedMean, "column, weights", "Σwx/Σw"),
        d("sum", Sum, "column", "sum"),
        d("count", Count, "column", "number of readings present"),
        d("min", Min, "column", "smallest"),
        d("max", Max, "column", "largest"),
        d("median", Median, "column", "middle value, or the mean of the two middle ones"),
        d("sd", Sd, "column", "sample standard deviation, n − 1"),
        d("sem", Sem, "column", "sd/√n, the standard uncertainty of the mean (GUM 4.2.3)"),
        d("range", Range, "column", "largest − smallest"),
        d("first", First, "column", "first reading present"),
        d("last", Last, "column", "last reading present"),
        d("row", Row, "column, number", "the reading in that row, from 1"),
        d("diff", Diff, "column", "each row less the one before; one row fewer"),
        d("cumsum", Cumsum, "column", "running sum"),
        d("only", Only, "column, condition", "the column where the condition holds, gaps elsewhere"),
        d("sqrt", Sqrt, "value", "square root; every exponent of the dimension must be even"),
        d("exp", Exp, "pure number", "e to that power"),
        d("ln", Ln, "pure number", "natural logarithm"),
        d("log10", Log10, "pure number", "common logarithm"),
        d("sin", Sin, "angle", "sine"),
        d("cos", Cos, "angle", "cosine"),
        d("tan", Tan, "angle", "tangent"),
        d("asin", Asin, "pure number", "angle from −90° to 90°"),
        d("acos", Acos, "pure number", "angle from 0° to 180°"),
        d("atan", Atan, "pure number", "angle from −90° to 90°"),
        d("atan2", Atan2, "y, x of one dimension", "angle of the point (x, y)"),
        d("abs", Abs, "value", "size without sign"),
        d("round", Round, "pure number", "the nearest whole number"),
        d("kelvin", Kelvin, "temperature in °C", "thermodynamic temperature"),
        d("if", If, "condition, value, value", "the first value where the condition holds, else the second"),
        d("and", And, "condition, condition", "whether both hold"),
        d("or", Or, "condition, condition", "whether one holds"),
        d("not", Not, "condition", "whether it does not hold"),
        d("slope", Slope, "x, y [, weights]", "slope of the least-squares line y on x"),
        d("slope0", SlopeOrigin, "x, y [, weights]", "slope of the least-squares line through the origin"),
        d("slope_ends", SlopeEnds, "x, y", "slope through the first and the last point"),
        d("intercept", Intercept, "x, y [, weights]", "intercept of the least-squares line y on x"),
        d("slope_se", SlopeError, "x, y [, weights]", "standard error of the slope, scaled by the residuals"),
        d("intercept_se", InterceptError, "x, y [, weights]", "standard error of the intercept"),
        d("residual_sd", ResidualSd, "x, y [, weights]", "standard deviation of the residuals, n − 2"),
        d("interp", Interp, "x, y, at", "y at x = at, on the straight line between neighbours; never outside"),
        d("equivalence", Equivalence, "volume, pH", "volume at which the second derivative of the curve is nought"),
        d(
            "equivalence_tangents",
            EquivalenceTangents,
            "volume, pH, from, to, from, to",
            "volume at which the curve crosses midway between the lines through two ranges",
        ),
    ]
};

impl Function {
    /// The function of a name.
    pub fn named(name: &str) -> Option<Function> {
        FUNCTIONS.iter().find(|d| d.name == name).map(|d| d.function)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Function::MeanOver(_) => "mean",
            f => FUNCTIONS.iter().find(|d| d.function == f).map_or("", |d| d.name),
        }
    }

    /// Whether its first argument is a column that becomes one value.
    pub fn reduces(self) -> bool {
        use Function::*;
        matches!(
            self,
            Mean | MeanOver(_)
                | WeightedMean
                | Sum
                | Count
                | Min
                | Max
                | Median
                | Sd
                | Sem
                | Range
                | First
                | Last
                | Row
                | Slope
                | SlopeOrigin
                | SlopeEnds
                | Intercept
                | SlopeError
                | InterceptError
                | ResidualSd
                | Interp
                | Equivalence
                | EquivalenceTangents
        )
    }

    /// Whether a row of its value depends on other rows of its argument.
    pub fn mixes_rows(self) -> bool {
        self.reduces() || matches!(self, Function::Diff | Function::Cumsum)
    }

    /// A fit of a straight line.
    pub fn fits_line(self) -> bool {
        use Function::*;
        matches!(self, Slope | SlopeOrigin | SlopeEnds | Intercept | SlopeError | InterceptError | ResidualSd)
    }

    /// Least and most arguments.
    fn arity(self) -> (usize, usize) {
        use Function::*;
        match self {
            Atan2 | And | Or | Only | Row | WeightedMean | SlopeEnds | Equivalence => (2, 2),
            Slope | SlopeOrigin | Intercept | SlopeError | InterceptError | ResidualSd => (2, 3),
            If | Interp => (3, 3),
            EquivalenceTangents => (6, 6),
            _ => (1, 1),
        }
    }
}

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
