//! Anything typed gives a verdict or an error with a place: never a panic, a hang, a NaN or an infinity. `FUZZ_CASES`
//! sets how many cases are tried; `bench/fuzz.sh` runs long.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::cell::{Below, Held, Under};
use jurado_core::formula::parse;
use jurado_core::judging::judge;
use jurado_core::protocol::{ItemId, Protocol, UncertaintySchool};
use jurado_core::reading::{CellKind, Hints, read};
use jurado_core::report::Report;
use jurado_core::submission::{Submission, SubmittedCell};
use proptest::prelude::*;

const KEEL: &str = include_str!("labs/plate-and-disc.toml");

fn cases() -> ProptestConfig {
    let n = std::env::var("FUZZ_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(200);
    ProptestConfig { cases: n, failure_persistence: None, max_shrink_iters: 60, ..ProptestConfig::default() }
}

fn protocols() -> &'static [Protocol] {
    static ALL: std::sync::OnceLock<Vec<Protocol>> = std::sync::OnceLock::new();
    ALL.get_or_init(|| [KEEL, ECHO, TITRE, ZONES, CURVE].map(protocol).into())
}

/// A table with one text for every cell that can be typed.
fn filled(p: &Protocol, mut text: impl FnMut() -> String) -> Submission {
    let mut out = Submission { section: "s".into(), team: "t".into(), ..Submission::default() };
    for (i, item) in ItemId::with(&p.items).filter(|(i, _)| p.is_typed(*i)) {
        for row in 1..=p.rows_of(i).unwrap_or(1).min(12) {
            out.cells.push(SubmittedCell {
                item: item.id.clone(),
                row: Some(row),
                value: text(),
                unit: if row % 3 == 0 { String::new() } else { item.unit.text.clone() },
                keys: [("fork".to_owned(), ["a", "b", "c", ""][row as usize % 4].to_owned())].into(),
                plus_minus: if row == 1 { text() } else { String::new() },
                excluded: if row == 5 { text() } else { String::new() },
                ..SubmittedCell::default()
            });
        }
    }
    out.keys.insert("station".into(), text());
    out
}

fn sound(p: &Protocol, s: &Submission) -> Result<(), TestCaseError> {
    let j = judge(p, s, &[], &[]);
    let _ = jurado_core::explain::to_text(&jurado_core::explain::explain(p, &j));
    for r in &j.results {
        let by_school = UncertaintySchool::ALL.map(|(school, _)| r.by_school(school, p.school.coverage_factor));
        for v in [r.clean, r.carried, r.monte_carlo].into_iter().chain(by_school).flatten() {
            prop_assert!(v.is_finite(), "{} {v}", p.items[r.item].id);
        }
        if let Some(slip) = &r.slip {
            prop_assert!((0.0..=1.0).contains(&slip.probability), "{}", slip.probability);
        }
    }
    for o in &j.outliers {
        prop_assert!(o.statistic.is_finite() && o.critical.is_finite(), "{o:?}");
    }
    let json = Report::new(p, &[j]).to_json();
    // A number that is none is written as null: every statistic of a finding and comparison must be one.
    let value: serde_json::Value = serde_json::from_str(&json).map_err(|e| TestCaseError::fail(e.to_string()))?;
    for c in value["submissions"][0]["comparisons"].as_array().into_iter().flatten() {
        prop_assert!(c["value"].is_number(), "{c}");
    }
    if let Some(at) = ["NaN", "inf ", "inf%"].iter().find_map(|word| json.find(word)) {
        let around: String = json.chars().skip(json[..at].chars().count().saturating_sub(90)).take(120).collect();
        prop_assert!(false, "{around}");
    }
    Ok(())
}

const TEXTS: &str = "[0-9]{1,4}(\\.[0-9]{0,3})?|-?[0-9]{1,3}|0|0.0|1e300|-1e300|1e-300|-0|n/a|—||kept|rough|inside|beyond|at|upright|[0-9.,eE+\\-−±()/→× ]{0,9}|\\PC{0,6}";

proptest! {
    #![proptest_config(cases())]

    #[test]
    fn any_cell_is_read(text in "\\PC{0,40}|[0-9.,eE+\\-−±()/→×^ ~<>]{0,24}") {
        if let CellKind::Number(n) = read(&text, &Hints::default()).kind {
            prop_assert!(n.value.is_finite() && n.resolution > 0.0 && n.resolution.is_finite(), "{text}: {n:?}");
        }
    }

    #[test]
    fn any_formula_is_parsed_or_refused_inside_its_bytes(text in "[-a-z0-9+*/^(),.<>=!\"\\[\\] ]{0,60}|\\PC{0,40}") {
        if let Err(e) = parse(&text) {
            prop_assert!(e.span.start <= text.len() && !e.what.is_empty() && !e.mend.is_empty());
            let _ = e.drawn(&text);
        }
    }

    #[test]
    fn any_table_of_any_lab_is_judged(which in 0usize..5, texts in prop::collection::vec(TEXTS, 60)) {
        let p = &protocols()[which];
        let mut next = texts.iter().cycle();
        sound(p, &filled(p, || next.next().cloned().unwrap_or_default()))?;
    }

    /// Edits of files that load: cut, doubled, swapped, sprinkled.
    #[test]
    fn any_protocol_is_loaded_or_refused_with_a_place(which in 0usize..5, from in 0.0f64..1.0, length in 0usize..80, with in "[a-z\\[\\]\"=.0-9\n]{0,12}|\\PC{0,4}", twice in any::<bool>()) {
        let text = [KEEL, ECHO, TITRE, ZONES, CURVE][which];
        let floor = |mut at: usize| { at = at.min(text.len()); while !text.is_char_boundary(at) { at -= 1; } at };
        let start = floor((from * text.len() as f64) as usize);
        let end = floor(start + length);
        let again = if twice { &text[start..end] } else { "" };
        let edited = format!("{}{with}{again}{}", &text[..start], &text[end..]);
        match Protocol::parse(&edited) {
            Ok(p) => sound(&p, &filled(&p, || "12.5".into()))?,
            Err(faults) => {
                let lines = edited.lines().count() + 1;
                prop_assert!(!faults.is_empty());
                for f in faults {
                    prop_assert!(f.line >= 1 && f.line <= lines && f.column >= 1 && !f.what.is_empty() && !f.mend.is_empty(), "{f:?}");
                }
            }
        }
    }
}

