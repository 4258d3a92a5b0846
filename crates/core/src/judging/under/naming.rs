//! The name of a mistake in a formula: its kind, and what happened as a clause.
//!
//! A mistake in a formula has the same kinds as one that is guessed from a value, so that it is
//! charged the same whether the team handed in a spreadsheet or a sheet of paper. Three kinds are
//! seen in formulas alone: brackets, a wrong cell, a wrong function.

use super::changes::How;
use super::search::Search;
use crate::cell::{Function, Operator, Term, TermKind};
use crate::formula::ItemId;
use crate::notation;
use crate::protocol::{ItemKind, SlipKind};
use crate::row::Row;
use crate::wording::under as words;

/// Kind, clause, and the item that it is about.
///
/// The item decides which mistakes in several results are one.
pub(super) type Named = (SlipKind, String, Option<ItemId>);

impl Search<'_> {
    /// "the plate length", "reading 3 of the disc diameter".
    fn cell_named(&self, item: ItemId, row: Option<usize>) -> String {
        words::cell(self.points.protocol, item, row.map(Row::at))
    }

    /// What a leaf is: a cell of the sheet by its title, one of the team's own by its address and
    /// what it holds.
    fn leaf_named(&self, n: usize) -> String {
        let leaf = &self.form.formula.leaves[n];
        match leaf.item.as_ref().and_then(|(id, row)| Some((self.points.protocol.item(id)?, *row))) {
            Some((item, row)) => words::cell(self.points.protocol, item, row.and_then(Row::numbered)),
            None => words::own_cell(&leaf.address, &leaf.value),
        }
    }

    /// The item of a leaf.
    ///
    /// `None` for a cell of the team's own.
    fn leaf_item(&self, n: usize) -> Option<ItemId> {
        self.form.formula.leaves[n].item.as_ref().and_then(|(id, _)| self.points.protocol.item(id))
    }

    /// A piece as its team typed it.
    ///
    /// As typed, with the team's own spelling; empty for a piece that was put there by a name.
    fn text_of(&self, term: &Term) -> String {
        let origin = self.form.formula.origins.get(term.origin);
        origin.and_then(|o| o.text.get(term.span.clone())).unwrap_or_default().to_owned()
    }

    /// The kind of the mistake that a change mends, what happened as a clause, and the item that it
    /// is about.
    ///
    /// `before` is the piece as the team has it, `parent` the piece above with its place in it.
    pub(super) fn named(&self, before: &Term, parent: Option<(&Term, usize)>, how: &How) -> Named {
        match how {
            How::Cell(..) | How::Column(_) | How::With(..) | How::Times(_) => self.of_cells(before, how),
            How::Function(_) | How::Within(_) | How::Around(_) | How::Bare => of_functions(before, how),
            How::Number(_) | How::Turned | How::Operator(_) | How::Grouped(_) => self.of_signs(before, parent, how),
        }
    }

    /// Another cell should have been read, or one more.
    ///
    /// A reference that slid by a row is told as that, since the remedy is another: to hold it
    /// fast.
    fn of_cells(&self, before: &Term, how: &How) -> Named {
        let protocol = self.points.protocol;
        match (&before.kind, how) {
            (TermKind::Number(v), How::Cell(item, row)) => self.typed_in(*v, *item, *row),
            (TermKind::Negative(a), How::Cell(item, row)) => {
                let typed = if let TermKind::Number(v) = a.kind { -v } else { 0.0 };
                self.typed_in(typed, *item, *row)
            }
            (TermKind::Leaf(n), How::Cell(item, row)) => {
                let read = self.leaf_item(*n);
                // Copied down, a reference that is not held fast moves on by a row for each.
                let slid = read == Some(*item) || read.is_none() && self.place.row.is_some_and(|r| r > 0);
                let clause = words::read_for(&self.leaf_named(*n), &self.cell_named(*item, *row), slid);
                (SlipKind::WrongCell, clause, Some(*item))
            }
            (TermKind::Leaf(n), How::Column(item)) => {
                let own = self.leaf_item(*n) == Some(*item);
                let kind = if own { SlipKind::SingleReplicate } else { SlipKind::WrongCell };
                (kind, words::one_for_all(&self.leaf_named(*n), &protocol.full_title(*item)), Some(*item))
            }
            (TermKind::Range { cells, .. }, How::Column(item)) => self.range_named(before, cells, *item),
            (kind, How::Times(f)) => {
                let leaf = if let TermKind::Leaf(n) = kind { Some(*n) } else { None };
                let what = leaf.map_or_else(|| self.text_of(before), |n| self.leaf_named(n));
                let clause = words::not_converted(&what, &notation::figures(*f, 3));
                (SlipKind::UnitFactor, clause, leaf.and_then(|n| self.leaf_item(n)))
            }
            (_, How::With(op, item, ..)) => {
                let (title, piece) = (protocol.full_title(*item), self.text_of(before));
                (SlipKind::TermOmitted, words::part_gone_of(&piece, &title, *op == Operator::Divide), Some(*item))
            }
            _ => (SlipKind::Compound, words::otherwise(&self.text_of(before)), None),
        }
    }

    /// A number that was typed in for a cell.
    ///
    /// What is typed for a constant is a wrong constant, for a parameter a wrong count, else a
    /// misread reading.
    fn typed_in(&self, typed: f64, item: ItemId, row: Option<usize>) -> Named {
        let kind = match self.points.protocol.items[item].kind {
            ItemKind::Reference(_) => SlipKind::ConstantWrong,
            ItemKind::Parameter(_) => SlipKind::CountWrong,
            _ => SlipKind::ReadingMiskeyed,
        };
        let has = self.points.written(item, row).filter(|_| kind == SlipKind::ReadingMiskeyed);
        (kind, words::typed_for(&typed.to_string(), &self.cell_named(item, row), has), Some(item))
    }

    /// Another number, sign or bracket belongs there.
    ///
    /// In a power a wrong number is a wrong power; a factor of ten is a unit, any other number a
    /// number.
    fn of_signs(&self, before: &Term, parent: Option<(&Term, usize)>, how: &How) -> Named {
        let in_power = parent.is_some_and(|(p, n)| {
            n == 1 && matches!(p.kind, TermKind::Binary(Operator::Power, ..) | TermKind::Call(Function::Power, _))
        });
        let text = self.text_of(before);
        let (kind, clause) = match (&before.kind, how) {
            (TermKind::Number(v), How::Number(right)) => {
                let tens = (v / right).abs().log10();
                let kind = if in_power {
                    SlipKind::Power
                } else if tens != 0.0 && (tens - tens.round()).abs() < 1e-9 {
                    SlipKind::UnitFactor
                } else {
                    SlipKind::Literal
                };
                (kind, words::number_for(&v.to_string(), &right.to_string(), in_power))
            }
            (TermKind::Call(f, _), How::Turned) => {
                let kind = if *f == Function::Slope { SlipKind::SlopeInverted } else { SlipKind::Swapped };
                (kind, words::arguments_turned(*f))
            }
            (TermKind::Binary(op, ..), How::Turned) => {
                let kind = if *op == Operator::Subtract { SlipKind::Sign } else { SlipKind::Inverted };
                (kind, words::parts_turned(&text))
            }
            (TermKind::Binary(was, ..), How::Operator(op)) => {
                let kind = match op {
                    Operator::Add | Operator::Subtract => SlipKind::Sign,
                    _ if *was == Operator::Power => SlipKind::Power,
                    _ => SlipKind::Inverted,
                };
                (kind, words::operator_for(*was, *op, &text))
            }
            (_, How::Grouped(_)) => (SlipKind::Brackets, words::brackets(&text)),
            _ => (SlipKind::Compound, words::otherwise(&text)),
        };
        (kind, clause, None)
    }

    /// A range that is not the column that it should be: rows short, rows too many, another column.
    ///
    /// Rows that are missing from it are told by number.
    fn range_named(&self, before: &Term, cells: &[Term], item: ItemId) -> (SlipKind, String, Option<ItemId>) {
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
        let missing: Vec<Row> = (0..self.points.rows(item)).filter(|n| !rows.contains(n)).map(Row::at).collect();
        let kind = SlipKind::Exclusion;
        (kind, words::range_of(&text, &title, &missing), Some(item))
    }
}

