//! From a table to its verdict. [`judge`] runs the passes in the order a reviewer works; each pass is a file here:
//! cells in their places (`table`), what readings say of themselves (`readings`), recompute, follow through and
//! compare (`compare`), name the mistake (`diagnose` ranks the mistaken formulas that `protocol::mutate` made when the
//! protocol was loaded), charge it once (`results`), uncertainty (`uncertain`), references and the score (`score`).

mod compare;
mod diagnose;
mod findings;
mod readings;
mod results;
mod score;
mod slack;
mod table;
#[cfg(test)]
mod tests;
mod uncertain;

use rust_decimal::Decimal;

use crate::decision::{Decision, Ruling};
use crate::notation;
use crate::protocol::{Protocol, Rule};
use crate::submission::Submission;
use crate::verdict::{Finding, Judged, Severity};
use findings::Findings;

/// The clean value of a result with one digit more than the team wrote.
pub fn shown_clean(result: &crate::verdict::JudgedResult) -> String {
    compare::shown_clean(result)
}

/// Judges one table: a pure function of its text, the protocol, the rulings in force and the reviewer's decisions on
/// this table (oldest first). The same in gives the same out, byte for byte.
pub fn judge(protocol: &Protocol, submission: &Submission, rulings: &[Ruling], decisions: &[Decision]) -> Judged {
    let mut list = Vec::new();
    let mut found = Findings { list: &mut list };
    let mut table = table::place(protocol, submission);
    let outliers = readings::exclusions(protocol, &mut table.readings, &mut found);
    readings::cells(protocol, &table.readings, &mut found);
    let measured = table::measured(protocol, submission, &table.readings);
    let figured = table::figured(protocol, &table.readings, &measured);
    let (mut judged, clean) = compare::results(protocol, &table, &measured, figured);
    results::join_slips(protocol, &mut judged);
    results::find(protocol, &judged, &mut found);
    notes(protocol, &table, &mut found);
    let sources = uncertain::propagate(protocol, &table.readings, &clean, &mut judged);
    uncertain::stated(protocol, &judged, &mut found);
    let comparisons = score::compare(protocol, submission, &table.readings, &judged, &mut found);
    score::settle(protocol, &judged, &mut list, rulings, decisions);
    let score = score::score(protocol, &list, &comparisons, decisions);
    Judged {
        section: submission.section.clone(),
        team: submission.team.clone(),
        keys: submission.keys.clone(),
        readings: table.readings,
        results: judged,
        findings: list,
        outliers,
        comparisons,
        score,
        sources,
    }
}

/// What was noted while placing cells becomes findings; only a result's unit is charged.
fn notes(protocol: &Protocol, table: &table::Table, found: &mut Findings<'_>) {
    let units = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Units { each } => Some((c.id.clone(), each)),
        _ => None,
    });
    for note in &table.notes {
        let is_result = protocol.reading_of(note.item).is_none();
        let costs = match note.code {
            "unit-missing" => is_result,
            "unit-wrong" | "unit-unknown" => true,
            _ => false,
        };
        let item = &protocol.items[note.item];
        // Replicates are judged together: a reading without units is one finding, not five.
        let key = if costs {
            format!("{}:{}", note.code, item.id)
        } else {
            format!("{}:{}:{}", note.code, item.id, note.row.unwrap_or(0))
        };
        let severity = if costs { Severity::Charge } else { Severity::Note };
        let mut finding = Finding {
            says: notation::capital(&format!("{}.", note.says)),
            ..Findings::blank(note.code, key, severity, Some(note.item), note.row)
        };
        if costs && let Some((criterion, each)) = &units {
            finding.tells =
                format!("Please write the unit of your {}: {}.", protocol.full_title(note.item), item.unit.text);
            finding.criterion = Some(criterion.clone());
            finding.cost = *each;
        }
        if note.code == "duplicate" {
            finding.severity = Severity::Decide;
        }
        found.push(finding);
    }
}

/// Points that hang on a person: of open findings, and of what is fragile.
pub fn hanging(judged: &Judged) -> Decimal {
    judged
        .findings
        .iter()
        .filter(|f| f.open() || (f.fragile.is_some() && f.decision.is_none() && f.ruling.is_none()))
        .map(|f| f.hangs)
        .sum()
}

/// The sentences the student reads, in the order of the findings, each with its finding's key. A forgiven finding is
/// still told, with what it would have cost left out.
pub fn sentences(judged: &Judged) -> Vec<(String, String)> {
    judged.findings.iter().filter(|f| !f.tells.is_empty()).map(|f| (f.key.clone(), f.tells.clone())).collect()
}

/// The half-width stated with a result, in the protocol's unit.
pub fn stated_plus_minus(reported: &crate::verdict::Reported) -> Option<f64> {
    uncertain::stated_value(reported).map(|(value, ..)| value)
}
