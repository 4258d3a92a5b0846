//! A formula followed to what it reads: its own pieces, those of the helper cells under it, and at
//! the ends the cells that hold readings, results or plain values.
//!
//! A formula such as `=D14/(B3*C3)` is followed to its ends. `D14` may be a helper cell with a
//! formula of its own, which is followed in turn; `B3` is a cell of the sheet, and the formula ends
//! there. What comes out is one tree whose leaves are cells, so that it can be worked out with
//! other values in them.
//!
//! Circles, names that stand for themselves, and formulas that read more than anybody needs end the
//! search and say so. Nothing outside of the file is looked at.

use std::collections::HashMap;
use std::ops::Range;

use super::address::Address;
use super::function::Function;
use super::parse::parse;
use super::piece::{NotUnderstood, Operator, Piece, PieceKind};
use super::under::{Below, Under};
use super::value::{Fault, Value};
use crate::formula::ast::Comparator;

/// Most pieces of a formula with all its helper cells.
pub(crate) const MOST_PIECES: usize = 20_000;
/// Deepest nesting of pieces, helper cells and all.
///
/// A formula that nests deeper was made by a machine, or against one.
const MOST_DEPTH: usize = 200;

/// A formula with everything that it reads.
#[derive(Clone, Debug, PartialEq)]
pub struct Formula {
    /// Its outermost piece.
    pub root: Term,
    /// The cells at its ends.
    pub leaves: Vec<Leaf>,
    /// The cells whose formulas it is made of, itself first.
    pub origins: Vec<Origin>,
    /// How many pieces it has, each cell of a range counted.
    pub pieces: usize,
}

/// A cell whose formula is followed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Origin {
    /// Address of the cell that stands under the place, such as `F12`.
    pub address: String,
    /// Its formula as the file spells it.
    pub text: String,
}

/// A cell that is read and not followed further.
#[derive(Clone, Debug, PartialEq)]
pub struct Leaf {
    /// Address of the cell in which the path ends, such as `B7`.
    pub address: String,
    /// Item and row of a cell of the sheet; `None` for one of the team's own.
    pub item: Option<(String, Option<u32>)>,
    /// What it holds.
    pub value: Value,
}

/// A piece of a formula and where it stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Term {
    /// What it is.
    pub kind: TermKind,
    /// Number of the origin in whose text it stands.
    pub origin: usize,
    /// Its bytes there.
    pub span: Range<usize>,
}

/// The kinds of piece.
#[derive(Clone, Debug, PartialEq)]
pub enum TermKind {
    /// A number typed into the formula.
    Number(f64),
    /// A text typed into it.
    Text(String),
    /// An error that the cell holds or that working it out gives, such as `#DIV/0!`.
    Fault(Fault),
    /// A cell, by its number among the leaves.
    Leaf(usize),
    /// The cells of a range, row by row.
    Range {
        /// How many columns.
        columns: usize,
        /// The cells.
        cells: Vec<Term>,
    },
    /// Sign turned.
    Negative(Box<Term>),
    /// A hundredth.
    Percent(Box<Term>),
    /// Operator on two pieces.
    Binary(Operator, Box<Term>, Box<Term>),
    /// Comparison.
    Compare(Comparator, Box<Term>, Box<Term>),
    /// Two texts as one.
    Join(Box<Term>, Box<Term>),
    /// A function.
    Call(Function, Vec<Term>),
    /// An argument left out.
    Blank,
}

/// Why a formula cannot be followed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unfollowed {
    /// A formula is not understood: in which cell, and why.
    NotUnderstood(String, NotUnderstood),
    /// Cells that read one another in a circle.
    Circle(Vec<String>),
    /// It reads more than anybody needs.
    TooLarge,
}

