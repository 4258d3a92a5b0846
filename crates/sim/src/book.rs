//! Teams that work in the very spreadsheet that they hand in: their results are formulas over the cells of the sheet, and a mistake
//! stands in a formula. The formulas are written here as text, from the lab's own as it is typed, and worked out as worksheets do.

mod slips;

use std::collections::HashMap;

use jurado_core::cell::{Address, Below, Formula, Held, Under, Value};
use jurado_core::formula::Shape;
use jurado_core::formula::ast::{Ast, AstKind, Operator};
use jurado_core::notation;
use jurado_core::protocol::{ItemId, ItemKind, Protocol};
use jurado_core::quantity::{Nature, Unit};
use jurado_core::submission::{Submission, SubmittedCell};

use crate::class::Lab;
use crate::random::{Chance, seed_of};

pub use slips::Misdone;

/// Figures that a result shows.
const SHOWN: i32 = 5;

/// A table worked in a spreadsheet, and what was done in it.
#[derive(Clone, Debug)]
pub struct Booked {
    /// The table, with the formulas under its results.
    pub submission: Submission,
    /// What is true of each formula.
    pub formulas: Vec<FormulaTruth>,
}

/// What is true of the formula under one result.
#[derive(Clone, Debug)]
pub struct FormulaTruth {
    /// Item.
    pub item: String,
    /// Row, from 1.
    pub row: Option<u32>,
    /// What was done; `None` for the lab's formula, however it is written.
    pub done: Option<Misdone>,
    /// The formula.
    pub text: String,
}

/// A piece of a worksheet formula that is being written.
#[derive(Clone, Debug, PartialEq)]
enum Piece {
    /// A cell: item, row from 1.
    Cell(ItemId, Option<u32>),
    /// Rows of a column, from and to, from 1.
    Range(ItemId, u32, u32),
    /// A number of the formula.
    Number(f64),
    /// A number that turns a unit into another.
    Factor(f64),
    /// A cell of the team's own, with what it holds.
    Own(String, f64),
    Negative(Box<Piece>),
    Binary(Operator, Box<Piece>, Box<Piece>),
    /// The same without the brackets that it needs.
    Bare(Box<Piece>),
    Call(&'static str, Vec<Piece>),
}

/// Writes formulas for one table.
struct Writer<'a> {
    protocol: &'a Protocol,
    table: &'a Submission,
    /// Row of the result that is written, from 1.
    row: Option<u32>,
}

/// The address of a cell of the sheet: single values and repeated readings in a line each, tables below.
fn address(protocol: &Protocol, item: ItemId, row: Option<u32>) -> Address {
    match protocol.table_of(item) {
        None => Address::here(item.index() as u32 + 6, row.unwrap_or(1) + 3),
        Some(t) => Address::here(row.unwrap_or(1) + 200 + 60 * t.index() as u32, item.index() as u32 + 2),
    }
}

/// A number as it is typed.
fn number(text: &str) -> Option<f64> {
    text.trim().parse().ok().filter(|v: &f64| v.is_finite())
}

