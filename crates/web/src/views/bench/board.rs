//! The board of the Bench: rafts where readings come in rows, ladders for what stands alone, in the order of the bays.
//! Small rafts stand beside each other; a chart stands beside its raft where there is room.

use jurado_core::plots::{Plot, plots};
use jurado_core::protocol::{ItemId, ReadingId, TableId};
use jurado_core::row::Row;
use jurado_core::sketches::sketches;
use jurado_core::verdict::{Judged, JudgedResult, VerdictKind};

use super::Maker;
use super::raft::{BOARD as WIDTH, Measured, RaftView};
use super::readings::ReadingView;
use super::rungs::RungView;
use crate::draw::charts::{self, ChartView};
use crate::draw::ladder::{self, Bay};
use crate::draw::raft as drawn;
use crate::draw::svg::{Path, Svg};
use crate::draw::{apparatus, charts::SIZE};

/// The gap between things beside each other, and the least chart beside a raft, px.
const GAP: f64 = 24.0;
const LEAST_CHART: f64 = 396.0;
const LEAST_CHART_HEIGHT: f64 = 210.0;
/// Pitch of a reading, and of one with its field in a try-out.
const LINE: usize = 19;
const TRY_LINE: usize = 26;
/// Columns of single readings above a raft, their pitch and where their unit ends.
const BLOCKS: usize = 3;
const BLOCK_PITCH: f64 = 299.0;
const BLOCK: f64 = 270.0;
/// Gap below a line of rafts.
const BELOW: f64 = 8.0;

/// The board, ready to be laid out.
pub(crate) struct BoardView {
    pub(crate) segments: Vec<SegmentView>,
    /// Whether the last part is a ladder, which has room for the words beside its readings.
    pub(crate) ends_in_ladder: bool,
    /// Charts that found no room beside their raft, and sketches of the apparatus.
    pub(crate) charts: Vec<ChartView>,
}

/// One part of the board.
pub(crate) enum SegmentView {
    /// Rafts beside each other.
    Rafts(RaftsView),
    /// Results that stand alone.
    Ladder(LadderView),
}

/// Rafts beside each other, with the single readings above them.
pub(crate) struct RaftsView {
    pub(crate) blocks: Vec<BlockView>,
    pub(crate) rafts: Vec<RaftView>,
    pub(crate) chart: Option<ChartView>,
    pub(crate) svg: Svg,
    pub(crate) height: u32,
}

/// Single readings of a bay.
pub(crate) struct BlockView {
    pub(crate) title: String,
    pub(crate) readings: Vec<ReadingView>,
    /// Whether it has the whole width to itself.
    pub(crate) broad: bool,
}

/// Rungs with the readings beside them.
pub(crate) struct LadderView {
    pub(crate) bays: Vec<BayView>,
    pub(crate) svg: Svg,
    pub(crate) height: u32,
    pub(crate) readings: bool,
    pub(crate) last: bool,
}

/// A bay: its readings, its rungs, and the rows of the block.
pub(crate) struct BayView {
    pub(crate) title: String,
    pub(crate) rows: usize,
    pub(crate) fillers: usize,
    pub(crate) readings: Vec<ReadingView>,
    pub(crate) rungs: Vec<RungView>,
}

/// A bay while the board is made: its number, single readings, results.
struct Part<'a> {
    bay: usize,
    readings: Vec<ReadingId>,
    results: Vec<&'a JudgedResult>,
}

/// What has been gathered of a segment.
#[derive(Default)]
struct Gathered<'a> {
    /// Bays of single readings alone.
    above: Vec<Part<'a>>,
    tables: Vec<Measured>,
    names: Vec<TableId>,
    ladder: Vec<Part<'a>>,
    /// Whether the ladder holds bays that are not of its rafts.
    foreign: bool,
}

impl Gathered<'_> {
    fn fits(&self, more: &Measured) -> bool {
        let width = |m: &Measured| m.width().min(WIDTH) + GAP;
        !self.tables.is_empty() && !self.foreign && self.tables.iter().map(width).sum::<f64>() + more.width() <= WIDTH
    }
}

