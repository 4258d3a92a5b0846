//! Constants and references of the file: single values, ranges, values by a key, formulas.
//!
//! Constants and references as the file has them: one value, a range, a value for each object, or a
//! function of what was measured.
//!
//! ```toml
//! [[reference]]
//! id = "rod_density"
//! title = "density of the rod"
//! unit = "g/cm^3"
//! source = "certificate of the supplier"
//! key = "rod"
//!
//! [reference.at]
//! R1 = { says = "naval brass", value = 8.41, uncertainty = 0.01 }
//! R2 = { says = "aluminium alloy", range = [2.68, 2.72] }
//! ```
//!
//! A reference that goes by a key has a value for each value of that key; a table whose key has
//! none is told so, and its accuracy waits.

use super::apparatus::blank;
use super::loading::{Loader, Names};
use super::source::{self, Number, Spanned};
use super::{Item, ItemKind, Key, Reference, ReferenceEntry, TableSpec};
use crate::formula::Shape;
use crate::protocol::ReferenceId;
use crate::quantity::Unit;

impl Loader<'_> {
    /// Constants first, then references, in the order of the file.
    pub(super) fn references(
        &mut self,
        file: &source::File,
        keys: &[Key],
        names: &Names,
        tables: &[TableSpec],
    ) -> Vec<Reference> {
        file.constant
            .iter()
            .chain(&file.reference)
            .enumerate()
            .map(|(n, r)| self.reference(n, r, keys, names, tables))
            .collect()
    }

    /// One constant or reference with its values in SI units. What goes by the key of a row is a
    /// column of that row's table.
    fn reference(
        &mut self,
        n: usize,
        r: &source::Reference,
        keys: &[Key],
        names: &Names,
        tables: &[TableSpec],
    ) -> Reference {
        let unit = self.unit(&r.unit);
        if r.source.get_ref().trim().is_empty() {
            let what = format!("the reference `{}` names no source", r.id.get_ref());
            self.fault(r.source.span().start, what, "say where its value comes from");
        }
        let key = r.key.as_ref().map(|k| self.find(k, &names.keys, "key"));
        let entries = match key.and_then(|k| keys.get(k)) {
            None => self.single(r, &unit),
            Some(key) => self.by_key(r, key, &unit),
        };
        // A value by a key of the row is a column of that table.
        let table = key.and_then(|k| tables.iter().position(|t| t.key == Some(k)));
        let short = r.short.iter().map(|v| unit.to_si(*v, unit.nature)).collect();
        let rows = table.map_or(Shape::Scalar, |t| Shape::Column(t as u16));
        let (nature, shape) = (unit.nature, self.roundness(r.shape.as_ref()));
        let made = blank(r.id.get_ref(), &r.title, &r.symbol, unit, ItemKind::Reference(ReferenceId::at(n)));
        let item = Item { nature, rows, shape, ..made };
        Reference {
            item: self.add_item(item, r.id.span().start),
            key,
            source: r.source.get_ref().clone(),
            entries,
            short,
            formula: None,
            consensus: r.consensus,
        }
    }

    /// The one value of a reference without a key; none where it is worked out.
    ///
    /// What is worked out, or agreed upon by the class, has no value beforehand.
    fn single(&mut self, r: &source::Reference, unit: &Unit) -> Vec<ReferenceEntry> {
        let (at, id) = (r.id.span().start, r.id.get_ref());
        if r.formula.is_some() || r.consensus {
            if r.value.is_some() || r.range.is_some() {
                self.fault(at, format!("the reference `{id}` has both a formula and a value"), "keep one of them");
            }
            return Vec::new();
        }
        let ends = self.ends(r.value.as_ref(), r.range.as_ref(), at, id);
        let uncertainty = self.spread(r.uncertainty.as_ref());
        vec![entry(("", ""), ends, uncertainty, unit)]
    }

    /// The values of a reference by a key, each value of the key once.
    ///
    /// Each value of the key needs one, so that no station is without.
    fn by_key(&mut self, r: &source::Reference, key: &Key, unit: &Unit) -> Vec<ReferenceEntry> {
        let id = r.id.get_ref();
        let mut entries: Vec<ReferenceEntry> = Vec::new();
        for (value, written) in &r.at {
            if !key.values.contains(value.get_ref()) {
                self.fault(
                    value.span().start,
                    format!("the key `{}` has no value `{}`", key.id, value.get_ref()),
                    format!("it may be {}", key.values.join(", ")),
                );
            }
            let ends = self.ends(written.value.as_ref(), written.range.as_ref(), value.span().start, id);
            let uncertainty = self.spread(written.uncertainty.as_ref().or(r.uncertainty.as_ref()));
            entries.push(entry((value.get_ref(), &written.says), ends, uncertainty, unit));
        }
        // What the class agrees on is not known beforehand.
        let derived = r.formula.is_some() || r.consensus;
        for value in key.values.iter().filter(|_| !derived) {
            if !entries.iter().any(|e| &e.at == value) {
                self.fault(
                    r.id.span().start,
                    format!("the reference `{id}` has no value for {} {value}", key.id),
                    format!("add `{value} = {{ value = … }}` under [reference.at]"),
                );
            }
        }
        entries
    }

    /// Formulas of conditions, once the conditions are known.
    pub(super) fn finish_references(&mut self, file: &source::File, references: &mut [Reference]) {
        for (n, w) in file.constant.iter().chain(&file.reference).enumerate() {
            let Some(text) = &w.formula else { continue };
            let Some(node) = self.formula(text, w.id.get_ref()) else { continue };
            let item = &self.items[references[n].item];
            if node.dimension != item.unit.dimension || node.shape != Shape::Scalar {
                self.fault(
                    text.span().start,
                    format!("`{}` comes out as {}, which is not {}", w.id.get_ref(), node.dimension, item.unit.text),
                    "mend the formula or the unit",
                );
            }
            references[n].formula = Some(node);
        }
    }

    /// A standard uncertainty; nought where none is given.
    fn spread(&mut self, uncertainty: Option<&Number>) -> f64 {
        uncertainty.map_or(0.0, |u| self.positive(u, "the uncertainty"))
    }

    /// A value has both ends alike. One of the two has to be there, and only one.
    pub(super) fn ends(
        &mut self,
        value: Option<&Number>,
        range: Option<&Spanned<[f64; 2]>>,
        at: usize,
        id: &str,
    ) -> (f64, f64) {
        match (value, range) {
            (Some(v), None) if v.get_ref().is_finite() => (*v.get_ref(), *v.get_ref()),
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
}

/// An entry in SI from what is written in `unit`.
///
/// The uncertainty is an amount and has no shift.
fn entry((at, says): (&str, &str), (low, high): (f64, f64), uncertainty: f64, unit: &Unit) -> ReferenceEntry {
    ReferenceEntry {
        at: at.to_owned(),
        says: says.to_owned(),
        low: unit.to_si(low, unit.nature),
        high: unit.to_si(high, unit.nature),
        uncertainty: uncertainty * unit.factor,
    }
}
