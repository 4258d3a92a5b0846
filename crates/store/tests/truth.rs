//! Records that stay true: what is kept beside a table is what judging it gives, whatever ran beside; what went out stays;
//! a start changes nothing; the record shows what was changed in it; nothing is stuck.
#![allow(missing_docs)]

mod common;

use common::*;
use diesel::connection::SimpleConnection;
use diesel::{Connection as _, MysqlConnection};
use jurado_core::decision::Action;
use jurado_core::section::{Section, Waiver};
use jurado_store::{
    FolderState, FromFolder, JobKind, JobState, NewDecision, SheetState, Store, StoreError, changes, docket, events,
    hands, imports, jobs, labs, roster, sections, sheets, verify,
};
use rust_decimal::Decimal;

/// The text of a version in which a decimal point gone astray costs so much.
fn version(n: u32, cost: &str) -> String {
    let text = KEEL_PLATE.replacen("version = 1", &format!("version = {n}"), 1);
    text.replacen("decimal-point = \"0.25\"", &format!("decimal-point = \"{cost}\""), 1)
}

/// Somebody else on the database, with all rights.
fn another(name: &str) -> MysqlConnection {
    let url = std::env::var("TEST_DATABASE_URL").expect("a server");
    let base = url.rsplit_once('/').expect("a database").0;
    MysqlConnection::establish(&format!("{base}/jurado_store_{name}")).expect("another connection")
}

fn other(name: &str, sql: &str) {
    another(name).batch_execute(sql).expect("done");
}

impl World {
    fn return_all(&self) {
        for row in self.run(|c| docket::of_lab(c, self.lab, &self.coordinator)) {
            let version = self.decide_all(row.id);
            self.run(|c| sheets::sign(c, row.id, version, &self.coordinator));
        }
        self.run(|c| sheets::release(c, &docket::Filter::default(), &self.coordinator));
    }

    fn sent(&self) -> Vec<(Decimal, Option<u32>)> {
        let marks = self.run(|c| docket::sent_marks(c, &self.coordinator, 0, None, None));
        marks.into_iter().map(|m| (m.points, m.version)).collect()
    }

    fn moved(&self) -> Vec<sheets::Moved> {
        self.run(|c| sheets::moved(c, &self.coordinator, None, 100))
    }
}

#[test]
fn a_mark_that_went_out_stays_until_somebody_decides_otherwise() {
    let w = world("moved");
    w.bring(&(csv("Morning", "Alfa", "303.3") + &csv("Evening", "Zulu", "30.53").replace(HEADER, "")));
    w.return_all();
    let first = w.sent();
    assert_eq!(first.iter().map(|s| s.1).collect::<Vec<_>>(), [Some(1), Some(1)]);
    assert!(w.moved().is_empty());
    // A change that would move one of them moves nothing: it is on the list, and the marks are what they were.
    w.put_in_force(&version(2, "1")).expect("in force");
    assert_eq!(w.sent(), first);
    let moved = w.moved();
    assert_eq!(moved.iter().map(|m| m.team.as_str()).collect::<Vec<_>>(), ["Alfa"], "the other's would stay");
    assert!(moved[0].now < moved[0].sent && moved[0].changed.contains("version 2"), "{moved:?}");
    let detail = w.run(|c| sheets::get(c, moved[0].id, &w.coordinator));
    assert_eq!(detail.state, SheetState::Returned);
    let (protocol, judged) = w.run(|c| detail.as_sent(c)).expect("it went out");
    assert_eq!(
        (protocol.version, judged.score.decided.normalize()),
        (1, first[0].0),
        "its team still reads what it got"
    );
    // Left as it is, for a reason: off the list, until another change would move it elsewhere.
    let which = [(moved[0].id, moved[0].version)];
    w.run(|c| sheets::keep_as_sent(c, &which, "too late in the term", &w.coordinator));
    assert!(w.moved().is_empty());
    assert_eq!(w.sent(), first);
    w.put_in_force(&version(3, "0")).expect("in force");
    let again = w.moved();
    assert_eq!(again.len(), 1);
    // Sent again: with a reason, under the version of now; whoever looked before is told.
    let stale = w.store.run(|c| sheets::release_again(c, &which, "x", &w.coordinator));
    assert!(matches!(stale, Err(StoreError::Conflict(_))), "{stale:?}");
    let which = [(again[0].id, again[0].version)];
    w.run(|c| sheets::release_again(c, &which, "the rubric was wrong", &w.coordinator));
    assert_eq!(w.sent()[0], (again[0].now, Some(3)));
    assert_eq!(w.sent()[1], first[1]);
    assert!(w.moved().is_empty() && w.differences().is_empty());
    let told = w.run(|c| events::about(c, &format!("sheet {}", again[0].id)));
    let reasons: Vec<&str> = told.iter().map(|e| e.reason.as_str()).filter(|r| !r.is_empty()).collect();
    assert!(reasons.contains(&"too late in the term") && reasons.contains(&"the rubric was wrong"), "{reasons:?}");
}

