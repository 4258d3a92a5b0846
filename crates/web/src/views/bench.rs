//! One table on the Bench.

use jurado_core::explain::{self, Explained};
use jurado_core::judging::{sentences, shown_clean};
use jurado_core::notation;
use jurado_core::plots::plots;
use jurado_core::protocol::{Protocol, Rejection, Rule, UncertaintySchool};
use jurado_core::quantity::power_of_ten;
use jurado_core::verdict::{CellState, Finding, Judged, JudgedCell, JudgedResult, Severity, VerdictKind};
use jurado_store::attachments::Attachment;
use jurado_store::{DocketRow, SheetDetail};
use rust_decimal::Decimal;

use super::ladder::{self, BAY, HEAD, RUNG};
use super::plots::{self as charts, PlotView};
use super::sketches;
use super::{Mark, capital, mark_of, replicates};
use crate::views::intake::time;

/// Everything the template lays out.
pub(crate) struct BenchView {
    pub(crate) id: u32,
    pub(crate) version: u32,
    pub(crate) team: String,
    pub(crate) place: String,
    pub(crate) aside: String,
    pub(crate) tally: Vec<(Mark, usize)>,
    pub(crate) bays: Vec<BayView>,
    pub(crate) ladder: String,
    pub(crate) ladder_height: u32,
    pub(crate) replicates: String,
    pub(crate) findings: Vec<FindingView>,
    pub(crate) notes: Vec<FindingView>,
    pub(crate) open: usize,
    pub(crate) settled: usize,
    pub(crate) lines: Vec<LineView>,
    pub(crate) awarded: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) sentences: Vec<(Option<usize>, bool, String)>,
    pub(crate) state: String,
    pub(crate) state_words: String,
    pub(crate) can_sign: bool,
    pub(crate) can_undo: bool,
    pub(crate) previous: Option<u32>,
    pub(crate) next: Option<u32>,
    pub(crate) cautions: Vec<String>,
    pub(crate) advised: bool,
    pub(crate) explain: Option<ExplainView>,
    pub(crate) plots: Vec<PlotView>,
    pub(crate) attachments: Vec<AttachmentView>,
    /// Who else has the table in hand.
    pub(crate) held: bool,
    pub(crate) revision: u32,
    pub(crate) trying: Option<TryView>,
    pub(crate) due: String,
}

/// What belongs to a table besides its numbers.
pub(crate) struct AttachmentView {
    pub(crate) id: u32,
    pub(crate) name: String,
    pub(crate) picture: bool,
}

