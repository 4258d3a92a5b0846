//! A team works its table through, line after line, with a calculator, from what stands on its sheet – and types it.

use std::collections::{BTreeMap, HashMap};

use jurado_core::formula::ast::{Ast, AstKind, Operator};
use jurado_core::protocol::{ItemKind, Protocol, Rejection, Tolerance};
use jurado_core::submission::{Submission, SubmittedCell};

use crate::calculator::{Calculator, Deed, Scales, Val, to_figures};
use crate::class::Mix;
use crate::mistake::{Act, Chancy};
use crate::pen::{Keyed, other_digit, swapped};
use crate::random::Chance;
use crate::world::{Seen, Shown, World, decimals_of, looked_up, word_of};

/// How a person rounds and writes down. All are honest.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Style {
    /// Goes on with the display, writes what the readings support.
    FullPrecision,
    /// Goes on with what is written.
    Chained,
    /// Now one, now the other.
    Mixed,
    /// Cuts off.
    CutOff,
    /// Rounds after every key.
    EveryStep,
    /// π as 3.14.
    ShortPi,
    /// Copies the display.
    Dump,
    /// A nought too many.
    TrailingZeros,
    /// Always six figures.
    SixFigures,
    /// Rounds twice: to one figure more, then to what is written.
    RoundsTwice,
}

impl Style {
    /// All of them.
    pub const ALL: [Style; 10] = [
        Style::FullPrecision,
        Style::Chained,
        Style::Mixed,
        Style::CutOff,
        Style::EveryStep,
        Style::ShortPi,
        Style::Dump,
        Style::TrailingZeros,
        Style::SixFigures,
        Style::RoundsTwice,
    ];
}

/// A formula of the lab, as it stands on the sheet.
pub(crate) struct Line {
    pub(crate) item: usize,
    pub(crate) ast: Ast,
    /// The lab's own formula for its standard uncertainty.
    pub(crate) uncertainty: Option<Ast>,
}

/// What is planted: the result's place among the lines, the mistake, and a row if it happened in one row only.
#[derive(Clone, Debug)]
pub(crate) struct Plan {
    pub(crate) line: usize,
    pub(crate) row: Option<usize>,
    pub(crate) chancy: Chancy,
}

pub(crate) struct Worker<'a> {
    pub(crate) protocol: &'a Protocol,
    pub(crate) world: &'a World,
    pub(crate) lines: &'a [Line],
    pub(crate) keys: &'a BTreeMap<String, String>,
    pub(crate) style: Style,
    pub(crate) mix: Mix,
    pub(crate) plans: Vec<Plan>,
}

/// What came of a plan: the right and the wrong value, in the result's unit.
#[derive(Clone, Debug, Default)]
pub(crate) struct Outcome {
    pub(crate) right: f64,
    pub(crate) wrong: f64,
    /// Half a unit of the last place written.
    pub(crate) half: f64,
    pub(crate) figures: i32,
}

/// Rows that do not count, by item.
pub(crate) type Left = HashMap<String, Vec<bool>>;

