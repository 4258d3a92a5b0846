//! Recompute, follow through and compare: the verdict of each reported result.

use super::diagnose::{self, Case};
use super::slack::{Env, within};
use super::table::Table;
use crate::formula::figures::Figured;
use crate::formula::{Context, Node, Value, eval::StepRounding, evaluate};
use crate::notation;
use crate::protocol::Protocol;
use crate::quantity::leading_place;
use crate::quantity::power_of_ten;
use crate::verdict::{JudgedResult, VerdictKind};

/// An e above this share of |F| is too wide to check anything.
pub(super) const WIDE_ENVELOPE: f64 = 0.05;

/// Judges all results in the order they are derived.
pub(super) fn results(
    protocol: &Protocol,
    table: &Table,
    measured: &Env,
    figured: Vec<Option<Value<Figured>>>,
) -> (Vec<JudgedResult>, Env) {
    let mut clean = measured.clone();
    let mut reported = measured.clone();
    let mut figured = figured;
    let mut out: Vec<JudgedResult> = Vec::new();
    for index in 0..protocol.results.len() {
        let spec = &protocol.results[index];
        let factor = protocol.items[spec.item].unit.factor;
        let c = evaluate(&spec.node, &Context::exact(&clean)).ok();
        let f = evaluate(&spec.node, &Context::exact(&reported)).ok();
        let figures = evaluate(&spec.node, &Context::exact(&figured)).ok();
        let written = &table.reported[index];
        let judged =
            Judge { protocol, index, table, clean: &clean, reported: &reported, done: &out }.result(c, f, figures);
        clean[spec.item] = c.map(Value::Scalar);
        figured[spec.item] = figures.map(Value::Scalar);
        // Downstream is followed from what the team wrote; where it wrote nothing, from what follows so far.
        reported[spec.item] = written.value.map(|v| v * factor).or(f).or(c).map(Value::Scalar);
        out.push(judged);
    }
    (out, clean)
}

struct Judge<'a> {
    protocol: &'a Protocol,
    index: usize,
    table: &'a Table,
    clean: &'a Env,
    reported: &'a Env,
    done: &'a [JudgedResult],
}

/// A reported upstream value: its item, the item's factor to SI, and the half-width it was cut with.
struct Upstream {
    item: usize,
    half: f64,
    tainted: bool,
}

