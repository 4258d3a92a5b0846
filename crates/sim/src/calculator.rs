//! A pocket calculator and a hand that works it: formulas are keyed in as they stand in the protocol, number by number,
//! and at one place the hand may do something else. Nothing here rewrites a formula; a mistake is a thing that is done
//! while calculating. Functions are worked out here on their own, so that simulated tables also check the judge's.

use std::cell::RefCell;
use std::collections::HashMap;
use std::ops::Range;

use jurado_core::formula::ast::{Ast, AstKind, Comparator, Operator};
use jurado_core::quantity::Unit;

/// What a place of a formula comes to. A gap in a column, and whatever cannot be worked out, is not a number.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Val {
    One(f64),
    Many(Vec<f64>),
    Word(String),
    Words(Vec<String>),
}

impl Val {
    pub(crate) fn number(&self) -> f64 {
        match self {
            Val::One(x) => *x,
            Val::Many(xs) if xs.len() == 1 => xs[0],
            _ => f64::NAN,
        }
    }

    pub(crate) fn numbers(&self) -> Vec<f64> {
        match self {
            Val::One(x) => vec![*x],
            Val::Many(xs) => xs.clone(),
            _ => Vec::new(),
        }
    }

    /// The row of a column, or the one value there is.
    pub(crate) fn row(&self, row: Option<usize>) -> Val {
        match (self, row) {
            (Val::Many(xs), Some(r)) => Val::One(xs.get(r).copied().unwrap_or(f64::NAN)),
            (Val::Words(ws), Some(r)) => Val::Word(ws.get(r).cloned().unwrap_or_default()),
            _ => self.clone(),
        }
    }
}

/// What a hand does at a place instead of what stands there.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Hand {
    /// + for −, − for +.
    OtherSign,
    /// The two sides of a difference or quotient taken for each other.
    TurnedRound,
    /// The second number not keyed in.
    FirstOnly,
    /// The first number not keyed in.
    SecondOnly,
    /// × for ÷.
    TimesForOver,
    /// The power key not pressed, the exponent multiplied instead, or pressed once too often.
    NoPower,
    TimesExponent,
    OnePowerMore,
    /// A function key not pressed (√).
    KeyForgotten,
    /// ln for log, log for ln.
    OtherLog,
    /// Degrees where the calculator is set to radians, or the reverse.
    OtherAngle,
    /// Divided by a count so much off.
    CountOff(i32),
    NotDivided,
    OneReadingOnly(bool),
    /// The axes of a graph taken for each other.
    AxesTurned,
    /// The slope through the first and last point.
    TwoPoints,
    /// Forced through the origin, or not.
    OtherIntercept,
    /// A number keyed in so many times too large.
    Scaled(f64),
    /// Another number keyed in, coherent SI units.
    Instead(f64),
    /// The number of another line of the sheet.
    Line(String),
    /// One row of a column passed over.
    RowSkipped(usize),
}

/// Where.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Place {
    /// One place of the formula, by the bytes it stands in.
    At(Range<usize>),
    /// Every time a name is used.
    Name(String),
}

/// One thing done otherwise.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Deed {
    pub(crate) hand: Hand,
    pub(crate) place: Place,
}

/// What a name is measured in, for working in the units of the sheet: one of its coherent unit in SI.
pub(crate) type Scales = HashMap<String, f64>;

/// A calculator with what stands on the sheet before it.
#[derive(Default)]
pub(crate) struct Calculator<'a> {
    pub(crate) names: HashMap<String, Val>,
    /// Rows left out of means and fits, by name.
    pub(crate) out: HashMap<String, Vec<bool>>,
    /// What one coherent working unit of each name is, in SI; absent is 1.
    pub(crate) scales: Option<&'a Scales>,
    /// The working unit of a quantity literal.
    pub(crate) base: Option<[f64; 7]>,
    pub(crate) deed: Option<&'a Deed>,
    pub(crate) pi: Option<f64>,
    /// Every operation rounded to so many figures.
    pub(crate) steps: Option<i32>,
    /// Numbers of the one formula that is worked out again and again, by where they stand in it; `None` to read them anew.
    pub(crate) known: Option<RefCell<HashMap<usize, f64>>>,
}

