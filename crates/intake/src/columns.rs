//! Files laid out as people lay them out: a line a team with a column a reading (wide), or a line a reading under other
//! names (long). Columns are matched by name, unit and content, shown to a person with examples, and corrected once.

use std::collections::HashMap;

use jurado_core::error::Fault;
use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::quantity::Unit;
use jurado_core::reading::{CellKind, Hints, read as read_cell};
use serde::{Deserialize, Serialize};

use crate::delimited::{Delimited, Record};
use crate::roster::Roster;
use crate::{Effort, Intake, MAX_COLUMNS, csv_long, sheet};

/// What each column of a file means, and the section of rows that name none.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ColumnMap {
    /// By column: `section`, `team`, `item`, `row`, `value`, `unit`, `plus_minus`, `excluded`, `note`, `key:<id>`,
    /// `cell:<item>`, `cell:<item>:<row>`, `pm:<item>`, or nothing for a column left aside.
    pub columns: Vec<String>,
    /// Section of all rows, where no column has it.
    #[serde(default)]
    pub section: String,
}

/// A column as found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Column {
    /// Its name in the file.
    pub name: String,
    /// The first values in it.
    pub examples: Vec<String>,
    /// What it seems to mean, as in [`ColumnMap`].
    pub meaning: String,
    /// Whether its name says so; else its content does, or nothing.
    pub by_name: bool,
}

/// Different names in a column of names that are looked for in the lab: no lab has as many.
const MOST_NAMES: usize = 2_000;
/// Lines looked at for examples.
const EXAMPLES: usize = 40;

/// Letters and figures of a name, lower case.
fn plain(text: &str) -> String {
    text.to_lowercase().chars().filter(|c| c.is_alphanumeric() || *c == '±').collect()
}

/// A head such as `Plate length / mm`, `d (mm) 3` or `diameter[2]` as name, unit and row.
fn parts(head: &str) -> (String, String, Option<u32>) {
    let head = head.trim();
    let (mut name, mut unit, mut bracketed) = (head.to_owned(), String::new(), None);
    for (open, close) in [('(', ')'), ('[', ']')] {
        if let (Some(a), Some(b)) = (head.find(open), head.rfind(close))
            && a < b
        {
            let inner = head[a + open.len_utf8()..b].trim().to_owned();
            name = format!("{} {}", &head[..a], &head[b + close.len_utf8()..]);
            // `diameter[2]` numbers a row, `diameter [mm]` gives a unit.
            match inner.parse::<u32>() {
                Ok(row) => bracketed = Some(row),
                Err(_) => unit = inner,
            }
        }
    }
    if unit.is_empty()
        && let Some((n, u)) = name.clone().rsplit_once(" / ").or(name.clone().rsplit_once(" in "))
        && Unit::parse(u.trim()).is_ok()
    {
        (name, unit) = (n.to_owned(), u.trim().to_owned());
    }
    let name = name.trim().to_owned();
    if bracketed.is_some() {
        return (name, unit, bracketed);
    }
    let digits: String =
        name.chars().rev().take_while(char::is_ascii_digit).collect::<Vec<_>>().into_iter().rev().collect();
    match digits.parse::<u32>() {
        Ok(row) if digits.len() < name.len() && row > 0 => {
            (name[..name.len() - digits.len()].trim_end_matches([' ', '_', '-', '.', '#']).to_owned(), unit, Some(row))
        }
        _ => (name, unit, None),
    }
}

/// What a name says in the table of any lab: where a value belongs, or what stands beside it.
pub(crate) fn structural(head: &str) -> Option<&'static str> {
    let whole = plain(head);
    [
        ("section", &["section", "watch", "group", "class", "lab section"][..]),
        ("team", &["team", "team name", "pair", "table", "bench team"][..]),
        ("row", &["row", "no", "number", "trial", "run", "replicate", "reading no", "n"][..]),
        ("item", &["item", "quantity", "reading", "what"][..]),
        ("value", &["value", "reading value", "measured", "result"][..]),
        ("unit", &["unit", "units"][..]),
        ("plus_minus", &["plus_minus", "±", "uncertainty", "+-", "pm"][..]),
        ("excluded", &["excluded", "left out", "rejected", "out"][..]),
        ("note", &["note", "notes", "comment", "comments", "remark", "remarks"][..]),
    ]
    .into_iter()
    .find(|(_, words)| words.iter().any(|w| plain(w) == whole))
    .map(|(meaning, _)| meaning)
}

