//! The same form of the same page, sent again, is one act.

use super::*;

/// A browser as it is, and the same with a page of its own for its forms.
async fn at_page(who: &mut Browser<'_>, path: &str) {
    let page = who.get(path).await.body;
    let from = "name=\"token\" value=\"";
    let token = page.split_once(from).and_then(|(_, rest)| rest.split_once('"')).expect("a form").0;
    assert!(token.contains('.'), "each page gives its forms a token of its own: {token}");
    who.token = token.to_owned();
}

/// The page of a form, where it goes, its fields, and what is counted of what it does.
type Form<'a> = (&'a str, &'a str, Vec<(&'a str, &'a str)>, &'a str);

#[actix_web::test]
async fn a_form_that_is_sent_twice_is_one_act_and_both_are_answered_alike() {
    let s = site("once").await;
    s.bring(&csv("Morning", "Alfa", "30.33"));
    let lab = s.lab.to_string();
    let mut chief = s.browser("chief").await;
    let note = format!("/floor/{lab}/note");
    let forms: [Form<'_>; 3] = [
        (
            "/people",
            "/people",
            vec![("name", "New"), ("sign_in", "new"), ("role", "reviewer"), ("section", "Morning")],
            "SELECT COUNT(*) FROM users WHERE sign_in = 'new'",
        ),
        (
            "/account/tokens",
            "/account/tokens",
            vec![("name", "a script"), ("password", PASSWORD)],
            "SELECT COUNT(*) FROM api_tokens",
        ),
        (
            "/people",
            &note,
            vec![("by", "station"), ("at", "1"), ("body", "the gauge sticks")],
            "SELECT COUNT(*) FROM storeroom_notes",
        ),
    ];
    for (page, path, fields, count) in &forms {
        at_page(&mut chief, page).await;
        let (first, second) = futures_util::future::join(chief.post(path, fields), chief.post(path, fields)).await;
        let third = chief.post(path, fields).await;
        assert!(first.status < 400, "{path}: {}", words(&first.body));
        assert_eq!((first.status, &first.to, &first.body), (second.status, &second.to, &second.body), "{path}");
        assert_eq!((first.status, &first.to, &first.body), (third.status, &third.to, &third.body), "{path}, once more");
        assert_eq!(s.count(count), 1, "{path}");
        // Meant again, from a page that was loaded again, it is another act or is refused as one.
        at_page(&mut chief, page).await;
        let again = chief.post(path, fields).await;
        assert!(again.body != first.body || again.to != first.to || s.count(count) > 1, "{path}: {}", again.status);
    }
}

#[actix_web::test]
async fn codes_that_a_page_shows_open_something_however_often_it_is_asked() {
    let s = site("once_codes").await;
    let mut chief = s.browser("chief").await;
    let section = s.count("SELECT MIN(id) FROM sections");
    for round in 0..20 {
        let path = format!("/sections/{section}/codes");
        at_page(&mut chief, &path).await;
        let fields = [("then", "anew")];
        let (first, second) = futures_util::future::join(chief.post(&path, &fields), chief.post(&path, &fields)).await;
        assert_eq!(first.body, second.body, "round {round}: the cards that are printed");
        let code = second.body.split("<span class=\"n\">").nth(1).and_then(|r| r.split('<').next()).expect("a code");
        let answer = super::hand_in::stranger(&s).await.post("/hand-in/code", &[("code", code)]).await;
        assert_eq!(answer.status, 303, "round {round}: {code}");
    }
}

#[actix_web::test]
async fn whoever_presses_twice_to_come_in_is_in_with_either_answer() {
    let s = site("once_in").await;
    let mut first = Browser { site: &s, cookie: RefCell::default(), token: String::new() };
    at_page(&mut first, "/sign-in").await;
    // The browser drops the first answer, and with it the session that came in it.
    let second = Browser { site: &s, cookie: first.cookie.clone(), token: first.token.clone() };
    let fields = [("name", "rev"), ("password", PASSWORD)];
    let (a, b) = futures_util::future::join(first.post("/sign-in", &fields), second.post("/sign-in", &fields)).await;
    assert_eq!((a.status, b.status), (303, 303));
    for browser in [&first, &second] {
        assert_eq!(browser.get("/docket").await.status, 200);
    }
}

#[actix_web::test]
async fn what_was_refused_may_be_tried_again_and_nobody_is_answered_for_another() {
    let s = site("once_refused").await;
    let mut rev = s.browser("rev").await;
    at_page(&mut rev, "/account/tokens").await;
    let wrong = [("name", "x"), ("password", "another one")];
    assert_eq!(rev.post("/account/tokens", &wrong).await.status, 422);
    assert_eq!(rev.post("/account/tokens", &wrong).await.status, 422);
    assert_eq!(s.count("SELECT COUNT(*) FROM api_tokens"), 0);
    let right = [("name", "x"), ("password", PASSWORD)];
    let made = rev.post("/account/tokens", &right).await;
    assert!(made.status == 200 && made.body.contains("jurado_"), "{}", made.status);
    // Whoever knows the whole form and has another session is not answered.
    let mut other = s.browser("other").await;
    other.token = rev.token.clone();
    let answer = other.post("/account/tokens", &right).await;
    assert!(answer.status == 403 && !answer.body.contains("jurado_"), "{}", answer.status);
}
