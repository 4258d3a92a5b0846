//! The Floor: an empty lab, a place that reads high and the ruling on it, notes for the storeroom, names of others.

use super::*;

/// Teams of the class; each section has half of them, at five stations in turn.
const TEAMS: u32 = 20;

/// Tables of both sections at five stations, each with its own metal; the balance of station 2 shows four parts in a
/// hundred too much.
fn class() -> String {
    let mut out = HEADER.to_owned();
    for n in 0..TEAMS {
        let (section, station) = (if n < TEAMS / 2 { "Morning" } else { "Evening" }, 1 + n % 5);
        let density = [2.70, 7.85, 8.41, 8.94, 4.44][station as usize - 1];
        let mass = (30.33 * density + 0.03 * f64::from(n % 7)) * if station == 2 { 1.04 } else { 1.0 };
        for line in csv(section, &format!("Team {n}"), "30.33").lines().skip(1) {
            let line = line.replacen(",1,", &format!(",{station},"), 1).replace("81.89", &format!("{mass:.2}"));
            out += &format!("{line}\n");
        }
    }
    out
}

/// The lab with its class.
async fn full(name: &str) -> Site {
    let s = site(name).await;
    let names: Vec<String> = (0..TEAMS).map(|n| format!("Team {n}")).collect();
    let names: Vec<&str> = names.iter().map(String::as_str).collect();
    let (morning, evening) = names.split_at(names.len() / 2);
    s.run(|c| roster::add(c, &[("Morning", morning), ("Evening", evening)]));
    s.bring(&class());
    s
}

#[actix_web::test]
async fn an_empty_lab_has_one_sentence_and_no_chart() {
    let s = site("floor_empty").await;
    let chief = s.browser("chief").await;
    assert!(chief.page("/floor").await.contains("No lab is on the term"));
    for page in ["", "/table", "/wall", "/points.csv"] {
        let page = chief.page(&format!("/floor/{}{page}", s.lab)).await;
        assert!(page.contains("No table of this lab is in yet"), "{page}");
    }
    assert!(chief.page(&format!("/floor/{}/start", s.lab)).await.contains("Nothing was found twice so far."));
    assert!(chief.page(&format!("/floor/{}/shared", s.lab)).await.contains("No two tables share"));
    assert!(chief.page("/floor/storeroom").await.contains("Nothing waits for the storeroom."));
    assert_eq!(chief.get("/floor/99999").await.status, 404);
}

#[actix_web::test]
async fn a_station_that_reads_high_is_named_and_a_ruling_judges_it_by_its_own_consensus() {
    let s = full("floor_high").await;
    let (rev, chief) = (s.browser("rev").await, s.browser("chief").await);
    let floor = format!("/floor/{}", s.lab);
    let page = rev.page(&format!("{floor}?result=plate_density&by=station")).await;
    assert!(page.contains("Station 2 reads high by") && page.contains("all 4 teams"), "{page}");
    assert!(page.contains("Judge it by its own consensus"), "{page}");
    let home = chief.get("/floor").await;
    assert_eq!((home.status, home.to), (303, floor.clone()));
    let table = s.sheet("Team 1");
    let ringed = rev.get(&format!("/floor/of/{table}")).await;
    assert_eq!((ringed.status, ringed.to), (303, format!("{floor}?from={table}")));
    assert!(rev.get(&format!("{floor}?from={table}")).await.body.contains("class=\"ringed\""));
    assert_eq!(rev.get(&format!("/floor/of/{}", s.sheet("Team 17"))).await.status, 404, "another’s table");
    // What asks for nothing that is there shows what is shown first.
    assert!(rev.page(&format!("{floor}?result=nothing&by=nothing&from=x&find=%25")).await.contains("Teams by"));
    let sums = || s.count("SELECT SUM(ROUND(decided * 1000)) FROM sheets WHERE stage IS NOT NULL");
    let before = sums();
    let lab = s.lab.to_string();
    let of = |against: &'static str| {
        [
            ("lab", lab.clone()),
            ("item", "plate_density".into()),
            ("at", "station=2".into()),
            ("against", against.into()),
        ]
    };
    let query: Vec<String> = of("8.16").iter().map(|(k, v)| format!("{k}={}", v.replace('=', "%3D"))).collect();
    let look = rev.page(&format!("/rulings/new?{}", query.join("&"))).await;
    assert!(
        look.contains(
            "at station 2, the accuracy of the density (plate) is judged against 8.16 in place of the reference"
        ),
        "{look}"
    );
    assert!(look.contains("4 like it") && look.contains("a team"), "{look}");
    let put = |against: &'static str, more: Vec<(&'static str, String)>| {
        let mut fields: Vec<(&str, String)> = of(against).to_vec();
        fields.extend(more);
        fields
    };
    let reason = ("reason", "Its balance shows too much.".to_owned());
    for (against, field, value, says) in [
        ("much", "item", "plate_density", "is no number for the density (plate)"),
        ("8.16", "item", "plate_volume", "is not judged: no reference"),
        ("8.16", "at", "window=2", "has no such place"),
        ("8.16", "at", "station=", "Say at which place"),
        ("8.16", "reason", " ", "Write the reason"),
    ] {
        let mut fields = put(against, vec![reason.clone(), ("seen", "0-0".into())]);
        fields.iter_mut().filter(|(k, _)| *k == field).for_each(|(_, v)| *v = value.into());
        let fields: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (*k, v.as_str())).collect();
        let told = rev.refused("/rulings", &fields).await;
        assert!(told.contains(says), "{field}={value}: {told}");
    }
    assert_eq!(sums(), before);
    let fields = put("8.16", vec![reason, ("seen", "0-0".into())]);
    let fields: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (*k, v.as_str())).collect();
    assert!(rev.done("/rulings", &fields).await.contains("Ruling 1 is in force: 4 tables changed."));
    assert!(sums() > before, "the teams of station 2 have their points");
    // The effect is still there: it is the station's, and is looked for against the sheet.
    assert!(rev.page(&format!("{floor}?result=plate_density&by=station")).await.contains("Station 2 reads high by"));
    let told = chief.page(&format!("/returns/{}", s.sheet("Team 1"))).await;
    assert!(told.contains("Its balance shows too much."), "{told}");
    let back = rev.page("/rulings/1/withdraw").await;
    assert!(back.contains("4 tables are as before") && back.contains("−"), "{back}");
    chief.done("/rulings/1/withdraw", &[("reason", "it was mended")]).await;
    assert_eq!(sums(), before);
    assert!(jurado_store::verify::check(&s.store).expect("checked").differences.is_empty());
}

