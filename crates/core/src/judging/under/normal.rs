//! A team's formula without what makes no mistake: roundings on the way, constants as they are
//! rounded in books, and numbers typed in that are those of the sheet.
//!
//! What a book rounds is no mistake: 3.14 for π, 9.8 for 9.81. What a team rounds on the way is
//! told as that. A number typed in where a cell holds it is told too, since it does not change when
//! the reading does.
//!
//! Taking these out keeps the search for a mistake from finding three mistakes where one was made.

use super::points::{Place, Points};
use crate::cell::{Formula, Function, Leaf, Term, TermKind, Value};
use crate::formula::{ItemId, Shape};
use crate::notation;
use crate::protocol::ItemKind;

/// A formula with the cells of the sheet that the lab's formula reads among its leaves.
///
/// It gives the same numbers as the team's formula to what the roundings leave.
pub(super) struct Normal {
    /// The formula, in full.
    pub(super) formula: Formula,
    /// Whether roundings were taken out.
    pub(super) rounds: bool,
    /// Numbers that were typed in for cells that hold them: as typed, and the item.
    pub(super) typed: Vec<(String, ItemId)>,
}

/// Takes out roundings, and puts constants in full.
///
/// Constants are those that the lab's formulas use, and π.
pub(super) fn of(points: &Points<'_>, formula: &Formula) -> Normal {
    let mut out = Normal { formula: formula.clone(), rounds: false, typed: Vec::new() };
    out.rounds = unrounded(&mut out.formula.root);
    let constants = constants(points);
    // A constant may be typed into the formula, or into a cell of the team's own.
    let leaves = out.formula.leaves.clone();
    let origins = out.formula.origins.clone();
    each(&mut out.formula.root, &mut |term| {
        let text = match &term.kind {
            TermKind::Number(_) => {
                origins.get(term.origin).and_then(|o| o.text.get(term.span.clone())).map(str::to_owned)
            }
            TermKind::Leaf(n) => match &leaves[*n] {
                Leaf { item: None, value: Value::Number(v), .. } => Some(format!("{v}")),
                _ => None,
            },
            _ => None,
        };
        if let Some(full) = text.and_then(|t| constants.iter().find_map(|c| rounded_form(&t, *c))) {
            term.kind = TermKind::Number(full);
        }
    });
    out
}

/// Puts cells in place of typed numbers that are theirs, as far as the lab's formula reads those
/// cells.
///
/// Numbers of three figures or more are looked for among the cells that the lab's formula reads: a
/// 2 is more likely a 2 than a reading of 2.
pub(super) fn with_cells(points: &Points<'_>, place: Place<'_>, normal: &Normal) -> Normal {
    let protocol = points.protocol;
    let mut formula = normal.formula.clone();
    let mut typed = Vec::new();
    let origins = formula.origins.clone();
    let mut cells: Vec<(ItemId, Option<usize>)> = Vec::new();
    for item in place.spec.node.items() {
        match (&protocol.items[item].kind, protocol.items[item].rows) {
            (ItemKind::Reference(_) | ItemKind::Parameter(_) | ItemKind::Hidden, _) => {}
            (_, Shape::Scalar) => cells.push((item, None)),
            (_, Shape::Column(_)) if place.spec.row_local => cells.push((item, place.row)),
            (_, Shape::Column(_)) => cells.extend((0..points.rows(item)).map(|n| (item, Some(n)))),
        }
    }
    let mut terms = Vec::new();
    each(&mut formula.root, &mut |term| {
        let value = match &term.kind {
            TermKind::Number(v) => Some(*v),
            TermKind::Negative(a) => {
                if let TermKind::Number(v) = a.kind {
                    Some(-v)
                } else {
                    None
                }
            }
            _ => None,
        };
        if let Some(v) = value
            && let Some(text) = origins.get(term.origin).and_then(|o| o.text.get(term.span.clone()))
            && figures(text) >= 3
        {
            terms.push((term.origin, term.span.clone(), v, text.to_owned()));
        }
    });
    for (origin, span, value, text) in terms {
        let fits = |(item, row): &&(ItemId, Option<usize>)| {
            points.written(*item, *row).is_some_and(|w| w == value || rounded_form(&text, w) == Some(w))
        };
        let Some((item, row)) = cells.iter().find(fits).copied() else { continue };
        let Some(leaf) = points.leaf(&mut formula, item, row) else { continue };
        each(&mut formula.root, &mut |term| {
            let number = matches!(term.kind, TermKind::Number(_) | TermKind::Negative(_));
            if number && term.origin == origin && term.span == span {
                term.kind = TermKind::Leaf(leaf);
            }
        });
        typed.push((text, item));
    }
    Normal { formula, rounds: normal.rounds, typed }
}

/// Every piece, the outermost first.
fn each(term: &mut Term, f: &mut dyn FnMut(&mut Term)) {
    f(term);
    term.children_mut().into_iter().for_each(|c| each(c, f));
}

/// Takes the roundings out; whether there were any.
fn unrounded(term: &mut Term) -> bool {
    let mut any = false;
    while let TermKind::Call(Function::Round | Function::RoundUp | Function::Trunc, args) = &term.kind {
        let Some(inner) = args.first().cloned() else { break };
        *term = inner;
        any = true;
    }
    term.children_mut().into_iter().fold(any, |any, c| unrounded(c) | any)
}

/// The constants that a formula may hold: those of the lab as the sheet has them, π, and what else
/// is written by heart.
fn constants(points: &Points<'_>) -> Vec<f64> {
    let protocol = points.protocol;
    let mut out = vec![std::f64::consts::PI];
    for (n, item) in ItemId::with(&protocol.items) {
        let given = matches!(item.kind, ItemKind::Reference(_) | ItemKind::Parameter(_));
        if let Some(v) = points.given(n).filter(|v| given && *v != 0.0) {
            out.push(v);
        }
    }
    out
}

/// A constant in full, where a text is it rounded, in whichever power of ten: `9.81` for 9.80665,
/// `981` likewise.
fn rounded_form(text: &str, constant: f64) -> Option<f64> {
    let value: f64 = text.trim().parse().ok().filter(|v: &f64| *v != 0.0 && v.is_finite())?;
    let figures = figures(text);
    if figures < 3 || constant == 0.0 {
        return None;
    }
    let ratio = value / constant;
    let power = ratio.abs().log10().round();
    let full = constant * 10f64.powf(power);
    let near = |v: f64| (v - value).abs() <= 1e-12 * value.abs();
    (near(notation::to_figures(full, figures as i32, false)) || near(full)).then_some(full)
}

/// Significant figures of a number's text.
fn figures(text: &str) -> usize {
    let mantissa = text.trim().split(['e', 'E']).next().unwrap_or_default();
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    let figures = digits.trim_start_matches('0');
    if mantissa.contains('.') { figures.len() } else { figures.trim_end_matches('0').len() }
}
