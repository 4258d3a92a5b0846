//! A whole class of a lab: who measured what, what was planted, and the truth beside the tables.

use std::collections::{BTreeMap, HashMap};

use jurado_core::error::Fault;
use jurado_core::formula::ast::{Ast, AstKind};
use jurado_core::formula::parse;
use jurado_core::protocol::{ItemId, Protocol, ReadingKind, Rule};
use jurado_core::submission::Submission;
use serde::Deserialize;

use crate::mistake::{Act, Chancy, Rewrite, chances, miskeyed, misput, names_of, rewritings};
use crate::random::{Chance, seed_of};
use crate::truth::{Outlier, Planted, TableTruth, Truth};
use crate::worker::{Left, Line, Outcome, Plan, Style, Worker};
use crate::world::{Room, Seen, World};

/// How often kinds of mistake happen beside each other.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Mix {
    /// As often as in the judging specification.
    #[default]
    Usual,
    /// Each as often as any other, so that rare kinds are measured too.
    Even,
    /// As usual, with slips of the pen as often as people make them: readings copied wrongly into the sheet or keyed wrongly
    /// into one calculation, a digit of a constant, a miscount.
    Pen,
}

/// Kinds that happen more often than the rest, which happen three times in a hundred each.
const FREQUENT: [(&str, f64); 14] = [
    ("unit-factor", 0.18),
    ("radius-diameter", 0.10),
    ("term-omitted", 0.10),
    ("literal", 0.08),
    ("reading-mistyped", 0.08),
    ("decimal-point", 0.06),
    ("power", 0.05),
    ("inverted", 0.05),
    ("sign", 0.05),
    ("other-station", 0.05),
    ("digits-swapped", 0.05),
    ("digit-wrong", 0.05),
    ("exclusion", 0.04),
    ("swapped", 0.04),
];

/// What to simulate.
#[derive(Clone, Debug)]
pub struct Order {
    /// Names of the sections.
    pub sections: Vec<String>,
    /// Teams of each section.
    pub teams: usize,
    /// Names of teams; `Team n` beyond them.
    pub names: Vec<String>,
    /// Seed.
    pub seed: u64,
    /// Share of teams with a planted mistake in working the table through.
    pub slips: f64,
    /// Share of those mistakes that nobody has thought of.
    pub unmodelled: f64,
    /// How often each kind happens.
    pub mix: Mix,
    /// Share of teams with trouble among the readings: one pushed far off, one forgotten, one made up.
    pub troubles: f64,
    /// Faults of apparatus, by their ids in the world.
    pub faults: Vec<String>,
    /// Sections that were all taught one wrong thing: the section, and the id of the declared slip.
    pub habits: Vec<(String, String)>,
    /// Teams that copied: section, team, and whose readings.
    pub copies: Vec<(String, usize, usize)>,
    /// Whether every typing style may come up, or plain typing alone.
    pub typing: bool,
}

impl Default for Order {
    fn default() -> Order {
        Order {
            sections: vec!["Morning".to_owned()],
            teams: 14,
            names: Vec::new(),
            seed: 1,
            slips: 0.3,
            unmodelled: 0.15,
            mix: Mix::Usual,
            troubles: 0.1,
            faults: Vec::new(),
            habits: Vec::new(),
            copies: Vec::new(),
            typing: true,
        }
    }
}

/// A simulated class.
#[derive(Clone, Debug)]
pub struct Class {
    /// Tables.
    pub tables: Vec<Submission>,
    /// What is true of them.
    pub truth: Truth,
}

/// A lab that can be simulated: its protocol and its world.
pub struct Lab {
    /// Protocol.
    pub protocol: Protocol,
    world: World,
    lines: Vec<Line>,
    declared: Vec<(String, String, Ast)>,
}

#[derive(Deserialize)]
struct DeclaredOnly {
    #[serde(default)]
    slip: Vec<DeclaredSlip>,
}

#[derive(Deserialize)]
struct DeclaredSlip {
    id: String,
    result: String,
    formula: String,
}

