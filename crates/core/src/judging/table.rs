//! The submission's cells put in their places: readings with values, results as reported, and which
//! rows there are.
//!
//! A team's file is a list of cells with names and row numbers, in any order and with any number of
//! faults. What leaves this file has a place for each cell the lab asks for, and notes for all that
//! did not fit. No text is thrown away: a cell keeps what was typed beside what was read from it.

use crate::finding::{Kind, UnitFault};
use crate::formula::ItemId;
use crate::protocol::{Protocol, ReadingKind, ReadingSpec, RowCount, TableId, beside};
use crate::quantity::{Nature, Unit};
use crate::reading::{Cell, CellKind, Comma, Hints, Number, Unreadable, read};
use crate::row::Row;
use crate::section::Section;
use crate::submission::{Submission, SubmittedCell};
use crate::verdict::{CellState, JudgedCell, JudgedReading, Reported};

/// A note made while placing the cells, to become a finding.
///
/// Notes are turned into findings after the results are judged, when it is known which of them cost
/// points.
#[derive(Clone)]
pub(super) struct CellNote {
    /// What was noted.
    pub(super) kind: Kind,
    /// At which item.
    pub(super) item: ItemId,
    /// In which row.
    pub(super) row: Option<Row>,
}

/// `there` is at least what is asked for: an empty row that was asked for is a missing row and not
/// none.
#[derive(Clone)]
pub(super) struct Rows {
    /// Rows asked for at most.
    pub(super) most: usize,
    /// Rows written, or asked for where fewer were written.
    pub(super) there: usize,
    /// The row's key, by row.
    pub(super) keys: Vec<Option<String>>,
}

/// It is cloned for each story that alters a reading; its size is that of the sheet.
#[derive(Clone)]
pub(super) struct Table {
    /// Readings, in the order of the lab.
    pub(super) readings: Vec<JudgedReading>,
    /// By result, by row (one where it is no column).
    pub(super) reported: Vec<Vec<Reported>>,
    /// By the protocol's tables.
    pub(super) rows: Vec<Rows>,
    /// What was noted while cells were placed.
    pub(super) notes: Vec<CellNote>,
}

beside!(TableId: Rows);

impl Table {
    /// The cell of a reading, by its item and its row from 1.
    ///
    /// `None` where the lab has no such reading, or the reading no such row.
    pub(super) fn cell_mut(&mut self, item: ItemId, row: Option<Row>) -> Option<&mut JudgedCell> {
        self.readings.iter_mut().find(|r| r.item == item)?.cells.iter_mut().find(|c| c.row == row)
    }
}

/// Least and most rows or replicates asked for.
///
/// A number that a section sets stands in a parameter; it is kept between 1 and 10 000.
pub(super) fn asked(protocol: &Protocol, section: &Section, count: &RowCount) -> (usize, usize) {
    match count {
        RowCount::Fixed(n) => (*n as usize, *n as usize),
        RowCount::Between(least, most) => (*least as usize, *most as usize),
        RowCount::Parameter(item) => {
            let n = parameter(protocol, section, *item).clamp(1.0, 10_000.0) as usize;
            (n, n)
        }
    }
}

/// The value of a parameter in this section.
///
/// A value outside the range that the lab gives is moved to its end: a section cannot set what no
/// table of the lab could have. A parameter that the lab does not know is 1.
pub(super) fn parameter(protocol: &Protocol, section: &Section, item: ItemId) -> f64 {
    let spec = protocol.parameters.iter().find(|p| p.item == item);
    let usual = spec.map_or(1.0, |p| p.value);
    let (low, high) = spec.map_or((1.0, 1.0), |p| p.range);
    section
        .parameters
        .get(&protocol.items[item].id)
        .copied()
        .filter(|v| v.is_finite())
        .unwrap_or(usual)
        .clamp(low, high)
}

/// Most cells placed of one item: a sheet longer than that is cut, and said to be.
const MOST_ROWS: u32 = 10_000;

