//! Which human mistake explains a value, by Bayes over the mistaken forms of the formula, of the readings as keyed in and
//! of the answer's text.
//!
//! Prior of one hypothesis: weight of its kind ÷ number of hypotheses of that kind generated, fitting or not. A class
//! is what this result alone cannot tell apart: predictions within w. It is named after its likeliest member.

use std::collections::BTreeMap;

use super::values::{Env, Out, put, within};
use crate::formula::{Node, Shape, Value};
use crate::notation;
use crate::protocol::{ItemKind, Protocol, ReadingKind, ResultSpec, SlipKind};
use crate::quantity::{Nature, power_of_ten};
use crate::reading::Number;
use crate::verdict::{JudgedReading, JudgedResult, Slip, VerdictKind};

/// Share of the prior that two mistakes at once have beside one.
const COMPOUND_PRIOR: f64 = 0.02;
/// Longest column whose rows are tried one by one.
const LONGEST_TRIED: usize = 30;

pub(super) struct Case<'a> {
    pub(super) protocol: &'a Protocol,
    pub(super) index: usize,
    /// Row, from 0, and whether the environments hold this row's values only.
    pub(super) row: Option<usize>,
    pub(super) sliced: bool,
    /// R, h and w, in the result's unit.
    pub(super) reported: f64,
    pub(super) half_step: f64,
    pub(super) width: f64,
    pub(super) clean: Option<f64>,
    pub(super) carried: f64,
    pub(super) envelope: f64,
    pub(super) clean_env: &'a Env,
    pub(super) reported_env: &'a Env,
    pub(super) out: &'a Out,
    /// Readings that cannot have been copied wrongly.
    pub(super) refuted: &'a [(usize, Option<u32>)],
    /// Whether any upstream value was reported.
    pub(super) has_reported: bool,
    pub(super) envelope_of: &'a dyn Fn(&Node, f64, f64) -> f64,
    /// A formula's value for this row, SI.
    pub(super) value_of: &'a dyn Fn(&Node, &Env, &Out) -> Option<f64>,
    pub(super) readings: &'a [JudgedReading],
    pub(super) number: Option<&'a Number>,
}

struct Hypothesis {
    kind: SlipKind,
    /// Number of the mistaken formula among the result's, for what can happen down a whole column.
    variant: Option<usize>,
    subject: Option<usize>,
    says: String,
    /// Prediction from clean inputs, from reported inputs, and the envelope of the latter.
    clean: Option<f64>,
    reported: Option<f64>,
    envelope: f64,
    /// What the mistaken calculation gives, to be told.
    predicted: f64,
    repair: Option<(usize, Option<u32>, f64)>,
    prior: f64,
    likelihood: f64,
    posterior: f64,
}

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
    let total_weight: f64 = counts.keys().map(|k| school.weight(*k, declared)).sum();
    let prior_of = |kind: SlipKind| {
        (1.0 - school.unexplained) * school.weight(kind, declared)
            / total_weight.max(f64::MIN_POSITIVE)
            / counts.get(&kind).copied().unwrap_or(1).max(1) as f64
    };
    if fitting.is_empty() {
        fitting = compound(case, &predictions, &prior_of);
    }
    let unexplained = school.unexplained * unexplained_likelihood(case);
    for h in &mut fitting {
        if h.kind != SlipKind::Compound {
            h.prior = prior_of(h.kind);
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

/// Two slips at once, one of them in the answer: tried only where no single one fits.
fn compound(
    case: &Case<'_>,
    predictions: &[(SlipKind, usize, f64)],
    prior_of: &dyn Fn(SlipKind) -> f64,
) -> Vec<Hypothesis> {
    let variants = &case.protocol.results[case.index].variants;
    let mut answers: Vec<(SlipKind, f64, String)> = [1, -1, 2, -2]
        .into_iter()
        .map(|n| (SlipKind::DecimalPoint, power_of_ten(n), "the decimal point went astray".to_owned()))
        .collect();
    for (kind, n, value) in predictions {
        if *kind == SlipKind::UnitFactor && variants[*n].subject.is_none() && case.clean.is_some_and(|c| c != 0.0) {
            answers.push((*kind, value / case.clean.unwrap_or(1.0), variants[*n].says.clone()));
        }
    }
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
                prior: COMPOUND_PRIOR * prior_of(*kind) * prior_of(*other),
                likelihood: 0.0,
                posterior: 0.0,
            });
        }
    }
    out
}

