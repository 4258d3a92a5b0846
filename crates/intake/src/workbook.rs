//! A data sheet written as a spreadsheet, XLSX or ODS. The cells of readings show the decimals that their instruments give, so that
//! every digit stays and formulas can read them; every reading, column and result has a name. What is filled in already is text.

use std::collections::HashMap;
use std::io::{Cursor, Write};

use jurado_core::cell::Address;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use rust_xlsxwriter::{Color, Format, Workbook, XlsxError};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

use crate::named::{Name, Shows, Spot, names, short, shows, spots};
use crate::sheet::lay_out;

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

/// A data sheet laid out: its lines, which cells are filled in, how they show numbers, and their names.
struct Laid {
    grid: Vec<Vec<String>>,
    fill: Vec<Vec<bool>>,
    ways: Vec<(usize, usize, Shows)>,
    named: Vec<Name>,
}

impl Laid {
    fn out(protocol: &Protocol, filled: Option<&Submission>) -> Laid {
        let mut grid = lay_out(protocol, filled);
        let fill = to_fill_in(&grid);
        let blank = filled.is_none_or(|s| s.cells.is_empty());
        let places = spots(protocol, &grid);
        let named = names(protocol, &places);
        if blank {
            tell_names(&named, &places, &mut grid);
        }
        Laid { ways: ways(protocol, &places, blank), grid, fill, named }
    }
}

/// How each cell of an empty sheet shows what is filled in: row, column and way.
fn ways(protocol: &Protocol, spots: &[Spot], blank: bool) -> Vec<(usize, usize, Shows)> {
    // A filled sheet is what was typed, character by character.
    spots.iter().filter(|_| blank).map(|s| (s.row, s.column, shows(protocol, s.item))).collect()
}

/// Its name among those of a workbook.
const SHEET: &str = "Data sheet";

/// The data sheet of a lab as XLSX, empty or filled.
///
/// # Errors
/// A table too large for a worksheet.
pub fn write_xlsx(protocol: &Protocol, filled: Option<&Submission>) -> Result<Vec<u8>, XlsxError> {
    let Laid { grid, fill, ways, named } = Laid::out(protocol, filled);
    let mut book = Workbook::new();
    // A workbook carries no time of its own: the same sheet is the same file.
    let day = rust_xlsxwriter::ExcelDateTime::from_ymd(2020, 1, 1)?;
    book.set_properties(&rust_xlsxwriter::DocProperties::new().set_title(&protocol.title).set_creation_datetime(&day));
    let sheet = book.add_worksheet();
    sheet.set_name(SHEET)?;
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
    for (row, column, way) in ways {
        let format = match way {
            Shows::Text => open.clone(),
            Shows::Free => open.clone().set_num_format("General"),
            Shows::Decimals(0) => open.clone().set_num_format("0"),
            Shows::Decimals(n) => open.clone().set_num_format(format!("0.{}", "0".repeat(n))),
        };
        sheet.write_blank(row as u32, column as u16, &format)?;
    }
    sheet.set_column_width(0, 20)?;
    sheet.set_column_width(1, 26)?;
    for Name { name, range: [first, last], .. } in named {
        let absolute = |a: &Address| format!("${}${}", letters(a), a.row);
        let range = if first == last { absolute(&first) } else { format!("{}:{}", absolute(&first), absolute(&last)) };
        book.define_name(name, &format!("='{SHEET}'!{range}"))?;
    }
    book.save_to_buffer()
}

/// The letters of an address.
fn letters(a: &Address) -> String {
    a.to_string().trim_end_matches(|c: char| c.is_ascii_digit()).to_owned()
}

/// The data sheet of a lab as ODS, empty or filled.
///
/// # Errors
/// The archive cannot be written.
pub fn write_ods(protocol: &Protocol, filled: Option<&Submission>) -> Result<Vec<u8>, zip::result::ZipError> {
    let Laid { grid, fill, ways, named } = Laid::out(protocol, filled);
    pack(SHEET, &grid, &fill, &ways, &named)
}

/// Says in the hint of each item by which short name formulas may call it.
fn tell_names(names: &[Name], spots: &[Spot], grid: &mut [Vec<String>]) {
    let mut told = Vec::new();
    for spot in spots {
        let Some(name) = short(names, spot.item).filter(|_| !told.contains(&spot.item)) else { continue };
        told.push(spot.item);
        // Of a single item beside it, of a column above it.
        let head = (0..spot.row).rev().find(|r| matches!(grid[*r].first().map(String::as_str), Some("item" | "row")));
        let Some(head) = head else { continue };
        let at = if grid[head][0] == "item" {
            grid[head].iter().position(|h| h == "hint").map(|column| (spot.row, column))
        } else {
            (head..spot.row).find(|r| grid[*r].first().is_some_and(|f| f == "hint")).map(|row| (row, spot.column))
        };
        let Some((row, column)) = at else { continue };
        if grid[row].len() <= column {
            grid[row].resize(column + 1, String::new());
        }
        let hint = &mut grid[row][column];
        *hint = if hint.is_empty() { format!("name {name}") } else { format!("{hint} · name {name}") };
    }
}