/// Cells by item and row.
struct Cells<'s>(Vec<Vec<Option<&'s SubmittedCell>>>);

impl<'s> Cells<'s> {
    /// The cell of an item, in a row from 1.
    fn at(&self, item: ItemId, row: Option<Row>) -> Option<&'s SubmittedCell> {
        self.0[item.index()].get(row.map_or(0, Row::index)).copied().flatten()
    }

    /// Puts a cell in its place, unless one is there already: that one.
    ///
    /// The first of two counts, as on paper the reader's eye would fall on it first.
    fn put(&mut self, item: ItemId, row: Option<Row>, cell: &'s SubmittedCell) -> Option<&'s SubmittedCell> {
        let (rows, at) = (&mut self.0[item.index()], row.map_or(0, Row::index));
        if rows.len() <= at {
            rows.resize(at + 1, None);
        }
        let first = rows[at];
        if first.is_none() {
            rows[at] = Some(cell);
        }
        first
    }
}

/// Places every cell. Of two cells in one place the first counts and the second is a note.
///
/// Cells of items that the lab does not know are passed over here; the intake has told them
/// already. A row number below 1 counts as 1 and one above 10 000 as 10 000, so that no file can
/// ask for more memory.
pub(super) fn place(protocol: &Protocol, section: &Section, submission: &Submission) -> Table {
    let comma = comma_habit(submission);
    let mut notes = Vec::new();
    let mut cells = Cells(vec![Vec::new(); protocol.items.len()]);
    let mut last_row = vec![0u32; protocol.items.len()];
    for cell in &submission.cells {
        let Some(item) = protocol.item(&cell.item).filter(|i| protocol.is_typed(*i)) else { continue };
        let row = protocol.has_rows(item).then(|| Row::at(cell.row.unwrap_or(1).clamp(1, MOST_ROWS) as usize - 1));
        let written = !cell.value.trim().is_empty() || !cell.note.is_empty();
        if let (Some(r), true) = (row, written) {
            last_row[item.index()] = last_row[item.index()].max(r.number());
        }
        if let Some(first) = cells.put(item, row, cell) {
            notes.push(CellNote { kind: Kind::Duplicate { first: first.value.clone() }, item, row });
        }
    }
    let rows: Vec<Rows> =
        TableId::each(&protocol.tables).map(|t| rows_of(protocol, section, submission, t, &cells, &last_row)).collect();
    let of_table = |t: TableId| (0..rows[t].there).map(|n| Some(Row::at(n))).collect::<Vec<Option<Row>>>();
    let readings = protocol.readings.iter().map(|spec| {
        let numbers = match spec.table {
            Some(t) => of_table(t),
            None => replicates(protocol, section, spec, &cells, last_row[spec.item.index()]),
        };
        let read = |row| reading_cell(protocol, spec.item, row, cells.at(spec.item, row), comma, &mut notes);
        JudgedReading { item: spec.item, cells: numbers.into_iter().map(read).collect() }
    });
    let readings = readings.collect();
    let reported = protocol.results.iter().map(|spec| {
        let numbers = spec.table.map_or_else(|| vec![None], of_table);
        let read = |row| match cells.at(spec.item, row) {
            Some(cell) => reported(protocol, spec.item, row, cell, comma, &mut notes),
            None => Reported { scale: 1.0, ..Reported::default() },
        };
        numbers.into_iter().map(read).collect()
    });
    let reported = reported.collect();
    Table { readings, reported, rows, notes }
}

