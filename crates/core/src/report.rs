//! The documented JSON object of a judged class. Numbers are JSON numbers at full precision, absent things are null.
//! Points are those after the rulings and decisions that went in; with neither, those computed.

use crate::formula::ItemId;
use crate::row::Row;
use serde::Serialize;
use serde_json::value::RawValue;
use std::collections::BTreeMap;

use rust_decimal::Decimal;

use crate::finding::{Finding, Kind};
use crate::protocol::Protocol;
use crate::underneath::Gives;
use crate::verdict::{ENGINE, Judged, JudgedResult};
use crate::wording;

/// The whole object.
#[derive(Serialize)]
pub struct Report<'a> {
    engine: &'static str,
    protocol: ProtocolOf<'a>,
    submissions: Vec<SubmissionOf<'a>>,
}

/// By what protocol something was judged.
#[derive(Serialize)]
pub(crate) struct ProtocolOf<'a> {
    pub(crate) id: &'a str,
    pub(crate) version: u32,
    digest: &'a str,
}

impl<'a> ProtocolOf<'a> {
    pub(crate) fn new(protocol: &'a Protocol) -> ProtocolOf<'a> {
        ProtocolOf { id: &protocol.id, version: protocol.version, digest: &protocol.digest }
    }
}

#[derive(Serialize)]
struct SubmissionOf<'a> {
    section: &'a str,
    team: &'a str,
    station: Option<&'a str>,
    keys: &'a BTreeMap<String, String>,
    results: Vec<ResultOf<'a>>,
    findings: Vec<FindingOf<'a>>,
    outliers: Vec<OutlierOf<'a>>,
    comparisons: Vec<ComparisonOf<'a>>,
    score: ScoreOf<'a>,
}

#[derive(Serialize)]
struct ResultOf<'a> {
    id: &'a str,
    row: Option<u32>,
    reported: ReportedOf<'a>,
    clean: CleanOf<'a>,
    carried: CarriedOf,
    verdict: &'static str,
    slip: Option<SlipOf<'a>>,
    ruling: Option<u64>,
    /// The formula under it, where it came in a spreadsheet and has one.
    #[serde(skip_serializing_if = "Option::is_none")]
    formula: Option<FormulaOf<'a>>,
}

#[derive(Serialize)]
struct FormulaOf<'a> {
    cell: &'a str,
    text: &'a str,
    /// Whether it gives what its cell holds.
    gives: bool,
    /// Whether it is the lab's; null where that cannot be told.
    same: Option<bool>,
}

#[derive(Serialize)]
struct ReportedOf<'a> {
    text: Option<&'a str>,
    value: Option<f64>,
    unit: Option<&'a str>,
    plus_minus: Option<f64>,
}

#[derive(Serialize)]
struct CleanOf<'a> {
    value: Option<f64>,
    unit: &'a str,
    standard_uncertainty: Option<f64>,
}

#[derive(Serialize)]
struct CarriedOf {
    value: Option<f64>,
}

#[derive(Serialize)]
struct SlipOf<'a> {
    kind: &'a str,
    says: String,
    probability: f64,
    alternatives: Vec<AlternativeOf<'a>>,
    places: Vec<String>,
}

#[derive(Serialize)]
struct AlternativeOf<'a> {
    kind: &'a str,
    probability: f64,
    /// Whether its value cannot be told apart from that of the first.
    alike: bool,
}

#[derive(Serialize)]
struct FindingOf<'a> {
    code: &'a str,
    severity: &'static str,
    item: Option<&'a str>,
    row: Option<u32>,
    says: String,
    /// Of a repaired reading: how likely it was copied wrongly.
    #[serde(skip_serializing_if = "Option::is_none")]
    probability: Option<f64>,
}

#[derive(Serialize)]
struct OutlierOf<'a> {
    level: &'static str,
    item: &'a str,
    row: Option<u32>,
    test: &'static str,
    statistic: f64,
    critical: f64,
    flagged: bool,
}

#[derive(Serialize)]
struct ComparisonOf<'a> {
    id: &'a str,
    kind: &'static str,
    value: f64,
    limit: Option<f64>,
    verdict: &'a str,
    says: String,
}