impl Writer<'_> {
    fn cell(&self, item: ItemId, row: Option<u32>) -> Option<&SubmittedCell> {
        let id = &self.protocol.items[item].id;
        self.table
            .cells
            .iter()
            .find(|c| c.item == *id && c.row == row && number(&c.value).is_some() && c.excluded.is_empty())
    }

    /// The rows of a column that are there, without a gap; `None` where one is left out, or stands beside a row that is there.
    fn rows(&self, item: ItemId) -> Option<(u32, u32)> {
        let table = self.protocol.table_of(item);
        let of_table = |c: &&SubmittedCell| {
            self.protocol
                .item(&c.item)
                .is_some_and(|i| i == item || (table.is_some() && self.protocol.table_of(i) == table))
        };
        let most = self.table.cells.iter().filter(of_table).filter_map(|c| c.row).max();
        let out = self.table.cells.iter().filter(of_table).any(|c| !c.excluded.is_empty());
        if out || most != (1..=60).filter(|r| self.cell(item, Some(*r)).is_some()).max() {
            return None;
        }
        let mut rows: Vec<u32> = (1..=60).filter(|r| self.cell(item, Some(*r)).is_some()).collect();
        rows.sort_unstable();
        let (first, last) = (*rows.first()?, *rows.last()?);
        (rows.len() as u32 == last - first + 1 && first == 1).then_some((first, last))
    }

    /// Factor and shift from the sheet's unit to coherent SI units.
    fn conversion(&self, item: ItemId) -> (f64, f64) {
        let it = &self.protocol.items[item];
        let shift = it.to_si(0.0);
        (it.to_si(1.0) - shift, shift)
    }

    /// A formula as a worksheet has it, in coherent SI units; `None` where this way of writing has no words for it.
    fn piece(&self, ast: &Ast) -> Option<Piece> {
        Some(match &ast.kind {
            AstKind::Number { text, unit: None } => Piece::Number(text.parse().ok()?),
            AstKind::Number { text, unit: Some(unit) } => {
                Piece::Number(Unit::parse(unit).ok()?.to_si(text.parse().ok()?, Nature::Plain))
            }
            AstKind::Name(name) if name == "pi" => Piece::Call("PI", Vec::new()),
            AstKind::Name(name) => self.named(self.protocol.item(name)?)?,
            AstKind::Negative(a) => Piece::Negative(Box::new(self.piece(a)?)),
            AstKind::Binary(op, a, b) => Piece::Binary(*op, Box::new(self.piece(a)?), Box::new(self.piece(b)?)),
            AstKind::Call(name, args) => self.call(name, args)?,
            AstKind::Compare(..) | AstKind::Word(_) => return None,
        })
    }

    fn named(&self, item: ItemId) -> Option<Piece> {
        let it = &self.protocol.items[item];
        match it.kind {
            ItemKind::Reading(_) | ItemKind::Result(_) if it.words.is_none() => {
                let row = match it.rows {
                    Shape::Scalar => None,
                    Shape::Column(_) => Some(self.row?),
                };
                self.cell(item, row)?;
                Some(self.in_si(Piece::Cell(item, row), item))
            }
            ItemKind::Parameter(p) => Some(Piece::Number(it.to_si(self.protocol.parameters[p].value))),
            ItemKind::Reference(r) => {
                let reference = &self.protocol.references[r];
                let entry = match reference.key {
                    None => reference.entries.first()?,
                    Some(k) => {
                        let at = self.table.keys.get(&self.protocol.keys[k].id)?;
                        reference.entries.iter().find(|e| e.at == *at)?
                    }
                };
                (reference.formula.is_none()).then(|| Piece::Number(entry.middle()))
            }
            _ => None,
        }
    }

    fn in_si(&self, piece: Piece, item: ItemId) -> Piece {
        let (factor, shift) = self.conversion(item);
        let piece = match factor {
            1.0 => piece,
            f => Piece::Binary(Operator::Multiply, Box::new(piece), Box::new(Piece::Factor(f))),
        };
        if shift == 0.0 { piece } else { Piece::Binary(Operator::Add, Box::new(piece), Box::new(Piece::Factor(shift))) }
    }

    /// A column that stands by itself, with what turns it into coherent SI units.
    fn column(&self, ast: &Ast) -> Option<(Piece, f64)> {
        let AstKind::Name(name) = &ast.kind else { return None };
        let item = self.protocol.item(name)?;
        if self.protocol.items[item].rows == Shape::Scalar {
            return None;
        }
        let (first, last) = self.rows(item)?;
        let (factor, shift) = self.conversion(item);
        (shift == 0.0).then_some((Piece::Range(item, first, last), factor))
    }

    fn call(&self, name: &str, args: &[Ast]) -> Option<Piece> {
        let times = |p: Piece, f: f64| {
            if f == 1.0 { p } else { Piece::Binary(Operator::Multiply, Box::new(p), Box::new(Piece::Factor(f))) }
        };
        let over_column = [
            ("mean", "AVERAGE"),
            ("sum", "SUM"),
            ("min", "MIN"),
            ("max", "MAX"),
            ("median", "MEDIAN"),
            ("sd", "STDEV"),
        ];
        if let Some((_, word)) = over_column.iter().find(|(n, _)| *n == name) {
            let (range, factor) = self.column(args.first()?)?;
            return Some(times(Piece::Call(word, vec![range]), factor));
        }
        if name == "count" {
            return Some(Piece::Call("COUNT", vec![self.column(args.first()?)?.0]));
        }
        if let ("slope" | "intercept", [x, y]) = (name, args) {
            let ((x, fx), (y, fy)) = (self.column(x)?, self.column(y)?);
            let rows = |p: &Piece| if let Piece::Range(_, a, b) = p { (*a, *b) } else { (0, 0) };
            if rows(&x) != rows(&y) {
                return None;
            }
            let (word, factor) = if name == "slope" { ("SLOPE", fy / fx) } else { ("INTERCEPT", fy) };
            return Some(times(Piece::Call(word, vec![y, x]), factor));
        }
        let plain = [
            ("sqrt", "SQRT"),
            ("exp", "EXP"),
            ("ln", "LN"),
            ("log10", "LOG10"),
            ("sin", "SIN"),
            ("cos", "COS"),
            ("tan", "TAN"),
            ("asin", "ASIN"),
            ("acos", "ACOS"),
            ("atan", "ATAN"),
            ("abs", "ABS"),
        ];
        let (_, word) = plain.iter().find(|(n, _)| *n == name)?;
        Some(Piece::Call(word, vec![self.piece(args.first()?)?]))
    }

    fn text(&self, piece: &Piece) -> String {
        self.written(piece, 0)
    }

    fn written(&self, piece: &Piece, outer: u8) -> String {
        let own = match piece {
            Piece::Binary(Operator::Add | Operator::Subtract, ..) => 1,
            Piece::Binary(Operator::Multiply | Operator::Divide, ..) => 2,
            Piece::Binary(Operator::Power, ..) => 3,
            _ => 9,
        };
        let text = match piece {
            Piece::Cell(item, row) => address(self.protocol, *item, *row).to_string(),
            Piece::Range(item, a, b) => {
                format!("{}:{}", address(self.protocol, *item, Some(*a)), address(self.protocol, *item, Some(*b)))
            }
            Piece::Number(v) | Piece::Factor(v) if *v < 0.0 => format!("({v})"),
            Piece::Number(v) | Piece::Factor(v) => format!("{v}"),
            Piece::Own(address, _) => address.clone(),
            Piece::Negative(a) => format!("(-{})", self.written(a, 9)),
            Piece::Bare(a) => return self.written(a, 0),
            Piece::Binary(op, a, b) => {
                let right = own + u8::from(matches!(op, Operator::Subtract | Operator::Divide | Operator::Power));
                let left = own + u8::from(*op == Operator::Power);
                format!("{}{}{}", self.written(a, left), op.sign(), self.written(b, right))
            }
            Piece::Call(name, args) => {
                format!("{name}({})", args.iter().map(|a| self.written(a, 0)).collect::<Vec<_>>().join(","))
            }
        };
        if own < outer { format!("({text})") } else { text }
    }
}

