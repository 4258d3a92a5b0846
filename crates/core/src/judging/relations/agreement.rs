//! Values that should agree: two methods, two fits, two rows of a table.
//!
//! Two results that agree to the last digit of four are worth a look: one was perhaps not measured.

use super::Judge;
use crate::finding::{Finding, Findings, Fragile, Key, Kind, Place, Severity, Sides};
use crate::formula::{Context, Node, Num, Op, evaluate_any};
use crate::judging::readings::same_decimal;
use crate::judging::values::within;
use crate::judging::words;
use crate::protocol::{Agreement, ItemKind, Rule};
use crate::verdict::{Compared, Comparison, JudgedResult};
use rust_decimal::Decimal;

impl Judge<'_> {
    /// Judges one comparison, settles the word that hangs on it, and tells where the sides differ.
    ///
    /// `n` is its number among the lab's comparisons. `None` where a side cannot be worked out.
    pub(super) fn comparison(
        &self,
        n: usize,
        results: &mut [JudgedResult],
        found: &mut Findings<'_>,
    ) -> Option<Comparison> {
        let c = &self.protocol.comparisons[n];
        let sides = self.sides(n, results)?;
        self.conclude(sides, results);
        self.to_the_last_digit(n, results, found);
        if !sides.agree {
            self.disagreement(sides, found);
        }
        let factor = if matches!(c.method, Agreement::Percent(_)) { 1.0 } else { self.factor(&c.a) };
        Some(Comparison {
            id: c.id.clone(),
            kind: "agreement",
            value: sides.apart / factor,
            limit: Some(sides.allowed / factor),
            verdict: if sides.agree { "agree" } else { "differ" }.to_owned(),
            what: Compared::Agreement(sides),
        })
    }

    /// The two values, how far they lie apart and how far they may, SI or in percent of their
    /// middle.
    ///
    /// | method | apart | allowed |
    /// |---|---|---|
    /// | within k | \|a − b\| | k times the uncertainty of a − b |
    /// | overlap | \|a − b\| | k times the sum of both uncertainties |
    /// | percent | 100·\|a − b\| over the mean of \|a\| and \|b\| | the percentage |
    /// | coarse | \|a − b\| | half of the coarser last digit |
    pub(super) fn sides(&self, n: usize, results: &[JudgedResult]) -> Option<Sides> {
        let c = &self.protocol.comparisons[n];
        let (a, b) = (self.value(&c.a)?.scalar()?.clone(), self.value(&c.b)?.scalar()?.clone());
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
        let agree = within(value, limit, limit, a.value(), b.value());
        Some(Sides { comparison: n, a: a.value(), b: b.value(), agree, apart: value, allowed: limit })
    }

    /// What the team's own reported values give with the same room.
    ///
    /// A team whose values are wrong may still compare them rightly. `None` where it reported too
    /// few.
    fn own_agreement(&self, sides: Sides) -> Option<bool> {
        let c = &self.protocol.comparisons[sides.comparison];
        let own = |node: &Node| {
            evaluate_any(node, &Context::without(self.reported, self.out)).ok().and_then(|v| v.scalar().copied())
        };
        let (x, y) = own(&c.a).zip(own(&c.b))?;
        let d = match c.method {
            Agreement::Percent(_) => 100.0 * (x - y).abs() / ((x.abs() + y.abs()) / 2.0).max(f64::MIN_POSITIVE),
            _ => (x - y).abs(),
        };
        Some(within(d, sides.allowed, sides.allowed, sides.a, sides.b))
    }

    /// Settles the word that says whether the sides agree.
    ///
    /// The first word of the list says that they agree, the second that they do not.
    fn conclude(&self, sides: Sides, results: &mut [JudgedResult]) {
        let c = &self.protocol.comparisons[sides.comparison];
        let Some(conclusion) = c.conclusion else { return };
        let word = |yes: bool| u32::from(!yes);
        let (value, limit, agrees) = (sides.apart, sides.allowed, sides.agree);
        // A difference near the limit may be seen either way: within a tenth of it both words are right.
        let near = limit > 0.0 && (value / limit - 1.0).abs() <= 0.1;
        let clean: Vec<u32> = if near { vec![word(agrees), word(!agrees)] } else { vec![word(agrees)] };
        let follows: Vec<u32> = self.own_agreement(sides).map(word).into_iter().collect();
        let tainted = self.tainted(&[&c.a, &c.b], results);
        words::settle(results, conclusion, &clean, &follows, tainted);
    }

    /// Charges sides that differ where a criterion asks for it, and tells it otherwise.
    ///
    /// Within a tenth of the limit the mark is fragile: a person decides, and is told how near it
    /// is.
    fn disagreement(&self, sides: Sides, found: &mut Findings<'_>) {
        let c = &self.protocol.comparisons[sides.comparison];
        let criterion = self
            .protocol
            .criteria
            .iter()
            .find(|x| matches!(x.rule, Rule::Agreement { comparison } if comparison == sides.comparison));
        let near = sides.allowed > 0.0 && sides.apart <= 1.1 * sides.allowed;
        let cost = criterion.map_or(Decimal::ZERO, |x| x.points);
        let severity = if criterion.is_some() { Severity::Charge } else { Severity::Note };
        let place = Place { item: c.a.items().first().copied(), row: None };
        let kind = Kind::Disagreement(sides);
        let key = Key::about(&kind, &c.id, None);
        found.push(Finding {
            hangs: if near { cost } else { Decimal::ZERO },
            fragile: near.then_some(Fragile::JustBeyond),
            ..Finding::new(kind, key, severity, place).charged((criterion.map(|x| x.id.clone()), cost))
        });
    }

    /// What one of a formula's unit is in SI units: that of the first item of its dimension, so
    /// that a difference is told in the unit of the sheet.
    ///
    /// One where no item has its dimension.
    fn factor(&self, node: &Node) -> f64 {
        let items = &self.protocol.items;
        node.items()
            .into_iter()
            .find(|i| items[*i].unit.dimension == node.dimension)
            .map_or(1.0, |i| items[i].unit.factor)
    }

    /// One in the last digit written of the item a side consists of, SI.
    ///
    /// Nought for a side that is a formula: nobody wrote it.
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

    /// Two ways that agree to the last digit are worth a look: with honest apparatus they rarely
    /// do.
    ///
    /// Four figures are asked for: two figures agree by chance one time in some.
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
}
