//! The store against a real MariaDB, each test on a database of its own. `./test` names the server in
//! TEST_DATABASE_URL; without it these tests say so and fail, since passing unseen would be worse.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::decision::Action;
use jurado_store::tries::{self, Counted, Pace};
use jurado_store::{
    JobState, NewDecision, Role, SheetState, Store, StoreError, User, changes, docket, events, hands, imports, labs,
    quarantine, roster, sheets, users,
};

#[test]
fn a_file_is_taken_once_and_a_correction_is_a_new_revision() {
    let w = world("import");
    let text = csv("Morning", "Alfa", "303.3");
    let first = w.bring(&text);
    assert_eq!((first.new, first.revised, first.unchanged, first.held), (1, 0, 0, 0));
    let again = w.bring(&text);
    assert_eq!((again.new, again.revised, again.unchanged), (0, 0, 1), "the same file changes nothing");
    // Another file with the same table in it changes nothing either; a changed table is revision 2.
    let other = w.bring(&(text.clone() + "Morning,Bittern,1,zero,,0.02,mm,,,\n"));
    assert_eq!((other.new, other.unchanged), (1, 1));
    let corrected = w.bring(&csv("Morning", "Alfa", "30.33"));
    assert_eq!((corrected.new, corrected.revised), (0, 1));
    let id = w.sheet("Alfa");
    let detail = w.run(|c| sheets::get(c, id, &w.coordinator));
    assert_eq!((detail.revision, detail.submission.cells[5].value.as_str()), (2, "30.33"));
}

#[test]
fn held_rows_wait_for_whoever_brought_them() {
    let w = world("quarantine");
    let taken = w.bring(&(csv("Morning", "Alfa", "30.33") + "Morning,Nobody,1,zero,,0.02,mm,,,\n"));
    assert_eq!((taken.new, taken.held), (1, 1));
    assert_eq!(w.run(|c| quarantine::count(c, &w.coordinator)), 1);
    assert_eq!(w.run(|c| quarantine::count(c, &w.reviewer)), 0, "somebody else's");
    let held = w.run(|c| quarantine::waiting(c, &w.coordinator)).remove(0);
    assert_eq!((held.line, held.body.as_str()), (8, "Morning,Nobody,1,zero,,0.02,mm,,,"));
    assert!(matches!(w.store.run(|c| quarantine::settle(c, held.id, &w.reviewer)), Err(StoreError::NotFound(_))));
    w.run(|c| quarantine::settle(c, held.id, &w.coordinator));
    assert_eq!(w.run(|c| quarantine::count(c, &w.coordinator)), 0);
}

#[test]
fn a_lost_race_is_told_with_what_was_decided_and_stores_nothing() {
    let w = world("race");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let id = w.sheet("Alfa");
    let seen = w.run(|c| sheets::get(c, id, &w.reviewer)).version;
    w.accept(id, seen, &w.reviewer).expect("the first");
    match w.accept(id, seen, &w.coordinator) {
        Err(StoreError::Conflict(c)) => {
            assert_eq!((c.version, c.by.as_str()), (seen + 1, "Rev"));
            assert!(c.theirs.contains("took what was proposed"), "{}", c.theirs);
        }
        other => panic!("{other:?}"),
    }
    assert_eq!(w.run(|c| sheets::get(c, id, &w.reviewer)).decisions.len(), 1);
}

#[test]
fn twenty_people_at_once_leave_one_decision() {
    let w = world("crowd");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let id = w.sheet("Alfa");
    let seen = w.run(|c| sheets::get(c, id, &w.reviewer)).version;
    let won = std::thread::scope(|s| {
        let tries: Vec<_> = (0..20).map(|_| s.spawn(|| w.accept(id, seen, &w.reviewer).is_ok())).collect();
        tries.into_iter().map(|t| t.join().expect("no panic")).filter(|ok| *ok).count()
    });
    assert_eq!(won, 1);
    assert_eq!(w.run(|c| sheets::get(c, id, &w.reviewer)).decisions.len(), 1);
}

