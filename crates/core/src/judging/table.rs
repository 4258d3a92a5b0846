//! The submission's cells put in their places: readings with values, and the values a formula can use.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use crate::formula::Value;
use crate::formula::figures::Figured;
use crate::protocol::{ItemKind, Protocol};
use crate::quantity::Unit;
use crate::quantity::leading_place;
use crate::reading::{CellKind, Comma, Hints, Number, read};
use crate::submission::{Submission, SubmittedCell};
use crate::verdict::{CellState, JudgedCell, JudgedReading, Reported};

/// A note made while placing the cells, to become a finding.
pub(super) struct CellNote {
    pub(super) code: &'static str,
    pub(super) item: usize,
    pub(super) row: Option<u32>,
    pub(super) says: String,
}

pub(super) struct Table {
    pub(super) readings: Vec<JudgedReading>,
    pub(super) reported: Vec<Reported>,
    pub(super) notes: Vec<CellNote>,
}

/// Places every cell. Of two cells in one place the first counts and the second is a note.
pub(super) fn place(protocol: &Protocol, submission: &Submission) -> Table {
    let comma = comma_habit(submission);
    let mut notes = Vec::new();
    let mut cells: HashMap<(usize, Option<u32>), &SubmittedCell> = HashMap::new();
    for cell in &submission.cells {
        let Some(item) = protocol.item(&cell.item) else { continue };
        let row = if protocol.rows_of(item).is_some() { Some(cell.row.unwrap_or(1)) } else { None };
        match cells.entry((item, row)) {
            Entry::Occupied(first) => {
                let says =
                    format!("{} is there twice; the first, “{}”, counts", protocol.full_title(item), first.get().value);
                notes.push(CellNote { code: "duplicate", item, row, says });
            }
            Entry::Vacant(place) => {
                place.insert(cell);
            }
        }
    }
    let readings = protocol
        .readings
        .iter()
        .map(|spec| {
            let written = cells.keys().filter(|(i, _)| *i == spec.item).filter_map(|(_, r)| *r).max().unwrap_or(0);
            let rows: Vec<Option<u32>> = if spec.replicates > 1 {
                (1..=spec.replicates.max(written.min(10_000))).map(Some).collect()
            } else {
                vec![None]
            };
            let cells = rows
                .into_iter()
                .filter(|row| cells.contains_key(&(spec.item, *row)) || row.is_none_or(|r| r <= spec.replicates))
                .map(|row| {
                    reading_cell(protocol, spec.item, row, cells.get(&(spec.item, row)).copied(), comma, &mut notes)
                })
                .collect();
            JudgedReading { item: spec.item, cells }
        })
        .collect();
    let reported = protocol
        .results
        .iter()
        .map(|spec| match cells.get(&(spec.item, None)) {
            Some(cell) => reported(protocol, spec.item, cell, comma, &mut notes),
            None => Reported { scale: 1.0, ..Reported::default() },
        })
        .collect();
    Table { readings, reported, notes }
}

