//! What a tree is evaluated over and to: kinds of numbers, values and columns, where values come
//! from, and why there is none.
//!
//! | number | carries | for |
//! |---|---|---|
//! | `f64` | nothing else | clean, carried and mistaken values |
//! | [`Dual`](crate::uncertainty::Dual) | its derivative by every source | uncertainties |
//! | [`Figured`](super::figures::Figured) | the place of its last figure | figures deserved |

use super::ItemId;
use std::borrow::Cow;
use std::cell::RefCell;

use crate::uncertainty::Source;

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
    /// As [`Num::map`], for a function whose result has as many places as its argument has figures,
    /// not as many figures.
    fn map_places(&self, result: f64, derivative: f64) -> Self {
        self.map(result, derivative)
    }
    /// A function of many values: its result and its derivative by each of them.
    fn combine(result: f64, parts: &[(&Self, f64)]) -> Self;
    /// Sum of at least one value.
    fn sum(values: &[&Self]) -> Self {
        let parts: Vec<(&Self, f64)> = values.iter().map(|v| (*v, 1.0)).collect();
        Self::combine(values.iter().map(|v| v.value()).sum(), &parts)
    }
    /// Arithmetic mean of at least one value.
    fn mean(values: &[&Self]) -> Self {
        Self::sum(values).div(&Self::exact(values.len() as f64))
    }
    /// After each operation: rounds if the arithmetic rounds as it goes. Only plain numbers do.
    ///
    /// `steps` is set only where a face of rounding is tried.
    fn settle(self, _steps: Option<StepRounding>) -> Self {
        self
    }
    /// The same value that also follows an independent source one to one. Only numbers with
    /// derivatives do.
    ///
    /// `source` is the number of the source.
    fn follow(self, _source: usize) -> Self {
        self
    }
    /// The same value as an estimate of a spread, which deserves two figures at most.
    fn of_a_spread(self) -> Self {
        self
    }
    /// Standard uncertainty from the sources that are not shared. Nought but for numbers with
    /// derivatives.
    ///
    /// In SI units; sources that are shared with other readings (an instrument's limit) are left
    /// out.
    fn spread(&self, _sources: &[Source]) -> f64 {
        0.0
    }
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
    /// Plain numbers are what they are.
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
    fn combine(result: f64, _parts: &[(&f64, f64)]) -> f64 {
        result
    }
    fn sum(values: &[&f64]) -> f64 {
        values.iter().copied().sum()
    }
    /// To so many figures, if any.
    fn settle(self, steps: Option<StepRounding>) -> f64 {
        match steps {
            Some(s) => crate::notation::to_figures(self, s.figures, s.cut),
            None => self,
        }
    }
}

/// One value or a column; a gap in a column is a reading that is not there or does not count.
#[derive(Clone, Debug, PartialEq)]
pub enum Value<N> {
    /// One value.
    Scalar(N),
    /// A column, in row order.
    Column(Vec<Option<N>>),
    /// A word, by its number in its item's list.
    Word(u32),
    /// A column of words.
    Words(Vec<Option<u32>>),
}

impl<N> Value<N> {
    /// The single value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Value;
    /// assert_eq!(Value::Scalar(3.0).scalar(), Some(&3.0));
    /// assert_eq!(Value::column(vec![3.0]).scalar(), None);
    /// ```
    pub fn scalar(&self) -> Option<&N> {
        match self {
            Value::Scalar(n) => Some(n),
            _ => None,
        }
    }

    /// The value in a row of a column (from 0), or the single value.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Value;
    /// let column = Value::Column(vec![Some(1.0), None]);
    /// assert_eq!(column.at(Some(0)), Some(&1.0));
    /// assert_eq!(column.at(Some(1)), None);
    /// assert_eq!(Value::Scalar(3.0).at(Some(7)), Some(&3.0));
    /// ```
    pub fn at(&self, row: Option<usize>) -> Option<&N> {
        match (self, row) {
            (Value::Scalar(n), _) => Some(n),
            (Value::Column(xs), Some(row)) => xs.get(row).and_then(Option::as_ref),
            _ => None,
        }
    }

    /// A whole column without gaps.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Value;
    /// assert_eq!(Value::column(vec![1.0, 2.0]), Value::Column(vec![Some(1.0), Some(2.0)]));
    /// ```
    pub fn column(values: Vec<N>) -> Value<N> {
        Value::Column(values.into_iter().map(Some).collect())
    }
}

