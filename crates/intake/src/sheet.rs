//! The data sheet a team fills in: readings one line an item with its replicates side by side, tables row by row below.
//! Written as an empty template and read back, whatever the file format; what a filled sheet holds comes back
//! unchanged, also after rows were moved and columns of one's own added.

use jurado_core::error::Fault;
use jurado_core::notation;
use jurado_core::protocol::{ItemId, ItemKind, Protocol, ReadingKind, RowCount, TableId};
use jurado_core::submission::{Submission, SubmittedCell};
use rustc_hash::FxHashSet;

use crate::csv_long::beyond;
use crate::delimited::{Delimited, Record};
use crate::roster::Roster;
use crate::under::Places;
use crate::{Effort, HeldRow, Intake};

/// First word of a sheet.
const MARK: &str = "data sheet";
const TAIL: [&str; 3] = ["plus_minus", "excluded", "note"];
/// Rows that a template gives a table which may have more.
const ROOM: u32 = 30;

/// Lines of fields, as they stand in a file of any format.
pub(crate) type Grid = Vec<Vec<String>>;

/// Whether a file is a filled sheet.
pub(crate) fn is_sheet(file: &Delimited<'_>) -> bool {
    file.records().next().is_some_and(|r| marks_record(&r))
}

/// Whether a first line is that of a filled sheet.
pub(crate) fn marks_record(first: &Record) -> bool {
    first.fields.get(0).is_some_and(|f| f.trim().eq_ignore_ascii_case(MARK))
}

/// Whether a grid is a filled sheet.
pub(crate) fn marks_sheet(grid: &[Vec<String>]) -> bool {
    grid.iter().find(|r| r.iter().any(|f| !f.trim().is_empty())).is_some_and(|r| r[0].trim().eq_ignore_ascii_case(MARK))
}

/// The sheet of a protocol as CSV: empty, or filled with a submission.
pub fn write_sheet(protocol: &Protocol, filled: Option<&Submission>) -> String {
    to_csv(&lay_out(protocol, filled))
}

