//! The door: codes, what a team is told of its sheet, handing in again and late, and what a team never sees.

use std::collections::BTreeSet;

use jurado_core::protocol::Protocol;

use super::*;

/// A browser in which nobody is signed in.
pub(super) async fn stranger(s: &Site) -> Browser<'_> {
    let mut browser = Browser { site: s, cookie: RefCell::default(), token: String::new() };
    let page = browser.get("/hand-in").await;
    browser.token = field_of(&page.body, "token");
    browser
}

/// The codes of a section, made anew, by team.
pub(super) async fn codes(s: &Site, chief: &Browser<'_>, section: &str) -> BTreeMap<String, String> {
    let path = format!("/sections/{}/codes", s.section(section));
    let page = chief.post(&path, &[("then", "anew")]).await;
    assert_eq!(page.status, 200, "{}", words(&page.body));
    let cards = page.body.split("<li>").skip(1).filter(|c| c.contains("/hand-in"));
    let between = |text: &str, a: &str, b: &str| {
        text.split_once(a).and_then(|(_, rest)| rest.split_once(b)).map(|(t, _)| t.to_owned()).unwrap_or_default()
    };
    cards.map(|c| (between(c, "<b>", "</b>"), between(c, "class=\"n\">", "</span>"))).collect()
}

pub(super) async fn come_in<'a>(s: &'a Site, code: &str) -> Browser<'a> {
    let mut team = stranger(s).await;
    let answer = team.post("/hand-in/code", &[("code", code)]).await;
    assert_eq!((answer.status, answer.to.as_str()), (303, "/hand-in"), "{}", words(&answer.body));
    team.token = field_of(&team.get("/hand-in").await.body, "token");
    team
}

pub(super) const SHEET: [(&str, &str); 7] = [
    ("k.station", "1"),
    ("c.zero", "0.04"),
    ("c.plate_length", "84.44"),
    ("c.plate_width", "41.92"),
    ("c.plate_thickness", "8.62"),
    ("c.plate_mass", "81.89"),
    ("c.plate_volume", "30.33"),
];

