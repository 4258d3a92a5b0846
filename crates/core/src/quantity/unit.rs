//! Units as people spell them.
//!
//! The table is our own rather than a crate's: a crate for typed quantities fixes the units at compile time, while ours
//! come from a protocol file and from cells typed by hand (`cc`, `g/cm³`, `cm3`, `kg m-3`), and the diagnosis needs the
//! list of units that people confuse.

use super::Dimension;

/// Whether values are amounts or points on a scale, and what a pressure is counted from. An amount can be scaled; of
/// two points only the difference can.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Nature {
    /// An amount, or a difference.
    #[default]
    Plain,
    /// A point on the Celsius or Fahrenheit scale, kept as its thermodynamic temperature.
    Point,
    /// A pressure above the surroundings.
    Gauge,
    /// A pressure above nothing.
    Absolute,
}

/// A unit: its dimension, and what one of it is in coherent SI units.
#[derive(Clone, Debug, PartialEq)]
pub struct Unit {
    /// As it is shown, in the spelling of whoever wrote it, tidied (`cm³`, `g/cm³`).
    pub text: String,
    /// Dimension.
    pub dimension: Dimension,
    /// Value of one unit in coherent SI units.
    pub factor: f64,
    /// What nought on its scale is in coherent SI units: 273.15 for °C, otherwise 0.
    pub offset: f64,
    /// Nature of values written in it: `°C` points, `psig` gauge pressure.
    pub nature: Nature,
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

/// Spellings, the first of them shown; dimension; mantissa and power of ten; whether SI prefixes go with it.
struct Row {
    names: &'static [&'static str],
    dimension: Dimension,
    mantissa: f64,
    exponent: i32,
    prefixed: bool,
    nature: Nature,
    offset: f64,
}

/// SI prefixes (BIPM, The International System of Units, 9th edition, table 7) that laboratory work meets.
const PREFIXES: [(&str, i32); 12] = [
    ("p", -12),
    ("n", -9),
    ("µ", -6),
    ("μ", -6),
    ("u", -6),
    ("m", -3),
    ("c", -2),
    ("d", -1),
    ("h", 2),
    ("k", 3),
    ("M", 6),
    ("G", 9),
];

