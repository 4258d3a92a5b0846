//! Sketches of an apparatus: what stands on them by hand, and when they are there at all.

mod common;

use jurado_core::judging::judge_in;
use jurado_core::protocol::{Protocol, SketchKind};
use jurado_core::row::Row;
use jurado_core::section::Section;
use jurado_core::sketches::{Sketch, sketches};

fn of(lab: &str, lines: &str) -> Vec<Sketch> {
    let path = format!("{}/../../protocols/{lab}.toml", env!("CARGO_MANIFEST_DIR"));
    let protocol = Protocol::parse(&std::fs::read_to_string(path).expect("a text")).expect("a protocol");
    let judged = judge_in(&protocol, &Section::default(), &common::sheet(lines), &[], &[]);
    sketches(&protocol, &judged)
}

/// The boom of the balance: 110.3 g at 20.0 cm, the boom's 152.3 g at 49.0 cm, 160.3 g at 85.0 cm.
fn boom(pivot: &str) -> String {
    format!(
        "boom_mass: 152.3\nboom_centre: 49.0\nfirst_mass: 100.1\nfirst_hanger: 10.2\nfirst_mark: 20.0
         second_mass: 150.2\nsecond_hanger: 10.1\nsecond_mark: 85.0\npivot_mark: {pivot}"
    )
}

#[test]
fn a_beam_out_of_balance_shows_its_moments() {
    let all = of("boom-balance", &boom("57.5"));
    let [beam] = &all[..] else { panic!("{all:?}") };
    assert_eq!((beam.kind, beam.row), (SketchKind::Beam, None));
    assert!((beam.pivot.expect("a pivot") - 57.5).abs() < 1e-12);
    assert_eq!((beam.unit.as_str(), beam.moment_unit.as_str()), ("cm", "g cm"));
    let by_hand = [110.3 * (20.0 - 57.5), 152.3 * (49.0 - 57.5), 160.3 * (85.0 - 57.5)];
    for (part, want) in beam.parts.iter().zip(by_hand) {
        assert!((part.moment.expect("a moment") - want).abs() < 1e-9 * want.abs(), "{part:?}");
    }
    let (left, right) = beam.sides();
    assert!((left - (4136.25 + 1294.55)).abs() < 1e-9 && (right - 4408.25).abs() < 1e-9, "{left} {right}");
}

#[test]
fn what_holds_has_no_sketch_and_what_was_not_read_is_left_off() {
    // (110.3·20.0 + 152.3·49.0 + 160.3·85.0) / 422.9 = 55.08 cm: there it balances.
    assert!(of("boom-balance", &boom("55.1")).is_empty());
    // Outside both masses another check fails too; both draw the beam.
    assert_eq!(of("boom-balance", &boom("15.0")).len(), 2);
    // Without the pivot's mark nothing is checked.
    assert!(of("boom-balance", &boom("57.5").replace("pivot_mark: 57.5", "")).is_empty());
}

#[test]
fn rows_that_should_be_alike_stand_on_one_beam_and_a_row_that_fails_by_itself() {
    let marks = [90.0, 76.7, 70.0, 66.0, 63.3, 71.4];
    let mut lines = "pivot: 50.0\nfar_mark: 20.0\n".to_owned();
    for (i, x) in marks.iter().enumerate() {
        lines.push_str(&format!("mass {0}: {1}\nmark {0}: {x:.1}\n", i + 1, 100 + 50 * i));
    }
    let all = of("davit-balance", &lines);
    let [beam] = &all[..] else { panic!("{all:?}") };
    assert_eq!(beam.row, None);
    assert_eq!(beam.parts.iter().map(|p| p.row).collect::<Vec<_>>(), Row::first(6).map(Some).collect::<Vec<_>>());
    for (i, part) in beam.parts.iter().enumerate() {
        let want = (100 + 50 * i) as f64 * (marks[i] - 50.0);
        assert!((part.moment.expect("a moment") - want).abs() < 1e-9 * want, "{part:?}");
    }
    let all = of(
        "pry-bar",
        "load: 25.0\nbar_weight: 8.0\nbar_centre: 61.0\nload_mark: 5.0\npull_mark: 125.0\nscale_zero: 0.0
         between 1: A and B\nfulcrum 1: 25.0\neffort 1: 2.0\nbetween 2: C and D\nfulcrum 2: 38.0\neffort 2: 14.0",
    );
    let rows: Vec<(Option<Row>, usize)> = all.iter().map(|s| (s.row, s.parts.len())).collect();
    assert_eq!(
        rows,
        [(Row::numbered(2), 6), (Row::numbered(2), 3)],
        "the painted marks and the balance, both of row 2"
    );
    assert!(all[0].parts.iter().all(|p| p.moment.is_none()), "marks weigh nothing");
    let moments: Vec<f64> = all[1].parts.iter().filter_map(|p| p.moment).collect();
    assert_eq!(moments, [25.0 * (5.0 - 38.0), 8.0 * (61.0 - 38.0), 14.0 * (125.0 - 38.0)]);
}