#[actix_web::test]
async fn a_team_is_told_of_its_sheet_hands_in_again_and_keeps_its_receipt() {
    let s = site("door_week").await;
    let chief = s.browser("chief").await;
    chief.done(&format!("/protocols/{}/term", s.lab), &[("then", "put")]).await;
    let all = codes(&s, &chief, "Morning").await;
    assert_eq!(all.keys().collect::<Vec<_>>(), ["Alfa", "Bittern"]);
    let team = come_in(&s, &all["Alfa"].to_lowercase().replace('-', " ")).await;
    assert!(team.page("/hand-in").await.contains("Alfa, Morning section"));
    let path = format!("/hand-in/{}", s.lab);
    let with = |more: &[(&'static str, &'static str)]| {
        let kept = SHEET.into_iter().filter(|(n, _)| more.iter().all(|(m, _)| m != n));
        kept.chain(more.iter().copied()).collect::<Vec<(&str, &str)>>()
    };
    // Told in its place, and kept as a draft: nothing is handed in by looking.
    let odd = with(&[("c.plate_width", ""), ("c.plate_mass", "81.8O"), ("c.plate_length", "84.4"), ("then", "look")]);
    let told = words(&team.post(&path, &odd).await.body);
    for says in ["plate width is empty. Fill it, or say why", "“81.8O”, cannot be read", "a digit short: 84.4"] {
        assert!(told.to_lowercase().contains(&says.to_lowercase()), "{says}: {told}");
    }
    assert_eq!(s.count("SELECT COUNT(*) FROM sheets"), 0);
    let again = team.get(&path).await.body;
    assert!(again.contains("81.8O") && again.contains("as a draft"), "what was typed is there again");
    for (fields, says) in
        [(vec![("then", "in")], "Nothing is typed yet"), (vec![("w.zero", &*"x".repeat(1001))], "longer")]
    {
        let told = team.refused(&path, &fields).await;
        assert!(told.contains(says), "{told}");
    }
    // Handed in with what is open and a reason, then mended.
    let why = "the width was never read";
    let first = with(&[("c.plate_width", ""), ("w.plate_width", why), ("c.plate_volume", ""), ("then", "in")]);
    let receipt = team.done(&path, &first).await;
    assert!(receipt.contains("The first time") && receipt.contains(why), "{receipt}");
    assert!(!receipt.contains("plate width is empty"), "a reason is as good as a value: {receipt}");
    let id = s.sheet("Alfa");
    assert!(chief.page(&format!("/bench/{id}")).await.contains(why), "the reviewer reads it");
    let receipt = team.done(&path, &with(&[("then", "in")])).await;
    assert!(
        receipt.contains("The second time") && receipt.contains("Nothing: no box is empty")
            || receipt.contains("Still open"),
        "{receipt}"
    );
    assert_eq!(s.count("SELECT revision FROM submissions ORDER BY id DESC LIMIT 1"), 2);
    let page = team.get(&format!("{path}/receipt")).await.body;
    let kept = page.split("/hand-in/receipt/").nth(1).and_then(|r| r.split('"').next()).expect("a link").to_owned();
    let file = team.get(&format!("/hand-in/receipt/{kept}")).await.body;
    assert!(file.contains("plate_length,,84.44,mm"), "{file}");
    assert!(page.contains(&jurado_store::digest(file.as_bytes())), "the digest is that of the file");
    // Each time is kept, so that there is an end to it.
    s.alter("INSERT INTO hand_ins (team_id, lab_id, import_id, digest, handed_in_at) SELECT h.team_id, h.lab_id, h.import_id, h.digest, h.handed_in_at FROM hand_ins h JOIN (SELECT seq FROM seq_1_to_198) n WHERE h.id = 1");
    let often = with(&[("c.plate_volume", "30.35"), ("then", "in")]);
    assert!(team.refused(&path, &often).await.contains("was handed in 200 times"));
    s.alter("DELETE FROM hand_ins WHERE id > 2");
    // Late is told in minutes and never refused.
    let due = "INSERT INTO section_labs (section_id, lab_id, version, settings, due_at) SELECT section_id, lab_id, 1, '{}', UTC_TIMESTAMP() - INTERVAL 20 MINUTE FROM sheets LIMIT 1";
    s.alter(due);
    assert!(team.page(&path).await.contains("is marked as late"));
    let receipt = team.done(&path, &with(&[("c.plate_volume", "30.34"), ("then", "in")])).await;
    assert!(receipt.contains("It is 20 min late") || receipt.contains("It is 21 min late"), "{receipt}");
    // Once marks are out it is not handed in again.
    s.alter("UPDATE sheets SET state = 'returned', returns = 1, returned_at = UTC_TIMESTAMP()");
    assert!(team.refused(&path, &with(&[("then", "in")])).await.contains("Marks are out"));
    assert_eq!(s.count("SELECT COUNT(*) FROM hand_ins"), 3);
}

