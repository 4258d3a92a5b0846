//! Recompute, follow through and compare: the verdict of each reported result, row by row where it
//! is a column.
//!
//! The questions are asked in this order, and the first that can be answered gives the verdict:
//!
//! 1. Is there a value, and can it be read? Else it is missing or unreadable.
//! 2. Do the readings give C, or the values above F? Else it cannot be checked.
//! 3. Does R differ from C by at most half a unit of its last digit (h)? Then it agrees: 1.56
//!    beside 1.5645, h = 0.005.
//! 4. Does the formula that the team has under it show a mistake? That is no guess, and goes before
//!    all that follow.
//! 5. Does rounding on the way explain it, or a wrong value above? Then it is rounded, or carried.
//! 6. Did the lab's own formula give it, under the cell? Then no mistake of its own is looked for.
//! 7. Is a cell of its column missing? Then either a value in that cell gives R, or nothing is
//!    known.
//! 8. Which mistake gives R? [`diagnose`](super::diagnose) tries them; what none gives is
//!    unexplained.
//!
//! # An example
//!
//! A plate is 84.30 mm by 31.2 mm by 6.27 mm and weighs 130.6 g, so that C = 7.919… g/cm³ for its
//! density.
//!
//! | R | why | verdict |
//! |---|---|---|
//! | 7.92 | within half a last digit of C | agrees |
//! | 7.9 | so is this, with h = 0.05 | agrees |
//! | 7.915 | from the volume as the team rounded it, 16.5 cm³ | rounded |
//! | 15.84 | from its volume, which is half of the right one | carried |
//! | 79.2 | the decimal point moved one place | slip |
//! | 8.6 | nothing gives it | unexplained |

mod carried;
mod faces;
mod gap;
mod graph;

use carried::Upstream;
use faces::{Limits, padded};

use super::diagnose::{self, Candidates, Case};
use super::ground::Ground;
use super::stories::Odd;
use super::values::{Env, Out, Tried, derive, sliced, within};
use super::words;
use crate::finding::Right;
use crate::formula::figures::Figured;
use crate::formula::{Context, ItemId, Node, Shape, Value, evaluate_any};
use crate::protocol::{ResultId, ResultSpec};
use crate::quantity::leading_place;
use crate::quantity::power_of_ten;
use crate::reading::{CellKind, read};
use crate::verdict::{JudgedResult, Reported, Slip, VerdictKind};

/// An e above this share of |F| is too wide to check anything.
pub(super) const WIDE_ENVELOPE: f64 = 0.05;

/// Whether anything was written that is no dash or "n/a".
///
/// A dash counts as nothing written: the result is missing and not unreadable.
fn has_text(written: &Reported) -> bool {
    !matches!(read(&written.text, &Default::default()).kind, CellKind::Blank | CellKind::NotApplicable)
}

/// Judges all results in the order they are derived. Gives them with the values as reported.
///
/// Each row of a column is a result of its own, judged in the order of the rows; what happened down
/// the whole column is asked when its last row is done. What follows is worked out from R where the
/// team wrote one, else from F, else from C, so that one empty cell does not leave all that follows
/// unchecked.
///
/// The values as reported are in SI units, by item; results have the unit of their item.
pub(super) fn results(ground: &Ground<'_>) -> (Vec<JudgedResult>, Env) {
    let protocol = ground.protocol;
    let mut reported = ground.measured.clone();
    let mut out: Vec<JudgedResult> = Vec::new();
    for (id, spec) in ResultId::with(&protocol.results) {
        let item = &protocol.items[spec.item];
        let written = &ground.table.reported[id];
        if item.words.is_some() {
            for (row, w) in written.iter().enumerate() {
                let row = spec.table.map(|_| row);
                out.push(words::judge(ground, id, row, w, &reported, &out));
            }
            continue;
        }
        let f = derive(protocol, spec, &reported, ground.out, ground.table);
        let first = out.len();
        let mut column: Vec<Option<f64>> = Vec::new();
        let mut candidates: Vec<Option<Candidates>> = Vec::new();
        for (n, w) in written.iter().enumerate() {
            let row = spec.table.map(|_| n);
            let c = ground.clean[spec.item].as_ref().and_then(|v| v.at(row)).copied();
            let f = f.as_ref().and_then(|v| v.at(row)).copied();
            let g = ground.figured[spec.item].as_ref().and_then(|v| v.at(row)).copied();
            // A row that depends on itself alone is judged on its own values, as a single value is.
            let slice = row.filter(|_| spec.row_local);
            let (clean_row, reported_row);
            let (clean, reported_env) = match slice {
                Some(r) => {
                    (clean_row, reported_row) = (sliced(ground.clean, r), sliced(&reported, r));
                    (&clean_row, &reported_row)
                }
                None => (ground.clean, &reported),
            };
            let judge =
                Judge { ground, spec, id, row, sliced: slice.is_some(), clean, reported: reported_env, done: &out };
            let (judged, found) = judge.result(w, c, f, g);
            // Downstream is followed from what the team wrote; where it wrote nothing, from what follows so far.
            column.push(w.value.map(|v| item.to_si(v)).or(f).or(c));
            candidates.push(found);
            out.push(judged);
        }
        reported[spec.item] = match item.rows {
            Shape::Column(_) => column.iter().any(Option::is_some).then_some(Value::Column(column)),
            Shape::Scalar => column[0].map(Value::Scalar),
        };
        if spec.table.is_some() {
            diagnose::down_the_column(protocol, spec, &mut out[first..], &candidates);
            diagnose::lone_rows(&mut out[first..]);
            diagnose::keyed_throughout(protocol, &mut out[first..]);
            super::under::down_the_column(&mut out[first..], ground.beneath);
        }
    }
    (out, reported)
}

