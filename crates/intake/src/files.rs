//! A file as it arrives: one table file, a spreadsheet, a list of submissions, an archive of many, or a data package.

use std::io::{Cursor, Read};

use jurado_core::error::Fault;
use zip::ZipArchive;

use crate::UPLOAD;

/// Most files in one archive.
pub const MOST_PARTS: usize = 500;
/// Most bytes that all archives of one upload may unpack to, since all of it is in memory at once.
const UNPACKED: u64 = 96 * 1024 * 1024;
/// Largest picture or PDF, in bytes.
pub const MOST_PICTURE: usize = 12 * 1024 * 1024;
/// Bytes from which it shows whether a part is a picture.
const HEAD: u64 = 16;

/// What an upload may still unpack to.
#[derive(Debug)]
pub struct Budget {
    all: u64,
    left: u64,
}

impl Budget {
    /// That of one upload.
    pub fn upload() -> Budget {
        Budget::of(UNPACKED)
    }

    /// So many bytes.
    pub fn of(bytes: u64) -> Budget {
        Budget { all: bytes, left: bytes }
    }
}

/// Whether the first bytes are those of a picture or a PDF.
fn begins_like_a_picture(head: &[u8]) -> bool {
    head.starts_with(b"\x89PNG\r\n\x1a\n")
        || head.starts_with(&[0xff, 0xd8, 0xff])
        || head.starts_with(b"%PDF-")
        || (head.starts_with(b"RIFF") && head.get(8..12) == Some(b"WEBP"))
}

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
/// An archive that is damaged, locked, has too many parts or unpacks to more than is left of the budget.
pub fn unpack(name: &str, bytes: Vec<u8>, budget: &mut Budget) -> Result<Vec<Part>, Fault> {
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
        let mut out = Vec::new();
        let mut part = part;
        (&mut part).take(HEAD).read_to_end(&mut out).map_err(|_| broken())?;
        let (what, most) = match begins_like_a_picture(&out) {
            true => ("is a picture of", MOST_PICTURE),
            false => ("unpacks to", UPLOAD.bytes),
        };
        let limit = budget.left.min(most as u64);
        part.take((limit + 1).saturating_sub(out.len() as u64)).read_to_end(&mut out).map_err(|_| broken())?;
        if out.len() as u64 > limit {
            let (says, mend) = if limit < most as u64 {
                (
                    format!(
                        "the files of this upload unpack to more than {} megabytes together",
                        budget.all / 1_048_576
                    ),
                    "bring them in several lots",
                )
            } else {
                (
                    format!("“{short}” in “{name}” {what} more than {} megabytes", limit / 1_048_576),
                    "hand in smaller files, for instance one section at a time",
                )
            };
            return Err(refuse(says, mend));
        }
        budget.left -= out.len() as u64;
        let shown = if package { format!("{name}: {short}") } else { short };
        parts.push(Part { name: shown, bytes: out });
    }
    if parts.is_empty() {
        return Err(refuse(format!("“{name}” holds no file"), "pack the teams’ files into it"));
    }
    Ok(parts)
}
