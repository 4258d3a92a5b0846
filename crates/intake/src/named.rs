//! The cells of a laid-out data sheet that hold readings and results: where each stands, what it shows, and the names that
//! formulas may call it by.

use std::collections::BTreeMap;

use jurado_core::cell::Address;
use jurado_core::protocol::{Protocol, ReadingKind};

/// A cell of a reading or result, row and column from nought.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Spot {
    pub(crate) row: usize,
    pub(crate) column: usize,
    pub(crate) item: usize,
}

/// Every cell of a grid that holds a reading or result, in the order in which they stand.
pub(crate) fn spots(protocol: &Protocol, grid: &[Vec<String>]) -> Vec<Spot> {
    let mut out = Vec::new();
    let mut header: Vec<String> = Vec::new();
    let mut table: Option<usize> = None;
    for (row, line) in grid.iter().enumerate() {
        let first = line.first().map_or("", String::as_str);
        match first {
            "item" | "row" => header.clone_from(line),
            "table" => {
                table = line.get(1).and_then(|id| protocol.tables.iter().position(|t| t.id == *id));
                header.clear();
            }
            _ if header.is_empty() => {}
            _ if table.is_none() => {
                let Some(item) = protocol.item(first).filter(|i| protocol.is_typed(*i)) else { continue };
                let several = protocol.rows_of(item).is_some();
                let values = header.iter().enumerate().filter_map(|(c, n)| Some((c, n.parse::<u32>().ok()?)));
                let mine = values.filter(|(_, n)| several || *n == 1);
                out.extend(mine.map(|(column, _)| Spot { row, column, item }));
            }
            _ if first.parse::<u32>().is_ok() => {
                for (column, name) in header.iter().enumerate() {
                    let item = protocol.item(name).filter(|i| protocol.is_typed(*i) && protocol.table_of(*i) == table);
                    out.extend(item.map(|item| Spot { row, column, item }));
                }
            }
            _ => {}
        }
    }
    out
}

/// How a cell to be filled in shows its number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shows {
    /// A text, kept as it is typed.
    Text,
    /// A number as the program likes.
    Free,
    /// A number with so many decimals.
    Decimals(usize),
}

/// A reading shows the decimals that its instrument gives, so that none is lost and formulas can still read it.
pub(crate) fn shows(protocol: &Protocol, item: usize) -> Shows {
    if protocol.items[item].words.is_some() {
        return Shows::Text;
    }
    let Some(spec) = protocol.reading_of(item) else { return Shows::Free };
    match &spec.kind {
        ReadingKind::Count => Shows::Decimals(0),
        ReadingKind::Setting(_) => Shows::Free,
        _ => {
            let estimated = spec.instrument.is_some_and(|i| protocol.instruments[i].estimated);
            let step = protocol.step(spec).map(|s| if estimated { s / 10.0 } else { s });
            let whole = |d: &usize| {
                step.is_some_and(|s| {
                    let scaled = s * 10f64.powi(*d as i32);
                    scaled >= 0.999_999 && (scaled - scaled.round()).abs() < 1e-6
                })
            };
            (0..=8).find(whole).map_or(Shows::Free, Shows::Decimals)
        }
    }
}

/// The names of a sheet with their cells: the ids of its items, and their symbols where no two are alike. A name that a program would
/// take for an address has a line after it.
pub(crate) fn names(protocol: &Protocol, spots: &[Spot]) -> Vec<(String, [Address; 2])> {
    let mut cells: BTreeMap<usize, [Address; 2]> = BTreeMap::new();
    for s in spots {
        let at = Address::here(s.row as u32 + 1, s.column as u32 + 1);
        cells.entry(s.item).and_modify(|c| c[1] = at.clone()).or_insert_with(|| [at.clone(), at]);
    }
    let mut taken: BTreeMap<String, usize> = BTreeMap::new();
    let ids = cells.keys().map(|i| named(&protocol.items[*i].id));
    ids.flatten().for_each(|n| *taken.entry(n.to_lowercase()).or_default() += 1);
    let symbols = cells.keys().map(|i| named(&protocol.items[*i].symbol));
    symbols.flatten().for_each(|n| *taken.entry(n.to_lowercase()).or_default() += 1);
    let mut out = Vec::new();
    for (item, range) in &cells {
        let it = &protocol.items[*item];
        let id = named(&it.id);
        let symbol = named(&it.symbol).filter(|s| taken.get(&s.to_lowercase()) == Some(&1));
        out.extend(id.into_iter().chain(symbol).map(|name| (name, range.clone())));
    }
    out
}

/// A text as a name that spreadsheets take; `None` where it is none.
fn named(text: &str) -> Option<String> {
    let mut letters = text.chars();
    let begins = letters.next().is_some_and(|c| c.is_alphabetic() || c == '_');
    if !begins || text.len() > 60 || !letters.all(|c| c.is_alphanumeric() || matches!(c, '_' | '.')) {
        return None;
    }
    let address = Address::read(text).is_some() || is_row_and_column(text);
    Some(if address { format!("{text}_") } else { text.to_owned() })
}

/// `R`, `C`, `r1`, `R2C3`: the other way of writing addresses.
fn is_row_and_column(text: &str) -> bool {
    let lower = text.to_lowercase();
    let digits = |s: &str| s.bytes().all(|b| b.is_ascii_digit());
    match (lower.strip_prefix('r'), lower.strip_prefix('c')) {
        (Some(rest), _) => digits(rest) || rest.split_once('c').is_some_and(|(a, b)| digits(a) && digits(b)),
        (_, Some(rest)) => digits(rest),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::named;

    #[test]
    fn a_name_is_none_that_a_program_takes_for_an_address() {
        for (text, expected) in [
            ("plate_mass", Some("plate_mass")),
            ("L", Some("L")),
            ("R", Some("R_")),
            ("c", Some("c_")),
            ("r2c3", Some("r2c3_")),
            ("v1", Some("v1_")),
            ("V_c", Some("V_c")),
            ("ρ", Some("ρ")),
            ("2l", None),
            ("a b", None),
            ("", None),
        ] {
            assert_eq!(named(text).as_deref(), expected, "{text}");
        }
    }
}