impl Formula {
    /// The formula of a cell, followed.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Under};
    /// let mut under = Under::default();
    /// let formula = |text: &str| Below { formula: Some(text.into()), ..Below::default() };
    /// under.cells.insert("A1".into(), formula("=B1*2"));
    /// under.cells.insert("B1".into(), formula("=C1+1"));
    /// let followed = Formula::of(&under, "A1").expect("no circle");
    /// // The helper cell is part of it, and the cell that holds a value is its end.
    /// let (origins, leaves): (Vec<&str>, Vec<&str>) = (
    ///     followed.origins.iter().map(|o| o.address.as_str()).collect(),
    ///     followed.leaves.iter().map(|l| l.address.as_str()).collect(),
    /// );
    /// assert_eq!((origins, leaves), (vec!["A1", "B1"], vec!["C1"]));
    /// ```
    ///
    /// # Errors
    /// Why it cannot be followed.
    pub fn of(under: &Under, address: &str) -> Result<Formula, Unfollowed> {
        let mut follower = Follower {
            under,
            leaves: Vec::new(),
            known: HashMap::new(),
            origins: Vec::new(),
            path: Vec::new(),
            pieces: 0,
            depth: 0,
        };
        let text = under.cells.get(address).and_then(|c| c.formula.as_deref()).unwrap_or_default();
        let root = follower.cell_formula(address, text)?;
        Ok(Formula { root, leaves: follower.leaves, origins: follower.origins, pieces: follower.pieces })
    }
}

/// `known` are leaves by address, so that a cell that is read twice is one leaf.
struct Follower<'a> {
    /// What the file holds.
    under: &'a Under,
    /// Cells at the ends so far.
    leaves: Vec<Leaf>,
    /// Numbers of the leaves by address.
    known: HashMap<String, usize>,
    /// Cells whose formulas were followed.
    origins: Vec<Origin>,
    /// Cells whose formulas are being followed.
    path: Vec<String>,
    /// Pieces so far.
    pieces: usize,
    /// How deep the piece in hand is nested.
    depth: usize,
}

