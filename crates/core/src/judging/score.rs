//! Accuracy, precision, and the score line by line. Sums are exact decimals.
//!
//! A line begins with its criterion's points and loses what its findings cost, never below nought:
//! 5 points less 0.5 and 1 are 3.5, in steps of the criterion. Beside what is computed stands what
//! is decided; a person's points for the whole line stand whatever its findings cost. Accuracy is
//! looked up in bands, the narrowest first: with 2 points within 1 % and 1 within 3 %, a value 1 %
//! off has 2 points, for the edge belongs to the band.
//!
//! # From findings to points
//!
//! 1. References are compared and spreads looked up in their bands; each gives a finding where
//!    points are lost or might be.
//! 2. Rulings in force settle the findings that they are about; decisions of a reviewer settle
//!    theirs, and go before rulings.
//! 3. Each line begins with its points and loses what its findings cost, as computed and as
//!    decided.
//! 4. A line counts in the criterion's steps; the exact figure stands beside it.
//! 5. A person's points for a whole line take the place of all of it.

use std::collections::HashMap;

use rust_decimal::Decimal;

use super::table::Table;
use super::values::{Env, reference_entry};
use crate::decision::{Action, Decision, Ruling};
use crate::finding::{
    Accuracy as OffReference, Finding, Findings, Fragile, Key, Kind, Needed, Place, Severity, Spread,
};
use crate::protocol::{Band, Criterion, CriterionId, Protocol, ReferenceEntry, ReferenceId, Rule};
use crate::quantity::leading_place;
use crate::quantity::power_of_ten;
use crate::row::Row;
use crate::section::{Section, Source};
use crate::stats::summary;
use crate::submission::Submission;
use crate::verdict::{Compared, Comparison, JudgedReading, JudgedResult, Score, ScoreLine, Standing};

/// Percent by which a value misses a reference: nought inside its range, else to the nearer edge.
///
/// `value` is SI. A reference of nought has no percentage: off by anything is off by all.
///
/// # Formula
/// 100·|x − edge| / |edge|, where edge is the nearer end of the reference's range.
pub(super) fn percent_off(value: f64, reference: &ReferenceEntry) -> f64 {
    let edge = value.clamp(reference.low, reference.high);
    if edge == 0.0 { if value == 0.0 { 0.0 } else { 100.0 } } else { 100.0 * ((value - edge) / edge).abs() }
}

/// The narrowest band that a deviation lies in, its edge included to within the last digit of
/// double precision; `None` beyond the last.
///
/// Bands come with the narrowest first.
fn band(bands: &[Band], value: f64) -> Option<&Band> {
    bands.iter().find(|b| value <= b.within * (1.0 + 1e-12))
}

/// The points of the band that a deviation lies in; none beyond the last.
///
/// It is the same whether the band is of percent or of uncertainties.
fn points(bands: &[Band], value: f64) -> Decimal {
    band(bands, value).map_or(Decimal::ZERO, |b| b.points)
}

/// What is compared.
///
/// `clean` holds what the readings give by the lab's own formulas, whatever was taught.
#[derive(Clone, Copy)]
pub(super) struct Against<'a> {
    /// The lab, with the constants that were taught.
    pub(super) protocol: &'a Protocol,
    /// The section's settings.
    pub(super) section: &'a Section,
    /// The table as it was handed in; its keys choose the reference.
    pub(super) submission: &'a Submission,
    /// Its placed cells.
    pub(super) table: &'a Table,
    /// What its readings give by the lab's own formulas, SI.
    pub(super) clean: &'a Env,
}

