//! What is kept of a person: given, erased, and kept no longer than the course says.

use jurado_store::settings::{self, Course};
use jurado_store::{privacy, terms};

use super::*;

/// Two students of one team and one who is a team alone, with what they did.
async fn peopled(name: &str) -> Site {
    let s = site(name).await;
    let chief = s.user("chief");
    s.run(|c| {
        let line = |section: &str, team: &str, number: &str, name: &str| roster::Student {
            section: section.into(),
            team: team.into(),
            number: number.into(),
            name: name.into(),
        };
        let lines = [
            line("Morning", "Alfa", "TS1", "A. Bowline"),
            line("Morning", "Alfa", "TS2", "B. Cleat"),
            line("Evening", "C. Clew", "TS3", "C. Clew"),
        ];
        roster::enrol(c, &lines, &chief)
    });
    s.bring(&csv("Morning", "Alfa", "99"));
    s.bring(&csv("Evening", "C. Clew", "99"));
    for team in ["Alfa", "C. Clew"] {
        let version = s.decide_open(s.sheet(team), "chief", |_| (Action::Accept, ""));
        s.run(|c| sheets::sign(c, s.sheet(team), version, &chief));
    }
    s.run(|c| sheets::release(c, &jurado_store::Filter::default(), &chief).map(|_| ()));
    s
}

/// How often a text stands anywhere in the tables that hold what people are called.
fn stands(s: &Site, text: &str) -> i64 {
    let in_all = |columns: &[(&str, &str)]| {
        let each =
            |(table, column): &(&str, &str)| format!("(SELECT COUNT(*) FROM {table} WHERE {column} LIKE '%{text}%')");
        columns.iter().map(each).collect::<Vec<_>>().join(" + ")
    };
    s.count(&format!(
        "SELECT {}",
        in_all(&[
            ("students", "name"),
            ("students", "number"),
            ("teams", "name"),
            ("users", "name"),
            ("users", "sign_in"),
            ("events", "about"),
            ("events", "reason"),
            ("sheets", "changed_by"),
            ("went_out", "judged_from"),
            ("questions", "body"),
        ])
    ))
}

#[actix_web::test]
async fn a_student_is_given_what_is_kept_and_erased_and_the_teams_work_stays() {
    let s = peopled("privacy_student").await;
    let (chief, rev) = (s.browser("chief").await, s.browser("rev").await);
    assert_eq!(rev.get("/course/student?number=TS1").await.status, 403);
    let none = chief.get("/course/student?number=TS9").await;
    assert!(none.status == 422 && words(&none.body).contains("No student has the number “TS9”"));
    let data = chief.get("/course/student?number=TS1").await;
    assert_eq!((data.status, data.kind.as_str()), (200, "application/json; charset=utf-8"));
    assert!(data.body.contains("A. Bowline") && data.body.contains("\"team\": \"Alfa\""), "{}", data.body);
    assert!(data.body.contains("\"sheets returned\": [\n        {"), "what went out is in it: {}", data.body);
    assert!(!data.body.contains("Cleat") && !data.body.contains("TS2"), "nothing of another student: {}", data.body);
    let marks = s.count("SELECT SUM(CRC32(CONCAT(id, decided, state, outcome))) FROM sheets");
    let erase = "/course/student/erase";
    for (fields, says) in [
        (vec![("number", "TS1"), ("reason", "asked to")], "tick that you are sure"),
        (vec![("number", "TS1"), ("sure", "on")], "The reason is empty"),
        (vec![("number", "TS9"), ("reason", "x"), ("sure", "on")], "No student has the number"),
    ] {
        let told = chief.refused(erase, &fields).await;
        assert!(told.contains(says), "{told}");
    }
    assert_eq!(stands(&s, "Bowline"), 1);
    chief.done(erase, &[("number", "TS1"), ("reason", "asked to"), ("sure", "on")]).await;
    assert_eq!((stands(&s, "Bowline"), stands(&s, "TS1")), (0, 0));
    assert_eq!((stands(&s, "Cleat"), stands(&s, "TS2")), (1, 1), "the other of the team stays");
    assert_eq!(s.count("SELECT COUNT(*) FROM teams WHERE name = 'Alfa'"), 1, "and so does the team's name");
    // Whoever is a team alone takes its name along.
    chief.done(erase, &[("number", "TS3"), ("reason", "asked to"), ("sure", "on")]).await;
    assert_eq!(stands(&s, "Clew"), 0);
    assert_eq!(s.count("SELECT SUM(CRC32(CONCAT(id, decided, state, outcome))) FROM sheets"), marks, "no mark moved");
    let again = chief.refused(erase, &[("number", "erased 1"), ("reason", "x"), ("sure", "on")]).await;
    assert!(again.contains("No student has the number"), "{again}");
    let sheet = chief.get(&format!("/returns/{}", s.count("SELECT MAX(id) FROM sheets"))).await;
    assert_eq!(sheet.status, 200, "its sheet is still read");
    assert!(s.run(jurado_store::events::check).1.is_empty(), "the record is whole");
}

