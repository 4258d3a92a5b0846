//! Recompute, follow through and compare: the verdict of each reported result, row by row where it is a column.

use super::diagnose::{self, Candidates, Case};
use super::ground::Ground;
use super::values::{Env, Out, derive, put, sliced, within};
use super::words;
use crate::finding::Right;
use crate::formula::figures::Figured;
use crate::formula::{Context, Node, Shape, Value, evaluate_any, value::StepRounding};
use crate::protocol::ResultSpec;
use crate::quantity::leading_place;
use crate::quantity::power_of_ten;
use crate::reading::{CellKind, read};
use crate::verdict::{Face, JudgedResult, Reported, VerdictKind};

/// An e above this share of |F| is too wide to check anything.
pub(super) const WIDE_ENVELOPE: f64 = 0.05;

/// Judges all results in the order they are derived. Gives them with the values as reported.
pub(super) fn results(ground: &Ground<'_>) -> (Vec<JudgedResult>, Env) {
    let protocol = ground.protocol;
    let mut reported = ground.measured.clone();
    let mut figured = ground.figured.to_vec();
    let mut out: Vec<JudgedResult> = Vec::new();
    for (index, spec) in protocol.results.iter().enumerate() {
        let item = &protocol.items[spec.item];
        let written = &ground.table.reported[index];
        if item.words.is_some() {
            for (row, w) in written.iter().enumerate() {
                let row = spec.table.map(|_| row);
                out.push(words::judge(ground, index, row, w, &reported, &out));
            }
            continue;
        }
        let f = derive(protocol, spec, &reported, ground.out, ground.table);
        let figures = evaluate_any(&spec.node, &Context::without(&figured, ground.out)).ok();
        figured[spec.item] = figures;
        let first = out.len();
        let mut column: Vec<Option<f64>> = Vec::new();
        let mut candidates: Vec<Option<Candidates>> = Vec::new();
        for (n, w) in written.iter().enumerate() {
            let row = spec.table.map(|_| n);
            let c = ground.clean[spec.item].as_ref().and_then(|v| v.at(row)).copied();
            let f = f.as_ref().and_then(|v| v.at(row)).copied();
            let g = figured[spec.item].as_ref().and_then(|v| v.at(row)).copied();
            // A row that depends on itself alone is judged on its own values, as a single value is.
            let slice = row.filter(|_| spec.row_local);
            let (clean_row, reported_row);
            let (clean, reported_env) = match slice {
                Some(r) => {
                    (clean_row, reported_row) = (sliced(ground.clean, r), sliced(&reported, r));
                    (&clean_row, &reported_row)
                }
                None => (ground.clean, &reported),
            };
            let judge =
                Judge { ground, spec, index, row, sliced: slice.is_some(), clean, reported: reported_env, done: &out };
            let (judged, found) = judge.result(w, c, f, g);
            // Downstream is followed from what the team wrote; where it wrote nothing, from what follows so far.
            column.push(w.value.map(|v| item.to_si(v)).or(f).or(c));
            candidates.push(found);
            out.push(judged);
        }
        reported[spec.item] = match item.rows {
            Shape::Column(_) => column.iter().any(Option::is_some).then_some(Value::Column(column)),
            Shape::Scalar => column[0].map(Value::Scalar),
        };
        if spec.table.is_some() {
            diagnose::down_the_column(protocol, spec, &mut out[first..], &candidates);
        }
    }
    (out, reported)
}

struct Judge<'a> {
    ground: &'a Ground<'a>,
    spec: &'a ResultSpec,
    index: usize,
    /// Row, from 0.
    row: Option<usize>,
    /// Whether the environments hold this row's values only.
    sliced: bool,
    clean: &'a Env,
    reported: &'a Env,
    done: &'a [JudgedResult],
}

/// A reported upstream value: its place, and the half-width it was cut with, SI.
#[derive(Clone, Copy)]
pub(super) struct Upstream {
    item: usize,
    /// Its row, where it stands in a column of the environment.
    row: Option<usize>,
    half: f64,
    /// Figures it was written with.
    figures: i32,
    tainted: bool,
}

