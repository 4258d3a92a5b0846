//! Rows with their readings and results.

use jurado_core::protocol::TableId;
use jurado_core::row::Row;
use jurado_core::verdict::{JudgedResult, VerdictKind};

use super::measure::{FEW_LETTERS, MOST_LETTERS, shortened, value};
use super::{HeadView, Maker, Mark, PlaceView, ResultView, RowView, What};
use crate::views::bench::rungs::{distance, of_row, pad, places};

impl Maker<'_> {
    pub(super) fn row(&self, (table, brief): (TableId, bool), whats: &[What], heads: &[HeadView], row: Row) -> RowView {
        let mut pennants = self.pennants(|f| self.flies(table, f, row));
        let more = pennants.len().saturating_sub(2);
        pennants.truncate(2);
        let cells: Vec<PlaceView> = whats
            .iter()
            .zip(heads)
            .skip(1)
            .map(|(what, head)| match what {
                What::Reading(i) => PlaceView {
                    reading: self.judged.readings[*i]
                        .cells
                        .iter()
                        .position(|c| c.row == Some(row))
                        .map(|n| self.shown_cell(*i, n, brief)),
                    words: self.is_words(*what),
                    ..PlaceView::default()
                },
                What::Result(k) => match self.of_row(*k, row) {
                    Some((place, r)) if !self.rightly_blank(r) => PlaceView {
                        result: Some(self.result_view(place, r, head, brief)),
                        words: self.is_words(*what),
                        ..PlaceView::default()
                    },
                    _ => PlaceView { blank: true, words: self.is_words(*what), ..PlaceView::default() },
                },
                What::Row | What::Street => PlaceView::default(),
            })
            .collect();
        let second = |r: &ResultView| !r.clean.is_empty() || !r.tried.is_empty();
        RowView {
            name: self.table_row_name(table, row),
            pennants,
            more,
            tall: cells.iter().filter_map(|c| c.result.as_ref()).any(second),
            cells,
            fold: None,
        }
    }

    pub(super) fn table_row_name(&self, table: TableId, row: Row) -> String {
        let item = self.protocol.readings.iter().find(|r| r.table == Some(table)).map(|r| r.item);
        item.map_or_else(|| row.to_string(), |item| self.row_name(item, row))
    }

    pub(super) fn result_view(&self, place: usize, r: &JudgedResult, head: &HeadView, brief: bool) -> ResultView {
        let letters = if brief { FEW_LETTERS } else { MOST_LETTERS };
        let words = self.protocol.items[r.item].words.is_some();
        let agrees = r.verdict == VerdictKind::Agrees;
        let clean = if agrees || r.verdict == VerdictKind::Unchecked { String::new() } else { self.right_text(r) };
        // Reported and recomputed figures of a column have as many places, so that their marks stand under one another.
        let shown = |text: &str| shortened(value(text), letters);
        let most = self
            .judged
            .results
            .iter()
            .filter(|x| x.id == r.id)
            .flat_map(|x| {
                let clean = if x.verdict == VerdictKind::Agrees { String::new() } else { self.right_text(x) };
                [shown(&x.reported.text), shown(&clean)]
            })
            .map(|text| places(&text))
            .max()
            .unwrap_or(0);
        let tried = self.tried_of(r).filter(|t| t.clean != r.clean || t.right_word != r.right_word);
        let tried = tried.map_or_else(String::new, |t| {
            let text = self.right_text(t);
            if text.is_empty() { "waits".to_owned() } else { text }
        });
        let text = if r.reported.text.is_empty() { "—".to_owned() } else { shown(&r.reported.text) };
        let far = crate::draw::ladder::in_words(distance(r));
        let gives = if clean.is_empty() { String::new() } else { format!(", recomputed {clean}") };
        ResultView {
            place,
            finding: self
                .numbered
                .iter()
                .position(|n| {
                    let f = &self.judged.findings[*n];
                    f.concerns(r.item) && of_row(f, r)
                })
                .map(|n| n + 1),
            words,
            read: self.is_read(r.item, r.row),
            pad: if words { String::new() } else { pad(&text, most) },
            whole: r.reported.written(),
            clean_pad: if words { String::new() } else { pad(&shown(&clean), most) },
            says: if words {
                format!("{}{gives}", r.verdict.word())
            } else {
                format!("{}, {far}{gives}", r.verdict.word())
            },
            clean: shortened(&clean, letters),
            reported: text,
            tried,
            mark: Mark::verdict(r.verdict),
            marked: head.mark.as_ref().is_none_or(|m| m.symbol != "agrees"),
            in_hand: self.is_in_hand(r, self.hand_item()),
        }
    }
}
