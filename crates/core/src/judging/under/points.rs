//! The lab's formula and the team's, worked out side by side at several made-up tables near the one
//! handed in. Two formulas that agree at all of them are one formula, however they are written;
//! that what was handed in agrees is not enough.
//!
//! Two formulas may agree at one table by chance: a sum and a mean of one reading do. At five
//! tables with all readings moved by different amounts they agree only if they are the same
//! function, but for differences that lie below 10⁻⁸ everywhere near: those are nobody's mistake.
//!
//! Everything is reproducible: how far a reading is moved hangs on its item, its row and the table
//! alone.

use std::cell::Cell;
use std::collections::HashMap;

use super::super::sheet::{Sheet, Stage};
use super::super::table::Table;
use super::super::values::{self, Env};
use crate::cell::{Formula, Leaf, Value as Held};
use crate::formula::{Context, ItemId, Node, Value, evaluate_any};
use crate::protocol::{Protocol, ReadingKind, ResultId, ResultSpec};
use crate::quantity::Nature;
use crate::reading::Number;
use crate::row::Row;

/// Made-up tables.
const POINTS: usize = 5;
/// Fewest of them that have to be worked out for two formulas to be compared.
///
/// A formula may not be defined at some of the five.
const FEWEST: usize = 3;
/// How far a made-up reading lies from the one handed in, as a share of it.
///
/// Enough that 10⁻⁸ is far exceeded by any real difference, and so little that nothing becomes
/// undefined.
const SPREAD: f64 = 0.03;
/// Most pieces of formulas that are worked out for one table: a sheet of twenty mistaken results
/// needs about half of it.
const MOST_WORK: usize = 8_000_000;
/// Within what share of one another two values are one.
///
/// Eight figures: a chain of twenty operations loses seven digits of sixteen at most.
const SAME: f64 = 1e-8;

/// Made-up tables near one that was handed in.
///
/// `left` is counted down by what is worked out, so that a table of endless formulas ends.
pub(super) struct Points<'a> {
    /// Gives the items and units of the cells that a formula reads.
    pub(super) protocol: &'a Protocol,
    /// What the table gives.
    sheet: &'a Sheet,
    /// Values of each made-up table, SI.
    envs: Vec<Env>,
    /// Factor and shift from the unit written in a cell to the protocol's, by item and row.
    conversions: HashMap<(ItemId, Option<Row>), (f64, f64)>,
    /// What stands in the cells of results, in the unit written there.
    typed: HashMap<(ItemId, Option<Row>), f64>,
    /// Pieces of formulas that may still be worked out; `None` once that was too little.
    left: Cell<Option<usize>>,
}

