//! Where the linear rule of propagation does not hold: the results worked out again from moved
//! readings – at the corners of the limits, for second-order terms, and by chance from a seed that
//! the table itself gives.
//!
//! | question | answer | cost |
//! |---|---|---|
//! | [`extremes`] | half of what the corners of all limits span | 2 workings of the chain |
//! | [`refined`] | u by 20 000 trials, where the linear rule is off | 2n² + 2n + 1 workings to find out, n ≤ 16 |
//!
//! Whether the linear rule is off is asked only of results that a ± is asked for, and only where
//! their relative uncertainty is above 5 % or the formula has a kink: nearly all results are spared
//! it.
//!
//! Every trial of a table comes from one seed, which the table itself gives: whoever judges it
//! again, on whatever machine, gets the same uncertainty to the last bit.

use super::propagate::Propagated;
use std::cell::RefCell;

use super::table::Table;
use super::values::{Env, Out, derive};
use crate::formula::{Function, Node, Num, Op, Value};
use crate::protocol::{ItemKind, Protocol};
use crate::row::Row;
use crate::uncertainty::{Dual, SourceKind};
use crate::verdict::JudgedResult;

/// Trials of a Monte Carlo run.
///
/// With 20 000 trials the ends of a 95 % interval are known to about 2 % of u.
const TRIALS: usize = 20_000;
/// Sources whose second-order terms are looked at; the rest matter less than these.
///
/// Second-order terms fall with the product of two parts of the budget.
const MOST_SOURCES: usize = 16;

/// All results with every source moved by so much, SI.
pub(super) struct Moved<'a> {
    /// Gives the formulas of all results, in the order they are worked out.
    protocol: &'a Protocol,
    /// The placed cells.
    table: &'a Table,
    /// Rows left out, by group.
    out: &'a Out,
    /// Values with their derivatives, and the sources.
    propagated: &'a Propagated,
    /// By item: whether the result in question hangs on it, itself included.
    needed: Vec<bool>,
    /// By source: how far it is moved in the trial at hand.
    by: RefCell<Vec<f64>>,
}

impl<'a> Moved<'a> {
    /// What has to be worked out anew for one result when its inputs move: the result itself and
    /// all results above it.
    pub(super) fn of(
        protocol: &'a Protocol,
        table: &'a Table,
        out: &'a Out,
        propagated: &'a Propagated,
        result: &JudgedResult,
    ) -> Moved<'a> {
        let mut needed = vec![false; protocol.items.len()];
        needed[result.item.index()] = true;
        for spec in protocol.results.iter().rev() {
            if needed[spec.item.index()] {
                mark(&spec.node, &mut needed);
            }
        }
        Moved { protocol, table, out, propagated, needed, by: RefCell::new(vec![0.0; propagated.sources.len()]) }
    }

    /// One result's value, SI, with the sources moved; `None` where it is not defined there.
    ///
    /// `moves` are sources with how far each is moved, in its own SI unit. They may come in any
    /// order.
    fn at(&self, result: &JudgedResult, moves: &[(usize, f64)]) -> Option<f64> {
        moves.iter().for_each(|(s, m)| self.by.borrow_mut()[*s] += m);
        let by = self.by.borrow();
        let shift = |dual: &Dual| dual.value() + dual.derivatives().map(|(s, d)| d * by[s]).sum::<f64>();
        let env = self.env(&shift, &|dual, first, last| {
            dual.derivatives().filter(|(s, _)| (first..last).contains(s)).map(|(s, d)| d * by[s]).sum()
        });
        drop(by);
        moves.iter().for_each(|(s, _)| self.by.borrow_mut()[*s] = 0.0);
        env[result.item].as_ref()?.at(result.row.map(Row::index)).copied()
    }

    /// The values of all items with each input moved by `shift` of its derivatives, in SI units.
    /// Results that are needed are worked out from them again, and what arises in a result itself
    /// (the scatter about a fit) is added by `arisen`.
    ///
    /// Items that the result does not hang on are left out, whatever their kind. What follows
    /// linearly from the derivatives alone – the scatter about a fit has no readings to be worked
    /// out from – is added afterwards.
    fn env(&self, shift: &dyn Fn(&Dual) -> f64, arisen: &dyn Fn(&Dual, usize, usize) -> f64) -> Env {
        let values = &self.propagated.values;
        let mut env: Env = self
            .protocol
            .items
            .iter()
            .zip(values)
            .zip(&self.needed)
            .map(|((item, value), needed)| match (item.kind, value.as_ref().filter(|_| *needed)) {
                (ItemKind::Result(_), _) | (_, None) => None,
                (_, Some(Value::Scalar(d))) => Some(Value::Scalar(shift(d))),
                (_, Some(Value::Column(ds))) => Some(Value::Column(ds.iter().map(|d| d.as_ref().map(shift)).collect())),
                (_, Some(Value::Word(w))) => Some(Value::Word(*w)),
                (_, Some(Value::Words(ws))) => Some(Value::Words(ws.clone())),
            })
            .collect();
        for spec in &self.protocol.results {
            if self.protocol.items[spec.item].words.is_some() || !self.needed[spec.item.index()] {
                continue;
            }
            env[spec.item] = derive(self.protocol, spec, &env, self.out, self.table);
            // What arose in a result moves it and all that follows.
            let Some((_, first, last)) = self.propagated.arisen.iter().find(|(item, ..)| *item == spec.item) else {
                continue;
            };
            moved(&mut env[spec.item], values[spec.item].as_ref(), &|d| arisen(d, *first, *last));
        }
        env
    }
}

