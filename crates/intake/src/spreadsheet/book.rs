//! A workbook as it was read: each sheet's cells as texts, what kind each is, and the formulas under them.

use std::collections::{BTreeMap, HashMap};

use jurado_core::cell::Held;
use jurado_core::error::Fault;

use crate::Effort;
use crate::sheet::{Grid, to_csv};

/// Most bytes of text in the cells that are kept of a file, formulas included.
const MOST_TEXT: usize = 24 * 1024 * 1024;
/// Most formulas that are kept, over all sheets of a file.
const MOST_FORMULAS: usize = 50_000;

/// What a cell holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Text,
    Number,
    Truth,
    Error,
}

/// A formula, and what it last gave where that is not what the cell shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct UnderCell {
    pub(crate) formula: String,
    pub(crate) held: Held,
}

/// One sheet, row and column counted from nought.
#[derive(Clone, Debug, Default)]
pub(crate) struct WorkSheet {
    pub(crate) name: String,
    pub(crate) grid: Grid,
    kinds: Vec<Vec<Kind>>,
    pub(crate) formulas: BTreeMap<(usize, usize), UnderCell>,
}

/// What the sheets of a file may still hold.
pub(super) struct Left {
    cells: usize,
    text: usize,
    formulas: usize,
    /// Formulas that were passed over.
    pub(super) over: usize,
}

impl Left {
    pub(super) fn of(effort: &Effort) -> Left {
        Left { cells: effort.limits.cells, text: MOST_TEXT, formulas: MOST_FORMULAS, over: 0 }
    }

    /// Formulas for which there is room.
    pub(super) fn formulas(&self) -> usize {
        if self.text == 0 { 0 } else { self.formulas }
    }
}

impl WorkSheet {
    pub(super) fn named(name: &str) -> WorkSheet {
        WorkSheet { name: name.to_owned(), ..WorkSheet::default() }
    }

    /// Puts a text in its place, so that nothing is set aside for cells that nobody wrote: a spreadsheet of a thousand
    /// bytes may have one in its last row and last column. Blank ones are passed over.
    pub(super) fn put(
        &mut self,
        (row, column): (usize, usize),
        text: String,
        kind: Kind,
        left: &mut Left,
    ) -> Result<(), Fault> {
        if text.is_empty() {
            return Ok(());
        }
        let at =
            |what: String, mend: &str| Err(Fault { line: row + 1, column: column + 1, what, mend: mend.to_owned() });
        if row > crate::UPLOAD.rows {
            let what =
                format!("something stands in row {} of the sheet; at most {} are read", row + 1, crate::UPLOAD.rows);
            return at(what, "delete what stands below the table, or hand it in section by section");
        }
        if column > crate::MAX_COLUMNS {
            let what = format!("something stands in column {}; at most {} are read", column + 1, crate::MAX_COLUMNS);
            return at(what, "delete what stands beside the table");
        }
        if left.cells == 0 || left.text < text.len() {
            return at(
                "the spreadsheet holds more than can be read at once".to_owned(),
                "hand it in section by section",
            );
        }
        left.cells -= 1;
        left.text -= text.len();
        if self.grid.len() <= row {
            self.grid.resize_with(row + 1, Vec::new);
            self.kinds.resize_with(row + 1, Vec::new);
        }
        let (line, kinds) = (&mut self.grid[row], &mut self.kinds[row]);
        if line.len() <= column {
            line.resize_with(column + 1, String::new);
            kinds.resize(column + 1, Kind::Text);
        }
        line[column] = text;
        kinds[column] = kind;
        Ok(())
    }

    /// Keeps a formula, while there is room.
    pub(super) fn put_formula(&mut self, at: (usize, usize), cell: UnderCell, left: &mut Left) {
        let fits = left.formulas > 0 && left.text >= cell.formula.len();
        if !fits || at.0 > crate::UPLOAD.rows || at.1 > crate::MAX_COLUMNS {
            left.over += 1;
            return;
        }
        left.formulas -= 1;
        left.text -= cell.formula.len();
        self.formulas.insert(at, cell);
    }

    fn written(&self) -> bool {
        self.grid.iter().any(|l| l.iter().any(|f| !f.is_empty()))
    }

    /// What formulas see of a cell.
    pub(crate) fn held(&self, at: (usize, usize)) -> Held {
        if let Some(cell) = self.formulas.get(&at) {
            return cell.held.clone();
        }
        let text = self.grid.get(at.0).and_then(|l| l.get(at.1)).map_or("", String::as_str);
        held(text, self.kinds.get(at.0).and_then(|k| k.get(at.1)).copied().unwrap_or(Kind::Text))
    }
}

/// What formulas see of a text of a kind; a number in the shortest text that is it.
pub(super) fn held(text: &str, kind: Kind) -> Held {
    match kind {
        _ if text.is_empty() => Held::Empty,
        Kind::Text => Held::Text(text.to_owned()),
        Kind::Number => {
            // A cell that shows hundredths holds the number itself.
            let hundredths = text.strip_suffix('%').and_then(|t| t.parse::<f64>().ok()).map(|v| v / 100.0);
            let value = hundredths.or_else(|| text.parse().ok());
            Held::Number(value.map_or_else(|| text.to_owned(), |v| format!("{v}")))
        }
        Kind::Truth => Held::Truth(text.eq_ignore_ascii_case("true")),
        Kind::Error => Held::Error(text.to_owned()),
    }
}

/// A workbook with the sheet that the table stands on.
#[derive(Clone, Debug)]
pub(crate) struct Workbook {
    pub(crate) sheets: Vec<WorkSheet>,
    /// Names and what they stand for, as the file spells it.
    pub(crate) names: HashMap<String, String>,
    /// Formulas that were passed over.
    pub(crate) over: usize,
    home: usize,
}

impl Workbook {
    /// With the sheet that is a data sheet as its home, else the first that holds anything; `None` where all are empty.
    pub(super) fn of(sheets: Vec<WorkSheet>, names: HashMap<String, String>, over: usize) -> Option<Workbook> {
        let marked = sheets.iter().position(|s| crate::sheet::marks_sheet(&s.grid));
        let home = marked.or_else(|| sheets.iter().position(WorkSheet::written))?;
        Some(Workbook { sheets, names, over, home })
    }

    /// The sheet that the table stands on.
    pub(crate) fn home(&self) -> &WorkSheet {
        &self.sheets[self.home]
    }

    /// A sheet by its name in any case.
    pub(crate) fn sheet(&self, name: &str) -> Option<&WorkSheet> {
        self.sheets.iter().find(|s| s.name.eq_ignore_ascii_case(name))
    }

    /// Whether any cell has a formula.
    pub(crate) fn has_formulas(&self) -> bool {
        self.sheets.iter().any(|s| !s.formulas.is_empty())
    }

    /// The home sheet as CSV, a record a row.
    pub(crate) fn csv(&self) -> Vec<u8> {
        to_csv(&self.home().grid).into_bytes()
    }

    /// The row, from nought, by the line on which its record begins: a text may hold line breaks.
    pub(crate) fn rows_by_line(&self) -> HashMap<usize, usize> {
        let mut line = 1;
        let mut out = HashMap::new();
        for (row, fields) in self.home().grid.iter().enumerate() {
            out.insert(line, row);
            line += 1 + fields.iter().map(|f| f.matches('\n').count()).sum::<usize>();
        }
        out
    }
}
