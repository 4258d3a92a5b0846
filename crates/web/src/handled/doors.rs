//! The door: forms without a token, pages of others, what is said once, and people.

use super::*;

#[actix_web::test]
async fn a_form_without_this_sessions_token_changes_nothing() {
    let s = site("doors_token").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (chief, id) = (s.browser("chief").await, s.sheet("Alfa"));
    let bare = |path: String, token: String| {
        let all = [
            ("token", token),
            ("version", "1".into()),
            ("reason", "x".into()),
            ("text", "x".into()),
            ("then", "x".into()),
        ];
        let form: Vec<(&str, String)> = all.into_iter().collect();
        chief.send(test::TestRequest::post().uri(&path).set_form(form))
    };
    for path in [
        format!("/bench/{id}/undo"),
        format!("/bench/{id}/sign"),
        format!("/bench/{id}/remove"),
        "/sections/change".into(),
        "/sections/roster".into(),
        "/course/term".into(),
        "/shelf/1/back".into(),
        format!("/protocols/{}/term", s.lab),
        format!("/protocols/{}/remove", s.lab),
        format!("/protocols/{}/edit", s.lab),
        "/protocols/new".into(),
        "/sign-out".into(),
    ] {
        for token in ["", "0123456789"] {
            let answer = bare(path.clone(), token.to_owned()).await;
            assert_eq!(answer.status, 403, "{path}: {}", words(&answer.body));
        }
    }
    assert_eq!(s.count(&format!("SELECT version FROM sheets WHERE id = {id}")), 1);
    assert!(chief.page("/docket").await.contains("Docket"), "still signed in");
}

#[actix_web::test]
async fn what_is_anothers_looks_like_what_is_not_there() {
    let s = site("doors_others").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (other, id, morning) = (s.browser("other").await, s.sheet("Alfa"), s.section("Morning"));
    for path in [
        format!("/bench/{id}"),
        format!("/bench/{id}/try"),
        format!("/returns/{id}"),
        format!("/sections/{morning}/{}", s.lab),
    ] {
        let (theirs, none) = (
            other.get(&path).await,
            other.get(&path.replace(&id.to_string(), "99999").replace(&format!("/{morning}/"), "/99999/")).await,
        );
        assert_eq!((theirs.status, none.status), (404, 404), "{path}");
        assert_eq!(
            words(&theirs.body).replace(|c: char| c.is_ascii_alphanumeric(), ""),
            words(&none.body).replace(|c: char| c.is_ascii_alphanumeric(), "")
        );
    }
    for path in ["/people", "/course", "/protocols/new"] {
        assert_eq!(other.get(path).await.status, 403, "{path}");
    }
    let nobody = Browser { site: &s, cookie: RefCell::default(), token: String::new() };
    let answer = nobody.get("/docket?state=wants").await;
    assert_eq!((answer.status, answer.to.as_str()), (303, "/sign-in?to=/docket%3Fstate%3Dwants"));
}

#[actix_web::test]
async fn what_a_change_says_is_said_once_and_to_whoever_made_it() {
    let s = site("doors_said").await;
    let (chief, rev) = (s.browser("chief").await, s.browser("rev").await);
    let answer = chief.post("/sections/roster", &[("text", "section,team\nMorning,Dunlin\n")]).await;
    assert_eq!((answer.status, answer.to.as_str()), (303, "/sections"));
    assert!(!rev.page("/sections").await.contains("students are new"));
    let picture = test::TestRequest::get().uri("/attachment/1").insert_header(("accept", "image/avif,*/*"));
    assert_eq!(chief.send(picture).await.status, 404, "a picture does not take what is to be said");
    assert!(chief.page("/sections").await.contains("1 teams and 0 students are new"));
    assert!(!chief.page("/sections").await.contains("students are new"));
}

#[actix_web::test]
async fn people_are_let_in_changed_and_shown_out() {
    let s = site("doors_people").await;
    let chief = s.browser("chief").await;
    for (fields, says) in [
        (vec![("sign_in", ""), ("name", "Ada"), ("role", "reviewer")], "name"),
        (vec![("sign_in", "a b"), ("name", "Ada"), ("role", "reviewer")], "one word"),
        (vec![("sign_in", "chief"), ("name", "Ada"), ("role", "reviewer")], "already"),
        (vec![("sign_in", "ada"), ("name", ""), ("role", "reviewer")], "name"),
    ] {
        let told = chief.refused("/people", &fields).await;
        assert!(told.contains(says), "{fields:?}: {told}");
    }
    assert_eq!(s.count("SELECT COUNT(*) FROM users"), 3);
    let answer = chief
        .post("/people", &[("sign_in", "ada"), ("name", "Ada"), ("role", "reviewer"), ("sections", "Morning")])
        .await;
    assert!(matches!(answer.status, 200 | 303), "{}", words(&answer.body));
    assert_eq!(s.count("SELECT COUNT(*) FROM users"), 4);
    // Another role or being closed ends the sessions there are.
    let rev = s.browser("rev").await;
    assert_eq!(rev.get("/docket").await.status, 200);
    let answer = chief.post(&format!("/people/{}", s.ids["rev"]), &[("then", "close")]).await;
    assert!(matches!(answer.status, 200 | 303), "{}", words(&answer.body));
    assert_eq!(rev.get("/docket").await.status, 303);
    for (old, new, again, says) in
        [("x", "short", "short", "ten"), ("x", "long enough one", "another one!!", "once more")]
    {
        let told = chief.refused("/account", &[("old", old), ("new", new), ("again", again)]).await.to_lowercase();
        assert!(told.contains(says) || told.contains("same"), "{told}");
    }
}