/// The units of the labs. Inch, pound and their kin are exact by definition (international yard and pound, 1959; troy
/// ounce 31.1034768 g; carat 0.2 g), the standard atmosphere and mmHg by convention, the electronvolt by the SI of 2019.
fn table() -> &'static [Row] {
    use std::sync::OnceLock;
    static TABLE: OnceLock<Vec<Row>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let (length, mass, time, current) = (Dimension::LENGTH, Dimension::MASS, Dimension::TIME, Dimension::CURRENT);
        let volume = length.power(3);
        let force = mass.times(length).over(time.power(2));
        let pressure = force.over(length.power(2));
        let energy = force.times(length);
        let power = energy.over(time);
        let charge = current.times(time);
        let voltage = power.over(current);
        let plain = |names, dimension, mantissa, exponent, prefixed| Row {
            names,
            dimension,
            mantissa,
            exponent,
            prefixed,
            nature: Nature::Plain,
            offset: 0.0,
        };
        let si = |names, dimension, exponent| plain(names, dimension, 1.0, exponent, true);
        let own = |names, dimension, mantissa, exponent| plain(names, dimension, mantissa, exponent, false);
        let pressed = |names, mantissa, exponent, nature| Row { nature, ..own(names, pressure, mantissa, exponent) };
        let point = |names, mantissa, offset| Row {
            nature: Nature::Point,
            offset,
            ..own(names, Dimension::TEMPERATURE, mantissa, 0)
        };
        vec![
            si(&["m", "metre", "meter", "metres", "meters"], length, 0),
            own(&["mm", "millimetre", "millimeter", "millimetres", "millimeters"], length, 1.0, -3),
            own(&["cm", "centimetre", "centimeter", "centimetres", "centimeters"], length, 1.0, -2),
            own(&["in", "inch", "inches", "\"", "″"], length, 2.54, -2),
            own(&["ft", "foot", "feet"], length, 3.048, -1),
            own(&["yd", "yard", "yards"], length, 9.144, -1),
            si(&["g", "gram", "grams", "gramme"], mass, -3),
            own(&["kg", "kilogram", "kilograms", "kilo"], mass, 1.0, 0),
            own(&["t", "tonne"], mass, 1.0, 3),
            own(&["lb", "lbs", "pound", "pounds"], mass, 4.535_923_7, -1),
            own(&["oz", "ounce", "ounces"], mass, 2.834_952_312_5, -2),
            own(&["ozt", "troy ounce"], mass, 3.110_347_68, -2),
            own(&["dwt"], mass, 1.555_173_84, -3),
            own(&["ct", "carat"], mass, 2.0, -4),
            own(&["gn", "gr", "grain", "grains"], mass, 6.479_891, -5),
            si(&["s", "sec", "second", "seconds"], time, 0),
            own(&["min", "minute", "minutes"], time, 6.0, 1),
            own(&["h", "hr", "hour", "hours"], time, 3.6, 3),
            own(&["day", "days"], time, 8.64, 4),
            si(&["Hz", "hertz"], time.power(-1), 0),
            si(&["A", "amp", "amps", "ampere"], current, 0),
            si(&["K", "kelvin"], Dimension::TEMPERATURE, 0),
            point(&["°C", "ºC", "degC", "deg C", "℃", "celsius", "Celsius"], 1.0, 273.15),
            point(&["°F", "ºF", "degF", "deg F", "℉"], 5.0 / 9.0, 459.67 * 5.0 / 9.0),
            si(&["mol", "mole", "moles"], Dimension::AMOUNT, 0),
            si(&["L", "l", "litre", "liter", "litres", "liters"], volume, -3),
            own(&["mL", "ml", "cc", "ccm"], volume, 1.0, -6),
            si(&["M", "molar"], Dimension::AMOUNT.over(volume), 3),
            si(&["N", "newton", "newtons"], force, 0),
            own(&["lbf"], force, 4.448_221_615_260_5, 0),
            own(&["kgf", "kp"], force, 9.806_65, 0),
            own(&["dyn", "dyne"], force, 1.0, -5),
            si(&["Pa", "pascal"], pressure, 0),
            si(&["bar"], pressure, 5),
            own(&["psi"], pressure, 6.894_757_293_168_361, 3),
            own(&["atm"], pressure, 1.013_25, 5),
            own(&["mmHg", "torr", "Torr"], pressure, 1.333_223_874_15, 2),
            own(&["inHg"], pressure, 3.386_388_640_341, 3),
            pressed(&["barg", "bar(g)", "bar g"], 1.0, 5, Nature::Gauge),
            pressed(&["bara", "bar(a)", "bar a"], 1.0, 5, Nature::Absolute),
            pressed(&["psig"], 6.894_757_293_168_361, 3, Nature::Gauge),
            pressed(&["psia"], 6.894_757_293_168_361, 3, Nature::Absolute),
            si(&["J", "joule", "joules"], energy, 0),
            own(&["cal"], energy, 4.184, 0),
            own(&["kcal"], energy, 4.184, 3),
            Row { prefixed: true, ..own(&["eV"], energy, 1.602_176_634, -19) },
            si(&["W", "watt", "watts"], power, 0),
            si(&["C", "coulomb"], charge, 0),
            si(&["V", "volt", "volts"], voltage, 0),
            si(&["Ω", "Ω", "ohm", "ohms"], voltage.over(current), 0),
            si(&["S"], current.over(voltage), 0),
            si(&["F", "farad"], charge.over(voltage), 0),
            si(&["H", "henry"], voltage.times(time).over(current), 0),
            si(&["T", "tesla"], voltage.times(time).over(length.power(2)), 0),
            own(&["gauss"], voltage.times(time).over(length.power(2)), 1.0, -4),
            si(&["Wb"], voltage.times(time), 0),
            si(&["rad", "radian", "radians"], Dimension::ANGLE, 0),
            own(&["deg", "°", "degree", "degrees"], Dimension::ANGLE, std::f64::consts::PI / 180.0, 0),
            own(&["arcmin", "′"], Dimension::ANGLE, std::f64::consts::PI / 10_800.0, 0),
            own(&["rev", "turn", "turns"], Dimension::ANGLE, std::f64::consts::TAU, 0),
            own(&["%", "percent", "pct", "per cent"], Dimension::ONE, 1.0, -2),
            own(&["‰", "permille"], Dimension::ONE, 1.0, -3),
            own(&["ppm"], Dimension::ONE, 1.0, -6),
            own(&["div", "divisions"], Dimension::ONE, 1.0, 0),
            own(&["1", ""], Dimension::ONE, 1.0, 0),
        ]
    })
}