/// What a name says in the table of a lab, as in [`ColumnMap`].
pub(crate) fn by_name(protocol: &Protocol, head: &str) -> Option<String> {
    if let Some(meaning) = structural(head) {
        return Some(meaning.to_owned());
    }
    let whole = plain(head);
    if let Some(key) = protocol.keys.iter().find(|k| plain(&k.id) == whole || plain(&k.title) == whole) {
        return Some(format!("key:{}", key.id));
    }
    let item_named = |name: &str| {
        let name = plain(name);
        let typed = || ItemId::with(&protocol.items).filter(|(i, _)| protocol.is_typed(*i));
        let by = |f: &dyn Fn(&jurado_core::protocol::Item) -> String| {
            let mut found = typed().filter(|(_, it)| plain(&f(it)) == name);
            let first = found.next();
            // A name that two items share settles nothing.
            first.filter(|_| found.next().is_none()).map(|(i, _)| i)
        };
        by(&|it| it.id.clone()).or_else(|| by(&|it| it.title.clone())).or_else(|| by(&|it| it.symbol.clone()))
    };
    let cell = |name: &str, row: Option<u32>| {
        let item = item_named(name)?;
        let id = &protocol.items[item].id;
        match (protocol.rows_of(item), row) {
            (Some(_), Some(row)) => Some(format!("cell:{id}:{row}")),
            (_, None) => Some(format!("cell:{id}")),
            (None, Some(_)) => None,
        }
    };
    let (name, _, row) = parts(head);
    let pm = name.strip_prefix('±').or_else(|| name.strip_prefix("u(")).or_else(|| name.strip_suffix('±'));
    if let Some(meaning) = pm.and_then(|n| cell(n, None)) {
        return Some(meaning.replacen("cell:", "pm:", 1));
    }
    // With its row number first; then whole, since an item may end in a figure of its own.
    cell(&name, row).or_else(|| cell(head.split(['(', '[']).next().unwrap_or(head), None))
}

/// Whether a lab has something of this name, be it one thing or several of one name.
pub(crate) fn is_known(protocol: &Protocol, head: &str) -> bool {
    let (name, ..) = parts(head);
    let short = head.split(['(', '[']).next().unwrap_or(head);
    let names = [plain(head), plain(&name), plain(short)];
    let has = |text: &str| !text.is_empty() && names.contains(&plain(text));
    let of_items = ItemId::with(&protocol.items).filter(|(i, _)| protocol.is_typed(*i)).map(|(_, it)| it);
    of_items.into_iter().any(|it| has(&it.id) || has(&it.title) || has(&it.symbol))
        || protocol.keys.iter().any(|k| has(&k.id) || has(&k.title))
}

/// Which reading a column's values could be, if only one: unit of the head and plausible range.
fn by_content(protocol: &Protocol, head: &str, examples: &[String], taken: &[String]) -> Option<String> {
    let (_, unit, row) = parts(head);
    let unit = Unit::parse(&unit).ok().filter(|_| !unit.is_empty());
    let numbers: Vec<f64> = examples
        .iter()
        .filter_map(|t| match read_cell(t, &Hints::default()).kind {
            CellKind::Number(n) => Some(n.value),
            _ => None,
        })
        .collect();
    if numbers.is_empty() || numbers.len() * 2 < examples.len() {
        return None;
    }
    let mut fits = protocol.readings.iter().filter_map(|r| {
        let item = &protocol.items[r.item];
        let (low, high) = r.plausible?;
        let meaning = match (protocol.rows_of(r.item), row) {
            (Some(_), Some(row)) => format!("cell:{}:{row}", item.id),
            _ => format!("cell:{}", item.id),
        };
        if taken.contains(&meaning) || unit.as_ref().is_some_and(|u| u.dimension != item.unit.dimension) {
            return None;
        }
        let factor = unit.as_ref().map_or(1.0, |u| u.factor / item.unit.factor);
        numbers.iter().all(|v| (low..=high).contains(&(v * factor))).then_some(meaning)
    });
    let first = fits.next();
    first.filter(|_| fits.next().is_none())
}

