//! The Bench: decisions, words of one's own, a try-out, signing, taking out.

use super::*;

const SLIP: &str = "slip:plate_volume";

fn decisions(s: &Site) -> i64 {
    s.count("SELECT COUNT(*) FROM decisions WHERE undone_at IS NULL")
}

#[actix_web::test]
async fn a_decision_that_cannot_be_is_told_and_nothing_is_kept() {
    let s = site("bench_refused").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, id) = (s.browser("rev").await, s.sheet("Alfa"));
    let long = "x".repeat(501);
    let path = format!("/bench/{id}/decide");
    for (finding, action, points, reason, says) in [
        (SLIP, "forgive", "", "", "write the reason in a few words"),
        (SLIP, "forgive", "", "   ", "write the reason in a few words"),
        (SLIP, "forgive", "", long.as_str(), "longer than 500 characters"),
        (SLIP, "points", "", "because", "“” is no number of points"),
        (SLIP, "points", "two", "because", "“two” is no number of points"),
        (SLIP, "points", "-1", "because", "write a number from 0 to"),
        (SLIP, "points", "99", "because", "write a number from 0 to"),
        (SLIP, "points", "0.1234", "because", "at most three decimals"),
        (SLIP, "maybe", "", "because", "“maybe” is no decision"),
        (SLIP, "refuse", "", "because", "“refuse” is no decision"),
        ("slip:nothing", "accept", "", "", "no longer there"),
        ("line:calculation", "accept", "", "", "A line is changed with points and a reason"),
        ("line:nothing", "points", "1", "because", "no longer there"),
    ] {
        let fields =
            [("version", "1"), ("finding", finding), ("action", action), ("points", points), ("reason", reason)];
        let told = rev.refused(&path, &fields).await;
        assert!(told.contains(says), "{finding} {action} {points}: {told}");
        assert_eq!(decisions(&s), 0, "{finding} {action} {points}");
    }
    for (finding, points, reason) in
        [(SLIP, "0,25", "half of it was right"), ("line:calculation", "1.125", &"å".repeat(500))]
    {
        let version = s.count(&format!("SELECT version FROM sheets WHERE id = {id}")).to_string();
        let fields = [
            ("version", version.as_str()),
            ("finding", finding),
            ("action", "points"),
            ("points", points),
            ("reason", reason),
        ];
        rev.done(&path, &fields).await;
    }
    assert_eq!(decisions(&s), 2);
}

#[actix_web::test]
async fn who_comes_second_sees_both_and_overwrites_nothing() {
    let s = site("bench_second").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, chief, id) = (s.browser("rev").await, s.browser("chief").await, s.sheet("Alfa"));
    let path = format!("/bench/{id}/decide");
    let accept = [("version", "1"), ("finding", SLIP), ("action", "accept")];
    rev.done(&path, &accept).await;
    let forgive = [("version", "1"), ("finding", SLIP), ("action", "forgive"), ("reason", "the gauge stuck")];
    let answer = chief.post(&path, &forgive).await;
    let told = words(&answer.body);
    assert_eq!(answer.status, 409);
    assert!(told.contains("rev") && told.contains("the gauge stuck"), "{told}");
    assert_eq!(decisions(&s), 1);
    for rest in ["undo", "sign", "own", "say"] {
        let fields = [("version", "1"), ("text", "late"), ("finding", SLIP), ("criterion", ""), ("points", "")];
        assert_eq!(chief.post(&format!("/bench/{id}/{rest}"), &fields).await.status, 409, "{rest}");
    }
}

#[actix_web::test]
async fn a_table_is_decided_signed_and_opened_again() {
    let s = site("bench_round").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Morning", "Bittern", "30.33"));
    let (rev, id) = (s.browser("rev").await, s.sheet("Alfa"));
    let at = |rest: &str| format!("/bench/{id}/{rest}");
    let state = || s.count(&format!("SELECT stage FROM sheets WHERE id = {id}"));
    let next = rev.get("/bench").await;
    assert_eq!((next.status, next.to.starts_with("/bench/")), (303, true));
    // A signature waits until nothing is open.
    let early = rev.post(&at("sign"), &[("version", "1")]).await;
    assert!((400..500).contains(&early.status), "{}", early.status);
    assert_eq!(state(), 0);
    let detail = s.run(|c| jurado_store::sheets::get(c, id, &s.user("rev")));
    let lab = s.run(|c| labs::get(c, s.lab));
    let open: Vec<String> =
        detail.judge(&lab.protocol).findings.iter().filter(|f| f.open()).map(|f| f.key.to_string()).collect();
    for (n, key) in open.iter().enumerate() {
        let version = (n + 1).to_string();
        rev.done(&at("decide"), &[("version", &version), ("finding", key), ("action", "accept")]).await;
    }
    let version = (open.len() + 1).to_string();
    let signed = rev.post(&at("sign"), &[("version", &version)]).await;
    assert_eq!((signed.status, state()), (303, 2), "{}", words(&signed.body));
    assert!(rev.page(&format!("/bench/{id}")).await.contains("signed"));
    let version = (open.len() + 2).to_string();
    rev.done(&at("undo"), &[("version", &version)]).await;
    assert_eq!(state(), 1, "nothing is open and it waits again");
}

