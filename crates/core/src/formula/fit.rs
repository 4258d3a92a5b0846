//! A curve of the protocol's own fitted through the points of a table:
//! `fit(y, model, parameter, start, …)`.

use super::FormulaError;
use super::ItemId;
use super::ast::{Ast, AstKind};
use super::function::Function;
use super::node::{Node, Op, Shape, Symbol};
use super::value::{Context, EvalError, Num, Value, finish};
use super::vector::{Walk, column};
use crate::quantity::Nature;
use crate::stats::least_squares;

/// Checks a piece against the names it may use.
type Check<'a> = fn(&Ast, &dyn Fn(&str) -> Option<Symbol<'a>>) -> Result<Node, FormulaError>;

/// Most parameters of a fit.
///
/// Eight parameters take nine workings of the model for each step.
const MOST: usize = 8;
/// Items from here on are parameters of a fit while its model is checked.
const PARAMETERS: usize = u32::MAX as usize / 2;

/// Checks `fit(y, model, parameter, start, …)`: parameters are names of the model's own, each with
/// the dimension of its start.
///
/// # Errors
/// A column of values, a model and at least one parameter are needed; a parameter may bear no name
/// that is declared, a start is one value, the model has the rows and the dimension of the values,
/// there are at most eight parameters, and no fit stands in another.
pub(super) fn checked<'a>(
    function: Function,
    args: &[Ast],
    span: std::ops::Range<usize>,
    resolve: &dyn Fn(&str) -> Option<Symbol<'a>>,
    check: Check<'a>,
) -> Result<Node, FormulaError> {
    let name = function.name();
    if args.len() < 4 || args.len() % 2 == 1 {
        return Err(FormulaError::new(
            span,
            format!("{name}() takes values, a model, and a name and a start for each parameter"),
            format!("write it like {name}(y, a * exp(-k * x), k, 0.1[1/s], a, 5[V])"),
        ));
    }
    if args.len() > 2 + 2 * MOST {
        let what = format!("a fit has at most {MOST} parameters");
        return Err(FormulaError::new(span, what, "give some of them as constants"));
    }
    let mut parameters: Vec<(&str, Symbol<'a>)> = Vec::new();
    let mut starts = Vec::new();
    for pair in args[2..].chunks_exact(2) {
        let AstKind::Name(parameter) = &pair[0].kind else {
            let mend = "write a name that stands in the model";
            return Err(FormulaError::new(pair[0].span.clone(), "a parameter of a fit is a name", mend));
        };
        if resolve(parameter).is_some() || parameters.iter().any(|(known, _)| known == parameter) {
            let what = format!("`{parameter}` stands for something already");
            return Err(FormulaError::new(pair[0].span.clone(), what, "give the parameter another name"));
        }
        let start = check(&pair[1], resolve)?;
        if start.shape != Shape::Scalar || start.nature == Nature::Point || start.truth {
            let what = "a fit begins at one value for each parameter";
            return Err(FormulaError::new(start.span, what, "write a quantity such as 0.1[1/s]"));
        }
        let item = ItemId::at(PARAMETERS + parameters.len());
        let (dimension, nature, shape) = (start.dimension, Nature::Plain, Shape::Scalar);
        parameters.push((parameter, Symbol { item, dimension, nature, shape, words: None }));
        starts.push(start);
    }
    let values = check(&args[0], resolve)?;
    let known = |name: &str| parameters.iter().find(|(p, _)| *p == name).map(|(_, s)| *s).or_else(|| resolve(name));
    let model = check(&args[1], &known)?;
    if !matches!(values.shape, Shape::Column(_)) || model.shape != values.shape || model.truth {
        let what = format!("the values and the model of {name}() need the rows of one table");
        return Err(FormulaError::new(
            span,
            what,
            "take a column for the values, and a model that uses one of its table",
        ));
    }
    if model.dimension != values.dimension || [&model, &values].iter().any(|n| n.nature == Nature::Point) {
        return Err(FormulaError::new(
            model.span,
            format!("the model comes out as {}, the values as {}", model.dimension, values.dimension),
            "mend the model, or the unit of a start; take kelvin() of a temperature",
        ));
    }
    let fits = |n: &Node| matches!(n.op, Op::Call(Function::Fit | Function::FitError, _));
    if model.any(&fits) || values.any(&fits) {
        return Err(FormulaError::new(span, "a fit stands within a fit", "make a result of the inner one"));
    }
    let dimension = starts[0].dimension;
    let names: Vec<String> = parameters.iter().map(|(name, _)| (*name).to_owned()).collect();
    let args = [values, with_parameters(&model, &names)].into_iter().chain(starts).collect();
    Ok(Node { span, ..Node::made(Op::Call(function, args), dimension) })
}

/// A model with the names of its parameters put in, so that its text shows them.
///
/// While the model is checked, parameters are items with numbers that no lab reaches.
fn with_parameters(node: &Node, names: &[String]) -> Node {
    match node.op {
        Op::Item(i) if i.index() >= PARAMETERS => {
            let k = i.index() - PARAMETERS;
            Node { op: Op::Parameter(k, names.get(k).cloned().unwrap_or_default()), ..node.clone() }
        }
        _ => node.with_children(node.children().map(|c| with_parameters(c, names)).collect()),
    }
}

/// The first parameter of a fitted curve, or its standard error.
///
/// The parameter follows every value with its derivative. What the points scatter about the curve
/// more than their own uncertainties explain counts too, as with a line.
///
/// `walk` works over the numbers in hand, `plainly` over plain ones, by which the fit is found.
/// Starts are where the search begins, in SI units. Where it finds nothing the value is undefined,
/// and says why.
pub(super) fn fitted<N: Num>(
    function: Function,
    args: &[Node],
    context: &Context<'_, N>,
    (walk, plainly): (Walk<N>, Walk<f64>),
) -> Result<Value<N>, EvalError> {
    let ys = column(&args[0], context, walk)?;
    let start: Vec<f64> = args[2..]
        .iter()
        .map(|a| Ok(walk(a, context)?.scalar().map_or(f64::NAN, Num::value)))
        .collect::<Result<_, EvalError>>()?;
    let items: Vec<Option<Value<f64>>> = context.items.iter().map(|v| v.as_ref().map(plain)).collect();
    let tried = context.instead.map(|(item, value)| (item, plain(value)));
    let instead = tried.as_ref().map(|(item, value)| (*item, value));
    let curve = |at: &[f64]| -> Option<Vec<Option<f64>>> {
        let within = Context { parameters: at, instead, ..Context::without(&items, context.out) };
        match plainly(&args[1], &within).ok()?.into_owned() {
            Value::Column(xs) => Some(xs),
            _ => None,
        }
    };
    let there = curve(&start).ok_or(EvalError::Undefined("the curve is not defined where the fit begins"))?;
    let rows: Vec<usize> = (0..ys.len().min(there.len())).filter(|i| ys[*i].is_some() && there[*i].is_some()).collect();
    let y: Vec<f64> = rows.iter().filter_map(|i| ys[*i].as_ref().map(Num::value)).collect();
    let model = |at: &[f64]| {
        let xs = curve(at)?;
        rows.iter().map(|i| xs.get(*i).copied().flatten()).collect::<Option<Vec<f64>>>()
    };
    let fit = least_squares(&model, &y, &start).map_err(EvalError::Undefined)?;
    let error = fit.errors.as_ref().map(|e| e[0]);
    // What is left at the fit, with the derivatives of both sides.
    let within = Context {
        parameters: &fit.parameters,
        instead: context.instead,
        ..Context::without(context.items, context.out)
    };
    let Value::Column(curve) = walk(&args[1], &within)?.into_owned() else {
        return Err(EvalError::Undefined("the model is no column"));
    };
    let left: Vec<N> = rows.iter().filter_map(|i| Some(ys[*i].as_ref()?.sub(curve.get(*i)?.as_ref()?))).collect();
    let parts: Vec<(&N, f64)> = left.iter().zip(&fit.influence[0]).map(|(r, d)| (r, *d)).collect();
    let value = if function == Function::FitError {
        let few = EvalError::Undefined("too few points for the spread about the curve");
        let still: Vec<(&N, f64)> = parts.iter().map(|(r, _)| (*r, 0.0)).collect();
        N::combine(error.ok_or(few)?, &still).of_a_spread()
    } else {
        let value = N::combine(fit.parameters[0], &parts);
        error.map_or(value.clone(), |e| context.at_least(value, e))
    };
    Ok(Value::Scalar(finish(value, context)?))
}

/// The values without their derivatives or places.
///
/// Columns keep their gaps.
fn plain<N: Num>(value: &Value<N>) -> Value<f64> {
    match value {
        Value::Scalar(n) => Value::Scalar(n.value()),
        Value::Column(ns) => Value::Column(ns.iter().map(|n| n.as_ref().map(Num::value)).collect()),
        Value::Word(w) => Value::Word(*w),
        Value::Words(ws) => Value::Words(ws.clone()),
    }
}
