//! The evening's queries against a real MariaDB: the Docket's list against a plain model of it, pictures, columns that were
//! said, a protocol put in force, what goes out, and a connection that died.
#![allow(missing_docs)]

mod common;

use common::*;
use diesel::Connection as _;
use diesel::MysqlConnection;
use diesel::connection::SimpleConnection;
use jurado_core::decision::Action;
use jurado_core::summary::Mark;
use jurado_intake::ColumnMap;
use jurado_store::{
    Db, DocketRow, Filter, NewDecision, Order, SheetState, StoreError, User, attachments, docket, door, imports, labs,
    roster, sheets,
};
use rust_decimal::Decimal;

/// What a filter lets through, said once more in the plainest way.
fn lets_through(row: &DocketRow, filter: &Filter) -> bool {
    let state = match filter.state.as_deref() {
        Some("waiting") => row.state == SheetState::Waiting,
        Some("wants") => row.wants(),
        Some("clear") => row.is_clear(),
        Some("signed" | "returned") => Some(row.state.word()) == filter.state.as_deref(),
        _ => true,
    };
    let found = filter.find.as_deref().map(str::trim).is_none_or(|f| {
        row.team.to_lowercase().contains(&f.to_lowercase()) || row.station.to_lowercase().contains(&f.to_lowercase())
    });
    state
        && found
        && filter.lab.is_none_or(|l| l == row.lab_id)
        && filter.section.is_none_or(|s| s == row.section_id)
        && filter.mark.is_none_or(|m| m == row.mark)
}