/// A number with so many significant figures.
pub(crate) fn to_figures(value: f64, count: i32) -> f64 {
    if value == 0.0 || !value.is_finite() {
        return value;
    }
    let place = value.abs().log10().floor() as i32 - count + 1;
    let unit = 10f64.powi(place.abs());
    if place >= 0 { (value / unit).round() * unit } else { (value * unit).round() / unit }
}

impl Calculator<'_> {
    pub(crate) fn work(&self, ast: &Ast) -> Val {
        self.key(ast, false)
    }

    fn here(&self, ast: &Ast) -> Option<&Hand> {
        self.deed.filter(|d| d.place == Place::At(ast.span.clone())).map(|d| &d.hand)
    }

    fn settle(&self, v: Val) -> Val {
        match (self.steps, v) {
            (Some(n), Val::One(x)) => Val::One(to_figures(x, n)),
            (Some(n), Val::Many(xs)) => Val::Many(xs.into_iter().map(|x| to_figures(x, n)).collect()),
            (_, v) => v,
        }
    }

    /// The value of a piece. `whole` where one value is made of a column: then rows left out are gaps.
    fn key(&self, ast: &Ast, whole: bool) -> Val {
        match &ast.kind {
            AstKind::Number { text, unit } => Val::One(match &self.known {
                None => self.literal(text, unit.as_deref()),
                Some(known) => {
                    let mut known = known.borrow_mut();
                    *known.entry(ast.span.start).or_insert_with(|| self.literal(text, unit.as_deref()))
                }
            }),
            AstKind::Name(name) if name == "pi" => Val::One(self.pi.unwrap_or(std::f64::consts::PI)),
            AstKind::Name(name) => self.name(ast, name, whole),
            AstKind::Negative(a) => match self.here(ast) {
                Some(Hand::KeyForgotten) => self.key(a, whole),
                _ => each(&self.key(a, whole), |x| -x),
            },
            AstKind::Word(word) => Val::Word(word.clone()),
            AstKind::Compare(op, a, b) => compare(*op, &self.key(a, whole), &self.key(b, whole)),
            AstKind::Binary(op, a, b) => {
                let (x, y) = (self.key(a, whole), self.key(b, whole));
                self.settle(self.operate(*op, &x, &y, self.here(ast)))
            }
            AstKind::Call(name, args) => self.settle(self.call(ast, name, args, whole)),
        }
    }

    /// A number of a formula in working units.
    fn literal(&self, text: &str, unit: Option<&str>) -> f64 {
        let value: f64 = text.parse().unwrap_or(f64::NAN);
        match unit.map(Unit::parse) {
            Some(Ok(u)) => {
                let scale = self.base.map_or(1.0, |b| u.dimension.in_scales(&b));
                u.to_si(value, u.nature) / scale
            }
            _ => value,
        }
    }

    fn name(&self, ast: &Ast, name: &str, whole: bool) -> Val {
        let hand = self
            .deed
            .filter(|d| d.place == Place::At(ast.span.clone()) || d.place == Place::Name(name.to_owned()))
            .map(|d| &d.hand);
        let line = match (hand, self.deed) {
            (Some(Hand::Line(other)), _) => other.as_str(),
            // Two lines taken for each other: the other one in turn.
            (None, Some(Deed { hand: Hand::Line(other), place: Place::Name(mine) })) if other == name => mine.as_str(),
            _ => name,
        };
        let Some(mut value) = self.names.get(line).cloned() else { return Val::One(f64::NAN) };
        if let (true, Val::Many(xs), Some(out)) = (whole, &mut value, self.out.get(line)) {
            xs.iter_mut().zip(out).filter(|(_, o)| **o).for_each(|(x, _)| *x = f64::NAN);
        }
        match hand {
            Some(Hand::RowSkipped(r)) => {
                if let Val::Many(xs) = &mut value
                    && let Some(x) = xs.get_mut(*r)
                {
                    *x = f64::NAN;
                }
            }
            Some(Hand::Scaled(f)) => value = each(&value, |x| x * f),
            Some(Hand::Instead(v)) => value = each(&value, |_| *v),
            Some(Hand::OtherSign) => value = each(&value, |x| -x),
            Some(Hand::FirstOnly) => value = each(&value, |_| 0.0),
            _ => {}
        }
        // A word has no unit to be converted from.
        match (self.scales.and_then(|s| s.get(line)), &value) {
            (Some(scale), Val::One(_) | Val::Many(_)) => each(&value, |x| x / scale),
            _ => value,
        }
    }

    fn operate(&self, op: Operator, x: &Val, y: &Val, hand: Option<&Hand>) -> Val {
        let usual = |op: Operator, x: &Val, y: &Val| {
            both(x, y, |a, b| match op {
                Operator::Add => a + b,
                Operator::Subtract => a - b,
                Operator::Multiply => a * b,
                Operator::Divide => {
                    if b == 0.0 {
                        f64::NAN
                    } else {
                        a / b
                    }
                }
                Operator::Power => a.powf(b),
            })
        };
        match (hand, op) {
            (Some(Hand::OtherSign), Operator::Add) => usual(Operator::Subtract, x, y),
            (Some(Hand::OtherSign), Operator::Subtract) => usual(Operator::Add, x, y),
            (Some(Hand::TurnedRound), _) => usual(op, y, x),
            (Some(Hand::FirstOnly | Hand::NoPower), _) => x.clone(),
            (Some(Hand::SecondOnly), _) => y.clone(),
            (Some(Hand::TimesForOver | Hand::TimesExponent), _) => usual(Operator::Multiply, x, y),
            (Some(Hand::OnePowerMore), _) => usual(op, x, &each(y, |n| n + 1.0)),
            _ => usual(op, x, y),
        }
    }

    fn call(&self, ast: &Ast, name: &str, args: &[Ast], whole: bool) -> Val {
        let hand = self.here(ast);
        let of_columns = !ROW_BY_ROW.contains(&name);
        let at = |i: usize| args.get(i).map_or(Val::One(f64::NAN), |a| self.key(a, whole || of_columns));
        let first = at(0);
        if let Some(Hand::KeyForgotten) = hand {
            return first;
        }
        let angle = |x: f64| {
            if matches!(hand, Some(Hand::OtherAngle)) { x.to_degrees() } else { x }
        };
        match name {
            "sqrt" => each(&first, |x| if x < 0.0 { f64::NAN } else { x.sqrt() }),
            "exp" => each(&first, f64::exp),
            "ln" | "log10" => {
                let natural = (name == "ln") != matches!(hand, Some(Hand::OtherLog));
                each(&first, |x| {
                    if x <= 0.0 {
                        f64::NAN
                    } else if natural {
                        x.ln()
                    } else {
                        x.log10()
                    }
                })
            }
            "sin" => each(&first, |x| angle(x).sin()),
            "cos" => each(&first, |x| angle(x).cos()),
            "tan" => each(&first, |x| angle(x).tan()),
            "asin" => each(&first, |x| angle(x.asin())),
            "acos" => each(&first, |x| angle(x.acos())),
            "atan" => each(&first, |x| angle(x.atan())),
            "atan2" => both(&first, &at(1), |y, x| angle(y.atan2(x))),
            "abs" => each(&first, f64::abs),
            "round" => each(&first, f64::round),
            "kelvin" => first,
            "if" => {
                let (yes, no) = (at(1), at(2));
                match (&first, &yes, &no) {
                    (Val::One(c), ..) => {
                        if *c != 0.0 {
                            yes
                        } else {
                            no
                        }
                    }
                    (Val::Many(cs), ..) => Val::Many(
                        cs.iter()
                            .enumerate()
                            .map(|(i, c)| if *c != 0.0 { yes.row(Some(i)) } else { no.row(Some(i)) }.number())
                            .collect(),
                    ),
                    _ => Val::One(f64::NAN),
                }
            }
            "and" => (1..args.len()).fold(first, |a, i| both(&a, &at(i), |a, b| f64::from(a != 0.0 && b != 0.0))),
            "or" => (1..args.len()).fold(first, |a, i| both(&a, &at(i), |a, b| f64::from(a != 0.0 || b != 0.0))),
            "not" => each(&first, |a| f64::from(a == 0.0)),
            "diff" => Val::Many(first.numbers().windows(2).map(|w| w[1] - w[0]).collect()),
            "cumsum" => running(&first, 0.0, |total, x| total + x),
            "cumprod" => running(&first, 1.0, |product, x| product * x),
            "row_number" => Val::Many((1..=first.numbers().len()).map(|n| n as f64).collect()),
            "sorted" => {
                let mut values = first.numbers();
                values.sort_by(f64::total_cmp);
                Val::Many(values)
            }
            "at_max" | "at_min" => {
                let sign = if name == "at_max" { 1.0 } else { -1.0 };
                let (values, by) = (first.numbers(), at(1).numbers());
                let mut best: Option<usize> = None;
                for i in (0..values.len()).filter(|i| !values[*i].is_nan() && by.get(*i).is_some_and(|b| !b.is_nan())) {
                    if best.is_none_or(|b| sign * by[i] > sign * by[b]) {
                        best = Some(i);
                    }
                }
                Val::One(best.map_or(f64::NAN, |i| values[i]))
            }
            "only" => both(&first, &at(1), |x, c| if c != 0.0 { x } else { f64::NAN }),
            "row" => {
                let n = at(1).number() as usize;
                Val::One(first.numbers().get(n.wrapping_sub(1)).copied().unwrap_or(f64::NAN))
            }
            "slope"
            | "slope0"
            | "slope_ends"
            | "intercept"
            | "slope_se"
            | "intercept_se"
            | "residual_sd"
            | "wmean"
            | "interp"
            | "equivalence"
            | "equivalence_tangents" => {
                let rest: Vec<Val> = (1..args.len()).map(at).collect();
                Val::One(of_points(name, &first.numbers(), &rest, hand))
            }
            _ => Val::One(of_column(name, &first.numbers(), hand)),
        }
    }
}

