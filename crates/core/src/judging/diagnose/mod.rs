//! Which human mistake explains a value, by Bayes over the mistaken forms of the formula, of the readings as keyed in and
//! of the answer's text.
//!
//! Prior of one hypothesis: weight of its kind ÷ number of hypotheses of that kind generated, fitting or not. A class
//! is what this result alone cannot tell apart: predictions within w. It is named after its likeliest member.

mod answer;
mod case;
mod column;
mod copied;
mod maker;

use std::collections::BTreeMap;

use super::values::within;
use crate::notation;
use crate::protocol::SlipKind;
use crate::quantity::power_of_ten;
use crate::verdict::Slip;

pub(super) use case::Case;
use case::{Hypothesis, likelihood, unexplained_likelihood};
pub(super) use column::down_the_column;
use maker::Maker;

/// Longest column whose rows are tried one by one.
const LONGEST_TRIED: usize = 30;

/// What a row leaves for the judgement of its whole column.
pub(super) struct Candidates {
    /// Mistaken formula, prior, likelihood.
    variants: Vec<(usize, f64, f64)>,
    /// Weight × likelihood of no explanation.
    unexplained: f64,
    /// Sum over everything.
    evidence: f64,
    /// Reported over followed value, and how far it may be off by rounding.
    ratio: (f64, f64),
}

/// The likeliest class with its chance, or `None` where no hypothesis fits at all.
pub(super) fn diagnose(case: &Case<'_>) -> (Option<Slip>, Candidates) {
    let mut maker = Maker { case, fitting: Vec::new(), counts: BTreeMap::new(), predictions: Vec::new() };
    maker.formulas();
    maker.left_out_rows();
    maker.settings();
    maker.mistyped_readings();
    maker.answer_text();
    let Maker { mut fitting, counts, predictions, .. } = maker;
    let declared = counts.keys().filter(|k| matches!(k, SlipKind::Declared(_))).count();
    let school = &case.protocol.school;
    let total_weight: f64 = counts.keys().map(|k| school.weight(k, declared)).sum();
    let prior_of = |kind: &SlipKind| {
        (1.0 - school.unexplained) * school.weight(kind, declared)
            / total_weight.max(f64::MIN_POSITIVE)
            / counts.get(kind).copied().unwrap_or(1).max(1) as f64
    };
    if fitting.is_empty() {
        fitting = compound(case, &predictions, &prior_of);
    }
    let unexplained = school.unexplained * unexplained_likelihood(case);
    for h in &mut fitting {
        if h.kind != SlipKind::Compound {
            h.prior = prior_of(&h.kind);
        }
        h.likelihood = likelihood(case, h);
    }
    let evidence = unexplained + fitting.iter().map(|h| h.prior * h.likelihood).sum::<f64>();
    let candidates = Candidates {
        variants: fitting.iter().filter_map(|h| Some((h.variant?, h.prior, h.likelihood))).collect(),
        unexplained,
        evidence,
        ratio: (
            case.reported / case.carried,
            (case.width + case.envelope + 0.002 * case.reported.abs()) / case.carried.abs(),
        ),
    };
    if fitting.is_empty() || evidence <= 0.0 {
        return (None, candidates);
    }
    fitting.iter_mut().for_each(|h| h.posterior = h.prior * h.likelihood / evidence);
    fitting.sort_by(|a, b| b.posterior.total_cmp(&a.posterior));
    (Some(classes(case, &fitting)), candidates)
}