#[test]
fn the_docket_lists_what_its_filter_says_in_its_order_for_whoever_asks() {
    let w = world("filters");
    let teams: Vec<String> =
        (1..=9).map(|i| format!("Gull {i}")).chain(["50% ebb".into(), "a_b".into(), "c\\d".into()]).collect();
    let names: Vec<&str> = teams.iter().map(String::as_str).collect();
    w.run(|c| roster::add(c, &[("Morning", &names), ("Evening", &["Gull 1", "Knot"])]));
    let second = w.run(|c| {
        let source = KEEL_PLATE.replacen("id = \"keel-plate\"", "id = \"other-plate\"", 1);
        assert_ne!(source, KEEL_PLATE);
        labs::install(c, &source)
    });
    let mut text = String::new();
    for (i, team) in names.iter().enumerate() {
        text += &csv("Morning", team, ["3.053", "30.53", "x", "30.5"][i % 4]).replace(HEADER, "");
    }
    text += &csv("Evening", "Knot", "3.053").replace(HEADER, "");
    w.bring(&format!("{HEADER}{text}"));
    w.run(|c| {
        let id = imports::offer(c, second.id, &w.coordinator, "second.csv", format!("{HEADER}{text}").as_bytes())?;
        imports::take(c, id, &w.coordinator)
    });
    // Some are decided, some of those signed, some of those returned.
    let all = |c: &mut Db| docket::list(c, &w.coordinator, &Filter::default(), Order::Roster, i64::MAX);
    for row in w.run(all) {
        if row.id % 3 != 1 {
            let version = w.decide_all(row.id);
            if row.id % 3 == 0 {
                w.run(|c| sheets::sign(c, row.id, version, &w.coordinator));
            }
        }
    }
    let released = Filter { lab: Some(second.id), ..Filter::default() };
    assert!(w.run(|c| sheets::release(c, &released, &w.coordinator)) > 2);
    let rows = w.run(all);
    let states: std::collections::BTreeSet<(&str, bool)> = rows.iter().map(|r| (r.state.word(), r.wants())).collect();
    assert_eq!(states.len(), 4, "something wants a person, looks clear, is signed, is returned: {states:?}");

    let sections: Vec<u32> =
        rows.iter().map(|r| r.section_id).collect::<std::collections::BTreeSet<_>>().into_iter().collect();
    let mut asked = 0;
    for lab in [None, Some(w.lab), Some(second.id), Some(999)] {
        for section in [None, Some(sections[0]), Some(sections[1])] {
            for state in
                [None, Some("waiting"), Some("wants"), Some("clear"), Some("signed"), Some("returned"), Some("lost")]
            {
                for (mark, find) in [
                    (None, None),
                    (Some(Mark::Slip), None),
                    (Some(Mark::Agrees), Some("gull")),
                    (None, Some("GULL 1")),
                    (None, Some("%")),
                    (None, Some("a_b")),
                    (None, Some("_")),
                    (None, Some("c\\d")),
                    (None, Some("  ")),
                    (None, Some("'; DROP TABLE sheets; --")),
                ] {
                    let filter =
                        Filter { lab, section, state: state.map(str::to_owned), mark, find: find.map(str::to_owned) };
                    for user in [&w.coordinator, &w.reviewer] {
                        let mut want: Vec<u32> = rows
                            .iter()
                            .filter(|r| user.sees(r.section_id) && lets_through(r, &filter))
                            .map(|r| r.id)
                            .collect();
                        let got = w.run(|c| docket::list(c, user, &filter, Order::Roster, i64::MAX));
                        let mut ids: Vec<u32> = got.iter().map(|r| r.id).collect();
                        ids.sort_unstable();
                        want.sort_unstable();
                        assert_eq!(ids, want, "{filter:?}");
                        // What most needs a person first: what wants one, the more hangs on it the earlier.
                        let needed = w.run(|c| docket::list(c, user, &filter, Order::Need, 7));
                        assert_eq!(needed.len(), want.len().min(7), "{filter:?}");
                        let rank = |r: &DocketRow| (!r.wants(), !r.is_clear(), r.state == SheetState::Returned);
                        for pair in needed.windows(2) {
                            let (a, b) = (&pair[0], &pair[1]);
                            assert!(
                                rank(a) < rank(b) || (rank(a) == rank(b) && a.hanging >= b.hanging),
                                "{filter:?}: {a:?} {b:?}"
                            );
                        }
                        asked += 1;
                    }
                }
            }
        }
    }
    assert_eq!(asked, 4 * 3 * 7 * 10 * 2);
    for user in [&w.coordinator, &w.reviewer] {
        // Counts and points are those of the list.
        let mine: Vec<&DocketRow> = rows.iter().filter(|r| user.sees(r.section_id)).collect();
        let counts = w.run(|c| docket::counts(c, user));
        for (place, n) in &counts {
            let here = |f: &dyn Fn(&DocketRow) -> bool| {
                mine.iter().filter(|r| (r.lab_id, r.section_id) == *place && f(r)).count()
            };
            assert_eq!(
                (n.wants, n.clear, n.decided, n.returned),
                (
                    here(&|r| r.wants()),
                    here(&|r| r.is_clear()),
                    here(&|r| r.state == SheetState::Signed),
                    here(&|r| r.state == SheetState::Returned)
                )
            );
        }
        assert_eq!(counts.values().map(|n| n.all()).sum::<usize>(), mine.len());
        let hang: f64 = mine.iter().filter(|r| r.wants()).map(|r| f64::try_from(r.hanging).expect("points")).sum();
        assert!((w.run(|c| docket::hanging(c, user)) - hang).abs() < 1e-9);
    }
}

/// A picture of 4 × 3 pixels, each of another `n`.
fn picture(n: u8) -> Vec<u8> {
    [&b"\xff\xd8\xff\xc0\0\x0b\x08\0\x03\0\x04\x01\x01\x11\0\xff\xda\0\x08\x01\x01\0\0\x3f\0"[..], &[n, 0xff, 0xd9]]
        .concat()
}

