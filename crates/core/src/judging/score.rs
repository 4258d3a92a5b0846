//! Accuracy, precision, and the score line by line. Sums are exact decimals.

use std::collections::HashMap;

use rust_decimal::Decimal;

use super::findings::Findings;
use super::table::Table;
use super::uncertain::full_title;
use super::values::{Env, reference_entry};
use crate::decision::{Action, Decision, Ruling};
use crate::notation::{self, capital};
use crate::protocol::{Band, Criterion, Protocol, ReferenceEntry, Rule};
use crate::quantity::leading_place;
use crate::quantity::power_of_ten;
use crate::section::{Section, Source};
use crate::stats::summary;
use crate::submission::Submission;
use crate::verdict::{Comparison, Finding, JudgedReading, JudgedResult, Score, ScoreLine, Severity};

/// Percent by which a value misses a reference: nought inside its range, else to the nearer edge.
///
/// # Formula
/// 100·|x − edge| / |edge|, where edge is the nearer end of the reference's range.
pub(super) fn percent_off(value: f64, reference: &ReferenceEntry) -> f64 {
    let edge = value.clamp(reference.low, reference.high);
    if edge == 0.0 { if value == 0.0 { 0.0 } else { 100.0 } } else { 100.0 * ((value - edge) / edge).abs() }
}

fn band(bands: &[Band], value: f64) -> Option<&Band> {
    bands.iter().find(|b| value <= b.within * (1.0 + 1e-12))
}

fn points(bands: &[Band], value: f64) -> Decimal {
    band(bands, value).map_or(Decimal::ZERO, |b| b.points)
}

/// What is compared.
#[derive(Clone, Copy)]
pub(super) struct Compared<'a> {
    pub(super) protocol: &'a Protocol,
    pub(super) section: &'a Section,
    pub(super) submission: &'a Submission,
    pub(super) table: &'a Table,
    pub(super) clean: &'a Env,
}

/// Compares clean values with references, and spreads with their bands.
pub(super) fn compare(
    case: &Compared<'_>,
    rulings: &[&Ruling],
    results: &[JudgedResult],
    found: &mut Findings<'_>,
) -> Vec<Comparison> {
    let Compared { protocol, section, submission, table, clean } = *case;
    let own = section.readings == Source::Own;
    let mut out = Vec::new();
    for c in protocol.criteria.iter().filter(|c| c.counts(section)) {
        match &c.rule {
            Rule::Accuracy { result, reference, bands, in_uncertainties } => {
                let judge = Accuracy {
                    protocol,
                    submission,
                    table,
                    clean,
                    criterion: c,
                    reference: *reference,
                    bands,
                    in_uncertainties: *in_uncertainties,
                    against: rulings
                        .iter()
                        .filter(|r| {
                            let id = &protocol.items[protocol.results[*result].item].id;
                            r.against.is_some() && r.item.as_ref().is_none_or(|i| i == id)
                        })
                        .max_by_key(|r| r.id)
                        .copied(),
                };
                for r in results.iter().filter(|r| r.index == *result) {
                    out.extend(judge.judge(r, found));
                }
            }
            // Of readings that were issued to everybody the spread says nothing.
            Rule::Precision { reading, bands, .. } if own => {
                out.extend(precision(protocol, c, &table.readings[*reading], bands, found))
            }
            Rule::Manual { .. } => found.push(Finding {
                says: format!("{}: to be judged by a person.", c.title),
                criterion: Some(c.id.clone()),
                hangs: c.points,
                ..Findings::blank("manual", format!("manual:{}", c.id), Severity::Decide, None, None)
            }),
            _ => {}
        }
    }
    out
}

struct Accuracy<'a> {
    protocol: &'a Protocol,
    submission: &'a Submission,
    table: &'a Table,
    clean: &'a Env,
    criterion: &'a Criterion,
    reference: usize,
    bands: &'a [Band],
    in_uncertainties: bool,
    /// The ruling that sets another value in place of the reference.
    against: Option<&'a Ruling>,
}

