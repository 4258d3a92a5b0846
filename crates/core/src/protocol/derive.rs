//! Results of the file: their order, formulas, right words, schools and declared slips.
//!
//! Results may stand in the file in any order. They are derived in one in which each comes after
//! what it uses; the file's own order is kept where it already is one, so that a sheet reads as its
//! author wrote it.
//!
//! A result, and a mistake that the lab invites, as the file has them:
//!
//! ```toml
//! [[result]]
//! id = "density"
//! title = "density of the plate"
//! symbol = "ρ"
//! bay = "plate"
//! unit = "g/cm^3"
//! formula = "plate_mass / plate_volume"
//! points = "2"
//! plus_minus = true
//!
//! [[slip]]
//! id = "pile-for-plate"
//! result = "density"
//! formula = "plate_mass / pile_volume"
//! says = "the volume of the whole pile was taken for one plate"
//! share = "0.5"
//! ```

use crate::formula::ItemId;
use crate::protocol::{ResultId, TableId};
use rust_decimal::Decimal;

use super::apparatus::blank;
use super::compile::collect_names;
use super::loading::{Loader, Names};
use super::mutate::in_units_of_the_sheet;
use super::source::{self, Text};
use super::{Item, ItemKind, ResultSpec, Right, SlipKind, TableSpec, Variant};
use crate::formula::{self, Node, Op, Shape};
use crate::quantity::{Dimension, Nature, Unit};

/// Whether a formula takes several rows together.
///
/// A result that takes its own row alone is judged row by row; one that takes several, as a whole.
pub(super) fn mixes_rows(node: &Node) -> bool {
    node.any(&|n| matches!(n.op, Op::Call(f, _) if f.mixes_rows()))
}

/// Whether a formula holds an end point, which brings an uncertainty of its own.
pub(super) fn seeks_end_point(node: &Node) -> bool {
    use formula::Function::{Equivalence, EquivalenceTangents};
    node.any(&|n| matches!(n.op, Op::Call(Equivalence | EquivalenceTangents, _)))
}

