//! One change of a team's formula after another, until it is the lab's: the change that does it is
//! the mistake.
//!
//! | change | mends |
//! |---|---|
//! | another cell, column or row | the wrong cell was read, or a reference slid when it was copied down |
//! | another number | a number typed for another, a power, a factor of ten |
//! | another function | a sum for a mean, a natural logarithm for a decimal one |
//! | a function inside, around, or away | degrees for radians, a root left out or too much |
//! | times a number | a conversion of units left out |
//! | times or over a cell | a part of the formula left out |
//! | another operator, parts turned | a sign, a quotient upside down |
//! | other brackets | `a/b*c` for `a/(b*c)` |
//!
//! Changes are tried in the order in which people make the mistakes; the first that makes the
//! formula the lab's is told. A formula that needs two of them is not named.

use crate::cell::{Formula, Function, Operator, Term, TermKind};
use crate::formula::{ItemId, Node, Op, Shape};
use crate::protocol::{Protocol, ResultSpec};

/// Most rows of a column that are tried one by one.
const MOST_ROWS: usize = 12;
/// Most changes of one formula that are tried.
const MOST_CHANGES: usize = 4_000;

/// A change of one piece of a formula, or of all pieces like it.
///
/// With `everywhere` the change explains more: one wrong reference that was used three times is one
/// mistake.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Change {
    /// Which child of which, from the root.
    pub(super) path: Vec<usize>,
    /// What the piece becomes.
    pub(super) how: How,
    /// Whether all pieces that are the same change with it.
    pub(super) everywhere: bool,
}

/// What a piece becomes.
///
/// Rows count from 0.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum How {
    /// A cell of the sheet: item, row from 0.
    Cell(ItemId, Option<usize>),
    /// All rows of an item.
    Column(ItemId),
    /// Another number.
    Number(f64),
    /// Another function of the same.
    Function(Function),
    /// The same function of a function of its argument: `SIN(x)` for `SIN(RADIANS(x))`.
    Within(Function),
    /// A function of it: `x` for `SQRT(x)`.
    Around(Function),
    /// Its argument alone: `RADIANS(x)` for `x`.
    Bare,
    /// Its two parts the other way round.
    Turned,
    /// Another operator.
    Operator(Operator),
    /// Times a number: a conversion that was left out.
    Times(f64),
    /// Multiplied or divided by a cell of the sheet, that in another unit: item, row from 0,
    /// factor.
    With(Operator, ItemId, Option<usize>, f64),
    /// Bracketed otherwise: `a/b*c` for `a/(b*c)`.
    Grouped(Term),
}

/// The cells that the lab's formula reads for one result: its own row of a column that it reads row
/// by row, else the column and its first rows.
///
/// At most twelve rows of a column are tried by themselves, and the row of the result besides.
fn reads(protocol: &Protocol, spec: &ResultSpec, row: Option<usize>, rows: &dyn Fn(ItemId) -> usize) -> Vec<How> {
    let mut out = Vec::new();
    for item in spec.node.items() {
        if protocol.items[item].words.is_some() {
            continue;
        }
        match protocol.items[item].rows {
            Shape::Scalar => out.push(How::Cell(item, None)),
            Shape::Column(_) if spec.row_local => out.push(How::Cell(item, row)),
            Shape::Column(_) => {
                out.push(How::Column(item));
                out.extend((0..rows(item).min(MOST_ROWS)).map(|n| How::Cell(item, Some(n))));
                out.extend(row.filter(|r| *r >= MOST_ROWS).map(|r| How::Cell(item, Some(r))));
            }
        }
    }
    out
}

/// The pure numbers of the lab's formula, and those that people take for one another.
///
/// The usual ones are powers of ten, small counts, halves, and minutes and hours.
fn numbers(node: &Node) -> Vec<f64> {
    let mut out: Vec<f64> = Vec::new();
    let mut open = vec![node];
    while let Some(n) = open.pop() {
        if let Op::Number(v, _) = &n.op {
            out.push(*v);
        }
        open.extend(n.children());
    }
    for usual in [1.0, 2.0, 3.0, 4.0, 0.5, 0.25, 10.0, 100.0, 1000.0, 0.1, 0.01, 0.001, 60.0, 3600.0, 1e6, 1e-6] {
        if !out.contains(&usual) {
            out.push(usual);
        }
    }
    out
}

/// Conversions that are left out.
const CONVERSIONS: [f64; 16] =
    [1e-3, 1e3, 1e-2, 1e2, 1e-1, 1e1, 1e-6, 1e6, 1e-4, 1e4, 1e-9, 1e9, 60.0, 1.0 / 60.0, 3600.0, 1.0 / 3600.0];

