//! Marks to the gradebook: each arrives once although the gradebook fails, does things twice and loses answers; what differs is
//! told and sent anew.

use std::sync::atomic::AtomicBool;

use jurado_college::outbox::send_some;
use jurado_college::scores::{Person, Score};
use jurado_college::stand_in::{Faults, Settings as StandIn, serve};
use jurado_college::{Client, client::check_url};
use jurado_store::outbox::{self, Place};

use super::returns::signed;
use super::*;

const TOKEN: &str = "made up";

/// A gradebook that knows two students, on a port of its own.
async fn gradebook(faults: Faults) -> String {
    let port = free_port();
    let person = |number: &str, name: &str| Person {
        section: "Morning".into(),
        team: "Alfa".into(),
        number: number.into(),
        name: name.into(),
    };
    let roster = vec![person("17", "Ada"), person("18", "Bo")];
    let settings = StandIn { bind: std::net::Ipv4Addr::LOCALHOST.into(), port, token: TOKEN.into(), roster, faults };
    actix_web::rt::spawn(serve(settings));
    let url = format!("http://127.0.0.1:{port}");
    answers(port).await;
    url
}

/// Sends what waits, as the thread beside the application does, once for each pause that has passed.
async fn rounds(s: &Site, n: usize) {
    for _ in 0..n {
        let store = s.store.clone();
        let send = move || store.run(outbox::fill).and_then(|_| send_some(&store, &AtomicBool::new(false)));
        web::block(send).await.expect("a thread").expect("sent");
        s.alter("UPDATE outbox SET next_at = UTC_TIMESTAMP() WHERE state = 'waiting'");
    }
}

async fn changes(url: &str) -> Vec<Score> {
    let url = url.to_owned();
    let ask = move || called("GET", &format!("{url}/changes"), "", "").1;
    serde_json::from_str(&web::block(ask).await.expect("a thread")).expect("a list")
}

#[actix_web::test]
async fn a_mark_arrives_once_however_often_the_gradebook_fails() {
    let s = site("gradebook").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    let roster = "section,team,number,name\nMorning,Alfa,17,Ada\nMorning,Alfa,18,Bo\nMorning,Alfa,99,Cy\n";
    chief.done("/sections/roster", &[("text", roster)]).await;
    signed(&s, &rev, id).await;
    chief.post("/returns/release", &[("lab", &s.lab.to_string())]).await;
    // Nothing is made to be sent where there is no gradebook.
    rounds(&s, 1).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM outbox"), 0);
    let faults = Faults { delay_ms: 5, fail: 2, lose: 1, twice: 1 };
    let url = gradebook(faults).await;
    assert_eq!(rev.get("/returns/gradebook").await.status, 403);
    for (address, secret, says) in
        [("", TOKEN, "no address"), ("ftp://x", TOKEN, "no address of a service"), (&url, "", "token")]
    {
        let told = chief.refused("/returns/gradebook", &[("url", address), ("secret", secret), ("then", "set")]).await;
        assert!(told.contains(says), "{told}");
    }
    chief.done("/returns/gradebook", &[("url", &url), ("secret", TOKEN), ("then", "set")]).await;
    assert!(!chief.get("/returns/gradebook").await.body.contains(TOKEN), "a token is never shown");
    rounds(&s, 1).await;
    let page = chief.page("/returns/gradebook").await;
    assert!(page.contains("it answered 503") && page.contains("0 scores are there"), "{page}");
    rounds(&s, 4).await;
    // Two are there, once each; the third is no student of the gradebook's, and a person is told.
    let page = chief.page("/returns/gradebook").await;
    assert!(page.contains("2 scores are there") && page.contains("not taken: there is no student 99"), "{page}");
    let arrived = changes(&url).await;
    assert_eq!(arrived.len(), 2, "{arrived:?}");
    let mut who: Vec<&str> = arrived.iter().map(|c| c.student.as_str()).collect();
    who.sort_unstable();
    assert_eq!(who, ["17", "18"]);
    assert!(arrived.iter().all(|c| c.points == Decimal::new(1125, 2) && c.possible == Decimal::new(20, 0)));
    assert!(s.count("SELECT MAX(tries) FROM outbox WHERE state = 'sent'") >= 2, "it failed before");
    rounds(&s, 2).await;
    assert_eq!(changes(&url).await.len(), 2, "nothing is sent twice");
    // Both sides, compared: somebody changed one by hand.
    let compared = chief.page("/returns/gradebook/compare").await;
    assert!(compared.contains("2 the same on both sides, 1 not") && compared.contains("not taken"), "{compared}");
    let other = Score { student: "18".into(), points: Decimal::ONE, ..arrived[0].clone() };
    let place = Place { url: url.clone(), token: TOKEN.into() };
    by_hand(&url, &other).await;
    let compared = chief.page("/returns/gradebook/compare").await;
    assert!(compared.contains("1 the same on both sides, 2 not") && compared.contains("1 of 20"), "{compared}");
    assert!(
        chief.refused("/returns/gradebook/again", &[("column", &other.column)]).await.contains("Choose at least one")
    );
    chief.done("/returns/gradebook/again", &[("column", &other.column), ("student", "18")]).await;
    rounds(&s, 1).await;
    let theirs = web::block(move || Client::new(&place).scores("keel-plate")).await.expect("a thread").expect("scores");
    assert!(theirs.iter().all(|t| t.points == Decimal::new(1125, 2)), "{theirs:?}");
    // Sent again with other marks, the later one stands.
    s.alter("UPDATE sheets SET returns = 2");
    s.alter("INSERT INTO went_out (sheet_id, number, points, possible, score_lines, outcome, at, reason) SELECT sheet_id, 2, 15, possible, score_lines, outcome, UTC_TIMESTAMP(), 'again' FROM went_out WHERE number = 1");
    rounds(&s, 2).await;
    let last = changes(&url).await;
    assert_eq!(last.iter().filter(|c| c.points == Decimal::new(15, 0)).count(), 2, "{last:?}");
    // The roster comes from there too, and is looked at before it is taken.
    let pasted = chief.get("/sections/roster/college").await.body;
    assert!(pasted.contains("Morning,Alfa,17,Ada"), "{}", words(&pasted));
    // Taken away, nothing is sent any more.
    chief.done("/returns/gradebook", &[("then", "none")]).await;
    s.alter("UPDATE sheets SET returns = 1");
    rounds(&s, 1).await;
    assert_eq!(changes(&url).await.len(), last.len());
    assert!(words(&chief.get("/returns/gradebook/compare").await.body).contains("No gradebook is set"));
    assert!(check_url(&url).is_ok());
}