#[test]
fn a_start_adds_what_is_not_there_and_changes_nothing_that_is_in_force() {
    let w = world("folder");
    let look = |text: &str| w.run(|c| labs::from_folder(c, text));
    let in_force = || w.run(|c| labs::get(c, w.lab)).protocol.version;
    assert_eq!(look(KEEL_PLATE), FromFolder::Same);
    let new = KEEL_PLATE.replacen("id = \"keel-plate\"", "id = \"new-plate\"", 1);
    assert_eq!((look(&new), look(&new)), (FromFolder::Added, FromFolder::Same));
    w.put_in_force(&version(9, "1")).expect("in force");
    // The folder's text is older than what the coordinator put in force: told, not taken, however often it starts.
    for _ in 0..2 {
        assert_eq!(look(KEEL_PLATE), FromFolder::Aside { in_force: 9, file: 1 });
        assert_eq!(in_force(), 9);
    }
    // The same number with another text is no higher version either.
    assert_eq!(look(&version(9, "0.5")), FromFolder::Aside { in_force: 9, file: 9 });
    let aside = w.run(|c| labs::folder_text(c, "keel-plate")).expect("it waits");
    assert_eq!((aside.version, aside.state), (9, FolderState::Waiting));
    w.run(|c| labs::leave_folder_text(c, "keel-plate", w.coordinator.id, "an old copy"));
    assert_eq!(look(&version(9, "0.5")), FromFolder::Left, "not told again");
    assert_eq!(look(KEEL_PLATE), FromFolder::Aside { in_force: 9, file: 1 }, "but another text is");
    assert_eq!(look(&version(10, "0.5")), FromFolder::Newer);
    assert_eq!(in_force(), 9, "being put in force is work that is asked for");
}

#[test]
fn the_record_shows_what_was_changed_put_in_or_taken_out() {
    for (name, harm, says) in [
        (
            "chain_a",
            "UPDATE events SET about = 'sheet 1: slip:plate_volume forgive' WHERE what = 'decided'",
            "its columns",
        ),
        ("chain_b", "DELETE FROM events WHERE what = 'handed in'", "is not there"),
        ("chain_d", "DELETE FROM events WHERE what = 'decided'", "is not what it was"),
        ("chain_c", "UPDATE events SET user_id = 2 WHERE what = 'file taken'", "its columns"),
    ] {
        let w = world(name);
        w.bring(&csv("Morning", "Alfa", "3.053"));
        let id = w.sheet("Alfa");
        let version = w.run(|c| sheets::get(c, id, &w.coordinator)).version;
        w.accept(id, version, &w.coordinator).expect("decided");
        // Another process writes a strand of its own, which goes on from this one.
        let url = std::env::var("TEST_DATABASE_URL").expect("a server");
        let base = url.rsplit_once('/').expect("a database").0.to_owned();
        let second = Store::open(&format!("{base}/jurado_store_{name}"));
        second.run(|c| sheets::undo(c, id, version + 1, &w.coordinator)).expect("undone");
        let (count, faults) = second.look(events::check).expect("checked");
        assert!(count > 5 && faults.is_empty(), "{faults:?}");
        other(name, harm);
        let (_, faults) = second.look(events::check).expect("checked");
        assert!(faults.iter().any(|f| f.contains(says)), "{harm}: {faults:?}");
    }
}

