//! The functions over columns. A gap is skipped; a fit uses the rows where every column has a
//! value.

use std::borrow::Cow;

use super::function::Function;
use super::node::{Node, Shape};
use super::value::{Context, EvalError, Num, Seen, Value, finish};
use crate::stats::{Line, endpoint, line};

/// Evaluates an argument.
pub(super) type Walk<N> = for<'a> fn(&Node, &Context<'a, N>) -> Result<Seen<'a, N>, EvalError>;

/// A column's values by row, with gaps, lent where nothing is left out of it.
pub(super) type Rows<'a, N> = Cow<'a, [Option<N>]>;

/// A column's values by row, gaps kept; a row that is left out is a gap.
pub(super) fn column<'a, N: Num>(
    arg: &Node,
    context: &Context<'a, N>,
    walk: Walk<N>,
) -> Result<Rows<'a, N>, EvalError> {
    let mut rows = rows_of(walk(arg, context)?)?;
    if let Shape::Column(group) = arg.shape
        && let Some((_, out)) = context.out.iter().find(|(g, _)| *g == group)
        && out.iter().take(rows.len()).any(|out| *out)
    {
        rows.to_mut().iter_mut().zip(out).filter(|(_, out)| **out).for_each(|(x, _)| *x = None);
    }
    Ok(rows)
}

/// A value as rows: a single one is a column of one row.
fn rows_of<N: Num>(value: Seen<'_, N>) -> Result<Rows<'_, N>, EvalError> {
    match value {
        Cow::Borrowed(Value::Column(xs)) => Ok(Cow::Borrowed(xs)),
        Cow::Owned(Value::Column(xs)) => Ok(Cow::Owned(xs)),
        other => match other.scalar() {
            Some(x) => Ok(Cow::Owned(vec![Some(x.clone())])),
            None => Err(EvalError::Undefined("a word stands where a number is needed")),
        },
    }
}

/// A row's two values, and its weight where there is one.
type Point<'a, N> = (&'a N, &'a N, Option<&'a N>);

/// A column without a value.
const EMPTY: EvalError = EvalError::Undefined("the column has no readings");

/// The column that a function is of. Row by row nothing is left out: a difference is taken of what
/// was written.
///
/// Differences and running sums are of what was written, row for row: a row left out of a mean is
/// still there.
fn operand<'a, N: Num>(
    function: Function,
    of: &Node,
    context: &Context<'a, N>,
    walk: Walk<N>,
) -> Result<Rows<'a, N>, EvalError> {
    if !function.makes_column() || function == Function::Sorted {
        return column(of, context, walk);
    }
    match walk(of, context)? {
        Cow::Borrowed(Value::Column(xs)) => Ok(Cow::Borrowed(xs)),
        Cow::Owned(Value::Column(xs)) => Ok(Cow::Owned(xs)),
        _ => Err(EMPTY),
    }
}

/// The value of a function of columns: one number for the column, or another column of as many rows
/// (one fewer for differences).
///
/// `args` are as the function was typed. Cost: once through the column, and a sort for a median.
pub(super) fn call<N: Num>(
    function: Function,
    args: &[Node],
    context: &Context<'_, N>,
    walk: Walk<N>,
) -> Result<Value<N>, EvalError> {
    use Function::*;
    let xs = operand(function, &args[0], context, walk)?;
    let scalar = |n: N| Ok(Value::Scalar(finish(n, context)?));
    if function.fits_line()
        || matches!(function, WeightedMean | AtMax | AtMin | Interp | Equivalence | EquivalenceTangents)
    {
        return rows_together(function, &xs, args, context, walk);
    }
    match function {
        Row => {
            let n = walk(&args[1], context)?.scalar().map_or(0.0, Num::value);
            let found = xs.get((n as usize).wrapping_sub(1)).and_then(Option::as_ref);
            found.cloned().map_or(Err(EvalError::Undefined("there is no reading in that row")), scalar)
        }
        Diff => Ok(Value::Column(differences(&xs, context))),
        Cumsum => Ok(Value::Column(running(&xs, context, N::add)?)),
        Cumprod => Ok(Value::Column(running(&xs, context, N::mul)?)),
        Sorted => Ok(Value::Column(sorted(xs.into_owned()))),
        _ => of_one_column(function, &xs).and_then(scalar),
    }
}

