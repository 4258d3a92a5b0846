//! The course as a coordinator changes it: sections, teams, students, and where a lab stands.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::protocol::draft;
use jurado_store::course::{self, Change};
use jurado_store::labs::{self, Move, Standing};
use jurado_store::{StoreError, attachments, events, imports, roster, sheets};

fn told(outcome: Result<(), StoreError>) -> String {
    match outcome {
        Err(StoreError::Bad(what, _)) => what,
        other => panic!("{other:?}"),
    }
}

#[test]
fn a_section_is_added_renamed_and_moved_and_its_tables_bear_the_new_name() {
    let w = world("course_sections");
    w.bring(&csv("Morning", "Alfa", "30.33"));
    let change = |wanted: Change| w.store.run(|c| course::change(c, &wanted, &w.coordinator));
    let names = || w.run(roster::names).into_iter().map(|(_, n)| n).collect::<Vec<_>>();
    let id = |name: &str| w.run(roster::names).into_iter().find(|(_, n)| n == name).expect("a section").0;
    change(Change::AddSection("  Dog watch ".into())).expect("added");
    assert_eq!(names(), ["Morning", "Evening", "Dog watch"]);
    change(Change::MoveSection(id("Dog watch"), true)).expect("moved");
    change(Change::MoveSection(id("Dog watch"), true)).expect("moved");
    change(Change::MoveSection(id("Dog watch"), true)).expect("the first stays the first");
    assert_eq!(names(), ["Dog watch", "Morning", "Evening"]);
    change(Change::RenameSection(id("Morning"), "Forenoon".into())).expect("renamed");
    let sheet = w.sheet("Alfa");
    let detail = w.run(|c| sheets::get(c, sheet, &w.coordinator));
    assert_eq!(detail.submission.section, "Forenoon");
    // The same table under the new name is the table there is.
    let again = w.bring(&csv("Forenoon", "Alfa", "30.33"));
    assert_eq!((again.new, again.revised, again.unchanged), (0, 0, 1));
    for (wanted, says) in [
        (Change::AddSection("Evening".into()), "already"),
        (Change::AddSection("   ".into()), "empty"),
        (Change::AddSection("x".repeat(81)), "longer than 80"),
        (Change::RenameSection(id("Evening"), "Forenoon".into()), "already"),
        (Change::RemoveSection(id("Evening")), "holds teams"),
    ] {
        let what = told(change(wanted.clone()));
        assert!(what.contains(says), "{wanted:?}: {what}");
    }
    change(Change::AddSection("x".repeat(80))).expect("as long as may be");
    change(Change::RemoveSection(id(&"x".repeat(80)))).expect("an empty one goes");
    assert!(matches!(change(Change::RenameSection(9999, "A".into())), Err(StoreError::NotFound(_))));
    let noted = w.run(|c| events::about(c, "section "));
    assert!(noted.iter().any(|e| e.what == "section renamed" && e.about.contains("Morning is Forenoon")), "{noted:?}");
}

#[test]
fn students_move_leave_and_come_back_and_a_team_with_tables_stays() {
    let w = world("course_students");
    w.bring(&csv("Morning", "Alfa", "30.33"));
    let morning = w.run(roster::names)[0].0;
    let change = |wanted: Change| w.store.run(|c| course::change(c, &wanted, &w.coordinator));
    let teams = || w.run(|c| course::teams_of(c, morning, &w.coordinator));
    let team = |name: &str| teams().into_iter().find(|t| t.name == name).expect("a team");
    change(Change::AddTeam(morning, "Curlew".into())).expect("a team");
    change(Change::AddStudent(team("Curlew").id, "17".into(), "Ada".into())).expect("a student");
    assert!(
        told(change(Change::AddStudent(team("Alfa").id, "17".into(), "Bo".into()))).contains("number “17” already")
    );
    let ada = team("Curlew").members[0].id;
    assert!(told(change(Change::RemoveTeam(team("Curlew").id))).contains("students"));
    assert!(told(change(Change::MoveStudent(ada, "Morning, Alfa".into()))).contains("no team"));
    change(Change::MoveStudent(ada, " Evening : Zulu ".into())).expect("into another section");
    assert!(team("Curlew").members.is_empty());
    change(Change::MoveStudent(ada, "Morning: Alfa".into())).expect("moved");
    change(Change::RemoveTeam(team("Curlew").id)).expect("an empty team goes");
    assert!(told(change(Change::RemoveTeam(team("Alfa").id))).contains("tables"));
    // A picture may have come before any table.
    change(Change::AddTeam(morning, "Dunlin".into())).expect("a team");
    let dunlin = team("Dunlin").id;
    let picture = b"\xff\xd8\xff\xc0\0\x0b\x08\0\x03\0\x04\x01\x01\x11\0\xff\xda\0\x08\x01\x01\0\0\x3f\0x\xff\xd9";
    w.run(|c| attachments::put(c, w.lab, dunlin, Some(&w.coordinator), "a.png", picture));
    assert!(told(change(Change::RemoveTeam(dunlin))).contains("picture"));
    let listed = || w.run(|c| roster::students(c, &w.coordinator)).len();
    assert_eq!(listed(), 1);
    assert!(told(change(Change::Leave(ada, " ".into()))).contains("reason"));
    change(Change::Leave(ada, "changed course".into())).expect("left");
    assert_eq!(listed(), 0, "who left is in no list of marks to come");
    let member = team("Alfa").members.remove(0);
    assert_eq!((member.left, member.left_why.as_str()), (true, "changed course"));
    change(Change::Return(ada)).expect("back");
    assert_eq!(listed(), 1);
    // Who left and is on the roster again is back as well.
    change(Change::Leave(ada, "ill".into())).expect("left");
    let line =
        roster::Student { section: "Morning".into(), team: "Alfa".into(), number: "17".into(), name: "Ada".into() };
    let taken = w.run(|c| roster::enrol(c, std::slice::from_ref(&line), &w.coordinator));
    assert_eq!((taken.changed, listed()), (1, 1));
    // Another section's teams are nobody's to see.
    let evening = w.run(roster::names)[1].0;
    assert!(matches!(w.store.run(|c| course::teams_of(c, evening, &w.reviewer)), Err(StoreError::NotFound(_))));
}

