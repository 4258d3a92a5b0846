//! What to measure next, while the apparatus is out: from the team's own readings, and never from a
//! reference. Each step is found by asking the judge what the table would be with one reading more,
//! so that it follows the lab's own formulas.
//!
//! | step | asks the judge | example |
//! |---|---|---|
//! | run again | do the last runs agree? | “two of three runs agree within 0.1 mL” |
//! | towards the end | at which reading would this run agree with them? | “expect 23.8 mL; open quickly to 21” |
//! | size | what would a row like the last be told? | “now in steps of 0.1 mL” |
//!
//! A reference never enters: what a team is told in the room follows from what it has read itself.

use crate::finding::Kind;
use crate::formula::ItemId;
use crate::judging::judge_in;
use crate::protocol::{Protocol, ReadingId, Reference, ReferenceId, Rule, TableId};
use crate::row::Row;
use crate::section::Section;
use crate::stats::concordance;
use crate::submission::{Submission, SubmittedCell};
use crate::verdict::Judged;

/// One thing to do next. Values are in the protocol's units.
#[derive(Clone, Debug, PartialEq)]
pub enum Step {
    /// So many runs are to agree, and so many do.
    Runs {
        /// The column that is to agree, by its item.
        column: ItemId,
        /// How many agree so far.
        agree: usize,
        /// How many are asked.
        asked: usize,
        /// Within how much they have to agree, in the unit of the column.
        within: f64,
        /// Between which values one more run would agree with those that do; `None` where none is
        /// there.
        band: Option<(f64, f64)>,
    },
    /// Where a reading of the row in hand is expected to end.
    End {
        /// The reading's item.
        item: ItemId,
        /// Row, from 1.
        row: Row,
        /// Where it is expected, to the instrument's step.
        expected: f64,
        /// Where it began; `None` where nothing of the row says so.
        from: Option<f64>,
        /// How far to go quickly; `None` where nothing of the row says from where.
        quickly: Option<f64>,
        /// Between which values the run would agree; `None` where nothing agrees so far.
        band: Option<(f64, f64)>,
        /// Rows it is told by.
        by: Vec<Row>,
    },
    /// The next step of a plan.
    Size {
        /// The reading's item.
        item: ItemId,
        /// Row that it leads to, from 1.
        row: Row,
        /// How large the step has to be, in the unit of the column.
        size: f64,
        /// How far it may be off.
        tolerance: f64,
    },
}

/// Which results may be told while a team can still measure, by their place in the lab: none that
/// leans on a value which the lab holds against the team – one that a line of the score compares
/// with, that goes by an object, or that is a range.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::plan::may_be_told;
/// // There is one answer for each result of the lab.
/// assert_eq!(may_be_told(&lab()).len(), lab().results.len());
/// ```
pub fn may_be_told(protocol: &Protocol) -> Vec<bool> {
    let compared = |n: ReferenceId| {
        let rules = protocol.criteria.iter().map(|c| &c.rule);
        rules.into_iter().any(|r| matches!(r, Rule::Accuracy { reference, .. } if *reference == n))
    };
    let held = |(n, r): (ReferenceId, &Reference)| {
        let open = r.key.is_none() && r.formula.is_none() && r.entries.iter().all(|e| e.low == e.high);
        (!open || r.consensus || compared(n)).then_some(r.item)
    };
    let mut hidden: Vec<ItemId> = ReferenceId::with(&protocol.references).filter_map(held).collect();
    let mut out = Vec::with_capacity(protocol.results.len());
    // A result stands after those that it is worked out from.
    for r in &protocol.results {
        let leans = r.node.items().iter().any(|i| hidden.contains(i));
        if leans {
            hidden.push(r.item);
        }
        out.push(!leans);
    }
    out
}

/// Halvings until a reading is found: more than any instrument shows.
const HALVINGS: usize = 48;
/// How much of the way is gone quickly.
const QUICKLY: f64 = 0.9;

