//! Numbers: points of a line, and the values that a section sets.

use rust_decimal::Decimal;

/// A number as people write it: with a point or a comma, and with either minus.
///
/// # Errors
/// A sentence that says of `what` it is none.
pub(crate) fn number(typed: &str, what: &str) -> Result<f64, String> {
    let text = typed.trim().replace(',', ".").replace('−', "-");
    text.parse::<f64>()
        .ok()
        .filter(|v| v.is_finite())
        .ok_or_else(|| format!("“{}” is no number for {what}: write one such as 0.25.", typed.trim()))
}

/// Points from 0 to `most`, with at most three decimals.
///
/// # Errors
/// A sentence that says what may be.
pub(crate) fn points(typed: &str, most: Decimal) -> Result<Decimal, String> {
    let points: Decimal = typed
        .trim()
        .replace(',', ".")
        .parse()
        .map_err(|_| format!("“{}” is no number of points: write one such as 0.5.", typed.trim()))?;
    if points < Decimal::ZERO || points > most || points.normalize().scale() > 3 {
        return Err(format!(
            "{points} points cannot be: write a number from 0 to {} with at most three decimals.",
            most.normalize()
        ));
    }
    Ok(points)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn points_are_from_nought_to_what_there_is() {
        let most = Decimal::new(25, 1);
        for (typed, is) in [("0", "0"), ("2.5", "2.5"), ("2,5", "2.5"), (" 0.125 ", "0.125"), ("1.500000", "1.5")] {
            assert_eq!(points(typed, most).map(|p| p.normalize().to_string()), Ok(is.to_owned()), "{typed}");
        }
        for typed in ["2.501", "-0.5", "", "two", "0.1234", "1e1", "NaN"] {
            assert!(points(typed, most).is_err(), "{typed}");
        }
    }

    #[test]
    fn a_number_is_read_as_people_write_it() {
        assert_eq!(number(" −0,5 ", "the tare"), Ok(-0.5));
        for typed in ["", "inf", "NaN", "1 2", "0.5 g"] {
            assert!(number(typed, "the tare").is_err(), "{typed}");
        }
    }
}