/// A grid as CSV.
pub(crate) fn to_csv(grid: &[Vec<String>]) -> String {
    let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    for line in grid {
        // Writing to memory cannot fail.
        let _ = writer.write_record(line);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// How far a reading is read, for the person who fills it in.
fn hint(protocol: &Protocol, index: ItemId) -> String {
    let item = &protocol.items[index];
    if let Some(words) = &item.words {
        return words.join(" / ");
    }
    let Some(spec) = protocol.reading_of(index) else { return String::new() };
    match &spec.kind {
        ReadingKind::Count => "count".to_owned(),
        ReadingKind::Setting(list) if !list.is_empty() => {
            list.iter().map(|v| format!("{v}")).collect::<Vec<_>>().join(" / ")
        }
        _ => {
            let estimated = spec.instrument.is_some_and(|i| protocol.instruments[i].estimated);
            protocol
                .step(spec)
                .map(|s| format!("to {}", notation::figures(if estimated { s / 10.0 } else { s }, 2)))
                .unwrap_or_default()
        }
    }
}

/// The layout of a sheet, line by line.
pub(crate) fn lay_out(protocol: &Protocol, filled: Option<&Submission>) -> Grid {
    let mut out: Grid = Vec::new();
    let text = |s: &str| s.to_owned();
    out.push(vec![
        text(MARK),
        protocol.id.clone(),
        protocol.title.clone(),
        text("version"),
        protocol.version.to_string(),
    ]);
    out.push(vec![text("section"), filled.map_or_else(String::new, |s| s.section.clone())]);
    out.push(vec![text("team"), filled.map_or_else(String::new, |s| s.team.clone())]);
    let of_rows = |k: usize| protocol.tables.iter().any(|t| t.key == Some(k));
    for (_, key) in protocol.keys.iter().enumerate().filter(|(k, _)| !of_rows(*k)) {
        let value = filled.and_then(|s| s.keys.get(&key.id)).cloned().unwrap_or_default();
        out.push(vec![key.id.clone(), value, format!("{}: {}", key.title, key.values.join(", "))]);
    }
    let single: Vec<ItemId> =
        ItemId::each(&protocol.items).filter(|i| protocol.is_typed(*i) && protocol.table_of(*i).is_none()).collect();
    let cells_of =
        |id: &str| -> Vec<&SubmittedCell> { filled.iter().flat_map(|s| &s.cells).filter(|c| c.item == id).collect() };
    let asked = single.iter().filter_map(|i| protocol.rows_of(*i)).max().unwrap_or(1).min(100);
    let written = single.iter().flat_map(|i| cells_of(&protocol.items[*i].id)).filter_map(|c| c.row).max().unwrap_or(1);
    let columns = asked.max(written);
    let mut header = vec![text("item"), text("what"), text("unit")];
    header.extend((1..=columns).map(|n| n.to_string()));
    header.extend(TAIL.map(str::to_owned));
    header.push(text("hint"));
    out.push(header);
    for index in single {
        let item = &protocol.items[index];
        let cells = cells_of(&item.id);
        let unit = match (filled, cells.first()) {
            (Some(_), Some(c)) => c.unit.clone(),
            _ => shown_unit(protocol, index),
        };
        let mut line = vec![item.id.clone(), item.title.clone(), unit];
        for n in 1..=columns {
            let cell = cells.iter().find(|c| c.row.unwrap_or(1) == n);
            line.push(cell.map_or_else(String::new, |c| c.value.clone()));
        }
        let rows = protocol.rows_of(index).is_some();
        line.push(cells.iter().map(|c| c.plus_minus.as_str()).find(|t| !t.is_empty()).unwrap_or_default().to_owned());
        line.push(join_rows(&cells, rows, |c| &c.excluded));
        line.push(join_rows(&cells, rows, |c| &c.note));
        line.push(hint(protocol, index));
        out.push(line);
    }
    for t in TableId::each(&protocol.tables) {
        table_block(protocol, t, filled, &mut out);
    }
    out
}

/// A pure number is shown without a unit.
fn shown_unit(protocol: &Protocol, index: ItemId) -> String {
    let unit = &protocol.items[index].unit.text;
    if unit == "1" { String::new() } else { unit.clone() }
}

fn table_block(protocol: &Protocol, t: TableId, filled: Option<&Submission>, out: &mut Grid) {
    let table = &protocol.tables[t];
    let items: Vec<ItemId> =
        ItemId::each(&protocol.items).filter(|i| protocol.is_typed(*i) && protocol.table_of(*i) == Some(t)).collect();
    let cells: Vec<&SubmittedCell> = filled
        .iter()
        .flat_map(|s| &s.cells)
        .filter(|c| protocol.item(&c.item).is_some_and(|i| items.contains(&i)))
        .collect();
    let stated = |i: ItemId| matches!(protocol.items[i].kind, ItemKind::Result(r) if protocol.results[r].plus_minus);
    let with_plus_minus: Vec<ItemId> = items
        .iter()
        .copied()
        .filter(|i| stated(*i) || cells.iter().any(|c| c.item == protocol.items[*i].id && !c.plus_minus.is_empty()))
        .collect();
    let key = table.key.map(|k| &protocol.keys[k]);
    out.push(Vec::new());
    out.push(vec!["table".to_owned(), table.id.clone(), table.title.clone()]);
    let mut lines: [Vec<String>; 4] = ["row", "what", "unit", "hint"].map(|w| vec![w.to_owned()]);
    if let Some(key) = key {
        for (line, text) in
            lines.iter_mut().zip([key.id.clone(), key.title.clone(), String::new(), key.values.join(", ")])
        {
            line.push(text);
        }
    }
    for i in &items {
        let item = &protocol.items[*i];
        let unit =
            cells.iter().find(|c| c.item == item.id).map_or_else(|| shown_unit(protocol, *i), |c| c.unit.clone());
        for (line, text) in lines.iter_mut().zip([item.id.clone(), item.title.clone(), unit, hint(protocol, *i)]) {
            line.push(text);
        }
        if with_plus_minus.contains(i) {
            for (line, text) in
                lines.iter_mut().zip([format!("{} plus_minus", item.id), "±".into(), String::new(), String::new()])
            {
                line.push(text);
            }
        }
    }
    lines[0].extend(["excluded".to_owned(), "note".to_owned()]);
    out.extend(lines);
    let asked = match table.rows {
        RowCount::Fixed(n) => n,
        RowCount::Between(least, most) => most.min(least.max(ROOM)),
        RowCount::Parameter(p) => match protocol.items[p].kind {
            ItemKind::Parameter(n) => protocol.parameters[n].value.clamp(1.0, 1000.0) as u32,
            _ => 1,
        },
    };
    let last = cells.iter().filter_map(|c| c.row).max().unwrap_or(0);
    for n in 1..=if filled.is_some() { last } else { asked } {
        let here: Vec<&SubmittedCell> = cells.iter().copied().filter(|c| c.row == Some(n)).collect();
        let cell = |i: ItemId| here.iter().find(|c| c.item == protocol.items[i].id);
        let mut line = vec![n.to_string()];
        if let Some(key) = key {
            line.push(here.iter().find_map(|c| c.keys.get(&key.id)).cloned().unwrap_or_default());
        }
        for i in &items {
            line.push(cell(*i).map_or_else(String::new, |c| c.value.clone()));
            if with_plus_minus.contains(i) {
                line.push(cell(*i).map_or_else(String::new, |c| c.plus_minus.clone()));
            }
        }
        line.push(join_items(&here, |c| &c.excluded));
        line.push(join_items(&here, |c| &c.note));
        out.push(line);
    }
}

/// `4: off centre; 5: slipped` for replicates, the bare text for a single reading.
fn join_rows(cells: &[&SubmittedCell], rows: bool, text: impl Fn(&SubmittedCell) -> &String) -> String {
    cells
        .iter()
        .filter(|c| !text(c).is_empty())
        .map(|c| if rows { format!("{}: {}", c.row.unwrap_or(1), text(c).replace(';', ",")) } else { text(c).clone() })
        .collect::<Vec<_>>()
        .join("; ")
}

/// `ph: still rising; volume: bubble` for a row of a table.
fn join_items(cells: &[&SubmittedCell], text: impl Fn(&SubmittedCell) -> &String) -> String {
    cells
        .iter()
        .filter(|c| !text(c).is_empty())
        .map(|c| format!("{}: {}", c.item, text(c).replace(';', ",")))
        .collect::<Vec<_>>()
        .join("; ")
}

fn of_row(joined: &str, row: Option<u32>) -> String {
    let Some(row) = row else { return joined.trim().to_owned() };
    joined
        .split(';')
        .filter_map(|part| part.split_once(':'))
        .find(|(n, _)| n.trim().parse() == Ok(row))
        .map_or_else(String::new, |(_, text)| text.trim().to_owned())
}

/// The part of a row's remark that belongs to an item: named, or, where nothing of the table is named, all of it.
fn of_item(joined: &str, id: &str, items: &[String]) -> String {
    let named = |part: &str| part.split_once(':').map(|(n, t)| (n.trim().to_owned(), t.trim().to_owned()));
    let parts: Vec<(String, String)> = joined.split(';').filter_map(named).filter(|(n, _)| items.contains(n)).collect();
    if parts.is_empty() {
        return joined.trim().to_owned();
    }
    parts.into_iter().find(|(n, _)| n == id).map_or_else(String::new, |(_, t)| t)
}

/// Where in a sheet a line stands.
enum Part {
    /// Above the readings.
    Head,
    /// Among the readings; the names of its columns.
    Items(Vec<String>),
    /// In a table that was named and whose columns are not yet; `None` where the lab has no such table, so that its rows are
    /// not taken for another's.
    TableHead(Option<TableId>),
    /// In the rows of a table: names of columns, units by column, rows so far.
    Table { table: Option<TableId>, header: Vec<String>, units: Vec<String>, rows: u32 },
}

struct Reader<'a> {
    protocol: &'a Protocol,
    out: Intake,
    table: Submission,
    places: Places,
    seen_header: bool,
    /// Items that a line was there for, and rows of tables.
    seen: FxHashSet<ItemId>,
    seen_rows: FxHashSet<(TableId, u32)>,
}

/// Most remarks on one sheet.
const MOST_REMARKS: usize = 40;

/// Reads a filled sheet: one table. `own` are the section and team of a sheet that names none; empty where it has to.
pub(crate) fn read(
    file: &Delimited<'_>,
    protocol: &Protocol,
    roster: Option<&Roster>,
    own: (&str, &str),
    effort: &Effort,
) -> Result<Intake, Fault> {
    let mut reader = Reader {
        protocol,
        out: Intake::default(),
        table: Submission::default(),
        places: Places::default(),
        seen_header: false,
        seen: FxHashSet::default(),
        seen_rows: FxHashSet::default(),
    };
    let mut part = Part::Head;
    for record in file.records() {
        effort.step(8)?;
        let held = reader.out.held.len();
        if let Some(d) = &record.damage {
            reader.out.held.push(HeldRow {
                code: d.code,
                fault: record.fault(d.field, d.what.clone(), d.mend),
                text: record.text(),
                whose: (reader.table.section.clone(), reader.table.team.clone()),
            });
            effort.hold(record.line)?;
            continue;
        }
        part = reader.line(&record, part)?;
        for _ in held..reader.out.held.len() {
            effort.hold(record.line)?;
        }
    }
    let Reader { mut out, mut table, places, seen_header, .. } = reader;
    for (name, own) in [(&mut table.section, own.0), (&mut table.team, own.1)] {
        if name.is_empty() {
            own.clone_into(name);
        }
    }
    let missing = |what: String, mend: String| Fault { line: 1, column: 1, what, mend };
    for (name, text) in [("section", &table.section), ("team", &table.team)] {
        if text.is_empty() {
            return Err(missing(format!("the sheet names no {name}"), format!("write it beside `{name}` at the top")));
        }
    }
    if !seen_header {
        return Err(missing("the sheet has no line that begins with `item`".into(), "use the lab’s template".into()));
    }
    if let Some((_, what, mend)) = roster.and_then(|r| r.objection(&table.section, &table.team)) {
        return Err(Fault { line: 2, column: 1, what, mend });
    }
    if !table.cells.is_empty() {
        out.tables.push(table);
        out.places.push(places);
    }
    Ok(out.count_waiting())
}

impl Reader<'_> {
    fn line(&mut self, record: &Record, part: Part) -> Result<Part, Fault> {
        let field = |n: usize| record.fields.get(n).map_or("", |f| f.trim());
        let names = || record.fields.iter().map(|f| f.trim().to_owned()).collect::<Vec<String>>();
        let first = field(0).to_lowercase();
        if first == "table" {
            self.seen_header = true;
            return match self.protocol.table(field(1)) {
                Some(t) => Ok(Part::TableHead(Some(t))),
                None => {
                    self.hold(
                        record,
                        1,
                        "unknown-table",
                        format!("there is no table `{}`", field(1)),
                        "use the lab’s template",
                    );
                    Ok(Part::TableHead(None))
                }
            };
        }
        match part {
            Part::Head if first == "item" => {
                self.seen_header = true;
                let header: Vec<String> = names().iter().map(|n| n.to_lowercase()).collect();
                self.own_columns(&header, |n| {
                    n.parse::<u32>().is_ok() || TAIL.contains(&n) || ["item", "what", "unit", "hint", ""].contains(&n)
                });
                Ok(Part::Items(header))
            }
            Part::Head => self.head(record).map(|()| Part::Head),
            Part::Items(header) => {
                self.out.rows += 1;
                self.item_line(record, &header);
                Ok(Part::Items(header))
            }
            Part::TableHead(t) if first == "row" => {
                let header = names();
                if let Some(t) = t {
                    let key = self.protocol.tables[t].key.map(|k| self.protocol.keys[k].id.clone());
                    let known = |n: &str| {
                        let id = n.strip_suffix(" plus_minus").unwrap_or(n);
                        ["row", "excluded", "note", ""].contains(&n)
                            || key.as_deref() == Some(n)
                            || self.protocol.item(id).is_some_and(|i| self.protocol.table_of(i) == Some(t))
                    };
                    let unknown: Vec<String> = header.iter().filter(|n| !known(n)).cloned().collect();
                    self.aside(&unknown);
                }
                Ok(Part::Table { table: t, header, units: Vec::new(), rows: 0 })
            }
            Part::TableHead(t) => {
                self.hold(
                    record,
                    0,
                    "table",
                    "a table begins with a line of column names".into(),
                    "use the lab’s template",
                );
                Ok(Part::TableHead(t))
            }
            Part::Table { table, header, mut units, mut rows } => {
                match (first.as_str(), table) {
                    ("unit", _) => units = names(),
                    ("what" | "hint", _) => {}
                    (_, None) => {
                        self.hold(
                            record,
                            0,
                            "unknown-table",
                            "this row belongs to a table that the lab has not".into(),
                            "use the lab’s template",
                        );
                    }
                    (_, Some(table)) => {
                        self.out.rows += 1;
                        rows = if first.is_empty() { rows + 1 } else { first.parse().unwrap_or(0) };
                        let first_item = header.iter().find_map(|h| self.protocol.item(h));
                        if rows == 0 {
                            self.hold(record, 0, "row", format!("`{}` is no row", field(0)), "number the rows from 1");
                        } else if let Some((what, mend)) = first_item.and_then(|i| beyond(self.protocol, i, rows)) {
                            self.hold(record, 0, "row-beyond", what, &mend);
                        } else {
                            self.table_line(record, table, &header, &units, rows);
                        }
                    }
                }
                Ok(Part::Table { table, header, units, rows })
            }
        }
    }

    fn hold(&mut self, record: &Record, at: usize, code: &'static str, what: String, mend: &str) {
        let whose = (self.table.section.clone(), self.table.team.clone());
        self.out.held.push(HeldRow { code, fault: record.fault(at, what, mend), text: record.text(), whose });
    }

    fn own_columns(&mut self, header: &[String], known: impl Fn(&str) -> bool) {
        let unknown: Vec<String> = header.iter().filter(|n| !known(n)).cloned().collect();
        self.aside(&unknown);
    }

    fn aside(&mut self, unknown: &[String]) {
        for name in unknown {
            self.remark(format!("The column “{name}” is not the lab's and was left aside."));
        }
    }

    /// Whoever reads some dozens of remarks knows that it is another sheet.
    fn remark(&mut self, text: String) {
        if self.out.remarks.len() < MOST_REMARKS {
            self.out.remarks.push(text);
        }
    }

    fn head(&mut self, record: &Record) -> Result<(), Fault> {
        let protocol = self.protocol;
        let field = |n: usize| record.fields.get(n).map_or("", |f| f.trim());
        match field(0).to_lowercase().as_str() {
            MARK if field(1) != protocol.id => {
                return Err(record.fault(
                    1,
                    format!("this sheet is of the lab `{}`, not of `{}`", field(1), protocol.id),
                    "hand it in under its own lab",
                ));
            }
            MARK => {
                let version = field(4).parse::<u32>().ok().filter(|v| *v != protocol.version);
                if let Some(v) = version {
                    self.remark(format!(
                        "The sheet is of version {v} of the lab, which is now at version {}: what the lab no longer has is held, what is new is missing.",
                        protocol.version
                    ));
                }
            }
            "section" => self.table.section = field(1).to_owned(),
            "team" => self.table.team = field(1).to_owned(),
            name => match protocol.keys.iter().find(|k| k.id.to_lowercase() == name) {
                Some(key) if field(1).is_empty() || key.values.iter().any(|v| v == field(1)) => {
                    if !field(1).is_empty() {
                        self.table.keys.insert(key.id.clone(), field(1).to_owned());
                    }
                }
                Some(key) => {
                    return Err(record.fault(
                        1,
                        format!("there is no {} `{}`", key.title.to_lowercase(), field(1)),
                        format!("it may be {}", key.values.join(", ")),
                    ));
                }
                None => self.remark(format!("The line “{}” was left aside.", record.text())),
            },
        }
        Ok(())
    }

    fn item_line(&mut self, record: &Record, header: &[String]) {
        let protocol = self.protocol;
        let field = |n: usize| record.fields.get(n).map_or("", |f| f.trim());
        let named = |name: &str| header.iter().position(|h| h == name).map_or("", field);
        let Some(item) = protocol.item(field(0)).filter(|i| protocol.is_typed(*i) && protocol.table_of(*i).is_none())
        else {
            let what = format!("`{}` is no reading or result of {}", field(0), protocol.title);
            return self.hold(record, 0, "unknown-item", what, "use the ids of the lab’s template");
        };
        if self.table.cells.iter().any(|c| c.item == field(0)) {
            let what = format!("`{}` is there twice", field(0));
            return self.hold(record, 0, "duplicate", what, "keep the right one of the two");
        }
        let first_of_it = self.seen.insert(item);
        let numbers = || header.iter().enumerate().filter(|(_, name)| name.parse::<u32>().is_ok());
        if !first_of_it && numbers().all(|(n, _)| field(n).is_empty()) {
            return;
        }
        let rows = protocol.rows_of(item);
        let mut first = true;
        for (n, name) in header.iter().enumerate() {
            let Ok(row) = name.parse::<u32>() else { continue };
            let value = field(n);
            let row = match rows {
                Some(_) => {
                    if let Some((what, mend)) = beyond(protocol, item, row).filter(|_| !value.is_empty()) {
                        self.hold(record, n, "row-beyond", what, &mend);
                        continue;
                    }
                    Some(row)
                }
                None if row == 1 => None,
                None if value.is_empty() => continue,
                None => {
                    let what = format!("`{}` is taken once; there is no row {row}", field(0));
                    self.hold(record, n, "row", what, "leave the further cells empty");
                    continue;
                }
            };
            // A formula may stand in a cell that shows nothing.
            self.places.put(record.line, n, item, row);
            if value.is_empty() {
                continue;
            }
            self.table.cells.push(SubmittedCell {
                by_person: false,
                item: field(0).to_owned(),
                row,
                keys: Default::default(),
                value: value.to_owned(),
                unit: named("unit").to_owned(),
                plus_minus: if first { named("plus_minus").to_owned() } else { String::new() },
                excluded: of_row(named("excluded"), row),
                note: of_row(named("note"), row),
            });
            first = false;
        }
    }

    fn table_line(&mut self, record: &Record, t: TableId, header: &[String], units: &[String], row: u32) {
        let protocol = self.protocol;
        let field = |n: usize| record.fields.get(n).map_or("", |f| f.trim());
        let named = |name: &str| header.iter().position(|h| h == name).map_or("", field);
        let mut items: Vec<String> = Vec::new();
        for name in header {
            let mine = protocol.item(name).is_some_and(|i| protocol.is_typed(i) && protocol.table_of(i) == Some(t));
            if mine && !items.contains(name) {
                items.push(name.clone());
            }
        }
        if header.iter().enumerate().skip(1).all(|(n, _)| field(n).is_empty()) {
            return;
        }
        if self.table.cells.iter().any(|c| c.row == Some(row) && items.contains(&c.item)) {
            let what = format!("row {row} is there twice");
            return self.hold(record, 0, "duplicate", what, "number the rows from 1, each once");
        }
        let first_of_it = self.seen_rows.insert((t, row));
        let at = |id: &String| header.iter().position(|h| h == id).unwrap_or(0);
        if !first_of_it && items.iter().all(|id| field(at(id)).is_empty()) {
            return;
        }
        let mut keys = std::collections::BTreeMap::new();
        if let Some(key) = protocol.tables[t].key.map(|k| &protocol.keys[k]) {
            let value = named(&key.id);
            if key.values.iter().any(|v| v == value) {
                keys.insert(key.id.clone(), value.to_owned());
            } else if !value.is_empty() {
                let at = header.iter().position(|h| *h == key.id).unwrap_or(0);
                let what = format!("there is no {} `{value}`", key.title.to_lowercase());
                self.hold(record, at, "unknown-key", what, &format!("it may be {}", key.values.join(", ")));
            }
        }
        for id in &items {
            let at = at(id);
            let value = field(at);
            if let Some(item) = protocol.item(id) {
                self.places.put(record.line, at, item, Some(row));
            }
            if value.is_empty() {
                continue;
            }
            self.table.cells.push(SubmittedCell {
                by_person: false,
                item: id.clone(),
                row: Some(row),
                keys: keys.clone(),
                value: value.to_owned(),
                unit: units.get(at).map_or_else(String::new, |u| u.trim().to_owned()),
                plus_minus: named(&format!("{id} plus_minus")).to_owned(),
                excluded: of_item(named("excluded"), id, &items),
                note: of_item(named("note"), id, &items),
            });
        }
    }
}
