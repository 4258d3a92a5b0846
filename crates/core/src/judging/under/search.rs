//! Looking for the one mistake that makes the lab's formula into a team's.
//!
//! The order of the search is that of certainty:
//!
//! 1. The same function at all made-up tables: nothing is wrong.
//! 2. The same once roundings are taken out and constants put in full, or once typed numbers are
//!    cells again.
//! 3. What explained the row before, since a formula is copied down.
//! 4. One of the lab's mistaken forms, those that its author declared first.
//! 5. One change of the team's formula ([`super::changes`]).
//! 6. A factor of the whole, or a summand, that is missing.
//!
//! What none of these finds is another formula, and is said to be one; it is not guessed at.

use std::collections::HashMap;

use super::changes::{self, Change, How, applied, piece};
use super::normal::{self, Normal};
use super::points::{Place, Points, agree};
use crate::cell::{Formula, Term, TermKind};
use crate::finding::{Account, Clause};
use crate::formula::{ItemId, Shape};
use crate::notation;
use crate::protocol::{ItemKind, ResultId, SlipKind, Variant};
use crate::underneath::Mark;
use crate::verdict::Slip;
use crate::wording::under as words;

/// What the formula of the last row was, which the next row's probably is too.
///
/// Numbers are those of the form among the result's, or of the change among the changes.
#[derive(Clone, Copy)]
pub(super) enum Hint {
    /// One of the lab's mistaken forms.
    Variant(usize),
    /// One of the changes, by its place among those that are tried.
    Change(usize),
}

/// What a team's formula is beside the lab's.
///
/// Only [`Story::Mistake`] costs anything.
pub(super) enum Story {
    /// The same, with roundings on the way, or with the numbers of cells typed in.
    Same { rounds: bool, typed: Vec<(String, ItemId)> },
    /// One mistake away.
    Mistake(Box<Mistake>),
    /// Another, by no single mistake.
    Other,
    /// It cannot be told.
    Unknown,
}

/// A mistake, with the places that show it.
///
/// Marks are bytes in the texts of cells, to be underlined.
pub(super) struct Mistake {
    /// The mistake as a slip.
    pub(super) slip: Slip,
    /// Where it shows.
    pub(super) marks: Vec<Mark>,
}

/// What a formula is beside the lab's. Where the bound on the work was met on the way, nothing is
/// said of it.
///
/// `hints` are kept from row to row, by result.
pub(super) fn story(
    points: &Points<'_>,
    place: Place<'_>,
    formula: &Formula,
    hints: &mut HashMap<ResultId, Hint>,
) -> Story {
    let story = looked_for(points, place, formula, hints);
    if points.is_spent() { Story::Unknown } else { story }
}

/// As [`story`], without looking at the bound.
///
/// A formula that gives nothing at any of the tables, or a lab's formula that does not, cannot be
/// compared.
fn looked_for(points: &Points<'_>, place: Place<'_>, formula: &Formula, hints: &mut HashMap<ResultId, Hint>) -> Story {
    let right = points.right(place);
    let theirs = points.theirs(place, formula);
    // Neither of the two is known by a formula that gives nothing.
    if [&theirs, &right].iter().any(|values| values.iter().all(Option::is_none)) {
        return Story::Unknown;
    }
    match agree(&|k| theirs[k], &|k| right[k]) {
        Some(true) => return Story::Same { rounds: false, typed: Vec::new() },
        // Too few tables in which they are known.
        None => return Story::Unknown,
        Some(false) => {}
    }
    let plain = normal::of(points, formula);
    let full = normal::with_cells(points, place, &plain);
    for form in [&plain, &full] {
        if agree(&|k| points.theirs_at(place, &form.formula, k), &|k| right[k]) == Some(true) {
            return Story::Same { rounds: form.rounds, typed: form.typed.clone() };
        }
    }
    let search = Search { points, place, right, form: &full };
    let hint = hints.get(&place.id).copied();
    let mistake = search.found(hint).map(|(mistake, hint)| {
        hints.insert(place.id, hint);
        mistake
    });
    let mistake = mistake.or_else(|| search.by_a_factor()).or_else(|| search.by_a_summand());
    mistake.map_or(Story::Other, |m| Story::Mistake(Box::new(m)))
}

/// A team's formula that is not the lab's.
///
/// `form` is the formula with roundings taken out and cells put in for typed numbers; texts are
/// still those that the team typed.
pub(super) struct Search<'a> {
    /// The made-up tables.
    pub(super) points: &'a Points<'a>,
    /// The result and row whose cell holds it.
    pub(super) place: Place<'a>,
    /// What the lab's formula gives at each of them.
    right: Vec<Option<f64>>,
    /// The team's formula.
    pub(super) form: &'a Normal,
}

