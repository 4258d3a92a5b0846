//! Which human mistake explains a value, by Bayes over the mistaken forms of the formula and of the answer's text.
//!
//! Prior of one hypothesis: weight of its kind ÷ number of hypotheses of that kind generated, fitting or not. A class
//! is what this result alone cannot tell apart: predictions within w. It is named after its likeliest member.

use std::collections::BTreeMap;

use super::slack::{Env, within};
use crate::formula::{Context, Node, Value, evaluate};
use crate::notation;
use crate::protocol::{ItemKind, Protocol, SlipKind};
use crate::quantity::power_of_ten;
use crate::reading::Number;
use crate::verdict::{JudgedReading, Slip};

/// Weight of "none of these" against all kinds together.
const UNEXPLAINED_WEIGHT: f64 = 0.35;

pub(super) struct Case<'a> {
    pub(super) protocol: &'a Protocol,
    pub(super) index: usize,
    /// R, h and w, in the result's unit.
    pub(super) reported: f64,
    pub(super) half_step: f64,
    pub(super) width: f64,
    pub(super) clean: Option<f64>,
    pub(super) carried: f64,
    pub(super) envelope: f64,
    pub(super) clean_env: &'a Env,
    pub(super) reported_env: &'a Env,
    /// Whether any upstream value was reported.
    pub(super) has_reported: bool,
    pub(super) envelope_of: &'a dyn Fn(&Node, f64, f64) -> f64,
    pub(super) readings: &'a [JudgedReading],
    pub(super) number: Option<&'a Number>,
}

struct Hypothesis {
    kind: SlipKind,
    subject: Option<usize>,
    says: String,
    /// Prediction from clean inputs, from reported inputs, and the envelope of the latter.
    clean: Option<f64>,
    reported: Option<f64>,
    envelope: f64,
    /// What the mistaken calculation gives, to be told.
    predicted: f64,
    posterior: f64,
}

/// The likeliest class with its chance, or `None` where no hypothesis fits at all.
pub(super) fn diagnose(case: &Case<'_>) -> Option<Slip> {
    let (mut fitting, counts) = hypotheses(case);
    let total_weight: f64 = counts.keys().map(|k| k.weight()).sum();
    if fitting.is_empty() || total_weight <= 0.0 {
        return None;
    }
    let mut evidence = UNEXPLAINED_WEIGHT * unexplained_likelihood(case);
    for h in &mut fitting {
        let prior = (1.0 - UNEXPLAINED_WEIGHT) * h.kind.weight() / total_weight / counts[&h.kind] as f64;
        h.posterior = prior * likelihood(case, h);
        evidence += h.posterior;
    }
    if evidence <= 0.0 {
        return None;
    }
    fitting.iter_mut().for_each(|h| h.posterior /= evidence);
    fitting.sort_by(|a, b| b.posterior.total_cmp(&a.posterior));
    Some(classes(case, &fitting))
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
    let unit = if item.unit.text == "1" { String::new() } else { format!(" {}", item.unit.text) };
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
    if fits(x, wide) { 0.1 * w / wide } else { 0.0 }
}

/// Half flat over six decades, half close by: unmodelled mistakes are mostly small.
fn unexplained_likelihood(case: &Case<'_>) -> f64 {
    if case.reported == 0.0 || case.carried == 0.0 {
        return 0.5;
    }
    let near = (case.reported / case.carried).abs().ln().abs();
    (2.0 * case.width / case.reported.abs()) * (0.5 / 13.8 + 0.5 * (-near / 0.15).exp() / 0.30)
}

