//! What is put away: tables taken out and brought back, sections closed, teams moved, terms ended.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::section::Waiver;
use jurado_store::course::{self, Change};
use jurado_store::labs::{self, Standing};
use jurado_store::shelf::{self, Shelved};
use jurado_store::{
    StoreError, changes, docket, imports, quarantine, roster, sections, settings, sheets, terms, users,
};

fn told<T: std::fmt::Debug>(outcome: Result<T, StoreError>) -> String {
    match outcome {
        Err(StoreError::Bad(what, _)) => what,
        Err(StoreError::Conflict(c)) => c.theirs,
        other => panic!("{other:?}"),
    }
}

fn section(w: &World, name: &str) -> u32 {
    w.run(roster::names).into_iter().find(|(_, n)| n == name).expect("a section").0
}

fn wants(w: &World) -> usize {
    w.run(|c| docket::counts(c, &w.coordinator)).values().map(|n| n.all()).sum()
}

#[test]
fn a_table_taken_out_is_in_no_list_and_comes_back_as_it_was() {
    let w = world("shelf_table");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    w.bring(&csv("Morning", "Bittern", "30.33"));
    let id = w.sheet("Alfa");
    w.accept(id, 1, &w.reviewer).expect("decided");
    let before = w.run(|c| sheets::get(c, id, &w.coordinator));
    let remove = |version, why: &str| w.store.run(|c| shelf::remove_table(c, id, version, why, &w.coordinator));
    assert!(told(remove(2, "  ")).contains("reason"));
    assert!(told(remove(2, &"x".repeat(501))).contains("longer than 500"));
    assert!(matches!(remove(1, "wrong team"), Err(StoreError::Conflict(_))), "somebody was first");
    let removal = remove(2, "another team’s table").expect("taken out");
    assert_eq!(wants(&w), 1);
    assert!(w.run(|c| docket::of_lab(c, w.lab, &w.coordinator)).iter().all(|r| r.id != id));
    let there = w.run(|c| sheets::get(c, id, &w.reviewer));
    assert!(
        matches!(&there.shelved, Some(Shelved::Removed(r)) if r.reason == "another team’s table" && r.by == "Chief")
    );
    assert!(told(w.accept(id, 3, &w.reviewer)).contains("taken out"));
    assert!(told(remove(3, "twice")).contains("taken out"));
    let shelf = w.run(shelf::list);
    assert_eq!((shelf.len(), shelf[0].tables, shelf[0].first.as_ref().map(|f| f.2.as_str())), (1, 1, Some("Alfa")));
    assert!(w.differences().is_empty());
    let back = || w.store.run(|c| shelf::bring_back(c, removal, &w.coordinator));
    assert_eq!(back().expect("brought back"), 1);
    let after = w.run(|c| sheets::get(c, id, &w.coordinator));
    assert_eq!(
        (after.decisions.len(), after.submission, after.shelved),
        (before.decisions.len(), before.submission, None)
    );
    assert!(matches!(back(), Err(StoreError::NotFound(_))), "it is back already");
    assert!(w.differences().is_empty());
}

#[test]
fn what_came_out_is_judged_by_what_is_in_force_when_it_comes_back_and_a_new_table_takes_its_place() {
    let w = world("shelf_meanwhile");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let id = w.sheet("Alfa");
    let removal = w.run(|c| shelf::remove_table(c, id, 1, "by mistake", &w.coordinator));
    w.put_in_force(&KEEL_PLATE.replace("version = 1\n", "version = 2\n")).expect("in force beside it");
    w.run(|c| shelf::bring_back(c, removal, &w.coordinator));
    assert!(w.differences().is_empty(), "it was judged anew");
    // Out again; the same table handed in stands for itself, not for the one that was taken out.
    let version = w.run(|c| sheets::get(c, id, &w.coordinator)).version;
    w.run(|c| shelf::remove_table(c, id, version, "by mistake", &w.coordinator));
    let again = w.bring(&(csv("Morning", "Alfa", "303.3") + "\n"));
    assert_eq!((again.new, again.revised, again.unchanged), (0, 1, 0));
    assert_eq!(w.run(|c| sheets::get(c, id, &w.coordinator)).shelved, None);
    assert!(w.run(shelf::list).is_empty());
}

