//! The documented JSON object of a judged class. Numbers are JSON numbers at full precision, absent
//! things are null. Points are those after the rulings and decisions that went in; with neither,
//! those computed.
//!
//! # The shape
//!
//! ```text
//! {"engine", "protocol": {id, version, digest}, "submissions": [
//!   {section, team, station, keys, results, findings, outliers, comparisons, score}, …
//! ]}
//! ```
//!
//! One table is one line, so that a file of ten thousand tables can be read a table at a time. The
//! order of the members is fixed; two runs over the same file differ in no byte.

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

/// The object that `jurado judge` writes, from its head to its tables.
#[derive(Serialize)]
pub struct Report<'a> {
    /// Version of the engine that judged.
    engine: &'static str,
    /// By what it was judged.
    protocol: ProtocolOf<'a>,
    /// A table each, in the order handed in.
    submissions: Vec<SubmissionOf<'a>>,
}

/// By what protocol something was judged.
#[derive(Serialize)]
pub(crate) struct ProtocolOf<'a> {
    /// Id of the lab.
    pub(crate) id: &'a str,
    /// Version of the lab's file.
    pub(crate) version: u32,
    /// SHA-256 of the file's text, so that a version that was changed in silence is seen.
    digest: &'a str,
}

impl<'a> ProtocolOf<'a> {
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::report::Report;
    /// let lab = lab();
    /// let class = [judge(&lab, &table("29.98", "706.1"), &[], &[])];
    /// let json: serde_json::Value = serde_json::from_str(&Report::new(&lab, &class).to_json()).expect("JSON");
    /// assert_eq!(json["submissions"][0]["results"][1]["id"], "section");
    /// assert_eq!(json["submissions"][0]["score"]["awarded"], 4);
    /// ```
    pub(crate) fn new(protocol: &'a Protocol) -> ProtocolOf<'a> {
        ProtocolOf { id: &protocol.id, version: protocol.version, digest: &protocol.digest }
    }
}

/// One table, as one line of the file.
#[derive(Serialize)]
struct SubmissionOf<'a> {
    /// Section in which it was handed in.
    section: &'a str,
    /// Team within its section.
    team: &'a str,
    /// The key `station`, which most readers ask for first; null where the lab has none.
    station: Option<&'a str>,
    /// All keys of the table, the station among them.
    keys: &'a BTreeMap<String, String>,
    /// Every result of the lab, by row where it is a column, whether it was reported or not.
    results: Vec<ResultOf<'a>>,
    /// What was found, in the order of the Bench.
    findings: Vec<FindingOf<'a>>,
    /// Every test for a reading that stands apart, raised or not.
    outliers: Vec<OutlierOf<'a>>,
    /// Percent errors, checks, methods that should agree, and unknowns.
    comparisons: Vec<ComparisonOf<'a>>,
    /// Points, line by line.
    score: ScoreOf<'a>,
}

/// One result, or one row of it.
#[derive(Serialize)]
struct ResultOf<'a> {
    /// Id of the result.
    id: &'a str,
    /// Row, from 1; null for a single value.
    row: Option<u32>,
    /// What the team wrote.
    reported: ReportedOf<'a>,
    /// What its readings give.
    clean: CleanOf<'a>,
    /// What follows from the values that it reported above.
    carried: CarriedOf,
    /// One of `agrees`, `rounded`, `carried`, `slip`, `unexplained`, `differs`, `missing`,
    /// `unreadable`, `unchecked`.
    verdict: &'static str,
    /// The likeliest mistake, where one was looked for; also where it is too unlikely to be the
    /// verdict.
    slip: Option<SlipOf<'a>>,
    /// The newest ruling that settled a finding about it.
    ruling: Option<u64>,
    /// The formula under it, where it came in a spreadsheet and has one.
    #[serde(skip_serializing_if = "Option::is_none")]
    formula: Option<FormulaOf<'a>>,
}

/// The formula under a cell, where a table came in a spreadsheet.
#[derive(Serialize)]
struct FormulaOf<'a> {
    /// Address of the cell with the result, such as `Data!C14`.
    cell: &'a str,
    /// The formula as typed.
    text: &'a str,
    /// Whether it gives what its cell holds.
    gives: bool,
    /// Whether it is the lab's; null where that cannot be told.
    same: Option<bool>,
}

/// R: what was written.
#[derive(Serialize)]
struct ReportedOf<'a> {
    /// As typed; null where nothing was.
    text: Option<&'a str>,
    /// As a number in the lab's unit; null where it could not be read.
    value: Option<f64>,
    /// The unit as typed.
    unit: Option<&'a str>,
    /// Half-width as stated, in the lab's unit.
    plus_minus: Option<f64>,
}

