//! Unknowns named from a list of candidates.
//!
//! An unknown is named by its nearest candidate, in standard uncertainties of both. A team may name
//! whichever its own value is nearest to: that is carried where its value is wrong, and right where
//! it is right.

use super::Judge;
use crate::finding::{Finding, Findings, Kind, Named, Severity};
use crate::formula::Num;
use crate::judging::words;
use crate::protocol::{Identify, ResultId};
use crate::verdict::{Compared, Comparison, JudgedResult};

/// How many standard uncertainties a candidate may lie off and still be meant.
///
/// About nineteen of twenty values of the right metal lie within it.
const REACH: f64 = 2.0;

/// Candidates by their distance in standard uncertainties, the nearest first.
///
/// `x` and `u` are SI. Inside a candidate's range the distance is nought; outside it is counted
/// from the nearer end, in standard uncertainties of both.
fn rank(i: &Identify, x: f64, u: f64) -> Vec<(usize, f64)> {
    let mut ranked: Vec<(usize, f64)> = i
        .candidates
        .iter()
        .enumerate()
        .map(|(n, c)| {
            let off = x - x.clamp(c.low, c.high);
            let room = u.hypot(c.uncertainty);
            let distance = if off == 0.0 {
                0.0
            } else if room > 0.0 {
                off.abs() / room
            } else {
                f64::INFINITY
            };
            (n, distance)
        })
        .collect();
    // Inside several ranges, the nearer middle leads.
    ranked.sort_by(|a, b| {
        let middle = |n: usize| (x - i.candidates[n].middle()).abs();
        a.1.total_cmp(&b.1).then(middle(a.0).total_cmp(&middle(b.0)))
    });
    ranked
}

/// The candidates within reach; where none is, the nearest.
///
/// At least one is near: the nearest, however far it is. How far is told with it.
fn near(ranked: &[(usize, f64)]) -> Vec<usize> {
    let nearest = ranked.first().map_or(0.0, |r| r.1);
    ranked.iter().filter(|(_, d)| *d <= REACH.max(nearest)).map(|(n, _)| *n).collect()
}

impl Judge<'_> {
    /// Ranks what an unknown may be; two candidates within reach cannot be told apart.
    ///
    /// Two that cannot be told apart are both right answers.
    pub(super) fn identify(
        &self,
        n: usize,
        results: &mut [JudgedResult],
        found: &mut Findings<'_>,
    ) -> Option<Comparison> {
        let i = &self.protocol.identifies[n];
        let spec = &self.protocol.results[i.result];
        let item = &self.protocol.items[spec.item];
        let dual = self.propagated.values[spec.item].as_ref()?.scalar()?;
        let u = self.spread(dual);
        let ranked = rank(i, dual.value(), u);
        let best = *ranked.first()?;
        let within_reach = near(&ranked);
        let (value, near) = (item.from_si(dual.value()), within_reach.clone());
        let named = Named { unknown: n, value, near, off: best.1, within: best.1 <= REACH };
        if within_reach.len() > 1 {
            let kind = Kind::CannotTellApart(named.clone());
            found.push(Finding::about(kind, Severity::Note, (spec.item, &i.id), None));
        }
        if let Some(answer) = i.answer {
            self.name(i, answer, (&within_reach, u), results);
        }
        Some(Comparison {
            id: i.id.clone(),
            kind: "identify",
            value: if best.1.is_finite() { best.1 } else { f64::MAX },
            limit: Some(REACH),
            verdict: i.candidates[best.0].says.clone(),
            what: Compared::Identified(named),
        })
    }

    /// Settles the word that names the unknown: right by the recomputed value, or carried from the
    /// team's own.
    ///
    /// A word that is not in the list of candidates names none of them.
    fn name(&self, i: &Identify, answer: ResultId, (right, u): (&[usize], f64), results: &mut [JudgedResult]) {
        let item = self.protocol.results[i.result].item;
        let words = self.protocol.items[self.protocol.results[answer].item].words.clone().unwrap_or_default();
        let word = |n: &usize| words.iter().position(|w| *w == i.candidates[*n].says).map(|w| w as u32);
        let clean: Vec<u32> = right.iter().filter_map(word).collect();
        let own = self.reported[item].as_ref().and_then(|v| v.scalar().copied());
        let follows: Vec<u32> = own.map(|x| near(&rank(i, x, u)).iter().filter_map(word).collect()).unwrap_or_default();
        let tainted = results.iter().any(|r| r.item == item && r.verdict.taints());
        words::settle(results, answer, &clean, &follows, tainted);
    }
}
