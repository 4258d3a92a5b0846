//! Units against their definitions (BIPM, The International System of Units, 9th edition; NIST SP 811, appendix B), and
//! what people mean by their spellings.

use jurado_core::quantity::{Dimension, Nature, Unit, UnitError};

/// A spelling, and what one of it is in coherent SI units.
const DEFINED: &[(&str, f64)] = &[
    // Length, area, volume.
    ("m", 1.0),
    ("µm", 1e-6),
    ("um", 1e-6),
    ("nm", 1e-9),
    ("km", 1e3),
    ("in", 0.0254),
    ("ft", 0.3048),
    ("yd", 0.9144),
    ("mm^2", 1e-6),
    ("cm²", 1e-4),
    ("in^2", 6.4516e-4),
    ("L", 1e-3),
    ("dL", 1e-4),
    ("mL", 1e-6),
    ("cc", 1e-6),
    ("µL", 1e-9),
    ("cm^3", 1e-6),
    ("in^3", 1.6387064e-5),
    // Mass and density.
    ("mg", 1e-6),
    ("lb", 0.45359237),
    ("oz", 0.028349523125),
    ("ozt", 0.0311034768),
    ("dwt", 1.55517384e-3),
    ("ct", 2e-4),
    ("grain", 6.479891e-5),
    ("t", 1e3),
    ("g/cm^3", 1e3),
    ("g cm^-3", 1e3),
    ("kg/L", 1e3),
    ("lb/ft^3", 16.018_463_373_960_14),
    // Time, angle, frequency.
    ("ms", 1e-3),
    ("min", 60.0),
    ("h", 3600.0),
    ("day", 86_400.0),
    ("kHz", 1e3),
    ("1/s", 1.0),
    ("deg", std::f64::consts::PI / 180.0),
    ("rev", std::f64::consts::TAU),
    ("mrad", 1e-3),
    // Force, pressure, energy, power.
    ("kN", 1e3),
    ("dyn", 1e-5),
    ("kgf", 9.80665),
    ("lbf", 4.4482216152605),
    ("hPa", 1e2),
    ("kPa", 1e3),
    ("MPa", 1e6),
    ("bar", 1e5),
    ("mbar", 1e2),
    ("atm", 101_325.0),
    ("psi", 6_894.757293168361),
    ("mmHg", 133.322387415),
    ("N/mm^2", 1e6),
    ("N m", 1.0),
    ("mJ", 1e-3),
    ("cal", 4.184),
    ("kcal", 4184.0),
    ("eV", 1.602176634e-19),
    ("MeV", 1.602176634e-13),
    ("kW", 1e3),
    ("kW h", 3.6e6),
    // Electricity.
    ("mA", 1e-3),
    ("kΩ", 1e3),
    ("Mohm", 1e6),
    ("kohm", 1e3),
    ("msec", 1e-3),
    ("µF", 1e-6),
    ("pF", 1e-12),
    ("mH", 1e-3),
    ("gauss", 1e-4),
    ("V/m", 1.0),
    // Amounts, parts.
    ("mmol", 1e-3),
    ("mol/L", 1e3),
    ("mM", 1.0),
    ("g/mol", 1e-3),
    ("J/(mol K)", 1.0),
    ("J/(kg K)", 1.0),
    ("%", 1e-2),
    ("‰", 1e-3),
    ("ppm", 1e-6),
    ("10^-6 m", 1e-6),
];

#[test]
fn a_unit_is_what_it_is_defined_to_be() {
    for (text, si) in DEFINED {
        let unit = Unit::parse(text).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert!((unit.factor / si - 1.0).abs() < 1e-12, "one {text} is {}, not {si}", unit.factor);
        // What it is shown as is read as the same unit.
        let again = Unit::parse(&unit.text).unwrap_or_else(|e| panic!("{} of {text}: {e}", unit.text));
        assert_eq!((again.factor, again.dimension, again.nature), (unit.factor, unit.dimension, unit.nature), "{text}");
    }
}

