//! Plain tables written for other programs: CSV, XLSX and ODS. Every cell is text, and none is taken for a formula.

use std::io::{Cursor, Write};

use rust_xlsxwriter::{Format, Workbook, XlsxError};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

use crate::workbook::pack_ods;

/// A table as CSV, lines ended as RFC 4180 wants.
pub fn write_grid_csv(grid: &[Vec<String>]) -> String {
    let mut out = String::new();
    for line in grid {
        let cells: Vec<String> = line.iter().map(|f| csv_cell(f)).collect();
        out.push_str(&cells.join(","));
        out.push_str("\r\n");
    }
    out
}

/// A cell that no spreadsheet takes for a formula; a plain number stays one.
fn csv_cell(text: &str) -> String {
    let risky = text.starts_with(['=', '+', '-', '@', '\t', '\r']) && text.parse::<f64>().is_err();
    let text = if risky { format!("'{text}") } else { text.to_owned() };
    quoted(&text)
}

/// A cell exactly as it is, quoted where it has to be: what is read back must be what was written.
fn quoted(text: &str) -> String {
    if text.contains([',', '"', '\n', '\r']) || text.starts_with(' ') || text.ends_with(' ') {
        format!("\"{}\"", text.replace('"', "\"\""))
    } else {
        text.to_owned()
    }
}

/// A table as CSV that is read back by Jurado: nothing is put before a cell, since every digit and sign is the team's.
pub fn write_grid_exact(grid: &[Vec<String>]) -> String {
    let mut out = String::new();
    for line in grid {
        let cells: Vec<String> = line.iter().map(|f| quoted(f)).collect();
        out.push_str(&cells.join(","));
        out.push_str("\r\n");
    }
    out
}

/// A table as XLSX, every cell a text.
///
/// # Errors
/// A table too large for a worksheet.
pub fn write_grid_xlsx(title: &str, grid: &[Vec<String>]) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    // A workbook carries no time of its own: the same table is the same file.
    let day = rust_xlsxwriter::ExcelDateTime::from_ymd(2020, 1, 1)?;
    book.set_properties(&rust_xlsxwriter::DocProperties::new().set_title(title).set_creation_datetime(&day));
    let sheet = book.add_worksheet();
    let (plain, head) = (Format::new().set_num_format("@"), Format::new().set_num_format("@").set_bold());
    for (r, line) in grid.iter().enumerate() {
        for (c, text) in line.iter().enumerate() {
            let row = u32::try_from(r).map_err(|_| XlsxError::RowColumnLimitError)?;
            let column = u16::try_from(c).map_err(|_| XlsxError::RowColumnLimitError)?;
            sheet.write_string_with_format(row, column, text, if r == 0 { &head } else { &plain })?;
        }
    }
    book.save_to_buffer()
}

/// A table as ODS, every cell a text.
///
/// # Errors
/// The archive cannot be written.
pub fn write_grid_ods(title: &str, grid: &[Vec<String>]) -> Result<Vec<u8>, zip::result::ZipError> {
    pack_ods(title, grid, &[])
}

/// Files as one ZIP archive, in the order given. The same files give the same bytes.
///
/// # Errors
/// The archive cannot be written.
pub fn write_zip(files: &[(String, Vec<u8>)]) -> Result<Vec<u8>, zip::result::ZipError> {
    let mut archive = ZipWriter::new(Cursor::new(Vec::new()));
    let packed = SimpleFileOptions::default().compression_method(CompressionMethod::Deflated);
    for (name, bytes) in files {
        archive.start_file(name.as_str(), packed)?;
        archive.write_all(bytes)?;
    }
    Ok(archive.finish()?.into_inner())
}

#[cfg(test)]
mod tests {
    use super::{csv_cell, write_grid_exact};

    #[test]
    fn cells_are_safe_for_spreadsheets_and_numbers_stay_numbers() {
        for (text, expected) in [
            ("Heron", "Heron"),
            ("=1+1", "'=1+1"),
            ("@x", "'@x"),
            ("-3.50", "-3.50"),
            ("-3+cmd|x", "'-3+cmd|x"),
            ("a,b", "\"a,b\""),
            ("say \"hi\"", "\"say \"\"hi\"\"\""),
        ] {
            assert_eq!(csv_cell(text), expected);
        }
        assert_eq!(write_grid_exact(&[vec!["=x".into(), " 1".into()]]), "=x,\" 1\"\r\n");
    }
}