impl Accuracy<'_> {
    fn judge(&self, result: &JudgedResult, found: &mut Findings<'_>) -> Option<Comparison> {
        let Accuracy { protocol, criterion: c, bands, .. } = *self;
        let item = &protocol.items[result.item];
        let title = full_title(protocol, result);
        let row = result.row.map(|r| r as usize - 1);
        let entry = reference_entry(protocol, self.reference, self.submission, self.table, self.clean, row);
        // A ruling may set a station's own consensus in its place.
        let ruled = self.against.and_then(|r| Some((r.id, r.against?)));
        let entry = match ruled {
            Some((_, value)) => {
                let si = item.to_si(value);
                let says = "by ruling".to_owned();
                Some(ReferenceEntry { at: String::new(), says, low: si, high: si, uncertainty: 0.0 })
            }
            None => entry,
        };
        let key = Findings::key("accuracy", &c.id, result.row);
        // The class's own consensus is not known in one table alone.
        if protocol.references[self.reference].consensus && ruled.is_none() {
            return None;
        }
        // A row that the table does not reach is no row.
        if result.row.is_some() && result.clean.is_none() {
            return None;
        }
        let looked_at =
            if protocol.school.accuracy_of_reported { result.reported.value.or(result.clean) } else { result.clean };
        let (Some(clean), Some(entry)) = (looked_at, entry.as_ref()) else {
            let why = if entry.is_none() { "the table names no entry of the sheet" } else { "a reading is missing" };
            found.push(Finding {
                says: format!(
                    "The accuracy of the {title} cannot be judged: {why}. Its points stand until somebody decides."
                ),
                criterion: Some(c.id.clone()),
                hangs: c.points,
                fragile: Some(why.to_owned()),
                ..Findings::blank("accuracy-unchecked", key, Severity::Decide, Some(result.item), result.row)
            });
            return None;
        };
        let value = item.to_si(clean);
        let off_of = |v: f64, e: &ReferenceEntry| match result.budget.as_ref().filter(|_| self.in_uncertainties) {
            // Where errors are amplified the bands count standard uncertainties.
            Some(b) => {
                let room = (b.standard * item.unit.factor).hypot(e.uncertainty);
                let off = (v - v.clamp(e.low, e.high)).abs();
                if off == 0.0 { 0.0 } else { off / room.max(f64::MIN_POSITIVE) }
            }
            None => percent_off(v, e),
        };
        let off = off_of(value, entry).min(1e6);
        let got = points(bands, off);
        // A band edge within the last figure the value deserves could go either way.
        let width = 0.5 * power_of_ten(leading_place(clean) - result.deserved + 1) * item.unit.factor;
        let moved = [value - width, value + width].map(|v| points(bands, off_of(v, entry)));
        // So could one within the reference's own uncertainty.
        let shifted = |by: f64| ReferenceEntry { low: entry.low + by, high: entry.high + by, ..entry.clone() };
        let doubted = [-entry.uncertainty, entry.uncertainty].map(|by| points(bands, off_of(value, &shifted(by))));
        let other = moved.into_iter().chain(doubted).find(|p| *p != got);
        let shown = notation::figures(clean, result.deserved);
        let place = 1 - leading_place(clean) + result.deserved - 2;
        let places = usize::try_from(place.clamp(0, 6)).unwrap_or(2);
        let range = if entry.low == entry.high {
            notation::decimals(item.from_si(entry.low), places)
        } else {
            format!(
                "{} to {}",
                notation::decimals(item.from_si(entry.low), 2.max(places.min(3))),
                notation::decimals(item.from_si(entry.high), 2.max(places.min(3)))
            )
        };
        let name = if entry.says.is_empty() { String::new() } else { format!("{}, ", entry.says) };
        let measure = if self.in_uncertainties { " standard uncertainties" } else { " %" };
        let off_words = if off == 0.0 {
            "inside the range".to_owned()
        } else {
            format!("{}{measure} off", notation::figures(off, 2))
        };
        let says = format!("{} {shown} {}, {off_words} ({name}{range})", capital(&title), item.unit.text);
        let limit = band(bands, off).map(|b| b.within);
        let cost = c.points - got;
        if cost > Decimal::ZERO || other.is_some() || ruled.is_some() {
            let fragile = other.map(|p| {
                format!(
                    "{}{measure} lies at a band’s edge: {p} of {} with the last figure moved",
                    notation::figures(off, 2),
                    c.points
                )
            });
            let severity = if fragile.is_some() {
                Severity::Decide
            } else if cost > Decimal::ZERO {
                Severity::Charge
            } else {
                Severity::Note
            };
            let tells = if cost > Decimal::ZERO {
                format!(
                    "Your readings give a {title} of {shown} {}; tabulated is {range} {}.",
                    item.unit.text, item.unit.text
                )
            } else {
                String::new()
            };
            found.push(Finding {
                says: format!("{says}."),
                tells,
                criterion: Some(c.id.clone()),
                cost,
                hangs: other.map_or(Decimal::ZERO, |p| (p - got).abs()),
                fragile,
                ruling: ruled.map(|r| r.0),
                ..Findings::blank("accuracy", key, severity, Some(result.item), result.row)
            });
        }
        // Of rows together no more than the criterion's points can be lost: the score sees to that.
        Some(Comparison {
            id: c.id.clone(),
            kind: "percent-error",
            value: if protocol.school.signed_percent && !self.in_uncertainties && value < entry.low {
                -off
            } else {
                off
            },
            limit,
            verdict: if limit.is_some() { "within" } else { "beyond" }.to_owned(),
            says,
        })
    }
}

