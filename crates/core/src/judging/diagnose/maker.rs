//! Making hypotheses: from the mistaken formulas, from rows left out or kept, from settings one
//! step beside.
//!
//! Every hypothesis passes one gate ([`Maker::consider`]): it has to come near R, may not be the
//! right value, and gets the width that its own rounding leaves. Most of what is generated ends
//! there, after one or two workings of a formula.

use std::collections::BTreeMap;

use super::super::values::{Out, Tried, replaced, within};
use super::LONGEST_TRIED;
use super::acts::Edit;
use super::case::{Case, Hypothesis, cut, likelihood};
use crate::finding::Clause;
use crate::formula::{ItemId, Node, Shape, Value};
use crate::protocol::{ItemKind, ReadingId, ReadingKind, ReadingSpec, ResultSpec, SlipKind};
use crate::quantity::Nature;
use crate::repair::Repair;
use crate::row::Row;
use crate::verdict::JudgedReading;

/// Prior of the story that the team left out what it marked as left out.
const OWN_MARKS: f64 = 0.5;

/// One is made for each value to be explained. A hypothesis is counted whether it fits or not, and
/// kept only if it does.
pub(super) struct Maker<'a> {
    /// The value to be explained.
    pub(super) case: &'a Case<'a>,
    /// Hypotheses near enough to R to matter.
    pub(super) fitting: Vec<Hypothesis>,
    /// How many of each kind were generated in all.
    pub(super) counts: BTreeMap<(SlipKind, Option<Edit>), usize>,
}

/// What a hypothesis is about, before its predictions.
///
/// It is made only for hypotheses that fit, since most do not and its texts cost more than its
/// numbers.
pub(super) struct Story {
    /// What it would be called.
    pub(super) kind: SlipKind,
    /// Number of the mistaken formula, if it is one.
    pub(super) variant: Option<usize>,
    /// The item it is about.
    pub(super) subject: Option<ItemId>,
    /// What was done.
    pub(super) clause: Clause,
    /// The cells that it would alter.
    pub(super) repair: Option<Repair>,
    /// The way of a slip of the pen.
    pub(super) edit: Option<Edit>,
    /// What its prior is multiplied by: 1 for most.
    pub(super) prior: f64,
    /// Its whole prior, where that does not come of its kind.
    pub(super) weight: Option<f64>,
}

impl Default for Story {
    /// A story without a kind of its own, to be filled: its prior comes of its kind, once.
    fn default() -> Story {
        Story {
            kind: SlipKind::Compound,
            variant: None,
            subject: None,
            clause: Clause::Said(String::new()),
            repair: None,
            edit: None,
            prior: 1.0,
            weight: None,
        }
    }
}

