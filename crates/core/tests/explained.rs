//! How a result is worked out for its reader: in symbols, with numbers, and the value; where its uncertainty comes from; and
//! the charts of a table, whose lines are those that the formulas fit.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::explain::{Explained, explain};
use jurado_core::judging::judge;
use jurado_core::plots::{Plot, plots};

fn explained(lab: &str, lines: &str) -> Vec<Explained> {
    let p = protocol(lab);
    explain(&p, &judge(&p, &sheet(lines), &[], &[]))
}

fn of<'e>(all: &'e [Explained], id: &str, row: Option<u32>) -> &'e Explained {
    let at = |e: &&Explained| e.id == id && e.row.map(jurado_core::row::Row::number) == row;
    all.iter().find(at).unwrap_or_else(|| panic!("{id} {row:?} is not explained"))
}

#[test]
fn a_correction_goes_from_symbols_to_numbers_to_the_value() {
    for (lab, lines, id, row, stages) in [
        (TITRE, TITRE_SHEET, "titre", Some(2), ["V = V_2 − V_1", "= 24.60 mL − 0.50 mL", "= 24.100 mL"]),
        // The rough run is left out of the mean.
        (TITRE, TITRE_SHEET, "mean_titre", None, ["V_m = mean(V)", "= mean(24.100, 24.200 mL)", "= 24.150 mL"]),
        (TITRE, TITRE_SHEET, "mass", None, ["m = m_1 − m_0", "= 12.8431 g − 12.3325 g", "= 0.51060 g"]),
        (
            TITRE,
            TITRE_SHEET,
            "concentration",
            None,
            ["c = m / M / V_m", "= 0.51060 g / 204.22 g/mol / 24.150 mL", "= 0.10353 mol/L"],
        ),
        // A constant that goes by the row's key stands there with its number too.
        (
            ECHO,
            RUNS,
            "speed",
            None,
            ["v = 4 × mean(f × L)", "= 4 × mean(512, 426.6, 320 Hz × 16.60, 19.90, 26.60 cm)", "= 340.0 m/s"],
        ),
        (
            ECHO,
            LEFT_OUT,
            "gradient",
            None,
            ["k = slope0(1/L, f)", "= slope0(6.02, 3.76 1/m, 512, 320 Hz)", "= 85.028 m/s"],
        ),
        (ECHO, RUNS, "inverse", Some(2), ["1/L = 1 / L", "= 1 / 19.90 cm", "= 5.025 1/m"]),
        (
            ZONES,
            ZONES_SHEET,
            "focal",
            Some(3),
            ["f = 1 / (1 / g + 1 / b)", "= 1 / (1 / 600 mm + 1 / 1000 mm)", "= 375.0 mm"],
        ),
        // Without a symbol the title stands there.
        (
            ZONES,
            ZONES_SHEET,
            "rise",
            None,
            ["rise of the rail over a metre = 1000 mm × sin(α)", "= 1000 mm × sin(30 deg)", "= 500.0 mm"],
        ),
    ] {
        let all = explained(lab, lines);
        let told = of(&all, id, row).stages.as_ref().unwrap_or_else(|| panic!("{id} has no stages"));
        assert_eq!(told.text, stages, "{id}");
        for drawn in &told.mathml {
            let count = |sign: &str| drawn.matches(sign).count();
            assert_eq!(count("<math"), count("</math>"), "{drawn}");
            assert_eq!(count("<mrow>"), count("</mrow>"), "{drawn}");
        }
    }
}

/// The speed of sound at 20.0 °C by the lab's own formula, 331.3·√(293.15/273.15) = 343.2 m/s; without the temperature the
/// symbol stands there.
#[test]
fn a_reference_that_follows_from_a_condition_stands_there_with_its_number() {
    let off = "[[result]]\nid = \"off\"\ntitle = \"off\"\nbay = \"well\"\nunit = \"m/s\"\nformula = \"speed - sound\"\npoints = \"0\"\n\n[[slip]]";
    let lab = ECHO.replacen("[[slip]]", off, 1);
    let second = |lines: &str| of(&explained(&lab, lines), "off", None).stages.as_ref().map(|s| s.text[1].clone());
    assert_eq!(second(RUNS).as_deref(), Some("= 340.0 m/s − 343.215 m/s"));
    let without = second(&RUNS.replace("air: 20.0 {unit °C}", ""));
    assert_eq!(without.as_deref(), Some("= 340.0 m/s − c"));
}

#[test]
fn what_the_readings_do_not_give_has_no_stages() {
    let all = explained(ZONES, ZONES_SHEET);
    assert!(of(&all, "focal", Some(1)).stages.is_none(), "no image, no focal length");
    assert_eq!(of(&all, "attitude", Some(3)).value, "inverted", "a word is its own answer");
    assert!(of(&all, "attitude", Some(3)).stages.is_none() && of(&all, "metal", None).budget.is_empty());
    let without = explained(TITRE, &TITRE_SHEET.replace("boat_full: 12.8431 {unit g}", "boat_full: "));
    assert!(of(&without, "mass", None).stages.is_none() && of(&without, "mean_titre", None).stages.is_some());
}

