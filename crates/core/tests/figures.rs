//! Numbers as people write them: rounded once, to the figures that readings support, in tables of cases and by properties.

use jurado_core::formula::check::check;
use jurado_core::formula::figures::Figured;
use jurado_core::formula::{Context, ItemId, Shape, Symbol, Value, evaluate, parse};
use jurado_core::notation::{capital, chance, counted, decimals, figures, signed, to_figures, to_place, uncertainty};
use jurado_core::quantity::{Dimension, Nature, leading_place};
use proptest::prelude::*;

#[test]
fn values_are_shown_to_their_figures() {
    for (value, count, text) in [
        (7.8612, 3, "7.86"),
        (0.0996, 2, "0.10"),
        (0.0996, 1, "0.1"),
        (9.996, 3, "10.0"),
        (99.96, 3, "100"),
        (0.005, 1, "0.005"),
        (-0.004_56, 2, "−0.0046"),
        (0.0, 3, "0.00"),
        (1234.5, 5, "1234.5"),
        (1_234_567.0, 7, "1234567"),
        (43_700.0, 3, "4.37 × 10⁴"),
        (1.602_176_634e-19, 4, "1.602 × 10⁻¹⁹"),
        // What binary keeps as 2.499…: the decimal text decides.
        (2.5, 1, "2"),
        (3.5, 1, "4"),
        (1.005, 3, "1.00"),
    ] {
        assert_eq!(figures(value, count), text, "{value} to {count}");
    }
}

#[test]
fn values_are_shown_to_their_place() {
    for (value, place, text) in [
        (84.306, -2, "84.31"),
        (84.306, 0, "84"),
        (84.306, -5, "84.30600"),
        (-0.001, -2, "0.00"),
        (43_700.0, 2, "4.37 × 10⁴"),
        (0.5, 0, "0"),
        (1.5, 0, "2"),
    ] {
        assert_eq!(to_place(value, place), text, "{value} to 10^{place}");
    }
    for (value, places, text) in [(1.0, 0, "1"), (-1.25, 1, "−1.2"), (-0.04, 1, "0.0"), (1e6, 1, "1000000.0")] {
        assert_eq!(decimals(value, places), text);
    }
}

#[test]
fn signs_chances_and_counts_are_words_of_their_own() {
    for (value, count, text) in [(0.0612, 2, "+0.061"), (-1.2, 3, "−1.20"), (0.0, 2, "0.0"), (12.0, 2, "+12")] {
        assert_eq!(signed(value, count), text);
    }
    for (u, text) in [(0.012_34, "0.012"), (0.0996, "0.10"), (2.5, "2.5"), (17.6, "18"), (0.0, "0.0")] {
        assert_eq!(uncertainty(u), text);
    }
    for (p, text) in
        [(0.934, "93 in 100"), (0.0, "0 in 100"), (1.0, "100 in 100"), (1.2, "100 in 100"), (-0.1, "0 in 100")]
    {
        assert_eq!(chance(p), text);
    }
    for (n, noun, text) in [
        (1, "reading", "1 reading"),
        (0, "reading", "0 readings"),
        (2, "watch", "2 watches"),
        (1, "watch", "1 watch"),
        (3, "box", "3 boxes"),
    ] {
        assert_eq!(counted(n, noun), text);
    }
    for (text, large) in [("pH at half", "pH at half"), ("density", "Density"), ("", ""), ("éclat", "Éclat")] {
        assert_eq!(capital(text), large);
    }
}

/// A value with so many figures, by name: what a reading of them supports.
fn deserved(formula: &str) -> Option<i32> {
    let names = ["two", "three", "four", "coarse", "fine", "column", "exact"];
    let resolve = |name: &str| {
        let at = names.iter().position(|n| *n == name)?;
        let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
        Some(Symbol { item: ItemId::at(at), dimension: Dimension::ONE, nature: Nature::Plain, shape, words: None })
    };
    let with = |value: f64, count: i32| Some(Value::Scalar(Figured::with_figures(value, count)));
    let items = [
        with(2.1, 2),
        with(84.3, 3),
        with(101.64, 5),
        with(250.0, 2),
        with(0.0213, 3),
        Some(Value::column(vec![Figured::with_figures(10.12, 4), Figured::with_figures(10.1, 3)])),
        Some(Value::Scalar(Figured { value: 12.0, place: None })),
    ];
    let node = parse(formula).and_then(|a| check(&a, &resolve)).unwrap_or_else(|e| panic!("{formula}: {}", e.what));
    evaluate(&node, &Context::exact(&items)).unwrap_or_else(|e| panic!("{formula}: {e}")).figures()
}

#[test]
fn a_result_deserves_the_figures_that_its_readings_support() {
    for (formula, count) in [
        // A product has as many as the poorest; a constant and a number of the formula have no last place.
        ("two * three", Some(2)),
        ("three / four", Some(3)),
        ("exact * three", Some(3)),
        ("4 * three / 3", Some(3)),
        ("pi * three^2", Some(3)),
        ("exact * 2", None),
        // A sum ends where the coarsest ends: 84.3 + 2.1 = 86.4; 250 (to tens) + 2.1 = 250.
        ("three + two", Some(3)),
        ("coarse + two", Some(2)),
        ("four - three", Some(3)),
        ("three - exact", Some(3)),
        // What cancels leaves the place: 84.3 − 84.3 is 0.0.
        ("three - three", Some(2)),
        ("fine + three", Some(3)),
        // A mean ends where its readings do.
        ("mean(column)", Some(3)),
        ("sum(column)", Some(3)),
        ("sqrt(three)", Some(3)),
        ("(four - three) * two", Some(2)),
    ] {
        assert_eq!(deserved(formula), count, "{formula}");
    }
}

proptest! {
    /// Rounding is done once: a rounded value rounded again to as many figures, or to more, stays.
    #[test]
    fn rounding_again_changes_nothing(value in -1e9f64..1e9, count in 1i32..12, more in 0i32..3) {
        let once = to_figures(value, count, false);
        prop_assert_eq!(to_figures(once, count + more, false), once);
        prop_assert!((once - value).abs() <= 0.5000001 * 10f64.powi(leading_place(value) - count + 1), "{} to {}: {}", value, count, once);
    }

    /// Cutting never goes past the value, and never farther than one unit of the last figure.
    #[test]
    fn cutting_goes_towards_nought(value in -1e6f64..1e6, count in 1i32..10) {
        let cut = to_figures(value, count, true);
        prop_assert!(cut.abs() <= value.abs() * (1.0 + 1e-13));
        prop_assert!((cut - value).abs() <= 1.000_000_1 * 10f64.powi(leading_place(value) - count + 1));
        prop_assert!(cut == 0.0 || cut.signum() == value.signum());
    }

    /// What is shown is read back within half of its last place.
    #[test]
    fn what_is_shown_is_the_value(value in -1e4f64..1e4, place in -8i32..1) {
        let text = to_place(value, place).replace('−', "-");
        let read: f64 = text.parse().unwrap_or(f64::NAN);
        prop_assert!((read - value).abs() <= 0.500_000_1 * 10f64.powi(place), "{} is shown as {}", value, text);
    }
}
