//! Looking for the one mistake that makes the lab's formula into a team's.

use std::collections::HashMap;

use super::changes::{self, Change, How, applied, piece};
use super::normal::{self, Normal};
use super::points::{Place, Points, agree};
use crate::cell::{Formula, Function, Operator, Term, TermKind};
use crate::formula::Shape;
use crate::notation;
use crate::protocol::{ItemKind, SlipKind, Variant};
use crate::underneath::Mark;
use crate::verdict::Slip;
use crate::wording::under as words;

/// What the formula of the last row was, which the next row's probably is too.
#[derive(Clone, Copy)]
pub(super) enum Hint {
    Variant(usize),
    Change(usize),
}

/// What a team's formula is beside the lab's.
pub(super) enum Story {
    /// The same, with roundings on the way, or with the numbers of cells typed in.
    Same { rounds: bool, typed: Vec<(String, usize)> },
    /// One mistake away.
    Mistake(Box<Mistake>),
    /// Another, by no single mistake.
    Other,
    /// It cannot be told.
    Unknown,
}

/// A mistake, with the places that show it.
pub(super) struct Mistake {
    pub(super) slip: Slip,
    pub(super) marks: Vec<Mark>,
}

pub(super) fn story(
    points: &Points<'_>,
    place: Place<'_>,
    formula: &Formula,
    hints: &mut HashMap<usize, Hint>,
) -> Story {
    let right = points.right(place);
    let theirs = points.theirs(place, formula);
    if theirs.iter().all(Option::is_none) {
        return Story::Unknown;
    }
    match agree(&theirs, &right) {
        Some(true) => return Story::Same { rounds: false, typed: Vec::new() },
        // Neither gives a number anywhere near.
        None => return Story::Unknown,
        Some(false) => {}
    }
    let plain = normal::of(points, formula);
    let full = normal::with_cells(points, place, &plain);
    for form in [&plain, &full] {
        if agree(&points.theirs(place, &form.formula), &right) == Some(true) {
            return Story::Same { rounds: form.rounds, typed: form.typed.clone() };
        }
    }
    if right.iter().all(Option::is_none) {
        return Story::Unknown;
    }
    let search = Search { points, place, right, form: &full };
    let hint = hints.get(&place.index).copied();
    match search.found(hint) {
        Some((mistake, hint)) => {
            hints.insert(place.index, hint);
            Story::Mistake(Box::new(mistake))
        }
        None => match search.by_a_factor().or_else(|| search.by_a_summand()) {
            Some(mistake) => Story::Mistake(Box::new(mistake)),
            None => Story::Other,
        },
    }
}

struct Search<'a> {
    points: &'a Points<'a>,
    place: Place<'a>,
    right: Vec<Option<f64>>,
    form: &'a Normal,
}

