//! What a decision moves, and what it leaves alone: for each finding of many tables, each thing that a person may decide.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::{Finding, Key};
use jurado_core::judging::judge;
use jurado_core::preview::of_table;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;
use rust_decimal::Decimal;

/// Tables with something to decide, each one change of a right sheet.
fn tables() -> Vec<(Protocol, Submission)> {
    let mut out = Vec::new();
    for (lab, right, changes) in [
        (
            TITRE,
            TITRE_SHEET,
            &[
                ("mass: 0.5106", "mass: 0.5160"),
                ("mass: 0.5106", "mass: 0.6"),
                ("mass: 0.5106", "mass: half"),
                ("mass: 0.5106 {unit g}", "mass: "),
                ("titre 3: 24.20", "titre 3: 24.02"),
                ("mean_titre: 24.15", "mean_titre: 24.42"),
                ("concentration: 0.1035", "concentration: 103.5"),
                ("boat_full: 12.8431", "boat_full: 128.431"),
                ("drops: 3", "drops: 9"),
            ][..],
        ),
        (
            ZONES,
            ZONES_SHEET,
            &[
                ("attitude 3: Inverted", "attitude 3: upright"),
                ("metal: brass", "metal: tin"),
                ("rise: 500", "rise: -988"),
                ("focal 3: 375", "focal 3: 0.002667"),
            ][..],
        ),
    ] {
        for (from, to) in changes {
            out.push((protocol(lab), sheet(&right.replacen(from, to, 1))));
        }
    }
    out
}

fn decision(finding: &Key, action: Action) -> Decision {
    Decision {
        finding: finding.clone(),
        action,
        reason: "seen on paper".into(),
        by: "a reviewer".into(),
        text: String::new(),
    }
}

/// Points of each criterion.
fn lines(j: &Judged) -> Vec<(String, Decimal)> {
    j.score.lines.iter().map(|l| (l.criterion.clone(), l.decided)).collect()
}

/// Every finding that takes points or waits for a person, with its table.
fn each(try_it: impl Fn(&Protocol, &Submission, &Judged, &Finding)) -> usize {
    let mut tried = 0;
    for (p, table) in tables() {
        let before = judge(&p, &table, &[], &[]);
        for finding in before.findings.iter().filter(|f| f.cost > Decimal::ZERO || f.open()) {
            try_it(&p, &table, &before, finding);
            tried += 1;
        }
    }
    tried
}

#[test]
fn whatever_is_decided_the_computed_points_stay_and_no_line_leaves_its_room() {
    let actions =
        [Action::Accept, Action::Forgive, Action::Points(Decimal::ZERO), Action::Points(Decimal::ONE_THOUSAND)];
    let tried = each(|p, table, before, finding| {
        for action in actions {
            let after = judge(p, table, &[], &[decision(&finding.key, action)]);
            let at = format!("{} by {action:?}", finding.key);
            assert_eq!(after.score.awarded, before.score.awarded, "{at}");
            for (line, criterion) in after.score.lines.iter().zip(&p.criteria) {
                assert!(line.decided >= Decimal::ZERO && line.decided <= criterion.points, "{at}: {}", line.decided);
            }
            assert_eq!(after.score.decided, lines(&after).iter().map(|l| l.1).sum::<Decimal>(), "{at}");
        }
    });
    assert!(tried >= 15, "{tried} findings");
}

#[test]
fn a_decision_moves_the_line_of_its_finding_and_no_other() {
    each(|p, table, before, finding| {
        let after = judge(p, table, &[], &[decision(&finding.key, Action::Forgive)]);
        let moved: Vec<String> =
            lines(before).into_iter().zip(lines(&after)).filter(|(b, a)| b.1 != a.1).map(|(b, _)| b.0).collect();
        assert!(moved.len() <= 1, "{}: {moved:?}", finding.key);
        if let (Some(line), Some(criterion)) = (moved.first(), &finding.criterion) {
            assert_eq!(line, criterion, "{}", finding.key);
        }
        // What is shown before it is done is what then happens.
        let change = of_table((p, before), (p, &after));
        let told: Vec<String> = change.iter().flat_map(|c| &c.lines).map(|l| l.criterion.clone()).collect();
        assert_eq!(told, moved, "{}", finding.key);
        if let Some(change) = change {
            assert_eq!((change.from, change.to), (before.score.decided, after.score.decided));
        }
    });
}

#[test]
fn what_is_forgiven_costs_nothing_and_what_is_taken_costs_what_was_said() {
    each(|p, table, before, finding| {
        let find = |j: &Judged| j.findings.iter().find(|f| f.key == finding.key).map(|f| f.decided_cost);
        let forgiven = judge(p, table, &[], &[decision(&finding.key, Action::Forgive)]);
        assert_eq!(find(&forgiven).unwrap_or_default(), Decimal::ZERO, "{}", finding.key);
        assert!(forgiven.score.decided >= before.score.decided, "{}", finding.key);
        let open = forgiven.findings.iter().any(|f| f.key == finding.key && f.open());
        assert!(!open, "{} is decided and no longer waits", finding.key);
        let accepted = judge(p, table, &[], &[decision(&finding.key, Action::Accept)]);
        assert!(!accepted.findings.iter().any(|f| f.key == finding.key && f.open()), "{}", finding.key);
    });
}

#[test]
fn the_newest_decision_of_a_finding_holds_and_one_of_another_table_does_nothing() {
    each(|p, table, before, finding| {
        let (forgive, accept) = (decision(&finding.key, Action::Forgive), decision(&finding.key, Action::Accept));
        let last = |all: &[Decision]| lines(&judge(p, table, &[], all));
        assert_eq!(last(&[forgive.clone(), accept.clone()]), last(std::slice::from_ref(&accept)), "{}", finding.key);
        assert_eq!(last(&[accept, forgive.clone()]), last(std::slice::from_ref(&forgive)), "{}", finding.key);
        let foreign = decision(&Key::from("slip:no_such_result"), Action::Forgive);
        assert_eq!(last(&[foreign]), lines(before));
    });
}

#[test]
fn points_of_a_whole_line_stand_whatever_its_findings_cost() {
    for (p, table) in tables() {
        let before = judge(&p, &table, &[], &[]);
        for line in &before.score.lines {
            let given = Decimal::new(5, 1);
            let after = judge(&p, &table, &[], &[decision(&Key::Line(line.criterion.clone()), Action::Points(given))]);
            let of = |j: &Judged, id: &str| j.score.lines.iter().find(|l| l.criterion == id).map(|l| l.decided);
            assert_eq!(of(&after, &line.criterion), Some(given), "{}", line.criterion);
            for other in before.score.lines.iter().filter(|l| l.criterion != line.criterion) {
                assert_eq!(
                    of(&after, &other.criterion),
                    Some(other.decided),
                    "{} beside {}",
                    other.criterion,
                    line.criterion
                );
            }
        }
    }
}