/// What a person may say of a column, with its words.
pub fn meanings(protocol: &Protocol) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = [
        ("", "leave aside"),
        ("section", "section"),
        ("team", "team"),
        ("row", "row or reading number"),
        ("item", "which reading or result"),
        ("value", "its value"),
        ("unit", "its unit"),
        ("plus_minus", "its ±"),
        ("excluded", "left out, with the reason"),
        ("note", "note"),
    ]
    .map(|(a, b)| (a.to_owned(), b.to_owned()))
    .to_vec();
    out.extend(protocol.keys.iter().map(|k| (format!("key:{}", k.id), k.title.to_lowercase())));
    for (i, item) in ItemId::with(&protocol.items).filter(|(i, _)| protocol.is_typed(*i)) {
        let title = protocol.full_title(i);
        match protocol.rows_of(i) {
            Some(rows) => {
                out.push((format!("cell:{}", item.id), format!("{title}, by the row column")));
                out.extend((1..=rows.min(30)).map(|r| (format!("cell:{}:{r}", item.id), format!("{title}, {r}"))));
            }
            None => out.push((format!("cell:{}", item.id), title)),
        }
    }
    out
}

/// The columns of a file, guessed; none where it is laid out as Jurado writes it and nothing is to be asked.
pub(crate) fn columns(file: &Delimited<'_>, protocol: &Protocol) -> Vec<Column> {
    let mut records = file.records();
    let Some(head) = records.next() else { return Vec::new() };
    if csv_long::is_canonical(&head) || sheet::marks_record(&head) || head.fields.len() > MAX_COLUMNS {
        return Vec::new();
    }
    let lines: Vec<Record> = records.take(EXAMPLES).collect();
    let mut out: Vec<Column> = head
        .fields
        .iter()
        .enumerate()
        .map(|(i, name)| {
            let examples: Vec<String> = lines
                .iter()
                .filter_map(|l| l.fields.get(i))
                .map(|t| t.trim().to_owned())
                .filter(|t| !t.is_empty())
                .take(4)
                .collect();
            let meaning = by_name(protocol, name).unwrap_or_default();
            Column { name: name.trim().to_owned(), examples, by_name: !meaning.is_empty(), meaning }
        })
        .collect();
    // One meaning, one column: the first has it.
    for i in 0..out.len() {
        if !out[i].meaning.is_empty() && out[..i].iter().any(|c| c.meaning == out[i].meaning) {
            out[i].meaning.clear();
            out[i].by_name = false;
        }
    }
    for i in 0..out.len() {
        if out[i].meaning.is_empty() {
            let taken: Vec<String> = out.iter().map(|c| c.meaning.clone()).collect();
            let column: Vec<String> =
                lines.iter().filter_map(|l| l.fields.get(i)).map(|t| t.trim().to_owned()).collect();
            out[i].meaning = by_content(protocol, &out[i].name, &column, &taken).unwrap_or_default();
        }
    }
    out
}