#[actix_web::test]
async fn ones_own_words_are_kept_within_their_limits() {
    let s = site("bench_words").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, id) = (s.browser("rev").await, s.sheet("Alfa"));
    let (own, say) = (format!("/bench/{id}/own"), format!("/bench/{id}/say"));
    for (criterion, points, text, says) in [
        ("", "", "  ", "Write what the team should read"),
        ("", "", &*"x".repeat(501), "longer than 500"),
        ("calculation", "lots", "untidy", "no number of points"),
        ("calculation", "99", "untidy", "from 0 to"),
    ] {
        let told =
            rev.refused(&own, &[("version", "1"), ("criterion", criterion), ("points", points), ("text", text)]).await;
        assert!(told.contains(says), "{text}: {told}");
    }
    let page = rev
        .done(
            &own,
            &[
                ("version", "1"),
                ("criterion", "calculation"),
                ("points", "0,5"),
                ("text", "No <b>units</b> in the working."),
            ],
        )
        .await;
    assert!(page.contains("No <b>units</b> in the working."), "what is typed is text: {page}");
    let told = rev.refused(&say, &[("version", "2"), ("finding", SLIP), ("text", &"x".repeat(1001))]).await;
    assert!(told.contains("longer than 1000"), "{told}");
    let told = rev.refused(&say, &[("version", "2"), ("finding", "slip:nothing"), ("text", "hm")]).await;
    assert!(told.contains("no longer there"), "{told}");
    let page = rev.done(&say, &[("version", "2"), ("finding", SLIP), ("text", "Ten times too large.")]).await;
    assert!(page.contains("Ten times too large."), "{page}");
}

#[actix_web::test]
async fn a_try_out_stores_nothing_until_it_is_taken_for_a_reason() {
    let s = site("bench_try").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, id) = (s.browser("rev").await, s.sheet("Alfa"));
    let path = format!("/bench/{id}");
    assert!(rev.page(&format!("{path}/try")).await.contains("Nothing"));
    let tried = [("version", "1"), ("c.plate_mass", "82.89")];
    let answer = rev.post(&format!("{path}/try"), &tried).await;
    assert_eq!((answer.status, decisions(&s)), (200, 0));
    for (cell, reason, says) in [
        ("82.89", "", "write the reason"),
        ("82.89", &*"x".repeat(501), "longer than 500"),
        (&*"8".repeat(201), "misread", "longer than a reading can be"),
    ] {
        let told = rev
            .refused(&format!("{path}/correct"), &[("version", "1"), ("c.plate_mass", cell), ("reason", reason)])
            .await;
        assert!(told.contains(says), "{told}");
        assert_eq!(decisions(&s), 0);
    }
    rev.done(&format!("{path}/correct"), &[("version", "1"), ("c.plate_mass", "82.89"), ("reason", "misread display")])
        .await;
    assert_eq!(decisions(&s), 1);
    assert!(rev.page(&path).await.contains("82.89"), "the correction stands on the Bench");
}

#[actix_web::test]
async fn pictures_lie_with_a_table_and_nothing_else_does() {
    let s = site("bench_pictures").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, other, id) = (s.browser("rev").await, s.browser("other").await, s.sheet("Alfa"));
    let path = format!("/bench/{id}/attach");
    let png =
        b"\xff\xd8\xff\xc0\0\x0b\x08\0\x03\0\x04\x01\x01\x11\0\xff\xda\0\x08\x01\x01\0\0\x3f\0x\xff\xd9".as_slice();
    let answer = rev.files(&path, &[], &[("graph.png", b"<svg onload=x>")]).await;
    assert!(answer.status == 422 && words(&answer.body).contains("no picture and no PDF"), "{}", words(&answer.body));
    assert_eq!(rev.files(&path, &[], &[("graph.png", png)]).await.status, 303);
    let picture = s.count("SELECT MAX(id) FROM attachments");
    assert_eq!(rev.get(&format!("/attachment/{picture}")).await.kind, "image/jpeg");
    assert_eq!(other.get(&format!("/attachment/{picture}")).await.status, 404);
    assert_eq!(rev.post(&format!("/bench/{id}/attachment/{picture}/remove"), &[]).await.status, 303);
    assert_eq!(s.count("SELECT COUNT(*) FROM attachments"), 0);
}

#[actix_web::test]
async fn a_table_is_taken_out_and_brought_back_by_the_coordinator() {
    let s = site("bench_out").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, chief, id) = (s.browser("rev").await, s.browser("chief").await, s.sheet("Alfa"));
    let path = format!("/bench/{id}/remove");
    assert_eq!(rev.post(&path, &[("version", "1"), ("reason", "mine")]).await.status, 403);
    assert!(chief.refused(&path, &[("version", "1"), ("reason", " ")]).await.contains("why it is taken out"));
    assert_eq!(chief.post(&path, &[("version", "7"), ("reason", "x")]).await.status, 409);
    assert!(chief.done(&path, &[("version", "1"), ("reason", "another team’s")]).await.contains("Taken out"));
    let page = rev.page(&format!("/bench/{id}")).await;
    assert!(page.contains("another team’s") && !page.contains("Bring it back"), "{page}");
    let told = rev
        .refused(&format!("/bench/{id}/own"), &[("version", "2"), ("criterion", ""), ("points", ""), ("text", "x")])
        .await;
    assert!(told.contains("was taken out"), "{told}");
    let removal = s.count("SELECT MAX(id) FROM removals");
    assert_eq!(rev.post(&format!("/shelf/{removal}/back"), &[]).await.status, 403);
    assert!(
        chief.done(&format!("/shelf/{removal}/back"), &[]).await.contains("1 table, judged by what is in force now.")
    );
    assert_eq!(chief.post(&format!("/shelf/{removal}/back"), &[]).await.status, 404);
}