/// Each value less the one before it; one shorter than the column.
///
/// A gap on either side is a gap.
fn differences<N: Num>(xs: &[Option<N>], context: &Context<'_, N>) -> Vec<Option<N>> {
    let pairs = xs.windows(2).map(|w| match w {
        [Some(a), Some(b)] => finish(b.sub(a), context).ok(),
        _ => None,
    });
    pairs.collect()
}

/// The values from the smallest up, gaps last.
///
/// Equal values keep their order.
fn sorted<N: Num>(mut xs: Vec<Option<N>>) -> Vec<Option<N>> {
    let value = |x: &Option<N>| x.as_ref().map_or(f64::INFINITY, Num::value);
    xs.sort_by(|a, b| value(a).total_cmp(&value(b)));
    xs
}

/// The sum or the product up to each row. After a gap nothing is known of it.
///
/// `joined` adds or multiplies.
fn running<N: Num>(
    xs: &[Option<N>],
    context: &Context<'_, N>,
    joined: fn(&N, &N) -> N,
) -> Result<Vec<Option<N>>, EvalError> {
    let mut total: Option<N> = None;
    let mut broken = false;
    let mut out = Vec::with_capacity(xs.len());
    for x in xs {
        broken |= x.is_none();
        let next = match x {
            Some(x) if !broken => Some(finish(total.as_ref().map_or(x.clone(), |t| joined(t, x)), context)?),
            _ => None,
        };
        out.push(next.clone());
        total = next;
    }
    Ok(out)
}

/// One figure of the values that are there.
///
/// Of an even number of values the median is the mean of the middle two.
fn of_one_column<N: Num>(function: Function, xs: &[Option<N>]) -> Result<N, EvalError> {
    use Function::*;
    let mut present: Vec<&N> = xs.iter().flatten().collect();
    if let Count = function {
        return Ok(N::exact(present.len() as f64));
    }
    let n = present.len();
    if n == 0 {
        return Err(EMPTY);
    }
    Ok(match function {
        Mean => N::mean(&present),
        MeanOver(delta) => {
            let count = n as f64 + f64::from(delta);
            if count <= 0.0 {
                return Err(EvalError::Undefined("it divides by zero"));
            }
            N::mean(&present).mul(&N::exact(n as f64 / count))
        }
        Sum => N::sum(&present),
        First => present[0].clone(),
        Last => present[n - 1].clone(),
        Sd | Sem => {
            let sd = spread(&present)?;
            if function == Sem { sd.div(&N::exact((n as f64).sqrt())) } else { sd }.of_a_spread()
        }
        _ => {
            present.sort_by(|a, b| a.value().total_cmp(&b.value()));
            match function {
                Min => present[0].clone(),
                Max => present[n - 1].clone(),
                Range => present[n - 1].sub(present[0]),
                _ if n % 2 == 1 => present[n / 2].clone(),
                _ => N::mean(&present[n / 2 - 1..=n / 2]),
            }
        }
    })
}

/// Sample standard deviation (n − 1), about the mean, so that no large squares cancel; ∂s/∂xᵢ = (xᵢ
/// − x̄)/((n − 1)s).
///
/// In the unit of the column; undefined for fewer than two values.
fn spread<N: Num>(xs: &[&N]) -> Result<N, EvalError> {
    let values: Vec<f64> = xs.iter().map(|x| x.value()).collect();
    let summary = crate::stats::summary(&values).ok_or(EMPTY)?;
    let sd = summary.sd.ok_or(EvalError::Undefined("a standard deviation needs two readings"))?;
    let slope = |x: f64| if sd == 0.0 { 0.0 } else { (x - summary.mean) / ((values.len() - 1) as f64 * sd) };
    let parts: Vec<(&N, f64)> = xs.iter().map(|x| (*x, slope(x.value()))).collect();
    Ok(N::combine(sd, &parts))
}

