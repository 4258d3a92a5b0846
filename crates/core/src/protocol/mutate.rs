//! Mistaken forms of a formula, generated from its own tree and never from a list tied to one lab.

use super::slip::{SlipKind, Variant};
use super::{Item, ItemKind, Protocol, Roundness};
use crate::formula::ast::Operator;
use crate::formula::{Function, Node, Op};
use crate::quantity::{Dimension, Nature, confusable_factors};

/// Every single mistake that the tree of result `index` invites.
pub(super) fn variants(protocol: &Protocol, index: usize) -> Vec<Variant> {
    let result = &protocol.results[index];
    let maker = Maker { protocol, root: &result.node };
    // The answer's own unit comes first: of equally likely members the first names the class.
    let answer = confusable_factors(result.node.dimension);
    let mut out: Vec<Variant> = Vec::new();
    out.extend(answer.into_iter().map(|(factor, words)| Variant {
        kind: SlipKind::UnitFactor,
        subject: None,
        says: format!("the answer has the wrong unit ({words})"),
        node: scaled(&result.node, factor),
        scale: 1.0,
    }));
    out.extend(maker.inside(&result.node, true));
    out.extend(maker.swaps());
    out.extend(maker.other_keys());
    out.extend(maker.everywhere());
    // A mistake that leaves the formula as it was is none.
    out.retain(|v| v.node != result.node);
    let item = &protocol.items[result.item];
    out.into_iter()
        .flat_map(|v| {
            let forms = in_units_of_the_sheet(&protocol.items, &v.node, &result.node, item);
            forms.into_iter().map(move |(node, scale)| Variant {
                node: node.unwrap_or_else(|| v.node.clone()),
                scale,
                ..v.clone()
            })
        })
        .collect()
}

/// What a mistaken formula's value in coherent SI units is multiplied by to be a number in the result's unit. A mistake
/// that keeps the dimension is the same in all units. One that changes it (a square forgotten, a quotient upside down)
/// depends on the units the person worked in: those of the answer, or those of the inputs with the right conversion at
/// the end. Both are given where they differ. Where a sum has lost its meaning altogether (metres added to square
/// metres), numbers were added all the same: the tree is given in the numbers of the sheet.
///
/// `right` is the formula as it should be: what the mistake left out was worked in units too.
pub(super) fn in_units_of_the_sheet(
    items: &[Item],
    node: &Node,
    right: &Node,
    item: &Item,
) -> Vec<(Option<Node>, f64)> {
    let unit = &item.unit;
    let whole = 1.0 / unit.factor;
    let of = |tree: &Node, base: usize| tree.items().into_iter().find_map(|i| items[i].unit.scales[base]);
    let of_inputs = |base: usize| of(node, base).or_else(|| of(right, base));
    let inputs: [f64; 7] = std::array::from_fn(|b| of_inputs(b).or(unit.scales[b]).unwrap_or(1.0));
    let answer: [f64; 7] = std::array::from_fn(|b| unit.scales[b].or(of_inputs(b)).unwrap_or(1.0));
    let all: [f64; 7] = std::array::from_fn(|b| unit.scales[b].or(of(right, b)).unwrap_or(1.0));
    let changed = match dimension(node) {
        Some(d) if d == unit.dimension => return vec![(None, whole)],
        Some(d) => d,
        None => {
            // Sines are of angles as the calculator has them.
            let (mut answer, mut inputs) = (answer, inputs);
            (answer[6], inputs[6]) = (1.0, 1.0);
            let (answer, inputs) = (answer, inputs);
            let form = |base: &[f64; 7]| (Some(in_numbers(items, node, base)), whole * unit.dimension.in_scales(base));
            return if answer == inputs { vec![form(&answer)] } else { vec![form(&answer), form(&inputs)] };
        }
    };
    let mut out: Vec<(Option<Node>, f64)> = Vec::new();
    for base in [&answer, &inputs, &all] {
        let scale = whole * unit.dimension.in_scales(base) / changed.in_scales(base);
        if out.iter().all(|(_, s)| (scale / s - 1.0).abs() > 1e-9) {
            out.push((None, scale));
        }
    }
    out
}