/// A try-out: nothing of it is stored.
pub(crate) struct TryView {
    pub(crate) changed: usize,
    pub(crate) sum: String,
    pub(crate) differs: bool,
    pub(crate) schools: Vec<(&'static str, bool)>,
    pub(crate) tests: Vec<(&'static str, &'static str, bool)>,
    pub(crate) fault: Option<String>,
}

/// How the result in hand comes about.
pub(crate) struct ExplainView {
    pub(crate) title: String,
    pub(crate) math: Vec<String>,
    pub(crate) budget: Vec<(String, String, String, u32)>,
    pub(crate) schools: Vec<(&'static str, String, bool)>,
    pub(crate) sentences: Vec<String>,
    pub(crate) previous: Option<usize>,
    pub(crate) next: Option<usize>,
}

/// What a page of the Bench is made from, besides the verdict.
pub(crate) struct Around<'a> {
    pub(crate) rows: &'a [DocketRow],
    pub(crate) attachments: &'a [Attachment],
    /// Finding in hand, from 1.
    pub(crate) finding: Option<usize>,
    /// Result in hand, by its place.
    pub(crate) result: Option<usize>,
    pub(crate) held: bool,
    pub(crate) blind: bool,
    pub(crate) tried: Option<&'a Tried>,
}

/// A try-out, judged.
pub(crate) struct Tried {
    pub(crate) judged: Judged,
    /// As tried: schools may differ from the protocol in force.
    pub(crate) protocol: Protocol,
    /// Texts and marks that differ from what was handed in.
    pub(crate) changed: usize,
    pub(crate) fault: Option<String>,
}

/// A bay: its readings, its rungs, and the rows of the block.
pub(crate) struct BayView {
    pub(crate) title: String,
    pub(crate) rows: usize,
    pub(crate) fillers: usize,
    pub(crate) readings: Vec<ReadingView>,
    pub(crate) rungs: Vec<RungView>,
}

/// One reading, single or repeated.
pub(crate) struct ReadingView {
    pub(crate) title: String,
    pub(crate) symbol: String,
    pub(crate) unit: String,
    pub(crate) repeated: bool,
    /// Words instead of numbers: they need room beside each other.
    pub(crate) words: bool,
    pub(crate) cells: Vec<CellView>,
    pub(crate) pennants: Vec<(usize, bool)>,
}

/// One cell.
pub(crate) struct CellView {
    pub(crate) text: String,
    pub(crate) class: &'static str,
    pub(crate) missing: bool,
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
}

/// One rung.
pub(crate) struct RungView {
    pub(crate) title: String,
    /// Its place among the results.
    pub(crate) place: usize,
    /// Its row, where it is a column of a table.
    pub(crate) row: Option<u32>,
    /// What the row is called: its keys, or its number.
    pub(crate) row_name: String,
    /// What a try-out makes of it, where that differs.
    pub(crate) tried: String,
    pub(crate) symbol: String,
    pub(crate) reported: String,
    pub(crate) reported_pad: String,
    pub(crate) plus_minus: String,
    pub(crate) clean: String,
    pub(crate) clean_pad: String,
    pub(crate) unit: String,
    pub(crate) words: String,
    pub(crate) mark: Mark,
    pub(crate) hint: String,
    pub(crate) pennants: Vec<(usize, bool)>,
    pub(crate) in_hand: bool,
}

/// One finding.
pub(crate) struct FindingView {
    pub(crate) number: usize,
    pub(crate) key: String,
    pub(crate) mark: Mark,
    pub(crate) about: String,
    pub(crate) says: String,
    pub(crate) short: String,
    pub(crate) proposal: String,
    pub(crate) chance: String,
    pub(crate) fragile: Option<String>,
    pub(crate) open: bool,
    pub(crate) done: bool,
    pub(crate) now: bool,
    pub(crate) decided: String,
    pub(crate) most: String,
    /// A reading taken for another until a person says otherwise.
    pub(crate) repair: bool,
    /// Levels of a criterion that a person judges: key, words, points.
    pub(crate) levels: Vec<(usize, String, String)>,
    /// Line of the score that the levels are of.
    pub(crate) line: String,
    /// What the team is told of it.
    pub(crate) tells: String,
}

/// One line of the score.
pub(crate) struct LineView {
    pub(crate) id: String,
    pub(crate) title: String,
    pub(crate) says: String,
    pub(crate) hangs: Option<String>,
    pub(crate) awarded: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) changed: Option<String>,
    pub(crate) open: bool,
    pub(crate) pennants: Vec<(usize, bool)>,
}

/// Points with as many decimals as they need, at least one.
pub(crate) fn points(value: Decimal) -> String {
    let n = value.normalize();
    if n.scale() == 0 { format!("{n}.0") } else { n.to_string() }
}

/// A symbol as text: `ρ_tab` is ρ.
fn base(symbol: &str) -> String {
    symbol.split('_').next().unwrap_or("").to_owned()
}

struct Maker<'a> {
    protocol: &'a Protocol,
    judged: &'a Judged,
    detail: &'a SheetDetail,
    tried: Option<&'a Tried>,
    /// Result in hand that no finding is about.
    result: Option<usize>,
    /// Numbered findings: index into the judged findings, in order.
    numbered: Vec<usize>,
    /// Number of the one in hand.
    hand: Option<usize>,
}

