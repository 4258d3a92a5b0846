//! The interface for scripts: the examples of its page, whose tables a token opens, and what is told to one that opens nothing.

use serde_json::Value;

use super::returns::signed;
use super::*;

const PAGE: &str = include_str!("../../../../docs/interface.md");

/// Sends a request with a token and no cookie.
async fn call(s: &Site, token: &str, request: &str) -> Answer {
    let (line, body) = request.split_once("\n\n").unwrap_or((request, ""));
    let (method, path) = line.trim().split_once(' ').expect("a method and a path");
    let method = Method::from_bytes(method.as_bytes()).expect("a method");
    let request = test::TestRequest::default().method(method).uri(path);
    let request = if token.is_empty() { request } else { request.insert_header(("authorization", token)) };
    (s.call)(request.set_payload(body.to_owned())).await.0
}

/// Makes a token of a person, as its page does.
async fn token(who: &Browser<'_>, fields: &[(&str, &str)]) -> String {
    let fields: Vec<(&str, &str)> = fields.iter().copied().chain([("password", PASSWORD)]).collect();
    let page = who.post("/account/tokens", &fields).await.body;
    let secret = page.split("wrapall\">").nth(1).and_then(|r| r.split('<').next()).expect("shown once");
    format!("Bearer {secret}")
}

/// The blocks of a kind on the page, each with what stands before it.
fn blocks(kind: &str) -> Vec<(usize, String)> {
    let fence = format!("```{kind}\n");
    PAGE.match_indices(&fence)
        .map(|(at, _)| {
            let from = at + fence.len();
            (at, PAGE[from..].split("\n```").next().unwrap_or_default().to_owned())
        })
        .collect()
}

/// Moments differ from run to run.
fn timeless(mut v: Value) -> Value {
    match &mut v {
        Value::Array(all) => all.iter_mut().for_each(|x| *x = timeless(x.take())),
        Value::Object(map) => {
            for (key, x) in map.iter_mut() {
                *x = if key == "returned_at" { Value::from("then") } else { timeless(x.take()) };
            }
        }
        _ => {}
    }
    v
}

#[actix_web::test]
async fn the_examples_of_its_page_are_what_it_answers() {
    let s = site("api_page").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    chief.done("/sections/roster", &[("text", "section,team,number,name\nMorning,Alfa,17,Ada\n")]).await;
    signed(&s, &rev, id).await;
    chief.post("/returns/release", &[("lab", &s.lab.to_string())]).await;
    let token = token(&rev, &[("name", "the page"), ("brings", "yes")]).await;
    let (requests, answers) = (blocks("http"), blocks("json"));
    assert!(requests.len() >= 5 && answers.len() >= 4);
    for (n, (at, request)) in requests.iter().enumerate() {
        let answer = call(&s, &token, request).await;
        assert_eq!(answer.status, 200, "{request}: {}", answer.body);
        let got: Value = serde_json::from_str(&answer.body).expect("JSON");
        let next = requests.get(n + 1).map_or(usize::MAX, |(at, _)| *at);
        if let Some((_, shown)) = answers.iter().find(|(a, _)| a > at && *a < next) {
            let shown: Value = serde_json::from_str(shown).expect("the page shows JSON");
            assert_eq!(timeless(got), timeless(shown), "{request}");
        } else {
            assert_eq!(got["submissions"][0]["team"], "Alfa", "{request}");
        }
    }
    // The description names every route and answer that there is.
    let described: Value = serde_json::from_str(&call(&s, "", "GET /api/v1/openapi.json").await.body).expect("JSON");
    for line in include_str!("../app.rs").lines().filter(|l| l.contains("\"/api/v1/") && !l.contains("openapi.json")) {
        let path = line.split('"').nth(1).expect("a path");
        let method = if line.contains("web::post") { "post" } else { "get" };
        assert!(described["paths"][path][method]["responses"]["401"].is_object(), "{method} {path} is not described");
    }
    assert!(described["components"]["schemas"]["MarkAnswer"]["properties"]["points"].is_object());
}