/// One systematic slip down a column: it needs two rows and explains three quarters of those that differ. Its joint
/// likelihood is weighed against the rows each having a story of their own.
pub(super) fn down_the_column(
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
        class.iter().for_each(|h| *kinds.entry(h.kind).or_default() += h.posterior);
        let mut kinds: Vec<(SlipKind, f64)> = kinds.into_iter().collect();
        kinds.sort_by(|a, b| b.1.total_cmp(&a.1));
        kinds
    };
    // Members come likeliest first: the class is named after the first.
    let best = classes[0][0];
    let kind = best.kind;
    let first = by_kind(&classes[0]);
    let probability = sum(&classes[0]);
    let others: Vec<(SlipKind, f64)> =
        classes[1..].iter().map(|c| (by_kind(c)[0].0, sum(c))).filter(|(_, p)| *p >= 0.005).take(4).collect();
    let together = probability + others.iter().map(|(_, p)| p).sum::<f64>();
    let beside: Vec<(SlipKind, f64)> = first.into_iter().filter(|(k, p)| *k != kind && *p >= 0.005).collect();
    let alike: Vec<SlipKind> = beside.iter().map(|(k, _)| *k).collect();
    let mut alternatives = beside;
    alternatives.extend(&others);
    let item = &case.protocol.items[case.protocol.results[case.index].item];
    let unit = item.unit_after();
    let gives = notation::figures(best.predicted, case.number.map_or(4, |n| n.figures() as i32 + 1).clamp(3, 8));
    Slip {
        kind,
        clause: best.says.clone(),
        says: match kind {
            SlipKind::DigitsSwapped | SlipKind::DigitWrong | SlipKind::DecimalPoint => {
                format!("It seems that {}: {gives}{unit} was meant.", best.says)
            }
            _ => format!("It seems that {}: that gives {gives}{unit}.", best.says),
        },
        probability: probability.min(1.0),
        alternatives,
        alike,
        places: vec![item.id.clone()],
        ambiguous: probability < 0.5 && !others.is_empty() && together >= 0.5,
        subject: best.subject,
        rows: Vec::new(),
        repair: best.repair,
        predicted: best.predicted,
    }
}

/// ½·[|R−H_C| ≤ w] + ½·w/(w+e)·[|R−H_F| ≤ w+e]; one kind of input only: that term with weight 1; both nought: a tenth
/// where R is within 0.2 % of H besides.
fn likelihood(case: &Case<'_>, h: &Hypothesis) -> f64 {
    let (r, w, e) = (case.reported, case.width, h.envelope);
    let fits = |x: f64, bound: f64| within(r - x, bound, case.half_step, r, x);
    let clean = h.clean.map(|x| if fits(x, w) { 1.0 } else { 0.0 });
    let reported = h.reported.map(|x| if fits(x, w + e) { w / (w + e) } else { 0.0 });
    let sharp = match (clean, reported) {
        (Some(a), Some(b)) => 0.5 * a + 0.5 * b,
        (Some(a), None) => a,
        (None, Some(b)) => b,
        (None, None) => 0.0,
    };
    if sharp > 0.0 {
        return sharp;
    }
    let Some(x) = h.reported.or(h.clean) else { return 0.0 };
    let wide = w + e + 0.002 * x.abs();
    if fits(x, wide) {
        0.1 * w / wide
    } else if cut(case, x) {
        // One in ten cuts off, and the last digit is then anywhere below.
        0.1 * w / (w + 2.0 * case.half_step)
    } else {
        0.0
    }
}

/// Whether R is x cut off after the digits written.
fn cut(case: &Case<'_>, x: f64) -> bool {
    let lost = x.abs() - case.reported.abs();
    x.signum() == case.reported.signum()
        && lost >= 0.0
        && within(lost, 2.0 * case.half_step, case.half_step, case.reported, x)
}

/// Half flat over six decades, half close by: unmodelled mistakes are mostly small.
fn unexplained_likelihood(case: &Case<'_>) -> f64 {
    if case.reported == 0.0 {
        return 0.5;
    }
    // Beside a nought nothing is near: the ratio is beyond bounds, and that half of it vanishes.
    let near = if case.carried == 0.0 { f64::INFINITY } else { (case.reported / case.carried).abs().ln().abs() };
    (2.0 * case.width / case.reported.abs()) * (0.5 / 13.8 + 0.5 * (-near / 0.15).exp() / 0.30)
}

