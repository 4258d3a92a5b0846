//! What one act of a person would do to the whole table. A result that is odd is never explained
//! alone: each story about it is followed through everything that comes after, and weighed by what
//! all other results, and the sheet itself, say to it.
//!
//! Everything is a logarithm relative to "nothing explains this result", so that most stories weigh
//! nothing: they leave all else as it was.
//!
//! # How a story is weighed
//!
//! Of every other reported result the likelihood is asked twice: with the table as it stands, and
//! with the table as the story has it. The sum of the differences of both logarithms is what the
//! table says to the story. If a mass was copied wrongly, nine results that looked odd fit, and the
//! sum is some thirty; if it was keyed wrongly into one calculation, everything else stands, and a
//! story that alters the sheet breaks it.
//!
//! Bounds keep a single surprise from deciding: no result weighs more than [`ODD`] allows, and no
//! table more than [`MOST`].

mod beside;
mod evidence;

pub(super) use beside::{Beside, Said};

use std::cell::OnceCell;

use super::sheet::{Sheet, Stage};
use super::table::Table;
use super::values::{Env, Out, Tried, derive, put, within};
use crate::formula::figures::Figured;
use crate::formula::{Context, Value, evaluate_any};
use crate::protocol::{ResultId, ResultSpec, Variant};
use crate::quantity::{leading_place, power_of_ten};
use crate::verdict::Reported;
use evidence::evidence;

/// A result that a story leaves odd: this much of what nothing explains.
///
/// Nobody's table is so good that one odd result more is impossible.
const ODD: f64 = 0.02;

/// The whole table, for weighing stories about it.
///
/// It is made once for each table and asked only for results that are odd.
pub(super) struct Whole<'a> {
    /// What the table is judged by.
    pub(super) stage: Stage<'a>,
    /// Its placed cells.
    pub(super) table: &'a Table,
    /// What they give.
    pub(super) sheet: &'a Sheet,
    /// The same values as the clean ones, with their last significant places.
    pub(super) figured: &'a [Option<Value<Figured>>],
    /// Evidence of the sheet as it was written, once it was asked for.
    written: OnceCell<f64>,
}

/// The result in question: its item, its row from 0, and what was reported, SI.
#[derive(Clone, Copy)]
pub(super) struct Odd {
    /// Which of the lab's results it is.
    pub(super) id: ResultId,
    /// Its row, from 0.
    pub(super) row: Option<usize>,
    /// R, SI.
    pub(super) reported: f64,
}