/// Compares clean values with references, and spreads with their bands.
///
/// A ruling that sets another value for the reference goes before the lab's sheet; of several the
/// one that concerns the fewest tables. Criteria that this section does not count are passed over.
pub(super) fn compare(
    case: &Against<'_>,
    rulings: &[&Ruling],
    results: &[JudgedResult],
    found: &mut Findings<'_>,
) -> Vec<Comparison> {
    let Against { protocol, section, submission, table, clean } = *case;
    let own = section.readings == Source::Own;
    let mut out = Vec::new();
    for (n, c) in CriterionId::with(&protocol.criteria).filter(|(_, c)| c.counts(section)) {
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
                        .max_by_key(|r| r.rank())
                        .copied(),
                };
                for r in results.iter().filter(|r| r.id == *result) {
                    out.extend(judge.judge(r, found));
                }
            }
            // Of readings that were issued to everybody the spread says nothing.
            Rule::Precision { reading, bands, .. } if own => {
                out.extend(precision(c, &table.readings[*reading], bands, found))
            }
            Rule::Manual { .. } => {
                let kind = Kind::Manual(n);
                let key = Key::about(&kind, &c.id, None);
                found.push(Finding {
                    criterion: Some(c.id.clone()),
                    hangs: c.points,
                    ..Finding::new(kind, key, Severity::Decide, Place::TABLE)
                });
            }
            _ => {}
        }
    }
    out
}

/// A criterion on accuracy with all that it looks at.
struct Accuracy<'a> {
    protocol: &'a Protocol,
    submission: &'a Submission,
    table: &'a Table,
    clean: &'a Env,
    /// The criterion.
    criterion: &'a Criterion,
    /// What its result is compared with.
    reference: ReferenceId,
    /// Its bands, from narrow to wide.
    bands: &'a [Band],
    /// Whether the bands count standard uncertainties in place of percent.
    in_uncertainties: bool,
    /// The ruling that sets another value in place of the reference.
    against: Option<&'a Ruling>,
}