impl Maker<'_> {
    /// The result whose value is to be explained.
    pub(super) fn spec(&self) -> &ResultSpec {
        &self.case.protocol.results[self.case.id]
    }

    /// A value in the result's unit.
    ///
    /// `scale` is one over the unit's factor for the lab's own formula, and what a mistaken form
    /// says for it: a forgotten factor of a thousand is a scale. Celsius points are shifted as
    /// well.
    pub(super) fn in_unit(&self, value: f64, scale: f64) -> f64 {
        let item = &self.case.protocol.items[self.spec().item];
        if item.nature == Nature::Point { value * scale - item.unit.offset / item.unit.factor } else { value * scale }
    }

    /// Counts a hypothesis of a kind and keeps it if it fits. The count shares the prior of the
    /// kind among all that were generated, fitting or not, so that a kind with many forms is no
    /// likelier for it.
    ///
    /// `envelope` is asked with the value from reported inputs, and only if that is near R at all.
    pub(super) fn add(
        &mut self,
        story: impl FnOnce() -> Story,
        kind: SlipKind,
        clean: Option<f64>,
        reported: Option<f64>,
        envelope: impl FnOnce(f64) -> f64,
    ) {
        *self.counts.entry((kind, None)).or_default() += 1;
        self.consider(story, clean, reported, envelope);
    }

    /// Keeps a hypothesis that is counted already, if it fits.
    ///
    /// A hypothesis that gives the right value is no mistake, whatever it is called: it is not
    /// kept.
    pub(super) fn consider(
        &mut self,
        story: impl FnOnce() -> Story,
        clean: Option<f64>,
        reported: Option<f64>,
        envelope: impl FnOnce(f64) -> f64,
    ) {
        let case = self.case;
        // The envelope costs two evaluations a value, so only what is near at all gets one.
        let near = |x: Option<f64>| {
            x.is_some_and(|x| (case.reported - x).abs() <= 0.3 * x.abs().max(case.reported.abs()) + case.width)
        };
        if !near(clean) && !near(reported) {
            return;
        }
        let fits = |x: f64, bound: f64| within(case.reported - x, bound, case.half_step, case.reported, x);
        let envelope = reported.map_or(0.0, envelope);
        let any = clean.is_some_and(|x| fits(x, case.width + 0.002 * x.abs() + envelope) || cut(case, x))
            || reported.is_some_and(|x| fits(x, case.width + envelope + 0.002 * x.abs()) || cut(case, x));
        if !any {
            return;
        }
        // What gives the right value is no mistake.
        let right = |x: Option<f64>, of: f64| x.is_some_and(|x| (x - of).abs() <= 1e-12 * of.abs());
        if case.clean.is_some_and(|c| right(clean, c)) {
            return;
        }
        let Story { kind, variant, subject, clause, repair, edit, prior, weight } = story();
        let predicted = nearer(case.reported, clean, reported);
        let h = Hypothesis {
            kind,
            variant,
            subject,
            clause,
            clean,
            reported,
            envelope,
            predicted,
            repair,
            edit,
            prior,
            weight,
            joint: 0.0,
            sisters: 0.0,
            likelihood: 0.0,
            posterior: 0.0,
        };
        if likelihood(case, &h) > 0.0 {
            self.fitting.push(h);
        }
    }

    /// Both predictions of a formula, in the result's unit.
    ///
    /// `clean` is left out where there is no clean value to begin with; `reported` where no value
    /// above was reported and the clean one is there, since it is the same. Values that are not
    /// finite are none.
    pub(super) fn both(
        &self,
        node: &Node,
        scale: f64,
        (clean, reported): (Tried<'_>, Tried<'_>),
        out: &Out,
    ) -> (Option<f64>, Option<f64>) {
        let case = self.case;
        let of = |from: Tried<'_>| {
            (case.value_of)(node, from, out).map(|v| self.in_unit(v, scale)).filter(|v| v.is_finite())
        };
        let clean = case.clean.and_then(|_| of(clean));
        let reported = if case.has_reported || clean.is_none() { of(reported) } else { None };
        (clean, reported)
    }

    /// Mistaken forms of the formula.
    ///
    /// The forms were made when the lab was loaded. Besides the rows of its own column, the other
    /// results of the table are asked: who takes the diameter for the radius once does so again.
    pub(super) fn formulas(&mut self) {
        let case = self.case;
        let spec = &case.protocol.results[case.id];
        for (n, v) in spec.variants.iter().enumerate() {
            let (clean, reported) = self.both(&v.node, v.scale, self.as_it_stands(), case.out);
            let story = || Story {
                kind: v.kind.clone(),
                variant: Some(n),
                subject: v.subject,
                clause: Clause::Said(v.says.clone()),
                repair: None,
                ..Story::default()
            };
            let before = self.fitting.len();
            self.add(story, v.kind.clone(), clean, reported, |x| (case.envelope_of)(&v.node, x, v.scale));
            if let Some(h) = self.fitting.get_mut(before) {
                h.sisters = case.beside.throughout(&v.node, v.scale) + case.beside.elsewhere(n);
            }
        }
    }

    /// Columns with one row more or fewer: an excluded one kept, a kept one dropped.
    ///
    /// Rows are those of the columns that the formula takes whole. A row of a column that is judged
    /// by itself has no rows to leave out.
    pub(super) fn left_out_rows(&mut self) {
        let case = self.case;
        if case.sliced {
            return;
        }
        let spec = &case.protocol.results[case.id];
        let factor = case.protocol.items[spec.item].unit.factor;
        let mut tried: Vec<u16> = Vec::new();
        for item in spec.node.items() {
            let Shape::Column(group) = case.protocol.items[item].rows else { continue };
            let Some(Value::Column(xs)) = &case.clean_env[item] else { continue };
            if xs.len() > LONGEST_TRIED || tried.contains(&group) {
                continue;
            }
            tried.push(group);
            self.own_marks(item, group);
            for row in (0..xs.len()).filter(|r| xs[*r].is_some()) {
                let mut out = case.out.clone();
                let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) else { continue };
                let Some(flag) = rows.get_mut(row) else { continue };
                *flag = !*flag;
                let dropped = *flag;
                let (clean, reported) = self.both(&spec.node, 1.0 / factor, self.as_it_stands(), &out);
                let story = || {
                    let clause = left_out_or_used(case, item, row, dropped);
                    Story { kind: SlipKind::Exclusion, subject: Some(item), clause, ..Story::default() }
                };
                self.add(story, SlipKind::Exclusion, clean, reported, |_| case.envelope);
            }
        }
    }

    /// The rows that the team itself marked as left out, left out: what its sheet says is the
    /// likeliest story of all.
    ///
    /// Its prior is a half: what a team says it did is likelier than anything that it may have
    /// done.
    fn own_marks(&mut self, item: ItemId, group: u16) {
        let case = self.case;
        let spec = &case.protocol.results[case.id];
        let factor = case.protocol.items[spec.item].unit.factor;
        let mut out = case.out.clone();
        let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) else { return };
        let marked = self.marked(group, rows);
        if marked.is_empty() {
            return;
        }
        marked.iter().for_each(|n| rows[*n] = true);
        let (clean, reported) = self.both(&spec.node, 1.0 / factor, self.as_it_stands(), &out);
        let story = || Story {
            kind: SlipKind::Exclusion,
            subject: Some(item),
            clause: Clause::AsMarked { item, rows: marked.iter().copied().map(Row::at).collect() },
            weight: Some(OWN_MARKS),
            ..Story::default()
        };
        self.add(story, SlipKind::Exclusion, clean, reported, |_| case.envelope);
    }

    /// The rows of a group that the sheet marks as left out and that count all the same.
    ///
    /// Rows count from 0.
    fn marked(&self, group: u16, rows: &[bool]) -> Vec<usize> {
        let case = self.case;
        let of_group =
            |(_, spec): &(&JudgedReading, &ReadingSpec)| case.protocol.items[spec.item].rows == Shape::Column(group);
        let mut marked: Vec<usize> = Vec::new();
        for (reading, _) in case.readings.iter().zip(&case.protocol.readings).filter(of_group) {
            let cells = reading.cells.iter().enumerate();
            let mine = cells.filter(|(n, c)| c.excluded.is_some() && rows.get(*n) == Some(&false));
            marked.extend(mine.map(|(n, _)| n));
        }
        marked.sort_unstable();
        marked.dedup();
        marked
    }

    /// The readings this result uses, each with its place in the environment and its cell.
    ///
    /// For each: its item, the reading, its row in the environment (none for a single value), and
    /// its cell.
    pub(super) fn readings_used(&self) -> Vec<(ItemId, ReadingId, Option<usize>, usize)> {
        let case = self.case;
        let mut out = Vec::new();
        for item in case.protocol.results[case.id].node.items() {
            let ItemKind::Reading(r) = case.protocol.items[item].kind else { continue };
            match case.protocol.items[item].rows {
                Shape::Scalar => out.push((item, r, None, 0)),
                Shape::Column(_) if case.sliced => out.push((item, r, None, case.row.unwrap_or(0))),
                Shape::Column(_) if case.readings[r].cells.len() <= LONGEST_TRIED => {
                    out.extend((0..case.readings[r].cells.len()).map(|n| (item, r, Some(n), n)));
                }
                Shape::Column(_) => {}
            }
        }
        out
    }

    /// The clean values and the reported ones, as they stand.
    fn as_it_stands(&self) -> (Tried<'_>, Tried<'_>) {
        (Tried::plainly(self.case.clean_env), Tried::plainly(self.case.reported_env))
    }

    /// Both predictions with an item, or one row of it, as `x`, in the item's unit.
    ///
    /// `row` counts from 0 and is none where the item is a single value in the environment.
    pub(super) fn with_item(&self, item: ItemId, row: Option<usize>, x: f64) -> (Option<f64>, Option<f64>) {
        let case = self.case;
        let spec = &case.protocol.results[case.id];
        let si = case.protocol.items[item].to_si(x);
        let (clean, reported) = (replaced(case.clean_env, item, row, si), replaced(case.reported_env, item, row, si));
        let from = (Tried::with(case.clean_env, item, &clean), Tried::with(case.reported_env, item, &reported));
        self.both(&spec.node, 1.0 / case.protocol.items[spec.item].unit.factor, from, case.out)
    }

    /// A setting misread by one step.
    ///
    /// A range switch one step beside the one written makes a reading ten times as large, or two
    /// and a half.
    pub(super) fn settings(&mut self) {
        let case = self.case;
        for (item, r, row, cell) in self.readings_used() {
            let ReadingKind::Setting(list) = &case.protocol.readings[r].kind else { continue };
            let Some(value) = case.readings[r].cells.get(cell).and_then(|c| c.value) else { continue };
            for other in neighbours(list, value) {
                let (clean, reported) = self.with_item(item, row, other);
                let story = || Story {
                    kind: SlipKind::Setting,
                    variant: None,
                    subject: Some(item),
                    clause: Clause::Setting { item, taken: other },
                    repair: None,
                    ..Story::default()
                };
                self.add(story, SlipKind::Setting, clean, reported, |_| case.envelope);
            }
        }
    }
}