#[derive(Serialize)]
struct ScoreOf<'a> {
    awarded: Box<RawValue>,
    possible: Box<RawValue>,
    lines: Vec<LineOf<'a>>,
}

#[derive(Serialize)]
struct LineOf<'a> {
    criterion: &'a str,
    awarded: Box<RawValue>,
    /// As computed, before the criterion's step.
    exact: Box<RawValue>,
    possible: Box<RawValue>,
    says: String,
    fragile: Option<String>,
    ruling: Option<u64>,
}

/// A decimal as a JSON number, digit for digit.
fn exact(value: Decimal) -> Box<RawValue> {
    RawValue::from_string(value.normalize().to_string()).unwrap_or_default()
}

/// A text, if there is any.
fn filled(text: &str) -> Option<&str> {
    (!text.is_empty()).then_some(text)
}

impl<'a> Report<'a> {
    /// The report of a class, tables in the order given.
    pub fn new(protocol: &'a Protocol, class: &'a [Judged]) -> Self {
        Report {
            engine: ENGINE,
            protocol: ProtocolOf::new(protocol),
            submissions: class.iter().map(|j| submission(protocol, j)).collect(),
        }
    }

    /// The object as text, a line for each table, with a last line break.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::report::Report;
    /// let (lab, class) = (lab(), [judge(&lab(), &table("29.98", "706.1"), &[], &[])]);
    /// let json = Report::new(&lab, &class).to_json();
    /// assert!(json.contains("\"verdict\":\"agrees\""));
    /// ```
    pub fn to_json(&self) -> String {
        let tables: Vec<String> =
            self.submissions.iter().map(|s| serde_json::to_string(s).unwrap_or_default()).collect();
        format!("{}{}{TAIL}", head_of(self), tables.join(",\n"))
    }
}

/// The lines before the tables: which engine judged by which protocol.
fn head_of(report: &Report<'_>) -> String {
    let engine = serde_json::to_string(report.engine).unwrap_or_default();
    let protocol = serde_json::to_string(&report.protocol).unwrap_or_default();
    format!("{{\"engine\": {engine}, \"protocol\": {protocol}, \"submissions\": [\n")
}

/// The object written table by table, for classes too large to hold: the text before the first table, each table's own,
/// and the text after the last. Joined with `,` and a line break they are what [`Report::to_json`] gives.
pub fn head(protocol: &Protocol) -> String {
    head_of(&Report::new(protocol, &[]))
}

/// One table's text.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::report;
/// let judged = judge(&lab(), &table("29.98", "706.1"), &[], &[]);
/// assert!(report::table(&lab(), &judged).starts_with('{'));
/// ```
pub fn table(protocol: &Protocol, judged: &Judged) -> String {
    // About as long as a verdict is: a buffer that grows is copied at every doubling.
    let mut text = Vec::with_capacity(512 * (judged.results.len() + judged.findings.len()));
    match serde_json::to_writer(&mut text, &submission(protocol, judged)) {
        Ok(()) => String::from_utf8(text).unwrap_or_default(),
        Err(_) => String::new(),
    }
}

/// The text after the last table.
pub const TAIL: &str = "\n]}\n";

/// One table's verdict as it is written.
fn submission<'a>(protocol: &'a Protocol, judged: &'a Judged) -> SubmissionOf<'a> {
    let id = |item: ItemId| protocol.items[item].id.as_str();
    let ruled: Vec<&Finding> = judged.findings.iter().filter(|f| f.ruling.is_some()).collect();
    SubmissionOf {
        section: &judged.section,
        team: &judged.team,
        station: judged.keys.get("station").map(String::as_str),
        keys: &judged.keys,
        results: judged.results.iter().map(|r| result(protocol, &ruled, r)).collect(),
        findings: judged.findings.iter().map(|f| finding(protocol, f)).collect(),
        outliers: judged
            .outliers
            .iter()
            .map(|o| OutlierOf {
                level: o.level,
                item: id(o.item),
                row: o.row.map(Row::number),
                test: o.test,
                statistic: o.statistic,
                critical: o.critical,
                flagged: o.flagged,
            })
            .collect(),
        comparisons: judged
            .comparisons
            .iter()
            .map(|c| ComparisonOf {
                id: &c.id,
                kind: c.kind,
                value: c.value,
                limit: c.limit,
                verdict: &c.verdict,
                says: wording::compared(protocol, c),
            })
            .collect(),
        score: score(protocol, judged),
    }
}