impl Accuracy<'_> {
    /// What the sheet gives for a result.
    ///
    /// `None` where the sheet has no entry for the table's key.
    fn on_sheet(&self, result: &JudgedResult) -> Option<ReferenceEntry> {
        let row = result.row.map(Row::index);
        reference_entry(self.protocol, self.reference, self.submission, self.table, self.clean, row)
    }

    /// The entry that the value is compared with; a ruling may set a station's own consensus in the
    /// sheet's place.
    ///
    /// The value of a ruling has no range and no uncertainty of its own.
    fn entry(&self, result: &JudgedResult) -> Option<ReferenceEntry> {
        match self.against.and_then(|r| r.against) {
            Some(value) => {
                let si = self.protocol.items[result.item].to_si(value);
                let (at, says) = (String::new(), String::new());
                Some(ReferenceEntry { at, says, low: si, high: si, uncertainty: 0.0 })
            }
            None => self.on_sheet(result),
        }
    }

    /// How far a value, SI, is off: in percent, or in standard uncertainties where errors are
    /// amplified.
    ///
    /// `value` is SI. In standard uncertainties it is nought inside the reference's range.
    fn off(&self, result: &JudgedResult, value: f64, entry: &ReferenceEntry) -> f64 {
        match result.budget.as_ref().filter(|_| self.in_uncertainties) {
            Some(b) => {
                let factor = self.protocol.items[result.item].unit.factor;
                let room = (b.standard * factor).hypot(entry.uncertainty);
                let off = (value - value.clamp(entry.low, entry.high)).abs();
                if off == 0.0 { 0.0 } else { off / room.max(f64::MIN_POSITIVE) }
            }
            None => percent_off(value, entry),
        }
    }

    /// Other points that a band's edge would give, within the last figure the value deserves or
    /// within the reference's own uncertainty.
    ///
    /// `clean` is in the result's unit. `None` where the points are the same whichever way the last
    /// figure falls.
    fn other_points(&self, result: &JudgedResult, clean: f64, entry: &ReferenceEntry, got: Decimal) -> Option<Decimal> {
        let (bands, item) = (self.bands, &self.protocol.items[result.item]);
        let value = item.to_si(clean);
        let width = 0.5 * power_of_ten(leading_place(clean) - result.deserved + 1) * item.unit.factor;
        let moved = [value - width, value + width].map(|v| points(bands, self.off(result, v, entry)));
        let shifted = |by: f64| ReferenceEntry { low: entry.low + by, high: entry.high + by, ..entry.clone() };
        let doubted =
            [-entry.uncertainty, entry.uncertainty].map(|by| points(bands, self.off(result, value, &shifted(by))));
        moved.into_iter().chain(doubted).find(|p| *p != got)
    }

    /// The finding on a value that loses points, could have others, or is judged by a ruling.
    ///
    /// What hangs is the difference between the points that are got and those that might be.
    fn charge(&self, kind: Kind, result: &JudgedResult, cost: Decimal, other: Option<Decimal>) -> Finding {
        let c = self.criterion;
        let severity = match other {
            Some(_) => Severity::Decide,
            None if cost > Decimal::ZERO => Severity::Charge,
            None => Severity::Note,
        };
        let off = if let Kind::Accuracy(told) = &kind { told.off } else { 0.0 };
        let edge = |other| Fragile::BandEdge { off, in_uncertainties: self.in_uncertainties, other, of: c.points };
        Finding {
            hangs: other.map_or(Decimal::ZERO, |p| (p - (c.points - cost)).abs()),
            fragile: other.map(edge),
            ..Finding::about(kind, severity, (result.item, &c.id), result.row).charged((Some(c.id.clone()), cost))
        }
    }

    /// Judges how near a result came to its reference, and tells it where points are lost; `None`
    /// where nothing can be compared.
    ///
    /// A value that is within its band and not near an edge is compared and not told: there is
    /// nothing to do.
    fn judge(&self, result: &JudgedResult, found: &mut Findings<'_>) -> Option<Comparison> {
        let Accuracy { protocol, criterion: c, bands, .. } = *self;
        let item = &protocol.items[result.item];
        let ruled = self.against.and_then(|r| Some((r.id, r.against?)));
        let entry = self.entry(result);
        let (about, place) = ((result.item, c.id.as_str()), Place::of(result.item, result.row));
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
            let needed = if entry.is_none() { Needed::Entry } else { Needed::Reading };
            found.push(Finding {
                criterion: Some(c.id.clone()),
                hangs: c.points,
                fragile: Some(Fragile::Unjudged(needed)),
                ..Finding::about(Kind::AccuracyUnchecked(needed), Severity::Decide, about, result.row)
            });
            return None;
        };
        let value = item.to_si(clean);
        let off = self.off(result, value, entry).min(1e6);
        let got = points(bands, off);
        let other = self.other_points(result, clean, entry, got);
        let told = OffReference {
            value: clean,
            figures: result.deserved,
            off,
            in_uncertainties: self.in_uncertainties,
            low: item.from_si(entry.low),
            high: item.from_si(entry.high),
            name: if ruled.is_some() { String::new() } else { entry.says.clone() },
            ruled: ruled.is_some(),
            sheet: self.on_sheet(result).map(|e| [item.from_si(e.low), item.from_si(e.high)]),
        };
        let limit = band(bands, off).map(|b| b.within);
        let cost = c.points - got;
        if cost > Decimal::ZERO || other.is_some() || ruled.is_some() {
            let kind = Kind::Accuracy(Box::new(told.clone()));
            let finding = Finding { ruling: ruled.map(|r| r.0), ..self.charge(kind, result, cost, other) };
            found.push(finding);
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
            what: Compared::Accuracy(place, told),
        })
    }
}