#[actix_web::test]
async fn a_code_opens_its_own_door_alone_and_a_new_one_closes_it() {
    let s = site("door_codes").await;
    s.bring(&csv("Morning", "Bittern", "303.3"));
    let (chief, rev) = (s.browser("chief").await, s.browser("rev").await);
    let all = codes(&s, &chief, "Morning").await;
    assert_eq!(rev.post(&format!("/sections/{}/codes", s.section("Evening")), &[]).await.status, 404);
    assert_eq!(stranger(&s).await.get(&format!("/hand-in/{}", s.lab)).await.to, "/hand-in");
    let other = stranger(&s).await;
    let told = other.refused("/hand-in/code", &[("code", "AAAA-BBBB-CCCC")]).await;
    assert!(told.contains("No team has this code"), "{told}");
    assert!(other.get(&format!("/hand-in/with/{}", all["Alfa"])).await.body.contains(&all["Alfa"]));
    assert_eq!(other.get(&format!("/hand-in/{}", s.lab)).await.to, "/hand-in", "looking at a link opens nothing");
    let (alfa, bittern) = (come_in(&s, &all["Alfa"]).await, come_in(&s, &all["Bittern"]).await);
    let path = format!("/hand-in/{}", s.lab);
    let sheet: Vec<(&str, &str)> = SHEET.into_iter().chain([("then", "in")]).collect();
    bittern.done(&path, &sheet).await;
    let receipt = s.count("SELECT MAX(id) FROM hand_ins");
    assert_eq!(bittern.get(&format!("/hand-in/receipt/{receipt}")).await.status, 200);
    assert_eq!(alfa.get(&format!("/hand-in/receipt/{receipt}")).await.status, 404, "another’s receipt");
    assert_eq!(alfa.get(&format!("{path}/receipt")).await.status, 404);
    let cookie = RefCell::new(alfa.cookie.borrow().clone());
    let elsewhere = Browser { site: &s, cookie, token: "x".into() };
    assert_eq!(elsewhere.post(&path, &sheet).await.status, 403, "a form of somewhere else");
    // No page of a team holds a reference, a verdict or another team; and no page of the staff opens.
    let mut seen = String::new();
    let wrong: Vec<(&str, &str)> = SHEET.into_iter().filter(|f| f.0 != "c.plate_volume").collect();
    let wrong: Vec<(&str, &str)> =
        wrong.into_iter().chain([("c.plate_volume", "303.3"), ("c.plate_density", "9.99")]).collect();
    seen += &alfa.post(&path, &wrong).await.body;
    seen += &alfa.done(&path, &wrong.iter().copied().chain([("then", "in")]).collect::<Vec<_>>()).await;
    for page in ["/hand-in", &path, &format!("{path}/receipt")] {
        seen += &alfa.get(page).await.body;
    }
    for hidden in ["2.68", "2.72", "30.33", "30.3 ", "Bittern", "Zulu", "aluminium", "decimal point", "slip"] {
        let held = seen.replace("id=\"slip\"", "").replace("class=\"skip\"", "");
        assert!(!held.contains(hidden), "{hidden} is told to a team");
    }
    for line in include_str!("../app.rs").lines().filter(|l| l.contains("web::get()")) {
        let route = line.split('"').nth(1).expect("a path");
        let open = ["/hand-in", "/api", "/sign-in", "/assets", "/metrics", "/health", "/link"]
            .iter()
            .any(|p| route.starts_with(p));
        let at = route.replace("{lab}", "1").replace("{id}", "1").replace("{section}", "1").replace("{file}", "1");
        if !open {
            let answer = alfa.get(&at.replace("{ending}", "csv")).await;
            assert!(
                answer.status == 303 && answer.to.starts_with("/sign-in"),
                "{route}: {} {}",
                answer.status,
                answer.to
            );
        }
    }
    // Whoever signs in where a team came in before shuts its door.
    let rev_id = s.ids["rev"];
    assert_eq!(bittern.get(&path).await.status, 200);
    assert_eq!(bittern.get(&format!("/as/{rev_id}")).await.status, 200);
    assert_eq!(bittern.get(&path).await.to, "/hand-in");
    codes(&s, &chief, "Morning").await;
    assert_eq!(alfa.get(&path).await.to, "/hand-in", "a new code ends the session of the old");
}

#[actix_web::test]
async fn what_came_in_by_a_file_stays_as_it_was_typed_when_the_team_opens_it() {
    let s = site("door_file").await;
    let line = |item: &str, row: &str, value: &str, unit: &str, out: &str, note: &str| {
        format!("Morning,Alfa,1,{item},{row},{value},{unit},,{out},{note}\n")
    };
    let mut file = HEADER.to_owned();
    file += &line("plate_length", "", "8.444", "cm", "", "");
    file += &line("plate_mass", "", "", "", "", "the balance was away");
    for (row, value, out) in [("1", "45.68", ""), ("2", "45.12", "the jaw was open"), ("3", "45.66", "")] {
        file += &line("disc_diameter", row, value, "mm", out, "");
    }
    s.bring(&file);
    let chief = s.browser("chief").await;
    let team = come_in(&s, &codes(&s, &chief, "Morning").await["Alfa"]).await;
    assert!(team.page("/hand-in").await.contains("in, as your reviewer brought it"));
    let path = format!("/hand-in/{}", s.lab);
    let page = team.get(&path).await.body;
    for kept in ["8.444 cm", "the jaw was open"] {
        assert!(page.contains(kept), "{kept} is shown as it was typed");
    }
    // Every field of the form sent as it stands.
    let mut fields: Vec<(String, String)> = Vec::new();
    for part in page.split("<input ").skip(1) {
        let of = |name: &str| {
            part.split_once(&format!(" {name}=\""))
                .or_else(|| part.split_once(&format!("{name}=\"")))
                .and_then(|(_, r)| r.split_once('"'))
                .map(|(v, _)| v.to_owned())
        };
        if let (Some(name), Some(value)) = (of("name"), of("value")) {
            fields.push((name, value));
        }
    }
    let mut all: Vec<(&str, &str)> =
        fields.iter().filter(|(n, _)| n != "token").map(|(n, v)| (n.as_str(), v.as_str())).collect();
    all.extend([("k.station", "1"), ("then", "in")]);
    team.done(&path, &all).await;
    let chief_user = s.user("chief");
    let id = s.sheet("Alfa");
    let sheet = s.run(|c| sheets::get(c, id, &chief_user)).submission;
    let cell = |item: &str, row: Option<u32>| {
        sheet.cells.iter().find(|c| c.item == item && c.row == row).expect("a cell").clone()
    };
    assert_eq!(cell("plate_length", None).value, "8.444 cm");
    assert_eq!(cell("plate_mass", None).note, "the balance was away");
    assert_eq!(
        (cell("disc_diameter", Some(2)).excluded.as_str(), cell("disc_diameter", Some(1)).excluded.as_str()),
        ("the jaw was open", "")
    );
    assert_eq!(cell("disc_diameter", Some(3)).unit, "mm");
}