/// A finding as it is written, with the words for the reviewer.
fn finding<'a>(protocol: &'a Protocol, f: &'a Finding) -> FindingOf<'a> {
    FindingOf {
        code: f.code(),
        severity: f.severity.word(),
        item: f.place.item.map(|i| protocol.items[i].id.as_str()),
        row: f.place.row.map(Row::number),
        says: wording::says(protocol, f),
        probability: match f.kind {
            Kind::Repair { probability, .. } | Kind::Rewritten { probability, .. } => Some(probability),
            _ => None,
        },
    }
}

/// The score with each of its lines, exact.
fn score<'a>(protocol: &'a Protocol, judged: &'a Judged) -> ScoreOf<'a> {
    ScoreOf {
        awarded: exact(judged.score.decided),
        possible: exact(judged.score.possible),
        lines: judged
            .score
            .lines
            .iter()
            .map(|l| LineOf {
                criterion: &l.criterion,
                awarded: exact(l.decided),
                exact: exact(l.exact),
                possible: exact(l.possible),
                says: wording::standing(protocol, l),
                fragile: l.fragile.as_ref().map(wording::fragile),
                ruling: l.ruling,
            })
            .collect(),
    }
}

/// A result as it is written: what was reported, what the readings give, what follows from the values above, and the
/// verdict.
fn result<'a>(protocol: &'a Protocol, ruled: &[&Finding], r: &'a JudgedResult) -> ResultOf<'a> {
    let item = &protocol.items[r.item];
    let plus_minus = crate::judging::stated_plus_minus(&r.reported);
    ResultOf {
        id: &item.id,
        row: r.row.map(Row::number),
        reported: ReportedOf {
            text: filled(&r.reported.text),
            value: r.reported.value,
            unit: filled(&r.reported.unit),
            plus_minus,
        },
        clean: CleanOf {
            value: r.clean,
            unit: &item.unit.text,
            standard_uncertainty: r.monte_carlo.or(r.budget.as_ref().map(|b| b.standard)),
        },
        carried: CarriedOf { value: r.carried },
        verdict: r.verdict.word(),
        slip: r.slip.as_ref().map(|s| SlipOf {
            kind: s.kind.word(),
            says: wording::happened(protocol, &s.account, &s.rows),
            probability: s.probability,
            alternatives: s
                .alternatives
                .iter()
                .map(|(k, p)| AlternativeOf { kind: k.word(), probability: *p, alike: s.alike.contains(k) })
                .collect(),
            // One slip down a column: the rows where it happened.
            places: if s.rows.is_empty() {
                s.places.clone()
            } else {
                s.rows.iter().map(|row| format!("{}:{row}", item.id)).collect()
            },
        }),
        ruling: ruled
            .iter()
            .filter(|f| f.place.item == Some(r.item) && (f.place.row.is_none() || f.place.row == r.row))
            .filter_map(|f| f.ruling)
            .max(),
        formula: r.under.as_deref().map(|u| FormulaOf {
            cell: &u.address,
            text: &u.text,
            gives: u.gives == Gives::ItsValue,
            same: u.same,
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::submission::Submission;

    #[test]
    fn written_table_by_table_it_is_the_same_object() {
        let protocol =
            Protocol::parse(include_str!("../tests/labs/plate-and-disc.toml")).expect("the shipped protocol");
        let one = |team: &str| {
            let table = Submission { section: "Morning".into(), team: team.into(), ..Submission::default() };
            crate::judging::judge(&protocol, &table, &[], &[])
        };
        let class = [one("Heron"), one("Knot")];
        let parts: Vec<String> = class.iter().map(|j| table(&protocol, j)).collect();
        let whole = Report::new(&protocol, &class);
        assert_eq!(format!("{}{}{TAIL}", head(&protocol), parts.join(",\n")), whole.to_json());
        let read: serde_json::Value = serde_json::from_str(&whole.to_json()).expect("JSON");
        assert_eq!(read, serde_json::to_value(&whole).expect("a value"));
    }
}