/// Marks every item that a formula uses.
///
/// Items of a condition are marked as well: which branch is taken may turn on them.
fn mark(node: &Node, items: &mut [bool]) {
    match &node.op {
        Op::Item(i) | Op::Is(i, ..) => items[i.index()] = true,
        _ => node.children().for_each(|c| mark(c, items)),
    }
}

/// A result's value with its derivatives, in its row.
///
/// `None` where the result could not be worked out, or has no such row.
fn dual_of<'p>(propagated: &'p Propagated, result: &JudgedResult) -> Option<&'p Dual> {
    propagated.values[result.item].as_ref()?.at(result.row.map(Row::index))
}

/// Half-width of the result over the corners of the limits, in its unit: the farther of the two
/// corners that the signs of the sensitivity coefficients point to.
///
/// Each limit is taken at the end towards which the result rises, then all at the other end. Where
/// the formula bends inside its limits a corner may not be the extreme; the school is taught as it
/// is here. `None` where a corner is not defined, such as a root of a negative number.
pub(super) fn extremes(moved: &Moved<'_>, result: &JudgedResult) -> Option<f64> {
    let Moved { protocol, propagated, .. } = moved;
    let dual = dual_of(propagated, result)?;
    let corner = |sign: f64| {
        let moves: Vec<(usize, f64)> =
            dual.derivatives().map(|(i, d)| (i, sign * d.signum() * propagated.sources[i].limit)).collect();
        moved.at(result, &moves)
    };
    let (up, down) = (corner(1.0)?, corner(-1.0)?);
    let widest = (up - dual.value()).abs().max((down - dual.value()).abs());
    Some(widest / protocol.items[result.item].unit.factor).filter(|w| w.is_finite())
}

/// The standard uncertainty by Monte Carlo in place of the linear one, in the result's unit, where
/// the protocol asks for it, second-order terms change u by more than 2 %, or the result is not
/// smooth within 2u; else `None`.
///
/// `seed` is asked only if trials are made. The value is half the 95 % interval over 1.96: for a
/// normal distribution that is the standard deviation, and for a lopsided one it is what a ± can
/// promise.
pub(super) fn refined(moved: &Moved<'_>, result: &JudgedResult, seed: &dyn Fn() -> u64) -> Option<f64> {
    let Moved { protocol, propagated, .. } = moved;
    let dual = dual_of(propagated, result)?;
    if !protocol.school.monte_carlo && !bends(moved, dual, result) {
        return None;
    }
    by_chance(moved, dual, result, seed()).map(|u| u / protocol.items[result.item].unit.factor)
}