/// Functions that work row by row; all others make one value of a column.
const ROW_BY_ROW: [&str; 23] = [
    "sqrt",
    "exp",
    "ln",
    "log10",
    "sin",
    "cos",
    "tan",
    "asin",
    "acos",
    "atan",
    "atan2",
    "abs",
    "round",
    "kelvin",
    "if",
    "and",
    "or",
    "not",
    "diff",
    "cumsum",
    "cumprod",
    "row_number",
    "sorted",
];

fn running(v: &Val, start: f64, joined: impl Fn(f64, f64) -> f64) -> Val {
    let mut so_far = start;
    let step = |x: f64| {
        so_far = joined(so_far, x);
        so_far
    };
    Val::Many(v.numbers().into_iter().map(step).collect())
}

fn each(v: &Val, f: impl Fn(f64) -> f64) -> Val {
    match v {
        Val::One(x) => Val::One(f(*x)),
        Val::Many(xs) => Val::Many(xs.iter().map(|x| if x.is_nan() { *x } else { f(*x) }).collect()),
        _ => Val::One(f64::NAN),
    }
}

fn both(a: &Val, b: &Val, f: impl Fn(f64, f64) -> f64) -> Val {
    let rows = match (a, b) {
        (Val::Many(x), Val::Many(y)) => x.len().min(y.len()),
        (Val::Many(x), _) | (_, Val::Many(x)) => x.len(),
        _ => return Val::One(f(a.number(), b.number())),
    };
    Val::Many(
        (0..rows)
            .map(|i| {
                let (x, y) = (a.row(Some(i)).number(), b.row(Some(i)).number());
                if x.is_nan() || y.is_nan() { f64::NAN } else { f(x, y) }
            })
            .collect(),
    )
}

