//! What must hold for any lab: units and row order that carry no meaning change nothing, one missing reading is charged
//! once, what follows is carried, the same in gives the same out.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::judging::judge;
use jurado_core::protocol::ItemId;
use jurado_core::protocol::Protocol;
use jurado_core::report::Report;
use jurado_core::row::Row;
use jurado_core::submission::Submission;
use jurado_core::verdict::{Judged, VerdictKind};
use proptest::prelude::*;
use rust_decimal::Decimal;

/// Zones in a given order, with right words and focal lengths.
fn zones(order: &[usize], object: &[f64; 3], image: f64) -> Submission {
    let zone = ["inside", "at", "beyond"];
    let attitude = ["upright", "none", "inverted"];
    let mut lines = String::new();
    for (row, z) in order.iter().enumerate() {
        let row = row + 1;
        lines += &format!(
            "zone {row}: {}\nobject {row}: {:.0} {{unit mm}}\nattitude {row}: {}\n",
            zone[*z], object[*z], attitude[*z]
        );
        if *z == 2 {
            lines += &format!("image {row}: {image:.0} {{unit mm}}\n");
            let focal = 1.0 / (1.0 / object[2].round() + 1.0 / image.round());
            lines += &format!("focal {row}: {focal:.0} {{unit mm}}\n");
        }
    }
    sheet(
        &(lines
            + "tilt: 12 {unit deg}\nrise: 208 {unit mm}\nrim_density: 7.85 {unit g/cm^3}\ndensity: 7.85 {unit g/cm^3}\nmetal: steel"),
    )
}

/// Three lengths of a well with everything worked out, each value rounded and gone on with.
fn well(levels: &[f64; 3], rim: f64) -> Submission {
    let (p, forks) = (protocol(ECHO), ["a", "b", "c"]);
    let mut lines = format!("rim: {rim:.1} {{unit cm}}\nair: 21.0 {{unit °C}}\n");
    for (i, level) in levels.iter().enumerate() {
        lines += &format!("level {}: {level:.1} {{unit cm}} {{fork {}}}\n", i + 1, forks[i]);
    }
    let mut table = sheet(&lines);
    for (id, digits) in [("length", 3), ("inverse", 3), ("speed", 3), ("gradient", 3)] {
        let so_far = judge(&p, &table, &[], &[]);
        let item = p.item(id).expect("an item");
        for r in so_far.results.iter().filter(|r| r.item == item) {
            let Some(v) = r.carried.or(r.clean) else { continue };
            let row = r.row.map_or_else(String::new, |r| format!(" {r}"));
            let text = jurado_core::notation::figures(v, digits);
            let unit = &p.items[item].unit.text;
            table.cells.extend(sheet(&format!("{id}{row}: {text} {{unit {unit}}} {{± 5}}")).cells);
        }
    }
    table
}

fn words(j: &Judged) -> Vec<(ItemId, Option<Row>, &'static str)> {
    j.results.iter().map(|r| (r.item, r.row, r.verdict.word())).collect()
}

