//! The uncertainty that the readings give, and the judgement of a stated ±.

use rust_decimal::Decimal;

use super::findings::Findings;
use super::readings::step_in_unit;
use super::table::counted_values;
use crate::formula::{Context, Value, evaluate};
use crate::notation;
use crate::protocol::{ItemKind, Protocol, Rule};
use crate::reading::{CellKind, Hints, read};
use crate::stats::summary;
use crate::uncertainty::{Budget, Dual, Source, SourceKind, rectangular, resolution};
use crate::verdict::{Finding, JudgedReading, JudgedResult, Reported, Severity, VerdictKind};

/// Fills each result's budget and expanded uncertainty; gives the independent sources.
///
/// A single reading brings its resolution (δ/√12, δ the instrument's step or what was written, whichever is coarser).
/// Replicates bring s each, never so small that their mean would beat δ/√12. A limit shared by all readings of an
/// instrument is one source, whichever of them it enters by; the zero reading, taken to correct it, has none.
pub(super) fn propagate(
    protocol: &Protocol,
    readings: &[JudgedReading],
    clean: &[Option<Value<f64>>],
    results: &mut [JudgedResult],
) -> Vec<Source> {
    let mut sources: Vec<Source> = Vec::new();
    // (reading, cell's place among those that count) → its sources.
    let mut of_cell: Vec<Vec<Vec<usize>>> = Vec::new();
    let mut shared: Vec<Option<usize>> = vec![None; protocol.instruments.len()];
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        let item = &protocol.items[spec.item];
        let instrument = &protocol.instruments[spec.instrument];
        let step = step_in_unit(protocol, spec);
        let values: Vec<f64> = counted_values(reading).collect();
        let n = values.len() as f64;
        let sd = summary(&values).and_then(|s| s.sd).unwrap_or(0.0);
        let group = sources.len();
        let mut cells = Vec::new();
        for cell in reading.cells.iter().filter(|c| c.counts && c.value.is_some()) {
            let hidden = resolution(step.max(cell.resolution));
            let (standard, kind, freedom) = if values.len() > 1 {
                let floor = hidden * n.sqrt();
                if sd > floor {
                    (sd, SourceKind::Replicates, n - 1.0)
                } else {
                    (floor, SourceKind::Resolution, f64::INFINITY)
                }
            } else {
                (hidden, SourceKind::Resolution, f64::INFINITY)
            };
            let name = if kind == SourceKind::Replicates {
                format!("spread of the {}", item.title)
            } else {
                format!("step of the {}", item.title)
            };
            sources.push(Source { name, kind, standard: standard * item.unit.factor, freedom, group });
            let mut mine = vec![sources.len() - 1];
            if let Some(limit) = instrument.limit.filter(|_| spec.takes_limit) {
                let standard = rectangular(limit) * instrument.unit.factor;
                let existing = shared[spec.instrument].filter(|_| instrument.limit_shared);
                let source = existing.unwrap_or_else(|| {
                    sources.push(Source {
                        name: format!("limit of the {}", instrument.title),
                        kind: SourceKind::Limit,
                        standard,
                        freedom: f64::INFINITY,
                        group: sources.len(),
                    });
                    sources.len() - 1
                });
                shared[spec.instrument] = Some(source);
                mine.push(source);
            }
            cells.push(mine);
        }
        of_cell.push(cells);
    }
    let count = sources.len();
    let dual = |value: f64, mine: &[usize]| {
        mine[1..].iter().fold(Dual::source(value, mine[0], count), |d, s| d.and_source(*s))
    };
    let mut env: Vec<Option<Value<Dual>>> = protocol
        .items
        .iter()
        .enumerate()
        .map(|(i, item)| match (&item.kind, &clean[i]) {
            (ItemKind::Reading(r), Some(Value::Scalar(v))) => {
                of_cell[*r].first().map(|mine| Value::Scalar(dual(*v, mine)))
            }
            (ItemKind::Reading(r), Some(Value::Column(xs))) => {
                Some(Value::Column(xs.iter().zip(&of_cell[*r]).map(|(v, mine)| dual(*v, mine)).collect()))
            }
            (ItemKind::Reference(_), Some(Value::Scalar(v))) => Some(Value::Scalar(crate::formula::Num::exact(*v))),
            _ => None,
        })
        .collect();
    for result in results.iter_mut() {
        let spec = &protocol.results[result.index];
        let factor = protocol.items[spec.item].unit.factor;
        let Ok(value) = evaluate(&spec.node, &Context::exact(&env)) else { continue };
        let mut budget = Budget::of(&value, &sources);
        budget.standard /= factor;
        if !budget.standard.is_finite() {
            continue;
        }
        budget.shares.iter_mut().for_each(|s| s.contribution /= factor);
        result.expanded = Some(budget.expanded(protocol.school.coverage_factor)).filter(|u| u.is_finite());
        result.budget = Some(budget);
        env[spec.item] = Some(Value::Scalar(value));
    }
    sources
}