/// The numbers of a text that somebody could read there, each as it is written.
fn numbers(text: &str) -> BTreeSet<String> {
    // A digit among letters belongs to a word, such as a digest.
    let word = |c: char| c.is_alphanumeric() || c == '.' || c == ',';
    let number = |w: &&str| !w.is_empty() && w.chars().all(|c| c.is_ascii_digit() || c == '.' || c == ',');
    let words = text.split(|c: char| !word(c)).map(|w| w.trim_matches(['.', ',']));
    words.filter(number).map(str::to_owned).collect()
}

/// A lab's references as somebody might write them: in the item's own unit, to three figures and more.
fn references(p: &Protocol) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for r in &p.references {
        let unit = &p.items[r.item].unit;
        let values = r.entries.iter().flat_map(|e| [e.low, e.high, e.middle()]).chain(r.short.iter().copied());
        for value in values.map(|v| unit.from_si(v, unit.nature)) {
            for figures in 3..=6 {
                let text = jurado_core::notation::figures(value.abs(), figures);
                out.insert(text.trim_start_matches('0').trim_start_matches('.').to_owned());
                out.insert(text);
            }
        }
    }
    out.retain(|t| t.bytes().filter(u8::is_ascii_digit).count() >= 3);
    out
}

/// Over every lab of the library and every route of a team: no answer before marks are out holds a reference, a verdict or
/// another team, but for what the team typed and what the blank sheet prints.
#[actix_web::test]
async fn no_answer_to_a_team_holds_a_reference_a_verdict_or_another_team() {
    let folder = format!("{}/../../protocols", env!("CARGO_MANIFEST_DIR"));
    let s = site("door_secrets").await;
    let chief_user = s.user("chief");
    let chief = s.browser("chief").await;
    let team = come_in(&s, &codes(&s, &chief, "Morning").await["Alfa"]).await;
    let mut names: Vec<String> = std::fs::read_dir(format!("{folder}/worlds"))
        .expect("worlds")
        .filter_map(|e| e.ok()?.path().file_stem().map(|f| f.to_string_lossy().into_owned()))
        .collect();
    names.sort();
    let routes: Vec<&str> = include_str!("../app.rs")
        .lines()
        .filter(|l| l.contains("\"/hand-in/{lab}") && l.contains("web::get()"))
        .filter_map(|l| l.split('"').nth(1))
        .collect();
    assert!(names.len() >= 24 && routes.len() >= 4, "{names:?} {routes:?}");
    let (mut answers, mut looked_for) = (0, 0);
    for (n, name) in names.iter().enumerate() {
        let read = |path: String| std::fs::read_to_string(path).expect("a file");
        let (source, world) = (read(format!("{folder}/{name}.toml")), read(format!("{folder}/worlds/{name}.toml")));
        let lab = s.run(|c| labs::install(c, &source));
        let p = lab.protocol.clone();
        let simulated = jurado_sim::Lab::new(&source, &world).expect("a lab and its world");
        let order = jurado_sim::Order { teams: 3, seed: 40 + n as u64, slips: 0.8, ..Default::default() };
        let mut tables = simulated.simulate(&order).tables;
        for (table, (section, name)) in
            tables.iter_mut().zip([("Morning", "Alfa"), ("Morning", "Bittern"), ("Evening", "Zulu")])
        {
            (table.section, table.team) = (section.to_owned(), name.to_owned());
        }
        let file = jurado_intake::write_grid_exact(&jurado_intake::long_grid(&p, &tables));
        s.run(|c| {
            let id = imports::offer(c, lab.id, &chief_user, "class.csv", file.as_bytes())?;
            imports::take(c, id, &chief_user)
        });
        let own = jurado_intake::write_sheet(&p, Some(&tables[0])) + &p.cautions.join(" ");
        let own: BTreeSet<String> = numbers(&own).into_iter().chain(tables[0].keys.values().cloned()).collect();
        let secrets: Vec<String> = references(&p).into_iter().filter(|t| !own.contains(t)).collect();
        looked_for += secrets.len();
        let judged = jurado_core::judging::judge(&p, &tables[0], &[], &[]);
        // One cell is spoilt, so that something is told.
        let mut fields = crate::views::hand_in::fields_for(&p, &tables[0]);
        if let Some((_, value)) = fields.iter_mut().find(|(n, v)| n.starts_with("c.") && !v.is_empty()) {
            value.push('O');
        }
        let sent: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect();
        let at = |route: &str| route.replace("{lab}", &lab.id.to_string()).replace("{ending}", "csv");
        let mut seen = vec![("what is told".to_owned(), team.post(&at("/hand-in/{lab}"), &sent).await)];
        let in_now: Vec<(&str, &str)> = sent.iter().copied().chain([("then", "in")]).collect();
        seen.push(("handing in".to_owned(), team.post(&at("/hand-in/{lab}"), &in_now).await));
        let unasked: Vec<(&str, &str)> = sent.iter().copied().chain([("unasked", "1")]).collect();
        seen.push(("the room".to_owned(), team.post(&at("/hand-in/{lab}/room"), &unasked).await));
        seen.push(("the list".to_owned(), team.get("/hand-in").await));
        for route in &routes {
            seen.push((at(route), team.get(&at(route)).await));
        }
        for (what, answer) in seen {
            assert!(answer.status < 500, "{name}, {what}: {}", answer.status);
            let main = answer.body.split_once("<main").map_or(answer.body.as_str(), |(_, main)| main);
            // What stands in a field is the team's own; the rest is ours.
            let text = if answer.kind.contains("html") { words(main) } else { main.to_owned() };
            let there = numbers(&text);
            // In the room what each row gives is told: a good measurement of a reference is near it.
            let rows = judged.results.iter().filter(|r| r.row.is_some()).map(jurado_core::judging::shown_clean);
            let rows: BTreeSet<String> = if what.contains("room") { rows.collect() } else { BTreeSet::new() };
            for secret in secrets.iter().filter(|s| !rows.contains(*s)) {
                assert!(!there.contains(secret), "{name}, {what}: the reference {secret} is told: {text}");
            }
            for hidden in ["Bittern", "Zulu", "unexplained", "decimal point", "recomputed", "percent off"] {
                assert!(!text.contains(hidden), "{name}, {what}: “{hidden}” is told: {text}");
            }
            answers += 1;
        }
    }
    assert!(answers > 200 && looked_for > 100, "{answers} answers, {looked_for} values looked for");
}