#[test]
fn signing_waits_for_decisions_and_a_change_reopens() {
    let w = world("sign");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let id = w.sheet("Alfa");
    let version = || w.run(|c| sheets::get(c, id, &w.reviewer)).version;
    assert!(
        matches!(w.store.run(|c| sheets::sign(c, id, version(), &w.reviewer)), Err(StoreError::Conflict(_))),
        "a slip is open"
    );
    let open: Vec<String> = {
        let detail = w.run(|c| sheets::get(c, id, &w.reviewer));
        let lab = w.run(|c| labs::get(c, w.lab));
        detail.judge(&lab.protocol).findings.iter().filter(|f| f.open()).map(|f| f.key.to_string()).collect()
    };
    let new: Vec<NewDecision> =
        open.into_iter().map(|finding| NewDecision::new(finding, Action::Forgive, "seen")).collect();
    w.run(|c| sheets::decide(c, id, version(), &w.reviewer, &new));
    w.run(|c| sheets::sign(c, id, version(), &w.reviewer));
    let state = || w.run(|c| sheets::get(c, id, &w.reviewer)).state;
    assert_eq!(state(), SheetState::Signed);
    assert_eq!(w.run(|c| sheets::undo(c, id, version(), &w.reviewer)), "the signature");
    assert_eq!(state(), SheetState::Waiting);
    w.run(|c| sheets::sign(c, id, version(), &w.reviewer));
    assert_eq!(
        w.run(|c| sheets::release(
            c,
            &docket::Filter { lab: Some(w.lab), ..docket::Filter::default() },
            &w.coordinator
        )),
        1
    );
    assert_eq!(state(), SheetState::Returned);
    assert_eq!(
        w.run(|c| sheets::release(
            c,
            &docket::Filter { lab: Some(w.lab), ..docket::Filter::default() },
            &w.coordinator
        )),
        0,
        "once"
    );
    // A correction handed in afterwards is judged anew and waits again.
    w.bring(&csv("Morning", "Alfa", "30.33"));
    assert_eq!(state(), SheetState::Waiting);
}

#[test]
fn another_sections_table_looks_like_none() {
    let w = world("roles");
    w.bring(&csv("Evening", "Zulu", "303.3"));
    let id = w.sheet("Zulu");
    assert!(matches!(w.store.run(|c| sheets::get(c, id, &w.reviewer)), Err(StoreError::NotFound(_))));
    let version = w.run(|c| sheets::get(c, id, &w.coordinator)).version;
    assert!(matches!(w.accept(id, version, &w.reviewer), Err(StoreError::NotFound(_))));
    assert_eq!(w.run(|c| sheets::get(c, id, &w.coordinator)).version, version, "nothing was claimed");
    assert!(w.run(|c| docket::of_lab(c, w.lab, &w.reviewer)).is_empty());
}

#[test]
fn what_the_docket_shows_is_what_judging_says() {
    let w = world("docket");
    let names: Vec<(&str, &[&str])> = jurado_sim::DEMO_SECTIONS.iter().map(|(s, t)| (*s, &t[..])).collect();
    w.run(|c| roster::add(c, &names));
    let mut tables = jurado_sim::demo_class(3).tables();
    for t in &mut tables {
        t.keys.remove("rod");
    }
    let two_parts = jurado_core::protocol::Protocol::parse(KEEL_PLATE).expect("the fixture");
    tables.iter_mut().for_each(|t| t.cells.retain(|c| two_parts.item(&c.item).is_some()));
    w.bring(&jurado_sim::class_csv(&two_parts, &tables));
    let lab = w.run(|c| labs::get(c, w.lab));
    for row in w.run(|c| docket::of_lab(c, w.lab, &w.coordinator)) {
        let judged = w.run(|c| sheets::get(c, row.id, &w.coordinator)).judge(&lab.protocol);
        assert_eq!(row.decided, judged.score.decided, "{}", row.team);
        assert_eq!(row.open_findings as usize, judged.findings.iter().filter(|f| f.open()).count());
        assert_eq!(row.profile.split(';').count(), lab.protocol.results.len());
    }
    assert_eq!(w.run(changes::ask_stale), 0, "nothing is stale");
    assert!(w.differences().is_empty());
    // A new version is put in force with its judging in one step: a text with faults changes nothing.
    assert_eq!(w.put_in_force(&KEEL_PLATE.replacen("version = 1", "version = 3", 1)).expect("in force"), 84);
    let broken = w.store.run(|c| changes::ask_in_force(c, "id = \"keel-plate\"", None, ""));
    assert!(matches!(broken, Err(StoreError::Protocol(_))));
    assert!(w.differences().is_empty());
    assert_eq!(w.run(|c| labs::get(c, w.lab)).protocol.version, 3);
}