impl Search<'_> {
    fn found(&self, hint: Option<Hint>) -> Option<(Mistake, Hint)> {
        let theirs = self.points.theirs(self.place, &self.form.formula);
        let variants = &self.place.spec.variants;
        let by_variant = |n: usize| {
            let v = &variants[n];
            agree(&self.points.other(self.place, &v.node, v.scale), &theirs) == Some(true)
        };
        if let Some(Hint::Variant(n)) = hint.filter(|h| matches!(h, Hint::Variant(n) if by_variant(*n))) {
            return Some((self.of_variant(&variants[n]), Hint::Variant(n)));
        }
        let changes = changes::all(
            self.points.protocol,
            self.place.spec,
            self.place.row,
            &self.form.formula,
            &|item| self.points.rows(item),
            &self.factors(),
        );
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

    /// What the lab's formula may be without by one factor: its constants, and the conversions of its units.
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
    fn mends(&self, change: &Change) -> bool {
        let mut formula = self.form.formula.clone();
        let (points, place) = (self.points, self.place);
        // The leaves that the change needs are put in first, since their numbers stand in the pieces.
        let needed: Vec<(usize, Option<usize>)> = match &change.how {
            How::Cell(item, row) | How::With(_, item, row, _) => vec![(*item, *row)],
            How::Column(item) => (0..points.rows(*item)).map(|n| (*item, Some(n))).collect(),
            _ => Vec::new(),
        };
        let mut known: HashMap<(usize, Option<usize>), usize> = HashMap::new();
        for cell in needed {
            let Some(n) = points.leaf(&mut formula, cell.0, cell.1) else { return false };
            known.insert(cell, n);
        }
        let leaf = |item, row| known.get(&(item, row)).copied();
        let range = |item| (0..points.rows(item)).map(|n| known.get(&(item, Some(n))).copied()).collect();
        let Some(mended) = applied(&formula, change, &leaf, &range) else { return false };
        agree(&points.theirs(place, &mended), &self.right) == Some(true)
    }

    fn slip(&self, kind: SlipKind, clause: String, subject: Option<usize>) -> Slip {
        let item = &self.points.protocol.items[self.place.spec.item];
        let address = self.form.formula.origins.first().map_or("", |o| o.address.as_str());
        Slip {
            kind,
            says: words::told(address, &clause),
            clause,
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

    fn mark(&self, term: &Term) -> Option<Mark> {
        let origin = self.form.formula.origins.get(term.origin)?;
        Some(Mark { address: origin.address.clone(), text: origin.text.clone(), span: term.span.clone() })
    }

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

    /// "the plate length", "reading 3 of the disc diameter".
    fn cell_named(&self, item: usize, row: Option<usize>) -> String {
        words::cell(self.points.protocol, item, row.map(|r| r as u32 + 1))
    }

    /// What a leaf is: a cell of the sheet by its title, one of the team's own by its address and what it holds.
    fn leaf_named(&self, n: usize) -> String {
        let leaf = &self.form.formula.leaves[n];
        match leaf.item.as_ref().and_then(|(id, row)| Some((self.points.protocol.item(id)?, *row))) {
            Some((item, row)) => words::cell(self.points.protocol, item, row),
            None => words::own_cell(&leaf.address, &leaf.value),
        }
    }

    /// The item of a leaf.
    fn leaf_item(&self, n: usize) -> Option<usize> {
        self.form.formula.leaves[n].item.as_ref().and_then(|(id, _)| self.points.protocol.item(id))
    }

    fn text_of(&self, term: &Term) -> String {
        let origin = self.form.formula.origins.get(term.origin);
        origin.and_then(|o| o.text.get(term.span.clone())).unwrap_or_default().to_owned()
    }

    fn named(&self, before: &Term, parent: Option<(&Term, usize)>, how: &How) -> (SlipKind, String, Option<usize>) {
        let protocol = self.points.protocol;
        let in_power = parent.is_some_and(|(p, n)| {
            n == 1 && matches!(p.kind, TermKind::Binary(Operator::Power, ..) | TermKind::Call(Function::Power, _))
        });
        match (&before.kind, how) {
            (TermKind::Number(v), How::Cell(item, row)) => {
                let kind = match protocol.items[*item].kind {
                    ItemKind::Reference(_) => SlipKind::ConstantWrong,
                    ItemKind::Parameter(_) => SlipKind::CountWrong,
                    _ => SlipKind::ReadingMiskeyed,
                };
                let has = self.points.written(*item, *row).filter(|_| kind == SlipKind::ReadingMiskeyed);
                (kind, words::typed_for(&notation_of(*v), &self.cell_named(*item, *row), has), Some(*item))
            }
            (TermKind::Number(v), How::Number(right)) => {
                let tens = (v / right).abs().log10();
                let kind = if in_power {
                    SlipKind::Power
                } else if tens != 0.0 && (tens - tens.round()).abs() < 1e-9 {
                    SlipKind::UnitFactor
                } else {
                    SlipKind::Literal
                };
                (kind, words::number_for(&notation_of(*v), &notation_of(*right), in_power), None)
            }
            (TermKind::Leaf(n), How::Cell(item, row)) => {
                let slid =
                    self.leaf_item(*n) == Some(*item) || self.leaf_item(*n).is_none() && row.is_some_and(|r| r > 0);
                let clause = words::read_for(&self.leaf_named(*n), &self.cell_named(*item, *row), slid);
                (SlipKind::WrongCell, clause, Some(*item))
            }
            (TermKind::Leaf(n), How::Column(item)) => {
                let kind =
                    if self.leaf_item(*n) == Some(*item) { SlipKind::SingleReplicate } else { SlipKind::WrongCell };
                (kind, words::one_for_all(&self.leaf_named(*n), &protocol.full_title(*item)), Some(*item))
            }
            (TermKind::Range { cells, .. }, How::Column(item)) => self.range_named(before, cells, *item),
            (TermKind::Call(was, _), How::Function(f)) => {
                let kind = match f {
                    Function::Ln | Function::Log10 => SlipKind::LogBase,
                    Function::Sum => SlipKind::SumForMean,
                    Function::Average if *was == Function::Sum => SlipKind::SumForMean,
                    Function::Sd if *was == Function::SdPopulation => SlipKind::WrongCount,
                    Function::SdPopulation if *was == Function::Sd => SlipKind::WrongCount,
                    Function::Variance | Function::VariancePopulation if is_variance(*was) => SlipKind::WrongCount,
                    _ => SlipKind::WrongFunction,
                };
                (kind, words::function_for(*was, *f), None)
            }
            (TermKind::Call(outer, _), How::Within(Function::Radians)) => {
                (SlipKind::AngleUnit, words::degrees_to(*outer), None)
            }
            (_, How::Around(Function::Radians)) => (SlipKind::AngleUnit, words::degrees_left().to_owned(), None),
            (_, How::Within(_) | How::Around(Function::Degrees)) => {
                (SlipKind::AngleUnit, words::radians_left().to_owned(), None)
            }
            (_, How::Around(_)) => (SlipKind::Root, words::root_left_out().to_owned(), None),
            (TermKind::Call(f, _), How::Bare) => {
                let kind = match f {
                    Function::Sqrt => SlipKind::Root,
                    Function::Abs => SlipKind::Sign,
                    Function::Degrees | Function::Radians => SlipKind::AngleUnit,
                    _ => SlipKind::WrongFunction,
                };
                (kind, words::too_much(*f), None)
            }
            (TermKind::Negative(_), How::Bare) => (SlipKind::Sign, words::sign_too_much().to_owned(), None),
            (TermKind::Call(f, _), How::Turned) => {
                let kind = if *f == Function::Slope { SlipKind::SlopeInverted } else { SlipKind::Swapped };
                (kind, words::arguments_turned(*f), None)
            }
            (TermKind::Binary(op, ..), How::Turned) => {
                let kind = if *op == Operator::Subtract { SlipKind::Sign } else { SlipKind::Inverted };
                (kind, words::parts_turned(&self.text_of(before)), None)
            }
            (TermKind::Binary(was, ..), How::Operator(op)) => {
                let kind = match op {
                    Operator::Add | Operator::Subtract => SlipKind::Sign,
                    _ if *was == Operator::Power => SlipKind::Power,
                    _ => SlipKind::Inverted,
                };
                (kind, words::operator_for(*was, *op, &self.text_of(before)), None)
            }
            (_, How::Times(f)) => {
                let what = match before.kind {
                    TermKind::Leaf(n) => self.leaf_named(n),
                    _ => self.text_of(before),
                };
                let subject = if let TermKind::Leaf(n) = before.kind { self.leaf_item(n) } else { None };
                (SlipKind::UnitFactor, words::not_converted(&what, &notation::figures(*f, 3)), subject)
            }
            (TermKind::Negative(a), How::Cell(item, row)) => {
                let typed = if let TermKind::Number(v) = a.kind { notation_of(-v) } else { String::new() };
                let has = self.points.written(*item, *row);
                (SlipKind::ReadingMiskeyed, words::typed_for(&typed, &self.cell_named(*item, *row), has), Some(*item))
            }
            (_, How::With(op, item, ..)) => {
                let (title, piece) = (protocol.full_title(*item), self.text_of(before));
                (SlipKind::TermOmitted, words::part_gone_of(&piece, &title, *op == Operator::Divide), Some(*item))
            }
            (_, How::Grouped(_)) => (SlipKind::Brackets, words::brackets(&self.text_of(before)), None),
            _ => (SlipKind::Compound, words::otherwise(&self.text_of(before)), None),
        }
    }

    /// A range that is not the column that it should be: rows short, rows too many, another column.
    fn range_named(&self, before: &Term, cells: &[Term], item: usize) -> (SlipKind, String, Option<usize>) {
        let protocol = self.points.protocol;
        let leaf = |c: &Term| if let TermKind::Leaf(n) = c.kind { Some(n) } else { None };
        let leaves: Vec<usize> = cells.iter().filter_map(leaf).collect();
        let rows: Vec<usize> = leaves
            .iter()
            .filter(|n| self.leaf_item(**n) == Some(item))
            .filter_map(|n| self.form.formula.leaves[*n].item.as_ref()?.1.map(|r| r as usize - 1))
            .collect();
        let title = protocol.full_title(item);
        let text = self.text_of(before);
        if rows.is_empty() {
            return (SlipKind::WrongCell, words::other_column(&text, &title), Some(item));
        }
        let missing: Vec<u32> =
            (0..self.points.rows(item)).filter(|n| !rows.contains(n)).map(|n| n as u32 + 1).collect();
        let kind = SlipKind::Exclusion;
        (kind, words::range_of(&text, &title, &missing), Some(item))
    }

    /// A factor that is left out of the whole formula, or one too many: a number, or a power of an item.
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
                if agree(&with, &self.right) == Some(true) {
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

fn is_variance(f: Function) -> bool {
    matches!(f, Function::Variance | Function::VariancePopulation)
}

/// A number as people write it.
fn notation_of(v: f64) -> String {
    format!("{v}")
}
