use proptest::prelude::*;
use rust_decimal::Decimal;

use super::{judge, shown_clean};
use crate::decision::{Action, Decision};
use crate::finding::Severity;
use crate::notation;
use crate::protocol::Protocol;
use crate::submission::{Submission, SubmittedCell};
use crate::verdict::{Judged, VerdictKind};
use crate::wording;

fn protocol() -> &'static Protocol {
    static PROTOCOL: std::sync::OnceLock<Protocol> = std::sync::OnceLock::new();
    PROTOCOL.get_or_init(|| {
        Protocol::parse(include_str!("../../tests/labs/plate-and-disc.toml")).expect("the shipped protocol")
    })
}

fn cell(item: &str, row: Option<u32>, value: &str, unit: &str) -> SubmittedCell {
    SubmittedCell { item: item.into(), row, value: value.into(), unit: unit.into(), ..Default::default() }
}

/// Readings of a plate and a disc of station 1, in fiftieths of a millimetre and hundredths of a
/// gram.
#[derive(Clone, Debug)]
struct Bodies {
    zero: i64,
    lengths: [i64; 3],
    plate_mass: i64,
    diameter: i64,
    thickness: i64,
    scatter: Vec<i64>,
    disc_mass: i64,
}

fn bodies() -> impl Strategy<Value = Bodies> {
    (
        (-10i64..10, [3200i64..5500, 1500i64..2800, 300i64..700], 3000i64..80_000),
        (1500i64..3000, 250i64..600),
        prop::collection::vec(-2i64..3, 10),
        2000i64..39_000,
    )
        .prop_map(|((zero, lengths, plate_mass), (diameter, thickness), scatter, disc_mass)| Bodies {
            zero,
            lengths,
            plate_mass,
            diameter,
            thickness,
            scatter,
            disc_mass,
        })
}

fn mm(fiftieths: i64) -> String {
    format!("{:.2}", fiftieths as f64 * 0.02)
}

fn grams(hundredths: i64) -> String {
    format!("{:.2}", hundredths as f64 * 0.01)
}

impl Bodies {
    fn readings(&self) -> Vec<SubmittedCell> {
        let mut cells = vec![
            cell("zero", None, &mm(self.zero), "mm"),
            cell("plate_length", None, &mm(self.lengths[0]), "mm"),
            cell("plate_width", None, &mm(self.lengths[1]), "mm"),
            cell("plate_thickness", None, &mm(self.lengths[2]), "mm"),
            cell("plate_mass", None, &grams(self.plate_mass), "g"),
            cell("disc_mass", None, &grams(self.disc_mass), "g"),
        ];
        for n in 0..5 {
            cells.push(cell("disc_diameter", Some(n as u32 + 1), &mm(self.diameter + self.scatter[n]), "mm"));
            cells.push(cell("disc_thickness", Some(n as u32 + 1), &mm(self.thickness + self.scatter[n + 5]), "mm"));
        }
        cells
    }
}

fn table(cells: Vec<SubmittedCell>) -> Submission {
    Submission {
        section: "Morning".into(),
        team: "Heron".into(),
        keys: [("station".to_owned(), "1".to_owned())].into(),
        cells,
        ..Submission::default()
    }
}

fn judged(cells: &[SubmittedCell]) -> Judged {
    judge(protocol(), &table(cells.to_vec()), &[], &[])
}

/// How an honest person writes down a value that deserves `figures`.
#[derive(Clone, Copy, Debug)]
enum Style {
    /// Rounded to the deserved figures, worked on from the full value.
    Rounded,
    /// One figure more than deserved.
    Generous,
    /// Rounded, and worked on from what was written.
    Chained,
    /// Cut off, and worked on from what was written.
    Cut,
    /// The whole display of a calculator.
    Dump,
}

/// Writes results one after another, each from what a person of that style goes on with.
fn with_results(mut cells: Vec<SubmittedCell>, style: Style) -> Vec<SubmittedCell> {
    for index in 0..protocol().results.len() {
        let so_far = judged(&cells);
        let r = &so_far.results[index];
        let value = match style {
            Style::Chained | Style::Cut => r.carried.or(r.clean),
            _ => r.clean,
        };
        let Some(value) = value else { continue };
        let figures = match style {
            Style::Generous => r.deserved + 1,
            // A cut percent error of one figure says little; people keep at least three.
            _ => r.deserved.max(3),
        };
        let place = crate::quantity::leading_place(value) - figures + 1;
        let decimals = usize::try_from(-place).unwrap_or(0);
        let text = match style {
            Style::Dump => format!("{value:.9}"),
            Style::Cut => format!("{:.decimals$}", notation::to_figures(value, figures, true)),
            _ => format!("{value:.decimals$}"),
        };
        let item = &protocol().items[r.item];
        cells.push(cell(&item.id, None, &text, &item.unit.text));
    }
    cells
}

