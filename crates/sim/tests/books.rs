//! Classes that work in spreadsheets: what the formula shows is named, and nothing else is.
#![allow(missing_docs)]

mod common;

use std::collections::BTreeMap;

use common::lab;
use jurado_core::finding::Kind;
use jurado_core::judging::judge;
use jurado_core::protocol::SlipKind;
use jurado_core::row::Row;
use jurado_core::submission::Submission;
use jurado_core::underneath::Oddity;
use jurado_core::verdict::{Judged, JudgedResult, VerdictKind};
use jurado_sim::{FormulaTruth, Lab, Misdone, Order};

const LABS: [&str; 12] = [
    "keel-plate",
    "hatch-ram",
    "davit-balance",
    "fog-pipe",
    "beacon-timer",
    "bell-pendulum",
    "rust-iron",
    "base-standard",
    "fender-spring",
    "mooring-line",
    "boom-balance",
    "ring-tube",
];

fn right_tables(lab: &Lab, seed: u64) -> Vec<Submission> {
    let order = Order { teams: 12, seed, slips: 0.0, troubles: 0.0, typing: false, ..Order::default() };
    lab.simulate(&order).tables
}

fn result<'a>(judged: &'a Judged, lab: &Lab, truth: &FormulaTruth) -> &'a JudgedResult {
    let found = judged
        .results
        .iter()
        .find(|r| lab.protocol.items[r.item].id == truth.item && r.row.map(Row::number) == truth.row);
    found.expect("a result of the sheet")
}

/// Whether the mistake of a formula is told: as a slip, or as a value that is right to its figures all the same.
fn told(judged: &Judged, r: &JudgedResult, done: Misdone) -> Option<bool> {
    let by_chance = judged.findings.iter().any(|f| {
        f.place.item == Some(r.item)
            && f.place.row == r.row
            && matches!(&f.kind, Kind::Formula { oddities, .. } if oddities.iter().any(|o| matches!(o, Oddity::RightByChance { .. })))
    });
    match (&r.verdict, &r.slip) {
        (VerdictKind::Slip, Some(slip)) => {
            // What the lab's author declared may be the very formula.
            Some(matches!(slip.kind, SlipKind::Declared(_)) || done.names().contains(&slip.kind))
        }
        _ if by_chance => Some(true),
        _ => None,
    }
}

#[test]
fn a_formula_that_stands_under_a_result_names_its_mistake_and_clears_what_is_right() {
    let mut named: BTreeMap<Misdone, (usize, usize)> = BTreeMap::new();
    let (mut right, mut false_names, mut blind) = (0, 0, 0);
    for id in LABS {
        let lab = lab(id);
        for (seed, table) in (31..34).flat_map(|seed| right_tables(&lab, seed).into_iter().map(move |t| (seed, t))) {
            let booked = lab.booked(&table, seed, 0.35);
            let judged = judge(&lab.protocol, &booked.submission, &[], &[]);
            let without = judge(&lab.protocol, &Submission { under: None, ..booked.submission.clone() }, &[], &[]);
            // A range over a column of which the lab leaves a row out is a mistake of its own, whatever else was done.
            let left_out = judged.readings.iter().flat_map(|r| &r.cells).any(|c| c.value.is_some() && !c.counts);
            for truth in booked.formulas.iter().filter(|f| !(left_out && f.text.contains(':'))) {
                let r = result(&judged, &lab, truth);
                match truth.done {
                    Some(done) => {
                        let count = named.entry(done).or_default();
                        count.1 += 1;
                        match told(&judged, r, done) {
                            Some(true) => count.0 += 1,
                            other => eprintln!(
                                "{id} {} {} {:?}: {done:?} {} told {other:?}: {:?} {:?} {:?}",
                                truth.item,
                                booked.submission.team,
                                truth.row,
                                truth.text,
                                r.verdict,
                                r.slip.as_ref().map(|s| (&s.kind, &s.account.clause)),
                                r.under.as_ref().map(|u| (&u.gives, u.same))
                            ),
                        }
                        let plain = result(&without, &lab, truth);
                        blind += usize::from(
                            plain
                                .slip
                                .as_ref()
                                .is_some_and(|s| plain.verdict == VerdictKind::Slip && done.names().contains(&s.kind)),
                        );
                    }
                    None => {
                        right += 1;
                        if r.verdict == VerdictKind::Slip {
                            false_names += 1;
                            eprintln!(
                                "{id} {} {:?}: {} is right, told {:?}",
                                truth.item,
                                truth.row,
                                truth.text,
                                r.slip.as_ref().map(|s| (&s.kind, &s.account.clause))
                            );
                        }
                        assert!(r.under.is_some(), "{id} {} has a formula", truth.item);
                    }
                }
            }
        }
    }
    let (found, all) = named.values().fold((0, 0), |(f, a), (x, y)| (f + x, a + y));
    println!(
        "{found} of {all} mistakes named by their formulas, {blind} of them by the value alone; {right} right formulas, {false_names} named falsely"
    );
    for (done, (found, all)) in &named {
        println!("{done:?}: {found} of {all}");
    }
    assert!(all > 500 && right > 1000, "{all} mistakes, {right} right");
    assert!(100 * found >= 99 * all, "{found} of {all}");
    assert_eq!(false_names, 0);
}
