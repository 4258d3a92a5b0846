//! A delimited text file: encoding, separator, and records with their places. No meaning of columns.

use jurado_core::error::Fault;

use crate::Effort;

/// A file whose encoding and size can be used.
pub(crate) struct Delimited<'a> {
    bytes: &'a [u8],
    pub(crate) separator: u8,
    /// Lines of the file that stand between its header and the first row of `bytes`.
    without: usize,
    /// Columns that are put before those of the file: name, and what stands in each row.
    lead: Vec<(&'a str, &'a str)>,
}

/// Separators in one record above which a file is no table. Fewer, and still too many columns, are told with their row.
const MOST_SEPARATORS: usize = 2_000;

/// One record: its line, its fields as text, and what is wrong with its bytes.
pub(crate) struct Record {
    pub(crate) line: usize,
    pub(crate) fields: csv::StringRecord,
    pub(crate) damage: Option<Damage>,
    /// Column in which its value stood, where the record was made of another.
    pub(crate) value_at: Option<usize>,
}

/// A record whose bytes cannot be used.
pub(crate) struct Damage {
    pub(crate) code: &'static str,
    pub(crate) field: usize,
    pub(crate) what: String,
    pub(crate) mend: &'static str,
}

fn refuse(what: impl Into<String>, mend: impl Into<String>) -> Fault {
    Fault { line: 1, column: 1, what: what.into(), mend: mend.into() }
}

impl<'a> Delimited<'a> {
    /// Looks at the first line: encoding and separator. What no row could be made of is refused before any is made.
    pub(crate) fn open(bytes: &'a [u8], effort: &Effort) -> Result<Self, Fault> {
        if bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]) {
            return Err(refuse("the file is in UTF-16", "save it as “CSV UTF-8”"));
        }
        let bytes = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
        if bytes.iter().all(u8::is_ascii_whitespace) {
            return Err(refuse(
                "the file is empty",
                "hand in a file with a line of column names and a line per reading",
            ));
        }
        let sample = &bytes[..bytes.len().min(64 * 1024)];
        let zeros = sample.iter().filter(|b| **b == 0).count();
        if zeros * 10 > sample.len() {
            return Err(refuse("the file is full of NUL bytes and no text", "save it as “CSV UTF-8”"));
        }
        let first = sample.split(|b| *b == b'\n').find(|l| !l.iter().all(u8::is_ascii_whitespace)).unwrap_or(sample);
        let count = |c: u8| first.iter().filter(|b| **b == c).count();
        let separator = [b',', b';', b'\t'].into_iter().max_by_key(|c| count(*c)).unwrap_or(b',');
        // Ties go to the comma: max_by_key takes the last of equals.
        let separator = if count(separator) == count(b',') { b',' } else { separator };
        Ok(Delimited { bytes: counted(bytes, separator, effort)?, separator, without: 0, lead: Vec::new() })
    }

    /// With columns of its own in front, so that a line keeps its number.
    pub(crate) fn leading(self, lead: Vec<(&'a str, &'a str)>) -> Self {
        Delimited { lead, ..self }
    }

    /// A portion of a file under the file's header: so many lines between the two are left out of it, and counted.
    pub(crate) fn without(self, lines: usize) -> Self {
        Delimited { without: lines, ..self }
    }

    /// The separator in words.
    pub(crate) fn separator_name(&self) -> &'static str {
        match self.separator {
            b';' => "semicolon",
            b'\t' => "tab",
            _ => "comma",
        }
    }

    /// Records in file order; blank lines are passed over. Never fails: damage is told record by record.
    pub(crate) fn records(&self) -> impl Iterator<Item = Record> + 'a {
        let mut reader = csv::ReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .delimiter(self.separator)
            .from_reader(self.bytes);
        let mut raw = csv::ByteRecord::new();
        let bytes = self.bytes;
        let (mut header, without, lead) = (true, self.without, self.lead.clone());
        std::iter::from_fn(move || {
            // Reading from memory with `flexible` has no error left to give but a broken reader: then the file ends here.
            while reader.read_byte_record(&mut raw).unwrap_or(false) {
                // A record's place is where the one before ended: after its carriage return, before the line feed.
                let line = raw.position().map_or(1, |p| {
                    let rest = bytes.get(p.byte() as usize..).unwrap_or_default();
                    p.line() as usize + usize::from(p.byte() > 0 && rest.first() == Some(&b'\n'))
                });
                if is_blank(&raw) {
                    continue;
                }
                let is_header = std::mem::take(&mut header);
                let before = if is_header { 0 } else { without };
                let mut record = record(&raw, line + before);
                if !lead.is_empty() {
                    let own = lead.iter().map(|(name, value)| if is_header { *name } else { *value });
                    record.fields = own.chain(record.fields.iter()).collect();
                }
                return Some(record);
            }
            None
        })
    }
}

