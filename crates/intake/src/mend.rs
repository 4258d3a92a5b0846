//! A single row that was held back, mended by a person: read again under the names of its file, and put into the table
//! that is there.

use std::collections::BTreeSet;

use jurado_core::error::Fault;
use jurado_core::submission::{Submission, SubmittedCell};

use crate::columns::Column;
use crate::delimited::Delimited;
use crate::{Effort, UPLOAD};

/// A held row under a line of names, as a file of the long layout. The held text is parted by commas whatever parted its
/// file; rows of wide files are held in the long layout already. `columns` are those of the file, empty where it was
/// laid out as Jurado writes it.
///
/// # Errors
/// Where the row means nothing without the rest of its file, as in a data sheet.
pub fn under_head(body: &[u8], columns: &[Column], text: &str) -> Result<String, Fault> {
    if columns.is_empty() {
        let file = Delimited::open(body, &Effort::new(UPLOAD))?;
        let head = file.records().next().filter(crate::csv_long::is_canonical).ok_or_else(|| Fault {
            line: 1,
            column: 1,
            what: "a row of a data sheet has no meaning without the sheet".into(),
            mend: "mend it in the sheet and bring the sheet again".into(),
        })?;
        return Ok(joined(head.fields.iter().map(|f| f.trim()), text));
    }
    let keys = columns.iter().filter_map(|c| c.meaning.strip_prefix("key:"));
    let names = ["section", "team"].into_iter().chain(keys).chain([
        "item",
        "row",
        "value",
        "unit",
        "plus_minus",
        "excluded",
        "note",
    ]);
    Ok(joined(names, text))
}

/// A line of names, each quoted where it holds a comma, and the row.
fn joined<'a>(names: impl Iterator<Item = &'a str>, text: &str) -> String {
    let head: Vec<String> = names
        .map(|n| if n.contains([',', '"']) { format!("\"{}\"", n.replace('"', "\"\"")) } else { n.to_owned() })
        .collect();
    format!("{}\n{text}\n", head.join(","))
}

/// Items that a file has a column for.
pub fn items_of(columns: &[Column]) -> BTreeSet<String> {
    let item = |c: &Column| Some(c.meaning.strip_prefix("cell:")?.split(':').next()?.to_owned());
    columns.iter().filter_map(item).collect()
}

/// A table that adds to the one there, and how many cells of that one stay; `None` where it holds all of its items, so
/// that it stands in its place. `columns` are items that the file has a column for, be it empty. An empty cell that is
/// added takes nothing away.
pub fn added_to(there: &Submission, table: &Submission, columns: &BTreeSet<String>) -> Option<(Submission, usize)> {
    let held = |item: &str| columns.contains(item) || table.cells.iter().any(|c| c.item == item);
    if there.cells.iter().all(|c| held(&c.item)) {
        return None;
    }
    let says = |c: &SubmittedCell| !(c.value.is_empty() && c.excluded.is_empty() && c.note.is_empty());
    let of = |c: &SubmittedCell| (c.item.clone(), c.row);
    let new: BTreeSet<_> = table.cells.iter().filter(|c| says(c)).map(of).collect();
    let known: BTreeSet<_> = there.cells.iter().map(of).collect();
    let cells: Vec<SubmittedCell> =
        table.cells.iter().filter(|c| says(c) || !known.contains(&of(c))).cloned().collect();
    let stay = there.cells.iter().filter(|c| says(c) && !new.contains(&of(c))).count();
    let mut whole = put_into(there.clone(), Submission { cells, ..table.clone() });
    // What the file says of the whole table holds.
    whole.keys.extend(table.keys.clone());
    // What stands under cells that were typed over since shows in their texts.
    let under = table.under.clone().or(whole.under);
    Some((Submission { waiting: table.waiting, under, ..whole }, stay))
}

/// A table with what a mended row adds: cells it has already are replaced, keys it has already are kept.
pub fn put_into(mut there: Submission, row: Submission) -> Submission {
    for (key, value) in row.keys {
        there.keys.entry(key).or_insert(value);
    }
    for cell in row.cells {
        match there.cells.iter_mut().find(|x| x.item == cell.item && x.row == cell.row) {
            Some(old) => *old = cell,
            None => there.cells.push(cell),
        }
    }
    there
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use jurado_core::submission::{Submission, SubmittedCell};

    use super::{added_to, under_head};

    fn table(cells: &[(&str, Option<u32>, &str)]) -> Submission {
        let cell = |(item, row, value): &(&str, Option<u32>, &str)| SubmittedCell {
            item: (*item).to_owned(),
            row: *row,
            value: (*value).to_owned(),
            ..SubmittedCell::default()
        };
        Submission { cells: cells.iter().map(cell).collect(), ..Submission::default() }
    }

    /// What a file brings beside a table that is there: the cells that stand afterwards, or that it takes its place.
    #[test]
    fn a_file_of_some_columns_adds_and_a_file_of_all_takes_the_place() {
        let there = table(&[("a", None, "1"), ("d", Some(1), "4"), ("d", Some(2), "5"), ("r", None, "9")]);
        let cells = |brought: &[(&str, Option<u32>, &str)], columns: &[&str]| {
            let columns: BTreeSet<String> = columns.iter().map(|c| (*c).to_owned()).collect();
            let (whole, stay) = added_to(&there, &table(brought), &columns)?;
            Some((whole.cells.into_iter().map(|c| c.value).collect::<Vec<_>>().join(" "), stay))
        };
        let some = |text: &str, stay| Some((text.to_owned(), stay));
        // One cell mended, one reading more, a row more of a column that is there.
        assert_eq!(cells(&[("a", None, "2")], &[]), some("2 4 5 9", 3));
        assert_eq!(cells(&[("b", None, "7")], &[]), some("1 4 5 9 7", 4));
        assert_eq!(cells(&[("d", Some(3), "6")], &[]), some("1 4 5 9 6", 4));
        // An empty cell takes nothing away; one that was not there is added.
        assert_eq!(cells(&[("a", None, ""), ("b", None, "")], &[]), some("1 4 5 9 ", 4));
        // All items, in cells or as columns: it is the table, with what it leaves empty.
        assert_eq!(cells(&[("a", None, "2"), ("d", Some(1), "4"), ("r", None, "9")], &[]), None);
        assert_eq!(cells(&[("a", None, "2")], &["d", "r"]), None);
        assert_eq!(cells(&[("a", None, "2")], &["d"]), some("2 4 5 9", 3));
    }

    /// The file is parted by what its first line is parted by; a name with another separator in it is one name.
    #[test]
    fn the_names_above_a_held_row_are_those_of_its_file_whatever_parts_them() {
        for (file, head) in [
            ("section,team,item,value\nx", "section,team,item,value"),
            ("section;team;item;value\nx", "section,team,item,value"),
            ("section,team,item,value,a;b\nx", "section,team,item,value,a;b"),
            ("section;team;item;value;\"d, mm\"\nx", "section,team,item,value,\"d, mm\""),
            ("\u{feff}section\tteam\titem\tvalue\nx", "section,team,item,value"),
        ] {
            assert_eq!(
                under_head(file.as_bytes(), &[], "A,B,c,1").expect(file),
                format!("{head}\nA,B,c,1\n"),
                "{file}"
            );
        }
        assert!(under_head(b"data sheet,keel-plate\nteam,A\n", &[], "x").is_err());
    }
}