#[test]
fn pictures_are_what_their_bytes_say_and_belong_to_one_table() {
    let w = world("pictures");
    w.bring(&(csv("Morning", "Alfa", "3.053") + &csv("Evening", "Zulu", "3.053").replace(HEADER, "")));
    let (mine, theirs) = (w.sheet("Alfa"), w.sheet("Zulu"));
    let add =
        |sheet: u32, name: &str, body: &[u8]| w.store.run(|c| attachments::add(c, sheet, &w.reviewer, name, body));
    let first = add(mine, "graph.png", &picture(0)).expect("it is a picture");
    assert_eq!(add(mine, "the same again.png", &picture(0)).expect("it changes nothing"), first);
    assert!(
        matches!(add(theirs, "graph.png", &picture(0)), Err(StoreError::NotFound(_))),
        "another section's table looks like none"
    );
    for (name, body, says) in [
        ("words.png", b"words".to_vec(), "“words.png” is no picture and no PDF"),
        ("big.png", [picture(0), vec![0; attachments::MOST_BYTES]].concat(), "“big.png” has 12 megabytes"),
    ] {
        match add(mine, name, &body) {
            Err(StoreError::File(f)) => assert!(f.what.starts_with(says), "{}", f.what),
            other => panic!("{name}: {other:?}"),
        }
    }
    for n in 1..attachments::MOST_FILES as u8 {
        add(mine, "more.png", &picture(n)).expect("there is room");
    }
    assert!(
        matches!(add(mine, "one too many.png", &picture(99)), Err(StoreError::File(f)) if f.what.contains("12 attachments"))
    );
    let detail = w.run(|c| sheets::get(c, mine, &w.reviewer));
    let all = w.run(|c| attachments::of(c, w.lab, detail.team_id));
    assert_eq!(
        (all.len() as i64, all[0].file_name.as_str(), all[0].media.as_str()),
        (attachments::MOST_FILES, "graph.png", "image/jpeg")
    );
    assert_eq!(w.run(|c| attachments::get(c, first, &w.reviewer)).1, picture(0));
    // Nobody takes away, or looks at, what is with a table that is not theirs to see.
    let theirs_picture = w.run(|c| attachments::add(c, theirs, &w.coordinator, "theirs.png", &picture(0)));
    assert!(matches!(w.store.run(|c| attachments::get(c, theirs_picture, &w.reviewer)), Err(StoreError::NotFound(_))));
    assert!(matches!(
        w.store.run(|c| attachments::remove(c, mine, theirs_picture, &w.reviewer)),
        Err(StoreError::NotFound(_))
    ));
    w.run(|c| attachments::remove(c, mine, first, &w.reviewer));
    assert!(matches!(w.store.run(|c| attachments::get(c, first, &w.reviewer)), Err(StoreError::NotFound(_))));
}

#[test]
fn a_file_is_put_to_the_team_that_its_name_says_alone() {
    let w = world("named");
    w.run(|c| roster::add(c, &[("Morning", &["Knot", "Red Knot", "Tern"]), ("Evening", &["Tern", "Stint"])]));
    let named = |user, name: &str| {
        w.run(|c| attachments::team_named(c, user, name)).map(|t| format!("{} of {}", t.name, t.section))
    };
    for (name, expected) in [
        ("Alfa graph.png", Some("Alfa of Morning")),
        ("graph_of-ALFA (2).jpg", Some("Alfa of Morning")),
        ("alfabet.png", None),
        ("red-knot.pdf", Some("Red Knot of Morning")),
        ("knot.pdf", Some("Knot of Morning")),
        // Two sections have a team of this name.
        ("tern.png", None),
        ("evening tern.png", Some("Tern of Evening")),
        ("Tern, Morning.png", Some("Tern of Morning")),
        ("alfa and bittern.png", Some("Bittern of Morning")),
        ("holiday.png", None),
        (".png", None),
        ("", None),
    ] {
        assert_eq!(named(&w.coordinator, name).as_deref(), expected, "{name}");
    }
    // For a reviewer only own sections count: there one Tern is left, and no Stint.
    assert_eq!(named(&w.reviewer, "tern.png").as_deref(), Some("Tern of Morning"));
    assert_eq!(named(&w.reviewer, "stint.png"), None);
}