/// Whether second-order terms, or an edge within 2u, make the linear rule wrong.
///
/// `dual` is the result with its derivatives, SI. A result that is not defined two standard
/// uncertainties away counts as bent. Derivatives of the second and third order are differences
/// over one standard uncertainty, since that is the reach over which the rule has to hold.
///
/// # Formula
/// u₂² = Σcᵢ²uᵢ² + ΣΣ(½fᵢⱼ² + fᵢfᵢⱼⱼ)uᵢ²uⱼ², derivatives by differences of one standard
/// uncertainty.
///
/// # Source
/// GUM 5.1.2, note.
fn bends(moved: &Moved<'_>, dual: &Dual, result: &JudgedResult) -> bool {
    let sources = &moved.propagated.sources;
    let mut parts: Vec<(usize, f64, f64)> = dual
        .derivatives()
        .map(|(i, d)| (i, sources[i].standard, d * sources[i].standard))
        .filter(|p| p.1 > 0.0)
        .collect();
    let linear = parts.iter().fold(0.0, |u: f64, p| u.hypot(p.2));
    // Products and quotients bend by the square of their relative uncertainty: below 5 % nothing is lost.
    let kinked = moved.protocol.results[result.id].node.any(&|n| {
        matches!(
            n.op,
            Op::Call(
                Function::Abs
                    | Function::If
                    | Function::Min
                    | Function::Max
                    | Function::Median
                    | Function::Sin
                    | Function::Cos
                    | Function::Tan
                    | Function::Asin
                    | Function::Acos
                    | Function::Atan2
                    | Function::Exp
                    | Function::Sqrt,
                _
            )
        )
    });
    // A flat place, with no derivative at all, is never straight.
    if !kinked && linear > 0.0 && linear <= 0.05 * dual.value().abs() {
        return false;
    }
    parts.sort_by(|a, b| b.2.abs().total_cmp(&a.2.abs()));
    parts.truncate(MOST_SOURCES);
    let Some(middle) = moved.at(result, &[]) else { return false };
    let f = |moves: &[(usize, f64)]| moved.at(result, moves);
    let mut second = 0.0;
    let mut one: Vec<[f64; 4]> = Vec::new();
    for (s, u, _) in &parts {
        let at = |k: f64| f(&[(*s, k * u)]).unwrap_or(f64::NAN);
        one.push([at(1.0), at(-1.0), at(2.0), at(-2.0)]);
    }
    for (i, (si, ui, ci)) in parts.iter().enumerate() {
        let [p, m, pp, mm] = one[i];
        let (fii, fiii) = (p + m - 2.0 * middle, (pp - 2.0 * p + 2.0 * m - mm) / 2.0);
        second += 0.5 * fii * fii + ci * fiii;
        for (j, (sj, uj, cj)) in parts.iter().enumerate().skip(i + 1) {
            let at = |a: f64, b: f64| f(&[(*si, a * ui), (*sj, b * uj)]).unwrap_or(f64::NAN);
            let (pp, pm, mp, mm) = (at(1.0, 1.0), at(1.0, -1.0), at(-1.0, 1.0), at(-1.0, -1.0));
            let fij = (pp - pm - mp + mm) / 4.0;
            let ([pi, mi, ..], [pj, mj, ..]) = (one[i], one[j]);
            let fijj = (pp - 2.0 * pi + pm - (mp - 2.0 * mi + mm)) / 2.0;
            let fiij = (pp - 2.0 * pj + mp - (pm - 2.0 * mj + mm)) / 2.0;
            second += fij * fij + ci * fijj + cj * fiij;
        }
    }
    // Not defined within 2u: certainly not straight.
    if !second.is_finite() {
        return true;
    }
    let u2 = (linear * linear + second).max(0.0).sqrt();
    (u2 - linear).abs() > 0.02 * linear
}

