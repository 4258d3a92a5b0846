//! The file as written → a checked [`Protocol`], or every fault with its place and mend. The loader
//! itself and what all parts share; `apparatus` reads instruments, tables, readings and references,
//! `derive` results and slips, `relate` checks, comparisons and causes, `rubric` criteria and
//! schools.
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
//!
//! Loading a lab takes some milliseconds, most of them for the mistaken forms of its formulas.

use std::collections::HashMap;

use rust_decimal::Decimal;
use rustc_hash::FxHashMap;
use sha2::{Digest, Sha256};

use super::loading::{Loader, Names};
use super::mutate::variants;
use super::nameable::Nameable;
use super::refused::{line_at, refused};
use super::source;
use super::warnings::warnings;
use super::{
    Bay, Criterion, Instrument, Key, Protocol, ReadingSpec, Reference, ResultId, SlipKind, TableSpec, Variant,
};
use crate::error::Fault;
use crate::formula::{self, Function, ItemId, Node, Op};

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
/// Every fault found, in order of place. A file that is no TOML, or lacks a field, gives just that
/// one.
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

/// The share that each declared slip costs. What another course teaches is no mistake until
/// somebody says so.
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

/// What can only be worked out of a whole protocol: items by id, and the mistakes each result may
/// hold.
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

    /// Reads the parts in an order in which each names only what is known; `None` where anything is
    /// at fault.
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
