//! The file as written → a checked [`Protocol`], or every fault with its place and mend. The loader itself and what all
//! parts share; `apparatus` reads instruments, tables, readings and references, `derive` results and slips, `relate`
//! checks, comparisons and causes, `rubric` criteria and schools.
//!
//! # How a file becomes a lab
//!
//! 1. TOML is read into the structs of [`source`], which know no meaning and keep the place of
//!    every value.
//! 2. Parts are loaded in an order in which each names only what is declared: bays and keys,
//!    parameters, instruments, tables, readings, references, results, then what is said about all
//!    of them.
//! 3. Names of items that may come later (the setting that gives an instrument its step) are looked
//!    up once all items are known.
//! 4. Formulas are parsed and checked for dimensions; formulas of hidden results are written out in
//!    those that use them.
//! 5. Mistaken forms of every formula are made, so that no table has to wait for them.
//!
//! A fault never ends the loading: everything is looked at, so that an author reads all faults at
//! once. A stand-in takes the place of what is at fault, and the lab is refused in the end.

use crate::formula::ItemId;
use crate::protocol::ResultId;
use rustc_hash::FxHashMap;
use std::collections::{HashMap, HashSet};

use rust_decimal::Decimal;
use sha2::{Digest, Sha256};

use super::mutate::variants;
use super::nameable::Nameable;
use super::refused::{line_at, refused};
use super::source::{self, Number, Spanned, Text};
use super::warnings::warnings;
use super::{
    Bay, Criterion, Instrument, Item, ItemKind, Key, Protocol, ReadingSpec, Reference, Roundness, SlipKind, TableSpec,
    Variant,
};
use crate::error::Fault;
use crate::formula::{self, Function, Node, Op, Symbol};
use crate::quantity::{Nature, Unit};

/// Longest protocol file, in bytes.
///
/// The largest lab that ships has a fiftieth of it.
const MAX_FILE: usize = 1_000_000;

/// Reads and checks a protocol.
///
/// # Example
/// ```
/// use jurado_core::example::LAB;
/// use jurado_core::protocol::compile;
/// assert!(compile(LAB).is_ok());
/// let faults = compile(&LAB.replace("unit = \"cm^2\"", "unit = \"cm^3\"")).expect_err("an area is no volume");
/// assert!(faults[0].line > 1 && !faults[0].mend.is_empty());
/// ```
///
/// # Errors
/// Every fault found, in order of place. A file that is no TOML, or lacks a field, gives just that one.
pub fn compile(text: &str) -> Result<Protocol, Vec<Fault>> {
    if text.len() > MAX_FILE {
        return Err(vec![Fault::at(text, 0, "the protocol is longer than a megabyte", "split it into several labs")]);
    }
    let file: source::File = toml::from_str(text).map_err(|e| {
        let at = e.span().map_or(0, |s| s.start);
        let (what, mend) = refused(&e.message().lines().collect::<Vec<_>>().join(", "), line_at(text, at));
        vec![Fault::at(text, at, what, mend)]
    })?;
    let mut loader =
        Loader { text, faults: Vec::new(), items: Vec::new(), hidden: HashMap::new(), hidden_texts: Vec::new() };
    let protocol = loader.load(file);
    let mut faults = loader.faults;
    match protocol {
        Some(protocol) if faults.is_empty() => Ok(protocol),
        _ => {
            faults.sort_by_key(|f| (f.line, f.column));
            Err(faults)
        }
    }
}

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
    fn of(file: &source::File) -> Names {
        let ids = |texts: &mut dyn Iterator<Item = &Text>| texts.map(|t| t.get_ref().clone()).collect::<Vec<String>>();
        Names {
            bays: ids(&mut file.bay.iter().map(|b| &b.id)),
            keys: ids(&mut file.key.iter().map(|k| &k.id)),
            instruments: ids(&mut file.instrument.iter().map(|i| &i.id)),
            tables: ids(&mut file.table.iter().map(|t| &t.id)),
        }
    }
}

