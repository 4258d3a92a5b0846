//! Units as people spell them.
//!
//! The table is our own rather than a crate's: a crate for typed quantities fixes the units at
//! compile time, while ours come from a protocol file and from cells typed by hand (`cc`, `g/cm³`,
//! `cm3`, `kg m-3`), and the diagnosis needs the list of units that people confuse.

use std::sync::LazyLock;

use super::Dimension;
use super::nature::Nature;
use super::table::{Row, symbol_row};

/// A unit: its dimension, and what one of it is in coherent SI units.
#[derive(Clone, Debug, PartialEq)]
pub struct Unit {
    /// As it is shown, in the spelling of whoever wrote it, tidied (`cm³`, `g/cm³`).
    pub text: String,
    /// Powers of the seven base quantities.
    pub dimension: Dimension,
    /// Value of one unit in coherent SI units.
    pub factor: f64,
    /// What nought on its scale is in coherent SI units: 273.15 for °C, otherwise 0.
    pub offset: f64,
    /// Nature of values written in it: `°C` points, `psig` gauge pressure.
    pub nature: Nature,
    /// The scale of length, mass, … that its symbols speak of (0.01 for the length in `g/cm³`), in
    /// the order of [`Dimension`]; `None` where it says nothing.
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

/// 10ⁿ, correctly rounded (`powi` is not, for negative n).
///
/// # Example
/// ```
/// use jurado_core::quantity::power_of_ten;
/// assert_eq!(power_of_ten(-6), 1e-6);
/// assert_eq!(power_of_ten(3), 1000.0);
/// ```
pub fn power_of_ten(n: i32) -> f64 {
    // The powers that occur are read once: parsing text is a hundred times dearer than a look.
    /// Powers of ten that laboratory work meets.
    const REACH: i32 = 40;
    /// Powers from 10⁻⁴⁰ to 10⁴⁰.
    static NEAR: std::sync::OnceLock<Vec<f64>> = std::sync::OnceLock::new();
    if n.abs() <= REACH {
        let near = NEAR.get_or_init(|| (-REACH..=REACH).map(|n| format!("1e{n}").parse().unwrap_or(0.0)).collect());
        return near[(n + REACH) as usize];
    }
    format!("1e{n}").parse().unwrap_or(if n > 0 { f64::INFINITY } else { 0.0 })
}

/// Power of ten of the first digit; the small nudge keeps 0.1·10 at 10⁰ when it comes out as
/// 0.999….
///
/// # Example
/// ```
/// use jurado_core::quantity::leading_place;
/// assert_eq!(leading_place(84.3), 1);
/// assert_eq!(leading_place(0.0052), -3);
/// ```
pub fn leading_place(value: f64) -> i32 {
    if value == 0.0 { 0 } else { (value.abs().log10() + 1e-12).floor() as i32 }
}

impl Unit {
    /// Reads a unit: products by space, `*` or `·`, quotients by `/`, powers as `^2`, `²`, `2` or
    /// `-3`.
    ///
    /// # Errors
    /// [`UnitError::Unknown`] for a symbol not in the table, [`UnitError::Malformed`] where symbols
    /// do not form a unit.
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
        let (multiplier, mut rest) = leading_power_of_ten(text);
        let mut product = Product::starting(multiplier);
        while let Some(c) = rest.chars().next() {
            let used = match c {
                ' ' | '*' | '·' | '⋅' => c.len_utf8(),
                '/' | '(' | ')' if product.mark(c) => 1,
                '/' | '(' | ')' => return Err(malformed()),
                _ => product.symbol(rest, &malformed)?,
            };
            rest = &rest[used..];
        }
        product.finish().ok_or_else(malformed)
    }

    /// A value written in this unit, in coherent SI units, as a value of `nature`: the offset
    /// counts for points only.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::{Nature, Unit};
    /// let celsius = Unit::parse("°C")?;
    /// assert_eq!(celsius.to_si(20.0, Nature::Point), 293.15);
    /// // A difference has no offset.
    /// assert_eq!(celsius.to_si(20.0, Nature::Plain), 20.0);
    /// # Ok::<(), jurado_core::quantity::UnitError>(())
    /// ```
    pub fn to_si(&self, value: f64, nature: Nature) -> f64 {
        if nature == Nature::Point { value * self.factor + self.offset } else { value * self.factor }
    }