/// The code of a secret at some step from now, as a device gives it.
fn code_of(s: &Site, letters: &str, steps: i64) -> String {
    let now = s.run(|c| c.now()).and_utc().timestamp() + 30 * steps;
    let bytes = totp_rs::Secret::Encoded(letters.replace(' ', "")).to_bytes().expect("letters");
    let codes = totp_rs::TOTP::new(totp_rs::Algorithm::SHA1, 6, 0, 30, bytes).expect("a secret");
    codes.generate(now as u64)
}

#[actix_web::test]
async fn a_second_factor_is_asked_beside_the_password_and_each_code_serves_once() {
    let s = site("second_factor").await;
    let browser = s.browser("rev").await;
    let here = "/account/second";
    assert!(browser.refused(here, &[("then", "begin"), ("password", "x")]).await.contains("is another one"));
    let page = browser.post(here, &[("then", "begin"), ("password", PASSWORD)]).await.body;
    let letters = page.split("n wrapall\">").nth(1).and_then(|r| r.split('<').next()).expect("shown").to_owned();
    assert!(page.contains("otpauth://totp/Jurado:rev?secret="), "{}", words(&page));
    let sign_in = |code: String| {
        let s = &s;
        async move {
            let mut outside = Browser { site: s, cookie: RefCell::default(), token: String::new() };
            outside.token = field_of(&outside.get("/sign-in").await.body, "token");
            outside.post("/sign-in", &[("name", "rev"), ("password", "long enough words"), ("code", &code)]).await
        }
    };
    // Before it is confirmed nothing is asked.
    assert_eq!(sign_in(String::new()).await.status, 303);
    assert!(browser.refused(here, &[("then", "confirm"), ("code", "000000")]).await.contains("none of your device"));
    let first = code_of(&s, &letters, -1);
    browser.done(here, &[("then", "confirm"), ("code", &first)]).await;
    assert!(browser.refused(here, &[("then", "begin")]).await.contains("You have a second factor"));
    // Without a code, with a wrong one and with one that was used the password is not enough.
    for code in [String::new(), "123456".to_owned(), first, code_of(&s, &letters, -5)] {
        let answer = sign_in(code.clone()).await;
        assert_eq!(answer.status, 422, "{code}");
        assert!(words(&answer.body).contains("A code of your second factor is asked"), "{code}");
        s.alter("DELETE FROM sign_in_tries");
    }
    let now = code_of(&s, &letters, 0);
    assert_eq!(sign_in(now.clone()).await.status, 303);
    assert_eq!(sign_in(now).await.status, 422, "a code serves once");
    // Wrong codes are counted like wrong passwords.
    for _ in 0..8 {
        sign_in("111111".into()).await;
    }
    assert_eq!(sign_in(code_of(&s, &letters, 1)).await.status, 429);
    s.alter("DELETE FROM sign_in_tries");
    // It is taken off with a code of it, or by a one-time link.
    assert!(browser.refused(here, &[("then", "off"), ("code", "111111")]).await.contains("none of your device"));
    browser.done(here, &[("then", "off"), ("code", &code_of(&s, &letters, 1))]).await;
    assert_eq!(sign_in(String::new()).await.status, 303);
    s.alter(
        "INSERT INTO second_factors SELECT id, REPEAT('ab', 20), UTC_TIMESTAMP(), 0 FROM users WHERE sign_in = 'rev'",
    );
    assert_eq!(sign_in(String::new()).await.status, 422);
    let secret = s.run(|c| users::invite(c, Some(s.ids["rev"]), None));
    let link = format!("/link/{secret}");
    let mut outside = Browser { site: &s, cookie: RefCell::default(), token: String::new() };
    outside.token = field_of(&outside.get(&link).await.body, "token");
    let chosen = [("new", "other words, long"), ("again", "other words, long")];
    assert_eq!(outside.post(&link, &chosen).await.status, 303);
    assert_eq!(s.count("SELECT COUNT(*) FROM second_factors"), 0);
}
