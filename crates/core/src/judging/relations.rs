//! Cross-checks, comparisons of values that should agree, and unknowns named from a list. All with the uncertainty of a
//! difference over the sources both sides share.

use super::propagate::Propagated;
use super::readings::same_decimal;
use super::values::{Env, Out, within};
use super::words;
use crate::finding::{Finding, Findings, Fragile, Key, Kind, Named, Off, Place, Severity, Sides};
use crate::formula::{Context, Node, Num, Op, Value, evaluate_any};
use crate::protocol::{Agreement, CheckRule, ItemKind, Protocol, Relation, Rule};
use crate::uncertainty::{Budget, Dual};
use crate::verdict::{Compared, Comparison, JudgedResult};

struct Judge<'a> {
    protocol: &'a Protocol,
    out: &'a Out,
    propagated: &'a Propagated,
    reported: &'a Env,
}

impl Judge<'_> {
    fn value(&self, node: &Node) -> Option<Value<Dual>> {
        evaluate_any(node, &Context::without(&self.propagated.values, self.out)).ok()
    }

    fn spread(&self, dual: &Dual) -> f64 {
        let u = Budget::of(dual, &self.propagated.sources).standard;
        if u.is_finite() { u } else { 0.0 }
    }
}

/// Judges cross-checks: relations that hold whatever the unknown is.
pub(super) fn checks(
    protocol: &Protocol,
    out: &Out,
    clean: &Env,
    propagated: &Propagated,
    found: &mut Findings<'_>,
) -> Vec<Comparison> {
    let judge = Judge { protocol, out, propagated, reported: clean };
    let mut told = Vec::new();
    for (n, check) in protocol.checks.iter().enumerate() {
        let mut failed: Vec<(Option<u32>, Option<Off>)> = Vec::new();
        let mut worst: Option<(f64, f64)> = None;
        match &check.rule {
            CheckRule::Holds(node) => match evaluate_any(node, &Context::without(clean, out)) {
                Ok(Value::Scalar(0.0)) => failed.push((None, None)),
                Ok(Value::Column(xs)) => failed.extend(
                    xs.iter().enumerate().filter(|(_, x)| **x == Some(0.0)).map(|(i, _)| (Some(i as u32 + 1), None)),
                ),
                _ => {}
            },
            CheckRule::Related { left, right, relation, k } => {
                let (Some(l), Some(r)) = (judge.value(left), judge.value(right)) else { continue };
                let rows = match (&l, &r) {
                    (Value::Column(xs), _) | (_, Value::Column(xs)) => xs.len(),
                    _ => 1,
                };
                let column = matches!(l, Value::Column(_)) || matches!(r, Value::Column(_));
                for i in 0..rows {
                    let (Some(a), Some(b)) = (l.at(Some(i)), r.at(Some(i))) else { continue };
                    let difference = a.sub(b);
                    let limit = k * judge.spread(&difference);
                    let d = difference.value();
                    let holds = match relation {
                        Relation::Equal => within(d, limit, limit, a.value(), b.value()),
                        Relation::Below => d <= limit + 1e-13 * a.value().abs(),
                        Relation::Above => d >= -limit - 1e-13 * a.value().abs(),
                    };
                    let off = if limit > 0.0 { d.abs() / limit } else { f64::from(u8::from(!holds)) };
                    if worst.is_none_or(|(w, _)| off > w) {
                        worst = Some((off, limit));
                    }
                    if !holds {
                        let off = Off { left: a.value(), right: b.value(), room: limit };
                        failed.push((column.then_some(i as u32 + 1), Some(off)));
                    }
                }
            }
        }
        if let Some((off, _)) = worst {
            told.push(Comparison {
                id: check.id.clone(),
                kind: "check",
                value: off,
                limit: Some(1.0),
                verdict: if failed.is_empty() { "within" } else { "beyond" }.to_owned(),
                what: Compared::Check(n),
            });
        }
        if failed.is_empty() {
            continue;
        }
        let charge = check.charge.clone().map_or((None, rust_decimal::Decimal::ZERO), |(c, p)| (Some(c), p));
        let item = match &check.rule {
            CheckRule::Holds(node) | CheckRule::Related { left: node, .. } => node.items().first().copied(),
        };
        let rows = failed.iter().filter_map(|(row, _)| *row).collect();
        let kind = Kind::Check { check: n, rows, off: failed[0].1 };
        let (key, place) = (Key::about(&kind, &check.id, None), Place { item, row: failed[0].0 });
        found.push(Finding::new(kind, key, Severity::Decide, place).hanging(charge));
    }
    told
}

