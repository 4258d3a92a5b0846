//! Mistakes at an operator: signs, terms left out, quotients turned over, powers gone wrong.
//!
//! A mistake at an operator is one that a hand makes between two keys: plus for minus, over for
//! times, a side left out, a square forgotten.

use super::pieces::{binary, is_literal, literal_text, number, only, round_item, scaled};
use super::{Maker, Push};
use crate::formula::ItemId;
use crate::formula::ast::Operator;
use crate::formula::{Function, Node, Op};
use crate::protocol::slip::SlipKind;
use crate::protocol::{ReadingKind, Roundness};

/// The two sides of an operator.
///
/// `pa` and `pb` are what the two sides are called in a sentence.
struct Sides<'n> {
    /// The node itself.
    node: &'n Node,
    /// Its left side.
    a: &'n Node,
    /// Its right side.
    b: &'n Node,
    /// What the left side is called.
    pa: String,
    /// What the right side is called.
    pb: String,
}

impl Maker<'_> {
    /// All mistakes at one operator.
    ///
    /// Each operator has mistakes of its own; those inside its sides are made there.
    pub(super) fn operator(&self, node: &Node, op: Operator, a: &Node, b: &Node, push: Push<'_>) {
        let sides = Sides { node, a, b, pa: self.phrase(a), pb: self.phrase(b) };
        match op {
            Operator::Subtract => self.difference(&sides, push),
            Operator::Add => sum(&sides, push),
            Operator::Multiply => self.product(&sides, push),
            Operator::Divide => self.quotient(&sides, push),
            Operator::Power => self.power(&sides, push),
        }
    }

    /// A difference added, turned round, or not taken.
    ///
    /// What is marked as a tare and not taken off leaves the gross for the net.
    fn difference(&self, side: &Sides<'_>, push: Push<'_>) {
        let (a, b, pa, pb) = (side.a, side.b, &side.pa, &side.pb);
        push(
            SlipKind::Sign,
            only(b),
            format!("{pb} was added instead of taken off"),
            binary(side.node, Operator::Add, a.clone(), b.clone()),
        );
        push(
            SlipKind::Sign,
            only(b),
            format!("the difference of {pa} and {pb} was turned round"),
            binary(side.node, Operator::Subtract, b.clone(), a.clone()),
        );
        let items = b.items();
        let tare = !items.is_empty() && items.iter().all(|i| self.protocol.items[*i].tare);
        let kind = if tare { SlipKind::GrossForNet } else { SlipKind::TermOmitted };
        push(kind, only(b), format!("{pb} was not taken off"), a.clone());
    }

    /// A factor left out, or divided by.
    ///
    /// A number of the formula that is left out is told as that, anything else as a part left out.
    fn product(&self, side: &Sides<'_>, push: Push<'_>) {
        let (a, b) = (side.a, side.b);
        if !is_literal(a) || !is_literal(b) {
            for (over, under) in [(a, b), (b, a)] {
                push(
                    SlipKind::Inverted,
                    None,
                    format!("{} was divided by {} instead of multiplied", self.phrase(over), self.phrase(under)),
                    binary(side.node, Operator::Divide, over.clone(), under.clone()),
                );
            }
        }
        for (literal, rest) in [(a, b), (b, a)] {
            if is_literal(literal) {
                push(
                    SlipKind::Literal,
                    None,
                    format!("the {} of the formula was left out", literal_text(literal)),
                    rest.clone(),
                );
            } else if !literal.items().is_empty() {
                push(
                    SlipKind::TermOmitted,
                    only(literal),
                    format!("{} was left out", self.phrase(literal)),
                    rest.clone(),
                );
            }
        }
    }

    /// A quotient turned over, multiplied, or its number left out.
    ///
    /// A divisor that counts is a wrong count where it is left out.
    fn quotient(&self, side: &Sides<'_>, push: Push<'_>) {
        let (a, b, pa, pb) = (side.a, side.b, &side.pa, &side.pb);
        if matches!(a.op, Op::Number(1.0, _)) {
            push(SlipKind::Reciprocal, only(b), format!("the reciprocal of {pb} was forgotten"), b.clone());
        }
        push(
            SlipKind::Inverted,
            None,
            "the quotient was turned upside down".to_owned(),
            binary(side.node, Operator::Divide, b.clone(), a.clone()),
        );
        push(
            SlipKind::Inverted,
            None,
            format!("{pa} and {pb} were multiplied instead of divided"),
            binary(side.node, Operator::Multiply, a.clone(), b.clone()),
        );
        let counts = |i: &ItemId| self.protocol.reading_of(*i).is_some_and(|r| r.kind == ReadingKind::Count);
        let number = matches!(b.op, Op::Call(Function::Count, _)) || only(b).is_some_and(|i| counts(&i));
        if number && !is_literal(b) {
            push(SlipKind::WrongCount, only(b), format!("it was not divided by {pb}"), a.clone());
        }
        if is_literal(b) {
            let (item, round) = round_item(self.protocol, a);
            match (item, round, &b.op) {
                // D/2 with the 2 forgotten is the diameter for the radius: the reader's word for it comes first.
                (Some(_), Some(Roundness::Diameter), Op::Number(v, _)) if *v == 2.0 => {}
                _ => push(
                    SlipKind::Literal,
                    None,
                    format!("the {} of the formula was left out", literal_text(b)),
                    a.clone(),
                ),
            }
        }
    }

    /// A power forgotten, one too many, or taken of a part only.
    ///
    /// Exponents that are not whole are left alone.
    fn power(&self, side: &Sides<'_>, push: Push<'_>) {
        let (a, b, pa) = (side.a, side.b, &side.pa);
        let exponent = match b.op {
            Op::Number(v, _) if v.fract() == 0.0 => v,
            _ => return,
        };
        let raised =
            |n: f64| if n == 1.0 { a.clone() } else { binary(side.node, Operator::Power, a.clone(), number(n)) };
        let word = if exponent == 2.0 {
            "square"
        } else if exponent == 3.0 {
            "cube"
        } else {
            "power"
        };
        if exponent > 1.0 {
            push(SlipKind::Power, only(a), format!("the {word} was forgotten"), raised(1.0));
            push(
                SlipKind::Power,
                only(a),
                format!("the number was multiplied by {exponent} instead of raised to it"),
                scaled(a, exponent),
            );
            push(SlipKind::Power, only(a), format!("one power too many of {pa}"), raised(exponent + 1.0));
        }
        if exponent > 2.0 {
            push(SlipKind::Power, only(a), format!("one power too few of {pa}"), raised(exponent - 1.0));
        }
        // A square taken of one factor inside a quotient only: (D/2)² keyed as D²/2.
        if let Op::Binary(Operator::Divide, inner, divisor) = &a.op {
            push(
                SlipKind::Power,
                only(a),
                format!("only {} was raised, not what it is divided by", self.phrase(inner)),
                binary(
                    side.node,
                    Operator::Divide,
                    binary(side.node, Operator::Power, (**inner).clone(), b.clone()),
                    (**divisor).clone(),
                ),
            );
        }
    }
}

/// A sum taken off, or a part of it left out.
///
/// Each part can be left out by itself.
fn sum(side: &Sides<'_>, push: Push<'_>) {
    let (a, b, pa, pb) = (side.a, side.b, &side.pa, &side.pb);
    push(
        SlipKind::Sign,
        only(b),
        format!("{pb} was taken off instead of added"),
        binary(side.node, Operator::Subtract, a.clone(), b.clone()),
    );
    push(SlipKind::TermOmitted, only(b), format!("{pb} was not added"), a.clone());
    push(SlipKind::TermOmitted, only(a), format!("{pa} was not added"), b.clone());
}