/// Functions over several columns of one table, on the rows where all of them have a value.
///
/// A row without one of its values is passed over.
fn rows_together<N: Num>(
    function: Function,
    xs: &[Option<N>],
    args: &[Node],
    context: &Context<'_, N>,
    walk: Walk<N>,
) -> Result<Value<N>, EvalError> {
    use Function::*;
    let ys = column(&args[1], context, walk)?;
    let weighted = (function.fits_line() && args.len() > 2).then(|| column(&args[2], context, walk)).transpose()?;
    if xs.len() != ys.len() || weighted.as_ref().is_some_and(|w| w.len() != xs.len()) {
        return Err(EvalError::Undefined("two columns have different numbers of rows"));
    }
    let rows: Vec<Point<'_, N>> = xs
        .iter()
        .zip(ys.iter())
        .enumerate()
        .filter_map(|(i, (x, y))| {
            let w = match &weighted {
                Some(ws) => Some(ws[i].as_ref()?),
                None => None,
            };
            Some((x.as_ref()?, y.as_ref()?, w))
        })
        .collect();
    if rows.is_empty() {
        return Err(EMPTY);
    }
    let value = match function {
        WeightedMean => weighted_mean(&rows)?,
        AtMax | AtMin => {
            // The first of several rows that are equally large.
            let better = |a: f64, b: f64| if function == AtMax { a > b } else { a < b };
            let best = rows.iter().copied().reduce(|a, b| if better(b.1.value(), a.1.value()) { b } else { a });
            best.ok_or(EMPTY)?.0.clone()
        }
        SlopeEnds => {
            let (first, last) = (&rows[0], &rows[rows.len() - 1]);
            let run = last.0.sub(first.0);
            if run.value() == 0.0 {
                return Err(EvalError::Undefined("the two points lie above one another"));
            }
            last.1.sub(first.1).div(&run)
        }
        Interp => match &*walk(&args[2], context)? {
            Value::Scalar(at) => interpolate(&rows, at)?,
            Value::Column(at) => {
                let read = |a: &Option<N>| a.as_ref().and_then(|a| interpolate(&rows, a).ok());
                return Ok(Value::Column(at.iter().map(read).collect()));
            }
            _ => return Err(EMPTY),
        },
        Equivalence | EquivalenceTangents => end_point(function, &rows, args, context, walk)?,
        _ => fitted(function, &rows, weighted.is_some(), context)?,
    };
    Ok(Value::Scalar(finish(value, context)?))
}