/// C: what the readings give.
#[derive(Serialize)]
struct CleanOf<'a> {
    /// Null where a reading is missing, or the formula is not defined.
    value: Option<f64>,
    /// Unit of the lab, in which all numbers of the result are.
    unit: &'a str,
    /// By the linear rule, or by trials where that does not hold.
    standard_uncertainty: Option<f64>,
}

/// F: what follows from the values reported above.
#[derive(Serialize)]
struct CarriedOf {
    /// Null where a value above was not reported, or cannot be used.
    value: Option<f64>,
}

/// A mistake, with how likely it is.
#[derive(Serialize)]
struct SlipOf<'a> {
    /// Its word, such as `radius-diameter`.
    kind: &'a str,
    /// What happened, as one clause.
    says: String,
    /// Between 0 and 1: its share of everything that could have given the value.
    probability: f64,
    /// Other kinds, likeliest first.
    alternatives: Vec<AlternativeOf<'a>>,
    /// Results in which it shows, or the rows of one, as `id:row`.
    places: Vec<String>,
}

/// Another kind of mistake that may have been made.
#[derive(Serialize)]
struct AlternativeOf<'a> {
    /// Its word.
    kind: &'a str,
    /// Between 0 and 1.
    probability: f64,
    /// Whether its value cannot be told apart from that of the first.
    alike: bool,
}

/// Something found, as a reviewer reads it.
#[derive(Serialize)]
struct FindingOf<'a> {
    /// Its word, such as `digits-few`.
    code: &'a str,
    /// `charge`, `decide` or `note`.
    severity: &'static str,
    /// Id of what it is about; null where that is the table or the lab.
    item: Option<&'a str>,
    /// Row, from 1.
    row: Option<u32>,
    /// In words, as a reviewer reads it.
    says: String,
    /// Of a repaired reading: how likely it was copied wrongly.
    #[serde(skip_serializing_if = "Option::is_none")]
    probability: Option<f64>,
}

/// A test for a value that stands apart.
#[derive(Serialize)]
struct OutlierOf<'a> {
    /// `replicate` for a reading among its like, `point` for one off its line.
    level: &'static str,
    /// Id of the reading or result.
    item: &'a str,
    /// Row of the suspect, from 1.
    row: Option<u32>,
    /// Its word, such as `grubbs`.
    test: &'static str,
    /// What the test measures.
    statistic: f64,
    /// Beyond what it raises its hand.
    critical: f64,
    /// Whether it does.
    flagged: bool,
}

/// What was compared with something, and what came of it.
#[derive(Serialize)]
struct ComparisonOf<'a> {
    /// Id of the criterion, check, comparison or unknown.
    id: &'a str,
    /// `percent-error`, `precision`, `check`, `agreement` or `identify`.
    kind: &'static str,
    /// Percent, standard uncertainties, a share of the room, or a difference in the sheet's unit,
    /// by its kind.
    value: f64,
    /// Up to where it is within; null beyond the last band.
    limit: Option<f64>,
    /// `within`, `beyond`, `agree`, `differ`, or the name of the likeliest candidate.
    verdict: &'a str,
    /// In words.
    says: String,
}

/// The points of a table.
#[derive(Serialize)]
struct ScoreOf<'a> {
    /// After rulings and decisions.
    awarded: Box<RawValue>,
    /// Sum of the rubric.
    possible: Box<RawValue>,
    /// A criterion each, in the order of the rubric.
    lines: Vec<LineOf<'a>>,
}

/// The points of a criterion.
#[derive(Serialize)]
struct LineOf<'a> {
    /// Id of the rubric's line.
    criterion: &'a str,
    /// After rulings, decisions and the criterion's step.
    awarded: Box<RawValue>,
    /// As computed, before the criterion's step.
    exact: Box<RawValue>,
    /// Points of the criterion.
    possible: Box<RawValue>,
    /// Why, in words.
    says: String,
    /// What a defensible choice would give otherwise; null where nothing hangs.
    fragile: Option<String>,
    /// The newest ruling that touched it.
    ruling: Option<u64>,
}

/// A decimal as a JSON number, digit for digit.
///
/// 28.50 is written as 28.5; no decimal goes through a binary number.
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

/// The object written table by table, for classes too large to hold: the text before the first
/// table, each table's own, and the text after the last. Joined with `,` and a line break they are
/// what [`Report::to_json`] gives.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::report::{self, Report};
/// let lab = lab();
/// let class = [judge(&lab, &table("29.98", "706.1"), &[], &[])];
/// let parts = report::head(&lab) + &report::table(&lab, &class[0]) + report::TAIL;
/// assert_eq!(parts, Report::new(&lab, &class).to_json());
/// ```
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
///
/// Rulings are gathered once for the table, since each result looks for its own.
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

/// A result as it is written: what was reported, what the readings give, what follows from the
/// values above, and the verdict.
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