#[test]
fn tries_are_counted_so_that_a_stranger_locks_nobody_out_and_fills_no_record() {
    let w = world("tries");
    let begin = |name: &str, from: &str| w.run(|c| tries::begin(c, &Counted::new(name, from)));
    let free = (0..20).take_while(|_| begin("rev", "10.0.0.9") == 0).count();
    assert!((4..=6).contains(&free), "after some tries one waits: {free}");
    let waits = [(); 30].map(|()| begin("rev", "10.0.0.9"));
    assert!(waits.iter().all(|w| (1..=4).contains(w)), "waiting never lengthens a wait: {waits:?}");
    assert_eq!(begin("rev", "127.0.0.1"), 0, "the person at another address does not wait");
    assert_eq!(begin("chief", "10.0.0.9"), 0, "nor does another person behind the same one");
    // Wrong tries of many names from one address are answered slowly, and bar nobody there.
    let refuse = |name: &str, from: &str| w.run(|c| tries::refused(c, &Counted::new(name, from), None));
    let paces: Vec<Pace> = (0..500).map(|i| refuse(&format!("name{i}"), "10.0.0.8")).collect();
    assert_eq!(paces.iter().filter(|p| **p == Pace::AtOnce).count(), 60);
    assert_eq!(begin("fresh", "10.0.0.8"), 0);
    let told = w.run(|c| events::about(c, "60"));
    assert_eq!(told.iter().filter(|e| e.about.contains("wrong tries from one address")).count(), 1, "{told:?}");
    // One name from many addresses waits in the end, from anywhere, and not for long.
    for i in 0..210 {
        w.run(|c| tries::refused(c, &Counted::new("chief", &format!("2001:db8:{i}::1")), Some(w.coordinator.id)));
    }
    assert!((1..=30).contains(&begin("chief", "192.0.2.1")));
    // A network of IPv6 is one address.
    let six = (0..20).take_while(|i| begin("six", &format!("2001:db8:ffff:1::{i}")) == 0).count();
    assert!((4..=6).contains(&six), "{six}");
    // A clock that was set back an hour makes nobody wait.
    let ahead = "UPDATE sign_in_tries SET last_at = last_at + INTERVAL 1 HOUR, free_at = free_at + INTERVAL 1 HOUR";
    common::sql(&w, ahead);
    assert_eq!(begin("rev", "10.0.0.9"), 0);
    // Whoever is let in begins anew.
    w.run(|c| tries::let_in(c, &Counted::new("rev", "10.0.0.9"), w.reviewer.id));
    assert_eq!(begin("rev", "10.0.0.9"), 0);
    let told = w.run(|c| events::about(c, &format!("person {}, ", w.coordinator.id)));
    assert!((2..=8).contains(&told.len()), "of 210 refusals of one person the record is told of few: {told:?}");
}

