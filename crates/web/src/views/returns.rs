//! What goes back: marks, and a team's sheet with the correction step by step.

use std::collections::{BTreeMap, HashMap};

use jurado_core::explain::explain;
use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::verdict::{Judged, VerdictKind};
use jurado_core::wording;
use jurado_intake::PackageTable;
use jurado_store::roster::{Section, Student};
use jurado_store::{Counts, DocketRow, Lab, Moved, SentMark, SheetDetail, SheetState, WentOut};
use rust_decimal::Decimal;

use super::Mark;
use super::asked::{Asks, points_line, result_line};
use super::bench::points;
use crate::views::intake::time;

/// Everything the list lays out.
pub(crate) struct ReturnsView {
    pub(crate) labs: Vec<LabView>,
    pub(crate) lab: Option<u32>,
    pub(crate) section: Option<u32>,
    pub(crate) lab_title: String,
    pub(crate) watches: Vec<(u32, String)>,
    pub(crate) sections: Vec<SectionView>,
    pub(crate) more: bool,
    pub(crate) ready: usize,
    pub(crate) ready_here: usize,
    pub(crate) returned: usize,
    pub(crate) waiting: usize,
    pub(crate) may_release: bool,
    /// Sheets that would give other marks now than those that went out.
    pub(crate) moved: usize,
}

/// One lab of the term.
pub(crate) struct LabView {
    pub(crate) id: u32,
    pub(crate) title: String,
    pub(crate) ready: usize,
    pub(crate) here: bool,
}

/// One lab in one section.
pub(crate) struct SectionView {
    pub(crate) id: u32,
    pub(crate) title: String,
    pub(crate) rows: Vec<RowView>,
    pub(crate) mean: String,
    pub(crate) ready: usize,
}

/// One team.
pub(crate) struct RowView {
    pub(crate) id: u32,
    pub(crate) team: String,
    pub(crate) state: &'static str,
    pub(crate) awarded: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) changed: bool,
    pub(crate) when: String,
}

/// What the list is laid out from.
pub(crate) struct Stock {
    pub(crate) labs: Vec<Lab>,
    pub(crate) sections: Vec<Section>,
    pub(crate) counts: BTreeMap<(u32, u32), Counts>,
    /// Tables of the lab that is shown.
    pub(crate) rows: Vec<DocketRow>,
    /// Points that went out of them, by table.
    pub(crate) sent: HashMap<u32, Decimal>,
    /// How many sheets would give other marks now.
    pub(crate) moved: usize,
}

impl ReturnsView {
    pub(crate) fn new(
        stock: &Stock,
        (lab, section): (Option<u32>, Option<u32>),
        most: usize,
        may_release: bool,
    ) -> ReturnsView {
        let Stock { labs, sections: watches, counts, rows, sent, moved } = stock;
        // What went out stands as it went out, whatever it would be now.
        let shown = |r: &DocketRow| match r.state {
            SheetState::Returned => sent.get(&r.id).copied().unwrap_or(r.decided),
            _ => r.decided,
        };
        let lab = lab.or(labs.first().map(|l| l.id));
        let mut sections: Vec<SectionView> = Vec::new();
        for row in rows.iter().take(most) {
            if sections.last().is_none_or(|s| s.id != row.section_id) {
                sections.push(SectionView {
                    id: row.section_id,
                    title: row.section.clone(),
                    rows: Vec::new(),
                    mean: String::new(),
                    ready: 0,
                });
            }
            if let Some(section) = sections.last_mut() {
                section.ready += usize::from(row.state == SheetState::Signed);
                section.rows.push(row_view(row, shown(row)));
            }
        }
        for section in &mut sections {
            let mine = || rows.iter().filter(|r| r.section_id == section.id);
            let sum: Decimal = mine().map(shown).sum();
            section.mean = points((sum / Decimal::from(mine().count().max(1))).round_dp(2));
        }
        let sum = |f: &dyn Fn(&Counts) -> usize| counts.values().map(f).sum::<usize>();
        let of_lab = |id: u32| counts.iter().filter(move |((l, _), _)| *l == id);
        ReturnsView {
            labs: labs
                .iter()
                .map(|l| LabView {
                    id: l.id,
                    title: l.protocol.title.clone(),
                    ready: of_lab(l.id).map(|(_, c)| c.decided).sum(),
                    here: Some(l.id) == lab,
                })
                .collect(),
            lab_title: labs.iter().find(|l| Some(l.id) == lab).map_or_else(String::new, |l| l.protocol.title.clone()),
            watches: watches.iter().map(|w| (w.id, w.name.clone())).collect(),
            more: rows.len() > most,
            sections,
            ready: sum(&|c| c.decided),
            ready_here: counts
                .iter()
                .filter(|((l, s), _)| Some(*l) == lab && section.is_none_or(|x| x == *s))
                .map(|(_, c)| c.decided)
                .sum(),
            returned: sum(&|c| c.returned),
            waiting: sum(&|c| c.wants + c.clear),
            may_release,
            moved: *moved,
            lab,
            section,
        }
    }
}

