//! The tests for a replicate that stands apart: each only raises its hand.
//!
//! | school | test |
//! |---|---|
//! | dixon | the gap beside the suspect over the range, by ratios that go with the number of readings |
//! | grubbs | the farthest from the mean, in standard deviations |
//! | known | the farthest from the mean, in a repeatability known from elsewhere |
//! | modified-z | the farthest from the median, in median deviations |
//! | esd | several at once, by generalised extreme deviates |
//!
//! A difference of one step of the scale is nobody's outlier: each test is given the step, and what
//! lies within it of the others counts as with them. Formulas, sources and tables are in
//! [`crate::stats`].
//!
//! A test never takes a reading away. It says that one stands apart, beside its statistic and its
//! critical value, and what becomes of that is for the team's reason and for a person.

use crate::formula::ItemId;
use crate::row::Row;
use rust_decimal::Decimal;

use super::Repeated;
use crate::finding::{Apart, Finding, Findings, Fragile, Key, Kind, Place, Severity};
use crate::protocol::{Protocol, Rejection, Rule};
use crate::quantity::leading_place;
use crate::stats::{Confidence, dixon, generalised_esd, grubbs, known_repeatability, modified_z};

/// One test's hand.
///
/// `row` is the place among the values that were tested, until the caller gives it the row of the
/// column.
pub(super) struct Hand {
    /// Word of the test.
    pub(super) test: &'static str,
    /// What it measures.
    pub(super) statistic: f64,
    /// Beyond what it is raised.
    pub(super) critical: f64,
    /// Place of the value it points at.
    pub(super) row: usize,
    /// Whether that lies below the others.
    pub(super) low: bool,
}

impl Hand {
    /// Whether the test raises its hand: the statistic is beyond its critical value.
    pub(super) fn raised(&self) -> bool {
        self.statistic > self.critical
    }
}

/// The hands that a school's test raises or keeps down.
///
/// Schools that do not test – concordance, and a person's own judgement – raise none.
pub(super) fn hands(by: Rejection, values: &[f64], step: f64, confidence: Confidence) -> Vec<Hand> {
    let one = |test, s: Option<crate::stats::Suspect>| -> Vec<Hand> {
        s.map(|s| Hand { test, statistic: s.statistic, critical: s.critical, row: s.suspect, low: s.low })
            .into_iter()
            .collect()
    };
    match by {
        Rejection::Dixon => dixon(values, step, confidence)
            .map(|d| Hand { test: "dixon", statistic: d.statistic, critical: d.critical, row: d.suspect, low: d.low })
            .into_iter()
            .collect(),
        Rejection::Grubbs => one("grubbs", grubbs(values, step, confidence)),
        Rejection::Known(sigma) => one("known", known_repeatability(values, sigma, step, confidence)),
        Rejection::ModifiedZ => one("modified-z", modified_z(values, step)),
        Rejection::Esd => of_several(&generalised_esd(values, step, confidence)),
        Rejection::Concordance(_) | Rejection::Judgement => Vec::new(),
    }
}

/// The steps of a test for several outliers: up to the largest step that passes all are outliers,
/// whatever their own statistic.
///
/// Where none passes, the first step alone is shown: it is the farthest value.
fn of_several(steps: &[crate::stats::Suspect]) -> Vec<Hand> {
    let last = steps.iter().rposition(crate::stats::Suspect::flagged);
    let shown = last.map_or(1, |l| l + 1).min(steps.len());
    let statistic = |s: &crate::stats::Suspect| match last {
        Some(_) => s.statistic.max(s.critical * (1.0 + 1e-9)),
        None => s.statistic,
    };
    let hand = |s: &crate::stats::Suspect| Hand {
        test: "esd",
        statistic: statistic(s),
        critical: s.critical,
        row: s.suspect,
        low: s.low,
    };
    steps[..shown].iter().map(hand).collect()
}

/// What another test says of the same readings, where it says otherwise.
///
/// Two tests that disagree are told beside each other, and neither decides.
pub(super) fn second_opinion(hand: &Hand, values: &[f64], step: f64, confidence: Confidence) -> Option<&'static str> {
    let other = match hand.test {
        "dixon" => grubbs(values, step, confidence).map(|s| s.flagged()),
        "grubbs" => dixon(values, step, confidence).map(|d| d.flagged()),
        _ => None,
    }?;
    (other != hand.raised()).then_some(if hand.test == "dixon" { "grubbs" } else { "dixon" })
}

/// The criterion that charges for a replicate that stands apart and was kept, with its points; none
/// where the rubric judges no precision of this item.
///
/// A kept outlier costs nothing where the rubric does not judge the reading's precision.
pub(super) fn precision_of(protocol: &Protocol, item: ItemId) -> (Option<String>, Decimal) {
    protocol
        .criteria
        .iter()
        .find_map(|c| match &c.rule {
            Rule::Precision { reading, outlier, .. } if protocol.readings[*reading].item == item => {
                Some((Some(c.id.clone()), *outlier))
            }
            _ => None,
        })
        .unwrap_or((None, Decimal::ZERO))
}

/// A reading that stands apart, or nearly, and was kept.
///
/// `rows` are those that may count. A statistic within a tenth of its critical value is told too,
/// as a note: a digit more might have turned it.
pub(super) fn kept(
    protocol: &Protocol,
    c: &Repeated,
    rows: &[usize],
    hand: &Hand,
    row: Option<Row>,
    values: &[f64],
    found: &mut Findings<'_>,
) {
    let near = (hand.statistic / hand.critical - 1.0).abs() <= 0.1;
    if !hand.raised() && !near {
        return;
    }
    let item = &protocol.items[c.item];
    let charge = precision_of(protocol, c.item);
    let all: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
    let rest: Vec<f64> = rows.iter().filter(|i| **i != hand.row).filter_map(|i| c.values[*i]).collect();
    let mean = |xs: &[f64]| xs.iter().sum::<f64>() / xs.len().max(1) as f64;
    let places = usize::try_from(1 - leading_place(if c.step > 0.0 { c.step } else { 1e-3 })).unwrap_or(0);
    let apart = Apart {
        text: c.texts[hand.row].clone(),
        test: hand.test,
        statistic: hand.statistic,
        critical: hand.critical,
        otherwise: second_opinion(hand, values, c.step, protocol.school.confidence),
        with: mean(&all),
        without: mean(&rest),
        places,
        cause: protocol.causes.iter().position(|cause| cause.on.contains(&c.item) && cause.low == hand.low),
    };
    let limit = Fragile::NearLimit {
        test: hand.test,
        statistic: hand.statistic,
        critical: hand.critical,
        beyond: hand.raised(),
    };
    let (kind, severity) = match hand.raised() {
        true => (Kind::OutlierKept(apart), Severity::Decide),
        false => (Kind::OutlierNear(apart), Severity::Note),
    };
    let key = Key::about(&kind, &item.id, Some(row.unwrap_or(Row::at(0))));
    let finding = Finding::new(kind, key, severity, Place::of(c.item, row));
    if hand.raised() {
        let finding = finding.hanging(charge);
        found.push(Finding { fragile: near.then_some(limit), ..finding });
    } else {
        let (criterion, hangs) = charge;
        let fragile = (hangs > Decimal::ZERO).then_some(limit);
        found.push(Finding { criterion, hangs, fragile, ..finding });
    }
}