#[test]
fn a_lab_taken_out_takes_all_its_tables_and_thirty_days_are_the_limit() {
    let w = world("shelf_lab");
    let out = |why: &str| w.store.run(|c| shelf::remove_lab(c, w.lab, why, &w.coordinator));
    assert!(told(out("nothing there")).contains("no table"));
    w.bring(&csv("Morning", "Alfa", "303.3"));
    w.bring(&csv("Evening", "Zulu", "30.33"));
    assert_eq!(out("the wrong term’s file").expect("out"), 2);
    assert_eq!((wants(&w), w.run(labs::standings)[&w.lab]), (0, Standing::Retired));
    let removal = w.run(shelf::list)[0].removal.id;
    let aged = |days: u32| {
        let text = format!("UPDATE removals SET at = UTC_TIMESTAMP() - INTERVAL {days} DAY + INTERVAL 60 SECOND");
        sql(&w, &text);
    };
    aged(31);
    assert!(told(w.store.run(|c| shelf::bring_back(c, removal, &w.coordinator))).contains("30 days"));
    assert!(w.run(shelf::list).is_empty());
    aged(30);
    assert_eq!(w.run(|c| shelf::bring_back(c, removal, &w.coordinator)), 2);
    assert_eq!((wants(&w), w.run(labs::standings)[&w.lab]), (2, Standing::Term));
}

#[test]
fn a_closed_section_takes_nothing_in_and_what_is_there_goes_on() {
    let w = world("shelf_closed");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let morning = section(&w, "Morning");
    let close = |yes| w.run(|c| course::change(c, &Change::CloseSection(morning, yes), &w.coordinator));
    close(true);
    let offered =
        w.run(|c| imports::offer(c, w.lab, &w.coordinator, "b.csv", csv("Morning", "Bittern", "1").as_bytes()));
    let take = || w.store.run(|c| imports::take(c, offered, &w.coordinator));
    assert!(told(take()).contains("Morning is closed"));
    w.accept(w.sheet("Alfa"), 1, &w.reviewer).expect("a decision is no new table");
    close(false);
    assert_eq!(take().expect("taken").new, 1);
}

#[test]
fn a_team_moves_with_its_students_and_tables_and_is_judged_by_its_new_section() {
    let w = world("shelf_move");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let (morning, evening) = (section(&w, "Morning"), section(&w, "Evening"));
    let set = jurado_core::section::Section {
        waivers: vec![Waiver { item: "plate_volume".into(), reason: "not asked".into() }],
        ..Default::default()
    };
    w.run(|c| changes::set_section(c, (evening, w.lab), 0, &set, None, "not asked", &w.coordinator));
    let alfa = w.run(|c| roster::team(c, morning, "Alfa")).expect("a team");
    let id = w.sheet("Alfa");
    let move_to = |to| w.store.run(|c| course::change(c, &Change::MoveTeam(alfa, to), &w.coordinator));
    assert!(told(move_to(morning)).contains("already"));
    w.run(|c| course::change(c, &Change::AddTeam(evening, "Alfa".into()), &w.coordinator));
    assert!(told(move_to(evening)).contains("already"), "another team there is called so");
    let other = w.run(|c| roster::team(c, evening, "Alfa")).expect("a team");
    w.run(|c| course::change(c, &Change::RemoveTeam(other), &w.coordinator));
    move_to(evening).expect("moved");
    let detail = w.run(|c| sheets::get(c, id, &w.coordinator));
    assert_eq!((detail.submission.section.as_str(), detail.settings.waivers.len()), ("Evening", 1));
    assert!(w.differences().is_empty(), "it is judged by what Evening sets");
    assert!(matches!(w.store.run(|c| sheets::get(c, id, &w.reviewer)), Err(StoreError::NotFound(_))));
    assert!(matches!(move_to(9999), Err(StoreError::NotFound(_))));
}

