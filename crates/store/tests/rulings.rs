//! Rulings: put in force for all like it in one step, the narrower before the wider, and withdrawn without a trace in marks.
#![allow(missing_docs)]

mod common;

use std::collections::BTreeMap;

use common::*;
use jurado_core::decision::{Action, Ruling};
use jurado_store::course::{self, Change};
use jurado_store::{StoreError, roster, rulings, sheets};
use rust_decimal::Decimal;

fn pattern(action: Action, slip: Option<&str>) -> Ruling {
    Ruling {
        id: 0,
        protocol: "keel-plate".into(),
        code: "slip".into(),
        item: Some("plate_volume".into()),
        slip: slip.map(str::to_owned),
        section: None,
        keys: BTreeMap::new(),
        against: None,
        school: None,
        since: None,
        action,
        reason: "the sheet says so".into(),
    }
}

/// Everything that is kept of the verdicts, byte for byte.
fn verdicts(w: &World) -> Vec<(String, String, i64)> {
    let mut out = Vec::new();
    for team in ["Alfa", "Bittern", "Zulu"] {
        let d = w.run(|c| sheets::get(c, w.sheet(team), &w.coordinator));
        let lab = w.run(|c| jurado_store::labs::get(c, w.lab));
        let judged = d.judge(&lab.protocol);
        let report = format!("{:?} {:?}", judged.score.lines, judged.findings);
        out.push((
            report,
            judged.score.decided.to_string(),
            judged.findings.iter().filter(|f| f.open()).count() as i64,
        ));
    }
    out
}

fn put(w: &World, section: Option<u32>, new: &Ruling) -> Result<(u32, u32), StoreError> {
    let seen = w.run(|c| rulings::seen(c, w.lab));
    w.store.run(|c| rulings::put(c, w.lab, section, new, &seen, &w.reviewer))
}

fn class(name: &str) -> World {
    let w = world(name);
    w.bring(&(csv("Morning", "Alfa", "303.3") + &csv("Morning", "Bittern", "30.33").replace(HEADER, "")));
    w.bring(&csv("Evening", "Zulu", "303.3"));
    w
}

fn decided(w: &World, team: &str) -> Decimal {
    let rows = w.run(|c| jurado_store::docket::of_lab(c, w.lab, &w.coordinator));
    rows.iter().find(|r| r.team == team).expect("a table").decided
}

#[test]
fn a_ruling_settles_all_like_it_and_withdrawing_gives_back_every_byte() {
    let w = class("rulings_round");
    let before = verdicts(&w);
    let waiting = |user: &jurado_store::User| w.run(|c| jurado_store::docket::alike(c, user, 5));
    // In every table here readings are missing, which is what it waits for most.
    assert_eq!(waiting(&w.coordinator).iter().map(|a| a.tables).collect::<Vec<_>>(), [3]);
    w.run(|c| course::change(c, &Change::AddTeam(w.run(roster::names)[1].0, "Yare".into()), &w.coordinator));
    w.bring(&csv("Evening", "Yare", "303.3"));
    let many = waiting(&w.coordinator);
    assert_eq!((many.len(), many[0].tables, many[0].pattern.split('/').count()), (1, 4, 3), "{many:?}");
    assert!(waiting(&w.reviewer).is_empty(), "of own sections there are two, and two are no pattern");
    let yare = w.sheet("Yare");
    w.run(|c| jurado_store::shelf::remove_table(c, yare, 1, "for the count", &w.coordinator));
    let (id, touched) = put(&w, None, &pattern(Action::Forgive, Some("decimal-point"))).expect("in force");
    assert_eq!(touched, 2, "the tables of both sections, also those that are not the reviewer’s");
    assert!(w.differences().is_empty());
    let after = verdicts(&w);
    assert!(after[0].2 < before[0].2 && after[1] == before[1]);
    // What is handed in from now on is judged by it too.
    let again = w.bring(&(csv("Morning", "Bittern", "303.3") + "\n"));
    assert_eq!(again.revised, 1);
    assert!(w.differences().is_empty());
    let kept = w.run(rulings::all);
    assert_eq!((kept.len(), kept[0].ruling.id, kept[0].touched, kept[0].by.as_str()), (1, u64::from(id), 2, "Rev"));
    w.bring(&csv("Morning", "Bittern", "30.33"));
    assert!(matches!(w.store.run(|c| rulings::withdraw(c, id, " ", &w.coordinator)), Err(StoreError::Bad(..))));
    assert_eq!(w.run(|c| rulings::withdraw(c, id, "it was said after all", &w.coordinator)), 2);
    assert_eq!(verdicts(&w), before);
    assert!(w.differences().is_empty());
    assert!(matches!(w.store.run(|c| rulings::withdraw(c, id, "twice", &w.coordinator)), Err(StoreError::NotFound(_))));
}