impl<'a> Maker<'a> {
    pub(super) fn board(&self) -> BoardView {
        let judged = self.tried.map_or(self.judged, |t| &t.judged);
        let mut charts = plots(self.protocol, judged);
        let mut segments = Vec::new();
        let mut now = Gathered::default();
        // Bays of single readings that wait for the next raft.
        let mut waiting: Vec<Part<'_>> = Vec::new();
        for bay in 0..self.protocol.bays.len() {
            let singles = |repeated: bool| -> Vec<ReadingId> {
                ReadingId::each(&self.protocol.readings)
                    .filter(|i| {
                        let spec = &self.protocol.readings[*i];
                        let many = self.protocol.rows_of(spec.item).is_some();
                        spec.bay == bay && spec.table.is_none() && many == repeated
                    })
                    .collect()
            };
            let (alone, repeated) = (singles(false), singles(true));
            let results: Vec<&JudgedResult> = self
                .judged
                .results
                .iter()
                .filter(|r| r.row.is_none() && self.protocol.results[r.id].bay == bay)
                .collect();
            let tables: Vec<TableId> =
                TableId::each(&self.protocol.tables).filter(|t| self.protocol.tables[*t].bay == bay).collect();
            if tables.is_empty() {
                if results.is_empty() && repeated.is_empty() {
                    waiting.push(Part { bay, readings: alone, results });
                } else {
                    now.foreign = true;
                    let mut readings = [alone, repeated].concat();
                    readings.sort_unstable();
                    now.ladder.push(Part { bay, readings, results });
                }
                continue;
            }
            for (n, table) in tables.into_iter().enumerate() {
                let measured = self.measure(table);
                if n == 0 && !alone.is_empty() {
                    waiting.push(Part { bay, readings: alone.clone(), results: Vec::new() });
                }
                if now.tables.is_empty() && now.ladder.is_empty() || waiting.is_empty() && now.fits(&measured) {
                    now.tables.push(measured);
                } else {
                    self.close(std::mem::take(&mut now), &mut segments, &mut charts);
                    now.tables.push(measured);
                }
                now.above.append(&mut waiting);
                now.names.push(table);
            }
            if !results.is_empty() || !repeated.is_empty() {
                now.ladder.push(Part { bay, readings: repeated, results });
            }
        }
        now.ladder.append(&mut waiting);
        self.close(now, &mut segments, &mut charts);
        let mut rest = apparatus::draw(self.protocol, &sketches(self.protocol, judged));
        rest.extend(charts.iter().map(|p| charts::draw(self.protocol, p, SIZE)));
        let ends_in_ladder = match segments.last_mut() {
            Some(SegmentView::Ladder(l)) => {
                l.last = true;
                true
            }
            _ => false,
        };
        BoardView { segments, ends_in_ladder, charts: rest }
    }

    /// Lays out what was gathered: rafts first, then the ladder.
    fn close(&self, now: Gathered<'a>, segments: &mut Vec<SegmentView>, charts: &mut Vec<Plot>) {
        let Gathered { above, tables, names, mut ladder, .. } = now;
        let mut exits = Vec::new();
        if !tables.is_empty() {
            let rafts = self.rafts(&above, tables, &names, charts);
            exits = rafts.1;
            segments.push(SegmentView::Rafts(rafts.0));
        }
        ladder.sort_by_key(|p| p.bay);
        let ladder = beside(ladder);
        if !ladder.is_empty() {
            segments.push(SegmentView::Ladder(self.ladder(&ladder, &exits)));
        }
    }

