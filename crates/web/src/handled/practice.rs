//! Practice: a class begun, worked through and told; what a course asks before the first evening; examples of its own.

use jurado_core::decision::Ruling;
use jurado_core::practice::taking_all;
use jurado_store::settings::{self, Course};
use jurado_store::{changes, practice, rulings};

use super::*;

const KEEL: &str = include_str!("../../../../protocols/keel-plate.toml");

/// Takes everything as proposed in the tables of a class and signs them, so many of them. Gives the address of the last answer.
async fn worked(s: &Site, b: &Browser<'_>, who: &str, class: u32, tables: u32) -> String {
    let user = s.user(who);
    let mut to = String::new();
    for n in 1..=tables {
        let at = format!("/practice/{class}/{n}");
        b.page(&at).await;
        let (table, protocol) = s.run(|c| {
            let (class, tables) = practice::get(c, class, &user)?;
            Ok((tables[n as usize - 1].clone(), labs::protocol(c, class.protocol_id)?))
        });
        let mut version = table.version;
        for d in taking_all(&table.judge(&protocol), "me") {
            let version_now = version.to_string();
            let fields = [("version", &*version_now), ("finding", &*d.finding.to_string()), ("action", "accept")];
            assert_eq!(b.post(&format!("{at}/decide"), &fields).await.status, 303, "{at}");
            version += 1;
        }
        let signed = b.post(&format!("{at}/sign"), &[("version", &*version.to_string())]).await;
        assert_eq!(signed.status, 303, "{at}: {}", words(&signed.body));
        to = signed.to;
    }
    to
}

#[actix_web::test]
async fn a_class_is_worked_through_on_the_bench_and_told_at_the_end_and_touches_nothing_of_the_course() {
    let s = site_of("practice_class", KEEL).await;
    let (rev, other) = (s.browser("rev").await, s.browser("other").await);
    let lab = s.lab.to_string();
    for (fields, says) in [
        ([("lab", "0"), ("kind", "plain")], "Choose a lab."),
        ([("lab", &*lab), ("kind", "impossible")], "Choose how hard the class is to be."),
        ([("lab", &*lab), ("kind", "examples")], "There is no table to practise on"),
    ] {
        let told = rev.refused("/practice", &fields).await;
        assert!(told.contains(says), "{fields:?}: {told}");
    }
    let first = rev.done("/practice", &[("lab", &lab), ("kind", "plain")]).await;
    assert!(
        first.contains("Table 1 Practice, what happens most") && first.contains("1 of 16 · only you see it"),
        "{first}"
    );
    let class = s.count("SELECT MAX(id) FROM practice_classes") as u32;
    let at = format!("/practice/{class}/1");
    assert_eq!(other.get(&at).await.status, 404, "another's looks like none");
    assert_eq!(rev.get(&format!("/practice/{class}/17")).await.status, 404);
    // What cannot be is told on the page, as on the Bench; a form of an older version is a lost race.
    let open = s.run(|c| {
        let (_, tables) = practice::get(c, class, &s.user("rev"))?;
        let protocol = labs::get(c, s.lab)?.protocol;
        Ok(tables.iter().find_map(|t| {
            let judged = t.judge(&protocol);
            judged.findings.iter().find(|f| f.open()).map(|f| (t.number, f.key.to_string()))
        }))
    });
    let (number, key) = open.expect("something is open in a class");
    let open_at = format!("/practice/{class}/{number}");
    for (rest, fields, says) in [
        (
            "decide",
            vec![("version", "1"), ("finding", &*key), ("action", "points"), ("points", "99"), ("reason", "x")],
            "99 points cannot be",
        ),
        ("decide", vec![("version", "1"), ("finding", &*key), ("action", "forgive")], "write the reason"),
        ("decide", vec![("version", "7"), ("finding", &*key), ("action", "accept")], "in another window"),
        ("own", vec![("version", "1"), ("text", " ")], "Write what the team should read."),
        ("say", vec![("version", "1"), ("finding", "slip:none"), ("text", "x")], "no longer there"),
        ("correct", vec![("version", "1"), ("reason", "")], "write the reason"),
        ("correct", vec![("version", "1"), ("reason", "x")], "Nothing differs"),
        ("sign", vec![("version", "1")], "still open"),
    ] {
        let told = rev.refused(&format!("{open_at}/{rest}"), &fields).await;
        assert!(told.contains(says), "{rest} {fields:?}: {told}");
    }
    // A word of one's own is kept, and taken back.
    rev.done(
        &format!("{open_at}/own"),
        &[("version", "1"), ("criterion", "units"), ("points", "0.5"), ("text", "No unit.")],
    )
    .await;
    rev.done(&format!("{open_at}/undo"), &[("version", "2")]).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM practice_tables WHERE decisions <> '[]'"), 0);
    rev.done(&format!("{open_at}/undo"), &[("version", "3")]).await;
    let to = worked(&s, &rev, "rev", class, 16).await;
    assert_eq!(to, format!("/practice/{class}"), "the last signature leads to the account");
    let told = rev.page(&to).await;
    let (found, planted) = (
        s.count(&format!("SELECT found FROM practice_classes WHERE id = {class}")),
        s.count(&format!("SELECT planted FROM practice_classes WHERE id = {class}")),
    );
    assert!(found > 10 && told.contains(&format!("{found} of {planted} found")), "{told}");
    assert!(
        told.contains("By kind") && told.contains("Your own habits") && told.contains("does not pass you"),
        "{told}"
    );
    // Told is told: the tables show their truth and take nothing more.
    let table = rev.page(&at).await;
    assert!(table.contains("What was true it is worth"), "{table}");
    let late = rev.refused(&format!("{at}/own"), &[("version", "9"), ("text", "x")]).await;
    assert!(late.contains("has ended"), "{late}");
    assert_eq!(other.page("/practice").await.matches("Keel plate, what").count(), 0, "a class is one person's");
    assert_eq!(s.count("SELECT (SELECT COUNT(*) FROM sheets) + (SELECT COUNT(*) FROM decisions)"), 0);
    // One that is ended before its last table counts what was signed.
    rev.done("/practice", &[("lab", &lab), ("kind", "usual")]).await;
    worked(&s, &rev, "rev", class + 1, 2).await;
    let told = rev.done(&format!("/practice/{}/end", class + 1), &[]).await;
    assert!(told.contains("14 not signed, and left out"), "{told}");
    for _ in 0..practice::MOST_OPEN {
        rev.done("/practice", &[("lab", &lab), ("kind", "rare")]).await;
    }
    let told = rev.refused("/practice", &[("lab", &lab), ("kind", "rare")]).await;
    assert!(told.contains("4 practice classes open"), "{told}");
}