impl<'a> Whole<'a> {
    /// The rest of the table, to ask what it says to a story; nothing is worked out before somebody
    /// asks.
    pub(super) fn of(
        stage: Stage<'a>,
        table: &'a Table,
        sheet: &'a Sheet,
        figured: &'a [Option<Value<Figured>>],
    ) -> Whole<'a> {
        Whole { stage, table, sheet, figured, written: OnceCell::new() }
    }

    /// What the table says where nothing explains a result and all that follows uses it as it
    /// stands.
    ///
    /// What does not hang on the story is worked out when a story first asks.
    pub(super) fn beside(&self, odd: Odd) -> Beside<'_> {
        Beside { whole: self, odd, base: OnceCell::new() }
    }

    /// ln L of every other reported result, where `used` is what the result in question fed into
    /// what follows, and `standing` what was read off the sheet for it.
    ///
    /// `measured` and `out` are those of the table as the story has it. The logarithms come by
    /// result and row, in the order of the lab, words left out; that of the result in question is
    /// nought.
    fn logs(&self, measured: &Env, out: &Out, odd: Odd, used: f64, standing: f64) -> Vec<f64> {
        self.logs_with(measured, out, odd, (used, standing), None)
    }

    /// As [`Whole::logs`], where every result that can be worked out with the same wrong `idea` may
    /// have been.
    ///
    /// `idea` is a result with the number of one of its mistaken forms. A result that fits better
    /// by the same idea counts as worked out by it, and feeds what follows so.
    fn logs_with(
        &self,
        measured: &Env,
        out: &Out,
        odd: Odd,
        (used, standing): (f64, f64),
        idea: Option<(&ResultSpec, usize)>,
    ) -> Vec<f64> {
        let protocol = self.stage.protocol;
        let mut own = measured.clone();
        let mut from = measured.clone();
        let mut logs = Vec::new();
        for (id, spec) in ResultId::with(&protocol.results) {
            let item = &protocol.items[spec.item];
            if item.words.is_some() {
                continue;
            }
            own[spec.item] = derive(protocol, spec, &own, out, self.table);
            let followed = derive(protocol, spec, &from, out, self.table);
            let mistaken: Vec<_> = idea
                .map_or(Vec::new(), |(first, n)| alike(first, n, spec))
                .into_iter()
                .map(|wrong| {
                    let of = |env: &Env| evaluate_any(&wrong.node, &Context::without(env, out)).ok();
                    ((of(&own), of(&from)), wrong.scale * item.unit.factor)
                })
                .collect();
            let written = &self.table.reported[id];
            let mut column: Vec<Option<f64>> = Vec::with_capacity(written.len());
            for (n, w) in written.iter().enumerate() {
                let row = spec.table.map(|_| n);
                let at = |v: &Option<Value<f64>>| v.as_ref().and_then(|v| v.at(row)).copied();
                let (p, f) = (at(&own[spec.item]), at(&followed));
                let this = odd.id == id && odd.row == row;
                logs.push(if this || spec.guess { 0.0 } else { self.log(spec, id, row, w, (p, f), &from, out) });
                for ((p, f), scale) in mistaken.iter().filter(|_| !this) {
                    let (p, f) = (at(p).map(|x| x * scale), at(f).map(|x| x * scale));
                    let log = self.log(spec, id, row, w, (p, f), &from, out);
                    let last = logs.last_mut().filter(|l| **l < log);
                    if let (Some(last), Some(p)) = (last, p) {
                        *last = log;
                        put(&mut own, spec.item, row, p);
                    }
                }
                let stands = if this { Some(standing) } else { w.value.map(|v| item.to_si(v)) };
                column.push(stands.or(f).or(p));
            }
            if odd.id == id && own[spec.item].is_some() {
                put(&mut own, spec.item, odd.row, used);
            }
            from[spec.item] = match (spec.table, column.len()) {
                (Some(_), _) => column.iter().any(Option::is_some).then_some(Value::Column(column)),
                (None, _) => column.first().copied().flatten().map(Value::Scalar),
            };
        }
        logs
    }

    /// ln L of one result: ½·[|R−P| ≤ w] + ½·w/(w+e)·[|R−F| ≤ w+e], near it a tenth, else that it
    /// is odd.
    ///
    /// P is what the readings give, F what follows from the values as reported; all are in the
    /// result's unit. A result that was not reported says nothing.
    #[allow(clippy::too_many_arguments)]
    fn log(
        &self,
        spec: &ResultSpec,
        id: ResultId,
        row: Option<usize>,
        written: &Reported,
        (p, f): (Option<f64>, Option<f64>),
        from: &Env,
        out: &Out,
    ) -> f64 {
        let item = &self.stage.protocol.items[spec.item];
        let Some(r) = written.value else { return 0.0 };
        let in_unit = |v: Option<f64>| v.map(|v| item.from_si(v)).filter(|v| v.is_finite());
        let (p, f) = (in_unit(p), in_unit(f));
        let Some(x) = f.or(p) else { return 0.0 };
        let w = self.width(id, row, written, r, p.or(f));
        let half = written.half_step;
        let fits = |x: f64, bound: f64| within(r - x, bound, half, r, x);
        let own = p.map(|p| f64::from(u8::from(fits(p, w))));
        // The envelope costs evaluations, so only what is near at all gets one.
        let near = f.is_some_and(|f| (r - f).abs() <= 0.1 * f.abs().max(r.abs()) + w);
        let e = if near && f.is_some_and(|f| !fits(f, w)) { self.envelope(spec, row, from, out) } else { 0.0 };
        let followed = f.map(|f| if fits(f, w + e) { w / (w + e) } else { 0.0 });
        let sharp = match (own, followed) {
            (Some(a), Some(b)) => 0.5 * a + 0.5 * b,
            (a, b) => a.or(b).unwrap_or(0.0),
        };
        if sharp > 0.0 {
            return sharp.ln();
        }
        let wide = w + e + 0.002 * x.abs();
        let lost = x.abs() - r.abs();
        let cut = x.signum() == r.signum() && lost >= 0.0 && within(lost, 2.0 * half, half, r, x);
        if fits(x, wide) || p.is_some_and(|p| fits(p, w + 0.002 * p.abs())) {
            return (0.1 * w / wide).ln();
        }
        if cut {
            return (0.1 * w / (w + 2.0 * half)).ln();
        }
        if r == 0.0 {
            return (0.5 * ODD).ln();
        }
        let off = if x == 0.0 { f64::INFINITY } else { (r / x).abs().ln().abs() };
        (ODD * (2.0 * w / r.abs()) * (0.5 / 13.8 + 0.5 * (-off / 0.15).exp() / 0.30)).ln()
    }

    /// Half a unit of R's last figure, or of the last that the result deserves.
    ///
    /// In the result's unit. It is as wide as the figures the result deserves, so that a value cut
    /// to three figures still fits where three are all that is known.
    fn width(&self, id: ResultId, row: Option<usize>, written: &Reported, r: f64, right: Option<f64>) -> f64 {
        let spec = &self.stage.protocol.results[id];
        let figures = self.figured[spec.item].as_ref().and_then(|v| v.at(row)).copied();
        let deserved = figures.map_or(3, |g| g.figures().unwrap_or(6)).clamp(1, 15);
        let coarse = written
            .number
            .as_ref()
            .map_or(written.half_step, |n| n.half_steps().map(|h| h * written.scale).fold(0.0, f64::max));
        if r == 0.0 {
            return coarse;
        }
        let place = |x: f64| leading_place(x) - deserved + 1;
        coarse.max(0.5 * power_of_ten(place(r).min(right.filter(|c| *c != 0.0).map_or(i32::MAX, place))))
    }

    /// How far the rounding of what was reported above may move a result, in its unit.
    fn envelope(&self, spec: &ResultSpec, row: Option<usize>, from: &Env, out: &Out) -> f64 {
        let protocol = self.stage.protocol;
        let value = |from: Tried<'_>| -> Option<f64> {
            let v = evaluate_any(&spec.node, &from.context(out)).ok()?.at(row).copied()?;
            Some(v / protocol.items[spec.item].unit.factor)
        };
        let Some(base) = value(Tried::plainly(from)) else { return 0.0 };
        let mut sum = 0.0;
        for (id, above) in ResultId::with(&protocol.results).filter(|(_, r)| spec.upstream.contains(&r.item)) {
            let factor = protocol.items[above.item].unit.factor;
            let Some(written) = &from[above.item] else { continue };
            let moved = |sign: f64| {
                let by = |row: usize| self.table.reported[id].get(row).map_or(0.0, |w| sign * w.half_step * factor);
                let moved = match written {
                    Value::Scalar(x) => Value::Scalar(x + by(0)),
                    Value::Column(xs) => {
                        Value::Column(xs.iter().enumerate().map(|(row, x)| x.map(|x| x + by(row))).collect())
                    }
                    words => words.clone(),
                };
                value(Tried::with(from, above.item, &moved)).map_or(0.0, |v| (v - base).abs())
            };
            sum += moved(1.0).max(moved(-1.0));
        }
        sum
    }

    /// Evidence of the whole table as it was written, as a logarithm; worked out once.
    ///
    /// Only differences of it are used.
    fn as_written(&self) -> f64 {
        *self.written.get_or_init(|| evidence(self.stage, self.table, self.sheet))
    }
}

/// The mistaken forms of `other` that show the same wrong idea as form `number` of `first`: the
/// same kind at the same item, or the same form of a formula of one shape.
///
/// By kind and item first; where none is found and both formulas have the same shape, by its
/// number.
fn alike<'a>(first: &ResultSpec, number: usize, other: &'a ResultSpec) -> Vec<&'a Variant> {
    let Some(idea) = first.variants.get(number) else { return Vec::new() };
    let same = |v: &&Variant| {
        v.kind == idea.kind && if idea.subject.is_some() { v.subject == idea.subject } else { v.says == idea.says }
    };
    let found: Vec<&Variant> = other.variants.iter().filter(same).collect();
    let one_shape = || first.variants.iter().map(|v| &v.kind).eq(other.variants.iter().map(|v| &v.kind));
    if found.is_empty() && one_shape() { other.variants.get(number).into_iter().collect() } else { found }
}
