//! What one act of a person would do to the whole table. A result that is odd is never explained alone: each story about it
//! is followed through everything that comes after, and weighed by what all other results, and the sheet itself, say to it.
//!
//! Everything is a logarithm relative to "nothing explains this result", so that most stories weigh nothing: they leave all
//! else as it was.
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

mod evidence;

use std::cell::OnceCell;

use super::sheet::{Sheet, Stage};
use super::table::Table;
use super::values::{Env, Out, Tried, derive, put, within};
use crate::formula::figures::Figured;
use crate::formula::{Context, ItemId, Node, Shape, Value, evaluate_any};
use crate::protocol::{ResultId, ResultSpec, Variant};
use crate::quantity::{Nature, leading_place, power_of_ten};
use crate::row::Row;
use crate::verdict::Reported;
use evidence::evidence;

/// A result that a story leaves odd: this much of what nothing explains.
///
/// Nobody's table is so good that one odd result more is impossible.
const ODD: f64 = 0.02;
/// A miswritten answer feeds what follows with what was meant; with what stands there, so seldom.
///
/// A team that writes 7.29 for 7.92 mostly goes on with 7.92.
const AS_WRITTEN: f64 = 0.3;
/// One wrong idea down a whole column, beside one in a single place.
///
/// 0.08 against 0.30: of those who take a wrong formula in one place, about a quarter take it in
/// all.
const SAME_THROUGHOUT: f64 = 0.08 / 0.30;
/// No table says more than this, for or against.
const MOST: f64 = 200.0;

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
    /// The result.
    pub(super) id: ResultId,
    /// Its row, from 0.
    pub(super) row: Option<usize>,
    /// R, SI.
    pub(super) reported: f64,
}

impl<'a> Whole<'a> {
    /// The rest of the table, to ask what it says to a story; nothing is worked out before somebody asks.
    pub(super) fn of(
        stage: Stage<'a>,
        table: &'a Table,
        sheet: &'a Sheet,
        figured: &'a [Option<Value<Figured>>],
    ) -> Whole<'a> {
        Whole { stage, table, sheet, figured, written: OnceCell::new() }
    }

    /// What the table says where nothing explains a result and all that follows uses it as it stands.
    ///
    /// What does not hang on the story is worked out when a story first asks.
    pub(super) fn beside(&self, odd: Odd) -> Beside<'_> {
        Beside { whole: self, odd, base: OnceCell::new() }
    }

    /// ln L of every other reported result, where `used` is what the result in question fed into what follows, and
    /// `standing` what was read off the sheet for it.
    ///
    /// `measured` and `out` are those of the table as the story has it. The logarithms come by
    /// result and row, in the order of the lab, words left out; that of the result in question is
    /// nought.
    fn logs(&self, measured: &Env, out: &Out, odd: Odd, used: f64, standing: f64) -> Vec<f64> {
        self.logs_with(measured, out, odd, (used, standing), None)
    }

    /// As [`Whole::logs`], where every result that can be worked out with the same wrong `idea` may have been.
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

    /// ln L of one result: ½·[|R−P| ≤ w] + ½·w/(w+e)·[|R−F| ≤ w+e], near it a tenth, else that it is odd.
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

/// The mistaken forms of `other` that show the same wrong idea as form `number` of `first`: the same kind at the same item,
/// or the same form of a formula of one shape.
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

/// What a table says to a story, as logarithms.
///
/// Both are natural logarithms; 0 says nothing, above it speaks for the story.
pub(super) struct Said {
    /// The other rows of the odd result's own column, which are weighed as a whole besides.
    pub(super) own: f64,
    /// All else.
    pub(super) beyond: f64,
}

impl Said {
    /// Both together.
    pub(super) fn whole(&self) -> f64 {
        (self.own + self.beyond).clamp(-MOST, MOST)
    }
}

/// The rest of a table beside one odd result.
///
/// It holds on to the result in question.
pub(super) struct Beside<'a> {
    /// The whole table.
    whole: &'a Whole<'a>,
    /// The result in question.
    odd: Odd,
    /// Worked out when a story first asks.
    base: OnceCell<Vec<f64>>,
}