/// Σwx/Σw with its derivatives: w/Σw by a value, (x − mean)/Σw by a weight.
///
/// Undefined where the weights add up to nought.
fn weighted_mean<N: Num>(rows: &[Point<'_, N>]) -> Result<N, EvalError> {
    let w: f64 = rows.iter().map(|r| r.1.value()).sum();
    if w == 0.0 {
        return Err(EvalError::Undefined("the weights add up to nought"));
    }
    let mean = rows.iter().map(|r| r.0.value() * r.1.value()).sum::<f64>() / w;
    let parts: Vec<(&N, f64)> =
        rows.iter().flat_map(|r| [(r.0, r.1.value() / w), (r.1, (r.0.value() - mean) / w)]).collect();
    Ok(N::combine(mean, &parts))
}

/// The volume at which a titration ends; known to at least half the local step, rectangular.
///
/// `rows` are volumes and signals, in the order in which they were added.
fn end_point<N: Num>(
    function: Function,
    rows: &[Point<'_, N>],
    args: &[Node],
    context: &Context<'_, N>,
    walk: Walk<N>,
) -> Result<N, EvalError> {
    let points: Vec<(&N, &N)> = rows.iter().map(|r| (r.0, r.1)).collect();
    let found = if function == Function::Equivalence {
        endpoint::second_derivative(&points)
    } else {
        let mut ends = [0.0; 4];
        for (end, arg) in ends.iter_mut().zip(&args[2..]) {
            *end = walk(arg, context)?.scalar().map_or(f64::NAN, Num::value);
        }
        endpoint::tangents(&points, ends)
    };
    let (volume, half_step) = found.map_err(EvalError::Undefined)?;
    // Where two steps are nearly as steep the interpolation between them is ill-conditioned, but the place is still one of
    // the step's: its uncertainty is capped by that.
    let wild = context.arising.as_ref().is_some_and(|a| volume.spread(a.sources) > 2.0 * half_step);
    let volume = if wild { N::exact(volume.value()) } else { volume };
    Ok(context.at_least(volume, half_step / 3f64.sqrt()))
}

/// A figure of the line through the points. What scatters about the line more than the readings'
/// own uncertainties explain counts too.
///
/// Undefined for fewer points than parameters, or for points that all lie above one another.
fn fitted<N: Num>(
    function: Function,
    rows: &[Point<'_, N>],
    weighted: bool,
    context: &Context<'_, N>,
) -> Result<N, EvalError> {
    let (x, y): (Vec<f64>, Vec<f64>) = rows.iter().map(|r| (r.0.value(), r.1.value())).unzip();
    let w: Option<Vec<f64>> = weighted.then(|| rows.iter().map(|r| r.2.map_or(1.0, Num::value)).collect());
    let fit = line(&x, &y, w.as_deref(), function == Function::SlopeOrigin).map_err(EvalError::Undefined)?;
    let value = of_line(function, &fit, rows, &x, &y, w.as_deref())?;
    let error = match function {
        Function::Slope | Function::SlopeOrigin => fit.slope_error,
        Function::Intercept => fit.intercept_error,
        _ => None,
    };
    Ok(match error {
        Some(e) => context.at_least(value, e),
        None => value,
    })
}

/// One figure of a fitted line with its derivatives by every point.
///
/// Derivatives come by every x, y and weight.
fn of_line<N: Num>(
    function: Function,
    fit: &Line,
    rows: &[Point<'_, N>],
    x: &[f64],
    y: &[f64],
    w: Option<&[f64]>,
) -> Result<N, EvalError> {
    let parts = |by: &dyn Fn(usize) -> [f64; 3]| -> Vec<(&N, f64)> {
        rows.iter()
            .enumerate()
            .flat_map(|(i, r)| {
                let [dx, dy, dw] = by(i);
                [Some((r.0, dx)), Some((r.1, dy)), r.2.map(|w| (w, dw))].into_iter().flatten()
            })
            .collect()
    };
    let few = EvalError::Undefined("too few points for the spread about the line");
    match function {
        Function::Slope | Function::SlopeOrigin => {
            Ok(N::combine(fit.slope, &parts(&|i| fit.slope_partials(x[i], y[i], w.map_or(1.0, |w| w[i])))))
        }
        Function::Intercept => {
            Ok(N::combine(fit.intercept, &parts(&|i| fit.intercept_partials(x[i], y[i], w.map_or(1.0, |w| w[i])))))
        }
        // Of a spread about the line no derivatives are carried: an uncertainty of an uncertainty is not asked for.
        Function::SlopeError => fit.slope_error.map(|v| N::combine(v, &parts(&|_| [0.0; 3])).of_a_spread()).ok_or(few),
        Function::InterceptError => {
            fit.intercept_error.map(|v| N::combine(v, &parts(&|_| [0.0; 3])).of_a_spread()).ok_or(few)
        }
        _ => fit.residual_sd.map(|v| N::combine(v, &parts(&|_| [0.0; 3])).of_a_spread()).ok_or(few),
    }
}

/// y at x = at between the first two neighbouring points that bracket it.
///
/// Between neighbours only: outside of the table nothing is said.
fn interpolate<N: Num>(rows: &[Point<'_, N>], at: &N) -> Result<N, EvalError> {
    let a = at.value();
    for pair in rows.windows(2) {
        let (x0, x1) = (pair[0].0.value(), pair[1].0.value());
        if x0 != x1 && (x0.min(x1)..=x0.max(x1)).contains(&a) {
            let run = pair[1].0.sub(pair[0].0);
            let rise = pair[1].1.sub(pair[0].1);
            return Ok(pair[0].1.add(&rise.mul(&at.sub(pair[0].0).div(&run))));
        }
    }
    Err(EvalError::Undefined("the value looked for lies outside the table"))
}
