//! Tables of rows: keys of a row, columns judged row by row, one slip down a column, words, conditions, grids, stops.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::row::Row;
use jurado_core::section::{Issued, Section, Source, Waiver};
use jurado_core::verdict::{Face, VerdictKind};

/// Right in every cell: x − x₀ = 16.6, 19.9 and 26.6 cm. v = 4/3·(512·0.166 + 426.6·0.199 + 320·0.266).
const ECHO_READINGS: &str = "
    rim: 4.2 {unit cm}
    air: 20.0 {unit °C}
    level 1: 20.8 {unit cm} {fork a}
    level 2: 24.1 {unit cm} {fork b}
    level 3: 30.8 {unit cm} {fork c}";

fn echo(results: &str) -> String {
    format!("{ECHO_READINGS}\n{results}")
}

const ECHO_RIGHT: &str = "
    length 1: 16.6 {unit cm}
    length 2: 19.9 {unit cm}
    length 3: 26.6 {unit cm}
    inverse 1: 6.02 {unit 1/m}
    inverse 2: 5.03 {unit 1/m}
    inverse 3: 3.76 {unit 1/m}
    speed: 340 {unit m/s} {± 3}
    gradient: 84.96 {unit m/s}";

#[test]
fn constants_and_references_follow_the_key_of_the_row() {
    let p = protocol(ECHO);
    let j = judged(ECHO, &echo(ECHO_RIGHT));
    let v = result(&p, &j, "speed", None);
    let want = 4.0 / 3.0 * (512.0 * 0.166 + 426.6 * 0.199 + 320.0 * 0.266);
    assert!(close(v.clean.expect("a speed"), want, 1e-12), "{:?}", v.clean);
    // Σ(f/L)/Σ(1/L²), lengths in metres.
    let (xs, fs) = ([1.0 / 0.166, 1.0 / 0.199, 1.0 / 0.266], [512.0, 426.6, 320.0]);
    let k = xs.iter().zip(&fs).map(|(x, f)| x * f).sum::<f64>() / xs.iter().map(|x| x * x).sum::<f64>();
    assert!(close(result(&p, &j, "gradient", None).clean.expect("a slope"), k, 1e-12));
    assert!(
        j.results.iter().all(|r| matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded)),
        "{:?}",
        verdicts(&p, &j)
    );
    // The reference at 20 °C: 331.3·√(293.15/273.15) = 343.2 m/s; 340.0 is 0.94 % low.
    let accuracy = j.comparisons.iter().find(|c| c.id == "accuracy").expect("compared");
    let reference = 331.3 * (293.15f64 / 273.15).sqrt();
    assert!(close(accuracy.value, 100.0 * (reference - want) / reference, 1e-9), "{}", accuracy.value);
    assert_eq!(j.comparisons.iter().find(|c| c.id == "two-ways").map(|c| c.verdict.as_str()), Some("agree"));
}

#[test]
fn a_condition_not_taken_leaves_a_band() {
    let without = echo(ECHO_RIGHT).replace("air: 20.0 {unit °C}", "");
    let j = judged(ECHO, &without);
    // 340.0 lies in the band of 15 to 30 °C: 340.3 to 349.0 m/s is 0.07 % above it.
    let accuracy = j.comparisons.iter().find(|c| c.id == "accuracy").expect("compared");
    assert!(accuracy.value < 0.1, "{}", accuracy.value);
    assert!(finding(&j, "missing-reading").is_none(), "{:?}", codes(&j));
}