    /// A line of rafts, and where its courses leave it.
    fn rafts(
        &self,
        above: &[Part<'_>],
        tables: Vec<Measured>,
        names: &[TableId],
        charts: &mut Vec<Plot>,
    ) -> (RaftsView, Vec<f64>) {
        let blocks: Vec<BlockView> = above.iter().map(|p| self.block(p, above.len() == 1)).collect();
        let line = if self.tried.is_some() { TRY_LINE } else { LINE } as f64;
        let lines = |b: &BlockView| if b.broad { b.readings.len().div_ceil(BLOCKS) } else { b.readings.len() };
        let height = |row: &[BlockView]| row.iter().map(lines).max().map_or(0.0, |n| drawn::TITLE + line * n as f64);
        let top: f64 = blocks.chunks(BLOCKS).map(height).sum();
        let judged = self.tried.map_or(self.judged, |t| &t.judged);
        let width: f64 = tables.iter().map(Measured::width).sum::<f64>() + GAP * (tables.len() - 1) as f64;
        let of_table = |p: &Plot| {
            let (x, y) = charts::columns(p);
            names.iter().any(|t| self.protocol.table_of(x) == Some(*t) || self.protocol.table_of(y) == Some(*t))
        };
        let room = WIDTH - width - GAP;
        let chosen = charts.iter().position(of_table).filter(|_| room >= LEAST_CHART).map(|i| charts.remove(i));
        let each = match (&chosen, tables.len()) {
            (Some(_), n) => (WIDTH - LEAST_CHART - GAP * n as f64) / n as f64,
            (None, n) => (WIDTH - GAP * (n - 1) as f64) / n as f64,
        };
        let near = chosen.as_ref().map_or_else(Vec::new, end_rows);
        let many = tables.len() > 1 || chosen.is_some();
        let mut rafts = Vec::new();
        let spare = if tables.len() > 1 { (WIDTH - width) / tables.len() as f64 } else { 0.0 };
        for m in tables {
            let room = if many && chosen.is_none() { m.width() + spare } else { each };
            rafts.push(self.raft(m, room, &near));
        }
        let tallest = rafts.iter().map(|r| f64::from(r.height)).fold(0.0, f64::max);
        let used: f64 = rafts.iter().map(|r| f64::from(r.width).min(WIDTH) + GAP).sum();
        let chart = chosen.map(|p| {
            let height = tallest.max(LEAST_CHART_HEIGHT) - drawn::TITLE;
            charts::draw(self.protocol, &p, (WIDTH - used, height.min(380.0)))
        });
        let body = chart.as_ref().map_or(tallest, |c| tallest.max(f64::from(c.height) + drawn::TITLE));
        let mut svg = Svg::default();
        let mut exits = Vec::new();
        let mut left = 0.0;
        for raft in &rafts {
            let bottom = top + f64::from(raft.height);
            for x in &raft.exits {
                svg.path("course", &Path::at((left + x, bottom)).down_to(top + body + BELOW));
                exits.push(left + x);
            }
            if let Some((x, y, street)) = raft.door.filter(|_| !raft.scrolls) {
                for from in self.used_above(judged, above, line) {
                    drawn::from_above(&mut svg, from, left + street, top - 2.0, (left + x, top + y));
                }
            }
            left += f64::from(raft.width) + GAP;
        }
        (RaftsView { blocks, rafts, chart, svg, height: (top + body + BELOW) as u32 }, exits)
    }

    /// Where single readings above a raft end that the result in hand is made from.
    fn used_above(&self, judged: &Judged, above: &[Part<'_>], line: f64) -> Vec<(f64, f64)> {
        let used = self.used();
        let mut out = Vec::new();
        let mut top = 0.0;
        for row in above.chunks(BLOCKS) {
            let mut most = 0;
            for (b, part) in row.iter().enumerate() {
                for (n, i) in part.readings.iter().enumerate() {
                    let (column, at) = if above.len() == 1 { (n % BLOCKS, n / BLOCKS) } else { (b, n) };
                    most = most.max(at + 1);
                    if used.contains(&judged.readings[*i].item) {
                        let y = top + drawn::TITLE + line * at as f64 + line / 2.0;
                        out.push((BLOCK_PITCH * column as f64 + BLOCK + 6.0, y));
                    }
                }
            }
            top += drawn::TITLE + line * most as f64;
        }
        out
    }

    fn block(&self, part: &Part<'_>, broad: bool) -> BlockView {
        BlockView {
            title: self.protocol.bays[part.bay].title.clone(),
            readings: part.readings.iter().map(|i| self.reading(*i)).collect(),
            broad,
        }
    }

    /// A ladder; `exits` are the places where courses come down into it.
    fn ladder(&self, parts: &[Part<'_>], exits: &[f64]) -> LadderView {
        let hand = self.hand_item();
        let used = self.used();
        // Fields with their boxes need more room than figures.
        let (a_line, line) = if self.tried.is_some() { (3, TRY_LINE) } else { (5, LINE) };
        let mut items = Vec::new();
        let mut bays = Vec::new();
        let mut drawings: Vec<Bay> = Vec::new();
        let mut starts = Vec::new();
        let mut top = ladder::HEAD;
        let mut entry = None;
        let mut hand_rung = None;
        for part in parts {
            let readings: Vec<ReadingView> = part.readings.iter().map(|i| self.reading(*i)).collect();
            let lines: Vec<usize> =
                readings.iter().map(|r| if r.repeated { 1 + r.cells.len().div_ceil(a_line) } else { 1 }).collect();
            let height = line * lines.iter().sum::<usize>();
            let rows = part.results.len().max(height.div_ceil(28)).max(1);
            let mut y = top + ladder::BAY;
            for (i, lines) in part.readings.iter().zip(&lines) {
                if used.contains(&self.judged.readings[*i].item) {
                    starts.push(y + line as f64 / 2.0 + (line * (*lines - 1)) as f64);
                }
                y += (line * *lines) as f64;
            }
            for r in &part.results {
                let from_raft = |t: &ItemId| self.protocol.table_of(*t).is_some();
                if entry.is_none() && r.verdict == VerdictKind::Carried && r.tainted_by.iter().any(from_raft) {
                    entry = Some(items.len());
                }
                if self.is_in_hand(r, hand) {
                    hand_rung = Some(items.len());
                }
                items.push(r.item);
            }
            drawings.push(Bay { rows, rungs: Vec::new() });
            bays.push(BayView {
                title: self.protocol.bays[part.bay].title.clone(),
                rows,
                fillers: rows - part.results.len(),
                readings,
                rungs: self.rungs(&part.results, hand),
            });
            top += ladder::BAY + ladder::RUNG * rows as f64;
        }
        let mut seen = Vec::new();
        for (bay, part) in drawings.iter_mut().zip(parts) {
            bay.rungs = self.drawn(&part.results, &mut seen);
        }
        let placed = ladder::draw(&drawings, 0.0);
        let mut svg = placed.svg;
        if let Some((x, y)) = entry.map(|n| placed.marks[n]) {
            for from in exits {
                let points = [(*from, 0.0), (*from, 4.0), (x, 4.0), (x, y - 16.0)];
                svg.path("course", &Path::street(&points, 4.0));
            }
            if !exits.is_empty() {
                ladder::head(&mut svg, (x, y - 9.0), (0.0, 1.0));
            }
        }
        if bays.iter().any(|b| !b.rungs.is_empty()) {
            ladder::axis(&mut svg, 0.0);
        }
        if let Some((_, y)) = hand_rung.map(|n| placed.marks[n]) {
            ladder::thread(&mut svg, &starts, y);
        }
        LadderView {
            last: false,
            readings: parts.iter().any(|p| !p.readings.is_empty()),
            bays,
            svg,
            height: placed.bottom as u32,
        }
    }
}

/// Rows on both sides of the end point of a curve, two each.
fn end_rows(plot: &Plot) -> Vec<Row> {
    let Plot::Curve(c) = plot else { return Vec::new() };
    let Some(end) = c.end else { return Vec::new() };
    let mut points: Vec<(f64, Row)> = c.points.iter().map(|p| (p.x, p.row)).collect();
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    let at = points.partition_point(|p| p.0 <= end);
    points[at.saturating_sub(2)..(at + 2).min(points.len())].iter().map(|p| p.1).collect()
}

/// Bays of readings alone stand beside bays of results alone.
fn beside(parts: Vec<Part<'_>>) -> Vec<Part<'_>> {
    let mut out: Vec<Part<'_>> = Vec::new();
    for mut part in parts {
        match out.last_mut() {
            Some(last) if last.results.is_empty() && part.readings.is_empty() => last.results = part.results,
            Some(last) if last.readings.is_empty() && part.results.is_empty() => {
                last.bay = part.bay;
                last.readings = std::mem::take(&mut part.readings);
            }
            _ => out.push(part),
        }
    }
    out
}

impl Maker<'_> {
    /// The item that the finding or the result in hand is about.
    pub(super) fn hand_item(&self) -> Option<ItemId> {
        self.in_hand().and_then(|f| f.place.item).or(self.result.map(|r| self.judged.results[r].item))
    }

    /// Readings that the result in hand uses.
    fn used(&self) -> Vec<ItemId> {
        self.hand_item()
            .and_then(|i| self.judged.results.iter().find(|r| r.item == i))
            .map(|r| self.protocol.results[r.id].node.items())
            .unwrap_or_default()
    }
}