impl Beside<'_> {
    /// Logarithms of the likelihood of every other result with the table as it is written, by result.
    ///
    /// Rows that a team set aside are tried both ways, since the sheet may not say that it did.
    fn base(&self) -> &[f64] {
        let Sheet { measured, out, .. } = self.whole.sheet;
        let as_reported = self.odd.reported;
        self.base.get_or_init(|| {
            let logs = self.whole.logs(measured, out, self.odd, as_reported, as_reported);
            // A team sets aside a row of its own that does not agree, which the sheet has no reason to.
            let Some(aside) = self.set_aside(out) else { return logs };
            let without = self.whole.logs(measured, &aside, self.odd, as_reported, as_reported);
            logs.into_iter().zip(without).map(|(a, b)| a.max(b)).collect()
        })
    }

    /// The rows that count without that of the result in question.
    ///
    /// `None` where the result is no row of a column, or that row is out already.
    fn set_aside(&self, out: &Out) -> Option<Out> {
        let protocol = self.whole.stage.protocol;
        let spec = &protocol.results[self.odd.id];
        let Shape::Column(group) = protocol.items[spec.item].rows else { return None };
        let row = self.odd.row?;
        let mut out = out.clone();
        let flags = out.iter_mut().find(|(g, _)| *g == group).map(|(_, rows)| rows)?;
        let flag = flags.get_mut(row).filter(|f| !**f)?;
        *flag = true;
        Some(out)
    }

    /// What a table says to a story: the sum of the changes of all results but the odd one, bounded on both sides, so
    /// that no single result outweighs everything else.
    ///
    /// Each result but the odd one counts once.
    fn against(&self, logs: &[f64]) -> f64 {
        logs.iter().zip(self.base()).map(|(a, b)| a - b).sum::<f64>().clamp(-MOST, MOST)
    }

    /// The answer was written down wrongly; `meant` (SI) was right, and fed what follows.
    ///
    /// The greater of both ways of going on: with what was meant, or with what stands there.
    pub(super) fn miswritten(&self, meant: f64) -> f64 {
        let Sheet { measured, out, .. } = self.whole.sheet;
        let logs = self.whole.logs(measured, out, self.odd, meant, meant);
        self.against(&logs).max(AS_WRITTEN.ln())
    }

    /// Readings of the sheet are wrong – item, row, and value in its unit – and everything was worked out with these.
    ///
    /// The table is worked out anew with the cells as the story has them, with all that its
    /// readings and columns say of themselves: a story that makes a plausible reading implausible
    /// pays for it.
    pub(super) fn misread(&self, cells: &[(ItemId, Option<Row>, f64)]) -> Said {
        let whole = self.whole;
        let mut table = whole.table.clone();
        for (item, row, value) in cells {
            let Some(cell) = table.cell_mut(*item, *row) else { return Said { own: 0.0, beyond: -MOST } };
            cell.repaired = Some(*value);
        }
        let sheet = Sheet::of(whole.stage, &mut table);
        // The result in question is right in this story: what stands there is what follows.
        let logs = whole.logs(&sheet.measured, &sheet.out, self.odd, self.odd.reported, self.odd.reported);
        let fits = evidence(whole.stage, &table, &sheet) - whole.as_written();
        let own = self.own(&logs);
        Said { beyond: self.against(&logs) + fits - own, own }
    }

    /// What the other rows of the result's own column say.
    ///
    /// Rows of one column that share a wrong reading speak with one voice.
    fn own(&self, logs: &[f64]) -> f64 {
        let first = self.first_of(self.odd.id);
        let rows = first..first + self.whole.table.reported[self.odd.id].len();
        logs[rows.clone()].iter().zip(&self.base()[rows]).map(|(a, b)| a - b).sum::<f64>().clamp(-MOST, MOST)
    }

    /// An item of the sheet was `value`, SI, in every calculation that uses it, though the sheet has it right.
    ///
    /// For a constant or a count that was wrong in every calculation. The sheet keeps its value, so
    /// that nothing is asked of what its readings say.
    pub(super) fn given(&self, item: ItemId, row: Option<usize>, value: f64) -> Said {
        let Sheet { measured, out, .. } = self.whole.sheet;
        let mut measured = measured.clone();
        put(&mut measured, item, row, value);
        let logs = self.whole.logs(&measured, out, self.odd, self.odd.reported, self.odd.reported);
        let own = self.own(&logs);
        Said { beyond: self.against(&logs) - own, own }
    }

    /// The same wrong idea in the other rows of the column: what their values say to the mistaken formula `node`, where that
    /// fits them better than nothing does.
    ///
    /// Nought for a single value.
    pub(super) fn throughout(&self, node: &Node, scale: f64) -> f64 {
        let whole = self.whole;
        let Sheet { clean, out, .. } = whole.sheet;
        let spec = &whole.stage.protocol.results[self.odd.id];
        if spec.table.is_none() {
            return 0.0;
        }
        let item = &whole.stage.protocol.items[spec.item];
        let first: usize = self.first_of(self.odd.id);
        let Ok(predicted) = evaluate_any(node, &Context::without(clean, out)) else { return 0.0 };
        let mut sum = 0.0;
        for (n, w) in whole.table.reported[self.odd.id].iter().enumerate().filter(|(n, _)| Some(*n) != self.odd.row) {
            let (Some(r), Some(p)) = (w.value, predicted.at(Some(n)).copied()) else { continue };
            let p = p * scale - if item.nature == Nature::Point { item.unit.offset / item.unit.factor } else { 0.0 };
            let width = whole.width(self.odd.id, Some(n), w, r, Some(p));
            if within(r - p, width, w.half_step, r, p) {
                sum += (-self.base()[first + n]).max(0.0);
            }
        }
        if sum > 0.0 { (sum + SAME_THROUGHOUT.ln()).clamp(0.0, MOST) } else { 0.0 }
    }

    /// The same wrong idea in other results: what they say to it where it fits them better than nothing does.
    ///
    /// `number` is that of the mistaken form. Nought unless another result is odd and could show
    /// the same idea; the search costs a working of the whole table.
    pub(super) fn elsewhere(&self, number: usize) -> f64 {
        let whole = self.whole;
        let spec = &whole.stage.protocol.results[self.odd.id];
        let others = || ResultId::with(&whole.stage.protocol.results).filter(|(n, _)| *n != self.odd.id);
        let odd = |n: ResultId| {
            let first = self.first_of(n);
            (0..whole.table.reported[n].len()).any(|row| self.base()[first + row] < (0.5 * ODD).ln())
        };
        let worded = |r: &ResultSpec| whole.stage.protocol.items[r.item].words.is_some();
        if !others().any(|(n, r)| !worded(r) && odd(n) && !alike(spec, number, r).is_empty()) {
            return 0.0;
        }
        let Sheet { measured, out, .. } = whole.sheet;
        let fed = (self.odd.reported, self.odd.reported);
        let logs = whole.logs_with(measured, out, self.odd, fed, Some((spec, number)));
        let gain = self.against(&logs);
        if gain <= 0.0 {
            return 0.0;
        }
        // Wrong at every place where an item stands is one idea, however many of its places could be wrong alone.
        let (kind, subject) = spec.variants.get(number).map_or((None, None), |v| (Some(&v.kind), v.subject));
        let places = spec.variants.iter().filter(|v| Some(&v.kind) == kind && v.subject == subject).count();
        (gain + (SAME_THROUGHOUT * places as f64).ln()).max(0.0)
    }

    /// Where the values of a result begin among all.
    ///
    /// Counted as [`Whole::logs`] counts.
    fn first_of(&self, id: ResultId) -> usize {
        let protocol = self.whole.stage.protocol;
        let counted = |n: &ResultId| protocol.items[protocol.results[*n].item].words.is_none();
        ResultId::each(&protocol.results)
            .take_while(|n| *n < id)
            .filter(counted)
            .map(|n| self.whole.table.reported[n].len())
            .sum()
    }

    /// Other results that use an item and do not fit as the sheet stands.
    ///
    /// Rows are counted one by one.
    pub(super) fn others_odd(&self, item: ItemId) -> usize {
        let protocol = self.whole.stage.protocol;
        let mut at = 0;
        let mut odd = 0;
        for (id, spec) in ResultId::with(&protocol.results) {
            if protocol.items[spec.item].words.is_some() {
                continue;
            }
            for w in &self.whole.table.reported[id] {
                let unfit = w.value.is_some() && self.base()[at] < (0.5 * ODD).ln();
                odd += usize::from(unfit && id != self.odd.id && spec.node.uses(item));
                at += 1;
            }
        }
        odd
    }
}