#[test]
fn one_slip_down_a_column_is_one_slip_and_what_follows_is_carried() {
    let p = protocol(ECHO);
    // The rim was never taken off; everything after was worked out rightly from that.
    let lengths = [0.208, 0.241, 0.308f64];
    let speed = 4.0 / 3.0 * (512.0 * lengths[0] + 426.6 * lengths[1] + 320.0 * lengths[2]);
    let j = judged(
        ECHO,
        &echo(&format!(
            "length 1: 20.8 {{unit cm}}\nlength 2: 24.1 {{unit cm}}\nlength 3: 30.8 {{unit cm}}
             inverse 1: 4.81 {{unit 1/m}}\ninverse 2: 4.15 {{unit 1/m}}\ninverse 3: 3.25 {{unit 1/m}}
             speed: {speed:.0} {{unit m/s}} {{± 4}}\ngradient: 103.64 {{unit m/s}}"
        )),
    );
    let told = verdicts(&p, &j);
    for n in 1..=3 {
        assert!(told.contains(&format!("length {n} slip term-omitted")), "{told:?}");
        assert!(told.contains(&format!("inverse {n} carried")), "{told:?}");
    }
    assert!(told.contains(&"speed carried".to_owned()) && told.contains(&"gradient carried".to_owned()), "{told:?}");
    let slips: Vec<_> = j.findings.iter().filter(|f| f.code() == "slip").collect();
    assert_eq!(slips.len(), 1, "one slip with its places");
    assert!(said(ECHO, &j, "slip").contains("rows 1, 2, 3"), "{}", said(ECHO, &j, "slip"));
    // Half of the column's 1.5 points, once.
    assert_eq!(slips[0].cost.to_string(), "0.75");
    assert_eq!(j.results[0].slip.as_ref().map(|s| s.rows.clone()), Some(Row::first(3).collect()));
}

#[test]
fn one_wrong_row_is_that_rows_alone() {
    let p = protocol(ECHO);
    let j = judged(ECHO, &echo(&ECHO_RIGHT.replace("length 2: 19.9", "length 2: 1.99")));
    let told = verdicts(&p, &j);
    assert!(told.contains(&"length 1 agrees".to_owned()) && told.contains(&"length 3 agrees".to_owned()), "{told:?}");
    assert!(told.iter().any(|t| t == "length 2 slip unit-factor" || t == "length 2 slip decimal-point"), "{told:?}");
    // A third of the column's points, half of that for a slip.
    assert_eq!(finding(&j, "slip").map(|f| f.cost.to_string()), Some("0.25".to_owned()));
    assert!(said(ECHO, &j, "slip").contains("right value"), "only copied wrongly, and told so");
}

#[test]
fn declared_slips_and_other_schools_are_named_as_such() {
    let p = protocol(ECHO);
    let half = 340.0 / 2.0;
    let j = judged(ECHO, &echo(&ECHO_RIGHT.replace("speed: 340", &format!("speed: {half}"))));
    assert!(verdicts(&p, &j).contains(&"speed slip declared:half-wave".to_owned()), "{:?}", verdicts(&p, &j));
    assert_eq!(finding(&j, "slip").map(|f| f.cost.to_string()), Some("0.25".to_owned()), "its own share");
    // Free intercept: the slope of f on 1/L through the three points.
    let (xs, ys) = ([1.0 / 0.166, 1.0 / 0.199, 1.0 / 0.266f64], [512.0, 426.6, 320.0f64]);
    let (mx, my) = (xs.iter().sum::<f64>() / 3.0, ys.iter().sum::<f64>() / 3.0);
    let free = xs.iter().zip(&ys).map(|(x, y)| (x - mx) * (y - my)).sum::<f64>()
        / xs.iter().map(|x| (x - mx).powi(2)).sum::<f64>();
    let j = judged(ECHO, &echo(&ECHO_RIGHT.replace("gradient: 84.96", &format!("gradient: {free:.2}"))));
    let slip = result(&p, &j, "gradient", None).slip.as_ref().expect("a story");
    let named: Vec<&str> = std::iter::once(slip.kind.word()).chain(slip.alike.iter().map(|k| k.word())).collect();
    assert!(named.contains(&"declared:school a line with a free intercept"), "{named:?}");
}