#[actix_web::test]
async fn what_a_team_has_open_is_ended_by_its_reviewer_and_its_code_still_opens() {
    let s = site("hand_in_ends").await;
    let (chief, rev, other) = (s.browser("chief").await, s.browser("rev").await, s.browser("other").await);
    let code = codes(&s, &chief, "Morning").await["Alfa"].clone();
    let (left, neighbour) = (come_in(&s, &code).await, come_in(&s, &codes(&s, &chief, "Evening").await["Zulu"]).await);
    let path = format!("/sections/{}/codes", s.section("Morning"));
    let end = [("then", "end"), ("team", "Alfa")];
    assert_eq!(other.post(&path, &end).await.status, 404, "another section's reviewer");
    assert!(left.page("/hand-in").await.contains("Alfa"));
    assert!(rev.done(&path, &end).await.contains("is over; its code still opens"));
    assert!(left.page("/hand-in").await.contains("with the code of your team"));
    assert!(neighbour.page("/hand-in").await.contains("Zulu"), "nobody else is out");
    // Times are whole seconds.
    actix_web::rt::time::sleep(std::time::Duration::from_millis(1_100)).await;
    assert!(come_in(&s, &code).await.page("/hand-in").await.contains("Alfa"));
    assert_eq!(rev.post(&path, &[("then", "end"), ("team", "Nobody")]).await.status, 404);
}
