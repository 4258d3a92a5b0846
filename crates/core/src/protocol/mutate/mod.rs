//! Mistaken forms of a formula, generated from its own tree and never from a list tied to one lab.
//!
//! | mistake | from | gives |
//! |---|---|---|
//! | unit | m/V | 10·m/V, m/V/1000, for units people confuse |
//! | diameter and radius | π·(d/2)²·h | π·d²·h |
//! | left out | m/(l·w·t) | m/(l·w) |
//! | power | r³ | r², 3·r, r⁴ |
//! | quotient | m/V | V/m, m·V |
//! | sign | a − b | a + b, b − a |
//! | mean | mean(x) | Σx/(n − 1), Σx, x₁ |
//! | swapped | l·w | w·l is none; l/w gives w/l |
//! | another station | ρ of R1 | ρ of R2 |
//!
//! A formula of ten pieces has some sixty mistaken forms. Each is one mistake: of two at once
//! nothing is said, since sixty times sixty forms would fit anything.

mod functions;
mod operators;
mod pieces;

use crate::formula::ItemId;
use crate::protocol::ResultId;
use pieces::{literal_text, occurrences, only, replace, scaled, swap};

use super::slip::{SlipKind, Variant};
use super::{Item, ItemKind, Protocol, Roundness};
use crate::formula::ast::Operator;
use crate::formula::{Function, Node, Op};
use crate::quantity::{Dimension, Nature, confusable_factors};

/// Every single mistake that the tree of a result invites.
///
/// A form that is the formula itself is none; two forms that give the same value stay, since they
/// are told with different words and share their chance.
pub(super) fn variants(protocol: &Protocol, id: ResultId) -> Vec<Variant> {
    let result = &protocol.results[id];
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
    out.push(Variant {
        kind: SlipKind::Sign,
        subject: None,
        says: "the sign of the answer was lost".to_owned(),
        node: scaled(&result.node, -1.0),
        scale: 1.0,
    });
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

/// What a mistaken formula's value in coherent SI units is multiplied by to be a number in the
/// result's unit. A mistake that keeps the dimension is the same in all units. One that changes it
/// (a square forgotten, a quotient upside down) depends on the units the person worked in: those of
/// the answer, or those of the inputs with the right conversion at the end. Both are given where
/// they differ. Where a sum has lost its meaning altogether (metres added to square metres),
/// numbers were added all the same: the tree is given in the numbers of the sheet.
///
/// `right` is the formula as it should be: what the mistake left out was worked in units too.
///
/// Each entry is a tree, where the form itself will not do, and what its value is multiplied by.
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
            let plain = |base: [f64; 7]| -> [f64; 7] { std::array::from_fn(|b| if b == 6 { 1.0 } else { base[b] }) };
            let form = |base: &[f64; 7]| (Some(in_numbers(items, node, base)), whole * unit.dimension.in_scales(base));
            let (answer, inputs) = (plain(answer), plain(inputs));
            return if answer == inputs { vec![form(&answer)] } else { vec![form(&answer), form(&inputs)] };
        }
    };
    let mut out: Vec<(Option<Node>, f64)> = Vec::new();
    for base in [&answer, &inputs, &all, &[1.0; 7]] {
        let scale = whole * unit.dimension.in_scales(base) / changed.in_scales(base);
        if out.iter().all(|(_, s)| (scale / s - 1.0).abs() > 1e-9) {
            out.push((None, scale));
        }
    }
    out
}

/// The tree with every quantity as the number it is in a system with these scales.
///
/// `base` are the scales of the seven base dimensions. Celsius points stay, since they have no
/// scale.
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
        _ => node.with_children(node.children().map(|c| in_numbers(items, c, base)).collect()),
    }
}

/// Takes down one mistake: kind, item it is about, what happened as a clause, the mistaken tree.
///
/// It is called once for each mistake, in the order in which they are told.
type Push<'p> = &'p mut dyn FnMut(SlipKind, Option<ItemId>, String, Node);

/// `root` is the formula as it should be.
struct Maker<'a> {
    /// Gives the items and their dimensions, from which mistaken forms are made.
    protocol: &'a Protocol,
    /// The whole formula.
    root: &'a Node,
}

/// The dimension of a mistaken tree; `None` where a sum has lost its meaning.
///
/// A power that is not whole keeps the dimension of its base: such exponents stand over pure
/// numbers.
fn dimension(node: &Node) -> Option<Dimension> {
    match &node.op {
        Op::Number(..) | Op::Pi | Op::Item(_) | Op::Parameter(..) | Op::Is(..) | Op::Compare(..) => {
            Some(node.dimension)
        }
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
    /// Title of an item.
    ///
    /// As it stands on the sheet.
    fn title(&self, item: ItemId) -> &str {
        &self.protocol.items[item].title
    }

    /// What a part of the formula is called in a sentence: its number, its one or two items, or
    /// "the part with" its first.
    ///
    /// It begins with an article, for the middle of a sentence.
    fn phrase(&self, node: &Node) -> String {
        let items = node.items();
        match items[..] {
            [] => literal_text(node),
            [one] => format!("the {}", self.title(one)),
            [one, two] => format!("the {} and the {}", self.title(one), self.title(two)),
            [one, ..] => format!("the part with the {}", self.title(one)),
        }
    }

    /// All trees in which exactly one place of `node` is mistaken. `head` is false inside a sum
    /// whose unit has already been mistaken as a whole.
    ///
    /// Pieces of a sum are not given another unit one by one: who adds lengths converts all of them
    /// or none.
    fn inside(&self, node: &Node, head: bool) -> Vec<Variant> {
        let mut out = self.here(node, head);
        let lift = |out: &mut Vec<Variant>, children: Vec<Variant>, rebuild: &dyn Fn(Node) -> Node| {
            out.extend(children.into_iter().map(|v| Variant { node: rebuild(v.node.clone()), ..v }));
        };
        let children: Vec<&Node> = node.children().collect();
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

    /// The mistakes that this node itself invites; those inside it are not among them. `head` is
    /// where a whole factor may be in another unit.
    ///
    /// At the root itself the unit is that of the answer, and is told as that.
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

    /// A unit of one input taken for another. A sum of like readings is converted as a whole, as a
    /// person does it.
    ///
    /// Factors beyond a thousand are no confusion of units on one sheet.
    fn unit_factors(&self, node: &Node, push: Push<'_>) {
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

    /// A diameter taken for a radius and a radius for a diameter, with the half or double that
    /// comes of it.
    ///
    /// Only items that the lab says are round.
    fn leaf(&self, node: &Node, item: ItemId, push: Push<'_>) {
        let it = &self.protocol.items[item];
        let mistakes = match it.shape {
            Some(Roundness::Diameter) => [("was used as the radius", 2.0), ("was halved twice", 0.5)],
            Some(Roundness::Radius) => [("was used as the diameter", 0.5), ("was doubled", 2.0)],
            None => return,
        };
        for (what, factor) in mistakes {
            let says = format!("the {} {what}", it.title);
            push(SlipKind::RadiusDiameter, Some(item), says, scaled(node, factor));
        }
    }

    /// An item that stands in several places left out, or its sign turned, in all of them: the zero
    /// reading never taken off, or added throughout.
    ///
    /// An item that stands once is left out by the mistakes at its place.
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
    ///
    /// Entries without a key have no other station.
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
    ///
    /// Only items with as many rows as each other: a column is not taken for a single value.
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