/// Functions that are taken for one another.
///
/// Functions of one group take the same arguments.
fn sisters(function: Function) -> &'static [Function] {
    use Function::*;
    const MIDDLES: &[Function] = &[Average, Sum, Median, Max, Min];
    const SPREADS: &[Function] = &[Sd, SdPopulation, Variance, VariancePopulation, MeanDeviation];
    const LOGARITHMS: &[Function] = &[Ln, Log10];
    const ANGLES: &[Function] = &[Sin, Cos, Tan];
    const ARCS: &[Function] = &[Asin, Acos, Atan];
    const LINES: &[Function] = &[Slope, Intercept];
    const UNITS: &[Function] = &[Degrees, Radians];
    let all = [MIDDLES, SPREADS, LOGARITHMS, ANGLES, ARCS, LINES, UNITS];
    match function {
        Log => LOGARITHMS,
        f => all.into_iter().find(|s| s.contains(&f)).unwrap_or(&[]),
    }
}

/// Every change that is tried, in the order in which people make the mistakes that it mends.
/// `factors` may have been left out besides the usual conversions.
///
/// `rows` gives how many rows a column has. At most 4 000 changes are made.
pub(super) fn all(
    protocol: &Protocol,
    spec: &ResultSpec,
    row: Option<usize>,
    formula: &Formula,
    rows: &dyn Fn(ItemId) -> usize,
    factors: &[f64],
) -> Vec<Change> {
    let factors: Vec<f64> = CONVERSIONS.iter().chain(factors).copied().collect();
    let (cells, numbers) = (reads(protocol, spec, row, rows), numbers(&spec.node));
    let mut out = Vec::new();
    let mut open: Vec<(Vec<usize>, &Term)> = vec![(Vec::new(), &formula.root)];
    let mut n = 0;
    while n < open.len() && out.len() < MOST_CHANGES {
        let (path, term) = open[n].clone();
        n += 1;
        at(term, &path, (&cells, &numbers, &factors), &mut out);
        if matches!(term.kind, TermKind::Leaf(_) | TermKind::Call(..) | TermKind::Number(_)) {
            for cell in &cells {
                let How::Cell(item, row) = cell else { continue };
                let own = protocol.items[*item].unit.factor;
                for op in [Operator::Multiply, Operator::Divide] {
                    out.push(Change { path: path.clone(), how: How::With(op, *item, *row, 1.0), everywhere: false });
                    if own != 1.0 {
                        out.push(Change {
                            path: path.clone(),
                            how: How::With(op, *item, *row, own),
                            everywhere: false,
                        });
                    }
                }
            }
        }
        // The cells of a range are changed as one.
        if !matches!(term.kind, TermKind::Range { .. }) {
            open.extend(term.children().into_iter().enumerate().map(|(i, c)| {
                let mut path = path.clone();
                path.push(i);
                (path, c)
            }));
        }
    }
    // A change of all pieces alike explains more than one of a single piece; other brackets are looked for last.
    out.sort_by_key(|c| {
        let rank = match c.how {
            How::Number(_) => 1,
            How::Times(_) => 2,
            How::Grouped(_) => 3,
            How::With(..) => 4,
            _ => 0,
        };
        (!c.everywhere, rank)
    });
    out
}

/// What is tried in place of a piece or beside it: cells, numbers, factors.
type Tried<'a> = (&'a [How], &'a [f64], &'a [f64]);

/// The changes of one piece.
///
/// Pieces that are texts, empty or broken have none.
fn at(term: &Term, path: &[usize], (cells, numbers, factors): Tried<'_>, out: &mut Vec<Change>) {
    let mut push = |how: How, everywhere: bool| out.push(Change { path: path.to_vec(), how, everywhere });
    match &term.kind {
        TermKind::Number(v) => {
            // A round number is nobody's reading.
            let round = (v.abs().log10() - v.abs().log10().round()).abs() < 1e-12 || *v == 0.0;
            for cell in cells.iter().filter(|c| !round && matches!(c, How::Cell(..))) {
                push(cell.clone(), true);
                push(cell.clone(), false);
            }
            numbers.iter().for_each(|v| push(How::Number(*v), false));
        }
        TermKind::Leaf(_) => {
            for cell in cells {
                push(cell.clone(), true);
                push(cell.clone(), false);
            }
            for f in [Function::Radians, Function::Degrees, Function::Sqrt] {
                push(How::Around(f), false);
            }
            factors.iter().for_each(|f| push(How::Times(*f), false));
        }
        TermKind::Range { .. } => {
            for column in cells.iter().filter(|c| matches!(c, How::Column(_))) {
                push(column.clone(), true);
                push(column.clone(), false);
            }
        }
        TermKind::Call(f, args) => {
            of_call(*f, args.len(), &mut push);
            factors.iter().for_each(|f| push(How::Times(*f), false));
        }
        TermKind::Binary(op, ..) => {
            match op {
                Operator::Add => push(How::Operator(Operator::Subtract), false),
                Operator::Subtract => push(How::Operator(Operator::Add), false),
                Operator::Multiply => push(How::Operator(Operator::Divide), false),
                Operator::Divide => push(How::Operator(Operator::Multiply), false),
                Operator::Power => push(How::Operator(Operator::Multiply), false),
            }
            push(How::Turned, false);
            push(How::Around(Function::Sqrt), false);
            grouped(term).into_iter().for_each(|t| push(How::Grouped(t), false));
        }
        TermKind::Negative(a) => {
            push(How::Bare, false);
            if matches!(a.kind, TermKind::Number(_)) {
                cells.iter().filter(|c| matches!(c, How::Cell(..))).for_each(|c| push(c.clone(), false));
            }
        }
        _ => {}
    }
}

