//! Spreadsheets read as lines of fields, cell by cell, with limits on everything before anything is set aside for it.

mod book;
mod ods;
mod parts;
mod shown;
mod xlsx;

use std::io::Cursor;

use jurado_core::error::Fault;
use zip::ZipArchive;

use crate::Effort;

pub(crate) use book::{WorkSheet, Workbook};

fn refuse(what: impl Into<String>, mend: impl Into<String>) -> Fault {
    Fault { line: 1, column: 1, what: what.into(), mend: mend.into() }
}

/// Whether bytes are a spreadsheet, an archive or an old binary workbook.
pub(crate) fn is_workbook(bytes: &[u8]) -> bool {
    bytes.starts_with(b"PK\x03\x04") || bytes.starts_with(&OLD)
}

/// First bytes of the compound files in which old workbooks, and locked new ones, are kept.
const OLD: [u8; 8] = [0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1];

/// Reads a spreadsheet.
///
/// # Errors
/// Another kind of file, a locked or damaged one, one with macros, or one that asks for more than may be spent on it.
pub(crate) fn read(bytes: &[u8], effort: &Effort) -> Result<Workbook, Fault> {
    if bytes.starts_with(&OLD) {
        return Err(refuse(
            "this is an old or a locked workbook",
            "take the password off, or save it as .xlsx, .ods or “CSV UTF-8”",
        ));
    }
    crate::files::holds_few_parts(bytes)?;
    parts::look_through(bytes, effort)?;
    let is_xlsx = begins_with_part(bytes, "xl/workbook.xml");
    let book = if is_xlsx { xlsx::read(bytes, effort)? } else { ods::read(bytes, effort)? };
    book.ok_or_else(|| {
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