#[test]
fn the_narrower_counts_whatever_came_first_and_a_decision_by_hand_stays() {
    let w = class("rulings_narrow");
    let evening = w.run(roster::names)[1].0;
    let cost = |points: &str| Action::Points(points.parse().expect("points"));
    put(&w, Some(evening), &pattern(cost("0.25"), None)).expect("one section");
    let at_section = decided(&w, "Zulu");
    put(&w, None, &pattern(Action::Forgive, None)).expect("everywhere");
    assert_eq!(decided(&w, "Zulu"), at_section, "the section’s own is narrower");
    let alfa = decided(&w, "Alfa");
    let id = w.sheet("Alfa");
    let version = w.run(|c| sheets::get(c, id, &w.reviewer)).version;
    let by_hand = jurado_store::NewDecision::new("slip:plate_volume", cost("1"), "seen in the room");
    w.run(|c| sheets::decide(c, id, version, &w.reviewer, std::slice::from_ref(&by_hand)));
    assert!(decided(&w, "Alfa") < alfa, "what was decided by hand is not overruled");
    // The section is known by whatever name it has.
    w.run(|c| course::change(c, &Change::RenameSection(evening, "Dusk".into()), &w.coordinator));
    assert!(w.differences().is_empty(), "{:?}", w.differences());
    assert_eq!(decided(&w, "Zulu"), at_section);
}

#[test]
fn a_sheet_that_went_out_keeps_what_it_said_and_is_one_to_send_again_or_to_leave() {
    let w = class("rulings_sent");
    let (id, _) = put(&w, None, &pattern(Action::Forgive, None)).expect("in force");
    let alfa = w.sheet("Alfa");
    let version = w.decide_all(alfa);
    w.run(|c| sheets::sign(c, alfa, version, &w.reviewer));
    w.run(|c| sheets::release(c, &jurado_store::Filter::default(), &w.coordinator));
    let sent = |w: &World| {
        let detail = w.run(|c| sheets::get(c, alfa, &w.coordinator));
        let (_, then) = w.run(|c| detail.as_sent(c)).expect("it went out");
        (then.score.decided, then.findings.iter().filter(|f| f.ruling == Some(u64::from(id))).count())
    };
    let before = sent(&w);
    assert_eq!(before.1, 1, "the ruling is in what went out");
    assert!(w.run(|c| sheets::moved(c, &w.coordinator, None, 9)).is_empty());
    w.run(|c| rulings::withdraw(c, id, "too mild", &w.coordinator));
    assert_eq!(sent(&w), before);
    let moved = w.run(|c| sheets::moved(c, &w.coordinator, None, 9));
    assert_eq!(moved.iter().map(|m| m.id).collect::<Vec<_>>(), [alfa]);
    assert!(w.differences().is_empty(), "{:?}", w.differences());
}