#[test]
fn rows_have_keys_and_parameters_and_waivers() {
    let keyless = echo(ECHO_RIGHT).replace(" {fork b}", "");
    let j = judged(ECHO, &keyless);
    assert!(finding(&j, "key-missing").is_some_and(|f| f.place.row == Row::numbered(2)), "{:?}", codes(&j));
    let unknown = echo(ECHO_RIGHT).replace("{fork b}", "{fork z}");
    assert!(finding(&judged(ECHO, &unknown), "key-unknown").is_some());
    // Four depths asked for by the section: the fourth row is missing, and charged once.
    let section = Section { parameters: [("depths".to_owned(), 4.0)].into(), ..Section::default() };
    let j = judged_in(ECHO, &section, &echo(ECHO_RIGHT));
    let missing: Vec<_> = j.findings.iter().filter(|f| f.code() == "missing-reading").collect();
    assert_eq!(missing.iter().map(|f| f.place.row).collect::<Vec<_>>(), [Row::numbered(4)], "{:?}", codes(&j));
    // What could not be worked out for want of it is one finding for a person.
    let waits: Vec<_> = j.findings.iter().filter(|f| f.code() == "not-worked-out").collect();
    assert!(matches!(waits.as_slice(), [f] if f.cost > rust_decimal::Decimal::ZERO && f.open()), "{:?}", codes(&j));
    assert!(codes(&j).iter().all(|c| *c != "missing-result"), "{:?}", codes(&j));
    let section = Section {
        waivers: vec![Waiver { item: "rim".into(), reason: "the rim is the mark".into() }],
        ..Section::default()
    };
    let j = judged_in(ECHO, &section, &echo(ECHO_RIGHT).replace("rim: 4.2 {unit cm}", ""));
    assert!(!j.findings.iter().any(|f| f.code() == "missing-reading"), "{:?}", codes(&j));
}

#[test]
fn issued_values_are_judged_against_what_was_issued() {
    let issued = |value| Section {
        readings: Source::Issued,
        issued: vec![Issued { item: "rim".into(), row: None, value }],
        ..Section::default()
    };
    assert!(finding(&judged_in(ECHO, &issued(4.2), &echo(ECHO_RIGHT)), "misread").is_none());
    let j = judged_in(ECHO, &issued(4.7), &echo(ECHO_RIGHT));
    assert!(said(ECHO, &j, "misread").contains("4.7 cm was issued"), "{:?}", codes(&j));
}

#[test]
fn columns_that_must_rise_and_checks_that_must_hold() {
    let falling = echo(ECHO_RIGHT).replace("level 2: 24.1", "level 2: 18.1");
    assert!(said(ECHO, &judged(ECHO, &falling), "trend").contains("20.8 to 18.1 cm at row 2"));
    let under = echo(ECHO_RIGHT).replace("level 1: 20.8", "level 1: 3.8");
    let j = judged(ECHO, &under);
    let check = finding(&j, "check").expect("below the rim by more than the tape's step");
    assert_eq!(check.place.row, Row::numbered(1));
    // 0.4 cm, with room for 2·√2·0.1/√12 = 0.082 cm: the tape's shared limit cancels.
    assert!(said(ECHO, &j, "check").contains("± 0.082 cm"), "{}", said(ECHO, &j, "check"));
    let just = echo(ECHO_RIGHT).replace("level 1: 20.8", "level 1: 4.2");
    assert!(finding(&judged(ECHO, &just), "check").is_none(), "within its uncertainty");
}

