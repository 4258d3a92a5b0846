//! Spreadsheets read as lines of fields, cell by cell, with limits on everything before anything is set aside for it.

mod ods;

use std::io::{Cursor, Read};

use calamine::{DataRef, Reader, Xlsx};
use jurado_core::error::Fault;
use zip::ZipArchive;

use crate::sheet::{Grid, marks_sheet, to_csv};

/// Most bytes that a spreadsheet may unpack to.
const UNPACKED: u64 = 256 * 1024 * 1024;
/// Most files in one.
const PARTS: usize = 2_000;

fn refuse(what: impl Into<String>, mend: impl Into<String>) -> Fault {
    Fault { line: 1, column: 1, what: what.into(), mend: mend.into() }
}

/// Whether bytes are a spreadsheet, an archive or an old binary workbook.
pub(crate) fn is_workbook(bytes: &[u8]) -> bool {
    bytes.starts_with(b"PK\x03\x04") || bytes.starts_with(&OLD)
}

/// First bytes of the compound files in which old workbooks, and locked new ones, are kept.
const OLD: [u8; 8] = [0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1];

/// A spreadsheet's data as CSV, line for line: the sheet that is a data sheet, else the first that holds anything.
///
/// # Errors
/// Another kind of file, a locked or damaged one, one with macros, or one that unpacks to more than can be wanted.
pub(crate) fn read_as_csv(bytes: &[u8]) -> Result<Vec<u8>, Fault> {
    read_within(bytes, UNPACKED)
}

/// [`read_as_csv`] of what unpacks to so many bytes at most.
pub(crate) fn read_within(bytes: &[u8], most: u64) -> Result<Vec<u8>, Fault> {
    if bytes.starts_with(&OLD) {
        return Err(refuse(
            "this is an old or a locked workbook",
            "take the password off, or save it as .xlsx, .ods or “CSV UTF-8”",
        ));
    }
    unpacks_to_a_spreadsheet(bytes, most)?;
    let sheets: Vec<Grid> = if begins_with_part(bytes, "xl/workbook.xml") { xlsx(bytes)? } else { ods::sheets(bytes)? };
    let written = |g: &Grid| g.iter().any(|l| l.iter().any(|f| !f.is_empty()));
    let chosen = sheets.iter().find(|g| marks_sheet(g)).or_else(|| sheets.iter().find(|g| written(g)));
    chosen.map(|g| to_csv(g).into_bytes()).ok_or_else(|| {
        refuse("the spreadsheet is empty", "hand in a sheet with a line of column names and a line per reading")
    })
}

/// A fault of a spreadsheet's insides.
fn damaged(e: impl std::fmt::Display) -> Fault {
    refuse(format!("the spreadsheet cannot be read: {e}"), "open it, save it anew, or save it as “CSV UTF-8”")
}

fn begins_with_part(bytes: &[u8], part: &str) -> bool {
    ZipArchive::new(Cursor::new(bytes)).is_ok_and(|a| a.index_for_name(part).is_some())
}

/// Most cells with something in them, over all sheets of a file.
const MOST_CELLS: usize = 2_000_000;
/// Most bytes of text in them.
const MOST_TEXT: usize = 64 * 1024 * 1024;

/// Lines of fields that grow cell by cell, so that nothing is set aside for cells that nobody wrote: a spreadsheet of a
/// thousand bytes may have one in its last row and last column.
struct Growing<'a> {
    grid: Grid,
    left: &'a mut Left,
}

/// What the sheets of a file may still hold.
struct Left {
    cells: usize,
    text: usize,
}

impl Left {
    fn all() -> Left {
        Left { cells: MOST_CELLS, text: MOST_TEXT }
    }
}

