//! The formulas under the cells of a table that came in a spreadsheet: those under its results and readings, and all that they
//! read, gathered so that a table can be judged without its file.

use std::collections::{BTreeMap, HashMap, VecDeque};
use std::num::NonZeroU32;

use jurado_core::cell::{Address, Below, Piece, PieceKind, Under, parse};
use jurado_core::error::Fault;
use jurado_core::notation::counted;
use jurado_core::protocol::{ItemId, Protocol};

use crate::spreadsheet::{WorkSheet, Workbook};
use crate::{Effort, Intake};

/// Most cells that are kept for one table.
const MOST_CELLS: usize = 4_000;
/// Most bytes of formulas and texts that are kept for one table.
const MOST_TEXT: usize = 256 * 1024;
/// Most cells that are kept for all tables of a file, and bytes in them: each of a thousand tables may read the same range.
const MOST_IN_ALL: usize = 100_000;
const MOST_TEXT_IN_ALL: usize = 8 * 1024 * 1024;
/// Most cells of one range that are kept.
const MOST_RANGE: u64 = 2_000;

/// Where the values of a table stood: line and column of the file, item and row. There is one for each cell of a file, so
/// they are small.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Places(Vec<Place>);

#[derive(Clone, Debug, PartialEq, Eq)]
struct Place {
    line: u32,
    column: u32,
    item: ItemId,
    row: Option<NonZeroU32>,
}

impl Places {
    pub(crate) fn put(&mut self, line: usize, column: usize, item: ItemId, row: Option<u32>) {
        let row = row.and_then(NonZeroU32::new);
        self.0.push(Place { line: line as u32, column: column as u32, item, row });
    }

    /// None yet, with room for so many.
    pub(crate) fn with_room(cells: usize) -> Places {
        Places(Vec::with_capacity(cells))
    }
}

/// Gives each table what stands under its cells. `lead` columns were put before those of the file.
pub(crate) fn attached(
    book: &Workbook,
    protocol: &Protocol,
    mut intake: Intake,
    lead: usize,
    effort: &Effort,
) -> Result<Intake, Fault> {
    let (mut cells, mut text, mut without) = (0, 0, 0);
    let rows = book.rows_by_line();
    for (table, places) in intake.tables.iter_mut().zip(&intake.places) {
        let at = |p: &Place| Some((*rows.get(&(p.line as usize))?, (p.column as usize).checked_sub(lead)?));
        let places: HashMap<(usize, usize), &Place> = places.0.iter().filter_map(|p| Some((at(p)?, p))).collect();
        if cells > MOST_IN_ALL || text > MOST_TEXT_IN_ALL {
            without += usize::from(!places.is_empty());
            continue;
        }
        table.under = Gatherer::of((book, protocol), &places, effort, &mut text)?.map(Box::new);
        cells += table.under.as_ref().map_or(0, |u| u.cells.len());
    }
    if without > 0 {
        intake.remarks.push(format!(
            "The formulas of the file read more cells than are kept; {} went without them. Bring fewer teams in one file.",
            counted(without, "table")
        ));
    }
    if book.over > 0 {
        intake
            .remarks
            .push(format!("The file holds more formulas than are looked at; {} were passed over.", book.over));
    }
    Ok(intake)
}

/// Whether it is more than is kept of a workbook.
pub(crate) fn is_too_much(under: &Under) -> bool {
    let text = |(a, c): (&String, &Below)| a.len() + c.formula.as_ref().map_or(0, String::len);
    let names: usize = under.names.iter().map(|(n, m)| n.len() + m.len()).sum();
    under.cells.len() > MOST_CELLS || under.cells.iter().map(text).sum::<usize>() + names > 2 * MOST_TEXT
}

/// Gathers the cells that the formulas of one table hang on.
struct Gatherer<'a> {
    book: &'a Workbook,
    protocol: &'a Protocol,
    places: &'a HashMap<(usize, usize), &'a Place>,
    under: Under,
    text: usize,
    effort: &'a Effort,
    /// Cells whose formulas are still to be followed.
    open: VecDeque<Address>,
}

