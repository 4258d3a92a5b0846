//! The instructor's run: a table of the file, as if a team had handed it in.
//!
//! A lab that hands in a good table of its own is checked by it each time it changes: whatever the
//! judge finds there is a fault of the lab, or of the table.

use super::loading::Loader;
use super::source::{self, Filled, Spanned, Text};
use super::{Key, Run, TableSpec};
use crate::error::line_and_column;
use crate::formula::Shape;
use crate::submission::{Submission, SubmittedCell};

impl Loader<'_> {
    /// The table that the file gives, each name of it checked.
    ///
    /// Faults stand at the names; texts are judged later.
    pub(super) fn run(
        &mut self,
        run: &Spanned<source::Run>,
        lab: &Text,
        keys: &[Key],
        tables: &[TableSpec],
    ) -> Option<Run> {
        let mut submission =
            Submission { section: "Instructor".into(), team: lab.get_ref().clone(), ..Submission::default() };
        let key_ids: Vec<String> = keys.iter().map(|k| k.id.clone()).collect();
        for (key, value) in &run.get_ref().keys {
            self.find(key, &key_ids, "key");
            self.key_value(key, value, keys.iter().find(|k| &k.id == key.get_ref()));
            submission.keys.insert(key.get_ref().clone(), value.clone());
        }
        let table_ids: Vec<String> = tables.iter().map(|t| t.id.clone()).collect();
        for (table, values) in &run.get_ref().rows {
            let n = self.find(table, &table_ids, "table");
            let Some(key) = tables.get(n).and_then(|t| t.key) else {
                self.fault(
                    table.span().start,
                    format!("the rows of the table `{}` have no key", table.get_ref()),
                    "give the table a key, or take the line out",
                );
                continue;
            };
            values.iter().for_each(|value| self.key_value(table, value, keys.get(key)));
        }
        for (item, filled) in &run.get_ref().values {
            self.filled(item, filled, run.get_ref(), (keys, tables), &mut submission);
        }
        Some(Run { at: line_and_column(self.text, run.span().start), submission })
    }

    /// A value that the key does not have is a fault.
    fn key_value(&mut self, at: &Text, value: &str, key: Option<&Key>) {
        if let Some(key) = key.filter(|k| !k.values.is_empty() && !k.values.iter().any(|v| v == value)) {
            self.fault(
                at.span().start,
                format!("“{value}” is no value of the key `{}`", key.id),
                format!("write one of {}", key.values.join(", ")),
            );
        }
    }

    /// The cells of one reading or result.
    ///
    /// A single value may have no rows, and rows no single value.
    fn filled(
        &mut self,
        item: &Text,
        filled: &Filled,
        run: &source::Run,
        (keys, tables): (&[Key], &[TableSpec]),
        submission: &mut Submission,
    ) {
        let n = self.find_item(item, "reading or result");
        let Some(known) = self.items.get(n.index()) else { return };
        // The run stands in the units of the sheet.
        let unit = &known.unit.text;
        let cell = |row: Option<u32>, value: &String| {
            let (item, value, unit) = (item.get_ref().clone(), value.clone(), unit.clone());
            SubmittedCell { item, row, value, unit, ..SubmittedCell::default() }
        };
        match (filled, known.rows) {
            (Filled::One(value), _) => submission.cells.push(cell(None, value)),
            (Filled::Rows(values), Shape::Column(t)) => {
                // The key of a row stands with each of its cells.
                let table = tables.get(usize::from(t));
                let key = table.and_then(|t| keys.get(t.key?));
                let of_rows = table.and_then(|t| run.rows.iter().find(|(id, _)| id.get_ref() == &t.id));
                for (i, value) in values.iter().enumerate() {
                    let mut cell = cell(Some(i as u32 + 1), value);
                    let at = of_rows.and_then(|(_, values)| values.get(i));
                    cell.keys.extend(key.zip(at).map(|(key, at)| (key.id.clone(), at.clone())));
                    submission.cells.push(cell);
                }
            }
            (Filled::Rows(_), Shape::Scalar) => {
                let what = format!("`{}` is a single value, and has no rows", item.get_ref());
                self.fault(item.span().start, what, "write one text in place of a list");
            }
        }
    }
}
