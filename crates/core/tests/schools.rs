//! The schools of rejection and of uncertainty, repairs, rulings and previews, on small labs written here.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::decision::{Action, Decision, Ruling};
use jurado_core::judging::{judge, judge_in};
use jurado_core::preview::{Table, of_ruling, of_withdrawal};
use jurado_core::protocol::{Protocol, UncertaintySchool};
use jurado_core::row::Row;
use jurado_core::section::{Section, Waiver};
use jurado_core::submission::Submission;
use jurado_core::verdict::VerdictKind;

/// One reading taken n times, one result from it, with a school's lines in between.
fn lab(school: &str, reading: &str, results: &str) -> String {
    let points = results.matches("[[result]]").count();
    format!(
        r#"
format = 1
id = "post"
version = 1
title = "Post"
summary = "A post."
possible = "{}"
[school]
{school}
[[bay]]
id = "post"
title = "Post"
[[instrument]]
id = "tape"
title = "tape"
unit = "cm"
step = 0.1
limit = 0.05
limit_shared = true
[[reading]]
id = "girth"
title = "girth"
bay = "post"
unit = "cm"
instrument = "tape"
{reading}
[[reading]]
id = "height"
title = "height"
bay = "post"
unit = "cm"
instrument = "tape"
{results}
[[cause]]
id = "slack"
on = ["girth"]
direction = "high"
says = "a slack tape reads high"
words = ["slack"]
[[criterion]]
id = "calculation"
title = "Calculation"
points = "{points}"
rule = "calculation"
[[criterion]]
id = "complete"
title = "Completeness"
points = "2"
rule = "completeness"
each = "0.5"
[[criterion]]
id = "plus-minus"
title = "Uncertainty"
points = "1"
rule = "uncertainty"
missing = "1"
unfair = "0.5"
digits = "0.25"
"#,
        points + 3
    )
}

const MEAN: &str = "[[result]]\nid = \"mean_girth\"\ntitle = \"mean girth\"\nbay = \"post\"\nunit = \"cm\"\nformula = \"mean(girth)\"\npoints = \"1\"\nplus_minus = true";

fn girths(values: &[&str]) -> String {
    let mut out: String =
        values.iter().enumerate().map(|(i, v)| format!("girth {}: {v} {{unit cm}}\n", i + 1)).collect();
    out.push_str("height: 120.0 {unit cm}\n");
    out
}

