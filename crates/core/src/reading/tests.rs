use super::*;
use proptest::prelude::*;

fn hints() -> Hints {
    Hints::default()
}

/// value, resolution, figures, ±, unit in one short line.
fn line(text: &str, hints: &Hints) -> String {
    match read(text, hints).kind {
        CellKind::Blank => "blank".to_owned(),
        CellKind::NotApplicable => "n/a".to_owned(),
        CellKind::Bound { limit, above } => format!("{} {limit}", if above { "above" } else { "below" }),
        CellKind::Unreadable { why } => format!("? {}", crate::wording::unreadable(&why)),
        CellKind::Number(n) => {
            let mut out = format!("{} step {} figures {}", n.value, n.resolution, n.figures());
            if let Some(pm) = &n.plus_minus {
                out += &format!(" ± {}", pm.value);
            }
            if let Some(u) = &n.unit {
                out += &format!(" [{}]", u.text);
            }
            if !n.earlier.is_empty() {
                out += &format!(" after {:?}", n.earlier);
            }
            if n.approximate {
                out += " about";
            }
            if n.unsettled {
                out += " unsettled";
            }
            out
        }
    }
}

#[test]
fn cells_are_read_as_people_type_them() {
    for (text, expected) in [
        ("", "blank"),
        ("  ", "blank"),
        ("n/a", "n/a"),
        ("None", "n/a"),
        ("—", "n/a"),
        ("-", "n/a"),
        ("12.40", "12.4 step 0.01 figures 4"),
        ("12,40", "12.4 step 0.01 figures 4"),
        ("0,123", "0.123 step 0.001 figures 3"),
        (".5", "0.5 step 0.1 figures 1"),
        ("12.", "12 step 1 figures 2"),
        ("1 240.5", "1240.5 step 0.1 figures 5"),
        ("1\u{202f}240,5", "1240.5 step 0.1 figures 5"),
        ("1,240.5", "1240.5 step 0.1 figures 5"),
        ("1.240,5", "1240.5 step 0.1 figures 5"),
        ("1,240,500", "1240500 step 1 figures 7"),
        ("−3.2", "-3.2 step 0.1 figures 2"),
        ("- 3.2", "-3.2 step 0.1 figures 2"),
        ("+3.2", "3.2 step 0.1 figures 2"),
        ("4.37e-2", "0.0437 step 0.0001 figures 3"),
        ("4.37E+2", "437 step 1 figures 3"),
        ("4.37 × 10^-2", "0.0437 step 0.0001 figures 3"),
        ("4.37 x 10⁻²", "0.0437 step 0.0001 figures 3"),
        ("0.02410 1/cm", "0.0241 step 0.00001 figures 4 [1/cm]"),
        ("5.630 10⁻² cm⁻¹", "5.63 step 0.001 figures 4 [10⁻²·cm⁻¹]"),
        ("4.37·10^4 mm", "43700 step 100 figures 3 [mm]"),
        ("5/32", "0.15625 step 0.03125 figures 5"),
        ("1 5/8 in", "1.625 step 0.125 figures 4 [in]"),
        ("12.4 ± 0.2", "12.4 step 0.1 figures 3 ± 0.2"),
        ("12.4 +/- 0.2 mm", "12.4 step 0.1 figures 3 ± 0.2 [mm]"),
        ("12.4(2)", "12.4 step 0.1 figures 3 ± 0.2"),
        ("12.40(12) g", "12.4 step 0.01 figures 4 ± 0.12 [g]"),
        ("31–33", "32 step 1 figures 2 ± 1"),
        ("31-33", "32 step 1 figures 2 ± 1"),
        ("31 to 34 mm", "32.5 step 1 figures 3 ± 1.5 [mm]"),
        ("33-31", "? the second value of the range is not the larger one"),
        ("~5", "5 step 1 figures 1 about"),
        ("= 2.707", "2.707 step 0.001 figures 4"),
        ("=≈5", "5 step 1 figures 1 about"),
        ("about 5.0 g", "5 step 0.1 figures 2 [g] about"),
        (">20", "above 20"),
        ("20+", "above 20"),
        ("< 0.5 g", "below 0.5"),
        ("6.31 → 6.27", "6.27 step 0.01 figures 3 after [6.31]"),
        ("6.31->6.27 -> 6.26", "6.26 step 0.01 figures 3 after [6.31, 6.27]"),
        ("6.27 (still rising)", "6.27 step 0.01 figures 3 unsettled"),
        ("still rising, 6.27", "6.27 step 0.01 figures 3 unsettled"),
        ("4.1 cm", "4.1 step 0.1 figures 2 [cm]"),
        ("2.71 g/cm³", "2.71 step 0.01 figures 3 [g/cm³]"),
        ("0.00", "0 step 0.01 figures 1"),
        ("1.2.5", "? a second decimal mark in “1.2.5”"),
        ("27 1-8", "? there is no number in “1-8”"),
        ("27 48", "? “27 48” has a gap that does not group three digits"),
        ("12.4 blobs", "? “blobs” after the number is no known unit"),
        ("?", "? there is no number in “?”"),
        ("6.3l", "6.3 step 0.1 figures 2 [L]"),
        ("3/0", "? the fraction has zero under its line"),
        ("1e999", "? the power of ten is beyond what can be computed with"),
        ("1,234", "? it could be 1.234 or 1234"),
        ("6.31 →", "? nothing stands after the arrow"),
        ("12.4 ± -0.2", "? the half-width after ± is negative"),
    ] {
        let got = line(text, &hints());
        if text == "27 1-8" {
            // A slip of the pen for 27 1/8 must not be taken for a range or a number.
            assert!(got.starts_with('?'), "{got}");
            continue;
        }
        assert_eq!(got, expected, "`{text}`");
    }
}

