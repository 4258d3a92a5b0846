//! An Office Open XML workbook, read cell by cell.

use std::collections::{BTreeSet, HashMap};
use std::io::Cursor;

use calamine::{DataRef, Reader, Xlsx, XlsxFormulaMetadata, expand_shared_formula};
use jurado_core::error::Fault;

use super::book::{Kind, Left, UnderCell, WorkSheet, Workbook, held};
use super::shown::Shows;
use super::{damaged, refuse, shown};
use crate::Effort;

type Book<'a> = Xlsx<Cursor<&'a [u8]>>;
/// Row and column, from nought.
type At = (u32, u32);

/// Longest formula that is looked at; spreadsheets keep none that is longer.
const MOST_FORMULA: usize = 8_192;
/// Most bytes of formulas that are shared, on one sheet.
const MOST_SHARED: usize = 2 * 1024 * 1024;

/// All sheets of a file; `None` where they are empty.
pub(super) fn read(bytes: &[u8], effort: &Effort) -> Result<Option<Workbook>, Fault> {
    let mut book: Book<'_> = Xlsx::new(Cursor::new(bytes)).map_err(damaged)?;
    effort.ask()?;
    let mut left = Left::of(effort);
    let mut sheets = Vec::new();
    let names = book.sheet_names();
    let different: BTreeSet<String> = names.iter().map(|n| n.to_lowercase()).collect();
    if different.len() < names.len() {
        return Err(refuse("two sheets of the workbook have one name", "give each a name of its own"));
    }
    for name in names {
        let Some(formats) = formats(&mut book, &name, effort)? else { continue };
        sheets.push(sheet(&mut book, &name, &formats, effort, &mut left)?);
    }
    let names: HashMap<String, String> =
        book.defined_names().iter().map(|(name, means)| (name.to_lowercase(), means.clone())).collect();
    Ok(Workbook::of(sheets, names, left.over))
}

/// How the cells of a sheet show their numbers, where one has a plain format; `None` of a sheet without cells.
fn formats(book: &mut Book<'_>, name: &str, effort: &Effort) -> Result<Option<HashMap<At, Shows>>, Fault> {
    // A sheet of charts has no cells.
    let Ok(mut cells) = book.worksheet_cells_reader(name) else { return Ok(None) };
    let of = |s: &calamine::Style| s.number_format.as_ref().and_then(|f| shown::of_format(&f.format_code));
    let styles: Vec<Option<Shows>> = cells.styles().iter().map(of).collect();
    let mut out = HashMap::new();
    if styles.iter().all(Option::is_none) {
        return Ok(Some(out));
    }
    while let Some((row, column, style)) = cells.next_style_id().map_err(damaged)? {
        effort.step(1)?;
        if let Some(shows) = styles.get(style).copied().flatten() {
            out.insert((row, column), shows);
        }
    }
    Ok(Some(out))
}

fn sheet(
    book: &mut Book<'_>,
    name: &str,
    formats: &HashMap<At, Shows>,
    effort: &Effort,
    left: &mut Left,
) -> Result<WorkSheet, Fault> {
    let mut sheet = WorkSheet::named(name);
    // Formulas that stand once and are shared: where each begins, by its number.
    let mut shared: HashMap<usize, (String, At)> = HashMap::new();
    let mut shared_text = 0;
    let mut cells = book.worksheet_cells_reader(name).map_err(damaged)?;
    while let Some(cell) = cells.next_cell_with_formula_metadata().map_err(damaged)? {
        effort.cell()?;
        let at = (cell.pos.0 as usize, cell.pos.1 as usize);
        let formula = match cell.formula {
            None => None,
            Some(XlsxFormulaMetadata::Normal { formula }) => Some(formula),
            Some(XlsxFormulaMetadata::Shared { shared_index, range, formula }) => {
                let begins = range.map_or(cell.pos, |r| r.start);
                shared_text += formula.len();
                if formula.len() <= MOST_FORMULA && shared_text <= MOST_SHARED {
                    shared.insert(shared_index, (formula.clone(), begins));
                }
                Some(formula)
            }
            Some(XlsxFormulaMetadata::SharedDerived { shared_index }) => match shared.get(&shared_index) {
                Some((formula, begins)) if left.formulas() > 0 => {
                    effort.step(1 + formula.len() / 64)?;
                    Some(expand_shared_formula(formula, *begins, cell.pos).map_err(damaged)?)
                }
                Some((formula, _)) => Some(formula.clone()),
                None => None,
            },
            // What a later version of the library may tell is no formula that we know.
            Some(_) => None,
        };
        let formula = formula.filter(|f| !f.is_empty());
        let (text, kind) = text_of(&cell.value, formats.get(&cell.pos).copied(), formula.is_some());
        if let Some(formula) = formula {
            let held = match cell.value {
                DataRef::Float(v) => held(&format!("{v}"), Kind::Number),
                _ => held(&text, kind),
            };
            sheet.put_formula(at, UnderCell { formula: format!("={formula}"), held }, left);
        }
        sheet.put(at, text, kind, left)?;
    }
    Ok(sheet)
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
