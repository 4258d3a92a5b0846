//! A file of the long layout, read a portion of whole tables at a time, so that a file of any length is never held whole.
//!
//! It is gone through twice. The first time only the names of section and team are looked at: the file may be cut before a
//! row where no team has rows on both sides. The second time each portion is read as a file of its own, under the header of
//! the whole. A file that is not in order of its teams is one portion.

use std::fs::File;
use std::hash::Hasher;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use rustc_hash::{FxHashMap, FxHasher};

use crate::delimited::{Delimited, is_blank};
use crate::{Effort, Intake, csv_long, json, spreadsheet};

/// How much of a file is looked at to see what it is, in bytes.
const SAMPLE: u64 = 64 * 1024;

/// Where something begins in a file.
#[derive(Clone, Copy, PartialEq, Eq)]
struct At {
    /// In bytes, from 0.
    byte: u64,
    /// In lines, from 1, as the reader of records counts them.
    line: u64,
}

/// Rows of one team that follow one another.
struct Run {
    /// Hash of section and team. Two teams of one hash are taken for one, which puts a cut off and does no harm.
    team: u64,
    at: At,
}

/// The portions of a file, in its order.
pub struct Portions {
    file: File,
    /// All up to the first row, with the byte order mark.
    head: Vec<u8>,
    /// Line of the first row.
    first: u64,
    /// Where portions begin, the last first, and at the bottom the end of the file.
    begins: Vec<At>,
}

impl Portions {
    /// Cuts a file into portions of at least `tables` runs of rows of one team each.
    ///
    /// `None` where the file is of another layout or has no rows: it is then read as a whole, which tells what is wrong.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub fn of(path: &Path, tables: usize) -> std::io::Result<Option<Portions>> {
        let mut file = File::open(path)?;
        // A pipe can be read once only.
        if !file.metadata()?.is_file() {
            return Ok(None);
        }
        let mut sample = Vec::new();
        (&mut file).take(SAMPLE).read_to_end(&mut sample)?;
        let Some((separator, names)) = long_layout(&sample) else { return Ok(None) };
        file.seek(SeekFrom::Start(0))?;
        let (runs, end) = runs(&file, separator, names)?;
        let Some(first) = runs.first().map(|r| r.at) else { return Ok(None) };
        let mut head = vec![0; first.byte as usize];
        file.seek(SeekFrom::Start(0))?;
        file.read_exact(&mut head)?;
        Ok(Some(Portions { file, head, first: first.line, begins: begins(&runs, end, tables) }))
    }

    /// The next portion, with the lines at which its rows stand in the whole file; `None` at the end.
    ///
    /// # Errors
    /// Where the file can no longer be read, or nothing of it can be used.
    pub fn next(&mut self, protocol: &Protocol) -> Option<Result<Intake, Fault>> {
        let begin = self.begins.pop()?;
        let end = self.begins.last()?;
        Some(self.read(begin, end.byte, protocol))
    }

    fn read(&self, begin: At, end: u64, protocol: &Protocol) -> Result<Intake, Fault> {
        let lost = |e: std::io::Error| Fault {
            line: begin.line as usize,
            column: 1,
            what: format!("the file cannot be read on from here: {e}"),
            mend: "leave it as it is while it is judged".into(),
        };
        let mut bytes = self.head.clone();
        let mut file = &self.file;
        file.seek(SeekFrom::Start(begin.byte)).map_err(lost)?;
        file.take(end - begin.byte).read_to_end(&mut bytes).map_err(lost)?;
        let effort = Effort::command(bytes.len());
        let portion = Delimited::open(&bytes, &effort)?.without((begin.line - self.first) as usize);
        csv_long::read(&portion, protocol, None, &effort)
    }
}

/// Separator of a file of the long layout, and the columns of section and team.
fn long_layout(sample: &[u8]) -> Option<(u8, [usize; 2])> {
    if spreadsheet::is_workbook(sample) || json::looks_like(sample) {
        return None;
    }
    let file = Delimited::open(sample, &Effort::command(sample.len())).ok()?;
    let header = file.records().next().filter(|h| h.damage.is_none() && csv_long::is_canonical(h))?;
    let column = |name: &str| header.fields.iter().position(|f| f.trim().eq_ignore_ascii_case(name));
    Some((file.separator, [column("section")?, column("team")?]))
}

/// The runs of a file, and where it ends. Rows that name nobody belong to the run in which they stand.
fn runs(file: &File, separator: u8, names: [usize; 2]) -> std::io::Result<(Vec<Run>, At)> {
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator)
        .from_reader(BufReader::with_capacity(1 << 20, file));
    let mut raw = csv::ByteRecord::new();
    let mut runs: Vec<Run> = Vec::new();
    let mut header = true;
    while reader.read_byte_record(&mut raw)? {
        if is_blank(&raw) || std::mem::take(&mut header) {
            continue;
        }
        let team = team(&raw, names);
        if runs.is_empty() || team.is_some_and(|t| runs.last().is_some_and(|r| r.team != t)) {
            let at = raw.position().map_or(At { byte: 0, line: 1 }, |p| At { byte: p.byte(), line: p.line() });
            runs.push(Run { team: team.unwrap_or_default(), at });
        }
    }
    let end = reader.position();
    Ok((runs, At { byte: end.byte(), line: end.line() }))
}

/// Hash of the names of a row's section and team as the reader of rows sees them; `None` where it names nobody.
fn team(raw: &csv::ByteRecord, names: [usize; 2]) -> Option<u64> {
    let mut hasher = FxHasher::default();
    for column in names {
        let text = String::from_utf8_lossy(raw.get(column)?);
        let name = text.trim();
        if name.is_empty() {
            return None;
        }
        hasher.write(name.as_bytes());
        hasher.write_u8(0xff);
    }
    Some(hasher.finish())
}

/// Where portions begin, the last first: before a run that no team's rows reach beyond, `least` runs or more apart.
fn begins(runs: &[Run], end: At, least: usize) -> Vec<At> {
    let last: FxHashMap<u64, usize> = runs.iter().enumerate().map(|(n, r)| (r.team, n)).collect();
    let (mut begins, mut begun, mut reaches) = (Vec::new(), 0, 0);
    for (n, run) in runs.iter().enumerate() {
        if n == 0 || (reaches < n && n - begun >= least) {
            begins.push(run.at);
            begun = n;
        }
        reaches = reaches.max(last[&run.team]);
    }
    begins.push(end);
    begins.reverse();
    begins
}