#[test]
fn what_was_said_of_columns_holds_for_the_same_head_in_the_same_lab() {
    let w = world("columns");
    let offer = |lab: u32, text: &str| w.run(|c| imports::offer(c, lab, &w.coordinator, "wide.csv", text.as_bytes()));
    let tables =
        |id: u32| w.run(|c| imports::preview(c, id, &w.coordinator)).intake.map(|i| i.tables.len()).unwrap_or(0);
    let head = "who;how long;how wide\n";
    let first = offer(w.lab, &format!("{head}Alfa;84.44;41.92\n"));
    assert_eq!(tables(first), 0, "nothing says whose it is");
    let map = ColumnMap {
        columns: ["team", "cell:plate_length", "cell:plate_width"].map(str::to_owned).to_vec(),
        section: "Morning".into(),
    };
    w.run(|c| imports::say_columns(c, first, &w.coordinator, &map));
    assert_eq!(tables(first), 1);
    assert_eq!(tables(offer(w.lab, &format!("{head}Bittern;84.40;41.90\n"))), 1, "the next file asks nothing");
    assert_eq!(tables(offer(w.lab, "who;how wide;how long\nAlfa;41.92;84.44\n")), 0, "another head is another matter");
    let other = w.run(|c| labs::install(c, &KEEL_PLATE.replacen("id = \"keel-plate\"", "id = \"other-plate\"", 1))).id;
    assert_eq!(tables(offer(other, &format!("{head}Alfa;84.44;41.92\n"))), 0, "and so is another lab");
    // Said again, the later word counts.
    let swapped =
        ColumnMap { columns: ["team", "cell:plate_width", "cell:plate_length"].map(str::to_owned).to_vec(), ..map };
    w.run(|c| imports::say_columns(c, first, &w.coordinator, &swapped));
    let look = w.run(|c| imports::preview(c, first, &w.coordinator)).intake.expect("it is read");
    let length = look.tables[0].cells.iter().find(|c| c.item == "plate_length").map(|c| c.value.clone());
    assert_eq!(length.as_deref(), Some("41.92"));
}

#[test]
fn a_file_and_what_was_said_of_its_columns_are_each_persons_own() {
    let w = world("own");
    let head = "who;how long\n";
    let offer = |user: &User, text: &str| w.run(|c| imports::offer(c, w.lab, user, "wide.csv", text.as_bytes()));
    let tables = |id: u32, user: &User| {
        w.run(|c| imports::preview(c, id, user)).intake.map(|i| (i.tables.len(), i.held.len())).unwrap_or((0, 0))
    };
    let text = format!("{head}Alfa;84.44\n");
    let (theirs, mine) = (offer(&w.reviewer, &text), offer(&w.coordinator, &text));
    assert_ne!(theirs, mine, "the same file from two people is two files");
    assert_eq!(offer(&w.reviewer, &text), theirs, "and from one person one");
    // A section said by one person is not the section of another's file with the same head.
    let map =
        ColumnMap { columns: ["team", "cell:plate_length"].map(str::to_owned).to_vec(), section: "Morning".into() };
    w.run(|c| imports::say_columns(c, theirs, &w.reviewer, &map));
    assert_eq!(tables(theirs, &w.reviewer), (1, 0));
    assert_eq!(tables(mine, &w.coordinator), (0, 0), "the coordinator's waits for a word of its own");
    w.run(|c| imports::drop(c, mine, &w.coordinator));
    assert_eq!(w.run(|c| imports::take(c, theirs, &w.reviewer)).new, 1, "put aside by one, taken by the other");
    assert!(matches!(w.store.run(|c| imports::preview(c, mine, &w.reviewer)), Err(StoreError::NotFound(_))));
}

#[test]
fn a_file_that_ended_the_program_is_not_read_again() {
    let w = world("aside");
    let id = w.run(|c| imports::offer(c, w.lab, &w.coordinator, "x.csv", csv("Morning", "Alfa", "30.53").as_bytes()));
    w.run(|c| imports::set_aside(c, id, Some(&imports::being_read())));
    let look = w.run(|c| imports::preview(c, id, &w.coordinator));
    assert!(
        matches!(&look.intake, Err(f) if f.what.contains("the program ended while it read this file")),
        "{:?}",
        look.intake
    );
    assert!(matches!(w.store.run(|c| imports::take(c, id, &w.coordinator)), Err(StoreError::File(_))));
    assert!(
        w.run(|c| {
            let effort = jurado_intake::Effort::new(jurado_intake::UPLOAD);
            imports::read_anew(c, id, &w.coordinator, csv("Morning", "Alfa", "30.53").as_bytes(), &effort)
        })
        .intake
        .is_ok()
    );
    w.run(|c| imports::set_aside(c, id, None));
    assert_eq!(w.run(|c| imports::take(c, id, &w.coordinator)).new, 1);
}