/// A formula with the hidden results that it names written out.
fn unfolded(ast: &Ast, hidden: &HashMap<String, Ast>) -> Ast {
    let inner = |a: &Ast| Box::new(unfolded(a, hidden));
    let kind = match &ast.kind {
        AstKind::Name(name) => match hidden.get(name) {
            Some(known) => return known.clone(),
            None => ast.kind.clone(),
        },
        AstKind::Negative(a) => AstKind::Negative(inner(a)),
        AstKind::Binary(op, a, b) => AstKind::Binary(*op, inner(a), inner(b)),
        AstKind::Compare(op, a, b) => AstKind::Compare(*op, inner(a), inner(b)),
        AstKind::Call(name, args) => AstKind::Call(name.clone(), args.iter().map(|a| unfolded(a, hidden)).collect()),
        AstKind::Number { .. } | AstKind::Word(_) => ast.kind.clone(),
    };
    Ast { kind, span: ast.span.clone() }
}

impl Lab {
    /// A lab from the texts of its protocol and its world.
    ///
    /// # Errors
    /// Faults of the protocol, or of the world, with `true` for the world.
    pub fn new(protocol_text: &str, world_text: &str) -> Result<Lab, (bool, Vec<Fault>)> {
        let protocol = Protocol::parse(protocol_text).map_err(|f| (false, f))?;
        let world = World::parse(world_text, &protocol).map_err(|f| (true, f))?;
        // Both were just read: what parses once parses again. A hidden result is worked out on the way.
        let mut hidden: HashMap<String, Ast> = HashMap::new();
        for (id, text) in &protocol.hidden {
            if let Ok(ast) = parse(text) {
                let ast = unfolded(&ast, &hidden);
                hidden.insert(id.clone(), ast);
            }
        }
        let read = |text: &str| parse(text).ok().map(|ast| unfolded(&ast, &hidden));
        let lines = protocol
            .results
            .iter()
            .filter(|r| protocol.items[r.item].words.is_none())
            .filter_map(|r| Some(Line { item: r.item, ast: read(&r.text)?, uncertainty: read(&r.uncertainty_text) }))
            .collect();
        let slips = toml::from_str::<DeclaredOnly>(protocol_text).map(|d| d.slip).unwrap_or_default();
        let declared = slips.into_iter().filter_map(|s| Some((s.id, s.result, read(&s.formula)?))).collect();
        Ok(Lab { protocol, world, lines, declared })
    }

    /// Faults of apparatus that its world knows, with what they are.
    pub fn faults(&self) -> impl Iterator<Item = (&str, &str)> {
        self.world.faults.iter().map(|f| (f.id.as_str(), f.says.as_str()))
    }

    /// Its results with their formulas as they are typed.
    pub(crate) fn lines(&self) -> &[Line] {
        &self.lines
    }

    fn keys(&self, section: usize, team: usize) -> BTreeMap<String, String> {
        let of_rows: Vec<usize> = self.protocol.tables.iter().filter_map(|t| t.key).collect();
        self.protocol
            .keys
            .iter()
            .enumerate()
            .filter(|(i, _)| !of_rows.contains(i))
            .map(|(_, k)| (k.id.clone(), k.values[(team + section) % k.values.len()].clone()))
            .collect()
    }

    /// Simulates a class.
    pub fn simulate(&self, order: &Order) -> Class {
        let mut tables = Vec::new();
        let mut truths: Vec<TableTruth> = Vec::new();
        for (s, section) in order.sections.iter().enumerate() {
            let mut seen_before: Vec<(Seen, BTreeMap<String, String>)> = Vec::new();
            for t in 0..order.teams {
                let name = order.names.get(s * order.teams + t).cloned().unwrap_or_else(|| format!("Team {}", t + 1));
                let mut chance = Chance::new(seed_of(order.seed, &[section, &t.to_string()]));
                let copied = order.copies.iter().find(|c| c.0 == *section && c.1 == t && c.2 < t).map(|c| c.2);
                let (table, truth, seen) =
                    self.team(order, section, (s, t), &name, copied.map(|c| &seen_before[c]), &mut chance);
                let mut truth = truth;
                truth.copied_from = copied.and_then(|c| truths.get(truths.len() - t + c).map(|x| x.team.clone()));
                seen_before.push((seen, truth.keys.clone()));
                tables.push(table);
                truths.push(truth);
            }
        }
        let truth = Truth {
            protocol: self.protocol.id.clone(),
            version: self.protocol.version,
            seed: order.seed,
            calculation: self
                .protocol
                .criteria
                .iter()
                .find(|c| matches!(c.rule, Rule::Calculation { .. }))
                .map(|c| c.id.clone())
                .unwrap_or_default(),
            tables: truths,
        };
        Class { tables, truth }
    }

