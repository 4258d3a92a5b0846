//! What a board shows, counted: for tests alone.

use super::board::{BayView, BoardView, SegmentView};
use super::raft::RaftView;
use super::readings::ReadingView;
use crate::draw::charts::ChartView;

impl BoardView {
    fn parts(&self) -> (Vec<&BayView>, Vec<&ReadingView>, Vec<&RaftView>) {
        let (mut bays, mut above, mut rafts) = (Vec::new(), Vec::new(), Vec::new());
        for s in &self.segments {
            match s {
                SegmentView::Ladder(l) => bays.extend(&l.bays),
                SegmentView::Rafts(r) => {
                    above.extend(r.blocks.iter().flat_map(|b| &b.readings));
                    rafts.extend(&r.rafts);
                }
            }
        }
        above.extend(bays.iter().flat_map(|b| &b.readings));
        (bays, above, rafts)
    }

    /// Results that are shown.
    pub(crate) fn results(&self) -> usize {
        let (bays, _, rafts) = self.parts();
        let places = rafts.iter().flat_map(|r| &r.rows).flat_map(|r| &r.cells);
        bays.iter().map(|b| b.rungs.len()).sum::<usize>() + places.filter(|c| c.result.is_some()).count()
    }

    /// Cells of readings that are shown.
    pub(crate) fn cells(&self) -> usize {
        let (_, single, rafts) = self.parts();
        let places = rafts.iter().flat_map(|r| &r.rows).flat_map(|r| &r.cells);
        single.iter().map(|r| r.cells.len()).sum::<usize>() + places.filter(|c| c.reading.is_some()).count()
    }

    /// Numbers of the pennants that fly somewhere; `None` where a row has more than it has room for.
    pub(crate) fn pennants(&self) -> Vec<Option<usize>> {
        let (bays, single, rafts) = self.parts();
        let rungs = bays.iter().flat_map(|b| &b.rungs).flat_map(|r| &r.pennants);
        let readings = single.iter().flat_map(|r| &r.pennants);
        let heads = rafts.iter().flat_map(|r| &r.heads).flat_map(|h| &h.pennants);
        let rows = rafts.iter().flat_map(|r| &r.rows);
        let more = rows.clone().filter(|r| r.more > 0).map(|_| None);
        rungs
            .chain(readings)
            .chain(heads)
            .chain(rows.flat_map(|r| &r.pennants))
            .map(|p| Some(p.0))
            .chain(more)
            .collect()
    }

    /// All charts, beside their rafts and below.
    pub(crate) fn all_charts(&self) -> Vec<&ChartView> {
        let beside = self.segments.iter().filter_map(|s| match s {
            SegmentView::Rafts(r) => r.chart.as_ref(),
            SegmentView::Ladder(_) => None,
        });
        beside.chain(&self.charts).collect()
    }

    /// Runs of rows that are folded.
    pub(crate) fn folds(&self) -> usize {
        self.parts().2.iter().flat_map(|r| &r.rows).filter(|r| r.fold.is_some()).count()
    }

    /// What a try-out changes: results that come out otherwise, and cells.
    pub(crate) fn tried(&self) -> (usize, usize) {
        let (bays, single, rafts) = self.parts();
        let places = || rafts.iter().flat_map(|r| &r.rows).flat_map(|r| &r.cells);
        let results = bays.iter().flat_map(|b| &b.rungs).filter(|r| !r.tried.is_empty()).count()
            + places().filter_map(|c| c.result.as_ref()).filter(|r| !r.tried.is_empty()).count();
        let cells = single.iter().flat_map(|r| &r.cells).filter(|c| c.tried).count()
            + places().filter_map(|c| c.reading.as_ref()).filter(|c| c.tried).count();
        (results, cells)
    }
}