/// What a node gives: the value of an item as it stands there, or one that was worked out.
pub(super) type Seen<'a, N> = Cow<'a, Value<N>>;

/// Rows that are left out of everything that makes one value of a column, by the columns' group.
pub type LeftOut = [(u16, Vec<bool>)];

/// Sources of uncertainty that arise on the way: the scatter about a fitted line, the step beside
/// an end point.
pub struct Arising<'a> {
    /// Number of the first of them.
    pub first: usize,
    /// The sources known so far.
    pub sources: &'a [Source],
    /// Standard uncertainty of each that arose, coherent SI units.
    pub found: RefCell<Vec<f64>>,
}

/// Where values come from and how the arithmetic is done.
pub struct Context<'a, N> {
    /// Values by item number; `None` where there is none.
    pub items: &'a [Option<Value<N>>],
    /// Rows left out.
    pub out: &'a LeftOut,
    /// The π in use.
    pub pi: f64,
    /// Rounding at each step, if any.
    pub steps: Option<StepRounding>,
    /// Where sources that arise on the way are kept.
    pub arising: Option<Arising<'a>>,
    /// Parameters of the fit whose model is worked out, coherent SI units.
    pub parameters: &'a [f64],
    /// An item that is tried with another value than its own, so that nothing is copied for a
    /// trial.
    pub instead: Option<(ItemId, &'a Value<N>)>,
}

impl<'a, N> Context<'a, N> {
    /// Full precision, nothing left out.
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
    /// let node = check(&formula::parse("pi * a")?, &length)?;
    /// assert_eq!(evaluate(&node, &context), Ok(3.0 * std::f64::consts::PI));
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn exact(items: &'a [Option<Value<N>>]) -> Self {
        Self::without(items, &[])
    }

    /// Full precision, some rows left out.
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
    /// let node = check(&formula::parse("mean(column)")?, &length)?;
    /// assert_eq!(evaluate(&node, &context), Ok(3.0));
    /// let left_out = [(0, vec![false, false, true])];
    /// assert_eq!(evaluate(&node, &Context::without(&items, &left_out)), Ok(1.5));
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn without(items: &'a [Option<Value<N>>], out: &'a LeftOut) -> Self {
        Context { items, out, pi: std::f64::consts::PI, steps: None, arising: None, parameters: &[], instead: None }
    }

    /// The value of an item: what is tried in its place, or what stands there; `None` where it has
    /// none.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::{Context, ItemId, Value};
    /// let (items, tried) = ([Some(Value::Scalar(84.3)), None], Value::Scalar(83.4));
    /// let (length, width) = (ItemId::at(0), ItemId::at(1));
    /// let trial = Context { instead: Some((length, &tried)), ..Context::exact(&items) };
    /// assert_eq!(trial.value(length), Some(&Value::Scalar(83.4)));
    /// assert_eq!(trial.value(width), None);
    /// assert_eq!(Context::exact(&items).value(length), Some(&Value::Scalar(84.3)));
    /// ```
    pub fn value(&self, item: ItemId) -> Option<&'a Value<N>> {
        match self.instead {
            Some((tried, value)) if tried == item => Some(value),
            _ => self.items.get(item.index())?.as_ref(),
        }
    }
}

impl<N: Num> Context<'_, N> {
    /// A value that is at least so uncertain: what its own sources do not account for becomes a
    /// source.
    ///
    /// `standard` is in SI units. Without a place to keep sources the value comes back as it was.
    pub(super) fn at_least(&self, value: N, standard: f64) -> N {
        let Some(arising) = &self.arising else { return value };
        let own = value.spread(arising.sources);
        let mut found = arising.found.borrow_mut();
        found.push((standard * standard - own * own).max(0.0).sqrt());
        let source = arising.first + found.len() - 1;
        value.follow(source)
    }
}

/// Why a value cannot be computed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EvalError {
    /// An item has no value: a blank reading, an upstream result that cannot be computed.
    #[error("item {} has no value", .0.index())]
    Missing(ItemId),
    /// `ln(-1)`, `sd` of one value, a division by zero, a result beyond all numbers.
    #[error("{0}")]
    Undefined(&'static str),
}

/// A number that is done: rounded where every step is, and never beyond what can be computed with.
///
/// Every operation ends here.
pub(super) fn finish<N: Num>(n: N, context: &Context<'_, N>) -> Result<N, EvalError> {
    let n = n.settle(context.steps);
    if n.value().is_finite() {
        Ok(n)
    } else {
        Err(EvalError::Undefined("the value is beyond what can be computed with"))
    }
}