/// The items above that are wrong, each once.
///
/// A column that is wrong in five rows is one item.
fn tainting(upstream: &[Upstream]) -> Vec<ItemId> {
    let mut items = Vec::new();
    for u in upstream.iter().filter(|u| u.tainted) {
        if !items.contains(&u.item) {
            items.push(u.item);
        }
    }
    items
}

/// It is made for each row. Where `sliced` is set, `clean` and `reported` hold this row's values as
/// single ones, and a mistake is looked for in this row alone.
struct Judge<'a> {
    /// What all results are judged from.
    ground: &'a Ground<'a>,
    /// The result as the lab has it.
    spec: &'a ResultSpec,
    /// Which of the lab's results is judged.
    id: ResultId,
    /// Row, from 0.
    row: Option<usize>,
    /// Whether the environments hold this row's values only.
    sliced: bool,
    /// Clean values, SI.
    clean: &'a Env,
    /// Values as reported so far, SI.
    reported: &'a Env,
    /// Results judged before.
    done: &'a [JudgedResult],
}

impl Judge<'_> {
    /// The item of the result that is judged.
    fn item(&self) -> &crate::protocol::Item {
        &self.ground.protocol.items[self.spec.item]
    }

    /// A formula's value for this row, SI.
    ///
    /// Undefined is `None`: a root of a negative number, a reading that is not there.
    fn value(&self, node: &Node, env: &Env) -> Option<f64> {
        self.under(node, &Context::without(env, self.ground.out))
    }

    /// A formula's value in the row that is judged, in SI units; `None` where it is not defined
    /// there.
    fn under(&self, node: &Node, context: &Context<'_, f64>) -> Option<f64> {
        evaluate_any(node, context).ok()?.at(self.row).copied()
    }

    /// The verdict of one reported value. `c` and `f` are C, from the readings alone, and F, what
    /// follows from the reported values above, both in SI units; `figures` are those that the
    /// readings support. The second value is what a value that nothing explains leaves for the
    /// judgement of its column.
    ///
    /// A value that is neither right nor follows is given to [`diagnose`]; only then is there a
    /// second value. All that is said of a result is said here once: the verdict is set where it is
    /// found, and nothing after it can change it but the judgement of its column.
    fn result(
        &self,
        written: &Reported,
        c: Option<f64>,
        f: Option<f64>,
        figures: Option<Figured>,
    ) -> (JudgedResult, Option<Candidates>) {
        let spec = self.spec;
        let item = self.item();
        let in_unit = |v: Option<f64>| v.map(|v| item.from_si(v)).filter(|v| v.is_finite());
        let (c, f) = (in_unit(c), in_unit(f));
        let upstream = self.upstream();
        let mut out = self.begun(written, c, f, figures, &upstream);
        let Some(r) = written.value else {
            if has_text(written) {
                out.verdict = VerdictKind::Unreadable;
            }
            return (out, None);
        };
        // Where C cannot be computed, what follows from the reported upstream values takes its place.
        let Some(target) = c.or(f.filter(|_| !upstream.is_empty())).filter(|_| !spec.guess) else {
            out.verdict = if spec.guess { VerdictKind::Agrees } else { VerdictKind::Unchecked };
            return (out, None);
        };
        // What follows from a wrong value above may not be defined at all; then it cannot be checked.
        let undefined = f.is_none() && !out.tainted_by.is_empty();
        let f = f.unwrap_or(target);
        let (limits, agrees) = self.limits(written, r, target, out.deserved);
        out.reported.half_step = limits.h;
        let beneath = self.ground.beneath.at(self.id, self.row);
        out.under = beneath.map(|b| Box::new(b.under.clone()));
        if agrees {
            out.verdict = VerdictKind::Agrees;
            return (out, None);
        }
        // What the formula under it shows is no guess, and goes before what the value could come of.
        if let Some(slip) = beneath.and_then(|b| b.slip.as_ref()) {
            (out.verdict, out.slip) = (VerdictKind::Slip, Some(Slip { predicted: r, ..slip.clone() }));
            return (out, None);
        }
        out.face = self.without_a_mistake(&out, (r, target, f), limits, &upstream);
        if out.face.is_some() {
            let clean = out.tainted_by.is_empty();
            out.verdict = if clean { VerdictKind::Rounded } else { VerdictKind::Carried };
            return (out, None);
        }
        if undefined {
            out.verdict = VerdictKind::Unchecked;
            return (out, None);
        }
        if let Some((verdict, face)) = beneath.and_then(|b| b.settles(out.tainted_by.is_empty(), !upstream.is_empty()))
        {
            (out.verdict, out.face) = (verdict, face);
            return (out, None);
        }
        // No story is told from a column with a hole: either a value in it gives R, or nothing is known of R.
        if let Some(gap) = self.gap(r, limits.h.max(limits.d)) {
            let unknown = gap.fits.is_some() || !gap.alone;
            out.verdict = if unknown { VerdictKind::Unchecked } else { VerdictKind::Unexplained };
            out.gap = Some(gap);
            return (out, None);
        }
        // A mistaken value may be rounded to tens or hundreds like any other.
        let candidates = self.diagnose(&mut out, r, c, f, limits.coarse, &upstream);
        (out, Some(candidates))
    }

    /// The result with C, F, e and the figures it deserves, before R is looked at.
    ///
    /// The figures it deserves are wanted even where R is right, since a right value may have too
    /// many.
    fn begun(
        &self,
        written: &Reported,
        c: Option<f64>,
        f: Option<f64>,
        figures: Option<Figured>,
        upstream: &[Upstream],
    ) -> JudgedResult {
        let scale = 1.0 / self.item().unit.factor;
        JudgedResult {
            clean: c,
            carried: f,
            envelope: f.map_or(0.0, |f| self.envelope(&self.spec.node, self.reported, upstream, f, scale)),
            deserved: self.deserved(c, figures),
            exact: figures.is_some_and(|g| g.place.is_none()),
            tainted_by: tainting(upstream),
            ..JudgedResult::unjudged(self.id, self.spec.item, self.row, written)
        }
    }

    /// How R comes of C or F without a mistake of its own: by rounding, or from wrong values above.
    ///
    /// `limits.coarse` is used where a value above is wrong: 1300 may stand for 1284 as well as for
    /// 1295.
    fn without_a_mistake(
        &self,
        out: &JudgedResult,
        (r, c, f): (f64, f64, f64),
        limits: Limits,
        upstream: &[Upstream],
    ) -> Option<crate::verdict::Face> {
        if out.tainted_by.is_empty() {
            return self.rounded(r, c, f, out.envelope, limits, !upstream.is_empty());
        }
        // Noughts of a whole number may hold places here as well.
        self.carried(r, upstream, Limits { h: limits.coarse, ..limits }, out.deserved)
    }

    /// Within what R is compared with its target, and whether it agrees.
    ///
    /// `r` and `target` are in the result's unit, `deserved` is in figures. The second value says
    /// whether R is within h of its target.
    ///
    /// A calculator's ten digits are no claim to ten figures: such a value is compared by the last
    /// figure it deserves, and its excess of digits is charged as that. A table of logarithms is
    /// off by some units of its last figure, which the lab states. A graph can be read to so much
    /// and no better ([`ResultSpec::read_off`]).
    fn limits(&self, written: &Reported, r: f64, target: f64, deserved: i32) -> (Limits, bool) {
        let (spec, school) = (self.spec, &self.ground.protocol.school);
        let number = written.number.as_ref();
        let of_number = || number.into_iter().flat_map(|n| n.half_steps().map(|h| h * written.scale));
        let steps = || of_number().chain(number.is_none().then_some(written.half_step));
        // The last figure the result may have, tolerance included: a longer answer is not held to its further digits.
        let last = deserved + school.figure_tolerance;
        let mut d = if target == 0.0 { 0.0 } else { 0.5 * power_of_ten(leading_place(target) - last + 1) };
        if let (Some((units, figures)), true) = (school.logarithm_table, target != 0.0) {
            d = d.max(f64::from(units) * power_of_ten(leading_place(target) - figures as i32 + 1));
        }
        d = d.max(spec.read_off.unwrap_or(0.0));
        // A calculator dump is not held to its last digit.
        let dump = number.is_some_and(|n| n.figures() as i32 > deserved + 3 && n.figures() >= 8);
        let agreeing = steps().map(|h| if dump { h.max(d) } else { h }).find(|h| within(r - target, *h, *h, r, target));
        let h = agreeing.or(steps().next()).unwrap_or(written.half_step);
        // Nought has no figures: it is compared by its half-step alone, with no room for rounding on the way.
        let padded = number.and_then(|n| padded(n, deserved)).map(|h| h * written.scale);
        let coarse = steps().fold(h, f64::max);
        let limits = if r == 0.0 {
            Limits { h, coarse, d: 0.0, room: 0.0, padded: None }
        } else {
            Limits { h, coarse, d, room: 1.0, padded }
        };
        (limits, agreeing.is_some())
    }

    /// Figures the result deserves: by the rules for figures, or so many that its last stands where
    /// u's first does.
    ///
    /// At least 1, at most 15. The lab chooses between the rules for figures and the place of u's
    /// first figure.
    fn deserved(&self, c: Option<f64>, figures: Option<Figured>) -> i32 {
        let by_rule = figures.map_or(3, |g| g.figures().unwrap_or(6)).clamp(1, 15);
        if !self.ground.protocol.school.digits_from_uncertainty {
            return by_rule;
        }
        let budget = self.ground.budgets[self.id].get(self.row.unwrap_or(0)).and_then(Option::as_ref);
        match (c, budget) {
            (Some(c), Some(b)) if c != 0.0 && b.standard > 0.0 => {
                (leading_place(c) - leading_place(b.standard) + 1).clamp(1, 15)
            }
            _ => by_rule,
        }
    }

    /// Looks for the mistake behind a value that is neither right nor follows: sets verdict and
    /// slip of `out`, and gives the candidates for its column. All numbers are in the result's
    /// unit; `h` is the half-step of R.
    fn diagnose(
        &self,
        out: &mut JudgedResult,
        r: f64,
        c: Option<f64>,
        f: f64,
        h: f64,
        upstream: &[Upstream],
    ) -> Candidates {
        // R's s-th figure, but no coarser than the place where the clean value's figures end: a difference that nearly
        // cancels deserves one figure, and a value a hundred times as large does not inherit that as its width.
        let place = |x: f64| leading_place(x) - out.deserved + 1;
        let shown = 0.5 * power_of_ten(place(r).min(c.filter(|c| *c != 0.0).map_or(i32::MAX, place)));
        let envelope_of =
            |node: &Node, value: f64, scale: f64| self.envelope(node, self.reported, upstream, value, scale);
        let value_of = |node: &Node, from: Tried<'_>, out: &Out| self.under(node, &from.context(out));
        let odd = Odd { id: self.id, row: self.row, reported: self.item().to_si(r) };
        let case = Case {
            beside: &self.ground.whole.beside(odd),
            exact: h.max(
                0.5 * power_of_ten(
                    c.filter(|c| *c != 0.0).map_or_else(|| place(r), place)
                        - self.ground.protocol.school.figure_tolerance,
                ),
            ),
            protocol: self.ground.protocol,
            id: self.id,
            row: self.row,
            sliced: self.sliced,
            reported: r,
            half_step: h,
            width: h.max(if r == 0.0 { h } else { shown }),
            clean: c,
            carried: f,
            envelope: out.envelope,
            clean_env: self.clean,
            reported_env: self.reported,
            out: self.ground.out,
            refuted: self.ground.refuted,
            has_reported: !upstream.is_empty(),
            envelope_of: &envelope_of,
            value_of: &value_of,
            readings: &self.ground.table.readings,
            number: out.reported.number.as_ref(),
        };
        let (slip, candidates) = diagnose::diagnose(&case);
        out.verdict = match &slip {
            Some(slip) if slip.probability >= 0.5 => VerdictKind::Slip,
            _ => VerdictKind::Unexplained,
        };
        out.slip = slip;
        candidates
    }
}

/// The clean value, to one digit more than the team wrote.
///
/// `place` is the power of ten of the last figure that is shown: 7.919 has −3. A fraction (`5/32`)
/// and a value in another unit are shown with the figures they deserve.
pub(super) fn shown(result: &JudgedResult) -> Right {
    let Some(c) = result.clean.or(result.carried) else { return Right::Unknown };
    let place = match &result.reported.number {
        Some(n) if !n.fraction && result.reported.scale == 1.0 => {
            // One digit more than was written or deserved, whichever is finer; a dump needs no more than two.
            let deserved = leading_place(c) - result.deserved + 1;
            (n.last_place - 1).min(deserved - 1).max(deserved - 2)
        }
        _ => leading_place(c) - result.deserved + 1,
    };
    // Nobody reads more than six figures.
    let place = if c == 0.0 { place } else { place.max(leading_place(c) - 5) };
    Right::Value { value: c, place }
}
