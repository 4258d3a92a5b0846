//! An Open Document spreadsheet: one part of plain XML. It is read as it comes, with what is said to be repeated written out
//! only where something stands in it, and only within the limits.

use std::collections::HashMap;
use std::io::{BufReader, Cursor, Read};

use jurado_core::cell::in_one_spelling;
use jurado_core::error::Fault;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use zip::ZipArchive;

use super::book::{Kind, Left, UnderCell, WorkSheet, Workbook, held};
use super::{damaged, shown};
use crate::Effort;

/// All sheets of a file; `None` where they are empty.
pub(super) fn read(bytes: &[u8], effort: &Effort) -> Result<Option<Workbook>, Fault> {
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(damaged)?;
    let part = archive.by_name("content.xml").map_err(damaged)?;
    let mut left = Left::of(effort);
    let mut reading = Reading::default();
    let mut xml = Reader::from_reader(BufReader::new(part.take(effort.limits.unpacked)));
    let mut buffer = Vec::new();
    let mut out: Vec<WorkSheet> = Vec::new();
    loop {
        buffer.clear();
        effort.step(1)?;
        match xml.read_event_into(&mut buffer).map_err(damaged)? {
            Event::Start(e) if e.local_name().as_ref() == "table" => {
                reading.row = 0;
                out.push(WorkSheet::named(&attribute(&e, "name")?.unwrap_or_default()));
            }
            Event::Start(e) => reading.begin(&e)?,
            Event::Empty(e) => {
                reading.begin(&e)?;
                reading.end(e.local_name().as_ref(), out.last_mut(), (effort, &mut left))?;
            }
            Event::End(e) => reading.end(e.local_name().as_ref(), out.last_mut(), (effort, &mut left))?,
            Event::Text(t) => reading.text(&t),
            Event::GeneralRef(r) => reading.reference(&r),
            Event::Eof => return Ok(Workbook::of(out, reading.names, left.over)),
            _ => {}
        }
    }
}

/// Where in a sheet the reading is.
#[derive(Default)]
struct Reading {
    row: usize,
    column: usize,
    /// How often the row is said to be there.
    rows: usize,
    /// What stands in the row: first column, how often, and what.
    cells: Vec<(usize, usize, Standing)>,
    cell: Option<Cell>,
    /// Names and what they stand for.
    names: HashMap<String, String>,
    /// Whether a note on a cell is being read, which is no part of its text.
    in_note: bool,
}

struct Cell {
    repeated: usize,
    /// What the cell is said to hold; a text stands in paragraphs instead.
    value: Option<(String, Kind)>,
    formula: Option<String>,
    paragraphs: Vec<String>,
}

/// What stands in a cell.
#[derive(Clone)]
struct Standing {
    text: String,
    kind: Kind,
    under: Option<UnderCell>,
}

impl Cell {
    /// What it shows, and what stands under it; `None` where it is empty.
    fn standing(self) -> Option<Standing> {
        let shows = self.paragraphs.join("\n");
        let by_formula = self.formula.is_some();
        let (text, kind, whole) = match self.value {
            Some((value, Kind::Number)) => {
                let number: Option<f64> = value.parse().ok();
                let text = number.map(|v| shown::shown(v, shown::of_text(&shows, v), by_formula));
                (text.unwrap_or_else(|| value.clone()), Kind::Number, value)
            }
            // An error shows itself in place of a value.
            Some((value, Kind::Text)) if by_formula && value.is_empty() && shows.starts_with('#') => {
                (shows.clone(), Kind::Error, shows)
            }
            None if by_formula && shows.starts_with('#') => (shows.clone(), Kind::Error, shows),
            Some((value, kind)) => (value.clone(), kind, value),
            None => (shows.clone(), Kind::Text, shows),
        };
        let under = self.formula.map(|f| UnderCell { formula: in_one_spelling(&f), held: held(&whole, kind) });
        (!text.is_empty() || under.is_some()).then_some(Standing { text, kind, under })
    }
}

fn attribute(e: &BytesStart<'_>, name: &str) -> Result<Option<String>, Fault> {
    for a in e.attributes() {
        let a = a.map_err(damaged)?;
        if a.key.local_name().as_ref() == name {
            return Ok(Some(a.normalized_value(XmlVersion::Implicit1_0).map_err(damaged)?.into_owned()));
        }
    }
    Ok(None)
}

fn times(e: &BytesStart<'_>, name: &str) -> Result<usize, Fault> {
    Ok(attribute(e, name)?.and_then(|n| n.parse().ok()).unwrap_or(1).max(1))
}