impl BenchView {
    pub(crate) fn new(protocol: &Protocol, detail: &SheetDetail, judged: &Judged, around: &Around<'_>) -> BenchView {
        let (rows, look) = (around.rows, around.finding);
        let numbered: Vec<usize> =
            judged.findings.iter().enumerate().filter(|(_, f)| f.severity != Severity::Note).map(|(i, _)| i).collect();
        let first_open = numbered.iter().position(|i| judged.findings[*i].open()).map(|n| n + 1);
        let result = around.result.filter(|r| *r < judged.results.len());
        let hand = look.filter(|n| (1..=numbered.len()).contains(n)).or(first_open.filter(|_| result.is_none()));
        let maker = Maker { protocol, judged, detail, tried: around.tried, result, numbered, hand };
        let (bays, drawing_bays, thread) = maker.bays();
        let drawing = ladder::draw(&drawing_bays, &thread);
        let findings: Vec<FindingView> =
            maker.numbered.iter().enumerate().map(|(n, i)| maker.finding(n + 1, &judged.findings[*i])).collect();
        let notes =
            judged.findings.iter().filter(|f| f.severity == Severity::Note).map(|f| maker.finding(0, f)).collect();
        let open = judged.findings.iter().filter(|f| f.open()).count();
        let at = rows.iter().position(|r| r.id == detail.id).unwrap_or(0);
        let keys: Vec<String> = protocol
            .keys
            .iter()
            .filter_map(|k| judged.keys.get(&k.id).map(|v| format!("{} {v}", k.title.to_lowercase())))
            .collect();
        let keys = if keys.is_empty() { String::new() } else { format!(", {}", keys.join(", ")) };
        let revision = if detail.revision > 1 { format!(" · revision {}", detail.revision) } else { String::new() };
        let state_words = match detail.state.as_str() {
            "signed" => "signed".to_owned(),
            "returned" => format!("returned {}", detail.returned_at.map(time).unwrap_or_default()),
            _ if open == 0 => "nothing is open".to_owned(),
            _ => format!("{open} to decide"),
        };
        BenchView {
            id: detail.id,
            version: detail.version,
            team: if around.blind { format!("Table {}", at + 1) } else { judged.team.clone() },
            place: if around.blind {
                format!("names hidden{keys} · {}", protocol.title)
            } else {
                format!("{} watch{keys} · {}", judged.section, protocol.title)
            },
            aside: format!(
                "table {} of {} · handed in {} · protocol {}{revision}",
                at + 1,
                rows.len(),
                time(detail.handed_in_at),
                protocol.version
            ),
            tally: tally(judged),
            bays,
            ladder: drawing.svg,
            ladder_height: drawing.height,
            replicates: replicates::draw(protocol, judged, 234.0),
            settled: findings.len() - findings.iter().filter(|f| f.open).count(),
            findings,
            notes,
            open,
            lines: maker.lines(),
            awarded: points(judged.score.awarded),
            decided: points(judged.score.decided),
            possible: judged.score.possible.normalize().to_string(),
            sentences: maker.sentences(),
            state: detail.state.clone(),
            state_words,
            can_sign: detail.state == "waiting" && open == 0 && around.tried.is_none(),
            can_undo: detail.state == "signed" || !detail.decisions.is_empty(),
            previous: at.checked_sub(1).and_then(|i| rows.get(i)).map(|r| r.id),
            next: rows.get(at + 1).map(|r| r.id),
            cautions: protocol.cautions.clone(),
            advised: judged.findings.iter().any(|f| {
                f.open()
                    && matches!(
                        f.code,
                        "outlier-kept" | "missing-reading" | "point-apart" | "misread" | "stopped-early"
                    )
            }),
            explain: maker.explain(),
            plots: {
                // As tried, where something is.
                let judged = around.tried.map_or(judged, |t| &t.judged);
                let mut all = sketches::draw(protocol, &jurado_core::sketches::sketches(protocol, judged));
                all.extend(charts::draw(protocol, &plots(protocol, judged)));
                all
            },
            attachments: around
                .attachments
                .iter()
                .enumerate()
                .map(|(n, a)| AttachmentView {
                    id: a.id,
                    // A file is often named after its team.
                    name: if around.blind { format!("attachment {}", n + 1) } else { a.file_name.clone() },
                    picture: a.media.starts_with("image/"),
                })
                .collect(),
            held: around.held,
            revision: detail.revision,
            trying: around.tried.map(|t| try_view(t, judged)),
            due: detail
                .due_at
                .map(|due| {
                    if detail.handed_in_at > due { format!("after the due time, {}", time(due)) } else { String::new() }
                })
                .unwrap_or_default(),
        }
    }
}

fn try_view(tried: &Tried, judged: &Judged) -> TryView {
    let school = tried.protocol.school.uncertainty;
    let test = tried.protocol.school.rejection;
    TryView {
        changed: tried.changed,
        sum: points(tried.judged.score.decided),
        differs: tried.judged.score.decided != judged.score.decided,
        schools: UncertaintySchool::ALL.iter().map(|(s, word)| (*word, *s == school)).collect(),
        tests: TESTS.iter().map(|(id, says, r)| (*id, *says, *r == test)).collect(),
        fault: tried.fault.clone(),
    }
}

/// Tests for outliers that a try-out offers.
pub(crate) const TESTS: [(&str, &str, Option<Rejection>); 6] = [
    ("", "as the lab says", None),
    ("dixon", "Dixon", Some(Rejection::Dixon)),
    ("grubbs", "Grubbs", Some(Rejection::Grubbs)),
    ("esd", "generalised ESD", Some(Rejection::Esd)),
    ("modified-z", "modified z", Some(Rejection::ModifiedZ)),
    ("judgement", "none: by judgement", Some(Rejection::Judgement)),
];