/// Who would get their sheet back.
pub(crate) struct ReleaseView {
    pub(crate) lab: Option<u32>,
    pub(crate) section: Option<u32>,
    pub(crate) rows: Vec<ReleaseRow>,
    pub(crate) again: usize,
}

/// One team that would get its sheet.
pub(crate) struct ReleaseRow {
    pub(crate) id: u32,
    pub(crate) team: String,
    pub(crate) section: String,
    pub(crate) lab: String,
    pub(crate) points: String,
    pub(crate) possible: String,
    /// What it was when it went out last.
    pub(crate) before: String,
    pub(crate) changes: Vec<String>,
}

impl ReleaseView {
    pub(crate) fn new(
        labs: &[Lab],
        details: &[(DocketRow, SheetDetail)],
        (lab, section): (Option<u32>, Option<u32>),
    ) -> ReleaseView {
        let rows: Vec<ReleaseRow> = details
            .iter()
            .filter_map(|(row, detail)| {
                let protocol = &labs.iter().find(|l| l.id == row.lab_id)?.protocol;
                let changes = changes(detail, &detail.judge(protocol));
                Some(ReleaseRow {
                    id: row.id,
                    team: row.team.clone(),
                    section: row.section.clone(),
                    lab: protocol.title.clone(),
                    points: points(row.decided),
                    possible: row.possible.normalize().to_string(),
                    before: detail.went_out.as_ref().map(|w| w.points.normalize().to_string()).unwrap_or_default(),
                    changes,
                })
            })
            .collect();
        ReleaseView { lab, section, again: rows.iter().filter(|r| !r.before.is_empty()).count(), rows }
    }
}

/// A sheet that would give other marks now than those that went out.
pub(crate) struct MovedView {
    pub(crate) id: u32,
    pub(crate) version: u32,
    pub(crate) team: String,
    pub(crate) section: String,
    pub(crate) lab: String,
    pub(crate) sent: String,
    pub(crate) now: String,
    /// Whether a finding wants a person before it can go out again.
    pub(crate) open: u32,
    /// Which lines differ.
    pub(crate) changes: Vec<String>,
    /// Who changed what.
    pub(crate) why: String,
}

impl MovedView {
    pub(crate) fn new(labs: &[Lab], moved: &Moved, detail: &SheetDetail) -> Option<MovedView> {
        let protocol = &labs.iter().find(|l| l.id == moved.lab_id)?.protocol;
        Some(MovedView {
            id: moved.id,
            version: moved.version,
            team: moved.team.clone(),
            section: moved.section.clone(),
            lab: protocol.title.clone(),
            sent: points(moved.sent),
            now: points(moved.now),
            open: moved.open,
            changes: changes(detail, &detail.judge(protocol)),
            why: format!("{} {}", moved.changed_by, moved.changed).trim().to_owned(),
        })
    }
}

