//! What a team works out for its ±: readings moved one after another by their uncertainty.

use std::collections::HashMap;

use jurado_core::formula::ast::{Ast, AstKind};
use jurado_core::protocol::{ItemId, ReadingKind};

use super::{Left, Worker};
use crate::calculator::{Calculator, Val};
use crate::world::Seen;

impl Worker<'_> {
    /// The values of the results whose uncertainty has a formula of its own: readings do not move them.
    fn with_own_uncertainty(&self, base: &HashMap<String, Val>) -> HashMap<String, Val> {
        let own = self.lines.iter().filter(|l| l.uncertainty.is_some());
        let ids = own.map(|l| &self.protocol.items[l.item].id);
        ids.filter_map(|id| Some((id.clone(), base.get(id)?.clone()))).collect()
    }

    /// Standard uncertainty of every result that asks for one, SI: readings moved one after another by theirs.
    pub(super) fn uncertainties(
        &self,
        seen: &Seen,
        names: &HashMap<String, Val>,
        left: &Left,
    ) -> HashMap<ItemId, Vec<f64>> {
        let asked: Vec<ItemId> = self.protocol.results.iter().filter(|r| r.plus_minus).map(|r| r.item).collect();
        let mut out: HashMap<ItemId, Vec<f64>> = HashMap::new();
        if asked.is_empty() {
            return out;
        }
        let base = self.chain(names.clone(), left);
        let fixed = self.with_own_uncertainty(&base);
        let chain = |names: HashMap<String, Val>| self.chain_off(names, left, None, &fixed);
        let mut add = |moved: &HashMap<String, Val>| {
            for item in &asked {
                let id = &self.protocol.items[*item].id;
                let of = |m: &HashMap<String, Val>| m.get(id).map_or_else(Vec::new, Val::numbers);
                let (then, now) = (of(&base), of(moved));
                let sums = out.entry(*item).or_insert_with(|| vec![0.0; then.len()]);
                for ((sum, a), b) in sums.iter_mut().zip(&then).zip(&now) {
                    *sum += if (b - a).is_finite() { (b - a).powi(2) } else { 0.0 };
                }
            }
        };
        let shift = |names: &mut HashMap<String, Val>, item: ItemId, row: Option<usize>, by: f64| match (
            names.get_mut(&self.protocol.items[item].id),
            row,
        ) {
            (Some(Val::One(x)), _) => *x += by,
            (Some(Val::Many(xs)), Some(r)) => xs[r] += by,
            (Some(Val::Many(xs)), None) => xs.iter_mut().for_each(|x| *x += by),
            _ => {}
        };
        for r in &seen.readings {
            let spec = self.protocol.reading_of(r.item);
            let events = spec.is_some_and(|s| s.events);
            if !events && spec.is_some_and(|s| s.kind != ReadingKind::Number) {
                continue;
            }
            let unit = self.protocol.items[r.item].unit.factor;
            let mut u = if events { r.si.max(0.0).sqrt() } else { r.step * unit / 12f64.sqrt() };
            let row = r.row.map(|n| n as usize - 1);
            if spec.is_some_and(|s| s.replicates > 1 || s.replicates_of.is_some())
                && let Some(Val::Many(xs)) = names.get(&self.protocol.items[r.item].id)
            {
                let n = xs.len() as f64;
                let mean = xs.iter().sum::<f64>() / n;
                u = u.max((xs.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / (n - 1.0)).sqrt());
            }
            // From almost surely too small to almost surely too big is four standard deviations.
            if let Some((low, high)) = spec.and_then(|s| s.bracket) {
                let of = |item: ItemId| match (names.get(&self.protocol.items[item].id), row) {
                    (Some(Val::Many(xs)), Some(r)) => xs.get(r).copied(),
                    (Some(Val::One(x)), _) => Some(*x),
                    _ => None,
                };
                if let (Some(low), Some(high)) = (of(low), of(high)) {
                    u = u.max((high - low).abs() / 4.0);
                }
            }
            if let Some(i) = spec.and_then(|s| s.instrument).map(|i| &self.protocol.instruments[i])
                && let Some(a) = i.limit.filter(|_| !i.limit_shared)
            {
                u = u.hypot(a * i.unit.factor / 3f64.sqrt());
            }
            let mut moved = names.clone();
            shift(&mut moved, r.item, row, u);
            add(&chain(moved));
        }
        for (n, i) in self.protocol.instruments.iter().enumerate() {
            let Some(a) = i.limit.filter(|_| i.limit_shared) else { continue };
            let mut moved = names.clone();
            for spec in self.protocol.readings.iter().filter(|s| s.instrument == Some(n) && s.takes_limit) {
                shift(&mut moved, spec.item, None, a * i.unit.factor / 3f64.sqrt());
            }
            add(&chain(moved));
        }
        for r in &self.protocol.references {
            let u = r.entries.iter().map(|e| e.uncertainty).fold(0.0, f64::max);
            if u > 0.0 {
                let mut moved = names.clone();
                shift(&mut moved, r.item, None, u);
                add(&chain(moved));
            }
        }
        // A result whose uncertainty has a formula of its own moves by that alone.
        for line in self.lines {
            let (Some(ast), id) = (&line.uncertainty, &self.protocol.items[line.item].id) else { continue };
            let c = Calculator { names: base.clone(), out: left.clone(), ..Calculator::default() };
            let own = c.work(ast);
            for row in 0..base.get(id).map_or(0, |v| v.numbers().len()) {
                let mut moved = fixed.clone();
                let by = own.row(Some(row)).number();
                match moved.get_mut(id) {
                    Some(Val::One(x)) => *x += by,
                    Some(Val::Many(xs)) => xs[row] += by,
                    _ => {}
                }
                add(&self.chain_off(names.clone(), left, None, &moved));
            }
        }
        // The scatter about a line, and the step beside an end point, count where they are larger than what the readings
        // themselves bring.
        for line in self.lines {
            let c = Calculator { names: base.clone(), out: left.clone(), ..Calculator::default() };
            let error = scatter(&line.ast, &c);
            if error == 0.0 || line.uncertainty.is_some() {
                continue;
            }
            let off = self.chain_off(names.clone(), left, Some((line.item, error)), &fixed);
            for item in &asked {
                let id = &self.protocol.items[*item].id;
                let of = |m: &HashMap<String, Val>| m.get(id).map_or(f64::NAN, Val::number);
                let d = of(&off) - of(&base);
                if let Some(u) = out.get_mut(item).and_then(|v| v.first_mut()).filter(|_| d.is_finite()) {
                    *u = u.max(d * d);
                }
            }
        }
        out.values_mut().flatten().for_each(|v| *v = v.sqrt());
        out
    }
}

/// Standard error of a slope, or what the step beside an end point leaves open; nought for anything else.
fn scatter(ast: &Ast, calculator: &Calculator<'_>) -> f64 {
    let AstKind::Call(name, args) = &ast.kind else { return 0.0 };
    let of = |a: &Ast| calculator.work(a).numbers();
    match (name.as_str(), args.as_slice()) {
        ("slope" | "intercept", [x, y, rest @ ..]) => {
            let weights = rest.first().map(of);
            crate::calculator::errors(&of(x), &of(y), weights.as_deref(), name == "slope")
        }
        ("equivalence", [volume, _]) => {
            let (volumes, at) = (of(volume), calculator.work(ast).number());
            let here = volumes.windows(2).position(|w| w[0] <= at && at <= w[1]).unwrap_or(0);
            let step = |n: usize| volumes.get(n + 1).zip(volumes.get(n)).map_or(f64::INFINITY, |(b, a)| b - a);
            let finest = step(here).min(step(here.saturating_sub(1)));
            if finest.is_finite() { finest / 2.0 / 3f64.sqrt() } else { 0.0 }
        }
        _ => 0.0,
    }
}
