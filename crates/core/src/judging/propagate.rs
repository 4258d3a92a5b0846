//! The uncertainty of every value over independent sources: what each reading and constant brings,
//! and what comes of it.
//!
//! Every reading brings what its instrument cannot show and what its maker does not promise, every
//! constant the uncertainty of its entry. A result carries its derivative by each of these sources,
//! never a standard deviation of its own: what two results share stays shared, and a difference of
//! two lengths taken with one caliper loses the caliper's zero.
//!
//! | source | standard uncertainty | limit, for the worst case |
//! |---|---|---|
//! | a display or graduation of step δ | δ/√12 | δ/2 |
//! | n replicates that scatter by s | s each, at least √n·δ/√12 | 2s/√n |
//! | an instrument's limit ±a | a/√3, or a/√6 where values crowd to the middle | a |
//! | N events counted | √N | 2√N |
//! | a bracket of width w judged by eye | w/4 | w/2 |
//! | a constant ±u | u | 2u |
//!
//! The rules are those of docs/judging.md under “Uncertainty”; GUM 4.3 and 5.1 are their source.

use std::cell::RefCell;

use super::readings::step_in_unit;
use super::table::Table;
use super::values::{Env, Out, counted_values};
use crate::formula::value::Arising;
use crate::formula::{Context, ItemId, Num, Shape, Value, evaluate_any};
use crate::protocol::{
    ItemKind, Protocol, ReadingId, ReadingKind, ReferenceEntry, ReferenceId, ResultId, ResultSpec, beside,
};
use crate::row::Row;
use crate::stats::summary;
use crate::uncertainty::{Budget, Dual, Of, Source, SourceKind, bracket, rectangular, resolution, triangular};
use crate::verdict::JudgedCell;

beside!(ResultId: Vec<Option<Budget>>);

/// Values with derivatives by independent sources, and what comes of them.
///
/// Budgets and values are those of the clean values: what a team reported has no part in them.
pub(super) struct Propagated {
    /// All sources, by number.
    pub(super) sources: Vec<Source>,
    /// Value with its derivatives, by item of the lab; `None` where it cannot be worked out.
    pub(super) values: Vec<Option<Value<Dual>>>,
    /// By result and row, in the result's unit.
    pub(super) budgets: Vec<Vec<Option<Budget>>>,
    /// Sources that arose in a result: its item, the first of them, and one past the last.
    pub(super) arisen: Vec<(ItemId, usize, usize)>,
}

/// Sources are numbered as they come, so that the same protocol and table number them alike.
struct Maker<'a> {
    /// Gives instruments and references, from which sources are made.
    protocol: &'a Protocol,
    /// The placed cells.
    table: &'a Table,
    /// Readings and references, SI.
    measured: &'a Env,
    /// Sources so far.
    sources: Vec<Source>,
    /// The source of each instrument's shared limit.
    shared: Vec<Option<usize>>,
}

/// What the cells of one reading share.
///
/// It is the same for all cells of a reading, so it is worked out once.
struct Spread {
    /// Standard deviation of replicates, in the reading's unit.
    sd: Option<f64>,
    /// Readings that count.
    count: f64,
    /// Number of the group that all their sources share.
    group: usize,
}