/// Half the 95 % interval of the trials ÷ 1.96, SI.
///
/// `None` where fewer than half of the trials were defined. Displays and limits are drawn
/// rectangularly, all else normally. The seed of a result differs from that of its neighbours, so
/// that two results of one table do not share their chances.
fn by_chance(moved: &Moved<'_>, dual: &Dual, result: &JudgedResult, seed: u64) -> Option<f64> {
    let sources = &moved.propagated.sources;
    let mut chance = Chance::new(
        seed ^ (result.id.index() as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15)
            ^ u64::from(result.row.map_or(0, Row::number)),
    );
    let used: Vec<usize> = dual.derivatives().map(|(i, _)| i).filter(|i| sources[*i].standard > 0.0).collect();
    let mut values: Vec<f64> = Vec::with_capacity(TRIALS);
    let mut moves: Vec<(usize, f64)> = used.iter().map(|i| (*i, 0.0)).collect();
    for _ in 0..TRIALS {
        for (s, m) in &mut moves {
            let source = &sources[*s];
            *m = source.standard
                * match source.kind {
                    SourceKind::Resolution | SourceKind::Limit => chance.rectangular(),
                    _ => chance.normal(),
                };
        }
        values.extend(moved.at(result, &moves).filter(|v| v.is_finite()));
    }
    if values.len() < TRIALS / 2 {
        return None;
    }
    values.sort_by(f64::total_cmp);
    let at = |share: f64| values[((values.len() - 1) as f64 * share).round() as usize];
    Some((at(0.975) - at(0.025)) / (2.0 * 1.96)).filter(|u| *u > 0.0)
}

/// Numbers by chance from a seed: the same for the same table, on every machine. (SplitMix64;
/// Steele, Lea and Flood, OOPSLA 2014.)
///
/// A generator of its own is kept because a verdict has to be the same for ever: that of a package
/// may change with the package.
struct Chance(u64);

impl Chance {
    /// A generator that gives the same numbers for the same seed on every machine.
    fn new(seed: u64) -> Chance {
        Chance(seed)
    }

    /// A number between 0 and 1, neither of them reached. Splitmix64: Steele, Lea and Flood, Fast
    /// splittable pseudorandom number generators, 2014.
    fn uniform(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^= z >> 31;
        ((z >> 11) as f64 + 0.5) / (1u64 << 53) as f64
    }

    /// Rectangular with standard deviation one.
    fn rectangular(&mut self) -> f64 {
        (2.0 * self.uniform() - 1.0) * 3f64.sqrt()
    }

    /// Normal with standard deviation one (Box and Muller).
    ///
    /// Two uniform numbers are used for one normal one; keeping the second would make the result
    /// hang on how many were drawn before.
    fn normal(&mut self) -> f64 {
        (-2.0 * self.uniform().ln()).sqrt() * (std::f64::consts::TAU * self.uniform()).cos()
    }
}

/// Adds to every value what its derivatives say.
///
/// Words have no derivatives and stay.
fn moved(value: &mut Option<Value<f64>>, duals: Option<&Value<Dual>>, by: &dyn Fn(&Dual) -> f64) {
    match (value, duals) {
        (Some(Value::Scalar(v)), Some(Value::Scalar(d))) => *v += by(d),
        (Some(Value::Column(vs)), Some(Value::Column(ds))) => {
            for (v, d) in vs.iter_mut().zip(ds) {
                if let (Some(v), Some(d)) = (v, d) {
                    *v += by(d);
                }
            }
        }
        _ => {}
    }
}