/// Which rows a table has, and the key of each.
///
/// A row's key comes from its own cells, else from the table's keys; both are as handed in, and are
/// compared with the lab's list later.
fn rows_of(
    protocol: &Protocol,
    section: &Section,
    submission: &Submission,
    t: TableId,
    cells: &Cells<'_>,
    last_row: &[u32],
) -> Rows {
    let table = &protocol.tables[t];
    let (least, most) = asked(protocol, section, &table.rows);
    let columns: Vec<ItemId> = ItemId::each(&protocol.items).filter(|i| protocol.table_of(*i) == Some(t)).collect();
    let written = columns.iter().map(|i| last_row[i.index()] as usize).max().unwrap_or(0);
    let there = written.max(least);
    let key = table.key.map(|k| protocol.keys[k].id.as_str());
    let key_of = |row: Row| {
        let key = key?;
        columns
            .iter()
            .filter_map(|i| cells.at(*i, Some(row)))
            .find_map(|c| c.keys.get(key))
            .or_else(|| submission.keys.get(key))
            .filter(|v| !v.is_empty())
            .cloned()
    };
    Rows { most, there, keys: (0..there).map(Row::at).map(key_of).collect() }
}

/// The replicates of a reading, as many as are asked for, and those written beyond; one without a
/// number for a single one.
///
/// Rows beyond those asked for are there only where something was written.
fn replicates(
    protocol: &Protocol,
    section: &Section,
    spec: &ReadingSpec,
    cells: &Cells<'_>,
    written: u32,
) -> Vec<Option<Row>> {
    if !protocol.has_rows(spec.item) {
        return vec![None];
    }
    let by_parameter = |p| parameter(protocol, section, p).clamp(1.0, 10_000.0) as u32;
    let asked = spec.replicates_of.map_or(spec.replicates, by_parameter);
    Row::first(asked.max(written))
        .filter(|row| row.number() <= asked || cells.at(spec.item, Some(*row)).is_some())
        .map(Some)
        .collect()
}

/// What a comma means for this team: a decimal mark where one stands before other than three
/// digits.
///
/// `1,234` beside `12,5` is a decimal in both; beside `12.5` it is a thousand. With neither or both
/// it stays unknown, and such a cell is told as one that could be read in two ways.
fn comma_habit(submission: &Submission) -> Comma {
    let (mut decimal, mut point) = (false, false);
    for cell in &submission.cells {
        // Only a comma needs a look; a point without one is a decimal mark.
        if !cell.value.contains(',') {
            point |= cell
                .value
                .as_bytes()
                .windows(3)
                .any(|w| matches!(w, [a, b'.', b] if a.is_ascii_digit() && b.is_ascii_digit()));
            continue;
        }
        if let CellKind::Number(n) = read(&cell.value, &Hints::default()).kind {
            decimal |= n.comma == Some(true);
            point |= n.comma == Some(false);
        }
    }
    match (decimal, point) {
        (true, false) => Comma::Decimal,
        (false, true) => Comma::Grouping,
        _ => Comma::Unknown,
    }
}

/// How a number in the written unit becomes one in the protocol's: times the factor, plus the shift
/// (of Celsius and Fahrenheit points only).
///
/// The value in the protocol's unit is `value × factor + shift`.
struct Conversion {
    /// The written unit over the lab's.
    factor: f64,
    /// In the lab's unit; nought but for points on a scale.
    shift: f64,
}

