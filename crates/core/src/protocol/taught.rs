//! A protocol as a section is taught it: another formula of a result, another value of a constant.
//!
//! A section may be taught the density of a sleeve by another formula, or g = 9.78 m/s². Its tables
//! are judged by a protocol in which that stands in the place of the lab's own. The lab's own
//! formula then becomes a school by itself, which costs nothing, so that who worked by the sheet is
//! not charged for that.
//!
//! Making such a protocol takes as long as loading one; the ways of a class are made once and kept.

use crate::formula::ItemId;
use crate::protocol::{ReferenceId, ResultId};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::ops::Deref;
use std::sync::{Arc, Mutex, PoisonError};

use rust_decimal::Decimal;

use super::compile::takes_mean;
use super::derive::{mixes_rows, seeks_end_point};
use super::mutate::variants;
use super::{ItemKind, Protocol, ReferenceEntry, SlipKind, Variant};
use crate::formula::plain;

/// What a section is taught in place of what the protocol says.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Taught {
    /// The formula of a result, by its id: a school of the protocol or a declared slip, by its
    /// name.
    pub schools: BTreeMap<String, String>,
    /// The value of a constant, by its id, in its unit.
    pub constants: BTreeMap<String, f64>,
}

impl Taught {
    /// Whether it is all as the protocol says.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::Taught;
    /// let mut taught = Taught::default();
    /// assert!(taught.is_empty());
    /// taught.constants.insert("gravity".into(), 9.78);
    /// assert!(!taught.is_empty());
    /// ```
    pub fn is_empty(&self) -> bool {
        self.schools.is_empty() && self.constants.is_empty()
    }
}

/// A formula that a section may be taught for a result.
#[derive(Clone, Debug, PartialEq)]
pub struct SchoolOf<'a> {
    /// The word of its slip, as a ruling names it.
    pub word: &'a str,
    /// The name that its author gave it: of a declared slip its id.
    pub name: &'a str,
    /// What it is, in words.
    pub says: &'a str,
}

impl SchoolOf<'_> {
    /// What it is in a few words: its name, or what its author says of a slip.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SchoolOf;
    /// let school = SchoolOf { word: "declared:school by hand", name: "by hand", says: "it was worked out by hand" };
    /// assert_eq!(school.words(), "by hand");
    /// ```
    pub fn words(&self) -> &str {
        if self.word.starts_with(SCHOOL) { self.name } else { self.says }
    }
}

/// A protocol as it is taught: the one that was asked, or one made of it.
pub enum Lent<'a> {
    /// All is as the protocol says.
    Own(&'a Protocol),
    /// Something is taught otherwise.
    Taught(Arc<Protocol>),
}

impl Deref for Lent<'_> {
    type Target = Protocol;

    fn deref(&self) -> &Protocol {
        match self {
            Lent::Own(protocol) => protocol,
            Lent::Taught(protocol) => protocol,
        }
    }
}

/// What was made of a protocol as it is taught here and there: a class of thousands is taught in a
/// few ways. It follows from the protocol alone, so that a copy begins without it.
#[derive(Default)]
pub(super) struct Made(Mutex<Vec<(Taught, Arc<Protocol>)>>);

/// Ways of teaching that are kept of one protocol.
///
/// A college with more ways of teaching one lab makes them anew, and only waits a little longer.
const MOST_MADE: usize = 32;

impl Clone for Made {
    fn clone(&self) -> Made {
        Made::default()
    }
}

impl fmt::Debug for Made {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Made")
    }
}

/// What a declared kind of slip begins with that is the formula of another school.
const SCHOOL: &str = "declared:school ";

