//! The limits that are drawn beside replicates are those of the test that judged them: a hair inside it stays quiet, a hair
//! past it raises its hand, whichever test it is.
#![allow(missing_docs)]

mod common;

use jurado_core::judging::{judge_in, limits};
use jurado_core::protocol::{Protocol, Rejection};
use jurado_core::row::Row;
use jurado_core::section::Section;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::verdict::{Judged, OutlierTest};

/// A lab whose disc is measured as often as is asked, by a caliper read to a thousandth.
fn lab(rejection: Rejection, times: usize) -> Protocol {
    let path = format!("{}/tests/labs/plate-and-disc.toml", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(path).expect("a text");
    let many = text.replace("replicates = 5", &format!("replicates = {times}"));
    assert!(times == 5 || many != text);
    let mut p = Protocol::parse(&many).expect("a protocol");
    p.school.rejection = Some(rejection);
    p
}

fn table(values: &[f64]) -> Submission {
    let cells = values.iter().enumerate().map(|(i, v)| SubmittedCell {
        item: "disc_diameter".into(),
        row: Some(i as u32 + 1),
        value: format!("{v:.9}"),
        ..SubmittedCell::default()
    });
    Submission { section: "Morning".into(), team: "Heron".into(), cells: cells.collect(), ..Submission::default() }
}

fn judged(p: &Protocol, values: &[f64]) -> (Judged, Option<OutlierTest>) {
    let j = judge_in(p, &Section::default(), &table(values), &[], &[]);
    let item = p.item("disc_diameter").expect("an item");
    let test = j.outliers.iter().find(|o| o.item == item && o.level == "replicate").cloned();
    (j, test)
}

/// Even chances between nought and one, the same every time (a linear congruence of 64 bits, its upper half).
fn chances(mut state: u64) -> impl FnMut() -> f64 {
    move || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 32) as f64 / 4_294_967_296.0
    }
}

#[test]
fn a_hair_inside_is_quiet_and_a_hair_outside_is_not() {
    let mut chance = chances(12);
    let mut sought = 0;
    for (rejection, name, times) in [
        (Rejection::Dixon, "dixon", 4),
        (Rejection::Dixon, "dixon", 7),
        (Rejection::Grubbs, "grubbs", 4),
        (Rejection::Grubbs, "grubbs", 9),
        (Rejection::ModifiedZ, "modified-z", 9),
        (Rejection::Esd, "esd", 12),
    ] {
        let p = lab(rejection, times);
        for _ in 0..12 {
            let mut values: Vec<f64> = (0..times).map(|_| 60.0 + 0.4 * (chance() + chance() - 1.0)).collect();
            let (j, test) = judged(&p, &values);
            let test = test.unwrap_or_else(|| panic!("{name} is asked"));
            assert_eq!(test.test, name);
            let at = test.row.expect("a row").index();
            let stands = values[at];
            let (low, high) = limits(&p, &j, &test);
            let flagged = |v: f64, values: &mut [f64]| {
                values[at] = v;
                let (_, test) = judged(&p, values);
                test.is_some_and(|t| t.flagged && t.row == Some(Row::at(at)))
            };
            for (limit, out) in [(low, -1.0), (high, 1.0)] {
                let Some(limit) = limit else { continue };
                let hair = 1e-4 * (1.0 + (limit - 60.0).abs());
                assert!(flagged(limit + out * hair, &mut values), "{name} of {times}: past {limit}");
                assert!(!flagged(limit - out * hair, &mut values), "{name} of {times}: inside {limit}");
                sought += 1;
            }
            // Where it stands now and what is drawn of it say the same.
            let past = low.is_some_and(|l| stands < l) || high.is_some_and(|h| stands > h);
            assert_eq!(past, test.flagged, "{name} of {times}: {stands} between {low:?} and {high:?}");
        }
    }
    assert!(sought > 100, "{sought}");
}

#[test]
fn where_nothing_can_be_sought_nothing_is_drawn() {
    let p = lab(Rejection::Dixon, 4);
    let (j, test) = judged(&p, &[60.0, 60.0, 60.0, 60.0]);
    assert_eq!(test, None, "all alike");
    let foreign = OutlierTest {
        level: "point",
        item: jurado_core::protocol::ItemId::at(0),
        row: Row::numbered(1),
        test: "studentised-residual",
        statistic: 1.0,
        critical: 2.0,
        flagged: false,
    };
    assert_eq!(limits(&p, &j, &foreign), (None, None));
    let (j, test) = judged(&p, &[60.1, 60.2, 60.3, 60.4]);
    let gone = OutlierTest { row: Row::numbered(9), ..test.expect("a test") };
    assert_eq!(limits(&p, &j, &gone), (None, None));
}