#[test]
fn spellings_of_one_unit_are_one_unit() {
    for spellings in [
        &["g/cm^3", "g/cm3", "g/cm³", "g cm^-3", "g·cm⁻³", "g / cm^3", "[g/cm^3]"][..],
        &["mL", "ml", "cc", "ccm", "cm^3"],
        &["m/s^2", "m s^-2", "m/s/s", "m·s⁻²", "m/(s s)"],
        &["Ω", "ohm", "ohms", "V/A"],
        &["°C", "degC", "deg C", "℃", "celsius"],
        &["mol/L", "mol/l", "M", "mmol/mL", "mol/dm^3"],
        &["kg m^2/s^2", "N m", "J", "Pa m^3"],
        &["µs", "us", "μs"],
        &["1", ""],
    ] {
        let first = Unit::parse(spellings[0]).expect(spellings[0]);
        for text in spellings {
            let unit = Unit::parse(text).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert_eq!(unit.dimension, first.dimension, "{text}");
            assert!((unit.factor / first.factor - 1.0).abs() < 1e-12, "{text} is {}", unit.factor);
            assert_eq!((unit.offset, unit.nature), (first.offset, first.nature), "{text}");
        }
    }
}

#[test]
fn units_that_look_alike_are_told_apart() {
    for (one, other) in
        [("mg", "Mg"), ("mm", "Mm"), ("h", "H"), ("s", "S"), ("k", "K"), ("g", "G"), ("min", "in"), ("Pa", "pA")]
    {
        let (one, other) = (Unit::parse(one), Unit::parse(other));
        assert!(
            one.is_err()
                || other.is_err()
                || one.map(|u| (u.dimension, u.factor)) != other.map(|u| (u.dimension, u.factor))
        );
    }
}

#[test]
fn temperatures_are_points_alone_and_intervals_within() {
    let celsius = Unit::parse("°C").expect("a scale");
    let cases = [("°C", 25.0, 298.15), ("°F", 32.0, 273.15), ("°F", 212.0, 373.15), ("K", 4.2, 4.2)];
    for (text, value, kelvin) in cases {
        let unit = Unit::parse(text).expect(text);
        assert!((unit.to_si(value, unit.nature) - kelvin).abs() < 1e-9, "{value} {text}");
        assert!((unit.from_si(kelvin, unit.nature) - value).abs() < 1e-9, "{value} {text}");
    }
    // An interval of a degree is a kelvin, and a unit with a degree in it speaks of intervals.
    assert_eq!(celsius.to_si(10.0, Nature::Plain), 10.0);
    let per = Unit::parse("J/°C").expect("a heat capacity");
    assert_eq!((per.offset, per.nature, per.factor), (0.0, Nature::Plain, 1.0));
    assert_eq!(per.dimension, Unit::parse("J/K").expect("the same").dimension);
}

#[test]
fn pressures_keep_what_they_are_counted_from() {
    for (text, nature) in [
        ("psig", Nature::Gauge),
        ("psia", Nature::Absolute),
        ("bar(g)", Nature::Gauge),
        ("bar a", Nature::Absolute),
        ("kPa", Nature::Plain),
    ] {
        assert_eq!(Unit::parse(text).map(|u| u.nature), Ok(nature), "{text}");
    }
}

#[test]
fn what_is_no_unit_is_refused_and_never_guessed() {
    for text in ["mile", "furlong", "kmetre", "g/blob", "Hzz", "kkg", "µµm", "zm"] {
        assert!(matches!(Unit::parse(text), Err(UnitError::Unknown(_))), "{text}: {:?}", Unit::parse(text));
    }
    for text in ["g//cm", "^2", "m^", "m^x", "/", "m/", "(m", "m)", "m^999"] {
        assert!(Unit::parse(text).is_err(), "{text}: {:?}", Unit::parse(text));
    }
    let long = "m ".repeat(60);
    assert!(matches!(Unit::parse(&long), Err(UnitError::Malformed(said)) if said.chars().count() <= 40));
    assert_eq!(Unit::one().dimension, Dimension::ONE);
}
