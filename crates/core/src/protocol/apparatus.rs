//! Instruments, tables, readings, constants and references of the file.

use super::compile::{Loader, Names};
use super::source::{self, Count, Number, Spanned, Text};
use super::{
    Grid, Instrument, Item, ItemKind, Key, Need, Parameter, PlannedStep, ReadingKind, ReadingSpec, Reference,
    ReferenceEntry, Rejection, Role, RowCount, Stop, TableSpec, Tolerance,
};
use crate::formula::Shape;
use crate::quantity::{Nature, Unit};

/// Most rows or replicates.
const MOST_ROWS: u32 = 10_000;

impl Loader<'_> {
    pub(super) fn parameters(&mut self, parameters: &[source::Parameter]) -> Vec<Parameter> {
        parameters
            .iter()
            .enumerate()
            .map(|(n, p)| {
                let range = self.range(&p.range, "the range of the parameter");
                let value = *p.value.get_ref();
                if !(range.0..=range.1).contains(&value) {
                    self.fault(
                        p.value.span().start,
                        format!("{value} lies outside the parameter's own range"),
                        "widen the range or change the value",
                    );
                }
                let item = blank(p.id.get_ref(), &p.title, "", Unit::one(), ItemKind::Parameter(n));
                Parameter { item: self.add_item(item, p.id.span().start), value, range }
            })
            .collect()
    }

    pub(super) fn instruments(&mut self, instruments: &[source::Instrument]) -> Vec<Instrument> {
        instruments
            .iter()
            .map(|i| Instrument {
                id: i.id.get_ref().clone(),
                title: i.title.clone(),
                unit: self.unit(&i.unit),
                step: self.positive(&i.step, "the step"),
                step_of: None,
                limit: i.limit.as_ref().map(|l| self.positive(l, "the limit")),
                limit_shared: i.limit_shared,
                triangular: i.distribution.as_ref().is_some_and(|d| {
                    self.choice(d, &[("rectangular", false), ("triangular", true)], "distribution of a limit")
                }),
                range: i.range.as_ref().map(|r| self.range(r, "the range of the scale")),
                reads_down: i
                    .scale
                    .as_ref()
                    .is_some_and(|s| self.choice(s, &[("up", false), ("down", true)], "direction of a scale")),
                estimated: i.estimated,
                notes: i.notes.clone(),
            })
            .collect()
    }

    pub(super) fn finish_instruments(&mut self, written: &[source::Instrument], instruments: &mut [Instrument]) {
        for (w, instrument) in written.iter().zip(instruments) {
            instrument.step_of = w.step_of.as_ref().map(|s| self.find_item(s, "setting"));
        }
    }

    fn rows(&mut self, rows: &Spanned<Count>, noun: &str) -> RowCount {
        let at = rows.span().start;
        let good = |n: u32| (1..=MOST_ROWS).contains(&n);
        match rows.get_ref() {
            Count::Fixed(n) if good(*n) => RowCount::Fixed(*n),
            Count::Between([a, b]) if good(*a) && good(*b) && a <= b => RowCount::Between(*a, *b),
            Count::Parameter(name) => match self.items.iter().position(|i| &i.id == name) {
                Some(item) if matches!(self.items[item].kind, ItemKind::Parameter(_)) => RowCount::Parameter(item),
                _ => {
                    self.fault(at, format!("there is no parameter `{name}`"), "declare it under [[parameter]]");
                    RowCount::Fixed(1)
                }
            },
            Count::Fixed(n) => {
                self.fault(
                    at,
                    format!("{n} {noun} cannot be asked for"),
                    format!("write a number from 1 to {MOST_ROWS}"),
                );
                RowCount::Fixed(1)
            }
            Count::Between([a, b]) => {
                self.fault(
                    at,
                    format!("[{a}, {b}] {noun} cannot be asked for"),
                    format!("write the least first, both from 1 to {MOST_ROWS}"),
                );
                RowCount::Fixed(1)
            }
        }
    }

    pub(super) fn tables(&mut self, tables: &[source::Table], names: &Names) -> Vec<TableSpec> {
        tables
            .iter()
            .map(|t| TableSpec {
                id: t.id.get_ref().clone(),
                title: t.title.clone(),
                bay: self.find(&t.bay, &names.bays, "bay"),
                rows: self.rows(&t.rows, "rows"),
                key: t.key.as_ref().map(|k| self.find(k, &names.keys, "key")),
                rough: None,
                grid: None,
                stop: None,
            })
            .collect()
    }

    pub(super) fn finish_tables(&mut self, written: &[source::Table], tables: &mut [TableSpec]) {
        for (n, w) in written.iter().enumerate() {
            if let Some(rough) = &w.rough {
                let item = self.column_of(&rough.column, n);
                let words = self.items[item].words.clone().unwrap_or_default();
                let word = self.find(&rough.word, &words, "word");
                tables[n].rough = Some((item, word as u32));
            }
            if let Some(grid) = &w.grid {
                let column = self.column_of(&grid.column, n);
                let values = grid.values.get_ref().clone();
                let room = match tables[n].rows {
                    RowCount::Fixed(rows) | RowCount::Between(_, rows) => rows as usize,
                    RowCount::Parameter(_) => MOST_ROWS as usize,
                };
                if values.is_empty() || values.len() > room || values.iter().any(|v| !v.is_finite()) {
                    self.fault(
                        grid.values.span().start,
                        format!("a grid of {} values does not fit a table of {room} rows", values.len()),
                        "n steps are n + 1 rows: change the rows or the grid",
                    );
                }
                let within = self.positive(&grid.within, "how far from a grid value a display may lie");
                tables[n].grid = Some(Grid { column, values, within });
            }
            if let Some(stop) = &w.stop {
                let column = self.column_of(&stop.column, n);
                let flat = stop
                    .flat
                    .as_ref()
                    .map(|f| (stop.rows.unwrap_or(3).max(2) as usize, self.positive(f, "a flat tail's width")));
                let agree = stop.agree.map(|rows| {
                    let tolerance =
                        self.tolerance(stop.within.as_ref(), stop.percent.as_ref(), stop.column.span().start);
                    (rows.max(2) as usize, tolerance)
                });
                if stop.at.is_none() && flat.is_none() && agree.is_none() {
                    self.fault(
                        stop.column.span().start,
                        "this stopping rule has no end",
                        "add at = …, flat = … or agree = …",
                    );
                }
                tables[n].stop = Some(Stop { column, at: stop.at.as_ref().map(|a| *a.get_ref()), flat, agree });
            }
        }
    }

    /// An item that is a column of table `table`.
    fn column_of(&mut self, name: &Text, table: usize) -> usize {
        let item = self.find_item(name, "column");
        if self.items.get(item).is_some_and(|i| i.rows != Shape::Column(table as u16)) {
            self.fault(
                name.span().start,
                format!("`{}` is no column of this table", name.get_ref()),
                "name a reading or result that has this table",
            );
        }
        item
    }

    pub(super) fn tolerance(&mut self, within: Option<&Number>, percent: Option<&Number>, at: usize) -> Tolerance {
        match (within, percent) {
            (Some(w), None) => Tolerance::Within(self.positive(w, "the tolerance")),
            (None, Some(p)) => Tolerance::Percent(self.positive(p, "the tolerance")),
            _ => {
                self.fault(at, "a tolerance is needed here, and only one", "add within = … or percent = …");
                Tolerance::Percent(1.0)
            }
        }
    }

    pub(super) fn rejection(&mut self, written: Option<&source::Rejection>) -> Option<Rejection> {
        let written = written?;
        let at = written.by.span().start;
        Some(match written.by.get_ref().as_str() {
            "dixon" => Rejection::Dixon,
            "grubbs" => Rejection::Grubbs,
            "esd" => Rejection::Esd,
            "modified-z" => Rejection::ModifiedZ,
            "judgement" => Rejection::Judgement,
            "known" => match &written.sigma {
                Some(s) => Rejection::Known(self.positive(s, "the known repeatability")),
                None => {
                    self.fault(at, "known repeatability needs its σ", "add sigma = …, in the reading's unit");
                    Rejection::Judgement
                }
            },
            "concordance" => {
                Rejection::Concordance(self.tolerance(written.within.as_ref(), written.percent.as_ref(), at))
            }
            other => {
                self.fault(
                    at,
                    format!("`{other}` is no way of rejecting a reading"),
                    "it may be dixon, grubbs, esd, known, modified-z, concordance or judgement",
                );
                Rejection::Judgement
            }
        })
    }

    pub(super) fn readings(
        &mut self,
        readings: &[source::Reading],
        names: &Names,
        instruments: &[Instrument],
        tables: &[TableSpec],
    ) -> Vec<ReadingSpec> {
        readings.iter().enumerate().map(|(n, r)| self.reading(n, r, names, instruments, tables)).collect()
    }

    fn reading(
        &mut self,
        n: usize,
        r: &source::Reading,
        names: &Names,
        instruments: &[Instrument],
        tables: &[TableSpec],
    ) -> ReadingSpec {
        let at = r.id.span().start;
        let table = r.table.as_ref().map(|t| self.find(t, &names.tables, "table"));
        let bay = self.bay_of(r.bay.as_ref(), table, tables, names, at, r.id.get_ref());
        let settings = r.settings.as_ref().map(|s| s.get_ref().clone()).unwrap_or_default();
        let kind = match r.kind.as_ref().map(|k| (k, k.get_ref().as_str())) {
            None | Some((_, "number")) if r.words.is_some() => ReadingKind::Word,
            None | Some((_, "number")) => ReadingKind::Number,
            Some((_, "count")) => ReadingKind::Count,
            Some((_, "word")) => ReadingKind::Word,
            Some((_, "setting")) => ReadingKind::Setting(settings),
            Some((k, other)) => {
                self.fault(
                    k.span().start,
                    format!("`{other}` is no kind of reading"),
                    "write number, count, word or setting",
                );
                ReadingKind::Number
            }
        };
        let words = match (&kind, &r.words) {
            (ReadingKind::Word, Some(w)) if !w.get_ref().is_empty() => Some(w.get_ref().clone()),
            (ReadingKind::Word, _) => {
                self.fault(at, format!("the words of `{}` are missing", r.id.get_ref()), "add words = [\"…\", \"…\"]");
                Some(vec![String::new()])
            }
            _ => None,
        };
        let instrument = r.instrument.as_ref().map(|i| self.find(i, &names.instruments, "instrument"));
        let unit = match (&r.unit, instrument.and_then(|i| instruments.get(i))) {
            (Some(u), _) => self.unit(u),
            (None, Some(i)) => i.unit.clone(),
            (None, None) => Unit::one(),
        };
        if kind == ReadingKind::Number && instrument.is_none() {
            self.fault(
                at,
                format!("the reading `{}` has no instrument", r.id.get_ref()),
                "name the instrument it is read from, or write kind = \"count\" or \"setting\"",
            );
        }
        if let (Some(i), Some(text)) = (instrument.and_then(|i| instruments.get(i)), &r.unit)
            && i.unit.dimension != unit.dimension
        {
            self.fault(
                text.span().start,
                format!("{} cannot be read in {}: the {} shows {}", r.title, unit.text, i.title, i.unit.text),
                "use a unit of the instrument's dimension",
            );
        }
        let replicates = r.replicates.as_ref().map_or(RowCount::Fixed(1), |n| self.rows(n, "replicates"));
        if let (Some(_), Some(rep)) = (table, &r.replicates) {
            self.fault(
                rep.span().start,
                "a column of a table has no replicates of its own",
                "give the table more rows",
            );
        }
        let nature = self.nature(&unit, r.pressure.as_ref());
        let (count, of) = match replicates {
            RowCount::Fixed(n) => (n, None),
            RowCount::Between(least, _) => (least, None),
            RowCount::Parameter(item) => (2, Some(item)),
        };
        let rows = match table {
            Some(t) => Shape::Column(t as u16),
            // Replicates of each reading are a column of their own.
            None if count > 1 => Shape::Column(1000 + n as u16),
            None => Shape::Scalar,
        };
        let item = Item {
            nature,
            rows,
            words,
            shape: self.roundness(r.shape.as_ref()),
            tare: r.tare,
            ..blank(r.id.get_ref(), &r.title, &r.symbol, unit, ItemKind::Reading(n))
        };
        let role = self.role(r);
        ReadingSpec {
            item: self.add_item(item, at),
            bay,
            table,
            kind,
            instrument,
            replicates: count,
            replicates_of: of,
            plausible: r.plausible.as_ref().map(|p| self.range(p, "the plausible range")),
            takes_limit: !r.zero,
            is_zero: r.zero,
            need: Need { optional: r.optional || r.fallback.is_some() || r.required_if.is_some(), ..Need::default() },
            role,
            trend: r
                .trend
                .as_ref()
                .map(|t| self.choice(t, &[("rising", true), ("falling", false)], "trend of a column")),
            follows: None,
            sums: None,
            steps: Vec::new(),
            fallback: r.fallback.as_ref().map(|f| self.range(f, "the band where it was not taken")),
            rejection: self.rejection(r.rejection.as_ref()),
            heaping: r.heaping.as_ref().map(|h| self.positive(h, "the round figure")),
            bracket: None,
        }
    }

    fn role(&mut self, r: &source::Reading) -> Role {
        let Some(role) = &r.role else { return Role::Measured };
        let at = role.span().start;
        match role.get_ref().as_str() {
            "free" => Role::Free,
            "chosen" => Role::Chosen,
            "exact" => match &r.target {
                Some(t) => Role::Exact(*t.get_ref()),
                None => {
                    self.fault(at, "an exact amount needs its target", "add target = …, in the reading's unit");
                    Role::Measured
                }
            },
            "window" => match &r.window {
                Some(w) => {
                    let (low, high) = self.range(w, "the window");
                    Role::Window(low, high)
                }
                None => {
                    self.fault(at, "a window needs its ends", "add window = [low, high], in the reading's unit");
                    Role::Measured
                }
            },
            other => {
                self.fault(at, format!("`{other}` is no role of an amount"), "write exact, window, free or chosen");
                Role::Measured
            }
        }
    }

    pub(super) fn bay_of(
        &mut self,
        bay: Option<&Text>,
        table: Option<usize>,
        tables: &[TableSpec],
        names: &Names,
        at: usize,
        id: &str,
    ) -> usize {
        match (bay, table.and_then(|t| tables.get(t))) {
            (Some(b), _) => self.find(b, &names.bays, "bay"),
            (None, Some(t)) => t.bay,
            (None, None) => {
                self.fault(at, format!("`{id}` belongs to no bay"), "add bay = \"…\", or table = \"…\"");
                0
            }
        }
    }

    pub(super) fn finish_readings(&mut self, written: &[source::Reading], readings: &mut [ReadingSpec]) {
        for (n, w) in written.iter().enumerate() {
            let of = w.id.get_ref();
            readings[n].need.required_if = w.required_if.as_ref().and_then(|c| self.condition(c, of));
            readings[n].need.forbidden_if = w.forbidden_if.as_ref().and_then(|c| self.condition(c, of));
            readings[n].steps = w.plan.iter().map(|p| self.planned(&p.step, p.condition.as_ref(), of)).collect();
            if let Some(step) = &w.step {
                let everywhere = self.planned(step, None, of);
                readings[n].steps.push(everywhere);
            }
            readings[n].follows = w.follows.as_ref().map(|f| self.find_item(f, "column"));
            readings[n].sums = w.sums.as_ref().map(|f| self.find_item(f, "column"));
            readings[n].bracket =
                w.bracket.as_ref().map(|[low, high]| (self.find_item(low, "reading"), self.find_item(high, "reading")));
        }
    }

    fn planned(&mut self, step: &Spanned<[f64; 2]>, condition: Option<&Text>, of: &str) -> PlannedStep {
        let [size, tolerance] = *step.get_ref();
        if size == 0.0 || !size.is_finite() || tolerance < 0.0 || !tolerance.is_finite() {
            self.fault(step.span().start, "a planned step needs a size and a tolerance", "write step = [0.5, 0.05]");
        }
        PlannedStep { condition: condition.and_then(|c| self.condition(c, of)), size, tolerance }
    }

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

    fn reference(
        &mut self,
        n: usize,
        r: &source::Reference,
        keys: &[Key],
        names: &Names,
        tables: &[TableSpec],
    ) -> Reference {
        let unit = self.unit(&r.unit);
        let nature = unit.nature;
        if r.source.get_ref().trim().is_empty() {
            self.fault(
                r.source.span().start,
                format!("the reference `{}` names no source", r.id.get_ref()),
                "say where its value comes from",
            );
        }
        let key = r.key.as_ref().map(|k| self.find(k, &names.keys, "key"));
        let mut entries = Vec::new();
        let at = r.id.span().start;
        let id = r.id.get_ref();
        let derived = r.formula.is_some() || r.consensus;
        let si = |v: f64| unit.to_si(v, nature);
        match key.and_then(|k| keys.get(k)) {
            None if derived => {
                if r.value.is_some() || r.range.is_some() {
                    self.fault(at, format!("the reference `{id}` has both a formula and a value"), "keep one of them");
                }
            }
            None => {
                let (low, high) = self.ends(r.value.as_ref(), r.range.as_ref(), at, id);
                let uncertainty = self.spread(r.uncertainty.as_ref()) * unit.factor;
                entries.push(ReferenceEntry {
                    at: String::new(),
                    says: String::new(),
                    low: si(low),
                    high: si(high),
                    uncertainty,
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
                    let (low, high) = self.ends(entry.value.as_ref(), entry.range.as_ref(), value.span().start, id);
                    let uncertainty = self.spread(entry.uncertainty.as_ref().or(r.uncertainty.as_ref())) * unit.factor;
                    entries.push(ReferenceEntry {
                        at: value.get_ref().clone(),
                        says: entry.says.clone(),
                        low: si(low),
                        high: si(high),
                        uncertainty,
                    });
                }
                // What the class agrees on is not known beforehand.
                for value in key.values.iter().filter(|_| !derived) {
                    if !entries.iter().any(|e| &e.at == value) {
                        self.fault(
                            at,
                            format!("the reference `{id}` has no value for {} {value}", key.id),
                            format!("add `{value} = {{ value = … }}` under [reference.at]"),
                        );
                    }
                }
            }
        }
        // A value by a key of the row is a column of that table.
        let table = key.and_then(|k| tables.iter().position(|t| t.key == Some(k)));
        let item = Item {
            nature,
            rows: table.map_or(Shape::Scalar, |t| Shape::Column(t as u16)),
            shape: self.roundness(r.shape.as_ref()),
            ..blank(id, &r.title, &r.symbol, unit.clone(), ItemKind::Reference(n))
        };
        Reference {
            item: self.add_item(item, at),
            key,
            source: r.source.get_ref().clone(),
            entries,
            short: r.short.iter().map(|v| si(*v)).collect(),
            formula: None,
            consensus: r.consensus,
        }
    }

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

    fn spread(&mut self, uncertainty: Option<&Number>) -> f64 {
        uncertainty.map_or(0.0, |u| self.positive(u, "the uncertainty"))
    }

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

/// An item with nothing but its names, unit and kind.
pub(super) fn blank(id: &str, title: &str, symbol: &str, unit: Unit, kind: ItemKind) -> Item {
    Item {
        id: id.to_owned(),
        title: title.to_owned(),
        symbol: symbol.to_owned(),
        unit,
        nature: Nature::Plain,
        rows: Shape::Scalar,
        words: None,
        kind,
        shape: None,
        tare: false,
    }
}