#[test]
fn people_are_added_changed_and_shown_out_and_a_coordinator_always_stays() {
    let w = world("people");
    let bad = |e: StoreError| matches!(e, StoreError::Bad(..));
    let add = |sign_in: &str, name: &str, sections: &[String]| {
        let new = users::NewPerson { sign_in, name, role: Role::Reviewer, hash: None, sections, demo: false };
        w.store.run(|c| users::add(c, &new, Some(w.coordinator.id)))
    };
    for (sign_in, name, section) in [
        ("rev", "Rev", "Morning"),
        ("a b", "A", "Morning"),
        ("", "A", "Morning"),
        ("a", " ", "Morning"),
        ("a", "A", "Noon"),
    ] {
        assert!(add(sign_in, name, &[section.to_owned()]).is_err_and(bad), "{sign_in} {name} {section}");
    }
    let id = add("new", "New", &["Evening".to_owned()]).expect("added");
    let secret = w.run(|c| users::invite(c, Some(id), Some(w.coordinator.id)));
    assert_eq!(w.run(|c| users::invited(c, &secret)).map(|u| u.id), Some(id));
    let hash = users::hash("four words of harbour").expect("hashed");
    assert_eq!(w.run(|c| users::use_invitation(c, &secret, ("", ""), &hash)), id);
    let again = w.store.run(|c| users::use_invitation(c, &secret, ("", ""), &hash));
    assert!(matches!(again, Err(StoreError::NotFound(_))), "a link serves once");
    let (_, kept) = w.run(|c| users::secret_of(c, "new")).expect("may sign in");
    assert!(users::goes_with("four words of harbour", Some(&kept)) && !users::goes_with("another", Some(&kept)));
    // Whatever takes rights away ends the sessions there are.
    let epoch = |id| w.run(|c| users::get(c, id)).epoch;
    let change = |id, what: users::Change<'_>| w.store.run(|c| users::change(c, id, &what, Some(w.coordinator.id)));
    let mut last = epoch(id);
    for what in [users::Change::Role(Role::Coordinator), users::Change::Role(Role::Reviewer), users::Change::Close] {
        change(id, what.clone()).expect("changed");
        assert!(epoch(id) > last, "{what:?}");
        last = epoch(id);
    }
    assert!(w.run(|c| users::secret_of(c, "new")).is_none(), "closed");
    assert!(change(w.coordinator.id, users::Change::Close).is_err_and(bad), "the only coordinator stays");
    assert!(change(w.coordinator.id, users::Change::Role(Role::Reviewer)).is_err_and(bad));
    for password in ["short", "aaaaaaaaaaaa", "chief-chief-1"] {
        assert!(users::check_password("chief", password).is_err(), "{password}");
    }
    for common in [
        "password12",
        "Passw0rd!!",
        "1234567890",
        "0987654321",
        "qwertyuiop",
        "iloveyou123",
        "drowssap2024",
        "abcdefghij",
        "P4$$word1!",
        "sunshine2026",
        "physicslab1",
    ] {
        let told = users::check_password("chief", common);
        assert!(matches!(told, Err(StoreError::Bad(what, _)) if what.contains("tried first")), "{common}");
    }
    for good in ["brass tide nine heron", "kettle-quince-42", "summer mother cookie tide"] {
        users::check_password("chief", good).unwrap_or_else(|e| panic!("{good}: {e}"));
    }
    users::check_password("chief", "four words of harbour").expect("good");
}

#[test]
fn a_server_that_is_not_there_is_said() {
    let store = Store::open("mysql://nobody:x@127.0.0.1:1/none");
    assert!(matches!(store.run(labs::all), Err(StoreError::Unavailable(_))));
}

#[test]
fn the_queue_gives_each_table_to_one_person_and_resumes() {
    let w = world("queue");
    w.bring(&(csv("Morning", "Alfa", "3.053") + &csv("Morning", "Bittern", "30.53").replace(HEADER, "")));
    let next = |user: &User, not| w.run(|c| hands::take_next(c, user, None, not));
    let first = next(&w.reviewer, None).expect("a table waits");
    assert_eq!(first, w.sheet("Alfa"), "the one that wants a person comes first");
    assert_eq!(next(&w.reviewer, None), Some(first), "coming back, one goes on where one stopped");
    let other = next(&w.coordinator, None).expect("another waits");
    assert_ne!(other, first, "two people never get the same");
    assert_eq!(next(&w.coordinator, Some(other)), None, "nothing is left that nobody has");
    assert!(!w.run(|c| hands::hold(c, first, &w.coordinator)), "what somebody has in hand stays there");
    // A section that is not one's own gives nothing.
    w.bring(&csv("Evening", "Zulu", "3.053"));
    assert_eq!(next(&w.reviewer, Some(first)), None);
    let counts = w.run(|c| docket::counts(c, &w.coordinator));
    assert_eq!(counts.values().map(|c| c.all()).sum::<usize>(), 3);
    assert_eq!(w.run(|c| docket::counts(c, &w.reviewer)).values().map(|c| c.all()).sum::<usize>(), 2);
    let found = |find: &str| {
        let filter = docket::Filter { find: Some(find.into()), ..docket::Filter::default() };
        w.run(|c| docket::list(c, &w.reviewer, &filter, docket::Order::Need, 10)).len()
    };
    assert_eq!((found("alf"), found("ALF"), found("zulu"), found("%"), found("' OR 1=1 --")), (1, 1, 0, 0, 0));
    let station =
        w.run(|c| docket::list(c, &w.reviewer, &docket::Filter::default(), docket::Order::Need, 1))[0].station.clone();
    assert_eq!(found(&station), 2, "both tables are of station {station}");
    // Where a name means thousands of teams, the queue is walked for them; the answer is the same.
    common::sql(
        &w,
        "INSERT INTO teams (section_id, name) SELECT (SELECT MIN(id) FROM sections), CONCAT('Alfalfa ', seq) FROM seq_1_to_2100",
    );
    assert_eq!((found("alf"), found("alfa"), found("bitt")), (1, 1, 1));
    let in_state = |state: &str| {
        let filter = docket::Filter { state: Some(state.into()), ..docket::Filter::default() };
        w.run(|c| docket::list(c, &w.coordinator, &filter, docket::Order::Roster, 10)).len()
    };
    assert_eq!((in_state("waiting"), in_state("returned"), in_state("signed")), (3, 0, 0));
    assert_eq!(in_state("wants") + in_state("clear"), 3);
    assert_eq!(in_state("nonsense"), 3, "a word that names no state asks for nothing in particular");
    // Cut short, the roster's order is kept: the first section's teams come first.
    let filter = docket::Filter::default();
    let first = w.run(|c| docket::list(c, &w.coordinator, &filter, docket::Order::Roster, 2));
    assert_eq!(first.iter().map(|r| r.team.as_str()).collect::<Vec<_>>(), ["Alfa", "Bittern"]);
}