impl Judge<'_> {
    fn item(&self) -> &crate::protocol::Item {
        &self.ground.protocol.items[self.spec.item]
    }

    /// A formula's value for this row, SI.
    fn value(&self, node: &Node, env: &Env) -> Option<f64> {
        self.under(node, &Context::without(env, self.ground.out))
    }

    fn under(&self, node: &Node, context: &Context<'_, f64>) -> Option<f64> {
        evaluate_any(node, context).ok()?.at(self.row).copied()
    }

    fn result(
        &self,
        written: &Reported,
        c: Option<f64>,
        f: Option<f64>,
        figures: Option<Figured>,
    ) -> (JudgedResult, Option<Candidates>) {
        let spec = self.spec;
        let item = self.item();
        let school = &self.ground.protocol.school;
        let in_unit = |v: Option<f64>| v.map(|v| item.from_si(v)).filter(|v| v.is_finite());
        let (c, f) = (in_unit(c), in_unit(f));
        let upstream = self.upstream();
        let envelope =
            f.map_or(0.0, |f| self.envelope(&spec.node, self.reported, &upstream, f, 1.0 / item.unit.factor));
        let deserved = self.deserved(c, figures);
        let mut out = JudgedResult {
            clean: c,
            carried: f,
            envelope,
            deserved,
            ..JudgedResult::unjudged(self.index, spec.item, self.row, written)
        };
        for u in upstream.iter().filter(|u| u.tainted) {
            if !out.tainted_by.contains(&u.item) {
                out.tainted_by.push(u.item);
            }
        }
        let Some(r) = written.value else {
            if !matches!(read(&written.text, &Default::default()).kind, CellKind::Blank | CellKind::NotApplicable) {
                out.verdict = VerdictKind::Unreadable;
            }
            return (out, None);
        };
        if spec.guess {
            out.verdict = VerdictKind::Agrees;
            return (out, None);
        }
        // Where C cannot be computed, what follows from the reported upstream values takes its place.
        let target = match (c, f) {
            (Some(c), _) => c,
            (None, Some(f)) if !upstream.is_empty() => f,
            _ => {
                out.verdict = VerdictKind::Unchecked;
                return (out, None);
            }
        };
        // What follows from a wrong value above may not be defined at all; then it cannot be checked.
        let undefined = f.is_none() && !out.tainted_by.is_empty();
        let f = f.unwrap_or(target);
        let number = written.number.as_ref();
        let steps: Vec<f64> = number
            .map_or_else(|| vec![written.half_step], |n| n.half_steps().iter().map(|h| h * written.scale).collect());
        // The last figure the result may have, tolerance included: a longer answer is not held to its further digits.
        let last = deserved + school.figure_tolerance;
        let mut d = if target == 0.0 { 0.0 } else { 0.5 * power_of_ten(leading_place(target) - last + 1) };
        if let (Some((units, figures)), true) = (school.logarithm_table, target != 0.0) {
            d = d.max(f64::from(units) * power_of_ten(leading_place(target) - figures as i32 + 1));
        }
        d = d.max(spec.read_off.unwrap_or(0.0));
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
            return (out, None);
        }
        // Nought has no figures: it is compared by its half-step alone, with no room for rounding on the way.
        let padded = number.and_then(|n| padded(n, deserved)).map(|h| h * written.scale);
        let coarse = steps.iter().copied().fold(h, f64::max);
        let limits = if r == 0.0 {
            Limits { h, coarse, d: 0.0, room: 0.0, padded: None }
        } else {
            Limits { h, coarse, d, room: 1.0, padded }
        };
        if out.tainted_by.is_empty() {
            out.face = self.rounded(r, target, f, envelope, limits, !upstream.is_empty());
            if out.face.is_some() {
                out.verdict = VerdictKind::Rounded;
                return (out, None);
            }
        } else if let Some(face) =
            // Noughts of a whole number may hold places here as well.
            self.carried(r, &upstream, Limits { h: coarse, ..limits }, deserved)
        {
            out.face = Some(face);
            out.verdict = VerdictKind::Carried;
            return (out, None);
        }
        if undefined {
            out.verdict = VerdictKind::Unchecked;
            return (out, None);
        }
        // A mistaken value may be rounded to tens or hundreds like any other.
        let candidates = self.diagnose(&mut out, r, c, f, coarse, &upstream);
        (out, Some(candidates))
    }

    /// Figures the result deserves: by the rules for figures, or so many that its last stands where u's first does.
    fn deserved(&self, c: Option<f64>, figures: Option<Figured>) -> i32 {
        let by_rule = figures.map_or(3, |g| g.figures().unwrap_or(6)).clamp(1, 15);
        if !self.ground.protocol.school.digits_from_uncertainty {
            return by_rule;
        }
        let budget =
            self.ground.budgets.get(self.index).and_then(|b| b.get(self.row.unwrap_or(0))).and_then(Option::as_ref);
        match (c, budget) {
            (Some(c), Some(b)) if c != 0.0 && b.standard > 0.0 => {
                (leading_place(c) - leading_place(b.standard) + 1).clamp(1, 15)
            }
            _ => by_rule,
        }
    }

    /// The reported upstream values that this one can have been worked out from.
    fn upstream(&self) -> Vec<Upstream> {
        self.done
            .iter()
            .filter(|r| self.spec.upstream.contains(&r.item) && r.reported.value.is_some())
            .filter_map(|r| {
                let row = r.row.map(|n| n as usize - 1);
                // Of a row judged on its own, only what stands in that row.
                if self.sliced && row.is_some() && row != self.row {
                    return None;
                }
                let cut = r.face == Some(Face::CutOff);
                let mut half = r.reported.half_step * if cut { 2.0 } else { 1.0 };
                // Noughts at the end that the value does not bear out were padding.
                let written = r.reported.number.as_ref();
                if r.verdict != VerdictKind::Agrees
                    && let Some(n) = written
                {
                    let widest = padded(n, r.deserved).into_iter().chain(n.half_steps()).fold(0.0, f64::max);
                    half = half.max(widest * r.reported.scale);
                }
                Some(Upstream {
                    item: r.item,
                    row: row.filter(|_| !self.sliced),
                    half: half * self.ground.protocol.items[r.item].unit.factor,
                    figures: written.map_or(4, |n| n.figures() as i32),
                    tainted: r.verdict.taints(),
                })
            })
            .collect()
    }

    /// e = Σ max(|f(x+h) − f(x)|, |f(x−h) − f(x)|) over reported upstream values, in the result's unit.
    fn envelope(&self, node: &Node, env: &Env, upstream: &[Upstream], f: f64, scale: f64) -> f64 {
        if upstream.is_empty() {
            return 0.0;
        }
        let used = node.items();
        let mut env = env.clone();
        let base = self.value(node, &env).map_or(f, |v| v * scale);
        let mut sum = 0.0;
        for u in upstream.iter().filter(|u| used.contains(&u.item)) {
            let Some(x) = env[u.item].as_ref().and_then(|v| v.at(u.row)).copied() else { continue };
            let mut widest = 0.0f64;
            for moved in [x + u.half, x - u.half] {
                put(&mut env, u.item, u.row, moved);
                if let Some(v) = self.value(node, &env) {
                    widest = widest.max((v * scale - base).abs());
                }
            }
            put(&mut env, u.item, u.row, x);
            sum += widest;
        }
        sum
    }

    /// Rounding that explains R where nothing upstream is tainted: or `None`.
    fn rounded(&self, r: f64, c: f64, f: f64, e: f64, l: Limits, from_reported: bool) -> Option<Face> {
        let wide = l.h.max(l.d);
        if within(r - f, wide + e * l.room, wide, r, f) {
            let near = within(r - c, wide, wide, r, c);
            return Some(if from_reported && !near { Face::FromRounded } else { Face::Early });
        }
        if within(r - c, l.d, l.d, r, c) {
            return Some(Face::Early);
        }
        if r == 0.0 {
            return None;
        }
        self.face(self.clean, r, c, 0.0, l).or_else(|| {
            // Without reported values upstream both kinds of input are the same.
            from_reported.then(|| self.face(self.reported, r, f, e, l)).flatten()
        })
    }

    /// Faces of early rounding on one set of inputs: cut off; padded with noughts; every step rounded or cut; short forms
    /// of constants.
    fn face(&self, env: &Env, r: f64, x: f64, e: f64, l: Limits) -> Option<Face> {
        if let Some(h) = l.padded
            && within(r - x, h + e * l.room, h, r, x)
        {
            return Some(Face::Padded);
        }
        if twice_rounded(x, l.h) && within(r - x, 1.1 * l.h, l.h, r, x) {
            return Some(Face::TwoSteps);
        }
        if r.signum() == x.signum() {
            let lost = x.abs() - r.abs();
            if lost >= -1e-13 * x.abs() && within(lost, 2.0 * l.coarse + e, l.h, r, x) {
                return Some(Face::CutOff);
            }
        }
        // Rounding to three figures or more at every step of a short formula moves nothing by more than a twentieth;
        // where differences of near values may have grown more, all is tried.
        let item = self.item();
        let node = &self.spec.node;
        let out = self.ground.out;
        for cut in [false, true] {
            for figures in 3..=6 {
                let steps = Some(StepRounding { figures, cut });
                let context = Context { items: env, out, pi: std::f64::consts::PI, steps, arising: None };
                if let Some(v) = self.under(node, &context).map(|v| item.from_si(v))
                    && within(r - v, l.h, l.h, r, v)
                {
                    return Some(Face::EveryStep { figures, cut });
                }
            }
        }
        let near = |v: f64| v != x && within(r - v, l.h.max(l.d) + e, l.h, r, v);
        // Short forms of π that people use, on purpose not the constant.
        #[allow(clippy::approx_constant)]
        for (pi, text) in [(3.14, "3.14"), (3.1416, "3.1416"), (22.0 / 7.0, "22/7")] {
            let context = Context { items: env, out, pi, steps: None, arising: None };
            // Only where π is in the formula does this differ from x at all.
            if self.under(node, &context).map(|v| item.from_si(v)).is_some_and(near) {
                return Some(Face::Pi(text));
            }
        }
        for reference in self.ground.protocol.references.iter().filter(|r| !r.short.is_empty()) {
            if !node.items().contains(&reference.item) {
                continue;
            }
            let it = &self.ground.protocol.items[reference.item];
            for short in &reference.short {
                let mut env = env.clone();
                env[reference.item] = Some(Value::Scalar(*short));
                if self.value(node, &env).map(|v| item.from_si(v)).is_some_and(near) {
                    return Some(Face::Constant(reference.item, it.from_si(*short)));
                }
            }
        }
        None
    }

    /// Whether R follows from tainted values, each taken as reported, as clean, or as what it would have been without its
    /// own mistake: worked out from the reported values before it. A column is taken as a whole.
    fn carried(&self, r: f64, upstream: &[Upstream], l: Limits, deserved: i32) -> Option<Face> {
        let node = &self.spec.node;
        let item = self.item();
        let mut tainted: Vec<usize> = upstream.iter().filter(|u| u.tainted).map(|u| u.item).collect();
        tainted.dedup();
        let mended: Vec<Option<Value<f64>>> = tainted.iter().map(|u| self.mended(*u)).collect();
        // In base three: reported, clean, mended; those with a mended value come last.
        let few = tainted.len() <= 3;
        let mut combinations: Vec<Vec<u8>> = if few {
            (0..3usize.pow(tainted.len() as u32))
                .map(|n| (0..tainted.len()).map(|k| (n / 3usize.pow(k as u32) % 3) as u8).collect::<Vec<u8>>())
                .filter(|c| c.iter().zip(&mended).all(|(take, m)| *take < 2 || m.is_some()))
                .collect()
        } else {
            vec![vec![0; tainted.len()], vec![1; tainted.len()]]
        };
        combinations.sort_by_key(|c| c.contains(&2));
        let last = deserved + self.ground.protocol.school.figure_tolerance;
        for takes in combinations {
            let mut env = self.reported.clone();
            for ((take, u), mended) in takes.iter().zip(&tainted).zip(&mended) {
                match take {
                    0 => {}
                    1 => env[*u] = self.clean[*u].clone(),
                    _ => env[*u] = mended.clone(),
                }
            }
            let Some(f) = self.value(node, &env).map(|v| item.from_si(v)) else { continue };
            // A value that stands in for the written one was known to as many figures.
            let stand_in: Vec<Upstream> = upstream
                .iter()
                .map(|u| {
                    let instead = tainted.iter().zip(&takes).any(|(t, take)| *t == u.item && *take > 0);
                    let value =
                        env[u.item].as_ref().and_then(|v| v.at(u.row)).copied().filter(|v| instead && *v != 0.0);
                    let half = value.map_or(0.0, |v| {
                        let it = &self.ground.protocol.items[u.item];
                        0.5 * power_of_ten(leading_place(it.from_si(v)) - u.figures + 1) * it.unit.factor
                    });
                    Upstream { half: u.half.max(half), ..*u }
                })
                .collect();
            let e = self.envelope(node, &env, &stand_in, f, 1.0 / item.unit.factor);
            // A wrong value above may have made this one ten times as large: its figures end where they would there. A
            // clean value that nearly cancels has too few figures to say so.
            let d = if deserved >= 3 && f != 0.0 { 0.5 * power_of_ten(leading_place(f) - last + 1) } else { l.d };
            let l = Limits { d: if l.room == 0.0 { 0.0 } else { d }, ..l };
            let wide = l.h.max(l.d);
            if within(r - f, wide + e * l.room, wide, r, f) {
                return Some(Face::Follows(None));
            }
            if r != 0.0
                && let Some(face) = self.face(&env, r, f, e, l)
            {
                return Some(Face::Follows(Some(Box::new(face))));
            }
        }
        None
    }

    /// A tainted value without its own mistake, from the reported values before it, where that is not the clean one.
    fn mended(&self, item: usize) -> Option<Value<f64>> {
        let it = &self.ground.protocol.items[item];
        let mut rows = self.done.iter().filter(|d| d.item == item);
        let differs = |d: &JudgedResult| d.carried.is_some() && d.carried != d.clean;
        match self.reported[item].as_ref()? {
            Value::Column(_) => {
                let all: Vec<&JudgedResult> = rows.collect();
                let column = all.iter().map(|d| d.carried.map(|v| it.to_si(v))).collect();
                all.iter().any(|d| differs(d)).then_some(Value::Column(column))
            }
            _ => {
                let row = self.row.map(|r| r as u32 + 1);
                let one = rows.find(|d| d.row.is_none() || d.row == row).filter(|d| differs(d))?;
                one.carried.map(|v| Value::Scalar(it.to_si(v)))
            }
        }
    }

    fn diagnose(
        &self,
        out: &mut JudgedResult,
        r: f64,
        c: Option<f64>,
        f: f64,
        h: f64,
        upstream: &[Upstream],
    ) -> Candidates {
        // R's s-th figure, but no coarser than the place where the clean value's figures end: a difference that nearly
        // cancels deserves one figure, and a value a hundred times as large does not inherit that as its width.
        let place = |x: f64| leading_place(x) - out.deserved + 1;
        let shown = 0.5 * power_of_ten(place(r).min(c.filter(|c| *c != 0.0).map_or(i32::MAX, place)));
        let envelope_of =
            |node: &Node, value: f64, scale: f64| self.envelope(node, self.reported, upstream, value, scale);
        let value_of = |node: &Node, env: &Env, out: &Out| {
            evaluate_any(node, &Context::without(env, out)).ok()?.at(self.row).copied()
        };
        let case = Case {
            protocol: self.ground.protocol,
            index: self.index,
            row: self.row,
            sliced: self.sliced,
            reported: r,
            half_step: h,
            width: h.max(if r == 0.0 { h } else { shown }),
            clean: c,
            carried: f,
            envelope: out.envelope,
            clean_env: self.clean,
            reported_env: self.reported,
            out: self.ground.out,
            refuted: self.ground.refuted,
            has_reported: !upstream.is_empty(),
            envelope_of: &envelope_of,
            value_of: &value_of,
            readings: &self.ground.table.readings,
            number: out.reported.number.as_ref(),
        };
        let (slip, candidates) = diagnose::diagnose(&case);
        out.verdict = match &slip {
            Some(slip) if slip.probability >= 0.5 => VerdictKind::Slip,
            _ => VerdictKind::Unexplained,
        };
        out.slip = slip;
        candidates
    }
}