#[test]
fn who_rules_second_is_told_of_the_first_and_a_signed_table_that_opens_waits() {
    let w = class("rulings_second");
    let seen = w.run(|c| rulings::seen(c, w.lab));
    let (id, _) = put(&w, None, &pattern(Action::Forgive, None)).expect("the first");
    let second = w.store.run(|c| rulings::put(c, w.lab, None, &pattern(Action::Accept, None), &seen, &w.coordinator));
    match second {
        Err(StoreError::Conflict(told)) => assert!(told.theirs.contains("the sheet says so"), "{}", told.theirs),
        other => panic!("{other:?}"),
    }
    // Two withdrawals within a second are two changes.
    let (other, _) = put(&w, None, &pattern(Action::Accept, Some("inverted"))).expect("another");
    let seen = w.run(|c| rulings::seen(c, w.lab));
    w.run(|c| rulings::withdraw(c, other, "nobody had it", &w.coordinator));
    let late = w.store.run(|c| rulings::put(c, w.lab, None, &pattern(Action::Accept, None), &seen, &w.reviewer));
    assert!(matches!(late, Err(StoreError::Conflict(told)) if told.theirs.contains("withdrawn (“nobody had it”)")));
    let alfa = w.sheet("Alfa");
    let version = w.decide_all(alfa);
    w.run(|c| sheets::sign(c, alfa, version, &w.reviewer));
    let seen = w.run(|c| rulings::seen(c, w.lab));
    w.run(|c| rulings::withdraw(c, id, "too mild", &w.coordinator));
    assert_ne!(w.run(|c| rulings::seen(c, w.lab)), seen);
    assert!(w.differences().is_empty(), "{:?}", w.differences());
    let detail = w.run(|c| sheets::get(c, alfa, &w.reviewer));
    assert_eq!(detail.state, jurado_store::SheetState::Waiting);
    assert!(matches!(
        put(&w, None, &Ruling { reason: " ".into(), ..pattern(Action::Accept, None) }),
        Err(StoreError::Bad(..))
    ));
}

#[test]
fn a_ruling_from_now_on_leaves_what_is_there_and_counts_for_what_comes() {
    let w = class("rulings_since");
    let before = verdicts(&w);
    // The number that a form proposes is not taken: it holds from what comes next.
    let since = Ruling { since: Some(0), ..pattern(Action::Forgive, None) };
    let (id, touched) = put(&w, None, &since).expect("in force");
    assert_eq!((touched, verdicts(&w)), (0, before.clone()), "what is there stays");
    let version = |team: &str| w.run(|c| sheets::get(c, w.sheet(team), &w.coordinator)).version;
    assert_eq!(version("Alfa"), 1, "whoever has it open goes on");
    assert!(w.differences().is_empty());
    let bare = decided(&w, "Zulu");
    w.bring(&csv("Evening", "Zulu", "303.4"));
    let d = w.run(|c| sheets::get(c, w.sheet("Zulu"), &w.coordinator));
    let lab = w.run(|c| jurado_store::labs::get(c, w.lab));
    assert!(d.judge(&lab.protocol).findings.iter().any(|f| f.ruling == Some(u64::from(id))), "handed in since");
    assert!(decided(&w, "Zulu") > bare);
    assert!(w.differences().is_empty());
    w.run(|c| rulings::withdraw(c, id, "it was right", &w.coordinator));
    assert_eq!((decided(&w, "Zulu"), version("Alfa"), version("Zulu")), (bare, 1, 3));
    assert!(w.differences().is_empty());
}

#[test]
fn a_ruling_about_any_result_settles_the_slip_wherever_it_is_and_one_about_a_result_is_narrower() {
    let w = class("rulings_anywhere");
    let wide = Ruling { item: None, ..pattern(Action::Forgive, None) };
    let (same, any) = w.run(|c| rulings::anywhere(c, w.lab, "slip", Some("decimal-point")));
    assert_eq!((same, any), (2, 2), "Bittern’s volume is right");
    assert_eq!(w.run(|c| rulings::anywhere(c, w.lab, "slip", Some("inverted"))).0, 0);
    let (id, touched) = put(&w, None, &wide).expect("in force");
    assert_eq!(touched, 2);
    let narrow = pattern(Action::Accept, Some("decimal-point"));
    let (_, back) = put(&w, None, &narrow).expect("in force");
    assert_eq!(back, 2, "the narrower counts");
    assert!(w.differences().is_empty());
    assert_eq!(w.run(|c| rulings::withdraw(c, id, "too wide", &w.coordinator)), 0, "nothing stood by it any more");
    assert!(w.differences().is_empty());
}
