//! Spreadsheets read as lines of fields, cell by cell, with limits on everything before anything is set aside for it.

mod book;
mod ods;
mod shown;
mod xlsx;

use std::io::{Cursor, Read};

use jurado_core::error::Fault;
use zip::ZipArchive;

pub(crate) use book::{WorkSheet, Workbook};

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

/// Reads a spreadsheet.
///
/// # Errors
/// Another kind of file, a locked or damaged one, one with macros, or one that unpacks to more than can be wanted.
pub(crate) fn read(bytes: &[u8]) -> Result<Workbook, Fault> {
    read_within(bytes, UNPACKED)
}

/// [`read`] of what unpacks to so many bytes at most.
pub(crate) fn read_within(bytes: &[u8], most: u64) -> Result<Workbook, Fault> {
    if bytes.starts_with(&OLD) {
        return Err(refuse(
            "this is an old or a locked workbook",
            "take the password off, or save it as .xlsx, .ods or “CSV UTF-8”",
        ));
    }
    unpacks_to_a_spreadsheet(bytes, most)?;
    let book = if begins_with_part(bytes, "xl/workbook.xml") { xlsx::read(bytes)? } else { ods::read(bytes)? };
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