impl Growing<'_> {
    /// Puts a text in its place, both counted from nought. Blank ones are passed over.
    fn put(&mut self, row: usize, column: usize, text: String) -> Result<(), Fault> {
        if text.is_empty() {
            return Ok(());
        }
        let at =
            |what: String, mend: &str| Err(Fault { line: row + 1, column: column + 1, what, mend: mend.to_owned() });
        if row > crate::UPLOAD.rows {
            let what =
                format!("something stands in row {} of the sheet; at most {} are read", row + 1, crate::UPLOAD.rows);
            return at(what, "delete what stands below the table, or hand it in section by section");
        }
        if column > crate::MAX_COLUMNS {
            let what = format!("something stands in column {}; at most {} are read", column + 1, crate::MAX_COLUMNS);
            return at(what, "delete what stands beside the table");
        }
        if self.left.cells == 0 || self.left.text < text.len() {
            return at(
                "the spreadsheet holds more than can be read at once".to_owned(),
                "hand it in section by section",
            );
        }
        self.left.cells -= 1;
        self.left.text -= text.len();
        if self.grid.len() <= row {
            self.grid.resize_with(row + 1, Vec::new);
        }
        let line = &mut self.grid[row];
        if line.len() <= column {
            line.resize_with(column + 1, String::new);
        }
        line[column] = text;
        Ok(())
    }
}

fn xlsx(bytes: &[u8]) -> Result<Vec<Grid>, Fault> {
    let mut book: Xlsx<Cursor<&[u8]>> = Xlsx::new(Cursor::new(bytes)).map_err(damaged)?;
    let mut left = Left::all();
    let mut out = Vec::new();
    for name in book.sheet_names() {
        // A sheet of charts has no cells.
        let Ok(mut cells) = book.worksheet_cells_reader(&name) else { continue };
        let mut sheet = Growing { grid: Grid::new(), left: &mut left };
        while let Some(cell) = cells.next_cell().map_err(damaged)? {
            let (row, column) = cell.get_position();
            sheet.put(row as usize, column as usize, text_of(cell.get_value()))?;
        }
        out.push(sheet.grid);
    }
    Ok(out)
}

/// A number is written as the shortest text that is it: what a spreadsheet stores has no trailing noughts.
fn text_of(cell: &DataRef<'_>) -> String {
    match cell {
        DataRef::String(s) => s.clone(),
        DataRef::SharedString(s) => (*s).to_owned(),
        DataRef::Float(v) => format!("{v}"),
        DataRef::Int(v) => v.to_string(),
        DataRef::Bool(b) => b.to_string(),
        DataRef::DateTimeIso(s) | DataRef::DurationIso(s) => s.clone(),
        DataRef::DateTime(d) => format!("{}", d.as_f64()),
        DataRef::Error(e) => e.to_string(),
        DataRef::Empty => String::new(),
    }
}

/// Looks through the archive before anything is unpacked for good: sizes stated in it may lie, so every part is
/// inflated and counted.
fn unpacks_to_a_spreadsheet(bytes: &[u8], most: u64) -> Result<(), Fault> {
    let broken = |_| refuse("the file is damaged: it begins like a spreadsheet and cannot be unpacked", "save it anew");
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(broken)?;
    if archive.len() > PARTS {
        return Err(refuse(
            "the file holds too many parts to be a data sheet",
            "save the sheet alone as .xlsx or “CSV UTF-8”",
        ));
    }
    let names: Vec<String> = archive.file_names().filter_map(|n| n.ok().map(std::borrow::Cow::into_owned)).collect();
    let has = |part: &str| names.iter().any(|n| n == part);
    if has("xl/vbaProject.bin") {
        return Err(refuse("the workbook holds macros", "save it as .xlsx without macros, or as “CSV UTF-8”"));
    }
    if !has("xl/workbook.xml") && !has("content.xml") {
        return Err(refuse("this is an archive and no spreadsheet", "hand in .csv, .xlsx or .ods"));
    }
    let mut left = most;
    for n in 0..archive.len() {
        let part = archive.by_index(n).map_err(|e| match e {
            zip::result::ZipError::UnsupportedArchive(_) => refuse(
                "the spreadsheet is locked or packed in a way that cannot be read",
                "take the password off and save it anew",
            ),
            e => broken(e),
        })?;
        let mut counted = part.take(left + 1);
        let size = std::io::copy(&mut counted, &mut std::io::sink())
            .map_err(|_| refuse("the file is damaged: a part of it cannot be unpacked", "save it anew"))?;
        if size > left {
            return Err(refuse(
                format!("the spreadsheet unpacks to more than {} megabytes", most / 1_048_576),
                "save the sheet alone as “CSV UTF-8”",
            ));
        }
        left -= size;
    }
    Ok(())
}