fn precision(
    protocol: &Protocol,
    c: &Criterion,
    reading: &JudgedReading,
    bands: &[Band],
    found: &mut Findings<'_>,
) -> Option<Comparison> {
    let item = &protocol.items[reading.item];
    // A reading that stands apart and was kept is charged as that; the spread is judged without it, so that one
    // mistake is charged once.
    let apart =
        found.list.iter().find(|f| f.code == "outlier-kept" && f.item == Some(reading.item)).and_then(|f| f.row);
    let values: Vec<f64> = reading
        .cells
        .iter()
        .filter(|c| c.counts && (apart.is_none() || c.row != apart))
        .filter_map(|c| c.repaired.or(c.value))
        .collect();
    let Some(sd) = summary(&values).and_then(|s| s.sd) else {
        found.push(Finding {
            says: format!("The spread of the {} cannot be judged: fewer than two readings. Its points stand until somebody decides.", item.title),
            criterion: Some(c.id.clone()),
            hangs: c.points,
            fragile: Some("fewer than two readings".to_owned()),
            ..Findings::blank("precision-unchecked", format!("precision:{}", c.id), Severity::Decide, Some(reading.item), None)
        });
        return None;
    };
    let got = points(bands, sd);
    let limit = band(bands, sd).map(|b| b.within);
    let says = format!(
        "standard deviation {} {} over {}{}",
        notation::uncertainty(sd),
        item.unit.text,
        notation::counted(values.len(), "reading"),
        apart.map_or_else(String::new, |r| format!(" (without reading {r})"))
    );
    let cost = c.points - got;
    if cost > Decimal::ZERO {
        let edge = limit.or(bands.last().map(|b| b.within)).unwrap_or(0.0);
        found.push(Finding {
            says: format!(
                "{}: {says}; {} of {} points up to {edge} {}.",
                capital(&item.title),
                got,
                c.points,
                item.unit.text
            ),
            tells: format!(
                "Your {} readings scatter by {} {}; with care they agree within {} {}.",
                item.title,
                notation::uncertainty(sd),
                item.unit.text,
                bands[0].within,
                item.unit.text
            ),
            criterion: Some(c.id.clone()),
            cost,
            ..Findings::blank("precision", format!("precision:{}", c.id), Severity::Charge, Some(reading.item), None)
        });
    }
    Some(Comparison {
        id: c.id.clone(),
        kind: "spread",
        value: sd,
        limit,
        verdict: if limit.is_some() { "within" } else { "beyond" }.to_owned(),
        says,
    })
}

/// Whether a ruling settles a finding; `item` is the finding's item id.
fn settles(ruling: &Ruling, finding: &Finding, item: Option<&str>, result: Option<&JudgedResult>) -> bool {
    let kind = result.and_then(|r| r.slip.as_ref()).map(|s| s.kind.word());
    ruling.against.is_none()
        && ruling.code == finding.code
        && ruling.item.as_deref().is_none_or(|i| Some(i) == item)
        && ruling.slip.as_deref().is_none_or(|s| Some(s) == kind)
}

/// Settles findings by rulings, then by decisions; the newest of each counts.
pub(super) fn settle(
    protocol: &Protocol,
    results: &[JudgedResult],
    findings: &mut [Finding],
    rulings: &[&Ruling],
    decisions: &[Decision],
) {
    // The first result of an item, and that of each of its rows; the newest decision on each key.
    let (mut of_item, mut of_row) = (HashMap::new(), HashMap::new());
    for r in results {
        of_item.entry(r.item).or_insert(r);
        of_row.entry((r.item, r.row)).or_insert(r);
    }
    let newest: HashMap<&str, &Decision> = decisions.iter().map(|d| (d.finding.as_str(), d)).collect();
    for finding in findings {
        let item = finding.item.map(|i| protocol.items[i].id.as_str());
        let result = finding.item.and_then(|i| match finding.row {
            None => of_item.get(&i).copied(),
            row => of_row.get(&(i, row)).copied(),
        });
        finding.decided_cost = finding.cost;
        if let Some(ruling) = rulings.iter().filter(|r| settles(r, finding, item, result)).max_by_key(|r| r.id) {
            finding.ruling = Some(ruling.id);
            finding.decided_cost = ruling.action.cost(finding.cost);
        }
        if let Some(decision) = newest.get(finding.key.as_str()).copied() {
            finding.decided_cost = decision.action.cost(finding.cost);
            finding.decision = Some(decision.clone());
        }
        // A line that a person judges as a whole is judged.
        if finding.code == "manual"
            && let Some(decision) = decisions.iter().rev().find(|d| {
                d.finding.strip_prefix("line:").is_some_and(|line| Some(line) == finding.criterion.as_deref())
            })
        {
            finding.decision = Some(decision.clone());
        }
    }
}