#[actix_web::test]
async fn a_course_may_ask_for_practice_before_the_first_evening() {
    let s = site_of("practice_asked", KEEL).await;
    s.bring(&csv("Morning", "Alfa", "99"));
    let (rev, chief) = (s.browser("rev").await, s.browser("chief").await);
    let set = |classes: u32, found: u32| {
        let course = Course { practice: classes, practice_found: found, ..Course::default() };
        s.run(|c| settings::set_course(c, &course, None));
    };
    let sheet = s.sheet("Alfa");
    let at = format!("/bench/{sheet}");
    let own = |version: &str| [("version", version.to_owned()), ("text", "Look at the volume.".to_owned())];
    let decide = async |b: &Browser<'_>, version: &str| {
        let fields = own(version);
        let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (*n, v.as_str())).collect();
        b.post(&format!("{at}/own"), &fields).await
    };
    set(1, 50);
    let told = decide(&rev, "1").await;
    assert!(words(&told.body).contains("1 practice class before the first evening"), "{}", words(&told.body));
    assert_eq!(s.count("SELECT COUNT(*) FROM decisions"), 0);
    assert!(chief.page("/people").await.contains("practice: 0 of 1 done"), "and so does People");
    assert!(rev.page(&at).await.contains("Alfa"), "it may be looked at");
    assert!(rev.page("/docket").await.contains("asks you to practise"), "the Docket says so");
    // Nor by any other way that moves a mark.
    let (user, morning, lab) = (s.user("rev"), s.section("Morning"), s.lab);
    let refused = |what: &str, outcome: Result<(), StoreError>| {
        let told = matches!(&outcome, Err(StoreError::Bad(what, _)) if what.contains("before the first evening"));
        assert!(told, "{what}: {outcome:?}");
    };
    refused("sign", s.store.run(|c| sheets::sign(c, sheet, 1, &user)));
    refused("undo", s.store.run(|c| sheets::undo(c, sheet, 1, &user).map(|_| ())));
    refused("sign a lot", s.store.run(|c| sheets::sign_clear(c, &[(sheet, 1)], &user).map(|_| ())));
    refused("withdraw", s.store.run(|c| rulings::withdraw(c, 1, "x", &user).map(|_| ())));
    let sets = |c: &mut Db| {
        let now = jurado_store::sections::get(c, morning, lab)?;
        changes::set_section(c, (morning, lab), now.version, &now.settings, None, "x", &user).map(|_| ())
    };
    refused("set", s.store.run(sets));
    let ruling = Ruling {
        id: 0,
        protocol: "keel-plate".into(),
        code: "slip".into(),
        item: None,
        slip: None,
        section: None,
        keys: BTreeMap::new(),
        against: None,
        school: None,
        since: None,
        action: Action::Forgive,
        reason: "x".into(),
    };
    refused("rule", s.store.run(|c| rulings::put(c, lab, None, &ruling, "", &user).map(|_| ())));
    assert_eq!(decide(&chief, "1").await.status, 303, "nothing is asked of a coordinator");
    let lab = lab.to_string();
    rev.done("/practice", &[("lab", &lab), ("kind", "plain")]).await;
    let class = s.count("SELECT MAX(id) FROM practice_classes") as u32;
    worked(&s, &rev, "rev", class, 15).await;
    assert_eq!(decide(&rev, "2").await.status, 422, "fifteen of sixteen are not through");
    worked(&s, &rev, "rev", class, 16).await;
    let (found, planted) = (
        s.count(&format!("SELECT found FROM practice_classes WHERE id = {class}")),
        s.count(&format!("SELECT planted FROM practice_classes WHERE id = {class}")),
    );
    // The share asked for, just met and just missed.
    s.alter(&format!("UPDATE practice_classes SET found = 9, planted = 20 WHERE id = {class}"));
    assert_eq!(decide(&rev, "2").await.status, 422);
    s.alter(&format!("UPDATE practice_classes SET found = 10, planted = 20 WHERE id = {class}"));
    assert!(!rev.page("/docket").await.contains("asks you to practise"));
    assert_eq!(decide(&rev, "2").await.status, 303);
    assert!(found <= planted && found * 2 > planted, "{found} of {planted}");
    // Whoever has marked before is past the first evening, whatever is asked from now on.
    set(9, 100);
    assert_eq!(decide(&rev, "3").await.status, 303);
}

