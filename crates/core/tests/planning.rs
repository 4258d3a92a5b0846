//! What to measure next: by the team's own readings, in the lab's own formulas, and never by a reference.
#![allow(missing_docs)]

use jurado_core::plan::{Step, plan};
use jurado_core::protocol::Protocol;
use jurado_core::row::Row;
use jurado_core::section::Section;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::wording;

fn lab(name: &str) -> Protocol {
    let path = format!("{}/../../protocols/{name}.toml", env!("CARGO_MANIFEST_DIR"));
    Protocol::parse(&std::fs::read_to_string(path).expect("a protocol")).expect("a lab")
}

/// A table from `item[:row]=value` words.
fn table(text: &str) -> Submission {
    let cell = |word: &str| {
        let (place, value) = word.split_once('=').expect("item=value");
        let (item, row) = place.split_once(':').map_or((place, None), |(i, r)| (i, r.parse().ok()));
        let value = value.replace('_', " ");
        SubmittedCell { item: item.to_owned(), row, value, ..SubmittedCell::default() }
    };
    Submission { cells: text.split_whitespace().map(cell).collect(), ..Submission::default() }
}

fn told(p: &Protocol, text: &str) -> Vec<String> {
    plan(p, &Section::default(), &table(text)).iter().map(|s| wording::step(p, s)).collect()
}

#[test]
fn a_titration_is_told_where_it_ends_by_its_own_runs() {
    let p = lab("rust-iron");
    let rough = "run:1=rough start:1=0.40 end:1=25.20";
    for (what, text, says) in [
        ("nothing", "", vec![]),
        ("nothing to tell it by", "start:1=0.40", vec!["2 runs of the titre within 0.10 mL are asked."]),
        (
            "a rough run says where the first kept one ends",
            &format!("{rough} run:2=kept start:2=1.00"),
            vec![
                "2 runs of the titre within 0.10 mL are asked.",
                "Run 2: the end reading is expected near 25.80 mL, by run 1. Go quickly to 23.00, then drop by drop.",
            ],
        ),
        (
            "by one kept run, the rough one left aside",
            &format!("{rough} run:2=kept start:2=1.00 end:2=25.45 run:3=kept start:3=2.05"),
            vec![
                "2 runs of the titre within 0.10 mL are asked. One more agrees from 24.35 to 24.55 mL.",
                "Run 3: the end reading is expected near 26.50 mL, by run 2. Go quickly to 24.00, then drop by drop. The run agrees if it ends from 26.40 to 26.60.",
            ],
        ),
        (
            "two that agree are what is asked, and the next is told all the same",
            "run:1=kept start:1=0 end:1=24.40 run:2=kept start:2=0 end:2=24.50 start:3=1.00",
            vec![
                "2 runs agree within 0.10 mL: that is what is asked.",
                "Run 3: the end reading is expected near 25.45 mL, by runs 1 and 2. Go quickly to 23.00, then drop by drop. The run agrees if it ends from 25.40 to 25.50.",
            ],
        ),
        (
            "of two that lie apart the last is held against",
            "run:1=kept start:1=0 end:1=24.00 run:2=kept start:2=0 end:2=24.50 start:3=0",
            vec![
                "2 runs of the titre within 0.10 mL are asked. One more agrees from 24.40 to 24.60 mL.",
                "Run 3: the end reading is expected near 24.50 mL, by run 2. Go quickly to 22.00, then drop by drop. The run agrees if it ends from 24.40 to 24.60.",
            ],
        ),
        (
            "an end that the burette does not have is not told",
            "run:1=kept start:1=0 end:1=24.40 start:2=40.00",
            vec!["2 runs of the titre within 0.10 mL are asked. One more agrees from 24.30 to 24.50 mL."],
        ),
    ] {
        assert_eq!(told(&p, text), says, "{what}");
    }
}

#[test]
fn what_is_weighed_anew_for_each_run_goes_into_where_it_ends() {
    let p = lab("descale-acid");
    // Twice the mass wants twice the volume.
    let first = "solid_full:1=3.0000 solid_empty:1=2.5000 solid_start:1=0.10 solid_end:1=15.10";
    let weighed = format!("{first} solid_full:2=3.5000 solid_empty:2=2.5000 solid_start:2=0.20");
    let all = told(&p, &weighed);
    let end = all.iter().find(|t| t.starts_with("Run 2")).unwrap_or_else(|| panic!("{all:?}"));
    assert!(end.contains("expected near 30.20 mL, by run 1. Go quickly to 27.00"), "{end}");
    // Before it is weighed nothing can be told.
    let unweighed = told(&p, &format!("{first} solid_start:2=0.20"));
    assert!(unweighed.iter().all(|t| !t.starts_with("Run")), "{unweighed:?}");
}

#[test]
fn a_curve_is_told_its_next_step_by_where_it_stands() {
    let p = lab("bilge-acid");
    let size = |text: &str| {
        plan(&p, &Section::default(), &table(text)).into_iter().find_map(|s| match s {
            Step::Size { row, size, tolerance, .. } => Some((row, size, tolerance)),
            _ => None,
        })
    };
    assert_eq!(size("start=0.10"), None);
    let far = "start=0.10 burette:1=0.10 ph:1=2.60 burette:2=1.12 ph:2=2.90";
    assert_eq!(size(far), Some((Row::at(2), 1.0, 0.2)));
    // Past the bend of the curve the steps are smaller, and beyond it large again.
    assert_eq!(size(&format!("{far} burette:3=2.10 ph:3=5.70")), Some((Row::at(3), 0.2, 0.12)));
    assert_eq!(size(&format!("{far} burette:3=2.10 ph:3=10.90")), Some((Row::at(3), 1.0, 0.2)));
    assert_eq!(
        told(&p, &format!("{far} burette:3=2.10 ph:3=5.70")),
        ["Row 4 of the burette: the next step is 0.20 mL, give or take 0.1."]
    );
}

/// Whatever the reference is, the plan is the same: it is no part of it.
#[test]
fn no_plan_hangs_on_a_reference() {
    let p = lab("rust-iron");
    let text = std::fs::read_to_string(format!("{}/../../protocols/rust-iron.toml", env!("CARGO_MANIFEST_DIR")));
    let other = Protocol::parse(&text.expect("a protocol").replace("range = [61.5, 62.9]", "range = [21.5, 22.9]"));
    let other = other.expect("a lab");
    let mut so_far = table("run:1=kept start:1=0 end:1=24.40 run:2=kept start:2=0 end:2=24.90 start:3=0.35");
    so_far.keys.insert("sample".into(), "hull".into());
    let here = plan(&p, &Section::default(), &so_far);
    assert_eq!(here, plan(&other, &Section::default(), &so_far));
    assert!(here.iter().any(|s| matches!(s, Step::End { .. })));
}
