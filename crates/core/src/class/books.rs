//! Tables whose spreadsheets have the same formulas to the letter, with the same cells of the
//! team's own beside the sheet. Worth a look, never an accusation: a sheet handed out, or one that
//! two teams wrote together, is an honest cause.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use super::Entry;
use crate::cell::{Under, parse};

/// Fewest cells of the team's own with a formula: on the sheet itself honest teams write the same.
const FEWEST: usize = 2;

/// What the formulas of one table are known by.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Book {
    /// Digest of all formulas with their addresses.
    #[serde(rename = "d")]
    pub digest: String,
    /// Formulas under cells of the sheet.
    #[serde(rename = "f")]
    pub formulas: u32,
    /// Cells of the team's own with a formula.
    #[serde(rename = "o")]
    pub own: u32,
}

impl Book {
    /// Of what stands under a table; `None` where there is no formula.
    ///
    /// The digest is over formulas in one spelling, so that two programs that write them
    /// differently agree.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Under};
    /// use jurado_core::class::Book;
    /// let mut under = Under::default();
    /// assert_eq!(Book::of(&under), None);
    /// under.cells.insert("Sheet!B2".into(), Below { formula: Some("=A1*2".into()), ..Below::default() });
    /// let book = Book::of(&under).expect("a formula");
    /// assert_eq!((book.formulas, book.own), (0, 1));
    /// ```
    pub fn of(under: &Under) -> Option<Book> {
        let mut digest = Sha256::new();
        let (mut formulas, mut own) = (0, 0);
        for (address, cell) in &under.cells {
            let Some(text) = &cell.formula else { continue };
            // In one spelling, whatever the file's.
            let plain = parse(text).map_or_else(|_| text.clone(), |p| p.kind.plain());
            for part in [address.as_str(), plain.as_str()] {
                digest.update(part.as_bytes());
                digest.update([0]);
            }
            *(if cell.item.is_empty() { &mut own } else { &mut formulas }) += 1;
        }
        let bytes = digest.finalize();
        let digest = bytes.iter().take(8).map(|b| format!("{b:02x}")).collect();
        (formulas + own > 0).then_some(Book { digest, formulas, own })
    }
}

/// Tables with the same book.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SharedBook {
    /// Numbers of the entries.
    pub tables: Vec<usize>,
    /// The book.
    pub book: Book,
    /// How many tables of the class have a book at all.
    pub of: usize,
}

/// Books that two tables or more have, with cells of the team's own in them; those of the fewest
/// tables first.
///
/// # Example
/// ```
/// use jurado_core::class::{Book, Entry, Essence, shared_books};
/// let entry = |digest: &str| {
///     let book = Some(Book { digest: digest.into(), formulas: 4, own: 3 });
///     Entry { essence: Essence { book, ..Essence::default() }, ..Entry::default() }
/// };
/// // The first and the last have the same formulas to the letter.
/// let shared = shared_books(&[entry("a"), entry("b"), entry("a")]);
/// assert_eq!((shared.len(), shared[0].tables.as_slice(), shared[0].of), (1, [0, 2].as_slice(), 3));
/// ```
pub fn shared_books(entries: &[Entry]) -> Vec<SharedBook> {
    let mut by: BTreeMap<&str, (Vec<usize>, &Book)> = BTreeMap::new();
    let mut of = 0;
    for (n, book) in entries.iter().enumerate().filter_map(|(n, e)| Some((n, e.essence.book.as_ref()?))) {
        of += 1;
        if book.own as usize >= FEWEST {
            by.entry(&book.digest).or_insert_with(|| (Vec::new(), book)).0.push(n);
        }
    }
    let shared = by.into_values().filter(|(tables, _)| tables.len() > 1);
    let mut out: Vec<SharedBook> = shared.map(|(tables, book)| SharedBook { tables, book: book.clone(), of }).collect();
    out.sort_by_key(|s| (s.tables.len(), s.tables.first().copied()));
    out
}

#[cfg(test)]
mod tests {
    use super::{Book, shared_books};
    use crate::cell::{Below, Under};
    use crate::class::{Entry, Essence};

    fn under(own: &[(&str, &str)]) -> Under {
        let mut under = Under::default();
        let below =
            |item: &str, text: &str| Below { item: item.into(), formula: Some(text.into()), ..Below::default() };
        under.cells.insert("D9".into(), below("density", "=D7/H1"));
        own.iter().for_each(|(a, t)| drop(under.cells.insert((*a).into(), below("", t))));
        under
    }

    fn entry(own: &[(&str, &str)]) -> Entry {
        Entry { essence: Essence { book: Book::of(&under(own)), ..Essence::default() }, ..Entry::default() }
    }

    #[test]
    fn only_the_same_formulas_in_the_same_cells_of_their_own_are_told() {
        let mine = [("H1", "=D4*D5"), ("H2", "=H1/2")];
        let class = [
            entry(&mine),
            entry(&[("H1", "=[.D4]*[.D5]"), ("H2", "=h1 / 2")]),
            entry(&[("J1", "=D4*D5"), ("J2", "=J1/2")]),
            // One cell of its own is too little.
            entry(&mine[..1]),
            entry(&mine[..1]),
            entry(&[]),
            Entry::default(),
        ];
        let found = shared_books(&class);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!((found[0].tables.as_slice(), found[0].of), ([0, 1].as_slice(), 6));
        assert_eq!((found[0].book.formulas, found[0].book.own), (1, 2));
    }
}