    /// The inverse of [`Unit::to_si`].
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::{Nature, Unit};
    /// let millimetre = Unit::parse("mm")?;
    /// assert!((millimetre.from_si(0.0843, Nature::Plain) - 84.3).abs() < 1e-12);
    /// # Ok::<(), jurado_core::quantity::UnitError>(())
    /// ```
    pub fn from_si(&self, value: f64, nature: Nature) -> f64 {
        if nature == Nature::Point { (value - self.offset) / self.factor } else { value / self.factor }
    }

    /// The pure number's unit, with no text.
    ///
    /// # Example
    /// ```
    /// use jurado_core::quantity::Unit;
    /// assert!(Unit::one().dimension.is_one());
    /// ```
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

/// A unit of several symbols while it is read from left to right.
struct Product {
    /// Dimension so far.
    dimension: Dimension,
    /// Mantissa of the factor so far.
    mantissa: f64,
    /// Its power of ten.
    exponent: i32,
    /// As it will be shown.
    shown: String,
    /// Scale of each base dimension, where one unit says it.
    scales: [Option<f64>; 7],
    /// Whether the next symbol stands above or below the line.
    sign: i8,
    /// A line was drawn and nothing stands under it yet.
    pending: bool,
    /// The sign of all in the brackets: `J/(kg K)`.
    group: Option<i8>,
}

impl Product {
    /// A product of units before any is read.
    fn starting(multiplier: Option<i32>) -> Product {
        Product {
            dimension: Dimension::ONE,
            mantissa: 1.0,
            exponent: multiplier.unwrap_or(0),
            shown: multiplier.map_or(String::new(), |n| format!("10{}", raised(n))),
            scales: [None; 7],
            sign: 1,
            pending: false,
            group: None,
        }
    }

    /// Takes a line or a bracket; `false` where it cannot stand.
    fn mark(&mut self, c: char) -> bool {
        match c {
            '/' if !self.pending && self.group.is_none() => (self.sign, self.pending) = (-1, true),
            '(' if self.pending => (self.group, self.pending) = (Some(self.sign), false),
            ')' if self.group.is_some() => (self.group, self.sign) = (None, 1),
            _ => return false,
        }
        self.shown.push(c);
        true
    }

    /// Takes the symbol that `rest` begins with, and its power; gives the bytes used.
    fn symbol(&mut self, rest: &str, malformed: &dyn Fn() -> UnitError) -> Result<usize, UnitError> {
        let end = rest.find(|c: char| !is_symbol(c)).unwrap_or(rest.len());
        if end == 0 && !rest.starts_with('1') {
            return Err(malformed());
        }
        let end = end.max(1);
        let symbol = &rest[..end];
        let (row, prefix, name) = symbol_row(symbol).ok_or_else(|| UnitError::Unknown(symbol.to_owned()))?;
        let (power, used) = read_power(&rest[end..]).ok_or_else(malformed)?;
        let signed = power * self.group.unwrap_or(self.sign);
        self.dimension = self.dimension.times(row.dimension.power(signed));
        for (mine, new) in self.scales.iter_mut().zip(scales_of(row, prefix)) {
            *mine = mine.or(new);
        }
        self.mantissa *= row.mantissa.powi(i32::from(signed));
        self.exponent += (row.exponent + prefix) * i32::from(signed);
        if !self.shown.is_empty() && !self.shown.ends_with(['/', '(']) {
            self.shown.push('·');
        }
        self.shown.push_str(&name);
        self.shown.push_str(&raised(power.into()));
        self.pending = false;
        if self.group.is_none() {
            self.sign = 1;
        }
        Ok(end + used)
    }