impl Reading {
    fn begin(&mut self, e: &BytesStart<'_>) -> Result<(), Fault> {
        match e.local_name().as_ref() {
            "table-row" => {
                self.rows = times(e, "number-rows-repeated")?;
                self.column = 0;
                self.cells.clear();
            }
            "table-cell" | "covered-table-cell" => {
                self.cell = Some(Cell {
                    repeated: times(e, "number-columns-repeated")?,
                    value: value(e)?,
                    formula: attribute(e, "formula")?,
                    paragraphs: Vec::new(),
                });
            }
            "annotation" => self.in_note = true,
            "named-range" => {
                if let (Some(name), Some(means)) = (attribute(e, "name")?, attribute(e, "cell-range-address")?) {
                    self.names.insert(name.to_lowercase(), in_one_spelling(&format!("of:=[{means}]")));
                }
            }
            "named-expression" => {
                if let (Some(name), Some(means)) = (attribute(e, "name")?, attribute(e, "expression")?) {
                    self.names.insert(name.to_lowercase(), in_one_spelling(&format!("of:={means}")));
                }
            }
            "p" if !self.in_note => self.cell.iter_mut().for_each(|c| c.paragraphs.push(String::new())),
            "s" => {
                let n = times(e, "c")?.min(crate::MAX_CELL);
                self.text(&" ".repeat(n));
            }
            "tab" => self.text("\t"),
            "line-break" => self.text("\n"),
            _ => {}
        }
        Ok(())
    }

    fn text(&mut self, text: &str) {
        if let Some(paragraph) = self.cell.as_mut().and_then(|c| c.paragraphs.last_mut()).filter(|_| !self.in_note) {
            paragraph.push_str(text);
        }
    }

    fn reference(&mut self, name: &str) {
        let number = |digits: &str, base| u32::from_str_radix(digits, base).ok().and_then(char::from_u32);
        let letter = match name {
            "amp" => Some('&'),
            "lt" => Some('<'),
            "gt" => Some('>'),
            "quot" => Some('"'),
            "apos" => Some('\''),
            other => match other.strip_prefix("#x") {
                Some(hex) => number(hex, 16),
                None => other.strip_prefix('#').and_then(|d| number(d, 10)),
            },
        };
        if let Some(letter) = letter {
            self.text(letter.encode_utf8(&mut [0; 4]));
        }
    }

    fn end(
        &mut self,
        name: &str,
        sheet: Option<&mut WorkSheet>,
        (effort, left): (&Effort, &mut Left),
    ) -> Result<(), Fault> {
        match name {
            "annotation" => self.in_note = false,
            "table-cell" | "covered-table-cell" => {
                let Some(cell) = self.cell.take() else { return Ok(()) };
                effort.cell()?;
                let repeated = cell.repeated;
                if let Some(standing) = cell.standing() {
                    self.cells.push((self.column, repeated, standing));
                }
                self.column = self.column.saturating_add(repeated);
            }
            "table-row" => {
                if let Some(sheet) = sheet.filter(|_| !self.cells.is_empty()) {
                    self.put(sheet, effort, left)?;
                }
                self.row = self.row.saturating_add(self.rows);
            }
            _ => {}
        }
        Ok(())
    }

    /// Writes a row out as often as it is there; what goes beyond a limit is told at the first cell that does.
    fn put(&mut self, sheet: &mut WorkSheet, effort: &Effort, left: &mut Left) -> Result<(), Fault> {
        for row in self.row..self.row.saturating_add(self.rows) {
            for (first, repeated, standing) in &self.cells {
                for column in *first..first.saturating_add(*repeated) {
                    effort.step(1)?;
                    if let Some(under) = &standing.under {
                        sheet.put_formula((row, column), under.clone(), left);
                        if standing.text.is_empty() && left.over > 0 {
                            return Ok(());
                        }
                    }
                    sheet.put((row, column), standing.text.clone(), standing.kind, left)?;
                }
            }
        }
        Ok(())
    }
}

/// What a cell that holds no text is said to hold, in the shortest way.
fn value(e: &BytesStart<'_>) -> Result<Option<(String, Kind)>, Fault> {
    let said = |name, kind| Ok::<_, Fault>(attribute(e, name)?.map(|v| (v, kind)));
    Ok(match attribute(e, "value-type")?.as_deref() {
        Some("float" | "percentage" | "currency") => {
            let shortest = |v: String| v.parse::<f64>().map_or(v, |v| format!("{v}"));
            attribute(e, "value")?.map(|v| (shortest(v), Kind::Number))
        }
        Some("boolean") => said("boolean-value", Kind::Truth)?,
        Some("date") => said("date-value", Kind::Text)?,
        Some("time") => said("time-value", Kind::Text)?,
        Some("string") => said("string-value", Kind::Text)?,
        _ => None,
    })
}