    fn team(
        &self,
        order: &Order,
        section: &str,
        at: (usize, usize),
        name: &str,
        copied: Option<&(Seen, BTreeMap<String, String>)>,
        chance: &mut Chance,
    ) -> (Submission, TableTruth, Seen) {
        let keys = copied.map_or_else(|| self.keys(at.0, at.1), |c| c.1.clone());
        let room = Room { protocol: &self.protocol, world: &self.world, seed: order.seed, faults: &order.faults };
        let mut seen = room.measure(section, &keys, chance);
        if let Some((theirs, _)) = copied {
            seen.readings.clone_from(&theirs.readings);
            seen.rows.clone_from(&theirs.rows);
        }
        let style = Style::ALL[chance.one_of(Style::ALL.len())];
        let mut truth = TableTruth {
            section: section.to_owned(),
            team: name.to_owned(),
            keys: keys.clone(),
            style: format!("{style:?}"),
            typing: "Plain".to_owned(),
            planted: Vec::new(),
            outliers: Vec::new(),
            meant: Vec::new(),
            omitted: Vec::new(),
            copied_from: None,
            fabricated: false,
            faults: self
                .world
                .faults
                .iter()
                .filter(|f| order.faults.contains(&f.id) && keys.get(&f.key) == Some(&f.value))
                .map(|f| f.id.clone())
                .collect(),
        };
        let mut left = Left::new();
        let mut reasons: Vec<(ItemId, u32, String)> = Vec::new();
        if copied.is_none() && chance.happens(order.troubles) {
            self.trouble(&mut seen, &mut truth, &mut left, &mut reasons, chance);
        }
        let mut worker = Worker {
            protocol: &self.protocol,
            world: &self.world,
            lines: &self.lines,
            keys: &keys,
            style,
            mix: order.mix,
            plans: Vec::new(),
        };
        let habit =
            order.habits.iter().find(|h| h.0 == section).and_then(|h| self.declared.iter().find(|d| d.0 == h.1));
        if let Some((id, result, ast)) = habit
            && let Some(line) = self.lines.iter().position(|l| self.protocol.items[l.item].id == *result)
        {
            let chancy = Chancy {
                kind: format!("declared:{id}"),
                says: "as the section was taught".into(),
                act: Act::Formula(ast.clone()),
            };
            worker.plans.push(Plan { line, row: None, chancy });
        } else if chance.happens(order.slips) {
            let unmodelled = chance.happens(order.unmodelled);
            // A mistake that changes nothing on the sheet is none: another is tried.
            for _ in 0..40 {
                let Some(plan) = self.plan(&worker, &seen, unmodelled, chance) else { break };
                worker.plans = vec![plan];
                let mut trial = Chance::new(seed_of(order.seed, &[section, name, "trial"]));
                let (_, outcomes) = worker.work(section, name, &seen, left.clone(), &mut trial);
                if visible(&outcomes[0]) {
                    break;
                }
                worker.plans.clear();
            }
        }
        let mut writing = Chance::new(seed_of(order.seed, &[section, name, "trial"]));
        let (mut table, outcomes) = worker.work(section, name, &seen, left, &mut writing);
        truth.meant = worker.meant(&seen, &table);
        for (plan, outcome) in worker.plans.iter().zip(&outcomes) {
            let mut planted = self.planted(plan, outcome);
            let table =
                self.protocol.results.iter().find(|r| r.item == self.lines[plan.line].item).and_then(|r| r.table);
            if let (Some(_), Some(rows)) = (plan.row, table.and_then(|t| seen.rows.get(&t))) {
                // A column's points are shared by its rows, to the hundredth.
                planted.costs = (planted.costs / *rows as f64 * 100.0).ceil() / 100.0;
            }
            truth.planted.push(planted);
        }
        for (item, row, reason) in reasons {
            let id = &self.protocol.items[item].id;
            if let Some(c) = table.cells.iter_mut().find(|c| c.item == *id && c.row == Some(row)) {
                c.excluded = reason;
            }
        }
        if order.typing {
            truth.typing = self.type_it(&mut table, chance);
        }
        (table, truth, seen)
    }