/// Judges comparisons and unknowns, and settles the words that hang on them.
pub(super) fn comparisons(
    protocol: &Protocol,
    out: &Out,
    propagated: &Propagated,
    reported: &Env,
    results: &mut [JudgedResult],
    found: &mut Findings<'_>,
) -> Vec<Comparison> {
    let judge = Judge { protocol, out, propagated, reported };
    let mut told = Vec::new();
    for n in 0..protocol.comparisons.len() {
        told.extend(judge.comparison(n, results, found));
    }
    for n in 0..protocol.identifies.len() {
        told.extend(judge.identify(n, results, found));
    }
    told
}

impl Judge<'_> {
    fn comparison(&self, n: usize, results: &mut [JudgedResult], found: &mut Findings<'_>) -> Option<Comparison> {
        let c = &self.protocol.comparisons[n];
        let (a, b) = (self.value(&c.a)?.scalar()?.clone(), self.value(&c.b)?.scalar()?.clone());
        let own = |node: &Node| {
            evaluate_any(node, &Context::without(self.reported, self.out)).ok().and_then(|v| v.scalar().copied())
        };
        let (ra, rb) = (own(&c.a), own(&c.b));
        let difference = a.sub(&b);
        let (ua, ub, ud) = (self.spread(&a), self.spread(&b), self.spread(&difference));
        let (value, limit) = match c.method {
            Agreement::WithinK(k) => (difference.value().abs(), k * ud),
            Agreement::Overlap(k) => (difference.value().abs(), k * (ua + ub)),
            Agreement::Percent(p) => {
                let middle = (a.value().abs() + b.value().abs()) / 2.0;
                if middle == 0.0 {
                    return None;
                }
                (100.0 * difference.value().abs() / middle, p)
            }
            Agreement::Coarse => {
                let step = self.written_step(&c.a, results).max(self.written_step(&c.b, results));
                (difference.value().abs(), step / 2.0)
            }
        };
        let agree = |d: f64, limit: f64| within(d, limit, limit, a.value(), b.value());
        let agrees = agree(value, limit);
        let percent = matches!(c.method, Agreement::Percent(_));
        let sides = Sides { comparison: n, a: a.value(), b: b.value(), agree: agrees, apart: value, allowed: limit };
        // From the team's own reported values, with the same room.
        let follows = ra.zip(rb).map(|(x, y)| {
            let d = match c.method {
                Agreement::Percent(_) => 100.0 * (x - y).abs() / ((x.abs() + y.abs()) / 2.0).max(f64::MIN_POSITIVE),
                _ => (x - y).abs(),
            };
            agree(d, limit)
        });
        if let Some(conclusion) = c.conclusion {
            let word = |yes: bool| u32::from(!yes);
            // A difference near the limit may be seen either way: within a tenth of it both words are right.
            let near = limit > 0.0 && (value / limit - 1.0).abs() <= 0.1;
            let clean: Vec<u32> = if near { vec![word(agrees), word(!agrees)] } else { vec![word(agrees)] };
            let follows: Vec<u32> = follows.map(word).into_iter().collect();
            let tainted = self.tainted(&[&c.a, &c.b], results);
            words::settle(results, conclusion, &clean, &follows, tainted);
        }
        self.to_the_last_digit(n, results, found);
        if !agrees {
            let criterion = self
                .protocol
                .criteria
                .iter()
                .find(|x| matches!(x.rule, Rule::Agreement { comparison } if comparison == n));
            let near = limit > 0.0 && value <= 1.1 * limit;
            let cost = criterion.map_or(rust_decimal::Decimal::ZERO, |x| x.points);
            let severity = if criterion.is_some() { Severity::Charge } else { Severity::Note };
            let place = Place { item: c.a.items().first().copied(), row: None };
            let kind = Kind::Disagreement(sides);
            let key = Key::about(&kind, &c.id, None);
            found.push(Finding {
                hangs: if near { cost } else { rust_decimal::Decimal::ZERO },
                fragile: near.then_some(Fragile::JustBeyond),
                ..Finding::new(kind, key, severity, place).charged((criterion.map(|x| x.id.clone()), cost))
            });
        }
        Some(Comparison {
            id: c.id.clone(),
            kind: "agreement",
            value: if percent { value } else { value / self.factor(&c.a) },
            limit: Some(if percent { limit } else { limit / self.factor(&c.a) }),
            verdict: if agrees { "agree" } else { "differ" }.to_owned(),
            what: Compared::Agreement(sides),
        })
    }

    fn factor(&self, node: &Node) -> f64 {
        let items = &self.protocol.items;
        node.items()
            .into_iter()
            .find(|i| items[*i].unit.dimension == node.dimension)
            .map_or(1.0, |i| items[i].unit.factor)
    }

    fn tainted(&self, nodes: &[&Node], results: &[JudgedResult]) -> bool {
        nodes.iter().flat_map(|n| n.items()).any(|i| results.iter().any(|r| r.item == i && r.verdict.taints()))
    }

    /// One in the last digit written of the item a side consists of, SI.
    fn written_step(&self, node: &Node, results: &[JudgedResult]) -> f64 {
        let Op::Item(i) = node.op else { return 0.0 };
        match self.protocol.items[i].kind {
            ItemKind::Result(_) => results
                .iter()
                .find(|r| r.item == i)
                .map_or(0.0, |r| 2.0 * r.reported.half_step * self.protocol.items[i].unit.factor),
            _ => self
                .protocol
                .reading_of(i)
                .and_then(|s| s.instrument)
                .map_or(0.0, |n| self.protocol.instruments[n].step * self.protocol.instruments[n].unit.factor),
        }
    }

    /// Two ways that agree to the last digit are worth a look: with honest apparatus they rarely do.
    fn to_the_last_digit(&self, n: usize, results: &[JudgedResult], found: &mut Findings<'_>) {
        let c = &self.protocol.comparisons[n];
        let reported = |node: &Node| match node.op {
            Op::Item(i) => results.iter().find(|r| r.item == i),
            _ => None,
        };
        let (Some(a), Some(b)) = (reported(&c.a), reported(&c.b)) else { return };
        let (Some(x), Some(y)) = (a.reported.value, b.reported.value) else { return };
        let figures = a.reported.number.as_ref().map_or(0, |n| n.figures());
        if figures >= 4 && same_decimal(x, y) {
            let kind = Kind::LastDigit { comparison: n, text: a.reported.text.clone() };
            found.push(Finding::about(kind, Severity::Note, (a.item, &c.id), None));
        }
    }

    /// Ranks what an unknown may be by its distance in standard uncertainties; two of them within reach cannot be told
    /// apart.
    fn identify(&self, n: usize, results: &mut [JudgedResult], found: &mut Findings<'_>) -> Option<Comparison> {
        const REACH: f64 = 2.0;
        let i = &self.protocol.identifies[n];
        let spec = &self.protocol.results[i.result];
        let item = &self.protocol.items[spec.item];
        let dual = self.propagated.values[spec.item].as_ref()?.scalar()?;
        let u = self.spread(dual);
        let rank = |x: f64| {
            let mut ranked: Vec<(usize, f64)> = i
                .candidates
                .iter()
                .enumerate()
                .map(|(n, c)| {
                    let off = x - x.clamp(c.low, c.high);
                    let room = u.hypot(c.uncertainty);
                    let distance = if off == 0.0 {
                        0.0
                    } else if room > 0.0 {
                        off.abs() / room
                    } else {
                        f64::INFINITY
                    };
                    (n, distance)
                })
                .collect();
            // Inside several ranges, the nearer middle leads.
            ranked.sort_by(|a, b| {
                let middle = |n: usize| (x - i.candidates[n].middle()).abs();
                a.1.total_cmp(&b.1).then(middle(a.0).total_cmp(&middle(b.0)))
            });
            ranked
        };
        let ranked = rank(dual.value());
        let best = *ranked.first()?;
        let within_reach: Vec<usize> =
            ranked.iter().filter(|(_, d)| *d <= REACH.max(best.1)).map(|(n, _)| *n).collect();
        let name = |n: usize| i.candidates[n].says.as_str();
        let named = Named {
            unknown: n,
            value: item.from_si(dual.value()),
            near: within_reach.clone(),
            off: best.1,
            within: best.1 <= REACH,
        };
        if within_reach.len() > 1 {
            let kind = Kind::CannotTellApart(named.clone());
            found.push(Finding::about(kind, Severity::Note, (spec.item, &i.id), None));
        }
        if let Some(answer) = i.answer {
            let words = self.protocol.items[self.protocol.results[answer].item].words.clone().unwrap_or_default();
            let word = |n: &usize| words.iter().position(|w| w == name(*n)).map(|w| w as u32);
            let clean: Vec<u32> = within_reach.iter().filter_map(word).collect();
            let own = self.reported[spec.item].as_ref().and_then(|v| v.scalar().copied());
            let follows: Vec<u32> = own
                .map(|x| {
                    let ranked = rank(x);
                    let nearest = ranked.first().map_or(0.0, |r| r.1);
                    ranked.iter().filter(|(_, d)| *d <= REACH.max(nearest)).filter_map(|(n, _)| word(n)).collect()
                })
                .unwrap_or_default();
            let tainted = results.iter().any(|r| r.item == spec.item && r.verdict.taints());
            words::settle(results, answer, &clean, &follows, tainted);
        }
        Some(Comparison {
            id: i.id.clone(),
            kind: "identify",
            value: if best.1.is_finite() { best.1 } else { f64::MAX },
            limit: Some(REACH),
            verdict: name(best.0).to_owned(),
            what: Compared::Identified(named),
        })
    }
}
