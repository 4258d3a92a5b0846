//! The data sheet a team fills in: one line an item, replicates side by side. Written as an empty template and read
//! back; what a filled sheet holds comes back unchanged.

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::{Submission, SubmittedCell};

use crate::delimited::{Delimited, Record};
use crate::roster::Roster;
use crate::{HeldRow, Intake};

/// First word of a sheet.
const MARK: &str = "data sheet";
const TAIL: [&str; 3] = ["plus_minus", "excluded", "note"];

/// Whether a file is a filled sheet.
pub(crate) fn is_sheet(file: &Delimited<'_>) -> bool {
    file.records().next().is_some_and(|r| r.fields.first().is_some_and(|f| f.trim().eq_ignore_ascii_case(MARK)))
}

/// The sheet of a protocol as CSV: empty, or filled with a submission.
pub fn write_sheet(protocol: &Protocol, filled: Option<&Submission>) -> String {
    let asked = (0..protocol.items.len()).filter_map(|i| protocol.rows_of(i)).max().unwrap_or(1).min(100);
    let written = filled.iter().flat_map(|s| &s.cells).filter_map(|c| c.row).max().unwrap_or(1);
    let columns = asked.max(written);
    let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    let mut write = |fields: Vec<String>| {
        // Writing to memory cannot fail.
        let _ = writer.write_record(&fields);
    };
    let text = |s: &str| s.to_owned();
    write(vec![text(MARK), protocol.id.clone(), protocol.title.clone()]);
    write(vec![text("section"), filled.map_or_else(String::new, |s| s.section.clone())]);
    write(vec![text("team"), filled.map_or_else(String::new, |s| s.team.clone())]);
    let of_rows = |k: usize| protocol.tables.iter().position(|t| t.key == Some(k));
    for (_, key) in protocol.keys.iter().enumerate().filter(|(k, _)| of_rows(*k).is_none()) {
        let value = filled.and_then(|s| s.keys.get(&key.id)).cloned().unwrap_or_default();
        write(vec![key.id.clone(), value]);
    }
    let mut header = vec![text("item"), text("what"), text("unit")];
    header.extend((1..=columns).map(|n| n.to_string()));
    header.extend(TAIL.map(str::to_owned));
    write(header);
    for (k, key) in protocol.keys.iter().enumerate() {
        let Some(t) = of_rows(k) else { continue };
        let mut line = vec![key.id.clone(), key.title.clone(), String::new()];
        for n in 1..=columns {
            let of_row = filled
                .iter()
                .flat_map(|s| &s.cells)
                .filter(|c| c.row == Some(n) && protocol.item(&c.item).and_then(|i| protocol.table_of(i)) == Some(t))
                .find_map(|c| c.keys.get(&key.id));
            line.push(of_row.cloned().unwrap_or_default());
        }
        write(line);
    }
    for (index, item) in protocol.items.iter().enumerate() {
        if !protocol.is_typed(index) {
            continue;
        }
        let rows = protocol.rows_of(index);
        let cells: Vec<&SubmittedCell> = filled.iter().flat_map(|s| &s.cells).filter(|c| c.item == item.id).collect();
        let unit = match (filled, cells.first()) {
            (Some(_), Some(c)) => c.unit.clone(),
            _ => item.unit.text.clone(),
        };
        let mut line = vec![item.id.clone(), item.title.clone(), unit];
        for n in 1..=columns {
            let cell = cells.iter().find(|c| c.row.unwrap_or(1) == n);
            line.push(cell.map_or_else(String::new, |c| c.value.clone()));
        }
        line.push(cells.iter().map(|c| c.plus_minus.as_str()).find(|t| !t.is_empty()).unwrap_or_default().to_owned());
        line.push(join_rows(&cells, rows.is_some(), |c| &c.excluded));
        line.push(join_rows(&cells, rows.is_some(), |c| &c.note));
        write(line);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
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

fn of_row(joined: &str, row: Option<u32>) -> String {
    let Some(row) = row else { return joined.trim().to_owned() };
    joined
        .split(';')
        .filter_map(|part| part.split_once(':'))
        .find(|(n, _)| n.trim().parse() == Ok(row))
        .map_or_else(String::new, |(_, text)| text.trim().to_owned())
}

/// Reads a filled sheet: one table.
pub(crate) fn read(file: &Delimited<'_>, protocol: &Protocol, roster: Option<&Roster>) -> Result<Intake, Fault> {
    let mut out = Intake::default();
    let mut table = Submission::default();
    let mut columns: Option<Vec<String>> = None;
    let mut row_keys: Vec<(usize, u32, String)> = Vec::new();
    for record in file.records() {
        let field = |n: usize| record.fields.get(n).map_or("", |f| f.trim());
        if let Some(d) = &record.damage {
            out.held.push(HeldRow {
                code: d.code,
                fault: record.fault(d.field, d.what.clone(), d.mend),
                text: record.text(),
            });
            continue;
        }
        let Some(header) = &columns else {
            match field(0).to_lowercase().as_str() {
                MARK if field(1) != protocol.id => {
                    return Err(record.fault(
                        1,
                        format!("this sheet is of the lab `{}`, not of `{}`", field(1), protocol.id),
                        "hand it in under its own lab",
                    ));
                }
                MARK => {}
                "section" => table.section = field(1).to_owned(),
                "team" => table.team = field(1).to_owned(),
                "item" => columns = Some(record.fields.iter().map(|f| f.trim().to_lowercase()).collect()),
                name => match protocol.keys.iter().find(|k| k.id == name) {
                    Some(key) if field(1).is_empty() || key.values.iter().any(|v| v == field(1)) => {
                        if !field(1).is_empty() {
                            table.keys.insert(key.id.clone(), field(1).to_owned());
                        }
                    }
                    Some(key) => {
                        return Err(record.fault(
                            1,
                            format!("there is no {} `{}`", key.title.to_lowercase(), field(1)),
                            format!("it may be {}", key.values.join(", ")),
                        ));
                    }
                    None => out.remarks.push(format!("The line “{}” was left aside.", record.text())),
                },
            }
            continue;
        };
        out.rows += 1;
        if let Some(k) = protocol.keys.iter().position(|key| key.id == field(0)) {
            key_line(&record, header, protocol, k, &mut row_keys, &mut out.held);
            continue;
        }
        item_line(&record, header, protocol, &mut table, &mut out.held);
    }
    for cell in &mut table.cells {
        let Some(k) = protocol.item(&cell.item).and_then(|i| protocol.row_key(i)) else { continue };
        if let Some((.., value)) = row_keys.iter().find(|(key, row, _)| *key == k && Some(*row) == cell.row) {
            cell.keys.insert(protocol.keys[k].id.clone(), value.clone());
        }
    }
    for (name, text) in [("section", &table.section), ("team", &table.team)] {
        if text.is_empty() {
            return Err(Fault {
                line: 1,
                column: 1,
                what: format!("the sheet names no {name}"),
                mend: format!("write it beside `{name}` at the top"),
            });
        }
    }
    if columns.is_none() {
        return Err(Fault {
            line: 1,
            column: 1,
            what: "the sheet has no line that begins with `item`".into(),
            mend: "use the lab’s template".into(),
        });
    }
    if let Some((_, what, mend)) = roster.and_then(|r| r.objection(&table.section, &table.team)) {
        return Err(Fault { line: 2, column: 1, what, mend });
    }
    if !table.cells.is_empty() {
        out.tables.push(table);
    }
    Ok(out)
}

/// A line that says which key each row belongs to.
fn key_line(
    record: &Record,
    header: &[String],
    protocol: &Protocol,
    k: usize,
    row_keys: &mut Vec<(usize, u32, String)>,
    held: &mut Vec<HeldRow>,
) {
    let key = &protocol.keys[k];
    for (n, name) in header.iter().enumerate() {
        let (Ok(row), value) = (name.parse::<u32>(), record.fields.get(n).map_or("", |f| f.trim())) else { continue };
        if value.is_empty() {
            continue;
        }
        if key.values.iter().any(|v| v == value) {
            row_keys.push((k, row, value.to_owned()));
        } else {
            held.push(HeldRow {
                code: "unknown-key",
                fault: record.fault(
                    n,
                    format!("there is no {} `{value}`", key.title.to_lowercase()),
                    format!("it may be {}", key.values.join(", ")),
                ),
                text: record.text(),
            });
        }
    }
}

fn item_line(record: &Record, header: &[String], protocol: &Protocol, table: &mut Submission, held: &mut Vec<HeldRow>) {
    let field = |n: usize| record.fields.get(n).map_or("", |f| f.trim());
    let named = |name: &str| header.iter().position(|h| h == name).map_or("", field);
    let mut hold = |at: usize, code: &'static str, what: String, mend: &str| {
        held.push(HeldRow { code, fault: record.fault(at, what, mend), text: record.text() })
    };
    let Some(item) = protocol.item(field(0)).filter(|i| protocol.is_typed(*i)) else {
        return hold(
            0,
            "unknown-item",
            format!("`{}` is no reading or result of {}", field(0), protocol.title),
            "use the ids of the lab’s template",
        );
    };
    if table.cells.iter().any(|c| c.item == field(0)) {
        return hold(0, "duplicate", format!("`{}` is there twice", field(0)), "keep the right one of the two");
    }
    let rows = protocol.rows_of(item);
    let mut first = true;
    for (n, name) in header.iter().enumerate() {
        let Ok(row) = name.parse::<u32>() else { continue };
        let value = field(n);
        let row = match rows {
            Some(_) => Some(row),
            None if row == 1 => None,
            None if value.is_empty() => continue,
            None => {
                hold(
                    n,
                    "row",
                    format!("`{}` is taken once; there is no row {row}", field(0)),
                    "leave the further cells empty",
                );
                continue;
            }
        };
        if value.is_empty() {
            continue;
        }
        table.cells.push(SubmittedCell {
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
