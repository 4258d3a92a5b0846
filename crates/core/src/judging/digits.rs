//! Figures of the answers against those that the readings support. Only what is final is judged:
//! nobody should round in the middle.
//!
//! Two habits are told and not single answers: a team that writes ten figures does so everywhere,
//! and is told once, with all the places. What it costs counts by result, up to the points of the
//! criterion.

use rust_decimal::Decimal;

use super::stated::stated_value;
use crate::finding::{Figures, Finding, Findings, Key, Kind, Place, Severity};
use crate::protocol::{Protocol, ResultSpec, Rule};
use crate::quantity::leading_place;
use crate::verdict::{JudgedResult, VerdictKind};

/// What the figures of an answer are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Judged {
    /// As many figures as are known, to within the tolerance.
    Fair,
    /// Fewer than are known.
    Few,
    /// More than are known.
    Many,
}

/// Judges the figures of final answers; one habit is one finding with its places.
pub(super) fn digits(protocol: &Protocol, results: &[JudgedResult], found: &mut Findings<'_>) {
    let Some((criterion, each)) = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Digits { each } => Some((c.id.clone(), each)),
        _ => None,
    }) else {
        return;
    };
    let of = |wanted: Judged| -> Vec<&JudgedResult> {
        results.iter().filter(|r| is_judged(protocol, r) && judge(protocol, r) == wanted).collect()
    };
    for (wanted, habit) in [(Judged::Few, of(Judged::Few)), (Judged::Many, of(Judged::Many))] {
        let Some(first) = habit.first() else { continue };
        let told = habit.iter().map(|r| figures_of(r));
        let kind =
            if wanted == Judged::Few { Kind::DigitsFew(told.collect()) } else { Kind::DigitsMany(told.collect()) };
        let key = Key::Finding(kind.code().to_owned());
        // What it takes counts by result.
        let cost = each * Decimal::from(habit.len());
        found.push(Finding {
            also: habit[1..].iter().map(|r| r.item).collect(),
            ..Finding::new(kind, key, Severity::Charge, Place::of(first.item, None))
                .charged((Some(criterion.clone()), cost))
        });
    }
}

/// The figures that a result has, beside those that it deserves.
///
/// Both numbers are told, so that a reader can count with it.
fn figures_of(r: &JudgedResult) -> Figures {
    Figures {
        item: r.item,
        row: r.row,
        text: r.reported.text.clone(),
        written: r.reported.number.as_ref().map_or(0, |n| n.figures()),
        deserved: asked(r),
        clean: r.clean.unwrap_or(0.0),
    }
}

/// Whether the figures of an answer are judged at all: it is right, it is final, and it does not
/// come of exact numbers.
///
/// Intermediate values may have as many figures as a team likes: cutting them would be the mistake.
fn is_judged(protocol: &Protocol, r: &JudgedResult) -> bool {
    let spec = &protocol.results[r.id];
    // A percent error is said of an answer, and leaves it final.
    let goes_on = |other: &ResultSpec| protocol.items[other.item].unit.text != "%";
    let feeds = protocol.results.iter().any(|other| other.upstream.contains(&r.item) && goes_on(other));
    // A carried value may be of another magnitude: its figures are not held against it a second time.
    let right = matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded);
    right && spec.digits && !feeds && !spec.guess && !r.exact && r.clean.is_some()
}

/// The place of the first figure of the standard uncertainty, in the result's unit.
///
/// `None` where nothing is known of the uncertainty, or where it is nought.
fn place_of_u(r: &JudgedResult) -> Option<i32> {
    let u = r.monte_carlo.or(r.budget.as_ref().map(|b| b.standard))?;
    (u > 0.0 && u.is_finite()).then(|| leading_place(u))
}

/// Figures to ask for: those that the rules for figures give, but none beyond the first of the
/// uncertainty.
///
/// 7.919 ± 0.03 deserves three figures by its ± where four go into it.
fn asked(r: &JudgedResult) -> i32 {
    let known = place_of_u(r).zip(r.clean.filter(|c| *c != 0.0)).map(|(place, c)| leading_place(c) - place + 1);
    known.map_or(r.deserved, |n| r.deserved.min(n)).max(1)
}

/// Fair by the figures that the readings have, or by the place of the first or second figure of the
/// uncertainty, each with the school's tolerance; or beside a fair ± that ends at the same place.
///
/// Percent errors may have one or two figures however many their value deserves: the third of a
/// percent error says nothing. Fair by either rule is fair.
fn judge(protocol: &Protocol, r: &JudgedResult) -> Judged {
    let Some(number) = &r.reported.number else { return Judged::Fair };
    // A nought has no figures.
    if number.value == 0.0 {
        return Judged::Fair;
    }
    let tolerance = protocol.school.figure_tolerance;
    let written = number.figures() as i32;
    // A whole number's trailing zeros may be place-holders: it is given the benefit.
    let spare = number.half_steps().count() as i32 - 1;
    let percent = protocol.items[r.item].unit.text == "%";
    if percent && (1..=2 + tolerance).contains(&written) || beside_its_plus_minus(protocol, r) {
        return Judged::Fair;
    }
    let few = written < r.deserved - tolerance;
    let many = written - spare > r.deserved + tolerance;
    // Where the last figure stands, in the result's unit.
    let last = leading_place(r.reported.value.unwrap_or(number.value)) - written + 1;
    let by_u = place_of_u(r).map(|first| (last > first + tolerance, last + spare < first - 1 - tolerance));
    match (few, many, by_u) {
        (true, _, None) | (true, _, Some((true, _))) => Judged::Few,
        (_, true, None) | (_, true, Some((_, true))) => Judged::Many,
        _ => Judged::Fair,
    }
}

/// Whether a fair ± stands beside the value and ends at the same place.
///
/// A value that was written to the place of a fair ± is as it should be, by any book.
fn beside_its_plus_minus(protocol: &Protocol, r: &JudgedResult) -> bool {
    let Some((value, last_place, _)) = stated_value(&r.reported) else { return false };
    let supported = r.expanded(&protocol.school).or(r.monte_carlo).or(r.budget.as_ref().map(|b| b.standard));
    let fair = supported.is_some_and(|u| u > 0.0 && (0.5..=2.0).contains(&(value / u)));
    fair && r.reported.number.as_ref().is_some_and(|n| n.last_place == last_place)
}
