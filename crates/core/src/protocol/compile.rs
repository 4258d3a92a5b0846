//! The file as written → a checked [`Protocol`], or every fault with its place and mend.

use std::collections::HashSet;

use sha2::{Digest, Sha256};
use toml::Spanned;

use super::mutate::variants;
use super::source::{self, Text};
use super::{
    Bay, Cause, Criterion, Instrument, Item, ItemKind, Key, Protocol, ReadingSpec, Reference, ReferenceEntry,
    ResultSpec, Roundness,
};
use crate::error::Fault;
use crate::formula::{self, Op, Shape, Symbol};
use crate::quantity::{Dimension, Unit};

/// Longest protocol file, in bytes.
const MAX_FILE: usize = 1_000_000;

/// Reads and checks a protocol.
///
/// # Errors
/// Every fault found, in order of place. A file that is no TOML, or lacks a field, gives just that one.
pub fn compile(text: &str) -> Result<Protocol, Vec<Fault>> {
    if text.len() > MAX_FILE {
        return Err(vec![Fault::at(text, 0, "the protocol is longer than a megabyte", "split it into several labs")]);
    }
    let file: source::File = toml::from_str(text).map_err(|e| {
        let at = e.span().map_or(0, |s| s.start);
        let what = e.message().lines().collect::<Vec<_>>().join(", ");
        vec![Fault::at(text, at, what, "see docs/protocols.md for the fields of a protocol")]
    })?;
    let mut loader = Loader { text, faults: Vec::new(), items: Vec::new(), shapes: Vec::new() };
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

pub(super) struct Loader<'a> {
    text: &'a str,
    faults: Vec<Fault>,
    pub(super) items: Vec<Item>,
    /// Column or scalar, by item.
    shapes: Vec<Shape>,
}