#[actix_web::test]
async fn a_token_opens_what_its_person_sees_until_it_is_ended() {
    let s = site("api_doors").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Evening", "Zulu", "30.33"));
    let (chief, rev, other) = (s.browser("chief").await, s.browser("rev").await, s.browser("other").await);
    let told = rev.refused("/account/tokens", &[("name", " ")]).await;
    assert!(told.contains("Write what the token is for"), "{told}");
    let told = rev.refused("/account/tokens", &[("name", "x"), ("password", "another one")]).await;
    assert!(told.contains("is another one"), "whoever only found the browser open makes none: {told}");
    let (reads, theirs) =
        (token(&rev, &[("name", "reads")]).await, token(&other, &[("name", "x"), ("brings", "yes")]).await);
    let list = rev.page("/account/tokens").await;
    assert!(list.contains("reads") && !list.contains("jurado_"), "it is shown once: {list}");
    let alfa = s.sheet("Alfa");
    let path = format!("GET /api/v1/tables/{alfa}/verdict");
    let file = format!("POST /api/v1/labs/keel-plate/tables\n\n{}", csv("Morning", "Alfa", "30.33"));
    let large = format!("POST /api/v1/labs/keel-plate/tables\n\n{}", " ".repeat(jurado_intake::UPLOAD.bytes + 1));
    for (what, with, request, status) in [
        ("no token", "", "GET /api/v1/labs", 401),
        ("a cookie is no token", "Basic x", "GET /api/v1/labs", 401),
        ("a token that is none", "Bearer jurado_none", "GET /api/v1/labs", 401),
        ("one's own", &*reads, &*path, 200),
        ("another section's", &theirs, &path, 404),
        ("no such lab", &reads, "GET /api/v1/labs/none/tables", 404),
        ("no such table", &reads, "GET /api/v1/tables/999/verdict", 404),
        ("no table at all", &reads, "GET /api/v1/tables/first/verdict", 404),
        ("it may not bring", &reads, &file, 403),
        ("another section’s teams wait in quarantine", &theirs, &file, 200),
        ("no file", &theirs, "POST /api/v1/labs/keel-plate/tables", 422),
        ("too large", &theirs, &*large, 422),
        ("no lab", &theirs, "POST /api/v1/labs/none/tables", 404),
        ("marks of no lab", &reads, "GET /api/v1/marks?lab=none", 404),
    ] {
        let answer = call(&s, with, request).await;
        assert_eq!(answer.status, status, "{what}: {}", answer.body);
        if status != 200 {
            let told: Value = serde_json::from_str(&answer.body).expect("told as JSON");
            assert!(["what", "mend"].iter().all(|k| told[k].as_str().is_some_and(|t| !t.is_empty())), "{what}: {told}");
        }
    }
    assert_eq!(s.count("SELECT COUNT(*) FROM submissions"), 2, "nothing of it was brought");
    let all = call(&s, &theirs, "GET /api/v1/labs/keel-plate/tables").await.body;
    assert!(all.contains("Zulu") && !all.contains("Alfa"), "{all}");
    assert_eq!(s.count("SELECT MIN(DATEDIFF(until, made_at)) FROM api_tokens"), 180);
    // Wrong ones bar none that serves, and the record is not filled with them.
    let before = s.count("SELECT COUNT(*) FROM events");
    for _ in 0..58 {
        assert_eq!(call(&s, "Bearer jurado_none", "GET /api/v1/labs").await.status, 401);
    }
    let begun = std::time::Instant::now();
    call(&s, "Bearer jurado_none", "GET /api/v1/labs").await;
    call(&s, "Bearer jurado_none", "GET /api/v1/labs").await;
    assert!(begun.elapsed().as_millis() > 900, "many from one address are answered slowly");
    let begun = std::time::Instant::now();
    assert_eq!(call(&s, &theirs, "GET /api/v1/labs").await.status, 200);
    assert!(begun.elapsed().as_millis() < 900, "and one that serves is not");
    assert!(s.count("SELECT COUNT(*) FROM events") - before <= 2);
    s.alter("DELETE FROM sign_in_tries");
    // Ended, closed and out of date, it opens nothing.
    let id = s.count("SELECT MIN(id) FROM api_tokens");
    assert_eq!(other.post(&format!("/account/tokens/{id}/end"), &[]).await.status, 404, "another's");
    rev.done(&format!("/account/tokens/{id}/end"), &[]).await;
    assert_eq!(call(&s, &reads, "GET /api/v1/labs").await.status, 401);
    s.alter("UPDATE api_tokens SET until = UTC_TIMESTAMP() - INTERVAL 1 SECOND");
    assert_eq!(call(&s, &theirs, "GET /api/v1/labs").await.status, 401);
    s.alter("UPDATE api_tokens SET until = UTC_TIMESTAMP() + INTERVAL 1 DAY");
    assert_eq!(call(&s, &theirs, "GET /api/v1/labs").await.status, 200);
    s.alter("UPDATE users SET closed_at = UTC_TIMESTAMP() WHERE sign_in = 'other'");
    assert_eq!(call(&s, &theirs, "GET /api/v1/labs").await.status, 401);
    // A session is no way in, and a token opens no page.
    assert_eq!(chief.get("/api/v1/labs").await.status, 401);
    let fresh = token(&chief, &[("name", "y")]).await;
    assert_eq!(call(&s, &fresh, "GET /docket").await.status, 303);
}
