//! A file as it arrives: one table file, a spreadsheet, a list of submissions, an archive of many, or a data package.

use std::io::{Cursor, Read};

use jurado_core::error::Fault;
use zip::ZipArchive;

use crate::UPLOAD;

/// Most files in one archive.
pub const MOST_PARTS: usize = 500;
/// Most bytes that an archive may unpack to.
const UNPACKED: u64 = 256 * 1024 * 1024;

fn refuse(what: impl Into<String>, mend: impl Into<String>) -> Fault {
    Fault { line: 1, column: 1, what: what.into(), mend: mend.into() }
}

/// A part of what arrived.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// Its name, without folders.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// The files that one upload holds: itself, or those of an archive that is no spreadsheet. Of a data package only what was
/// handed in is taken. What an archive says of sizes is not trusted: bytes are counted as they come out.
///
/// # Errors
/// An archive that is damaged, locked, has too many parts or unpacks to too much.
pub fn unpack(name: &str, bytes: Vec<u8>) -> Result<Vec<Part>, Fault> {
    unpack_within(name, bytes, UNPACKED)
}

/// [`unpack`] of what unpacks to so many bytes at most.
pub(crate) fn unpack_within(name: &str, bytes: Vec<u8>, most: u64) -> Result<Vec<Part>, Fault> {
    if !bytes.starts_with(b"PK\x03\x04") {
        return Ok(vec![Part { name: name.to_owned(), bytes }]);
    }
    let broken = || refuse(format!("“{name}” is damaged and cannot be unpacked"), "pack it anew");
    let mut archive = ZipArchive::new(Cursor::new(&bytes)).map_err(|_| broken())?;
    let names: Vec<String> = archive.file_names().filter_map(|n| n.ok().map(std::borrow::Cow::into_owned)).collect();
    // Spreadsheets are archives too; they are read as what they are.
    if names.iter().any(|n| n == "xl/workbook.xml" || n == "content.xml") {
        return Ok(vec![Part { name: name.to_owned(), bytes }]);
    }
    if archive.len() > MOST_PARTS {
        return Err(refuse(
            format!("“{name}” holds {} files", archive.len()),
            format!("pack at most {MOST_PARTS} in one"),
        ));
    }
    let package = names.iter().any(|n| n == "datapackage.json") && names.iter().any(|n| n == "handed-in.csv");
    let mut left = most;
    let mut parts = Vec::new();
    for n in 0..archive.len() {
        let part = archive.by_index(n).map_err(|e| match e {
            zip::result::ZipError::UnsupportedArchive(_) => refuse(
                format!("“{name}” is locked, or packed in a way that cannot be read"),
                "take the password off and pack it anew",
            ),
            _ => broken(),
        })?;
        let inner = part.name().map_err(|_| broken())?.into_owned();
        let short = inner.rsplit(['/', '\\']).next().unwrap_or("").to_owned();
        let hidden = short.starts_with('.') || inner.starts_with("__MACOSX/");
        if part.is_dir() || hidden || (package && inner != "handed-in.csv") {
            continue;
        }
        let limit = left.min(UPLOAD.bytes as u64);
        let mut out = Vec::new();
        part.take(limit + 1).read_to_end(&mut out).map_err(|_| broken())?;
        if out.len() as u64 > limit {
            return Err(refuse(
                format!("“{short}” in “{name}” unpacks to more than {} megabytes", limit / 1_048_576),
                "hand in smaller files, for instance one section at a time",
            ));
        }
        left -= out.len() as u64;
        let shown = if package { format!("{name}: {short}") } else { short };
        parts.push(Part { name: shown, bytes: out });
    }
    if parts.is_empty() {
        return Err(refuse(format!("“{name}” holds no file"), "pack the teams’ files into it"));
    }
    Ok(parts)
}
