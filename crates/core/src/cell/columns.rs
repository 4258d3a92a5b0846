//! The worksheet functions over many cells. In a range only numbers count; a value given by itself
//! has to be one.
//!
//! | given | a range | a cell by itself | a value by itself |
//! |---|---|---|---|
//! | a number | counts | counts | counts |
//! | a text that is a number | is passed over | is passed over | counts |
//! | an empty cell | is passed over | is passed over | – |
//! | an error | is the value | is the value | is the value |
//!
//! Where worksheets differ – medians of nothing, correlations of two points – an error is given and
//! no number.

use super::follow::{Term, TermKind};
use super::function::Function;
use super::value::{Fault, Grid, Value, finite};
use crate::stats::{self, Line};

/// What works a piece out.
///
/// It works a piece out; what it gives may be a grid.
type Work<'a> = &'a mut dyn FnMut(&Term) -> Value;

/// What a function of many cells gives.
///
/// `args` are as many as the function takes. Errors are those that a worksheet would show.
///
/// # Errors
/// The error that the worksheet would show.
pub(super) fn call(work: Work<'_>, function: Function, args: &[Term]) -> Result<Value, Fault> {
    use Function::*;
    match function {
        Slope | Intercept | Rsq | Correl | ResidualSd => {
            let (ys, xs) = (work(&args[0]), work(&args[1]));
            along_a_line(function, &pairs(ys, xs)?)
        }
        Forecast => {
            let x = work(&args[0]).number()?;
            let points = pairs(work(&args[1]), work(&args[2]))?;
            Ok(finite(line(&points, false)?.at(x)))
        }
        Linest => linest(work, args),
        SumProduct => sum_of_products(work, args),
        Index => index(work, args),
        Large | Small => {
            let mut xs = numbers(work, &args[..1])?;
            let k = work(&args[1]).number()?;
            xs.sort_by(f64::total_cmp);
            if function == Large {
                xs.reverse();
            }
            let at = if k >= 1.0 { (k.ceil() as usize).checked_sub(1) } else { None };
            at.and_then(|k| xs.get(k)).map_or(Err(Fault::Number), |v| Ok(Value::Number(*v)))
        }
        CountAny => {
            let mut n = 0;
            for arg in args {
                n += match work(arg) {
                    Value::Grid(g) => g.cells.iter().filter(|v| **v != Value::Empty).count(),
                    Value::Empty => 0,
                    _ => 1,
                };
            }
            Ok(Value::Number(n as f64))
        }
        Count => Ok(Value::Number(counted(work, args) as f64)),
        And | Or => {
            let mut all = Vec::new();
            for arg in args {
                match work(arg) {
                    Value::Grid(g) => {
                        let known = g.cells.iter().filter(|v| !matches!(v, Value::Empty | Value::Text(_)));
                        all.extend(known.map(Value::holds).collect::<Result<Vec<_>, _>>()?);
                    }
                    other => all.push(other.holds()?),
                }
            }
            Ok(Value::Truth(if function == And { all.into_iter().all(|b| b) } else { all.into_iter().any(|b| b) }))
        }
        _ => of_numbers(function, &numbers(work, args)?),
    }
}

/// How many numbers; a text given by itself counts if it is one, an error never does.
///
/// Texts in a range are passed over, as is an error.
fn counted(work: Work<'_>, args: &[Term]) -> usize {
    let mut n = 0;
    for arg in args {
        n += match work(arg) {
            Value::Grid(g) => g.cells.iter().filter(|v| matches!(v, Value::Number(_))).count(),
            Value::Number(_) => 1,
            Value::Empty | Value::Fault(_) => 0,
            other => usize::from(!matches!(arg.kind, TermKind::Leaf(_)) && other.number().is_ok()),
        };
    }
    n
}

/// The numbers of all arguments.
///
/// In the order in which they stand; an error anywhere is the error of all.
fn numbers(work: Work<'_>, args: &[Term]) -> Result<Vec<f64>, Fault> {
    let mut out = Vec::new();
    for arg in args {
        let of_a_cell = matches!(arg.kind, TermKind::Leaf(_));
        match work(arg) {
            Value::Grid(g) => {
                for v in &g.cells {
                    match v {
                        Value::Number(x) => out.push(*x),
                        Value::Fault(f) => return Err(*f),
                        _ => {}
                    }
                }
            }
            Value::Number(x) => out.push(x),
            Value::Fault(f) => return Err(f),
            Value::Empty => {}
            _ if of_a_cell => {}
            other => out.push(other.number()?),
        }
    }
    Ok(out)
}

