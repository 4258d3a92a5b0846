//! What goes back: marks as CSV, and a team's sheet with the correction step by step.

use std::collections::BTreeMap;

use jurado_core::explain::explain;
use jurado_core::judging::sentences;
use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::verdict::{Judged, VerdictKind};
use jurado_store::{DocketRow, Lab, SheetDetail};
use rust_decimal::Decimal;

use super::Mark;
use super::bench::points;
use crate::views::intake::time;

/// Everything the list lays out.
pub(crate) struct ReturnsView {
    pub(crate) sections: Vec<SectionView>,
    pub(crate) ready: usize,
    pub(crate) returned: usize,
    pub(crate) waiting: usize,
    pub(crate) may_release: bool,
}

/// One lab in one section.
pub(crate) struct SectionView {
    pub(crate) title: String,
    pub(crate) lab: String,
    pub(crate) rows: Vec<RowView>,
    pub(crate) mean: String,
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

impl ReturnsView {
    pub(crate) fn new(labs: &[(Lab, Vec<DocketRow>)], may_release: bool) -> ReturnsView {
        let mut sections: Vec<SectionView> = Vec::new();
        for (lab, rows) in labs {
            let mut by_section: Vec<(&str, Vec<&DocketRow>)> = Vec::new();
            for row in rows {
                match by_section.iter_mut().find(|(s, _)| *s == row.section) {
                    Some((_, list)) => list.push(row),
                    None => by_section.push((&row.section, vec![row])),
                }
            }
            for (section, list) in by_section {
                let sum: Decimal = list.iter().filter_map(|r| r.decided.parse::<Decimal>().ok()).sum();
                let mean = (sum / Decimal::from(list.len().max(1))).round_dp(2);
                sections.push(SectionView {
                    title: section.to_owned(),
                    lab: lab.protocol.title.clone(),
                    rows: list.iter().map(|r| row_view(r)).collect(),
                    mean: points(mean),
                });
            }
        }
        let count = |state: &str| labs.iter().flat_map(|(_, rows)| rows).filter(|r| r.state == state).count();
        ReturnsView {
            sections,
            ready: count("signed"),
            returned: count("returned"),
            waiting: count("waiting"),
            may_release,
        }
    }
}

fn row_view(r: &DocketRow) -> RowView {
    let decimal = |t: &str| t.parse::<Decimal>().unwrap_or_default();
    RowView {
        id: r.id,
        team: r.team.clone(),
        state: match r.state.as_str() {
            "signed" => "signed",
            "returned" => "returned",
            _ if r.open_findings > 0 => "wants a person",
            _ => "looks clear",
        },
        awarded: points(decimal(&r.awarded)),
        decided: points(decimal(&r.decided)),
        possible: r.possible.clone(),
        changed: r.awarded != r.decided,
        when: r.returned_at.filter(|_| r.state == "returned").map(time).unwrap_or_default(),
    }
}

/// Marks of what has been returned; nothing else leaves.
pub(crate) fn marks_csv(labs: &[(Lab, Vec<DocketRow>)]) -> String {
    let mut out = String::from("section,team,lab,protocol_version,points,possible,returned_at\r\n");
    for (lab, rows) in labs {
        for r in rows.iter().filter(|r| r.state == "returned") {
            let when = r.returned_at.map(|t| t.format("%Y-%m-%dT%H:%M:%SZ").to_string()).unwrap_or_default();
            let version = lab.protocol.version.to_string();
            let fields = [&r.section, &r.team, &lab.protocol.id, &version, &r.decided, &r.possible, &when];
            let line: Vec<String> = fields.iter().map(|f| cell(f)).collect();
            out.push_str(&line.join(","));
            out.push_str("\r\n");
        }
    }
    out
}

/// A cell that no spreadsheet takes for a formula.
fn cell(text: &str) -> String {
    let text = if text.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{text}") } else { text.to_owned() };
    if text.contains([',', '"', '\n', '\r']) { format!("\"{}\"", text.replace('"', "\"\"")) } else { text }
}

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
    pub(crate) lines: Vec<(String, String, String)>,
}

/// One result, corrected step by step.
pub(crate) struct StepView {
    pub(crate) title: String,
    pub(crate) reported: String,
    pub(crate) mark: Mark,
    pub(crate) math: [String; 3],
    pub(crate) uncertainty: String,
}

impl SheetView {
    pub(crate) fn new(protocol: &Protocol, detail: &SheetDetail, judged: &Judged) -> SheetView {
        let keys: BTreeMap<&String, &String> = judged.keys.iter().collect();
        SheetView {
            id: detail.id,
            team: judged.team.clone(),
            section: judged.section.clone(),
            lab: protocol.title.clone(),
            keys: keys.iter().map(|(k, v)| format!("{k} {v}")).collect::<Vec<_>>().join(", "),
            state: match detail.state.as_str() {
                "returned" => "returned",
                "signed" => "signed, not returned yet",
                _ => "draft: not decided yet",
            },
            when: detail.returned_at.filter(|_| detail.state == "returned").map(time).unwrap_or_default(),
            decided: points(judged.score.decided),
            possible: judged.score.possible.normalize().to_string(),
            sentences: sentences(judged).into_iter().map(|(_, s)| s).collect(),
            steps: steps(protocol, judged),
            lines: judged
                .score
                .lines
                .iter()
                .map(|l| (l.title.clone(), points(l.decided), l.possible.normalize().to_string()))
                .collect(),
        }
    }
}

fn steps(protocol: &Protocol, judged: &Judged) -> Vec<StepView> {
    explain(protocol, judged)
        .into_iter()
        .zip(&judged.results)
        .filter_map(|(e, r)| {
            let stages = e.stages?;
            let asked = protocol.results[r.index].plus_minus;
            Some(StepView {
                title: super::capital(&e.title),
                reported: if e.reported.is_empty() {
                    "nothing".to_owned()
                } else {
                    format!("{} {}", e.reported, r.reported.unit)
                },
                mark: Mark { symbol: e.verdict, word: e.verdict },
                math: stages.mathml,
                uncertainty: r
                    .expanded
                    .filter(|u| asked && *u > 0.0 && r.verdict != VerdictKind::Unchecked)
                    .map(|u| format!("± {} {}", notation::uncertainty(u), e.unit))
                    .unwrap_or_default(),
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::cell;

    #[test]
    fn cells_are_safe_for_spreadsheets() {
        for (text, expected) in [
            ("Heron", "Heron"),
            ("=1+1", "'=1+1"),
            ("@x", "'@x"),
            ("-3", "'-3"),
            ("a,b", "\"a,b\""),
            ("say \"hi\"", "\"say \"\"hi\"\"\""),
        ] {
            assert_eq!(cell(text), expected);
        }
    }
}
