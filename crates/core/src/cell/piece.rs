//! The pieces of a formula as it was typed, before anything is looked up.

use std::ops::Range;

use super::address::Address;
use super::function::Function;
use crate::formula::ast::Comparator;
pub use crate::formula::ast::Operator;

/// A piece of a formula and where it stands (bytes of the text).
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// What it is.
    pub kind: PieceKind,
    /// Its bytes.
    pub span: Range<usize>,
}

/// The kinds of piece.
#[derive(Clone, Debug, PartialEq)]
pub enum PieceKind {
    /// `0.5`
    Number(f64),
    /// `"out"`
    Text(String),
    /// `#DIV/0!` written into the formula, as of a cell that was deleted.
    Fault(String),
    /// `B7`
    Cell(Address),
    /// `B7:F7`, upper left and lower right.
    Range(Address, Address),
    /// `plate_mass`
    Name(String),
    /// `-x`
    Negative(Box<Piece>),
    /// `x%`
    Percent(Box<Piece>),
    /// `a + b` and friends.
    Binary(Operator, Box<Piece>, Box<Piece>),
    /// `a <= b`
    Compare(Comparator, Box<Piece>, Box<Piece>),
    /// `a & b`
    Join(Box<Piece>, Box<Piece>),
    /// `SUM(x)`
    Call(Function, Vec<Piece>),
    /// An argument that was left out: `LINEST(y, x, , TRUE)`.
    Blank,
}

/// Why a formula is not understood.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NotUnderstood {
    /// A function that is not known here, by its name.
    Function(String),
    /// It reads another file.
    OtherFile,
    /// It is longer, deeper or of more parts than anybody needs.
    TooLarge,
    /// Something stands where nothing can be made of it.
    Sign(String),
}

impl PieceKind {
    /// The piece fully bracketed, in one spelling whatever the file's: for comparing formulas.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::parse;
    /// assert_eq!(parse("=-B7^2").map(|p| p.kind.plain()), Ok("((-B7)^2)".into()));
    /// ```
    pub fn plain(&self) -> String {
        match self {
            PieceKind::Number(v) => format!("{v}"),
            PieceKind::Text(t) => format!("{t:?}"),
            PieceKind::Fault(t) => t.clone(),
            PieceKind::Cell(a) => a.to_string(),
            PieceKind::Range(a, b) => format!("{a}:{}", Address { sheet: None, ..b.clone() }),
            PieceKind::Name(n) => n.to_lowercase(),
            PieceKind::Negative(a) => format!("(-{})", a.kind.plain()),
            PieceKind::Percent(a) => format!("({}%)", a.kind.plain()),
            PieceKind::Binary(op, a, b) => format!("({}{}{})", a.kind.plain(), op.sign(), b.kind.plain()),
            PieceKind::Compare(op, a, b) => format!("({}{}{})", a.kind.plain(), op.sign(), b.kind.plain()),
            PieceKind::Join(a, b) => format!("({}&{})", a.kind.plain(), b.kind.plain()),
            PieceKind::Call(f, args) => {
                format!("{}({})", f.name(), args.iter().map(|a| a.kind.plain()).collect::<Vec<_>>().join(","))
            }
            PieceKind::Blank => String::new(),
        }
    }
}
