//! Files to submissions and back. One file per format, all giving the same [`Intake`]: tables that can be judged, rows
//! held back with the reason, and remarks. Nothing is lost: a held row keeps its text. Nothing is judged or stored here.

mod columns;
mod csv_long;
mod delimited;
mod effort;
mod files;
mod grid;
mod guess;
mod json;
mod mend;
mod named;
mod own;
mod package;
mod picture;
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
pub use effort::{COMMAND, Effort, Limits, TEAM, UPLOAD};
pub use files::{Budget, MOST_PARTS, MOST_PICTURE, Part, unpack};
pub use grid::{write_grid_csv, write_grid_exact, write_grid_ods, write_grid_xlsx, write_zip};
pub use guess::{LabGuess, guess_lab};
pub use json::read_json;
pub use mend::{added_to, items_of, put_into, under_head};
pub use own::read_own;
pub use package::{PackageTable, long_grid, write_package};
pub use picture::{as_kept, media_of};
pub use portions::Portions;
pub use roster::{MOST_LINES as MOST_ROSTER_LINES, Roster, RosterLine, read_roster, unseen_sign, without_unseen_signs};
pub use sheet::write_sheet;
pub use under::formulas_of;
pub use workbook::{write_ods, write_xlsx};

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

/// Reads what a person uploads: a CSV file or a spreadsheet (.xlsx, .ods), long, wide or as a filled data sheet, or a JSON list of
/// submissions.
///
/// # Errors
/// Where nothing of the file can be used: empty, in another encoding, without the needed columns, too large. What is
/// wrong with single rows is in [`Intake::held`] instead.
pub fn read_csv(bytes: &[u8], protocol: &Protocol, roster: Option<&Roster>) -> Result<Intake, Fault> {
    read_file(bytes, protocol, roster, &Effort::new(UPLOAD), None)
}

/// Reads any file, its columns as a map says, where one is given and the file has columns of its own.
///
/// # Errors
/// As [`read_csv`], and where the effort is spent.
pub fn read_file(
    bytes: &[u8],
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
    map: Option<&ColumnMap>,
) -> Result<Intake, Fault> {
    let looked: Result<_, Fault> = look(bytes, protocol, roster, effort, |_| Ok(map.cloned()));
    looked?.1
}

/// The columns of a file, where a person may have to say what they mean, and what the file gives. It is opened once: `said` is asked
/// what was said of such columns before.
///
/// # Errors
/// What `said` gives; why nothing of the file can be used stands in place of its tables.
pub fn look<E>(
    bytes: &[u8],
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
    said: impl FnOnce(&[Column]) -> Result<Option<ColumnMap>, E>,
) -> Result<(Vec<Column>, Result<Intake, Fault>), E> {
    let opened = match open(bytes, effort) {
        Ok(File::Tables(opened)) => opened,
        Ok(File::List) => {
            let intake = json::read_json_for(bytes, protocol, roster, effort).map(of_whole_tables);
            return Ok((Vec::new(), intake));
        }
        Err(fault) => return Ok((Vec::new(), Err(fault))),
    };
    let file = match delimited::Delimited::open(&opened.text, effort) {
        Ok(file) => file,
        Err(fault) => return Ok((Vec::new(), Err(fault))),
    };
    let mut columns = columns::columns(&file, protocol);
    let map = said(&columns)?;
    if let Some(map) = &map {
        columns.iter_mut().zip(&map.columns).for_each(|(c, m)| c.meaning.clone_from(m));
    }
    let intake = read_table(&file, protocol, roster, effort, (&columns, map.as_ref()));
    Ok((columns, intake.and_then(|i| opened.under(i, protocol, 0, effort))))
}

/// Reads a text laid out in any way, its columns as they were said or seem to be.
fn read_table(
    file: &delimited::Delimited<'_>,
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
    (guess, said): (&[Column], Option<&ColumnMap>),
) -> Result<Intake, Fault> {
    if sheet::is_sheet(file) {
        return sheet::read(file, protocol, roster, ("", ""), effort).map(of_whole_tables);
    }
    // Names alone settle enough: read it so, and the person may correct it.
    let settled = guess.iter().any(|c| c.meaning.starts_with("cell:") || c.meaning == "item");
    let guessed = || ColumnMap { columns: guess.iter().map(|c| c.meaning.clone()).collect(), section: String::new() };
    match said {
        Some(map) if !guess.is_empty() => columns::read(file, protocol, roster, effort, map),
        None if settled => columns::read(file, protocol, roster, effort, &guessed()),
        _ => csv_long::read(file, protocol, roster, effort),
    }
}

fn of_whole_tables(intake: Intake) -> Intake {
    Intake { whole: true, ..intake }
}

/// A file as it is opened, be it for reading or for a look at its names.
enum File<'a> {
    /// A list of submissions.
    List,
    /// Lines of fields.
    Tables(Opened<'a>),
}

/// Opens a file: its kind by its first bytes, a spreadsheet read.
fn open<'a>(bytes: &'a [u8], effort: &Effort) -> Result<File<'a>, Fault> {
    if bytes.len() > effort.limits.bytes {
        let most = effort.limits.bytes / 1_048_576;
        return Err(Fault {
            line: 1,
            column: 1,
            what: format!("the file has {} megabytes", bytes.len() / 1_048_576),
            mend: format!("hand in at most {most} megabytes, for instance one section at a time"),
        });
    }
    if json::looks_like(bytes) { Ok(File::List) } else { Opened::of(bytes, effort).map(File::Tables) }
}

/// A file opened: a spreadsheet as text, with what stands under its cells; anything else as it is.
struct Opened<'a> {
    text: Cow<'a, [u8]>,
    book: Option<spreadsheet::Workbook>,
}

impl<'a> Opened<'a> {
    fn of(bytes: &'a [u8], effort: &Effort) -> Result<Opened<'a>, Fault> {
        if !spreadsheet::is_workbook(bytes) {
            return Ok(Opened { text: Cow::Borrowed(bytes), book: None });
        }
        let book = spreadsheet::read(bytes, effort)?;
        Ok(Opened { text: Cow::Owned(book.csv()), book: Some(book) })
    }

    /// The tables with the formulas that stand under their cells; `lead` columns were put before those of the file.
    fn under(&self, intake: Intake, protocol: &Protocol, lead: usize, effort: &Effort) -> Result<Intake, Fault> {
        match &self.book {
            Some(book) if book.has_formulas() => under::attached(book, protocol, intake, lead, effort),
            _ => Ok(intake),
        }
    }
}

/// The columns of a file with what they seem to mean; none where nothing is to be asked, or nothing can be read.
pub fn columns_of(bytes: &[u8], protocol: &Protocol) -> Vec<Column> {
    let effort = Effort::new(UPLOAD);
    let Ok(File::Tables(opened)) = open(bytes, &effort) else { return Vec::new() };
    let Ok(file) = delimited::Delimited::open(&opened.text, &effort) else { return Vec::new() };
    columns::columns(&file, protocol)
}

/// The names a person needs to see before taking a file: how many tables, readings and rows held.
impl Intake {
    /// Cells of all tables.
    pub fn cells(&self) -> usize {
        self.tables.iter().map(|t| t.cells.len()).sum()
    }
}