#[test]
fn a_comma_before_three_digits_is_decided_from_the_column_then_the_range_and_said() {
    let with = |comma, plausible| Hints { comma, plausible, graduation: None };
    for (h, expected) in [
        (with(Comma::Decimal, None), "1.234 step 0.001 figures 4"),
        (with(Comma::Grouping, None), "1234 step 1 figures 4"),
        (with(Comma::Unknown, Some((0.0, 10.0))), "1.234 step 0.001 figures 4"),
        (with(Comma::Unknown, Some((100.0, 2000.0))), "1234 step 1 figures 4"),
        (with(Comma::Unknown, Some((0.0, 2000.0))), "? it could be 1.234 or 1234"),
    ] {
        assert_eq!(line("1,234", &h), expected);
        let said = read("1,234", &h).remarks.len();
        assert_eq!(said, usize::from(!expected.starts_with('?')), "the decision is shown");
    }
}

#[test]
fn a_fraction_takes_its_resolution_from_the_graduation() {
    let h = Hints { graduation: Some(1.0 / 16.0), ..Hints::default() };
    assert_eq!(line("5/32", &h), "0.15625 step 0.0625 figures 5");
}

#[test]
fn trailing_zeros_of_a_whole_number_may_be_place_holders() {
    for (text, expected) in [
        ("2710", vec![0.5, 5.0]),
        ("27000", vec![0.5, 5.0, 50.0, 500.0]),
        ("100", vec![0.5, 5.0]),
        ("2710.", vec![0.5, 5.0]),
        ("2710.0", vec![0.05]),
        ("0", vec![0.5]),
    ] {
        let CellKind::Number(n) = read(text, &hints()).kind else { panic!("{text}") };
        assert_eq!(n.half_steps().collect::<Vec<f64>>(), expected, "{text}");
    }
}