/// Judges the ± of each result that asks for one.
pub(super) fn stated(protocol: &Protocol, results: &[JudgedResult], found: &mut Findings<'_>) {
    let Some((criterion, missing, unfair, digits)) = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Uncertainty { missing, unfair, digits } => Some((c.id.clone(), missing, unfair, digits)),
        _ => None,
    }) else {
        return;
    };
    for result in results.iter().filter(|r| protocol.results[r.index].plus_minus && r.reported.value.is_some()) {
        let item = &protocol.items[result.item];
        let finding = |code: &'static str, cost: Decimal, says: String, tells: String| Finding {
            says,
            tells,
            cost,
            criterion: Some(criterion.clone()),
            ..Findings::blank(code, format!("{code}:{}", item.id), Severity::Charge, Some(result.item), None)
        };
        let Some((value, last_place, figures)) = stated_value(&result.reported) else {
            let told = result
                .expanded
                .map(|u| format!(" The readings support ± {} {}.", notation::uncertainty(u), item.unit.text))
                .unwrap_or_default();
            found.push(finding(
                "plus-minus-missing",
                missing,
                format!("No ± is stated for the {}.{told}", full_title(protocol, result)),
                format!("Please state a ± with your {}.{told}", full_title(protocol, result)),
            ));
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
        let share = result.expanded.filter(|u| !(0.5..=2.0).contains(&(value / u))).map_or(1.0, |_| share);
        if let Some(u) = result.expanded.map(|u| u * share).filter(|u| *u > 0.0 && u.is_finite()) {
            let ratio = value / u;
            let half = 0.5 * crate::quantity::power_of_ten(last_place) * result.reported.scale;
            let near = |edge: f64| ((value - half) / u..=(value + half) / u).contains(&edge);
            let fair = (0.5 - 1e-9..=2.0 + 1e-9).contains(&ratio);
            let fragile = (near(0.5) || near(2.0)).then(|| "one digit of the stated ± decides".to_owned());
            let figures_of = format!(
                "{} {} stated, {} supported by the readings",
                notation::to_place(value, last_place),
                item.unit.text,
                notation::uncertainty(u)
            );
            if !fair {
                let word = if ratio < 1.0 { "too small" } else { "too large" };
                let mut f = finding(
                    "plus-minus-unfair",
                    unfair,
                    format!("The ± of the {} is {word}: {figures_of}.", full_title(protocol, result)),
                    format!("The ± of your {} is {word}: {figures_of}.", full_title(protocol, result)),
                );
                if fragile.is_some() {
                    (f.severity, f.hangs, f.fragile) = (Severity::Decide, unfair, fragile);
                }
                found.push(f);
            } else if fragile.is_some() {
                let mut f = finding(
                    "plus-minus-near",
                    Decimal::ZERO,
                    format!("The ± of the {} is just fair: {figures_of}.", full_title(protocol, result)),
                    String::new(),
                );
                (f.severity, f.hangs, f.fragile) = (Severity::Note, unfair, fragile);
                found.push(f);
            }
        }
        let value_place = result.reported.number.as_ref().map(|n| n.last_place);
        if figures > 2 || value_place.is_some_and(|p| p != last_place) {
            let why = if figures > 2 {
                "has more than two figures"
            } else {
                "does not end at the place where the value ends"
            };
            found.push(finding(
                "plus-minus-digits",
                digits,
                format!(
                    "The ± of the {} {why}: {} ± {}.",
                    full_title(protocol, result),
                    result.reported.text,
                    result.reported.plus_minus
                ),
                format!(
                    "Write the ± of your {} with one or two figures, and end value and ± at the same place.",
                    full_title(protocol, result)
                ),
            ));
        }
    }
}

/// `density of the plate`-like words: the title with its bay.
pub(super) fn full_title(protocol: &Protocol, result: &JudgedResult) -> String {
    protocol.full_title(result.item)
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