impl Lab {
    /// A table worked through in a spreadsheet: each result that can be a formula is one, a share of `slips` of them with a
    /// mistake in it. Readings stay as they are.
    pub fn booked(&self, table: &Submission, seed: u64, slips: f64) -> Booked {
        let protocol = &self.protocol;
        let mut chance = Chance::new(seed_of(seed, &[&table.section, &table.team, "book"]));
        let mut submission = table.clone();
        let mut under = Under { home: "Data sheet".to_owned(), ..Under::default() };
        for cell in &table.cells {
            let Some(item) = protocol.item(&cell.item) else { continue };
            let held = match number(&cell.value) {
                Some(v) => Held::Number(format!("{v}")),
                None => Held::Text(cell.value.clone()),
            };
            let below = Below { item: cell.item.clone(), row: cell.row, held, formula: None };
            under.cells.insert(address(protocol, item, cell.row).to_string(), below);
        }
        let mut formulas = Vec::new();
        for line in self.lines() {
            let item = line.item;
            let own: Vec<Option<u32>> =
                table.cells.iter().filter(|c| c.item == protocol.items[item].id).map(|c| c.row).collect();
            // One mistake down a column is made in all its rows, as a formula is copied.
            let throughout = chance.happens(slips).then(|| chance.one_of(1 << 20));
            for row in own {
                let snapshot = submission.clone();
                let writer = Writer { protocol, table: &snapshot, row };
                let done = throughout
                    .or_else(|| (row.is_some() && chance.happens(slips / 8.0)).then(|| chance.one_of(1 << 20)));
                if let Some(truth) = write(&writer, item, &line.ast, done, &mut under, &mut submission) {
                    formulas.push(truth);
                }
            }
        }
        submission.under = Some(Box::new(under));
        Booked { submission, formulas }
    }
}

