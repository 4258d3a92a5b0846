//! The long layout: one reading a row, columns by name.

use std::collections::{BTreeMap, HashMap};
use std::num::NonZeroU32;

use jurado_core::error::Fault;
use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::submission::{Submission, SubmittedCell};
use rustc_hash::{FxBuildHasher, FxHashMap};

use crate::delimited::{Delimited, Record};
use crate::roster::Roster;
use crate::under::Places;
use crate::{Effort, HeldRow, Intake, MAX_COLUMNS};

const KNOWN: [&str; 9] = ["section", "team", "item", "row", "value", "unit", "plus_minus", "excluded", "note"];
const NEEDED: [&str; 4] = ["section", "team", "item", "value"];

/// A column that every file of this layout may have, in the order of [`KNOWN`].
#[derive(Clone, Copy)]
enum Field {
    Section,
    Team,
    Item,
    Row,
    Value,
    Unit,
    PlusMinus,
    Excluded,
    Note,
}

struct Columns {
    known: [Option<usize>; 9],
    /// Column of each of the protocol's keys.
    keys: Vec<Option<usize>>,
    count: usize,
}

impl Columns {
    fn of(header: &Record, protocol: &Protocol, remarks: &mut Vec<String>) -> Result<Columns, Fault> {
        if header.fields.len() > MAX_COLUMNS {
            return Err(header.fault(
                0,
                format!("the file has more than {MAX_COLUMNS} columns"),
                "hand in one reading a row, see docs/protocols.md",
            ));
        }
        if let Some(damage) = &header.damage {
            return Err(header.fault(damage.field, damage.what.clone(), damage.mend));
        }
        let names: Vec<String> =
            header.fields.iter().map(|f| f.trim().to_lowercase().replace([' ', '-'], "_")).collect();
        for (i, name) in names.iter().enumerate() {
            if !name.is_empty() && names[..i].contains(name) {
                return Err(header.fault(i, format!("the column `{name}` is there twice"), "take one of them out"));
            }
        }
        let find = |wanted: &str| names.iter().position(|n| n == wanted);
        let missing: Vec<&str> = NEEDED.into_iter().filter(|n| find(n).is_none()).collect();
        if !missing.is_empty() {
            let seen: Vec<String> =
                header.fields.iter().take(12).map(|f| f.trim().chars().take(24).collect()).collect();
            return Err(header.fault(
                0,
                format!(
                    "the first line lacks the column{} {}; it reads “{}”",
                    if missing.len() == 1 { "" } else { "s" },
                    missing.join(", "),
                    seen.join(", ")
                ),
                "begin the file with section,team,station,item,row,value,unit,plus_minus,excluded,note",
            ));
        }
        let keys: Vec<Option<usize>> = protocol.keys.iter().map(|k| find(&k.id)).collect();
        for (i, name) in names.iter().enumerate() {
            if !KNOWN.contains(&name.as_str()) && !keys.contains(&Some(i)) {
                remarks.push(format!(
                    "The column “{}” is not known to this lab and was left aside.",
                    header.fields[i].trim()
                ));
            }
        }
        Ok(Columns { known: KNOWN.map(find), keys, count: names.len() })
    }

    fn at(&self, field: Field) -> Option<usize> {
        self.known[field as usize]
    }
}

/// What is said of a row number that is higher than any the lab's table has, and than what a team may have measured beyond.
pub(crate) fn beyond(protocol: &Protocol, item: ItemId, row: u32) -> Option<(String, String)> {
    let most = protocol.most_row(item).filter(|most| row > *most)?;
    let asked = protocol.rows_of(item).unwrap_or(most);
    Some((
        format!("there is no row {row} of `{}`: the lab asks for at most {asked}", protocol.items[item].id),
        format!("write the row's own number, at most {most}"),
    ))
}

/// The stable word for an item that the lab does not have.
const UNKNOWN_ITEM: &str = "unknown-item";
/// Unknown names for which the nearest item is looked for: who sees a dozen sees what is wrong with the file.
const MOST_ADVISED: usize = 12;

