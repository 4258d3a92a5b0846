//! The room: what the phones of a team type joins, and is gone after an hour.

use super::hand_in::{codes, come_in};
use super::*;

const KEEL: &str = include_str!("../../../../protocols/keel-plate.toml");

#[actix_web::test]
async fn two_phones_of_a_team_join_in_the_room_and_nothing_is_kept_longer_than_an_hour() {
    let s = site_of("room_phones", KEEL).await;
    let chief = s.browser("chief").await;
    chief.done(&format!("/protocols/{}/term", s.lab), &[("then", "put")]).await;
    let (morning, evening) = (codes(&s, &chief, "Morning").await, codes(&s, &chief, "Evening").await);
    let (one, two) = (come_in(&s, &morning["Alfa"]).await, come_in(&s, &morning["Alfa"]).await);
    let others = come_in(&s, &evening["Zulu"]).await;
    let path = format!("/hand-in/{}/room", s.lab);
    let first = one.post(&path, &[("c.zero", "0.04"), ("c.disc_diameter:1", "45.68")]).await;
    assert_eq!(first.status, 200, "{}", words(&first.body));
    assert!(!words(&first.body).contains("From the other phone"), "{}", words(&first.body));
    // The second phone has one box alike, one of its own and one otherwise.
    let mine = [("c.zero", "0.04"), ("c.disc_diameter:1", "45.86"), ("c.plate_length", "84.44")];
    let told = words(&two.post(&path, &mine).await.body);
    assert!(told.contains("Both typed disc diameter, 1: 45.86 here, 45.68 there."), "{told}");
    assert!(!told.contains("Both typed zero"), "{told}");
    let told = words(&one.post(&path, &[("c.zero", "0.04"), ("c.disc_diameter:1", "45.68")]).await.body);
    assert!(
        told.contains("plate length: 84.44") && told.contains("Both typed disc diameter, 1: 45.68 here, 45.86 there"),
        "{told}"
    );
    // In the boxes: what is typed here stays, what is not comes from the other; what is taken is the other's.
    let form = one.get(&path).await.body;
    let at = |form: &str, name: &str| {
        let tag = form.split("<input").find(|t| t.contains(&format!("name=\"{name}\""))).unwrap_or("").to_owned();
        tag.split_once("value=\"").and_then(|(_, v)| v.split_once('"')).map(|(v, _)| v.to_owned()).unwrap_or_default()
    };
    assert_eq!((at(&form, "c.plate_length").as_str(), at(&form, "c.disc_diameter:1").as_str()), ("84.44", "45.68"));
    let form = one.get(&format!("{path}?take=c.disc_diameter:1")).await.body;
    assert_eq!(at(&form, "c.disc_diameter:1"), "45.86");
    // Another team has nothing of it, and nothing of it is a sheet or a draft.
    assert!(!words(&others.post(&path, &[("c.zero", "0.04")]).await.body).contains("84.44"));
    assert_eq!(s.count("SELECT (SELECT COUNT(*) FROM sheets) + (SELECT COUNT(*) FROM drafts)"), 0);
    let page = one.page(&format!("/hand-in/{}", s.lab)).await;
    assert!(!page.contains("84.44"), "{page}");
    // A minute before the hour it is there; after it, it is not, and the next who sends anything deletes it.
    s.alter("UPDATE room_readings SET at = UTC_TIMESTAMP() - INTERVAL 59 MINUTE");
    assert_eq!(at(&one.get(&path).await.body, "c.plate_length"), "84.44");
    s.alter("UPDATE room_readings SET at = UTC_TIMESTAMP() - INTERVAL 61 MINUTE");
    assert_eq!(at(&one.get(&path).await.body, "c.plate_length"), "");
    others.post(&path, &[("c.zero", "0.04")]).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM room_readings"), 1);
    // More than any sheet holds is told.
    let long = "9".repeat(199);
    let many: Vec<(String, &str)> = (0..350).map(|n| (format!("c.x{n}"), long.as_str())).collect();
    let many: Vec<(&str, &str)> = many.iter().map(|(n, v)| (n.as_str(), *v)).collect();
    let told = one.post(&path, &many).await;
    assert!(told.status == 422 && words(&told.body).contains("more readings than a sheet holds"), "{}", told.status);
}