/// Three runs, the first rough: 24.95 (rough), 24.10, 24.20. m = 0.5106 g, c = m/M/24.15 mL.
#[test]
fn planned_rough_runs_are_never_averaged_and_concordant_ones_are() {
    let p = protocol(TITRE);
    let j = judged(TITRE, TITRE_SHEET);
    assert!(j.results.iter().all(|r| r.verdict == VerdictKind::Agrees), "{:?}", verdicts(&p, &j));
    let c = result(&p, &j, "concentration", None);
    assert!(close(c.clean.expect("a value"), 0.5106 / 204.22 / 0.02415, 1e-12));
    // Kept runs 24.10, 24.60, 24.65: the first does not agree.
    let four = TITRE_SHEET.replace("end 3: 48.80", "end 3: 49.20")
        + "\nrun 4: kept\nstart 4: 0.00 {unit mL}\nend 4: 24.55 {unit mL}\ntitre 4: 24.55 {unit mL}";
    let j = judged(
        TITRE,
        &four.replace("titre 3: 24.20", "titre 3: 24.60").replace("mean_titre: 24.15", "mean_titre: 24.58"),
    );
    let mean = result(&p, &j, "mean_titre", None);
    assert!(close(mean.clean.expect("a mean"), (24.60 + 24.55) / 2.0, 1e-12), "{:?}", mean.clean);
    assert!(said(TITRE, &j, "concordance").contains("24.60, 24.55"), "{:?}", codes(&j));
    // All three averaged: an exclusion slip.
    let all = (24.10 + 24.60 + 24.55) / 3.0;
    let j = judged(
        TITRE,
        &four
            .replace("titre 3: 24.20", "titre 3: 24.60")
            .replace("mean_titre: 24.15", &format!("mean_titre: {all:.2}")),
    );
    assert!(verdicts(&p, &j).contains(&"mean_titre slip exclusion".to_owned()), "{:?}", verdicts(&p, &j));
}

#[test]
fn titration_readings_follow_one_another_and_amounts_have_windows() {
    let gap = TITRE_SHEET.replace("start 3: 24.60", "start 3: 24.40").replace("titre 3: 24.20", "titre 3: 24.40");
    assert!(finding(&judged(TITRE, &gap), "does-not-follow").is_some_and(|f| f.place.row == Row::numbered(3)));
    // Where the titre was worked out with 24.60, and the row above ended there, 24.40 was copied wrongly.
    let copied = judged(TITRE, &TITRE_SHEET.replace("start 3: 24.60", "start 3: 24.40"));
    assert!(finding(&copied, "repair").is_some() && finding(&copied, "does-not-follow").is_none());
    // Row 2 starts at 0.50 after 24.95: refilled, and no matter.
    assert!(finding(&judged(TITRE, TITRE_SHEET), "does-not-follow").is_none());
    let drops = judged(TITRE, &TITRE_SHEET.replace("drops: 3", "drops: 9"));
    assert!(said(TITRE, &drops, "amount-not-met").contains("2 to 5"));
    assert!(finding(&judged(TITRE, &TITRE_SHEET.replace("drops: 3", "drops: 2.5")), "unreadable").is_some());
    let apart = judged(TITRE, &TITRE_SHEET.replace("end 3: 48.80", "end 3: 49.30"));
    assert!(
        finding(&apart, "not-concordant").is_some() && finding(&apart, "stopped-early").is_some(),
        "{:?}",
        codes(&apart)
    );
    let off = judged(TITRE, &TITRE_SHEET.replace("end 3: 48.80", "end 3: 48.83"));
    assert!(said(TITRE, &off, "off-graduation").contains("48.83"));
    let beyond = judged(TITRE, &TITRE_SHEET.replace("end 3: 48.80", "end 3: 58.80"));
    assert!(finding(&beyond, "beyond-scale").is_some());
}

#[test]
fn the_vessel_not_taken_off_and_short_constants() {
    let p = protocol(TITRE);
    let gross = TITRE_SHEET
        .replace("mass: 0.5106", "mass: 12.8431")
        .replace("concentration: 0.1035", &format!("concentration: {:.4}", 12.8431 / 204.22 / 0.02415));
    let j = judged(TITRE, &gross);
    let told = verdicts(&p, &j);
    assert!(told.contains(&"mass slip gross-for-net".to_owned()), "{told:?}");
    assert!(told.contains(&"concentration carried".to_owned()), "{told:?}");
    let short =
        TITRE_SHEET.replace("concentration: 0.1035 ", &format!("concentration: {:.6} ", 0.5106 / 204.0 / 0.02415));
    let j = judged(TITRE, &short);
    let c = result(&p, &j, "concentration", None);
    assert_eq!(c.verdict, VerdictKind::Rounded);
    assert!(matches!(c.face, Some(Face::Constant(_, short)) if (short - 204.0).abs() < 1.0), "{:?}", c.face);
}