/// What is wrong with a row: a stable word and the fault.
type Objection = (&'static str, Fault);

pub(crate) fn read(
    file: &Delimited<'_>,
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
) -> Result<Intake, Fault> {
    let mut records = file.records();
    let header = records.next().ok_or_else(|| Fault {
        line: 1,
        column: 1,
        what: "the file is empty".into(),
        mend: "hand in a line of column names and a line per reading".into(),
    })?;
    read_records(header, records, file, protocol, roster, effort)
}

/// Whether a first line has the names that the long layout needs.
pub(crate) fn is_canonical(header: &Record) -> bool {
    let names: Vec<String> = header.fields.iter().map(|f| f.trim().to_lowercase().replace([' ', '-'], "_")).collect();
    NEEDED.iter().all(|n| names.iter().any(|m| m == n))
}

/// Most cells of a table that room is made for before they come.
const MOST_FORESEEN: usize = 1_000;

/// The tables so far, and where each of their cells stood.
#[derive(Default)]
struct Placed {
    tables: Vec<Submission>,
    /// By section and team.
    index: HashMap<(String, String), usize>,
    /// By table: the line of each item and row. Both are the protocol's, so no file can make them collide.
    lines: Vec<FxHashMap<(ItemId, Option<NonZeroU32>), u32>>,
    /// By table: where its values stood.
    places: Vec<Places>,
    last: usize,
}

impl Placed {
    /// The table of a team; most rows belong to the one of the row before.
    fn table(&mut self, section: &str, team: &str) -> usize {
        if self.tables.get(self.last).is_some_and(|t| t.section == section && t.team == team) {
            return self.last;
        }
        self.last = *self.index.entry((section.to_owned(), team.to_owned())).or_insert_with(|| {
            // Teams hand in about as many cells as one another: ten thousand lists with half their room empty would take as
            // much again.
            let alike = self.tables.last().map_or(0, |t| t.cells.len().min(MOST_FORESEEN));
            self.tables.push(Submission {
                section: section.to_owned(),
                team: team.to_owned(),
                cells: Vec::with_capacity(alike),
                ..Submission::default()
            });
            self.lines.push(FxHashMap::with_capacity_and_hasher(alike, FxBuildHasher));
            self.places.push(Places::with_room(alike));
            self.tables.len() - 1
        });
        self.last
    }
}

/// Reads records under a header of the long layout's names.
pub(crate) fn read_records(
    header: Record,
    records: impl Iterator<Item = Record>,
    file: &Delimited<'_>,
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
) -> Result<Intake, Fault> {
    let mut out = Intake::default();
    let columns = Columns::of(&header, protocol, &mut out.remarks)?;
    if file.separator != b',' {
        out.remarks.push(format!("Columns are parted by a {}.", file.separator_name()));
    }
    let (mut placed, mut advice) = (Placed::default(), HashMap::new());
    for record in records {
        out.rows += 1;
        effort.step(4)?;
        if out.rows > effort.limits.rows {
            return Err(record.fault(
                0,
                format!("the file has more than {} rows", effort.limits.rows),
                "hand in one section at a time",
            ));
        }
        let reader = Row { record: &record, columns: &columns, protocol, roster };
        match reader.read(&mut placed) {
            Ok(()) => {}
            Err((code, mut fault)) => {
                effort.hold(record.line)?;
                if code == UNKNOWN_ITEM {
                    let name = reader.field(Field::Item);
                    if let Some(known) = advice.get(name) {
                        fault.mend.clone_from(known);
                    } else if advice.len() < MOST_ADVISED {
                        fault.mend = nearest(protocol, name);
                        advice.insert(name.to_owned(), fault.mend.clone());
                    }
                }
                let whose = (reader.field(Field::Section).to_owned(), reader.field(Field::Team).to_owned());
                out.held.push(HeldRow { code, fault, text: record.text(), whose });
            }
        }
    }
    effort.ask()?;
    if out.rows == 0 {
        return Err(header.fault(0, "the file has column names and no rows", "add a line per reading"));
    }
    // A table whose every row was held is none.
    let filled = placed.tables.into_iter().zip(placed.places).filter(|(t, _)| !t.cells.is_empty());
    (out.tables, out.places) = filled.unzip();
    Ok(out.count_waiting())
}

struct Row<'a> {
    record: &'a Record,
    columns: &'a Columns,
    protocol: &'a Protocol,
    roster: Option<&'a Roster>,
}