/// A line per criterion: what the findings take, never below nought.
pub(super) fn score(
    protocol: &Protocol,
    section: &Section,
    findings: &[Finding],
    comparisons: &[Comparison],
    decisions: &[Decision],
) -> Score {
    let mut score = Score::default();
    for c in protocol.criteria.iter().filter(|c| c.counts(section)) {
        score.possible += c.points;
        let mine: Vec<&Finding> = findings.iter().filter(|f| f.criterion.as_deref() == Some(&c.id)).collect();
        let left = |cost: &dyn Fn(&Finding) -> Decimal| {
            (c.points - mine.iter().map(|f| cost(f)).sum::<Decimal>()).clamp(Decimal::ZERO, c.points)
        };
        let awarded = left(&|f| f.cost);
        let changed = decisions.iter().rev().find(|d| d.finding.strip_prefix("line:") == Some(&c.id)).cloned();
        let decided = match changed.as_ref().map(|d| d.action) {
            Some(Action::Points(p)) => p.clamp(Decimal::ZERO, c.points),
            _ => left(&|f| f.decided_cost),
        };
        let charged = mine.iter().filter(|f| f.cost > Decimal::ZERO || f.code == "own").count();
        let says = match (&c.rule, comparisons.iter().find(|x| x.id == c.id)) {
            (Rule::Accuracy { .. }, Some(x)) if x.value == 0.0 => "inside the range".to_owned(),
            (Rule::Accuracy { in_uncertainties: true, .. }, Some(x)) => {
                format!("{} u off", notation::figures(x.value, 2))
            }
            (Rule::Accuracy { .. }, Some(x)) => format!("{} % off", notation::figures(x.value, 2)),
            (Rule::Accuracy { .. } | Rule::Precision { .. }, None) => "not judged yet".to_owned(),
            (Rule::Agreement { comparison }, _) => {
                let id = &protocol.comparisons[*comparison].id;
                comparisons.iter().find(|x| &x.id == id).map_or_else(
                    || "not judged yet".to_owned(),
                    |x| if x.verdict == "agree" { "they agree".to_owned() } else { "they do not agree".to_owned() },
                )
            }
            (Rule::Manual { levels }, _) => match changed.as_ref().map(|d| d.action) {
                Some(Action::Points(p)) => levels
                    .iter()
                    .find(|(_, points)| *points == p)
                    .map_or_else(|| "by judgement".to_owned(), |(says, _)| says.clone()),
                _ => "not judged yet".to_owned(),
            },
            (Rule::Precision { reading, .. }, Some(x)) => format!(
                "s {} {}",
                notation::uncertainty(x.value),
                protocol.items[protocol.readings[*reading].item].unit.text
            ),
            (Rule::Calculation { .. }, _) => match mine
                .iter()
                .filter(|f| f.code == "slip" || f.code == "unexplained" || f.code == "ambiguous")
                .count()
            {
                0 if charged == 0 => "as it should be".to_owned(),
                0 => notation::counted(charged, "result") + " missing",
                1 => "one slip, once".to_owned(),
                n => format!("{n} slips"),
            },
            _ if charged == 0 => "as it should be".to_owned(),
            _ => notation::counted(charged, "finding"),
        };
        let ruling = mine.iter().filter_map(|f| f.ruling).max();
        let fragile =
            mine.iter().filter(|f| f.decision.is_none() && f.ruling.is_none()).find_map(|f| f.fragile.clone());
        score.awarded += awarded;
        score.decided += decided;
        score.lines.push(ScoreLine {
            criterion: c.id.clone(),
            title: c.title.clone(),
            awarded,
            decided,
            possible: c.points,
            says,
            fragile,
            ruling,
            changed,
        });
    }
    score
}
