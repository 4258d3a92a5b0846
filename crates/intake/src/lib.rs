//! Files to submissions and back. One file per format, all giving the same [`Intake`]: tables that can be judged, rows
//! held back with the reason, and remarks. Nothing is lost: a held row keeps its text. Nothing is judged or stored here.

mod columns;
mod csv_long;
mod delimited;
mod files;
mod grid;
mod guess;
mod json;
mod mend;
mod named;
mod own;
mod package;
mod portions;
mod roster;
mod sheet;
mod spreadsheet;
#[cfg(test)]
mod tests;
mod under;
mod workbook;

use std::borrow::Cow;
use std::collections::{BTreeSet, HashMap};

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;

pub use columns::{Column, ColumnMap, meanings};
pub use files::{Budget, MOST_PARTS, MOST_PICTURE, Part, unpack};
pub use grid::{write_grid_csv, write_grid_exact, write_grid_ods, write_grid_xlsx, write_zip};
pub use guess::{LabGuess, guess_lab};
pub use json::read_json;
pub use mend::{added_to, items_of, put_into, under_head};
pub use own::read_own;
pub use package::{PackageTable, long_grid, write_package};
pub use portions::Portions;
pub use roster::{Roster, RosterLine, read_roster, unseen_sign, without_unseen_signs};
pub use sheet::write_sheet;
pub use under::formulas_of;
pub use workbook::{write_ods, write_xlsx};

/// How much of a file is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Largest file, in bytes.
    pub bytes: usize,
    /// Most rows.
    pub rows: usize,
}

/// Of a file that somebody uploads.
pub const UPLOAD: Limits = Limits { bytes: 20 * 1024 * 1024, rows: 200_000 };
/// Of a file given on the command line, or of a portion of one that can be cut: a whole course at once, on one's own machine.
pub const COMMAND: Limits = Limits { bytes: 1024 * 1024 * 1024, rows: 20_000_000 };
/// Most columns a file may have.
pub const MAX_COLUMNS: usize = 200;
/// Longest cell, in bytes.
pub const MAX_CELL: usize = 2_000;

/// What a file gave.
#[derive(Clone, Debug, Default)]
pub struct Intake {
    /// Tables, in the order their first rows stand in the file.
    pub tables: Vec<Submission>,
    /// Rows that cannot be used, each with the reason.
    pub held: Vec<HeldRow>,
    /// What was decided about the file as a whole: separator, columns left aside.
    pub remarks: Vec<String>,
    /// Data rows seen.
    pub rows: usize,
    /// Whether its layout is one of whole tables – a data sheet, a sheet typed off – so that what is blank in it is blank.
    pub whole: bool,
    /// Where the cells of each table stood in the file.
    places: Vec<under::Places>,
}

/// A row that cannot be used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HeldRow {
    /// Stable word for the reason.
    pub code: &'static str,
    /// Where, what and how to mend it.
    pub fault: Fault,
    /// The row as it stands in the file, unreadable bytes replaced.
    pub text: String,
    /// Section and team that it names; empty where it names none.
    pub whose: (String, String),
}

impl Intake {
    /// Section and team of every row that is held back only because its team is not on the roster, in order of their names.
    #[must_use]
    pub fn new_teams(&self) -> BTreeSet<(String, String)> {
        self.held.iter().filter(|h| h.code == "unknown-team").map(|h| h.whose.clone()).collect()
    }

    /// Counts the rows that wait beside the tables they belong to.
    fn count_waiting(mut self) -> Intake {
        let mut counts: HashMap<(&str, &str), u32> = HashMap::new();
        for held in &self.held {
            *counts.entry((&held.whose.0, &held.whose.1)).or_default() += 1;
        }
        for table in &mut self.tables {
            table.waiting = counts.get(&(table.section.as_str(), table.team.as_str())).copied().unwrap_or(0);
        }
        self
    }
}

/// Reads a CSV file or a spreadsheet (.xlsx, .ods), long, wide or as a filled data sheet, or a JSON list of submissions.
///
/// # Errors
/// Where nothing of the file can be used: empty, in another encoding, without the needed columns, too large. What is
/// wrong with single rows is in [`Intake::held`] instead.
pub fn read_csv(bytes: &[u8], protocol: &Protocol, roster: Option<&Roster>) -> Result<Intake, Fault> {
    read_csv_within(bytes, protocol, roster, UPLOAD)
}