impl<'a> Points<'a> {
    /// The made-up tables near the one handed in: every reading moved by a few per cent, counts by
    /// whole numbers, in the same way each time.
    ///
    /// `sheet` is worked out from the table; which rows are left out is the same at all made-up
    /// tables.
    pub(super) fn of(stage: Stage<'a>, table: &Table, sheet: &'a Sheet) -> Points<'a> {
        let protocol = stage.protocol;
        let envs = (0..POINTS).map(|k| {
            let mut env = sheet.measured.clone();
            for reading in &table.readings {
                let count = protocol.reading_of(reading.item).is_some_and(|r| r.kind == ReadingKind::Count);
                let moved = |n: usize, v: f64| beside(v, reading.item, n, k, count);
                match &mut env[reading.item] {
                    Some(Value::Scalar(v)) => *v = moved(0, *v),
                    Some(Value::Column(xs)) => {
                        xs.iter_mut().enumerate().for_each(|(n, x)| *x = x.map(|v| moved(n, v)));
                    }
                    _ => {}
                }
            }
            values::chain(protocol, &mut env, &sheet.out, table);
            env
        });
        Points {
            protocol,
            sheet,
            envs: envs.collect(),
            conversions: conversions(table),
            typed: HashMap::new(),
            left: Cell::new(Some(MOST_WORK)),
        }
    }

    /// What a cell of the sheet holds in a made-up table, in the unit written there; a cell of the
    /// team's own what it holds.
    ///
    /// Readings are in the unit in which the team wrote them, since its formula reads what is
    /// typed.
    fn held(&self, k: usize, leaf: &Leaf) -> Held {
        let Some((id, row)) = &leaf.item else { return leaf.value.clone() };
        let Some(item) = self.protocol.item(id) else { return leaf.value.clone() };
        let it = &self.protocol.items[item];
        let row = row.and_then(Row::numbered);
        let at = row.map(Row::index);
        let Some(value) = self.envs[k][item].as_ref().and_then(|v| v.at(at)) else { return leaf.value.clone() };
        let (factor, shift) = self.conversion(item, row);
        let written = (it.from_si(*value) - shift) / factor;
        match leaf.value {
            // Sums pass over a number kept as a text, here as there.
            Held::Text(_) => Held::Text(format!("{written}")),
            _ => Held::Number(written),
        }
    }

    /// What a number on the sheet has to be multiplied by, and what is then added, to be in the
    /// unit of its item.
    ///
    /// One and nought where the cell has the item's own unit.
    fn conversion(&self, item: ItemId, row: Option<Row>) -> (f64, f64) {
        self.conversions.get(&(item, row)).copied().unwrap_or((1.0, 0.0))
    }

    /// What a team's formula gives in a made-up table, in the unit of the result's item; `None`
    /// where it gives no number.
    ///
    /// `k` is the number of the made-up table. Work that is not left is `None` too;
    /// [`Points::is_spent`] tells.
    pub(super) fn theirs_at(&self, place: Place<'_>, formula: &Formula, k: usize) -> Option<f64> {
        // A table of endless formulas ends all the same.
        let Some(left) = self.left.get().and_then(|left| left.checked_sub(formula.pieces)) else {
            self.left.set(None);
            return None;
        };
        self.left.set(Some(left));
        let (factor, shift) = self.conversion(place.spec.item, place.number());
        match formula.with(&|n| self.held(k, &formula.leaves[n])) {
            Held::Number(v) => Some(v * factor + shift),
            _ => None,
        }
    }

    /// Whether there was more to work out than is worked out, so that nothing is known of what
    /// differs.
    pub(super) fn is_spent(&self) -> bool {
        self.left.get().is_none()
    }

    /// The same in all of them.
    pub(super) fn theirs(&self, place: Place<'_>, formula: &Formula) -> Vec<Option<f64>> {
        (0..POINTS).map(|k| self.theirs_at(place, formula, k)).collect()
    }

    /// What the lab's formula gives in each made-up table, in the unit of the result's item.
    ///
    /// By made-up table, in order.
    pub(super) fn right(&self, place: Place<'_>) -> Vec<Option<f64>> {
        let item = &self.protocol.items[place.spec.item];
        let value = |env: &Env| env[place.spec.item].as_ref()?.at(place.row).map(|v| item.from_si(*v));
        self.envs.iter().map(value).collect()
    }

    /// The values that another formula over the lab's items is worked out with: of a row that
    /// depends on itself alone its own.
    pub(super) fn seen_from(&self, place: Place<'_>) -> Vec<Env> {
        let own = place.row.filter(|_| place.spec.row_local);
        self.envs.iter().map(|env| own.map_or_else(|| env.clone(), |r| values::sliced(env, r))).collect()
    }

    /// What such a formula gives with them, times `scale`.
    ///
    /// `scale` is as in [`crate::protocol::Variant`]: one over the unit's factor for the lab's own
    /// formula.
    pub(super) fn other_at(&self, place: Place<'_>, env: &Env, (node, scale): (&Node, f64)) -> Option<f64> {
        let item = &self.protocol.items[place.spec.item];
        let shift = if item.nature == Nature::Point { item.unit.offset / item.unit.factor } else { 0.0 };
        let value = evaluate_any(node, &Context::without(env, &self.sheet.out)).ok()?;
        value.at(place.row).map(|v| v * scale - shift).filter(|v| v.is_finite())
    }

    /// The value of an item, or of a row of it, in each made-up table, in its unit.
    pub(super) fn item(&self, item: ItemId, row: Option<usize>) -> Vec<Option<f64>> {
        let it = &self.protocol.items[item];
        self.envs.iter().map(|env| env[item].as_ref()?.at(row).map(|v| it.from_si(*v))).collect()
    }
}

/// A result that is looked at: one row of a column (from 0), or a single one.
#[derive(Clone, Copy)]
pub(super) struct Place<'a> {
    /// Which of the lab's results it is.
    pub(super) id: ResultId,
    /// The result as the lab has it.
    pub(super) spec: &'a ResultSpec,
    /// Its row, from 0.
    pub(super) row: Option<usize>,
}

impl Place<'_> {
    /// Its row from 1.
    pub(super) fn number(&self) -> Option<Row> {
        self.row.map(Row::at)
    }
}

/// Whether two formulas agree in every made-up table that they can be worked out in; `None` where
/// those are too few. Where only one of the two gives a number they are two formulas. The first
/// difference ends it, since most formulas differ at once.
///
/// `a` and `b` give the value at the made-up table of a number. Most formulas differ at the first.
pub(super) fn agree(a: &dyn Fn(usize) -> Option<f64>, b: &dyn Fn(usize) -> Option<f64>) -> Option<bool> {
    let mut both = 0;
    for k in 0..POINTS {
        match (a(k), b(k)) {
            (Some(a), Some(b)) if (a - b).abs() <= SAME * a.abs().max(b.abs()) => both += 1,
            (None, None) => {}
            _ => return Some(false),
        }
    }
    (both >= FEWEST).then_some(true)
}

