//! What is drawn on a raft: channels, the courses of slips, the thread of the cell in hand.

use jurado_core::protocol::ResultId;
use jurado_core::row::Row;
use jurado_core::verdict::{JudgedResult, VerdictKind};

use super::{Maker, What};
use crate::draw::raft::{Course, Needle};
use crate::views::bench::rungs::{distance, distance_to, envelope};

impl Maker<'_> {
    pub(super) fn needle(&self, what: What, run: &[Row], cell: (usize, usize)) -> Option<Needle> {
        let What::Result(k) = what else { return None };
        let of_run: Vec<&JudgedResult> = run.iter().filter_map(|row| self.of_row(k, *row)).map(|(_, r)| r).collect();
        let distances: Vec<f64> = of_run.iter().filter_map(|r| distance(r)).collect();
        if distances.is_empty() {
            return None;
        }
        let one = if let [r] = of_run[..] { Some(r) } else { None };
        Some(Needle {
            cell,
            distances,
            envelope: one.map_or(0.0, envelope),
            symbol: one.map_or("agrees", |r| r.verdict.word()),
            ghost: one.and_then(|r| self.tried_of(r).filter(|t| t.clean != r.clean).and_then(|t| distance_to(r, t))),
        })
    }

    /// Slips of single rows with the cells that carry them.
    pub(super) fn courses(&self, whats: &[What], shown: &[Vec<Row>]) -> Vec<Course> {
        let column = |k: ResultId| whats.iter().position(|w| *w == What::Result(k));
        let line = |row: Row| shown.iter().position(|run| run[..] == [row]);
        let cell = |r: &JudgedResult| Some((line(r.row?)?, column(r.id)?));
        let mut out: Vec<Course> = Vec::new();
        for slip in self.judged.results.iter().filter(|r| r.verdict == VerdictKind::Slip) {
            let Some(at) = cell(slip) else { continue };
            if slip.slip.as_ref().is_some_and(|s| s.rows.len() > 1) {
                continue;
            }
            // What carries it, and what carries that, in the order of derivation.
            let mut tainted = vec![slip.item];
            let mut carriers = Vec::new();
            let mut leaves = false;
            for r in self.judged.results.iter().filter(|r| r.verdict == VerdictKind::Carried) {
                if !r.tainted_by.iter().any(|t| tainted.contains(t)) {
                    continue;
                }
                match r.row {
                    Some(row) if Some(row) >= slip.row && column(r.id).is_some() => {
                        // Rows that go on carrying are reached through the first of them.
                        let row_alone = self.protocol.results[r.id].row_local;
                        if row_alone && Some(row) != slip.row {
                            continue;
                        }
                        tainted.push(r.item);
                        carriers.extend(cell(r));
                    }
                    Some(_) => {}
                    None => {
                        tainted.push(r.item);
                        leaves = true;
                    }
                }
            }
            out.push(Course { slip: at, carriers, second: !out.is_empty(), leaves });
        }
        out
    }

    /// The cell in hand with the readings of its row that it is made from: columns, row and column.
    pub(super) fn thread(&self, whats: &[What], shown: &[Vec<Row>]) -> Option<(Vec<usize>, (usize, usize))> {
        let hand = self.hand_item();
        let r = self
            .judged
            .results
            .iter()
            .find(|r| r.row.is_some() && self.is_in_hand(r, hand) && whats.contains(&What::Result(r.id)))?;
        let row = shown.iter().position(|run| r.row.is_some_and(|row| run[..] == [row]))?;
        let column = whats.iter().position(|w| *w == What::Result(r.id))?;
        let used = self.protocol.results[r.id].node.items();
        let from = whats
            .iter()
            .enumerate()
            .filter(|(_, w)| matches!(w, What::Reading(i) if used.contains(&self.protocol.readings[*i].item)))
            .map(|(c, _)| c)
            .collect();
        Some((from, (row, column)))
    }
}