/// The row of a symbol with the power of ten of its prefix and the text it is shown as.
fn symbol_row(symbol: &str) -> Option<(&'static Row, i32, String)> {
    if let Some(row) = table().iter().find(|r| r.names.contains(&symbol)) {
        return Some((row, 0, row.names[0].to_owned()));
    }
    PREFIXES.iter().find_map(|(prefix, power)| {
        let base = symbol.strip_prefix(prefix)?;
        // A prefix goes with the symbol (its one-letter twin for the litre and the ohm), not with the word.
        let short = |r: &Row| r.names.iter().take(2).any(|n| *n == base && n.chars().count() <= 3);
        let row = table().iter().find(|r| r.prefixed && short(r))?;
        let prefix = if matches!(*prefix, "u" | "μ") { "µ" } else { prefix };
        Some((row, *power, format!("{prefix}{}", row.names[0])))
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
        // A unit of one symbol may hold spaces and brackets (`deg C`, `bar(g)`), and may be a point's.
        if let Some((row, prefix, shown)) = symbol_row(text) {
            return Ok(Unit {
                text: shown,
                dimension: row.dimension,
                factor: decimal(row.mantissa, row.exponent + prefix)
                    .ok_or_else(|| UnitError::Malformed(text.to_owned()))?,
                offset: row.offset,
                nature: row.nature,
                scales: scales_of(row, prefix),
            });
        }
        Self::compound(text)
    }

    /// A product of symbols. Within one, `°C` is an interval.
    fn compound(text: &str) -> Result<Unit, UnitError> {
        let malformed = || UnitError::Malformed(text.to_owned());
        let (multiplier, body) = leading_power_of_ten(text);
        let (mut dimension, mut mantissa, mut exponent) = (Dimension::ONE, 1.0, multiplier.unwrap_or(0));
        let mut shown = multiplier.map_or(String::new(), |n| format!("10{}", raised(n)));
        let mut scales = [None; 7];
        let (mut sign, mut pending, mut group) = (1i8, false, None);
        let mut rest = body;
        while let Some(c) = rest.chars().next() {
            match c {
                ' ' | '*' | '·' | '⋅' => rest = &rest[c.len_utf8()..],
                '/' => {
                    if pending || group.is_some() {
                        return Err(malformed());
                    }
                    (sign, pending) = (-1, true);
                    shown.push('/');
                    rest = &rest[1..];
                }
                // `J/(kg K)`: all in the brackets is under the line.
                '(' if pending => {
                    group = Some(sign);
                    pending = false;
                    shown.push('(');
                    rest = &rest[1..];
                }
                ')' if group.is_some() => {
                    group = None;
                    sign = 1;
                    shown.push(')');
                    rest = &rest[1..];
                }
                _ => {
                    let end = rest.find(|c: char| !is_symbol(c)).unwrap_or(rest.len());
                    if end == 0 && !rest.starts_with('1') {
                        return Err(malformed());
                    }
                    let end = end.max(1);
                    let symbol = &rest[..end];
                    let (row, prefix, name) =
                        symbol_row(symbol).ok_or_else(|| UnitError::Unknown(symbol.to_owned()))?;
                    let (power, used) = read_power(&rest[end..]).ok_or_else(malformed)?;
                    let power_signed = power * group.unwrap_or(sign);
                    dimension = dimension.times(row.dimension.power(power_signed));
                    for (mine, new) in scales.iter_mut().zip(scales_of(row, prefix)) {
                        if mine.is_none() {
                            *mine = new;
                        }
                    }
                    mantissa *= row.mantissa.powi(i32::from(power_signed));
                    exponent += (row.exponent + prefix) * i32::from(power_signed);
                    if !shown.is_empty() && !shown.ends_with(['/', '(']) {
                        shown.push('·');
                    }
                    shown.push_str(&name);
                    shown.push_str(&raised(power.into()));
                    pending = false;
                    if group.is_none() {
                        sign = 1;
                    }
                    rest = &rest[end + used..];
                }
            }
        }
        if pending || group.is_some() {
            return Err(malformed());
        }
        let factor = decimal(mantissa, exponent).ok_or_else(malformed)?;
        Ok(Unit { text: shown, dimension, factor, offset: 0.0, nature: Nature::Plain, scales })
    }

    /// A value written in this unit, in coherent SI units, as a value of `nature`: the offset counts for points only.
    pub fn to_si(&self, value: f64, nature: Nature) -> f64 {
        if nature == Nature::Point { value * self.factor + self.offset } else { value * self.factor }
    }

    /// The inverse of [`Unit::to_si`].
    pub fn from_si(&self, value: f64, nature: Nature) -> f64 {
        if nature == Nature::Point { (value - self.offset) / self.factor } else { value / self.factor }
    }

    /// The pure number's unit, with no text.
    pub fn one() -> Unit {
        Unit {
            text: String::new(),
            dimension: Dimension::ONE,
            factor: 1.0,
            offset: 0.0,
            nature: Nature::Plain,
            scales: [None; 7],
        }
    }
}

fn is_symbol(c: char) -> bool {
    c.is_alphabetic() || matches!(c, '%' | '‰' | '°' | '"' | '″' | '′' | 'Ω')
}

/// mantissa × 10^exponent; writing the power of ten as decimal text keeps 1 cm³ at exactly 1e-6.
fn decimal(mantissa: f64, exponent: i32) -> Option<f64> {
    let text = format!("{mantissa:e}");
    let (m, e) = text.split_once('e')?;
    format!("{m}e{}", e.parse::<i32>().ok()? + exponent).parse().ok().filter(|f: &f64| f.is_finite() && *f > 0.0)
}

/// The scale that a symbol speaks of, where its dimension is a power of one base quantity.
fn scales_of(row: &Row, prefix: i32) -> [Option<f64>; 7] {
    let mut scales = [None; 7];
    if let Some((base, exponent)) = row.dimension.only() {
        let whole = row.mantissa * power_of_ten(row.exponent + prefix);
        scales[base] = Some(whole.powf(1.0 / f64::from(exponent)));
    }
    scales
}

/// `10^-3 mm^-1`, `×10⁻² cm⁻¹`: a multiplier in front of a unit, as column heads have it. Gives it and the rest.
fn leading_power_of_ten(text: &str) -> (Option<i32>, &str) {
    let after = text.trim_start_matches(['×', 'x', '*']).trim_start();
    let Some(tail) = after.strip_prefix("10") else { return (None, text) };
    let marked = tail.starts_with(['^', '⁻', '⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹']);
    match read_power(tail) {
        Some((power, used)) if marked && used > 0 => (Some(i32::from(power)), tail[used..].trim_start()),
        _ => (None, text),
    }
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
            '⁴'..='⁹' => char::from_digit(c as u32 - 0x2070, 10).unwrap_or('0'),
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

/// A power as it is shown behind a symbol; 1 is not shown.
fn raised(power: i32) -> String {
    if power == 1 { String::new() } else { superscript(power) }
}

/// A whole number in raised digits.
pub(crate) fn superscript(power: i32) -> String {
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

/// Units of one dimension in use side by side, as people take one for another.
const USUAL: [&[&str]; 16] = [
    &["mm", "cm", "m", "in", "ft"],
    &["mg", "g", "kg", "oz", "lb", "ozt", "dwt", "ct", "gn"],
    &["ms", "s", "min", "h"],
    &["mm^2", "cm^2", "m^2", "in^2"],
    &["mm^3", "cm^3", "L", "m^3", "in^3"],
    &["g/mm^3", "g/cm^3", "kg/m^3", "g/L"],
    &["%", "1"],
    &["N", "kN", "lbf", "kgf"],
    &["Pa", "kPa", "bar", "psi", "atm", "mmHg"],
    &["mV", "V", "kV"],
    &["mA", "A", "µA"],
    &["Hz", "kHz", "MHz"],
    &["deg", "rad"],
    &["mol/L", "mol/m^3", "mmol/L"],
    &["mmol", "mol"],
    &["J", "kJ", "cal", "eV"],
];

/// Factors by which a value is off when one unit in use was taken for another, with what to say of them: the pair
/// in words, never the identity. Powers of ten are for any dimension, the rest belong to the dimension's own units.
pub fn confusable_factors(dimension: Dimension) -> Vec<(f64, String)> {
    let mut out: Vec<(f64, String)> = Vec::new();
    let mut push = |factor: f64, words: String| {
        if (factor - 1.0).abs() > 1e-9 && !out.iter().any(|(f, _)| (f / factor - 1.0).abs() < 1e-9) {
            out.push((factor, words));
        }
    };
    let own: &[&str] = USUAL
        .iter()
        .find(|group| Unit::parse(group[0]).is_ok_and(|u| u.dimension == dimension))
        .map_or(&[], |group| *group);
    let own: Vec<Unit> = own.iter().filter_map(|u| Unit::parse(u).ok()).collect();
    for a in &own {
        for b in &own {
            let name = |u: &Unit| if u.text == "1" { "a plain fraction".to_owned() } else { u.text.clone() };
            push(a.factor / b.factor, format!("{} written as {}", name(b), name(a)));
        }
    }
    for n in [1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6] {
        push(power_of_ten(n), format!("a factor of 10{}", raised(n)));
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
        let energy = Dimension::MASS.times(Dimension::LENGTH.power(2)).over(Dimension::TIME.power(2));
        let volt = energy.over(Dimension::TIME).over(Dimension::CURRENT);
        let specific = energy.over(Dimension::MASS).over(Dimension::TEMPERATURE);
        let pressure = energy.over(volume);
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
            ("kV", volt, 1e3, "kV"),
            ("uA", Dimension::CURRENT, 1e-6, "µA"),
            ("µm", Dimension::LENGTH, 1e-6, "µm"),
            ("min", Dimension::TIME, 60.0, "min"),
            ("mmol/L", Dimension::AMOUNT.over(volume), 1.0, "mmol/L"),
            ("M", Dimension::AMOUNT.over(volume), 1e3, "M"),
            ("mM", Dimension::AMOUNT.over(volume), 1.0, "mM"),
            ("m s-1", Dimension::LENGTH.over(Dimension::TIME), 1.0, "m·s⁻¹"),
            ("Hz·cm", Dimension::LENGTH.over(Dimension::TIME), 0.01, "Hz·cm"),
            ("J/(kg °C)", specific, 1.0, "J/(kg·°C)"),
            ("J/(g K)", specific, 1e3, "J/(g·K)"),
            ("10^-3 mm^-1", Dimension::LENGTH.power(-1), 1.0, "10⁻³·mm⁻¹"),
            ("×10⁻² cm⁻¹", Dimension::LENGTH.power(-1), 1.0, "10⁻²·cm⁻¹"),
            ("kΩ", volt.over(Dimension::CURRENT), 1e3, "kΩ"),
            ("eV", energy, 1.602_176_634e-19, "eV"),
            ("mmHg", pressure, 133.322_387_415, "mmHg"),
            ("lbf/in^2", pressure, 4.448_221_615_260_5 / 6.4516e-4, "lbf/in²"),
        ] {
            let unit = Unit::parse(text).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert_eq!((unit.dimension, unit.text.as_str()), (dimension, shown), "{text}");
            assert!((unit.factor / factor - 1.0).abs() < 2e-15, "{text}: {}", unit.factor);
        }
    }

    #[test]
    fn points_and_pressures_keep_what_they_are_counted_from() {
        let celsius = Unit::parse("°C").expect("known");
        assert_eq!((celsius.nature, celsius.to_si(20.0, Nature::Point)), (Nature::Point, 293.15));
        assert_eq!(celsius.to_si(20.0, Nature::Plain), 20.0, "a difference has no offset");
        let fahrenheit = Unit::parse("deg F").expect("known");
        assert!((fahrenheit.to_si(212.0, Nature::Point) - 373.15).abs() < 1e-9);
        assert!((celsius.from_si(fahrenheit.to_si(50.0, Nature::Point), Nature::Point) - 10.0).abs() < 1e-9);
        for (text, nature) in [("psig", Nature::Gauge), ("bar(a)", Nature::Absolute), ("psi", Nature::Plain)] {
            assert_eq!(Unit::parse(text).expect("known").nature, nature, "{text}");
        }
        assert_eq!(Unit::parse("1/°C").expect("known").nature, Nature::Plain);
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