impl Gatherer<'_> {
    /// `None` where no formula stands under a cell of the table.
    fn of(
        (book, protocol): (&Workbook, &Protocol),
        places: &HashMap<(usize, usize), &Place>,
        effort: &Effort,
        in_all: &mut usize,
    ) -> Result<Option<Under>, Fault> {
        let home = book.home();
        let mut mine: Vec<(usize, usize)> =
            places.keys().filter(|at| home.formulas.contains_key(at)).copied().collect();
        if mine.is_empty() {
            return Ok(None);
        }
        mine.sort_unstable();
        let under = Under { home: home.name.clone(), ..Under::default() };
        let mut gatherer = Gatherer { book, protocol, places, under, text: 0, effort, open: VecDeque::new() };
        for (row, column) in mine {
            let first = Address::here(row as u32 + 1, column as u32 + 1);
            if !gatherer.keep(&first) {
                gatherer.under.passed_over += 1;
            }
            // One after the other, so that what is kept is kept whole.
            while let Some(next) = gatherer.open.pop_front() {
                effort.step(64)?;
                gatherer.follow(&next);
            }
        }
        effort.ask()?;
        *in_all += gatherer.text;
        Ok(Some(gatherer.under))
    }

    fn sheet(&self, a: &Address) -> Option<&WorkSheet> {
        match &a.sheet {
            None => Some(self.book.home()),
            Some(name) => self.book.sheet(name),
        }
    }

    /// The address as the table knows it: without its sheet where that is the table's own.
    fn known_as(&self, a: &Address) -> Address {
        let home = a.sheet.as_deref().is_none_or(|s| s.eq_ignore_ascii_case(&self.under.home));
        Address { sheet: if home { None } else { a.sheet.clone() }, ..a.clone() }
    }

    /// Keeps a cell; `false` where there is no room for it.
    fn keep(&mut self, a: &Address) -> bool {
        let a = self.known_as(a);
        let name = a.to_string();
        if self.under.cells.contains_key(&name) {
            return true;
        }
        let Some(sheet) = self.sheet(&a) else { return true };
        let at = (a.row as usize - 1, a.column as usize - 1);
        let place = a.sheet.is_none().then(|| self.places.get(&at)).flatten();
        let formula = sheet.formulas.get(&at).map(|f| f.formula.clone());
        let cell = Below {
            item: place.map_or_else(String::new, |p| self.protocol.items[p.item].id.clone()),
            row: place.and_then(|p| p.row).map(NonZeroU32::get),
            held: sheet.held(at),
            formula,
        };
        if cell == Below::default() {
            return true;
        }
        self.text += cell.formula.as_ref().map_or(0, String::len) + name.len() + 24;
        if self.under.cells.len() >= MOST_CELLS || self.text > MOST_TEXT {
            return false;
        }
        if cell.formula.is_some() {
            self.open.push_back(a);
        }
        self.under.cells.insert(name, cell);
        true
    }

    /// Keeps what the formula of a cell reads.
    fn follow(&mut self, a: &Address) {
        let text = self.under.cells.get(&a.to_string()).and_then(|c| c.formula.clone()).unwrap_or_default();
        let Ok(piece) = parse(&text) else { return };
        let mut names = BTreeMap::new();
        self.reads(&piece, a.sheet.as_ref(), &mut names, 0);
        self.under.names.extend(names);
    }

    fn reads(&mut self, piece: &Piece, sheet: Option<&String>, names: &mut BTreeMap<String, String>, depth: usize) {
        let on = |a: &Address| Address { sheet: a.sheet.clone().or_else(|| sheet.cloned()), ..a.clone() };
        match &piece.kind {
            PieceKind::Cell(a) => drop(self.keep(&on(a))),
            PieceKind::Range(a, b) => {
                let cells = u64::from(b.row - a.row + 1) * u64::from(b.column - a.column + 1);
                // Once it is spent, the table is not wanted any more.
                if cells > MOST_RANGE || self.effort.step(cells as usize).is_err() {
                    return;
                }
                for row in a.row..=b.row {
                    for column in a.column..=b.column {
                        self.keep(&on(&Address { row, column, ..a.clone() }));
                    }
                }
            }
            PieceKind::Name(name) => {
                let name = name.to_lowercase();
                if names.contains_key(&name) || depth > 8 {
                    return;
                }
                let Some(means) = self.book.names.get(&name).filter(|m| m.len() <= MOST_TEXT / 64) else { return };
                names.insert(name, means.clone());
                if let Ok(inner) = parse(means) {
                    self.reads(&inner, None, names, depth + 1);
                }
            }
            PieceKind::Negative(a) | PieceKind::Percent(a) => self.reads(a, sheet, names, depth),
            PieceKind::Binary(_, a, b) | PieceKind::Compare(_, a, b) | PieceKind::Join(a, b) => {
                self.reads(a, sheet, names, depth);
                self.reads(b, sheet, names, depth);
            }
            PieceKind::Call(_, args) => args.iter().for_each(|a| self.reads(a, sheet, names, depth)),
            PieceKind::Number(_) | PieceKind::Text(_) | PieceKind::Fault(_) | PieceKind::Blank => {}
        }
    }
}

/// Every cell of a workbook, as one table's: the sheet named is its home. For looking at formulas apart from any lab.
///
/// # Errors
/// As [`crate::read_file`] of a workbook; and where no sheet has the name.
pub fn formulas_of(bytes: &[u8], home: &str) -> Result<Under, Fault> {
    let book = crate::spreadsheet::read(bytes, &Effort::new(crate::UPLOAD))?;
    let mut under =
        Under { home: home.to_owned(), names: book.names.clone().into_iter().collect(), ..Under::default() };
    for sheet in &book.sheets {
        let prefix = (!sheet.name.eq_ignore_ascii_case(home)).then(|| sheet.name.clone());
        let typed = sheet.grid.iter().enumerate().flat_map(|(r, line)| (0..line.len()).map(move |c| (r, c)));
        let all: std::collections::BTreeSet<(usize, usize)> = typed.chain(sheet.formulas.keys().copied()).collect();
        for at in all {
            let formula = sheet.formulas.get(&at).map(|f| f.formula.clone());
            let cell = Below { held: sheet.held(at), formula, ..Below::default() };
            let address = Address { sheet: prefix.clone(), row: at.0 as u32 + 1, column: at.1 as u32 + 1 };
            if cell != Below::default() {
                under.cells.insert(address.to_string(), cell);
            }
        }
    }
    Ok(under)
}