#[test]
fn a_ray_by_the_foot_of_the_mirror_says_where_the_image_ends() {
    let all = of(
        "reflector",
        "mirror: 100\nlamp_height: 25.0\nzone 1: beyond the centre\nlamp 1: 800\nscreen 1: 422\nimage_height 1: 14.0",
    );
    let [rail] = &all[..] else { panic!("{all:?}") };
    assert_eq!((rail.kind, rail.row), (SketchKind::Rail, Row::numbered(1)));
    assert_eq!(
        rail.parts.iter().map(|p| (p.at, p.height)).collect::<Vec<_>>(),
        [(100.0, None), (800.0, Some(25.0)), (422.0, Some(-14.0))]
    );
    // −25·322/700.
    assert!((rail.ray_at_image().expect("a ray") + 11.5).abs() < 1e-12);
    // An object at the mirror has no ray.
    let mut flat = rail.clone();
    flat.parts[1].at = 100.0;
    assert_eq!(flat.ray_at_image(), None);
}

#[test]
fn rings_are_of_the_row_whose_edges_are_exchanged() {
    let all = of(
        "ring-tube",
        "voltage 1: 2.00\nsmall_inner 1: 27.0\nsmall_outer 1: 29.5\nlarge_inner 1: 46.0\nlarge_outer 1: 50.2
         voltage 2: 2.30\nsmall_inner 2: 27.4\nsmall_outer 2: 25.1\nlarge_inner 2: 43.1\nlarge_outer 2: 46.9",
    );
    let rings: Vec<&Sketch> = all.iter().filter(|s| s.kind == SketchKind::Rings).collect();
    let [rings] = rings[..] else { panic!("{all:?}") };
    assert_eq!((rings.row, rings.pivot), (Row::numbered(2), None));
    assert_eq!(rings.parts.iter().map(|p| p.at).collect::<Vec<_>>(), [27.4, 25.1, 43.1, 46.9]);
}

#[test]
fn a_sketch_that_cannot_be_drawn_is_a_fault_of_the_protocol() {
    let path = format!("{}/../../protocols/boom-balance.toml", env!("CARGO_MANIFEST_DIR"));
    let whole = std::fs::read_to_string(path).expect("a text");
    for (from, to, says) in [
        ("draw = \"beam\"", "draw = \"crane\"", "`crane` is no sketch"),
        ("draw = \"beam\"", "draw = \"rings\"", "has a pivot and is no beam"),
        ("draw = \"beam\"", "draw = \"rail\"", "has a pivot and is no beam"),
        ("\npivot = \"pivot_mark\"", "", "has no pivot"),
        ("span = [0, 100]", "span = [100, 0]", "does not rise"),
        ("pivot = \"pivot_mark\"", "pivot = \"boom_mass\"", "is drawn in cm, and this is of"),
        ("at = \"first_mark\"", "at = \"first_mark > 2[cm]\"", "is drawn in cm"),
        ("at = \"first_mark\"", "at = \"first_marc\"", "first_marc"),
        ("unit = \"cm\"\nspan", "unit = \"ell\"\nspan", "ell"),
    ] {
        assert!(whole.contains(from), "{from}");
        let faults = Protocol::parse(&whole.replacen(from, to, 1)).expect_err(says);
        assert!(faults.iter().any(|f| f.what.contains(says)), "{says}: {faults:?}");
    }
}
