//! The uncertainty of each result by every school.
//!
//! | school | what it adds up |
//! |---|---|
//! | quadrature | k·√Σ(cᵢuᵢ)² over independent sources, or its refinement where the formula bends |
//! | worst case | Σ\|cᵢ\|aᵢ, every limit at its end |
//! | extremes | half of what the corners of all limits span, worked out anew |
//! | replicates | k times what repeated readings scatter, and nothing of the instruments |
//! | figures | half a unit of the last figure that the result deserves |

use super::montecarlo;
use super::propagate::Propagated;
use super::table::Table;
use super::values::Out;
use crate::protocol::{Protocol, UncertaintySchool};
use crate::row::Row;
use crate::uncertainty::{Dual, Source, SourceKind};
use crate::verdict::JudgedResult;

/// Fills each result's budget, its uncertainty by every school, and the one its ± is compared with.
pub(super) fn fill(
    protocol: &Protocol,
    table: &Table,
    out: &Out,
    propagated: &Propagated,
    seed: &dyn Fn() -> u64,
    results: &mut [JudgedResult],
) {
    let school = &protocol.school;
    for result in results.iter_mut() {
        let spec = &protocol.results[result.id];
        let item = &protocol.items[result.item];
        let row = result.row.map_or(0, Row::index);
        let Some(budget) = propagated.budgets[result.id].get(row).cloned().flatten() else { continue };
        let dual = propagated.values[spec.item].as_ref().and_then(|v| v.at(result.row.map(Row::index)));
        let Some(dual) = dual else { continue };
        let sources = &propagated.sources;
        let parts = || dual.derivatives().map(|(i, d)| (&sources[i], d / item.unit.factor));
        let worst = worst_case(dual, sources) / item.unit.factor;
        let replicates = parts()
            .filter(|(s, _)| s.kind == SourceKind::Replicates)
            .fold(0.0, |u: f64, (s, d)| u.hypot(d * s.standard));
        let figures = result
            .clean
            .filter(|c| *c != 0.0)
            .map(|c| 0.5 * crate::quantity::power_of_ten(crate::quantity::leading_place(c) - result.deserved + 1));
        let asked = spec.plus_minus;
        // Corners need the chain of results again, so they are tried only where a ± is asked for.
        let extremes = asked.then(|| montecarlo::extremes(protocol, table, out, propagated, result)).flatten();
        let refined = asked.then(|| montecarlo::refined(protocol, table, out, propagated, result, seed)).flatten();
        let finite = |v: f64| Some(v).filter(|v| v.is_finite());
        let linear = finite(budget.expanded(school.coverage_factor));
        let quadrature = match refined {
            Some(u) => finite(u * school.coverage_factor),
            None => linear,
        };
        result.monte_carlo = refined;
        result.schools = [quadrature, finite(worst), extremes, finite(replicates * school.coverage_factor), figures];
        let which = UncertaintySchool::ALL.iter().position(|(s, _)| *s == school.uncertainty).unwrap_or(0);
        result.expanded = result.schools[which];
        result.budget = Some(budget);
    }
}

/// Σ|cᵢ|aᵢ over groups: replicates of one reading are one thing, whose limit is that of their mean.
fn worst_case(dual: &Dual, sources: &[Source]) -> f64 {
    let mut groups: Vec<(usize, f64, f64)> = Vec::new();
    for (i, d) in dual.derivatives() {
        let s = &sources[i];
        match groups.last_mut() {
            Some((g, sum, _)) if *g == s.group => *sum += d.abs(),
            _ => groups.push((s.group, d.abs(), s.limit)),
        }
    }
    // A sum of nothing is minus nought in Rust, and would be told so.
    0.0 + groups.iter().map(|(_, c, a)| c * a).sum::<f64>()
}
