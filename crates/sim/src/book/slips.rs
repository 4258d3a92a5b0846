//! Mistakes in a worksheet formula, made by hand on its text: what a person mistypes, misses or points to.

use jurado_core::cell::Address;
use jurado_core::formula::Shape;
use jurado_core::formula::ast::Operator;
use jurado_core::protocol::{ItemId, ItemKind, SlipKind};

use super::{Piece, Writer, number};

/// What was done to a formula.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Misdone {
    /// Another number in the formula.
    Number,
    /// Another power.
    Power,
    /// A factor left out.
    FactorGone,
    /// Another cell read.
    OtherCell,
    /// A range that is short by its last row.
    RangeShort,
    /// A cell of one's own read, with an old value in it.
    OldCell,
    /// A reading typed in with two digits swapped.
    Mistyped,
    /// Brackets left out.
    Brackets,
    /// The sum for the mean, or the mean for the sum.
    SumForMean,
    /// The spread of a population for that of a sample.
    Population,
    /// One logarithm for the other.
    Logarithm,
    /// A root left out.
    RootGone,
    /// The wrong sign between two parts.
    Sign,
    /// Multiplied for divided, or the other way round.
    Inverted,
    /// The two parts the wrong way round.
    Turned,
    /// A conversion between units left out.
    UnitGone,
    /// No mistake: a cell's number typed in, a rounding on the way.
    Harmless,
}

impl Misdone {
    /// Kinds of slip that name it rightly: some name the very same formula.
    pub fn names(self) -> &'static [SlipKind] {
        use SlipKind::*;
        match self {
            Misdone::Number => &[
                Inverted,
                Brackets,
                Literal,
                RadiusDiameter,
                UnitFactor,
                TermOmitted,
                Power,
                WrongCount,
                ConstantWrong,
                CountWrong,
                OtherStation,
            ],
            Misdone::Power => &[Power, Literal, TermOmitted, Root],
            Misdone::FactorGone => &[WrongCount, TermOmitted, Literal, RadiusDiameter, UnitFactor, Power, Root],
            Misdone::OtherCell => &[WrongCell, Swapped, SingleReplicate],
            Misdone::RangeShort => &[Exclusion, WrongCell],
            Misdone::OldCell => &[WrongCell, ReadingMiskeyed],
            Misdone::Mistyped => &[ReadingMiskeyed, ConstantWrong, Literal],
            Misdone::Brackets => &[Brackets, Inverted, TermOmitted, Literal, Sign, Power, UnitFactor, RadiusDiameter],
            Misdone::SumForMean => &[SumForMean, WrongCount, CountWrong],
            Misdone::Population => &[WrongCount, WrongFunction],
            Misdone::Logarithm => &[LogBase, Literal],
            Misdone::RootGone => &[Root, Power],
            Misdone::Sign => &[Sign, TermOmitted],
            Misdone::Inverted => &[Inverted, Power, Reciprocal, UnitFactor],
            Misdone::Turned => &[Inverted, Reciprocal, Sign, SlopeInverted, Swapped, Power],
            Misdone::UnitGone => &[ConstantWrong, UnitFactor, TermOmitted, Literal, AngleUnit],
            Misdone::Harmless => &[],
        }
    }
}

/// One mistake in a formula, by a number that chooses it; `None` where it has no place for one.
pub(super) fn one(writer: &Writer<'_>, right: &Piece, n: usize) -> Option<(Misdone, Piece)> {
    let mut all: Vec<(Misdone, Piece)> = Vec::new();
    inside(writer, right, &mut |misdone, piece| all.push((misdone, piece)));
    // Each kind as often as any other, whatever number of places it has.
    let mut kinds: Vec<Misdone> = all.iter().map(|(m, _)| *m).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let kind = *kinds.get(n % kinds.len().max(1))?;
    let mine: Vec<(Misdone, Piece)> = all.into_iter().filter(|(m, _)| *m == kind).collect();
    mine.get((n / kinds.len()) % mine.len()).cloned()
}

/// All formulas with one mistake in one place.
fn inside(writer: &Writer<'_>, piece: &Piece, push: &mut dyn FnMut(Misdone, Piece)) {
    here(writer, piece, push);
    match piece {
        Piece::Negative(a) => inside(writer, a, &mut |m, p| push(m, Piece::Negative(Box::new(p)))),
        Piece::Binary(op, a, b) => {
            inside(writer, a, &mut |m, p| push(m, Piece::Binary(*op, Box::new(p), b.clone())));
            let power = *op == Operator::Power;
            inside(writer, b, &mut |m, p| {
                let m = if power && m == Misdone::Number { Misdone::Power } else { m };
                push(m, Piece::Binary(*op, a.clone(), Box::new(p)));
            });
        }
        Piece::Call(name, args) => {
            for (n, arg) in args.iter().enumerate() {
                inside(writer, arg, &mut |m, p| {
                    // Both ranges of a line go to the same row.
                    if args.len() == 2 && m == Misdone::RangeShort {
                        return;
                    }
                    let mut args = args.clone();
                    args[n] = p;
                    push(m, Piece::Call(name, args));
                });
            }
        }
        _ => {}
    }
}

fn binary(op: Operator, a: &Piece, b: &Piece) -> Piece {
    Piece::Binary(op, Box::new(a.clone()), Box::new(b.clone()))
}

