//! Units as people spell them.
//!
//! The table is our own rather than a crate's: a crate for typed quantities fixes the units at compile time, while ours
//! come from a protocol file and from cells typed by hand (`cc`, `g/cm³`, `cm3`, `kg m-3`), and the diagnosis needs the
//! list of units that people confuse.

use super::Dimension;

/// A unit: its dimension, and what one of it is in coherent SI units.
#[derive(Clone, Debug, PartialEq)]
pub struct Unit {
    /// As it is shown, in the spelling of whoever wrote it, tidied (`cm³`, `g/cm³`).
    pub text: String,
    /// Dimension.
    pub dimension: Dimension,
    /// Value of one unit in coherent SI units.
    pub factor: f64,
    /// The scale of length, mass, … that its symbols speak of (0.01 for the length in `g/cm³`), in the order of
    /// [`Dimension`]; `None` where it says nothing.
    pub scales: [Option<f64>; 7],
}

/// Why a text is no unit.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum UnitError {
    /// `g/blob`: a symbol that is not in the table.
    #[error("the unit `{0}` is not known")]
    Unknown(String),
    /// `g//cm3`, `^2`: the symbols do not form a unit.
    #[error("the unit `{0}` cannot be read")]
    Malformed(String),
}

/// symbol and other spellings · dimension exponents by name · mantissa · power of ten
struct Row(&'static [&'static str], Dimension, f64, i32);

const VOLUME: fn() -> Dimension = || Dimension::LENGTH.power(3);

/// The units of the labs. Inch and pound are exact by definition (international yard and pound, 1959).
fn table() -> &'static [Row] {
    use std::sync::OnceLock;
    static TABLE: OnceLock<Vec<Row>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let force = Dimension::MASS.times(Dimension::LENGTH).over(Dimension::TIME.power(2));
        let pressure = force.over(Dimension::LENGTH.power(2));
        vec![
            Row(&["mm", "millimetre", "millimeter", "millimetres", "millimeters"], Dimension::LENGTH, 1.0, -3),
            Row(&["cm", "centimetre", "centimeter", "centimetres", "centimeters"], Dimension::LENGTH, 1.0, -2),
            Row(&["m", "metre", "meter", "metres", "meters"], Dimension::LENGTH, 1.0, 0),
            Row(&["km"], Dimension::LENGTH, 1.0, 3),
            Row(&["µm", "μm", "um"], Dimension::LENGTH, 1.0, -6),
            Row(&["nm"], Dimension::LENGTH, 1.0, -9),
            Row(&["in", "inch", "inches", "\"", "″"], Dimension::LENGTH, 2.54, -2),
            Row(&["ft", "foot", "feet"], Dimension::LENGTH, 3.048, -1),
            Row(&["g", "gram", "grams", "gramme"], Dimension::MASS, 1.0, -3),
            Row(&["kg", "kilogram", "kilograms"], Dimension::MASS, 1.0, 0),
            Row(&["mg"], Dimension::MASS, 1.0, -6),
            Row(&["lb", "lbs"], Dimension::MASS, 4.535_923_7, -1),
            Row(&["oz"], Dimension::MASS, 2.834_952_312_5, -2),
            Row(&["s", "sec", "second", "seconds"], Dimension::TIME, 1.0, 0),
            Row(&["ms"], Dimension::TIME, 1.0, -3),
            Row(&["min"], Dimension::TIME, 6.0, 1),
            Row(&["h", "hr"], Dimension::TIME, 3.6, 3),
            Row(&["Hz"], Dimension::TIME.power(-1), 1.0, 0),
            Row(&["A"], Dimension::CURRENT, 1.0, 0),
            Row(&["mA"], Dimension::CURRENT, 1.0, -3),
            Row(&["K"], Dimension::TEMPERATURE, 1.0, 0),
            Row(&["mol"], Dimension::AMOUNT, 1.0, 0),
            Row(&["mmol"], Dimension::AMOUNT, 1.0, -3),
            Row(&["L", "l", "litre", "liter"], VOLUME(), 1.0, -3),
            Row(&["mL", "ml", "cc", "ccm"], VOLUME(), 1.0, -6),
            Row(&["M"], Dimension::AMOUNT.over(VOLUME()), 1.0, 3),
            Row(&["N"], force, 1.0, 0),
            Row(&["Pa"], pressure, 1.0, 0),
            Row(&["kPa"], pressure, 1.0, 3),
            Row(&["bar"], pressure, 1.0, 5),
            Row(&["rad"], Dimension::ANGLE, 1.0, 0),
            Row(&["deg", "°"], Dimension::ANGLE, std::f64::consts::PI / 180.0, 0),
            Row(&["%", "percent", "pct"], Dimension::ONE, 1.0, -2),
            Row(&["‰"], Dimension::ONE, 1.0, -3),
            Row(&["1", ""], Dimension::ONE, 1.0, 0),
        ]
    })
}