impl Maker<'_> {
    /// Adds an independent source of uncertainty and gives its number. `standard` and `limit` are
    /// in SI units, `freedom` its degrees of freedom (infinite for what is not estimated), `group`
    /// joins sources that reach their limits together in the worst case.
    fn add(&mut self, of: Of, kind: SourceKind, standard: f64, limit: f64, freedom: f64, group: usize) -> usize {
        self.sources.push(Source { of, kind, standard, limit, freedom, group });
        self.sources.len() - 1
    }

    /// A single thing of its own.
    ///
    /// It is a group by itself: in a worst case it reaches its limit without regard to any other.
    fn one(&mut self, of: Of, kind: SourceKind, standard: f64, limit: f64) -> usize {
        let group = self.sources.len();
        self.add(of, kind, standard, limit, f64::INFINITY, group)
    }

    /// The values of one reading. A single reading brings its resolution (δ/√12, δ the instrument's
    /// step or what was written, whichever is coarser); replicates bring s each, never so small
    /// that their mean would beat δ/√12. A limit shared by all readings of an instrument is one
    /// source, whichever of them it enters by; the zero reading, taken to correct it, has none.
    ///
    /// `None` where no cell of the reading has a value. A word has no uncertainty, and is passed on
    /// as it is.
    fn reading(&mut self, n: ReadingId) -> Option<Value<Dual>> {
        let spec = &self.protocol.readings[n];
        let item = &self.protocol.items[spec.item];
        let reading = &self.table.readings[n];
        if item.words.is_some() {
            return match self.measured[spec.item].as_ref()? {
                Value::Word(w) => Some(Value::Word(*w)),
                Value::Words(ws) => Some(Value::Words(ws.clone())),
                _ => None,
            };
        }
        let replicated = spec.table.is_none() && matches!(item.rows, Shape::Column(_));
        let values: Vec<f64> = counted_values(reading).collect();
        let count = values.len() as f64;
        let sd = summary(&values).and_then(|s| s.sd).filter(|_| replicated && values.len() > 1);
        let group = self.sources.len();
        let spread = Spread { sd, count, group };
        let cells: Vec<Option<Dual>> = reading.cells.iter().map(|cell| self.cell(n, cell, &spread)).collect();
        match item.rows {
            Shape::Scalar => cells.into_iter().next_back().flatten().map(Value::Scalar),
            Shape::Column(_) => cells.iter().any(Option::is_some).then_some(Value::Column(cells)),
        }
    }

    /// One cell of a reading with the sources it brings, SI.
    ///
    /// `spread` is what the replicates of the reading share. `None` where the cell has no value, or
    /// has one that does not count for lack of one.
    ///
    /// The first of these that applies gives the cell its own source: counted events, a bracket
    /// (the reading's own `31–33` before the lab's), the scatter of replicates where it exceeds
    /// what their resolution explains, the resolution. The instrument's limit joins it where the
    /// reading takes one.
    fn cell(&mut self, n: ReadingId, cell: &JudgedCell, spread: &Spread) -> Option<Dual> {
        let spec = &self.protocol.readings[n];
        let item = &self.protocol.items[spec.item];
        let factor = item.unit.factor;
        let si = item.to_si(cell.repaired.or(cell.value)?);
        if spec.events {
            let standard = si.max(0.0).sqrt();
            let source = self.one(Of::Item(spec.item), SourceKind::Events, standard, 2.0 * standard);
            return Some(Dual::exact(si).and_source(source, 1.0));
        }
        let Some(instrument) = spec.instrument.filter(|_| spec.kind == ReadingKind::Number) else {
            return Some(Dual::exact(si));
        };
        let hidden = self.hidden(n, cell);
        let here = Of::Item(spec.item);
        // Row by row; a bracket that was judged once serves all rows.
        let at = cell.row.map(Row::index);
        let judged = spec.bracket.and_then(|(low, high)| {
            let of = |i: ItemId| self.measured[i].as_ref()?.at(at).copied();
            Some((of(high)? - of(low)?).abs())
        });
        let source = if let Some(width) = judged.or(stated_width(cell).map(|w| w * factor)) {
            self.one(here, SourceKind::Bracket, bracket(0.0, width), width / 2.0)
        } else if let Some(sd) = spread.sd {
            let floor = resolution(hidden) * spread.count.sqrt();
            if sd > floor {
                let standard = sd * factor;
                // A worst case of many takes twice the standard uncertainty of their mean.
                let (limit, freedom) = (2.0 * standard / spread.count.sqrt(), spread.count - 1.0);
                self.add(here, SourceKind::Replicates, standard, limit, freedom, spread.group)
            } else {
                let limit = hidden * factor / 2.0;
                self.add(here, SourceKind::Resolution, floor * factor, limit, f64::INFINITY, spread.group)
            }
        } else {
            self.one(here, SourceKind::Resolution, resolution(hidden) * factor, hidden * factor / 2.0)
        };
        let dual = Dual::exact(si).and_source(source, 1.0);
        Some(match self.limit_of(instrument, spec.takes_limit) {
            Some(source) => dual.and_source(source, 1.0),
            None => dual,
        })
    }

    /// The source of an instrument's limit of error: one for all its readings where the limit is
    /// shared.
    ///
    /// `None` where the instrument has no limit, or the reading does not take it: a zero reading is
    /// taken to get rid of the limit, and would bring it in twice.
    fn limit_of(&mut self, instrument: usize, takes_limit: bool) -> Option<usize> {
        let tool = &self.protocol.instruments[instrument];
        let limit = tool.limit.filter(|_| takes_limit)? * tool.unit.factor;
        let standard = if tool.triangular { triangular(limit) } else { rectangular(limit) };
        let source = match self.shared[instrument].filter(|_| tool.limit_shared) {
            Some(s) => s,
            None => self.one(Of::Instrument(instrument), SourceKind::Limit, standard, limit),
        };
        self.shared[instrument] = Some(source);
        Some(source)
    }

    /// The step that hides the value: the instrument's, or what was written where that is coarser,
    /// or finer by the digit estimated between the graduations. In the reading's unit.
    ///
    /// A scale of 1 mm read as 12.4 hides a tenth where the lab lets a digit be estimated, and a
    /// millimetre where it does not. A reading of 12 beside a scale of 0.1 hides 1: what was
    /// written is all that is known.
    fn hidden(&self, n: ReadingId, cell: &JudgedCell) -> f64 {
        let spec = &self.protocol.readings[n];
        let step = step_in_unit(self.protocol, spec, self.measured, cell.row);
        let estimated = spec.instrument.is_some_and(|i| self.protocol.instruments[i].estimated);
        if estimated && cell.resolution > 0.0 { cell.resolution } else { step.max(cell.resolution) }
    }

    /// A constant of the lab with the uncertainty of the entry that was taken; a column of them
    /// where the key belongs to the row. The same entry in two rows is one source: its error is the
    /// same in both.
    ///
    /// Entries are told apart by the value they stand for, since the measured values hold no name
    /// of an entry. `None` where the table's key has no entry.
    fn constant(&mut self, n: ReferenceId) -> Option<Value<Dual>> {
        let reference = &self.protocol.references[n];
        let mut by_entry: Vec<(String, usize)> = Vec::new();
        let mut dual = |this: &mut Self, e: &ReferenceEntry| {
            if e.uncertainty == 0.0 {
                return Dual::exact(e.middle());
            }
            // The same entry in two rows is the same thing.
            let known = by_entry.iter().find(|(at, _)| at == &e.at).map(|(_, s)| *s);
            let s = known.unwrap_or_else(|| {
                let s = this.one(Of::Item(reference.item), SourceKind::Constant, e.uncertainty, 2.0 * e.uncertainty);
                by_entry.push((e.at.clone(), s));
                s
            });
            Dual::exact(e.middle()).and_source(s, 1.0)
        };
        match self.measured[reference.item].as_ref()? {
            Value::Scalar(v) => {
                let entry = reference.entries.iter().find(|e| e.middle() == *v).cloned();
                Some(Value::Scalar(entry.map_or_else(|| Dual::exact(*v), |e| dual(self, &e))))
            }
            Value::Column(vs) => Some(Value::Column(
                vs.iter()
                    .map(|v| {
                        let v = (*v)?;
                        let entry = reference.entries.iter().find(|e| e.middle() == v).cloned();
                        Some(entry.map_or_else(|| Dual::exact(v), |e| dual(self, &e)))
                    })
                    .collect(),
            )),
            _ => None,
        }
    }
}

