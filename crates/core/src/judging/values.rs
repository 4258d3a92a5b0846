//! The values a formula can use: readings, constants and references of a table, and results worked
//! out from them.
//!
//! An `Env` holds one value for each item of the lab, in coherent SI units, and nothing for an item
//! that was not measured or cannot be worked out. Three of them are in use for a table:
//!
//! - *measured*: readings, parameters, constants and references;
//! - *clean*: these and every result as it follows from them;
//! - *reported*: these and every result as the team wrote it, so that what follows from it can be
//!   followed.
//!
//! A story about a table is told by another value in one place. It is lent to the formula instead
//! of the item's own ([`Tried`]), so that nothing is copied for a trial.

use super::table::{Table, parameter};
use crate::formula::figures::Figured;
use crate::formula::{Context, ItemId, Shape, Value, evaluate_any};
use crate::protocol::{ItemKind, Protocol, ReferenceEntry, ReferenceId};
use crate::quantity::{Nature, leading_place};
use crate::section::Section;
use crate::submission::Submission;
use crate::verdict::{CellState, JudgedReading};

/// Values by item, coherent SI units.
pub(super) type Env = Vec<Option<Value<f64>>>;

/// Rows left out of what makes one value of a column, by the columns' group.
pub(super) type Out = Vec<(u16, Vec<bool>)>;

/// Computed numbers are compared with this slack: 1e-9 of the half-step and 1e-13 of the values.
///
/// `difference` is that of two values `a` and `b`; all have one unit. The slack keeps a value at
/// the very edge from being decided by the last bit of a sum: 0.1 + 0.2 beside 0.3.
pub(super) fn within(difference: f64, bound: f64, half_step: f64, a: f64, b: f64) -> bool {
    difference.is_finite() && difference.abs() <= bound + 1e-9 * half_step + 1e-13 * a.abs().max(b.abs())
}

/// Puts a value (SI) in its place: a row of a column, or the single value.
///
/// A row beyond the column is left alone.
pub(super) fn put(env: &mut Env, item: ItemId, row: Option<usize>, value: f64) {
    match (row, &mut env[item]) {
        (Some(r), Some(Value::Column(xs))) => {
            if let Some(x) = xs.get_mut(r) {
                *x = Some(value);
            }
        }
        (_, place) => *place = Some(Value::Scalar(value)),
    }
}

/// An item's value (SI) with another one in its place: in a row of a column, or as the single
/// value.
pub(super) fn replaced(env: &Env, item: ItemId, row: Option<usize>, value: f64) -> Value<f64> {
    match (row, &env[item]) {
        (Some(r), Some(Value::Column(xs))) => {
            let mut xs = xs.clone();
            if let Some(x) = xs.get_mut(r) {
                *x = Some(value);
            }
            Value::Column(xs)
        }
        _ => Value::Scalar(value),
    }
}

/// Values to work a formula out from: those of a table, and one that is tried instead of its own.
#[derive(Clone, Copy)]
pub(super) struct Tried<'a> {
    /// Values of everything, SI.
    pub(super) env: &'a Env,
    /// The item that is tried, and the value it is tried with.
    pub(super) instead: Option<(ItemId, &'a Value<f64>)>,
}

impl<'a> Tried<'a> {
    /// The values as they are.
    pub(super) fn plainly(env: &'a Env) -> Tried<'a> {
        Tried { env, instead: None }
    }

    /// The values with another one for an item.
    pub(super) fn with(env: &'a Env, item: ItemId, value: &'a Value<f64>) -> Tried<'a> {
        Tried { env, instead: Some((item, value)) }
    }