#[test]
fn a_section_sets_a_lab_with_history_and_the_second_to_change_is_told() {
    let w = world("settings");
    w.bring(&csv("Morning", "Alfa", "30.53"));
    let section = w.run(|c| roster::sections(c, &w.reviewer))[0].id;
    let id = w.sheet("Alfa");
    let points = || w.run(|c| sheets::get(c, id, &w.coordinator)).settings;
    assert_eq!(points(), jurado_core::section::Section::default());
    let new = jurado_core::section::Section {
        waivers: vec![jurado_core::section::Waiver { item: "disc_mass".into(), reason: "the balance was out".into() }],
        ..Default::default()
    };
    let set = |version, user: &User| {
        w.store.run(|c| changes::set_section(c, (section, w.lab), version, &new, None, "no balance", user))
    };
    assert_eq!(set(0, &w.reviewer).expect("set"), 1, "its one table is judged anew");
    assert_eq!(points(), new);
    let lost = set(0, &w.coordinator).expect_err("somebody was first");
    assert!(matches!(&lost, StoreError::Conflict(c) if c.by == "Rev" && c.theirs.contains("no balance")), "{lost}");
    assert_eq!(w.run(|c| jurado_store::sections::past(c, section, w.lab)).len(), 1);
    assert!(w.differences().is_empty());
    let evening = w.run(|c| roster::sections(c, &w.coordinator)).iter().find(|s| s.name == "Evening").expect("it").id;
    let foreign = w.store.run(|c| changes::set_section(c, (evening, w.lab), 0, &new, None, "x", &w.reviewer));
    assert!(matches!(foreign, Err(StoreError::NotFound(_))), "another section's settings are not one's own");
    // The same for both at once, or for neither.
    let now = |section| w.run(|c| jurado_store::sections::get(c, section, w.lab));
    let both = |version, user: &User| {
        let due = chrono::NaiveDate::from_ymd_opt(2026, 11, 25).and_then(|d| d.and_hms_opt(18, 0, 0));
        w.store.run(|c| changes::set_sections(c, (section, w.lab), &[evening], version, (&new, due), "both", user))
    };
    assert!(both(1, &w.reviewer).is_err(), "one of them is not the reviewer's");
    assert!(both(0, &w.coordinator).is_err(), "somebody was first");
    assert_eq!((now(section).version, now(evening).version), (1, 0));
    both(1, &w.coordinator).expect("set");
    assert_eq!((now(section).version, now(evening).version), (2, 1));
    assert_eq!((now(evening).settings, now(section).due_at), (new.clone(), now(evening).due_at));
    assert!(w.differences().is_empty());
}