    /// Something is wrong among the readings.
    fn trouble(
        &self,
        seen: &mut Seen,
        truth: &mut TableTruth,
        left: &mut Left,
        reasons: &mut Vec<(ItemId, u32, String)>,
        chance: &mut Chance,
    ) {
        let repeated: Vec<ItemId> = self
            .protocol
            .readings
            .iter()
            .filter(|r| {
                r.table.is_none() && r.kind == ReadingKind::Number && (r.replicates >= 3 || r.replicates_of.is_some())
            })
            .map(|r| r.item)
            .collect();
        let which = chance.one_of(4);
        if which <= 1 && !repeated.is_empty() {
            let item = repeated[chance.one_of(repeated.len())];
            let cause = self.protocol.causes.iter().find(|c| c.on.contains(&item));
            let values: Vec<f64> =
                seen.readings.iter().filter(|r| r.item == item).map(|r| r.text.parse().unwrap_or(f64::NAN)).collect();
            if values.len() < 3 || values.iter().any(|v| v.is_nan()) {
                return;
            }
            let mean = values.iter().sum::<f64>() / values.len() as f64;
            let sd = (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / (values.len() as f64 - 1.0)).sqrt();
            let row = chance.one_of(values.len());
            let Some(shown) = seen.readings.iter_mut().filter(|r| r.item == item).nth(row) else { return };
            let sd = sd.max(shown.step);
            let away = 12.0;
            let low = cause.map_or_else(|| chance.happens(0.5), |c| c.low);
            let v = mean + if low { -away * sd } else { away * sd };
            let places = crate::world::decimals_of(shown.step);
            let v = (v / shown.step).round() * shown.step;
            shown.text = format!("{v:.places$}");
            shown.si = self.protocol.items[item].to_si(shown.text.parse().unwrap_or(v));
            let excluded = cause.is_some() && chance.happens(0.5);
            if excluded {
                let mut out = vec![false; values.len()];
                out[row] = true;
                left.insert(self.protocol.items[item].id.clone(), out);
                let word = cause.and_then(|c| c.words.first().cloned()).unwrap_or_default();
                reasons.push((item, row as u32 + 1, word));
            }
            truth.outliers.push(Outlier {
                item: self.protocol.items[item].id.clone(),
                row: row as u32 + 1,
                cause: cause.map(|c| c.id.clone()).unwrap_or_default(),
                excluded,
                deviations: away,
            });
        } else if which == 2 {
            let plain: Vec<usize> = (0..seen.readings.len())
                .filter(|i| {
                    let spec = self.protocol.reading_of(seen.readings[*i].item);
                    spec.is_some_and(|s| !s.need.optional && s.kind == ReadingKind::Number && s.table.is_none())
                })
                .collect();
            if plain.is_empty() {
                return;
            }
            let gone = seen.readings.remove(plain[chance.one_of(plain.len())]);
            let id = &self.protocol.items[gone.item].id;
            truth.omitted.push(gone.row.map_or_else(|| id.clone(), |r| format!("{id}:{r}")));
        } else if !repeated.is_empty() {
            let item = repeated[chance.one_of(repeated.len())];
            let first = seen.readings.iter().find(|r| r.item == item).cloned();
            for r in seen.readings.iter_mut().filter(|r| r.item == item) {
                if let Some(f) = &first {
                    r.text.clone_from(&f.text);
                    r.si = f.si;
                }
            }
            truth.fabricated = true;
        }
    }