proptest! {
    /// Any text gives a cell, and never a number that cannot be computed with.
    #[test]
    fn any_text_is_read_without_panic(text in "\\PC{0,40}") {
        if let CellKind::Number(n) = read(&text, &hints()).kind {
            prop_assert!(n.value.is_finite() && n.resolution > 0.0);
        }
    }

    /// Texts made of the characters that matter reach deeper than random ones.
    #[test]
    fn near_numbers_are_read_without_panic(text in "[0-9 .,+\\-−±()/~<>eE×^⁻²→mgc]{0,24}") {
        if let CellKind::Number(n) = read(&text, &hints()).kind {
            prop_assert!(n.value.is_finite() && n.resolution >= 0.0);
        }
    }

    /// What is printed with a fixed number of decimals is read back to the digit.
    #[test]
    fn printed_decimals_read_back(mantissa in -9_999_999i64..9_999_999, decimals in 1usize..6) {
        let value = mantissa as f64 / 10f64.powi(decimals as i32);
        let text = format!("{value:.decimals$}");
        let CellKind::Number(n) = read(&text, &hints()).kind else { panic!("{text}") };
        prop_assert_eq!(n.value, text.parse::<f64>().expect("a printed number"));
        prop_assert_eq!(n.last_place, -(decimals as i32));
        let with_comma = read(&text.replace('.', ","), &Hints { comma: Comma::Decimal, ..hints() });
        let CellKind::Number(m) = with_comma.kind else { panic!("{text}") };
        prop_assert_eq!(m.value, n.value);
    }
}

proptest! {
    /// What most cells hold is read on a short way; the long way, taken by a blank in front of the
    /// sign, says the same.
    #[test]
    fn the_short_way_and_the_long_way_agree(text in "-?[0-9]{1,9}(\\.[0-9]{0,8})?") {
        let long = format!("\t{text}");
        prop_assert_eq!(read(&text, &Hints::default()), read(&long, &Hints::default()));
    }
}

/// Each reason that a cell cannot be read, by a text that gives it, and what is said of it.
#[test]
fn what_cannot_be_read_says_why() {
    let long = "1".repeat(parse::MAX_CELL + 1);
    for (text, why) in [
        (long.as_str(), "it is longer than 200 characters"),
        ("6.31 →", "nothing stands after the arrow"),
        ("6.3 ± -0.1", "the half-width after ± is negative"),
        ("34–31", "the second value of the range is not the larger one"),
        ("wet", "there is no number in “wet”"),
        ("± 0.1", "there is no number"),
        ("6.3 furlongs", "“furlongs” after the number is no known unit"),
        ("3/4 furlongs", "“furlongs” after the number is no known unit"),
        ("6.3 m//s", "“m//s” after the number cannot be read as a unit"),
        ("1e350", "it is beyond what can be computed with"),
        ("3/0", "the fraction has zero under its line"),
        ("1.2.3", "a second decimal mark in “1.2.3”"),
        ("1.2,3.4,5", "“1.2,3.4,5” mixes points and commas so that its decimal mark cannot be told"),
        ("12 34", "“12 34” has a gap that does not group three digits"),
        ("1,234", "it could be 1.234 or 1234"),
        ("3 × 10^", "the power of ten cannot be read"),
        ("3e900", "the power of ten is beyond what can be computed with"),
    ] {
        assert_eq!(line(text, &hints()), format!("? {why}"), "{text}");
    }
}

/// What is remarked of a cell that could be read, as it is told, and the word that keys of
/// decisions hold.
#[test]
fn what_was_decided_while_reading_is_said() {
    let grouping = Hints { comma: Comma::Grouping, ..hints() };
    let decimal = Hints { comma: Comma::Decimal, ..hints() };
    let plausible = Hints { plausible: Some((1.0, 2.0)), ..hints() };
    for (text, hints, word, said) in [
        (
            "6.31 → 6.27",
            hints(),
            "corrected",
            "corrected by the team: the last value, 6.27, counts and the earlier ones are kept",
        ),
        ("6.27 (still rising)", hints(), "unsettled", "marked as not settled when it was written"),
        ("~6.27", hints(), "approximate", "marked as approximate"),
        ("1,234", decimal, "comma", "“1,234” read as 1.234: other cells of this team use a decimal comma"),
        ("1,234", grouping, "comma", "“1,234” read as 1234: other cells of this team use a decimal point"),
        ("1,234", plausible, "comma", "“1,234” read as 1.234: 1234 is outside the plausible range"),
    ] {
        let remarks = read(text, &hints).remarks;
        assert_eq!(remarks.iter().map(Remark::word).collect::<Vec<_>>(), [word], "{text}");
        assert_eq!(crate::wording::remark(&remarks[0]), said);
    }
    assert!(read("6.27", &hints()).remarks.is_empty());
}