/// The unit that counts: in the cell, else in the unit column, else the protocol's.
///
/// What was written wins over what is meant: a reading of `0.0842` with `m` beside it under a
/// column of mm is 84.2 mm, with a note. A unit of another dimension is told and not converted, and
/// the number is taken as if it had the right one, so that only the unit is charged.
fn conversion(
    protocol: &Protocol,
    item: ItemId,
    row: Option<Row>,
    number: &Number,
    column: &str,
    notes: &mut Vec<CellNote>,
) -> Conversion {
    /// The unit that the lab asks for.
    const SAME: Conversion = Conversion { factor: 1.0, shift: 0.0 };
    let it = &protocol.items[item];
    let mut note = |fault| notes.push(CellNote { kind: Kind::Unit(fault), item, row });
    let written = match (&number.unit, column.trim()) {
        (Some(unit), _) => unit.clone(),
        (None, "") => {
            if it.unit.text != "1" && !it.unit.text.is_empty() {
                note(UnitFault::Missing);
            }
            return SAME;
        }
        (None, text) if text == it.unit.text => return SAME,
        (None, text) => match Unit::parse(text) {
            Ok(unit) => unit,
            Err(e) => {
                note(UnitFault::Unknown(e.to_string()));
                return SAME;
            }
        },
    };
    let other_pressure =
        matches!((written.nature, it.nature), (Nature::Gauge, Nature::Absolute) | (Nature::Absolute, Nature::Gauge));
    if written.dimension != it.unit.dimension || other_pressure {
        note(UnitFault::Wrong(written.text));
        return SAME;
    }
    // Kelvin under a column of Celsius points: the same scale from another nought.
    let offset = |u: &Unit| if it.nature == Nature::Point { u.offset } else { 0.0 };
    let shift = (offset(&written) - offset(&it.unit)) / it.unit.factor;
    if written.factor == it.unit.factor && shift == 0.0 {
        return SAME;
    }
    let factor = written.factor / it.unit.factor;
    note(UnitFault::Converted(written.text));
    Conversion { factor, shift }
}

/// A word as people write it: case, spaces and a full stop do not matter.
///
/// `None` where no word of the list matches. The number is the place in the list, from 0.
fn word_of(words: &[String], text: &str) -> Option<u32> {
    let plain =
        |t: &str| t.trim().trim_end_matches('.').to_lowercase().split_whitespace().collect::<Vec<_>>().join(" ");
    let text = plain(text);
    words.iter().position(|w| plain(w) == text).map(|n| n as u32)
}

/// One cell of a reading as judged: its exclusion, its state, its value in the reading's unit and
/// the reasons it gives for being empty. A converted unit is told in `notes`.
///
/// What is marked as left out keeps its value and its state; whether it counts is decided by
/// `counts`. The mark may be a word (`x`, `yes`), and then the reason is in the note, or the reason
/// itself.
fn reading_cell(
    protocol: &Protocol,
    item: ItemId,
    row: Option<Row>,
    cell: Option<&SubmittedCell>,
    comma: Comma,
    notes: &mut Vec<CellNote>,
) -> JudgedCell {
    let mut out = JudgedCell {
        row,
        text: String::new(),
        unit: String::new(),
        state: CellState::Missing,
        value: None,
        word: None,
        bound: None,
        resolution: 0.0,
        number: None,
        excluded: None,
        absent: None,
        by_person: cell.is_some_and(|c| c.by_person),
        counts: false,
        repaired: None,
        remarks: Vec::new(),
    };
    let Some(cell) = cell else { return out };
    let Some(spec) = protocol.reading_of(item) else { return out };
    let mark = cell.excluded.trim();
    let kept = matches!(mark.to_lowercase().as_str(), "" | "no" | "0" | "false" | "kept" | "-" | "–" | "—" | "n/a");
    out.excluded = (!kept).then(|| {
        let plain = matches!(mark.to_lowercase().as_str(), "yes" | "x" | "1" | "true" | "out");
        if plain { cell.note.trim().to_owned() } else { mark.to_owned() }
    });
    out.text = cell.value.clone();
    out.unit = cell.unit.clone();
    // A single reading that a reviewer leaves out is not there; of several, the rest go on without it.
    if cell.by_person && row.is_none() {
        return out;
    }
    if let Some(words) = &protocol.items[item].words {
        read_word(&mut out, words);
        explain_absence(&mut out, &cell.note);
        return out;
    }
    let hints = Hints {
        comma,
        plausible: spec.plausible,
        graduation: spec.instrument.map(|i| protocol.instruments[i].step).filter(|_| spec.kind == ReadingKind::Number),
    };
    let Cell { kind, remarks } = read(&cell.value, &hints);
    out.remarks = remarks;
    match kind {
        CellKind::Number(n) => {
            let c = conversion(protocol, item, row, &n, &cell.unit, notes);
            take_number(&mut out, spec.kind == ReadingKind::Count, *n, &c);
        }
        CellKind::Bound { limit, above } => {
            out.state = CellState::Bound;
            out.bound = Some((limit, above));
        }
        CellKind::Unreadable { why } => out.state = CellState::Unreadable(why),
        CellKind::Blank | CellKind::NotApplicable => {}
    }
    explain_absence(&mut out, &cell.note);
    out
}

