//! What all parts of the loading share: names looked up, numbers, ranges and words checked, formulas
//! read. Each notes what is at fault and gives a stand-in, so that the loading goes on.
//!
//! Parts of the file are read by the files beside this one; what they share is here so that a name
//! that is not there, a range that does not rise and a formula that does not fit are told alike
//! wherever they stand.

use std::collections::{HashMap, HashSet};

use super::source::{self, Number, Spanned, Text};
use super::{Item, ItemKind, Roundness};
use crate::error::Fault;
use crate::formula::{self, ItemId, Node, Op, Symbol};
use crate::quantity::{Nature, Unit};

/// `faults` grows while parts are read; nothing else of it is looked at until the end.
pub(super) struct Loader<'a> {
    /// The file's text, from which places are counted.
    pub(super) text: &'a str,
    /// Every fault so far.
    pub(super) faults: Vec<Fault>,
    /// Items declared so far, in the order of their numbers.
    pub(super) items: Vec<Item>,
    /// Formulas of hidden results, by item: they stand in for their names.
    pub(super) hidden: HashMap<ItemId, Node>,
    /// The same as written, in the order they are derived.
    pub(super) hidden_texts: Vec<(String, String)>,
}

/// Everything declared by id, for looking names up.
///
/// Parts that may be named before they are loaded.
pub(super) struct Names {
    /// Ids of the bays, by number.
    pub(super) bays: Vec<String>,
    /// Ids of the keys.
    pub(super) keys: Vec<String>,
    /// Ids of the instruments.
    pub(super) instruments: Vec<String>,
    /// Ids of the tables.
    pub(super) tables: Vec<String>,
}

impl Names {
    /// Gathers the ids as they are written; whether one stands there twice is asked elsewhere.
    pub(super) fn of(file: &source::File) -> Names {
        let ids = |texts: &mut dyn Iterator<Item = &Text>| texts.map(|t| t.get_ref().clone()).collect::<Vec<String>>();
        Names {
            bays: ids(&mut file.bay.iter().map(|b| &b.id)),
            keys: ids(&mut file.key.iter().map(|k| &k.id)),
            instruments: ids(&mut file.instrument.iter().map(|i| &i.id)),
            tables: ids(&mut file.table.iter().map(|t| &t.id)),
        }
    }
}