impl Loader<'_> {
    pub(super) fn fault(&mut self, at: usize, what: impl Into<String>, mend: impl Into<String>) {
        let fault = Fault::at(self.text, at, what, mend);
        self.faults.push(fault);
    }

    fn unit(&mut self, text: &Text) -> Unit {
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

    pub(super) fn positive(&mut self, number: &source::Number, noun: &str) -> f64 {
        let v = *number.get_ref();
        if !(v.is_finite() && v > 0.0) {
            self.fault(number.span().start, format!("{noun} must be above nought, not {v}"), "write a positive number");
        }
        v
    }

    fn range(&mut self, range: &Spanned<[f64; 2]>, noun: &str) -> (f64, f64) {
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

    fn add_item(&mut self, item: Item, shape: Shape, at: usize) -> usize {
        let good = !item.id.is_empty()
            && item.id.starts_with(|c: char| c.is_alphabetic())
            && item.id.chars().all(|c| c.is_alphanumeric() || c == '_');
        if !good {
            self.fault(
                at,
                format!("`{}` cannot be used in a formula", item.id),
                "use letters, digits and _ and begin with a letter",
            );
        } else if item.id == "pi" || formula::check::Function::named(&item.id).is_some() {
            self.fault(at, format!("`{}` is a word of the formula language", item.id), "choose another id");
        } else if self.items.iter().any(|i| i.id == item.id) {
            self.fault(at, format!("`{}` is declared twice", item.id), "give one of them another id");
        }
        self.items.push(item);
        self.shapes.push(shape);
        self.items.len() - 1
    }

    fn roundness(&mut self, shape: Option<&Text>) -> Option<Roundness> {
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

    fn load(&mut self, file: source::File) -> Option<Protocol> {
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
        let bays: Vec<Bay> =
            file.bay.iter().map(|b| Bay { id: b.id.get_ref().clone(), title: b.title.clone() }).collect();
        let bay_ids: Vec<String> = bays.iter().map(|b| b.id.clone()).collect();
        self.unique(file.bay.iter().map(|b| &b.id), "bay");
        let keys = self.keys(&file.key);
        let instruments = self.instruments(&file.instrument);
        let instrument_ids: Vec<String> = instruments.iter().map(|i| i.id.clone()).collect();
        let readings: Vec<ReadingSpec> = file
            .reading
            .iter()
            .enumerate()
            .map(|(n, r)| self.reading(n, r, &bay_ids, &instruments, &instrument_ids))
            .collect();
        if readings.is_empty() {
            self.fault(0, "the protocol has no reading", "add at least one [[reading]]");
        }
        let references: Vec<Reference> =
            file.reference.iter().enumerate().map(|(n, r)| self.reference(n, r, &keys)).collect();
        let order = self.results_order(&file.result);
        let results: Vec<ResultSpec> = self.results(&file.result, &order, &bay_ids);
        let causes = file.cause.iter().map(|c| self.cause(c)).collect();
        let criteria: Vec<Criterion> =
            file.criterion.iter().map(|c| self.criterion(c, &results, &references, &readings)).collect();
        self.unique(file.criterion.iter().map(|c| &c.id), "criterion");
        self.points(&file, &results);
        let school = self.school(file.school.as_ref());
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
            instruments,
            items: std::mem::take(&mut self.items),
            readings,
            references,
            results,
            causes,
            criteria,
            possible: file.possible.get_ref().0,
            school,
        };
        for r in 0..protocol.results.len() {
            protocol.results[r].variants = variants(&protocol, r);
        }
        Some(protocol)
    }

    fn unique<'t>(&mut self, ids: impl Iterator<Item = &'t Text>, noun: &str) {
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

    fn instruments(&mut self, instruments: &[source::Instrument]) -> Vec<Instrument> {
        self.unique(instruments.iter().map(|i| &i.id), "instrument");
        instruments
            .iter()
            .map(|i| Instrument {
                id: i.id.get_ref().clone(),
                title: i.title.clone(),
                unit: self.unit(&i.unit),
                step: self.positive(&i.step, "the step"),
                limit: i.limit.as_ref().map(|l| self.positive(l, "the limit")),
                limit_shared: i.limit_shared,
                notes: i.notes.clone(),
            })
            .collect()
    }

    fn reading(
        &mut self,
        n: usize,
        r: &source::Reading,
        bays: &[String],
        instruments: &[Instrument],
        ids: &[String],
    ) -> ReadingSpec {
        let unit = self.unit(&r.unit);
        let instrument = self.find(&r.instrument, ids, "instrument");
        if let Some(i) = instruments.get(instrument)
            && i.unit.dimension != unit.dimension
        {
            self.fault(
                r.unit.span().start,
                format!("{} cannot be read in {}: the {} shows {}", r.title, unit.text, i.title, i.unit.text),
                "use a unit of the instrument's dimension",
            );
        }
        let replicates = r.replicates.as_ref().map_or(1, |n| *n.get_ref());
        if !(1..=10_000).contains(&replicates) {
            let at = r.replicates.as_ref().map_or(0, |n| n.span().start);
            self.fault(at, format!("{replicates} replicates cannot be asked for"), "write a number from 1 to 10000");
        }
        let shape = self.roundness(r.shape.as_ref());
        let item = Item {
            id: r.id.get_ref().clone(),
            title: r.title.clone(),
            symbol: r.symbol.clone(),
            unit,
            kind: ItemKind::Reading(n),
            shape,
        };
        let column = if replicates > 1 { Shape::Column } else { Shape::Scalar };
        ReadingSpec {
            item: self.add_item(item, column, r.id.span().start),
            bay: self.find(&r.bay, bays, "bay"),
            instrument,
            replicates,
            plausible: r.plausible.as_ref().map(|p| self.range(p, "the plausible range")),
            takes_limit: !r.zero,
            is_zero: r.zero,
        }
    }

    fn reference(&mut self, n: usize, r: &source::Reference, keys: &[Key]) -> Reference {
        let unit = self.unit(&r.unit);
        let factor = unit.factor;
        if r.source.get_ref().trim().is_empty() {
            self.fault(
                r.source.span().start,
                format!("the reference `{}` names no source", r.id.get_ref()),
                "say where its value comes from",
            );
        }
        let key_ids: Vec<String> = keys.iter().map(|k| k.id.clone()).collect();
        let key = r.key.as_ref().map(|k| self.find(k, &key_ids, "key"));
        let mut entries = Vec::new();
        let at = r.id.span().start;
        match key.and_then(|k| keys.get(k)) {
            None => {
                let (low, high) = self.ends(r.value.as_ref(), r.range.as_ref(), at, r.id.get_ref());
                entries.push(ReferenceEntry {
                    at: String::new(),
                    says: String::new(),
                    low: low * factor,
                    high: high * factor,
                });
            }
            Some(key) => {
                for (value, entry) in &r.at {
                    if !key.values.contains(value.get_ref()) {
                        self.fault(
                            value.span().start,
                            format!("the key `{}` has no value `{}`", key.id, value.get_ref()),
                            format!("it may be {}", key.values.join(", ")),
                        );
                    }
                    let (low, high) =
                        self.ends(entry.value.as_ref(), entry.range.as_ref(), value.span().start, r.id.get_ref());
                    entries.push(ReferenceEntry {
                        at: value.get_ref().clone(),
                        says: entry.says.clone(),
                        low: low * factor,
                        high: high * factor,
                    });
                }
                for value in &key.values {
                    if !entries.iter().any(|e| &e.at == value) {
                        self.fault(
                            at,
                            format!("the reference `{}` has no value for {} {value}", r.id.get_ref(), key.id),
                            format!("add `{value} = {{ value = … }}` under [reference.at]"),
                        );
                    }
                }
            }
        }
        let item = Item {
            id: r.id.get_ref().clone(),
            title: r.title.clone(),
            symbol: r.symbol.clone(),
            unit,
            kind: ItemKind::Reference(n),
            shape: None,
        };
        Reference { item: self.add_item(item, Shape::Scalar, at), key, source: r.source.get_ref().clone(), entries }
    }

    fn ends(
        &mut self,
        value: Option<&source::Number>,
        range: Option<&Spanned<[f64; 2]>>,
        at: usize,
        id: &str,
    ) -> (f64, f64) {
        match (value, range) {
            (Some(v), None) => (*v.get_ref(), *v.get_ref()),
            (None, Some(r)) => self.range(r, "the reference's range"),
            _ => {
                self.fault(
                    at,
                    format!("the reference `{id}` needs a value or a range here, and only one of them"),
                    "write value = 2.70 or range = [2.66, 2.72]",
                );
                (1.0, 1.0)
            }
        }
    }

    /// Indices of the results so that each comes after what it uses; the file's order where that already holds.
    fn results_order(&mut self, results: &[source::ResultSpec]) -> Vec<usize> {
        let names: Vec<&str> = results.iter().map(|r| r.id.get_ref().as_str()).collect();
        let uses: Vec<Vec<usize>> = results
            .iter()
            .map(|r| {
                let mut words = Vec::new();
                if let Ok(ast) = formula::parse(r.formula.get_ref()) {
                    collect_names(&ast, &mut words);
                }
                words.iter().filter_map(|w| names.iter().position(|n| n == w)).collect()
            })
            .collect();
        let mut order: Vec<usize> = Vec::new();
        while order.len() < results.len() {
            let next = (0..results.len()).find(|i| !order.contains(i) && uses[*i].iter().all(|u| order.contains(u)));
            match next {
                Some(i) => order.push(i),
                None => {
                    let stuck: Vec<usize> = (0..results.len()).filter(|i| !order.contains(i)).collect();
                    let first = stuck[0];
                    let ring: Vec<&str> = stuck.iter().map(|i| names[*i]).collect();
                    self.fault(
                        results[first].formula.span().start,
                        format!("the results {} need one another in a circle", ring.join(", ")),
                        "derive one of them from readings alone",
                    );
                    order.extend(stuck);
                }
            }
        }
        order
    }

    fn results(&mut self, results: &[source::ResultSpec], order: &[usize], bays: &[String]) -> Vec<ResultSpec> {
        // All names first, so that a misspelt one is told from a later one.
        let first = self.items.len();
        for (n, i) in order.iter().enumerate() {
            let r = &results[*i];
            let unit = self.unit(&r.unit);
            let shape = self.roundness(r.shape.as_ref());
            let item = Item {
                id: r.id.get_ref().clone(),
                title: r.title.clone(),
                symbol: r.symbol.clone(),
                unit,
                kind: ItemKind::Result(n),
                shape,
            };
            self.add_item(item, Shape::Scalar, r.id.span().start);
        }
        order
            .iter()
            .enumerate()
            .map(|(n, i)| {
                let r = &results[*i];
                let item = first + n;
                let bay = self.find(&r.bay, bays, "bay");
                let node = self.formula(r, item);
                let upstream =
                    node.items().into_iter().filter(|i| matches!(self.items[*i].kind, ItemKind::Result(_))).collect();
                ResultSpec {
                    item,
                    bay,
                    text: r.formula.get_ref().clone(),
                    node,
                    upstream,
                    points: r.points.get_ref().0,
                    plus_minus: r.plus_minus,
                    variants: Vec::new(),
                }
            })
            .collect()
    }

    fn formula(&mut self, r: &source::ResultSpec, item: usize) -> formula::Node {
        let text = r.formula.get_ref();
        let checked = formula::parse(text).and_then(|ast| {
            formula::check::check(&ast, &|name| {
                let item = self.items.iter().position(|i| i.id == name)?;
                Some(Symbol { item, dimension: self.items[item].unit.dimension, shape: self.shapes[item] })
            })
        });
        let placeholder = formula::Node {
            op: Op::Number(1.0, "1".to_owned()),
            dimension: Dimension::ONE,
            shape: Shape::Scalar,
            span: 0..1,
        };
        match checked {
            Err(e) => {
                // One byte past the opening quote; the formulas of a protocol carry no escapes.
                self.fault(
                    r.formula.span().start + 1 + e.span.start,
                    format!(
                        "in the formula of `{}`: {}\n    {}",
                        r.id.get_ref(),
                        e.what,
                        e.drawn(text).replace('\n', "\n    ")
                    ),
                    e.mend,
                );
                placeholder
            }
            Ok(node) => {
                let unit = self.items[item].unit.clone();
                if node.shape == Shape::Column {
                    self.fault(
                        r.formula.span().start,
                        format!("the result `{}` is a column", r.id.get_ref()),
                        "take its mean(), or another single value",
                    );
                } else if node.dimension != unit.dimension {
                    let unit_of = if unit.text.is_empty() { "1" } else { &unit.text };
                    self.fault(
                        r.unit.span().start,
                        format!("`{}` comes out as {}, which is not {unit_of}", r.id.get_ref(), node.dimension),
                        "mend the formula or the unit",
                    );
                }
                node
            }
        }
    }

    fn cause(&mut self, c: &source::Cause) -> Cause {
        let reading_ids: Vec<String> = self.items.iter().map(|i| i.id.clone()).collect();
        let low = match c.direction.get_ref().as_str() {
            "low" => true,
            "high" => false,
            other => {
                self.fault(c.direction.span().start, format!("`{other}` is no direction"), "write \"low\" or \"high\"");
                true
            }
        };
        let on = c.on.iter().map(|o| self.find(o, &reading_ids, "reading")).collect();
        Cause { id: c.id.clone(), on, low, says: c.says.clone(), words: c.words.clone(), advice: c.advice.clone() }
    }
}

fn collect_names(ast: &formula::ast::Ast, out: &mut Vec<String>) {
    use formula::ast::AstKind;
    match &ast.kind {
        AstKind::Name(name) => out.push(name.clone()),
        AstKind::Negative(a) => collect_names(a, out),
        AstKind::Binary(_, a, b) => {
            collect_names(a, out);
            collect_names(b, out);
        }
        AstKind::Call(_, args) => args.iter().for_each(|a| collect_names(a, out)),
        AstKind::Number { .. } => {}
    }
}

/// Bytes as small hexadecimal digits.
pub(crate) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
