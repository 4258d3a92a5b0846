//! Spreadsheets: a data sheet written as XLSX or ODS, and either read as lines of fields. Cells to fill in are text, so
//! that every digit typed stays.

use std::io::{Cursor, Read, Write};

use calamine::{Data, Reader, Sheets, open_workbook_auto_from_rs};
use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use rust_xlsxwriter::{Color, Format, Workbook, XlsxError};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

use crate::sheet::{Grid, lay_out, marks_sheet, to_csv};

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
    let damaged = |e: &dyn std::fmt::Display| {
        refuse(format!("the spreadsheet cannot be read: {e}"), "open it, save it anew, or save it as “CSV UTF-8”")
    };
    let mut book: Sheets<Cursor<&[u8]>> = open_workbook_auto_from_rs(Cursor::new(bytes)).map_err(|e| damaged(&e))?;
    let mut first: Option<Grid> = None;
    for (_, range) in book.worksheets() {
        let (top, left) = range.start().unwrap_or((0, 0));
        if range.height() > crate::UPLOAD.rows + 1 {
            return Err(refuse(
                format!("the sheet has more than {} rows", crate::UPLOAD.rows),
                "hand it in section by section",
            ));
        }
        let mut grid: Grid = vec![Vec::new(); top as usize];
        for row in range.rows() {
            let mut line = vec![String::new(); left as usize];
            line.extend(row.iter().take(crate::MAX_COLUMNS + 1).map(text_of));
            grid.push(line);
        }
        if marks_sheet(&grid) {
            return Ok(to_csv(&grid).into_bytes());
        }
        if first.is_none() && grid.iter().any(|l| l.iter().any(|f| !f.is_empty())) {
            first = Some(grid);
        }
    }
    first.map(|g| to_csv(&g).into_bytes()).ok_or_else(|| {
        refuse("the spreadsheet is empty", "hand in a sheet with a line of column names and a line per reading")
    })
}