/// Judges the spread of a reading's replicates, as their relative standard deviation in per cent,
/// against the bands of a criterion. A replicate that stands apart and was kept is left out: that
/// it was kept is charged already.
fn precision(c: &Criterion, reading: &JudgedReading, bands: &[Band], found: &mut Findings<'_>) -> Option<Comparison> {
    // A reading that stands apart and was kept is charged as that; the spread is judged without it, so that one
    // mistake is charged once.
    let apart = found
        .list
        .iter()
        .find(|f| matches!(f.kind, Kind::OutlierKept(_)) && f.place.item == Some(reading.item))
        .and_then(|f| f.place.row);
    let values: Vec<f64> = reading
        .cells
        .iter()
        .filter(|c| c.counts && (apart.is_none() || c.row != apart))
        .filter_map(|c| c.repaired.or(c.value))
        .collect();
    let (about, place) = ((reading.item, c.id.as_str()), Place::of(reading.item, None));
    let Some(sd) = summary(&values).and_then(|s| s.sd) else {
        found.push(Finding {
            criterion: Some(c.id.clone()),
            hangs: c.points,
            fragile: Some(Fragile::Unjudged(Needed::TwoReadings)),
            ..Finding::about(Kind::PrecisionUnchecked, Severity::Decide, about, None)
        });
        return None;
    };
    let got = points(bands, sd);
    let limit = band(bands, sd).map(|b| b.within);
    let spread = Spread { sd, count: values.len(), without: apart };
    let cost = c.points - got;
    if cost > Decimal::ZERO {
        let edge = limit.or(bands.last().map(|b| b.within)).unwrap_or(0.0);
        let kind = Kind::Precision { spread, got, of: c.points, edge, best: bands[0].within };
        found.push(Finding::about(kind, Severity::Charge, about, None).charged((Some(c.id.clone()), cost)));
    }
    Some(Comparison {
        id: c.id.clone(),
        kind: "spread",
        value: sd,
        limit,
        verdict: if limit.is_some() { "within" } else { "beyond" }.to_owned(),
        what: Compared::Spread(place, spread),
    })
}

/// Whether a ruling settles a finding; `item` is the finding's item id.
fn settles(ruling: &Ruling, finding: &Finding, item: Option<&str>, result: Option<&JudgedResult>) -> bool {
    let kind = result.and_then(|r| r.slip.as_ref()).map(|s| s.kind.word());
    !ruling.sets()
        && ruling.code == finding.code()
        && ruling.item.as_deref().is_none_or(|i| Some(i) == item)
        && ruling.slip.as_deref().is_none_or(|s| Some(s) == kind)
}

/// Settles findings by rulings, of which the narrowest counts, then by decisions, of which the
/// newest does.
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
    let newest: HashMap<&Key, &Decision> = decisions.iter().map(|d| (&d.finding, d)).collect();
    for finding in findings {
        let item = finding.place.item.map(|i| protocol.items[i].id.as_str());
        let place = finding.place;
        let of_place = |i| if place.row.is_none() { of_item.get(&i) } else { of_row.get(&(i, place.row)) };
        let result = place.item.and_then(|i| of_place(i).copied());
        finding.decided_cost = finding.cost;
        if let Some(ruling) = rulings.iter().filter(|r| settles(r, finding, item, result)).max_by_key(|r| r.rank()) {
            finding.ruling = Some(ruling.id);
            finding.decided_cost = ruling.action.cost(finding.cost);
        }
        finding.computed_cost = finding.decided_cost;
        if let Some(decision) = newest.get(&finding.key).copied() {
            finding.decided_cost = decision.action.cost(finding.cost);
            finding.decision = Some(decision.clone());
        }
        // A line that a person judges as a whole is judged.
        if matches!(finding.kind, Kind::Manual(_)) {
            let its_line = decisions.iter().rev().find(|d| is_line(d, finding.criterion.as_deref()));
            finding.decision = its_line.cloned().or(finding.decision.take());
        }
    }
}

/// Whether a decision is about the line of this criterion.
fn is_line(decision: &Decision, criterion: Option<&str>) -> bool {
    matches!(&decision.finding, Key::Line(line) if Some(line.as_str()) == criterion)
}

