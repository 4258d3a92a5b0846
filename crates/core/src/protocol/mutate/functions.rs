//! Mistakes at a call: means over the wrong count, the other logarithm, the other angle, lines
//! fitted otherwise.
//!
//! A call is got wrong by taking the function next to it on the calculator, by the unit of an
//! angle, or by what the function is given. Each such mistake is one tree.

use super::pieces::{binary, number, only, scaled};
use super::{Maker, Push};
use crate::formula::ast::Operator;
use crate::formula::{Function, Node, Op};
use crate::protocol::slip::SlipKind;
use crate::quantity::Dimension;

/// An angle's number taken in the other unit, with what to say of it.
///
/// A calculator is set to one of the two.
const ANGLES: [(f64, &str); 2] = [
    (180.0 / std::f64::consts::PI, "as degrees where radians were meant"),
    (std::f64::consts::PI / 180.0, "as radians where degrees were meant"),
];

impl Maker<'_> {
    /// All mistakes at one call.
    ///
    /// Functions that nobody confuses have none.
    pub(super) fn function(&self, node: &Node, function: Function, args: &[Node], push: Push<'_>) {
        let Some(arg) = args.first() else { return };
        let subject = only(arg);
        let call = |f: Function| Node { op: Op::Call(f, args.to_vec()), ..node.clone() };
        let phrase = self.phrase(arg);
        match function {
            Function::Mean => mean(node, arg, &phrase, push),
            Function::Ln => push(
                SlipKind::LogBase,
                subject,
                "the common logarithm was taken for the natural one".to_owned(),
                call(Function::Log10),
            ),
            Function::Log10 => push(
                SlipKind::LogBase,
                subject,
                "the natural logarithm was taken for the common one".to_owned(),
                call(Function::Ln),
            ),
            Function::Sin | Function::Cos | Function::Tan => {
                for (factor, says) in ANGLES {
                    let mut args = args.to_vec();
                    args[0] = scaled(arg, factor);
                    let node = Node { op: Op::Call(function, args), ..node.clone() };
                    push(SlipKind::AngleUnit, subject, format!("{phrase} went in {says}"), node);
                }
            }
            Function::Asin | Function::Acos | Function::Atan | Function::Atan2 => {
                for (factor, says) in ANGLES {
                    push(SlipKind::AngleUnit, subject, format!("the angle came out {says}"), scaled(node, factor));
                }
            }
            Function::Slope | Function::SlopeOrigin if args.len() >= 2 => slope(node, function, args, push),
            Function::Sqrt => push(SlipKind::Root, subject, "the square root was forgotten".to_owned(), arg.clone()),
            Function::Abs => push(
                SlipKind::Sign,
                None,
                "the sign was kept where only the size was asked for".to_owned(),
                arg.clone(),
            ),
            _ => {}
        }
    }
}

/// A mean over the wrong count, a sum, or one reading in place of it.
///
/// Five ways to get a mean wrong; the rows left out are another kind.
fn mean(node: &Node, arg: &Node, phrase: &str, push: Push<'_>) {
    let subject = only(arg);
    let call = |f: Function| Node { op: Op::Call(f, vec![arg.clone()]), ..node.clone() };
    push(
        SlipKind::WrongCount,
        subject,
        format!("the sum of {phrase} was divided by one too few"),
        call(Function::MeanOver(-1)),
    );
    push(
        SlipKind::WrongCount,
        subject,
        format!("the sum of {phrase} was divided by one too many"),
        call(Function::MeanOver(1)),
    );
    push(
        SlipKind::SumForMean,
        subject,
        format!("{phrase} was summed and not divided by the count"),
        call(Function::Sum),
    );
    push(
        SlipKind::SingleReplicate,
        subject,
        format!("only the first reading of {phrase} was used"),
        call(Function::First),
    );
    push(
        SlipKind::SingleReplicate,
        subject,
        format!("only the last reading of {phrase} was used"),
        call(Function::Last),
    );
}

/// A line with its axes exchanged, from two points, or with the other intercept.
///
/// The slope turned over differs from the slope of the turned axes where points scatter.
fn slope(node: &Node, function: Function, args: &[Node], push: Push<'_>) {
    let of = |f: Function, args: Vec<Node>| Node { op: Op::Call(f, args), ..node.clone() };
    let mut turned = args.to_vec();
    turned.swap(0, 1);
    let dimension = Dimension::ONE.over(node.dimension);
    let over = Node { dimension, ..of(function, turned) };
    push(SlipKind::SlopeInverted, None, "the axes of the graph were taken for each other".to_owned(), over);
    let one = number(1.0);
    let inverse = Node { dimension, ..binary(node, Operator::Divide, one, node.clone()) };
    push(SlipKind::SlopeInverted, None, "the slope was turned over".to_owned(), inverse);
    push(
        SlipKind::TwoPointSlope,
        None,
        "the slope was taken from the first and the last point only".to_owned(),
        of(Function::SlopeEnds, args[..2].to_vec()),
    );
    let (other, says) = if function == Function::Slope {
        (Function::SlopeOrigin, "the line was forced through the origin")
    } else {
        (Function::Slope, "the line was not held to the origin")
    };
    push(SlipKind::Intercept, None, says.to_owned(), of(other, args.to_vec()));
}
