//! A team works its table through, line after line, with a calculator, from what stands on its sheet – and types it.

mod spread;
mod writing;

use std::collections::{BTreeMap, HashMap};

use jurado_core::formula::ast::Ast;
use jurado_core::protocol::{ItemId, ItemKind, Protocol, Rejection, TableId, Tolerance};
use jurado_core::submission::{Submission, SubmittedCell};

pub(crate) use writing::{half_of, number, significant};

use crate::calculator::{Calculator, Deed, Scales, Val, to_figures};
use crate::class::Mix;
use crate::mistake::{Act, Chancy};
use crate::pen::{Keyed, other_digit, swapped};
use crate::random::Chance;
use crate::world::{Seen, Shown, World, looked_up, word_of};

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
    pub(crate) item: ItemId,
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
        let mut columns: HashMap<ItemId, Vec<(usize, f64, String)>> = HashMap::new();
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
            let table = reference.key.and_then(|k| TableId::with(&protocol.tables).find(|(_, t)| t.key == Some(k)));
            let value = match table.and_then(|(t, _)| seen.row_keys.get(&t)) {
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
        for (t, table) in TableId::with(&self.protocol.tables) {
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

    fn leave_out(&self, left: &mut Left, table: TableId, out: &[bool]) {
        for (i, item) in ItemId::with(&self.protocol.items) {
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
        off: Option<(ItemId, f64)>,
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
        let mut cells: Vec<SubmittedCell> = seen.readings.iter().map(|r| self.reading_cell(r)).collect();
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
                let (style, figures) = (self.now(chance), self.figures(line, seen));
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
            ..Submission::default()
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

    pub(crate) fn reading_cell(&self, r: &Shown) -> SubmittedCell {
        let item = &self.protocol.items[r.item];
        SubmittedCell {
            item: item.id.clone(),
            row: r.row,
            value: r.text.clone(),
            unit: if item.unit.text == "1" || item.words.is_some() { String::new() } else { item.unit.text.clone() },
            ..SubmittedCell::default()
        }
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