/// Another function belongs there, one more or one fewer.
///
/// Functions of angles are told by the angle: what is missing is the conversion.
fn of_functions(before: &Term, how: &How) -> Named {
    let angle = SlipKind::AngleUnit;
    let (kind, clause) = match (&before.kind, how) {
        (TermKind::Call(was, _), How::Function(f)) => (of_sisters(*was, *f), words::function_for(*was, *f)),
        (TermKind::Call(outer, _), How::Within(Function::Radians)) => (angle, words::degrees_to(*outer)),
        (_, How::Around(Function::Radians)) => (angle, words::degrees_left().to_owned()),
        (_, How::Within(_) | How::Around(Function::Degrees)) => (angle, words::radians_left().to_owned()),
        (TermKind::Call(f, _), How::Bare) => {
            let kind = match f {
                Function::Sqrt => SlipKind::Root,
                Function::Abs => SlipKind::Sign,
                Function::Degrees | Function::Radians => angle,
                _ => SlipKind::WrongFunction,
            };
            (kind, words::too_much(*f))
        }
        (_, How::Bare) => (SlipKind::Sign, words::sign_too_much().to_owned()),
        _ => (SlipKind::Root, words::root_left_out().to_owned()),
    };
    (kind, clause, None)
}

/// What it is to take one function for another.
///
/// A function that has no kind of its own is a wrong function.
fn of_sisters(was: Function, right: Function) -> SlipKind {
    use Function::{Average, Ln, Log10, Sd, SdPopulation, Sum, Variance, VariancePopulation};
    match (was, right) {
        (_, Ln | Log10) => SlipKind::LogBase,
        (Average, Sum) | (Sum, Average) => SlipKind::SumForMean,
        (SdPopulation, Sd) | (Sd, SdPopulation) => SlipKind::WrongCount,
        (Variance, VariancePopulation) | (VariancePopulation, Variance) => SlipKind::WrongCount,
        _ => SlipKind::WrongFunction,
    }
}