#[actix_web::test]
async fn a_note_for_the_storeroom_names_a_place_of_the_lab_and_is_seen_to_once() {
    let s = full("floor_notes").await;
    let rev = s.browser("rev").await;
    let to = format!("/floor/{}/note", s.lab);
    let note =
        |at: &'static str, body: &str| [("by", "station".to_owned()), ("at", at.into()), ("body", body.to_owned())];
    let strs = |of: &[(&'static str, String); 3]| of.iter().map(|(k, v)| (*k, v.clone())).collect::<Vec<_>>();
    for (at, body, says) in [
        ("2", String::new(), "Write in a few words what was seen"),
        ("2", "x".repeat(501), "longer than 500"),
        ("", "x".into(), "has no such place"),
    ] {
        let fields = strs(&note(at, &body));
        let fields: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (*k, v.as_str())).collect();
        let told = rev.refused(&to, &fields).await;
        assert!(told.contains(says), "{at}: {told}");
    }
    let told = rev.done(&to, &[("by", "station"), ("at", "2"), ("body", "shows 4 % too much")]).await;
    assert!(told.contains("Noted for the storeroom") && told.contains("shows 4 % too much"), "{told}");
    assert!(told.contains("Morning") && told.contains("Evening"), "the place through the term: {told}");
    assert!(rev.page("/floor/storeroom").await.contains("1 to be seen to"));
    assert!(rev.done("/floor/storeroom/1", &[]).await.contains("1 seen to"));
    assert_eq!(rev.post("/floor/storeroom/1", &[]).await.status, 404, "seen to already");
    assert_eq!(s.count("SELECT COUNT(*) FROM events WHERE what LIKE 'note for the storeroom%'"), 2);
    assert_eq!(rev.get(&format!("/floor/{}/place?by=window&at=2", s.lab)).await.status, 404);
}

#[actix_web::test]
async fn names_of_others_teams_stand_nowhere_and_the_file_is_as_long_as_the_table() {
    let s = full("floor_names").await;
    let rev = s.browser("rev").await;
    for page in ["", "/table", "/shared", "/wall", "/place?by=station&at=2"] {
        let page = rev.get(&format!("/floor/{}{page}", s.lab)).await.body;
        assert!(!page.contains("Team 17") && !page.contains(&format!("/bench/{}", s.sheet("Team 17"))), "{page}");
    }
    // Tables that an earlier program judged have no value yet, and the rest is shown.
    s.alter("UPDATE sheets SET essence = '' WHERE team_id = (SELECT id FROM teams WHERE name = 'Team 3')");
    assert!(rev.page(&format!("/floor/{}", s.lab)).await.contains("1 table without a value to place"));
    s.alter("UPDATE sheets SET essence = 'x' WHERE team_id = (SELECT id FROM teams WHERE name = 'Team 3')");
    assert_eq!(rev.get(&format!("/floor/{}", s.lab)).await.status, 500, "what was not written by us is told");
    s.alter("UPDATE sheets SET essence = '' WHERE team_id = (SELECT id FROM teams WHERE name = 'Team 3')");
    let file = rev.get(&format!("/floor/{}/points.csv?result=plate_density", s.lab)).await;
    assert!(file.kind.starts_with("text/csv") && file.body.lines().count() == 20, "{}", file.body);
    assert!(!file.body.contains("Team 17") && file.body.contains("Team 2"), "{}", file.body);
}