#[test]
fn a_protocol_in_force_judges_anew_and_one_with_faults_changes_nothing() {
    let w = world("force");
    w.bring(&csv("Morning", "Alfa", "303.3"));
    let id = w.sheet("Alfa");
    let awarded = || w.run(|c| docket::of_lab(c, w.lab, &w.coordinator))[0].awarded;
    let before = awarded();
    let version = |source: &str, n: u32| {
        let out = source.replacen("version = 1", &format!("version = {n}"), 1);
        assert_ne!(out, source);
        out
    };
    let broken = version(KEEL_PLATE, 2).replacen("formula = \"", "formula = \"nothing + ", 1);
    assert!(matches!(w.put_in_force(&broken), Err(StoreError::Protocol(_))));
    assert_eq!(w.run(|c| labs::get(c, w.lab)).protocol.version, 1);
    assert_eq!(w.run(|c| labs::versions(c, "keel-plate")).len(), 1);
    // A rule that a slip costs everything.
    let dear = version(KEEL_PLATE, 2).replacen("decimal-point = \"0.25\"", "decimal-point = \"1\"", 1);
    let seen = w.run(|c| sheets::get(c, id, &w.coordinator)).version;
    assert_eq!(w.put_in_force(&dear).expect("in force"), 1);
    assert_ne!(awarded(), before, "the points are those of the protocol in force");
    assert_eq!(w.run(|c| labs::get(c, w.lab)).protocol.version, 2);
    // Whoever decides by what was seen before is told what changed.
    match w.accept(id, seen, &w.reviewer) {
        Err(StoreError::Conflict(c)) => assert!(c.theirs.contains("version 2 of the lab’s protocol"), "{c}"),
        other => panic!("{other:?}"),
    }
    let now = w.run(|c| sheets::get(c, id, &w.coordinator)).version;
    w.put_in_force(&dear).expect("the same again");
    assert_eq!(w.run(|c| sheets::get(c, id, &w.coordinator)).version, now, "the same again changes nothing");
    let versions: Vec<u32> = w.run(|c| labs::versions(c, "keel-plate")).iter().map(|v| v.version).collect();
    assert_eq!(versions, [2, 1], "the one before is kept");
    // Back to the first: its text is known already.
    w.put_in_force(KEEL_PLATE).expect("in force");
    assert_eq!(awarded(), before);
    assert_eq!(w.run(|c| sheets::get(c, id, &w.coordinator)).revision, 1, "the table itself is as it was");
}

#[test]
fn what_went_out_is_kept_and_the_next_return_knows_what_changed() {
    let w = world("out");
    w.bring(&csv("Morning", "Alfa", "3.053"));
    let id = w.sheet("Alfa");
    let get = || w.run(|c| sheets::get(c, id, &w.coordinator));
    let open = || {
        let lab = w.run(|c| labs::get(c, w.lab));
        get().judge(&lab.protocol).findings.iter().filter(|f| f.open()).map(|f| f.key.clone()).collect::<Vec<_>>()
    };
    let decide = |action: Action, reason: &str| {
        let new: Vec<NewDecision> = open().iter().map(|k| NewDecision::new(k, action, reason)).collect();
        w.run(|c| sheets::decide(c, id, get().version, &w.coordinator, &new));
    };
    let filter = Filter { lab: Some(w.lab), ..Filter::default() };
    assert_eq!(w.run(|c| sheets::release(c, &filter, &w.coordinator)), 0, "nothing is signed");
    decide(Action::Accept, "");
    w.run(|c| sheets::sign(c, id, get().version, &w.coordinator));
    assert_eq!(w.run(|c| sheets::release(c, &filter, &w.reviewer)), 1);
    let first = get();
    assert_eq!(first.state, SheetState::Returned);
    let sent = first.went_out.clone().expect("it went out");
    let by_line: Decimal = sent.lines.iter().map(|l| l.points.parse::<Decimal>().expect("a number")).sum();
    assert_eq!(sent.points, by_line.normalize());
    // Points changed after it went out: it waits again, and what went out is still known.
    let line = sent.lines.iter().find(|l| l.points != "0").expect("a line with points").criterion.clone();
    let change = [NewDecision::new(format!("line:{line}"), Action::Points("0".parse().expect("points")), "seen again")];
    w.run(|c| sheets::decide(c, id, first.version, &w.coordinator, &change));
    let again = get();
    assert_eq!(again.state, SheetState::Waiting);
    assert_eq!(again.went_out.expect("it is still known").points, sent.points);
    let marks = |points: Decimal| {
        let marks = w.run(|c| docket::sent_marks(c, &w.coordinator, 0, None, None));
        assert_eq!(marks.iter().map(|m| m.points).collect::<Vec<_>>(), [points], "the marks file says what went out");
    };
    marks(sent.points);
    w.run(|c| sheets::sign(c, id, again.version, &w.coordinator));
    assert_eq!(w.run(|c| sheets::release(c, &filter, &w.coordinator)), 1);
    let second = get().went_out.expect("it went out again").points;
    assert!(second < sent.points, "{second} {}", sent.points);
    marks(second);
}

