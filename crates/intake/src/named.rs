//! The cells of a laid-out data sheet that hold readings and results: where each stands, what it shows, and the names that
//! formulas may call it by.

use std::collections::{BTreeMap, BTreeSet};

use jurado_core::cell::Address;
use jurado_core::protocol::{ItemId, ItemKind, Protocol, ReadingKind};

/// A cell of a reading or result, row and column from nought.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Spot {
    pub(crate) row: usize,
    pub(crate) column: usize,
    pub(crate) item: ItemId,
}

/// Every cell of a grid that holds a reading or result, in the order in which they stand.
pub(crate) fn spots(protocol: &Protocol, grid: &[Vec<String>]) -> Vec<Spot> {
    let mut out = Vec::new();
    let mut header: Vec<String> = Vec::new();
    let mut table = None;
    for (row, line) in grid.iter().enumerate() {
        let first = line.first().map_or("", String::as_str);
        match first {
            "item" | "row" => header.clone_from(line),
            "table" => {
                table = line.get(1).and_then(|id| protocol.table(id));
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
pub(crate) fn shows(protocol: &Protocol, item: ItemId) -> Shows {
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

/// A name of a sheet: what it is, its item, and its first and last cell.
pub(crate) struct Name {
    pub(crate) name: String,
    pub(crate) item: ItemId,
    pub(crate) range: [Address; 2],
}

/// The names of a sheet: the ids of its items, and short ones by their symbols. A symbol is the name of the first item that has it;
/// that of a later one has its bay after it, since names are alike in capitals and small letters. A name that a program would
/// take for an address has a line after it.
pub(crate) fn names(protocol: &Protocol, spots: &[Spot]) -> Vec<Name> {
    let mut cells: BTreeMap<ItemId, [Address; 2]> = BTreeMap::new();
    let mut order: Vec<ItemId> = Vec::new();
    for s in spots {
        let at = Address::here(s.row as u32 + 1, s.column as u32 + 1);
        if !order.contains(&s.item) {
            order.push(s.item);
        }
        cells.entry(s.item).and_modify(|c| c[1] = at.clone()).or_insert_with(|| [at.clone(), at]);
    }
    let mut taken: BTreeSet<String> =
        order.iter().filter_map(|i| named(&protocol.items[*i].id)).map(|n| n.to_lowercase()).collect();
    let mut out: Vec<Name> = Vec::new();
    for item in order {
        let it = &protocol.items[item];
        let bay = match it.kind {
            ItemKind::Reading(r) => protocol.readings[r].bay,
            ItemKind::Result(r) => protocol.results[r].bay,
            _ => continue,
        };
        let short = [it.symbol.clone(), format!("{}_{}", it.symbol, protocol.bays[bay].id)]
            .iter()
            .filter(|_| !it.symbol.is_empty())
            .filter_map(|s| named(s))
            .find(|s| taken.insert(s.to_lowercase()));
        let Some(range) = cells.get(&item) else { continue };
        out.extend(named(&it.id).into_iter().chain(short).map(|name| Name { name, item, range: range.clone() }));
    }
    out
}

/// The short name of an item: what stands for it in a formula besides its id.
pub(crate) fn short(names: &[Name], item: ItemId) -> Option<&str> {
    names.iter().filter(|n| n.item == item).nth(1).map(|n| n.name.as_str())
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