#[test]
fn what_is_kept_wrong_is_found_and_put_right_with_a_word_in_the_record() {
    let w = world("verify");
    w.bring(&(csv("Morning", "Alfa", "3.053") + &csv("Evening", "Zulu", "30.53").replace(HEADER, "")));
    assert!(w.differences().is_empty());
    let id = w.sheet("Alfa");
    other("verify", &format!("UPDATE sheets SET decided = 7, open_findings = 0, state = 'signed' WHERE id = {id}"));
    let found = w.differences();
    assert_eq!(found.iter().map(|d| d.sheet).collect::<Vec<_>>(), [id]);
    let what = found[0].what.join("; ");
    assert!(what.contains("points are kept as 7") && what.contains("signed with 4 findings"), "{what}");
    assert_eq!(verify::mend(&w.store, &found).expect("mended"), 1);
    assert!(w.differences().is_empty());
    assert_eq!(w.run(|c| sheets::get(c, id, &w.coordinator)).state, SheetState::Waiting);
    let told = w.run(|c| events::about(c, &format!("sheet {id}")));
    assert!(told.iter().any(|e| e.what == "put right" && e.reason.contains("kept as 7")), "{told:?}");
}

#[test]
fn work_of_a_process_that_is_gone_is_taken_over_and_work_in_hand_is_not() {
    let w = world("lease");
    let id = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "x.csv", csv("Morning", "Alfa", "30.53").as_bytes()));
    let job = w.run(|c| imports::ask_to_take(c, id, &w.coordinator, 1));
    let held = |seconds: i32| {
        other(
            "lease",
            &format!(
                "UPDATE jobs SET state = 'running', lease_by = 'another', \
                 lease_until = UTC_TIMESTAMP(3) + INTERVAL {seconds} SECOND WHERE id = {}",
                job.id
            ),
        );
    };
    held(10);
    assert!(!jurado_store::work_once(&w.store, JobKind::Import).expect("looked"), "another process has it");
    assert!(w.run(|c| imports::preview(c, id, &w.coordinator)).progress.running);
    held(-1);
    assert!(jurado_store::work_once(&w.store, JobKind::Import).expect("done"), "its lease ran out");
    let done = w.run(|c| jobs::get(c, job.id));
    assert_eq!((done.state, done.outcome.as_str()), (JobState::Done, "Tables: 1 new."));
    assert_eq!(w.run(|c| docket::of_lab(c, w.lab, &w.coordinator)).len(), 1);
    // What ends the process each time is given up instead of being begun for ever.
    let id = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "y.csv", csv("Morning", "Alfa", "30.54").as_bytes()));
    let job = w.run(|c| imports::ask_to_take(c, id, &w.coordinator, 1));
    other("lease", &format!("UPDATE jobs SET tries = 5 WHERE id = {}", job.id));
    assert!(!jurado_store::work_once(&w.store, JobKind::Import).expect("looked"));
    let given_up = w.run(|c| jobs::get(c, job.id));
    assert_eq!(given_up.state, JobState::Failed);
    assert!(
        !w.run(|c| imports::preview(c, id, &w.coordinator)).progress.running,
        "and can be taken or put aside again"
    );
}