/// The text without the blank lines at its end, if it has no more lines and separators than a table can have: a record of a million
/// fields takes forty times its length before anything can be said of it.
fn counted<'a>(bytes: &'a [u8], separator: u8, effort: &Effort) -> Result<&'a [u8], Fault> {
    let blank = |b: &u8| b.is_ascii_whitespace() || *b == separator;
    let last = bytes.iter().rposition(|b| !blank(b)).unwrap_or(0);
    let end = bytes[last..].iter().position(|b| *b == b'\n').map_or(bytes.len(), |n| last + n + 1);
    let bytes = &bytes[..end];
    let most = effort.limits.rows.saturating_mul(2).saturating_add(1_000);
    let at = |line, what: String, mend: &str| Err(Fault { line, column: 1, what, mend: mend.to_owned() });
    // A quote opens a field at its beginning alone, and one that has just closed it opens it again.
    let (mut quoted, mut closed, mut begins) = (false, false, true);
    let (mut lines, mut separators) = (1, 0);
    for (n, b) in bytes.iter().enumerate() {
        if n % (64 * 1024) == 0 {
            effort.step(16)?;
        }
        let was_closed = std::mem::take(&mut closed);
        match *b {
            b'"' if quoted => (quoted, closed) = (false, true),
            b'"' if begins || was_closed => quoted = true,
            _ if quoted => continue,
            b'\n' | b'\r' => {
                lines += usize::from(!begins || separators > 0);
                (begins, separators) = (true, 0);
                if lines > most {
                    let what = format!("the file has more than {most} lines");
                    return at(lines, what, "bring it section by section");
                }
                continue;
            }
            b if b == separator => {
                separators += 1;
                if separators > MOST_SEPARATORS {
                    let what = format!("the file has more than {} columns", crate::MAX_COLUMNS);
                    return at(lines, what, "delete what stands beside the table");
                }
                begins = true;
                continue;
            }
            _ => {}
        }
        begins = false;
    }
    Ok(bytes)
}

/// Whether a record is a blank line, or one of separators alone.
pub(crate) fn is_blank(raw: &csv::ByteRecord) -> bool {
    raw.iter().all(|f| f.iter().all(u8::is_ascii_whitespace))
}

fn record(raw: &csv::ByteRecord, line: usize) -> Record {
    let sound = raw.len() <= crate::MAX_COLUMNS + 1
        && !raw.as_slice().contains(&0)
        && raw.iter().all(|f| f.len() <= crate::MAX_CELL);
    match sound.then(|| csv::StringRecord::from_byte_record(raw.clone())) {
        Some(Ok(fields)) => Record { line, fields, damage: None, value_at: None },
        _ => damaged(raw, line),
    }
}

/// A record whose bytes cannot be used as they are: what is wrong with the first such field, and what can be shown of all.
fn damaged(raw: &csv::ByteRecord, line: usize) -> Record {
    let mut damage = None;
    let mut fields = csv::StringRecord::new();
    for (n, field) in raw.iter().enumerate().take(crate::MAX_COLUMNS + 1) {
        if damage.is_none() {
            damage = damage_of(n, field);
        }
        let mut text = String::from_utf8_lossy(field).into_owned();
        if text.len() > crate::MAX_CELL {
            let mut end = crate::MAX_CELL;
            while !text.is_char_boundary(end) {
                end -= 1;
            }
            text.truncate(end);
        }
        fields.push_field(&text);
    }
    Record { line, fields, damage, value_at: None }
}

fn damage_of(n: usize, field: &[u8]) -> Option<Damage> {
    let (code, what, mend) = if let Err(e) = std::str::from_utf8(field) {
        let byte = field.get(e.valid_up_to()).copied().unwrap_or(0);
        ("encoding", format!("the byte 0x{byte:02X} is not UTF-8"), "save the file as “CSV UTF-8”")
    } else if field.contains(&0) {
        ("nul-byte", "a NUL byte stands in it".to_owned(), "type the cell again")
    } else if field.len() > crate::MAX_CELL {
        ("long-cell", format!("it is longer than {} bytes", crate::MAX_CELL), "shorten it")
    } else {
        return None;
    };
    Some(Damage { code, field: n, what, mend })
}

impl Record {
    /// Column (in characters, from 1) at which a field begins, quotes not counted.
    pub(crate) fn column(&self, field: usize) -> usize {
        1 + self.fields.iter().take(field).map(|f| f.chars().count() + 1).sum::<usize>()
    }

    /// A fault at a field.
    pub(crate) fn fault(&self, field: usize, what: impl Into<String>, mend: impl Into<String>) -> Fault {
        Fault { line: self.line, column: self.column(field), what: what.into(), mend: mend.into() }
    }

    /// The fields with commas between.
    pub(crate) fn joined(&self) -> String {
        self.fields.iter().collect::<Vec<_>>().join(",")
    }

    /// The record as one line of text.
    pub(crate) fn text(&self) -> String {
        let mut text = self.joined().replace('\0', "␀");
        if text.chars().count() > 1000 {
            text = text.chars().take(1000).chain(['…']).collect();
        }
        text
    }
}