struct Maker<'a> {
    case: &'a Case<'a>,
    /// Hypotheses near enough to R to matter.
    fitting: Vec<Hypothesis>,
    /// How many of each kind were generated in all.
    counts: BTreeMap<SlipKind, usize>,
    /// What each mistaken formula gives on clean inputs.
    predictions: Vec<(SlipKind, usize, f64)>,
}

/// What a hypothesis is about, before its predictions.
struct Story {
    kind: SlipKind,
    variant: Option<usize>,
    subject: Option<usize>,
    says: String,
    repair: Option<(usize, Option<u32>, f64)>,
}

impl Maker<'_> {
    fn spec(&self) -> &ResultSpec {
        &self.case.protocol.results[self.case.index]
    }

    /// A value in the result's unit.
    fn in_unit(&self, value: f64, scale: f64) -> f64 {
        let item = &self.case.protocol.items[self.spec().item];
        if item.nature == Nature::Point { value * scale - item.unit.offset / item.unit.factor } else { value * scale }
    }

    fn add(
        &mut self,
        story: impl FnOnce() -> Story,
        kind: SlipKind,
        clean: Option<f64>,
        reported: Option<f64>,
        envelope: impl FnOnce(f64) -> f64,
    ) {
        let case = self.case;
        *self.counts.entry(kind).or_default() += 1;
        // The envelope costs two evaluations a value, so only what is near at all gets one.
        let near = |x: Option<f64>| {
            x.is_some_and(|x| (case.reported - x).abs() <= 0.3 * x.abs().max(case.reported.abs()) + case.width)
        };
        if !near(clean) && !near(reported) {
            return;
        }
        let fits = |x: f64, bound: f64| within(case.reported - x, bound, case.half_step, case.reported, x);
        let envelope = reported.map_or(0.0, envelope);
        let any = clean.is_some_and(|x| fits(x, case.width + 0.002 * x.abs() + envelope) || cut(case, x))
            || reported.is_some_and(|x| fits(x, case.width + envelope + 0.002 * x.abs()) || cut(case, x));
        if !any {
            return;
        }
        let Story { kind, variant, subject, says, repair } = story();
        let predicted = nearer(case.reported, clean, reported);
        let h = Hypothesis {
            kind,
            variant,
            subject,
            says,
            clean,
            reported,
            envelope,
            predicted,
            repair,
            prior: 0.0,
            likelihood: 0.0,
            posterior: 0.0,
        };
        if likelihood(case, &h) > 0.0 {
            self.fitting.push(h);
        }
    }

    /// Both predictions of a formula, in the result's unit.
    fn both(
        &self,
        node: &Node,
        scale: f64,
        clean_env: &Env,
        reported_env: &Env,
        out: &Out,
    ) -> (Option<f64>, Option<f64>) {
        let case = self.case;
        let of = |env: &Env| (case.value_of)(node, env, out).map(|v| self.in_unit(v, scale)).filter(|v| v.is_finite());
        let clean = case.clean.and_then(|_| of(clean_env));
        let reported = if case.has_reported || clean.is_none() { of(reported_env) } else { None };
        (clean, reported)
    }

    /// Mistaken forms of the formula.
    fn formulas(&mut self) {
        let case = self.case;
        let spec = &case.protocol.results[case.index];
        for (n, v) in spec.variants.iter().enumerate() {
            let (clean, reported) = self.both(&v.node, v.scale, case.clean_env, case.reported_env, case.out);
            if let Some(x) = clean {
                self.predictions.push((v.kind, n, x));
            }
            let story =
                || Story { kind: v.kind, variant: Some(n), subject: v.subject, says: v.says.clone(), repair: None };
            self.add(story, v.kind, clean, reported, |x| (case.envelope_of)(&v.node, x, v.scale));
        }
    }

    /// Columns with one row more or fewer: an excluded one kept, a kept one dropped.
    fn left_out_rows(&mut self) {
        let case = self.case;
        if case.sliced {
            return;
        }
        let spec = &case.protocol.results[case.index];
        let factor = case.protocol.items[spec.item].unit.factor;
        let mut tried: Vec<u16> = Vec::new();
        for item in spec.node.items() {
            let Shape::Column(group) = case.protocol.items[item].rows else { continue };
            let Some(Value::Column(xs)) = &case.clean_env[item] else { continue };
            if xs.len() > LONGEST_TRIED || tried.contains(&group) {
                continue;
            }
            tried.push(group);
            for row in (0..xs.len()).filter(|r| xs[*r].is_some()) {
                let mut out = case.out.clone();
                let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) else { continue };
                let Some(flag) = rows.get_mut(row) else { continue };
                *flag = !*flag;
                let dropped = *flag;
                let (clean, reported) = self.both(&spec.node, 1.0 / factor, case.clean_env, case.reported_env, &out);
                let story = || {
                    let title = &case.protocol.items[item].title;
                    let text = match case.protocol.items[item].kind {
                        ItemKind::Reading(r) => case.readings[r].cells.get(row).map_or("", |c| c.text.as_str()),
                        _ => "",
                    };
                    let text = if text.is_empty() { String::new() } else { format!(", {text},") };
                    let says = if dropped {
                        format!("reading {} of the {title}{text} was left out of the sum", row + 1)
                    } else {
                        format!("reading {} of the {title}{text} which had been left out, was used", row + 1)
                    };
                    Story { kind: SlipKind::Exclusion, variant: None, subject: Some(item), says, repair: None }
                };
                self.add(story, SlipKind::Exclusion, clean, reported, |_| case.envelope);
            }
        }
    }

    /// The readings this result uses, each with its place in the environment and its cell.
    fn readings_used(&self) -> Vec<(usize, usize, Option<usize>, usize)> {
        let case = self.case;
        let mut out = Vec::new();
        for item in case.protocol.results[case.index].node.items() {
            let ItemKind::Reading(r) = case.protocol.items[item].kind else { continue };
            match case.protocol.items[item].rows {
                Shape::Scalar => out.push((item, r, None, 0)),
                Shape::Column(_) if case.sliced => out.push((item, r, None, case.row.unwrap_or(0))),
                Shape::Column(_) if case.readings[r].cells.len() <= LONGEST_TRIED => {
                    out.extend((0..case.readings[r].cells.len()).map(|n| (item, r, Some(n), n)));
                }
                Shape::Column(_) => {}
            }
        }
        out
    }

    fn with(&self, env: &Env, item: usize, row: Option<usize>, value: f64) -> Env {
        let mut env = env.clone();
        put(&mut env, item, row, self.case.protocol.items[item].to_si(value));
        env
    }

    /// A setting misread by one step.
    fn settings(&mut self) {
        let case = self.case;
        let spec = &case.protocol.results[case.index];
        let factor = case.protocol.items[spec.item].unit.factor;
        for (item, r, row, cell) in self.readings_used() {
            let ReadingKind::Setting(list) = &case.protocol.readings[r].kind else { continue };
            let Some(value) = case.readings[r].cells.get(cell).and_then(|c| c.value) else { continue };
            for other in neighbours(list, value) {
                let (clean, reported) = self.both(
                    &spec.node,
                    1.0 / factor,
                    &self.with(case.clean_env, item, row, other),
                    &self.with(case.reported_env, item, row, other),
                    case.out,
                );
                let it = &case.protocol.items[item];
                let story = || Story {
                    kind: SlipKind::Setting,
                    variant: None,
                    subject: Some(item),
                    says: format!("the {} was taken as {other}{}", it.title, it.unit_after()),
                    repair: None,
                };
                self.add(story, SlipKind::Setting, clean, reported, |_| case.envelope);
            }
        }
    }

    /// One reading mistyped in the sheet while the calculation used the right one: solved for the reading that would
    /// give R, and kept if that is a near miss of the one written.
    fn mistyped_readings(&mut self) {
        let case = self.case;
        let spec = &case.protocol.results[case.index];
        let factor = case.protocol.items[spec.item].unit.factor;
        for (item, r, row, cell) in self.readings_used() {
            if case.protocol.readings[r].kind != ReadingKind::Number {
                continue;
            }
            let Some(written) = case.readings[r].cells.get(cell) else { continue };
            if case.refuted.contains(&(item, written.row)) {
                continue;
            }
            let (Some(value), Some(number)) = (written.value.filter(|_| written.counts), &written.number) else {
                continue;
            };
            if value == 0.0 || number.value == 0.0 {
                continue;
            }
            let mut near = near_misses(number, value);
            // A scale read downwards: 22.6 taken for 23.4, mirrored between two marks.
            let down = case.protocol.readings[r].instrument.is_some_and(|i| case.protocol.instruments[i].reads_down);
            if down && value.fract() != 0.0 {
                near.push(2.0 * value.floor() + 1.0 - value);
            }
            *self.counts.entry(SlipKind::ReadingMistyped).or_default() += near.len();
            let base = if case.clean.is_some() { case.clean_env } else { case.reported_env };
            // One environment for all trials of this reading: only its own value moves.
            let scratch = std::cell::RefCell::new(base.clone());
            let f = |x: f64| {
                let mut env = scratch.borrow_mut();
                put(&mut env, item, row, case.protocol.items[item].to_si(x));
                (case.value_of)(&spec.node, &env, case.out).map(|v| self.in_unit(v, 1.0 / factor))
            };
            let Some((target, slope)) = solve(&f, value, case.reported) else { continue };
            let reach = 2.0 * case.width / slope.abs() + 1e-9 * target.abs();
            let hits: Vec<f64> = near.into_iter().filter(|x| (x - target).abs() <= reach).collect();
            for x in hits {
                let (clean, reported) = self.both(
                    &spec.node,
                    1.0 / factor,
                    &self.with(case.clean_env, item, row, x),
                    &self.with(case.reported_env, item, row, x),
                    case.out,
                );
                let it = &case.protocol.items[item];
                let place = written
                    .row
                    .map_or_else(|| format!("the {}", it.title), |n| format!("reading {n} of the {}", it.title));
                let shown = notation::to_place(x, crate::quantity::leading_place(written.resolution.max(1e-300)));
                let story = || Story {
                    kind: SlipKind::ReadingMistyped,
                    variant: None,
                    subject: Some(item),
                    says: format!(
                        "{place} was {shown}{} and was copied into the table as {}",
                        it.unit_after(),
                        written.text.trim()
                    ),
                    repair: Some((item, written.row, x)),
                };
                // Counted above with all that were generated.
                if let Some(n) = self.counts.get_mut(&SlipKind::ReadingMistyped) {
                    *n -= 1;
                }
                self.add(story, SlipKind::ReadingMistyped, clean, reported, |_| case.envelope);
            }
        }
    }

    /// The answer's text was miswritten: what was meant stands where R stands, so H lies as far from R as C from it.
    fn answer_text(&mut self) {
        let case = self.case;
        for (kind, says, meant) in edits(case) {
            // A point that went astray scales what was meant; a digit shifts it.
            let moved = kind == SlipKind::DecimalPoint;
            let shift = |x: f64| if moved { x * (case.reported / meant) } else { case.reported - (meant - x) };
            let clean = case.clean.map(shift);
            let reported = (case.has_reported || clean.is_none()).then(|| shift(case.carried));
            let before = self.fitting.len();
            self.add(
                || Story { kind, variant: None, subject: None, says, repair: None },
                kind,
                clean,
                reported,
                |_| case.envelope,
            );
            if let Some(h) = self.fitting.get_mut(before) {
                h.predicted = meant;
            }
        }
    }
}

