//! Several readings written wrongly by one act, while everything was worked out with the right
//! ones: a column in another unit or off by a constant, rows or columns in each other’s place.
//!
//! | act | example | asks |
//! |---|---|---|
//! | another unit | a column of inches read as millimetres | another result than this column |
//! | an offset | a pointer that stood at 2 before the first reading | another result than this column |
//! | rows exchanged | rows 3 and 4 have each other's mass | this row |
//! | columns exchanged | height and width in each other's place | another result, or this row |
//!
//! Each is one act of a person and one repair of the sheet, however many cells it has.

use super::super::values::{Tried, put};
use super::LONGEST_TRIED;
use super::maker::{Maker, Story};
use crate::finding::Clause;
use crate::formula::{ItemId, Shape, Value};
use crate::protocol::{ItemKind, ReadingId, ReadingKind, SlipKind};
use crate::quantity::unit_pairs;
use crate::repair::{Repair, Rewriting};
use crate::row::Row;

/// Weights of the acts, as in [`super::acts`].
const OTHER_UNIT: f64 = 0.03;
const OFFSET: f64 = 0.02;
const EXCHANGED_ROWS: f64 = 0.015;
const EXCHANGED_COLUMNS: f64 = 0.015;

/// How loud something besides the result's own column has to ask: twice as likely.
const ASKS: f64 = std::f64::consts::LN_2;

/// A column of readings: its item, its number among the readings, and its values in its unit, by
/// row.
///
/// A cell that cannot be read has no value.
struct Column {
    /// Item whose rows these are.
    item: ItemId,
    /// Its number among the readings.
    reading: ReadingId,
    /// By row, in its unit.
    values: Vec<Option<f64>>,
}

/// A column of values that the sheet may have been meant to have, by item.
type Meant = Vec<(ItemId, Vec<Option<f64>>)>;