impl Follower<'_> {
    /// The formula of a cell, followed; a circle where following it has come by this cell before.
    ///
    /// `path` holds the cells that are being followed, from the outermost in.
    fn cell_formula(&mut self, address: &str, text: &str) -> Result<Term, Unfollowed> {
        if self.path.iter().any(|p| p == address) {
            let mut circle = self.path.clone();
            circle.push(address.to_owned());
            return Err(Unfollowed::Circle(circle));
        }
        let piece = parse(text).map_err(|why| Unfollowed::NotUnderstood(address.to_owned(), why))?;
        let origin = match self.origins.iter().position(|o| o.address == address) {
            Some(known) => known,
            None => {
                self.origins.push(Origin { address: address.to_owned(), text: text.to_owned() });
                self.origins.len() - 1
            }
        };
        self.path.push(address.to_owned());
        let term = self.term(&piece, origin);
        self.path.pop();
        term
    }

    /// A piece followed, counted against the bounds on pieces and depth.
    fn term(&mut self, piece: &Piece, origin: usize) -> Result<Term, Unfollowed> {
        self.pieces += 1;
        self.depth += 1;
        if self.pieces > MOST_PIECES || self.depth > MOST_DEPTH {
            return Err(Unfollowed::TooLarge);
        }
        let term = self.followed(piece, origin);
        self.depth -= 1;
        term
    }

    /// A piece with every name and cell in it followed to what it reads.
    ///
    /// Numbers, texts and errors end here; what names a cell goes on.
    fn followed(&mut self, piece: &Piece, origin: usize) -> Result<Term, Unfollowed> {
        let mut of = |piece: &Piece| self.term(piece, origin).map(Box::new);
        let kind = match &piece.kind {
            PieceKind::Number(v) => TermKind::Number(*v),
            PieceKind::Text(t) => TermKind::Text(t.clone()),
            PieceKind::Fault(t) => TermKind::Fault(Fault::named(t)),
            PieceKind::Cell(a) => return self.cell(a, origin, &piece.span),
            PieceKind::Range(a, b) => self.range(a, b, origin, &piece.span)?,
            PieceKind::Name(name) => return self.named(name, origin, piece),
            PieceKind::Negative(a) => TermKind::Negative(of(a)?),
            PieceKind::Percent(a) => TermKind::Percent(of(a)?),
            PieceKind::Binary(op, a, b) => TermKind::Binary(*op, of(a)?, of(b)?),
            PieceKind::Compare(op, a, b) => TermKind::Compare(*op, of(a)?, of(b)?),
            PieceKind::Join(a, b) => TermKind::Join(of(a)?, of(b)?),
            PieceKind::Call(f, args) => {
                let args = args.iter().map(|a| self.term(a, origin)).collect::<Result<_, _>>()?;
                TermKind::Call(*f, args)
            }
            PieceKind::Blank => TermKind::Blank,
        };
        Ok(Term { kind, origin, span: piece.span.clone() })
    }

    /// A name that the file gives to a cell, a range or a number.
    fn named(&mut self, name: &str, origin: usize, piece: &Piece) -> Result<Term, Unfollowed> {
        let fault = Term { kind: TermKind::Fault(Fault::Name), origin, span: piece.span.clone() };
        let Some(meaning) = self.under.names.get(&name.to_lowercase()) else { return Ok(fault) };
        // A name that stands for itself, or for another that does.
        let key = format!("={}", name.to_lowercase());
        if self.path.contains(&key) {
            return Err(Unfollowed::Circle(vec![name.to_owned()]));
        }
        let inner = parse(meaning).map_err(|why| Unfollowed::NotUnderstood(name.to_owned(), why))?;
        self.path.push(key);
        let term = self.term(&inner, origin);
        self.path.pop();
        // It is marked where its name stands.
        Ok(Term { origin, span: piece.span.clone(), ..term? })
    }

    /// The address as the table knows it: without its sheet where that is the table's own.
    ///
    /// `'Data sheet'!B3` on the data sheet itself is `B3`.
    fn known_as(&self, a: &Address) -> String {
        let home = a.sheet.as_deref().is_none_or(|s| s.eq_ignore_ascii_case(&self.under.home));
        if home { Address::here(a.row, a.column).to_string() } else { a.to_string() }
    }

    /// A reference: the formula of the cell it names, or the cell itself where that holds none.
    ///
    /// A cell of the sheet is an end even where it holds a formula: what stands there is what was
    /// handed in.
    fn cell(&mut self, a: &Address, origin: usize, span: &Range<usize>) -> Result<Term, Unfollowed> {
        // On another sheet an address without a sheet is that sheet's.
        let a = self.on_its_sheet(a, origin);
        let address = self.known_as(&a);
        if let Some(cell) = self.under.cells.get(&address)
            && cell.place().is_none()
            && let Some(text) = cell.formula.clone()
        {
            return self.cell_formula(&address, &text);
        }
        Ok(Term { kind: TermKind::Leaf(self.leaf(address)), origin, span: span.clone() })
    }

    /// An address on the sheet that it means: its own where one is written, else the sheet of the
    /// formula it stands in.
    fn on_its_sheet(&self, a: &Address, origin: usize) -> Address {
        let sheet = a.sheet.clone().or_else(|| Some(self.origins[origin].address.rsplit_once('!')?.0.to_owned()));
        Address { sheet, ..a.clone() }
    }

    /// The number of a cell that is read, new the first time.
    ///
    /// A cell that the file does not hold is empty.
    fn leaf(&mut self, address: String) -> usize {
        if let Some(known) = self.known.get(&address) {
            return *known;
        }
        let cell = self.under.cells.get(&address);
        let item = cell.and_then(Below::place).map(|(item, row)| (item.to_owned(), row));
        let value = cell.map_or(Value::Empty, |c| c.held.value());
        self.leaves.push(Leaf { address: address.clone(), item, value });
        self.known.insert(address, self.leaves.len() - 1);
        self.leaves.len() - 1
    }

    /// A range as the cells it takes in, row by row.
    ///
    /// A range of more cells than a formula may have pieces is not taken in.
    fn range(&mut self, a: &Address, b: &Address, origin: usize, span: &Range<usize>) -> Result<TermKind, Unfollowed> {
        let a = self.on_its_sheet(a, origin);
        let (rows, columns) = ((b.row - a.row + 1) as usize, (b.column - a.column + 1) as usize);
        self.pieces = self.pieces.saturating_add(rows.saturating_mul(columns));
        if self.pieces > MOST_PIECES {
            return Err(Unfollowed::TooLarge);
        }
        let mut cells = Vec::with_capacity(rows * columns);
        for row in a.row..=b.row {
            for column in a.column..=b.column {
                let cell = Address { row, column, ..a.clone() };
                cells.push(self.cell(&cell, origin, span)?);
            }
        }
        Ok(TermKind::Range { columns, cells })
    }
}