/// The settings one step beside a value: in its list, or in the 1-2-5 sequence and by ten.
fn neighbours(list: &[f64], value: f64) -> Vec<f64> {
    if !list.is_empty() {
        let mut sorted = list.to_vec();
        sorted.sort_by(f64::total_cmp);
        let Some(at) = sorted.iter().position(|v| (v - value).abs() <= 1e-9 * value.abs()) else { return Vec::new() };
        let beside = [at.checked_sub(1), Some(at + 1)];
        return beside.into_iter().flatten().filter_map(|i| sorted.get(i)).copied().collect();
    }
    vec![value * 10.0, value / 10.0, value * 2.0, value / 2.0, value * 2.5, value / 2.5]
}

/// Readings that a slip of the pen turns into the one written: digits swapped, one digit wrong, the decimal point moved.
fn near_misses(number: &Number, value: f64) -> Vec<f64> {
    if number.fraction {
        return Vec::new();
    }
    let scale = value / number.value;
    let digits = number.digits.as_bytes();
    let positions: Vec<usize> = (0..digits.len()).filter(|i| digits[*i].is_ascii_digit()).collect();
    if positions.len() > 12 {
        return Vec::new();
    }
    // The written digits as one whole number, so that an edit is a sum.
    let whole: Vec<i64> = positions.iter().map(|i| i64::from(digits[*i] - b'0')).collect();
    let n = whole.len();
    let weight = |i: usize| 10i64.pow((n - 1 - i) as u32);
    let total: i64 = whole.iter().enumerate().map(|(i, d)| d * weight(i)).sum();
    let unit = power_of_ten(number.last_place) * number.value.signum() * scale;
    let mut out = Vec::with_capacity(10 * n);
    for i in 0..n.saturating_sub(1) {
        let (a, b) = (whole[i], whole[i + 1]);
        if a != b {
            out.push((total + (b - a) * weight(i) + (a - b) * weight(i + 1)) as f64 * unit);
        }
    }
    for (i, d) in whole.iter().enumerate() {
        out.extend((0..10).filter(|e| e != d).map(|e| (total + (e - d) * weight(i)) as f64 * unit));
    }
    out.extend([1, -1, 2, -2].map(|p| total as f64 * unit * power_of_ten(p)));
    out
}