impl Search<'_> {
    /// The single mistake that makes the lab's formula of the team's: one of the lab's mistaken
    /// forms, or else one change. What explained the row before is tried first, and the lab's own
    /// declared slips before all others.
    ///
    /// The second value is the hint for the next row.
    fn found(&self, hint: Option<Hint>) -> Option<(Mistake, Hint)> {
        let theirs = self.points.theirs(self.place, &self.form.formula);
        let envs = self.points.seen_from(self.place);
        let variants = &self.place.spec.variants;
        let by_variant = |n: usize| {
            let v = &variants[n];
            agree(&|k| self.points.other_at(self.place, &envs[k], (&v.node, v.scale)), &|k| theirs[k]) == Some(true)
        };
        if let Some(Hint::Variant(n)) = hint.filter(|h| matches!(h, Hint::Variant(n) if by_variant(*n))) {
            return Some((self.of_variant(&variants[n]), Hint::Variant(n)));
        }
        let changes = self.changes();
        if let Some(Hint::Change(n)) = hint
            && let Some(change) = changes.get(n).filter(|c| self.mends(c))
        {
            return Some((self.of_change(change), Hint::Change(n)));
        }
        // What the lab's author declared gives the name.
        let declared = |n: &usize| !matches!(variants[*n].kind, SlipKind::Declared(_));
        let mut order: Vec<usize> = (0..variants.len()).collect();
        order.sort_by_key(declared);
        if let Some(n) = order.into_iter().find(|n| by_variant(*n)) {
            return Some((self.of_variant(&variants[n]), Hint::Variant(n)));
        }
        let n = changes.iter().position(|c| self.mends(c))?;
        Some((self.of_change(&changes[n]), Hint::Change(n)))
    }

    /// Every single change of the team's formula.
    ///
    /// They are made anew for each formula, in the order in which they are tried.
    fn changes(&self) -> Vec<Change> {
        changes::all(
            self.points.protocol,
            self.place.spec,
            self.place.row,
            &self.form.formula,
            &|item| self.points.rows(item),
            &self.factors(),
        )
    }

    /// What the lab's formula may be without by one factor: its constants, and the conversions of
    /// its units.
    ///
    /// Each comes with its inverse, in SI units and in the item's own.
    fn factors(&self) -> Vec<f64> {
        let mut out = Vec::new();
        for item in self.place.spec.node.items() {
            let it = &self.points.protocol.items[item];
            out.extend([it.unit.factor, 1.0 / it.unit.factor]);
            let given = matches!(it.kind, ItemKind::Reference(_) | ItemKind::Parameter(_));
            if let Some(v) = self.points.given(item).filter(|v| given && *v != 0.0) {
                out.extend([v, 1.0 / v, it.to_si(v), 1.0 / it.to_si(v)]);
            }
        }
        out.retain(|f| f.is_finite() && *f != 1.0);
        out
    }

    /// Whether a change makes the team's formula into the lab's.
    ///
    /// Cells that the change brings in are added to a copy of the formula.
    fn mends(&self, change: &Change) -> bool {
        let mut formula = self.form.formula.clone();
        let (points, place) = (self.points, self.place);
        // The leaves that the change needs are put in first, since their numbers stand in the pieces.
        let needed: Vec<(ItemId, Option<usize>)> = match &change.how {
            How::Cell(item, row) | How::With(_, item, row, _) => vec![(*item, *row)],
            How::Column(item) => (0..points.rows(*item)).map(|n| (*item, Some(n))).collect(),
            _ => Vec::new(),
        };
        let mut known: HashMap<(ItemId, Option<usize>), usize> = HashMap::new();
        for cell in needed {
            let Some(n) = points.leaf(&mut formula, cell.0, cell.1) else { return false };
            known.insert(cell, n);
        }
        let leaf = |item, row| known.get(&(item, row)).copied();
        let range = |item| (0..points.rows(item)).map(|n| known.get(&(item, Some(n))).copied()).collect();
        let Some(mended) = applied(&formula, change, &leaf, &range) else { return false };
        agree(&|k| points.theirs_at(place, &mended, k), &|k| self.right[k]) == Some(true)
    }

    /// A slip that this formula shows, by its kind, the clause that says it, and the item that it
    /// is about.
    ///
    /// It is certain, so that its probability is one and it has no alternatives.
    fn slip(&self, kind: SlipKind, clause: String, subject: Option<ItemId>) -> Slip {
        let item = &self.points.protocol.items[self.place.spec.item];
        Slip {
            kind,
            account: Account {
                clause: Clause::Said(clause),
                gives: String::new(),
                cell: self.form.formula.origins.first().map(|o| o.address.clone()),
            },
            probability: 1.0,
            alternatives: Vec::new(),
            alike: Vec::new(),
            places: vec![item.id.clone()],
            ambiguous: false,
            subject,
            rows: Vec::new(),
            repair: None,
            predicted: 0.0,
        }
    }

    /// Where a piece stands in its cell, to be underlined.
    ///
    /// `None` for a piece that was put in and has no text.
    fn mark(&self, term: &Term) -> Option<Mark> {
        let origin = self.form.formula.origins.get(term.origin)?;
        Some(Mark { address: origin.address.clone(), text: origin.text.clone(), span: term.span.clone() })
    }

    /// The mistake of one of the lab's own forms, with the cells of its subject marked.
    ///
    /// All cells of the item that the form is about are marked.
    fn of_variant(&self, variant: &Variant) -> Mistake {
        let protocol = self.points.protocol;
        let of_subject = |t: &&Term| match &t.kind {
            TermKind::Leaf(n) => self.form.formula.leaves[*n]
                .item
                .as_ref()
                .is_some_and(|(id, _)| protocol.item(id).is_some_and(|i| Some(i) == variant.subject)),
            _ => false,
        };
        let mut marks: Vec<Mark> =
            self.form.formula.root.all().into_iter().filter(of_subject).filter_map(|t| self.mark(t)).collect();
        marks.dedup();
        Mistake { slip: self.slip(variant.kind.clone(), variant.says.clone(), variant.subject), marks }
    }

    /// The mistake that a change mends, with the pieces marked that it changes.
    fn of_change(&self, change: &Change) -> Mistake {
        let root = &self.form.formula.root;
        let before = piece(root, &change.path);
        let parent = change.path.split_last().and_then(|(last, path)| Some((piece(root, path)?, *last)));
        let (kind, clause, subject) = match before {
            Some(before) => self.named(before, parent, &change.how),
            None => (SlipKind::Compound, String::new(), None),
        };
        let marked = root.all().into_iter().filter(|t| match before {
            Some(b) if change.everywhere => t.kind == b.kind,
            Some(b) => std::ptr::eq(*t, b),
            None => false,
        });
        let mut marks: Vec<Mark> = marked.filter_map(|t| self.mark(t)).collect();
        marks.dedup();
        Mistake { slip: self.slip(kind, clause, subject), marks }
    }

    /// A factor that is left out of the whole formula, or one too many: a number, or a power of an
    /// item.
    ///
    /// The ratio of both formulas is the same at all tables for a number, and a power of one item
    /// for an item that was left out, or used once too often.
    fn by_a_factor(&self) -> Option<Mistake> {
        let theirs = self.points.theirs(self.place, &self.form.formula);
        let ratios: Vec<f64> =
            theirs.iter().zip(&self.right).filter_map(|(t, r)| Some(((*t)?, (*r)?))).map(|(t, r)| t / r).collect();
        let alike = |xs: &[f64]| xs.len() >= 3 && xs.iter().all(|x| x.is_finite() && (x / xs[0] - 1.0).abs() < 1e-8);
        if alike(&ratios) {
            let factor = ratios[0];
            let tens = factor.abs().log10();
            let whole = (tens - tens.round()).abs() < 1e-9;
            let kind = if factor == -1.0 {
                SlipKind::Sign
            } else if whole {
                SlipKind::UnitFactor
            } else {
                SlipKind::Literal
            };
            let clause = words::factor(&notation::figures(factor, 4));
            return Some(Mistake { slip: self.slip(kind, clause, None), marks: Vec::new() });
        }
        for item in self.place.spec.node.items() {
            let row = match self.points.protocol.items[item].rows {
                Shape::Scalar => None,
                Shape::Column(_) if self.place.spec.row_local => self.place.row,
                Shape::Column(_) => continue,
            };
            let xs: Vec<f64> = self.points.item(item, row).into_iter().flatten().collect();
            if xs.len() != ratios.len() {
                continue;
            }
            for power in [1.0, -1.0, 2.0, -2.0, 0.5, -0.5] {
                let rest: Vec<f64> = ratios.iter().zip(&xs).map(|(r, x)| r / x.powf(power)).collect();
                if alike(&rest) {
                    let kind = if f64::abs(power) == 2.0 { SlipKind::Inverted } else { SlipKind::TermOmitted };
                    let title = self.points.protocol.full_title(item);
                    // Theirs is too large by what was not divided by.
                    let clause = words::part_gone(&title, power > 0.0);
                    return Some(Mistake { slip: self.slip(kind, clause, Some(item)), marks: Vec::new() });
                }
            }
        }
        None
    }

    /// An item that is not added, or not taken off.
    ///
    /// Only items of the result's own dimension can have been added or taken off.
    fn by_a_summand(&self) -> Option<Mistake> {
        let theirs = self.points.theirs(self.place, &self.form.formula);
        for item in self.place.spec.node.items() {
            if self.points.protocol.items[item].unit.dimension
                != self.points.protocol.items[self.place.spec.item].unit.dimension
            {
                continue;
            }
            let row = if self.points.protocol.items[item].rows == Shape::Scalar { None } else { self.place.row };
            let xs = self.points.item(item, row);
            for sign in [1.0, -1.0] {
                let with: Vec<Option<f64>> = theirs.iter().zip(&xs).map(|(t, x)| Some((*t)? + sign * (*x)?)).collect();
                if agree(&|k| with[k], &|k| self.right[k]) == Some(true) {
                    let title = self.points.protocol.full_title(item);
                    let clause = words::summand_gone(&title, sign < 0.0);
                    return Some(Mistake {
                        slip: self.slip(SlipKind::TermOmitted, clause, Some(item)),
                        marks: Vec::new(),
                    });
                }
            }
        }
        None
    }
}
