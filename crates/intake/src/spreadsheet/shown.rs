//! What a cell shows of its number: as many decimals as its format says.

/// How many decimals a number format always shows; `None` where it is no plain fixed format, such as `General` or a date.
pub(super) fn decimals(format: &str) -> Option<usize> {
    let format = format.split(';').next().unwrap_or_default();
    let mut plain = String::new();
    let mut chars = format.chars();
    while let Some(c) = chars.next() {
        match c {
            // A letter kept, a blank as wide as one, a text, a colour.
            '\\' | '_' => drop(chars.next()),
            '"' => drop(chars.by_ref().find(|c| *c == '"')),
            '[' => drop(chars.by_ref().find(|c| *c == ']')),
            ' ' => {}
            c => plain.push(c),
        }
    }
    let allowed = plain.chars().all(|c| matches!(c, '0' | '#' | ',' | '.'));
    // A comma at the end shows thousands.
    if !allowed || !plain.contains('0') || plain.ends_with(',') {
        return None;
    }
    Some(plain.split_once('.').map_or(0, |(_, decimals)| decimals.chars().take_while(|c| *c == '0').count()))
}

/// How many decimals a text shows of a number, if it shows that number at all; a comma may stand for the point.
pub(super) fn decimals_of(shown: &str, value: f64) -> Option<usize> {
    let text = shown.trim().replace('−', "-");
    let digits = text.trim_start_matches('-');
    if digits.is_empty() || !digits.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | ',')) {
        return None;
    }
    let marks = digits.matches(['.', ',']).count();
    if marks > 1 {
        return None;
    }
    let number: f64 = text.replace(',', ".").parse().ok()?;
    let places = digits.find(['.', ',']).map_or(0, |at| digits.len() - at - 1);
    let near = (number - value).abs() <= 0.51 * 10f64.powi(-(places as i32));
    near.then_some(places)
}

/// A number as its cell shows it. What was typed keeps every digit, and is filled up with the noughts that show; what a
/// formula gives is rounded to the decimals that show.
pub(super) fn shown(value: f64, decimals: Option<usize>, by_formula: bool) -> String {
    let shortest = format!("{value}");
    let Some(decimals) = decimals.filter(|d| *d <= 30) else { return shortest };
    let has = shortest.split_once('.').map_or(0, |(_, d)| d.len());
    if by_formula || has < decimals {
        // A sign before nought shows nothing.
        let text = format!("{value:.decimals$}");
        return if text.trim_start_matches(['-', '0', '.']).is_empty() {
            text.trim_start_matches('-').to_owned()
        } else {
            text
        };
    }
    shortest
}

#[cfg(test)]
mod tests {
    use super::{decimals, decimals_of, shown};

    #[test]
    fn a_format_says_how_many_decimals_show() {
        for (format, expected) in [
            ("General", None),
            ("0", Some(0)),
            ("0.00", Some(2)),
            ("#,##0.000", Some(3)),
            ("0.0#", Some(1)),
            ("0.00_);[Red](0.00)", Some(2)),
            ("0.00\" mm\"", Some(2)),
            ("0.00E+00", None),
            ("0%", None),
            ("yyyy-mm-dd", None),
            ("@", None),
            ("0.0,", None),
            ("0,", None),
            ("", None),
        ] {
            assert_eq!(decimals(format), expected, "{format}");
        }
        for (text, value, expected) in [
            ("84.40", 84.4, Some(2)),
            ("84,40", 84.4, Some(2)),
            ("2.7", 2.7043, Some(1)),
            ("2.8", 2.7043, None),
            ("270%", 2.7, None),
            ("-0.5", -0.5, Some(1)),
            ("1.234,5", 1234.5, None),
        ] {
            assert_eq!(decimals_of(text, value), expected, "{text}");
        }
    }

    #[test]
    fn what_was_typed_keeps_every_digit_and_what_was_worked_out_shows_as_it_shows() {
        for (value, decimals, by_formula, expected) in [
            (84.4, Some(2), false, "84.40"),
            (84.444, Some(2), false, "84.444"),
            (2.7043512, Some(2), true, "2.70"),
            (2.7043512, None, true, "2.7043512"),
            (12.0, Some(0), false, "12"),
            (-0.001, Some(1), true, "0.0"),
        ] {
            assert_eq!(shown(value, decimals, by_formula), expected);
        }
    }
}