/// The half-width written in a reading's own cell (`31–33`, `12.4 ± 0.2`), as a full width in its
/// unit.
///
/// A cell in another unit than the reading's is scaled with its resolution. Nought is no width: an
/// exact number may be written `12 ± 0`.
fn stated_width(cell: &JudgedCell) -> Option<f64> {
    let number = cell.number.as_ref()?;
    let half = number.plus_minus.as_ref()?.value;
    let scale = if number.resolution > 0.0 { cell.resolution / number.resolution } else { 1.0 };
    (half > 0.0).then_some(2.0 * half * scale)
}

/// Propagates over independent sources, in the order the results are derived.
///
/// `measured` holds readings and references alone; results are worked out here, from duals and not
/// from clean values, by the same formulas. A result that cannot be worked out has no value and no
/// budget, and so has everything that follows from it.
///
/// A function of conditions (the density of water at a temperature) is worked out from its
/// conditions with their uncertainties; where a condition was not taken it stands at the middle of
/// its band, exactly.
pub(super) fn propagate(protocol: &Protocol, table: &Table, out: &Out, measured: &Env) -> Propagated {
    let mut maker =
        Maker { protocol, table, measured, sources: Vec::new(), shared: vec![None; protocol.instruments.len()] };
    let mut values: Vec<Option<Value<Dual>>> = ItemId::each(&protocol.items)
        .map(|i| match protocol.items[i].kind {
            ItemKind::Reading(r) => maker.reading(r),
            ItemKind::Reference(r) if protocol.references[r].formula.is_none() => maker.constant(r),
            ItemKind::Parameter(_) => {
                measured[i].as_ref().and_then(Value::scalar).map(|v| Value::Scalar(Dual::exact(*v)))
            }
            _ => None,
        })
        .collect();
    for reference in &protocol.references {
        if let Some(node) = &reference.formula {
            let known = evaluate_any(node, &Context::exact(&values)).ok();
            let middle =
                || measured[reference.item].as_ref().and_then(Value::scalar).map(|v| Value::Scalar(Dual::exact(*v)));
            values[reference.item] = known.or_else(middle);
        }
    }
    let mut sources = maker.sources;
    let mut arisen = Vec::new();
    let mut budgets = Vec::new();
    for spec in &protocol.results {
        let item = &protocol.items[spec.item];
        if item.words.is_some() {
            budgets.push(Vec::new());
            continue;
        }
        let first = sources.len();
        let value = derived(protocol, spec, (table, out), &values, &mut sources);
        if sources.len() > first {
            arisen.push((spec.item, first, sources.len()));
        }
        let budget = |dual: Option<&Dual>| {
            let mut budget = Budget::of(dual?, &sources);
            budget.standard /= item.unit.factor;
            budget.shares.iter_mut().for_each(|s| s.contribution /= item.unit.factor);
            Some(budget).filter(|b| b.standard.is_finite())
        };
        budgets.push(match &value {
            Some(Value::Scalar(d)) => vec![budget(Some(d))],
            Some(Value::Column(ds)) => ds.iter().map(|d| budget(d.as_ref())).collect(),
            _ => Vec::new(),
        });
        values[spec.item] = value;
    }
    Propagated { sources, values, budgets, arisen }
}