/// [`read_csv`] within other limits.
///
/// # Errors
/// As [`read_csv`].
pub fn read_csv_within(
    bytes: &[u8],
    protocol: &Protocol,
    roster: Option<&Roster>,
    limits: Limits,
) -> Result<Intake, Fault> {
    read_file(bytes, protocol, roster, limits, None)
}

/// Reads any file, its columns as a map says, where one is given and the file has columns of its own.
///
/// # Errors
/// As [`read_csv`].
pub fn read_file(
    bytes: &[u8],
    protocol: &Protocol,
    roster: Option<&Roster>,
    limits: Limits,
    map: Option<&ColumnMap>,
) -> Result<Intake, Fault> {
    if bytes.len() > limits.bytes {
        let what = format!("the file has {} megabytes", bytes.len() / 1_048_576);
        return Err(Fault {
            line: 1,
            column: 1,
            what,
            mend: format!("hand in at most {} megabytes, for instance one section at a time", limits.bytes / 1_048_576),
        });
    }
    if json::looks_like(bytes) {
        return json::read_json_for(bytes, protocol, roster).map(of_whole_tables);
    }
    let opened = Opened::of(bytes)?;
    let intake = read_text(&opened.text, protocol, roster, limits, map)?;
    Ok(opened.under(intake, protocol, 0))
}

/// Reads a text laid out in any way.
fn read_text(
    text: &[u8],
    protocol: &Protocol,
    roster: Option<&Roster>,
    limits: Limits,
    map: Option<&ColumnMap>,
) -> Result<Intake, Fault> {
    let file = delimited::Delimited::open(text)?;
    if sheet::is_sheet(&file) {
        return sheet::read(&file, protocol, roster, ("", "")).map(of_whole_tables);
    }
    match (map, columns::columns(&file, protocol)) {
        (Some(map), Some(_)) => columns::read(&file, protocol, roster, limits, map),
        // Names alone settle enough: read it so, and the person may correct it.
        (None, Some(guess)) if guess.iter().any(|c| c.meaning.starts_with("cell:") || c.meaning == "item") => {
            let columns = guess.into_iter().map(|c| c.meaning).collect();
            columns::read(&file, protocol, roster, limits, &ColumnMap { columns, section: String::new() })
        }
        _ => csv_long::read(&file, protocol, roster, limits),
    }
}

fn of_whole_tables(intake: Intake) -> Intake {
    Intake { whole: true, ..intake }
}

/// A file opened: a spreadsheet as text, with what stands under its cells; anything else as it is.
struct Opened<'a> {
    text: Cow<'a, [u8]>,
    book: Option<spreadsheet::Workbook>,
}

impl<'a> Opened<'a> {
    fn of(bytes: &'a [u8]) -> Result<Opened<'a>, Fault> {
        if !spreadsheet::is_workbook(bytes) {
            return Ok(Opened { text: Cow::Borrowed(bytes), book: None });
        }
        let book = spreadsheet::read(bytes)?;
        Ok(Opened { text: Cow::Owned(book.csv()), book: Some(book) })
    }

    /// The tables with the formulas that stand under their cells; `lead` columns were put before those of the file.
    fn under(&self, intake: Intake, protocol: &Protocol, lead: usize) -> Intake {
        match &self.book {
            Some(book) if book.has_formulas() => under::attached(book, protocol, intake, lead),
            _ => intake,
        }
    }
}

/// The columns of a file with what they seem to mean; `None` where nothing is to be asked, or nothing can be read.
pub fn columns_of(bytes: &[u8], protocol: &Protocol) -> Option<Vec<Column>> {
    if bytes.len() > UPLOAD.bytes || json::looks_like(bytes) {
        return None;
    }
    let opened = Opened::of(bytes).ok()?;
    let file = delimited::Delimited::open(&opened.text).ok()?;
    if sheet::is_sheet(&file) { None } else { columns::columns(&file, protocol) }
}

/// The names a person needs to see before taking a file: how many tables, readings and rows held.
impl Intake {
    /// Cells of all tables.
    pub fn cells(&self) -> usize {
        self.tables.iter().map(|t| t.cells.len()).sum()
    }
}