#[test]
fn a_held_row_is_mended_into_a_new_revision_and_a_package_of_decisions_can_be_undone() {
    let w = world("mend");
    let text = csv("Morning", "Alfa", "30.53") + "Morning,Alfa,1,disc_mas,,90.90,g,,,\n";
    assert_eq!(w.bring(&text).held, 1);
    let held = w.run(|c| quarantine::waiting(c, &w.coordinator))[0].clone();
    let mend = |text: &str, user: &User| w.store.run(|c| imports::mend(c, held.id, text, user));
    assert!(matches!(mend("Morning,Alfa,1,disc_mass,,90.90,g,,,", &w.reviewer), Err(StoreError::NotFound(_))));
    // Meanwhile nothing that is missing is charged, and the table wants a person for the row.
    let charged = || {
        let (id, lab) = (w.sheet("Alfa"), w.run(|c| labs::get(c, w.lab)));
        let judged = w.run(|c| sheets::get(c, id, &w.coordinator)).judge(&lab.protocol);
        let missing = judged.findings.iter().filter(|f| f.code() == "missing-reading" && !f.cost.is_zero()).count();
        (missing > 0, judged.findings.iter().any(|f| f.code() == "rows-wait"))
    };
    assert_eq!(charged(), (false, true));
    let submission = w.run(|c| sheets::get(c, w.sheet("Alfa"), &w.coordinator)).submission_id;
    let team = w.run(|c| sheets::get(c, w.sheet("Alfa"), &w.coordinator)).team_id;
    let waits = |user: &User| w.run(|c| quarantine::of_table(c, submission, team, user));
    assert_eq!((waits(&w.coordinator).0.len(), waits(&w.coordinator).1, waits(&w.reviewer).1), (1, true, false));
    let still = mend(&held.body, &w.coordinator).expect_err("nothing was mended");
    assert!(matches!(&still, StoreError::File(f) if f.what.contains("disc_mas")), "{still}");
    assert_eq!(mend("Morning,Alfa,1,disc_mass,,90.90,g,,,", &w.coordinator).expect("mended").revised, 1);
    let id = w.sheet("Alfa");
    let detail = w.run(|c| sheets::get(c, id, &w.coordinator));
    assert_eq!((detail.revision, detail.submission.cells.last().map(|c| c.value.as_str())), (2, Some("90.90")));
    assert_eq!(w.run(|c| sheets::revisions(c, id, &w.coordinator)).len(), 2);
    assert_eq!(w.run(|c| quarantine::count(c, &w.coordinator)), 0);
    assert_eq!(charged(), (true, false), "released: what is still missing is charged");
    assert!(w.differences().is_empty());
    // A cell read otherwise is a decision like any: kept with its text, judged with, undone.
    let read = NewDecision { text: "91.00".into(), ..NewDecision::new("cell:disc_mass", Action::Read, "the photo") };
    w.run(|c| sheets::decide(c, id, detail.version, &w.coordinator, std::slice::from_ref(&read)));
    let corrected = w.run(|c| sheets::get(c, id, &w.coordinator));
    assert_eq!(corrected.decisions[0].decision.text, "91.00");
    assert_eq!(corrected.submission.cells.last().map(|c| c.value.as_str()), Some("90.90"), "never the submission");
    let lab = w.run(|c| labs::get(c, w.lab));
    assert!(corrected.judge(&lab.protocol).findings.iter().any(|f| f.code() == "corrected"));
    w.run(|c| sheets::undo(c, id, corrected.version, &w.coordinator));
    assert!(w.run(|c| sheets::get(c, id, &w.coordinator)).decisions.is_empty());
}

/// A row that is dropped no longer holds back what is missing; what was decided of the table stays, and whoever was about to
/// decide is told.
#[test]
fn a_dropped_row_lets_the_table_be_judged_as_it_stands() {
    let w = world("dropped");
    let two = "Morning,Alfa,1,disc_mas,,90.90,g,,,\nMorning,Alfa,1,disc_diamter,1,60.1,mm,,,\n";
    w.bring(&(csv("Morning", "Alfa", "3.053") + two + "Morning,Nobody,1,zero,,0.02,mm,,,\n"));
    let id = w.sheet("Alfa");
    let detail = || w.run(|c| sheets::get(c, id, &w.coordinator));
    assert_eq!(detail().submission.waiting, 2, "a row of another team is not this one's");
    w.accept(id, detail().version, &w.coordinator).expect("decided");
    let before = (detail().version, detail().decisions.len());
    let rows = w.run(|c| quarantine::of_table(c, detail().submission_id, detail().team_id, &w.coordinator)).0;
    for (n, row) in rows.iter().enumerate() {
        w.run(|c| quarantine::settle(c, row.id, &w.coordinator));
        assert_eq!(detail().submission.waiting, 1 - n as u32);
        assert!(w.differences().is_empty(), "row {n}");
    }
    assert_eq!((detail().version, detail().decisions.len()), (before.0 + 2, before.1));
    let lab = w.run(|c| labs::get(c, w.lab));
    assert!(detail().judge(&lab.protocol).findings.iter().any(|f| f.code() == "missing-reading" && !f.cost.is_zero()));
    assert!(matches!(w.accept(id, before.0, &w.coordinator), Err(StoreError::Conflict(_))));
}

