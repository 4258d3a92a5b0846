//! The worksheet functions that are understood, by the names that office programs give them.

macro_rules! functions {
    ($($(#[doc = $says:literal])+ $name:ident = [$($word:literal),+] $least:literal..=$most:literal;)+) => {
        /// A worksheet function.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
        pub enum Function { $($(#[doc = $says])+ $name,)+ }

        impl Function {
            /// All of them, each with its names (the first is the usual one), its least and its
            /// most arguments.
            pub const TABLE: &'static [(Function, &'static [&'static str], usize, usize)] =
                &[$((Function::$name, &[$($word),+], $least, $most),)+];
        }
    };
}

/// As many arguments as one likes.
pub(super) const MANY: usize = 255;

functions! {
    /// π.
    Pi = ["PI"] 0..=0;
    /// Sum of all numbers.
    Sum = ["SUM"] 1..=255;
    /// Mean of all numbers.
    Average = ["AVERAGE"] 1..=255;
    /// How many numbers.
    Count = ["COUNT"] 1..=255;
    /// How many cells that hold anything.
    CountAny = ["COUNTA"] 1..=255;
    /// Smallest number.
    Min = ["MIN"] 1..=255;
    /// Largest number.
    Max = ["MAX"] 1..=255;
    /// Middle number.
    Median = ["MEDIAN"] 1..=255;
    /// Product of all numbers.
    Product = ["PRODUCT"] 1..=255;
    /// Sum of squares.
    SumSquares = ["SUMSQ"] 1..=255;
    /// Sum of squared deviations from the mean.
    Deviations = ["DEVSQ"] 1..=255;
    /// Mean size of the deviations from the mean.
    MeanDeviation = ["AVEDEV"] 1..=255;
    /// Standard deviation of a sample, n − 1.
    Sd = ["STDEV.S", "STDEV"] 1..=255;
    /// Standard deviation of a population, n.
    SdPopulation = ["STDEV.P", "STDEVP"] 1..=255;
    /// Variance of a sample, n − 1.
    Variance = ["VAR.S", "VAR"] 1..=255;
    /// Variance of a population, n.
    VariancePopulation = ["VAR.P", "VARP"] 1..=255;
    /// Geometric mean.
    GeometricMean = ["GEOMEAN"] 1..=255;
    /// The k-th largest.
    Large = ["LARGE"] 2..=2;
    /// The k-th smallest.
    Small = ["SMALL"] 2..=2;
    /// Square root.
    Sqrt = ["SQRT"] 1..=1;
    /// Exponential.
    Exp = ["EXP"] 1..=1;
    /// Natural logarithm.
    Ln = ["LN"] 1..=1;
    /// Logarithm, of base 10 unless another is given.
    Log = ["LOG"] 1..=2;
    /// Logarithm of base 10.
    Log10 = ["LOG10"] 1..=1;
    /// Sine of radians.
    Sin = ["SIN"] 1..=1;
    /// Cosine of radians.
    Cos = ["COS"] 1..=1;
    /// Tangent of radians.
    Tan = ["TAN"] 1..=1;
    /// Arc sine, radians.
    Asin = ["ASIN"] 1..=1;
    /// Arc cosine, radians.
    Acos = ["ACOS"] 1..=1;
    /// Arc tangent, radians.
    Atan = ["ATAN"] 1..=1;
    /// Angle of a point, x before y, radians.
    Atan2 = ["ATAN2"] 2..=2;
    /// Hyperbolic sine.
    Sinh = ["SINH"] 1..=1;
    /// Hyperbolic cosine.
    Cosh = ["COSH"] 1..=1;
    /// Hyperbolic tangent.
    Tanh = ["TANH"] 1..=1;
    /// Radians as degrees.
    Degrees = ["DEGREES"] 1..=1;
    /// Degrees as radians.
    Radians = ["RADIANS"] 1..=1;
    /// Size without sign.
    Abs = ["ABS"] 1..=1;
    /// Sign: 1, 0 or −1.
    Sign = ["SIGN"] 1..=1;
    /// Next whole number below.
    Int = ["INT"] 1..=1;
    /// Cut off after so many decimals.
    Trunc = ["TRUNC", "ROUNDDOWN"] 1..=2;
    /// Rounded to so many decimals, half away from nought.
    Round = ["ROUND"] 1..=2;
    /// Rounded away from nought to so many decimals.
    RoundUp = ["ROUNDUP"] 1..=2;
    /// Rest of a division, with the divisor's sign.
    Mod = ["MOD"] 2..=2;
    /// Power.
    Power = ["POWER"] 2..=2;
    /// Slope of the line of y on x: y before x.
    Slope = ["SLOPE"] 2..=2;
    /// Intercept of the line of y on x: y before x.
    Intercept = ["INTERCEPT"] 2..=2;
    /// Square of the correlation.
    Rsq = ["RSQ"] 2..=2;
    /// Correlation.
    Correl = ["CORREL", "PEARSON"] 2..=2;
    /// Standard deviation of the residuals about the line of y on x.
    ResidualSd = ["STEYX"] 2..=2;
    /// y of the line at an x: x, then y's, then x's.
    Forecast = ["FORECAST", "FORECAST.LINEAR"] 3..=3;
    /// Line of y on x: slope and intercept, and their statistics where asked for.
    Linest = ["LINEST"] 1..=4;
    /// Sum of products, cell by cell.
    SumProduct = ["SUMPRODUCT"] 1..=255;
    /// Cell of a range by row and column.
    Index = ["INDEX"] 2..=3;
    /// One of two values by a condition.
    If = ["IF"] 2..=3;
    /// A value, or another where it is an error.
    IfError = ["IFERROR"] 2..=2;
    /// Whether all conditions hold.
    And = ["AND"] 1..=255;
    /// Whether one condition holds.
    Or = ["OR"] 1..=255;
    /// Whether a condition does not hold.
    Not = ["NOT"] 1..=1;
    /// Always.
    True = ["TRUE"] 0..=0;
    /// Never.
    False = ["FALSE"] 0..=0;
    /// A text as a number.
    Number = ["VALUE", "NUMBERVALUE"] 1..=1;
    /// A value as a number, nought for a text.
    AsNumber = ["N"] 1..=1;
}

impl Function {
    /// The function of a name in any case, with or without the prefixes that files put before newer
    /// names.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Function;
    /// assert_eq!(Function::named("_xlfn.STDEV.S"), Some(Function::Sd));
    /// assert_eq!(Function::named("stdev"), Some(Function::Sd));
    /// assert_eq!(Function::named("HYPERLINK"), None);
    /// ```
    pub fn named(name: &str) -> Option<Function> {
        let upper = name.to_ascii_uppercase();
        let plain =
            ["_XLFN.", "COM.MICROSOFT.", "LEGACY."].iter().fold(upper.as_str(), |n, p| n.strip_prefix(p).unwrap_or(n));
        Self::TABLE.iter().find(|(_, names, ..)| names.contains(&plain)).map(|(f, ..)| *f)
    }

    /// Its usual name.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Function;
    /// assert_eq!(Function::SdPopulation.name(), "STDEV.P");
    /// ```
    pub fn name(self) -> &'static str {
        Self::TABLE.iter().find(|(f, ..)| *f == self).map_or("", |(_, names, ..)| names[0])
    }

    /// Whether it takes ranges as wholes, so that what is no number in them is passed over.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Function;
    /// assert!(Function::Average.is_of_columns() && !Function::Sqrt.is_of_columns());
    /// ```
    pub fn is_of_columns(self) -> bool {
        use Function::*;
        matches!(
            self,
            Sum | Average
                | Count
                | CountAny
                | Min
                | Max
                | Median
                | Product
                | SumSquares
                | Deviations
                | MeanDeviation
                | Sd
                | SdPopulation
                | Variance
                | VariancePopulation
                | GeometricMean
                | Large
                | Small
                | Slope
                | Intercept
                | Rsq
                | Correl
                | ResidualSd
                | Forecast
                | Linest
                | SumProduct
                | Index
                | And
                | Or
        )
    }

    /// Least and most arguments.
    pub(super) fn takes(self) -> (usize, usize) {
        Self::TABLE.iter().find(|(f, ..)| *f == self).map_or((0, MANY), |(.., least, most)| (*least, *most))
    }
}