/// Reads a file whose columns mean what a map says.
pub(crate) fn read(
    file: &Delimited<'_>,
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
    map: &ColumnMap,
) -> Result<Intake, Fault> {
    let mut records = file.records();
    let head = records.next().ok_or_else(|| Fault {
        line: 1,
        column: 1,
        what: "the file is empty".into(),
        mend: "hand in a line of column names and a line per team".into(),
    })?;
    let at = |meaning: &str| map.columns.iter().position(|m| m == meaning);
    let (team, section) = (at("team"), at("section"));
    if team.is_none() || (section.is_none() && map.section.is_empty()) {
        let what = if team.is_none() { "team" } else { "section" };
        return Err(head.fault(
            0,
            format!("no column is said to hold the {what}"),
            format!(
                "say which column holds the {what}{}",
                if what == "section" { ", or one section for all rows" } else { "" }
            ),
        ));
    }
    let cells: Vec<(usize, String, Option<u32>, bool, String)> = map
        .columns
        .iter()
        .enumerate()
        .filter_map(|(i, m)| {
            let (rest, pm) = match (m.strip_prefix("cell:"), m.strip_prefix("pm:")) {
                (Some(r), _) => (r, false),
                (_, Some(r)) => (r, true),
                _ => return None,
            };
            let (item, row) = match rest.split_once(':') {
                Some((item, row)) => (item, row.parse().ok()),
                None => (rest, None),
            };
            let unit = head.fields.get(i).map(|h| parts(h).1).filter(|u| Unit::parse(u).is_ok()).unwrap_or_default();
            Some((i, item.to_owned(), row, pm, unit))
        })
        .collect();
    let long = at("item").is_some() && at("value").is_some();
    if !long && cells.iter().all(|c| c.3) {
        return Err(head.fault(
            0,
            "no column is said to hold a reading",
            "say for each column which reading it holds, or which one holds the names and which the values",
        ));
    }
    let keys: Vec<(usize, &str)> =
        map.columns.iter().enumerate().filter_map(|(i, m)| Some((i, m.strip_prefix("key:")?))).collect();
    let mut names: Vec<String> = vec!["section".into(), "team".into()];
    names.extend(keys.iter().map(|(_, k)| (*k).to_owned()));
    names.extend(["item", "row", "value", "unit", "plus_minus", "excluded", "note"].map(str::to_owned));
    let canonical = Record { line: head.line, fields: names.into(), damage: None, value_at: None };
    // Few names stand in many rows.
    let mut known: HashMap<String, String> = HashMap::new();
    let wide = |record: Record| -> Vec<Record> {
        // Past its end nothing more is looked at, and whoever reads the records says so.
        if effort.step(1 + cells.len()).is_err() {
            return Vec::new();
        }
        let field = |i: Option<usize>| i.and_then(|i| record.fields.get(i)).map_or("", |f| f.trim()).to_owned();
        let mut lead = vec![if section.is_some() { field(section) } else { map.section.clone() }, field(team)];
        lead.extend(keys.iter().map(|(i, _)| field(Some(*i))));
        if record.damage.is_some() {
            let mut fields = lead;
            fields.push(record.joined());
            return vec![Record { line: record.line, fields: fields.into(), damage: record.damage, value_at: None }];
        }
        let row = field(at("row"));
        let line = |at_value: Option<usize>, [item, row, value, unit, pm]: [String; 5]| {
            let mut fields = lead.clone();
            fields.extend([item, row, value, unit, pm, field(at("excluded")), field(at("note"))]);
            Record { line: record.line, fields: fields.into(), damage: None, value_at: at_value }
        };
        let mut out = Vec::new();
        if long {
            let item = field(at("item"));
            // In a long file of other names the items may go by title or symbol too.
            let room = known.len() < MOST_NAMES;
            let id = known.entry(item).or_insert_with_key(|item| {
                let named = if room { by_name(protocol, item) } else { None };
                let cell = named.and_then(|m| Some(m.strip_prefix("cell:")?.to_owned()));
                cell.map_or_else(|| item.clone(), |c| c.split(':').next().unwrap_or_default().to_owned())
            });
            let fields = [id.clone(), row, field(at("value")), field(at("unit")), field(at("plus_minus"))];
            out.push(line(at("value"), fields));
            return out;
        }
        for (i, item, number, pm, unit) in cells.iter().filter(|c| !c.3) {
            debug_assert!(!pm);
            let value = field(Some(*i));
            let beside = cells.iter().find(|c| c.3 && c.1 == *item).map_or_else(String::new, |c| field(Some(c.0)));
            if value.is_empty() && beside.is_empty() {
                continue;
            }
            let many = protocol.item(item).and_then(|n| protocol.rows_of(n)).is_some();
            let row = match (number, many) {
                (Some(n), _) => n.to_string(),
                (None, true) => row.clone(),
                (None, false) => String::new(),
            };
            // Single items stand in every line of a team that has several: only its first line, or row 1, counts.
            if !many && number.is_none() && !matches!(row_number(&field(at("row"))), None | Some(1)) {
                continue;
            }
            out.push(line(Some(*i), [item.clone(), row, value, unit.clone(), beside]));
        }
        out
    };
    csv_long::read_records(canonical, records.flat_map(wide), file, protocol, roster, effort)
}

fn row_number(text: &str) -> Option<u32> {
    text.trim().parse().ok()
}

#[cfg(test)]
mod tests {
    use super::parts;

    #[test]
    fn a_head_gives_name_unit_and_row() {
        for (head, name, unit, row) in [
            ("Plate length (mm)", "Plate length", "mm", None),
            ("diameter[2]", "diameter", "", Some(2)),
            ("Disc diameter [mm] 3", "Disc diameter", "mm", Some(3)),
            ("mass / g", "mass", "g", None),
            ("d_4", "d", "", Some(4)),
            ("7", "7", "", None),
            ("height in cm", "height", "cm", None),
        ] {
            assert_eq!(parts(head), (name.to_owned(), unit.to_owned(), row), "{head}");
        }
    }
}
