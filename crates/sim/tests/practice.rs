//! Practice over eight labs: whoever decides by the truth is told so, and whoever does otherwise is told what.
#![allow(missing_docs)]

mod common;

use common::lab;
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::Key;
use jurado_core::practice::{Account, Proposed, Summed, Truth, judged, taking_all};
use jurado_core::submission::Submission;
use jurado_sim::{Lab, Level};
use rust_decimal::Decimal;

const LABS: [&str; 8] = [
    "keel-plate",
    "hatch-ram",
    "davit-balance",
    "fog-pipe",
    "beacon-timer",
    "bell-pendulum",
    "rust-iron",
    "base-standard",
];

fn account(lab: &Lab, (table, truth): &(Submission, Truth), own: &[Decision]) -> Account {
    truth.account(&judged(&lab.protocol, table, own))
}

/// A table with its truth, and what is decided on it by taking everything.
type Taken = ((Submission, Truth), Vec<Decision>);

/// Every table with what a reviewer decides who takes everything as proposed.
fn classes() -> Vec<(Lab, Vec<Taken>)> {
    LABS.iter()
        .map(|id| {
            let lab = lab(id);
            let mut tables = Vec::new();
            for level in Level::ALL {
                for table in (5..=6).flat_map(|seed| lab.practice(level, seed)) {
                    let open = judged(&lab.protocol, &table.0, &[]);
                    let all = taking_all(&open, "me");
                    tables.push((table, all));
                }
            }
            (lab, tables)
        })
        .collect()
}

fn decision(finding: Key, action: Action) -> Decision {
    Decision { finding, action, reason: "why".into(), by: "me".into(), text: String::new() }
}

#[test]
fn who_decides_by_the_truth_finds_everything_and_gives_the_right_points() {
    for (lab, tables) in classes() {
        for (n, (table, _)) in tables.iter().enumerate() {
            let a = account(&lab, table, &table.1.decisions);
            let what = format!("{} table {n}: {a:?}\n{:#?}", lab.protocol.id, table.1);
            assert_eq!(a.off(), Decimal::ZERO, "{what}");
            assert!(a.acts.iter().all(|f| f.found && !f.twice), "{what}");
            assert_eq!(a.without, 0, "{what}");
        }
    }
}

/// The one who takes everything misses what the judge took for something else or passed by, and that is all.
#[test]
fn who_takes_everything_misses_just_what_was_not_proposed_rightly() {
    let mut all = Summed::default();
    for (lab, tables) in classes() {
        for (n, (table, taken)) in tables.iter().enumerate() {
            let a = account(&lab, table, taken);
            for (act, fate) in table.1.acts.iter().zip(&a.acts) {
                assert_eq!(fate.found, act.proposed == Proposed::Rightly, "{} {n}: {act:?}", lab.protocol.id);
            }
            all.add(&a);
        }
    }
    assert!(all.found < all.planted && all.found * 10 > all.planted * 8, "{all:?}");
}

#[test]
fn who_forgives_everything_finds_nothing_that_costs() {
    for (lab, tables) in classes() {
        for (table, _) in &tables {
            let open = judged(&lab.protocol, &table.0, &[]);
            let forgiven: Vec<Decision> =
                open.findings.iter().map(|f| decision(f.key.clone(), Action::Forgive)).collect();
            let a = account(&lab, table, &forgiven);
            for (act, fate) in table.1.acts.iter().zip(&a.acts) {
                assert!(!fate.found || act.costs.is_zero(), "{}: {act:?}", lab.protocol.id);
                assert!(!fate.twice, "{}: {act:?}", lab.protocol.id);
            }
            assert_eq!(a.without, 0);
        }
    }
}

#[test]
fn a_finding_of_ones_own_beside_a_charge_charges_twice_and_beside_nothing_without_cause() {
    let lab = lab("keel-plate");
    let mut seen = (0, 0);
    for table in lab.practice(Level::Plain, 5) {
        let open = judged(&lab.protocol, &table.0, &[]);
        let mut taken = taking_all(&open, "me");
        let calculation = Key::Own { criterion: "calculation".into(), number: "1".into() };
        taken.push(decision(calculation, Action::Points(Decimal::ONE)));
        let a = account(&lab, &table, &taken);
        let on_it = table.1.acts.iter().position(|a| a.criterion.as_deref() == Some("calculation"));
        match on_it {
            Some(n) if table.1.acts[n].proposed == Proposed::Rightly => {
                assert!(a.acts[n].found && a.acts[n].twice, "{a:?}");
                seen.0 += 1;
            }
            None => {
                assert_eq!(a.without, 1, "{a:?}");
                seen.1 += 1;
            }
            _ => {}
        }
    }
    assert!(seen.0 > 2 && seen.1 > 2, "{seen:?}");
}
