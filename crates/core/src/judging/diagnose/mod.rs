//! Which human mistake explains a value, by Bayes over the mistaken forms of the formula, over
//! readings that were keyed or copied wrongly, and over the answer's text. Each is weighed by what
//! it makes of the whole table ([`super::stories`]).
//!
//! Prior of one hypothesis: weight of its act × share of its kind among those generated for the act
//! ÷ number of that kind generated, fitting or not. A class is what this result alone cannot tell
//! apart: predictions within w. It is named after its likeliest kind.
//!
//! # Where the hypotheses come from
//!
//! | what a person did | file |
//! |---|---|
//! | took a mistaken formula, another row, another setting | [`maker`] |
//! | keyed or copied a reading wrongly | [`copied`] |
//! | rewrote a whole column: unit, offset, exchange | [`rewritten`] |
//! | put in another constant or count | [`constants`] |
//! | wrote the answer down wrongly | [`answer`] |
//! | did one of these down a whole column | [`column`] |
//!
//! # An example
//!
//! The area of a disc of radius 14.99 mm is 705.9 mm², and 2823.7 was reported. Of all mistaken
//! forms of the formula one gives that to the last digit: the diameter in the place of the radius.
//! Against it stands “nothing explains it”, which has a third of the prior and spreads it over six
//! decades, so that hardly any of it falls within the last digit of R. Nearly all of what is left
//! is the diameter's.

mod acts;
mod answer;
mod case;
mod column;
mod constants;
mod copied;
mod maker;
mod rewritten;

use std::collections::BTreeMap;

use super::values::within;
use crate::finding::Account;
use crate::formula::{ItemId, Shape};
use crate::notation;
use crate::protocol::{ResultId, ResultSpec, SlipKind};
use crate::quantity::{leading_place, power_of_ten};
use crate::verdict::Slip;

use acts::Priors;
pub(super) use case::Case;
use case::{Hypothesis, likelihood, unexplained_likelihood};
pub(super) use column::{down_the_column, keyed_throughout, lone_rows};
use maker::Maker;

/// Longest column whose rows are tried one by one.
///
/// A longer column has too many rows to be named by chance, and would cost a working for each.
const LONGEST_TRIED: usize = 60;

/// No story about a value of fewer than three figures is likelier than this.
///
/// Of two figures there are ninety, so that one hypothesis in ninety fits whatever was done.
const FEW_FIGURES: f64 = 0.85;

/// What a row leaves for the judgement of its whole column.
///
/// It is kept only for rows of a column, until its last row is judged.
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
///
/// The slip is told as one if its chance is a half or more; the caller decides that. Cost: one or
/// two workings for each mistaken formula, and a table worked out anew for each reading that could
/// have been copied wrongly and gives R, of which there are few.
pub(super) fn diagnose(case: &Case<'_>) -> (Option<Slip>, Candidates) {
    let mut maker = Maker { case, fitting: Vec::new(), counts: BTreeMap::new() };
    maker.formulas();
    maker.left_out_rows();
    maker.settings();
    maker.readings();
    maker.constants();
    maker.rewritten();
    maker.answer_text();
    let Maker { mut fitting, counts, .. } = maker;
    let priors = Priors::of(&case.protocol.school, &counts);
    let unexplained = case.protocol.school.unexplained * unexplained_likelihood(case);
    for h in &mut fitting {
        h.prior = h.weight.unwrap_or_else(|| h.prior * priors.of_made(&h.kind, h.edit));
        h.likelihood = likelihood(case, h);
    }
    let weight = |h: &Hypothesis| h.prior * h.likelihood * h.joint.exp();
    let alone = unexplained + fitting.iter().map(weight).sum::<f64>();
    let candidates = Candidates {
        variants: fitting.iter().filter_map(|h| Some((h.variant?, h.prior, h.likelihood))).collect(),
        unexplained,
        evidence: alone,
        ratio: (
            case.reported / case.carried,
            (case.width + case.envelope + 0.002 * case.reported.abs()) / case.carried.abs(),
        ),
    };
    let weight = |h: &Hypothesis| weight(h) * h.sisters.exp();
    let evidence = unexplained + fitting.iter().map(weight).sum::<f64>();
    if fitting.is_empty() || evidence <= 0.0 {
        return (None, candidates);
    }
    fitting.iter_mut().for_each(|h| h.posterior = weight(h) / evidence);
    fitting.sort_by(|a, b| b.posterior.total_cmp(&a.posterior));
    (Some(classes(case, &fitting)), candidates)
}