/// 10ⁿ, correctly rounded (`powi` is not, for negative n).
pub fn power_of_ten(n: i32) -> f64 {
    // The powers that occur are read once: parsing text is a hundred times dearer than a look.
    const REACH: i32 = 40;
    static NEAR: std::sync::OnceLock<Vec<f64>> = std::sync::OnceLock::new();
    if n.abs() <= REACH {
        let near = NEAR.get_or_init(|| (-REACH..=REACH).map(|n| format!("1e{n}").parse().unwrap_or(0.0)).collect());
        return near[(n + REACH) as usize];
    }
    format!("1e{n}").parse().unwrap_or(if n > 0 { f64::INFINITY } else { 0.0 })
}

/// Power of ten of the first digit; the small nudge keeps 0.1·10 at 10⁰ when it comes out as 0.999….
pub fn leading_place(value: f64) -> i32 {
    if value == 0.0 { 0 } else { (value.abs().log10() + 1e-12).floor() as i32 }
}

impl Unit {
    /// Reads a unit: products by space, `*` or `·`, quotients by `/`, powers as `^2`, `²`, `2` or `-3`.
    ///
    /// # Errors
    /// [`UnitError::Unknown`] for a symbol not in the table, [`UnitError::Malformed`] where symbols do not form a unit.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Unit;
    /// let a = Unit::parse("g/cm^3")?;
    /// let b = Unit::parse("kg m-3")?;
    /// assert_eq!(a.dimension, b.dimension);
    /// assert_eq!(a.factor, 1000.0 * b.factor);
    /// # Ok::<(), jurado_core::quantity::UnitError>(())
    /// ```
    pub fn parse(text: &str) -> Result<Unit, UnitError> {
        let text = text.trim().trim_start_matches('[').trim_end_matches(']').trim();
        if text.chars().count() > 40 {
            return Err(UnitError::Malformed(text.chars().take(40).collect()));
        }
        let malformed = || UnitError::Malformed(text.to_owned());
        let (mut dimension, mut mantissa, mut exponent) = (Dimension::ONE, 1.0, 0);
        let mut shown = String::new();
        let mut scales = [None; 7];
        let (mut sign, mut pending) = (1i8, false);
        let mut rest = text;
        while let Some(c) = rest.chars().next() {
            match c {
                ' ' | '*' | '·' | '⋅' => rest = &rest[c.len_utf8()..],
                '/' => {
                    if pending {
                        return Err(malformed());
                    }
                    (sign, pending) = (-1, true);
                    shown.push('/');
                    rest = &rest[1..];
                }
                _ => {
                    let end = rest.find(|c: char| !is_symbol(c)).unwrap_or(rest.len());
                    if end == 0 && !rest.starts_with('1') {
                        return Err(malformed());
                    }
                    let end = end.max(1);
                    let symbol = &rest[..end];
                    let row = table()
                        .iter()
                        .find(|r| r.0.contains(&symbol))
                        .ok_or_else(|| UnitError::Unknown(symbol.to_owned()))?;
                    let (power, used) = read_power(&rest[end..]).ok_or_else(malformed)?;
                    let power_signed = power * sign;
                    dimension = dimension.times(row.1.power(power_signed));
                    if let Some((base, exponent)) = row.1.only() {
                        let whole = row.2 * power_of_ten(row.3);
                        scales[base].get_or_insert(whole.powf(1.0 / f64::from(exponent)));
                    }
                    mantissa *= row.2.powi(i32::from(power_signed));
                    exponent += row.3 * i32::from(power_signed);
                    if !shown.is_empty() && !shown.ends_with('/') {
                        shown.push('·');
                    }
                    shown.push_str(row.0[0]);
                    shown.push_str(&superscript(power));
                    (sign, pending) = (1, false);
                    rest = &rest[end + used..];
                }
            }
        }
        if pending {
            return Err(malformed());
        }
        // Writing the power of ten as decimal text keeps 1 cm³ at exactly 1e-6.
        let factor = format!("{mantissa:e}");
        let factor = match factor.split_once('e') {
            Some((m, e)) => {
                format!("{m}e{}", e.parse::<i32>().unwrap_or(0) + exponent).parse().map_err(|_| malformed())?
            }
            None => return Err(malformed()),
        };
        Ok(Unit { text: shown, dimension, factor, scales })
    }

    /// The pure number's unit, with no text.
    pub fn one() -> Unit {
        Unit { text: String::new(), dimension: Dimension::ONE, factor: 1.0, scales: [None; 7] }
    }
}

fn is_symbol(c: char) -> bool {
    c.is_alphabetic() || matches!(c, '%' | '‰' | '°' | '"' | '″')
}

/// A power after a symbol: `^3`, `^-3`, `³`, `3`, `-3`; none is 1. Gives the power and the bytes used.
fn read_power(text: &str) -> Option<(i8, usize)> {
    let mut digits = String::new();
    let mut used = 0;
    for (i, c) in text.char_indices() {
        let plain = match c {
            '^' if i == 0 => {
                used = 1;
                continue;
            }
            '⁻' | '-' | '−' if digits.is_empty() => '-',
            '0'..='9' => c,
            '⁰' => '0',
            '¹' => '1',
            '²' => '2',
            '³' => '3',
            '⁴' => '4',
            _ => break,
        };
        digits.push(plain);
        used = i + c.len_utf8();
    }
    if digits.is_empty() {
        return (used == 0).then_some((1, 0));
    }
    digits.parse().ok().filter(|p: &i8| (-12..=12).contains(p)).map(|p| (p, used))
}