fn verdicts(j: &Judged) -> Vec<VerdictKind> {
    j.results.iter().map(|r| r.verdict).collect()
}

fn change(cells: &mut [SubmittedCell], item: &str, f: impl Fn(&str) -> String) {
    for c in cells.iter_mut().filter(|c| c.item == item) {
        c.value = f(&c.value);
    }
}

fn points(text: &str) -> Decimal {
    text.parse().expect("a decimal")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn honest_styles_are_never_a_slip_unexplained_or_carried(bodies in bodies(), style in prop::sample::select(vec![Style::Rounded, Style::Generous, Style::Chained, Style::Cut, Style::Dump])) {
        let j = judged(&with_results(bodies.readings(), style));
        for r in &j.results {
            // A percent error of nought has no figures to speak of.
            if r.clean.is_some_and(|c| c.abs() < 1e-6) { continue }
            prop_assert!(matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded), "{:?} {} {:?}: {} against {:?}", style, protocol().items[r.item].id, r.verdict, r.reported.text, r.clean);
        }
    }

    #[test]
    fn the_unit_of_a_typed_cell_never_changes_a_verdict(bodies in bodies()) {
        let cells = with_results(bodies.readings(), Style::Rounded);
        let mut other = cells.clone();
        // The same digits with the decimal mark one place to the left are centimetres.
        for c in other.iter_mut().filter(|c| c.item.starts_with("plate_") && c.unit == "mm") {
            let hundredths: i64 = c.value.replace('.', "").parse().expect("digits");
            c.value = format!("{:.3}", hundredths as f64 / 1000.0);
            c.unit = "cm".into();
        }
        let (a, b) = (judged(&cells), judged(&other));
        prop_assert_eq!(verdicts(&a), verdicts(&b));
        prop_assert_eq!(a.score.awarded, b.score.awarded);
    }

    #[test]
    fn the_order_of_replicates_never_changes_a_verdict(bodies in bodies(), turn in 1usize..5) {
        let mut other = bodies.clone();
        other.scatter[..5].rotate_left(turn);
        other.scatter[5..].reverse();
        let (a, b) = (judged(&with_results(bodies.readings(), Style::Rounded)), judged(&with_results(other.readings(), Style::Rounded)));
        prop_assert_eq!(verdicts(&a), verdicts(&b));
        prop_assert_eq!(a.score.awarded, b.score.awarded);
    }

    #[test]
    fn a_right_computation_from_a_wrong_value_is_carried_or_agrees(bodies in bodies(), factor in 1.3f64..2.5) {
        let mut cells = bodies.readings();
        let clean = judged(&cells).results[0].clean.expect("a volume");
        cells.push(cell("plate_volume", None, &format!("{:.2}", clean * factor), "cm^3"));
        let cells = with_results(cells, Style::Chained);
        let j = judged(&cells);
        for r in j.results.iter().filter(|r| ["plate_density", "plate_error"].contains(&protocol().items[r.item].id.as_str())) {
            let near = r.reported.value.zip(r.clean).is_some_and(|(a, b)| (a - b).abs() <= r.reported.half_step * 1.000_001);
            // By chance the factor is that of a slip of the pen in a reading; then the reading is repaired and all fits.
            let repaired = j.findings.iter().any(|f| f.code() == "repair") && matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded);
            prop_assert!(repaired || r.verdict == VerdictKind::Carried || (near && r.verdict == VerdictKind::Agrees), "{:?}", r.verdict);
        }
        // What follows is charged once, where it happened.
        let charged: Vec<_> = j.findings.iter().filter(|f| f.cost > Decimal::ZERO && (f.code() == "repair" || f.criterion.as_deref() == Some("calculation"))).collect();
        prop_assert_eq!(charged.len(), 1);
    }

    #[test]
    fn budgets_share_one_whole_and_the_same_in_gives_the_same_out(bodies in bodies()) {
        let cells = with_results(bodies.readings(), Style::Chained);
        let (a, b) = (judged(&cells), judged(&cells));
        let p = protocol();
        prop_assert_eq!(crate::report::Report::new(p, std::slice::from_ref(&a)).to_json(), crate::report::Report::new(p, &[b]).to_json());
        for budget in a.results.iter().filter_map(|r| r.budget.as_ref()).filter(|b| b.standard > 0.0) {
            prop_assert!((budget.shares.iter().map(|s| s.share).sum::<f64>() - 1.0).abs() < 1e-12);
        }
    }

    #[test]
    fn one_missing_reading_is_charged_once(bodies in bodies(), gone in prop::sample::select(vec!["plate_mass", "plate_length", "disc_mass", "zero"])) {
        let all = with_results(bodies.readings(), Style::Rounded);
        let (whole, mut cells) = (judged(&all), all);
        cells.retain(|c| c.item != gone);
        let j = judged(&cells);
        let lost: Vec<&str> = j.findings.iter().filter(|f| f.cost > Decimal::ZERO && !whole.findings.iter().any(|w| w.key == f.key)).map(|f| f.code()).collect();
        // Digits of values that cannot be recomputed are not judged, so nothing else can come up.
        prop_assert_eq!(lost, vec!["missing-reading"]);
    }

    #[test]
    fn any_texts_are_judged_without_panic(texts in prop::collection::vec("[0-9.,eE+\\-−±()/ ]{0,9}|n/a|1e300|-0|1e-300|99999999", 24), station in "[0-9]|x|") {
        let mut texts = texts.into_iter();
        let mut cells = Vec::new();
        for item in &protocol().items {
            for row in 1..=protocol().rows_of(protocol().item(&item.id).expect("an item")).unwrap_or(1) {
                cells.push(SubmittedCell { plus_minus: "1e300".into(), excluded: "x".into(), ..cell(&item.id, Some(row), &texts.next().unwrap_or_default(), "") });
            }
        }
        let submission = Submission { keys: [("station".to_owned(), station)].into(), ..table(cells) };
        let j = judge(protocol(), &submission, &[], &[]);
        let json = crate::report::Report::new(protocol(), &[j]).to_json();
        let fault = ["NaN", "inf"].iter().find_map(|word| json.find(word));
        prop_assert!(fault.is_none(), "{}", fault.map_or("", |at| &json[at.saturating_sub(120)..(at + 60).min(json.len())]));
    }
}