impl Row<'_> {
    fn field(&self, field: Field) -> &str {
        self.columns.at(field).and_then(|c| self.record.fields.get(c)).map_or("", |f| f.trim())
    }

    fn object(&self, field: Field, code: &'static str, what: impl Into<String>, mend: impl Into<String>) -> Objection {
        (code, self.record.fault(self.columns.at(field).unwrap_or(0), what, mend))
    }

    fn read(&self, placed: &mut Placed) -> Result<(), Objection> {
        if let Some(d) = &self.record.damage {
            return Err((d.code, self.record.fault(d.field, d.what.clone(), d.mend)));
        }
        if self.record.fields.len() > self.columns.count {
            let what = format!(
                "the row has {} cells, the first line {} columns",
                self.record.fields.len(),
                self.columns.count
            );
            return Err((
                "columns",
                self.record.fault(self.columns.count, what, "put a cell that holds the separator in quotes"),
            ));
        }
        let (section, team) = (self.field(Field::Section), self.field(Field::Team));
        for (field, name, text) in [(Field::Section, "section", section), (Field::Team, "team", team)] {
            if text.is_empty() {
                return Err(self.object(
                    field,
                    "no-name",
                    format!("the row names no {name}"),
                    format!("write its {name}"),
                ));
            }
        }
        if let Some((code, what, mend)) = self.roster.and_then(|r| r.objection(section, team)) {
            let of_team = matches!(code, "unknown-team" | "unseen-in-team");
            let column = if of_team { Field::Team } else { Field::Section };
            return Err(self.object(column, code, what, mend));
        }
        let (item, row) = self.item()?;
        let table = placed.table(section, team);
        let keys = self.keys(&mut placed.tables[table], item)?;
        // There is one such entry a cell of the file, so they are small.
        let place = (item, row.and_then(NonZeroU32::new));
        if let Some(first) = placed.lines[table].get(&place) {
            let id = &self.protocol.items[item].id;
            let at = row.map_or_else(String::new, |r| format!(", row {r}"));
            return Err(self.object(
                Field::Item,
                "duplicate",
                format!("`{id}`{at} of {team} is already on line {first}"),
                "keep the right one of the two",
            ));
        }
        placed.lines[table].insert(place, self.record.line as u32);
        let column = self.record.value_at.or(self.columns.at(Field::Value)).unwrap_or(0);
        placed.places[table].put(self.record.line, column, item, row);
        // Values keep every character but the blanks around them.
        placed.tables[table].cells.push(SubmittedCell {
            by_person: false,
            item: self.protocol.items[item].id.clone(),
            row,
            keys,
            value: self.field(Field::Value).to_owned(),
            unit: self.field(Field::Unit).to_owned(),
            plus_minus: self.field(Field::PlusMinus).to_owned(),
            excluded: self.field(Field::Excluded).to_owned(),
            note: self.field(Field::Note).to_owned(),
        });
        Ok(())
    }

    fn item(&self) -> Result<(ItemId, Option<u32>), Objection> {
        let name = self.field(Field::Item);
        if name.is_empty() {
            return Err(self.object(
                Field::Item,
                "no-item",
                "the row names no item",
                "write the id of a reading or result",
            ));
        }
        let item = self.protocol.item(name).filter(|i| self.protocol.is_typed(*i));
        let Some(item) = item else {
            return Err(self.object(
                Field::Item,
                UNKNOWN_ITEM,
                format!("`{name}` is no reading or result of {}", self.protocol.title),
                "write the id of a reading or result as the lab’s data sheet has it",
            ));
        };
        let text = self.field(Field::Row);
        let row = if text.is_empty() {
            None
        } else {
            match text.parse::<u32>() {
                Ok(n) if (1..=10_000).contains(&n) => Some(n),
                _ => {
                    return Err(self.object(
                        Field::Row,
                        "row",
                        format!("`{text}` is no row number"),
                        "write 1, 2, 3 … or leave it blank",
                    ));
                }
            }
        };
        match (self.protocol.rows_of(item), row) {
            (Some(_), None) => Err(self.object(
                Field::Row,
                "row",
                format!("`{name}` is taken several times and the row has no number"),
                "write 1 for the first, 2 for the second",
            )),
            (None, Some(n)) if n > 1 => Err(self.object(
                Field::Row,
                "row",
                format!("`{name}` is taken once; there is no row {n}"),
                "leave the row number blank",
            )),
            (None, _) => Ok((item, None)),
            (Some(_), Some(n)) => match beyond(self.protocol, item, n) {
                Some((what, mend)) => Err(self.object(Field::Row, "row-beyond", what, mend)),
                None => Ok((item, row)),
            },
        }
    }

    /// Settles the table's keys; gives those that belong to this row of one of its tables.
    fn keys(&self, table: &mut Submission, item: ItemId) -> Result<BTreeMap<String, String>, Objection> {
        let mut of_row = BTreeMap::new();
        for (k, (key, column)) in self.protocol.keys.iter().zip(&self.columns.keys).enumerate() {
            let Some(column) = *column else { continue };
            let value = self.record.fields.get(column).map_or("", |f| f.trim());
            if value.is_empty() {
                continue;
            }
            if !key.values.iter().any(|v| v == value) {
                let fault = self.record.fault(
                    column,
                    format!("there is no {} `{value}`", key.title.to_lowercase()),
                    format!("it may be {}", key.values.join(", ")),
                );
                return Err(("unknown-key", fault));
            }
            if self.protocol.tables.iter().any(|t| t.key == Some(k)) {
                if self.protocol.row_key(item) == Some(k) {
                    of_row.insert(key.id.clone(), value.to_owned());
                }
                continue;
            }
            match table.keys.get(&key.id) {
                Some(first) if first != value => {
                    let fault = self.record.fault(
                        column,
                        format!("{} {value} here, {first} in the rows before", key.title.to_lowercase()),
                        "a table belongs to one; hand in the right one",
                    );
                    return Err(("mixed-key", fault));
                }
                Some(_) => {}
                None => {
                    table.keys.insert(key.id.clone(), value.to_owned());
                }
            }
        }
        Ok(of_row)
    }
}

/// The nearest known id, or the list of them.
fn nearest(protocol: &Protocol, name: &str) -> String {
    let ids = ItemId::with(&protocol.items).filter(|(i, _)| protocol.is_typed(*i)).map(|(_, it)| it.id.as_str());
    // Words are compared by their first forty letters: the time is bounded, whatever is written.
    let plain = |s: &str| s.to_lowercase().replace([' ', '-', '_'], "").chars().take(40).collect::<String>();
    let name = plain(name);
    let best = ids.clone().map(|id| (strsim::levenshtein(&plain(id), &name), id)).min();
    match best {
        Some((d, id)) if d <= 3 => format!("did you mean `{id}`?"),
        _ => format!("it may be {}", ids.collect::<Vec<_>>().join(", ")),
    }
}
