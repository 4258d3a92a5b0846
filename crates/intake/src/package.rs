//! A whole lab as an open data package: CSV files with a JSON descriptor of columns and units. What was handed in is the
//! long layout that Jurado reads, so that a package can be brought back.

use jurado_core::protocol::{ItemKind, Protocol};
use jurado_core::submission::Submission;
use serde_json::json;

use crate::grid::{write_grid_csv, write_grid_exact, write_zip};

/// One further table of a package: name, what it holds, columns (name, kind, what it holds) and rows.
#[derive(Clone, Debug)]
pub struct PackageTable {
    /// File's name without ending.
    pub name: &'static str,
    /// What it holds.
    pub title: &'static str,
    /// Columns: name, `string`, `number` or `integer`, and what it holds.
    pub columns: Vec<(&'static str, &'static str, &'static str)>,
    /// Rows.
    pub rows: Vec<Vec<String>>,
}

/// Tables as the long layout: a line of names, then a line for each cell, every text as it was typed.
pub fn long_grid<'a>(protocol: &Protocol, tables: impl IntoIterator<Item = &'a Submission>) -> Vec<Vec<String>> {
    let keys: Vec<&str> = protocol.keys.iter().map(|k| k.id.as_str()).collect();
    let mut head: Vec<String> = vec!["section".into(), "team".into()];
    head.extend(keys.iter().map(|k| (*k).to_owned()));
    head.extend(["item", "row", "value", "unit", "plus_minus", "excluded", "note"].map(str::to_owned));
    let mut grid = vec![head];
    for table in tables {
        for cell in &table.cells {
            let mut line = vec![table.section.clone(), table.team.clone()];
            for key in &keys {
                line.push(cell.keys.get(*key).or_else(|| table.keys.get(*key)).cloned().unwrap_or_default());
            }
            line.push(cell.item.clone());
            line.push(cell.row.map(|r| r.to_string()).unwrap_or_default());
            line.extend([&cell.value, &cell.unit, &cell.plus_minus, &cell.excluded, &cell.note].map(Clone::clone));
            grid.push(line);
        }
    }
    grid
}

