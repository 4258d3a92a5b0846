//! Signing in with the college: who comes in, who does not, and what of its answers is not believed.

use jurado_college::check_url;
use jurado_college::door::{Settings as StandIn, serve};
use jurado_store::college::Found;
use jurado_store::{second_factor, terms};

use super::*;

/// A college's door on a port of its own, that this site was told of.
async fn door(chief: &Browser<'_>) -> String {
    let port = free_port();
    let (client, secret) = ("jurado".to_owned(), "made up".to_owned());
    let settings = StandIn { bind: std::net::Ipv4Addr::LOCALHOST.into(), port, client, secret, people: Vec::new() };
    actix_web::rt::spawn(serve(settings));
    answers(port).await;
    let url = format!("http://127.0.0.1:{port}");
    let fields = [("issuer", &*url), ("client", "jurado"), ("secret", "made up"), ("then", "set")];
    let told = chief.done("/people/college", &fields).await;
    assert!(told.contains("the college answered"), "{told}");
    url
}

/// A browser in which nobody is signed in.
fn outside(s: &Site) -> Browser<'_> {
    Browser { site: s, cookie: RefCell::default(), token: String::new() }
}

/// The parts of an address after its question mark.
fn asked(url: &str) -> BTreeMap<String, String> {
    let query = url.split_once('?').map_or("", |(_, q)| q);
    let plain = |t: &str| percent_encoding::percent_decode_str(&t.replace('+', " ")).decode_utf8_lossy().into_owned();
    query.split('&').filter_map(|p| p.split_once('=')).map(|(n, v)| (n.to_owned(), plain(v))).collect()
}

/// Goes to the college's door, says who one is, and gives the address that leads back here.
async fn through(b: &Browser<'_>, url: &str, who: &str) -> String {
    let on = b.get("/sign-in/college").await;
    assert!(on.status == 303 && on.to.starts_with(&format!("{url}/authorize?")), "{} {}", on.status, on.to);
    let mut fields = asked(&on.to);
    assert_eq!(fields["code_challenge_method"], "S256", "with a proof key");
    fields.insert("who".into(), who.into());
    let encode = |t: &str| percent_encoding::utf8_percent_encode(t, percent_encoding::NON_ALPHANUMERIC).to_string();
    let form: Vec<String> = fields.iter().map(|(n, v)| format!("{n}={}", encode(v))).collect();
    let (url, form) = (format!("{url}/authorize"), form.join("&"));
    let send = move || called("POST", &url, "application/x-www-form-urlencoded", &form).0;
    let head = web::block(send).await.expect("a thread");
    let to = head.lines().find_map(|l| l.to_lowercase().starts_with("location: ").then(|| l[10..].to_owned()));
    let to = to.unwrap_or_else(|| panic!("{head}"));
    to.split_once("/sign-in").map(|(_, rest)| format!("/sign-in{rest}")).expect("back here")
}

async fn lies(url: &str, lie: &str) {
    let (url, body) = (format!("{url}/lies"), format!("\"{lie}\""));
    let head = web::block(move || called("PUT", &url, "application/json", &body).0).await.expect("a thread");
    assert!(head.contains("204"), "{head}");
}