fn json(p: &Protocol, j: &Judged) -> String {
    Report::new(p, std::slice::from_ref(j)).to_json()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn rows_whose_order_means_nothing_may_stand_in_any(turn in 0usize..3, swap in any::<bool>(), o in [185.0f64..215.0, 385.0..415.0, 585.0..615.0], image in 400.0f64..1000.0) {
        let p = protocol(ZONES);
        let mut order = vec![0, 1, 2];
        order.rotate_left(turn);
        if swap { order.swap(0, 1); }
        let (a, b) = (judge(&p, &zones(&[0, 1, 2], &o, image), &[], &[]), judge(&p, &zones(&order, &o, image), &[], &[]));
        prop_assert_eq!(a.score.awarded, b.score.awarded);
        let sorted = |j: &Judged| { let mut w: Vec<_> = words(j).into_iter().map(|(i, _, v)| (i, v)).collect(); w.sort_unstable(); w };
        prop_assert_eq!(sorted(&a), sorted(&b));
        prop_assert!(a.results.iter().all(|r| !matches!(r.verdict, VerdictKind::Slip | VerdictKind::Unexplained | VerdictKind::Carried | VerdictKind::Differs)), "{:?}", verdicts(&p, &a));
    }

    #[test]
    fn another_unit_for_a_typed_cell_changes_no_verdict(levels in [12.0f64..20.0, 22.0..30.0, 32.0..60.0], rim in 2.0f64..8.0) {
        let p = protocol(ECHO);
        let table = well(&levels, rim);
        let mut other = table.clone();
        for c in other.cells.iter_mut().filter(|c| c.unit == "cm" && c.item != "length") {
            // One place to the right: millimetres with the same digits.
            let digits = c.value.replace('.', "");
            c.value = digits;
            c.unit = "mm".into();
        }
        for c in other.cells.iter_mut().filter(|c| c.unit == "°C") {
            let celsius: f64 = c.value.parse().expect("a number");
            // All its digits: a rounded one would be another temperature.
            c.value = format!("{:.2}", celsius + 273.15);
            c.unit = "K".into();
        }
        let (a, b) = (judge(&p, &table, &[], &[]), judge(&p, &other, &[], &[]));
        prop_assert_eq!(words(&a), words(&b));
        let lines = |j: &Judged| j.score.lines.iter().map(|l| (l.criterion.clone(), l.awarded)).collect::<Vec<_>>();
        prop_assert_eq!(lines(&a), lines(&b));
    }

    #[test]
    fn honest_columns_are_never_blamed_and_judging_twice_is_the_same(levels in [12.0f64..20.0, 22.0..30.0, 32.0..60.0], rim in 2.0f64..8.0) {
        let p = protocol(ECHO);
        let table = well(&levels, rim);
        let j = judge(&p, &table, &[], &[]);
        prop_assert!(j.results.iter().all(|r| matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded)), "{:?}", verdicts(&p, &j));
        prop_assert_eq!(json(&p, &j), json(&p, &judge(&p, &table, &[], &[])));
        for b in j.results.iter().filter_map(|r| r.budget.as_ref()).filter(|b| b.standard > 0.0) {
            prop_assert!((b.shares.iter().map(|s| s.share).sum::<f64>() - 1.0).abs() < 1e-12);
        }
    }

    #[test]
    fn what_follows_from_a_wrong_row_is_carried(levels in [12.0f64..20.0, 22.0..30.0, 32.0..60.0], rim in 2.0f64..8.0, row in 1u32..4, factor in 1.31f64..1.69) {
        let p = protocol(ECHO);
        let mut table = well(&levels, rim);
        let at = table.cells.iter().position(|c| c.item == "length" && c.row == Some(row)).expect("a length");
        let wrong: f64 = table.cells[at].value.parse::<f64>().expect("a number") * factor;
        table.cells[at].value = format!("{wrong:.1}");
        table.cells.retain(|c| !["inverse", "speed", "gradient"].contains(&c.item.as_str()));
        for id in ["inverse", "speed", "gradient"] {
            let so_far = judge(&p, &table, &[], &[]);
            let item = p.item(id).expect("an item");
            for r in so_far.results.iter().filter(|r| r.item == item) {
                let (Some(v), row) = (r.carried, r.row.map_or_else(String::new, |r| format!(" {r}"))) else { continue };
                table.cells.extend(sheet(&format!("{id}{row}: {} {{unit {}}}", jurado_core::notation::figures(v, 4), p.items[item].unit.text)).cells);
            }
        }
        let j = judge(&p, &table, &[], &[]);
        // By chance the factor may be that of a slip of the pen in a reading; then it is repaired and everything fits.
        prop_assume!(finding(&j, "repair").is_none());
        for (id, row) in [("inverse", Some(row)), ("speed", None), ("gradient", None)] {
            let r = result(&p, &j, id, row);
            let near = r.reported.value.zip(r.clean).is_some_and(|(a, b)| (a - b).abs() <= r.reported.half_step * 1.000_001);
            prop_assert!(r.verdict == VerdictKind::Carried || near, "{id}: {:?}", verdicts(&p, &j));
        }
        let charged = j.findings.iter().filter(|f| f.criterion.as_deref() == Some("calculation") && f.cost > Decimal::ZERO).count();
        prop_assert_eq!(charged, 1);
    }

    #[test]
    fn one_missing_reading_is_charged_once(levels in [12.0f64..20.0, 22.0..30.0, 32.0..60.0], rim in 2.0f64..8.0, gone in 0usize..4) {
        let p = protocol(ECHO);
        let table = well(&levels, rim);
        let mut less = table.clone();
        let readings: Vec<usize> = (0..less.cells.len()).filter(|i| ["level", "rim"].contains(&less.cells[*i].item.as_str())).collect();
        let cell = &mut less.cells[readings[gone]];
        // The row's key stays where it was.
        cell.value.clear();
        let (whole, j) = (judge(&p, &table, &[], &[]), judge(&p, &less, &[], &[]));
        // These levels are made up: what two of them say of the speed of sound is not what three do, and is no charge for
        // the missing one.
        let lost: Vec<&str> = j.findings.iter().filter(|f| f.cost > Decimal::ZERO && !whole.findings.iter().any(|w| w.key == f.key)).map(|f| f.code()).filter(|c| *c != "accuracy").collect();
        prop_assert_eq!(lost, vec!["missing-reading"]);
    }
}