#[test]
fn a_lab_is_added_put_on_the_term_retired_and_brought_back() {
    let w = world("course_labs");
    let add = |text: &str| w.store.run(|c| labs::add(c, text, &w.coordinator));
    let lab = add(draft::BLANK).expect("a new lab").id;
    assert!(matches!(add(draft::BLANK), Err(StoreError::Bad(..))), "one of its id is there");
    assert!(matches!(add("nonsense ="), Err(StoreError::Protocol(_))));
    let standing = || w.run(labs::standings)[&lab];
    let stand = |how: Move| w.store.run(|c| labs::stand(c, lab, how, &w.coordinator));
    let open = || w.run(labs::open).iter().any(|(l, _)| l.id == lab);
    assert_eq!((standing(), open()), (Standing::Library, true));
    stand(Move::Put).expect("put");
    assert_eq!(standing(), Standing::Term);
    stand(Move::Off).expect("off");
    assert_eq!(standing(), Standing::Library);
    let csv = "section,team,item,row,value,unit\nMorning,Alfa,long_side,,120.5,mm\n";
    let offer = || w.store.run(|c| imports::offer(c, lab, &w.coordinator, "a.csv", csv.as_bytes()));
    let take = |id: u32| w.store.run(|c| imports::take(c, id, &w.coordinator));
    let offered = offer().expect("it takes files");
    // Retired between a look and the taking: neither goes on.
    stand(Move::Retire).expect("retired");
    assert_eq!((standing(), open()), (Standing::Retired, false));
    assert!(matches!(take(offered), Err(StoreError::Bad(..))));
    assert!(matches!(offer(), Err(StoreError::Bad(..))));
    stand(Move::Back).expect("back");
    assert_eq!(take(offered).expect("taken").new, 1);
    assert_eq!(standing(), Standing::Term, "what is in belongs to the term");
    assert!(matches!(stand(Move::Off), Err(StoreError::Bad(..))));
}

#[test]
fn teams_that_a_file_names_are_added_from_its_preview_where_one_may_hand_in() {
    let w = world("course_new_teams");
    let text = csv("Morning", "Alfa", "30.33")
        + csv("Morning", "Dunlin", "30.33").strip_prefix(HEADER).expect("the head")
        + "Morning,Dunlin\u{200b},1,zero,,0.04,mm,,,\nNowhere,Knot,1,zero,,0.04,mm,,,\nEvening,Knot,1,zero,,0.04,mm,,,\n";
    let offer = |user: &jurado_store::User| w.run(|c| imports::offer(c, w.lab, user, "class.csv", text.as_bytes()));
    let held = |id: u32, user: &jurado_store::User| {
        w.run(|c| imports::preview(c, id, user)).intake.expect("readable").held.len()
    };
    // A reviewer adds to own sections: Evening is not one, nor is a section that is not there, nor a name that looks like another.
    let mine = offer(&w.reviewer);
    let before = held(mine, &w.reviewer);
    assert_eq!(w.run(|c| imports::add_teams(c, mine, &w.reviewer)), 1);
    assert_eq!(held(mine, &w.reviewer), before - 6);
    assert_eq!(w.run(|c| imports::add_teams(c, mine, &w.reviewer)), 0, "nothing is left to add");
    let theirs = offer(&w.coordinator);
    assert!(matches!(w.store.run(|c| imports::add_teams(c, theirs, &w.reviewer)), Err(StoreError::NotFound(_))));
    assert_eq!(w.run(|c| imports::add_teams(c, theirs, &w.coordinator)), 1, "Evening’s");
    // The same file for another lab: here it is put aside, there it waits.
    let other = w.run(|c| labs::add(c, draft::BLANK, &w.coordinator)).id;
    let there = w.run(|c| imports::move_to_lab(c, theirs, other, &w.coordinator));
    let state = |id: u32| w.run(|c| imports::preview(c, id, &w.coordinator)).file;
    assert_eq!((state(there).lab_id, state(theirs).state), (other, jurado_store::ImportState::Dropped));
    w.run(|c| labs::stand(c, w.lab, Move::Retire, &w.coordinator));
    let back = w.store.run(|c| imports::move_to_lab(c, there, w.lab, &w.coordinator));
    assert!(matches!(back, Err(StoreError::Bad(..))), "a retired lab takes nothing in");
    assert_eq!(state(there).state, jurado_store::ImportState::Offered, "and the file waits where it was");
}