/// The changes of a function.
///
/// `arguments` is how many the function has here.
fn of_call(function: Function, arguments: usize, push: &mut dyn FnMut(How, bool)) {
    sisters(function).iter().filter(|s| **s != function).for_each(|s| push(How::Function(*s), false));
    if arguments == 1 {
        push(How::Bare, false);
        for angle in [Function::Radians, Function::Degrees] {
            push(How::Within(angle), false);
            push(How::Around(angle), false);
        }
    }
    if arguments == 2 {
        push(How::Turned, false);
    }
}

/// A chain of signs of one rank: its first piece, and each further one with the sign before it.
type Chain = (Term, Vec<(Operator, Term)>);

/// How tightly an operator binds: sums, then products, then powers.
///
/// Powers bind tightest, from the left as products do.
fn rank(op: Operator) -> u8 {
    match op {
        Operator::Add | Operator::Subtract => 1,
        Operator::Multiply | Operator::Divide => 2,
        Operator::Power => 3,
    }
}

/// A term as its first operand and what is joined to it by operators of one rank, from left to
/// right: a − b + c is a, then − b, then + c.
fn chain(term: &Term) -> Chain {
    let mut rest = Vec::new();
    let mut first = term;
    let of = |t: &Term| if let TermKind::Binary(op, ..) = t.kind { Some(rank(op)) } else { None };
    let own = of(term);
    while let TermKind::Binary(op, a, b) = &first.kind {
        if of(first) != own {
            break;
        }
        rest.push((*op, (**b).clone()));
        first = a;
    }
    rest.reverse();
    (first.clone(), rest)
}

/// The same signs and pieces with other brackets: `a/b*c` as `a/(b*c)`, `a-b*c` as `(a-b)*c`,
/// `a*b^2` as `(a*b)^2`, and back.
///
/// For a chain of n pieces there are at most 2n of them; those that are the piece itself are left
/// out.
fn grouped(term: &Term) -> Vec<Term> {
    let made = |op, x: Term, y: Term| Term { kind: TermKind::Binary(op, Box::new(x), Box::new(y)), ..term.clone() };
    let linked =
        |first: Term, rest: &[(Operator, Term)]| rest.iter().fold(first, |all, (op, t)| made(*op, all, t.clone()));
    let mut out = Vec::new();
    let (first, rest) = chain(term);
    // What follows a sign, up to the end, in one bracket.
    for n in 0..rest.len().saturating_sub(1) {
        let (op, head) = &rest[n];
        out.push(made(*op, linked(first.clone(), &rest[..n]), linked(head.clone(), &rest[n + 1..])));
    }
    // The last piece is a chain of a higher rank: its first part belongs to what stands before it.
    if let Some(((op, last), before)) = rest.split_last() {
        let (inner, tail) = chain(last);
        for n in 0..tail.len() {
            let whole = made(*op, linked(first.clone(), before), linked(inner.clone(), &tail[..n]));
            out.push(linked(whole, &tail[n..]));
        }
    }
    // The first piece is one: its last part belongs to what follows.
    let (inner, tail) = chain(&first);
    for n in 0..tail.len() {
        let (op, head) = &tail[n];
        let bracket = linked(linked(head.clone(), &tail[n + 1..]), &rest);
        out.push(made(*op, linked(inner.clone(), &tail[..n]), bracket));
    }
    // A bracket that should not be there: the last piece is one of the same rank or a lower one.
    if let TermKind::Binary(op, a, b) = &term.kind
        && let TermKind::Binary(inner, x, y) = &b.kind
        && rank(*inner) <= rank(*op)
    {
        out.push(made(*inner, made(*op, (**a).clone(), (**x).clone()), (**y).clone()));
    }
    out.retain(|t| t.kind != term.kind);
    out
}