/// What a comma means for this team: a decimal mark where one stands before other than three digits.
fn comma_habit(submission: &Submission) -> Comma {
    let (mut decimal, mut point) = (false, false);
    for cell in &submission.cells {
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

/// The unit that counts: in the cell, else in the unit column, else the protocol's. Gives the factor to the protocol's.
fn scale(
    protocol: &Protocol,
    item: usize,
    row: Option<u32>,
    number: &Number,
    column: &str,
    notes: &mut Vec<CellNote>,
) -> f64 {
    let it = &protocol.items[item];
    let title = protocol.full_title(item);
    let mut note = |code, says| notes.push(CellNote { code, item, row, says });
    let written = match (&number.unit, column.trim()) {
        (Some(unit), _) => unit.clone(),
        (None, "") => {
            if it.unit.text != "1" && !it.unit.text.is_empty() {
                note("unit-missing", format!("{} has no unit; {} was taken", title, it.unit.text));
            }
            return 1.0;
        }
        (None, text) => match Unit::parse(text) {
            Ok(unit) => unit,
            Err(e) => {
                note("unit-unknown", format!("{}: {e}; {} was taken", title, it.unit.text));
                return 1.0;
            }
        },
    };
    if written.dimension != it.unit.dimension {
        note(
            "unit-wrong",
            format!("{} is in {}, which cannot be its unit; {} was taken", title, written.text, it.unit.text),
        );
        return 1.0;
    }
    if written.factor == it.unit.factor {
        return 1.0;
    }
    note("unit-converted", format!("{} is in {} and was converted to {}", title, written.text, it.unit.text));
    written.factor / it.unit.factor
}

fn reading_cell(
    protocol: &Protocol,
    item: usize,
    row: Option<u32>,
    cell: Option<&SubmittedCell>,
    comma: Comma,
    notes: &mut Vec<CellNote>,
) -> JudgedCell {
    let empty = SubmittedCell::default();
    let cell = cell.unwrap_or(&empty);
    let spec = protocol.reading_of(item);
    let hints = Hints {
        comma,
        plausible: spec.and_then(|s| s.plausible),
        graduation: spec.map(|s| protocol.instruments[s.instrument].step),
    };
    let parsed = read(&cell.value, &hints);
    let mark = cell.excluded.trim();
    let excluded =
        (!mark.is_empty() && !matches!(mark.to_lowercase().as_str(), "no" | "0" | "false" | "kept")).then(|| {
            let plain = matches!(mark.to_lowercase().as_str(), "yes" | "x" | "1" | "true" | "out");
            if plain { cell.note.trim().to_owned() } else { mark.to_owned() }
        });
    let mut out = JudgedCell {
        row,
        text: cell.value.clone(),
        unit: cell.unit.clone(),
        state: CellState::Missing,
        value: None,
        resolution: 0.0,
        excluded,
        counts: false,
        remarks: parsed.remarks,
    };
    match parsed.kind {
        CellKind::Number(n) => {
            let factor = scale(protocol, item, row, &n, &cell.unit, notes);
            (out.value, out.resolution) = (Some(n.value * factor), n.resolution * factor);
            (out.state, out.counts) = (CellState::Read, true);
        }
        CellKind::Bound { .. } => out.state = CellState::Bound,
        CellKind::Unreadable { why } => out.state = CellState::Unreadable(why),
        CellKind::Blank | CellKind::NotApplicable => {}
    }
    out
}

fn reported(
    protocol: &Protocol,
    item: usize,
    cell: &SubmittedCell,
    comma: Comma,
    notes: &mut Vec<CellNote>,
) -> Reported {
    let parsed = read(&cell.value, &Hints { comma, ..Hints::default() });
    let mut out = Reported {
        text: cell.value.clone(),
        unit: cell.unit.clone(),
        plus_minus: cell.plus_minus.clone(),
        scale: 1.0,
        ..Reported::default()
    };
    if let CellKind::Number(n) = parsed.kind {
        let factor = scale(protocol, item, None, &n, &cell.unit, notes);
        out.value = Some(n.value * factor);
        out.scale = factor;
        out.half_step = n.half_step() * factor;
        if out.unit.is_empty()
            && let Some(unit) = &n.unit
        {
            out.unit = unit.text.clone();
        }
        out.number = Some(*n);
    }
    out
}

/// Values by item, coherent SI units, over the readings that count and the references of this table's keys.
pub(super) fn measured(
    protocol: &Protocol,
    submission: &Submission,
    readings: &[JudgedReading],
) -> Vec<Option<Value<f64>>> {
    protocol
        .items
        .iter()
        .map(|item| match item.kind {
            ItemKind::Reading(r) => column(protocol, r, readings),
            ItemKind::Reference(r) => reference_entry(protocol, r, submission).map(|e| Value::Scalar(e.middle())),
            ItemKind::Result(_) => None,
        })
        .collect()
}

fn column(protocol: &Protocol, reading: usize, readings: &[JudgedReading]) -> Option<Value<f64>> {
    let spec = &protocol.readings[reading];
    let factor = protocol.items[spec.item].unit.factor;
    let values: Vec<f64> = counted_values(&readings[reading]).map(|v| v * factor).collect();
    if spec.replicates == 1 {
        values.first().map(|v| Value::Scalar(*v))
    } else {
        (!values.is_empty()).then_some(Value::Column(values))
    }
}

/// Values of the cells that count, in the protocol's unit.
pub(super) fn counted_values(reading: &JudgedReading) -> impl Iterator<Item = f64> + '_ {
    reading.cells.iter().filter(|c| c.counts).filter_map(|c| c.value)
}

/// The entry of a reference that this table's keys select.
pub(super) fn reference_entry<'p>(
    protocol: &'p Protocol,
    reference: usize,
    submission: &Submission,
) -> Option<&'p crate::protocol::ReferenceEntry> {
    let reference = &protocol.references[reference];
    match reference.key {
        None => reference.entries.first(),
        Some(k) => {
            let value = submission.keys.get(&protocol.keys[k].id)?;
            reference.entries.iter().find(|e| &e.at == value)
        }
    }
}

/// The same values with their last significant places.
pub(super) fn figured(
    protocol: &Protocol,
    readings: &[JudgedReading],
    measured: &[Option<Value<f64>>],
) -> Vec<Option<Value<Figured>>> {
    protocol
        .items
        .iter()
        .enumerate()
        .map(|(i, item)| match item.kind {
            ItemKind::Reading(r) => {
                let factor = item.unit.factor;
                let cells = readings[r].cells.iter().filter(|c| c.counts);
                let figured: Vec<Figured> = cells
                    .filter_map(|c| {
                        c.value
                            .map(|v| Figured { value: v * factor, place: Some(leading_place(c.resolution * factor)) })
                    })
                    .collect();
                if protocol.readings[r].replicates == 1 {
                    figured.first().map(|f| Value::Scalar(*f))
                } else {
                    (!figured.is_empty()).then_some(Value::Column(figured))
                }
            }
            // A tabulated value is taken as exact: its range is the reference's own business.
            _ => match &measured[i] {
                Some(Value::Scalar(v)) => Some(Value::Scalar(Figured { value: *v, place: None })),
                _ => None,
            },
        })
        .collect()
}