/// A right table of round numbers, to be spoilt one way at a time.
fn right() -> Vec<SubmittedCell> {
    let bodies = Bodies {
        zero: 2,
        lengths: [4222, 2096, 431],
        plate_mass: 8189,
        diameter: 2318,
        thickness: 331,
        scatter: vec![0, 1, -1, 2, 0, 0, 1, 0, -1, 1],
        disc_mass: 9903,
    };
    with_results(bodies.readings(), Style::Generous)
}

#[test]
fn each_way_to_spoil_a_table_is_found_and_named() {
    type Spoil = fn(&mut Vec<SubmittedCell>);
    let cases: &[(&str, Spoil)] = &[
        ("missing-reading", |c| c.retain(|c| c.item != "plate_width")),
        ("missing-reading", |c| c.retain(|c| !(c.item == "disc_diameter" && c.row == Some(5)))),
        ("missing-result", |c| c.retain(|c| c.item != "disc_volume")),
        ("unreadable", |c| change(c, "plate_width", |_| "41 1-8".into())),
        ("unreadable", |c| change(c, "plate_volume", |_| "about right".into())),
        ("bound", |c| change(c, "plate_mass", |_| ">60".into())),
        ("implausible", |c| change(c, "plate_length", |_| "8.43".into())),
        ("reading-digits", |c| change(c, "plate_mass", |v| v[..v.len() - 1].into())),
        ("off-graduation", |c| change(c, "plate_width", |_| "41.93".into())),
        ("digits-few", |c| change(c, "plate_density", |_| "3".into())),
        ("digits-many", |c| change(c, "plate_density", |v| format!("{v}00000"))),
        ("unit-missing", |c| c.iter_mut().filter(|c| c.item == "plate_volume").for_each(|c| c.unit.clear())),
        ("unit-wrong", |c| c.iter_mut().filter(|c| c.item == "plate_volume").for_each(|c| c.unit = "g".into())),
        ("unit-unknown", |c| c.iter_mut().filter(|c| c.item == "plate_volume").for_each(|c| c.unit = "cubes".into())),
        ("plus-minus-missing", |c| c.iter_mut().for_each(|c| c.plus_minus.clear())),
        ("plus-minus-unfair", |c| {
            c.iter_mut().filter(|c| c.item == "plate_density").for_each(|c| c.plus_minus = "0.5".into())
        }),
        ("plus-minus-digits", |c| {
            c.iter_mut().filter(|c| c.item == "plate_density").for_each(|c| c.plus_minus = "0.0061234".into())
        }),
        ("outlier-kept", |c| {
            c.iter_mut()
                .filter(|c| c.item == "disc_diameter" && c.row == Some(2))
                .for_each(|c| c.value = "45.90".into())
        }),
        ("exclusion-unsupported", |c| {
            c.iter_mut().filter(|c| c.item == "disc_diameter" && c.row == Some(2)).for_each(|c| c.excluded = "x".into())
        }),
        ("no-spread", |c| change(c, "disc_thickness", |_| "6.62".into())),
        ("duplicate", |c| c.push(cell("zero", None, "0.06", "mm"))),
        ("accuracy", |c| change(c, "plate_mass", |_| "84.43".into())),
        ("precision", |c| {
            let mut n = 0.0;
            c.iter_mut().filter(|c| c.item == "disc_diameter").for_each(|c| {
                n += 0.2;
                c.value = format!("{:.2}", 45.8 + n);
            });
        }),
        ("unexplained", |c| change(c, "plate_volume", |_| "31.777".into())),
    ];
    for (code, spoil) in cases {
        let mut cells = right();
        spoil(&mut cells);
        let j = judged(&cells);
        assert!(
            j.findings.iter().any(|f| f.code() == *code),
            "{code} among {:?}",
            j.findings.iter().map(|f| f.code()).collect::<Vec<_>>()
        );
    }
    let clean = judged(&right());
    assert!(clean.findings.iter().all(|f| f.severity != Severity::Decide), "{:#?}", clean.findings);
}