/// A result with its derivatives; what arises in it joins `sources`.
///
/// `None` where the formula is not defined there. Three things may be added to what the formula
/// gives: a source for what scatters about a fitted line or lies beside an end point, one for the
/// scatter of rows that repeat one quantity, and the lab's own formula for the standard
/// uncertainty, which replaces all.
fn derived(
    protocol: &Protocol,
    spec: &ResultSpec,
    (table, out): (&Table, &Out),
    values: &[Option<Value<Dual>>],
    sources: &mut Vec<Source>,
) -> Option<Value<Dual>> {
    let item = &protocol.items[spec.item];
    let arising = Arising { first: sources.len(), sources, found: RefCell::new(Vec::new()) };
    let context = Context { arising: Some(arising), ..Context::without(values, out) };
    let mut value = evaluate_any(&spec.node, &context).ok();
    let found = context.arising.map(|a| a.found.into_inner()).unwrap_or_default();
    for standard in found {
        let (of, kind, group) = (Of::Item(spec.item), SourceKind::Arising, sources.len());
        sources.push(Source { of, kind, standard, limit: 2.0 * standard, freedom: f64::INFINITY, group });
    }
    if let Some(Value::Column(rows)) = &mut value
        && (spec.averaged || spec.rejection.is_some())
    {
        scatter(Of::Item(spec.item), item, rows, out, sources);
    }
    if let (Some(node), Some(of)) = (&spec.uncertainty, &mut value) {
        let standard = evaluate_any(node, &Context::without(values, out)).ok();
        own(spec.item, of, standard.as_ref(), sources);
    }
    // One value for all rows has one source.
    if let (Shape::Column(t), Some(Value::Scalar(v))) = (item.rows, &value) {
        value = Some(Value::column(vec![v.clone(); table.rows[usize::from(t)].there]));
    }
    value
}

