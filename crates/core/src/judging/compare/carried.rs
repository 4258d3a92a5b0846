//! What follows from the team's own values: the rounding envelope, and values that are carried.
//!
//! # An example
//!
//! A volume was worked out twice as large as it is; the density that follows is half of the right
//! one. F, from the wrong volume, is the density that the team has: it is carried, and costs
//! nothing more. Had the team worked its density out from a right volume that it did not write
//! down, C would be the density it has, and that is tried as well.

use super::super::values::{Env, Tried, replaced, within};
use super::Judge;
use super::faces::{Limits, padded};
use crate::formula::{ItemId, Node, Value};
use crate::quantity::{leading_place, power_of_ten};
use crate::row::Row;
use crate::verdict::{Face, JudgedResult, VerdictKind};

/// A reported upstream value: its place, and the half-width it was cut with, SI.
///
/// `half` is half a unit of its last written digit; that of a value that was cut off is the whole
/// unit.
#[derive(Clone, Copy)]
pub(super) struct Upstream {
    /// Item of the result above.
    pub(super) item: ItemId,
    /// Its row, where it stands in a column of the environment.
    row: Option<usize>,
    /// How far it may be off by rounding, SI.
    half: f64,
    /// Figures it was written with.
    figures: i32,
    /// Whether it is wrong, or follows from a wrong one.
    pub(super) tainted: bool,
}

impl Judge<'_> {
    /// The reported upstream values that this one can have been worked out from.
    ///
    /// Only results that this one's formula uses are taken, whether at first hand or not: a value
    /// two steps above reaches it through the one between.
    pub(super) fn upstream(&self) -> Vec<Upstream> {
        self.done
            .iter()
            .filter(|r| self.spec.upstream.contains(&r.item) && r.reported.value.is_some())
            .filter_map(|r| self.upstream_of(r))
            .collect()
    }

    /// A reported value above, with what its rounding may hide; `None` where it stands in another
    /// row than the one judged.
    ///
    /// Noughts at the end of a wrong value may have been padding (8.4100 for 8.41). They widen what
    /// it may have been, so that what follows from it is not called a mistake.
    fn upstream_of(&self, r: &JudgedResult) -> Option<Upstream> {
        let row = r.row.map(Row::index);
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
    }

    /// e = Σ max(|f(x+h) − f(x)|, |f(x−h) − f(x)|) over reported upstream values, in the result's
    /// unit.
    ///
    /// `f` is the formula's value at the reported ones, in the result's unit, and stands in where
    /// it cannot be worked out from `env`. `scale` turns SI into the result's unit. Each value
    /// above is moved by its own half-step alone; the widths add up, as errors of rounding may.
    pub(super) fn envelope(&self, node: &Node, env: &Env, upstream: &[Upstream], f: f64, scale: f64) -> f64 {
        if upstream.is_empty() {
            return 0.0;
        }
        let base = self.value(node, env).map_or(f, |v| v * scale);
        let mut sum = 0.0;
        for u in upstream.iter().filter(|u| node.uses(u.item)) {
            let Some(x) = env[u.item].as_ref().and_then(|v| v.at(u.row)).copied() else { continue };
            let mut widest = 0.0f64;
            for moved in [x + u.half, x - u.half] {
                let moved = replaced(env, u.item, u.row, moved);
                if let Some(v) = self.under(node, &Tried::with(env, u.item, &moved).context(self.ground.out)) {
                    widest = widest.max((v * scale - base).abs());
                }
            }
            sum += widest;
        }
        sum
    }

    /// Whether R follows from tainted values, each taken as reported, as clean, or as what it would
    /// have been without its own mistake: worked out from the reported values before it. A column
    /// is taken as a whole.
    ///
    /// `r` is in the result's unit. With up to three wrong values above every combination is tried,
    /// 27 at most; with more, all as reported or all as clean. Combinations that take a mended
    /// value come last: that a team corrected a value in its head and left it wrong on the sheet is
    /// the least likely.
    pub(super) fn carried(&self, r: f64, upstream: &[Upstream], l: Limits, deserved: i32) -> Option<Face> {
        let node = &self.spec.node;
        let item = self.item();
        let mut tainted: Vec<ItemId> = upstream.iter().filter(|u| u.tainted).map(|u| u.item).collect();
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

    /// A tainted value without its own mistake, from the reported values before it, where that is
    /// not the clean one.
    ///
    /// `None` where the value would have been the clean one, which is tried by itself, or where
    /// nothing follows.
    pub(super) fn mended(&self, item: ItemId) -> Option<Value<f64>> {
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
                let row = self.row.map(Row::at);
                let one = rows.find(|d| d.row.is_none() || d.row == row).filter(|d| differs(d))?;
                one.carried.map(|v| Value::Scalar(it.to_si(v)))
            }
        }
    }
}
