//! One value to be explained, the hypotheses about it, and how likely each makes it.

use super::super::stories::Beside;
use super::super::values::{Env, Out, Tried, within};
use super::acts::Edit;
use crate::finding::Clause;
use crate::formula::{ItemId, Node};
use crate::protocol::{Protocol, ResultId, SlipKind};
use crate::reading::Number;
use crate::repair::Repair;
use crate::row::Row;
use crate::verdict::JudgedReading;

/// One value to be explained: R, h, w, C, F and e in the result's unit, and what it was worked out
/// from.
///
/// It is made only for a value that nothing simpler explains: one in eighty of the demo class.
pub(in super::super) struct Case<'a> {
    /// Gives formulas, mistaken forms and plausible ranges.
    pub(in super::super) protocol: &'a Protocol,
    /// The result whose value is to be explained.
    pub(in super::super) id: ResultId,
    /// Row, from 0, and whether the environments hold this row's values only.
    pub(in super::super) row: Option<usize>,
    pub(in super::super) sliced: bool,
    /// R, h and w, in the result's unit.
    pub(in super::super) reported: f64,
    pub(in super::super) half_step: f64,
    pub(in super::super) width: f64,
    /// Within what a story about the text of a number has to fit: max(h, d).
    pub(in super::super) exact: f64,
    /// The rest of the table.
    pub(in super::super) beside: &'a Beside<'a>,
    /// C; none where a reading is missing.
    pub(in super::super) clean: Option<f64>,
    /// F, or C where nothing above was reported.
    pub(in super::super) carried: f64,
    /// e, how far rounding above may have moved F.
    pub(in super::super) envelope: f64,
    /// Clean values, SI.
    pub(in super::super) clean_env: &'a Env,
    /// Values as reported, SI.
    pub(in super::super) reported_env: &'a Env,
    /// Rows left out, by group.
    pub(in super::super) out: &'a Out,
    /// Readings that a person says were not copied wrongly.
    pub(in super::super) refuted: &'a [(ItemId, Option<Row>)],
    /// Whether any upstream value was reported.
    pub(in super::super) has_reported: bool,
    /// e of another formula: the formula, its value in the result's unit, and the scale from SI.
    pub(in super::super) envelope_of: &'a dyn Fn(&Node, f64, f64) -> f64,
    /// A formula's value for this row, SI.
    pub(in super::super) value_of: &'a dyn Fn(&Node, Tried<'_>, &Out) -> Option<f64>,
    /// Readings as judged.
    pub(in super::super) readings: &'a [JudgedReading],
    /// R as it was written.
    pub(in super::super) number: Option<&'a Number>,
}

/// One mistake that may have given R.
///
/// Its probability is prior × likelihood × e^joint × e^sisters, over the sum of all and of nothing.
pub(super) struct Hypothesis {
    /// What it would be called.
    pub(super) kind: SlipKind,
    /// Number of the mistaken formula among the result's, for what can happen down a whole column.
    pub(super) variant: Option<usize>,
    /// The item it is about.
    pub(super) subject: Option<ItemId>,
    /// What was done.
    pub(super) clause: Clause,
    /// Prediction from clean inputs, from reported inputs, and the envelope of the latter.
    pub(super) clean: Option<f64>,
    pub(super) reported: Option<f64>,
    pub(super) envelope: f64,
    /// What the mistaken calculation gives, to be told.
    pub(super) predicted: f64,
    /// The cells that it would alter.
    pub(super) repair: Option<Repair>,
    /// The way of a slip of the pen, if it was one.
    pub(super) edit: Option<Edit>,
    /// Before R is looked at.
    pub(super) prior: f64,
    /// Its whole prior, where that does not come of its kind.
    pub(super) weight: Option<f64>,
    /// Of R, if it holds.
    pub(super) likelihood: f64,
    /// ln of what the rest of the table says to it.
    pub(super) joint: f64,
    /// ln of what the other rows of its column say, where the same mistake fits them. A column is
    /// weighed as a whole besides, so that this stays out of what its rows say one by one.
    pub(super) sisters: f64,
    /// Its share of everything that could have given R.
    pub(super) posterior: f64,
}

/// ½·[|R−H_C| ≤ w] + ½·w/(w+e)·[|R−H_F| ≤ w+e]; one kind of input only: that term with weight 1;
/// both nought: a tenth where R is within 0.2 % of H besides.
///
/// A hypothesis predicts two values: H_C from clean inputs and H_F from what was reported above.
/// The team used one of them, and it is not known which; e is the envelope of H_F.
pub(super) fn likelihood(case: &Case<'_>, h: &Hypothesis) -> f64 {
    let (r, w, e) = (case.reported, case.width, h.envelope);
    let fits = |x: f64, bound: f64| within(r - x, bound, case.half_step, r, x);
    let clean = h.clean.map(|x| if fits(x, w) { 1.0 } else { 0.0 });
    let reported = h.reported.map(|x| if fits(x, w + e) { w / (w + e) } else { 0.0 });
    let sharp = match (clean, reported) {
        (Some(a), Some(b)) => 0.5 * a + 0.5 * b,
        (Some(a), None) => a,
        (None, Some(b)) => b,
        (None, None) => 0.0,
    };
    if sharp > 0.0 {
        return sharp;
    }
    let Some(x) = h.reported.or(h.clean) else { return 0.0 };
    let wide = w + e + 0.002 * x.abs();
    if fits(x, wide) {
        0.1 * w / wide
    } else if cut(case, x) {
        // One in ten cuts off, and the last digit is then anywhere below.
        0.1 * w / (w + 2.0 * case.half_step)
    } else {
        0.0
    }
}

/// Whether R is x cut off after the digits written.
///
/// Half a step is h; a value cut off lies anywhere in the two half-steps below it.
pub(super) fn cut(case: &Case<'_>, x: f64) -> bool {
    let lost = x.abs() - case.reported.abs();
    x.signum() == case.reported.signum()
        && lost >= 0.0
        && within(lost, 2.0 * case.half_step, case.half_step, case.reported, x)
}

/// Half flat over six decades, half close by: unmodelled mistakes are mostly small.
///
/// A density times the width 2w of R's last digit. C stands for the carried value here: what R lies
/// near to.
pub(super) fn unexplained_likelihood(case: &Case<'_>) -> f64 {
    if case.reported == 0.0 {
        return 0.5;
    }
    // Beside a nought nothing is near: the ratio is beyond bounds, and that half of it vanishes.
    let near = if case.carried == 0.0 { f64::INFINITY } else { (case.reported / case.carried).abs().ln().abs() };
    (2.0 * case.width / case.reported.abs()) * (0.5 / 13.8 + 0.5 * (-near / 0.15).exp() / 0.30)
}