    /// `None` where a line has nothing under it, a bracket is open, or the factor is no number.
    fn finish(self) -> Option<Unit> {
        if self.pending || self.group.is_some() {
            return None;
        }
        Some(Unit {
            factor: decimal(self.mantissa, self.exponent)?,
            text: self.shown,
            dimension: self.dimension,
            offset: 0.0,
            nature: Nature::Plain,
            scales: self.scales,
        })
    }
}

/// Whether a character may stand in the symbol of a unit.
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

/// `10^-3 mm^-1`, `×10⁻² cm⁻¹`: a multiplier in front of a unit, as column heads have it. Gives it
/// and the rest.
fn leading_power_of_ten(text: &str) -> (Option<i32>, &str) {
    let after = text.trim_start_matches(['×', 'x', '*']).trim_start();
    let Some(tail) = after.strip_prefix("10") else { return (None, text) };
    let marked = tail.starts_with(['^', '⁻', '⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹']);
    match read_power(tail) {
        Some((power, used)) if marked && used > 0 => (Some(i32::from(power)), tail[used..].trim_start()),
        _ => (None, text),
    }
}

/// A power after a symbol: `^3`, `^-3`, `³`, `3`, `-3`; none is 1. Gives the power and the bytes
/// used.
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

/// Factors by which a value is off when one unit in use was taken for another, with what to say of
/// them: the pair in words, never the identity. Powers of ten are for any dimension, the rest
/// belong to the dimension's own units.
///
/// # Example
/// ```
/// use jurado_core::quantity::{Dimension, confusable_factors};
/// let factors = confusable_factors(Dimension::LENGTH);
/// assert!(factors.iter().any(|(f, _)| (f - 25.4).abs() < 1e-9), "an inch for a millimetre");
/// assert!(factors.iter().all(|(f, _)| *f != 1.0));
/// ```
pub fn confusable_factors(dimension: Dimension) -> Vec<(f64, String)> {
    let mut out = unit_pairs(dimension).to_vec();
    for n in [1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6] {
        add_factor(&mut out, power_of_ten(n), || format!("a factor of 10{}", raised(n)));
    }
    out
}

/// As [`confusable_factors`], for the pairs of units alone that people use for a dimension.
///
/// # Example
/// ```
/// use jurado_core::quantity::{Dimension, unit_pairs};
/// let pairs = unit_pairs(Dimension::LENGTH);
/// assert!(pairs.iter().any(|(f, words)| (f - 2.54).abs() < 1e-12 && words == "cm written as in"));
/// ```
pub fn unit_pairs(dimension: Dimension) -> &'static [(f64, String)] {
    /// Factors with the units that are taken for each other, by dimension.
    type Pairs = Vec<(Dimension, Vec<(f64, String)>)>;
    /// Made once, when a mistake with units is first looked for.
    static PAIRS: LazyLock<Pairs> = LazyLock::new(|| {
        let units = |group: &&[&str]| group.iter().filter_map(|u| Unit::parse(u).ok()).collect::<Vec<Unit>>();
        USUAL.iter().map(units).filter_map(|own| Some((own.first()?.dimension, pairs(&own)))).collect()
    });
    PAIRS.iter().find(|(d, _)| *d == dimension).map_or(&[], |(_, pairs)| pairs)
}

/// The factors between units of one dimension, with the pair in words.
fn pairs(own: &[Unit]) -> Vec<(f64, String)> {
    let mut out: Vec<(f64, String)> = Vec::new();
    for a in own {
        for b in own {
            let name = |u: &Unit| if u.text == "1" { "a plain fraction".to_owned() } else { u.text.clone() };
            add_factor(&mut out, a.factor / b.factor, || format!("{} written as {}", name(b), name(a)));
        }
    }
    out
}

/// Adds a factor with its words, unless it is one or there already.
fn add_factor(out: &mut Vec<(f64, String)>, factor: f64, words: impl FnOnce() -> String) {
    if (factor - 1.0).abs() > 1e-9 && !out.iter().any(|(f, _)| (f / factor - 1.0).abs() < 1e-9) {
        out.push((factor, words()));
    }
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