/// Whether rounding x to one figure more first, and then to steps of 2h, gives another value than rounding once: 1.5645
/// becomes 1.565 and then 1.57.
fn twice_rounded(x: f64, h: f64) -> bool {
    if h <= 0.0 {
        return false;
    }
    let steps = x.abs() / (2.0 * h);
    let first = (steps * 10.0 * (1.0 + 1e-13)).round() / 10.0;
    first.round() > (steps * (1.0 + 1e-13)).round()
}

#[derive(Clone, Copy)]
struct Limits {
    h: f64,
    /// h where noughts at the end of a whole number hold places.
    coarse: f64,
    d: f64,
    /// 1 where the rounding envelope gives room, 0 where it does not.
    room: f64,
    /// The half-step with the noughts at the end of a decimal taken off.
    padded: Option<f64>,
}

/// `8.4100` written for a value that was rounded to 8.41: half a step of the last digit that is no nought, while at least
/// three figures, or as many as are deserved, are left.
fn padded(number: &crate::reading::Number, deserved: i32) -> Option<f64> {
    let (_, decimals) = number.digits.split_once('.')?;
    let noughts = (decimals.len() - decimals.trim_end_matches('0').len()) as i32;
    let spare = noughts.min(number.figures() as i32 - deserved.min(3));
    (spare > 0).then(|| 0.5 * power_of_ten(number.last_place + spare))
}

/// The clean value, to one digit more than the team wrote.
pub(super) fn shown(result: &JudgedResult) -> Right {
    let Some(c) = result.clean.or(result.carried) else { return Right::Unknown };
    let place = match &result.reported.number {
        Some(n) if !n.fraction && result.reported.scale == 1.0 => {
            // One digit more than was written or deserved, whichever is finer; a dump needs no more than two.
            let deserved = leading_place(c) - result.deserved + 1;
            (n.last_place - 1).min(deserved - 1).max(deserved - 2)
        }
        _ => leading_place(c) - result.deserved + 1,
    };
    Right::Value { value: c, place }
}