impl Loader<'_> {
    /// Notes a fault at a byte of the file: what is wrong, and how to mend it.
    pub(super) fn fault(&mut self, at: usize, what: impl Into<String>, mend: impl Into<String>) {
        let fault = Fault::at(self.text, at, what, mend);
        self.faults.push(fault);
    }

    /// A unit of the file; the pure number, with a fault, where it is none.
    pub(super) fn unit(&mut self, text: &Text) -> Unit {
        Unit::parse(text.get_ref()).unwrap_or_else(|e| {
            self.fault(
                text.span().start,
                e.to_string(),
                "use a unit of docs/protocols.md, such as \"mm\" or \"g/cm^3\"",
            );
            Unit::one()
        })
    }

    /// The place of a name in a list, or a fault that names what there is.
    ///
    /// The first of the list stands in where the name is not there.
    pub(super) fn find(&mut self, name: &Text, among: &[String], noun: &str) -> usize {
        among.iter().position(|a| a == name.get_ref()).unwrap_or_else(|| {
            let known = if among.is_empty() {
                "none is declared".to_owned()
            } else {
                format!("declared are {}", among.join(", "))
            };
            self.fault(
                name.span().start,
                format!("there is no {noun} `{}`", name.get_ref()),
                format!("{known}; add it or mend the spelling"),
            );
            0
        })
    }

    /// The place of an item's id among all items.
    ///
    /// Items declared later are not among them.
    pub(super) fn find_item(&mut self, name: &Text, noun: &str) -> ItemId {
        let ids: Vec<String> = self.items.iter().map(|i| i.id.clone()).collect();
        ItemId::at(self.find(name, &ids, noun))
    }

    /// One of a few words, or a fault that names them.
    ///
    /// The first of the words stands in where the word is none of them.
    pub(super) fn choice<T: Copy>(&mut self, word: &Text, among: &[(&str, T)], noun: &str) -> T {
        if let Some((_, value)) = among.iter().find(|(w, _)| w == word.get_ref()) {
            return *value;
        }
        let known: Vec<&str> = among.iter().map(|(w, _)| *w).collect();
        self.fault(
            word.span().start,
            format!("`{}` is no {noun}", word.get_ref()),
            format!("write one of {}", known.join(", ")),
        );
        among[0].1
    }

    /// A number that has to be above nought; what it is of is said in `noun`.
    pub(super) fn positive(&mut self, number: &Number, noun: &str) -> f64 {
        let v = *number.get_ref();
        if !(v.is_finite() && v > 0.0) {
            self.fault(number.span().start, format!("{noun} must be above nought, not {v}"), "write a positive number");
        }
        v
    }

    /// A range with its lower end first, both ends finite.
    pub(super) fn range(&mut self, range: &Spanned<[f64; 2]>, noun: &str) -> (f64, f64) {
        let [low, high] = *range.get_ref();
        if !(low.is_finite() && high.is_finite() && low < high) {
            self.fault(
                range.span().start,
                format!("{noun} [{low}, {high}] does not rise"),
                "write the lower end first",
            );
        }
        (low, high)
    }

    /// Adds an item under the next number. Its id has to be fit for a formula, be no word of the
    /// formula language, and not be declared already; it needs a title.
    pub(super) fn add_item(&mut self, item: Item, at: usize) -> ItemId {
        let good = !item.id.is_empty()
            && item.id.starts_with(|c: char| c.is_alphabetic())
            && item.id.chars().all(|c| c.is_alphanumeric() || c == '_');
        if !good {
            self.fault(
                at,
                format!("`{}` cannot be used in a formula", item.id),
                "use letters, digits and _ and begin with a letter",
            );
        } else if item.id == "pi" || formula::Function::named(&item.id).is_some() {
            self.fault(at, format!("`{}` is a word of the formula language", item.id), "choose another id");
        } else if self.items.iter().any(|i| i.id == item.id) {
            self.fault(at, format!("`{}` is declared twice", item.id), "give one of them another id");
        }
        if item.title.trim().is_empty() {
            self.fault(at, format!("`{}` has no title", item.id), "name it as a sentence would: \"plate length\"");
        }
        self.items.push(item);
        ItemId::at(self.items.len() - 1)
    }

    /// Whether an item is a diameter or a radius, which people take for each other.
    pub(super) fn roundness(&mut self, shape: Option<&Text>) -> Option<Roundness> {
        let shape = shape?;
        match shape.get_ref().as_str() {
            "diameter" => Some(Roundness::Diameter),
            "radius" => Some(Roundness::Radius),
            other => {
                self.fault(
                    shape.span().start,
                    format!("`{other}` is no shape"),
                    "write \"diameter\" or \"radius\", or leave it out",
                );
                None
            }
        }
    }

    /// Ids of one kind are declared once each.
    pub(super) fn unique<'t>(&mut self, ids: impl Iterator<Item = &'t Text>, noun: &str) {
        let mut seen = HashSet::new();
        for id in ids {
            if !seen.insert(id.get_ref().as_str()) {
                self.fault(
                    id.span().start,
                    format!("the {noun} `{}` is declared twice", id.get_ref()),
                    "give one of them another id",
                );
            }
        }
    }

    /// A formula with the items declared so far.
    ///
    /// Parses and checks a formula without noting a fault.
    pub(super) fn read(&self, written: &str) -> Result<Node, formula::FormulaError> {
        let ast = formula::parse(written)?;
        formula::check::check(&ast, &|name| {
            let (item, it) = ItemId::with(&self.items).find(|(_, i)| i.id == name)?;
            Some(Symbol {
                item,
                dimension: it.unit.dimension,
                nature: it.nature,
                shape: it.rows,
                words: it.words.as_deref(),
            })
        })
    }

    /// A formula checked against all items declared so far.
    ///
    /// `of` names what the formula belongs to. A fault is drawn under the formula, at the piece it
    /// is in.
    pub(super) fn formula(&mut self, text: &Text, of: &str) -> Option<Node> {
        let written = text.get_ref();
        self.read(written)
            .and_then(|node| self.worked_out(node))
            .map(|node| self.unfolded(node))
            .map_err(|e| {
                // One byte past the opening quote; the formulas of a protocol carry no escapes.
                self.fault(
                    text.span().start + 1 + e.span.start,
                    format!("in the formula of `{of}`: {}\n    {}", e.what, e.drawn(written).replace('\n', "\n    ")),
                    e.mend,
                );
            })
            .ok()
    }

    /// The formula with hidden results written out.
    ///
    /// A hidden result never stands in a formula that is judged.
    fn unfolded(&self, node: Node) -> Node {
        if self.hidden.is_empty() {
            return node;
        }
        match node.op {
            Op::Item(i) => self.hidden.get(&i).cloned().unwrap_or(node),
            _ => node.with_children(node.children().map(|c| self.unfolded(c.clone())).collect()),
        }
    }

    /// A formula may not hang on an answer in words: that is what the team says, and not what the
    /// readings give.
    ///
    /// Readings in words may be used: they say what was seen.
    fn worked_out(&self, node: Node) -> Result<Node, formula::FormulaError> {
        let answer = |i: &ItemId| self.items[*i].words.is_some() && matches!(self.items[*i].kind, ItemKind::Result(_));
        match node.items().into_iter().find(answer) {
            None => Ok(node),
            Some(i) => Err(formula::FormulaError::new(
                node.span.clone(),
                format!("`{}` is an answer in words, and no readings give it", self.items[i].id),
                "compare a reading in words, or the numbers that the answer is judged by",
            )),
        }
    }

    /// A formula that is a condition.
    ///
    /// `None`, with a fault, for a value.
    pub(super) fn condition(&mut self, text: &Text, of: &str) -> Option<Node> {
        let node = self.formula(text, of)?;
        if node.truth {
            return Some(node);
        }
        self.fault(
            text.span().start,
            format!("in the formula of `{of}`: this is a value, where a condition is needed"),
            "write a comparison such as zone == \"inside\" or x > 5[mm]",
        );
        None
    }

    /// The nature of an item: that of its unit, or of the pressure it is said to be.
    ///
    /// A lab says of a pressure whether it is above the air's or above nothing.
    pub(super) fn nature(&mut self, unit: &Unit, pressure: Option<&Text>) -> Nature {
        let Some(pressure) = pressure else { return unit.nature };
        let nature =
            self.choice(pressure, &[("gauge", Nature::Gauge), ("absolute", Nature::Absolute)], "kind of pressure");
        if Unit::parse("Pa").is_ok_and(|pa| pa.dimension != unit.dimension) {
            self.fault(pressure.span().start, format!("{} is no unit of pressure", unit.text), "leave `pressure` out");
        }
        nature
    }
}