impl Term {
    /// The pieces directly under this one.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Under};
    /// let mut under = Under::default();
    /// under.cells.insert("A1".into(), Below { formula: Some("=B1-C1".into()), ..Below::default() });
    /// let formula = Formula::of(&under, "A1").expect("a formula");
    /// assert_eq!(formula.root.children().len(), 2);
    /// ```
    pub fn children(&self) -> Vec<&Term> {
        match &self.kind {
            TermKind::Negative(a) | TermKind::Percent(a) => vec![a],
            TermKind::Binary(_, a, b) | TermKind::Compare(_, a, b) | TermKind::Join(a, b) => vec![a, b],
            TermKind::Call(_, args) | TermKind::Range { cells: args, .. } => args.iter().collect(),
            _ => Vec::new(),
        }
    }

    /// The pieces directly under this one, to be changed.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Under, Value};
    /// let mut under = Under::default();
    /// under.cells.insert("A1".into(), Below { formula: Some("=6-2".into()), ..Below::default() });
    /// let mut formula = Formula::of(&under, "A1").expect("a formula");
    /// let two = formula.root.children()[1].clone();
    /// *formula.root.children_mut()[0] = two;
    /// assert_eq!(formula.value(), Value::Number(0.0));
    /// ```
    pub fn children_mut(&mut self) -> Vec<&mut Term> {
        match &mut self.kind {
            TermKind::Negative(a) | TermKind::Percent(a) => vec![a],
            TermKind::Binary(_, a, b) | TermKind::Compare(_, a, b) | TermKind::Join(a, b) => vec![a, b],
            TermKind::Call(_, args) | TermKind::Range { cells: args, .. } => args.iter_mut().collect(),
            _ => Vec::new(),
        }
    }

    /// Every piece, this one first.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Under};
    /// let mut under = Under::default();
    /// under.cells.insert("A1".into(), Below { formula: Some("=(B1+C1)/2".into()), ..Below::default() });
    /// let formula = Formula::of(&under, "A1").expect("a formula");
    /// // The quotient, the sum, the two, and both cells.
    /// assert_eq!(formula.root.all().len(), 5);
    /// ```
    pub fn all(&self) -> Vec<&Term> {
        let mut out = vec![self];
        let mut n = 0;
        while n < out.len() {
            out.extend(out[n].children());
            n += 1;
        }
        out
    }
}

impl Leaf {
    /// Whether it is a number kept as a text, which sums and means pass over.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Leaf, Value};
    /// let leaf = |text: &str| Leaf { address: "A1".into(), item: None, value: Value::Text(text.into()) };
    /// assert!(leaf("12.4").number_as_text() && !leaf("stiff").number_as_text());
    /// ```
    pub fn number_as_text(&self) -> bool {
        matches!(&self.value, Value::Text(t) if super::value::plain_number(t).is_some())
    }
}
