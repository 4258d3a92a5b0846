//! How wide the columns of a raft are, and what is cut where room is scarce.

use super::{Maker, What};
use crate::views::bench::readings::CellView;
use jurado_core::protocol::{ReadingId, ResultId, TableId};
use jurado_core::row::Row;

/// Widths of letters and figures, px, and of a street between readings and results.
const LETTER: f64 = 5.6;
const FIGURE: f64 = 6.5;
const STREET: f64 = 12.0;
/// Width of the board, px.
pub(in crate::views::bench) const BOARD: f64 = 868.0;
/// Most letters of a cell that are shown in place, and of a result where room is scarce; the rest is in its title.
pub(super) const MOST_LETTERS: usize = 18;
pub(super) const FEW_LETTERS: usize = 8;

pub(super) struct Column {
    pub(super) what: What,
    pub(super) width: f64,
    /// What its name would like, in two lines.
    wants: f64,
}

/// Width of a name in two lines, no word broken.
fn name_width(title: &str) -> f64 {
    let longest = title.split_whitespace().map(|w| w.chars().count()).max().unwrap_or(0);
    // Words do not share two lines evenly: a little more than half is taken.
    let half = (title.chars().count() as f64 * 0.58).ceil();
    (6.1 * half.max(longest as f64) + 6.0).min(124.0)
}

pub(super) fn shortened(text: &str, most: usize) -> String {
    if text.chars().count() > most {
        format!("{}…", text.chars().take(most - 1).collect::<String>())
    } else {
        text.to_owned()
    }
}

/// What stands in a cell for a result: its value; what follows a ± is in its title.
pub(super) fn value(text: &str) -> &str {
    text.split('±').next().map_or(text, str::trim)
}

/// A table's columns, measured before it is known how much room there is.
pub(in crate::views::bench) struct Measured {
    /// Whether room is scarce: long figures are cut, and a column typed in one other unit says so in its head alone.
    pub(super) brief: bool,
    pub(super) table: TableId,
    pub(super) columns: Vec<Column>,
    pub(super) rows: u32,
}

impl Measured {
    pub(in crate::views::bench) fn width(&self) -> f64 {
        self.columns.iter().map(|c| c.width).sum()
    }

    /// Gives names the room they want while there is some.
    pub(super) fn spread(&mut self, room: f64) {
        let mut left = room - self.width();
        for c in &mut self.columns {
            let more = (c.wants - c.width).clamp(0.0, left.max(0.0));
            let more = (more / 2.0).floor() * 2.0;
            c.width += more;
            left -= more;
        }
    }
}

impl Maker<'_> {
    /// Measures a table's columns, briefly where they would not fit otherwise.
    pub(in crate::views::bench) fn measure(&self, table: TableId) -> Measured {
        let whole = self.measure_as(table, false);
        if whole.width() <= BOARD { whole } else { self.measure_as(table, true) }
    }

    /// The unit that all cells of a column are typed in, where it is another; empty where there is none.
    pub(super) fn typed_unit(&self, reading: ReadingId) -> String {
        let cells = (0..self.judged.readings[reading].cells.len()).map(|n| self.cell(reading, n));
        let mut typed: Vec<String> = cells.filter(|c| !c.text.is_empty()).map(|c| c.typed_unit).collect();
        typed.dedup();
        if let [unit] = &typed[..] { unit.clone() } else { String::new() }
    }

    /// A cell of a reading as the raft shows it.
    pub(super) fn shown_cell(&self, reading: ReadingId, n: usize, brief: bool) -> CellView {
        let cell = self.cell(reading, n);
        if brief && !cell.taken.is_empty() && !self.typed_unit(reading).is_empty() {
            let said = format!("{} {}, taken as {}", cell.text, cell.typed_unit, cell.taken);
            return CellView { taken: String::new(), said, ..cell };
        }
        cell
    }

    pub(super) fn measure_as(&self, table: TableId, brief: bool) -> Measured {
        let most_of = if brief { FEW_LETTERS } else { MOST_LETTERS };
        let letters = |text: &str, most: usize| text.chars().count().min(most);
        let readings: Vec<ReadingId> = ReadingId::each(&self.protocol.readings)
            .filter(|i| self.protocol.readings[*i].table == Some(table))
            .collect();
        let results: Vec<ResultId> =
            ResultId::each(&self.protocol.results).filter(|k| self.protocol.results[*k].table == Some(table)).collect();
        let rows = readings
            .iter()
            .flat_map(|i| self.judged.readings[*i].cells.iter().filter_map(|c| c.row))
            .chain(self.judged.results.iter().filter(|r| results.contains(&r.id)).filter_map(|r| r.row))
            .max()
            .map_or(0, Row::number);
        let names = readings
            .first()
            .map(|i| self.protocol.readings[*i].item)
            .map_or(0, |item| Row::first(rows).map(|row| self.row_name(item, row).chars().count()).max().unwrap_or(0));
        let flying = Row::first(rows).map(|row| self.pennants(|f| self.flies(table, f, row)).len()).max().unwrap_or(0);
        let flags = 22.0 * flying.min(2) as f64 + if flying > 2 { 14.0 } else { 0.0 };
        let mut columns =
            vec![Column { what: What::Row, width: (6.0 + 6.2 * names as f64 + flags).max(16.0), wants: 0.0 }];
        for i in readings {
            let item = &self.protocol.items[self.protocol.readings[i].item];
            let words = item.words.is_some();
            let most = (0..self.judged.readings[i].cells.len())
                .map(|n| self.shown_cell(i, n, brief))
                .map(|c| (letters(&c.text, MOST_LETTERS), letters(&c.taken, MOST_LETTERS)))
                .map(|(text, taken)| text + if taken == 0 { 0 } else { 3 + taken })
                .max()
                .unwrap_or(0) as f64;
            let least = match (self.tried.is_some(), words) {
                (true, true) => 126.0,
                (true, false) => 84.0,
                (false, _) => 44.0,
            };
            let width = if words { 8.0 + LETTER * most } else { 12.0 + FIGURE * most };
            let longest = item.title.split_whitespace().map(|w| w.chars().count()).max().unwrap_or(0);
            columns.push(Column {
                what: What::Reading(i),
                width: width.max(least).max(6.6 * longest.min(12) as f64 + if words { 8.0 } else { 7.0 }),
                wants: name_width(&item.title),
            });
        }
        columns.push(Column { what: What::Street, width: STREET, wants: 0.0 });
        for k in results {
            let item = &self.protocol.items[self.protocol.results[k].item];
            let of_column = || self.judged.results.iter().filter(|r| r.id == k);
            let most = of_column()
                .map(|r| letters(value(&r.reported.text), most_of).max(letters(&self.right_text(r), most_of)))
                .max()
                .unwrap_or(0) as f64;
            let width =
                if item.words.is_some() { (24.0 + LETTER * most).max(60.0) } else { (28.0 + FIGURE * most).max(68.0) };
            columns.push(Column { what: What::Result(k), width, wants: name_width(&item.title) + 14.0 });
        }
        for c in &mut columns {
            c.width = (c.width / 2.0).ceil() * 2.0;
            c.width = c.width.min(240.0);
        }
        Measured { brief, table, columns, rows }
    }
}