/// Runs of a column that are to agree.
///
/// Rows count from 1.
struct Agreeing {
    /// The reading or result that is to agree.
    column: ItemId,
    /// How many are asked.
    asked: usize,
    /// How wide they may lie.
    within: f64,
    /// Those that do: row and value.
    set: Vec<(Row, f64)>,
}

/// The table is judged once to begin with, and once more for each reading that is tried.
struct Planner<'a> {
    /// Gives the tables with their rules to stop, and the instruments.
    protocol: &'a Protocol,
    /// Settings of the team's section.
    section: &'a Section,
    /// The table so far.
    sheet: &'a Submission,
    /// Verdict on the table so far.
    judged: Judged,
}

/// What to do next with a table as it is so far: empty where the lab plans nothing, or where there
/// is nothing to tell it by.
///
/// `sheet` is the table so far, with rows that are begun and not finished. Cost: some fifty
/// judgements of it for each reading that is looked for.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::plan::plan;
/// use jurado_core::section::Section;
/// // The lab has no table of runs, so that nothing is planned.
/// assert!(plan(&lab(), &Section::default(), &table("", "")).is_empty());
/// ```
pub fn plan(protocol: &Protocol, section: &Section, sheet: &Submission) -> Vec<Step> {
    let judged = judge_in(protocol, section, sheet, &[], &[]);
    let p = Planner { protocol, section, sheet, judged };
    let mut out = Vec::new();
    for t in TableId::each(&protocol.tables) {
        out.extend(p.runs(t));
        out.extend(p.end(t));
    }
    out.extend(ReadingId::each(&protocol.readings).filter_map(|n| p.size(n)));
    out
}