    /// One thing that can go wrong: a kind by how often it happens, then any place for it.
    fn plan(&self, worker: &Worker<'_>, seen: &Seen, unmodelled: bool, chance: &mut Chance) -> Option<Plan> {
        let sheet = worker.sheet(seen);
        let marked: Vec<usize> = (0..self.lines.len())
            .filter(|l| {
                let spec = self.protocol.results.iter().find(|r| r.item == self.lines[*l].item);
                spec.is_some_and(|r| !r.guess && !r.points.is_zero())
            })
            .collect();
        let mut by_kind: BTreeMap<String, Vec<(usize, Chancy)>> = BTreeMap::new();
        if unmodelled {
            let line = *marked.get(chance.one_of(marked.len()))?;
            let near = chance.happens(0.5);
            let f = if near {
                let size = -0.15 * chance.between(1e-9, 1.0).ln();
                (if chance.happens(0.5) { size } else { -size }).exp()
            } else {
                10f64.powf(chance.between(-3.0, 3.0))
            };
            let chancy = Chancy {
                kind: "unmodelled".into(),
                says: format!("{f:.3} times the right value, by no mistake that has a name"),
                act: Act::Muddle(f),
            };
            return Some(Plan { line, row: None, chancy });
        }
        // A mistake happens while one result is worked out; rare kinds are looked for wherever they can happen.
        let at: Vec<usize> = match worker.mix {
            Mix::Usual | Mix::Pen => vec![*marked.get(chance.one_of(marked.len()))?],
            Mix::Even => marked,
        };
        for line in at {
            let result = self.protocol.results.iter().position(|r| r.item == self.lines[line].item)?;
            for c in chances(&self.protocol, result, &self.lines[line].ast, &self.declared, &sheet) {
                by_kind.entry(c.kind.clone()).or_default().push((line, c));
            }
            if worker.mix == Mix::Pen {
                let ast = &self.lines[line].ast;
                for c in miskeyed(&self.protocol, ast)
                    .into_iter()
                    .chain(misput(&self.protocol, ast))
                    .chain(rewritings(&self.protocol, ast))
                {
                    by_kind.entry(c.kind.clone()).or_default().push((line, c));
                }
            }
        }
        let declared = by_kind.keys().filter(|k| k.starts_with("declared:")).count().max(1) as f64;
        let often = |kind: &str| match worker.mix {
            Mix::Even => 1.0,
            Mix::Pen if kind.starts_with("reading-mis") => 0.20,
            Mix::Pen if kind == "rewritten" => 0.10,
            Mix::Pen if ["constant-wrong", "count-wrong"].contains(&kind) => 0.08,
            Mix::Usual | Mix::Pen => FREQUENT.iter().find(|(k, _)| *k == kind).map_or_else(
                || if kind.starts_with("declared:") { 0.15 / declared } else { 0.03 },
                |(_, share)| *share,
            ),
        };
        let mut left = chance.between(0.0, by_kind.keys().map(|k| often(k)).sum());
        let kind = by_kind.iter().find(|(k, _)| {
            left -= often(k);
            left < 0.0
        });
        let kind = kind.or(by_kind.iter().next_back()).map(|(_, list)| list)?;
        let (line, chancy) = kind[chance.one_of(kind.len())].clone();
        let table = self.protocol.results.iter().find(|r| r.item == self.lines[line].item).and_then(|r| r.table);
        let rows = table.and_then(|t| seen.rows.get(&t).copied());
        let by_cell = matches!(chancy.act, Act::DigitsSwapped | Act::DigitWrong | Act::PointMoved(_));
        let row = match rows {
            Some(n) if by_cell || chance.happens(0.3) => Some(chance.one_of(n)),
            _ => None,
        };
        Some(Plan { line, row, chancy })
    }

    fn planted(&self, plan: &Plan, outcome: &Outcome) -> Planted {
        let item = self.lines[plan.line].item;
        let mut follows: Vec<String> = Vec::new();
        let id = self.protocol.items[item].id.clone();
        for line in &self.lines {
            let uses = names_of(&line.ast);
            if uses.iter().any(|n| *n == id || follows.contains(n)) {
                follows.push(self.protocol.items[line.item].id.clone());
            }
        }
        let spec = self.protocol.results.iter().find(|r| r.item == item);
        let points = spec.map_or(0.0, |r| r.points.try_into().unwrap_or(0.0));
        Planted {
            kind: plan.chancy.kind.clone(),
            item: id,
            row: plan.row.map(|r| r as u32 + 1),
            says: plan.chancy.says.clone(),
            right: outcome.right,
            wrong: outcome.wrong,
            figures: outcome.figures,
            follows,
            reading: match &plan.chancy.act {
                Act::ReadingMistyped(r) => Some(r.clone()),
                Act::Rewritten(r, Rewrite::Columns(other) | Rewrite::InRow(other)) => {
                    // Told at the one that the protocol names first.
                    let place = |name: &String| self.protocol.item(name);
                    Some(if place(r) <= place(other) { r.clone() } else { other.clone() })
                }
                Act::Rewritten(r, _) => Some(r.clone()),
                _ => None,
            },
            costs: points * self.share(&plan.chancy.kind),
        }
    }

    /// Share of a result's points that a kind takes.
    fn share(&self, kind: &str) -> f64 {
        let declared = self.protocol.declared.iter().find(|(k, _)| k.word() == kind).map(|(_, s)| *s);
        let of_rubric = self.protocol.criteria.iter().find_map(|c| match &c.rule {
            Rule::Calculation { share, shares, .. } => {
                Some(shares.iter().find(|(k, _)| k == kind).map_or(*share, |(_, s)| *s))
            }
            _ => None,
        });
        if kind == "unmodelled" {
            return 1.0;
        }
        declared.or(of_rubric).and_then(|d| d.try_into().ok()).unwrap_or(0.0)
    }

