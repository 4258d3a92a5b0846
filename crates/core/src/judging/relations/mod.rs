//! Cross-checks, comparisons of values that should agree, and unknowns named from a list. All with
//! the uncertainty of a difference over the sources both sides share.
//!
//! | relation | asks | file |
//! |---|---|---|
//! | check | does what must hold among readings hold? | [`checks`] |
//! | comparison | do two ways to one quantity agree? | [`agreement`] |
//! | unknown | which of these candidates can it be? | [`identify`] |
//!
//! Each works with the difference of two values and its own uncertainty, over the sources that both
//! share: two lengths by one caliper may agree to far better than the caliper's limit.

mod agreement;
mod checks;
mod identify;

use super::propagate::Propagated;
use super::values::{Env, Out};
use crate::finding::Findings;
use crate::formula::{Context, Node, Value, evaluate_any};
use crate::protocol::Protocol;
use crate::uncertainty::{Budget, Dual};
use crate::verdict::{Comparison, JudgedResult};

pub(super) use checks::checks;

/// `reported` holds the clean values where checks are judged, since those ask nothing of what was
/// reported.
struct Judge<'a> {
    /// Gives the checks, comparisons and identifications that are asked.
    protocol: &'a Protocol,
    /// Rows left out, by group.
    out: &'a Out,
    /// Values with their derivatives.
    propagated: &'a Propagated,
    /// Values as reported, SI.
    reported: &'a Env,
}

impl Judge<'_> {
    /// A formula's value with its derivatives, from the readings alone; `None` where one of them is
    /// missing.
    ///
    /// It has derivatives by every source, so that differences of two such values are right.
    fn value(&self, node: &Node) -> Option<Value<Dual>> {
        evaluate_any(node, &Context::without(&self.propagated.values, self.out)).ok()
    }

    /// Whether any of the formulas uses a result that is wrong or follows from a wrong one.
    fn tainted(&self, nodes: &[&Node], results: &[JudgedResult]) -> bool {
        nodes.iter().flat_map(|n| n.items()).any(|i| results.iter().any(|r| r.item == i && r.verdict.taints()))
    }

    /// Standard uncertainty of a value, in SI units; nought where a replicate alone leaves it
    /// unbounded.
    ///
    /// In SI units. An infinite one would let everything agree with everything.
    fn spread(&self, dual: &Dual) -> f64 {
        let u = Budget::of(dual, &self.propagated.sources).standard;
        if u.is_finite() { u } else { 0.0 }
    }
}

/// Judges comparisons and unknowns, and settles the words that hang on them.
///
/// In the order of the lab, comparisons first. Words that hang on them are judged here and not
/// before.
pub(super) fn comparisons(
    protocol: &Protocol,
    out: &Out,
    propagated: &Propagated,
    reported: &Env,
    results: &mut [JudgedResult],
    found: &mut Findings<'_>,
) -> Vec<Comparison> {
    let judge = Judge { protocol, out, propagated, reported };
    let mut told = Vec::new();
    for n in 0..protocol.comparisons.len() {
        told.extend(judge.comparison(n, results, found));
    }
    for n in 0..protocol.identifies.len() {
        told.extend(judge.identify(n, results, found));
    }
    told
}

/// How far the sides of each comparison lie apart, as a share of what is allowed.
pub(super) fn apart(protocol: &Protocol, out: &Out, propagated: &Propagated) -> Vec<f64> {
    let judge = Judge { protocol, out, propagated, reported: &Vec::new() };
    (0..protocol.comparisons.len())
        .filter_map(|n| judge.sides(n, &[]))
        .filter(|s| s.allowed > 0.0)
        .map(|s| s.apart / s.allowed)
        .collect()
}