/// People decide and take back while protocols are put in force, a section changes what it sets, files are taken and sheets
/// are returned: nobody gets a fault, and afterwards everything kept is what judging gives.
#[test]
fn whatever_runs_beside_one_another_what_is_kept_is_what_judging_gives() {
    let w = world("beside");
    let teams: Vec<String> = (1..=12).map(|i| format!("T{i}")).collect();
    let names: Vec<&str> = teams.iter().map(String::as_str).collect();
    w.run(|c| roster::add(c, &[("Morning", &names), ("Evening", &names)]));
    let class = |volume: &str| {
        let mut out = HEADER.to_owned();
        for section in ["Morning", "Evening"] {
            names.iter().for_each(|t| out += &csv(section, t, volume).replace(HEADER, ""));
        }
        out
    };
    w.bring(&class("3.053"));
    let rows = w.run(|c| docket::of_lab(c, w.lab, &w.coordinator));
    let evening = rows.iter().find(|r| r.section == "Evening").expect("a row").section_id;
    let allowed = |e: StoreError| match e {
        // Somebody was first, or there is nothing left to take back: answers and no faults.
        StoreError::Conflict(_) | StoreError::NotFound("decision to undo") => {}
        e => panic!("{e:?}"),
    };
    for round in 0..6u32 {
        std::thread::scope(|s| {
            for person in 0..4usize {
                let (w, rows) = (&w, &rows);
                s.spawn(move || {
                    for row in rows.iter().skip(person).step_by(2) {
                        let seen = w.run(|c| sheets::get(c, row.id, &w.coordinator)).version;
                        let points = Action::Points(Decimal::new(i64::from(round % 4), 1));
                        let new = [
                            NewDecision::new("line:volume", points, "seen"),
                            NewDecision::new("slip:plate_volume", Action::Forgive, "seen"),
                        ];
                        let done = match (row.id + round + person as u32) % 4 {
                            0 => w.store.run(|c| sheets::undo(c, row.id, seen, &w.coordinator).map(|_| ())),
                            1 => w.store.run(|c| sheets::sign(c, row.id, seen, &w.coordinator)),
                            _ => w.store.run(|c| sheets::decide(c, row.id, seen, &w.coordinator, &new)),
                        };
                        done.unwrap_or_else(allowed);
                    }
                });
            }
            s.spawn(|| {
                w.put_in_force(&version(round + 2, ["0.25", "1", "0.5"][round as usize % 3]))
                    .map(|_| ())
                    .unwrap_or_else(allowed)
            });
            s.spawn(|| {
                let waivers = vec![Waiver { item: "disc_mass".into(), reason: format!("round {round}") }];
                let new = Section { waivers, ..Section::default() };
                let before = w.run(|c| sections::get(c, evening, w.lab)).version;
                w.store
                    .run(|c| changes::set_section(c, (evening, w.lab), before, &new, None, "a test", &w.coordinator))
                    .map(|_| ())
                    .unwrap_or_else(allowed);
            });
            s.spawn(|| w.bring(&class(["30.53", "3.053"][round as usize % 2])));
            s.spawn(|| w.run(|c| sheets::release(c, &docket::Filter::default(), &w.coordinator)));
        });
        let differs = w.differences();
        assert!(differs.is_empty(), "round {round}: {differs:#?}");
    }
    let (_, faults) = w.run(events::check);
    assert!(faults.is_empty(), "{faults:?}");
}

/// A protocol or a setting is just being switched and waits for one table, and a revision of that table and a first table of
/// another team are handed in: both are judged by what is in force when they are kept. A gate on the table's row puts the two
/// in this order.
#[test]
fn what_is_handed_in_while_a_protocol_or_a_setting_is_switched_is_judged_by_the_new() {
    for what in ["protocol", "section"] {
        let name = format!("switched_{what}");
        let w = world(&name);
        w.bring(&csv("Morning", "Alfa", "30.53"));
        let row = w.run(|c| docket::of_lab(c, w.lab, &w.coordinator)).remove(0);
        let before = w.run(|c| sections::get(c, row.section_id, w.lab)).version;
        // Offered beforehand, as people do: an offer waits for the lab by itself.
        let text = csv("Morning", "Alfa", "3.053") + &csv("Morning", "Bittern", "3.053").replace(HEADER, "");
        let offered = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "second.csv", text.as_bytes()));
        let mut gate = another(&name);
        let held = format!("START TRANSACTION; SELECT id FROM sheets WHERE id = {} FOR UPDATE", row.id);
        gate.batch_execute(&held).expect("held");
        let pause = || std::thread::sleep(std::time::Duration::from_millis(700));
        std::thread::scope(|s| {
            let w = &w;
            s.spawn(move || {
                if what == "protocol" {
                    w.put_in_force(&version(2, "1")).expect("in force");
                    return;
                }
                let waivers = vec![Waiver { item: "plate_volume".into(), reason: "a test".into() }];
                let new = Section { waivers, ..Section::default() };
                w.run(|c| {
                    let place = (row.section_id, w.lab);
                    changes::set_section(c, place, before, &new, None, "a test", &w.coordinator)
                });
            });
            pause();
            s.spawn(move || w.run(|c| imports::take(c, offered, &w.coordinator)));
            pause();
            gate.batch_execute("ROLLBACK").expect("opened");
        });
        let differs = w.differences();
        assert!(differs.is_empty(), "{what}: {differs:#?}");
    }
}

