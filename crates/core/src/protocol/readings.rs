//! Readings of the file: their kind, unit, rows and role.
//!
//! A reading as the file has it, with most of what may stand there:
//!
//! ```toml
//! [[reading]]
//! id = "plate_thickness"
//! title = "plate thickness"
//! symbol = "t"
//! bay = "plate"
//! unit = "mm"
//! instrument = "caliper"
//! replicates = 5
//! plausible = [1, 20]
//! rejection = { by = "dixon" }
//! absence = ["caliper was in use"]
//! ```
//!
//! A reading in words has `words = ["clear", "cloudy"]` and no instrument; a count has
//! `kind = "count"`; a column of a table names its table in place of a bay.

use super::apparatus::blank;
use super::loading::{Loader, Names};
use super::source::{self, Spanned, Text};
use super::{Instrument, Item, ItemKind, Need, PlannedStep, ReadingKind, ReadingSpec, Role, RowCount, TableSpec};
use crate::formula::Shape;
use crate::protocol::{ReadingId, TableId};
use crate::quantity::Unit;

impl Loader<'_> {
    /// Readings in the order of the file, which is that of the sheet.
    pub(super) fn readings(
        &mut self,
        readings: &[source::Reading],
        names: &Names,
        instruments: &[Instrument],
        tables: &[TableSpec],
    ) -> Vec<ReadingSpec> {
        readings.iter().enumerate().map(|(n, r)| self.reading(n, r, names, instruments, tables)).collect()
    }

    /// One reading; what names other items is looked up later. Replicates are a column of their
    /// own, in a group that no table has.
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
        let kind = self.kind_of(r);
        let words = self.words_of(r, &kind);
        let instrument = r.instrument.as_ref().map(|i| self.find(i, &names.instruments, "instrument"));
        let unit = self.unit_of(r, &kind, instrument.and_then(|i| instruments.get(i)));
        let replicates = self.replicates_of(r, table);
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
            ..blank(r.id.get_ref(), &r.title, &r.symbol, unit, ItemKind::Reading(ReadingId::at(n)))
        };
        let role = self.role(r);
        ReadingSpec {
            item: self.add_item(item, at),
            bay,
            table: table.map(TableId::at),
            kind,
            instrument,
            replicates: count,
            replicates_of: of,
            plausible: r.plausible.as_ref().map(|p| self.range(p, "the plausible range")),
            takes_limit: !r.zero,
            events: r.events,
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
            absence: self.phrases(&r.absence),
            bound: r.bound,
            bracket: None,
        }
    }

    /// A number unless the file says otherwise; a reading with words is a word.
    fn kind_of(&mut self, r: &source::Reading) -> ReadingKind {
        if r.events && r.kind.as_ref().is_none_or(|k| k.get_ref() != "count") {
            let what = format!("`{}` is no count, and cannot count events", r.id.get_ref());
            self.fault(r.id.span().start, what, "add kind = \"count\"");
        }
        let settings = r.settings.as_ref().map(|s| s.get_ref().clone()).unwrap_or_default();
        match r.kind.as_ref().map(|k| (k, k.get_ref().as_str())) {
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
        }
    }

    /// The words a reading may be; `None` for one that is no word.
    ///
    /// One empty word, with a fault, stands in for a list that is missing.
    fn words_of(&mut self, r: &source::Reading, kind: &ReadingKind) -> Option<Vec<String>> {
        match (kind, &r.words) {
            (ReadingKind::Word, Some(w)) if !w.get_ref().is_empty() => Some(w.get_ref().clone()),
            (ReadingKind::Word, _) => {
                let at = r.id.span().start;
                self.fault(at, format!("the words of `{}` are missing", r.id.get_ref()), "add words = [\"…\", \"…\"]");
                Some(vec![String::new()])
            }
            _ => None,
        }
    }

    /// The unit a reading is written in: its own, or the instrument's.
    ///
    /// A number that was read off nothing is a fault.
    fn unit_of(&mut self, r: &source::Reading, kind: &ReadingKind, instrument: Option<&Instrument>) -> Unit {
        let unit = match (&r.unit, instrument) {
            (Some(u), _) => self.unit(u),
            (None, Some(i)) => i.unit.clone(),
            (None, None) => Unit::one(),
        };
        if *kind == ReadingKind::Number && r.instrument.is_none() {
            self.fault(
                r.id.span().start,
                format!("the reading `{}` has no instrument", r.id.get_ref()),
                "name the instrument it is read from, or write kind = \"count\" or \"setting\"",
            );
        }
        if let (Some(i), Some(text)) = (instrument, &r.unit)
            && i.unit.dimension != unit.dimension
        {
            self.fault(
                text.span().start,
                format!("{} cannot be read in {}: the {} shows {}", r.title, unit.text, i.title, i.unit.text),
                "use a unit of the instrument's dimension",
            );
        }
        unit
    }

    /// A column of a table is repeated by its rows.
    fn replicates_of(&mut self, r: &source::Reading, table: Option<usize>) -> RowCount {
        let replicates = r.replicates.as_ref().map_or(RowCount::Fixed(1), |n| self.rows(n, "replicates"));
        if let (Some(_), Some(rep)) = (table, &r.replicates) {
            self.fault(
                rep.span().start,
                "a column of a table has no replicates of its own",
                "give the table more rows",
            );
        }
        replicates
    }

    /// What an amount has to be: exact, within a window, free, or chosen from what there is.
    fn role(&mut self, r: &source::Reading) -> Role {
        let Some(role) = &r.role else { return Role::Measured };
        let at = role.span().start;
        match role.get_ref().as_str() {
            "free" => Role::Free,
            "chosen" => Role::Chosen,
            "exact" => r.target.as_ref().map_or_else(
                || self.no_role(at, "an exact amount needs its target", "add target = …, in the reading's unit"),
                |t| Role::Exact(*t.get_ref()),
            ),
            "window" => match &r.window {
                Some(w) => {
                    let (low, high) = self.range(w, "the window");
                    Role::Window(low, high)
                }
                None => self.no_role(at, "a window needs its ends", "add window = [low, high], in the reading's unit"),
            },
            other => {
                let what = format!("`{other}` is no role of an amount");
                self.no_role(at, &what, "write exact, window, free or chosen")
            }
        }
    }

    /// Tells what is wrong with a role, and takes the amount for one that is measured.
    fn no_role(&mut self, at: usize, what: &str, mend: &str) -> Role {
        self.fault(at, what, mend);
        Role::Measured
    }

    /// The bay of a reading or result: its own, or that of its table.
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

    /// Conditions, plans and the columns that are named, once all items are known.
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

    /// A step of a plan, with where it holds.
    fn planned(&mut self, step: &Spanned<[f64; 2]>, condition: Option<&Text>, of: &str) -> PlannedStep {
        let [size, tolerance] = *step.get_ref();
        if size == 0.0 || !size.is_finite() || tolerance < 0.0 || !tolerance.is_finite() {
            self.fault(step.span().start, "a planned step needs a size and a tolerance", "write step = [0.5, 0.05]");
        }
        PlannedStep { condition: condition.and_then(|c| self.condition(c, of)), size, tolerance }
    }
}