/// Gathers hypotheses into classes and names the likeliest.
fn classes(case: &Case<'_>, fitting: &[Hypothesis]) -> Slip {
    let mut classes: Vec<Vec<&Hypothesis>> = Vec::new();
    for h in fitting {
        let same = |other: &Hypothesis| match (h.clean, other.clean, h.reported, other.reported) {
            (Some(a), Some(b), ..) | (None, _, Some(a), Some(b)) | (_, None, Some(a), Some(b)) => {
                within(a - b, case.width, case.half_step, a, b)
            }
            _ => false,
        };
        match classes.iter_mut().find(|c| same(c[0])) {
            Some(class) => class.push(h),
            None => classes.push(vec![h]),
        }
    }
    let sum = |class: &[&Hypothesis]| class.iter().map(|h| h.posterior).sum::<f64>();
    classes.sort_by(|a, b| sum(b).total_cmp(&sum(a)));
    let by_kind = |class: &[&Hypothesis]| {
        let mut kinds: BTreeMap<SlipKind, f64> = BTreeMap::new();
        class.iter().for_each(|h| *kinds.entry(h.kind.clone()).or_default() += h.posterior);
        let mut kinds: Vec<(SlipKind, f64)> = kinds.into_iter().collect();
        kinds.sort_by(|a, b| b.1.total_cmp(&a.1));
        kinds
    };
    // Members come likeliest first: the class is named after the first.
    let best = classes[0][0];
    let kind = best.kind.clone();
    let first = by_kind(&classes[0]);
    let probability = sum(&classes[0]);
    let others: Vec<(SlipKind, f64)> =
        classes[1..].iter().map(|c| (by_kind(c)[0].0.clone(), sum(c))).filter(|(_, p)| *p >= 0.005).take(4).collect();
    let together = probability + others.iter().map(|(_, p)| p).sum::<f64>();
    let ambiguous = probability < 0.5 && !others.is_empty() && together >= 0.5;
    let beside: Vec<(SlipKind, f64)> = first.into_iter().filter(|(k, p)| *k != kind && *p >= 0.005).collect();
    let alike: Vec<SlipKind> = beside.iter().map(|(k, _)| k.clone()).collect();
    let mut alternatives = beside;
    alternatives.extend(others);
    let item = &case.protocol.items[case.protocol.results[case.index].item];
    let unit = item.unit_after();
    let gives = notation::figures(best.predicted, case.number.map_or(4, |n| n.figures() as i32 + 1).clamp(3, 8));
    Slip {
        clause: best.says.clone(),
        says: match kind {
            SlipKind::DigitsSwapped | SlipKind::DigitWrong | SlipKind::DecimalPoint => {
                format!("It seems that {}: {gives}{unit} was meant.", best.says)
            }
            _ => format!("It seems that {}: that gives {gives}{unit}.", best.says),
        },
        kind,
        probability: probability.min(1.0),
        alternatives,
        alike,
        places: vec![item.id.clone()],
        ambiguous,
        subject: best.subject,
        rows: Vec::new(),
        repair: best.repair,
        predicted: best.predicted,
    }
}

/// Two slips at once, one of them in the answer: tried only where no single one fits.
fn compound(
    case: &Case<'_>,
    predictions: &[(SlipKind, usize, f64)],
    prior_of: &dyn Fn(&SlipKind) -> f64,
) -> Vec<Hypothesis> {
    let variants = &case.protocol.results[case.index].variants;
    let mut answers: Vec<(SlipKind, f64, String)> = [1, -1, 2, -2]
        .into_iter()
        .map(|n| (SlipKind::DecimalPoint, power_of_ten(n), "the decimal point went astray".to_owned()))
        .collect();
    for (kind, n, value) in predictions {
        if *kind == SlipKind::UnitFactor && variants[*n].subject.is_none() && case.clean.is_some_and(|c| c != 0.0) {
            answers.push((kind.clone(), value / case.clean.unwrap_or(1.0), variants[*n].says.clone()));
        }
    }
    let two = case.protocol.school.weight(&SlipKind::Compound, 0);
    let mut out = Vec::new();
    for (kind, n, value) in predictions {
        for (other, factor, says) in &answers {
            let both = value * factor;
            if kind == other || !within(case.reported - both, case.width, case.half_step, case.reported, both) {
                continue;
            }
            out.push(Hypothesis {
                kind: SlipKind::Compound,
                variant: None,
                subject: variants[*n].subject,
                says: format!("{}, and {says}", variants[*n].says),
                clean: Some(both),
                reported: None,
                envelope: 0.0,
                predicted: both,
                repair: None,
                prior: two * prior_of(kind) * prior_of(other),
                likelihood: 0.0,
                posterior: 0.0,
            });
        }
    }
    out
}
