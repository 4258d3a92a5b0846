//! The ± that a team states: there at all, fair, and with its own figures.
//!
//! A ± is fair if it is between the ends of the school's band times what the readings support: with
//! a band of ½ to 2 and 0.03 m supported, ± 0.02 and ± 0.06 are fair and ± 0.1 is not. A ± whose
//! own last digit could move it over an edge is told as fragile and left to a person. Beside a
//! value that a slip has scaled by ten, the tenfold ± is fair: the slip is charged already.
//!
//! # How a ± is judged
//!
//! A ± is fair if its ratio to the uncertainty that the readings support lies in the course's band,
//! half to twice by default. It is compared with the school that the course marks by, k times.
//! Beside a value that a slip has made ten times as large, a ± that is ten times as large as well
//! is the same mistake, and is not charged again. One that is unfair by a digit alone hangs on a
//! person.

use rust_decimal::Decimal;

use crate::finding::{Finding, Findings, Fragile, Kind, PlusMinus, Severity};
use crate::protocol::{Protocol, Rule};
use crate::reading::{CellKind, Hints, read};
use crate::verdict::{JudgedResult, Reported, VerdictKind};

/// Judges the ± of each result that asks for one.
///
/// Results without a value are passed over: there is nothing for a ± to belong to.
pub(super) fn stated(protocol: &Protocol, results: &[JudgedResult], found: &mut Findings<'_>) {
    let Some((criterion, missing, unfair, digits)) = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Uncertainty { missing, unfair, digits } => Some((c.id.clone(), missing, unfair, digits)),
        _ => None,
    }) else {
        return;
    };
    for result in results.iter().filter(|r| protocol.results[r.id].plus_minus && r.reported.value.is_some()) {
        let finding = |kind: Kind, cost: Decimal| {
            let about = (result.item, protocol.items[result.item].id.as_str());
            Finding::about(kind, Severity::Charge, about, result.row).charged((Some(criterion.clone()), cost))
        };
        let supported = result.expanded(&protocol.school);
        let Some((value, last_place, figures)) = stated_value(&result.reported) else {
            found.push(finding(Kind::PlusMinusMissing { supported }, missing));
            continue;
        };
        // Beside a value that a slip has scaled, the ± may be the same share of it: the slip is charged already.
        let share = match (result.reported.value, result.clean) {
            (Some(r), Some(c))
                if !matches!(result.verdict, VerdictKind::Agrees | VerdictKind::Rounded) && r != 0.0 && c != 0.0 =>
            {
                (r / c).abs()
            }
            _ => 1.0,
        };
        let (least, most) = protocol.school.plus_minus_band;
        let in_band = |u: f64| (least - 1e-9..=most + 1e-9).contains(&(value / u));
        // What is not fair either way is told beside what the readings support, and not beside a share of it.
        let scaled = supported.filter(|u| !in_band(*u)).map(|u| u * share).filter(|u| in_band(*u));
        let share = if scaled.is_some() { share } else { 1.0 };
        if let Some(u) = scaled.or(supported).filter(|u| *u > 0.0 && u.is_finite()) {
            let half = 0.5 * crate::quantity::power_of_ten(last_place) * result.reported.scale;
            let near = |edge: f64| ((value - half) / u..=(value + half) / u).contains(&edge);
            let fair = in_band(u);
            let fragile = (near(least) || near(most)).then_some(Fragile::PlusMinusDigit);
            let standard = result.monte_carlo.or(result.budget.as_ref().map(|b| b.standard));
            let factor = standard.filter(|s| *s > 0.0).map_or(1.0, |s| u / share / s);
            let pm = PlusMinus { stated: value, place: last_place, supported: u, factor };
            if !fair {
                let f = finding(Kind::PlusMinusUnfair(pm), unfair);
                found.push(match fragile {
                    Some(_) => Finding { severity: Severity::Decide, hangs: unfair, fragile, ..f },
                    None => f,
                });
            } else if fragile.is_some() {
                let f = finding(Kind::PlusMinusNear(pm), Decimal::ZERO);
                found.push(Finding { severity: Severity::Note, hangs: unfair, fragile, ..f });
            }
        }
        // Noughts at the end of a whole number hold places, in a ± as in a value.
        let held = noughts(value / result.reported.scale, last_place);
        let many = figures > 2 + held;
        let ends_there = |n: &crate::reading::Number| {
            let places = n.last_place..=n.last_place + n.half_steps().count() as i32 - 1;
            (last_place..=last_place + held as i32).any(|p| places.contains(&p))
        };
        if many || result.reported.number.as_ref().is_some_and(|n| !ends_there(n)) {
            let kind = Kind::PlusMinusDigits { text: result.reported.written(), many };
            found.push(finding(kind, digits));
        }
    }
}

/// How many noughts stand at the end of a number that was written whole.
fn noughts(value: f64, last_place: i32) -> usize {
    let mut whole = value.round();
    let mut count = 0;
    while last_place == 0 && whole >= 10.0 && whole % 10.0 == 0.0 {
        whole /= 10.0;
        count += 1;
    }
    count
}

/// The stated half-width in the protocol's unit, its last place as written, and its figures.
pub(super) fn stated_value(reported: &Reported) -> Option<(f64, i32, usize)> {
    if let Some(pm) = reported.number.as_ref().and_then(|n| n.plus_minus.as_ref()) {
        return Some((pm.value * reported.scale, pm.last_place, pm.figures));
    }
    let text = reported.plus_minus.trim().trim_start_matches('±').trim();
    match read(text, &Hints::default()).kind {
        CellKind::Number(n) if n.value >= 0.0 => Some((n.value * reported.scale, n.last_place, n.figures())),
        _ => None,
    }
}