/// The share that each declared slip costs. What another course teaches is no mistake until somebody says so.
///
/// A slip that states no share costs the usual one, and is not in the list.
fn shares_of_declared(file: &source::File, declared: &[(usize, Variant)]) -> Vec<(SlipKind, Decimal)> {
    let said = file.slip.iter().filter_map(|s| Some((SlipKind::declared(s.id.get_ref()), s.share?.0)));
    let taught = declared
        .iter()
        .map(|(_, v)| v.kind.clone())
        .filter(|k| k.word().starts_with("declared:school "))
        .map(|k| (k, Decimal::ZERO));
    said.chain(taught).collect()
}

/// What can only be worked out of a whole protocol: items by id, and the mistakes each result may hold.
///
/// It is done anew for a lab that is taught otherwise.
fn complete(protocol: &mut Protocol, declared: Vec<(usize, Variant)>) {
    protocol.by_id = ItemId::with(&protocol.items).map(|(i, item)| (item.id.clone(), i)).collect();
    for r in ResultId::each(&protocol.results) {
        protocol.results[r].variants = variants(protocol, r);
        let item = protocol.results[r].item;
        protocol.results[r].averaged = protocol.results.iter().any(|other| takes_mean(&other.node, item));
    }
    for (result, variant) in declared {
        protocol.results[result].variants.push(variant);
    }
}

