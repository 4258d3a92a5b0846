//! The uncertainty of each result by every school.
//!
//! | school | what it adds up |
//! |---|---|
//! | quadrature | k·√Σ(cᵢuᵢ)² over independent sources, or its refinement where the formula bends |
//! | worst case | Σ\|cᵢ\|aᵢ, every limit at its end |
//! | extremes | half of what the corners of all limits span, worked out anew |
//! | replicates | k times what repeated readings scatter, and nothing of the instruments |
//! | figures | half a unit of the last figure that the result deserves |
//!
//! The first school is what the rest of the judgement goes by, and is worked out from the budget
//! when it is asked for ([`JudgedResult::by_school`]). The others are kept beside the result, for
//! the drawer that shows them side by side and for courses that mark by one of them.

use super::montecarlo::{self, Moved};
use super::propagate::Propagated;
use super::table::Table;
use super::values::Out;
use crate::protocol::Protocol;
use crate::row::Row;
use crate::uncertainty::{Dual, Source, SourceKind};
use crate::verdict::JudgedResult;

/// Fills each result's budget and its uncertainty by every school; quadrature is worked out from
/// the budget when asked for.
///
/// A result without a budget – a word, or one that cannot be worked out – keeps none. `seed` is
/// asked only where trials are made.
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
        // Corners need the chain of results again, so they are tried only where a ± is asked for.
        let moved = spec.plus_minus.then(|| Moved::of(protocol, table, out, propagated, result));
        let extremes = moved.as_ref().and_then(|m| montecarlo::extremes(m, result));
        let refined = moved.as_ref().and_then(|m| montecarlo::refined(m, result, seed));
        let finite = |v: f64| Some(v).filter(|v| v.is_finite());
        result.monte_carlo = refined;
        result.limits = [finite(worst), extremes, finite(replicates * school.coverage_factor), figures];
        result.budget = Some(budget);
    }
}

/// Σ|cᵢ|aᵢ over groups: replicates of one reading are one thing, whose limit is that of their mean.
///
/// The value and the limits are SI. Sources of one group count with the sum of their derivatives
/// once, as if all replicates were off to the same side.
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
