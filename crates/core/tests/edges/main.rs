//! Both sides of every promised rule: a table just inside it and one just outside, and what is said of each. A row names the
//! rule of `docs/judging.md` that it proves; every rule there has a row here. The rows stand by the sections of the page.
#![allow(missing_docs)]

mod beside;
mod cells;
mod charging;
#[path = "../common/mod.rs"]
mod common;
mod comparing;
mod diagnosing;
mod formulas;
mod kit;

use std::collections::BTreeSet;

use common::*;
use jurado_core::judging::judge_in;
use kit::Edge;

fn all() -> Vec<Edge> {
    [
        comparing::comparing(),
        comparing::comparing_more(),
        diagnosing::diagnosing(),
        diagnosing::diagnosing_more(),
        diagnosing::diagnosing_together(),
        charging::charging(),
        charging::charging_more(),
        cells::cells(),
        cells::cells_more(),
        cells::apart(),
        beside::beside(),
        beside::beside_more(),
        diagnosing::repairing(),
        formulas::formulas(),
        formulas::formulas_more(),
        beside::uncertain(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

#[test]
fn each_rule_holds_just_inside_and_not_just_outside() {
    let mut wrong = Vec::new();
    for e in all() {
        for (n, side) in ["inside", "outside"].into_iter().enumerate() {
            let (p, want) = (protocol(&e.labs[n]), e.want[n]);
            let j = judge_in(&p, &e.sections[n], &sheet(&e.sheets[n]), &[], &e.decisions[n]);
            let got = (e.look)(&p, &j);
            if got != want {
                wrong.push(format!("{}, {side}: {got} and not {want}; {:?} {:?}", e.rule, verdicts(&p, &j), codes(&j)));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The names of the rules of a page: what stands in bold at the start of a point.
fn rules(page: &str) -> BTreeSet<String> {
    let named = page.lines().filter_map(|l| l.strip_prefix("- **")?.split_once("**"));
    named.map(|(name, _)| name.trim_end_matches('.').to_owned()).collect()
}

#[test]
fn every_rule_of_the_page_has_a_row_and_every_row_a_rule() {
    let written = rules(include_str!("../../../../docs/judging.md"));
    let proved: BTreeSet<String> = all().into_iter().map(|e| e.rule.to_owned()).collect();
    let without: Vec<&String> = written.difference(&proved).collect();
    let nowhere: Vec<&String> = proved.difference(&written).collect();
    assert!(
        without.is_empty() && nowhere.is_empty(),
        "no row proves {without:#?}; no rule is written for {nowhere:#?}"
    );
}
