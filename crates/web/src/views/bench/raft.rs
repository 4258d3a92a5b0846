//! A table of rows as the team filled it in: readings first, then the results of the row, folded where all is well.

use jurado_core::finding::Finding;
use jurado_core::judging::shown_clean;
use jurado_core::verdict::{JudgedResult, VerdictKind};

use super::super::{Mark, Symbol, capital};
use super::readings::CellView;
use super::rungs::{distance, distance_to, envelope, pad, places};
use super::{Maker, Pennant};
use crate::draw::raft::{self as drawn, Course, Grid, Needle, Thread};
use crate::draw::svg::Svg;

/// Rows up to which nothing folds, and the shortest run that does.
const MOST_ROWS: usize = 8;
const LEAST_RUN: usize = 4;
/// Rows before and after one with something to see, since sums look back; rows at the top.
const BEFORE: u32 = 2;
const AFTER: u32 = 1;
const FIRST: u32 = 3;
/// Widths of letters and figures, px, and of a street between readings and results.
const LETTER: f64 = 5.6;
const FIGURE: f64 = 6.5;
const STREET: f64 = 12.0;
/// Width of the board, px.
pub(super) const BOARD: f64 = 868.0;
/// Most letters of a cell that are shown in place, and of a result where room is scarce; the rest is in its title.
const MOST_LETTERS: usize = 18;
const FEW_LETTERS: usize = 8;

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
enum What {
    Row,
    Reading(usize),
    Street,
    Result(usize),
}

struct Column {
    what: What,
    width: f64,
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

fn shortened(text: &str, most: usize) -> String {
    if text.chars().count() > most {
        format!("{}…", text.chars().take(most - 1).collect::<String>())
    } else {
        text.to_owned()
    }
}

/// What stands in a cell for a result: its value; what follows a ± is in its title.
fn value(text: &str) -> &str {
    text.split('±').next().map_or(text, str::trim)
}

/// A table's columns, measured before it is known how much room there is.
pub(super) struct Measured {
    /// Whether room is scarce: long figures are cut, and a column typed in one other unit says so in its head alone.
    brief: bool,
    table: usize,
    columns: Vec<Column>,
    rows: u32,
}

impl Measured {
    pub(super) fn width(&self) -> f64 {
        self.columns.iter().map(|c| c.width).sum()
    }

    /// Gives names the room they want while there is some.
    fn spread(&mut self, room: f64) {
        let mut left = room - self.width();
        for c in &mut self.columns {
            let more = (c.wants - c.width).clamp(0.0, left.max(0.0));
            let more = (more / 2.0).floor() * 2.0;
            c.width += more;
            left -= more;
        }
    }
}

impl<'a> Maker<'a> {
    /// The result of a row.
    fn of_row(&self, index: usize, row: u32) -> Option<(usize, &'a JudgedResult)> {
        self.judged.results.iter().enumerate().find(|(_, r)| r.index == index && r.row == Some(row))
    }

    fn is_words(&self, what: What) -> bool {
        match what {
            What::Reading(i) => self.protocol.items[self.protocol.readings[i].item].words.is_some(),
            What::Result(k) => self.protocol.items[self.protocol.results[k].item].words.is_some(),
            _ => false,
        }
    }

    fn right_text(&self, r: &JudgedResult) -> String {
        let words = self.protocol.items[r.item].words.as_ref();
        match words.zip(r.right_word).and_then(|(w, n)| w.get(n as usize)) {
            Some(word) => word.clone(),
            None if r.clean.is_some() => shown_clean(r),
            None => String::new(),
        }
    }

    /// Measures a table's columns, briefly where they would not fit otherwise.
    pub(super) fn measure(&self, table: usize) -> Measured {
        let whole = self.measure_as(table, false);
        if whole.width() <= BOARD { whole } else { self.measure_as(table, true) }
    }

    /// The unit that all cells of a column are typed in, where it is another; empty where there is none.
    fn typed_unit(&self, reading: usize) -> String {
        let cells = (0..self.judged.readings[reading].cells.len()).map(|n| self.cell(reading, n));
        let mut typed: Vec<String> = cells.filter(|c| !c.text.is_empty()).map(|c| c.typed_unit).collect();
        typed.dedup();
        if let [unit] = &typed[..] { unit.clone() } else { String::new() }
    }