#[test]
fn a_manual_criterion_waits_for_a_person() {
    let j = judged(TITRE, TITRE_SHEET);
    assert!(finding(&j, "manual").is_some_and(|f| f.open()));
}

#[test]
fn zones_have_one_right_word_and_conditional_cells() {
    let p = protocol(ZONES);
    let j = judged(ZONES, ZONES_SHEET);
    let told = verdicts(&p, &j);
    for right in
        ["attitude 1 agrees", "attitude 2 agrees", "attitude 3 agrees", "focal 3 agrees", "rise agrees", "metal agrees"]
    {
        assert!(told.contains(&right.to_owned()), "{right}: {told:?}");
    }
    assert!(finding(&j, "missing-reading").is_none() && finding(&j, "missing-result").is_none(), "{:?}", codes(&j));
    // 8.65 lies in both ranges.
    assert!(finding(&j, "cannot-tell-apart").is_some());
    let wrong = judged(
        ZONES,
        &ZONES_SHEET.replace("attitude 3: Inverted", "attitude 3: upright").replace("metal: brass", "metal: steel"),
    );
    let told = verdicts(&p, &wrong);
    assert!(told.contains(&"attitude 3 differs".to_owned()) && told.contains(&"metal differs".to_owned()), "{told:?}");
    // A third of 1.5 points for one row; the whole point for the metal.
    let costs: Vec<String> =
        wrong.findings.iter().filter(|f| f.code() == "differs").map(|f| f.cost.to_string()).collect();
    assert_eq!(costs, ["0.5", "1"]);
    let no_image = judged(ZONES, &ZONES_SHEET.replace("image 3: 1000 {unit mm}", ""));
    assert!(finding(&no_image, "missing-reading").is_some_and(|f| f.place.row == Row::numbered(3)));
    let filled = judged(ZONES, &(ZONES_SHEET.to_owned() + "\nimage 2: 900 {unit mm}"));
    assert!(finding(&filled, "forbidden-reading").is_some_and(|f| f.place.row == Row::numbered(2)));
    let unknown = judged(ZONES, &ZONES_SHEET.replace("zone 1: inside", "zone 1: nearby"));
    assert!(said(ZONES, &unknown, "unreadable").contains("none of inside, at, beyond"));
}

#[test]
fn the_grid_takes_the_nearest_displayed_value() {
    assert!(finding(&judged(ZONES, ZONES_SHEET), "grid-missing").is_none());
    let far = judged(ZONES, &ZONES_SHEET.replace("object 2: 398", "object 2: 350"));
    assert!(said(ZONES, &far, "grid-missing").contains("near 400 mm"));
    let excused = ZONES_SHEET.replace("object 3: 600 {unit mm}", "object 3: 570 {unit mm} {out the rail ends there}");
    let j = judged(ZONES, &excused);
    assert!(finding(&j, "grid-left").is_some() && finding(&j, "grid-missing").is_none(), "{:?}", codes(&j));
}

#[test]
fn degrees_taken_for_radians() {
    let p = protocol(ZONES);
    let wrong = 1000.0 * 30f64.sin();
    let j = judged(ZONES, &ZONES_SHEET.replace("rise: 500", &format!("rise: {wrong:.0}")));
    assert!(verdicts(&p, &j).contains(&"rise slip angle-unit".to_owned()), "{:?}", verdicts(&p, &j));
}