impl Maker<'_> {
    /// Every act that writes several readings wrongly at once, over the columns that the result
    /// uses: another unit, a constant offset, rows or columns in each other's place.
    pub(super) fn rewritten(&mut self) {
        let columns = self.columns();
        for column in &columns {
            self.other_unit(column);
            self.offset(column);
            self.exchanged_rows(column);
            for other in &columns {
                self.exchanged_columns(column, other);
            }
        }
    }

    /// The columns of readings that the result uses.
    ///
    /// Columns of 2 to 60 rows that were read as numbers and that no story has touched.
    fn columns(&self) -> Vec<Column> {
        let case = self.case;
        let mut out = Vec::new();
        for item in self.spec().node.items() {
            let it = &case.protocol.items[item];
            let (ItemKind::Reading(r), Shape::Column(_)) = (it.kind, it.rows) else { continue };
            let spec = &case.protocol.readings[r];
            let cells = &case.readings[r].cells;
            let tried = (2..=LONGEST_TRIED).contains(&cells.len()) && spec.kind == ReadingKind::Number;
            // What is repaired already is as it was meant.
            if tried && spec.table.is_some() && cells.iter().all(|c| c.repaired.is_none()) {
                let values = cells.iter().map(|c| c.value.filter(|v| v.is_finite())).collect();
                out.push(Column { item, reading: r, values });
            }
        }
        out
    }

    /// Whether all values of a column could be read.
    ///
    /// Without a range everything is.
    fn plausible(&self, column: &Column, values: &[Option<f64>]) -> bool {
        let range = self.case.protocol.readings[column.reading].plausible;
        range.is_none_or(|(low, high)| values.iter().flatten().all(|v| (low..=high).contains(v)))
    }

    /// The numbers of the column are those of another unit.
    ///
    /// Only units of the same dimension that people confuse are tried ([`unit_pairs`]).
    fn other_unit(&mut self, column: &Column) {
        let it = &self.case.protocol.items[column.item];
        let pairs = unit_pairs(it.unit.dimension);
        let weight = OTHER_UNIT / pairs.len().max(1) as f64;
        for (factor, words) in pairs {
            let meant: Vec<Option<f64>> = column.values.iter().map(|v| v.map(|v| v * *factor)).collect();
            if !self.plausible(column, &meant) {
                continue;
            }
            let clause = Clause::OtherUnit { item: column.item, units: words.clone() };
            self.act(Rewriting::Unit { factor: *factor }, vec![(column.item, meant)], clause, weight);
        }
    }

    /// Every reading of the column is off by the constant that this row asks for.
    ///
    /// The offset is a whole number of graduations: what a pointer can be off by. One of up to five
    /// graduations has the whole weight; the more values of the scale it might have been, the less.
    fn offset(&mut self, column: &Column) {
        let case = self.case;
        let spec = &case.protocol.readings[column.reading];
        let here = case.row.filter(|_| case.sliced).and_then(|n| column.values.get(n).copied().flatten());
        let (Some(value), Some((low, high))) = (here, spec.plausible) else { return };
        let Some(step) = case.protocol.step(spec).filter(|s| *s > 0.0) else { return };
        let Some((target, slope)) = self.solved(column.item, None, value) else { return };
        let by = ((target - value) / step).round() * step;
        let reach = (case.exact + case.envelope) / slope.abs() + 1e-9 * target.abs();
        let meant: Vec<Option<f64>> = column.values.iter().map(|v| v.map(|v| v + by)).collect();
        if by == 0.0 || (value + by - target).abs() > reach || !self.plausible(column, &meant) {
            return;
        }
        let weight = OFFSET * (5.0 * step / (high - low)).min(1.0);
        let clause = Clause::Offset { item: column.item };
        self.act(Rewriting::Offset { by }, vec![(column.item, meant)], clause, weight);
    }

    /// This row's reading stands in another row, and that one's here.
    ///
    /// Rows with the same value cannot be told apart, and are not tried.
    fn exchanged_rows(&mut self, column: &Column) {
        let Some(here) = self.case.row.filter(|_| self.case.sliced) else { return };
        let weight = EXCHANGED_ROWS / column.values.len() as f64;
        for there in (0..column.values.len()).filter(|n| *n != here) {
            if column.values.get(here) == column.values.get(there) {
                continue;
            }
            let mut meant = column.values.clone();
            meant.swap(here, there);
            let (first, second) = (Row::at(here.min(there)), Row::at(here.max(there)));
            let clause = Clause::Rows { item: column.item, first, second };
            self.act(Rewriting::Rows { first, second }, vec![(column.item, meant)], clause, weight);
        }
    }

    /// Two columns of one kind stand in each other’s place, in all rows or in this one.
    ///
    /// Values are turned into each other's units. Each pair of columns is tried once, whichever
    /// comes first.
    fn exchanged_columns(&mut self, column: &Column, other: &Column) {
        let items = &self.case.protocol.items;
        let (a, b) = (&items[column.item], &items[other.item]);
        let alike = a.rows == b.rows && a.unit.dimension == b.unit.dimension && a.nature == b.nature;
        if column.item >= other.item || !alike || column.values.len() != other.values.len() {
            return;
        }
        let into = |v: &Option<f64>, from: ItemId, to: ItemId| v.map(|v| items[to].from_si(items[from].to_si(v)));
        let (one, two) = (column.item, other.item);
        let clause = |row: Option<Row>| Clause::Columns { item: one, other: two, row };
        let first: Vec<Option<f64>> = other.values.iter().map(|v| into(v, two, one)).collect();
        let second: Vec<Option<f64>> = column.values.iter().map(|v| into(v, one, two)).collect();
        if let Some(here) = self.case.row.filter(|_| self.case.sliced) {
            let (mut mine, mut theirs) = (column.values.clone(), other.values.clone());
            if let (Some(x), Some(y)) = (mine.get_mut(here), theirs.get_mut(here)) {
                (*x, *y) = (first[here], second[here]);
            }
            let row = Row::at(here);
            let (act, meant) = (Rewriting::InRow { other: two, row }, vec![(one, mine), (two, theirs)]);
            self.act(act, meant, clause(Some(row)), EXCHANGED_COLUMNS);
        }
        if self.plausible(column, &first) && self.plausible(other, &second) {
            let meant = vec![(one, first), (two, second)];
            self.act(Rewriting::Columns { other: two }, meant, clause(None), EXCHANGED_COLUMNS);
        }
    }

    /// Considers one act that makes columns what they were meant to be.
    ///
    /// What the other results say is weighed besides. A story about a whole column of readings and
    /// one about the formula of one column of results give the same numbers, so that the sheet is
    /// altered only where something outside of that column is at least twice as likely with it.
    fn act(&mut self, act: Rewriting, meant: Meant, clause: Clause, weight: f64) {
        let case = self.case;
        let Some(first) = meant.first().map(|(item, _)| *item) else { return };
        if case.refuted.contains(&(first, None)) {
            return;
        }
        let factor = case.protocol.items[self.spec().item].unit.factor;
        let with = |env: &super::super::values::Env| {
            let mut env = env.clone();
            for (item, values) in &meant {
                self.with_column(&mut env, *item, values);
            }
            env
        };
        let (clean, reported) = (with(case.clean_env), with(case.reported_env));
        let (clean, reported) =
            self.both(&self.spec().node, 1.0 / factor, (Tried::plainly(&clean), Tried::plainly(&reported)), case.out);
        let cells = changed(case.readings, &meant);
        let repair = Repair { cells: cells.clone(), act: Some(act) };
        let story = || Story {
            kind: SlipKind::ReadingMistyped,
            subject: Some(first),
            clause,
            repair: Some(repair),
            weight: Some(weight),
            ..Story::default()
        };
        let before = self.fitting.len();
        self.consider(story, clean, reported, |_| case.envelope);
        if self.fitting.len() == before {
            return;
        }
        let said = case.beside.misread(&cells);
        // Down one result's column, a whole column written wrongly and a formula that takes it wrongly give the same: the
        // sheet is changed only where something else asks for it.
        if matches!(act, Rewriting::Unit { .. } | Rewriting::Columns { .. } | Rewriting::Offset { .. })
            && said.beyond < ASKS
        {
            self.fitting.truncate(before);
        } else if let Some(h) = self.fitting.get_mut(before) {
            (h.joint, h.sisters) = (said.beyond, said.own);
        }
    }

    /// Puts a column into an environment, or this row's value of it.
    ///
    /// Where a row is judged by itself, only its own value is put in.
    fn with_column(&self, env: &mut super::super::values::Env, item: ItemId, values: &[Option<f64>]) {
        let to_si = |v: &Option<f64>| v.map(|v| self.case.protocol.items[item].to_si(v));
        if !self.case.sliced {
            env[item] = Some(Value::Column(values.iter().map(to_si).collect()));
        } else if let Some(value) = self.case.row.and_then(|n| values.get(n)).and_then(to_si) {
            put(env, item, None, value);
        }
    }
}

/// The cells that an act changes, with what they were meant to be.
///
/// Cells that keep their value are left out.
fn changed(readings: &[crate::verdict::JudgedReading], meant: &Meant) -> Vec<(ItemId, Option<Row>, f64)> {
    let mut cells = Vec::new();
    for (item, values) in meant {
        let Some(reading) = readings.iter().find(|r| r.item == *item) else { continue };
        let beside = reading.cells.iter().zip(values);
        cells.extend(beside.filter_map(|(c, v)| {
            let v = (*v)?;
            (c.value != Some(v)).then_some((*item, c.row, v))
        }));
    }
    cells
}