impl Loader<'_> {
    /// Indices of the results so that each comes after what it uses; the file's order where that
    /// already holds.
    ///
    /// A circle is a fault that names all of its members.
    fn results_order(&mut self, results: &[source::ResultSpec]) -> Vec<usize> {
        let names: Vec<&str> = results.iter().map(|r| r.id.get_ref().as_str()).collect();
        let uses: Vec<Vec<usize>> = results
            .iter()
            .map(|r| {
                let mut words = Vec::new();
                let conditions = r.right.iter().filter_map(|r| r.condition.as_ref());
                for text in r.formula.iter().chain(&r.uncertainty).chain(conditions) {
                    if let Ok(ast) = formula::parse(text.get_ref()) {
                        collect_names(&ast, &mut words);
                    }
                }
                words.iter().filter_map(|w| names.iter().position(|n| n == w)).collect()
            })
            .collect();
        let mut order: Vec<usize> = Vec::new();
        let mut placed = vec![false; results.len()];
        while order.len() < results.len() {
            let next = (0..results.len()).find(|i| !placed[*i] && uses[*i].iter().all(|u| placed[*u]));
            match next {
                Some(i) => {
                    placed[i] = true;
                    order.push(i);
                }
                None => {
                    let stuck: Vec<usize> = (0..results.len()).filter(|i| !placed[*i]).collect();
                    let first = &results[stuck[0]];
                    let at = first.formula.as_ref().unwrap_or(&first.id).span().start;
                    let ring: Vec<&str> = stuck.iter().map(|i| names[*i]).collect();
                    self.fault(
                        at,
                        format!("the results {} need one another in a circle", ring.join(", ")),
                        "derive one of them from readings alone",
                    );
                    order.extend(stuck);
                }
            }
        }
        order
    }

    /// The results of the file in the order they are derived, with their formulas checked. A hidden
    /// one is kept for those that name it and is no result.
    pub(super) fn results(
        &mut self,
        results: &[source::ResultSpec],
        names: &Names,
        tables: &[TableSpec],
    ) -> Vec<ResultSpec> {
        let order = self.results_order(results);
        let first = self.items.len();
        let tables_of = self.result_items(results, &order, names);
        order
            .iter()
            .enumerate()
            .filter_map(|(n, i)| {
                let r = &results[*i];
                let item = ItemId::at(first + n);
                let bay = self.bay_of(r.bay.as_ref(), tables_of[n], tables, names, r.id.span().start, r.id.get_ref());
                let node = self.result_formula(r, item);
                if r.hidden {
                    self.hide(r, item, node);
                    return None;
                }
                let uncertainty = r.uncertainty.as_ref().and_then(|u| self.own_uncertainty(u, item));
                let upstream =
                    node.items().into_iter().filter(|i| matches!(self.items[*i].kind, ItemKind::Result(_))).collect();
                Some(ResultSpec {
                    item,
                    bay,
                    table: tables_of[n].map(TableId::at),
                    text: r.formula.as_ref().map_or_else(String::new, |f| f.get_ref().clone()),
                    right: Vec::new(),
                    upstream,
                    points: r.points.get_ref().0,
                    plus_minus: r.plus_minus,
                    uncertainty_text: r.uncertainty.as_ref().map_or_else(String::new, |u| u.get_ref().clone()),
                    uncertainty,
                    digits: r.digits.unwrap_or(true),
                    optional: r.optional,
                    guess: r.guess,
                    by_eye: r.by_eye.unwrap_or(true),
                    read_off: r.read_off.as_ref().map(|t| self.positive(t, "the tolerance of a value read off")),
                    rejection: self.rejection(r.rejection.as_ref()),
                    averaged: false,
                    variants: Vec::new(),
                    row_local: !mixes_rows(&node),
                    end_point: seeks_end_point(&node),
                    node,
                })
            })
            .collect()
    }

    /// Items of all results, before any formula is read, so that a misspelt name is told from a
    /// later one. Gives the table of each.
    ///
    /// `order` is that of derivation, and numbers go by it.
    fn result_items(&mut self, results: &[source::ResultSpec], order: &[usize], names: &Names) -> Vec<Option<usize>> {
        let mut tables_of = Vec::new();
        let mut shown = 0;
        for i in order {
            let r = &results[*i];
            let unit = r.unit.as_ref().map_or_else(Unit::one, |u| self.unit(u));
            let nature = self.nature(&unit, r.pressure.as_ref());
            let table = r.table.as_ref().map(|t| self.find(t, &names.tables, "table"));
            tables_of.push(table);
            let kind = if r.hidden { ItemKind::Hidden } else { ItemKind::Result(ResultId::at(shown)) };
            shown += usize::from(!r.hidden);
            let item = Item {
                nature,
                rows: table.map_or(Shape::Scalar, |t| Shape::Column(t as u16)),
                words: r.words.as_ref().map(|w| w.get_ref().clone()),
                shape: self.roundness(r.shape.as_ref()),
                ..blank(r.id.get_ref(), &r.title, &r.symbol, unit, kind)
            };
            self.add_item(item, r.id.span().start);
        }
        tables_of
    }

    /// The formula of a result; a nought, with a fault, where it has none or must not have one.
    fn result_formula(&mut self, r: &source::ResultSpec, item: ItemId) -> Node {
        let placeholder = Node::made(Op::Number(0.0, "0".to_owned()), Dimension::ONE);
        let at = r.id.span().start;
        let id = r.id.get_ref();
        let Some(text) = &r.formula else {
            if r.words.is_none() {
                let what = format!("the result `{id}` has no formula");
                self.fault(at, what, "add formula = \"…\", or words = […] for a word");
            }
            return placeholder;
        };
        if r.words.is_some() {
            let what = format!("the word `{id}` has a formula");
            self.fault(text.span().start, what, "say what is right with [[result.right]]");
            return placeholder;
        }
        let Some(node) = self.formula(text, id) else { return placeholder };
        self.fits(&node, item, text, r.unit.as_ref());
        // A result said in °C of a difference is an interval, not a point.
        if node.nature != Nature::Point && self.items[item].nature == Nature::Point {
            self.items[item].nature = Nature::Plain;
        }
        node
    }

    /// Keeps the formula of a hidden result for those that name it.
    ///
    /// What is never asked for earns nothing and has no ±.
    fn hide(&mut self, r: &source::ResultSpec, item: ItemId, node: Node) {
        let (at, id) = (r.id.span().start, r.id.get_ref());
        if !r.points.get_ref().0.is_zero() || r.plus_minus || r.words.is_some() {
            self.fault(
                at,
                format!("`{id}` is hidden: it is never asked for, and can earn nothing"),
                "write points = \"0\" and neither plus_minus nor words, or take `hidden` out",
            );
        }
        if !r.schools.is_empty() {
            self.fault(at, format!("`{id}` is hidden, and has schools"), "give the schools to the results that use it");
        }
        self.hidden.insert(item, node);
        let text = r.formula.as_ref().map_or_else(String::new, |f| f.get_ref().clone());
        self.hidden_texts.push((id.clone(), text));
    }

    /// The formula of a result's own standard uncertainty: of its dimension, and with its rows or
    /// one value.
    ///
    /// It gives one standard uncertainty, in the unit of the result.
    fn own_uncertainty(&mut self, text: &Text, item: ItemId) -> Option<Node> {
        let it = self.items[item].clone();
        let node = self.formula(text, &it.id)?;
        let fits = !node.truth && node.nature != Nature::Point && node.dimension == it.unit.dimension;
        if !fits || (node.shape != it.rows && node.shape != Shape::Scalar) {
            let unit = if it.unit.text.is_empty() { "1" } else { &it.unit.text };
            self.fault(
                text.span().start,
                format!("the uncertainty of `{}` is not one of its kind: it has to come out in {unit}", it.id),
                "mend the formula; it gives a standard uncertainty, row by row in a table",
            );
            return None;
        }
        Some(node)
    }

    /// Whether a formula gives what an item is said to be.
    ///
    /// Dimension, scale and kind of pressure have to be those of the item. `false`, with a fault,
    /// where they are not.
    fn fits(&mut self, node: &Node, item: ItemId, text: &Text, unit_text: Option<&Text>) -> bool {
        let it = self.items[item].clone();
        let unit = if it.unit.text.is_empty() { "1" } else { &it.unit.text };
        let at = unit_text.unwrap_or(text).span().start;
        if node.truth {
            self.fault(text.span().start, format!("`{}` is a condition, not a value", it.id), "use if(…, …, …)");
        } else if node.dimension != it.unit.dimension {
            self.fault(
                at,
                format!("`{}` comes out as {}, which is not {unit}", it.id, node.dimension),
                "mend the formula or the unit",
            );
        } else if node.nature == Nature::Point && it.nature != Nature::Point {
            self.fault(
                at,
                format!("`{}` comes out as a temperature on the Celsius scale, which is not {unit}", it.id),
                "take kelvin(…) or write the unit °C",
            );
        } else if matches!(
            (node.nature, it.nature),
            (Nature::Gauge, Nature::Absolute) | (Nature::Absolute, Nature::Gauge)
        ) {
            self.fault(at, format!("`{}` mixes gauge and absolute pressure", it.id), "mend `pressure` or the formula");
        } else {
            match (node.shape, it.rows) {
                (Shape::Column(_), Shape::Scalar) => self.fault(
                    text.span().start,
                    format!("the result `{}` is a column", it.id),
                    "take its mean(), or another single value, or give it a table",
                ),
                (Shape::Column(a), Shape::Column(b)) if a != b => self.fault(
                    text.span().start,
                    format!("the result `{}` has the rows of another table", it.id),
                    "use columns of its own table",
                ),
                _ => return true,
            }
        }
        false
    }

    /// Right words come after all items are known: a condition may look at any of them.
    pub(super) fn right_words(&mut self, written: &[source::ResultSpec], results: &mut [ResultSpec]) {
        for result in results {
            let item = self.items[result.item].clone();
            let Some(w) = written.iter().find(|w| w.id.get_ref() == &item.id) else { continue };
            let Some(words) = item.words else { continue };
            for line in &w.right {
                let word = self.find(&line.word, &words, "word") as u32;
                let condition = line.condition.as_ref().and_then(|c| self.condition(c, &item.id));
                if line.condition.is_some() == condition.is_some() {
                    result.right.push(Right { condition, word });
                }
            }
        }
    }

    /// Declared slips, and the formulas of other schools, as mistaken forms of a result.
    pub(super) fn declared(
        &mut self,
        file: &source::File,
        results: &[ResultSpec],
        ids: &[String],
    ) -> Vec<(usize, Variant)> {
        let mut out = Vec::new();
        self.unique(file.slip.iter().map(|s| &s.id), "slip");
        for slip in &file.slip {
            let result = self.find(&slip.result, ids, "result");
            let kind = SlipKind::declared(slip.id.get_ref());
            if let Some(share) = slip.share.filter(|s| !(Decimal::ZERO..=Decimal::ONE).contains(&s.0)) {
                self.outside(slip.id.span().start, share.0);
            }
            if results.get(result).is_some_and(|r| self.same_formula(&slip.formula, r)) {
                self.fault(
                    slip.formula.span().start,
                    format!("the slip `{}` has the right formula of `{}`", slip.id.get_ref(), slip.result.get_ref()),
                    "write what was done wrongly, or take the slip out",
                );
            }
            out.extend(
                self.variant(&slip.formula, slip.id.get_ref(), kind, &slip.says, results.get(result))
                    .map(|v| (result, v)),
            );
        }
        self.by_other_schools(file, results, ids, &mut out);
        out
    }

    /// The other schools of a result: their formulas are what a section may have been taught.
    fn by_other_schools(
        &mut self,
        file: &source::File,
        results: &[ResultSpec],
        ids: &[String],
        out: &mut Vec<(usize, Variant)>,
    ) {
        for w in &file.result {
            let Some(result) = ids.iter().position(|i| i == w.id.get_ref()) else { continue };
            for (school, text) in &w.schools {
                let kind = SlipKind::declared(&format!("school {}", school.get_ref()));
                let says = format!("it was worked out by another school: {}", school.get_ref());
                out.extend(self.variant(text, school.get_ref(), kind, &says, results.get(result)).map(|v| (result, v)));
            }
        }
    }

    /// Whether a formula is, sign by sign, that of a result.
    fn same_formula(&self, text: &Text, result: &ResultSpec) -> bool {
        let names = |i: ItemId| self.items[i].id.clone();
        let written = |node: &Node| formula::plain::formula(node, &names);
        self.read(text.get_ref()).is_ok_and(|node| written(&node) == written(&result.node))
    }

    /// The formula of a declared slip or of another school, as a mistaken form of its result.
    fn variant(
        &mut self,
        text: &Text,
        id: &str,
        kind: SlipKind,
        says: &str,
        result: Option<&ResultSpec>,
    ) -> Option<Variant> {
        let result = result?;
        let node = self.formula(text, id)?;
        let item = &self.items[result.item];
        if node.shape != item.rows && node.shape != Shape::Scalar {
            let id = item.id.clone();
            self.fault(text.span().start, format!("this is a column, and `{id}` is not"), "give it the result's rows");
            return None;
        }
        // A mistake need not keep the dimension; it is then made with the numbers in the sheet's units.
        let scale = if node.dimension == item.unit.dimension {
            1.0 / item.unit.factor
        } else {
            in_units_of_the_sheet(&self.items, &node, &node, item).first().map_or(1.0, |(_, scale)| *scale)
        };
        Some(Variant { kind, subject: None, says: says.to_owned(), node, scale })
    }
}