#[actix_web::test]
async fn whoever_the_college_knows_comes_in_and_nothing_false_is_believed() {
    let s = site("college_in").await;
    let chief = s.browser("chief").await;
    assert_eq!(outside(&s).get("/sign-in/college").await.status, 404, "there is no such door");
    for (fields, says) in [
        ([("issuer", "http://login.example"), ("client", "x"), ("secret", "y")], "not one of HTTPS"),
        ([("issuer", "http://127.0.0.1:9"), ("client", ""), ("secret", "y")], "Write the name that the college gave"),
        ([("issuer", "http://127.0.0.1:9"), ("client", "x"), ("secret", "")], "Write the secret"),
        ([("issuer", "http://127.0.0.1:9"), ("client", "x"), ("secret", "y")], "gave no answer"),
    ] {
        let told = chief.refused("/people/college", &fields).await;
        assert!(told.contains(says), "{fields:?}: {told}");
    }
    let url = door(&chief).await;
    assert!(check_url(&url).is_ok());
    assert!(outside(&s).page("/sign-in").await.contains("Sign in with the college"));
    // A name that nobody wrote down, though somebody here signs in by it.
    let b = outside(&s);
    let back = through(&b, &url, "rev").await;
    let told = b.get(&back).await;
    assert!(
        told.status == 422 && words(&told.body).contains("knows you as “rev”, and nobody here"),
        "{}",
        words(&told.body)
    );
    let path = format!("/people/{}", s.ids["rev"]);
    chief.done(&path, &[("then", "college"), ("college", "r.quoin")]).await;
    let taken =
        chief.refused(&format!("/people/{}", s.ids["other"]), &[("then", "college"), ("college", "r.quoin")]).await;
    assert!(taken.contains("college’s name “r.quoin” already"), "{taken}");
    for lie in ["audience", "expired", "nonce", "issuer", "key"] {
        lies(&url, lie).await;
        let back = through(&b, &url, "r.quoin").await;
        let told = b.get(&back).await;
        assert!(told.status == 422 && words(&told.body).contains("cannot be believed"), "{lie}: {}", words(&told.body));
        assert_eq!(b.get("/docket").await.status, 303, "{lie}");
    }
    lies(&url, "nameless").await;
    let told = b.get(&through(&b, &url, "r.quoin").await).await;
    assert!(words(&told.body).contains("did not say under which name"), "{}", words(&told.body));
    lies(&url, "none").await;
    assert_eq!(s.count("SELECT COUNT(*) FROM college_accounts WHERE subject IS NOT NULL"), 0);
    // An answer in a browser that did not ask, with another state, or a second time.
    let back = through(&b, &url, "r.quoin").await;
    assert!(words(&outside(&s).get(&back).await.body).contains("Nobody began to sign in here"));
    let other = back.replace("state=", "state=x");
    assert!(words(&b.get(&other).await.body).contains("another try to sign in"));
    assert!(words(&b.get(&back).await.body).contains("Nobody began"), "what was asked is used up by the first answer");
    let back = through(&b, &url, "r.quoin").await;
    let used = back.clone();
    let come = b.get(&back).await;
    assert_eq!((come.status, come.to.as_str()), (303, "/"));
    assert!(b.page("/docket").await.contains("Docket"));
    let c = outside(&s);
    through(&c, &url, "r.quoin").await;
    let state = used.split("state=").nth(1).unwrap_or("").to_owned();
    assert_eq!(c.get(&format!("/sign-in/college/back?code=none&state={state}")).await.status, 422);
    assert!(words(&c.get("/sign-in/college/back?error=denied").await.body).contains("Nobody began"));
    // Bound from now on: whoever else comes by that name is not let in, and who is closed neither.
    s.alter("UPDATE college_accounts SET subject = SHA2('another', 256)");
    let told = c.get(&through(&c, &url, "r.quoin").await).await;
    assert!(words(&told.body).contains("nobody here is called so"), "{}", words(&told.body));
    chief.done(&path, &[("then", "college"), ("college", "r.quoin")]).await;
    assert_eq!(c.get(&through(&c, &url, "r.quoin").await).await.status, 303);
    chief.done(&path, &[("then", "close")]).await;
    assert_eq!(c.get(&through(&c, &url, "r.quoin").await).await.status, 422);
    // With passwords alone there is no door.
    chief.done("/people/college", &[("then", "none")]).await;
    assert_eq!(outside(&s).get("/sign-in/college").await.status, 404);
}

#[actix_web::test]
async fn a_second_factor_is_asked_of_whom_the_college_lets_through_too() {
    let s = site("college_code").await;
    let chief = s.browser("chief").await;
    let url = door(&chief).await;
    chief.done(&format!("/people/{}", s.ids["rev"]), &[("then", "college"), ("college", "rev")]).await;
    let user = s.user("rev");
    let shown = s.run(|c| second_factor::begin(c, &user));
    let bytes = totp_rs::Secret::Encoded(shown.letters.replace(' ', "")).to_bytes().expect("letters");
    let codes = totp_rs::TOTP::new(totp_rs::Algorithm::SHA1, 6, 0, 30, bytes).expect("a secret");
    let now = s.count("SELECT UNIX_TIMESTAMP()") as u64;
    assert!(s.run(|c| second_factor::confirm(c, &user, &codes.generate(now - 30))));
    let b = outside(&s);
    let page = b.get(&through(&b, &url, "rev").await).await;
    assert!(words(&page.body).contains("type its code"), "{}", words(&page.body));
    assert_eq!(b.get("/docket").await.status, 303, "not in yet");
    let token = field_of(&page.body, "token");
    let send = async |b: &Browser<'_>, code: &str| {
        let fields = [("token", token.clone()), ("code", code.to_owned())];
        b.send(test::TestRequest::post().uri("/sign-in/college/code").set_form(fields)).await
    };
    let told = send(&b, "000000").await;
    assert!(told.status == 422 && words(&told.body).contains("not the code"), "{}", words(&told.body));
    assert_eq!(send(&b, &codes.generate(now)).await.status, 303);
    assert!(b.page("/docket").await.contains("Docket"));
    // A code without anybody whom the college let through opens nothing.
    let c = outside(&s);
    let token = field_of(&c.get("/sign-in").await.body, "token");
    let fields = [("token", token), ("code", codes.generate(now + 30))];
    let told = c.send(test::TestRequest::post().uri("/sign-in/college/code").set_form(fields)).await;
    assert!(told.status == 422 && words(&told.body).contains("Nobody began"), "{}", words(&told.body));
}

