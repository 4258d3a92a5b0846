//! A table of rows as the team filled it in: readings first, then the results of the row, folded where all is well. It is
//! measured (`measure`), its rows are chosen (`folding`) and laid out (`rows`, `head`), and its streets are found (`streets`).

mod folding;
mod head;
mod measure;
mod rows;
mod streets;

use jurado_core::finding::Finding;
use jurado_core::judging::shown_clean;
use jurado_core::protocol::{ItemId, ReadingId, ResultId, TableId};
use jurado_core::row::Row;
use jurado_core::verdict::JudgedResult;

use super::super::{Mark, Symbol, capital};
use super::readings::CellView;
use super::{Maker, Pennant};
use crate::draw::raft::{self as drawn, Grid, Thread};
use crate::draw::svg::Svg;
pub(super) use measure::{BOARD, Measured};

/// A raft, ready to be laid out.
pub(crate) struct RaftView {
    pub(crate) title: String,
    pub(crate) note: String,
    /// Width of each column in px, an even number: a class of the style sheet each.
    pub(crate) widths: Vec<u32>,
    pub(crate) heads: Vec<HeadView>,
    pub(crate) rows: Vec<RowView>,
    pub(crate) svg: Svg,
    pub(crate) width: u32,
    pub(crate) height: u32,
    /// Whether it moves sideways under its row numbers.
    pub(crate) scrolls: bool,
    /// Where its courses leave it at the bottom.
    pub(crate) exits: Vec<f64>,
    /// Middle of the cell in hand at its left edge, with the street before it.
    pub(crate) door: Option<(f64, f64, f64)>,
}

/// The head of a column.
#[derive(Default)]
pub(crate) struct HeadView {
    pub(crate) class: &'static str,
    pub(crate) title: String,
    pub(crate) symbol: Symbol,
    pub(crate) unit: String,
    /// The unit that all its cells are typed in, where it is another.
    pub(crate) typed_unit: String,
    /// What is so throughout the column.
    pub(crate) mark: Option<Mark>,
    pub(crate) says: String,
    pub(crate) pennants: Vec<Pennant>,
}

impl HeadView {
    /// With the unit that was typed alone; the title of the raft says that it was converted.
    fn short(mut self) -> HeadView {
        if !self.typed_unit.is_empty() {
            self.unit = std::mem::take(&mut self.typed_unit);
        }
        self
    }
}

/// A row, or rows that are folded into one.
pub(crate) struct RowView {
    pub(crate) name: String,
    pub(crate) pennants: Vec<Pennant>,
    /// Findings beyond those whose pennants fly.
    pub(crate) more: usize,
    pub(crate) tall: bool,
    pub(crate) cells: Vec<PlaceView>,
    /// What is folded here.
    pub(crate) fold: Option<FoldView>,
}

/// Rows folded into one.
pub(crate) struct FoldView {
    /// Whether it says little, and not by which key it opens.
    pub(crate) brief: bool,
    /// What it says where there is room.
    pub(crate) whole: String,
    pub(crate) mark: Mark,
    pub(crate) says: String,
    /// Columns that its words may use.
    pub(crate) span: usize,
    pub(crate) rest: usize,
}

/// What stands in one place of a row.
#[derive(Default)]
pub(crate) struct PlaceView {
    pub(crate) reading: Option<CellView>,
    pub(crate) words: bool,
    pub(crate) result: Option<ResultView>,
    /// Nothing stands there, and nothing has to.
    pub(crate) blank: bool,
}

/// One result of a row.
pub(crate) struct ResultView {
    pub(crate) place: usize,
    pub(crate) finding: Option<usize>,
    pub(crate) words: bool,
    pub(crate) reported: String,
    pub(crate) pad: String,
    /// Whether the team's formula of the result in hand reads it.
    pub(crate) read: bool,
    pub(crate) whole: String,
    /// Recomputed, where the verdict is not that it agrees.
    pub(crate) clean: String,
    pub(crate) clean_pad: String,
    /// What a try-out makes of it.
    pub(crate) tried: String,
    pub(crate) mark: Mark,
    pub(crate) marked: bool,
    pub(crate) says: String,
    pub(crate) in_hand: bool,
}