/// Whether a formula takes the mean of an item's rows.
///
/// `mean(x)` counts, and `mean(2 * x)` does not: there the mean is of something else.
pub(super) fn takes_mean(node: &Node, item: ItemId) -> bool {
    let of = |args: &[Node]| matches!(args, [Node { op: Op::Item(i), .. }] if *i == item);
    matches!(&node.op, Op::Call(Function::Mean, args) if of(args))
        || node.children().any(|child| takes_mean(child, item))
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

    /// The format and the id that the file begins with.
    fn head(&mut self, file: &source::File) {
        if *file.format.get_ref() != 1 {
            self.fault(
                file.format.span().start,
                format!("format {} is not known", file.format.get_ref()),
                "this version reads format 1",
            );
        }
        let good_id =
            |s: &str| !s.is_empty() && s.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-');
        if !good_id(file.id.get_ref()) {
            self.fault(
                file.id.span().start,
                format!("`{}` is no id for a lab", file.id.get_ref()),
                "use small letters, digits and hyphens, such as \"keel-plate\"",
            );
        }
    }

    /// Reads the parts in an order in which each names only what is known; `None` where anything is at fault.
    ///
    /// The order is that of the head of this module.
    fn load(&mut self, file: source::File) -> Option<Protocol> {
        self.head(&file);
        let bays = self.bays(&file);
        let keys = self.keys(&file.key);
        let names = Names::of(&file);
        let parameters = self.parameters(&file.parameter);
        let mut instruments: Vec<Instrument> = self.instruments(&file.instrument);
        let mut tables: Vec<TableSpec> = self.tables(&file.table, &names);
        let mut readings = self.readings(&file.reading, &names, &instruments, &tables);
        let mut references = self.references(&file, &keys, &names, &tables);
        let mut results = self.results(&file.result, &names, &tables);
        self.finish(&file, (&mut instruments, &mut tables, &mut readings, &mut references));
        self.right_words(&file.result, &mut results);
        let checks = self.checks(&file.check, &file.criterion);
        let result_ids: Vec<String> = results.iter().map(|r| self.items[r.item].id.clone()).collect();
        let comparisons = self.comparisons(&file.comparison, &results, &result_ids);
        let identifies = self.identifies(&file.identify, &results, &result_ids);
        let causes = file.cause.iter().map(|c| self.cause(c)).collect();
        let comparison_ids: Vec<String> = comparisons.iter().map(|c| c.id.clone()).collect();
        let nameable = Nameable::new(&self.items, &results, &references, &readings, &comparison_ids);
        let criteria = self.criteria(&file, &nameable);
        let school = self.school(file.school.as_ref());
        let declared = self.declared(&file, &results, &result_ids);
        let shares = shares_of_declared(&file, &declared);
        let warnings = warnings(self.text, &file);
        let run = file.run.as_ref().and_then(|run| self.run(run, &file.id, &keys, &tables));
        if !self.faults.is_empty() {
            return None;
        }
        let mut protocol = Protocol {
            id: file.id.into_inner(),
            version: file.version,
            digest: hex(&Sha256::digest(self.text.as_bytes())),
            title: file.title,
            summary: file.summary,
            cautions: file.caution,
            bays,
            keys,
            parameters,
            instruments,
            tables,
            items: std::mem::take(&mut self.items),
            readings,
            references,
            results,
            hidden: std::mem::take(&mut self.hidden_texts),
            checks,
            comparisons,
            identifies,
            declared: shares,
            causes,
            criteria,
            possible: file.possible.get_ref().0,
            school,
            run,
            warnings,
            by_id: FxHashMap::default(),
            made: Default::default(),
        };
        complete(&mut protocol, declared);
        Some(protocol)
    }

    /// What names items of any kind comes after all of them are known.
    ///
    /// Without a reading there is nothing to judge.
    fn finish(
        &mut self,
        file: &source::File,
        (instruments, tables, readings, references): (
            &mut [Instrument],
            &mut [TableSpec],
            &mut [ReadingSpec],
            &mut [Reference],
        ),
    ) {
        if readings.is_empty() {
            self.fault(0, "the protocol has no reading", "add at least one [[reading]]");
        }
        self.finish_instruments(&file.instrument, instruments);
        self.finish_tables(&file.table, tables);
        self.finish_readings(&file.reading, readings);
        self.finish_references(file, references);
    }

    /// Bays in the order in which they are shown.
    fn bays(&mut self, file: &source::File) -> Vec<Bay> {
        self.unique(file.bay.iter().map(|b| &b.id), "bay");
        file.bay.iter().map(|b| Bay { id: b.id.get_ref().clone(), title: b.title.clone() }).collect()
    }

    /// Criteria with their rules; their points have to add up.
    fn criteria(&mut self, file: &source::File, nameable: &Nameable<'_>) -> Vec<Criterion> {
        let criteria = file.criterion.iter().map(|c| self.criterion(c, nameable)).collect();
        self.unique(file.criterion.iter().map(|c| &c.id), "criterion");
        self.points(file, nameable.results);
        criteria
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

    /// Keys with the values that they may have: a key without any could never be said.
    fn keys(&mut self, keys: &[source::Key]) -> Vec<Key> {
        self.unique(keys.iter().map(|k| &k.id), "key");
        keys.iter()
            .map(|k| {
                if k.values.get_ref().is_empty() {
                    self.fault(
                        k.values.span().start,
                        format!("the key `{}` has no values", k.id.get_ref()),
                        "list them, such as [\"1\", \"2\"]",
                    );
                }
                Key { id: k.id.get_ref().clone(), title: k.title.clone(), values: k.values.get_ref().clone() }
            })
            .collect()
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

    /// A formula may not hang on an answer in words: that is what the team says, and not what the readings give.
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

/// Names in a parsed formula, in their order, those that stand there twice twice.
pub(super) fn collect_names(ast: &formula::ast::Ast, out: &mut Vec<String>) {
    use formula::ast::AstKind;
    match &ast.kind {
        AstKind::Name(name) => out.push(name.clone()),
        AstKind::Negative(a) => collect_names(a, out),
        AstKind::Binary(_, a, b) | AstKind::Compare(_, a, b) => {
            collect_names(a, out);
            collect_names(b, out);
        }
        AstKind::Call(_, args) => args.iter().for_each(|a| collect_names(a, out)),
        AstKind::Number { .. } | AstKind::Word(_) => {}
    }
}

/// Bytes as small hexadecimal digits.
pub(crate) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
