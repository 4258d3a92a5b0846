//! Formulas worked out as worksheets do it.
//!
//! What is worked out is what a worksheet would show: an empty cell is nought, or nothing in a
//! mean; a number kept as text counts where it stands alone and not in a sum; 0⁰ is an error; a
//! range of another size gives errors where it does not reach. Where worksheets differ among
//! themselves, that which most have counts.

use std::cmp::Ordering;

use super::columns;
use super::follow::{Formula, Term, TermKind};
use super::function::Function;
use super::piece::Operator;
use super::value::{Fault, Grid, Value, finite};

/// Most values that one working-out may touch.
///
/// A column of ten thousand rows is far below it.
const MOST_WORK: usize = 200_000;

impl Formula {
    /// What the formula gives with the cells as the file has them.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Held, Under, Value};
    /// let number = |v: &str| Below { held: Held::Number(v.into()), ..Below::default() };
    /// let mut under = Under::default();
    /// under.cells.insert("A1".into(), number("3"));
    /// under.cells.insert("A2".into(), number("4"));
    /// under.cells.insert("A3".into(), Below { formula: Some("=SQRT(SUMSQ(A1:A2))".into()), ..Below::default() });
    /// assert_eq!(Formula::of(&under, "A3").map(|f| f.value()), Ok(Value::Number(5.0)));
    /// ```
    pub fn value(&self) -> Value {
        self.with(&|leaf| self.leaves[leaf].value.clone())
    }

    /// What the formula gives with other values in its cells, by the number of the leaf.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Under, Value};
    /// let mut under = Under::default();
    /// under.cells.insert("A1".into(), Below { formula: Some("=B1^2".into()), ..Below::default() });
    /// let formula = Formula::of(&under, "A1").expect("a formula");
    /// assert_eq!(formula.with(&|_| Value::Number(3.0)), Value::Number(9.0));
    /// ```
    pub fn with(&self, leaves: &dyn Fn(usize) -> Value) -> Value {
        worked(&self.root, leaves)
    }
}

/// What a followed formula gives.
pub(super) fn worked(root: &Term, leaves: &dyn Fn(usize) -> Value) -> Value {
    let mut worker = Worker { leaves, left: MOST_WORK };
    match worker.value(root).single() {
        // A formula that reads an empty cell alone gives nought.
        Value::Empty => Value::Number(0.0),
        other => other,
    }
}

/// Works out pieces; `left` bounds what it may touch.
pub(super) struct Worker<'a> {
    /// What a cell holds, by its number.
    leaves: &'a dyn Fn(usize) -> Value,
    /// Values that may still be touched.
    left: usize,
}

impl Worker<'_> {
    /// What a piece gives. Each counts against the bound on the work; beyond it everything is an
    /// error.
    pub(super) fn value(&mut self, term: &Term) -> Value {
        match self.left.checked_sub(1) {
            Some(left) => self.left = left,
            None => return Value::Fault(Fault::Number),
        }
        match &term.kind {
            TermKind::Number(v) => Value::Number(*v),
            TermKind::Text(t) => Value::Text(t.clone()),
            TermKind::Fault(f) => Value::Fault(*f),
            TermKind::Leaf(n) => (self.leaves)(*n),
            TermKind::Range { columns, cells } => {
                Value::Grid(Grid { columns: *columns, cells: cells.iter().map(|c| self.value(c).single()).collect() })
            }
            TermKind::Negative(a) => each(self.value(a), &|v| number_of(v, |x| -x)),
            TermKind::Percent(a) => each(self.value(a), &|v| number_of(v, |x| x / 100.0)),
            TermKind::Binary(op, a, b) => {
                let (a, b) = (self.value(a), self.value(b));
                self.spend(&a, &b);
                both(a, b, &|x, y| match (x.number(), y.number()) {
                    (Ok(x), Ok(y)) => operated(*op, x, y),
                    (Err(f), _) | (_, Err(f)) => Value::Fault(f),
                })
            }
            TermKind::Compare(op, a, b) => {
                let (a, b) = (self.value(a), self.value(b));
                self.spend(&a, &b);
                both(a, b, &|x, y| compared(*op, x, y))
            }
            TermKind::Join(a, b) => both(self.value(a), self.value(b), &|x, y| match (text_of(x), text_of(y)) {
                (Ok(x), Ok(y)) => Value::Text(x + &y),
                (Err(f), _) | (_, Err(f)) => Value::Fault(f),
            }),
            TermKind::Call(f, args) => self.call(*f, args),
            TermKind::Blank => Value::Empty,
        }
    }

    /// Counts the cells of two operands against the bound.
    ///
    /// Two ranges cost as many as the larger has.
    fn spend(&mut self, a: &Value, b: &Value) {
        let size = |v: &Value| if let Value::Grid(g) = v { g.cells.len() } else { 0 };
        self.left = self.left.saturating_sub(size(a).max(size(b)));
    }

    /// What a function gives. Of a condition only the branch that is taken is worked out.
    fn call(&mut self, function: Function, args: &[Term]) -> Value {
        use Function::*;
        match function {
            Pi => Value::Number(std::f64::consts::PI),
            True => Value::Truth(true),
            False => Value::Truth(false),
            // Only the branch that is taken is worked out.
            If => match self.value(&args[0]).single().holds() {
                Ok(true) => self.value(&args[1]),
                Ok(false) => args.get(2).map_or(Value::Truth(false), |a| self.value(a)),
                Err(f) => Value::Fault(f),
            },
            IfError => match self.value(&args[0]) {
                Value::Fault(_) => self.value(&args[1]),
                other => other,
            },
            f if f.is_of_columns() => columns::call(&mut |t| self.value(t), f, args).unwrap_or_else(Value::Fault),
            _ => {
                let mut values: Vec<Value> = args.iter().map(|a| self.value(a)).collect();
                let rest: Result<Vec<f64>, Fault> = values.split_off(1).iter().map(Value::number).collect();
                match rest {
                    Ok(rest) => each(values.remove(0), &|v| plain(function, v, &rest)),
                    Err(f) => Value::Fault(f),
                }
            }
        }
    }
}

