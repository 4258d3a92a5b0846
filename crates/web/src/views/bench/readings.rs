//! Readings of the Bench: each cell as the team typed it, then as it was taken where that differs.

use jurado_core::finding::Kind;
use jurado_core::notation;
use jurado_core::protocol::ReadingId;
use jurado_core::row::Row;
use jurado_core::verdict::{CellState, JudgedCell};
use jurado_core::wording;

use super::super::{Symbol, capital};
use super::{Maker, Pennant};

/// One reading, single or repeated.
pub(crate) struct ReadingView {
    pub(crate) title: String,
    pub(crate) symbol: Symbol,
    pub(crate) unit: String,
    /// Of a repeated reading the unit that was typed, where it was turned into another: there is no room for it in each cell.
    pub(crate) typed_unit: String,
    pub(crate) repeated: bool,
    /// Whether five of its cells side by side need narrow figures.
    pub(crate) tight: bool,
    /// Words instead of numbers: they need room beside each other.
    pub(crate) words: bool,
    pub(crate) cells: Vec<CellView>,
    pub(crate) pennants: Vec<Pennant>,
}

/// One cell.
#[derive(Clone, Debug, Default)]
pub(crate) struct CellView {
    pub(crate) text: String,
    /// What it was taken for, where that differs: in the protocol's unit, or as meant.
    pub(crate) taken: String,
    /// Unit as typed, where it is another.
    pub(crate) typed_unit: String,
    pub(crate) class: &'static str,
    pub(crate) missing: bool,
    /// Nothing stands there, and nothing has to.
    pub(crate) blank: bool,
    pub(crate) gap: bool,
    pub(crate) said: String,
    /// Name of its field in a try-out, and what it is called.
    pub(crate) field: String,
    pub(crate) called: String,
    /// Whether a try-out changes it.
    pub(crate) tried: bool,
    /// Whether it is left out (by the try-out, where there is one).
    pub(crate) out: bool,
    /// Whether it is one of several.
    pub(crate) of_many: bool,
    /// Whether the team's formula of the result in hand reads it.
    pub(crate) read: bool,
}

impl CellView {
    /// Whether there is anything to see besides a number that counts.
    pub(crate) fn told(&self) -> bool {
        !self.class.is_empty() || self.missing || self.gap || self.tried || !self.said.is_empty()
    }
}

/// A cell's value as it was taken, where that is not what was typed.
fn taken(cell: &JudgedCell) -> Option<String> {
    let typed = cell.number.as_ref()?.value;
    let value = cell.repaired.or(cell.value)?;
    if (typed - value).abs() <= 1e-9 * value.abs().max(f64::MIN_POSITIVE) {
        return None;
    }
    let places = (-(cell.resolution * 1.000_000_1).log10().floor()).clamp(0.0, 9.0) as usize;
    Some(notation::decimals(value, places))
}

impl Maker<'_> {
    /// The `i`th reading with all its cells.
    pub(super) fn reading(&self, i: ReadingId) -> ReadingView {
        let judged = &self.judged.readings[i];
        let item = &self.protocol.items[judged.item];
        let cells: Vec<CellView> = (0..judged.cells.len()).map(|n| self.cell(i, n)).collect();
        let repeated = self.protocol.rows_of(judged.item).is_some();
        let typed = cells.iter().map(|c| c.typed_unit.as_str()).find(|u| !u.is_empty() && repeated);
        ReadingView {
            typed_unit: typed.unwrap_or_default().to_owned(),
            title: capital(&item.title),
            symbol: Symbol::of(&item.symbol),
            unit: item.unit_after().trim().to_owned(),
            repeated,
            tight: cells.iter().any(|c| c.text.chars().count() > 6),
            words: item.words.is_some(),
            cells,
            pennants: self.pennants(|f| f.concerns(judged.item)),
        }
    }

    /// The `n`th cell of the `i`th reading.
    pub(super) fn cell(&self, i: ReadingId, n: usize) -> CellView {
        let judged = &self.judged.readings[i];
        let item = &self.protocol.items[judged.item];
        let c = &judged.cells[n];
        let flagged = self.judged.outliers.iter().any(|o| o.item == judged.item && o.row == c.row && o.flagged);
        let of_cell = |f: &&jurado_core::finding::Finding| {
            f.place.item == Some(judged.item) && (f.place.row.is_none() || f.place.row == c.row)
        };
        let mut found = self.judged.findings.iter().filter(of_cell);
        let short = found.clone().any(|f| matches!(f.kind, Kind::ReadingDigits { .. }));
        let step = self.protocol.step(&self.protocol.readings[i]).unwrap_or(f64::INFINITY);
        let many = judged.cells.len() > 1 || c.row.is_some();
        let tried = self.tried.and_then(|t| t.judged.readings[i].cells.get(n));
        let taken = taken(c).unwrap_or_default();
        let absent = c.state == CellState::Missing;
        // A cell of a table that nothing is said of is rightly blank.
        let blank = absent
            && c.row.is_some()
            && self.protocol.table_of(judged.item).is_some()
            && !self.row_missing(c.row)
            && !found.any(|f| matches!(f.kind, Kind::MissingReading | Kind::Absent { .. }));
        CellView {
            field: c.row.map_or_else(|| item.id.clone(), |r| format!("{}:{r}", item.id)),
            called: c.row.map_or_else(|| item.title.clone(), |r| format!("{}, reading {r}", item.title)),
            tried: tried.is_some_and(|t| t.text != c.text || t.by_person != c.by_person),
            out: tried.map_or(!c.counts && c.value.is_some(), |t| t.by_person || t.excluded.is_some()),
            of_many: many,
            read: self.is_read(judged.item, c.row),
            text: tried.map_or_else(|| c.text.clone(), |t| t.text.clone()),
            typed_unit: if taken.is_empty() { String::new() } else { c.unit.trim().to_owned() },
            class: match &c.state {
                CellState::Unreadable(_) | CellState::Bound => "aground",
                _ if !c.counts && c.value.is_some() => "out",
                _ if flagged => "odd",
                _ => "",
            },
            missing: absent && !blank,
            blank,
            gap: short && c.resolution >= 2.0 * step,
            said: match &c.state {
                CellState::Unreadable(why) => format!("unreadable: {}", wording::unreadable(why)),
                CellState::Bound => "beyond the range".to_owned(),
                CellState::Missing if blank => String::new(),
                CellState::Missing => {
                    c.absent.as_ref().map_or_else(|| "missing".to_owned(), |why| format!("missing: {why}"))
                }
                CellState::Read if !c.counts => "left out".to_owned(),
                CellState::Read => String::new(),
            },
            taken,
        }
    }

    /// Whether a whole row is missing.
    fn row_missing(&self, row: Option<Row>) -> bool {
        self.judged.findings.iter().any(|f| matches!(f.kind, Kind::MissingRow { .. }) && f.place.row == row)
    }
}
