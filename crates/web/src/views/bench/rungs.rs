//! Bays of the Bench: readings with their marks, rungs with their distances, and what the ladder draws of them.

use jurado_core::finding::{Finding, Kind};
use jurado_core::judging::shown_clean;
use jurado_core::quantity::power_of_ten;
use jurado_core::verdict::{CellState, JudgedCell, JudgedResult, VerdictKind};
use jurado_core::wording;

use super::super::ladder::{self, BAY, HEAD, RUNG};
use super::super::{Mark, capital};
use super::{BayView, CellView, Maker, ReadingView, RungView, base};

/// Distance of R from C in units of the last digit written.
fn distance(r: &JudgedResult) -> Option<f64> {
    let number = r.reported.number.as_ref()?;
    let unit = power_of_ten(number.last_place) * r.reported.scale;
    Some((r.reported.value? - r.clean.or(r.carried)?) / unit).filter(|d| d.is_finite())
}

/// Distance of what was reported from what a try-out gives, in units of the last digit written.
fn distance_to(r: &JudgedResult, tried: &JudgedResult) -> Option<f64> {
    let number = r.reported.number.as_ref()?;
    let unit = power_of_ten(number.last_place) * r.reported.scale;
    Some((r.reported.value? - tried.clean?) / unit).filter(|d| d.is_finite())
}