fn compare(op: Comparator, a: &Val, b: &Val) -> Val {
    let same = |x: &str, y: &str| f64::from((x == y) == (op == Comparator::Equal));
    match (a, b) {
        (Val::Word(x), Val::Word(y)) => Val::One(same(x, y)),
        (Val::Words(xs), Val::Word(y)) | (Val::Word(y), Val::Words(xs)) => {
            Val::Many(xs.iter().map(|x| same(x, y)).collect())
        }
        _ => both(a, b, |x, y| f64::from(op.holds(x, y))),
    }
}

fn of_column(name: &str, all: &[f64], hand: Option<&Hand>) -> f64 {
    let mut xs: Vec<f64> = all.iter().copied().filter(|x| !x.is_nan()).collect();
    let n = xs.len() as f64;
    if name == "count" {
        return n;
    }
    if xs.is_empty() {
        return f64::NAN;
    }
    let sum: f64 = xs.iter().sum();
    let mean = sum / n;
    let sd = (xs.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
    match (name, hand) {
        ("mean", Some(Hand::CountOff(by))) => sum / (n + f64::from(*by)),
        ("mean", Some(Hand::NotDivided)) => sum,
        ("mean", Some(Hand::OneReadingOnly(first))) => {
            if *first {
                xs[0]
            } else {
                xs[xs.len() - 1]
            }
        }
        ("mean", _) => mean,
        ("sum", _) => sum,
        ("first", _) => xs[0],
        ("last", _) => xs[xs.len() - 1],
        ("sd", _) => sd,
        ("sem", _) => sd / n.sqrt(),
        _ => {
            xs.sort_by(f64::total_cmp);
            let (low, high) = (xs[0], xs[xs.len() - 1]);
            match name {
                "min" => low,
                "max" => high,
                "range" => high - low,
                "median" => {
                    let half = xs.len() / 2;
                    if xs.len() % 2 == 1 { xs[half] } else { (xs[half - 1] + xs[half]) / 2.0 }
                }
                _ => f64::NAN,
            }
        }
    }
}

/// A straight line through points by least squares: slope, intercept, their errors, spread about it.
fn straight(points: &[(f64, f64, f64)], origin: bool) -> [f64; 5] {
    let n = points.len() as f64;
    let sum = |f: &dyn Fn(&(f64, f64, f64)) -> f64| points.iter().map(f).sum::<f64>();
    let w = sum(&|p| p.2);
    let (mx, my) = if origin { (0.0, 0.0) } else { (sum(&|p| p.2 * p.0) / w, sum(&|p| p.2 * p.1) / w) };
    let sxx = sum(&|p| p.2 * (p.0 - mx).powi(2));
    let slope = sum(&|p| p.2 * (p.0 - mx) * (p.1 - my)) / sxx;
    let intercept = my - slope * mx;
    let rest = sum(&|p| p.2 * (p.1 - intercept - slope * p.0).powi(2)) / (n - if origin { 1.0 } else { 2.0 });
    let s = rest.sqrt();
    [slope, intercept, s / sxx.sqrt(), s * (1.0 / w + mx * mx / sxx).sqrt(), s]
}

/// Standard error of the slope, or of the intercept, of a line.
pub(crate) fn errors(xs: &[f64], ys: &[f64], ws: Option<&[f64]>, of_slope: bool) -> f64 {
    let points: Vec<(f64, f64, f64)> = xs
        .iter()
        .zip(ys)
        .enumerate()
        .map(|(i, (x, y))| (*x, *y, ws.and_then(|w| w.get(i)).copied().unwrap_or(1.0)))
        .filter(|p| !(p.0.is_nan() || p.1.is_nan() || p.2.is_nan()))
        .collect();
    let [_, _, slope, intercept, _] = straight(&points, false);
    let error = if of_slope { slope } else { intercept };
    if error.is_finite() { error } else { 0.0 }
}

fn of_points(name: &str, xs: &[f64], rest: &[Val], hand: Option<&Hand>) -> f64 {
    let ys = rest[0].numbers();
    let ws = (rest.len() > 1 && name != "interp" && name != "equivalence_tangents").then(|| rest[1].numbers());
    let mut points: Vec<(f64, f64, f64)> = xs
        .iter()
        .zip(&ys)
        .enumerate()
        .map(|(i, (x, y))| (*x, *y, ws.as_ref().map_or(1.0, |w| w.get(i).copied().unwrap_or(f64::NAN))))
        .filter(|p| !(p.0.is_nan() || p.1.is_nan() || p.2.is_nan()))
        .collect();
    if name == "wmean" {
        let w: f64 = points.iter().map(|p| p.1).sum();
        return points.iter().map(|p| p.0 * p.1).sum::<f64>() / w;
    }
    if points.len() < 2 {
        return f64::NAN;
    }
    if let Some(Hand::AxesTurned) = hand {
        points.iter_mut().for_each(|p| std::mem::swap(&mut p.0, &mut p.1));
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    if name == "slope_ends" || matches!(hand, Some(Hand::TwoPoints)) {
        return (last.1 - first.1) / (last.0 - first.0);
    }
    let origin = (name == "slope0") != matches!(hand, Some(Hand::OtherIntercept));
    let [slope, intercept, slope_se, intercept_se, spread] = straight(&points, origin);
    match name {
        "slope" | "slope0" => slope,
        "intercept" => intercept,
        "slope_se" => slope_se,
        "intercept_se" => intercept_se,
        "residual_sd" => spread,
        "interp" => between(&points, rest[1].number()),
        "equivalence" => steepest(&points),
        _ => f64::NAN,
    }
}

fn between(points: &[(f64, f64, f64)], at: f64) -> f64 {
    points
        .windows(2)
        .find(|w| w[0].0 != w[1].0 && w[0].0.min(w[1].0) <= at && at <= w[0].0.max(w[1].0))
        .map_or(f64::NAN, |w| w[0].1 + (w[1].1 - w[0].1) * (at - w[0].0) / (w[1].0 - w[0].0))
}

/// Where the second derivative is nought: slopes between neighbours stand at the middles of their steps, second
/// derivatives half-way between those, and the nought lies on the straight line between the two beside the steepest.
fn steepest(points: &[(f64, f64, f64)]) -> f64 {
    let mut kept: Vec<(f64, f64)> = Vec::new();
    for p in points {
        // Of several readings at one volume the last counts.
        match kept.last_mut() {
            Some(last) if last.0 == p.0 => last.1 = p.1,
            _ => kept.push((p.0, p.1)),
        }
    }
    let slopes: Vec<(f64, f64)> =
        kept.windows(2).map(|w| ((w[0].0 + w[1].0) / 2.0, (w[1].1 - w[0].1) / (w[1].0 - w[0].0))).collect();
    let Some(top) = (0..slopes.len()).max_by(|a, b| slopes[*a].1.abs().total_cmp(&slopes[*b].1.abs())) else {
        return f64::NAN;
    };
    if top == 0 || top + 1 >= slopes.len() {
        return f64::NAN;
    }
    let second = |i: usize| {
        ((slopes[i].0 + slopes[i + 1].0) / 2.0, (slopes[i + 1].1 - slopes[i].1) / (slopes[i + 1].0 - slopes[i].0))
    };
    let (a, b) = (second(top - 1), second(top));
    a.0 + (b.0 - a.0) * a.1 / (a.1 - b.1)
}