#[actix_web::test]
async fn a_signed_table_is_kept_as_an_example_without_its_team_and_practised_on() {
    let s = site("practice_example").await;
    s.bring(&csv("Morning", "Alfa", "99"));
    let (rev, chief) = (s.browser("rev").await, s.browser("chief").await);
    let id = s.sheet("Alfa");
    let at = format!("/bench/{id}/example");
    let told = words(&chief.post(&at, &[("says", "a volume")]).await.body);
    assert!(told.contains("not signed"), "{told}");
    let version = s.decide_open(id, "rev", |_| (Action::Accept, ""));
    s.run(|c| sheets::sign(c, id, version, &s.user("rev")));
    assert_eq!(rev.post(&at, &[("says", "a volume")]).await.status, 403, "the coordinator's");
    assert!(words(&chief.post(&at, &[("says", " ")]).await.body).contains("is empty"));
    let page = chief.done(&at, &[("says", "a volume that nothing explains")]).await;
    assert!(page.contains("Kept as an example"), "{page}");
    let body = s.count("SELECT SUM(body LIKE '%Alfa%' OR body LIKE '%Morning%') FROM practice_examples");
    assert_eq!(body, 0, "neither its team nor its section is kept");
    let lab = s.lab.to_string();
    let first = rev.done("/practice", &[("lab", &lab), ("kind", "examples")]).await;
    assert!(first.contains("examples of the course") && first.contains("1 of 1"), "{first}");
    let class = s.count("SELECT MAX(id) FROM practice_classes") as u32;
    let to = worked(&s, &rev, "rev", class, 1).await;
    let told = rev.page(&to).await;
    assert!(told.contains("0 missed") && told.contains("0 charged twice 0 charged without cause"), "{told}");
    // Another version of the lab is another truth.
    let list = chief.page("/practice").await;
    assert!(list.contains("a volume that nothing explains") && !list.contains("not used any more"), "{list}");
    let closed = chief.done("/practice/example/1/close", &[]).await;
    assert!(!closed.contains("a volume that nothing explains"), "{closed}");
    assert!(rev.refused("/practice", &[("lab", &lab), ("kind", "examples")]).await.contains("no table to practise on"));
    assert!(rev.refused("/practice", &[("lab", &lab), ("kind", "plain")]).await.contains("cannot be simulated"));
    assert_eq!(chief.post("/practice/example/1/close", &[]).await.status, 404);
}
