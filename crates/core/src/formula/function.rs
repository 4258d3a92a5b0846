//! The functions of the language: names, arguments, and what they do to dimensions and columns.

/// The functions. Those over a column give one value, but for `diff`, `cumsum` and `only`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Function {
    /// Arithmetic mean: `mean(level)` of 2, 4 and 6 is 4.
    Mean,
    /// Mean with the count wrong by so many; only the diagnoser makes it.
    MeanOver(i8),
    /// Mean weighted by a second column.
    WeightedMean,
    /// Sum: `sum(level)` of 2, 4 and 6 is 12.
    Sum,
    /// Readings that are there: `count(level)` of 2, a gap and 6 is 2.
    Count,
    /// Smallest: `min(level)` of 2, 4 and 6 is 2.
    Min,
    /// Largest: `max(level)` of 2, 4 and 6 is 6.
    Max,
    /// Middle value, or the mean of the two middle ones: `median(level)` of 2, 4 and 9 is 4.
    Median,
    /// Sample standard deviation, n − 1: `sd(level)` of 2, 4 and 6 is 2.
    Sd,
    /// sd/√n, the standard uncertainty of the mean: `sem(level)` of 2, 4 and 6 is 1.15.
    Sem,
    /// Largest less smallest: `range(level)` of 2, 4 and 6 is 4.
    Range,
    /// First reading that is there: `first(level)`.
    First,
    /// Last reading that is there: `last(level)`.
    Last,
    /// The n-th row.
    Row,
    /// Each row less the one before, one row fewer: `diff(level)` of 2, 4 and 7 is 2 and 3.
    Diff,
    /// Running sum: `cumsum(level)` of 2, 4 and 7 is 2, 6 and 13.
    Cumsum,
    /// Running product of pure numbers: `cumprod(share)` of 2, 4 and 0.5 is 2, 8 and 4.
    Cumprod,
    /// The number of each row that has a value, from 1: `row_number(level)` of 20, a gap and 70 is
    /// 1, a gap and 3.
    RowNumber,
    /// The values from the smallest up, gaps last: `sorted(level)` of 7, 2 and 4 is 2, 4 and 7.
    Sorted,
    /// The value in the row where a second column is largest: `at_max(volume, ph)`.
    AtMax,
    /// The value in the row where a second column is smallest: `at_min(volume, rate)`.
    AtMin,
    /// The rows of a column where a condition holds.
    Only,
    /// Square root: `sqrt(area)` of 9 cm² is 3 cm.
    Sqrt,
    /// e to that power: `exp(0)` is 1.
    Exp,
    /// Natural logarithm: `ln(exp(2))` is 2.
    Ln,
    /// Common logarithm: `log10(1000)` is 3.
    Log10,
    /// Sine of an angle: `sin(30[deg])` is 0.5.
    Sin,
    /// Cosine of an angle: `cos(60[deg])` is 0.5.
    Cos,
    /// Tangent of an angle: `tan(45[deg])` is 1.
    Tan,
    /// Angle of a sine: `asin(0.5)` is 30°.
    Asin,
    /// Angle of a cosine: `acos(0.5)` is 60°.
    Acos,
    /// Angle of a tangent: `atan(1)` is 45°.
    Atan,
    /// Angle of rise and run, in its quadrant: `atan2(rise, run)`.
    Atan2,
    /// Size without sign: `abs(a - b)`.
    Abs,
    /// The nearest whole number, half away from nought.
    Round,
    /// A Celsius temperature as thermodynamic temperature.
    Kelvin,
    /// One of two values by a condition: `if(zone == "inside", f, 2 * f)`.
    If,
    /// Whether both conditions hold: `and(a > b, b > c)`.
    And,
    /// Whether one of two conditions holds: `or(a > b, b > c)`.
    Or,
    /// Whether a condition does not hold: `not(a > b)`.
    Not,
    /// Slope of the fitted line: `slope(load, extension)`.
    Slope,
    /// Slope of the line fitted through nought: `slope0(load, extension)`.
    SlopeOrigin,
    /// Slope through the first and the last point: what many take for a fit.
    SlopeEnds,
    /// Intercept of the fitted line: `intercept(load, extension)`.
    Intercept,
    /// Standard error of the slope.
    SlopeError,
    /// Standard error of the intercept.
    InterceptError,
    /// Standard deviation of the residuals about the fitted line.
    ResidualSd,
    /// A parameter of a fitted curve: `fit(v, a * exp(-k * t), k, 0.1[1/s], a, 5[V])` gives k.
    Fit,
    /// Its standard error.
    FitError,
    /// y at a given x, on straight pieces between neighbouring points: `interp(volume, ph, 12.5)`.
    Interp,
    /// Volume where the second derivative of a titration curve is nought.
    Equivalence,
    /// Volume where the curve crosses midway between the lines before and after the jump.
    EquivalenceTangents,
}