    /// How the table is typed; says how.
    fn type_it(&self, table: &mut Submission, chance: &mut Chance) -> String {
        let shift: HashMap<&str, (&str, i32)> =
            [("mm", ("cm", -1)), ("cm", ("mm", 1)), ("g", ("kg", -3)), ("V", ("mV", 3))].into();
        match chance.one_of(8) {
            0 => {
                for c in &mut table.cells {
                    if c.value.trim_start_matches(['<', '>']).parse::<f64>().is_ok() {
                        c.value = c.value.replace('.', ",");
                    }
                    c.plus_minus = c.plus_minus.replace('.', ",");
                }
                "Comma"
            }
            1 => {
                for c in table.cells.iter_mut().filter(|c| !c.unit.is_empty() && !c.value.starts_with(['<', '>'])) {
                    c.value = format!("{} {}", c.value, std::mem::take(&mut c.unit));
                }
                "UnitInCell"
            }
            2 => {
                for c in table.cells.iter_mut() {
                    let number = self.protocol.item(&c.item).and_then(|i| self.protocol.reading_of(i));
                    if number.is_some_and(|r| r.kind == ReadingKind::Number)
                        && let Some((unit, by)) = shift.get(c.unit.as_str())
                        && let Some(moved) = moved_point(&c.value, *by)
                    {
                        c.value = moved;
                        c.unit = (*unit).to_owned();
                    }
                }
                "OtherUnit"
            }
            3 => {
                for c in table.cells.iter_mut().filter(|c| !c.plus_minus.is_empty()) {
                    c.value = format!("{} ± {}", c.value, std::mem::take(&mut c.plus_minus));
                }
                "PlusMinusInCell"
            }
            4 => {
                for c in table.cells.iter_mut().filter(|c| c.value.parse::<f64>().is_ok()) {
                    if let Some((m, e)) = c.value.split_once('e') {
                        c.value = format!("{m} × 10^{e}");
                    }
                    c.value = c.value.replace('-', "−");
                }
                "Typeset"
            }
            _ => "Plain",
        }
        .to_owned()
    }
}

/// A plain number with its point moved, digit for digit.
fn moved_point(text: &str, by: i32) -> Option<String> {
    if !text.chars().all(|c| c.is_ascii_digit() || c == '.' || c == '-') {
        return None;
    }
    let (sign, digits) = text.strip_prefix('-').map_or(("", text), |t| ("-", t));
    let places = digits.split_once('.').map_or(0, |(_, d)| d.len() as i32) - by;
    let value: f64 = digits.parse::<f64>().ok()? * 10f64.powi(by);
    (places >= 0).then(|| format!("{sign}{value:.*}", places as usize))
}

/// Whether a mistake can be seen on the sheet at all.
fn visible(o: &Outcome) -> bool {
    let off = (o.wrong - o.right).abs();
    o.wrong.is_finite()
        && o.right.is_finite()
        && o.wrong != 0.0
        && o.figures >= 3
        && off > 4.0 * o.half
        && off > 2e-3 * o.right.abs()
}

/// The long CSV of tables, with a column for every key.
pub fn to_csv(protocol: &Protocol, tables: &[Submission]) -> String {
    let keys: Vec<&str> = protocol.keys.iter().map(|k| k.id.as_str()).filter(|k| *k != "station").collect();
    let mut out = String::from("section,team,station,item,row,value,unit,plus_minus,excluded,note");
    keys.iter().for_each(|k| {
        out.push(',');
        out.push_str(k);
    });
    out.push('\n');
    for s in tables {
        let of = |c: &jurado_core::submission::SubmittedCell, k: &str| {
            c.keys.get(k).or_else(|| s.keys.get(k)).cloned().unwrap_or_default()
        };
        for c in &s.cells {
            let row = c.row.map(|r| r.to_string()).unwrap_or_default();
            let mut fields: Vec<String> = [
                &s.section,
                &s.team,
                &of(c, "station"),
                &c.item,
                &row,
                &c.value,
                &c.unit,
                &c.plus_minus,
                &c.excluded,
                &c.note,
            ]
            .into_iter()
            .map(|f| crate::quoted(f))
            .collect();
            fields.extend(keys.iter().map(|k| crate::quoted(&of(c, k))));
            out.push_str(&fields.join(","));
            out.push('\n');
        }
    }
    out
}
