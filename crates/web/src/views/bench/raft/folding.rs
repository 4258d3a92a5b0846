//! Which rows are shown, and what stands for those that are folded.

use jurado_core::protocol::{ReadingId, ResultId, TableId};
use jurado_core::row::Row;
use jurado_core::verdict::VerdictKind;

use super::{FoldView, Maker, Mark, RowView, What};

/// Rows up to which nothing folds, and the shortest run that does.
const MOST_ROWS: usize = 8;
const LEAST_RUN: usize = 4;
/// Rows before and after one with something to see, since sums look back; rows at the top.
const BEFORE: u32 = 2;
const AFTER: u32 = 1;
const FIRST: u32 = 3;
/// Widths of a letter, and of the mark and the key beside the words of a fold, px.
const LETTER: f64 = 6.4;
const BESIDE: f64 = 40.0;

impl Maker<'_> {
    /// Rows in the order they are shown, folded ones together.
    pub(super) fn shown(&self, table: TableId, whats: &[What], rows: u32, near: &[Row]) -> Vec<Vec<Row>> {
        let every = || Row::first(rows).map(|r| vec![r]).collect();
        if rows as usize <= MOST_ROWS || self.unfolded || self.tried.is_some() {
            return every();
        }
        let told: Vec<Row> = Row::first(rows).filter(|r| self.something(table, whats, *r)).collect();
        let open = |row: Row| {
            let beside = |t: &Row| row.number() + BEFORE >= t.number() && row.number() <= t.number() + AFTER;
            row.number() <= FIRST || near.contains(&row) || told.iter().any(beside)
        };
        let mut out: Vec<Vec<Row>> = Vec::new();
        let mut run: Vec<Row> = Vec::new();
        let close = |run: &mut Vec<Row>, out: &mut Vec<Vec<Row>>| {
            if run.len() >= LEAST_RUN {
                out.push(std::mem::take(run));
            } else {
                out.extend(run.drain(..).map(|r| vec![r]));
            }
        };
        for row in Row::first(rows) {
            if open(row) {
                close(&mut run, &mut out);
                out.push(vec![row]);
            } else {
                run.push(row);
            }
        }
        close(&mut run, &mut out);
        out
    }

    /// Whether a row has anything to see: what agrees, is rounded alone or goes on carrying has not.
    pub(super) fn something(&self, table: TableId, whats: &[What], row: Row) -> bool {
        let cell = |i: ReadingId| {
            let n = self.judged.readings[i].cells.iter().position(|c| c.row == Some(row));
            n.is_some_and(|n| self.cell(i, n).told())
        };
        let result = |k: ResultId| {
            let carries = |row: Row| self.of_row(k, row).is_some_and(|(_, r)| r.verdict.taints());
            self.of_row(k, row).is_some_and(|(_, r)| match r.verdict {
                _ if self.rightly_blank(r) => false,
                VerdictKind::Agrees | VerdictKind::Rounded => false,
                VerdictKind::Carried => row.before().is_none_or(|before| !carries(before)),
                // One slip down a column is found, and charged, at its first row.
                VerdictKind::Slip => {
                    r.slip.as_ref().is_none_or(|s| s.rows.len() < 2 || s.rows.iter().min() == Some(&row))
                }
                _ => true,
            })
        };
        let hand = self.hand_item();
        whats.iter().any(|w| match w {
            What::Reading(i) => cell(*i),
            What::Result(k) => {
                result(*k)
                    || self.of_row(*k, row).is_some_and(|(_, r)| self.result.is_some() && self.is_in_hand(r, hand))
            }
            _ => false,
        }) || self.numbered.iter().any(|n| self.flies(table, &self.judged.findings[*n], row))
    }

    /// Several rows as one, in columns of these widths: in few words where the readings leave little room.
    pub(super) fn fold(&self, whats: &[What], widths: &[f64], run: &[Row]) -> RowView {
        let of_run = |k: ResultId| run.iter().filter_map(move |row| self.of_row(k, *row)).map(|(_, r)| r.verdict);
        let verdicts: Vec<VerdictKind> = whats
            .iter()
            .filter_map(|w| if let What::Result(k) = w { Some(*k) } else { None })
            .flat_map(of_run)
            .collect();
        let end = |row: Option<&Row>| row.map_or_else(String::new, ToString::to_string);
        let (first, last) = (end(run.first()), end(run.last()));
        let (kind, words, few) = if verdicts.contains(&VerdictKind::Slip) {
            (VerdictKind::Slip, "likewise", "likewise")
        } else if verdicts.contains(&VerdictKind::Carried) {
            (VerdictKind::Carried, "follow from above", "follow")
        } else if verdicts.contains(&VerdictKind::Rounded) {
            (VerdictKind::Rounded, "agree, some rounded", "agree")
        } else if verdicts.is_empty() {
            (VerdictKind::Agrees, "have nothing to see", "at rest")
        } else {
            (VerdictKind::Agrees, "agree", "agree")
        };
        // Its words run over the readings; channels stand under the results.
        let readings = whats.iter().position(|w| *w == What::Street).unwrap_or(whats.len());
        let whole = format!("rows {first} to {last} {words}");
        let room = widths.iter().take(readings + 1).sum::<f64>() - BESIDE;
        let fits = LETTER * whole.chars().count() as f64 <= room;
        RowView {
            name: String::new(),
            pennants: Vec::new(),
            more: 0,
            tall: false,
            cells: Vec::new(),
            fold: Some(FoldView {
                mark: Mark::verdict(kind),
                says: if fits { whole.clone() } else { format!("{first}–{last} {few}") },
                brief: !fits,
                whole,
                span: readings + 1,
                rest: whats.len() - readings - 1,
            }),
        }
    }
}