#[test]
fn ten_thousand_replicates_and_deep_formulas_end() {
    let text = KEEL.replace("replicates = 5", "replicates = 10000");
    let p = protocol(&text);
    let mut s = Submission { section: "s".into(), team: "t".into(), ..Submission::default() };
    s.keys.insert("station".into(), "1".into());
    for row in 1..=10_000u32 {
        for item in ["disc_diameter", "disc_thickness"] {
            s.cells.push(SubmittedCell {
                item: item.into(),
                row: Some(row),
                value: format!("{:.2}", 40.0 + f64::from(row % 7) * 0.02),
                unit: "mm".into(),
                ..SubmittedCell::default()
            });
        }
    }
    for (item, value, unit) in [
        ("zero", "0.00", "mm"),
        ("disc_mass", "80.00", "g"),
        ("disc_volume", "99.9", "cm^3"),
        ("disc_diameter_mean", "41", "mm"),
    ] {
        s.cells.push(SubmittedCell {
            item: item.into(),
            value: value.into(),
            unit: unit.into(),
            ..SubmittedCell::default()
        });
    }
    let j = judge(&p, &s, &[], &[]);
    let mean =
        j.results.iter().find(|r| p.items[r.item].id == "disc_diameter_mean").and_then(|r| r.clean).expect("a mean");
    assert!((mean - 40.06).abs() < 1e-3, "{mean}");
    assert!(parse(&"(".repeat(10_000)).is_err());
    assert!(parse(&format!("{}1{}", "(".repeat(10_000), ")".repeat(10_000))).is_err());
}

#[test]
fn columns_without_spread_and_single_points_are_told_not_computed() {
    // All levels alike: no slope through equal points, no spread of a fit; nothing else stops.
    let p = protocol(ECHO);
    let j = judged(
        ECHO,
        "rim: 4.2 {unit cm}\nlevel 1: 4.2 {unit cm} {fork a}\nlevel 2: 4.2 {unit cm} {fork a}\nlevel 3: 4.2 {unit cm} {fork a}\nlength 1: 0.0 {unit cm}\ninverse 1: 0 {unit 1/m}\ngradient: 0 {unit m/s}",
    );
    assert_eq!(result(&p, &j, "length", Some(1)).clean, Some(0.0));
    assert_eq!(result(&p, &j, "inverse", Some(1)).clean, None);
    assert_eq!(result(&p, &j, "gradient", None).clean, None);
    let told = verdicts(&p, &j);
    assert!(
        told.contains(&"inverse 1 unchecked".to_owned()) || told.contains(&"inverse 1 unexplained".to_owned()),
        "{told:?}"
    );
}

#[test]
fn names_in_any_script_serve_as_ids() {
    let text = TITRE.replace("boat_full", "лодка_полная").replace("\"mass\"", "\"質量\"").replace("mass /", "質量 /");
    let p = protocol(&text);
    let j = judged(&text, "лодка_полная: 12.8431 {unit g}\nboat_empty: 12.3325 {unit g}\n質量: 0.5106 {unit g}");
    assert_eq!(result(&p, &j, "質量", None).verdict.word(), "agrees");
}

/// Formulas that no file of ours gives: a list of tables may hold anything.
#[test]
fn any_formulas_under_any_cells_give_a_verdict() {
    let texts = ["=A1", "=B1*2", "=SUM(A1:B2)", "=D1/0", "=", "=((((", "=1E308*1E308", "=nothing", "='x'!A1", "7"];
    let held = ["7", "NaN", "inf", "1e400", "", "-0", "2.5%"].map(|n| Held::Number(n.into()));
    let held: Vec<Held> =
        held.into_iter().chain([Held::Empty, Held::Text("7".into()), Held::Error("#N/A".into())]).collect();
    for p in protocols() {
        let mut n = 0;
        let mut s = filled(p, || {
            n += 1;
            format!("{}.{n}", n % 9)
        });
        let ids: Vec<String> = s.cells.iter().map(|c| c.item.clone()).chain(["nothing".into()]).collect();
        let mut under = Under { home: "x".into(), ..Under::default() };
        for (k, item) in ids.iter().enumerate() {
            let (row, formula) = ([None, Some(0), Some(1), Some(u32::MAX)][k % 4], texts[k % texts.len()]);
            let below =
                Below { item: item.clone(), row, held: held[k % held.len()].clone(), formula: Some(formula.into()) };
            under.cells.insert(format!("{}{}", ["A", "B", "C", "D", "no address "][k % 5], k / 5 + 1), below);
        }
        under.names.insert("nothing".into(), "=nothing".into());
        s.under = Some(Box::new(under));
        sound(p, &s).unwrap_or_else(|e| panic!("{}: {e}", p.id));
    }
}