/// The tree with every quantity as the number it is in a system with these scales.
fn in_numbers(items: &[Item], node: &Node, base: &[f64; 7]) -> Node {
    match &node.op {
        Op::Item(i) => {
            let scale = items[*i].unit.dimension.in_scales(base);
            if items[*i].nature == Nature::Point || (scale - 1.0).abs() < 1e-12 {
                node.clone()
            } else {
                scaled(node, 1.0 / scale)
            }
        }
        Op::Number(v, text) if !node.dimension.is_one() => {
            Node { op: Op::Number(v / node.dimension.in_scales(base), text.clone()), ..node.clone() }
        }
        // An exponent or a condition is as it was.
        Op::Compare(..) | Op::Is(..) => node.clone(),
        _ => node.with_children(node.children().into_iter().map(|c| in_numbers(items, c, base)).collect()),
    }
}

struct Maker<'a> {
    protocol: &'a Protocol,
    root: &'a Node,
}

/// An angle's number taken in the other unit, with what to say of it.
const ANGLES: [(f64, &str); 2] = [
    (180.0 / std::f64::consts::PI, "as degrees where radians were meant"),
    (std::f64::consts::PI / 180.0, "as radians where degrees were meant"),
];

fn number(value: f64) -> Node {
    Node::made(Op::Number(value, format!("{value}")), Dimension::ONE)
}

fn binary(like: &Node, op: Operator, a: Node, b: Node) -> Node {
    Node { op: Op::Binary(op, Box::new(a), Box::new(b)), ..like.clone() }
}

fn scaled(node: &Node, factor: f64) -> Node {
    binary(node, Operator::Multiply, node.clone(), number(factor))
}

/// Whether a subtree is π or a plain number, however written.
fn is_literal(node: &Node) -> bool {
    matches!(node.op, Op::Number(..) | Op::Pi)
}

fn literal_text(node: &Node) -> String {
    match &node.op {
        Op::Number(_, text) => text.clone(),
        _ => "π".to_owned(),
    }
}

/// The dimension of a mistaken tree; `None` where a sum has lost its meaning.
fn dimension(node: &Node) -> Option<Dimension> {
    match &node.op {
        Op::Number(..) | Op::Pi | Op::Item(_) | Op::Is(..) | Op::Compare(..) => Some(node.dimension),
        Op::Negative(a) => dimension(a),
        Op::Binary(op, a, b) => {
            let (da, db) = (dimension(a)?, dimension(b)?);
            match op {
                Operator::Add | Operator::Subtract => (da == db).then_some(da),
                Operator::Multiply => Some(da.times(db)),
                Operator::Divide => Some(da.over(db)),
                Operator::Power => match b.op {
                    Op::Number(n, _) if n.fract() == 0.0 => Some(da.power(n as i8)),
                    _ => Some(da),
                },
            }
        }
        Op::Call(Function::Sqrt, args) => args.first().and_then(dimension)?.root(),
        Op::Call(Function::Slope | Function::SlopeOrigin | Function::SlopeEnds, args) => {
            Some(dimension(args.get(1)?)?.over(dimension(args.first()?)?))
        }
        Op::Call(f, args)
            if node.dimension == args[0].dimension && !matches!(f, Function::Count) && args.len() == 1 =>
        {
            args.first().and_then(dimension)
        }
        Op::Call(..) => Some(node.dimension),
    }
}