/// Nothing can be left out of an empty cell: what is said there is why it is empty.
///
/// A mark of exclusion in an empty cell, or else its note, is the reason; a cell that a person left
/// out is none that the team left empty.
fn explain_absence(out: &mut JudgedCell, note: &str) {
    if out.state == CellState::Missing && !out.by_person {
        let reason = out.excluded.take().filter(|r| !r.is_empty()).unwrap_or_else(|| note.trim().to_owned());
        out.absent = Some(reason).filter(|r| !r.is_empty());
    }
}

/// A word of the item's list; a dash is a word where the list has one, else an empty cell.
///
/// An empty cell stays missing. A dash is missing unless the list has it.
fn read_word(out: &mut JudgedCell, words: &[String]) {
    let blank = matches!(read(&out.text, &Hints::default()).kind, CellKind::Blank);
    match word_of(words, &out.text) {
        Some(w) => (out.word, out.state, out.counts) = (Some(w), CellState::Read, true),
        None if blank || is_not_applicable(&out.text) => {}
        None => out.state = CellState::Unreadable(Unreadable::NoneOf(words.to_vec())),
    }
}

/// A number in the protocol's unit, if it can be computed with and is whole where it counts
/// something.
///
/// A value beyond all numbers is unreadable, as is a count that is not whole or is negative.
fn take_number(out: &mut JudgedCell, count: bool, n: Number, c: &Conversion) {
    let value = n.value * c.factor + c.shift;
    if !value.is_finite() {
        out.state = CellState::Unreadable(Unreadable::BeyondComputing);
        return;
    }
    if count && (value.fract() != 0.0 || value < 0.0) {
        out.state = CellState::Unreadable(Unreadable::NotWhole);
        return;
    }
    (out.value, out.resolution) = (Some(value), n.resolution * c.factor);
    (out.state, out.counts) = (CellState::Read, true);
    out.number = Some(n);
}

/// Whether a text is a dash or a word that says there is nothing.
///
/// `n/a`, `none`, `–` and their like; see [`crate::reading`].
fn is_not_applicable(text: &str) -> bool {
    matches!(read(text, &Hints::default()).kind, CellKind::NotApplicable)
}

/// What was reported for a result in one cell, in the result's unit; a number that cannot be
/// computed with stays a text.
///
/// The scale is what turns a number as written into the lab's unit; half a step of the last digit
/// is scaled with it. A unit written into the value's own cell is taken where the unit column is
/// empty.
fn reported(
    protocol: &Protocol,
    item: ItemId,
    row: Option<Row>,
    cell: &SubmittedCell,
    comma: Comma,
    notes: &mut Vec<CellNote>,
) -> Reported {
    let mut out = Reported {
        text: cell.value.clone(),
        unit: cell.unit.clone(),
        plus_minus: cell.plus_minus.clone(),
        scale: 1.0,
        ..Reported::default()
    };
    if let Some(words) = &protocol.items[item].words {
        out.word = word_of(words, &cell.value);
        return out;
    }
    let parsed = read(&cell.value, &Hints { comma, ..Hints::default() });
    let CellKind::Number(n) = parsed.kind else { return out };
    let c = conversion(protocol, item, row, &n, &cell.unit, notes);
    let value = n.value * c.factor + c.shift;
    if !value.is_finite() {
        return out;
    }
    (out.value, out.scale, out.half_step) = (Some(value), c.factor, n.half_step() * c.factor);
    if let Some(unit) = n.unit.as_ref().filter(|_| out.unit.is_empty()) {
        out.unit = unit.text.clone();
    }
    out.number = Some(*n);
    out
}