/// A number's function; anything but a number is an error.
///
/// What is beyond all numbers is an error as well.
fn number_of(value: &Value, f: impl Fn(f64) -> f64) -> Value {
    match value.number() {
        Ok(v) => finite(f(v)),
        Err(fault) => Value::Fault(fault),
    }
}

/// A function of each value of a grid, or of one value.
fn each(value: Value, f: &dyn Fn(&Value) -> Value) -> Value {
    match value {
        Value::Grid(g) => Value::Grid(Grid { columns: g.columns, cells: g.cells.iter().map(f).collect() }),
        other => f(&other),
    }
}

/// A function of two values, cell by cell where one is a grid; grids of another size give an error
/// where they do not reach.
///
/// A single value goes with every cell of a grid.
fn both(a: Value, b: Value, f: &dyn Fn(&Value, &Value) -> Value) -> Value {
    match (a, b) {
        (Value::Grid(a), Value::Grid(b)) => Value::Grid(cell_by_cell(&a, &b, f)),
        (Value::Grid(a), b) => {
            Value::Grid(Grid { columns: a.columns, cells: a.cells.iter().map(|x| f(x, &b)).collect() })
        }
        (a, Value::Grid(b)) => {
            Value::Grid(Grid { columns: b.columns, cells: b.cells.iter().map(|y| f(&a, y)).collect() })
        }
        (a, b) => f(&a, &b),
    }
}

/// Two numbers joined by an operator, as worksheets do it.
///
/// By nought is the error of a division.
fn operated(op: Operator, x: f64, y: f64) -> Value {
    match op {
        Operator::Add => finite(x + y),
        Operator::Subtract => finite(x - y),
        Operator::Multiply => finite(x * y),
        Operator::Divide if y == 0.0 => Value::Fault(Fault::Division),
        Operator::Divide => finite(x / y),
        Operator::Power => power(x, y),
    }
}

/// A power as worksheets define it: 0^0 is an error.
fn power(x: f64, y: f64) -> Value {
    match (x, y) {
        (0.0, 0.0) => Value::Fault(Fault::Number),
        (0.0, y) if y < 0.0 => Value::Fault(Fault::Division),
        (x, y) => finite(x.powf(y)),
    }
}

/// Two grids taken cell by cell; a single row or column is taken again for each of the other's.
///
/// Grids are held row by row.
fn cell_by_cell(a: &Grid, b: &Grid, f: &dyn Fn(&Value, &Value) -> Value) -> Grid {
    let columns = a.columns.max(b.columns).max(1);
    let rows = (a.cells.len() / a.columns.max(1)).max(b.cells.len() / b.columns.max(1));
    let at = |g: &Grid, row: usize, column: usize| -> Option<Value> {
        let column = if g.columns == 1 { 0 } else { column };
        let row = if g.cells.len() == g.columns { 0 } else { row };
        (column < g.columns).then(|| g.cells.get(row * g.columns + column).cloned()).flatten()
    };
    let mut cells = Vec::with_capacity(rows * columns);
    for row in 0..rows {
        for column in 0..columns {
            cells.push(match (at(a, row, column), at(b, row, column)) {
                (Some(x), Some(y)) => f(&x, &y),
                _ => Value::Fault(Fault::NotThere),
            });
        }
    }
    Grid { columns, cells }
}

/// Numbers come before texts, texts before truths; an empty cell is like whatever it is compared
/// with.
///
/// An error is the error of the comparison.
fn compared(op: crate::formula::ast::Comparator, x: &Value, y: &Value) -> Value {
    if let Value::Fault(f) = x {
        return Value::Fault(*f);
    }
    if let Value::Fault(f) = y {
        return Value::Fault(*f);
    }
    let (a, b) = match ordered(x, y) {
        Ordering::Less => (0.0, 1.0),
        Ordering::Equal => (0.0, 0.0),
        Ordering::Greater => (1.0, 0.0),
    };
    Value::Truth(op.holds(a, b))
}