/// What `docs/protocols.md` says of a function: how it is called and what it gives.
pub struct Described {
    /// Name in formulas, in small letters.
    pub name: &'static str,
    /// The function that the name means.
    pub function: Function,
    /// Arguments in words.
    pub takes: &'static str,
    /// What it gives, and by which rule.
    pub gives: &'static str,
}

/// All functions by name.
pub const FUNCTIONS: [Described; 51] = {
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
        d("cumprod", Cumprod, "column of pure numbers", "running product"),
        d("row_number", RowNumber, "column", "the number of each row that has a value, from 1"),
        d("sorted", Sorted, "column", "the values from the smallest up, gaps last"),
        d("at_max", AtMax, "column, column", "the first's value in the row where the second is largest"),
        d("at_min", AtMin, "column, column", "the first's value in the row where the second is smallest"),
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
        d("fit", Fit, "y, model, name, start [, name, start …]", "first parameter of the least-squares curve"),
        d("fit_se", FitError, "as fit", "its standard error, scaled by the residuals"),
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
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Function;
    /// assert_eq!(Function::named("mean"), Some(Function::Mean));
    /// assert_eq!(Function::named("average"), None);
    /// ```
    pub fn named(name: &str) -> Option<Function> {
        FUNCTIONS.iter().find(|d| d.name == name).map(|d| d.function)
    }

    /// Name in formulas of a lab, such as `mean`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Function;
    /// assert_eq!(Function::Slope.name(), "slope");
    /// ```
    pub fn name(self) -> &'static str {
        match self {
            Function::MeanOver(_) => "mean",
            f => FUNCTIONS.iter().find(|d| d.function == f).map_or("", |d| d.name),
        }
    }

    /// Whether its first argument is a column that becomes one value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Function;
    /// assert!(Function::Mean.reduces());
    /// assert!(!Function::Sqrt.reduces());
    /// ```
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
                | AtMax
                | AtMin
                | Slope
                | SlopeOrigin
                | SlopeEnds
                | Intercept
                | SlopeError
                | InterceptError
                | ResidualSd
                | Fit
                | FitError
                | Interp
                | Equivalence
                | EquivalenceTangents
        )
    }

    /// Whether a row of its value depends on other rows of its argument.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Function;
    /// assert!(Function::Diff.mixes_rows());
    /// assert!(!Function::Sqrt.mixes_rows());
    /// ```
    pub fn mixes_rows(self) -> bool {
        self.reduces() || self.makes_column() || self == Function::RowNumber
    }

    /// Whether it makes another column of a column's rows taken together.
    pub(super) fn makes_column(self) -> bool {
        use Function::*;
        matches!(self, Diff | Cumsum | Cumprod | Sorted)
    }

    /// A fit of a straight line.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Function;
    /// assert!(Function::Intercept.fits_line());
    /// assert!(!Function::Mean.fits_line());
    /// ```
    pub fn fits_line(self) -> bool {
        use Function::*;
        matches!(self, Slope | SlopeOrigin | SlopeEnds | Intercept | SlopeError | InterceptError | ResidualSd)
    }

    /// Least and most arguments.
    pub(super) fn arity(self) -> (usize, usize) {
        use Function::*;
        match self {
            Atan2 | And | Or | Only | Row | AtMax | AtMin | WeightedMean | SlopeEnds | Equivalence => (2, 2),
            Slope | SlopeOrigin | Intercept | SlopeError | InterceptError | ResidualSd => (2, 3),
            If | Interp => (3, 3),
            Fit | FitError => (4, usize::MAX),
            EquivalenceTangents => (6, 6),
            _ => (1, 1),
        }
    }
}
