use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_core::verdict::{Judged, VerdictKind};

use crate::{Plant, Simulated, class_of, demo_class};

fn protocol() -> Protocol {
    Protocol::parse(include_str!("../../../protocols/keel-plate.toml")).expect("the shipped protocol")
}

fn judged(protocol: &Protocol, table: &Simulated) -> Judged {
    judge(protocol, &table.submission, &[], &[])
}

#[test]
fn the_same_seed_gives_the_same_class_and_another_another() {
    assert_eq!(demo_class(1).tables(), demo_class(1).tables());
    assert_ne!(demo_class(1).tables(), demo_class(2).tables());
}

/// Nineteen in twenty planted slips stand in the first class, and of no plant fewer than nine in ten.
#[test]
fn planted_slips_are_found_and_named() {
    let p = protocol();
    let mut all = 0;
    for plant in Plant::SLIPS {
        let class = class_of(plant, 40, 3);
        let found = class
            .iter()
            .filter(|t| {
                let item = t.item.as_deref().and_then(|i| p.item(i));
                let word = t.slip.as_deref().unwrap_or("");
                let j = judged(&p, t);
                j.results
                    .iter()
                    .find(|r| Some(r.item) == item && r.verdict == VerdictKind::Slip)
                    .and_then(|r| r.slip.as_ref())
                    .is_some_and(|s| s.kind.word() == word || s.alike.iter().any(|k| k.word() == word))
            })
            .count();
        assert!(found >= 36, "{plant:?}: {found} of 40");
        all += found;
    }
    assert!(all * 20 >= Plant::SLIPS.len() * 40 * 19, "{all}");
}

#[test]
fn honest_tables_hold_no_slip_and_nothing_carried() {
    let p = protocol();
    for plant in Plant::HONEST {
        for table in class_of(plant, 60, 9) {
            for r in judged(&p, &table).results {
                assert!(
                    matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded),
                    "{plant:?} {} {}: {} {:?} against {:?}",
                    table.team,
                    p.items[r.item].id,
                    r.reported.text,
                    r.verdict,
                    r.clean
                );
            }
        }
    }
}

#[test]
fn the_demo_shows_every_verdict_and_each_kind_of_finding() {
    let p = protocol();
    let class: Vec<Judged> = demo_class(1871).class.iter().map(|t| judged(&p, t)).collect();
    assert_eq!(class.len(), 84);
    let verdicts: Vec<VerdictKind> = class.iter().flat_map(|j| &j.results).map(|r| r.verdict).collect();
    use VerdictKind::*;
    for kind in [Missing, Unreadable, Unchecked, Agrees, Rounded, Carried, Slip, Unexplained] {
        assert!(verdicts.contains(&kind), "{kind:?}");
    }
    let codes: Vec<&str> = class.iter().flat_map(|j| &j.findings).map(|f| f.code()).collect();
    for code in [
        "slip",
        "unexplained",
        "unreadable",
        "missing-reading",
        "missing-result",
        "outlier-kept",
        "exclusion",
        "exclusion-unsupported",
        "plus-minus-missing",
        "plus-minus-unfair",
        "unit-missing",
        "reading-digits",
        "digits-many",
    ] {
        assert!(codes.contains(&code), "{code}");
    }
    let kinds: Vec<&str> =
        class.iter().flat_map(|j| &j.results).filter_map(|r| r.slip.as_ref()).map(|s| s.kind.word()).collect();
    for kind in [
        "unit-factor",
        "radius-diameter",
        "power",
        "inverted",
        "decimal-point",
        "digits-swapped",
        "wrong-count",
        "term-omitted",
        "sign",
        "other-station",
        "literal",
        "sum-for-mean",
    ] {
        assert!(kinds.contains(&kind), "{kind}");
    }
    let clear = class.iter().filter(|j| j.findings.iter().all(|f| !f.open())).count();
    assert!((40..=70).contains(&clear), "{clear} tables look clear");
}