#[test]
fn first_files_of_a_lab_taken_at_once_all_go_in() {
    let w = world("first");
    let teams: Vec<String> = (1..=10).map(|i| format!("T{i}")).collect();
    let names: Vec<&str> = teams.iter().map(String::as_str).collect();
    let watches: Vec<String> = (0..6).map(|i| format!("Watch {i}")).collect();
    let lists: Vec<(&str, &[&str])> = watches.iter().map(|s| (s.as_str(), &names[..])).collect();
    w.run(|c| roster::add(c, &lists));
    for round in 0..4 {
        let lab = w
            .run(|c| labs::install(c, &KEEL_PLATE.replacen("id = \"keel-plate\"", &format!("id = \"lab-{round}\""), 1)))
            .id;
        std::thread::scope(|s| {
            for (i, section) in watches.iter().enumerate() {
                let (w, names) = (&w, &names);
                s.spawn(move || {
                    // Each file has its own section and one team of the next, in the opposite order.
                    let next = format!("Watch {}", (i + 1) % 6);
                    let mut text = HEADER.to_owned();
                    names.iter().rev().for_each(|t| text += &csv(section, t, "30.53").replace(HEADER, ""));
                    text += &csv(&next, names[0], "30.53").replace(HEADER, "");
                    let id = w.run(|c| imports::offer(c, lab, &w.coordinator, "a.csv", text.as_bytes()));
                    w.run(|c| imports::take(c, id, &w.coordinator))
                });
            }
        });
        assert_eq!(w.run(|c| docket::of_lab(c, lab, &w.coordinator)).len(), 60);
    }
    assert!(w.differences().is_empty());
}

#[test]
fn two_who_ask_for_the_next_at_once_both_get_one() {
    let w = world("next");
    let teams: Vec<String> = (1..=40).map(|i| format!("T{i}")).collect();
    let names: Vec<&str> = teams.iter().map(String::as_str).collect();
    w.run(|c| roster::add(c, &[("Morning", &names)]));
    let mut text = HEADER.to_owned();
    names.iter().for_each(|t| text += &csv("Morning", t, "3.053").replace(HEADER, ""));
    w.bring(&text);
    for round in 0..20 {
        let got: Vec<Option<u32>> = std::thread::scope(|s| {
            let people = [&w.coordinator, &w.reviewer];
            let asked: Vec<_> =
                people.map(|p| s.spawn(|| w.run(|c| hands::take_next(c, p, None, None)))).into_iter().collect();
            asked.into_iter().map(|a| a.join().expect("no panic")).collect()
        });
        assert!(got[0].is_some() && got[1].is_some() && got[0] != got[1], "round {round}: {got:?}");
        got.into_iter().flatten().for_each(|id| w.run(|c| hands::let_go(c, id)));
    }
}

