//! A file as it arrives: one table file, a spreadsheet, a list of submissions, an archive of many, or a data package.

use std::io::{Cursor, Read};

use jurado_core::error::Fault;
use zip::ZipArchive;

use crate::{Effort, UPLOAD, media_of};

/// Most files in one archive.
pub const MOST_PARTS: usize = 500;
/// Most bytes that all archives of one upload may unpack to.
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

/// Most parts of an archive, those of archives in it included.
const MOST_ENTRIES: usize = 20_000;

/// Whether an archive can be opened without a list of its parts that is larger than they are: each takes some hundred bytes, and a
/// file of 20 megabytes can name half a million.
pub(crate) fn holds_few_parts(bytes: &[u8]) -> Result<(), Fault> {
    let entries = memchr::memmem::find_iter(bytes, b"PK\x01\x02").take(MOST_ENTRIES + 1).count();
    if entries > MOST_ENTRIES {
        return Err(refuse(
            format!("the file is an archive of more than {MOST_ENTRIES} parts"),
            "pack only the teams’ files into it",
        ));
    }
    Ok(())
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

/// Gives each file that one upload holds: itself, or those of an archive that is no spreadsheet, one after the other, so that few are
/// in memory at once. Of a data package only what was handed in is taken. What an archive says of sizes is not trusted: bytes are
/// counted as they come out.
///
/// # Errors
/// An archive that is damaged, locked, has too many parts or unpacks to more than is left of the budget; what `take` gives.
pub fn unpack<E: From<Fault>>(
    name: &str,
    bytes: Vec<u8>,
    (effort, budget): (&Effort, &mut Budget),
    take: &mut dyn FnMut(Part) -> Result<(), E>,
) -> Result<(), E> {
    if !bytes.starts_with(b"PK\x03\x04") {
        return take(Part { name: name.to_owned(), bytes });
    }
    holds_few_parts(&bytes)?;
    let broken = || refuse(format!("“{name}” is damaged and cannot be unpacked"), "pack it anew");
    let mut archive = ZipArchive::new(Cursor::new(&bytes)).map_err(|_| broken())?;
    let names: Vec<String> = archive.file_names().filter_map(|n| n.ok().map(std::borrow::Cow::into_owned)).collect();
    // Spreadsheets are archives too; they are read as what they are.
    if names.iter().any(|n| n == "xl/workbook.xml" || n == "content.xml") {
        drop(archive);
        return take(Part { name: name.to_owned(), bytes });
    }
    if archive.len() > MOST_PARTS {
        let what = format!("“{name}” holds {} files", archive.len());
        return Err(refuse(what, format!("pack at most {MOST_PARTS} in one")).into());
    }
    let package = names.iter().any(|n| n == "datapackage.json") && names.iter().any(|n| n == "handed-in.csv");
    let mut none = true;
    for n in 0..archive.len() {
        effort.ask()?;
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
        let out = inflated(part, (name, &short), budget)?;
        none = false;
        let shown = if package { format!("{name}: {short}") } else { short };
        take(Part { name: shown, bytes: out })?;
    }
    if none {
        return Err(refuse(format!("“{name}” holds no file"), "pack the teams’ files into it").into());
    }
    Ok(())
}

/// The bytes of a part, as far as the budget goes.
fn inflated(mut part: impl Read, (name, short): (&str, &str), budget: &mut Budget) -> Result<Vec<u8>, Fault> {
    let broken = |_| refuse(format!("“{name}” is damaged and cannot be unpacked"), "pack it anew");
    let mut out = Vec::new();
    (&mut part).take(HEAD).read_to_end(&mut out).map_err(broken)?;
    let (what, most) = match media_of(&out).is_some() {
        true => ("is a picture of", MOST_PICTURE),
        false => ("unpacks to", UPLOAD.bytes),
    };
    let limit = budget.left.min(most as u64);
    part.take((limit + 1).saturating_sub(out.len() as u64)).read_to_end(&mut out).map_err(broken)?;
    if out.len() as u64 > limit {
        return Err(if limit < most as u64 {
            let all = budget.all / 1_048_576;
            let says = format!("the files of this upload unpack to more than {all} megabytes together");
            refuse(says, "bring them in several lots")
        } else {
            let says = format!("“{short}” in “{name}” {what} more than {} megabytes", limit / 1_048_576);
            refuse(says, "hand in smaller files, for instance one section at a time")
        });
    }
    budget.left -= out.len() as u64;
    Ok(out)
}