/// A value beside one, by as much as its place says: the same in every run.
///
/// A count is moved up by one to seven, everything else by up to three per cent to either side.
/// Nought is moved to a small number, so that a product with it says something.
fn beside(value: f64, item: ItemId, n: usize, k: usize, count: bool) -> f64 {
    // SplitMix64 (Steele, Lea and Flood 2014) spreads neighbouring places apart.
    let mut z = ((item.index() as u64) << 40 ^ (n as u64) << 8 ^ k as u64).wrapping_add(0x9e37_79b9_7f4a_7c15);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^= z >> 31;
    let share = (z >> 11) as f64 / (1u64 << 53) as f64;
    if count {
        return value + 1.0 + (share * 7.0).floor();
    }
    if value == 0.0 { SPREAD * (0.5 + share) * 1e-3 } else { value * (1.0 + SPREAD * (2.0 * share - 1.0)) }
}

/// What a number with its sign for hundredths is multiplied by to be what its cell holds: 1 without
/// the sign.
pub(super) fn hundredths(number: &Number) -> f64 {
    if number.unit.as_ref().is_some_and(|u| u.text == "%") { 0.01 } else { 1.0 }
}

/// How a number as written becomes one in the protocol's unit, where the two differ.
///
/// The shift is that of Celsius and Fahrenheit alone; below 10⁻⁹ of the value it is rounding.
fn conversions(table: &Table) -> HashMap<(ItemId, Option<Row>), (f64, f64)> {
    let mut out = HashMap::new();
    for reading in &table.readings {
        for cell in &reading.cells {
            let (Some(number), Some(value)) = (&cell.number, cell.value) else { continue };
            let factor = if number.resolution > 0.0 { cell.resolution / number.resolution } else { 1.0 };
            let shift = value - number.value * factor;
            let shift = if shift.abs() <= 1e-9 * value.abs() { 0.0 } else { shift };
            out.insert((reading.item, cell.row), (factor / hundredths(number), shift));
        }
    }
    out
}

impl Points<'_> {
    /// Adds how results were converted.
    pub(super) fn with_results(mut self, protocol: &Protocol, table: &Table) -> Self {
        for (spec, rows) in protocol.results.iter().zip(&table.reported) {
            for (n, reported) in rows.iter().enumerate() {
                let (Some(number), Some(value)) = (&reported.number, reported.value) else { continue };
                let shift = value - number.value * reported.scale;
                let shift = if shift.abs() <= 1e-9 * value.abs() { 0.0 } else { shift };
                let row = spec.table.map(|_| Row::at(n));
                let share = hundredths(number);
                self.conversions.insert((spec.item, row), (reported.scale / share, shift));
                self.typed.insert((spec.item, row), number.value * share);
            }
        }
        self
    }
}

impl Points<'_> {
    /// How many rows a column has.
    ///
    /// Nought for what is no column.
    pub(super) fn rows(&self, item: ItemId) -> usize {
        match self.envs.first().and_then(|e| e[item].as_ref()) {
            Some(Value::Column(xs)) => xs.len(),
            _ => 0,
        }
    }

    /// The value of a constant or parameter as the table has it, in its unit.
    ///
    /// `None` for a column of constants.
    pub(super) fn given(&self, item: ItemId) -> Option<f64> {
        self.sheet.measured[item].as_ref()?.scalar().map(|v| self.protocol.items[item].from_si(*v))
    }

    /// The value of an item as the table has it, in the unit written in its cell.
    ///
    /// What the team typed for a result, else what follows from the readings.
    pub(super) fn written(&self, item: ItemId, row: Option<usize>) -> Option<f64> {
        let number = row.map(Row::at);
        if let Some(typed) = self.typed.get(&(item, number)) {
            return Some(*typed);
        }
        let value = self.sheet.clean[item].as_ref()?.at(row)?;
        let (factor, shift) = self.conversion(item, row.map(Row::at));
        Some((self.protocol.items[item].from_si(*value) - shift) / factor)
    }

    /// The number of a cell of the sheet among the leaves of a formula, put there if it is not;
    /// `None` of what has no cell.
    ///
    /// A constant of the lab has no cell, and gets a leaf that holds it.
    pub(super) fn leaf(&self, formula: &mut Formula, item: ItemId, row: Option<usize>) -> Option<usize> {
        let it = &self.protocol.items[item];
        if !self.protocol.is_typed(item) {
            // A constant has no cell on the sheet: a leaf that holds it.
            let value = self.given(item)?;
            formula.leaves.push(Leaf { address: String::new(), item: None, value: Held::Number(value) });
            return Some(formula.leaves.len() - 1);
        }
        let place = (it.id.clone(), row.map(|n| Row::at(n).number()));
        let known = formula.leaves.iter().position(|l| l.item.as_ref() == Some(&place));
        Some(known.unwrap_or_else(|| {
            formula.leaves.push(Leaf { address: String::new(), item: Some(place), value: Held::Number(0.0) });
            formula.leaves.len() - 1
        }))
    }
}