#[test]
fn an_end_point_lies_where_the_second_derivative_turns() {
    let p = protocol(CURVE);
    let j = judged(CURVE, CURVE_SHEET);
    let e = result(&p, &j, "end_point", None);
    // First differences at 9.25, 9.75, 10.25: 1.2, 6.4, 1.6. Second at 9.5: +10.4, at 10.0: −9.6.
    let want = 9.5 + 0.5 * 10.4 / (10.4 + 9.6);
    assert!(close(e.clean.expect("an end point"), want, 1e-12), "{:?}", e.clean);
    // At least half the local step, 0.25/√3 mL.
    let u = e.budget.as_ref().expect("a budget").standard;
    assert!(close(u, 0.25 / 3f64.sqrt(), 1e-9), "{u}");
    let h = result(&p, &j, "half_ph", None);
    assert!(close(h.clean.expect("a value"), 3.10 + (want / 2.0) / 5.0 * 1.70, 1e-12));
    assert!(
        j.results.iter().all(|r| matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded)),
        "{:?}",
        verdicts(&p, &j)
    );
    assert!(finding(&j, "stopped-early").is_none() && finding(&j, "does-not-add-up").is_none(), "{:?}", codes(&j));
}

#[test]
fn sums_add_up_and_curves_reach_their_end() {
    let wrong = judged(CURVE, &CURVE_SHEET.replace("volume 5: 10.00", "volume 5: 10.20"));
    assert!(finding(&wrong, "does-not-add-up").is_some_and(|f| f.place.row == Row::numbered(5)));
    let early = judged(CURVE, &CURVE_SHEET.replace("ph 7: 11.00", "ph 7: 9.90").replace("ph 6: 10.20", "ph 6: 9.70"));
    assert!(said(CURVE, &early, "stopped-early").contains("9.9"), "{:?}", codes(&early));
}

#[test]
fn settings_logarithms_and_resolution_that_follows() {
    let p = protocol(CURVE);
    let j =
        judged(CURVE, &CURVE_SHEET.replace("voltage: 1.70", "voltage: 0.68").replace("level: 44.6", "level: 36.65"));
    let told = verdicts(&p, &j);
    assert!(told.contains(&"voltage slip setting".to_owned()), "{told:?}");
    assert!(told.contains(&"level carried".to_owned()), "{told:?}");
    let natural = 20.0 * 170f64.ln();
    let j = judged(CURVE, &CURVE_SHEET.replace("level: 44.6", &format!("level: {natural:.1}")));
    assert!(verdicts(&p, &j).contains(&"level slip log-base".to_owned()), "{:?}", verdicts(&p, &j));
    // A fifth of a division at 0.5 V: steps of 0.1 V; 1.75 is off them.
    let off = judged(CURVE, &CURVE_SHEET.replace("amplitude: 1.7 ", "amplitude: 1.75 "));
    assert!(said(CURVE, &off, "off-graduation").contains("steps of 0.1 V"), "{:?}", codes(&off));
    let no = judged(CURVE, &CURVE_SHEET.replace("gain: 0.5", "gain: 0.4"));
    assert!(finding(&no, "no-such-setting").is_some());
}

#[test]
fn a_scale_read_in_the_wrong_direction_is_mirrored_between_two_marks() {
    let p = protocol(TITRE);
    // 48.20 stands in the table, mirrored about 48.5; they worked with 48.80.
    let j = judged(TITRE, &TITRE_SHEET.replace("end 3: 48.80", "end 3: 48.20"));
    let repair = said(TITRE, &j, "repair");
    assert!(repair.contains("48.20") && repair.contains("48.80"), "{repair} {:?} {:?}", verdicts(&p, &j), codes(&j));
}

