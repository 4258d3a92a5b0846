//! Mistakes in writing the answer down.

use super::case::Case;
use super::maker::{Maker, Story};
use crate::protocol::SlipKind;
use crate::quantity::power_of_ten;

impl Maker<'_> {
    /// The answer's text was miswritten: what was meant stands where R stands, so H lies as far from R as C from it.
    pub(super) fn answer_text(&mut self) {
        let case = self.case;
        for (kind, says, meant) in edits(case) {
            // A point that went astray scales what was meant; a digit shifts it.
            let moved = kind == SlipKind::DecimalPoint;
            let shift = |x: f64| if moved { x * (case.reported / meant) } else { case.reported - (meant - x) };
            let clean = case.clean.map(shift);
            let reported = (case.has_reported || clean.is_none()).then(|| shift(case.carried));
            let before = self.fitting.len();
            self.add(
                || Story { kind: kind.clone(), variant: None, subject: None, says, repair: None },
                kind.clone(),
                clean,
                reported,
                |_| case.envelope,
            );
            if let Some(h) = self.fitting.get_mut(before) {
                h.predicted = meant;
            }
        }
    }
}

/// Values that the answer's text may have been meant to show: neighbouring digits swapped back, one digit (never the
/// last, that is rounding) put right, the decimal point moved back. In the result's unit.
fn edits(case: &Case<'_>) -> Vec<(SlipKind, String, f64)> {
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
    let mut out = Vec::new();
    if number.fraction || positions.len() > 17 {
        return out;
    }
    for pair in positions.windows(2) {
        if digits[pair[0]] != digits[pair[1]] {
            let mut swapped = digits.clone();
            swapped.swap(pair[0], pair[1]);
            if let Some(v) = value(&swapped) {
                out.push((
                    SlipKind::DigitsSwapped,
                    format!("two digits of {} were swapped in writing it down", String::from_utf8_lossy(&swapped)),
                    v,
                ));
            }
        }
    }
    for &at in &positions[..positions.len().saturating_sub(1)] {
        for digit in b'0'..=b'9' {
            if digit != digits[at] {
                let mut other = digits.clone();
                other[at] = digit;
                if let Some(v) = value(&other) {
                    out.push((
                        SlipKind::DigitWrong,
                        format!("one digit of {} went wrong in writing it down", String::from_utf8_lossy(&other)),
                        v,
                    ));
                }
            }
        }
    }
    for places in [1i32, 2, -1, -2] {
        let words = if places.abs() == 1 { "one place" } else { "two places" };
        let side = if places > 0 { "left" } else { "right" };
        out.push((
            SlipKind::DecimalPoint,
            format!("the decimal point went {words} to the {side}"),
            case.reported * power_of_ten(places),
        ));
    }
    out
}