fn here(writer: &Writer<'_>, piece: &Piece, push: &mut dyn FnMut(Misdone, Piece)) {
    match piece {
        Piece::Number(v) => {
            for other in [2.0, 3.0, 4.0, 1.0].into_iter().filter(|o| o != v && v.fract() == 0.0 && v.abs() < 10.0) {
                push(Misdone::Number, Piece::Number(other));
            }
        }
        Piece::Cell(item, row) => cell(writer, *item, *row, push),
        Piece::Range(item, a, b) if b - a >= 2 => push(Misdone::RangeShort, Piece::Range(*item, *a, b - 1)),
        Piece::Binary(op, a, b) => {
            let converts = matches!(**b, Piece::Factor(_));
            match op {
                Operator::Multiply | Operator::Divide if converts => push(Misdone::UnitGone, (**a).clone()),
                Operator::Multiply => {
                    push(Misdone::FactorGone, (**a).clone());
                    push(Misdone::FactorGone, (**b).clone());
                    push(Misdone::Inverted, binary(Operator::Divide, a, b));
                }
                Operator::Divide => {
                    push(Misdone::FactorGone, (**a).clone());
                    push(Misdone::Inverted, binary(Operator::Multiply, a, b));
                    push(Misdone::Turned, binary(Operator::Divide, b, a));
                }
                Operator::Add if !converts => push(Misdone::Sign, binary(Operator::Subtract, a, b)),
                Operator::Subtract if !converts => {
                    push(Misdone::Sign, binary(Operator::Add, a, b));
                    push(Misdone::Turned, binary(Operator::Subtract, b, a));
                }
                _ => {}
            }
            let rank = |p: &Piece| match p {
                Piece::Binary(Operator::Add | Operator::Subtract, ..) => 1,
                Piece::Binary(Operator::Multiply | Operator::Divide, ..) => 2,
                Piece::Binary(Operator::Power, ..) => 3,
                _ => 9,
            };
            let own = rank(piece);
            if rank(b) < own || (rank(b) == own && *op == Operator::Divide) {
                push(Misdone::Brackets, Piece::Binary(*op, a.clone(), Box::new(Piece::Bare(b.clone()))));
            }
            if rank(a) < own {
                push(Misdone::Brackets, Piece::Binary(*op, Box::new(Piece::Bare(a.clone())), b.clone()));
            }
            push(Misdone::Harmless, Piece::Call("ROUND", vec![piece.clone(), Piece::Number(9.0)]));
        }
        Piece::Call("AVERAGE", args) => push(Misdone::SumForMean, Piece::Call("SUM", args.clone())),
        Piece::Call("STDEV", args) => push(Misdone::Population, Piece::Call("STDEVP", args.clone())),
        Piece::Call("LN", args) => push(Misdone::Logarithm, Piece::Call("LOG", args.clone())),
        Piece::Call("LOG10", args) => push(Misdone::Logarithm, Piece::Call("LN", args.clone())),
        Piece::Call("SQRT", args) => args.iter().for_each(|a| push(Misdone::RootGone, a.clone())),
        Piece::Call("SLOPE", args) => {
            push(Misdone::Turned, Piece::Call("SLOPE", vec![args[1].clone(), args[0].clone()]));
        }
        _ => {}
    }
}

/// Mistakes about one cell: another is read, an old one of one's own, a number is typed in.
fn cell(writer: &Writer<'_>, item: ItemId, row: Option<u32>, push: &mut dyn FnMut(Misdone, Piece)) {
    let protocol = writer.protocol;
    let value = writer.cell(item, row).and_then(|c| number(&c.value));
    let others = ItemId::with(&protocol.items).filter(|(n, it)| {
        let own = matches!(it.kind, ItemKind::Reading(_));
        *n != item
            && own
            && it.words.is_none()
            && it.rows == Shape::Scalar
            && it.unit.dimension == protocol.items[item].unit.dimension
    });
    for (other, _) in others.take(3).filter(|(n, _)| writer.cell(*n, None).is_some()) {
        push(Misdone::OtherCell, Piece::Cell(other, None));
    }
    if let Some(r) = row.filter(|r| *r > 1 && writer.cell(item, Some(r - 1)).is_some()) {
        push(Misdone::OtherCell, Piece::Cell(item, Some(r - 1)));
    }
    let Some(value) = value else { return };
    let own = Address::here(500 + 40 * item.index() as u32 + row.unwrap_or(0), 52).to_string();
    push(Misdone::OldCell, Piece::Own(own, value * 1.1 + 0.37));
    let text = format!("{value}");
    let digits: Vec<char> = text.chars().collect();
    let swap = (1..digits.len()).find(|n| {
        let (a, b) = (digits[n - 1], digits[*n]);
        a != b && a.is_ascii_digit() && b.is_ascii_digit() && !(*n == 1 && b == '0')
    });
    if let Some(n) = swap {
        let mut digits = digits.clone();
        digits.swap(n - 1, n);
        let swapped: String = digits.into_iter().collect();
        if let Some(v) = number(&swapped) {
            push(Misdone::Mistyped, Piece::Number(v));
        }
    }
    if text.chars().filter(char::is_ascii_digit).count() >= 3 {
        push(Misdone::Harmless, Piece::Number(value));
    }
}