fn tally(judged: &Judged) -> Vec<(Mark, usize)> {
    use VerdictKind::*;
    [
        (Agrees, "agrees", "agree"),
        (Rounded, "rounded", "rounded"),
        (Carried, "carried", "carried"),
        (Slip, "slip", "slip"),
        (Unexplained, "unexplained", "unexplained"),
        (Missing, "missing", "missing"),
        (Unreadable, "unreadable", "unreadable"),
        (Unchecked, "unchecked", "unchecked"),
    ]
    .into_iter()
    .map(|(kind, symbol, word)| (Mark { symbol, word }, judged.results.iter().filter(|r| r.verdict == kind).count()))
    .filter(|(_, n)| *n > 0)
    .collect()
}

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
    fn pennants(&self, about: impl Fn(&Finding) -> bool) -> Vec<(usize, bool)> {
        self.numbered
            .iter()
            .enumerate()
            .filter(|(_, i)| about(&self.judged.findings[**i]))
            .map(|(n, i)| (n + 1, !self.judged.findings[*i].open()))
            .collect()
    }

    fn in_hand(&self) -> Option<&Finding> {
        self.hand.and_then(|n| self.numbered.get(n - 1)).map(|i| &self.judged.findings[*i])
    }

    fn bays(&self) -> (Vec<BayView>, Vec<ladder::Bay>, Vec<f64>) {
        let hand_item = self.in_hand().and_then(|f| f.item).or(self.result.map(|r| self.judged.results[r].item));
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

    fn reading(&self, i: usize) -> ReadingView {
        let judged = &self.judged.readings[i];
        let item = &self.protocol.items[judged.item];
        let flagged =
            |row: Option<u32>| self.judged.outliers.iter().any(|o| o.item == judged.item && o.row == row && o.flagged);
        let short = self.judged.findings.iter().any(|f| f.code == "reading-digits" && f.item == Some(judged.item));
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

    fn rungs(&self, results: &[&JudgedResult], hand: Option<usize>) -> Vec<RungView> {
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
                    (_, Some(face), _) => capital(&format!("{face}.")),
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
                    pennants: self.pennants(|f| f.concerns(r.item)),
                    in_hand: self.is_in_hand(r, hand),
                }
            })
            .collect()
    }

    fn finding(&self, number: usize, f: &Finding) -> FindingView {
        let criterion = f.criterion.as_deref().and_then(|id| self.protocol.criteria.iter().find(|c| c.id == id));
        let slip = f
            .item
            .and_then(|i| self.judged.results.iter().find(|r| r.item == i))
            .and_then(|r| r.slip.as_ref())
            .filter(|_| f.code == "slip");
        let took = |p: Decimal| if p > Decimal::ZERO { format!("−{}", points(p)) } else { "no points".to_owned() };
        let decided = match &f.decision {
            Some(d) => {
                let reason = if d.reason.is_empty() { String::new() } else { format!(": “{}”", d.reason) };
                match d.action {
                    jurado_core::decision::Action::Accept => format!("taken by {}{reason}", d.by),
                    jurado_core::decision::Action::Forgive => format!("forgiven by {}{reason}", d.by),
                    jurado_core::decision::Action::Refuse => format!("refused by {}{reason}", d.by),
                    jurado_core::decision::Action::Points(p) => format!("{} by {}{reason}", took(p), d.by),
                    _ => format!("by {}{reason}", d.by),
                }
            }
            None => String::new(),
        };
        let proposal = match (&f.decision, f.severity) {
            (Some(_), _) => took(f.decided_cost),
            (None, Severity::Charge) => format!("by rule, {}", took(f.cost)),
            (None, _) => took(f.cost),
        };
        FindingView {
            number,
            key: f.key.clone(),
            mark: mark_of(f.code),
            about: f.item.map(|i| self.protocol.full_title(i)).unwrap_or_default(),
            short: f.brief.clone(),
            says: f.says.clone(),
            proposal,
            chance: slip.map(|s| notation::chance(s.probability)).unwrap_or_default(),
            fragile: f.fragile.clone().filter(|_| f.decision.is_none()),
            open: f.open(),
            done: !f.open(),
            now: number > 0 && self.hand == Some(number),
            decided,
            most: criterion.map_or_else(|| "0".to_owned(), |c| c.points.normalize().to_string()),
            repair: f.code == "repair",
            levels: match criterion.map(|c| &c.rule) {
                Some(Rule::Manual { levels }) if f.code == "manual" => levels
                    .iter()
                    .enumerate()
                    .map(|(n, (says, p))| (n + 1, says.clone(), p.normalize().to_string()))
                    .collect(),
                _ => Vec::new(),
            },
            line: f.criterion.clone().unwrap_or_default(),
            tells: f.tells.clone(),
        }
    }

    /// The same result in the try-out.
    fn tried_of(&self, r: &JudgedResult) -> Option<&JudgedResult> {
        self.tried?.judged.results.iter().find(|t| t.index == r.index && t.row == r.row)
    }

    /// What a row is called: its keys as the team wrote them, else its number.
    fn row_name(&self, item: usize, row: u32) -> String {
        let table = self.protocol.table_of(item);
        let keyed = table.and_then(|t| self.protocol.tables[t].key).map(|k| self.protocol.keys[k].id.as_str());
        let name = keyed.and_then(|key| {
            self.detail.submission.cells.iter().find_map(|c| {
                let here =
                    c.row == Some(row) && self.protocol.item(&c.item).and_then(|i| self.protocol.table_of(i)) == table;
                c.keys.get(key).filter(|_| here).cloned()
            })
        });
        name.filter(|n| !n.is_empty()).unwrap_or_else(|| row.to_string())
    }

    fn is_in_hand(&self, r: &JudgedResult, item: Option<usize>) -> bool {
        match (self.in_hand(), self.result) {
            (Some(f), _) => item == Some(r.item) && (f.row.is_none() || r.row.is_none() || f.row == r.row),
            (None, Some(n)) => std::ptr::eq(r, &self.judged.results[n]),
            (None, None) => false,
        }
    }

    /// How the result in hand comes about; with nothing in hand, the last one: what the lab is after.
    fn explain(&self) -> Option<ExplainView> {
        let judged = self.tried.map_or(self.judged, |t| &t.judged);
        let hand = self.in_hand().and_then(|f| f.item);
        let place = self
            .judged
            .results
            .iter()
            .position(|r| self.is_in_hand(r, hand))
            .or_else(|| self.judged.results.iter().rposition(|r| r.clean.is_some()))?;
        let e: Explained = explain::one(self.protocol, judged, judged.results.get(place)?);
        let unit = if e.unit.is_empty() { String::new() } else { format!(" {}", e.unit) };
        Some(ExplainView {
            title: capital(&e.title),
            math: e.stages.map(|s| s.mathml.to_vec()).unwrap_or_default(),
            budget: e
                .budget
                .iter()
                .take(8)
                .map(|l| {
                    (
                        l.source.clone(),
                        format!("{}{unit}", notation::uncertainty(l.contribution.abs())),
                        format!("{:.1}", 100.0 * l.share),
                        (100.0 * l.share).round() as u32,
                    )
                })
                .collect(),
            // A school that has nothing to go by says nothing.
            schools: e
                .uncertainties
                .iter()
                .filter(|s| s.value > 0.0)
                .map(|s| (s.school, format!("± {}{unit}", notation::uncertainty(s.value)), s.marked))
                .collect(),
            sentences: e.sentences,
            previous: place.checked_sub(1),
            next: (place + 1 < self.judged.results.len()).then_some(place + 1),
        })
    }

    fn lines(&self) -> Vec<LineView> {
        self.judged
            .score
            .lines
            .iter()
            .map(|l| LineView {
                id: l.criterion.clone(),
                title: l.title.clone(),
                says: l.says.clone(),
                hangs: l.fragile.clone(),
                awarded: points(l.awarded),
                decided: points(l.decided),
                possible: l.possible.normalize().to_string(),
                changed: l.changed.as_ref().map(|d| format!("changed by {}: “{}”", d.by, d.reason)),
                open: self.judged.findings.iter().any(|f| f.open() && f.criterion.as_deref() == Some(&l.criterion)),
                pennants: self.pennants(|f| f.criterion.as_deref() == Some(&l.criterion)),
            })
            .collect()
    }

    fn sentences(&self) -> Vec<(Option<usize>, bool, String)> {
        sentences(self.judged)
            .into_iter()
            .map(|(key, text)| {
                let number = self.numbered.iter().position(|i| self.judged.findings[*i].key == key).map(|n| n + 1);
                let done = number.is_some_and(|n| !self.judged.findings[self.numbered[n - 1]].open());
                (number, done, text)
            })
            .collect()
    }
}

/// Digits before the decimal mark.
fn whole(text: &str) -> usize {
    text.chars().take_while(|c| *c != '.').filter(char::is_ascii_digit).count()
}