/// The x near `start` where f(x) = target, with f′ there; `None` where f does not depend on x or is not tame.
fn solve(f: &dyn Fn(f64) -> Option<f64>, start: f64, target: f64) -> Option<(f64, f64)> {
    let (mut x0, mut y0) = (start, f(start)? - target);
    let mut x1 = start * (1.0 + 1e-3);
    let mut slope = 0.0;
    for _ in 0..12 {
        let y1 = f(x1)? - target;
        slope = (y1 - y0) / (x1 - x0);
        if slope == 0.0 || !slope.is_finite() {
            return None;
        }
        let next = x1 - y1 / slope;
        if !next.is_finite() || next.abs() > 1e3 * start.abs() {
            return None;
        }
        (x0, y0) = (x1, y1);
        if (next - x1).abs() <= 1e-10 * x1.abs() {
            return Some((next, slope));
        }
        x1 = next;
    }
    Some((x1, slope)).filter(|_| y0.abs() <= 1e-6 * target.abs())
}

fn nearer(r: f64, a: Option<f64>, b: Option<f64>) -> f64 {
    a.into_iter().chain(b).min_by(|x, y| (r - x).abs().total_cmp(&(r - y).abs())).unwrap_or(0.0)
}

/// Values that the answer's text may have been meant to show: neighbouring digits swapped back, one digit (never the
/// last, that is rounding) put right, the decimal point moved back. In the result's unit.
fn edits(case: &Case<'_>) -> Vec<(SlipKind, String, f64)> {
    let Some(number) = case.number else { return Vec::new() };
    let scale = if number.value == 0.0 { return Vec::new() } else { case.reported / number.value };
    let sign = number.value.signum();
    let digits: Vec<u8> = number.digits.bytes().collect();
    let positions: Vec<usize> = (0..digits.len()).filter(|i| digits[*i].is_ascii_digit()).collect();
    let exponent = number.last_place + number.digits.split_once('.').map_or(0, |(_, d)| d.len() as i32);
    let value = |digits: &[u8]| {
        std::str::from_utf8(digits)
            .ok()
            .and_then(|t| format!("{t}e{exponent}").parse::<f64>().ok())
            .map(|v| v * sign * scale)
            .filter(|v| v.is_finite())
    };
    let mut out = Vec::new();
    if number.fraction || positions.len() > 17 {
        return out;
    }
    for pair in positions.windows(2) {
        if digits[pair[0]] != digits[pair[1]] {
            let mut swapped = digits.clone();
            swapped.swap(pair[0], pair[1]);
            if let Some(v) = value(&swapped) {
                out.push((
                    SlipKind::DigitsSwapped,
                    format!("two digits of {} were swapped in writing it down", String::from_utf8_lossy(&swapped)),
                    v,
                ));
            }
        }
    }
    for &at in &positions[..positions.len().saturating_sub(1)] {
        for digit in b'0'..=b'9' {
            if digit != digits[at] {
                let mut other = digits.clone();
                other[at] = digit;
                if let Some(v) = value(&other) {
                    out.push((
                        SlipKind::DigitWrong,
                        format!("one digit of {} went wrong in writing it down", String::from_utf8_lossy(&other)),
                        v,
                    ));
                }
            }
        }
    }
    for places in [1i32, 2, -1, -2] {
        let words = if places.abs() == 1 { "one place" } else { "two places" };
        let side = if places > 0 { "left" } else { "right" };
        out.push((
            SlipKind::DecimalPoint,
            format!("the decimal point went {words} to the {side}"),
            case.reported * power_of_ten(places),
        ));
    }
    out
}