impl Worker<'_> {
    /// What stands on the sheet before anything is worked out.
    pub(crate) fn sheet(&self, seen: &Seen) -> HashMap<String, Val> {
        let protocol = self.protocol;
        let mut names: HashMap<String, Val> = HashMap::new();
        let mut columns: HashMap<usize, Vec<(usize, f64, String)>> = HashMap::new();
        for r in &seen.readings {
            match r.row {
                None if protocol.items[r.item].words.is_some() => {
                    names.insert(protocol.items[r.item].id.clone(), Val::Word(r.text.clone()));
                }
                None => {
                    names.insert(protocol.items[r.item].id.clone(), Val::One(r.si));
                }
                Some(row) => columns.entry(r.item).or_default().push((row as usize - 1, r.si, r.text.clone())),
            }
        }
        for (item, cells) in columns {
            let table = protocol.table_of(item);
            let rows = table
                .and_then(|t| seen.rows.get(&t).copied())
                .unwrap_or_else(|| cells.iter().map(|c| c.0 + 1).max().unwrap_or(0));
            let id = protocol.items[item].id.clone();
            if protocol.items[item].words.is_some() {
                let mut column = vec![String::new(); rows];
                cells.into_iter().filter(|c| c.0 < rows).for_each(|(r, _, w)| column[r] = w);
                names.insert(id, Val::Words(column));
            } else {
                let mut column = vec![f64::NAN; rows];
                cells.into_iter().filter(|c| c.0 < rows).for_each(|(r, v, _)| column[r] = v);
                names.insert(id, Val::Many(column));
            }
        }
        for p in &protocol.parameters {
            names.insert(protocol.items[p.item].id.clone(), Val::One(p.value));
        }
        for reference in &protocol.references {
            let id = protocol.items[reference.item].id.clone();
            let table = reference.key.and_then(|k| protocol.tables.iter().position(|t| t.key == Some(k)));
            let value = match table.and_then(|t| seen.row_keys.get(&t)) {
                Some(rows) => Val::Many(
                    rows.iter()
                        .map(|v| {
                            let mut keys = self.keys.clone();
                            if let Some(k) = reference.key {
                                keys.insert(protocol.keys[k].id.clone(), v.clone());
                            }
                            looked_up(protocol, reference, &keys, &names)
                        })
                        .collect(),
                ),
                None => Val::One(looked_up(protocol, reference, self.keys, &names)),
            };
            names.insert(id, value);
        }
        names
    }

    /// Rows that do not count from the start: planned rough runs.
    pub(crate) fn rough(&self, names: &HashMap<String, Val>) -> Left {
        let mut left = Left::new();
        for (t, table) in self.protocol.tables.iter().enumerate() {
            let Some((column, word)) = table.rough else { continue };
            let item = &self.protocol.items[column];
            let word = item.words.as_ref().and_then(|w| w.get(word as usize)).cloned().unwrap_or_default();
            if let Some(Val::Words(ws)) = names.get(&item.id) {
                let out: Vec<bool> = ws.iter().map(|w| *w == word).collect();
                self.leave_out(&mut left, t, &out);
            }
        }
        left
    }

    fn leave_out(&self, left: &mut Left, table: usize, out: &[bool]) {
        for (i, item) in self.protocol.items.iter().enumerate() {
            if self.protocol.table_of(i) == Some(table) {
                let mine = left.entry(item.id.clone()).or_insert_with(|| vec![false; out.len()]);
                mine.iter_mut().zip(out).for_each(|(m, o)| *m |= *o);
            }
        }
    }

    fn calculator<'c>(&self, names: &HashMap<String, Val>, left: &Left) -> Calculator<'c> {
        let mut c = Calculator { names: names.clone(), out: left.clone(), ..Calculator::default() };
        match self.style {
            #[allow(clippy::approx_constant)]
            Style::ShortPi => c.pi = Some(3.14),
            Style::EveryStep => c.steps = Some(5),
            _ => {}
        }
        c
    }

    /// Every result at full precision from given readings, nothing mistaken.
    pub(crate) fn chain(&self, names: HashMap<String, Val>, left: &Left) -> HashMap<String, Val> {
        self.chain_off(names, left, None, &HashMap::new())
    }

    /// The same with one result off by so much, and some that stand as they are given.
    fn chain_off(
        &self,
        mut names: HashMap<String, Val>,
        left: &Left,
        off: Option<(usize, f64)>,
        fixed: &HashMap<String, Val>,
    ) -> HashMap<String, Val> {
        for line in self.lines {
            let c = Calculator { names, out: left.clone(), ..Calculator::default() };
            let mut v = c.work(&line.ast);
            if let (Some((item, by)), Val::One(x)) = (off, &mut v)
                && item == line.item
            {
                *x += by;
            }
            names = c.names;
            let id = &self.protocol.items[line.item].id;
            names.insert(id.clone(), fixed.get(id).cloned().unwrap_or(v));
        }
        names
    }

    /// The values of the results whose uncertainty has a formula of its own: readings do not move them.
    fn with_own_uncertainty(&self, base: &HashMap<String, Val>) -> HashMap<String, Val> {
        let own = self.lines.iter().filter(|l| l.uncertainty.is_some());
        let ids = own.map(|l| &self.protocol.items[l.item].id);
        ids.filter_map(|id| Some((id.clone(), base.get(id)?.clone()))).collect()
    }

    /// Standard uncertainty of every result that asks for one, SI: readings moved one after another by theirs.
    fn uncertainties(&self, seen: &Seen, names: &HashMap<String, Val>, left: &Left) -> HashMap<usize, Vec<f64>> {
        let asked: Vec<usize> = self.protocol.results.iter().filter(|r| r.plus_minus).map(|r| r.item).collect();
        let mut out: HashMap<usize, Vec<f64>> = HashMap::new();
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
        let shift = |names: &mut HashMap<String, Val>, item: usize, row: Option<usize>, by: f64| match (
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
            if !events && spec.is_some_and(|s| s.kind != jurado_core::protocol::ReadingKind::Number) {
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
                let of = |item: usize| match (names.get(&self.protocol.items[item].id), row) {
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

    /// Works the table through. Gives the table and what came of each plan.
    pub(crate) fn work(
        &self,
        section: &str,
        team: &str,
        seen: &Seen,
        mut left: Left,
        chance: &mut Chance,
    ) -> (Submission, Vec<Outcome>) {
        let mut names = self.sheet(seen);
        for (name, out) in self.rough(&names) {
            let mine = left.entry(name).or_insert_with(|| vec![false; out.len()]);
            mine.iter_mut().zip(out).for_each(|(m, o)| *m |= o);
        }
        let uncertain = self.uncertainties(seen, &names, &left);
        let mut cells: Vec<SubmittedCell> = seen.readings.iter().map(|r| self.reading_cell(r, seen)).collect();
        let mut outcomes = vec![Outcome::default(); self.plans.len()];
        let keyed: Vec<Option<Keyed>> = self.plans.iter().map(|p| self.keyed(p, seen, chance)).collect();
        // The right chain beside the sheet, to know what a plan has changed.
        for (n, line) in self.lines.iter().enumerate() {
            let item = &self.protocol.items[line.item];
            let answer = self.world.answers.get(&item.id);
            if let Some(when) = answer.and_then(|a| a.when.as_ref()) {
                let mut c = self.calculator(&names, &left);
                c.names.extend(
                    seen.truth.iter().filter(|(k, _)| !names.contains_key(*k)).map(|(k, v)| (k.clone(), v.clone())),
                );
                if c.work(when).number() != 1.0 {
                    continue;
                }
            }
            let right = match self.style {
                Style::EveryStep => self.keyed_in(None, line, &names, &left),
                _ => self.calculator(&names, &left).work(&line.ast),
            };
            let planned: Vec<(usize, &Plan)> = self.plans.iter().enumerate().filter(|(_, p)| p.line == n).collect();
            let mut value = right.clone();
            for (p, plan) in &planned {
                value = self.mistaken(plan, line, &names, &left, value, keyed[*p].as_ref());
            }
            let rows: Vec<Option<usize>> = match &value {
                Val::Many(xs) => (0..xs.len()).map(Some).collect(),
                _ => vec![None],
            };
            let mut kept = Vec::new();
            let mut nothing = false;
            for row in rows {
                let si = value.row(row).number();
                if !si.is_finite() {
                    kept.push(f64::NAN);
                    nothing |= right.row(row).number().is_finite();
                    continue;
                }
                let spec = &self.protocol.results[match item.kind {
                    ItemKind::Result(r) => r,
                    _ => continue,
                }];
                let in_unit = if spec.guess {
                    to_figures(item.from_si(si) * chance.between(0.7, 1.3), 2)
                } else {
                    item.from_si(si)
                };
                let u = uncertain.get(&line.item).and_then(|u| u.get(row.unwrap_or(0))).map(|u| u / item.unit.factor);
                let (style, figures) = (self.now(chance), self.figures(line, seen, &names, in_unit));
                let mut text = self.written(style, in_unit, figures, self.decimals(line, seen), u, spec.plus_minus);
                let shown = number(&text);
                let mut keeps = if goes_on(style) { item.to_si(shown) } else { si };
                for (p, plan) in &planned {
                    if plan.row.is_some_and(|r| Some(r) != row) {
                        continue;
                    }
                    let before = text.clone();
                    match &plan.chancy.act {
                        Act::DigitsSwapped => text = swapped(&text, chance),
                        Act::DigitWrong => text = other_digit(&text, chance),
                        Act::PointMoved(by) => {
                            text = self.written(style, in_unit * 10f64.powi(*by), figures, None, None, false)
                        }
                        _ => {}
                    }
                    if before != text && chance.happens(0.5) {
                        // What is copied wrongly may also be what one goes on with.
                        keeps = item.to_si(number(&text));
                    }
                    let clean = item.from_si(right.row(row).number());
                    if !matches!(plan.chancy.act, Act::ReadingMistyped(_) | Act::Rewritten(..)) {
                        outcomes[*p] = Outcome {
                            right: clean,
                            wrong: number(&text),
                            half: half_of(&text),
                            figures: significant(&text),
                        };
                    }
                }
                kept.push(keeps);
                let plus_minus = match u.filter(|u| spec.plus_minus && *u > 0.0) {
                    Some(u) if text.contains('e') => {
                        let power = text.split_once('e').map_or("0", |(_, e)| e);
                        let places = text.split(['.', 'e']).nth(1).filter(|_| text.contains('.')).map_or(0, str::len);
                        let scaled = u / 10f64.powi(power.parse().unwrap_or(0));
                        format!(
                            "{:.places$}e{power}",
                            (scaled * chance.between(0.85, 1.2)).max(10f64.powi(-(places as i32)))
                        )
                    }
                    Some(u) => {
                        let places = text.split_once('.').map_or(0, |(_, d)| d.len());
                        let least = 10f64.powi(-(places as i32));
                        format!("{:.places$}", (u * chance.between(0.85, 1.2)).max(least))
                    }
                    None => String::new(),
                };
                cells.push(SubmittedCell {
                    item: item.id.clone(),
                    row: row.map(|r| r as u32 + 1),
                    value: text,
                    unit: if item.unit.text == "1" { String::new() } else { item.unit.text.clone() },
                    plus_minus,
                    ..SubmittedCell::default()
                });
            }
            let kept = if let Val::Many(_) = value {
                Val::Many(kept)
            } else {
                Val::One(kept.first().copied().unwrap_or(f64::NAN))
            };
            // A calculator that shows an error makes nobody write anything.
            for (p, _) in planned.iter().filter(|_| nothing) {
                outcomes[*p].wrong = f64::NAN;
            }
            names.insert(item.id.clone(), kept);
            self.concordance(line, &names, &mut left);
        }
        self.words(seen, &names, &left, &mut cells);
        for (p, plan) in self.plans.iter().enumerate() {
            let changes = self.written_otherwise(plan, &cells, chance);
            if !changes.is_empty() {
                outcomes[p] = self.shown_by(plan, &changes, (seen, &left), &cells).unwrap_or_default();
            }
            for (c, after) in changes {
                cells[c].value = after;
            }
        }
        let submission = Submission {
            section: section.to_owned(),
            team: team.to_owned(),
            keys: self.keys.clone(),
            cells,
            waiting: 0,
        };
        (submission, outcomes)
    }

    fn now(&self, chance: &mut Chance) -> Style {
        match self.style {
            Style::Mixed => [Style::FullPrecision, Style::Chained, Style::CutOff, Style::Dump][chance.one_of(4)],
            s => s,
        }
    }

    fn mistaken(
        &self,
        plan: &Plan,
        line: &Line,
        names: &HashMap<String, Val>,
        left: &Left,
        right: Val,
        keyed: Option<&Keyed>,
    ) -> Val {
        let wrong = match &plan.chancy.act {
            Act::Deed(deed) => self.keyed_in(Some(deed), line, names, left),
            Act::AnswerUnit(f) | Act::Muddle(f) => scaled(&right, *f),
            Act::Formula(ast) => self.calculator(names, left).work(ast),
            Act::ReadingMiskeyed(name) | Act::OtherNumber(name) => {
                let Some(keyed) = keyed else { return right };
                let mut names = names.clone();
                match (names.get_mut(name), keyed.row) {
                    (Some(Val::Many(xs)), Some(row)) if row < xs.len() => xs[row] = keyed.si,
                    (Some(Val::One(x)), _) => *x = keyed.si,
                    _ => return right,
                }
                self.calculator(&names, left).work(&line.ast)
            }
            _ => return right,
        };
        match (plan.row, &wrong, right) {
            (Some(row), Val::Many(ws), Val::Many(mut rs)) => {
                if let (Some(r), Some(w)) = (rs.get_mut(row), ws.get(row)) {
                    *r = *w;
                }
                Val::Many(rs)
            }
            _ => wrong,
        }
    }

    /// The formula keyed in, perhaps with something done otherwise, in the units of the sheet: those of the answer, else of what
    /// goes in. A slip that keeps the dimension comes out the same in any.
    fn keyed_in(&self, deed: Option<&Deed>, line: &Line, names: &HashMap<String, Val>, left: &Left) -> Val {
        let item = &self.protocol.items[line.item];
        let mut base = [1.0; 7];
        let used = crate::mistake::names_of(&line.ast);
        for (b, scale) in base.iter_mut().enumerate().take(6) {
            if b == 4 {
                continue;
            }
            let of = |n: &String| self.protocol.item(n).and_then(|i| self.protocol.items[i].unit.scales[b]);
            *scale = item.unit.scales[b].or(used.iter().find_map(of)).unwrap_or(1.0);
        }
        let scales: Scales =
            self.protocol.items.iter().map(|i| (i.id.clone(), i.unit.dimension.in_scales(&base))).collect();
        let mut c = self.calculator(names, left);
        c.scales = Some(&scales);
        c.base = Some(base);
        c.deed = deed;
        scaled(&c.work(&line.ast), item.unit.dimension.in_scales(&base))
    }

    /// The largest set of values that agree is what counts from here on.
    fn concordance(&self, line: &Line, names: &HashMap<String, Val>, left: &mut Left) {
        let item = &self.protocol.items[line.item];
        let ItemKind::Result(r) = item.kind else { return };
        let spec = &self.protocol.results[r];
        let (Some(Rejection::Concordance(tolerance)), Some(table)) = (spec.rejection, spec.table) else { return };
        let Some(Val::Many(xs)) = names.get(&item.id) else { return };
        let out = left.get(&item.id).cloned().unwrap_or_else(|| vec![false; xs.len()]);
        let values: Vec<(usize, f64)> = xs
            .iter()
            .enumerate()
            .filter(|(i, x)| !x.is_nan() && !out.get(*i).copied().unwrap_or(false))
            .map(|(i, x)| (i, item.from_si(*x)))
            .collect();
        let within = |v: f64| match tolerance {
            Tolerance::Within(t) => t,
            Tolerance::Percent(p) => p / 100.0 * v.abs(),
        };
        let mut best: Vec<usize> = Vec::new();
        let mut best_spread = f64::INFINITY;
        for (_, low) in &values {
            let set: Vec<&(usize, f64)> =
                values.iter().filter(|(_, v)| *v >= *low && *v - *low <= within(*low) + 1e-9).collect();
            let spread = set.iter().map(|s| s.1 - low).fold(0.0, f64::max);
            let later = set.iter().map(|s| s.0).sum::<usize>() >= best.iter().sum();
            let same = (spread - best_spread).abs() < 1e-9;
            if set.len() > best.len() || (set.len() == best.len() && (spread < best_spread && !same || same && later)) {
                best = set.iter().map(|s| s.0).collect();
                best_spread = spread;
            }
        }
        if best.len() >= 2 {
            let drop: Vec<bool> = (0..xs.len()).map(|i| !best.contains(&i)).collect();
            self.leave_out(left, table, &drop);
        }
    }

    fn words(&self, seen: &Seen, names: &HashMap<String, Val>, left: &Left, cells: &mut Vec<SubmittedCell>) {
        for spec in &self.protocol.results {
            let item = &self.protocol.items[spec.item];
            if item.words.is_none() {
                continue;
            }
            let Some(answer) = self.world.answers.get(&item.id) else { continue };
            let mut all = seen.truth.clone();
            all.extend(names.clone());
            let table = spec.table;
            let rows: Vec<Option<usize>> = match table.and_then(|t| seen.rows.get(&t)) {
                Some(n) => (0..*n).map(Some).collect(),
                None => vec![None],
            };
            for row in rows {
                let here: HashMap<String, Val> = all
                    .iter()
                    .map(|(k, v)| {
                        let mine =
                            table.is_some() && self.protocol.item(k).is_none_or(|i| self.protocol.table_of(i) == table);
                        (k.clone(), if mine { v.row(row) } else { v.clone() })
                    })
                    .collect();
                let c = Calculator { names: here, out: left.clone(), ..Calculator::default() };
                if answer.when.as_ref().is_some_and(|w| c.work(w).number() != 1.0) {
                    continue;
                }
                let word = word_of(&answer.words, &c);
                if !word.is_empty() {
                    cells.push(SubmittedCell {
                        item: item.id.clone(),
                        row: row.map(|r| r as u32 + 1),
                        value: word,
                        ..SubmittedCell::default()
                    });
                }
            }
        }
        for cell in cells.iter_mut() {
            if let (Some(t), Some(row)) =
                (self.protocol.item(&cell.item).and_then(|i| self.protocol.table_of(i)), cell.row)
                && let (Some(key), Some(rows)) = (self.protocol.tables[t].key, seen.row_keys.get(&t))
                && let Some(value) = rows.get(row as usize - 1)
            {
                cell.keys.insert(self.protocol.keys[key].id.clone(), value.clone());
            }
        }
    }

    fn reading_cell(&self, r: &Shown, _seen: &Seen) -> SubmittedCell {
        let item = &self.protocol.items[r.item];
        SubmittedCell {
            item: item.id.clone(),
            row: r.row,
            value: r.text.clone(),
            unit: if item.unit.text == "1" || item.words.is_some() { String::new() } else { item.unit.text.clone() },
            ..SubmittedCell::default()
        }
    }

    /// Decimals of a sum or difference of readings alone: those of the coarsest.
    fn decimals(&self, line: &Line, seen: &Seen) -> Option<usize> {
        let item = &self.protocol.items[line.item];
        if let Some(d) = self.world.answers.get(&item.id).and_then(|a| a.decimals) {
            return Some(d);
        }
        if self.world.answers.get(&item.id).is_some_and(|a| a.figures.is_some()) || !sum_of_names(&line.ast) {
            return None;
        }
        let mut places: Option<usize> = None;
        for name in crate::mistake::names_of(&line.ast) {
            let i = self.protocol.item(&name)?;
            let same = (self.protocol.items[i].unit.factor / item.unit.factor - 1.0).abs() < 1e-9;
            let step = seen.readings.iter().find(|r| r.item == i && r.step > 0.0)?.step;
            if !same {
                return None;
            }
            places = Some(places.map_or(decimals_of(step), |p| p.min(decimals_of(step))));
        }
        places
    }

    /// Figures a person keeps: those of the reading with the fewest, at least three, at most five.
    fn figures(&self, line: &Line, seen: &Seen, names: &HashMap<String, Val>, value: f64) -> i32 {
        let item = &self.protocol.items[line.item];
        if let Some(f) = self.world.answers.get(&item.id).and_then(|a| a.figures) {
            return f;
        }
        let _ = (names, value);
        let fewest = crate::mistake::names_of(&line.ast)
            .iter()
            .filter_map(|n| self.protocol.item(n))
            .flat_map(|i| seen.readings.iter().filter(move |r| r.item == i && r.step > 0.0 && r.si != 0.0))
            .filter(|r| {
                self.protocol.reading_of(r.item).is_some_and(|s| s.kind == jurado_core::protocol::ReadingKind::Number)
            })
            .map(|r| significant(&r.text))
            .min();
        fewest.unwrap_or(4).clamp(3, 5)
    }

    fn written(
        &self,
        style: Style,
        value: f64,
        figures: i32,
        decimals: Option<usize>,
        u: Option<f64>,
        plus_minus: bool,
    ) -> String {
        // Two figures of the ± say where the value ends.
        let place = match (u.filter(|u| plus_minus && *u > 0.0 && *u < 0.3 * value.abs()), decimals) {
            (Some(u), _) => 1 - u.log10().floor() as i32,
            (None, Some(d)) => d as i32,
            _ => figures - 1 - value.abs().max(1e-300).log10().floor() as i32,
        };
        match style {
            Style::Dump => at_place(value, 9 - value.abs().max(1e-300).log10().floor().max(0.0) as i32, Round::Half),
            Style::CutOff => at_place(value, place, Round::Cut),
            Style::RoundsTwice => at_place(value, place, Round::Twice),
            Style::TrailingZeros => {
                let t = at_place(value, place, Round::Half);
                if t.contains('.') && !t.contains('e') { format!("{t}0") } else { t }
            }
            Style::SixFigures => at_place(value, 5 - value.abs().max(1e-300).log10().floor() as i32, Round::Half),
            _ => at_place(value, place, Round::Half),
        }
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

fn goes_on(style: Style) -> bool {
    matches!(style, Style::Chained | Style::CutOff | Style::EveryStep | Style::RoundsTwice)
}

fn scaled(v: &Val, f: f64) -> Val {
    match v {
        Val::One(x) => Val::One(x * f),
        Val::Many(xs) => Val::Many(xs.iter().map(|x| x * f).collect()),
        v => v.clone(),
    }
}

fn sum_of_names(ast: &Ast) -> bool {
    match &ast.kind {
        AstKind::Name(n) => n != "pi",
        AstKind::Binary(Operator::Add | Operator::Subtract, a, b) => sum_of_names(a) && sum_of_names(b),
        _ => false,
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Round {
    Half,
    Cut,
    Twice,
}

/// A number ending so many places after the point (negative before it), in powers of ten where it is tiny or huge.
fn at_place(value: f64, place: i32, round: Round) -> String {
    let ten = 10f64.powi(place.clamp(-300, 300));
    let whole = value * ten;
    let whole = match round {
        Round::Half => whole.round(),
        Round::Cut => (whole * (1.0 + 1e-14)).trunc(),
        Round::Twice => ((whole * 10.0).round() / 10.0).round(),
    };
    if whole == 0.0 || !whole.is_finite() {
        return format!("{:.*}", place.clamp(0, 9) as usize, 0.0);
    }
    let rounded = whole / ten;
    let size = rounded.abs();
    if (1e-3..1e6).contains(&size) && place >= 0 {
        return format!("{rounded:.*}", place as usize);
    }
    let lead = size.log10().floor() as i32;
    if (1.0..1e6).contains(&size) && place < 0 && lead + place < 3 {
        // Noughts that only hold places are written out, as people do.
        return format!("{rounded:.0}");
    }
    format!("{:.*}e{lead}", (lead + place).clamp(0, 12) as usize, rounded / 10f64.powi(lead))
}

/// The number a text stands for.
pub(crate) fn number(text: &str) -> f64 {
    text.trim_start_matches(['<', '>']).replace(',', ".").parse().unwrap_or(f64::NAN)
}

pub(crate) fn half_of(text: &str) -> f64 {
    let (mantissa, power) = text.split_once('e').unwrap_or((text, "0"));
    let places = mantissa.split_once('.').map_or(0, |(_, d)| d.len() as i32);
    0.5 * 10f64.powi(power.parse::<i32>().unwrap_or(0) - places)
}

/// Significant figures of a text.
pub(crate) fn significant(text: &str) -> i32 {
    let mantissa = text.split('e').next().unwrap_or(text);
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    digits.trim_start_matches('0').len() as i32
}
