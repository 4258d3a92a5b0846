//! What a cell shows of its number: as many decimals as its format says.

/// How a cell shows its number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Shows {
    /// Decimals that always show.
    pub(super) decimals: usize,
    /// Whether it shows hundredths, with a sign for them.
    pub(super) percent: bool,
}

/// What a number format always shows; `None` where it is no plain fixed format, such as `General` or a date.
pub(super) fn of_format(format: &str) -> Option<Shows> {
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
    let percent = plain.ends_with('%');
    let plain = plain.strip_suffix('%').unwrap_or(&plain);
    let allowed = plain.chars().all(|c| matches!(c, '0' | '#' | ',' | '.'));
    // A comma at the end shows thousands.
    if !allowed || !plain.contains('0') || plain.ends_with(',') {
        return None;
    }
    let decimals = plain.split_once('.').map_or(0, |(_, d)| d.chars().take_while(|c| *c == '0').count());
    Some(Shows { decimals, percent })
}

/// How a text shows a number, if it shows that number at all; a comma may stand for the point.
pub(super) fn of_text(shown: &str, value: f64) -> Option<Shows> {
    let text = shown.trim().replace('−', "-");
    let percent = text.ends_with('%');
    let text = text.trim_end_matches('%').trim_end();
    let digits = text.trim_start_matches('-');
    if digits.is_empty() || !digits.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | ',')) {
        return None;
    }
    if digits.matches(['.', ',']).count() > 1 {
        return None;
    }
    let number: f64 = text.replace(',', ".").parse().ok()?;
    let decimals = digits.find(['.', ',']).map_or(0, |at| digits.len() - at - 1);
    let value = if percent { value * 100.0 } else { value };
    let near = (number - value).abs() <= 0.51 * 10f64.powi(-(decimals as i32));
    near.then_some(Shows { decimals, percent })
}

/// A number as its cell shows it. What was typed keeps every digit, and is filled up with the noughts that show; what a
/// formula gives is rounded to the decimals that show.
pub(super) fn shown(value: f64, shows: Option<Shows>, by_formula: bool) -> String {
    let Some(Shows { decimals, percent }) = shows.filter(|s| s.decimals <= 30) else { return format!("{value}") };
    // A hundredfold of a binary fraction has digits that nobody typed.
    let value = if percent { (value * 1e14).round() / 1e12 } else { value };
    let sign = if percent { "%" } else { "" };
    let shortest = format!("{value}");
    let has = shortest.split_once('.').map_or(0, |(_, d)| d.len());
    if !by_formula && has >= decimals {
        return shortest + sign;
    }
    let text = format!("{value:.decimals$}");
    // A sign before nought shows nothing.
    let nought = text.trim_start_matches(['-', '0', '.']).is_empty();
    let text = if nought { text.trim_start_matches('-').to_owned() } else { text };
    text + sign
}

#[cfg(test)]
mod tests {
    use super::{Shows, of_format, of_text, shown};

    fn fixed(decimals: usize) -> Option<Shows> {
        Some(Shows { decimals, percent: false })
    }

    fn percent(decimals: usize) -> Option<Shows> {
        Some(Shows { decimals, percent: true })
    }

    #[test]
    fn a_format_says_how_many_decimals_show() {
        for (format, expected) in [
            ("General", None),
            ("0", fixed(0)),
            ("0.00", fixed(2)),
            ("#,##0.000", fixed(3)),
            ("0.0#", fixed(1)),
            ("0.00_);[Red](0.00)", fixed(2)),
            ("0.00\" mm\"", fixed(2)),
            ("0.00E+00", None),
            ("0%", percent(0)),
            ("0.00%", percent(2)),
            ("yyyy-mm-dd", None),
            ("@", None),
            ("0.0,", None),
            ("0,", None),
            ("", None),
        ] {
            assert_eq!(of_format(format), expected, "{format}");
        }
        for (text, value, expected) in [
            ("84.40", 84.4, fixed(2)),
            ("84,40", 84.4, fixed(2)),
            ("2.7", 2.7043, fixed(1)),
            ("2.8", 2.7043, None),
            ("270%", 2.7, percent(0)),
            ("3.45 %", 0.0345, percent(2)),
            ("3.45%", 3.45, None),
            ("-0.5", -0.5, fixed(1)),
            ("1.234,5", 1234.5, None),
        ] {
            assert_eq!(of_text(text, value), expected, "{text}");
        }
    }

    #[test]
    fn what_was_typed_keeps_every_digit_and_what_was_worked_out_shows_as_it_shows() {
        for (value, decimals, by_formula, expected) in [
            (84.4, fixed(2), false, "84.40"),
            (84.444, fixed(2), false, "84.444"),
            (2.7043512, fixed(2), true, "2.70"),
            (2.7043512, None, true, "2.7043512"),
            (12.0, fixed(0), false, "12"),
            (-0.001, fixed(1), true, "0.0"),
            (0.0345, percent(2), true, "3.45%"),
            (0.034512, percent(2), false, "3.4512%"),
            (0.07, percent(1), false, "7.0%"),
        ] {
            assert_eq!(shown(value, decimals, by_formula), expected);
        }
    }
}