#[actix_web::test]
async fn somebody_who_signs_in_is_erased_once_closed_and_what_was_decided_stays() {
    let s = peopled("privacy_person").await;
    let chief = s.browser("chief").await;
    let rev = s.ids["rev"];
    s.alter(&format!("UPDATE users SET name = 'Rowena Quoin', sign_in = 'rquoin' WHERE id = {rev}"));
    let sheet = s.sheet("Alfa");
    let version = s.count(&format!("SELECT version FROM sheets WHERE id = {sheet}")) as u32;
    let who = s.user("rev");
    s.run(|c| {
        let word = NewDecision::new(
            Key::Own { criterion: String::new(), number: "77".into() },
            Action::Points(Decimal::ZERO),
            "well measured",
        );
        sheets::decide(c, sheet, version, &who, &[word])?;
        sheets::sign(c, sheet, version + 1, &who)?;
        sheets::release(c, &jurado_store::Filter::default(), &s.user("chief")).map(|_| ())
    });
    assert!(stands(&s, "Rowena Quoin") >= 2, "{}", stands(&s, "Rowena Quoin"));
    let data = chief.get(&format!("/people/{rev}/data")).await;
    assert!(data.body.contains("Rowena Quoin") && data.body.contains("well measured"), "{}", data.body);
    let path = format!("/people/{rev}");
    let told = chief.refused(&path, &[("then", "erase"), ("reason", "left")]).await;
    assert!(told.contains("may still sign in"), "{told}");
    chief.done(&path, &[("then", "close")]).await;
    assert!(chief.refused(&path, &[("then", "erase"), ("reason", " ")]).await.contains("The reason is empty"));
    let marks = s.count("SELECT SUM(CRC32(CONCAT(id, decided, state, outcome))) FROM sheets");
    chief.done(&path, &[("then", "erase"), ("reason", "left the college")]).await;
    assert_eq!((stands(&s, "Quoin"), stands(&s, "rquoin")), (0, 0));
    let bench = chief.page(&format!("/bench/{sheet}")).await;
    assert!(bench.contains("well measured"), "{bench}");
    let theirs =
        "SELECT COUNT(*) FROM decisions d JOIN users u ON u.id = d.user_id WHERE u.name LIKE 'former reviewer%'";
    assert_eq!(s.count(theirs), 1, "what was decided is nobody's in particular");
    assert_eq!(s.count("SELECT SUM(CRC32(CONCAT(id, decided, state, outcome))) FROM sheets"), marks);
    assert!(s.run(jurado_store::events::check).1.is_empty(), "the record is whole");
}

#[actix_web::test]
async fn students_of_a_term_are_kept_for_as_long_as_the_course_says() {
    let s = peopled("privacy_term").await;
    let chief = s.user("chief");
    let keep = |months: u32| {
        s.run(|c| settings::set_course(c, &Course { keep_months: months, ..Course::default() }, None));
        s.run(privacy::retain)
    };
    s.run(|c| {
        let new = terms::New { ends: "Spring", begins: "Autumn", same_teams: false };
        terms::begin(c, &new, &chief)
    });
    s.run(|c| {
        let line = roster::Student {
            section: "Morning".into(),
            team: "Alfa".into(),
            number: "TS1".into(),
            name: "A. Bowline".into(),
        };
        roster::enrol(c, &[line], &chief)
    });
    assert_eq!((keep(0), keep(1)), (0, 0), "for good, or a month that has not passed");
    s.alter("UPDATE terms SET ended_at = NOW() - INTERVAL 3 MONTH + INTERVAL 1 HOUR");
    assert_eq!(keep(3), 0, "an hour before");
    s.alter("UPDATE terms SET ended_at = NOW() - INTERVAL 3 MONTH - INTERVAL 1 DAY");
    assert_eq!((keep(3), keep(3)), (3, 0), "once");
    assert_eq!(stands(&s, "Cleat"), 0);
    assert_eq!(stands(&s, "Bowline"), 1, "the term that runs keeps its own");
}