/// A connection that the server has closed: whoever is on it is told once that the records cannot be reached, and the next
/// one finds a connection that is there.
#[test]
fn a_connection_that_died_is_told_once_and_replaced() {
    let w = world("died");
    let number = Db::connection_number;
    let first = w.run(number);
    assert_eq!(w.run(number), first, "a connection that works is kept");
    let url = std::env::var("TEST_DATABASE_URL").expect("a server");
    let mut other = MysqlConnection::establish(&url).expect("another connection");
    other.batch_execute(&format!("KILL {first}")).expect("closed");
    let told = w.store.run(labs::all);
    assert!(matches!(told, Err(StoreError::Unavailable(_))), "{:?}", told.err());
    assert_ne!(w.run(number), first);
    assert_eq!(w.run(labs::all).len(), 1);
    // Rested for longer than a connection is taken to be there, it is asked first, and nobody is told anything.
    let second = w.run(number);
    other.batch_execute(&format!("KILL {second}")).expect("closed");
    std::thread::sleep(std::time::Duration::from_millis(1_200));
    assert_eq!(w.run(labs::all).len(), 1);
}

/// A sheet counts from the moment that it arrived, whatever it waited for since.
#[test]
fn a_hand_in_that_waited_over_its_due_time_is_on_time() {
    use std::time::{Duration, Instant};
    let w = world("arrived");
    let morning = w.run(|c| roster::sections(c, &w.coordinator)).iter().find(|s| s.name == "Morning").expect("it").id;
    let codes = w.run(|c| door::make_codes(c, morning, true, &w.coordinator));
    let code = codes.iter().find(|(team, _)| team == "Alfa").expect("a team").1.clone();
    let team = w.run(|c| door::team_of(c, &code)).expect("it opens");
    sql(
        &w,
        &format!(
            "REPLACE INTO section_labs (section_id, lab_id, version, settings, due_at) \
             VALUES ({morning}, {}, 1, '{{}}', UTC_TIMESTAMP() - INTERVAL 20 SECOND)",
            w.lab
        ),
    );
    let table = jurado_intake::read_csv(
        csv("Morning", "Alfa", "30.33").as_bytes(),
        &w.run(|c| labs::get(c, w.lab)).protocol,
        None,
    )
    .expect("a table")
    .tables
    .remove(0);
    for (version, (waited, late)) in (0..).zip([(0, true), (40, false), (10, true), (25, false)]) {
        let arrived = Instant::now().checked_sub(Duration::from_secs(waited)).expect("a moment");
        let receipt = w.run(|c| door::hand_in(c, &team, w.lab, (&table, b"file"), (version, "[]"), arrived));
        assert_eq!(receipt.minutes_late.is_some(), late, "{waited} s waited: {receipt:?}");
    }
    assert!(w.differences().is_empty());
}