/// A table of texts as ODS; `fill` says which cells are to be filled in. Open Document is plain XML in an archive; the
/// crates that write it bring forty others, and this needs texts in cells and nothing else.
pub(crate) fn pack_ods(
    title: &str,
    grid: &[Vec<String>],
    fill: &[Vec<bool>],
) -> Result<Vec<u8>, zip::result::ZipError> {
    pack(title, grid, fill, &[], &[])
}

/// [`pack_ods`] with ways to show numbers and with names.
fn pack(
    title: &str,
    grid: &[Vec<String>],
    fill: &[Vec<bool>],
    ways: &[(usize, usize, Shows)],
    names: &[Name],
) -> Result<Vec<u8>, zip::result::ZipError> {
    let ways: HashMap<(usize, usize), Shows> = ways.iter().map(|(r, c, way)| ((*r, *c), *way)).collect();
    let mut rows = String::new();
    for (r, line) in grid.iter().enumerate() {
        let fills = fill.get(r).map_or(&[][..], Vec::as_slice);
        rows += "<table:table-row>";
        for c in 0..line.len().max(fills.len()).max(1) {
            let text = line.get(c).map_or("", String::as_str);
            let style = match ways.get(&(r, c)) {
                Some(Shows::Free) => "free".to_owned(),
                Some(Shows::Decimals(n)) => format!("open{n}"),
                _ if fills.get(c) == Some(&true) => "open".to_owned(),
                _ => "said".to_owned(),
            };
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
    let most = ways.values().filter_map(|w| if let Shows::Decimals(n) = w { Some(*n) } else { None }).max();
    let decimals: String = most.map_or_else(String::new, |most| (0..=most).map(number_style).collect());
    let named: String = names.iter().map(|n| named_range(title, &n.name, &n.range)).collect();
    let content = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<office:document-content xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" \
         xmlns:table=\"urn:oasis:names:tc:opendocument:xmlns:table:1.0\" xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\" \
         xmlns:style=\"urn:oasis:names:tc:opendocument:xmlns:style:1.0\" xmlns:number=\"urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0\" \
         xmlns:fo=\"urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0\" office:version=\"1.3\"><office:automatic-styles>\
         <number:text-style style:name=\"text\"><number:text-content/></number:text-style>\
         <style:style style:name=\"said\" style:family=\"table-cell\" style:data-style-name=\"text\"/>\
         <style:style style:name=\"open\" style:family=\"table-cell\" style:data-style-name=\"text\"><style:table-cell-properties fo:background-color=\"#f6f1e2\"/></style:style>\
         <style:style style:name=\"free\" style:family=\"table-cell\"><style:table-cell-properties fo:background-color=\"#f6f1e2\"/></style:style>{decimals}\
         </office:automatic-styles><office:body><office:spreadsheet><table:table table:name=\"{}\">\
         <table:table-column table:number-columns-repeated=\"40\" table:default-cell-style-name=\"said\"/>{rows}</table:table><table:named-expressions>{named}</table:named-expressions></office:spreadsheet></office:body></office:document-content>\n",
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

/// The style of a number with so many decimals, and of a cell to fill in that shows it.
fn number_style(decimals: usize) -> String {
    format!(
        "<number:number-style style:name=\"n{decimals}\"><number:number number:decimal-places=\"{decimals}\" \
         number:min-decimal-places=\"{decimals}\" number:min-integer-digits=\"1\"/></number:number-style>\
         <style:style style:name=\"open{decimals}\" style:family=\"table-cell\" style:data-style-name=\"n{decimals}\">\
         <style:table-cell-properties fo:background-color=\"#f6f1e2\"/></style:style>"
    )
}

/// A name for a cell or a range of a sheet.
fn named_range(sheet: &str, name: &str, [first, last]: &[Address; 2]) -> String {
    let sheet = escaped(&sheet.replace('\'', "''"));
    let absolute = |a: &Address| format!("${}${}", letters(a), a.row);
    let end = if first == last { String::new() } else { format!(":.{}", absolute(last)) };
    format!(
        "<table:named-range table:name=\"{}\" table:base-cell-address=\"$'{sheet}'.$A$1\" \
         table:cell-range-address=\"$'{sheet}'.{}{end}\"/>",
        escaped(name),
        absolute(first)
    )
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