impl Judge<'_> {
    fn result(&self, c: Option<f64>, f: Option<f64>, figures: Option<Figured>) -> JudgedResult {
        let spec = &self.protocol.results[self.index];
        let factor = self.protocol.items[spec.item].unit.factor;
        let written = &self.table.reported[self.index];
        let upstream = self.upstream();
        let in_unit = |v: Option<f64>| v.map(|v| v / factor).filter(|v| v.is_finite());
        let (c, f) = (in_unit(c), in_unit(f));
        let envelope = f.map_or(0.0, |f| self.envelope(&spec.node, self.reported, &upstream, f, factor));
        let deserved = figures.map_or(3, |g| g.figures().unwrap_or(6)).clamp(1, 15);
        let mut out = JudgedResult {
            index: self.index,
            item: spec.item,
            reported: written.clone(),
            clean: c,
            carried: f,
            envelope,
            deserved,
            verdict: VerdictKind::Missing,
            face: None,
            slip: None,
            tainted_by: upstream.iter().filter(|u| u.tainted).map(|u| u.item).collect(),
            budget: None,
            expanded: None,
        };
        let Some(r) = written.value else {
            if !matches!(
                crate::reading::read(&written.text, &Default::default()).kind,
                crate::reading::CellKind::Blank | crate::reading::CellKind::NotApplicable
            ) {
                out.verdict = VerdictKind::Unreadable;
            }
            return out;
        };
        // Where C cannot be computed, what follows from the reported upstream values takes its place.
        let Some(target) = c.or(f) else {
            out.verdict = VerdictKind::Unchecked;
            return out;
        };
        if c.is_none() && !spec.upstream.iter().any(|u| self.is_reported(*u)) {
            out.verdict = VerdictKind::Unchecked;
            return out;
        }
        let f = f.unwrap_or(target);
        let number = written.number.as_ref();
        let steps: Vec<f64> = number
            .map_or_else(|| vec![written.half_step], |n| n.half_steps().iter().map(|h| h * written.scale).collect());
        // The last figure the result may have, tolerance included: a longer answer is not held to its further digits.
        let last = deserved + self.protocol.school.figure_tolerance;
        let d = if target == 0.0 { 0.0 } else { 0.5 * power_of_ten(leading_place(target) - last + 1) };
        // A calculator dump is not held to its last digit.
        let dump = number.is_some_and(|n| n.figures() as i32 > deserved + 3 && n.figures() >= 8);
        let agreeing = steps
            .iter()
            .copied()
            .map(|h| if dump { h.max(d) } else { h })
            .find(|h| within(r - target, *h, *h, r, target));
        let h = agreeing.unwrap_or(steps[0]);
        out.reported.half_step = h;
        if agreeing.is_some() {
            out.verdict = VerdictKind::Agrees;
            return out;
        }
        // Nought has no figures: it is compared by its half-step alone, with no room for rounding on the way.
        let limits =
            if r == 0.0 { Limits { h, d: 0.0, room: 0.0, factor } } else { Limits { h, d, room: 1.0, factor } };
        if out.tainted_by.is_empty() {
            out.face = self.rounded(r, target, f, envelope, limits);
            if out.face.is_some() {
                out.verdict = VerdictKind::Rounded;
                return out;
            }
        } else if let Some(face) = self.carried(r, &upstream, limits) {
            out.face = Some(face);
            out.verdict = VerdictKind::Carried;
            return out;
        }
        self.diagnose(&mut out, r, c, f, h);
        out
    }

    fn is_reported(&self, item: usize) -> bool {
        self.done.iter().any(|r| r.item == item && r.reported.value.is_some())
    }

    fn upstream(&self) -> Vec<Upstream> {
        self.done
            .iter()
            .filter(|r| self.protocol.results[self.index].upstream.contains(&r.item) && r.reported.value.is_some())
            .map(|r| {
                let cut = r.face.as_deref() == Some(CUT_OFF);
                let half = r.reported.half_step * if cut { 2.0 } else { 1.0 };
                Upstream {
                    item: r.item,
                    half: half * self.protocol.items[r.item].unit.factor,
                    tainted: r.verdict.taints(),
                }
            })
            .collect()
    }

    /// e = Σ max(|f(x+h) − f(x)|, |f(x−h) − f(x)|) over reported upstream values, in the result's unit.
    fn envelope(&self, node: &Node, env: &Env, upstream: &[Upstream], f: f64, factor: f64) -> f64 {
        let mut env = env.clone();
        let mut sum = 0.0;
        for u in upstream {
            let Some(Value::Scalar(x)) = env[u.item] else { continue };
            let mut widest = 0.0f64;
            for moved in [x + u.half, x - u.half] {
                env[u.item] = Some(Value::Scalar(moved));
                if let Ok(v) = evaluate(node, &Context::exact(&env)) {
                    widest = widest.max((v / factor - f).abs());
                }
            }
            env[u.item] = Some(Value::Scalar(x));
            sum += widest;
        }
        sum
    }

    /// Rounding that explains R where nothing upstream is tainted: in words, or `None`.
    fn rounded(&self, r: f64, c: f64, f: f64, e: f64, l: Limits) -> Option<String> {
        let wide = l.h.max(l.d);
        if within(r - f, wide + e * l.room, wide, r, f) {
            let from_reported = self.protocol.results[self.index].upstream.iter().any(|u| self.is_reported(*u));
            let near = within(r - c, wide, wide, r, c);
            return Some(if from_reported && !near {
                "worked on from its own rounded values".to_owned()
            } else {
                "rounded before the end".to_owned()
            });
        }
        if within(r - c, l.d, l.d, r, c) {
            return Some("rounded before the end".to_owned());
        }
        if r == 0.0 {
            return None;
        }
        [self.clean, self.reported]
            .into_iter()
            .zip([c, f])
            .find_map(|(env, x)| self.face(env, r, x, if std::ptr::eq(env, self.clean) { 0.0 } else { e }, l))
    }

    /// Faces of early rounding on one set of inputs: cut off; every step rounded or cut; a short π.
    fn face(&self, env: &Env, r: f64, x: f64, e: f64, l: Limits) -> Option<String> {
        if r.signum() == x.signum() {
            let lost = x.abs() - r.abs();
            if lost >= -1e-13 * x.abs() && within(lost, 2.0 * l.h + e, l.h, r, x) {
                return Some(CUT_OFF.to_owned());
            }
        }
        let node = &self.protocol.results[self.index].node;
        for cut in [false, true] {
            for figures in 3..=6 {
                let context =
                    Context { items: env, pi: std::f64::consts::PI, steps: Some(StepRounding { figures, cut }) };
                if let Ok(v) = evaluate(node, &context)
                    && within(r - v / l.factor, l.h, l.h, r, v / l.factor)
                {
                    let how = if cut { "cut" } else { "rounded" };
                    return Some(format!("every step {how} to {figures} figures"));
                }
            }
        }
        // Short forms of π that people use, on purpose not the constant.
        #[allow(clippy::approx_constant)]
        for (pi, text) in [(3.14, "3.14"), (3.1416, "3.1416"), (22.0 / 7.0, "22/7")] {
            let context = Context { items: env, pi, steps: None };
            if let Ok(v) = evaluate(node, &context) {
                let v = v / l.factor;
                // Only where π is in the formula does this differ from x at all.
                if v != x && within(r - v, l.h.max(l.d) + e, l.h, r, v) {
                    return Some(format!("worked with π as {text}"));
                }
            }
        }
        None
    }

    /// Whether R follows from tainted values, each taken as reported or as clean.
    fn carried(&self, r: f64, upstream: &[Upstream], l: Limits) -> Option<String> {
        let node = &self.protocol.results[self.index].node;
        let tainted: Vec<&Upstream> = upstream.iter().filter(|u| u.tainted).collect();
        let combinations: Vec<u32> =
            if tainted.len() <= 3 { (0..1 << tainted.len()).collect() } else { vec![0, u32::MAX] };
        let wide = l.h.max(l.d);
        for mask in combinations {
            let mut env = self.reported.clone();
            for (n, u) in tainted.iter().enumerate() {
                if mask >> n & 1 == 1 {
                    env[u.item] = self.clean[u.item].clone();
                }
            }
            let Ok(f) = evaluate(node, &Context::exact(&env)) else { continue };
            let f = f / l.factor;
            let e = self.envelope(node, &env, upstream, f, l.factor);
            if within(r - f, wide + e * l.room, wide, r, f) {
                return Some("follows from the value above".to_owned());
            }
            if r != 0.0
                && let Some(face) = self.face(&env, r, f, e, l)
            {
                return Some(format!("follows from the value above, {face}"));
            }
        }
        None
    }

    fn diagnose(&self, out: &mut JudgedResult, r: f64, c: Option<f64>, f: f64, h: f64) {
        let upstream = self.upstream();
        // R's s-th figure, but no coarser than the place where the clean value's figures end: a difference that nearly
        // cancels deserves one figure, and a value a hundred times as large does not inherit that as its width.
        let place = |x: f64| leading_place(x) - out.deserved + 1;
        let shown = 0.5 * power_of_ten(place(r).min(c.filter(|c| *c != 0.0).map_or(i32::MAX, place)));
        let envelope_of =
            |node: &Node, value: f64, scale: f64| self.envelope(node, self.reported, &upstream, value, 1.0 / scale);
        let case = Case {
            protocol: self.protocol,
            index: self.index,
            reported: r,
            half_step: h,
            width: h.max(if r == 0.0 { h } else { shown }),
            clean: c,
            carried: f,
            envelope: out.envelope,
            clean_env: self.clean,
            reported_env: self.reported,
            has_reported: !upstream.is_empty(),
            envelope_of: &envelope_of,
            readings: &self.table.readings,
            number: out.reported.number.as_ref(),
        };
        let diagnosis = diagnose::diagnose(&case);
        out.verdict = match &diagnosis {
            Some(slip) if slip.probability >= 0.5 => VerdictKind::Slip,
            _ => VerdictKind::Unexplained,
        };
        out.slip = diagnosis;
    }
}

const CUT_OFF: &str = "cut off instead of rounded";

#[derive(Clone, Copy)]
struct Limits {
    h: f64,
    d: f64,
    /// 1 where the rounding envelope gives room, 0 where it does not.
    room: f64,
    factor: f64,
}

/// The clean value with one digit more than the team wrote.
pub(super) fn shown_clean(result: &JudgedResult) -> String {
    let Some(c) = result.clean.or(result.carried) else { return "not known".to_owned() };
    let place = match &result.reported.number {
        Some(n) if !n.fraction && result.reported.scale == 1.0 => {
            // One digit more than was written or deserved, whichever is finer; a dump needs no more than two.
            let deserved = leading_place(c) - result.deserved + 1;
            (n.last_place - 1).min(deserved - 1).max(deserved - 2)
        }
        _ => leading_place(c) - result.deserved + 1,
    };
    notation::to_place(c, place)
}