/// Lines of the score that differ from what went out last.
fn changes(detail: &SheetDetail, judged: &Judged) -> Vec<String> {
    let Some(sent) = &detail.went_out else { return Vec::new() };
    judged
        .score
        .lines
        .iter()
        .filter_map(|l| {
            let was = sent.lines.iter().find(|o| o.criterion == l.criterion)?;
            let now = l.decided.normalize().to_string();
            (was.points != now).then(|| format!("{}: {} in place of {}", l.title, now, was.points))
        })
        .collect()
}

fn row_view(r: &DocketRow, decided: Decimal) -> RowView {
    RowView {
        id: r.id,
        team: r.team.clone(),
        state: match r.state {
            SheetState::Signed => "signed",
            SheetState::Returned => "returned",
            SheetState::Waiting if r.open_findings > 0 => "wants a person",
            SheetState::Waiting => "looks clear",
        },
        awarded: points(r.awarded),
        decided: points(decided),
        possible: r.possible.normalize().to_string(),
        changed: r.awarded != decided,
        when: r.returned_at.filter(|_| r.state == SheetState::Returned).map(time).unwrap_or_default(),
    }
}

/// Marks as they went out, a line for each student; a team without students has a line of its own.
pub(crate) fn marks_grid(labs: &[Lab], marks: &[SentMark], students: &[Student]) -> Vec<Vec<String>> {
    let head = ["section", "team", "student", "name", "lab", "protocol_version", "points", "possible", "returned_at"];
    let mut grid: Vec<Vec<String>> = vec![head.map(str::to_owned).to_vec()];
    let mut of_team: HashMap<(&str, &str), Vec<&Student>> = HashMap::new();
    for s in students {
        of_team.entry((&s.section, &s.team)).or_default().push(s);
    }
    for m in marks {
        let Some(lab) = labs.iter().find(|l| l.id == m.lab_id) else { continue };
        let when = m.at.format("%Y-%m-%dT%H:%M:%SZ").to_string();
        let version = m.version.map(|v| v.to_string()).unwrap_or_default();
        let (got, of) = (m.points.normalize().to_string(), m.possible.normalize().to_string());
        let line = |number: &str, name: &str| {
            [&m.section, &m.team, number, name, &lab.protocol.id, &version, &got, &of, &when]
                .map(str::to_owned)
                .to_vec()
        };
        match of_team.get(&(m.section.as_str(), m.team.as_str())) {
            Some(mine) => grid.extend(mine.iter().map(|s| line(&s.number, &s.name))),
            None => grid.push(line("", "")),
        }
    }
    grid
}