impl Protocol {
    /// The formulas that a result may be taught by, besides its own: those of other schools and of
    /// declared slips that have its dimension and use nothing that is derived after it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ResultId;
    /// // The lab declares one shape of the diameter and no other school.
    /// assert!(lab().schools_of(ResultId::at(1)).is_empty());
    /// ```
    pub fn schools_of(&self, result: ResultId) -> Vec<SchoolOf<'_>> {
        self.teachable(result).map(|(_, v)| name_of(v)).collect()
    }

    /// A declared formula that uses what is derived later would be worked out in a circle.
    fn teachable(&self, result: ResultId) -> impl Iterator<Item = (usize, &Variant)> {
        let spec = &self.results[result];
        let before = move |item: &ItemId| match self.items[*item].kind {
            ItemKind::Result(n) => n < result,
            _ => true,
        };
        spec.variants.iter().enumerate().filter(move |(_, v)| {
            matches!(v.kind, SlipKind::Declared(_))
                && v.node.dimension == self.items[spec.item].unit.dimension
                && v.node.items().iter().all(before)
        })
    }

    /// The school of a result that a name or the word of a slip means.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// assert_eq!(lab().school_named("diameter", "by hand"), None);
    /// ```
    pub fn school_named(&self, item: &str, named: &str) -> Option<SchoolOf<'_>> {
        let result = self.result_of(self.item(item)?)?;
        self.schools_of(result).into_iter().find(|s| s.word == named || s.name == named)
    }

    /// The place of an item among the results.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ResultId;
    /// let lab = lab();
    /// assert_eq!(lab.result_of(lab.item("section").expect("a result")), Some(ResultId::at(1)));
    /// assert_eq!(lab.result_of(lab.item("girth").expect("a reading")), None);
    /// ```
    pub fn result_of(&self, item: ItemId) -> Option<ResultId> {
        match self.items[item].kind {
            ItemKind::Result(n) => Some(n),
            _ => None,
        }
    }

    /// Whether a section may be taught another value of an item: of a constant or reference that is
    /// one value for everybody.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// // A reading is what it is, whatever is taught.
    /// assert!(!lab.may_set(lab.item("girth").expect("a reading")));
    /// ```
    pub fn may_set(&self, item: ItemId) -> bool {
        let one = |n: ReferenceId| !self.references[n].consensus && self.references[n].key.is_none();
        matches!(self.items[item].kind, ItemKind::Reference(n) if one(n)) && !self.has_rows(item)
    }

    /// The protocol as it is taught. What is not of this protocol is left alone: whoever takes it
    /// in refuses it ([`crate::section::Section::unknown`]).
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::{Lent, Taught};
    /// let lab = lab();
    /// assert!(matches!(lab.taught(&Taught::default()), Lent::Own(_)));
    /// ```
    pub fn taught(&self, taught: &Taught) -> Lent<'_> {
        if taught.is_empty() {
            return Lent::Own(self);
        }
        let mut made = self.made.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, there)) = made.iter().find(|(of, _)| of == taught) {
            return Lent::Taught(there.clone());
        }
        if made.len() == MOST_MADE {
            made.remove(0);
        }
        let new = Arc::new(self.made_as(taught));
        made.push((taught.clone(), new.clone()));
        Lent::Taught(new)
    }

    /// Mistaken forms are made anew for every result whose formula or constants changed: a formula
    /// that is taught can be got wrong in ways of its own.
    fn made_as(&self, taught: &Taught) -> Protocol {
        let mut out = self.clone();
        let mut anew = BTreeSet::new();
        for (id, value) in &taught.constants {
            anew.extend(out.set_constant(id, *value));
        }
        for (id, name) in &taught.schools {
            anew.extend(out.teach(id, name));
        }
        for result in anew {
            let declared = out.results[result].variants.drain(..).filter(|v| matches!(v.kind, SlipKind::Declared(_)));
            let declared: Vec<Variant> = declared.collect();
            out.results[result].variants = variants(&out, result);
            out.results[result].variants.extend(declared);
        }
        for result in ResultId::each(&out.results) {
            let item = out.results[result].item;
            out.results[result].averaged = out.results.iter().any(|other| takes_mean(&other.node, item));
        }
        out
    }

    /// Takes a school's formula as that of a result; the protocol's own becomes a school, which
    /// costs nothing.
    ///
    /// `None` where the lab has no such result or school.
    fn teach(&mut self, id: &str, name: &str) -> Option<ResultId> {
        let result = self.result_of(self.item(id)?)?;
        let (at, _) = self.teachable(result).find(|(_, v)| {
            let school = name_of(v);
            school.word == name || school.name == name
        })?;
        let item = &self.items[self.results[result].item];
        let kind = SlipKind::declared("school of the lab itself");
        let own = Variant {
            kind: kind.clone(),
            subject: None,
            says: "it was worked out as the lab itself says".to_owned(),
            node: self.results[result].node.clone(),
            scale: 1.0 / item.unit.factor,
        };
        let taught = std::mem::replace(&mut self.results[result].variants[at], own);
        if !self.declared.iter().any(|(k, _)| *k == kind) {
            self.declared.push((kind, Decimal::ZERO));
        }
        let text = plain::formula(&taught.node, &|i| self.items[i].id.clone());
        let uses = taught.node.items();
        let upstream = uses.into_iter().filter(|i| matches!(self.items[*i].kind, ItemKind::Result(_))).collect();
        let spec = &mut self.results[result];
        (spec.row_local, spec.end_point) = (!mixes_rows(&taught.node), seeks_end_point(&taught.node));
        (spec.text, spec.upstream, spec.node) = (text, upstream, taught.node);
        Some(result)
    }

    /// Sets a constant; whoever still takes the value on the sheet is not charged for it. Gives the
    /// results that use it.
    ///
    /// `value` is in the unit of the constant.
    fn set_constant(&mut self, id: &str, value: f64) -> Vec<ResultId> {
        let Some(item) = self.item(id).filter(|i| self.may_set(*i)) else { return Vec::new() };
        let ItemKind::Reference(n) = self.items[item].kind else { return Vec::new() };
        let si = self.items[item].to_si(value);
        let reference = &mut self.references[n];
        let sheet: Vec<f64> = reference.entries.iter().map(ReferenceEntry::middle).collect();
        reference.short.extend(sheet.into_iter().filter(|v| *v != si));
        // Another value is known no better than the one on the sheet.
        let (says, uncertainty) =
            reference.entries.first().map_or_else(Default::default, |e| (e.says.clone(), e.uncertainty));
        reference.entries = vec![ReferenceEntry { at: String::new(), says, low: si, high: si, uncertainty }];
        reference.formula = None;
        ResultId::each(&self.results).filter(|r| self.results[*r].node.uses(item)).collect()
    }
}

/// The word of a declared slip begins with `declared:`, and that of a school's formula with
/// `declared:school `.
fn name_of(v: &Variant) -> SchoolOf<'_> {
    let word = v.kind.word();
    let name = word.strip_prefix(SCHOOL).or_else(|| word.strip_prefix("declared:")).unwrap_or(word);
    SchoolOf { word, name, says: &v.says }
}