#[actix_web::test]
async fn a_student_comes_in_as_the_team_of_the_roster_and_reads_what_went_out_to_earlier_teams() {
    let s = site("college_student").await;
    let chief = s.browser("chief").await;
    let user = s.user("chief");
    let url = door(&chief).await;
    let enrol = |section: &str, team: &str| {
        let line = |number: &str| roster::Student {
            section: section.into(),
            team: team.into(),
            number: number.into(),
            name: "A. Bowline".into(),
        };
        s.run(|c| roster::enrol(c, &[line("TS1")], &user))
    };
    enrol("Morning", "Alfa");
    s.bring(&csv("Morning", "Alfa", "99"));
    s.bring(&csv("Evening", "Zulu", "99"));
    for team in ["Alfa", "Zulu"] {
        let version = s.decide_open(s.sheet(team), "chief", |_| (Action::Accept, ""));
        s.run(|c| sheets::sign(c, s.sheet(team), version, &user));
    }
    let (alfa, zulu) = (s.sheet("Alfa"), s.sheet("Zulu"));
    s.run(|c| sheets::release(c, &jurado_store::Filter::default(), &user).map(|_| ()));
    s.run(|c| {
        let new = terms::New { ends: "Spring", begins: "Autumn", same_teams: true };
        terms::begin(c, &new, &user)
    });
    let b = outside(&s);
    let nobody = b.get(&through(&b, &url, "TS1").await).await;
    assert_eq!(nobody.status, 422, "nobody of this term yet");
    enrol("Morning", "Bittern");
    let come = b.get(&through(&b, &url, "TS1").await).await;
    assert_eq!((come.status, come.to.as_str()), (303, "/hand-in"));
    let home = b.page("/hand-in").await;
    assert!(home.contains("Bittern, Morning section") && home.contains("Alfa, Spring"), "{home}");
    assert!(!home.contains("Zulu"), "{home}");
    let sheet = b.page(&format!("/hand-in/earlier/{alfa}")).await;
    assert!(sheet.contains("Alfa, Spring section") && sheet.contains("Your volume (plate) is 99"), "{sheet}");
    assert_eq!(b.get(&format!("/hand-in/earlier/{zulu}")).await.status, 404, "another team's looks like none");
    assert_eq!(b.get("/docket").await.status, 303, "a student sees nothing of reviewers");
    // A team with its code has no earlier teams.
    let codes = s.run(|c| jurado_store::door::make_codes(c, s.section("Morning"), true, &user));
    let team = outside(&s);
    let token = field_of(&team.get("/hand-in").await.body, "token");
    let code = &codes.iter().find(|(name, _)| name == "Bittern").expect("a code").1;
    let fields = [("token", token), ("code", code.clone())];
    assert_eq!(team.send(test::TestRequest::post().uri("/hand-in/code").set_form(fields)).await.status, 303);
    assert!(!team.page("/hand-in").await.contains("Alfa, Spring"));
    assert_eq!(team.get(&format!("/hand-in/earlier/{alfa}")).await.status, 404);
    // Somebody else who comes under the number is refused, and the coordinator told, until that lets the number go.
    let somebody = |subject: &'static str, name: &'static str| s.run(|c| jurado_store::college::who(c, subject, name));
    assert!(matches!(somebody("issuer\nanother", "TS1"), Found::Another(number) if number == "TS1"));
    assert!(matches!(somebody("issuer\nanother", "TS1"), Found::Another(_)));
    assert_eq!(b.get(&through(&b, &url, "TS1").await).await.status, 303, "the first one comes in as before");
    let told = chief.page("/people/college").await;
    assert!(told.contains("TS1") && told.contains("2 times"), "{told}");
    assert!(chief.done("/people/college", &[("number", "TS1"), ("then", "unbind")]).await.contains("Let go"));
    assert!(!chief.page("/people/college").await.contains("2 times"));
    assert!(matches!(somebody("issuer\nanother", "TS1"), Found::Student(_)));
    // Whoever is bound is that student under whatever name the college knows.
    assert!(matches!(somebody("issuer\nanother", "TS9"), Found::Student(number) if number == "TS1"));
    let refused = b.get(&through(&b, &url, "TS1").await).await;
    assert!(words(&refused.body).contains("Somebody else came from the college as TS1"), "{}", words(&refused.body));
    assert_eq!(chief.post("/people/college", &[("number", "TS7"), ("then", "unbind")]).await.status, 404);
    // Who left the roster is out at once.
    s.alter("UPDATE students SET left_at = NOW() WHERE term_id = 0");
    assert!(words(&b.get("/hand-in").await.body).contains("with the code of your team"));
}