/// What became of a lab's tables, for its data package.
pub(crate) fn package_tables(protocol: &Protocol, details: &[SheetDetail]) -> Vec<PackageTable> {
    let judged: Vec<Judged> = details.iter().map(|d| d.judge(protocol)).collect();
    let number = |v: Option<f64>| v.map(|v| format!("{v}")).unwrap_or_default();
    let mut results = Vec::new();
    let mut findings = Vec::new();
    let mut marks = Vec::new();
    for j in &judged {
        for r in &j.results {
            let item = &protocol.items[r.item];
            let right = r.right_word.zip(item.words.as_ref()).and_then(|(w, words)| words.get(w as usize));
            results.push(vec![
                j.section.clone(),
                j.team.clone(),
                item.id.clone(),
                r.row.map(|n| n.to_string()).unwrap_or_default(),
                r.reported.text.clone(),
                r.reported.unit.clone(),
                right.cloned().unwrap_or_else(|| number(r.clean)),
                item.unit.text.clone(),
                r.verdict.word().to_owned(),
                r.slip.as_ref().map(|s| s.kind.word().to_owned()).unwrap_or_default(),
                number(r.expanded(&protocol.school)),
            ]);
        }
        for f in &j.findings {
            findings.push(vec![
                j.section.clone(),
                j.team.clone(),
                f.key.to_string(),
                f.code().to_owned(),
                wording::says(protocol, f),
                f.cost.normalize().to_string(),
                f.decided_cost.normalize().to_string(),
                match (&f.decision, f.ruling) {
                    (Some(d), _) => d.reason.clone(),
                    (None, Some(id)) => format!("ruling {id}"),
                    (None, None) => String::new(),
                },
            ]);
        }
        for l in &j.score.lines {
            marks.push(vec![
                j.section.clone(),
                j.team.clone(),
                l.criterion.clone(),
                l.awarded.normalize().to_string(),
                l.decided.normalize().to_string(),
                l.possible.normalize().to_string(),
            ]);
        }
    }
    let who = [("section", "string", ""), ("team", "string", "")];
    let columns = |more: &[(&'static str, &'static str, &'static str)]| who.iter().chain(more).copied().collect();
    vec![
        PackageTable {
            name: "results",
            title: "Results as reported and as recomputed",
            columns: columns(&[
                ("item", "string", "result, see items.csv"),
                ("row", "integer", "row of a table, from 1"),
                ("reported", "string", "as typed"),
                ("reported_unit", "string", "as typed"),
                (
                    "recomputed",
                    "string",
                    "from the readings, in the item's unit, not rounded; the right word for a word",
                ),
                ("unit", "string", "the item's unit"),
                ("verdict", "string", ""),
                ("slip", "string", "likeliest kind of slip"),
                ("expanded_uncertainty", "number", "in the item's unit"),
            ]),
            rows: results,
        },
        PackageTable {
            name: "findings",
            title: "What was found and decided",
            columns: columns(&[
                ("key", "string", ""),
                ("code", "string", ""),
                ("says", "string", ""),
                ("points_by_rule", "number", ""),
                ("points_decided", "number", ""),
                ("reason", "string", ""),
            ]),
            rows: findings,
        },
        PackageTable {
            name: "marks",
            title: "Points by criterion",
            columns: columns(&[
                ("criterion", "string", ""),
                ("computed", "number", ""),
                ("decided", "number", ""),
                ("possible", "number", ""),
            ]),
            rows: marks,
        },
    ]
}

/// Most signs of what a line said.
const MOST_SAYS: usize = 400;

/// One team's sheet.
pub(crate) struct SheetView {
    pub(crate) id: u32,
    pub(crate) team: String,
    pub(crate) section: String,
    pub(crate) lab: String,
    pub(crate) keys: String,
    pub(crate) state: &'static str,
    pub(crate) when: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) sentences: Vec<String>,
    pub(crate) steps: Vec<StepView>,
    pub(crate) lines: Vec<PointsView>,
    /// What was asked on its lines.
    pub(crate) asks: Asks,
    /// What differs from the sheet that went out before.
    pub(crate) since: Vec<String>,
    pub(crate) cautions: Vec<String>,
}

/// One line of the score.
pub(crate) struct PointsView {
    pub(crate) key: String,
    pub(crate) title: String,
    pub(crate) points: String,
    pub(crate) possible: String,
}

/// One result, corrected step by step.
pub(crate) struct StepView {
    pub(crate) key: String,
    pub(crate) title: String,
    pub(crate) reported: String,
    pub(crate) mark: Mark,
    pub(crate) math: Vec<super::Stage>,
    pub(crate) uncertainty: String,
}

impl SheetView {
    /// The sheet of a table. One that went out and was not opened again shows what its team got: the points that went out,
    /// and `judged` as it was then ([`SheetDetail::as_sent`]).
    pub(crate) fn new(protocol: &Protocol, detail: &SheetDetail, judged: &Judged, asks: Asks) -> SheetView {
        let sent = detail.went_out.as_ref().filter(|_| detail.state == SheetState::Returned);
        SheetView::laid_out(protocol, detail, judged, (sent, asks))
    }

    /// The sheet as its team got it last, whatever became of it since; `judged` as it was then.
    pub(crate) fn for_team(protocol: &Protocol, detail: &SheetDetail, judged: &Judged, asks: Asks) -> SheetView {
        let view = SheetView::laid_out(protocol, detail, judged, (detail.went_out.as_ref(), asks));
        SheetView { state: "returned", ..view }
    }

    /// What a line says, by its key: what is asked about is told with it.
    pub(crate) fn line_says(&self, key: &str) -> Option<String> {
        let points = self.lines.iter().find(|l| l.key == key);
        let step = || self.steps.iter().find(|s| s.key == key);
        let says = points
            .map(|l| format!("{}: {} of {} points", l.title, l.points, l.possible))
            .or_else(|| step().map(|s| format!("{}: yours {}, {}", s.title, s.reported, s.mark.word)))?;
        Some(says.chars().take(MOST_SAYS).collect())
    }

    fn laid_out(
        protocol: &Protocol,
        detail: &SheetDetail,
        judged: &Judged,
        (sent, asks): (Option<&WentOut>, Asks),
    ) -> SheetView {
        // A sheet that went out tells the rulings of then.
        let then = sent.and_then(|s| s.from.as_ref()).map(|from| &from.rulings);
        let rulings = then.unwrap_or(&detail.rulings);
        let keys: BTreeMap<&String, &String> = judged.keys.iter().collect();
        let line = |criterion: &str, title: &str, points: &str, possible: &str| PointsView {
            key: points_line(criterion),
            title: title.to_owned(),
            points: points.to_owned(),
            possible: possible.to_owned(),
        };
        SheetView {
            asks,
            id: detail.id,
            team: judged.team.clone(),
            section: judged.section.clone(),
            lab: protocol.title.clone(),
            keys: keys.iter().map(|(k, v)| format!("{k} {v}")).collect::<Vec<_>>().join(", "),
            state: match detail.state {
                SheetState::Returned => "returned",
                SheetState::Signed => "signed, not returned yet",
                SheetState::Waiting => "draft: not decided yet",
            },
            when: sent.map(|w| time(w.at)).unwrap_or_default(),
            decided: points(sent.map_or(judged.score.decided, |w| w.points)),
            possible: sent.map_or(judged.score.possible, |w| w.possible).normalize().to_string(),
            sentences: wording::sentences(protocol, judged)
                .into_iter()
                .map(|(_, s)| s)
                .chain(super::rulings::told(judged, rulings))
                .collect(),
            steps: steps(protocol, judged),
            since: if sent.is_some() { Vec::new() } else { changes(detail, judged) },
            // Where a measurement is to be repeated, the lab's cautions go with it.
            cautions: if judged.findings.iter().any(|f| f.kind.properties().again) {
                protocol.cautions.clone()
            } else {
                Vec::new()
            },
            lines: match sent {
                Some(w) => w.lines.iter().map(|l| line(&l.criterion, &l.title, &l.points, &l.possible)).collect(),
                None => judged
                    .score
                    .lines
                    .iter()
                    .map(|l| line(&l.criterion, &l.title, &points(l.decided), &l.possible.normalize().to_string()))
                    .collect(),
            },
        }
    }
}

fn steps(protocol: &Protocol, judged: &Judged) -> Vec<StepView> {
    explain(protocol, judged)
        .into_iter()
        .zip(&judged.results)
        .filter_map(|(e, r)| {
            let stages = e.stages?;
            let asked = protocol.results[r.id].plus_minus;
            Some(StepView {
                key: result_line(protocol, r.item, r.row),
                title: super::capital(&e.title),
                reported: if e.reported.is_empty() {
                    "nothing".to_owned()
                } else {
                    format!("{} {}", e.reported, r.reported.unit)
                },
                mark: Mark { symbol: e.verdict, word: e.verdict },
                math: super::stages(stages),
                uncertainty: r
                    .expanded(&protocol.school)
                    .filter(|u| asked && *u > 0.0 && r.verdict != VerdictKind::Unchecked)
                    .map(|u| format!("± {} {}", notation::uncertainty(u), e.unit))
                    .unwrap_or_default(),
            })
        })
        .collect()
}