/// Rows of a team wait also where its table came with another file, and where the table is as it was; a table that is brought
/// anew no longer waits for those of the file before, and one that was signed waits for a person again.
#[test]
fn rows_wait_of_the_table_that_is_there_whatever_file_they_came_with() {
    let w = world("waits");
    let spoiled = "Morning,Alfa,1,disc_mas,,90.90,g,,,\n";
    w.bring(&csv("Morning", "Alfa", "30.53"));
    let id = w.sheet("Alfa");
    let detail = || w.run(|c| sheets::get(c, id, &w.coordinator));
    let waits = || detail().submission.waiting;
    assert_eq!(waits(), 0);
    // A file with nothing else of the team's.
    w.bring(&(HEADER.to_owned() + spoiled));
    assert_eq!((waits(), detail().revision), (1, 1));
    assert!(w.differences().is_empty());
    // The same table again, with another row that cannot be used.
    w.bring(&(csv("Morning", "Alfa", "30.53") + "Morning,Alfa,1,disc_diamter,1,60.1,mm,,,\n"));
    assert_eq!((waits(), detail().revision), (2, 1));
    // Another section's rows are not this table's.
    w.bring(&(HEADER.to_owned() + &spoiled.replace("Morning,Alfa", "Evening,Zulu")));
    assert_eq!(waits(), 2);
    // Signed, and then a row is dropped: what it held is missing, and a person is asked again.
    let open = || detail().judge(&w.run(|c| labs::get(c, w.lab)).protocol).findings.into_iter().filter(|f| f.open());
    for key in open().map(|f| f.key).collect::<Vec<_>>() {
        w.run(|c| {
            sheets::decide(
                c,
                id,
                detail().version,
                &w.coordinator,
                &[NewDecision::new(key.clone(), Action::Accept, "")],
            )
        });
    }
    w.run(|c| sheets::sign(c, id, detail().version, &w.coordinator));
    assert_eq!(detail().state, SheetState::Signed);
    let row = w.run(|c| quarantine::of_table(c, detail().submission_id, detail().team_id, &w.coordinator)).0.remove(0);
    w.run(|c| quarantine::settle(c, row.id, &w.coordinator));
    assert_eq!((waits(), detail().state), (1, SheetState::Waiting));
    assert!(w.differences().is_empty());
    w.bring(&csv("Morning", "Alfa", "30.54"));
    assert_eq!((waits(), detail().revision), (0, 2), "brought anew, whole");
    assert!(w.differences().is_empty());
}