/// A function of the numbers of all its arguments, as worksheets define it: `STDEV` with n − 1,
/// `STDEV.P` with n.
///
/// Spreads of one value are a division by nought, as worksheets have it.
fn of_numbers(function: Function, xs: &[f64]) -> Result<Value, Fault> {
    use Function::*;
    let n = xs.len() as f64;
    let mean = || xs.iter().sum::<f64>() / n;
    let squares = || {
        let m = mean();
        xs.iter().map(|x| (x - m).powi(2)).sum::<f64>()
    };
    let over = |sum: f64, by: f64| if by > 0.0 { Ok(finite(sum / by)) } else { Err(Fault::Division) };
    let root = |v: Value| match v {
        Value::Number(v) => finite(v.sqrt()),
        other => other,
    };
    match function {
        Sum => Ok(finite(xs.iter().sum())),
        Average => over(xs.iter().sum(), n),
        Min => Ok(Value::Number(xs.iter().copied().reduce(f64::min).unwrap_or(0.0))),
        Max => Ok(Value::Number(xs.iter().copied().reduce(f64::max).unwrap_or(0.0))),
        Median => stats::median(xs).map(Value::Number).ok_or(Fault::Number),
        Product => Ok(if xs.is_empty() { Value::Number(0.0) } else { finite(xs.iter().product()) }),
        SumSquares => Ok(finite(xs.iter().map(|x| x * x).sum())),
        Deviations if xs.is_empty() => Err(Fault::Number),
        Deviations => Ok(finite(squares())),
        MeanDeviation if xs.is_empty() => Err(Fault::Number),
        MeanDeviation => {
            let m = mean();
            over(xs.iter().map(|x| (x - m).abs()).sum(), n)
        }
        Variance => over(if xs.is_empty() { 0.0 } else { squares() }, n - 1.0),
        VariancePopulation => over(if xs.is_empty() { 0.0 } else { squares() }, n),
        Sd => over(if xs.is_empty() { 0.0 } else { squares() }, n - 1.0).map(root),
        SdPopulation => over(if xs.is_empty() { 0.0 } else { squares() }, n).map(root),
        GeometricMean if xs.is_empty() || xs.iter().any(|x| *x <= 0.0) => Err(Fault::Number),
        GeometricMean => Ok(finite((xs.iter().map(|x| x.ln()).sum::<f64>() / n).exp())),
        _ => Err(Fault::Name),
    }
}

/// Points of two ranges, y before x; only where both are numbers.
///
/// Each pair is x and y. Ranges of another size have no pairs.
fn pairs(ys: Value, xs: Value) -> Result<Vec<(f64, f64)>, Fault> {
    let cells = |v: Value| match v {
        Value::Grid(g) => g.cells,
        other => vec![other],
    };
    let (ys, xs) = (cells(ys), cells(xs));
    if ys.len() != xs.len() {
        return Err(Fault::NotThere);
    }
    if let Some(f) = ys.iter().chain(&xs).find_map(|v| if let Value::Fault(f) = v { Some(*f) } else { None }) {
        return Err(f);
    }
    let point = |(y, x): (&Value, &Value)| match (x, y) {
        (Value::Number(x), Value::Number(y)) => Some((*x, *y)),
        _ => None,
    };
    Ok(ys.iter().zip(&xs).filter_map(point).collect())
}

/// The least-squares line; a division by nought where there is none.
///
/// Points that all lie above one another have no line.
fn line(points: &[(f64, f64)], through_origin: bool) -> Result<Line, Fault> {
    let (x, y): (Vec<f64>, Vec<f64>) = points.iter().copied().unzip();
    stats::line(&x, &y, None, through_origin).map_err(|_| Fault::Division)
}

