//! Parameters, instruments and tables of the file, and how readings of them may be rejected.
//!
//! What stands on the bench and how it is written down, as the file has it:
//!
//! ```toml
//! [[instrument]]
//! id = "burette"
//! title = "burette"
//! unit = "mL"
//! step = 0.05
//! limit = 0.03
//! limit_shared = true
//! range = [0, 50]
//! scale = "down"
//!
//! [[table]]
//! id = "runs"
//! title = "runs"
//! bay = "titration"
//! rows = [3, 6]
//! rough = { column = "run", word = "rough" }
//! stop = { column = "titre", agree = 2, within = 0.1 }
//! ```

use super::loading::{Loader, Names};
use super::source::{self, Count, Number, Spanned, Text};
use super::{Grid, Instrument, Item, ItemKind, Parameter, Rejection, RowCount, Stop, TableSpec, Tolerance};
use crate::formula::ItemId;
use crate::formula::Shape;
use crate::quantity::{Nature, Unit};

/// Most rows or replicates.
///
/// What the sheet's own format has room for.
const MOST_ROWS: u32 = 10_000;

impl Loader<'_> {
    /// Numbers that a section may set, each with its usual value inside its range.
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

    /// Instruments with their steps and limits; a step above nought is what a reading is known to.
    pub(super) fn instruments(&mut self, instruments: &[source::Instrument]) -> Vec<Instrument> {
        self.unique(instruments.iter().map(|i| &i.id), "instrument");
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

    /// An instrument whose step goes by a setting names it here.
    pub(super) fn finish_instruments(&mut self, written: &[source::Instrument], instruments: &mut [Instrument]) {
        for (w, instrument) in written.iter().zip(instruments) {
            instrument.step_of = w.step_of.as_ref().map(|s| self.find_item(s, "setting"));
        }
    }

    /// How many rows or replicates are asked for: a number, a least and a most, or a parameter.
    pub(super) fn rows(&mut self, rows: &Spanned<Count>, noun: &str) -> RowCount {
        let at = rows.span().start;
        let good = |n: u32| (1..=MOST_ROWS).contains(&n);
        match rows.get_ref() {
            Count::Fixed(n) if good(*n) => RowCount::Fixed(*n),
            Count::Between([a, b]) if good(*a) && good(*b) && a <= b => RowCount::Between(*a, *b),
            Count::Parameter(name) => match self.items.iter().position(|i| &i.id == name) {
                Some(item) if matches!(self.items[item].kind, ItemKind::Parameter(_)) => {
                    RowCount::Parameter(ItemId::at(item))
                }
                _ => {
                    self.fault(at, format!("there is no parameter `{name}`"), "declare it under [[parameter]]");
                    RowCount::Fixed(1)
                }
            },
            Count::Fixed(n) => {
                let what = format!("{n} {noun} cannot be asked for");
                self.fault(at, what, format!("write a number from 1 to {MOST_ROWS}"));
                RowCount::Fixed(1)
            }
            Count::Between([a, b]) => {
                let what = format!("[{a}, {b}] {noun} cannot be asked for");
                self.fault(at, what, format!("write the least first, both from 1 to {MOST_ROWS}"));
                RowCount::Fixed(1)
            }
        }
    }

    /// Reasons that are listed; an empty one would excuse every absence.
    ///
    /// They are looked for inside of a team's reason.
    pub(super) fn phrases(&mut self, written: &[Text]) -> Vec<String> {
        for phrase in written.iter().filter(|p| p.get_ref().trim().is_empty()) {
            self.fault(
                phrase.span().start,
                "a reason for an absence is empty, and would excuse every one",
                "write the words that the reason holds, such as \"out of reach\"",
            );
        }
        written.iter().map(|p| p.get_ref().trim().to_owned()).collect()
    }

    /// Tables of rows; what names their columns comes later.
    pub(super) fn tables(&mut self, tables: &[source::Table], names: &Names) -> Vec<TableSpec> {
        self.unique(tables.iter().map(|t| &t.id), "table");
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
                absence: self.phrases(&t.absence),
            })
            .collect()
    }

    /// Rough runs, the grid and the rule to stop name columns of the table.
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
    ///
    /// A column of another table is a fault, with that column standing in.
    fn column_of(&mut self, name: &Text, table: usize) -> ItemId {
        let item = self.find_item(name, "column");
        if self.items[item].rows != Shape::Column(table as u16) {
            self.fault(
                name.span().start,
                format!("`{}` is no column of this table", name.get_ref()),
                "name a reading or result that has this table",
            );
        }
        item
    }

    /// So much in the unit of the column, or in percent of the middle; one of the two.
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

    /// By what a replicate may be rejected; none where nothing is said.
    pub(super) fn rejection(&mut self, written: Option<&source::Rejection>) -> Option<Rejection> {
        let written = written?;
        let at = written.by.span().start;
        Some(match written.by.get_ref().as_str() {
            "dixon" => Rejection::Dixon,
            "grubbs" => Rejection::Grubbs,
            "esd" => Rejection::Esd,
            "modified-z" => Rejection::ModifiedZ,
            "judgement" => Rejection::Judgement,
            "known" if written.sigma.is_none() => {
                self.fault(at, "known repeatability needs its σ", "add sigma = …, in the reading's unit");
                Rejection::Judgement
            }
            "known" => {
                let sigma = written.sigma.as_ref().map(|s| self.positive(s, "the known repeatability"));
                Rejection::Known(sigma.unwrap_or_default())
            }
            "concordance" => {
                Rejection::Concordance(self.tolerance(written.within.as_ref(), written.percent.as_ref(), at))
            }
            other => {
                let what = format!("`{other}` is no way of rejecting a reading");
                self.fault(at, what, "it may be dixon, grubbs, esd, known, modified-z, concordance or judgement");
                Rejection::Judgement
            }
        })
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
