//! Cells that a formula takes as a whole and that are not there: a value that the team had in hand,
//! and its sheet has not.
//!
//! A team that left one replicate out of its sheet may have had it in the calculation. If exactly
//! one cell is missing and a plausible value in it gives R, the result is not checked and the cell
//! is asked for. If several are missing nothing is known of R, and nothing is held against it.

use super::Judge;
use crate::formula::{ItemId, Shape};
use crate::judging::values::put;
use crate::protocol::ItemKind;
use crate::row::Row;
use crate::verdict::{CellState, Gap};

impl Judge<'_> {
    /// The missing or unreadable cell of a column that this result takes as a whole, with the value
    /// that would give R. `None` where no such cell is missing.
    ///
    /// `r` and `width` are in the result's unit. Only single values are asked: a row of a column
    /// depends on its own row, and a cell that is missing there leaves the row missing.
    pub(super) fn gap(&self, r: f64, width: f64) -> Option<Gap> {
        if !matches!(self.item().rows, Shape::Scalar) {
            return None;
        }
        let missing = self.missing();
        let (item, row) = *missing.first()?;
        let fits = (missing.len() == 1).then(|| self.filled(item, row, r, width)).flatten();
        Some(Gap { item, row: Row::at(row), fits, alone: missing.len() == 1 })
    }

    /// The empty cells of the columns that the result uses and that nobody left out, by item and
    /// row.
    ///
    /// Optional cells are no gap, nor are words, and neither is what the team or a person left out.
    fn missing(&self) -> Vec<(ItemId, usize)> {
        let ground = self.ground;
        let mut missing: Vec<(ItemId, usize)> = Vec::new();
        for item in self.spec.node.items() {
            let (ItemKind::Reading(n), Shape::Column(group)) =
                (ground.protocol.items[item].kind, ground.protocol.items[item].rows)
            else {
                continue;
            };
            let spec = &ground.protocol.readings[n];
            if spec.need.optional || ground.protocol.items[item].words.is_some() {
                continue;
            }
            let out = ground.out.iter().find(|(g, _)| *g == group).map(|(_, rows)| rows);
            for (row, cell) in ground.table.readings[n].cells.iter().enumerate() {
                let left_out = out.is_some_and(|o| o.get(row) == Some(&true)) || cell.excluded.is_some();
                let gone = matches!(cell.state, CellState::Missing | CellState::Unreadable(_));
                if gone && !left_out && !cell.by_person {
                    missing.push((item, row));
                }
            }
        }
        missing
    }

    /// The value of one missing cell, in its unit, that gives R within `width` and is plausible.
    ///
    /// `row` counts from 0. The value is found by halving its plausible range sixty times, or a
    /// range about the other rows where the lab gives none; a formula that does not change sign
    /// over it has no such value.
    fn filled(&self, item: ItemId, row: usize, r: f64, width: f64) -> Option<f64> {
        let it = &self.ground.protocol.items[item];
        let spec = self.ground.protocol.reading_of(item)?;
        let others: Vec<f64> = (0..)
            .map_while(|n| {
                self.ground.measured[item]
                    .as_ref()
                    .and_then(|v| v.at(Some(n)).copied().map(Some).or((n < row + 64).then_some(None)))
            })
            .flatten()
            .map(|v| it.from_si(v))
            .take(10_000)
            .collect();
        let (least, most) = others.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, m), v| (l.min(*v), m.max(*v)));
        if !least.is_finite() {
            return None;
        }
        let margin = 2.0 * (most - least) + 0.2 * most.abs().max(least.abs());
        let (low, high) = spec.plausible.unwrap_or((least - margin, most + margin));
        let mut env = self.clean.clone();
        let mut value = |x: f64| {
            put(&mut env, item, Some(row), it.to_si(x));
            self.value(&self.spec.node, &env).map(|v| self.item().from_si(v) - r)
        };
        let (mut a, mut b) = (low, high);
        let (mut fa, fb) = (value(a)?, value(b)?);
        if fa.signum() == fb.signum() {
            return None;
        }
        for _ in 0..60 {
            let middle = 0.5 * (a + b);
            let f = value(middle)?;
            if f.signum() == fa.signum() { (a, fa) = (middle, f) } else { b = middle }
        }
        let found = 0.5 * (a + b);
        (value(found)?.abs() <= width).then_some(found)
    }
}