fn superscript(power: i8) -> String {
    if power == 1 {
        return String::new();
    }
    power
        .to_string()
        .chars()
        .map(|c| match c {
            '-' => '⁻',
            '1' => '¹',
            '2' => '²',
            '3' => '³',
            d => char::from_u32(0x2070 + (d as u32 - '0' as u32)).unwrap_or(d),
        })
        .collect()
}

/// Factors by which a value is off when one unit in use was taken for another, with what to say of them: the pair
/// in words, never the identity. Powers of ten are for any dimension, the rest belong to the dimension's own units.
pub fn confusable_factors(dimension: Dimension) -> Vec<(f64, String)> {
    let mut out: Vec<(f64, String)> = Vec::new();
    let mut push = |factor: f64, words: String| {
        if (factor - 1.0).abs() > 1e-9 && !out.iter().any(|(f, _)| (f / factor - 1.0).abs() < 1e-9) {
            out.push((factor, words));
        }
    };
    let area = Dimension::LENGTH.power(2);
    let density = Dimension::MASS.over(VOLUME());
    let own: Vec<&str> = if dimension == Dimension::LENGTH {
        vec!["mm", "cm", "m", "in"]
    } else if dimension == Dimension::MASS {
        vec!["mg", "g", "kg", "oz", "lb"]
    } else if dimension == Dimension::TIME {
        vec!["ms", "s", "min", "h"]
    } else if dimension == area {
        vec!["mm^2", "cm^2", "m^2", "in^2"]
    } else if dimension == VOLUME() {
        vec!["mm^3", "cm^3", "L", "m^3", "in^3"]
    } else if dimension == density {
        vec!["g/mm^3", "g/cm^3", "kg/m^3", "g/L"]
    } else if dimension.is_one() {
        vec!["%", "1"]
    } else {
        vec![]
    };
    let own: Vec<Unit> = own.iter().filter_map(|u| Unit::parse(u).ok()).collect();
    for a in &own {
        for b in &own {
            let name = |u: &Unit| if u.text == "1" { "a plain fraction".to_owned() } else { u.text.clone() };
            push(a.factor / b.factor, format!("{} written as {}", name(b), name(a)));
        }
    }
    for n in [1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6] {
        push(power_of_ten(n), format!("a factor of 10{}", superscript(n as i8)));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn units_are_read_as_people_spell_them() {
        let volume = Dimension::LENGTH.power(3);
        let density = Dimension::MASS.over(volume);
        for (text, dimension, factor, shown) in [
            ("cm3", volume, 1e-6, "cm³"),
            ("cm^3", volume, 1e-6, "cm³"),
            ("cm³", volume, 1e-6, "cm³"),
            ("cc", volume, 1e-6, "mL"),
            ("ml", volume, 1e-6, "mL"),
            ("g/cm³", density, 1e3, "g/cm³"),
            ("g / cm^3", density, 1e3, "g/cm³"),
            ("kg m-3", density, 1.0, "kg·m⁻³"),
            ("kg/m^3", density, 1.0, "kg/m³"),
            ("[mm]", Dimension::LENGTH, 1e-3, "mm"),
            ("%", Dimension::ONE, 1e-2, "%"),
            ("1", Dimension::ONE, 1.0, "1"),
            ("in", Dimension::LENGTH, 0.0254, "in"),
            ("1/s", Dimension::TIME.power(-1), 1.0, "1/s"),
        ] {
            let unit = Unit::parse(text).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert_eq!((unit.dimension, unit.factor, unit.text.as_str()), (dimension, factor, shown), "{text}");
        }
    }

    #[test]
    fn what_is_no_unit_is_refused_with_its_text() {
        for (text, message) in [
            ("blob", "the unit `blob` is not known"),
            ("g/", "the unit `g/` cannot be read"),
            ("g//cm", "the unit `g//cm` cannot be read"),
            ("^2", "the unit `^2` cannot be read"),
            ("cm^", "the unit `cm^` cannot be read"),
            ("m99", "the unit `m99` cannot be read"),
        ] {
            assert_eq!(Unit::parse(text).map_err(|e| e.to_string()), Err(message.to_owned()));
        }
    }

    #[test]
    fn confusable_factors_never_hold_one_and_know_the_inch() {
        let lengths = confusable_factors(Dimension::LENGTH);
        assert!(lengths.iter().all(|(f, _)| *f != 1.0));
        assert!(lengths.iter().any(|(f, w)| (*f - 2.54).abs() < 1e-12 && w == "cm written as in"), "{lengths:?}");
        assert!(confusable_factors(Dimension::ONE).iter().any(|(f, _)| *f == 0.01));
    }
}