/// A lab's data as a package: the descriptor, the protocol, what was handed in, the items with their units, and further
/// tables.
///
/// # Errors
/// The archive cannot be written.
pub fn write_package(
    protocol: &Protocol,
    source: &str,
    tables: &[Submission],
    further: &[PackageTable],
) -> Result<Vec<u8>, zip::result::ZipError> {
    let mut files: Vec<(String, Vec<u8>)> = Vec::new();
    let mut resources = Vec::new();
    let long = long_grid(protocol, tables);
    let typed = |name: &str, kind: &str, says: &str| json!({"name": name, "type": kind, "description": says});
    let fields: Vec<_> = long[0]
        .iter()
        .map(|name| match name.as_str() {
            "row" => typed(name, "integer", "replicate or row of a table, from 1"),
            "value" => typed(name, "string", "as typed, every digit and sign kept"),
            "unit" => typed(name, "string", "unit as typed; empty: the item's own unit"),
            "plus_minus" => typed(name, "string", "stated ± as typed"),
            "excluded" => typed(name, "string", "the team's mark or reason for leaving the reading out"),
            other => typed(other, "string", ""),
        })
        .collect();
    resources.push(json!({"name": "handed-in", "path": "handed-in.csv",
        "title": "What the teams handed in, one cell a line, exactly as typed",
        "description": "For programs, and for bringing it back. A cell may begin with =, + or @, which a spreadsheet \
            would work out: open handed-in-to-read.csv there.",
        "format": "csv", "mediatype": "text/csv", "encoding": "utf-8", "schema": {"fields": fields}}));
    files.push(("handed-in.csv".into(), write_grid_exact(&long).into_bytes()));
    resources.push(json!({"name": "handed-in-to-read", "path": "handed-in-to-read.csv",
        "title": "The same, for opening in a spreadsheet",
        "description": "A cell that a spreadsheet would take for a formula begins with an apostrophe.",
        "format": "csv", "mediatype": "text/csv", "encoding": "utf-8", "schema": {"fields": fields}}));
    files.push(("handed-in-to-read.csv".into(), write_grid_csv(&long).into_bytes()));
    let mut items = vec![vec!["item", "title", "symbol", "unit", "kind"].into_iter().map(str::to_owned).collect()];
    for item in &protocol.items {
        let kind = match item.kind {
            ItemKind::Reading(_) => "reading",
            ItemKind::Reference(_) => "reference",
            ItemKind::Result(_) => "result",
            ItemKind::Parameter(_) => "parameter",
            ItemKind::Hidden => continue,
        };
        items.push(
            [&item.id, &item.title, &item.symbol, &item.unit.text]
                .into_iter()
                .cloned()
                .chain([kind.to_owned()])
                .collect(),
        );
    }
    let item_fields = ["item", "title", "symbol", "unit", "kind"].map(|n| typed(n, "string", ""));
    resources.push(json!({"name": "items", "path": "items.csv", "title": "Readings and results with their units",
        "format": "csv", "mediatype": "text/csv", "encoding": "utf-8",
        "schema": {"primaryKey": ["item"], "fields": item_fields}}));
    files.push(("items.csv".into(), write_grid_csv(&items).into_bytes()));
    for table in further {
        let fields: Vec<_> = table.columns.iter().map(|(n, k, s)| typed(n, k, s)).collect();
        resources.push(json!({"name": table.name, "path": format!("{}.csv", table.name), "title": table.title,
            "format": "csv", "mediatype": "text/csv", "encoding": "utf-8", "schema": {"fields": fields}}));
        let mut grid: Vec<Vec<String>> = vec![table.columns.iter().map(|c| c.0.to_owned()).collect()];
        grid.extend(table.rows.iter().cloned());
        // People open these, and nobody reads them back: no cell of them is taken for a formula.
        files.push((format!("{}.csv", table.name), write_grid_csv(&grid).into_bytes()));
    }
    let descriptor = json!({
        "profile": "tabular-data-package",
        "name": protocol.id,
        "title": protocol.title,
        "description": protocol.summary,
        "version": protocol.version.to_string(),
        "protocol_digest": protocol.digest,
        "resources": resources,
    });
    let descriptor = format!("{descriptor:#}\n");
    files.insert(0, ("datapackage.json".into(), descriptor.into_bytes()));
    files.push((format!("{}.toml", protocol.id), source.as_bytes().to_vec()));
    write_zip(&files)
}

#[cfg(test)]
mod tests {
    use std::io::Read;

    use jurado_core::protocol::Protocol;
    use jurado_core::submission::{Submission, SubmittedCell};

    use super::write_package;

    #[test]
    fn a_package_keeps_what_was_typed_and_has_a_twin_that_works_nothing_out() {
        let p = Protocol::parse(include_str!("../../core/tests/labs/plate-and-disc.toml")).expect("a lab");
        let cell = SubmittedCell {
            item: "zero".into(),
            value: "-2+3".into(),
            note: "=HYPERLINK(\"http://evil.example\")".into(),
            ..Default::default()
        };
        let table =
            Submission { section: "Morning".into(), team: "@Heron".into(), cells: vec![cell], ..Default::default() };
        let bytes = write_package(&p, "", &[table], &[]).expect("a package");
        let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).expect("an archive");
        let mut text = |name: &str| {
            let mut text = String::new();
            archive.by_name(name).expect("a part").read_to_string(&mut text).expect("a text");
            text
        };
        let (exact, twin, says) = (text("handed-in.csv"), text("handed-in-to-read.csv"), text("datapackage.json"));
        assert!(exact.contains(",@Heron,") && exact.contains(",-2+3,") && exact.contains("\"=HYPERLINK("), "{exact}");
        assert!(twin.contains(",'@Heron,") && twin.contains(",'-2+3,") && twin.contains("\"'=HYPERLINK("), "{twin}");
        assert!(says.contains("handed-in-to-read.csv") && says.contains("exactly as typed"), "{says}");
    }
}