/// A migration that was cut off after any of its statements goes on, and two processes may begin at once.
#[test]
fn tables_are_brought_up_to_date_from_wherever_it_was_cut_off() {
    let url = std::env::var("TEST_DATABASE_URL").expect("a server");
    let base = url.rsplit_once('/').expect("a database").0.to_owned();
    let fresh = |name: &str| {
        let mut root = MysqlConnection::establish(&url).expect("the server answers");
        root.batch_execute(&format!(
            "DROP DATABASE IF EXISTS jurado_store_{name}; CREATE DATABASE jurado_store_{name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
        ))
        .expect("a fresh database");
        format!("{base}/jurado_store_{name}")
    };
    let statements = |text: &str| -> Vec<String> {
        let lines: Vec<&str> = text.lines().filter(|l| !l.trim_start().starts_with("--")).collect();
        lines.join("\n").split(";\n").map(str::trim).filter(|s| !s.is_empty()).map(str::to_owned).collect()
    };
    let first = statements(include_str!("../migrations/2026-11-24-000001_first/up.sql"));
    let second = statements(include_str!("../migrations/2026-11-25-000002_evening/up.sql"));
    let third = statements(include_str!("../migrations/2026-11-27-000004_records/up.sql"));
    let all: Vec<&String> = first.iter().chain(&second).chain(&third).collect();
    for cut in (1..=all.len()).step_by(3).chain([all.len()]) {
        let place = fresh("cut");
        let mut c = MysqlConnection::establish(&place).expect("connected");
        for statement in &all[..cut] {
            c.batch_execute(statement).expect("as written");
        }
        let store = Store::open(&place);
        store.migrate().unwrap_or_else(|e| panic!("cut off after {cut} statements: {e}"));
        store.run(|c| roster::add(c, &[("Morning", &["Alfa"])])).expect("it works");
    }
    let place = fresh("both");
    std::thread::scope(|s| {
        let started: Vec<_> = (0..3).map(|_| s.spawn(|| Store::open(&place).migrate())).collect();
        started.into_iter().for_each(|t| t.join().expect("no panic").expect("all come up"));
    });
}

#[test]
fn a_server_that_never_answers_is_given_up() {
    let w = world("silent");
    let url = std::env::var("TEST_DATABASE_URL").expect("a server");
    let base = url.rsplit_once('/').expect("a database").0.to_owned();
    let limit = std::time::Duration::from_millis(700);
    let store = Store::open_within(&format!("{base}/jurado_store_silent"), limit);
    store.look(labs::all).expect("it answers");
    other("silent", "CREATE TABLE slow AS SELECT 1 AS a");
    // A row that is held for longer than the limit stands for a server that says nothing.
    let mut holder = MysqlConnection::establish(&format!("{base}/jurado_store_silent")).expect("connected");
    holder.batch_execute("SET autocommit = 0; SELECT id FROM labs FOR UPDATE").expect("held");
    let begun = std::time::Instant::now();
    let told = store.run(|c| {
        labs::install(c, &version(2, "1")).and_then(|lab| changes::ask_in_force_of(c, &lab, lab.protocol_id, None, "x"))
    });
    assert!(matches!(told, Err(StoreError::Unavailable(_))), "{told:?}");
    assert!(begun.elapsed() < std::time::Duration::from_secs(6), "{:?}", begun.elapsed());
    drop(holder);
    assert_eq!(store.look(labs::all).expect("another connection is made").len(), 1);
    drop(w);
}

/// Workers look for work all the time: whoever asked finds it done all the same when the page comes.
#[test]
fn whoever_asks_for_a_protocol_finds_it_in_force_though_a_worker_was_quicker() {
    let w = world("quicker");
    w.bring(&(csv("Morning", "Alfa", "303.3") + &csv("Evening", "Zulu", "30.53").replace(HEADER, "")));
    let workers = jurado_store::Workers::start(&w.store);
    for n in 2..8 {
        let job = w.run(|c| changes::ask_in_force(c, &version(n, "1"), Some(&w.coordinator), "a test"));
        // Long enough for a worker to see it first.
        std::thread::sleep(std::time::Duration::from_millis(u64::from(n % 3) * 200));
        assert_eq!(jurado_store::work_on(&w.store, job.id).expect("asked").state, JobState::Done);
        assert_eq!(w.run(|c| labs::get(c, w.lab)).protocol.version, n);
    }
    workers.stop();
    assert!(w.differences().is_empty());
}