/// A line per criterion: what the findings take, never below nought, in steps of the criterion.
pub(super) fn score(
    protocol: &Protocol,
    section: &Section,
    findings: &[Finding],
    comparisons: &[Comparison],
    decisions: &[Decision],
) -> Score {
    let mut score = Score::default();
    for (n, c) in CriterionId::with(&protocol.criteria).filter(|(_, c)| c.counts(section)) {
        score.possible += c.points;
        let mine: Vec<&Finding> = findings.iter().filter(|f| f.criterion.as_deref() == Some(&c.id)).collect();
        let left = |cost: &dyn Fn(&Finding) -> Decimal| {
            (c.points - mine.iter().map(|f| cost(f)).sum::<Decimal>()).clamp(Decimal::ZERO, c.points)
        };
        let exact = left(&|f| f.cost);
        let awarded = c.in_steps(exact);
        let changed = decisions.iter().rev().find(|d| is_line(d, Some(&c.id))).cloned();
        let decided = match changed.as_ref().map(|d| d.action) {
            Some(Action::Points(p)) => p.clamp(Decimal::ZERO, c.points),
            _ => c.in_steps(left(&|f| f.decided_cost)),
        };
        let compared = comparisons.iter().find(|x| x.id == c.id);
        let standing = standing(protocol, (n, c), &mine, compared, comparisons, changed.as_ref());
        let ruling = mine.iter().filter_map(|f| f.ruling).max();
        let fragile = mine.iter().filter(|f| !f.is_settled()).find_map(|f| f.fragile.clone());
        let computed = c.in_steps(left(&|f| f.computed_cost));
        score.awarded += awarded;
        score.decided += decided;
        score.lines.push(ScoreLine {
            criterion: c.id.clone(),
            title: c.title.clone(),
            exact,
            awarded,
            computed,
            decided,
            possible: c.points,
            standing,
            fragile,
            ruling,
            changed,
        });
    }
    score
}

/// Why a line has the points it has.
fn standing(
    protocol: &Protocol,
    (n, c): (CriterionId, &Criterion),
    mine: &[&Finding],
    compared: Option<&Comparison>,
    comparisons: &[Comparison],
    changed: Option<&Decision>,
) -> Standing {
    let charged = mine.iter().filter(|f| f.cost > Decimal::ZERO || matches!(f.kind, Kind::Own { .. })).count();
    match (&c.rule, compared) {
        (Rule::Accuracy { .. }, Some(x)) if x.value == 0.0 => Standing::InsideRange,
        (Rule::Accuracy { in_uncertainties: true, .. }, Some(x)) => Standing::OffInUncertainties(x.value),
        (Rule::Accuracy { .. }, Some(x)) => Standing::OffInPercent(x.value),
        (Rule::Accuracy { .. } | Rule::Precision { .. }, None) => Standing::NotJudged,
        (Rule::Agreement { comparison }, _) => {
            let id = &protocol.comparisons[*comparison].id;
            let found = comparisons.iter().find(|x| &x.id == id);
            found.map_or(Standing::NotJudged, |x| Standing::Agree(x.verdict == "agree"))
        }
        (Rule::Manual { levels }, _) => match changed.map(|d| d.action) {
            Some(Action::Points(p)) => levels
                .iter()
                .position(|(_, points)| *points == p)
                .map_or(Standing::ByJudgement, |level| Standing::Level { criterion: n, level }),
            _ => Standing::NotJudged,
        },
        (Rule::Precision { reading, .. }, Some(x)) => {
            Standing::Spread { item: protocol.readings[*reading].item, sd: x.value }
        }
        (Rule::Calculation { .. }, _) => {
            let is_slip = |f: &&&Finding| matches!(f.kind, Kind::Slip(_) | Kind::Unexplained(_) | Kind::Ambiguous(_));
            match mine.iter().filter(is_slip).count() {
                0 if charged == 0 => Standing::Right,
                0 if mine
                    .iter()
                    .filter(|f| matches!(f.kind, Kind::MissingResult { .. } | Kind::NotWorkedOut { .. }))
                    .count()
                    == charged =>
                {
                    Standing::Missing(charged)
                }
                0 => Standing::Findings(charged),
                n => Standing::Slips(n),
            }
        }
        _ if charged == 0 => Standing::Right,
        _ => Standing::Findings(charged),
    }
}