/// How worksheets order two values: numbers before texts before truths; an empty cell is what it
/// stands beside.
///
/// Texts are compared without regard to case.
fn ordered(x: &Value, y: &Value) -> Ordering {
    let rank = |v: &Value| match v {
        Value::Text(_) => 1,
        Value::Truth(_) => 2,
        _ => 0,
    };
    match (x, y) {
        (Value::Text(a), Value::Text(b)) => a.to_lowercase().cmp(&b.to_lowercase()),
        (Value::Text(a), Value::Empty) => a.as_str().cmp(""),
        (Value::Empty, Value::Text(b)) => "".cmp(b.as_str()),
        (a, b) if rank(a) == rank(b) || matches!(a, Value::Empty) || matches!(b, Value::Empty) => {
            let (a, b) = (a.number().unwrap_or(0.0), b.number().unwrap_or(0.0));
            a.partial_cmp(&b).unwrap_or(Ordering::Equal)
        }
        (a, b) => rank(a).cmp(&rank(b)),
    }
}

/// A value as a text, to be joined to another.
///
/// Of a grid its first cell.
fn text_of(value: &Value) -> Result<String, Fault> {
    Ok(match value {
        Value::Empty => String::new(),
        Value::Number(v) => format!("{v}"),
        Value::Text(t) => t.clone(),
        Value::Truth(b) => if *b { "TRUE" } else { "FALSE" }.to_owned(),
        Value::Fault(f) => return Err(*f),
        Value::Grid(g) => return g.cells.first().map_or(Ok(String::new()), text_of),
    })
}

/// A function of one number, with further numbers that say how.
///
/// `rest` are the further arguments: the base of a logarithm, the decimals of a rounding.
fn plain(function: Function, value: &Value, rest: &[f64]) -> Value {
    use Function::*;
    if let Value::Fault(f) = value {
        return Value::Fault(*f);
    }
    if function == AsNumber {
        return if matches!(value, Value::Text(_)) { Value::Number(0.0) } else { number_of(value, |x| x) };
    }
    let x = match value.number() {
        Ok(x) => x,
        Err(f) => return Value::Fault(f),
    };
    let wrong = Value::Fault(Fault::Number);
    let decimals = rest.first().copied().unwrap_or(0.0);
    match function {
        Sqrt => finite(x.sqrt()),
        Exp => finite(x.exp()),
        Ln | Log | Log10 if x <= 0.0 => wrong,
        Ln => finite(x.ln()),
        Log10 => finite(x.log10()),
        Log => match rest.first() {
            None => finite(x.log10()),
            Some(base) if *base <= 0.0 => wrong,
            Some(base) if *base == 1.0 => Value::Fault(Fault::Division),
            Some(base) => finite(x.ln() / base.ln()),
        },
        Sin => finite(x.sin()),
        Cos => finite(x.cos()),
        Tan => finite(x.tan()),
        Asin => finite(x.asin()),
        Acos => finite(x.acos()),
        Atan => finite(x.atan()),
        Atan2 if x == 0.0 && decimals == 0.0 => Value::Fault(Fault::Division),
        Atan2 => finite(decimals.atan2(x)),
        Sinh => finite(x.sinh()),
        Cosh => finite(x.cosh()),
        Tanh => finite(x.tanh()),
        Degrees => finite(x.to_degrees()),
        Radians => finite(x.to_radians()),
        Abs => finite(x.abs()),
        Sign => finite(if x == 0.0 { 0.0 } else { x.signum() }),
        Int => finite(x.floor()),
        Round => finite(rounded(x, decimals, f64::round)),
        RoundUp => finite(rounded(x, decimals, |v| v.signum() * v.abs().ceil())),
        Trunc => finite(rounded(x, decimals, f64::trunc)),
        Mod if decimals == 0.0 => Value::Fault(Fault::Division),
        Mod => finite(x - decimals * (x / decimals).floor()),
        Power => power(x, decimals),
        Not => Value::Truth(x == 0.0),
        Number => finite(x),
        _ => Value::Fault(Fault::Name),
    }
}

/// Rounds at a decimal place as worksheets do: 2.675 to 2.68, although the binary number lies
/// below.
///
/// `how` rounds to a whole number, by the function's own rule.
fn rounded(x: f64, decimals: f64, how: impl Fn(f64) -> f64) -> f64 {
    let places = decimals.trunc().clamp(-300.0, 300.0) as i32;
    let scale = 10f64.powi(places.abs());
    let scaled = if places >= 0 { x * scale } else { x / scale };
    if !scaled.is_finite() {
        return x;
    }
    // What is within fifteen figures of a half, or of a whole number, is meant as one.
    let near = (scaled * 2.0).round() / 2.0;
    let scaled = if (scaled - near).abs() <= 4.0 * f64::EPSILON * scaled.abs() { near } else { scaled };
    let whole = how(scaled);
    if places >= 0 { whole / scale } else { whole * scale }
}