    /// A cell of a reading as the raft shows it.
    fn shown_cell(&self, reading: usize, n: usize, brief: bool) -> CellView {
        let cell = self.cell(reading, n);
        if brief && !cell.taken.is_empty() && !self.typed_unit(reading).is_empty() {
            let said = format!("{} {}, taken as {}", cell.text, cell.typed_unit, cell.taken);
            return CellView { taken: String::new(), said, ..cell };
        }
        cell
    }

    fn measure_as(&self, table: usize, brief: bool) -> Measured {
        let most_of = if brief { FEW_LETTERS } else { MOST_LETTERS };
        let letters = |text: &str, most: usize| text.chars().count().min(most);
        let readings: Vec<usize> =
            (0..self.protocol.readings.len()).filter(|i| self.protocol.readings[*i].table == Some(table)).collect();
        let results: Vec<usize> =
            (0..self.protocol.results.len()).filter(|k| self.protocol.results[*k].table == Some(table)).collect();
        let rows = readings
            .iter()
            .flat_map(|i| self.judged.readings[*i].cells.iter().filter_map(|c| c.row))
            .chain(self.judged.results.iter().filter(|r| results.contains(&r.index)).filter_map(|r| r.row))
            .max()
            .unwrap_or(0);
        let names = readings
            .first()
            .map(|i| self.protocol.readings[*i].item)
            .map_or(0, |item| (1..=rows).map(|row| self.row_name(item, row).chars().count()).max().unwrap_or(0));
        let flying = (1..=rows).map(|row| self.pennants(|f| self.flies(table, f, row)).len()).max().unwrap_or(0);
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
                (true, true) => 116.0,
                (true, false) => 76.0,
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
            let of_column = || self.judged.results.iter().filter(|r| r.index == k);
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

    /// Lays a table out in so much room; `near` are rows that stay open whatever is in them.
    pub(super) fn raft(&self, mut measured: Measured, room: f64, near: &[u32]) -> RaftView {
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
                _ => self.fold(&whats, run),
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

    /// How many cells were typed in another unit, once for the table.
    fn typed_note(&self, whats: &[What]) -> String {
        let mut units: Vec<String> = Vec::new();
        let mut count = 0;
        for what in whats {
            let What::Reading(i) = what else { continue };
            for n in 0..self.judged.readings[*i].cells.len() {
                let cell = self.cell(*i, n);
                if !cell.typed_unit.is_empty() {
                    count += 1;
                    if !units.contains(&cell.typed_unit) {
                        units.push(cell.typed_unit);
                    }
                }
            }
        }
        match count {
            0 => String::new(),
            1 => format!("1 cell typed in {}, converted", units.join(" and ")),
            n => format!("{n} cells typed in {}, converted", units.join(" and ")),
        }
    }

    fn head(&self, what: What) -> HeadView {
        match what {
            What::Row | What::Street => HeadView::default(),
            What::Reading(i) => {
                let spec = &self.protocol.readings[i];
                let item = &self.protocol.items[spec.item];
                HeadView {
                    class: if item.words.is_some() { "zn" } else { "rd1" },
                    title: item.title.clone(),
                    symbol: Symbol::of(&item.symbol),
                    unit: item.unit_after().trim().to_owned(),
                    typed_unit: self.typed_unit(i),
                    mark: None,
                    says: String::new(),
                    pennants: self.pennants(|f| f.concerns(spec.item) && f.place.row.is_none()),
                }
            }
            What::Result(k) => {
                let item_at = self.protocol.results[k].item;
                let item = &self.protocol.items[item_at];
                let of_column: Vec<&JudgedResult> =
                    self.judged.results.iter().filter(|r| r.index == k && !self.rightly_blank(r)).collect();
                let all = |kind| !of_column.is_empty() && of_column.iter().all(|r| r.verdict == kind);
                let down = of_column.iter().find_map(|r| r.slip.as_ref().filter(|s| s.rows.len() > 1));
                let (mark, says) = if all(VerdictKind::Agrees) {
                    (Some(Mark::verdict(VerdictKind::Agrees)), "all agree".to_owned())
                } else if let Some(slip) = down {
                    let (first, last) = (slip.rows.iter().min(), slip.rows.iter().max());
                    let says = match (first, last) {
                        (Some(a), Some(b)) => format!("one slip down rows {a} to {b}"),
                        _ => String::new(),
                    };
                    (Some(Mark::verdict(VerdictKind::Slip)), says)
                } else {
                    (None, String::new())
                };
                HeadView {
                    class: if item.words.is_some() { "rw" } else { "rv" },
                    title: item.title.clone(),
                    symbol: Symbol::of(&item.symbol),
                    unit: item.unit_after().trim().to_owned(),
                    typed_unit: String::new(),
                    mark,
                    says,
                    pennants: self.pennants(|f| f.concerns(item_at) && f.place.row.is_none()),
                }
            }
        }
    }

    /// Findings of one row of the table that fly at its number.
    fn flies(&self, table: usize, f: &Finding, row: u32) -> bool {
        let here = |item: usize| self.protocol.table_of(item) == Some(table);
        f.place.row == Some(row)
            && match f.place.item {
                Some(item) => here(item),
                None => matches!(f.kind, jurado_core::finding::Kind::MissingRow { table: t, .. } if t == table),
            }
    }

    /// Rows in the order they are shown, folded ones together.
    fn shown(&self, table: usize, whats: &[What], rows: u32, near: &[u32]) -> Vec<Vec<u32>> {
        let every = || (1..=rows).map(|r| vec![r]).collect();
        if rows as usize <= MOST_ROWS || self.unfolded || self.tried.is_some() {
            return every();
        }
        let told: Vec<u32> = (1..=rows).filter(|r| self.something(table, whats, *r)).collect();
        let open = |row: u32| {
            row <= FIRST || near.contains(&row) || told.iter().any(|t| row + BEFORE >= *t && row <= *t + AFTER)
        };
        let mut out: Vec<Vec<u32>> = Vec::new();
        let mut run: Vec<u32> = Vec::new();
        let close = |run: &mut Vec<u32>, out: &mut Vec<Vec<u32>>| {
            if run.len() >= LEAST_RUN {
                out.push(std::mem::take(run));
            } else {
                out.extend(run.drain(..).map(|r| vec![r]));
            }
        };
        for row in 1..=rows {
            if open(row) {
                close(&mut run, &mut out);
                out.push(vec![row]);
            } else {
                run.push(row);
            }
        }
        close(&mut run, &mut out);
        out
    }

    /// Whether a row has anything to see: what agrees, is rounded alone or goes on carrying has not.
    fn something(&self, table: usize, whats: &[What], row: u32) -> bool {
        let cell = |i: usize| {
            let n = self.judged.readings[i].cells.iter().position(|c| c.row == Some(row));
            n.is_some_and(|n| self.cell(i, n).told())
        };
        let result = |k: usize| {
            let carries = |row: u32| self.of_row(k, row).is_some_and(|(_, r)| r.verdict.taints());
            self.of_row(k, row).is_some_and(|(_, r)| match r.verdict {
                _ if self.rightly_blank(r) => false,
                VerdictKind::Agrees | VerdictKind::Rounded => false,
                VerdictKind::Carried => row == 1 || !carries(row - 1),
                // One slip down a column is found, and charged, at its first row.
                VerdictKind::Slip => {
                    r.slip.as_ref().is_none_or(|s| s.rows.len() < 2 || s.rows.iter().min() == Some(&row))
                }
                _ => true,
            })
        };
        let hand = self.hand_item();
        whats.iter().any(|w| match w {
            What::Reading(i) => cell(*i),
            What::Result(k) => {
                result(*k)
                    || self.of_row(*k, row).is_some_and(|(_, r)| self.result.is_some() && self.is_in_hand(r, hand))
            }
            _ => false,
        }) || self.numbered.iter().any(|n| self.flies(table, &self.judged.findings[*n], row))
    }

    fn row(&self, (table, brief): (usize, bool), whats: &[What], heads: &[HeadView], row: u32) -> RowView {
        let mut pennants = self.pennants(|f| self.flies(table, f, row));
        let more = pennants.len().saturating_sub(2);
        pennants.truncate(2);
        let cells: Vec<PlaceView> = whats
            .iter()
            .zip(heads)
            .skip(1)
            .map(|(what, head)| match what {
                What::Reading(i) => PlaceView {
                    reading: self.judged.readings[*i]
                        .cells
                        .iter()
                        .position(|c| c.row == Some(row))
                        .map(|n| self.shown_cell(*i, n, brief)),
                    words: self.is_words(*what),
                    ..PlaceView::default()
                },
                What::Result(k) => match self.of_row(*k, row) {
                    Some((place, r)) if !self.rightly_blank(r) => PlaceView {
                        result: Some(self.result_view(place, r, head, brief)),
                        words: self.is_words(*what),
                        ..PlaceView::default()
                    },
                    _ => PlaceView { blank: true, words: self.is_words(*what), ..PlaceView::default() },
                },
                What::Row | What::Street => PlaceView::default(),
            })
            .collect();
        let second = |r: &ResultView| !r.clean.is_empty() || !r.tried.is_empty();
        RowView {
            name: self.table_row_name(table, row),
            pennants,
            more,
            tall: cells.iter().filter_map(|c| c.result.as_ref()).any(second),
            cells,
            fold: None,
        }
    }

    fn table_row_name(&self, table: usize, row: u32) -> String {
        let item = self.protocol.readings.iter().find(|r| r.table == Some(table)).map(|r| r.item);
        item.map_or_else(|| row.to_string(), |item| self.row_name(item, row))
    }

    fn result_view(&self, place: usize, r: &JudgedResult, head: &HeadView, brief: bool) -> ResultView {
        let letters = if brief { FEW_LETTERS } else { MOST_LETTERS };
        let words = self.protocol.items[r.item].words.is_some();
        let agrees = r.verdict == VerdictKind::Agrees;
        let clean = if agrees || r.verdict == VerdictKind::Unchecked { String::new() } else { self.right_text(r) };
        // Reported and recomputed figures of a column have as many places, so that their marks stand under one another.
        let shown = |text: &str| shortened(value(text), letters);
        let most = self
            .judged
            .results
            .iter()
            .filter(|x| x.index == r.index)
            .flat_map(|x| {
                let clean = if x.verdict == VerdictKind::Agrees { String::new() } else { self.right_text(x) };
                [shown(&x.reported.text), shown(&clean)]
            })
            .map(|text| places(&text))
            .max()
            .unwrap_or(0);
        let tried = self.tried_of(r).filter(|t| t.clean != r.clean || t.right_word != r.right_word);
        let tried = tried.map_or_else(String::new, |t| {
            let text = self.right_text(t);
            if text.is_empty() { "waits".to_owned() } else { text }
        });
        let text = if r.reported.text.is_empty() { "—".to_owned() } else { shown(&r.reported.text) };
        let far = crate::draw::ladder::in_words(distance(r));
        let gives = if clean.is_empty() { String::new() } else { format!(", recomputed {clean}") };
        ResultView {
            place,
            finding: self
                .numbered
                .iter()
                .position(|n| {
                    let f = &self.judged.findings[*n];
                    f.concerns(r.item) && super::rungs::of_row(f, r)
                })
                .map(|n| n + 1),
            words,
            pad: if words { String::new() } else { pad(&text, most) },
            whole: r.reported.written(),
            clean_pad: if words { String::new() } else { pad(&shown(&clean), most) },
            says: if words {
                format!("{}{gives}", r.verdict.word())
            } else {
                format!("{}, {far}{gives}", r.verdict.word())
            },
            clean: shortened(&clean, letters),
            reported: text,
            tried,
            mark: Mark::verdict(r.verdict),
            marked: head.mark.as_ref().is_none_or(|m| m.symbol != "agrees"),
            in_hand: self.is_in_hand(r, self.hand_item()),
        }
    }

    fn fold(&self, whats: &[What], run: &[u32]) -> RowView {
        let of_run = |k: usize| run.iter().filter_map(move |row| self.of_row(k, *row)).map(|(_, r)| r.verdict);
        let verdicts: Vec<VerdictKind> = whats
            .iter()
            .filter_map(|w| if let What::Result(k) = w { Some(*k) } else { None })
            .flat_map(of_run)
            .collect();
        let (first, last) = (run.first().copied().unwrap_or(0), run.last().copied().unwrap_or(0));
        let (kind, word) = if verdicts.contains(&VerdictKind::Slip) {
            (VerdictKind::Slip, "likewise")
        } else if verdicts.contains(&VerdictKind::Carried) {
            (VerdictKind::Carried, "follow from above")
        } else if verdicts.contains(&VerdictKind::Rounded) {
            (VerdictKind::Rounded, "agree, some rounded")
        } else if verdicts.is_empty() {
            (VerdictKind::Agrees, "have nothing to see")
        } else {
            (VerdictKind::Agrees, "agree")
        };
        // Its words run over the readings; channels stand under the results.
        let readings = whats.iter().position(|w| *w == What::Street).unwrap_or(whats.len());
        RowView {
            name: String::new(),
            pennants: Vec::new(),
            more: 0,
            tall: false,
            cells: Vec::new(),
            fold: Some(FoldView {
                mark: Mark::verdict(kind),
                says: format!("rows {first} to {last} {word}"),
                span: readings + 1,
                rest: whats.len() - readings - 1,
            }),
        }
    }

    fn needle(&self, what: What, run: &[u32], cell: (usize, usize)) -> Option<Needle> {
        let What::Result(k) = what else { return None };
        let of_run: Vec<&JudgedResult> = run.iter().filter_map(|row| self.of_row(k, *row)).map(|(_, r)| r).collect();
        let distances: Vec<f64> = of_run.iter().filter_map(|r| distance(r)).collect();
        if distances.is_empty() {
            return None;
        }
        let one = if let [r] = of_run[..] { Some(r) } else { None };
        Some(Needle {
            cell,
            distances,
            envelope: one.map_or(0.0, envelope),
            symbol: one.map_or("agrees", |r| r.verdict.word()),
            ghost: one.and_then(|r| self.tried_of(r).filter(|t| t.clean != r.clean).and_then(|t| distance_to(r, t))),
        })
    }

    /// Slips of single rows with the cells that carry them.
    fn courses(&self, whats: &[What], shown: &[Vec<u32>]) -> Vec<Course> {
        let column = |k: usize| whats.iter().position(|w| *w == What::Result(k));
        let line = |row: u32| shown.iter().position(|run| run[..] == [row]);
        let cell = |r: &JudgedResult| Some((line(r.row?)?, column(r.index)?));
        let mut out: Vec<Course> = Vec::new();
        for slip in self.judged.results.iter().filter(|r| r.verdict == VerdictKind::Slip) {
            let Some(at) = cell(slip) else { continue };
            if slip.slip.as_ref().is_some_and(|s| s.rows.len() > 1) {
                continue;
            }
            // What carries it, and what carries that, in the order of derivation.
            let mut tainted = vec![slip.item];
            let mut carriers = Vec::new();
            let mut leaves = false;
            for r in self.judged.results.iter().filter(|r| r.verdict == VerdictKind::Carried) {
                if !r.tainted_by.iter().any(|t| tainted.contains(t)) {
                    continue;
                }
                match r.row {
                    Some(row) if Some(row) >= slip.row && column(r.index).is_some() => {
                        // Rows that go on carrying are reached through the first of them.
                        let row_alone = self.protocol.results[r.index].row_local;
                        if row_alone && Some(row) != slip.row {
                            continue;
                        }
                        tainted.push(r.item);
                        carriers.extend(cell(r));
                    }
                    Some(_) => {}
                    None => {
                        tainted.push(r.item);
                        leaves = true;
                    }
                }
            }
            out.push(Course { slip: at, carriers, second: !out.is_empty(), leaves });
        }
        out
    }

    /// The cell in hand with the readings of its row that it is made from: columns, row and column.
    fn thread(&self, whats: &[What], shown: &[Vec<u32>]) -> Option<(Vec<usize>, (usize, usize))> {
        let hand = self.hand_item();
        let r = self
            .judged
            .results
            .iter()
            .find(|r| r.row.is_some() && self.is_in_hand(r, hand) && whats.contains(&What::Result(r.index)))?;
        let row = shown.iter().position(|run| run[..] == [r.row.unwrap_or(0)])?;
        let column = whats.iter().position(|w| *w == What::Result(r.index))?;
        let used = self.protocol.results[r.index].node.items();
        let from = whats
            .iter()
            .enumerate()
            .filter(|(_, w)| matches!(w, What::Reading(i) if used.contains(&self.protocol.readings[*i].item)))
            .map(|(c, _)| c)
            .collect();
        Some((from, (row, column)))
    }
}