/// The piece at a path.
///
/// `None` where the path leaves the formula.
pub(super) fn piece<'a>(root: &'a Term, path: &[usize]) -> Option<&'a Term> {
    path.iter().try_fold(root, |at, n| at.children().get(*n).copied())
}

/// The piece of a formula at a path of child numbers from its root.
fn piece_mut<'a>(root: &'a mut Term, path: &[usize]) -> Option<&'a mut Term> {
    let mut at = root;
    for n in path {
        at = at.children_mut().into_iter().nth(*n)?;
    }
    Some(at)
}

/// The formula with a change; `leaf` gives the number of a cell of the sheet among its leaves,
/// `range` the cells of a column.
///
/// `None` where the change does not apply, or changes everywhere what stands there once.
pub(super) fn applied(
    formula: &Formula,
    change: &Change,
    leaf: &dyn Fn(ItemId, Option<usize>) -> Option<usize>,
    range: &dyn Fn(ItemId) -> Option<Vec<usize>>,
) -> Option<Formula> {
    let mut out = formula.clone();
    let before = piece(&formula.root, &change.path)?;
    let after = changed(before, &change.how, leaf, range)?;
    if change.everywhere {
        let n = replace(&mut out.root, &before.kind, &after.kind);
        // Of one piece alone the other kind of change is tried.
        if n < 2 {
            return None;
        }
    } else {
        piece_mut(&mut out.root, &change.path)?.kind = after.kind;
    }
    Some(out)
}

/// Puts one kind of piece in place of another wherever it stands; how often it stood.
///
/// Pieces inside of one that was replaced are not looked at again.
fn replace(at: &mut Term, before: &TermKind, after: &TermKind) -> usize {
    if at.kind == *before {
        at.kind = after.clone();
        return 1;
    }
    at.children_mut().into_iter().map(|c| replace(c, before, after)).sum()
}

/// A piece with a change made to it; `leaf` and `range` give the numbers of the cells that the
/// change brings in. `None` where the change does not apply to such a piece.
fn changed(
    before: &Term,
    how: &How,
    leaf: &dyn Fn(ItemId, Option<usize>) -> Option<usize>,
    range: &dyn Fn(ItemId) -> Option<Vec<usize>>,
) -> Option<Term> {
    let kind = match (how, &before.kind) {
        (How::Cell(item, row), _) => TermKind::Leaf(leaf(*item, *row)?),
        (How::Column(item), _) => {
            let cells = range(*item)?.into_iter().map(|n| Term { kind: TermKind::Leaf(n), ..before.clone() });
            TermKind::Range { columns: 1, cells: cells.collect() }
        }
        (How::Number(v), _) => TermKind::Number(*v),
        (How::Function(f), TermKind::Call(was, args)) => {
            let args = if *was == Function::Log { args[..1].to_vec() } else { args.clone() };
            TermKind::Call(*f, args)
        }
        (How::Within(f), TermKind::Call(outer, args)) => {
            let inner = Term { kind: TermKind::Call(*f, args.clone()), ..before.clone() };
            TermKind::Call(*outer, vec![inner])
        }
        (How::Times(f), _) => {
            let number = Term { kind: TermKind::Number(*f), ..before.clone() };
            TermKind::Binary(Operator::Multiply, Box::new(before.clone()), Box::new(number))
        }
        (How::With(op, item, row, factor), _) => {
            let leaf = Term { kind: TermKind::Leaf(leaf(*item, *row)?), ..before.clone() };
            let number = Term { kind: TermKind::Number(*factor), ..before.clone() };
            let by = TermKind::Binary(Operator::Multiply, Box::new(leaf), Box::new(number));
            TermKind::Binary(*op, Box::new(before.clone()), Box::new(Term { kind: by, ..before.clone() }))
        }
        (How::Around(f), _) => TermKind::Call(*f, vec![before.clone()]),
        (How::Bare, TermKind::Call(_, args)) => args.first()?.kind.clone(),
        (How::Bare, TermKind::Negative(a)) => a.kind.clone(),
        (How::Turned, TermKind::Call(f, args)) if args.len() == 2 => {
            TermKind::Call(*f, vec![args[1].clone(), args[0].clone()])
        }
        (How::Turned, TermKind::Binary(op, a, b)) => TermKind::Binary(*op, b.clone(), a.clone()),
        (How::Operator(op), TermKind::Binary(_, a, b)) => TermKind::Binary(*op, a.clone(), b.clone()),
        (How::Grouped(term), _) => term.kind.clone(),
        _ => return None,
    };
    Some(Term { kind, ..before.clone() })
}