/// A number is written as the shortest text that is it: what a spreadsheet stores has no trailing noughts.
fn text_of(cell: &Data) -> String {
    match cell {
        Data::String(s) => s.clone(),
        Data::Float(v) => format!("{v}"),
        Data::Int(v) => v.to_string(),
        Data::Bool(b) => b.to_string(),
        Data::DateTimeIso(s) | Data::DurationIso(s) => s.clone(),
        Data::DateTime(d) => format!("{}", d.as_f64()),
        Data::Error(e) => e.to_string(),
        _ => String::new(),
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

/// Which cells of a laid-out sheet are filled in by a team, and which say what belongs where.
fn to_fill_in(grid: &[Vec<String>]) -> Vec<Vec<bool>> {
    let (mut columns, mut in_table): (Vec<bool>, bool) = (Vec::new(), false);
    grid.iter()
        .map(|line| {
            let first = line.first().map_or("", String::as_str);
            match first {
                "" if line.is_empty() => Vec::new(),
                "section" | "team" => vec![false, true],
                "item" => {
                    let fill = |n: &String| {
                        n.parse::<u32>().is_ok() || ["unit", "plus_minus", "excluded", "note"].contains(&n.as_str())
                    };
                    columns = line.iter().map(fill).collect();
                    vec![false; line.len()]
                }
                "row" => {
                    in_table = true;
                    columns = (0..line.len()).map(|n| n > 0).collect();
                    vec![false; line.len()]
                }
                "table" | "what" | "hint" | "data sheet" => vec![false; line.len()],
                "unit" if in_table => (0..line.len()).map(|n| n > 0).collect(),
                // Keys stand above the readings.
                _ if columns.is_empty() => vec![false, true, false],
                _ => columns.clone(),
            }
        })
        .collect()
}

/// The data sheet of a lab as XLSX, empty or filled.
///
/// # Errors
/// A table too large for a worksheet.
pub fn write_xlsx(protocol: &Protocol, filled: Option<&Submission>) -> Result<Vec<u8>, XlsxError> {
    let grid = lay_out(protocol, filled);
    let fill = to_fill_in(&grid);
    let mut book = Workbook::new();
    // A workbook carries no time of its own: the same sheet is the same file.
    let day = rust_xlsxwriter::ExcelDateTime::from_ymd(2020, 1, 1)?;
    book.set_properties(&rust_xlsxwriter::DocProperties::new().set_title(&protocol.title).set_creation_datetime(&day));
    let sheet = book.add_worksheet();
    let plain = Format::new().set_num_format("@");
    let said = Format::new().set_num_format("@").set_font_color(Color::RGB(0x4a_5560));
    let head = Format::new().set_num_format("@").set_bold();
    let open = Format::new()
        .set_num_format("@")
        .set_background_color(Color::RGB(0xf6_f1_e2))
        .set_border_bottom(rust_xlsxwriter::FormatBorder::Hair);
    for (r, (line, fills)) in grid.iter().zip(&fill).enumerate() {
        let leads = matches!(line.first().map_or("", String::as_str), "item" | "row" | "table" | "data sheet");
        let width = line.len().max(fills.len());
        for c in 0..width {
            let text = line.get(c).map_or("", String::as_str);
            let format = if fills.get(c) == Some(&true) {
                &open
            } else if leads {
                &head
            } else if c == 0 {
                &plain
            } else {
                &said
            };
            sheet.write_string_with_format(r as u32, c as u16, text, format)?;
        }
    }
    sheet.set_column_width(0, 20)?;
    sheet.set_column_width(1, 26)?;
    book.save_to_buffer()
}

/// The data sheet of a lab as ODS, empty or filled.
///
/// # Errors
/// The archive cannot be written.
pub fn write_ods(protocol: &Protocol, filled: Option<&Submission>) -> Result<Vec<u8>, zip::result::ZipError> {
    let grid = lay_out(protocol, filled);
    pack_ods(&protocol.title, &grid, &to_fill_in(&grid))
}

/// A table of texts as ODS; `fill` says which cells are to be filled in. Open Document is plain XML in an archive; the
/// crates that write it bring forty others, and this needs texts in cells and nothing else.
pub(crate) fn pack_ods(
    title: &str,
    grid: &[Vec<String>],
    fill: &[Vec<bool>],
) -> Result<Vec<u8>, zip::result::ZipError> {
    let mut rows = String::new();
    for (r, line) in grid.iter().enumerate() {
        let fills = fill.get(r).map_or(&[][..], Vec::as_slice);
        rows += "<table:table-row>";
        for c in 0..line.len().max(fills.len()).max(1) {
            let text = line.get(c).map_or("", String::as_str);
            let style = if fills.get(c) == Some(&true) { "open" } else { "said" };
            if text.is_empty() {
                rows += &format!("<table:table-cell table:style-name=\"{style}\"/>");
            } else {
                rows += &format!(
                    "<table:table-cell table:style-name=\"{style}\" office:value-type=\"string\"><text:p>{}</text:p></table:table-cell>",
                    escaped(text)
                );
            }
        }
        rows += "</table:table-row>";
    }
    let content = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<office:document-content xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" \
         xmlns:table=\"urn:oasis:names:tc:opendocument:xmlns:table:1.0\" xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\" \
         xmlns:style=\"urn:oasis:names:tc:opendocument:xmlns:style:1.0\" xmlns:number=\"urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0\" \
         xmlns:fo=\"urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0\" office:version=\"1.3\"><office:automatic-styles>\
         <number:text-style style:name=\"text\"><number:text-content/></number:text-style>\
         <style:style style:name=\"said\" style:family=\"table-cell\" style:data-style-name=\"text\"/>\
         <style:style style:name=\"open\" style:family=\"table-cell\" style:data-style-name=\"text\"><style:table-cell-properties fo:background-color=\"#f6f1e2\"/></style:style>\
         </office:automatic-styles><office:body><office:spreadsheet><table:table table:name=\"{}\">\
         <table:table-column table:number-columns-repeated=\"40\" table:default-cell-style-name=\"said\"/>{rows}</table:table></office:spreadsheet></office:body></office:document-content>\n",
        escaped(title)
    );
    const TYPE: &str = "application/vnd.oasis.opendocument.spreadsheet";
    let manifest = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<manifest:manifest xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\" manifest:version=\"1.3\">\
         <manifest:file-entry manifest:full-path=\"/\" manifest:media-type=\"{TYPE}\"/><manifest:file-entry manifest:full-path=\"content.xml\" manifest:media-type=\"text/xml\"/></manifest:manifest>\n"
    );
    let mut archive = ZipWriter::new(Cursor::new(Vec::new()));
    let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    // The standard wants the type first and unpacked.
    archive.start_file("mimetype", packed.compression_method(CompressionMethod::Stored))?;
    archive.write_all(TYPE.as_bytes())?;
    archive.start_file("content.xml", packed)?;
    archive.write_all(content.as_bytes())?;
    archive.start_file("META-INF/manifest.xml", packed)?;
    archive.write_all(manifest.as_bytes())?;
    Ok(archive.finish()?.into_inner())
}

fn escaped(text: &str) -> String {
    text.chars()
        .filter(|c| *c >= ' ' || *c == '\t')
        .map(|c| match c {
            '&' => "&amp;".to_owned(),
            '<' => "&lt;".to_owned(),
            '>' => "&gt;".to_owned(),
            '"' => "&quot;".to_owned(),
            c => c.to_string(),
        })
        .collect()
}
