//! An Office Open XML workbook, read cell by cell.

use std::collections::HashMap;
use std::io::Cursor;

use calamine::{DataRef, Reader, Xlsx};
use jurado_core::error::Fault;

use super::book::{Kind, Left, UnderCell, WorkSheet, Workbook, held};
use super::shown::Shows;
use super::{damaged, shown};

/// All sheets of a file; `None` where they are empty.
pub(super) fn read(bytes: &[u8]) -> Result<Option<Workbook>, Fault> {
    let mut book: Xlsx<Cursor<&[u8]>> = Xlsx::new(Cursor::new(bytes)).map_err(damaged)?;
    let mut left = Left::all();
    let mut sheets = Vec::new();
    for name in book.sheet_names() {
        let formulas = formulas(&mut book, &name);
        // A sheet of charts has no cells.
        let Ok(mut cells) = book.worksheet_cells_reader(&name) else { continue };
        let shows: Vec<Option<Shows>> = cells
            .styles()
            .iter()
            .map(|s| s.number_format.as_ref().and_then(|f| shown::of_format(&f.format_code)))
            .collect();
        let mut sheet = WorkSheet::named(&name);
        while let Some((cell, style)) = cells.next_cell_with_style_id().map_err(damaged)? {
            let at = (cell.get_position().0 as usize, cell.get_position().1 as usize);
            let formula = formulas.get(&at);
            let shows = shows.get(style).copied().flatten();
            let (text, kind) = text_of(cell.get_value(), shows, formula.is_some());
            if let Some(formula) = formula {
                let held = match cell.get_value() {
                    DataRef::Float(v) => held(&format!("{v}"), Kind::Number),
                    _ => held(&text, kind),
                };
                sheet.put_formula(at, UnderCell { formula: formula.clone(), held }, &mut left);
            }
            sheet.put(at, text, kind, &mut left)?;
        }
        sheets.push(sheet);
    }
    let names: HashMap<String, String> =
        book.defined_names().iter().map(|(name, means)| (name.to_lowercase(), means.clone())).collect();
    Ok(Workbook::of(sheets, names, left.over))
}

/// The formulas of a sheet by their place, shared ones written out; those that can be read.
fn formulas(book: &mut Xlsx<Cursor<&[u8]>>, name: &str) -> HashMap<(usize, usize), String> {
    let mut out = HashMap::new();
    let Ok(mut cells) = book.worksheet_cells_reader(name) else { return out };
    while let Ok(Some(cell)) = cells.next_formula() {
        let (row, column) = cell.get_position();
        if !cell.get_value().is_empty() && row as usize <= crate::UPLOAD.rows && column as usize <= crate::MAX_COLUMNS {
            out.insert((row as usize, column as usize), format!("={}", cell.get_value()));
        }
    }
    out
}

/// A number is written as the shortest text that is it, with the noughts that its cell shows.
fn text_of(cell: &DataRef<'_>, shows: Option<Shows>, by_formula: bool) -> (String, Kind) {
    match cell {
        DataRef::String(s) => (s.clone(), Kind::Text),
        DataRef::SharedString(s) => ((*s).to_owned(), Kind::Text),
        DataRef::Float(v) => (shown::shown(*v, shows, by_formula), Kind::Number),
        DataRef::Int(v) => (shown::shown(*v as f64, shows, by_formula), Kind::Number),
        DataRef::Bool(b) => (b.to_string(), Kind::Truth),
        DataRef::DateTimeIso(s) | DataRef::DurationIso(s) => (s.clone(), Kind::Text),
        DataRef::DateTime(d) => (format!("{}", d.as_f64()), Kind::Number),
        DataRef::Error(e) => (e.to_string(), Kind::Error),
        DataRef::Empty => (String::new(), Kind::Text),
    }
}
