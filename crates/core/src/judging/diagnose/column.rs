//! What happened to a whole column: one slip in its rows, or one factor that no slip gives.

use std::collections::BTreeMap;

use super::Candidates;
use crate::protocol::{Protocol, ResultSpec, SlipKind};
use crate::verdict::{JudgedResult, Slip, VerdictKind};

/// One systematic slip down a column: it needs two rows and explains three quarters of those that differ. Its joint
/// likelihood is weighed against the rows each having a story of their own.
pub(in super::super) fn down_the_column(
    protocol: &Protocol,
    spec: &ResultSpec,
    rows: &mut [JudgedResult],
    candidates: &[Option<Candidates>],
) {
    let differing: Vec<(usize, &Candidates)> =
        candidates.iter().enumerate().filter_map(|(i, c)| c.as_ref().map(|c| (i, c))).collect();
    if differing.len() < 2 {
        return;
    }
    // Rows explained, joint score, and the part of it that is prior.
    let mut joint: BTreeMap<usize, (usize, f64, f64)> = BTreeMap::new();
    for v in differing.iter().flat_map(|(_, c)| c.variants.iter().map(|(v, ..)| *v)) {
        joint.entry(v).or_insert((0, 0.0, 0.0));
    }
    // Logarithms: a dozen rows of small likelihoods would vanish.
    for (v, (explained, score, weight)) in &mut joint {
        let mut prior = 0.0;
        for (_, c) in &differing {
            match c.variants.iter().find(|(w, ..)| w == v) {
                Some((_, p, l)) if *l > 0.0 => {
                    *explained += 1;
                    prior = *p;
                    *score += l.ln();
                }
                _ => *score += c.unexplained.max(1e-300).ln(),
            }
        }
        *weight = f64::max(prior, 1e-300).ln();
        *score += *weight;
    }
    let apart: f64 = differing.iter().map(|(_, c)| c.evidence.max(1e-300).ln()).sum();
    let systematic =
        joint.iter().filter(|(_, (n, ..))| *n >= 2 && 4 * *n >= 3 * differing.len()).map(|(v, (_, s, _))| (*v, *s));
    let Some((best, score)) = systematic.clone().max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0))) else {
        return alike_throughout(rows, &differing, apart);
    };
    let rest: f64 = systematic.map(|(_, s)| (s - score).exp()).sum::<f64>() + (apart - score).exp();
    // Formulas that fit every row as well as the best one cannot be told apart from it: one class.
    let weight = joint.get(&best).map_or(0.0, |(_, _, w)| *w);
    let class: Vec<(SlipKind, f64)> = joint
        .iter()
        .filter(|(v, (n, s, w))| **v != best && *n >= 2 && ((s - w) - (score - weight)).abs() < 1e-9)
        .map(|(v, (_, s, _))| (spec.variants[*v].kind, (s - score).exp()))
        .collect();
    let whole = 1.0 + class.iter().map(|(_, p)| p).sum::<f64>();
    let rest = rest.max(whole);
    let probability = whole / rest;
    if probability < 0.5 {
        return alike_throughout(rows, &differing, apart);
    }
    let variant = &spec.variants[best];
    let mut alternatives: Vec<(SlipKind, f64)> = Vec::new();
    for (kind, p) in class.iter().filter(|(k, _)| *k != variant.kind) {
        match alternatives.iter_mut().find(|(k, _)| k == kind) {
            Some((_, sum)) => *sum += p / rest,
            None => alternatives.push((*kind, p / rest)),
        }
    }
    alternatives.retain(|(_, p)| *p >= 0.005);
    alternatives.sort_by(|a, b| b.1.total_cmp(&a.1));
    let alike: Vec<SlipKind> = alternatives.iter().map(|(k, _)| *k).collect();
    let item = &protocol.items[spec.item];
    let told: Vec<usize> = differing
        .iter()
        .filter(|(_, c)| c.variants.iter().any(|(v, _, l)| *v == best && *l > 0.0))
        .map(|(i, _)| *i)
        .collect();
    let numbers: Vec<u32> = told.iter().filter_map(|i| rows[*i].row).collect();
    for i in told {
        let row = &mut rows[i];
        let predicted = row.slip.as_ref().map_or(0.0, |s| s.predicted);
        row.verdict = VerdictKind::Slip;
        row.slip = Some(Slip {
            kind: variant.kind,
            clause: variant.says.clone(),
            says: format!("It seems that, in {} rows alike, {}.", numbers.len(), variant.says),
            probability,
            alternatives: alternatives.clone(),
            alike: alike.clone(),
            places: vec![item.id.clone()],
            ambiguous: false,
            subject: variant.subject,
            rows: numbers.clone(),
            repair: None,
            predicted,
        });
    }
}

/// Rows that are all off by one and the same factor which no slip gives: something was done throughout that nobody has
/// thought of. It is weighed against every row having a story of its own, and lowers the chance of those.
fn alike_throughout(rows: &mut [JudgedResult], differing: &[(usize, &Candidates)], apart: f64) {
    let mut ratios: Vec<f64> = differing.iter().map(|(_, c)| c.ratio.0).collect();
    ratios.sort_by(f64::total_cmp);
    let factor = ratios[ratios.len() / 2];
    let common = differing.iter().all(|(_, c)| (c.ratio.0 - factor).abs() <= c.ratio.1);
    if !common || !factor.is_finite() || factor == 0.0 || (factor - 1.0).abs() < 1e-9 {
        return;
    }
    // The first row pays for the factor; the others then are what they must be.
    let together = differing[0].1.unexplained.max(1e-300).ln();
    let share = 1.0 / (1.0 + (together - apart).exp());
    for (i, _) in differing {
        let row = &mut rows[*i];
        row.throughout = Some(factor);
        if let Some(slip) = &mut row.slip {
            slip.probability *= share;
            slip.alternatives.iter_mut().for_each(|(_, p)| *p *= share);
            slip.ambiguous &= slip.probability + slip.alternatives.iter().map(|(_, p)| p).sum::<f64>() >= 0.5;
            if slip.probability < 0.5 {
                row.verdict = VerdictKind::Unexplained;
            }
        }
    }
}
