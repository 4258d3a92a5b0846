//! A single row that was held back, mended by a person: read again under the names of its file, and put into the table
//! that is there.

use jurado_core::error::Fault;
use jurado_core::submission::Submission;

use crate::columns::Column;
use crate::delimited::Delimited;

/// A held row under a line of names, as a file of the long layout. The held text is parted by commas whatever parted its
/// file; rows of wide files are held in the long layout already. `columns` are those of the file, empty where it was
/// laid out as Jurado writes it.
///
/// # Errors
/// Where the row means nothing without the rest of its file, as in a data sheet.
pub fn under_head(body: &[u8], columns: &[Column], text: &str) -> Result<String, Fault> {
    if columns.is_empty() {
        let file = Delimited::open(body)?;
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
    use super::under_head;

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
