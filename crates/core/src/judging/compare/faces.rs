//! The faces of rounding: how a right value comes to differ from C, or F, by rounding alone.
//!
//! | face | what was done | example |
//! |---|---|---|
//! | early | digits were dropped on the way | 1.567 for 1.5645, of which three figures are known |
//! | cut off | the digits after the last written one were dropped | 1.56 for 1.5695 |
//! | padded | noughts were written that are not known | 1.5600 for 1.5645 |
//! | two steps | it was rounded twice | 1.57 for 1.5645, by way of 1.565 |
//! | every step | each step was rounded, or cut, to n figures | |
//! | π, a constant | a short form was used: 3.14, 22/7, 9.8 | |
//! | graph | a line by eye, or an end point inside the steepest step | |
//!
//! The first face that fits is told. None of them costs points by itself: what costs is a figure
//! too few.

use super::super::values::{Env, Tried, within};
use super::Judge;
use crate::formula::value::StepRounding;
use crate::formula::{Context, Value};
use crate::quantity::power_of_ten;
use crate::verdict::Face;

/// Within what R is compared, in the unit of the result.
///
/// All are half-widths.
#[derive(Clone, Copy)]
pub(super) struct Limits {
    /// Half a unit of R's last digit.
    pub(super) h: f64,
    /// h where noughts at the end of a whole number hold places.
    pub(super) coarse: f64,
    /// Half a unit of the last figure that the result may have.
    pub(super) d: f64,
    /// 1 where the rounding envelope gives room, 0 where it does not.
    pub(super) room: f64,
    /// The half-step with the noughts at the end of a decimal taken off.
    pub(super) padded: Option<f64>,
}

impl Judge<'_> {
    /// Rounding that explains R where nothing upstream is tainted: or `None`.
    ///
    /// `r`, `c` and `f` are R, C and F in the result's unit and `e` is the envelope of F.
    /// `from_reported` says whether any value above was reported; if not, F is C and is not tried a
    /// second time.
    pub(super) fn rounded(&self, r: f64, c: f64, f: f64, e: f64, l: Limits, from_reported: bool) -> Option<Face> {
        let wide = l.h.max(l.d);
        if within(r - f, wide + e * l.room, wide, r, f) {
            let near = within(r - c, wide, wide, r, c);
            return Some(if from_reported && !near { Face::FromRounded } else { Face::Early });
        }
        if within(r - c, l.d, l.d, r, c) {
            return Some(Face::Early);
        }
        if r == 0.0 {
            return None;
        }
        if self.seen_in_a_graph(r, c, l.h) {
            return Some(Face::Graph);
        }
        self.face(self.clean, r, c, 0.0, l).or_else(|| {
            // Without reported values upstream both kinds of input are the same.
            from_reported.then(|| self.face(self.reported, r, f, e, l)).flatten()
        })
    }

    /// Faces of early rounding on one set of inputs: cut off; padded with noughts; every step
    /// rounded or cut; short forms of constants.
    ///
    /// `x` is what R is held against and `env` what x was worked out from. At most 8 workings with
    /// rounded steps, 3 with another π, and one for each short form of a constant are needed.
    pub(super) fn face(&self, env: &Env, r: f64, x: f64, e: f64, l: Limits) -> Option<Face> {
        if let Some(h) = l.padded
            && within(r - x, h + e * l.room, h, r, x)
        {
            return Some(Face::Padded);
        }
        if twice_rounded(x, l.h) && within(r - x, 1.1 * l.h, l.h, r, x) {
            return Some(Face::TwoSteps);
        }
        if r.signum() == x.signum() {
            let lost = x.abs() - r.abs();
            if lost >= -1e-13 * x.abs() && within(lost, 2.0 * l.coarse + e, l.h, r, x) {
                return Some(Face::CutOff);
            }
        }
        // Rounding to three figures or more at every step of a short formula moves nothing by more than a twentieth;
        // where differences of near values may have grown more, all is tried.
        let item = self.item();
        let node = &self.spec.node;
        let out = self.ground.out;
        for cut in [false, true] {
            for figures in 3..=6 {
                let steps = Some(StepRounding { figures, cut });
                let context = Context { steps, ..Context::without(env, out) };
                if let Some(v) = self.under(node, &context).map(|v| item.from_si(v))
                    && within(r - v, l.h, l.h, r, v)
                {
                    return Some(Face::EveryStep { figures, cut });
                }
            }
        }
        let near = |v: f64| v != x && within(r - v, l.h.max(l.d) + e, l.h, r, v);
        // Short forms of π that people use, on purpose not the constant.
        #[allow(clippy::approx_constant)]
        for (pi, text) in [(3.14, "3.14"), (3.1416, "3.1416"), (22.0 / 7.0, "22/7")] {
            let context = Context { pi, ..Context::without(env, out) };
            // Only where π is in the formula does this differ from x at all.
            if self.under(node, &context).map(|v| item.from_si(v)).is_some_and(near) {
                return Some(Face::Pi(text));
            }
        }
        for reference in self.ground.protocol.references.iter().filter(|r| !r.short.is_empty()) {
            if !node.uses(reference.item) {
                continue;
            }
            let it = &self.ground.protocol.items[reference.item];
            for short in &reference.short {
                let short_form = Value::Scalar(*short);
                let trial = Tried::with(env, reference.item, &short_form).context(out);
                if self.under(node, &trial).map(|v| item.from_si(v)).is_some_and(near) {
                    return Some(Face::Constant(reference.item, it.from_si(*short)));
                }
            }
        }
        None
    }
}

/// Whether rounding x to one figure more first, and then to steps of 2h, gives another value than
/// rounding once: 1.5645 becomes 1.565 and then 1.57.
///
/// `h` is half a unit of the last digit. Nought has no second rounding.
fn twice_rounded(x: f64, h: f64) -> bool {
    if h <= 0.0 {
        return false;
    }
    let steps = x.abs() / (2.0 * h);
    let first = (steps * 10.0 * (1.0 + 1e-13)).round() / 10.0;
    first.round() > (steps * (1.0 + 1e-13)).round()
}

/// `8.4100` written for a value that was rounded to 8.41: half a step of the last digit that is no
/// nought, while at least three figures, or as many as are deserved, are left.
///
/// `None` where no nought can be taken off.
pub(super) fn padded(number: &crate::reading::Number, deserved: i32) -> Option<f64> {
    let (_, decimals) = number.digits.split_once('.')?;
    let noughts = (decimals.len() - decimals.trim_end_matches('0').len()) as i32;
    let spare = noughts.min(number.figures() as i32 - deserved.min(3));
    (spare > 0).then(|| 0.5 * power_of_ten(number.last_place + spare))
}