impl Maker<'_> {
    pub(super) fn bays(&self) -> (Vec<BayView>, Vec<ladder::Bay>, Vec<f64>) {
        let hand_item = self.in_hand().and_then(|f| f.place.item).or(self.result.map(|r| self.judged.results[r].item));
        // Readings that the rung in hand uses, to be joined to it.
        let used: Vec<usize> = hand_item
            .and_then(|i| self.judged.results.iter().find(|r| r.item == i))
            .map(|r| self.protocol.results[r.index].node.items())
            .unwrap_or_default();
        // Fields with their boxes need more room than figures.
        let a_line = if self.tried.is_some() { 3 } else { 5 };
        let line: usize = if self.tried.is_some() { 26 } else { 19 };
        let mut views = Vec::new();
        let mut drawings = Vec::new();
        let mut thread = Vec::new();
        let mut top = HEAD;
        let mut rung_of_item: Vec<(usize, usize)> = Vec::new();
        for (b, bay) in self.protocol.bays.iter().enumerate() {
            let readings: Vec<ReadingView> = self
                .judged
                .readings
                .iter()
                .enumerate()
                .filter(|(i, _)| self.protocol.readings[*i].bay == b)
                .map(|(i, _)| self.reading(i))
                .collect();
            let results: Vec<&JudgedResult> =
                self.judged.results.iter().filter(|r| self.protocol.results[r.index].bay == b).collect();
            let lines: Vec<usize> =
                readings.iter().map(|r| if r.repeated { 1 + r.cells.len().div_ceil(a_line) } else { 1 }).collect();
            let height = line * lines.iter().sum::<usize>();
            let rows = results.len().max(height.div_ceil(28)).max(1);
            let mut y = top + BAY;
            for (reading, lines) in self
                .judged
                .readings
                .iter()
                .enumerate()
                .filter(|(i, _)| self.protocol.readings[*i].bay == b)
                .map(|(_, r)| r)
                .zip(&lines)
            {
                if used.contains(&reading.item) {
                    thread.push(y + line as f64 / 2.0 + (line * (*lines - 1)) as f64);
                }
                y += (line * *lines) as f64;
            }
            let mut rungs = Vec::new();
            for r in &results {
                let number = rung_of_item.len();
                let carried_from = if r.verdict == VerdictKind::Carried {
                    r.tainted_by
                        .iter()
                        .filter_map(|t| rung_of_item.iter().find(|(i, _)| i == t).map(|(_, n)| *n))
                        .collect()
                } else {
                    Vec::new()
                };
                rung_of_item.push((r.item, number));
                let unit = r.reported.number.as_ref().map_or(1.0, |n| power_of_ten(n.last_place) * r.reported.scale);
                let envelope = if r.verdict == VerdictKind::Agrees || r.reported.number.is_none() {
                    0.0
                } else {
                    r.envelope / unit
                };
                rungs.push(ladder::Rung {
                    symbol: r.verdict.word(),
                    distance: distance(r),
                    envelope,
                    carried_from,
                    in_hand: self.is_in_hand(r, hand_item),
                    ghost: self.tried_of(r).filter(|t| t.clean != r.clean).and_then(|t| distance_to(r, t)),
                });
            }
            views.push(BayView {
                title: bay.title.clone(),
                rows,
                fillers: rows - results.len(),
                readings,
                rungs: self.rungs(&results, hand_item),
            });
            drawings.push(ladder::Bay { rows, rungs });
            top += BAY + RUNG * rows as f64;
        }
        (views, drawings, thread)
    }

    pub(super) fn reading(&self, i: usize) -> ReadingView {
        let judged = &self.judged.readings[i];
        let item = &self.protocol.items[judged.item];
        let flagged =
            |row: Option<u32>| self.judged.outliers.iter().any(|o| o.item == judged.item && o.row == row && o.flagged);
        let short = self
            .judged
            .findings
            .iter()
            .any(|f| matches!(f.kind, Kind::ReadingDigits { .. }) && f.place.item == Some(judged.item));
        let step = self.protocol.step(&self.protocol.readings[i]).unwrap_or(f64::INFINITY);
        let tried = self.tried.map(|t| &t.judged.readings[i]);
        let many = judged.cells.len() > 1 || judged.cells.iter().any(|c| c.row.is_some());
        let cell = |(n, c): (usize, &JudgedCell)| CellView {
            field: c.row.map_or_else(|| item.id.clone(), |r| format!("{}:{r}", item.id)),
            called: c.row.map_or_else(|| item.title.clone(), |r| format!("{}, reading {r}", item.title)),
            tried: tried.and_then(|t| t.cells.get(n)).is_some_and(|t| t.text != c.text || t.by_person != c.by_person),
            out: tried
                .and_then(|t| t.cells.get(n))
                .map_or(!c.counts && c.value.is_some(), |t| t.by_person || t.excluded.is_some()),
            of_many: many,
            text: tried.and_then(|t| t.cells.get(n)).map_or_else(|| c.text.clone(), |t| t.text.clone()),
            class: match &c.state {
                CellState::Unreadable(_) | CellState::Bound => "aground",
                _ if !c.counts && c.value.is_some() => "out",
                _ if flagged(c.row) => "odd",
                _ => "",
            },
            missing: c.state == CellState::Missing,
            gap: short && c.resolution >= 2.0 * step,
            said: match &c.state {
                CellState::Unreadable(why) => format!("unreadable: {why}"),
                CellState::Bound => "beyond the range".to_owned(),
                CellState::Missing => "missing".to_owned(),
                CellState::Read if !c.counts => "left out".to_owned(),
                CellState::Read => String::new(),
            },
        };
        ReadingView {
            title: capital(&item.title),
            symbol: base(&item.symbol),
            unit: item.unit_after().trim().to_owned(),
            repeated: self.protocol.rows_of(judged.item).is_some(),
            words: item.words.is_some(),
            cells: judged.cells.iter().enumerate().map(cell).collect(),
            pennants: self.pennants(|f| f.concerns(judged.item)),
        }
    }

    pub(super) fn rungs(&self, results: &[&JudgedResult], hand: Option<usize>) -> Vec<RungView> {
        let places = |text: &str| {
            text.rsplit_once(['.', ',']).map_or(0, |(_, d)| d.chars().take_while(char::is_ascii_digit).count())
        };
        let short = |text: &str| text.chars().count() <= 9;
        let widest =
            results.iter().filter(|r| short(&r.reported.text)).map(|r| places(&r.reported.text)).max().unwrap_or(0);
        let integers = results.iter().map(|r| whole(&shown_clean(r))).max().unwrap_or(1);
        results
            .iter()
            .map(|r| {
                let item = &self.protocol.items[r.item];
                let word = item.words.as_ref().zip(r.right_word).and_then(|(words, w)| words.get(w as usize));
                let clean = match word {
                    Some(word) => word.clone(),
                    None if r.clean.is_some() => shown_clean(r),
                    None => "—".to_owned(),
                };
                let missing = widest.saturating_sub(places(&r.reported.text));
                let pad = if missing == 0 || !short(&r.reported.text) {
                    String::new()
                } else {
                    format!("{}{}", if places(&r.reported.text) == 0 { "." } else { "" }, "0".repeat(missing))
                };
                let hint = match (&r.slip, &r.face, r.verdict) {
                    (Some(s), _, VerdictKind::Slip) => s.says.clone(),
                    (_, Some(face), _) => format!("{}.", capital(&wording::face(self.protocol, face))),
                    _ => String::new(),
                };
                let tried = self.tried_of(r).filter(|t| t.clean != r.clean || t.right_word != r.right_word);
                RungView {
                    title: capital(&item.title),
                    place: self.judged.results.iter().position(|x| std::ptr::eq(x, *r)).unwrap_or(0),
                    row: r.row,
                    row_name: r.row.map(|row| self.row_name(r.item, row)).unwrap_or_default(),
                    tried: tried
                        .map(|t| if t.clean.is_some() { shown_clean(t) } else { "waits".to_owned() })
                        .unwrap_or_default(),
                    symbol: base(&item.symbol),
                    reported: if r.reported.text.is_empty() {
                        "—".to_owned()
                    } else if r.reported.text.chars().count() > 9 {
                        format!("{}…", r.reported.text.chars().take(7).collect::<String>())
                    } else {
                        r.reported.text.clone()
                    },
                    reported_pad: pad,
                    plus_minus: r.reported.plus_minus.clone(),
                    clean_pad: "0".repeat(integers.saturating_sub(whole(&clean))),
                    clean,
                    unit: item.unit_after().trim().to_owned(),
                    words: ladder::in_words(distance(r)),
                    mark: Mark { symbol: r.verdict.word(), word: r.verdict.word() },
                    hint,
                    pennants: self.pennants(|f| f.concerns(r.item) && of_row(f, r)),
                    in_hand: self.is_in_hand(r, hand),
                }
            })
            .collect()
    }
}

/// Whether a finding about a result's column is about its row: its own, or one that a slip down the column ran through.
fn of_row(f: &Finding, r: &JudgedResult) -> bool {
    let (row, slip) = (f.place.row, matches!(f.kind, Kind::Slip(_)) && r.verdict == VerdictKind::Slip);
    row.is_none() || r.row.is_none() || row == r.row || slip
}

/// Digits before the decimal mark.
fn whole(text: &str) -> usize {
    text.chars().take_while(|c| *c != '.').filter(char::is_ascii_digit).count()
}
