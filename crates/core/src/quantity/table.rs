//! The units that labs write, with their spellings, and the SI prefixes that go with them.
//!
//! Names are those of the International System of Units, of its accepted companions, and of inches,
//! pounds and their like, which stand on instruments. A prefix is taken off a name only where the
//! name takes prefixes, so that `min` is a minute and no milli-inch.

use std::sync::OnceLock;

use super::Dimension;
use super::nature::Nature;

/// Spellings, the first of them shown; dimension; mantissa and power of ten; whether SI prefixes go
/// with it.
pub(super) struct Row {
    /// Its spellings, the first for showing.
    pub(super) names: &'static [&'static str],
    /// Its dimension.
    pub(super) dimension: Dimension,
    /// Of its factor to SI, which is mantissa · 10^exponent, so that decimal units stay exact.
    pub(super) mantissa: f64,
    /// Power of ten of its factor.
    pub(super) exponent: i32,
    /// Whether it takes prefixes.
    pub(super) prefixed: bool,
    /// Amount, point on a scale, gauge or absolute.
    pub(super) nature: Nature,
    /// Its nought on the SI scale.
    pub(super) offset: f64,
}

/// SI prefixes (BIPM, The International System of Units, 9th edition, table 7) that laboratory work
/// meets.
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

/// Spellings, the first for showing.
type Names = &'static [&'static str];

/// A unit without prefixes.
const fn own(names: Names, dimension: Dimension, mantissa: f64, exponent: i32) -> Row {
    Row { names, dimension, mantissa, exponent, prefixed: false, nature: Nature::Plain, offset: 0.0 }
}

/// A unit that takes prefixes, from nano to mega.
const fn si(names: Names, dimension: Dimension, exponent: i32) -> Row {
    Row { prefixed: true, ..own(names, dimension, 1.0, exponent) }
}

/// A scale of temperature with its nought.
const fn point(names: Names, mantissa: f64, offset: f64) -> Row {
    Row { nature: Nature::Point, offset, ..own(names, Dimension::TEMPERATURE, mantissa, 0) }
}

/// Cubed lengths.
fn volume() -> Dimension {
    Dimension::LENGTH.power(3)
}

/// Mass times acceleration.
fn force() -> Dimension {
    Dimension::MASS.times(Dimension::LENGTH).over(Dimension::TIME.power(2))
}

/// Force times length.
fn energy() -> Dimension {
    force().times(Dimension::LENGTH)
}

/// Lengths and masses.
fn length_and_mass() -> Vec<Row> {
    let (length, mass) = (Dimension::LENGTH, Dimension::MASS);
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
    ]
}

/// Times, currents, temperatures, amounts and volumes.
fn time_and_heat() -> Vec<Row> {
    let (time, current, volume) = (Dimension::TIME, Dimension::CURRENT, volume());
    vec![
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
    ]
}

/// Forces and pressures.
fn force_and_pressure() -> Vec<Row> {
    let force = force();
    let pressure = force.over(Dimension::LENGTH.power(2));
    let pressed = |names, mantissa, exponent, nature| Row { nature, ..own(names, pressure, mantissa, exponent) };
    vec![
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
    ]
}

/// Energies, powers and what electricity is measured in.
fn energy_and_field() -> Vec<Row> {
    let (length, time, current, energy) = (Dimension::LENGTH, Dimension::TIME, Dimension::CURRENT, energy());
    let power = energy.over(time);
    let charge = current.times(time);
    let voltage = power.over(current);
    vec![
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
    ]
}

/// Angles and plain numbers.
fn angle_and_number() -> Vec<Row> {
    vec![
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
}

/// The units of the labs. Inch, pound and their kin are exact by definition (international yard and
/// pound, 1959; troy ounce 31.1034768 g; carat 0.2 g), the standard atmosphere and mmHg by
/// convention, the electronvolt by the SI of 2019.
fn table() -> &'static [Row] {
    /// Made once, when a unit is first read.
    static TABLE: OnceLock<Vec<Row>> = OnceLock::new();
    TABLE.get_or_init(|| {
        [length_and_mass(), time_and_heat(), force_and_pressure(), energy_and_field(), angle_and_number()]
            .into_iter()
            .flatten()
            .collect()
    })
}

/// The row of a symbol with the power of ten of its prefix and the text it is shown as.
pub(super) fn symbol_row(symbol: &str) -> Option<(&'static Row, i32, String)> {
    if let Some(row) = table().iter().find(|r| r.names.contains(&symbol)) {
        return Some((row, 0, row.names[0].to_owned()));
    }
    PREFIXES.iter().find_map(|(prefix, power)| {
        let base = symbol.strip_prefix(prefix)?;
        // A prefix goes with the symbol, its twin (`l`, the sign of the ohm) and a short word (`msec`, `kohm`), not with a long one.
        let short = |r: &Row| r.names.iter().take(3).any(|n| *n == base && n.chars().count() <= 3);
        let row = table().iter().find(|r| r.prefixed && short(r))?;
        let prefix = if matches!(*prefix, "u" | "μ") { "µ" } else { prefix };
        Some((row, *power, format!("{prefix}{}", row.names[0])))
    })
}
