//! Mistakes in writing the answer down.
//!
//! The digits of R itself are looked at: 7.29 for 7.92, 7.62 for 7.92, 79.2 for 7.92. The last
//! digit is left out of the second, since that is rounding. What was meant must be right by itself:
//! it is compared with C and F, and no mistaken formula is joined to it.
//!
//! | written | meant | kind |
//! |---|---|---|
//! | 7.29 | 7.92 | two neighbouring digits changed places |
//! | 7.62 | 7.92 | one digit is another |
//! | 79.2 | 7.92 | the point moved |

use super::super::values::within;
use super::case::Case;
use super::maker::{Maker, Story};
use crate::finding::Clause;
use crate::protocol::SlipKind;
use crate::quantity::power_of_ten;

impl Maker<'_> {
    /// The answer's text was miswritten: what was meant must itself be right, within the figures it
    /// has, or follow from the values above. Whatever was written, the prediction of such a story
    /// is R.
    ///
    /// The story says of the table what [`miswritten`](super::super::stories::Beside::miswritten)
    /// says: all that follows was worked out with what was meant, or seldom with what stands there.
    pub(super) fn answer_text(&mut self) {
        let case = self.case;
        for (kind, clause, meant) in edits(case) {
            *self.counts.entry((kind.clone(), None)).or_default() += 1;
            // Rounded to what was written, or cut off there; a point that moved takes the last digit with it.
            let moved = if kind == SlipKind::DecimalPoint { (meant / case.reported).abs() } else { 1.0 };
            let half = case.half_step * moved;
            let exact = case.exact.max(half);
            let lost = |x: f64| x.abs() - meant.abs();
            let cut = |x: f64| x.signum() == meant.signum() && (0.0..=2.0 * half).contains(&lost(x));
            let right = |x: f64, e: f64| within(meant - x, exact + e, half, meant, x) || cut(x);
            let clean = case.clean.filter(|c| right(*c, 0.0)).map(|_| case.reported);
            let carried = case.has_reported || case.clean.is_none();
            let reported = (carried && right(case.carried, case.envelope)).then_some(case.reported);
            if clean.is_none() && reported.is_none() {
                continue;
            }
            let before = self.fitting.len();
            self.consider(|| Story { kind, clause, ..Story::default() }, clean, reported, |_| case.envelope);
            if let Some(h) = self.fitting.get_mut(before) {
                h.predicted = meant;
                let item = &case.protocol.items[case.protocol.results[case.id].item];
                h.joint = case.beside.miswritten(item.to_si(meant));
            }
        }
    }
}

/// Values that the answer's text may have been meant to show: neighbouring digits swapped back, one
/// digit (never the last, that is rounding) put right, the decimal point moved back. In the
/// result's unit.
///
/// For n digits there are n − 1 swaps, 9(n − 1) other digits and four moves of the point. Fractions
/// and numbers of more than 17 digits have none.
fn edits(case: &Case<'_>) -> Vec<(SlipKind, Clause, f64)> {
    let Some(number) = case.number else { return Vec::new() };
    let scale = if number.value == 0.0 { return Vec::new() } else { case.reported / number.value };
    let sign = number.value.signum();
    let digits: Vec<u8> = number.digits.bytes().collect();
    let positions: Vec<usize> = (0..digits.len()).filter(|i| digits[*i].is_ascii_digit()).collect();
    let exponent = number.last_place + number.digits.split_once('.').map_or(0, |(_, d)| d.len() as i32);
    let value = |digits: &[u8]| {
        std::str::from_utf8(digits)
            .ok()
            .and_then(|t| format!("{t}e{exponent}").parse::<f64>().ok())
            .map(|v| v * sign * scale)
            .filter(|v| v.is_finite())
    };
    let text = |digits: &[u8]| String::from_utf8_lossy(digits).into_owned();
    let mut out = Vec::new();
    if number.fraction || positions.len() > 17 {
        return out;
    }
    for pair in positions.windows(2) {
        if digits[pair[0]] != digits[pair[1]] {
            let mut swapped = digits.clone();
            swapped.swap(pair[0], pair[1]);
            if let Some(v) = value(&swapped) {
                out.push((SlipKind::DigitsSwapped, Clause::DigitsSwapped { meant: text(&swapped) }, v));
            }
        }
    }
    for &at in &positions[..positions.len().saturating_sub(1)] {
        for digit in b'0'..=b'9' {
            if digit != digits[at] {
                let mut other = digits.clone();
                other[at] = digit;
                if let Some(v) = value(&other) {
                    out.push((SlipKind::DigitWrong, Clause::DigitWrong { meant: text(&other) }, v));
                }
            }
        }
    }
    for places in [1i32, 2, -1, -2] {
        out.push((SlipKind::DecimalPoint, Clause::Point { places }, case.reported * power_of_ten(places)));
    }
    out
}