/// A row, from 0, that was dropped although it counts, or used although it does not.
fn left_out_or_used(case: &Case<'_>, item: ItemId, row: usize, dropped: bool) -> Clause {
    let text = match case.protocol.items[item].kind {
        ItemKind::Reading(r) => case.readings[r].cells.get(row).map_or("", |c| c.text.as_str()),
        _ => "",
    };
    let (row, text) = (Row::at(row), text.to_owned());
    if dropped { Clause::LeftOut { item, row, text } } else { Clause::Used { item, row, text } }
}

/// The settings one step beside a value: in its list, or in the 1-2-5 sequence and by ten.
///
/// In the lab's list of settings those beside it; without a list six usual steps.
fn neighbours(list: &[f64], value: f64) -> Vec<f64> {
    if !list.is_empty() {
        let mut sorted = list.to_vec();
        sorted.sort_by(f64::total_cmp);
        let Some(at) = sorted.iter().position(|v| (v - value).abs() <= 1e-9 * value.abs()) else { return Vec::new() };
        let beside = [at.checked_sub(1), Some(at + 1)];
        return beside.into_iter().flatten().filter_map(|i| sorted.get(i)).copied().collect();
    }
    vec![value * 10.0, value / 10.0, value * 2.0, value / 2.0, value * 2.5, value / 2.5]
}

/// Whichever of two predictions lies nearer to R; nought where there is none.
///
/// The nearer one is told as what the mistake gives.
fn nearer(r: f64, a: Option<f64>, b: Option<f64>) -> f64 {
    a.into_iter().chain(b).min_by(|x, y| (r - x).abs().total_cmp(&(r - y).abs())).unwrap_or(0.0)
}
