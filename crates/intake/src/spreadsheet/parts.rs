//! The parts of a spreadsheet, looked through before any is read for good: what the archive or a part says of itself is not
//! trusted, and what would cost more to read than it is worth is refused.

use std::collections::BTreeSet;
use std::io::{BufReader, Cursor, Read};

use jurado_core::error::Fault;
use quick_xml::Reader;
use quick_xml::events::attributes::Attribute;
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;
use zip::result::ZipError;

use super::{damaged, refuse};
use crate::Effort;

/// Most parts of a spreadsheet.
const PARTS: usize = 2_000;
/// Most tags for each cell that is looked at: a cell has three at the most, and a row, a style or a shared text some more.
const TAGS_A_CELL: usize = 5;
/// Most tags of the part with the looks of cells, each of which is copied out for all that use it.
const STYLE_TAGS: usize = 40_000;
/// Longest tag there, in bytes; no format of numbers is longer than 255 letters.
const STYLE_TAG: usize = 2_000;
/// Longest tag of any other part: a formula of 8,192 letters stands in one.
const TAG: usize = 64 * 1024;
/// Most attributes of a tag.
const ATTRIBUTES: usize = 128;
/// Most sheets.
const SHEETS: usize = 50;

/// What the parts of a spreadsheet hold, counted.
#[derive(Default)]
struct Seen {
    tags: usize,
    /// Where the sheets of a workbook stand, and by which names they are called.
    places: BTreeSet<String>,
    sheets: BTreeSet<String>,
}

/// Counts what every part unpacks to, and the tags of those that are XML.
///
/// # Errors
/// What is no spreadsheet, or one that asks for more than can be wanted.
pub(super) fn look_through(bytes: &[u8], effort: &Effort) -> Result<(), Fault> {
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
    let most = effort.limits.unpacked;
    let (mut left, mut seen) = (most, Seen::default());
    for n in 0..archive.len() {
        let part = archive.by_index(n).map_err(|e| match e {
            ZipError::UnsupportedArchive(_) => refuse(
                "the spreadsheet is locked or packed in a way that cannot be read",
                "take the password off and save it anew",
            ),
            e => broken(e),
        })?;
        let name = part.name().map_err(broken)?.to_lowercase();
        let mut counted = Counted { part, left, effort };
        let read = if name.ends_with(".xml") || name.ends_with(".rels") {
            look_at(&name, &mut counted, effort, &mut seen)
        } else {
            std::io::copy(&mut counted, &mut std::io::sink()).map(drop).map_err(unpacking)
        };
        // What fits to the last byte is refused too: nothing is left then for what comes after it.
        let over = counted.left == 0;
        left = counted.left;
        effort.ask()?;
        if over {
            return Err(refuse(
                format!("the spreadsheet unpacks to more than {} megabytes", most / 1_048_576),
                "save the sheet alone as “CSV UTF-8”",
            ));
        }
        read?;
    }
    Ok(())
}

fn unpacking(_: std::io::Error) -> Fault {
    refuse("the file is damaged: a part of it cannot be unpacked", "save it anew")
}

/// A part, counted as it inflates.
struct Counted<'a, R> {
    part: R,
    left: u64,
    effort: &'a Effort,
}

impl<R: Read> Read for Counted<'_, R> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        if self.left == 0 || self.effort.step(4).is_err() {
            return Err(std::io::ErrorKind::QuotaExceeded.into());
        }
        let most = usize::try_from(self.left).unwrap_or(usize::MAX).min(out.len());
        let read = self.part.read(&mut out[..most])?;
        self.left -= read as u64;
        Ok(read)
    }
}

/// Goes through the tags of a part.
fn look_at(name: &str, part: &mut impl Read, effort: &Effort, seen: &mut Seen) -> Result<(), Fault> {
    let styles = name.ends_with("styles.xml");
    let mut of_styles = 0;
    let mut xml = Reader::from_reader(BufReader::new(part));
    xml.config_mut().check_end_names = false;
    let mut buffer = Vec::new();
    loop {
        buffer.clear();
        let tag = match xml.read_event_into(&mut buffer).map_err(damaged)? {
            Event::Start(tag) | Event::Empty(tag) => tag,
            Event::DocType(_) => {
                return Err(refuse("a part of the spreadsheet defines a language of its own", "save it anew"));
            }
            Event::Eof => return Ok(()),
            _ => continue,
        };
        effort.step(1)?;
        seen.tags += 1;
        of_styles += usize::from(styles);
        if seen.tags > effort.limits.cells * TAGS_A_CELL {
            let what = format!("the spreadsheet holds more than {} cells and texts", effort.limits.cells);
            return Err(refuse(what, "bring the table alone, as “CSV UTF-8”, or section by section"));
        }
        let longest = if styles { STYLE_TAG } else { TAG };
        if of_styles > STYLE_TAGS || tag.len() > longest || attributes(&tag) > ATTRIBUTES {
            return Err(refuse(
                "the cells of the spreadsheet have more looks than are read",
                "copy the table into a new spreadsheet, as values, and save that",
            ));
        }
        sheets(name, &tag, seen)?;
    }
}

/// How many attributes a tag has; a short one has few.
fn attributes(tag: &BytesStart<'_>) -> usize {
    if tag.len() < 4 * ATTRIBUTES { 0 } else { tag.attributes().with_checks(false).count() }
}

/// Two sheets that are one part would be read twice, and sixty sixty times; a number of texts that is stated would be believed.
fn sheets(part: &str, tag: &BytesStart<'_>, seen: &mut Seen) -> Result<(), Fault> {
    let value = |wanted: &str| {
        let of = |a: Attribute<'_>| a.value.into_owned();
        tag.attributes().with_checks(false).flatten().find(|a| a.key.local_name().as_ref() == wanted).map(of)
    };
    let shared = || Err(refuse("two sheets of the workbook are one part of the file", "save it anew"));
    match tag.local_name().as_ref() {
        "Relationship" if part.ends_with(".rels") => {
            let kind = value("Type").unwrap_or_default().rsplit('/').next().unwrap_or_default().to_owned();
            if !["officeDocument", "worksheet", "chartsheet", "dialogsheet"].contains(&kind.as_str()) {
                return Ok(());
            }
            let place = value("Target").unwrap_or_default().to_lowercase();
            if !place.ends_with(".xml") || place.contains(['&', '\\']) {
                return Err(refuse("a sheet of the workbook stands where none can be", "save it anew"));
            }
            // One place can be written in several ways, but its name in one.
            let name = place.rsplit('/').next().unwrap_or_default();
            if !seen.places.insert(format!("{part} {kind} {name}")) {
                return shared();
            }
        }
        "sheet" => {
            if value("id").is_some_and(|id| !seen.sheets.insert(id)) {
                return shared();
            }
            if seen.sheets.len() > SHEETS {
                let what = format!("the workbook has more than {SHEETS} sheets");
                return Err(refuse(what, "bring those with the tables, at most fifty"));
            }
        }
        "sst" => {
            let stated: usize = value("uniqueCount").and_then(|n| n.parse().ok()).unwrap_or(0);
            if stated > 10_000_000 {
                return Err(refuse("the workbook says that it holds more texts than it can", "save it anew"));
            }
        }
        _ => {}
    }
    Ok(())
}