/// What a column holds.
#[derive(Clone, Copy, PartialEq)]
pub(super) enum What {
    Row,
    Reading(ReadingId),
    Street,
    Result(ResultId),
}

impl<'a> Maker<'a> {
    /// The result of a row.
    pub(super) fn of_row(&self, result: ResultId, row: Row) -> Option<(usize, &'a JudgedResult)> {
        self.judged.results.iter().enumerate().find(|(_, r)| r.id == result && r.row == Some(row))
    }

    pub(super) fn is_words(&self, what: What) -> bool {
        match what {
            What::Reading(i) => self.protocol.items[self.protocol.readings[i].item].words.is_some(),
            What::Result(k) => self.protocol.items[self.protocol.results[k].item].words.is_some(),
            _ => false,
        }
    }

    pub(super) fn right_text(&self, r: &JudgedResult) -> String {
        let words = self.protocol.items[r.item].words.as_ref();
        match words.zip(r.right_word).and_then(|(w, n)| w.get(n as usize)) {
            Some(word) => word.clone(),
            None if r.clean.is_some() => shown_clean(r),
            None => String::new(),
        }
    }

    /// Findings of one row of the table that fly at its number.
    pub(super) fn flies(&self, table: TableId, f: &Finding, row: Row) -> bool {
        let here = |item: ItemId| self.protocol.table_of(item) == Some(table);
        f.place.row == Some(row)
            && match f.place.item {
                Some(item) => here(item),
                None => matches!(f.kind, jurado_core::finding::Kind::MissingRow { table: t, .. } if t == table),
            }
    }

    /// Lays a table out in so much room; `near` are rows that stay open whatever is in them.
    pub(super) fn raft(&self, mut measured: Measured, room: f64, near: &[Row]) -> RaftView {
        measured.spread(room);
        let Measured { brief, table, columns, rows } = measured;
        let whats: Vec<What> = columns.iter().map(|c| c.what).collect();
        let heads: Vec<HeadView> =
            whats.iter().map(|w| self.head(*w)).map(|h| if brief { h.short() } else { h }).collect();
        let shown = self.shown(table, &whats, rows, near);
        let widths: Vec<f64> = columns.iter().map(|c| c.width).collect();
        let mut grid = Grid::new(&widths, whats.iter().map(|w| self.is_words(*w)).collect());
        let mut needles = Vec::new();
        let mut views = Vec::new();
        for run in &shown {
            let at = views.len();
            let view = match run[..] {
                [row] => self.row((table, brief), &whats, &heads, row),
                _ => self.fold(&whats, &widths, run),
            };
            grid.row(view.tall);
            for (column, what) in whats.iter().enumerate() {
                needles.extend(self.needle(*what, run, (at, column)));
            }
            views.push(view);
        }
        let courses = self.courses(&whats, &shown);
        let width: f64 = widths.iter().sum();
        let thread = self.thread(&whats, &shown);
        let thread =
            thread.map(|(from, to)| Thread { from, to, until: if room >= BOARD { 884.0 } else { width + 10.0 } });
        let scrolls = width > BOARD;
        let thread = thread.map(|t| Thread { until: if scrolls { 0.0 } else { t.until }, ..t });
        let (svg, exits) = drawn::draw(&grid, &needles, &courses, thread.as_ref());
        let door = thread.map(|t| {
            let (top, tall) = grid.rows[t.to.0];
            let street = whats.iter().position(|w| *w == What::Street).map_or(0.0, |k| grid.columns[k].0 + 8.0);
            (grid.columns[t.to.1].0, top + if tall { 26.0 } else { 11.0 }, street)
        });
        RaftView {
            title: capital(&self.protocol.tables[table].title),
            note: self.typed_note(&whats),
            widths: widths.iter().map(|w| *w as u32).collect(),
            heads,
            rows: views,
            svg,
            width: width as u32,
            height: grid.bottom as u32,
            scrolls,
            exits: if scrolls { Vec::new() } else { exits },
            door,
        }
    }
}