    /// What a formula is worked out in, some rows left out.
    pub(super) fn context(self, out: &'a Out) -> Context<'a, f64> {
        Context { instead: self.instead, ..Context::without(self.env, out) }
    }
}

/// Values of readings, parameters, constants and references.
///
/// Readings that a story repaired have the value of the story. A word is its number in its item's
/// list.
pub(super) fn measured(protocol: &Protocol, section: &Section, submission: &Submission, table: &Table) -> Env {
    let mut env: Env = ItemId::with(&protocol.items)
        .map(|(i, item)| match item.kind {
            ItemKind::Reading(r) => reading(protocol, i, &table.readings[r]),
            ItemKind::Parameter(_) => Some(Value::Scalar(parameter(protocol, section, i))),
            ItemKind::Reference(r) => by_key(protocol, r, submission, table),
            ItemKind::Result(_) | ItemKind::Hidden => None,
        })
        .collect();
    // A function of conditions is worked out once they are known; where one was not taken, in the middle of its band.
    for (n, reference) in ReferenceId::with(&protocol.references) {
        if reference.formula.is_some() {
            env[reference.item] = function(protocol, n, &env).map(|(low, high)| Value::Scalar((low + high) / 2.0));
        }
    }
    env
}

/// A reading's values in SI units, repaired where a story repaired them; a column has a gap for
/// every cell without one.
fn reading(protocol: &Protocol, item: ItemId, reading: &JudgedReading) -> Option<Value<f64>> {
    let it = &protocol.items[item];
    let value = |c: &crate::verdict::JudgedCell| c.repaired.or(c.value).map(|v| it.to_si(v));
    match (it.rows, it.words.is_some()) {
        (Shape::Scalar, false) => reading.cells.first().and_then(value).map(Value::Scalar),
        (Shape::Scalar, true) => reading.cells.first().and_then(|c| c.word).map(Value::Word),
        (Shape::Column(_), true) => Some(Value::Words(reading.cells.iter().map(|c| c.word).collect())),
        (Shape::Column(_), false) => {
            let column: Vec<Option<f64>> = reading.cells.iter().map(value).collect();
            column.iter().any(Option::is_some).then_some(Value::Column(column))
        }
    }
}

/// A reference's value in SI units: its only entry, the one of the table's key, or by row the one
/// of the row's key.
///
/// `None` where the table has no such key, or the key has a value that no entry is for: such a
/// table is told so elsewhere, and what follows from the reference is not checked.
fn by_key(protocol: &Protocol, n: ReferenceId, submission: &Submission, table: &Table) -> Option<Value<f64>> {
    let reference = &protocol.references[n];
    match (reference.key, protocol.items[reference.item].rows) {
        (None, _) => reference.entries.first().map(|e| Value::Scalar(e.middle())),
        (Some(_), Shape::Column(t)) => {
            let entry = |key: &Option<String>| {
                key.as_ref().and_then(|k| reference.entries.iter().find(|e| &e.at == k)).map(ReferenceEntry::middle)
            };
            Some(Value::Column(table.rows.get(usize::from(t))?.keys.iter().map(entry).collect()))
        }
        (Some(k), Shape::Scalar) => {
            let value = submission.keys.get(&protocol.keys[k].id)?;
            reference.entries.iter().find(|e| &e.at == value).map(|e| Value::Scalar(e.middle()))
        }
    }
}

/// Lower and upper end of a function of conditions, SI; alike where every condition was taken.
///
/// All corners of the bands are tried, of four conditions at most: 16 workings. `None` where the
/// formula is not defined at a corner.
fn function(protocol: &Protocol, n: ReferenceId, env: &Env) -> Option<(f64, f64)> {
    let reference = &protocol.references[n];
    let node = reference.formula.as_ref()?;
    let bands: Vec<(ItemId, (f64, f64))> = node
        .items()
        .into_iter()
        .filter(|i| env[*i].is_none())
        .filter_map(|i| {
            let band = protocol.reading_of(i)?.fallback?;
            Some((i, (protocol.items[i].to_si(band.0), protocol.items[i].to_si(band.1))))
        })
        .take(4)
        .collect();
    let mut env = env.clone();
    let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
    for corner in 0..1u32 << bands.len() {
        for (k, (item, band)) in bands.iter().enumerate() {
            env[*item] = Some(Value::Scalar(if corner >> k & 1 == 0 { band.0 } else { band.1 }));
        }
        let v = *evaluate_any(node, &Context::exact(&env)).ok()?.scalar()?;
        (low, high) = (low.min(v), high.max(v));
    }
    (low.is_finite() && high.is_finite()).then_some((low, high))
}

/// The entry of a reference for this table, or for one of its rows (from 0).
///
/// `env` has to hold the conditions. The entry of a function has no name, and its range is that of
/// the conditions that were not taken.
pub(super) fn reference_entry(
    protocol: &Protocol,
    n: ReferenceId,
    submission: &Submission,
    table: &Table,
    env: &Env,
    row: Option<usize>,
) -> Option<ReferenceEntry> {
    let reference = &protocol.references[n];
    if reference.formula.is_some() {
        // Conditions are readings: results are out of its reach only while they are not known.
        let (low, high) = function(protocol, n, env)?;
        return Some(ReferenceEntry { at: String::new(), says: String::new(), low, high, uncertainty: 0.0 });
    }
    let key = match (reference.key, protocol.items[reference.item].rows) {
        (None, _) => return reference.entries.first().cloned(),
        (Some(_), Shape::Column(t)) => table.rows.get(usize::from(t))?.keys.get(row?)?.as_ref()?,
        (Some(k), Shape::Scalar) => submission.keys.get(&protocol.keys[k].id)?,
    };
    reference.entries.iter().find(|e| &e.at == key).cloned()
}

/// Works out every number result from what is known, in the order they are derived.
///
/// Results are in the order in which they are derived, so that one pass suffices.
pub(super) fn chain(protocol: &Protocol, env: &mut Env, out: &Out, table: &Table) {
    for spec in &protocol.results {
        if protocol.items[spec.item].words.is_none() {
            env[spec.item] = derive(protocol, spec, env, out, table);
        }
    }
}

/// One result from the values so far; a column where it is one.
///
/// A row that is not defined is a gap in the column; a column of gaps alone is no value. Cost: one
/// working of the formula.
pub(super) fn derive(
    protocol: &Protocol,
    spec: &crate::protocol::ResultSpec,
    env: &Env,
    out: &Out,
    table: &Table,
) -> Option<Value<f64>> {
    let value = evaluate_any(&spec.node, &Context::without(env, out)).ok()?;
    match (protocol.items[spec.item].rows, value) {
        // One value for all rows of a table.
        (Shape::Column(t), Value::Scalar(v)) => {
            Some(Value::column(vec![v; table.rows.get(usize::from(t)).map_or(1, |r| r.there)]))
        }
        (_, value) => Some(value),
    }
}

/// The values of one row: every column becomes the single value that stands in it.
///
/// A row that is not there leaves nothing. Single values stay, since they belong to every row.
pub(super) fn sliced(env: &Env, row: usize) -> Env {
    env.iter()
        .map(|v| match v {
            Some(Value::Column(xs)) => xs.get(row).copied().flatten().map(Value::Scalar),
            Some(Value::Words(ws)) => ws.get(row).copied().flatten().map(Value::Word),
            Some(other) => Some(other.clone()),
            None => None,
        })
        .collect()
}

/// Values of the cells that count, in the protocol's unit.
///
/// A repaired reading counts with its repaired value.
pub(super) fn counted_values(reading: &JudgedReading) -> impl Iterator<Item = f64> + '_ {
    reading.cells.iter().filter(|c| c.counts).filter_map(|c| c.repaired.or(c.value))
}