/// The lab's own formula for a standard uncertainty stands in place of all that a result's sources
/// give: one source of each value, of the result itself. Where the formula has no value the sources
/// stand.
///
/// The value keeps its number and loses its derivatives. `standard` is in the unit of the result,
/// SI, and may be a column or a single value for all its rows.
fn own(item: ItemId, value: &mut Value<Dual>, standard: Option<&Value<Dual>>, sources: &mut Vec<Source>) {
    let mut put = |dual: &mut Dual, row: Option<usize>| {
        let Some(standard) = standard.and_then(|s| s.at(row)).map(|s| s.value().abs()) else { return };
        let group = sources.len();
        sources.push(Source {
            of: Of::Item(item),
            kind: SourceKind::Own,
            standard,
            limit: 2.0 * standard,
            freedom: f64::INFINITY,
            group,
        });
        *dual = Dual::exact(dual.value()).and_source(group, 1.0);
    };
    match value {
        Value::Scalar(dual) => put(dual, None),
        Value::Column(rows) => {
            rows.iter_mut().enumerate().for_each(|(i, d)| d.iter_mut().for_each(|d| put(d, Some(i))));
        }
        _ => {}
    }
}

/// Rows that repeat one quantity scatter as replicates do: what their own readings do not account
/// for is a source of each row.
///
/// If rows scatter by s and a row's own sources account for u, the row gets a source of √(s² − u²),
/// and none where u is the larger. The rows stay a group: their worst case is that of their mean.
fn scatter(of: Of, item: &crate::protocol::Item, rows: &mut [Option<Dual>], out: &Out, sources: &mut Vec<Source>) {
    let group_of = |g: &u16| item.rows == Shape::Column(*g);
    let kept = |i: usize| out.iter().find(|(g, _)| group_of(g)).and_then(|(_, o)| o.get(i)).is_none_or(|o| !o);
    let values: Vec<f64> =
        rows.iter().enumerate().filter(|(i, _)| kept(*i)).filter_map(|(_, d)| d.as_ref().map(Num::value)).collect();
    let (Some(sd), n) = (summary(&values).and_then(|s| s.sd), values.len() as f64) else { return };
    let group = sources.len();
    for dual in rows.iter_mut().flatten() {
        let own = dual.spread(sources);
        let standard = (sd * sd - own * own).max(0.0).sqrt();
        if standard == 0.0 {
            continue;
        }
        let source = sources.len();
        sources.push(Source {
            of,
            kind: SourceKind::Replicates,
            standard,
            limit: 2.0 * standard / n.sqrt(),
            freedom: n - 1.0,
            group,
        });
        *dual = dual.clone().and_source(source, 1.0);
    }
}