/// Hypotheses near enough to R to matter, and how many of each kind were generated in all.
fn hypotheses(case: &Case<'_>) -> (Vec<Hypothesis>, BTreeMap<SlipKind, usize>) {
    let spec = &case.protocol.results[case.index];
    let factor = case.protocol.items[spec.item].unit.factor;
    let mut out = Vec::new();
    let mut counts: BTreeMap<SlipKind, usize> = BTreeMap::new();
    let mut add = |mut h: Hypothesis, envelope: &dyn Fn(f64) -> f64| {
        *counts.entry(h.kind).or_default() += 1;
        // The envelope costs two evaluations a value, so only what is near at all gets one.
        let near = |x: Option<f64>| {
            x.is_some_and(|x| (case.reported - x).abs() <= 0.3 * x.abs().max(case.reported.abs()) + case.width)
        };
        if near(h.clean) || near(h.reported) {
            h.envelope = h.reported.map_or(0.0, envelope);
            if likelihood(case, &h) > 0.0 {
                out.push(h);
            }
        }
    };
    let values = |node: &Node, scale: f64, clean_env: &Env, reported_env: &Env| {
        let of = |env: &Env| evaluate(node, &Context::exact(env)).ok().map(|v| v * scale).filter(|v| v.is_finite());
        let clean = case.clean.and_then(|_| of(clean_env));
        let reported = if case.has_reported || clean.is_none() { of(reported_env) } else { None };
        (clean, reported)
    };
    for v in &spec.variants {
        let (clean, reported) = values(&v.node, v.scale, case.clean_env, case.reported_env);
        // Told with whichever prediction lies nearer; one that cannot be computed still counts among its kind.
        let predicted = nearer(case.reported, clean, reported);
        let h = Hypothesis {
            kind: v.kind,
            subject: v.subject,
            says: v.says.clone(),
            clean,
            reported,
            envelope: 0.0,
            predicted,
            posterior: 0.0,
        };
        add(h, &|x| (case.envelope_of)(&v.node, x, v.scale));
    }
    for (says, subject, clean_env, reported_env) in exclusions(case) {
        let (clean, reported) = values(&spec.node, 1.0 / factor, &clean_env, &reported_env);
        let predicted = nearer(case.reported, clean, reported);
        add(
            Hypothesis {
                kind: SlipKind::Exclusion,
                subject: Some(subject),
                says,
                clean,
                reported,
                envelope: 0.0,
                predicted,
                posterior: 0.0,
            },
            &|_| case.envelope,
        );
    }
    for (kind, says, meant) in edits(case) {
        // The answer's text was miswritten: what was meant stands where R stands, so H lies as far from R as C from it.
        let shift = |x: f64| case.reported - (meant - x);
        let clean = case.clean.map(shift);
        let reported = (case.has_reported || clean.is_none()).then(|| shift(case.carried));
        add(
            Hypothesis { kind, subject: None, says, clean, reported, envelope: 0.0, predicted: meant, posterior: 0.0 },
            &|_| case.envelope,
        );
    }
    (out, counts)
}

fn nearer(r: f64, a: Option<f64>, b: Option<f64>) -> f64 {
    a.into_iter().chain(b).min_by(|x, y| (r - x).abs().total_cmp(&(r - y).abs())).unwrap_or(0.0)
}

/// The formula's columns with one reading more or fewer: an excluded one kept, a kept one dropped.
fn exclusions(case: &Case<'_>) -> Vec<(String, usize, Env, Env)> {
    let mut out = Vec::new();
    for item in case.protocol.results[case.index].node.items() {
        let ItemKind::Reading(r) = case.protocol.items[item].kind else { continue };
        let reading = &case.readings[r];
        if case.protocol.readings[r].replicates < 2 || reading.cells.len() > 30 {
            continue;
        }
        let factor = case.protocol.items[item].unit.factor;
        for (n, toggled) in reading.cells.iter().enumerate().filter(|(_, c)| c.value.is_some()) {
            let column: Vec<f64> = reading
                .cells
                .iter()
                .enumerate()
                .filter(|(m, c)| c.counts != (*m == n))
                .filter_map(|(_, c)| c.value)
                .map(|v| v * factor)
                .collect();
            if column.is_empty() {
                continue;
            }
            let (mut clean, mut reported) = (case.clean_env.clone(), case.reported_env.clone());
            clean[item] = Some(Value::Column(column.clone()));
            reported[item] = Some(Value::Column(column));
            let title = &case.protocol.items[item].title;
            let row = toggled.row.unwrap_or(1);
            let says = if toggled.counts {
                format!("reading {row} of the {title}, {}, was left out of the sum", toggled.text)
            } else {
                format!("reading {row} of the {title}, {}, which had been left out, was used", toggled.text)
            };
            out.push((says, item, clean, reported));
        }
    }
    out
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