/// The place of a reading's last figure, SI: it has as many figures there as on the sheet, whatever
/// its unit.
///
/// 36.5 psi has three figures, and so has 251 658 Pa: the place is found from the figures where the
/// factor is no power of ten. A Celsius point keeps its place, since a shift changes no place.
fn place_in_si(item: &crate::protocol::Item, cell: &crate::verdict::JudgedCell) -> i32 {
    let value = cell.repaired.or(cell.value).unwrap_or(0.0);
    let decimal = (item.unit.factor.log10() - item.unit.factor.log10().round()).abs() < 1e-9;
    if decimal || value == 0.0 || item.nature == Nature::Point {
        return leading_place(cell.resolution * item.unit.factor);
    }
    let figures = leading_place(value) - leading_place(cell.resolution) + 1;
    leading_place(item.to_si(value)) - figures + 1
}

/// The same values as [`measured`] and all that follows, with their last significant places.
///
/// Words have no figures. What cannot be worked out has none, as in [`chain`].
pub(super) fn figured(
    protocol: &Protocol,
    readings: &[JudgedReading],
    env: &Env,
    out: &Out,
) -> Vec<Option<Value<Figured>>> {
    let mut figured = figured_readings(protocol, readings, env);
    for spec in protocol.results.iter().filter(|s| protocol.items[s.item].words.is_none()) {
        figured[spec.item] = evaluate_any(&spec.node, &Context::without(&figured, out)).ok();
    }
    figured
}

/// How many figures each reading has, for the rules by which figures are counted; a count and a
/// setting are exact.
///
/// What is exact never limits a result: a count of swings, a parameter, a tabulated value without
/// an uncertainty.
fn figured_readings(protocol: &Protocol, readings: &[JudgedReading], env: &Env) -> Vec<Option<Value<Figured>>> {
    ItemId::with(&protocol.items)
        .map(|(i, item)| match item.kind {
            ItemKind::Reading(r) if item.words.is_none() => {
                let place = |c: &crate::verdict::JudgedCell| match c.state {
                    // A count is exact.
                    CellState::Read if protocol.readings[r].instrument.is_none() => None,
                    _ => Some(place_in_si(item, c)),
                };
                let one = |c: &crate::verdict::JudgedCell| {
                    c.repaired.or(c.value).map(|v| Figured { value: item.to_si(v), place: place(c) })
                };
                match item.rows {
                    Shape::Scalar => readings[r].cells.first().and_then(one).map(Value::Scalar),
                    Shape::Column(_) => Some(Value::Column(readings[r].cells.iter().map(one).collect())),
                }
            }
            // A constant that was measured ends where its uncertainty begins.
            ItemKind::Reference(r) if protocol.references[r].entries.iter().any(|e| e.uncertainty > 0.0) => {
                let reference = &protocol.references[r];
                let one = |v: &f64| {
                    let entry = reference.entries.iter().find(|e| e.middle() == *v && e.uncertainty > 0.0);
                    Figured { value: *v, place: entry.map(|e| leading_place(e.uncertainty)) }
                };
                match &env[i] {
                    Some(Value::Scalar(v)) => Some(Value::Scalar(one(v))),
                    Some(Value::Column(xs)) => Some(Value::Column(xs.iter().map(|x| x.as_ref().map(one)).collect())),
                    _ => None,
                }
            }
            // A tabulated value or a parameter is taken as exact: its range is the reference's own business.
            _ => match &env[i] {
                Some(Value::Scalar(v)) => Some(Value::Scalar(Figured { value: *v, place: None })),
                Some(Value::Column(xs)) => {
                    Some(Value::Column(xs.iter().map(|x| x.map(|value| Figured { value, place: None })).collect()))
                }
                Some(Value::Word(w)) => Some(Value::Word(*w)),
                Some(Value::Words(ws)) => Some(Value::Words(ws.clone())),
                None => None,
            },
        })
        .collect()
}