impl Maker<'_> {
    fn title(&self, item: usize) -> &str {
        &self.protocol.items[item].title
    }

    fn phrase(&self, node: &Node) -> String {
        let items = node.items();
        match items[..] {
            [] => literal_text(node),
            [one] => format!("the {}", self.title(one)),
            [one, two] => format!("the {} and the {}", self.title(one), self.title(two)),
            [one, ..] => format!("the part with the {}", self.title(one)),
        }
    }

    /// All trees in which exactly one place of `node` is mistaken. `head` is false inside a sum whose unit has
    /// already been mistaken as a whole.
    fn inside(&self, node: &Node, head: bool) -> Vec<Variant> {
        let mut out = self.here(node, head);
        let lift = |out: &mut Vec<Variant>, children: Vec<Variant>, rebuild: &dyn Fn(Node) -> Node| {
            out.extend(children.into_iter().map(|v| Variant { node: rebuild(v.node.clone()), ..v }));
        };
        let children = node.children();
        for (i, child) in children.iter().enumerate() {
            let head = match &node.op {
                Op::Negative(_) => head,
                // An exponent is no place for these mistakes, nor is a condition.
                Op::Binary(Operator::Power, ..) if i == 1 => continue,
                Op::Compare(..) => continue,
                Op::Binary(Operator::Add | Operator::Subtract, ..) => false,
                Op::Call(Function::Mean, _) => false,
                _ => true,
            };
            if child.truth {
                continue;
            }
            lift(&mut out, self.inside(child, head), &|n| {
                node.with_children(
                    children.iter().enumerate().map(|(j, c)| if i == j { n.clone() } else { (*c).clone() }).collect(),
                )
            });
        }
        out
    }

    fn here(&self, node: &Node, head: bool) -> Vec<Variant> {
        let mut out = Vec::new();
        let mut push =
            |kind, subject, says: String, node: Node| out.push(Variant { kind, subject, says, node, scale: 1.0 });
        if head && !node.dimension.is_one() && node != self.root {
            self.unit_factors(node, &mut push);
        }
        match &node.op {
            Op::Item(i) => self.leaf(node, *i, &mut push),
            Op::Negative(a) => push(SlipKind::Sign, only(a), "the sign was left out".to_owned(), (**a).clone()),
            Op::Binary(op, a, b) => self.operator(node, *op, a, b, &mut push),
            Op::Call(function, args) => self.function(node, *function, args, &mut push),
            _ => {}
        }
        out
    }

    /// A unit of one input taken for another. A sum of like readings is converted as a whole, as a person does it.
    fn unit_factors(&self, node: &Node, push: &mut dyn FnMut(SlipKind, Option<usize>, String, Node)) {
        let linear = matches!(
            node.op,
            Op::Item(_) | Op::Binary(Operator::Add | Operator::Subtract, ..) | Op::Call(Function::Mean, _)
        );
        if !linear {
            return;
        }
        let subject = node.items().first().copied();
        for (factor, words) in confusable_factors(node.dimension) {
            if (0.9e-3..1.1e3).contains(&factor) {
                push(
                    SlipKind::UnitFactor,
                    subject,
                    format!("{} went in with the wrong unit ({words})", self.phrase(node)),
                    scaled(node, factor),
                );
            }
        }
    }

    fn leaf(&self, node: &Node, item: usize, push: &mut dyn FnMut(SlipKind, Option<usize>, String, Node)) {
        let it = &self.protocol.items[item];
        match it.shape {
            Some(Roundness::Diameter) => {
                push(
                    SlipKind::RadiusDiameter,
                    Some(item),
                    format!("the {} was used as the radius", it.title),
                    scaled(node, 2.0),
                );
                push(
                    SlipKind::RadiusDiameter,
                    Some(item),
                    format!("the {} was halved twice", it.title),
                    scaled(node, 0.5),
                );
            }
            Some(Roundness::Radius) => {
                push(
                    SlipKind::RadiusDiameter,
                    Some(item),
                    format!("the {} was used as the diameter", it.title),
                    scaled(node, 0.5),
                );
                push(SlipKind::RadiusDiameter, Some(item), format!("the {} was doubled", it.title), scaled(node, 2.0));
            }
            None => {}
        }
    }

    fn operator(
        &self,
        node: &Node,
        op: Operator,
        a: &Node,
        b: &Node,
        push: &mut dyn FnMut(SlipKind, Option<usize>, String, Node),
    ) {
        let (pa, pb) = (self.phrase(a), self.phrase(b));
        match op {
            Operator::Subtract => {
                push(
                    SlipKind::Sign,
                    only(b),
                    format!("{pb} was added instead of taken off"),
                    binary(node, Operator::Add, a.clone(), b.clone()),
                );
                push(
                    SlipKind::Sign,
                    only(b),
                    format!("the difference of {pa} and {pb} was turned round"),
                    binary(node, op, b.clone(), a.clone()),
                );
                let items = b.items();
                let tare = !items.is_empty() && items.iter().all(|i| self.protocol.items[*i].tare);
                let kind = if tare { SlipKind::GrossForNet } else { SlipKind::TermOmitted };
                push(kind, only(b), format!("{pb} was not taken off"), a.clone());
            }
            Operator::Add => {
                push(
                    SlipKind::Sign,
                    only(b),
                    format!("{pb} was taken off instead of added"),
                    binary(node, Operator::Subtract, a.clone(), b.clone()),
                );
                push(SlipKind::TermOmitted, only(b), format!("{pb} was not added"), a.clone());
                push(SlipKind::TermOmitted, only(a), format!("{pa} was not added"), b.clone());
            }
            Operator::Multiply => {
                for (literal, rest) in [(a, b), (b, a)] {
                    if is_literal(literal) {
                        push(
                            SlipKind::Literal,
                            None,
                            format!("the {} of the formula was left out", literal_text(literal)),
                            rest.clone(),
                        );
                    } else if !is_literal(rest) && !rest.items().is_empty() {
                        push(
                            SlipKind::TermOmitted,
                            only(literal),
                            format!("{} was left out", self.phrase(literal)),
                            rest.clone(),
                        );
                    }
                }
            }
            Operator::Divide => {
                if matches!(a.op, Op::Number(1.0, _)) {
                    push(SlipKind::Reciprocal, only(b), format!("the reciprocal of {pb} was forgotten"), b.clone());
                }
                push(
                    SlipKind::Inverted,
                    None,
                    "the quotient was turned upside down".to_owned(),
                    binary(node, op, b.clone(), a.clone()),
                );
                push(
                    SlipKind::Inverted,
                    None,
                    format!("{pa} and {pb} were multiplied instead of divided"),
                    binary(node, Operator::Multiply, a.clone(), b.clone()),
                );
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
            Operator::Power => {
                let exponent = match b.op {
                    Op::Number(v, _) if v.fract() == 0.0 => v,
                    _ => return,
                };
                let raised = |n: f64| if n == 1.0 { a.clone() } else { binary(node, op, a.clone(), number(n)) };
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
                            node,
                            Operator::Divide,
                            binary(node, op, (**inner).clone(), b.clone()),
                            (**divisor).clone(),
                        ),
                    );
                }
            }
        }
    }

    fn function(
        &self,
        node: &Node,
        function: Function,
        args: &[Node],
        push: &mut dyn FnMut(SlipKind, Option<usize>, String, Node),
    ) {
        let Some(arg) = args.first() else { return };
        let subject = only(arg);
        let call = |f: Function| Node { op: Op::Call(f, args.to_vec()), ..node.clone() };
        let phrase = self.phrase(arg);
        match function {
            Function::Mean => {
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
            Function::Slope | Function::SlopeOrigin if args.len() >= 2 => {
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

    /// An item that stands in several places left out, or its sign turned, in all of them: the zero reading never
    /// taken off, or added throughout.
    fn everywhere(&self) -> Vec<Variant> {
        let mut out = Vec::new();
        for item in self.root.items().into_iter().filter(|i| occurrences(self.root, *i) > 1) {
            let title = self.title(item);
            let like = |op| Node::made(op, self.protocol.items[item].unit.dimension);
            let itself = like(Op::Item(item));
            let gone = replace(self.root, item, &like(Op::Number(0.0, "0".to_owned())));
            let turned = replace(self.root, item, &like(Op::Negative(Box::new(itself))));
            out.push(Variant {
                kind: SlipKind::TermOmitted,
                subject: Some(item),
                says: format!("the {title} was left out throughout"),
                node: gone,
                scale: 1.0,
            });
            out.push(Variant {
                kind: SlipKind::Sign,
                subject: Some(item),
                says: format!("the {title} went in with the wrong sign throughout"),
                node: turned,
                scale: 1.0,
            });
        }
        out
    }

    /// Another station's value, wherever the reference stands.
    fn other_keys(&self) -> Vec<Variant> {
        let mut out = Vec::new();
        for item in self.root.items() {
            let ItemKind::Reference(r) = self.protocol.items[item].kind else { continue };
            let reference = &self.protocol.references[r];
            let key = reference.key.map_or("key", |k| self.protocol.keys[k].title.as_str()).to_lowercase();
            for entry in reference.entries.iter().filter(|e| !e.at.is_empty()) {
                let dimension = self.protocol.items[item].unit.dimension;
                let value = Node::made(Op::Number(entry.middle(), String::new()), dimension);
                let says = format!("the {} of {key} {} was used", self.title(item), entry.at);
                out.push(Variant {
                    kind: SlipKind::OtherStation,
                    subject: Some(item),
                    says,
                    node: replace(self.root, item, &value),
                    scale: 1.0,
                });
            }
        }
        out
    }

    /// Two items of one dimension taken for each other, throughout the formula.
    fn swaps(&self) -> Vec<Variant> {
        let items = self.root.items();
        let mut out = Vec::new();
        for (n, a) in items.iter().enumerate() {
            for b in &items[n + 1..] {
                let (ia, ib) = (&self.protocol.items[*a], &self.protocol.items[*b]);
                let alike = self.protocol.rows_of(*a) == self.protocol.rows_of(*b);
                if ia.unit.dimension == ib.unit.dimension && alike {
                    let node = swap(self.root, *a, *b);
                    out.push(Variant {
                        kind: SlipKind::Swapped,
                        subject: Some(*a),
                        says: format!("the {} and the {} were taken for each other", ia.title, ib.title),
                        node,
                        scale: 1.0,
                    });
                }
            }
        }
        out
    }
}

fn only(node: &Node) -> Option<usize> {
    match node.items()[..] {
        [one] => Some(one),
        _ => None,
    }
}

fn round_item(protocol: &Protocol, node: &Node) -> (Option<usize>, Option<Roundness>) {
    let item = only(node);
    (item, item.and_then(|i| protocol.items[i].shape))
}

fn occurrences(node: &Node, item: usize) -> usize {
    usize::from(node.op == Op::Item(item)) + node.children().into_iter().map(|c| occurrences(c, item)).sum::<usize>()
}

/// The tree with every item put through `by`.
fn renamed(node: &Node, by: &dyn Fn(usize) -> Option<Op>) -> Node {
    if let Op::Item(i) = node.op {
        return Node { op: by(i).unwrap_or(Op::Item(i)), ..node.clone() };
    }
    node.with_children(node.children().into_iter().map(|c| renamed(c, by)).collect())
}

fn replace(node: &Node, item: usize, by: &Node) -> Node {
    renamed(node, &|i| (i == item).then(|| by.op.clone()))
}

fn swap(node: &Node, a: usize, b: usize) -> Node {
    renamed(node, &|i| match i {
        i if i == a => Some(Op::Item(b)),
        i if i == b => Some(Op::Item(a)),
        _ => None,
    })
}