#[test]
fn an_exclusion_counts_with_a_cause_that_pushes_that_way() {
    let spoilt = |value: &str, reason: &str| {
        let mut cells = right();
        cells.iter_mut().filter(|c| c.item == "disc_diameter" && c.row == Some(2)).for_each(|c| {
            c.value = value.into();
            c.excluded = reason.into();
        });
        judged(&cells)
    };
    let counted = |j: &Judged| {
        j.readings.iter().find(|r| protocol().items[r.item].id == "disc_diameter").expect("diameters").cells[1].counts
    };
    assert!(!counted(&spoilt("46.20", "chord, off centre")), "low, and a chord is low");
    assert!(counted(&spoilt("46.42", "chord, off centre")), "high, and a chord is never high");
    assert!(counted(&spoilt("46.34", "did not like it")), "no cause and no test");
    assert!(!counted(&spoilt("45.00", "fell off the bench")), "the test supports a stated reason");
    assert!(counted(&spoilt("45.00", "x")), "an outlier left out without a word is kept");
}

#[test]
fn one_slip_in_three_results_is_charged_once_where_it_came_first() {
    // The zero reading, 0.04 mm, is forgotten everywhere.
    let mut cells = right();
    cells.retain(|c| protocol().item(&c.item).is_some_and(|i| protocol().reading_of(i).is_some()));
    let mut without = cells.clone();
    change(&mut without, "zero", |_| "0.00".into());
    let wrong = with_results(without, Style::Generous);
    cells.extend(
        wrong.into_iter().filter(|c| protocol().item(&c.item).is_some_and(|i| protocol().reading_of(i).is_none())),
    );
    let j = judged(&cells);
    let told = || j.results.iter().map(|r| (r.verdict.word(), r.slip.clone())).collect::<Vec<_>>();
    let slip = j.findings.iter().find(|f| f.code() == "slip").unwrap_or_else(|| panic!("a slip: {:?}", told()));
    assert_eq!(slip.key.to_string(), "slip:plate_volume");
    assert_eq!(
        j.results[0].slip.as_ref().expect("a diagnosis").places,
        ["plate_volume", "disc_diameter_mean", "disc_thickness_mean"]
    );
    let calculation = &j.score.lines[0];
    assert_eq!((calculation.awarded, slip.cost), (points("7.25"), points("0.75")), "half of the dearest of the three");
    assert_eq!(j.results[0].slip.as_ref().map(|s| s.kind.word()), Some("term-omitted"));
}