#[test]
fn a_budget_is_a_whole_largest_first_and_names_each_source_once() {
    for (lab, lines) in [(TITRE, TITRE_SHEET), (ZONES, ZONES_SHEET)] {
        for e in explained(lab, lines).iter().filter(|e| !e.budget.is_empty()) {
            let whole: f64 = e.budget.iter().map(|b| b.share).sum();
            // Shares too small to be told are left out.
            assert!(whole <= 1.0 + 1e-9 && whole > 0.97, "{}: {whole}", e.id);
            assert!(e.budget.windows(2).all(|w| w[0].share >= w[1].share), "{}", e.id);
            let mut names: Vec<&str> = e.budget.iter().map(|b| b.source.as_str()).collect();
            names.sort_unstable();
            names.dedup();
            assert_eq!(names.len(), e.budget.len(), "{}", e.id);
            assert_eq!(e.uncertainties.iter().filter(|u| u.marked).count(), 1, "{}: one school marks", e.id);
        }
    }
}

/// Two boats weighed on one balance whose limit is shared: the limit cancels, and what is left is the step of each,
/// a rectangular distribution of 0.0001 g: u = √2 · 0.0001/√12.
#[test]
fn a_shared_limit_cancels_in_a_difference() {
    let all = explained(TITRE, TITRE_SHEET);
    let mass = of(&all, "mass", None);
    let marked = mass.uncertainties.iter().find(|u| u.marked).expect("a school marks");
    assert!(close(marked.value, 2f64.sqrt() * 0.0001 / 12f64.sqrt(), 1e-9), "{}", marked.value);
    assert_eq!(mass.budget.iter().map(|b| (b.share * 1e6).round()).collect::<Vec<_>>(), [500_000.0, 500_000.0]);
}

#[test]
fn an_exact_value_has_no_uncertainty_and_none_of_it_is_minus_nought() {
    let all = explained(ZONES, ZONES_SHEET);
    for u in &of(&all, "density", None).uncertainties {
        assert!(u.value.is_sign_positive(), "{} {:?}", u.school, u.value);
    }
}

/// The second run was left out with a reason that the lab lists.
const LEFT_OUT: &str = "
    level 1: 20.8 {unit cm} {fork a}\nlevel 2: 24.1 {unit cm} {fork b} {out dripping}\nlevel 3: 30.8 {unit cm} {fork c}
    rim: 4.2 {unit cm}\nair: 20.0 {unit °C}\nspeed: 340 {unit m/s} {± 3}\ngradient: 85.03 {unit m/s}";

/// A line through the origin has one parameter and any other two: the leverages of its points add up to that (the trace of
/// the hat matrix).
#[test]
fn a_chart_shows_the_line_that_the_formula_fits() {
    let free = ECHO.replace("formula = \"slope0(inverse, pitch)\"", "formula = \"slope(inverse, pitch)\"");
    let free = free.replace("[result.schools]\n\"a line with a free intercept\" = \"slope(inverse, pitch)\"\n", "");
    for (lab, parameters) in [(ECHO, 1.0), (free.as_str(), 2.0)] {
        let p = protocol(lab);
        let j = judge(&p, &sheet(RUNS), &[], &[]);
        let all = plots(&p, &j);
        let [Plot::Fit(fit)] = &all[..] else { panic!("{} charts", all.len()) };
        assert_eq!((p.items[fit.x].id.as_str(), p.items[fit.y].id.as_str()), ("inverse", "pitch"));
        let slope = result(&p, &j, "gradient", None).clean.expect("a slope");
        assert!(close(fit.slope, slope, 1e-9), "{} is drawn, {slope} is judged", fit.slope);
        assert_eq!(fit.intercept == 0.0, parameters == 1.0);
        for (point, residual) in fit.points.iter().zip(&fit.residuals) {
            let on_the_line = fit.intercept + fit.slope * point.x;
            assert!(close(point.y - residual, on_the_line, 1e-9), "{point:?}");
        }
        assert!(close(fit.leverage.iter().sum::<f64>(), parameters, 1e-9), "{:?}", fit.leverage);
        for (x, low, high) in &fit.band {
            assert!(close(0.5 * (low + high), fit.intercept + fit.slope * x, 1e-9) && low <= high);
        }
        assert!(fit.points.windows(2).all(|w| w[0].row < w[1].row));
    }
}

#[test]
fn a_chart_leaves_out_what_is_left_out_and_needs_three_points() {
    let p = protocol(ECHO);
    let chart = |lines: &str| plots(&p, &judge(&p, &sheet(lines), &[], &[])).into_iter().next();
    let more = format!(
        "{RUNS}\nlevel 4: 30.9 {{unit cm}} {{fork c}}\nlength 4: 26.7 {{unit cm}}\ninverse 4: 3.75 {{unit 1/m}}"
    );
    let out = more.replace("level 2: 24.1 {unit cm} {fork b}", "level 2: 24.1 {unit cm} {fork b} {out dripping}");
    let Some(Plot::Fit(fit)) = chart(&out) else { panic!("no chart") };
    assert_eq!(fit.points.iter().filter(|p| !p.counts).map(|p| p.row.number()).collect::<Vec<_>>(), [2]);
    assert_eq!(fit.leverage[1], 0.0, "what does not count pulls at nothing");
    let j = judge(&p, &sheet(&out), &[], &[]);
    let slope = result(&p, &j, "gradient", None).clean.expect("a slope");
    assert!(close(fit.slope, slope, 1e-9), "{} is drawn, {slope} is judged", fit.slope);
    let single = RUNS.replace("level 2: 24.1 {unit cm} {fork b}", "");
    assert!(chart(&single).is_none() && chart(RUNS).is_some(), "fewer than three points show nothing of a line");
}