#[test]
fn a_new_term_begins_with_labs_people_and_settings_and_the_old_one_stays_as_it_was() {
    let w = world("shelf_term");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let (morning, id) = (section(&w, "Morning"), w.sheet("Alfa"));
    let alfa = w.run(|c| roster::team(c, morning, "Alfa")).expect("a team");
    w.run(|c| course::change(c, &Change::AddStudent(alfa, "17".into(), "Ada".into()), &w.coordinator));
    let due = chrono::NaiveDate::from_ymd_opt(2026, 10, 1).and_then(|d| d.and_hms_opt(12, 0, 0));
    let set = jurado_core::section::Section::default();
    w.run(|c| changes::set_section(c, (morning, w.lab), 0, &set, due, "as agreed", &w.coordinator));
    // A row waits in quarantine, and a table is signed and out.
    w.bring(&(csv("Evening", "Zulu", "30.33") + "Evening,Nobody,1,zero,,0.04,mm,,,\n"));
    assert_eq!(w.run(|c| quarantine::count(c, &w.coordinator)), 1);
    let version = w.decide_all(id);
    w.run(|c| sheets::sign(c, id, version, &w.reviewer));
    w.run(|c| sheets::release(c, &jurado_store::Filter::default(), &w.coordinator));
    let begin = |ends: &str, begins: &str, same_teams| {
        w.store.run(|c| terms::begin(c, &terms::New { ends, begins, same_teams }, &w.coordinator))
    };
    assert!(told(begin("", "Spring", false)).contains("empty"));
    assert!(told(begin("Spring", " Spring ", false)).contains("one name"));
    // Beside a protocol that is to be put in force, or a file that is to be taken in, it is refused; after that it is not.
    let two = KEEL_PLATE.replace("version = 1\n", "version = 2\n");
    let job = w.run(|c| changes::ask_in_force(c, &two, Some(&w.coordinator), "a test"));
    assert!(told(begin("Autumn", "Spring", true)).contains("being taken in or judged"));
    jurado_store::work_on(&w.store, job.id).expect("done");
    w.put_in_force(KEEL_PLATE).expect("as it was");
    let file = csv("Evening", "Zulu", "30.43");
    let offered = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "late.csv", file.as_bytes()));
    let job = w.run(|c| imports::ask_to_take(c, offered, &w.coordinator, 1));
    assert!(told(begin("Autumn", "Spring", true)).contains("being taken in or judged"));
    jurado_store::work_on(&w.store, job.id).expect("done");
    let autumn = begin("Autumn", "Spring", true).expect("begun");
    let now = section(&w, "Morning");
    assert_ne!(now, morning);
    assert_eq!(w.run(settings::course).term, "Spring");
    assert_eq!((wants(&w), w.run(|c| quarantine::count(c, &w.coordinator))), (0, 0));
    assert!(w.run(|c| roster::students(c, &w.coordinator)).is_empty());
    let set = w.run(|c| sections::get(c, now, w.lab));
    assert_eq!((set.version, set.due_at), (1, None), "settings go on, due times do not");
    assert!(w.run(|c| users::get(c, w.reviewer.id)).sections.contains(&now), "its reviewer is the old one’s");
    // The old term can be read and exported, and is not changed.
    let (term, kept) = w.run(|c| terms::tables(c, autumn, &w.reviewer));
    assert_eq!((term.name.as_str(), kept.len(), kept[0].went_out), ("Autumn", 1, true), "only own sections");
    assert_eq!(w.run(|c| docket::sent_marks(c, &w.coordinator, autumn, None, None)).len(), 1);
    assert!(w.run(|c| docket::sent_marks(c, &w.coordinator, 0, None, None)).is_empty());
    let old = w.run(|c| sheets::get(c, id, &w.coordinator));
    assert!(matches!(&old.shelved, Some(Shelved::Ended(name)) if name == "Autumn"));
    assert!(told(w.store.run(|c| sheets::undo(c, id, old.version, &w.coordinator).map(|_| ()))).contains("has ended"));
    assert!(
        told(w.store.run(|c| changes::set_section(
            c,
            (morning, w.lab),
            1,
            &Default::default(),
            None,
            "x",
            &w.coordinator
        )))
        .contains("has ended")
    );
    for wanted in [
        Change::RenameSection(morning, "Noon".into()),
        Change::AddTeam(morning, "Dunlin".into()),
        Change::RenameTeam(alfa, "Dunlin".into()),
        Change::MoveTeam(alfa, now),
    ] {
        let what = told(w.store.run(|c| course::change(c, &wanted, &w.coordinator)));
        assert!(what.contains("has ended"), "{wanted:?}: {what}");
    }
    // A new text of the lab leaves it as it was judged then.
    w.put_in_force(&KEEL_PLATE.replace("version = 1\n", "version = 2\n")).expect("in force");
    assert_eq!(w.run(|c| labs::get_in(c, w.lab, morning)).protocol.version, 1);
    assert_eq!(w.run(|c| labs::get_in(c, w.lab, now)).protocol.version, 2);
    assert!(w.differences().is_empty());
    // The same file, number and names are new in the new term.
    assert_eq!(w.bring(&csv("Morning", "Alfa", "303.3")).new, 1);
    let alfa = w.run(|c| roster::team(c, now, "Alfa")).expect("the same teams");
    w.run(|c| course::change(c, &Change::AddStudent(alfa, "17".into(), "Ada".into()), &w.coordinator));
    assert!(w.differences().is_empty());
    assert!(told(begin("Autumn", "Summer", false)).contains("already"));
    assert_eq!(w.run(terms::ended).len(), 1);
}