impl Planner<'_> {
    /// The value of a reading or of a result in a row, as read or recomputed.
    ///
    /// In the unit of the sheet.
    fn at(&self, item: ItemId, row: Row) -> Option<f64> {
        value_at(&self.judged, item, row)
    }

    /// Whether a row is a rough run, by the word that its table has for one.
    ///
    /// A table without rough runs has none.
    fn is_rough(&self, t: TableId, row: Row) -> bool {
        let Some((item, word)) = self.protocol.tables[t].rough else { return false };
        let cells = self.judged.readings.iter().find(|r| r.item == item).map(|r| &r.cells);
        cells.is_some_and(|cells| cells.iter().any(|c| c.row == Some(row) && c.word == Some(word)))
    }

    /// Rows of a table with a value of a column that counts: none that is left out or was a rough
    /// run.
    ///
    /// Rows are asked up to the highest that is taken.
    fn kept(&self, t: TableId, column: ItemId) -> Vec<(Row, f64)> {
        let most = self.protocol.most_row(column).unwrap_or(0);
        let excluded = |row: Row| {
            let of = self.judged.readings.iter().filter(|r| self.protocol.table_of(r.item) == Some(t));
            of.flat_map(|r| &r.cells).any(|c| c.row == Some(row) && c.excluded.is_some())
        };
        let counts = |row: &Row| !self.is_rough(t, *row) && !excluded(*row);
        Row::first(most).filter(counts).filter_map(|row| Some((row, self.at(column, row)?))).collect()
    }

    /// The largest set of runs that agree, and how wide they may lie.
    ///
    /// `None` where the table does not ask for runs that agree.
    fn agreeing(&self, t: TableId) -> Option<Agreeing> {
        let stop = self.protocol.tables[t].stop.as_ref()?;
        let (asked, tolerance) = stop.agree?;
        let kept = self.kept(t, stop.column);
        let values: Vec<f64> = kept.iter().map(|(_, v)| *v).collect();
        let scale = 1e-9 * values.last().map_or(1.0, |v| v.abs().max(1e-12));
        let set = match concordance(&values, |middle| tolerance.about(middle), scale) {
            Some(set) => set.kept.iter().map(|i| kept[*i]).collect(),
            // Of runs that all lie apart the last is what the next is held against.
            None => kept.last().copied().into_iter().collect::<Vec<_>>(),
        };
        let middle = set.iter().map(|(_, v)| v).sum::<f64>() / set.len().max(1) as f64;
        Some(Agreeing { column: stop.column, asked, within: tolerance.about(middle), set })
    }

    /// The step "run again": how far the runs agree by now, and between which values the next one
    /// would have to lie.
    ///
    /// The band is as wide as the tolerance leaves beside the runs that agree.
    fn runs(&self, t: TableId) -> Option<Step> {
        let Agreeing { column, asked, within, set } = self.agreeing(t)?;
        let band = ends(&set).map(|(low, high)| (high - within, low + within));
        // Within some percent of nothing is nothing to tell.
        let told = within > 0.0 && !self.sheet.cells.is_empty();
        told.then_some(Step::Runs { column, agree: set.len(), asked, within, band })
    }

    /// The table with one reading more.
    ///
    /// The value is written with nine decimals: finer than any instrument, and coarser than a
    /// binary number.
    fn with(&self, item: ItemId, row: Row, value: f64) -> Judged {
        let mut sheet = self.sheet.clone();
        let id = &self.protocol.items[item].id;
        sheet.cells.retain(|c| c.item != *id || c.row != Some(row.number()));
        sheet.cells.push(SubmittedCell {
            item: id.clone(),
            row: Some(row.number()),
            value: format!("{value:.9}"),
            ..SubmittedCell::default()
        });
        judge_in(self.protocol, self.section, &sheet, &[], &[])
    }

    /// The row in hand and the reading of it that is still to come: its last number, where another
    /// is there already.
    ///
    /// `None` where no row is begun.
    fn in_hand(&self, t: TableId, column: ItemId) -> Option<(ItemId, Row)> {
        let numbers: Vec<ItemId> = self
            .protocol
            .readings
            .iter()
            .filter(|r| r.table == Some(t) && self.protocol.items[r.item].words.is_none() && r.instrument.is_some())
            .map(|r| r.item)
            .collect();
        let last = *numbers.last()?;
        let most = self.protocol.most_row(column)?;
        let begun = |row: &Row| numbers.iter().any(|i| self.at(*i, *row).is_some()) && self.at(last, *row).is_none();
        Row::first(most).find(begun).map(|row| (last, row))
    }

    /// The step "towards the end": where the next run is expected to end, from those that agree.
    ///
    /// `None` where the instrument has no range or step, or no reading of it gives what the other
    /// runs have.
    fn end(&self, t: TableId) -> Option<Step> {
        let Agreeing { column, within, mut set, .. } = self.agreeing(t)?;
        let (item, row) = self.in_hand(t, column)?;
        let agree = set.len();
        if set.is_empty() {
            // A rough run says where the first kept one ends.
            let most = self.protocol.most_row(column)?;
            set =
                Row::first(most).filter_map(|row| Some((row, self.at(column, row)?))).next_back().into_iter().collect();
        }
        let target = set.iter().map(|(_, v)| v).sum::<f64>() / set.len().max(1) as f64;
        let instrument = &self.protocol.instruments[self.protocol.reading_of(item).and_then(|r| r.instrument)?];
        let step = Some(instrument.step).filter(|s| *s > 0.0)?;
        let range = instrument.range?;
        // The other reading of the same instrument in this row is where it began; it does not end there.
        let from = self
            .protocol
            .readings
            .iter()
            .filter(|r| r.table == Some(t) && r.item != item)
            .filter(|r| r.instrument == self.protocol.reading_of(item).and_then(|x| x.instrument))
            .find_map(|r| self.at(r.item, row));
        let ways = match from {
            Some(from) => vec![(from + step, range.1), (range.0, from - step)],
            None => vec![range],
        };
        let find = |wanted: f64| ways.iter().find_map(|way| self.solve((item, row), column, wanted, *way));
        let expected = find(target).filter(|_| !set.is_empty())?;
        let to_step = |v: f64, toward: fn(f64) -> f64| toward(v / step) * step;
        let band = if agree > 0 { ends(&set) } else { None };
        let band = band.and_then(|(low, high)| {
            let (a, b) = (find(high - within)?, find(low + within)?);
            // Only what the instrument can show lies in it.
            let slack = 1e-3 * step;
            Some((to_step(a.min(b) - slack, f64::ceil), to_step(a.max(b) + slack, f64::floor)))
        });
        // Down to ten steps of the scale, which is what is seen at a glance.
        let quickly = from.and_then(|from| {
            let (to, tens) = (from + QUICKLY * (expected - from), 10.0 * step);
            let seen = if expected > from { (to / tens + 1e-6).floor() } else { (to / tens - 1e-6).ceil() } * tens;
            ((seen - from).abs() > tens && (seen > from) == (expected > from)).then_some(seen)
        });
        Some(Step::End {
            item,
            row,
            expected: to_step(expected, f64::round),
            from,
            quickly,
            band: band.filter(|(low, high)| low <= high),
            by: set.iter().map(|(row, _)| *row).collect(),
        })
    }

    /// The reading at which a column of its row has a value, by halving; `None` where it never has.
    ///
    /// `range` is where it is looked for. Each halving judges the table once.
    fn solve(&self, (item, row): (ItemId, Row), column: ItemId, wanted: f64, range: (f64, f64)) -> Option<f64> {
        let (mut low, mut high) = range;
        if low >= high {
            return None;
        }
        let f = |x: f64| value_at(&self.with(item, row, x), column, row).map(|v| v - wanted);
        let (mut below, above) = (f(low)?, f(high)?);
        if below * above > 0.0 {
            return None;
        }
        for _ in 0..HALVINGS {
            let middle = (low + high) / 2.0;
            let there = f(middle)?;
            if there == 0.0 || high - low < 1e-7 * (range.1 - range.0) {
                return Some(middle);
            }
            if below * there <= 0.0 {
                high = middle;
            } else {
                (low, below) = (middle, there);
            }
        }
        Some((low + high) / 2.0)
    }

    /// The next step of a plan: what a row that repeats the last reading would be told.
    ///
    /// `None` where the reading has no plan, or the plan is kept.
    fn size(&self, n: ReadingId) -> Option<Step> {
        let spec = &self.protocol.readings[n];
        if spec.steps.is_empty() {
            return None;
        }
        let cells = &self.judged.readings.iter().find(|r| r.item == spec.item)?.cells;
        let (row, last) = cells.iter().rev().find_map(|c| Some((c.row?, c.value?)))?;
        let next = self.with(spec.item, row.next(), last);
        next.findings.iter().find_map(|f| match &f.kind {
            Kind::StepOffPlan { steps } if f.place.item == Some(spec.item) => {
                let step = steps.iter().find(|s| s.row == row.next())?;
                Some(Step::Size { item: spec.item, row: row.next(), size: step.size, tolerance: step.tolerance })
            }
            _ => None,
        })
    }
}

/// A result's value in a row where it can be worked out, else the reading's, in the unit of the
/// sheet.
///
/// `None` where neither is there.
fn value_at(judged: &Judged, item: ItemId, row: Row) -> Option<f64> {
    let result = judged.results.iter().find(|r| r.item == item && r.row == Some(row)).and_then(|r| r.clean);
    let reading = || judged.readings.iter().find(|r| r.item == item)?.cells.iter().find(|c| c.row == Some(row))?.value;
    result.or_else(reading)
}

/// Least and greatest of some values; `None` of none.
fn ends(set: &[(Row, f64)]) -> Option<(f64, f64)> {
    let values = set.iter().map(|(_, v)| *v);
    let (low, high) = values.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(v), h.max(v)));
    (low <= high).then_some((low, high))
}
