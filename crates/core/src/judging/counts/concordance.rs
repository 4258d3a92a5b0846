//! Concordant sets: only the largest set that agrees counts.
//!
//! A titration is repeated until its results agree. What agrees is the largest set of values that
//! lie within the tolerance of each other; the others are runs on the way, and no mistakes.

use super::{Out, Repeated};
use crate::finding::{Finding, Findings, Fragile, Kind, Severity};
use crate::protocol::Protocol;
use crate::stats::concordance;

/// Only the largest set that agrees counts.
///
/// `rows` are those that may count, from 0. With one value nothing is asked. If no two values agree
/// all of them count and the team is asked to titrate again; if two sets are of one size a person
/// chooses, and the mark hangs on it.
pub(super) fn concordant(
    protocol: &Protocol,
    c: &Repeated,
    rows: &[usize],
    tolerance: crate::protocol::Tolerance,
    out: &mut Out,
    found: &mut Findings<'_>,
) {
    let item = &protocol.items[c.item];
    let values: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
    if values.len() < 2 {
        return;
    }
    let finding = |kind: Kind, severity| Finding::about(kind, severity, (c.item, &item.id), None);
    let Some(set) = concordance(&values, |middle| tolerance.about(middle), c.step) else {
        found.push(finding(Kind::NotConcordant, Severity::Decide));
        return;
    };
    let kept: Vec<usize> = set.kept.iter().map(|i| rows[*i]).collect();
    if let Some((_, flags)) = out.iter_mut().find(|(g, _)| *g == c.group) {
        rows.iter().filter(|r| !kept.contains(r)).for_each(|r| flags[*r] = true);
    }
    let (some_left, kept) = (kept.len() < rows.len(), kept.iter().map(|r| c.texts[*r].clone()).collect());
    if set.tied {
        let tied = finding(Kind::ConcordanceTied { kept }, Severity::Decide);
        found.push(Finding { fragile: Some(Fragile::AnotherSet), ..tied });
    } else if some_left {
        found.push(finding(Kind::Concordance { kept }, Severity::Note));
    }
}
