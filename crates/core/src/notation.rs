//! Plain-text numbers and rounding, in one place, so that page, export and command line agree. No
//! HTML.
//!
//! Full precision is kept everywhere else: a number is rounded once, here, when it is shown.

use crate::quantity::power_of_ten;

/// A value to so many decimal places (0 for whole numbers), with the minus sign U+2212. A rounded
/// nought has no sign.
///
/// # Example
/// ```
/// use jurado_core::notation::decimals;
/// assert_eq!(decimals(-1.25, 1), "−1.2");
/// assert_eq!(decimals(-0.001, 2), "0.00");
/// ```
pub fn decimals(value: f64, places: usize) -> String {
    let text = format!("{:.*}", places.min(300), value);
    let unsigned = text.trim_start_matches('-');
    if text.starts_with('-') && unsigned.chars().any(|c| c.is_ascii_digit() && c != '0') {
        format!("−{unsigned}")
    } else {
        unsigned.to_owned()
    }
}

/// A value whose last digit stands at 10^`place`; very large and very small values in powers of
/// ten.
///
/// # Example
/// ```
/// use jurado_core::notation::to_place;
/// assert_eq!(to_place(84.306, -2), "84.31");
/// assert_eq!(to_place(43_700.0, 2), "4.37 × 10⁴");
/// ```
pub fn to_place(value: f64, place: i32) -> String {
    let magnitude = crate::quantity::leading_place(value);
    if place > 0 || !(-5..=8).contains(&magnitude) {
        let digits = usize::try_from(magnitude - place).unwrap_or(0);
        let text = format!("{:.*e}", digits.min(17), value);
        let (mantissa, exponent) = text.split_once('e').unwrap_or((&text, "0"));
        if exponent == "0" {
            return mantissa.replace('-', "−");
        }
        let exponent = crate::quantity::superscript(exponent.parse().unwrap_or(0));
        return format!("{} × 10{exponent}", mantissa.replace('-', "−"));
    }
    decimals(value, usize::try_from(-place).unwrap_or(0))
}

/// A value to so many significant figures.
///
/// # Example
/// ```
/// use jurado_core::notation::figures;
/// assert_eq!(figures(7.8612, 3), "7.86");
/// assert_eq!(figures(0.0996, 2), "0.10");
/// ```
pub fn figures(value: f64, count: i32) -> String {
    // Rounded first: 0.0996 to two figures is 0.10, not 0.100.
    to_place(value, crate::quantity::leading_place(to_figures(value, count.max(1), false)) - count.max(1) + 1)
}

/// A value to so many significant figures with its sign: +0.061, −1.20; a nought has none.
///
/// # Example
/// ```
/// use jurado_core::notation::signed;
/// assert_eq!(signed(0.0612, 2), "+0.061");
/// assert_eq!(signed(-1.2, 3), "−1.20");
/// assert_eq!(signed(0.0, 2), "0.0");
/// ```
pub fn signed(value: f64, count: i32) -> String {
    let text = figures(value, count);
    if value > 0.0 { format!("+{text}") } else { text }
}

/// A standard uncertainty to two significant figures.
///
/// # Example
/// ```
/// use jurado_core::notation::uncertainty;
/// assert_eq!(uncertainty(0.012_34), "0.012");
/// ```
pub fn uncertainty(u: f64) -> String {
    figures(u, 2)
}

/// Rounds (half to even on the decimal text's exact value) or cuts to so many significant figures.
///
/// # Example
/// ```
/// use jurado_core::notation::to_figures;
/// assert_eq!(to_figures(3.778_9, 3, false), 3.78);
/// assert_eq!(to_figures(3.778_9, 3, true), 3.77);
/// ```
pub fn to_figures(value: f64, count: i32, cut: bool) -> f64 {
    if value == 0.0 || !value.is_finite() {
        return value;
    }
    let places = count - 1 - crate::quantity::leading_place(value);
    // Tenths and below are not exact in binary, their powers upwards are: those are multiplied by, or divided by.
    let size = power_of_ten(places.abs());
    let scaled = if places < 0 { value / size } else { value * size };
    let as_before = |whole: f64| if places < 0 { whole * size } else { whole / size };
    if !cut {
        // Far from a tie plain arithmetic rounds as the decimal text does, at a tenth of the cost.
        if scaled.is_finite() && (scaled.abs().fract() - 0.5).abs() > 1e-6 && scaled.abs() < 1e15 && size < 1e200 {
            return as_before(scaled.round());
        }
        let digits = usize::try_from(count - 1).unwrap_or(0).min(17);
        return format!("{value:.digits$e}").parse().unwrap_or(value);
    }
    // The nudge keeps 2.5 from being cut to 2.4 when it arrives as 2.4999999999999996.
    as_before((scaled * (1.0 + 1e-14)).trunc())
}

/// A probability as a chance in a hundred.
///
/// # Example
/// ```
/// use jurado_core::notation::chance;
/// assert_eq!(chance(0.934), "93 in 100");
/// ```
pub fn chance(probability: f64) -> String {
    format!("{:.0} in 100", (probability * 100.0).clamp(0.0, 100.0))
}

/// "1 reading", "2 readings".
///
/// # Example
/// ```
/// use jurado_core::notation::counted;
/// assert_eq!(counted(1, "reading"), "1 reading");
/// assert_eq!(counted(5, "reading"), "5 readings");
/// assert_eq!(counted(6, "watch"), "6 watches");
/// ```
pub fn counted(n: usize, noun: &str) -> String {
    let hissing = ["ch", "sh", "s", "x"].iter().any(|end| noun.ends_with(end));
    format!(
        "{n} {noun}{}",
        if n == 1 {
            ""
        } else if hissing {
            "es"
        } else {
            "s"
        }
    )
}

/// First letter large, but in a word such as `pH`, which is written so also where a sentence
/// begins.
///
/// # Example
/// ```
/// use jurado_core::notation::capital;
/// assert_eq!(capital("density of the plate"), "Density of the plate");
/// assert_eq!(capital("pH of the buffer"), "pH of the buffer");
/// ```
pub fn capital(text: &str) -> String {
    if text.chars().nth(1).is_some_and(char::is_uppercase) {
        return text.to_owned();
    }
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |c| c.to_uppercase().chain(chars).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_written_with_the_digits_asked_for() {
        for (value, place, text) in [
            (2.716_4, -2, "2.72"),
            (-0.004, -2, "0.00"),
            (-1.5, -1, "−1.5"),
            (43700.0, 2, "4.37 × 10⁴"),
            (1.0e-7, -9, "1.00 × 10⁻⁷"),
            (49.013, -3, "49.013"),
            (0.0, -1, "0.0"),
        ] {
            assert_eq!(to_place(value, place), text);
        }
        assert_eq!(figures(0.099_6, 2), "0.10");
        assert_eq!(figures(8.591, 3), "8.59");
        assert_eq!(uncertainty(0.001_23), "0.0012");
    }

    #[test]
    fn figures_are_rounded_or_cut() {
        for (value, count, cut, expected) in [
            (3.771_9, 3, false, 3.77),
            (3.778_9, 3, true, 3.77),
            (-3.778_9, 3, true, -3.77),
            (2.499_999_999_999_999_6, 2, true, 2.5),
            (0.0, 3, true, 0.0),
            (99.96, 3, false, 100.0),
        ] {
            assert!((to_figures(value, count, cut) - expected).abs() < 1e-12, "{value} {count} {cut}");
        }
    }
}