#[test]
fn each_school_of_rejection_raises_its_hand_where_it_should() {
    let quiet = ["61.2", "61.3", "61.1", "61.2", "61.4", "61.2", "61.3", "61.1", "61.2", "61.3"];
    let mut loud = quiet;
    loud[4] = "63.0";
    for (rejection, test, replicates) in [
        ("{ by = \"dixon\" }", "dixon", 10),
        ("{ by = \"grubbs\" }", "grubbs", 10),
        ("{ by = \"esd\" }", "esd", 10),
        ("{ by = \"known\", sigma = 0.15 }", "known", 3),
        ("{ by = \"modified-z\" }", "modified-z", 10),
    ] {
        let text = lab("", &format!("replicates = {replicates}\nrejection = {rejection}"), MEAN);
        let pick = |all: &[&'static str; 10]| if replicates == 3 { vec![all[3], all[4], all[5]] } else { all.to_vec() };
        let j = judged(&text, &girths(&pick(&loud)));
        let o = j.outliers.iter().find(|o| o.flagged).unwrap_or_else(|| panic!("{test}: {:?}", j.outliers));
        assert_eq!((o.test, o.row), (test, Row::numbered(if replicates == 3 { 2 } else { 5 })));
        assert!(said(&text, &j, "outlier-kept").contains("slack tape"), "{test}: the cause is named");
        let j = judged(&text, &girths(&pick(&quiet)));
        assert!(j.outliers.iter().all(|o| !o.flagged), "{test}: {:?}", j.outliers);
    }
    // By judgement: no test, and a reason that names a cause in its direction is enough.
    let text = lab("", "replicates = 10\nrejection = { by = \"judgement\" }", MEAN);
    let out = girths(&loud).replace("63.0 {unit cm}", "63.0 {unit cm} {out the tape hung slack}");
    let j = judged(&text, &out);
    assert!(j.outliers.is_empty() && finding(&j, "exclusion").is_some(), "{:?}", codes(&j));
    let low = girths(&quiet).replace("girth 3: 61.1 {unit cm}", "girth 3: 60.0 {unit cm} {out the tape hung slack}");
    assert!(finding(&judged(&text, &low), "exclusion-unsupported").is_some(), "a slack tape reads high, not low");
}

#[test]
fn a_reading_left_out_and_put_back_restores_the_verdict() {
    let p = protocol(&lab("", "replicates = 5", MEAN));
    let values = ["61.0", "61.5", "61.1", "61.4", "64.9"];
    let text = lab("", "replicates = 5", MEAN);
    let mean = "mean_girth: 61.25 {unit cm} {± 0.12}";
    let with = girths(&values) + "mean_girth: 61.98 {unit cm} {± 0.7}";
    let without = girths(&values).replace("64.9 {unit cm}", "64.9 {unit cm} {out slack tape}") + mean;
    let (a, b) = (judged(&text, &with), judged(&text, &without));
    assert_eq!(result(&p, &a, "mean_girth", None).verdict, VerdictKind::Agrees);
    assert_eq!(result(&p, &b, "mean_girth", None).verdict, VerdictKind::Agrees);
    let back = judged(&text, &(girths(&values) + "mean_girth: 61.98 {unit cm} {± 0.7}"));
    assert_eq!(a.score.awarded, back.score.awarded);
    // The mean without it, while the table keeps it: an exclusion slip.
    let j = judged(&text, &(girths(&values) + mean));
    assert_eq!(verdicts(&p, &j), ["mean_girth slip exclusion"]);
}

const AREA: &str = "[[result]]\nid = \"radius\"\ntitle = \"radius\"\nbay = \"post\"\nunit = \"cm\"\nformula = \"girth / (2 * pi)\"\npoints = \"1\"\nshape = \"radius\"\n[[result]]\nid = \"volume\"\ntitle = \"volume\"\nbay = \"post\"\nunit = \"L\"\nformula = \"pi * radius^2 * height\"\npoints = \"1\"\nplus_minus = true";

#[test]
fn every_school_of_uncertainty_gives_its_own_quantity() {
    let p = protocol(&lab("", "", AREA));
    let j = judged(
        &lab("", "", AREA),
        "girth: 61.2 {unit cm}\nheight: 120.0 {unit cm}\nradius: 9.740 {unit cm}\nvolume: 35.77 {unit L} {± 0.08}",
    );
    let v = result(&p, &j, "volume", None);
    // V = g²h/4π, ∂V/∂g = 2V/g, ∂V/∂h = V/h; step δ = 0.1: half-limit 0.05; the tape's limit 0.05 is shared.
    let (g, h) = (61.2f64, 120.0);
    let volume = g * g * h / (4.0 * std::f64::consts::PI) / 1000.0;
    let (cg, ch) = (2.0 * volume / g, volume / h);
    let (step, limit) = (0.1 / 12f64.sqrt(), 0.05 / 3f64.sqrt());
    let quadrature = ((cg * step).powi(2) + (ch * step).powi(2) + ((cg + ch) * limit).powi(2)).sqrt();
    let worst = cg * 0.05 + ch * 0.05 + (cg + ch) * 0.05;
    let corner = |s: f64| (g + s * 0.1).powi(2) * (h + s * 0.1) / (4.0 * std::f64::consts::PI) / 1000.0;
    let extremes = (corner(1.0) - volume).max(volume - corner(-1.0));
    let of = |school: UncertaintySchool| v.by_school(school, 1.0);
    for (school, want) in [
        (UncertaintySchool::Quadrature, quadrature),
        (UncertaintySchool::WorstCase, worst),
        (UncertaintySchool::Extremes, extremes),
        (UncertaintySchool::Replicates, 0.0),
        // 35.8: three figures deserved, half a unit of the last.
        (UncertaintySchool::Figures, 0.05),
    ] {
        let got = of(school).unwrap_or_else(|| panic!("{school:?}"));
        assert!((got - want).abs() <= 1e-9 * want.max(1e-12), "{school:?}: {got} {want}");
    }
    assert_eq!(v.expanded(&p.school), of(UncertaintySchool::Quadrature));
    // The same ± is judged by the course's own school.
    for (school, stated, fair) in [
        ("quadrature", "0.08", true),
        ("worst-case", "0.08", true),
        ("worst-case", "0.03", false),
        ("quadrature", "0.03", true),
    ] {
        let sheet = format!(
            "girth: 61.2 {{unit cm}}\nheight: 120.0 {{unit cm}}\nradius: 9.740 {{unit cm}}\nvolume: 35.77 {{unit L}} {{± {stated}}}"
        );
        let j = judged(&lab(&format!("uncertainty = \"{school}\""), "", AREA), &sheet);
        assert_eq!(
            finding(&j, "plus-minus-unfair").is_none(),
            fair,
            "{school} {stated}: {:?}",
            result(&p, &j, "volume", None).expanded(&p.school)
        );
    }
}

#[test]
fn digits_may_come_from_the_uncertainty() {
    let sheet =
        "girth: 61.2 {unit cm}\nheight: 120.0 {unit cm}\nradius: 9.740 {unit cm}\nvolume: 35.77 {unit L} {± 0.08}";
    let p = protocol(&lab("", "", AREA));
    let by_rule = judged(&lab("", "", AREA), sheet);
    let by_u = judged(&lab("digits_from = \"uncertainty\"", "", AREA), sheet);
    assert_eq!(result(&p, &by_rule, "volume", None).deserved, 3);
    // u = 0.05 L: the first figure of u is the second decimal, so 35.77 deserves four.
    assert_eq!(result(&p, &by_u, "volume", None).deserved, 4);
}

const BENT: &str = "[[result]]\nid = \"square\"\ntitle = \"square of the difference\"\nbay = \"post\"\nunit = \"cm^2\"\nformula = \"(girth - height)^2\"\npoints = \"1\"\nplus_minus = true";

#[test]
fn where_the_linear_rule_fails_trials_replace_it() {
    // girth = height: the derivative is nought, the linear rule says the square is certain.
    let text = lab("", "", BENT);
    let p = protocol(&text);
    let j = judged(&text, "girth: 61.2 {unit cm}\nheight: 61.2 {unit cm}\nsquare: 0.00 {unit cm^2} {± 0.01}");
    let r = result(&p, &j, "square", None);
    assert_eq!(r.budget.as_ref().map(|b| b.standard), Some(0.0));
    let u = r.monte_carlo.expect("trials");
    // The difference of two rectangular steps is triangular on ± 0.1 (the tape's limit cancels); its square has its
    // 2.5 % and 97.5 % points at the square of the 1.25 % and 98.75 % points of its size: (0.1·(1 − √(1 − q)))².
    let at = |q: f64| (0.1 * (1.0 - (1.0 - q).sqrt())).powi(2);
    let want = (at(0.975) - at(0.025)) / (2.0 * 1.96);
    assert!((u / want - 1.0).abs() < 0.03, "{u} {want}");
    // The same table, the same trials.
    let again = judged(&text, "girth: 61.2 {unit cm}\nheight: 61.2 {unit cm}\nsquare: 0.00 {unit cm^2} {± 0.01}");
    assert_eq!(result(&p, &again, "square", None).monte_carlo, Some(u));
    // Far from there the linear rule is right and no trials are made; asked for, they agree with it.
    let far = "girth: 161.2 {unit cm}\nheight: 61.2 {unit cm}\nsquare: 10000 {unit cm^2} {± 8}";
    assert_eq!(result(&p, &judged(&text, far), "square", None).monte_carlo, None);
    let j = judged(&lab("monte_carlo = true", "", BENT), far);
    let r = result(&p, &j, "square", None);
    let (linear, trials) = (r.budget.as_ref().expect("a budget").standard, r.monte_carlo.expect("trials"));
    // Half the 95 % interval of a triangular distribution over 1.96 is 0.970 of its standard deviation.
    assert!((trials / linear / 0.9699 - 1.0).abs() < 0.02, "{trials} {linear}");
}

/// Two results of one reading: the radius, and the girth in inches.
fn two_of_the_girth() -> String {
    let inches = "\n[[result]]\nid = \"inches\"\ntitle = \"girth in inches\"\nbay = \"post\"\nunit = \"in\"\nformula = \"girth\"\npoints = \"1\"";
    lab("", "", &format!("{AREA}{inches}"))
}

#[test]
fn a_reading_copied_wrongly_is_repaired_charged_once_and_may_be_refused() {
    let text = two_of_the_girth();
    let p = protocol(&text);
    // 61.2 was read and worked with, in both results; 62.1 stands in the table.
    let sheet_text = "girth: 62.1 {unit cm}\nheight: 120.0 {unit cm}\nradius: 9.740 {unit cm}\ninches: 24.09 {unit in}\nvolume: 35.77 {unit L} {± 0.08}";
    let j = judged(&text, sheet_text);
    let repair = finding(&j, "repair").unwrap_or_else(|| panic!("{:?} {:?}", codes(&j), verdicts(&p, &j)));
    assert!(said(&text, &j, "repair").contains("61.2") && repair.fragile.is_some() && repair.open());
    assert!(said(&text, &j, "repair").contains("One more result fits"), "{}", said(&text, &j, "repair"));
    assert_eq!(repair.cost.to_string(), "0.5", "charged once, at the reading");
    assert!(verdicts(&p, &j).iter().all(|v| v.ends_with("agrees") || v.ends_with("rounded")), "{:?}", verdicts(&p, &j));
    assert_eq!(j.readings[0].cells[0].text, "62.1", "the submission is never altered");
    assert_eq!(j.readings[0].cells[0].repaired, Some(61.2));
    let refuse = Decision {
        finding: repair.key.clone(),
        action: Action::Refuse,
        reason: "62.1 is on the photo".into(),
        by: "me".into(),
        text: String::new(),
    };
    let j = judge(&p, &sheet(sheet_text), &[], &[refuse]);
    assert!(finding(&j, "repair").is_none());
    assert!(verdicts(&p, &j).contains(&"radius slip reading-miskeyed".to_owned()), "{:?}", verdicts(&p, &j));
}

#[test]
fn a_sound_reading_keyed_wrongly_into_one_calculation_stays_as_it_is() {
    // The sheet has 62.1 and the inches follow it; 61.2 went into the radius.
    let text = two_of_the_girth();
    let p = protocol(&text);
    let j = judged(
        &text,
        "girth: 62.1 {unit cm}\nheight: 120.0 {unit cm}\nradius: 9.740 {unit cm}\ninches: 24.45 {unit in}\nvolume: 35.77 {unit L} {± 0.08}",
    );
    assert!(finding(&j, "repair").is_none() && j.readings[0].cells[0].repaired.is_none());
    assert_eq!(verdicts(&p, &j)[0], "radius slip reading-miskeyed");
    let kinds = &result(&p, &j, "radius", None).slip.as_ref().expect("a story").alternatives;
    assert!(kinds.iter().all(|(k, _)| k.word() != "reading-mistyped"), "{kinds:?}");
    // With one result alone nothing tells the two apart: the sheet stays, and both are told.
    let text = lab("", "", AREA);
    let p = protocol(&text);
    let alone =
        "girth: 62.1 {unit cm}\nheight: 120.0 {unit cm}\nradius: 9.740 {unit cm}\nvolume: 35.77 {unit L} {± 0.08}";
    let j = judged(&text, alone);
    assert!(finding(&j, "repair").is_none());
    let slip = result(&p, &j, "radius", None).slip.as_ref().expect("a story");
    assert_eq!(slip.kind.word(), "reading-miskeyed");
    assert!(slip.alike.iter().any(|k| k.word() == "reading-mistyped"), "{slip:?}");
}

#[test]
fn two_slips_in_one_result_are_not_guessed_at() {
    let text = lab("", "", AREA);
    let p = protocol(&text);
    // The height taken for the radius' square's factor twice over is not single: 2·V from the diameter and a lost point.
    let volume = 4.0 * 35.766 * 10.0;
    let j = judged(
        &text,
        &format!(
            "girth: 61.2 {{unit cm}}\nheight: 120.0 {{unit cm}}\nradius: 9.740 {{unit cm}}\nvolume: {volume:.0} {{unit L}} {{± 2}}"
        ),
    );
    let volume = result(&p, &j, "volume", None);
    assert!(volume.slip.as_ref().is_none_or(|s| s.probability < 0.5), "{:?}", volume.slip);
    assert_eq!(volume.verdict.word(), "unexplained");
}

fn class() -> Vec<jurado_core::submission::Submission> {
    ["Heron", "Knot", "Plover"]
        .iter()
        .map(|team| {
            // Heron forgot the 2 of the formula.
            let radius = if *team == "Heron" { "19.48" } else { "9.740" };
            let volume = if *team == "Heron" { 4.0 * 35.766 } else { 35.77 };
            let mut s = sheet(&format!("girth: 61.2 {{unit cm}}\nheight: 120.0 {{unit cm}}\nradius: {radius} {{unit cm}}\nvolume: {volume:.1} {{unit L}} {{± 0.1}}"));
            s.team = (*team).into();
            s.keys.insert("station".into(), if *team == "Heron" { "3" } else { "1" }.into());
            s
        })
        .collect()
}

#[test]
fn a_ruling_shows_what_it_would_change_and_withdrawing_restores() {
    let p = protocol(&lab("", "", AREA));
    let submissions = class();
    let section = Section::default();
    let tables: Vec<Table<'_>> =
        submissions.iter().map(|s| Table { submission: s, section: &section, decisions: &[] }).collect();
    let ruling = Ruling {
        section: None,
        id: 7,
        protocol: "post".into(),
        code: "slip".into(),
        item: Some("radius".into()),
        slip: Some("literal".into()),
        keys: [("station".to_owned(), "3".to_owned())].into(),
        against: None,
        school: None,
        since: None,
        action: Action::Forgive,
        reason: "the sheet said diameter".into(),
    };
    let changes = of_ruling(&p, &tables, &[], &ruling);
    assert_eq!(changes.len(), 1, "{changes:?}");
    assert_eq!((changes[0].team.as_str(), (changes[0].to - changes[0].from).to_string()), ("Heron", "0.5".to_owned()));
    assert_eq!(
        changes[0].lines.iter().map(|l| (l.criterion.as_str(), l.ruling)).collect::<Vec<_>>(),
        [("calculation", Some(7))]
    );
    let back = of_withdrawal(&p, &tables, std::slice::from_ref(&ruling), 7);
    assert_eq!((back.len(), back[0].from, back[0].to), (1, changes[0].to, changes[0].from));
    // Of another station, or another protocol, nothing.
    let elsewhere = Ruling { keys: [("station".to_owned(), "1".to_owned())].into(), ..ruling.clone() };
    assert!(of_ruling(&p, &tables, &[], &elsewhere).is_empty());
    // From some table on: that number or a later one, and none of which the number is not known.
    let later = Ruling { since: Some(40), ..ruling.clone() };
    let concerned = submissions.iter().find(|s| ruling.concerns("post", s)).expect("a table of station 3");
    for (number, is) in [(0, false), (39, false), (40, true), (41, true)] {
        let table = jurado_core::submission::Submission { number, ..concerned.clone() };
        assert_eq!(later.concerns("post", &table), is, "{number}");
    }
    // A newer one supersedes it.
    let newer = Ruling { id: 8, action: Action::Accept, ..ruling.clone() };
    let changes = of_ruling(&p, &tables, &[ruling], &newer);
    assert_eq!(changes.len(), 1);
    assert!(changes[0].to < changes[0].from);
}

#[test]
fn a_station_may_be_judged_against_its_own_consensus() {
    let text = lab("", "", AREA)
        .replace("[[cause]]", "[[reference]]\nid = \"drawn\"\ntitle = \"drawn volume\"\nunit = \"L\"\nvalue = 40\nsource = \"drawing\"\n[[cause]]")
        .replace("possible = \"5\"", "possible = \"7\"")
        + "[[criterion]]\nid = \"accuracy\"\ntitle = \"Accuracy\"\npoints = \"2\"\nrule = \"accuracy\"\nresult = \"volume\"\nreference = \"drawn\"\nbands = [{ within = 2.0, points = \"2\" }]\n";
    let p = Protocol::parse(&text).unwrap_or_else(|f| panic!("{}", f[0]));
    let table = &class()[1];
    let line = |rulings: &[Ruling]| {
        let j = judge_in(&p, &Section::default(), table, rulings, &[]);
        j.score
            .lines
            .iter()
            .find(|l| l.criterion == "accuracy")
            .map(|l| (l.decided.to_string(), l.ruling))
            .expect("a line")
    };
    assert_eq!(line(&[]), ("0".to_owned(), None));
    let ruling = Ruling {
        section: None,
        id: 3,
        protocol: "post".into(),
        code: "accuracy".into(),
        item: Some("volume".into()),
        slip: None,
        keys: [("station".to_owned(), "1".to_owned())].into(),
        against: Some(35.9),
        school: None,
        since: None,
        action: Action::Accept,
        reason: "the post at station 1 is thinner than drawn".into(),
    };
    assert_eq!(line(&[ruling]), ("2".to_owned(), Some(3)));
}

#[test]
fn explanations_show_three_stages_and_the_budget() {
    let text = lab("", "", AREA);
    let p = protocol(&text);
    let j = judged(
        &text,
        "girth: 61.2 {unit cm}\nheight: 120.0 {unit cm}\nradius: 9.740 {unit cm}\nvolume: 71.5 {unit L} {± 0.08}",
    );
    let explained = jurado_core::explain::explain(&p, &j);
    let stages = &explained[1].stages.as_ref().expect("stages").text;
    assert_eq!(stages[0], "volume = π × radius^2 × height");
    assert_eq!(stages[1], "= π × (9.7403 cm)^2 × 120.0 cm");
    assert!(stages[2].starts_with("= 35.77") && stages[2].ends_with(" L"), "{}", stages[2]);
    assert!(explained[1].stages.as_ref().is_some_and(|s| s.mathml[1].contains("<mn>120.0</mn>")));
    assert!((explained[1].budget.iter().map(|b| b.share).sum::<f64>() - 1.0).abs() < 0.01);
    assert!(explained[1].sentences.iter().any(|s| s.contains("71.5")), "{:?}", explained[1].sentences);
    assert!(jurado_core::explain::to_text(&explained).contains("quadrature"));
}

#[test]
fn twenty_teams_give_a_known_repeatability() {
    let text = lab("", "replicates = 3", MEAN);
    let p = protocol(&text);
    let table = |i: usize| {
        let base = 60.0 + i as f64;
        let v = [base, base + 0.1, base + 0.2].map(|v| format!("{v:.1}"));
        judged(&text, &girths(&[&v[0], &v[1], &v[2]]))
    };
    let class: Vec<_> = (0..20).map(table).collect();
    let item = p.item("girth").expect("a reading");
    assert_eq!(jurado_core::class::pooled_repeatability(&class[..19], item), None, "nineteen are too few");
    let sigma = jurado_core::class::pooled_repeatability(&class, item).expect("twenty");
    assert!((sigma - 0.1).abs() < 1e-9, "{sigma}");
    // Three readings, one of them a centimetre off: Dixon cannot see it, the pooled repeatability does.
    let odd = girths(&["61.2", "61.3", "62.3"]);
    assert!(judged(&text, &odd).outliers.iter().all(|o| !o.flagged));
    let section = Section { repeatability: [("girth".to_owned(), sigma)].into(), ..Section::default() };
    let j = judged_in(&text, &section, &odd);
    assert!(j.outliers.iter().any(|o| o.test == "known" && o.flagged && o.row == Row::numbered(3)), "{:?}", j.outliers);
}

#[test]
fn a_course_may_give_what_follows_in_part() {
    let table =
        "girth: 61.2 {unit cm}\nheight: 120.0 {unit cm}\nradius: 19.48 {unit cm}\nvolume: 143.1 {unit L} {± 0.3}";
    let full = judged(&lab("", "", AREA), table);
    let part = judged(
        &lab("", "", AREA).replace("rule = \"calculation\"", "rule = \"calculation\"\ncarried = \"0.25\""),
        table,
    );
    assert!(finding(&full, "carried").is_none());
    assert_eq!(finding(&part, "carried").map(|f| f.cost.to_string()), Some("0.25".to_owned()));
    assert_eq!((full.score.awarded - part.score.awarded).to_string(), "0.25");
}

/// An answer in words is what the team says; a formula that hangs on it could never be judged.
#[test]
fn a_formula_on_an_answer_in_words_is_refused_and_on_a_reading_in_words_is_not() {
    let with = |condition: &str| {
        let formula = format!("formula = 'if({condition}, 1, 1) / (1 / object + 1 / image)'");
        Protocol::parse(&ZONES.replace("formula = \"1 / (1 / object + 1 / image)\"", &formula))
    };
    let faults = with("metal == \"brass\"").expect_err("an answer");
    assert!(faults[0].what.contains("`metal` is an answer in words"), "{faults:?}");
    assert!(with("zone == \"inside\"").is_ok(), "{:?}", with("zone == \"inside\"").err());
}

#[test]
fn settings_may_name_only_what_the_protocol_has() {
    let p = protocol(ZONES);
    let waived = |item: &str| Section {
        waivers: vec![Waiver { item: item.to_owned(), reason: "not taken".to_owned() }],
        ..Section::default()
    };
    assert_eq!(waived("rise").unknown(&p), None);
    assert_eq!(waived("rice").unknown(&p), Some(("reading or result", "rice")));
    let switched = Section { criteria: vec!["neatness".to_owned()], ..Section::default() };
    assert_eq!(switched.unknown(&p), Some(("criterion", "neatness")));
    let set = Section { parameters: [("runs".to_owned(), 4.0)].into(), ..Section::default() };
    assert_eq!(set.unknown(&p), Some(("parameter", "runs")));
}

const TUBE: &str = r#"
[[constant]]
id = "wall"
title = "wall thickness"
unit = "cm"
value = 1.00
source = "drawing"
[[result]]
id = "across"
title = "inner diameter"
bay = "post"
unit = "cm"
formula = "girth / pi - 2 * wall"
points = "1"
[result.schools]
"the wall is thin" = "girth / pi"
[[result]]
id = "open"
title = "opening"
bay = "post"
unit = "cm^2"
formula = "pi / 4 * across^2"
points = "1"
[result.schools]
"by the volume" = "height * across"
"a line" = "across""#;

/// A section, and what it sets.
fn taught(schools: &[(&str, &str)], constants: &[(&str, f64)]) -> Section {
    let schools = schools.iter().map(|(id, name)| ((*id).to_owned(), (*name).to_owned())).collect();
    Section {
        schools,
        constants: constants.iter().map(|(id, v)| ((*id).to_owned(), *v)).collect(),
        ..Section::default()
    }
}

fn tube(across: &str, open: &str) -> Submission {
    sheet(&format!(
        "girth: 61.2 {{unit cm}}\nheight: 120.0 {{unit cm}}\nacross: {across} {{unit cm}}\nopen: {open} {{unit cm^2}}"
    ))
}

#[test]
fn a_section_is_judged_by_the_formula_and_the_constant_it_was_taught() {
    let p = protocol(&lab("", "", TUBE));
    let none = taught(&[], &[]);
    let thin = taught(&[("across", "the wall is thin")], &[]);
    let thick = taught(&[], &[("wall", 1.2)]);
    // What was typed for both results, the verdicts on them, and the points for the calculation.
    for (section, across, open, verdicts, points, what) in [
        (&none, "17.48", "240.0", ["agrees", "agrees"], "2", "as the lab says"),
        (&none, "19.48", "298.0", ["slip", "carried"], "2", "a school costs nothing, and is told"),
        (&thin, "19.48", "298.1", ["agrees", "agrees"], "2", "as it was taught"),
        (&thin, "17.48", "240.0", ["slip", "carried"], "2", "the lab's own is a school there"),
        (&thin, "21.48", "298.1", ["unexplained", "agrees"], "1", "neither"),
        (&thick, "17.08", "229.1", ["agrees", "agrees"], "2", "with the constant as it was taught"),
        (&thick, "17.48", "240.0", ["rounded", "rounded"], "2", "with the constant of the sheet"),
        (&none, "17.08", "229.1", ["unexplained", "carried"], "1", "with a constant that nobody taught"),
    ] {
        let j = judge_in(&p, section, &tube(across, open), &[], &[]);
        let got = ["across", "open"].map(|id| result(&p, &j, id, None).verdict.word());
        let line = j.score.lines.iter().find(|l| l.criterion == "calculation").expect("a line");
        assert_eq!((got, line.decided.to_string().as_str()), (verdicts, points), "{what}: {:?}", codes(&j));
        let told = finding(&j, "taught").is_some();
        assert_eq!(told, !section.schools.is_empty() || !section.constants.is_empty(), "{what}");
    }
    // What cannot be a formula or a constant here is refused by name, and changes nothing.
    for (section, wrong) in [
        (taught(&[("across", "the wall is thick")], &[]), Some(("school", "the wall is thick"))),
        (taught(&[("open", "by the volume")], &[]), None),
        (taught(&[("open", "a line")], &[]), Some(("school", "a line"))),
        (taught(&[("post", "the wall is thin")], &[]), Some(("school", "the wall is thin"))),
        (taught(&[], &[("girth", 2.0)]), Some(("constant", "girth"))),
        (taught(&[], &[("nothing", 2.0)]), Some(("constant", "nothing"))),
        (thin.clone(), None),
        (thick.clone(), None),
    ] {
        assert_eq!(section.unknown(&p), wrong);
        let j = judge_in(&p, &section, &tube("17.48", "240.0"), &[], &[]);
        assert_eq!(finding(&j, "taught").is_some(), wrong.is_none());
    }
}

#[test]
fn a_ruling_takes_a_school_or_a_constant_for_a_section_and_withdrawing_gives_back_what_was() {
    let p = protocol(&lab("", "", TUBE));
    let ruling = |id: u64, item: &str, school: Option<&str>, against: Option<f64>, section: Option<&str>| Ruling {
        id,
        protocol: "post".into(),
        code: "taught".into(),
        item: Some(item.into()),
        slip: None,
        section: section.map(str::to_owned),
        keys: [].into(),
        against,
        school: school.map(str::to_owned),
        since: None,
        action: Action::Accept,
        reason: "it was on the board so".into(),
    };
    let table = tube("19.48", "298.0");
    let here = table.section.as_str();
    let judge = |rulings: &[Ruling]| judge_in(&p, &Section::default(), &table, rulings, &[]);
    let by = |j: &jurado_core::verdict::Judged| finding(j, "taught").map(|f| f.ruling);
    let school = ruling(4, "across", Some("declared:school the wall is thin"), None, Some(here));
    let j = judge(std::slice::from_ref(&school));
    assert_eq!((result(&p, &j, "across", None).verdict, by(&j)), (VerdictKind::Agrees, Some(Some(4))));
    // The working that is shown is the one that was taught.
    let stages = jurado_core::explain::explain(&p, &j)[0].stages.as_ref().expect("stages").text[0].clone();
    assert_eq!(stages, "inner diameter = girth / π");
    let elsewhere = ruling(4, "across", Some("the wall is thin"), None, Some("another"));
    assert_eq!(format!("{:?}", judge(&[elsewhere])), format!("{:?}", judge(&[])));
    // A ruling stands before what the section sets, and a narrower one before a wider.
    let wide = ruling(9, "wall", None, Some(1.5), None);
    let narrow = ruling(8, "wall", None, Some(1.2), Some(here));
    let set = taught(&[], &[("wall", 1.1)]);
    for (rulings, value) in [(vec![], 1.1), (vec![wide.clone()], 1.5), (vec![wide, narrow], 1.2)] {
        let j = judge_in(&p, &set, &table, &rulings, &[]);
        assert_eq!(j.taught.constants.get("wall"), Some(&value));
        assert_eq!(finding(&j, "taught").and_then(|f| f.ruling), rulings.last().map(|r| r.id));
    }
}

#[test]
fn what_was_taught_moves_no_accuracy() {
    let reference = "[[reference]]\nid = \"drawn\"\ntitle = \"drawn diameter\"\nunit = \"cm\"\nvalue = 17.5\nsource = \"drawing\"\n[[cause]]";
    let text = lab("", "", TUBE).replace("[[cause]]", reference).replace("possible = \"5\"", "possible = \"7\"")
        + "[[criterion]]\nid = \"accuracy\"\ntitle = \"Accuracy\"\npoints = \"2\"\nrule = \"accuracy\"\nresult = \"across\"\nreference = \"drawn\"\nbands = [{ within = 2.0, points = \"2\" }]\n";
    let p = Protocol::parse(&text).unwrap_or_else(|f| panic!("{}", f[0]));
    let points = |section: &Section, sheet: &Submission| {
        let j = judge_in(&p, section, sheet, &[], &[]);
        let line = j.score.lines.iter().find(|l| l.criterion == "accuracy").expect("a line");
        (line.decided.to_string(), j.results[0].own.map(|v| format!("{v:.2}")))
    };
    let thin = taught(&[("across", "the wall is thin")], &[]);
    assert_eq!(points(&taught(&[], &[]), &tube("17.48", "240.0")), ("2".into(), None));
    assert_eq!(points(&thin, &tube("19.48", "298.1")), ("2".into(), Some("17.48".into())), "the formula was taught");
    // A constant is what the apparatus is: it moves what the readings give.
    assert_eq!(points(&taught(&[], &[("wall", 1.5)]), &tube("16.48", "213.3")), ("0".into(), None));
    let both = taught(&[("across", "the wall is thin")], &[("wall", 1.5)]);
    assert_eq!(points(&both, &tube("19.48", "298.1")), ("0".into(), Some("16.48".into())));
    // A value that was set is known no better than the one on the sheet.
    let unsure = Protocol::parse(&text.replace("value = 1.00", "value = 1.00\nuncertainty = 0.05")).expect("a lab");
    let set = jurado_core::protocol::Taught { constants: [("wall".to_owned(), 1.5)].into(), ..Default::default() };
    let wall = |p: &Protocol| p.references.iter().find(|r| p.items[r.item].id == "wall").map(|r| r.entries[0].clone());
    let (before, after) = (wall(&unsure).expect("a wall"), wall(&unsure.taught(&set)).expect("a wall"));
    assert!(before.uncertainty > 0.0 && after.uncertainty == before.uncertainty && after.low > before.low);
    // A poor measurement stays one.
    let mut poor = tube("19.10", "286.5");
    poor.cells[0].value = "60.0".into();
    assert_eq!(points(&thin, &poor).0, "0");
}
