//! A section that was taught otherwise: by which formula or value it is judged, and that neither way is charged.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::judging::judge_in;
use jurado_core::protocol::ResultId;
use jurado_core::section::Section;
use jurado_core::verdict::VerdictKind;

const LABS: [&str; 4] = [ECHO, TITRE, ZONES, CURVE];

fn with_school(item: &str, school: &str) -> Section {
    let mut section = Section::default();
    section.schools.insert(item.into(), school.into());
    section
}

#[test]
fn a_school_is_found_by_its_name_and_by_its_word_and_by_nothing_else() {
    for lab in LABS {
        let p = protocol(lab);
        for (id, spec) in ResultId::with(&p.results) {
            let item = p.items[spec.item].id.as_str();
            for school in p.schools_of(id) {
                let by_name = p.school_named(item, school.name).map(|s| s.word.to_owned());
                let by_word = p.school_named(item, school.word).map(|s| s.word.to_owned());
                assert_eq!((by_name.as_deref(), by_word.as_deref()), (Some(school.word), Some(school.word)), "{item}");
            }
            assert!(p.school_named(item, "no such school").is_none());
        }
    }
    let p = protocol(ECHO);
    assert_eq!(p.schools_of(p.result_of(p.item("gradient").expect("a result")).expect("a result")).len(), 1);
    assert!(p.school_named("rim", "a line with a free intercept").is_none(), "a reading has no school");
}

/// Least squares with and without an intercept, worked out here once more.
#[test]
fn a_section_is_judged_by_the_formula_it_was_taught_and_the_other_costs_nothing() {
    let (xs, fs) = ([1.0 / 0.166, 1.0 / 0.199, 1.0 / 0.266], [512.0, 426.6, 320.0]);
    let through: f64 = xs.iter().zip(&fs).map(|(x, f)| x * f).sum::<f64>() / xs.iter().map(|x| x * x).sum::<f64>();
    let (mx, mf) = (xs.iter().sum::<f64>() / 3.0, fs.iter().sum::<f64>() / 3.0);
    let free: f64 = xs.iter().zip(&fs).map(|(x, f)| (x - mx) * (f - mf)).sum::<f64>()
        / xs.iter().map(|x| (x - mx).powi(2)).sum::<f64>();
    let p = protocol(ECHO);
    let taught = with_school("gradient", "a line with a free intercept");
    for (section, own, other) in [(Section::default(), through, free), (taught, free, through)] {
        for (value, charged) in [(own, false), (other, false), (own * 1.3, true)] {
            let j = judge_in(
                &p,
                &section,
                &sheet(&RUNS.replace("gradient: 84.96", &format!("gradient: {value:.2}"))),
                &[],
                &[],
            );
            let r = result(&p, &j, "gradient", None);
            assert!(close(r.clean.expect("a slope"), own, 1e-9), "{:?} is judged, {own} was taught", r.clean);
            let costs = j.findings.iter().any(|f| {
                f.place.item == Some(r.item) && (f.cost + f.hangs).is_sign_positive() && !(f.cost + f.hangs).is_zero()
            });
            assert_eq!(costs, charged, "{value}: {:?} {:?}", r.verdict, codes(&j));
        }
    }
}

#[test]
fn a_constant_that_was_set_is_judged_by_and_the_one_on_the_sheet_costs_nothing() {
    let p = protocol(TITRE);
    let mut section = Section::default();
    section.constants.insert("molar".into(), 121.14);
    let sheet_of =
        |value: &str| sheet(&TITRE_SHEET.replace("concentration: 0.1035", &format!("concentration: {value}")));
    // c = m / M / V_m: 0.5106 g, 24.15 mL.
    let by = |molar: f64| 0.5106 / molar / 0.02415;
    for (value, agrees) in [(by(121.14), true), (by(204.22), true), (by(150.0), false)] {
        let j = judge_in(&p, &section, &sheet_of(&format!("{value:.4}")), &[], &[]);
        let r = result(&p, &j, "concentration", None);
        assert!(close(r.clean.expect("a value"), by(121.14), 1e-9), "{:?}", r.clean);
        let fine = matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded);
        assert_eq!(fine, agrees, "{value}: {:?}", r.verdict);
    }
    let own = judge_in(&p, &Section::default(), &sheet_of("0.1035"), &[], &[]);
    assert!(close(result(&p, &own, "concentration", None).clean.expect("a value"), by(204.22), 1e-9));
}

/// What a section was taught is told on every table of it, once for each thing, and on no other section's.
#[test]
fn what_was_taught_is_told() {
    let p = protocol(ECHO);
    let lines = RUNS.replace("gradient: 84.96", "gradient: 84.76");
    let taught = with_school("gradient", "a line with a free intercept");
    let told = |section: &Section| {
        codes(&judge_in(&p, section, &sheet(&lines), &[], &[])).iter().filter(|c| **c == "taught").count()
    };
    assert_eq!((told(&Section::default()), told(&taught)), (0, 1));
    // A name that the lab does not know is no school: the table is judged as the lab says.
    assert_eq!(told(&with_school("gradient", "no such school")), 0);
}