#[test]
fn decisions_stand_beside_the_computed_value_and_the_newest_counts() {
    let mut cells = right();
    change(&mut cells, "plate_volume", |_| "31.777".into());
    let decide = |finding: &str, action| Decision {
        finding: finding.into(),
        action,
        reason: "seen".into(),
        by: "me".into(),
        text: String::new(),
    };
    let key = "unexplained:plate_volume";
    let run = |decisions: &[Decision]| judge(protocol(), &table(cells.clone()), &[], decisions);
    let computed = run(&[]).score;
    assert_eq!(computed.awarded, computed.decided);
    for (decisions, moved) in [
        (vec![decide(key, Action::Accept)], "0"),
        (vec![decide(key, Action::Forgive)], "1.5"),
        (vec![decide(key, Action::Points(points("0.5")))], "1"),
        (vec![decide(key, Action::Forgive), decide(key, Action::Accept)], "0"),
        (vec![decide("line:calculation", Action::Points(points("8")))], "1.5"),
        (vec![decide("line:calculation", Action::Points(points("99")))], "1.5"),
        (vec![decide("nothing", Action::Forgive)], "0"),
    ] {
        let score = run(&decisions).score;
        assert_eq!(score.awarded, computed.awarded, "the computed value stays");
        assert_eq!(score.decided - computed.decided, points(moved), "{decisions:?}");
    }
}

#[test]
fn what_was_only_copied_wrongly_is_told_so() {
    let mut cells = right();
    change(&mut cells, "plate_volume", |v| {
        let mut c: Vec<char> = v.chars().collect();
        c.swap(0, 1);
        c.into_iter().collect()
    });
    let j = judged(&cells);
    let slip = j
        .findings
        .iter()
        .find(|f| f.code() == "slip")
        .unwrap_or_else(|| panic!("{} {:?}", shown_clean(&j.results[0]), j.results[0]));
    let says = wording::says(protocol(), slip);
    assert!(says.contains("only this line was written wrongly"), "{says}");
    assert_eq!(j.results[0].slip.as_ref().map(|s| s.kind.word()), Some("digits-swapped"));
}

#[test]
fn a_person_may_read_a_cell_otherwise_leave_one_out_add_a_finding_and_reword_one() {
    let mut cells = right();
    change(&mut cells, "plate_volume", |_| "31.777".into());
    let decide = |finding: &str, action, text: &str| Decision {
        finding: finding.into(),
        action,
        reason: "seen on the photo".into(),
        by: "me".into(),
        text: text.into(),
    };
    let run = |decisions: &[Decision]| judge(protocol(), &table(cells.clone()), &[], decisions);
    let before = run(&[]);
    let place = before.readings[0].cells[0].row;
    let id = &protocol().items[before.readings[0].item].id;
    let key = place.map_or_else(|| format!("cell:{id}"), |r| format!("cell:{id}:{r}"));
    // Read otherwise: judged with it, told, and the table is what it was.
    let read = run(&[decide(&key, Action::Read, "12.34")]);
    assert_eq!(read.readings[0].cells[0].text, "12.34");
    let note = read.findings.iter().find(|f| f.key.to_string() == key).expect("the correction is told");
    let says = wording::says(protocol(), note);
    assert!(says.contains("12.34 in place of") && says.contains("seen on the photo"), "{says}");
    assert_eq!(note.severity.word(), "note");
    // The newest of one key counts; left out, the cell does not count, and what needs it waits.
    let out = run(&[decide(&key, Action::Read, "12.34"), decide(&key, Action::LeaveOut, "")]);
    assert_eq!(out.readings[0].cells[0].text, before.readings[0].cells[0].text);
    assert!(!out.readings[0].cells[0].counts);
    // A finding of one's own takes its points from what is decided, never from what is computed.
    let own = run(&[decide("own:calculation:1", Action::Points(points("0.5")), "")]);
    assert_eq!(own.score.awarded, before.score.awarded);
    assert_eq!(before.score.decided - own.score.decided, points("0.5"));
    let word = run(&[decide("own::1", Action::Points(points("3")), "")]);
    assert_eq!(word.score.decided, before.score.decided, "a word alone costs nothing");
    // Other words for the team, about that finding only.
    let said = run(&[decide("say:unexplained:plate_volume", Action::Say, "Please come and see me.")]);
    let told = |j: &Judged| {
        let finding = j.findings.iter().find(|f| f.key.to_string() == "unexplained:plate_volume").expect("it");
        wording::tells(protocol(), finding)
    };
    assert_eq!(told(&said), "Please come and see me.");
    assert_ne!(told(&before), told(&said));
    assert_eq!(said.score.decided, before.score.decided);
}
