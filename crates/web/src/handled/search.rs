//! The Docket: what waits for whom, and what a search finds of it.

use super::*;

/// A class in three states: Alfa wants a person, Bittern is signed, Zulu of the other section looks clear.
async fn class(name: &str) -> Site {
    let s = site(name).await;
    for (section, team, volume) in
        [("Morning", "Alfa", "303.3"), ("Morning", "Bittern", "303.3"), ("Evening", "Zulu", "303.3")]
    {
        s.bring(&csv(section, team, volume));
    }
    for (team, who) in [("Bittern", "rev"), ("Zulu", "other")] {
        s.decide_open(s.sheet(team), who, |_| (Action::Accept, ""));
    }
    let bittern = s.sheet("Bittern");
    let rev = s.user("rev");
    let version = s.run(|c| sheets::get(c, bittern, &rev)).version;
    s.run(|c| sheets::sign(c, bittern, version, &rev));
    s
}

/// The teams that an answer of the Docket names.
fn named(page: &str) -> Vec<&'static str> {
    let found = page.split("Found <small>").nth(1).and_then(|rest| rest.split("</ol>").next()).unwrap_or_default();
    ["Alfa", "Bittern", "Zulu"].into_iter().filter(|team| found.contains(team)).collect()
}

#[actix_web::test]
async fn a_search_finds_teams_and_stations_of_ones_own_sections() {
    let s = class("docket_search").await;
    let (chief, rev) = (s.browser("chief").await, s.browser("rev").await);
    for (find, by_chief, by_rev) in [
        ("alf", &["Alfa"][..], &["Alfa"][..]),
        ("ALFA", &["Alfa"], &["Alfa"]),
        ("  bittern ", &["Bittern"], &["Bittern"]),
        // Another section's table is not there for a reviewer, and station 1 is everybody's.
        ("zulu", &["Zulu"], &[]),
        ("1", &["Alfa", "Bittern", "Zulu"], &["Alfa", "Bittern"]),
        // What is a wildcard elsewhere is a letter here, and nothing of a text is taken for more than a text.
        ("%", &[], &[]),
        ("_", &[], &[]),
        ("\\", &[], &[]),
        ("' OR 1=1 --", &[], &[]),
    ] {
        let path = format!("/docket?find={}", crate::views::query(find));
        assert_eq!(named(&chief.get(&path).await.body), by_chief, "{find}");
        assert_eq!(named(&rev.get(&path).await.body), by_rev, "{find}");
    }
    assert!(chief.page("/docket?find=nobody").await.contains("No table of yours fits."));
}

#[actix_web::test]
async fn what_is_asked_for_may_be_a_state_a_section_a_lab_or_a_mark() {
    let s = class("docket_filter").await;
    let chief = s.browser("chief").await;
    let (morning, evening) = (s.section("Morning"), s.section("Evening"));
    for (asked, teams) in [
        ("state=wants".to_owned(), &["Alfa"][..]),
        ("state=clear".to_owned(), &["Zulu"]),
        ("state=signed".to_owned(), &["Bittern"]),
        ("state=returned".to_owned(), &[]),
        ("state=waiting".to_owned(), &["Alfa", "Zulu"]),
        (format!("section={morning}"), &["Alfa", "Bittern"]),
        (format!("section={evening}&state=wants"), &[]),
        (format!("lab={}", s.lab), &["Alfa", "Bittern", "Zulu"]),
        ("lab=999".to_owned(), &[]),
        ("find=alfa&state=signed".to_owned(), &[]),
        (format!("find=a&section={evening}"), &[]),
    ] {
        assert_eq!(named(&chief.get(&format!("/docket?{asked}")).await.body), teams, "{asked}");
    }
    // A number that is none, a word that is no state: nothing in particular is asked for, and nothing breaks.
    for odd in ["lab=first", "section=-1", "mark=none", "state=", "find=%20"] {
        assert_eq!(chief.get(&format!("/docket?{odd}")).await.status, 200, "{odd}");
    }
}

#[actix_web::test]
async fn a_search_that_finds_more_than_it_lists_says_so() {
    let s = class("docket_more").await;
    s.alter(
        "INSERT INTO teams (section_id, name) SELECT (SELECT MIN(id) FROM sections), CONCAT('Crake ', LPAD(seq, 2, '0')) FROM seq_1_to_70",
    );
    for n in 1..=61 {
        s.bring(&csv("Morning", &format!("Crake {n:02}"), "303.3"));
    }
    let chief = s.browser("chief").await;
    assert!(chief.page("/docket?find=crake").await.contains("60 and more"));
    assert!(chief.page("/docket?find=crake%206").await.contains("Crake 61"));
    let all = chief.page("/docket").await;
    assert!(!all.contains("No table of yours fits."), "nothing was asked for");
}