#[test]
fn a_column_that_is_not_there_is_told_in_one_sentence() {
    let rest = "
    inverse 1: 6.02 {unit 1/m}
    inverse 2: 5.03 {unit 1/m}
    inverse 3: 3.76 {unit 1/m}
    speed: 340 {unit m/s} {± 3}
    gradient: 84.96 {unit m/s}";
    for (there, says) in [
        (
            "",
            Some(
                "The length of the air column is not there yet in rows 1, 2, 3: your readings give 16.6 cm, 19.9 cm, 26.6 cm.",
            ),
        ),
        (
            "length 2: 19.9 {unit cm}",
            Some("The length of the air column is not there yet in rows 1, 3: your readings give 16.6 cm, 26.6 cm."),
        ),
        (
            "length 1: 16.6 {unit cm}\nlength 3: 26.6 {unit cm}",
            Some("The length of the air column in row 2 is not there yet: your readings give 19.9 cm."),
        ),
        ("length 1: 16.6 {unit cm}\nlength 2: 19.9 {unit cm}\nlength 3: 26.6 {unit cm}", None),
    ] {
        let j = judged(ECHO, &echo(&format!("{there}\n{rest}")));
        let told: Vec<String> = told(ECHO, &j).into_iter().filter(|s| s.contains("not there yet")).collect();
        assert_eq!(told.first().map(String::as_str), says, "{there}");
        assert!(told.len() <= 1, "{told:?}");
        let missing = j.findings.iter().filter(|f| f.code() == "missing-result").count();
        assert_eq!(missing, 3 - there.matches("length").count(), "each row keeps its finding");
    }
}

#[test]
fn readings_that_are_not_there_are_told_in_one_sentence() {
    let path = format!("{}/tests/labs/plate-and-disc.toml", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(path).expect("a text");
    let whole = "zero: 0.04\nplate_length: 84.44\nplate_width: 41.92\nplate_thickness: 8.62\nplate_mass: 81.89
        disc_diameter 1: 60.1\ndisc_diameter 2: 60.2\ndisc_diameter 3: 60.1\ndisc_diameter 4: 60.3\ndisc_diameter 5: 60.2
        disc_thickness 1: 8.1\ndisc_thickness 2: 8.1\ndisc_thickness 3: 8.1\ndisc_thickness 4: 8.2\ndisc_thickness 5: 8.1\ndisc_mass: 200.1";
    for (gone, says) in [
        (&["plate_width"][..], "The value of the plate width is not there; what needs it could not be checked."),
        (
            &["plate_width", "plate_mass"],
            "The values of the plate width and the plate mass are not there; what needs them could not be checked.",
        ),
        (
            &["zero", "disc_diameter 2", "disc_diameter 3", "disc_diameter 5", "disc_thickness 4", "disc_mass"],
            "The values of the zero reading, readings 2, 3, 5 of the disc diameter, reading 4 of the disc thickness and the disc mass are not there; what needs them could not be checked.",
        ),
    ] {
        let lines: Vec<&str> =
            whole.lines().map(str::trim).filter(|l| !gone.iter().any(|g| l.split(':').next() == Some(g))).collect();
        let j = judged(&text, &lines.join("\n"));
        let told: Vec<String> = told(&text, &j)
            .into_iter()
            .filter(|s| s.contains("could not be checked") && s.contains("not there;"))
            .collect();
        assert_eq!(told, [says]);
        assert_eq!(
            j.findings.iter().filter(|f| f.code() == "missing-reading").count(),
            gone.len(),
            "each keeps its finding"
        );
    }
}

/// What stands in a cell for "nothing" leaves no reading out.
#[test]
fn a_dash_is_no_exclusion() {
    let lab = include_str!("labs/plate-and-disc.toml");
    for (mark, out) in [("-", false), ("–", false), ("n/a", false), ("No", false), ("x", true), ("slipped", true)] {
        let first = format!("disc_diameter 1: 60.11 {{out {mark}}}\n");
        let rest: String = (2..=5).map(|n| format!("disc_diameter {n}: 60.1{n}\n")).collect();
        let j = judged(lab, &(first + &rest));
        let left_out = j.findings.iter().any(|f| f.code().starts_with("exclusion"));
        assert_eq!(left_out, out, "{mark}: {:?}", codes(&j));
    }
}