/// Gathers hypotheses into classes and names the likeliest.
///
/// `fitting` comes likeliest first and is not empty. Hypotheses that predict the same value, to
/// within what R can tell, are one class; their chances are added. Kinds below half a percent are
/// not mentioned.
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
    let first = by_kind(&classes[0]);
    let copied = classes[0].iter().find(|h| h.kind == SlipKind::ReadingMistyped).and_then(|h| h.subject);
    let kind = named(&first, copied.is_some_and(|item| nothing_else_uses(case, item)));
    // Members come likeliest first.
    let best = classes[0].iter().find(|h| h.kind == kind).copied().unwrap_or(classes[0][0]);
    let few = case.number.is_some_and(|n| n.figures() < 3);
    // Two figures are met by chance too often to be sure of anything.
    let probability = sum(&classes[0]).min(if few { FEW_FIGURES } else { 1.0 });
    let others: Vec<(SlipKind, f64)> =
        classes[1..].iter().map(|c| (by_kind(c)[0].0.clone(), sum(c))).filter(|(_, p)| *p >= 0.005).take(4).collect();
    let together = probability + others.iter().map(|(_, p)| p).sum::<f64>();
    let ambiguous = probability < 0.5 && !others.is_empty() && together >= 0.5;
    let beside: Vec<(SlipKind, f64)> = first.into_iter().filter(|(k, p)| *k != kind && *p >= 0.005).collect();
    let alike: Vec<SlipKind> = beside.iter().map(|(k, _)| k.clone()).collect();
    let mut alternatives = beside;
    alternatives.extend(others);
    let item = &case.protocol.items[case.protocol.results[case.id].item];
    let gives = shown(case, &kind, best.predicted) + &item.unit_after();
    Slip {
        account: Account { clause: best.clause.clone(), gives, cell: None },
        kind,
        probability,
        alternatives,
        alike,
        places: vec![item.id.clone()],
        ambiguous,
        subject: best.subject,
        rows: Vec::new(),
        repair: best.repair.clone(),
        predicted: best.predicted,
    }
}

/// Whether a reading goes into this result alone, whatever it is used for besides; the rows of a
/// column are one.
///
/// If nothing else uses it, nothing can tell whether the sheet or the key was wrong.
fn nothing_else_uses(case: &Case<'_>, item: ItemId) -> bool {
    let uses = |(n, spec): (ResultId, &ResultSpec)| n != case.id && spec.node.uses(item);
    case.row.is_some()
        && case.protocol.items[item].rows == Shape::Scalar
        && !ResultId::with(&case.protocol.results).any(uses)
}

/// A prediction as it is told: what was meant with the digits that were written, what a calculation
/// gives with one more figure than the answer has, and never more than six.
///
/// The text has as many digits as a reader needs to see that it is R.
fn shown(case: &Case<'_>, kind: &SlipKind, value: f64) -> String {
    let figures = case.number.map_or(3, |n| n.figures() as i32);
    match (kind, case.number) {
        (SlipKind::DigitsSwapped | SlipKind::DigitWrong, Some(n)) => {
            let scale = if n.value == 0.0 { 1.0 } else { case.reported / n.value };
            notation::to_place(value, leading_place(power_of_ten(n.last_place) * scale.abs()))
        }
        (SlipKind::DecimalPoint, _) => notation::figures(value, figures.clamp(1, 17)),
        _ => notation::figures(value, (figures + 1).clamp(3, 6)),
    }
}

/// The kind a class is told by: the likeliest, but for a reading copied wrongly, which changes the
/// sheet and so needs a half of its own; where a slip that the lab's author declared gives the
/// same, that one. Whether a number was keyed or copied wrongly cannot be told where nothing else
/// uses it: the sheet then stays as it is.
///
/// `nothing_tells` is as [`nothing_else_uses`] says.
fn named(kinds: &[(SlipKind, f64)], nothing_tells: bool) -> SlipKind {
    let own = |kind: &SlipKind| kinds.iter().find(|(k, _)| k == kind).map(|(_, p)| *p);
    let declared = kinds.iter().find(|(k, _)| matches!(k, SlipKind::Declared(_)));
    match declared.or(kinds.first()) {
        Some((SlipKind::ReadingMistyped, p))
            if (nothing_tells || *p < 0.5) && own(&SlipKind::ReadingMiskeyed).is_some() =>
        {
            SlipKind::ReadingMiskeyed
        }
        Some((kind, _)) => kind.clone(),
        None => SlipKind::Compound,
    }
}