/// What a function of the line of y on x gives.
///
/// r = Sxy/√(Sxx·Syy), which is not defined where either is nought.
fn along_a_line(function: Function, points: &[(f64, f64)]) -> Result<Value, Fault> {
    match function {
        Function::Slope => return Ok(finite(line(points, false)?.slope)),
        Function::Intercept => return Ok(finite(line(points, false)?.intercept)),
        Function::ResidualSd => return line(points, false)?.residual_sd.map(finite).ok_or(Fault::Division),
        _ => {}
    }
    let n = points.len() as f64;
    let (mx, my) = (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
    let sum = |f: &dyn Fn(f64, f64) -> f64| points.iter().map(|(x, y)| f(x - mx, y - my)).sum::<f64>();
    let (sxx, syy, sxy) = (sum(&|x, _| x * x), sum(&|_, y| y * y), sum(&|x, y| x * y));
    if points.len() < 2 || sxx == 0.0 || syy == 0.0 {
        return Err(Fault::Division);
    }
    let r = sxy / (sxx * syy).sqrt();
    Ok(finite(if function == Function::Rsq { r * r } else { r }))
}

/// Slope and intercept; with statistics the standard errors, r² and the residuals' spread, F and
/// freedom, and the sums of squares, as worksheets lay them out.
///
/// Without statistics it gives slope and intercept, with them five rows of two.
fn linest(work: Work<'_>, args: &[Term]) -> Result<Value, Fault> {
    let ys = work(&args[0]);
    let count = if let Value::Grid(g) = &ys { g.cells.len() } else { 1 };
    let xs = match args.get(1).filter(|a| a.kind != TermKind::Blank) {
        Some(arg) => work(arg),
        None => Value::Grid(Grid { columns: 1, cells: (1..=count).map(|n| Value::Number(n as f64)).collect() }),
    };
    let mut said = |n: usize, usual: bool| match args.get(n).filter(|a| a.kind != TermKind::Blank) {
        Some(arg) => work(arg).holds(),
        None => Ok(usual),
    };
    let (with_intercept, statistics) = (said(2, true)?, said(3, false)?);
    let points = pairs(ys, xs)?;
    let fit = line(&points, !with_intercept)?;
    let mut cells = vec![finite(fit.slope), finite(fit.intercept)];
    if statistics {
        cells.extend(statistics_of(&points, &fit, with_intercept));
    }
    Ok(Value::Grid(Grid { columns: 2, cells }))
}

/// The four lower rows of [`linest`], two cells each.
///
/// Row by row: standard errors, r² and residual deviation, F and freedom, both sums of squares.
fn statistics_of(points: &[(f64, f64)], fit: &Line, with_intercept: bool) -> [Value; 8] {
    let or_fault = |v: Option<f64>| v.map_or(Value::Fault(Fault::Number), finite);
    let residual: f64 = points.iter().map(|(x, y)| (y - fit.at(*x)).powi(2)).sum();
    let mean = if with_intercept { points.iter().map(|p| p.1).sum::<f64>() / points.len() as f64 } else { 0.0 };
    let regression: f64 = points.iter().map(|(x, _)| (fit.at(*x) - mean).powi(2)).sum();
    let freedom = fit.freedom() as f64;
    let intercept_error = if with_intercept { or_fault(fit.intercept_error) } else { Value::Fault(Fault::NotThere) };
    [
        or_fault(fit.slope_error),
        intercept_error,
        finite(regression / (regression + residual)),
        or_fault(fit.residual_sd),
        finite(regression / (residual / freedom)),
        Value::Number(freedom),
        finite(regression),
        finite(residual),
    ]
}

/// The sum of products of columns of one size; what is no number counts as nought.
///
/// Ranges need as many cells as each other.
fn sum_of_products(work: Work<'_>, args: &[Term]) -> Result<Value, Fault> {
    let mut products: Vec<f64> = Vec::new();
    for (n, arg) in args.iter().enumerate() {
        let cells = match work(arg) {
            Value::Grid(g) => g.cells,
            other => vec![other],
        };
        let number = |v: &Value| match v {
            Value::Number(x) => Ok(*x),
            Value::Fault(f) => Err(*f),
            // What is no number counts as nought.
            _ => Ok(0.0),
        };
        let xs = cells.iter().map(number).collect::<Result<Vec<f64>, Fault>>()?;
        if n == 0 {
            products = xs;
        } else if xs.len() == products.len() {
            products.iter_mut().zip(xs).for_each(|(p, x)| *p *= x);
        } else {
            return Err(Fault::Value);
        }
    }
    Ok(finite(products.iter().sum()))
}

/// The cell of a range by its row and column, from 1; a single number counts along a range of one
/// row or column.
///
/// Rows and columns count from 1; of a single row the one number given is the column.
fn index(work: Work<'_>, args: &[Term]) -> Result<Value, Fault> {
    let grid = match work(&args[0]) {
        Value::Grid(g) => g,
        other => Grid { columns: 1, cells: vec![other] },
    };
    let whole = |v: Value| v.number().map(|n| n.trunc().max(0.0) as usize);
    let first = whole(work(&args[1]))?;
    let second = args.get(2).map(|a| whole(work(a))).transpose()?;
    let columns = grid.columns.max(1);
    let one_row = grid.cells.len() == columns;
    let (row, column) = match second {
        Some(column) => (first.max(1), column.max(1)),
        None if one_row => (1, first.max(1)),
        None => (first.max(1), 1),
    };
    let found = (column <= columns).then(|| grid.cells.get((row - 1) * columns + column - 1)).flatten();
    found.cloned().ok_or(Fault::Reference)
}