#[actix_web::test]
async fn phones_that_send_at_the_same_moment_lose_nothing() {
    let s = site_of("room_race", KEEL).await;
    let user = s.user("chief");
    let team = s.run(|c| {
        let code = jurado_store::door::make_codes(c, s.section("Morning"), true, &user)?.remove(0).1;
        jurado_store::door::team_of(c, &code).map(|t| t.expect("a team"))
    });
    for round in 0..20 {
        std::thread::scope(|threads| {
            for phone in 0..4 {
                let (store, team) = (s.store.clone(), team.clone());
                let lab = s.lab;
                threads.spawn(move || {
                    let typed = [(format!("c.plate_length:{phone}"), format!("{round}.{phone}"))].into_iter().collect();
                    store
                        .run(|c| jurado_store::room::send(c, &team, lab, &format!("phone-{phone}"), &typed))
                        .expect("sent")
                });
            }
        });
        let joined = s.run(|c| jurado_store::room::look(c, &team, s.lab, "another"));
        let mut all: Vec<String> = joined.others.iter().flat_map(|o| o.values().cloned()).collect();
        all.sort();
        assert_eq!(all, (0..4).map(|p| format!("{round}.{p}")).collect::<Vec<_>>());
    }
}

#[actix_web::test]
async fn a_team_is_told_what_two_of_its_sheets_say_alike_once_both_are_out() {
    let s = site("room_repeated").await;
    let (chief, user) = (s.browser("chief").await, s.user("chief"));
    let other = LAB.replacen("id = \"keel-plate\"", "id = \"other-plate\"", 1).replacen("Keel plate", "Other plate", 1);
    let second = s.run(|c| labs::install(c, &other)).id;
    // A digit short of the caliper in both.
    let short = csv("Morning", "Alfa", "30.33").replace("84.44", "84.4");
    s.bring(&short);
    s.run(|c| {
        let id = imports::offer(c, second, &user, "other.csv", short.as_bytes())?;
        imports::take(c, id, &user)
    });
    let send = |lab: u32| {
        s.run(|c| {
            let id = docket::of_lab(c, lab, &user)?[0].id;
            let detail = sheets::get(c, id, &user)?;
            let judged = detail.judge(&labs::get(c, lab)?.protocol);
            let new: Vec<NewDecision> = judged
                .findings
                .iter()
                .filter(|f| f.open())
                .map(|f| match &f.criterion {
                    Some(line) if matches!(f.kind, Kind::Manual(_)) => {
                        NewDecision::new(Key::Line(line.clone()), Action::Points(Decimal::ZERO), "none")
                    }
                    _ => NewDecision::new(f.key.clone(), Action::Accept, ""),
                })
                .collect();
            sheets::decide(c, id, detail.version, &user, &new)?;
            sheets::sign(c, id, detail.version + 1, &user)?;
            sheets::release(c, &jurado_store::Filter { lab: Some(lab), ..Default::default() }, &user).map(|_| ())
        });
    };
    let code = codes(&s, &chief, "Morning").await["Alfa"].clone();
    let team = come_in(&s, &code).await;
    let advice = "Write every digit that the instrument shows, noughts too.";
    send(s.lab);
    assert!(!team.page("/hand-in").await.contains("more than once"), "one sheet is no habit");
    send(second);
    let page = team.page("/hand-in").await;
    assert!(page.contains("Said to you more than once") && page.contains(advice), "{page}");
    assert!(page.contains("Keel plate, Other plate"), "{page}");
    assert!(!page.contains("84.4"), "advice, and nothing of a sheet: {page}");
}