/// Writes one formula, works it out and shows its value; `None` where there is none for it.
fn write(
    writer: &Writer<'_>,
    item: ItemId,
    ast: &Ast,
    done: Option<usize>,
    under: &mut Under,
    submission: &mut Submission,
) -> Option<FormulaTruth> {
    let protocol = writer.protocol;
    let (factor, shift) = writer.conversion(item);
    let whole = |piece: Piece| {
        let piece = match shift {
            0.0 => piece,
            s => Piece::Binary(Operator::Subtract, Box::new(piece), Box::new(Piece::Factor(s))),
        };
        if factor == 1.0 {
            piece
        } else {
            Piece::Binary(Operator::Divide, Box::new(piece), Box::new(Piece::Factor(factor)))
        }
    };
    let right = whole(writer.piece(ast)?);
    let place = address(protocol, item, writer.row).to_string();
    let worked = |piece: &Piece, under: &Under| -> Option<(f64, Under, String)> {
        let mut under = under.clone();
        let text = format!("={}", writer.text(piece));
        for (address, value) in owns(piece) {
            under.cells.insert(address, Below { held: Held::Number(format!("{value}")), ..Below::default() });
        }
        let id = protocol.items[item].id.clone();
        under
            .cells
            .insert(place.clone(), Below { item: id, row: writer.row, held: Held::Empty, formula: Some(text.clone()) });
        match Formula::of(&under, &place).ok()?.value() {
            Value::Number(v) => Some((v, under, text)),
            _ => None,
        }
    };
    let (value, plain, text) = worked(&right, under)?;
    let mut kept = (value, plain, text, None);
    if let Some(n) = done
        && let Some((misdone, piece)) = slips::one(writer, &right, n)
        && let Some((wrong, with, text)) = worked(&piece, under)
    {
        let harmless = misdone == Misdone::Harmless;
        let moved = (wrong - value).abs() > 1e-6 * value.abs();
        if harmless || moved {
            kept = (wrong, with, text, (!harmless).then_some(misdone));
        }
    }
    let (value, with, text, done) = kept;
    *under = with;
    let below = under.cells.get_mut(&place)?;
    below.held = Held::Number(format!("{value}"));
    let id = &protocol.items[item].id;
    let cell = submission.cells.iter_mut().find(|c| c.item == *id && c.row == writer.row)?;
    cell.value = notation::figures(value, SHOWN);
    // A value too large for its figures is written with a power of ten, which a cell shows too.
    Some(FormulaTruth { item: id.clone(), row: writer.row, done, text })
}

/// The cells of the team's own in a formula, with what they hold.
fn owns(piece: &Piece) -> HashMap<String, f64> {
    let mut out = HashMap::new();
    let mut open = vec![piece];
    while let Some(p) = open.pop() {
        match p {
            Piece::Own(address, v) => drop(out.insert(address.clone(), *v)),
            Piece::Negative(a) | Piece::Bare(a) => open.push(a),
            Piece::Binary(_, a, b) => open.extend([a.as_ref(), b.as_ref()]),
            Piece::Call(_, args) => open.extend(args),
            Piece::Cell(..) | Piece::Range(..) | Piece::Number(_) | Piece::Factor(_) => {}
        }
    }
    out
}