#[test]
fn a_file_of_some_columns_adds_to_the_table_that_is_there_unless_it_is_to_replace_it() {
    let w = world("adding");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let id = w.sheet("Alfa");
    let cells = || {
        let cells = w.run(|c| sheets::get(c, id, &w.coordinator)).submission.cells;
        cells.into_iter().map(|c| format!("{} {}", c.item, c.value)).collect::<Vec<_>>()
    };
    // One cell, put right: the rest stays, as a new revision.
    let one = HEADER.to_owned() + "Morning,Alfa,1,plate_volume,,30.33,cm3,,,\n";
    let taken = w.bring(&one);
    assert_eq!((taken.new, taken.revised, cells().len()), (0, 1, 6));
    assert!(cells().contains(&"plate_volume 30.33".to_owned()), "{:?}", cells());
    // Brought again in another file, it changes nothing.
    assert_eq!(w.bring(&(one.clone() + "Morning,Bittern,1,zero,,0.02,mm,,,\n")).unchanged, 1);
    // A row of it that waits goes on waiting when a later file adds to the table.
    w.bring(&(HEADER.to_owned() + "Morning,Alfa,1,plate_lenght,,84.50,mm,,,\nMorning,Alfa,1,zero,,0.04,mm,,,\n"));
    let waiting = || w.run(|c| sheets::get(c, id, &w.coordinator)).submission.waiting;
    assert_eq!(waiting(), 1);
    w.bring(&(HEADER.to_owned() + "Morning,Alfa,1,plate_mass,,81.90,g,,,\n"));
    assert_eq!((waiting(), cells().len()), (1, 6));
    // Said to replace it, what the file does not hold goes.
    w.run(|c| {
        let import = imports::offer(
            c,
            w.lab,
            &w.coordinator,
            "all.csv",
            (HEADER.to_owned() + "Morning,Alfa,1,plate_mass,,81.89,g,,,\n").as_bytes(),
        )?;
        imports::say_replaces(c, import, &w.coordinator, true)?;
        imports::take(c, import, &w.coordinator)
    });
    assert_eq!(cells(), ["plate_mass 81.89"]);
    // A sheet that is typed off is the whole table: what is blank in it is blank.
    w.bring(&csv("Morning", "Alfa", "30.33"));
    w.bring(r#"[{"section":"Morning","team":"Alfa","keys":{"station":"1"},"cells":[{"item":"zero","value":"0.04","unit":"mm"}]}]"#);
    assert_eq!(cells(), ["zero 0.04"]);
}

#[test]
fn a_long_import_is_work_that_is_asked_for_once_and_says_what_it_came_to() {
    let w = world("progress");
    let id = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "x.csv", csv("Morning", "Alfa", "30.53").as_bytes()));
    let job = w.run(|c| imports::ask_to_take(c, id, &w.coordinator, 7));
    assert_eq!(w.run(|c| imports::ask_to_take(c, id, &w.coordinator, 7)).id, job.id, "it is asked for once");
    assert!(w.run(|c| imports::preview(c, id, &w.coordinator)).progress.running);
    assert!(matches!(w.store.run(|c| imports::drop(c, id, &w.coordinator)), Err(StoreError::NotFound(_))));
    let done = jurado_store::work_on(&w.store, job.id).expect("done");
    assert_eq!((done.state, done.outcome.as_str()), (JobState::Done, "Tables: 1 new."));
    assert!(!w.run(|c| imports::preview(c, id, &w.coordinator)).progress.running);
    assert_eq!(w.run(|c| imports::take(c, id, &w.coordinator)).unchanged, 1);
    // What was said of columns is remembered for the head, not for the file.
    let wide = |team: &str| format!("who,length\n{team},84.44\n");
    let first = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "w1.csv", wide("Alfa").as_bytes()));
    assert!(w.run(|c| imports::preview(c, first, &w.coordinator)).intake.is_err());
    let map = jurado_intake::ColumnMap {
        columns: vec!["team".into(), "cell:plate_length".into()],
        section: "Morning".into(),
    };
    w.run(|c| imports::say_columns(c, first, &w.coordinator, &map));
    let second = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "w2.csv", wide("Bittern").as_bytes()));
    let tables = w.run(|c| imports::preview(c, second, &w.coordinator)).intake.expect("read as before").tables;
    assert_eq!((tables[0].team.as_str(), tables[0].cells[0].value.as_str()), ("Bittern", "84.44"));
}

#[test]
fn students_belong_to_one_team_and_move_when_the_roster_says_so() {
    let w = world("students");
    let line = |team: &str, number: &str, name: &str| roster::Student {
        section: "Morning".into(),
        team: team.into(),
        number: number.into(),
        name: name.into(),
    };
    let take = |lines: &[roster::Student]| w.run(|c| roster::enrol(c, lines, &w.coordinator));
    let first = take(&[line("Alfa", "7", "A"), line("Alfa", "8", "B"), line("Dipper", "9", "C")]);
    assert_eq!((first.teams, first.added, first.changed), (1, 3, 0));
    let again = take(&[line("Alfa", "7", "A"), line("Dipper", "8", "B")]);
    assert_eq!((again.added, again.changed, again.unchanged), (0, 1, 1));
    let all = w.run(|c| roster::students(c, &w.reviewer));
    assert_eq!(
        all.iter().map(|s| (s.team.as_str(), s.number.as_str())).collect::<Vec<_>>(),
        [("Alfa", "7"), ("Dipper", "8"), ("Dipper", "9")]
    );
}