/// Changes a score in the gradebook, as somebody there might.
async fn by_hand(url: &str, score: &Score) {
    use std::io::{Read, Write};
    let (url, body) = (url.to_owned(), serde_json::to_string(score).expect("a text"));
    let put = move || {
        let host = url.trim_start_matches("http://").to_owned();
        let mut line = std::net::TcpStream::connect(&host).expect("connected");
        let head = format!(
            "PUT /by-hand HTTP/1.0\r\nHost: {host}\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n",
            body.len()
        );
        line.write_all(format!("{head}{body}").as_bytes()).expect("sent");
        let mut text = String::new();
        line.read_to_string(&mut text).expect("an answer");
        assert!(text.starts_with("HTTP/1.0 204") || text.starts_with("HTTP/1.1 204"), "{text}");
    };
    web::block(put).await.expect("a thread");
}

#[actix_web::test]
async fn a_gradebook_that_does_not_answer_is_told_and_tried_again() {
    let s = site("gradebook_away").await;
    s.bring(&csv("Morning", "Alfa", "30.33"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    chief.done("/sections/roster", &[("text", "section,team,number,name\nMorning,Alfa,17,Ada\n")]).await;
    signed(&s, &rev, id).await;
    chief.post("/returns/release", &[("lab", &s.lab.to_string())]).await;
    let away = "http://127.0.0.1:9";
    chief.done("/returns/gradebook", &[("url", away), ("secret", "x"), ("then", "set")]).await;
    rounds(&s, 2).await;
    assert!(chief.page("/returns/gradebook").await.contains("no answer"));
    assert_eq!(chief.get("/returns/gradebook/compare").await.status, 502);
    assert!(words(&chief.get("/sections/roster/college").await.body).contains("gave no answer"));
    // A token that is not known is told; another one is tried at once.
    let url = gradebook(Faults::default()).await;
    chief.done("/returns/gradebook", &[("url", &url), ("secret", "x"), ("then", "set")]).await;
    rounds(&s, 1).await;
    assert!(chief.page("/returns/gradebook").await.contains("does not take the token"));
    chief.done("/returns/gradebook", &[("url", &url), ("secret", TOKEN), ("then", "set")]).await;
    chief.done("/returns/gradebook/try", &[]).await;
    rounds(&s, 1).await;
    assert!(chief.page("/returns/gradebook").await.contains("1 scores are there"));
}

/// Twenty rounds in which two processes look and send at the same moment, while the gradebook does things twice and loses answers:
/// each score changes its column once.
#[actix_web::test]
async fn two_senders_at_the_same_moment_make_one_score() {
    let s = site("gradebook_two").await;
    s.bring(&csv("Morning", "Alfa", "30.33"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    let roster = "section,team,number,name\nMorning,Alfa,17,Ada\nMorning,Alfa,18,Bo\n";
    chief.done("/sections/roster", &[("text", roster)]).await;
    signed(&s, &rev, id).await;
    chief.post("/returns/release", &[("lab", &s.lab.to_string())]).await;
    let url = gradebook(Faults { twice: 10, lose: 10, ..Faults::default() }).await;
    chief.done("/returns/gradebook", &[("url", &url), ("secret", TOKEN), ("then", "set")]).await;
    let sender = || {
        let store = s.store.clone();
        web::block(move || {
            store.run(outbox::fill).and_then(|_| send_some(&store, &AtomicBool::new(false))).expect("sent")
        })
    };
    for n in 2..22 {
        // However many answers are lost, it comes to an end.
        for _ in 0..12 {
            let (a, b) = futures_util::future::join(sender(), sender()).await;
            assert!(a.is_ok() && b.is_ok());
            s.alter("UPDATE outbox SET next_at = UTC_TIMESTAMP() WHERE state = 'waiting'");
        }
        assert_eq!(s.count("SELECT COUNT(*) FROM outbox WHERE state = 'waiting'"), 0, "round {n}");
        assert_eq!(changes(&url).await.len(), 2 * (n - 1), "round {n}");
        // It goes out once more, with other points.
        s.alter(&format!("INSERT INTO went_out (sheet_id, number, points, possible, score_lines, outcome, at, reason) SELECT sheet_id, {n}, {n}, possible, score_lines, outcome, UTC_TIMESTAMP(), 'again' FROM went_out WHERE number = 1"));
        s.alter(&format!("UPDATE sheets SET returns = {n}"));
    }
    assert_eq!(s.count("SELECT COUNT(*) FROM outbox"), 40, "one row a student and time");
}
