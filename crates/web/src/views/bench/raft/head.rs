//! Heads of columns, with what is so throughout a column, and the note of a table's title.

use jurado_core::verdict::{JudgedResult, VerdictKind};

use super::{HeadView, Maker, Mark, Symbol, What};

impl Maker<'_> {
    /// How many cells were typed in another unit, once for the table.
    pub(super) fn typed_note(&self, whats: &[What]) -> String {
        let mut units: Vec<String> = Vec::new();
        let mut count = 0;
        for what in whats {
            let What::Reading(i) = what else { continue };
            for n in 0..self.judged.readings[*i].cells.len() {
                let cell = self.cell(*i, n);
                if !cell.typed_unit.is_empty() {
                    count += 1;
                    if !units.contains(&cell.typed_unit) {
                        units.push(cell.typed_unit);
                    }
                }
            }
        }
        match count {
            0 => String::new(),
            1 => format!("1 cell typed in {}, converted", units.join(" and ")),
            n => format!("{n} cells typed in {}, converted", units.join(" and ")),
        }
    }

    pub(super) fn head(&self, what: What) -> HeadView {
        match what {
            What::Row | What::Street => HeadView::default(),
            What::Reading(i) => {
                let spec = &self.protocol.readings[i];
                let item = &self.protocol.items[spec.item];
                HeadView {
                    class: if item.words.is_some() { "zn" } else { "rd1" },
                    title: item.title.clone(),
                    symbol: Symbol::of(&item.symbol),
                    unit: item.unit_after().trim().to_owned(),
                    typed_unit: self.typed_unit(i),
                    mark: None,
                    says: String::new(),
                    pennants: self.pennants(|f| f.concerns(spec.item) && f.place.row.is_none()),
                }
            }
            What::Result(k) => {
                let item_at = self.protocol.results[k].item;
                let item = &self.protocol.items[item_at];
                let of_column: Vec<&JudgedResult> =
                    self.judged.results.iter().filter(|r| r.id == k && !self.rightly_blank(r)).collect();
                let all = |kind| !of_column.is_empty() && of_column.iter().all(|r| r.verdict == kind);
                let down = of_column.iter().find_map(|r| r.slip.as_ref().filter(|s| s.rows.len() > 1));
                let (mark, says) = if all(VerdictKind::Agrees) {
                    (Some(Mark::verdict(VerdictKind::Agrees)), "all agree".to_owned())
                } else if let Some(slip) = down {
                    let (first, last) = (slip.rows.iter().min(), slip.rows.iter().max());
                    let says = match (first, last) {
                        (Some(a), Some(b)) => format!("one slip down rows {a} to {b}"),
                        _ => String::new(),
                    };
                    (Some(Mark::verdict(VerdictKind::Slip)), says)
                } else {
                    (None, String::new())
                };
                HeadView {
                    class: if item.words.is_some() { "rw" } else { "rv" },
                    title: item.title.clone(),
                    symbol: Symbol::of(&item.symbol),
                    unit: item.unit_after().trim().to_owned(),
                    typed_unit: String::new(),
                    mark,
                    says,
                    pennants: self.pennants(|f| f.concerns(item_at) && f.place.row.is_none()),
                }
            }
        }
    }
}
