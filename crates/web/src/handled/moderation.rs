//! Moderation: read first by the one it is about, second marks that see neither the first nor the team.

use super::*;

const SLIP: &str = "slip:plate_volume";

/// Decides all that is open of a team's table, the slip at no cost, and signs it.
fn sign(s: &Site, team: &str, who: &str) {
    let (id, user) = (s.sheet(team), s.user(who));
    let version =
        s.decide_open(id, who, |key| if key == SLIP { (Action::Forgive, "misled") } else { (Action::Accept, "") });
    s.run(|c| sheets::sign(c, id, version, &user));
}

/// A form of a second mark as its page gives it, with the same chosen for every finding.
fn filled(page: &str, action: &str) -> Vec<(String, String)> {
    let mut out = vec![("submission".to_owned(), field_of(page, "submission"))];
    for n in 1.. {
        let key = field_of(page, &format!("k{n}"));
        if key.is_empty() {
            break;
        }
        out.push((format!("k{n}"), key));
        out.push((format!("a{n}"), action.to_owned()));
        out.push((format!("p{n}"), String::new()));
    }
    assert!(out.len() > 4, "findings to decide: {out:?}");
    out
}

fn fields(form: &[(String, String)]) -> Vec<(&str, &str)> {
    form.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect()
}

#[actix_web::test]
async fn rows_are_read_first_by_the_one_they_are_about() {
    let s = site("moderation_rows").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, other, chief) = (s.browser("rev").await, s.browser("other").await, s.browser("chief").await);
    assert!(chief.page("/moderation").await.contains("No table is signed yet"));
    sign(&s, "Alfa", "rev");
    // Decided less computed, by hand: what the slip costs.
    let moved = s.count("SELECT ROUND(decided * 1000) - ROUND(awarded * 1000) FROM sheets");
    assert!(moved > 0, "forgiven");
    let told = format!("+{:.2}", moved as f64 / 1000.0);
    let table = rev.page("/moderation/table").await;
    assert!(table.contains("rev Morning 1 too little to say: 1 finding"), "{table}");
    for who in [&other, &chief] {
        let page = who.page("/moderation").await;
        assert!(page.contains("is read first by the one it is about") && page.contains("No round is open"), "{page}");
        assert!(!who.page("/moderation/table").await.contains("rev Morning"), "not before a round, and not before rev");
    }
    assert_eq!(rev.post("/moderation/round", &[]).await.status, 403);
    assert!(chief.done("/moderation/round", &[]).await.contains("A round is open"));
    assert!(!chief.page("/moderation/table").await.contains("rev Morning"), "two days of work have not passed");
    let long = "x".repeat(501);
    assert!(rev.refused("/moderation/read", &[("round", "1"), ("remark", &long)]).await.contains("longer than 500"));
    assert_eq!(rev.post("/moderation/read", &[("round", "2"), ("remark", "")]).await.status, 404);
    rev.done("/moderation/read", &[("round", "1"), ("remark", "The sheet misled.")]).await;
    let page = chief.page("/moderation").await;
    assert!(page.contains("“The sheet misled.”") && !page.contains("is read first by the one"), "{page}");
    assert!(other.page("/moderation/table").await.contains("rev Morning"));
    // A new round is read anew; after two days of work it is shown all the same.
    chief.done("/moderation/round", &[]).await;
    assert!(!other.page("/moderation/table").await.contains("rev Morning"));
    s.alter("UPDATE moderation_rounds SET opened_at = opened_at - INTERVAL 5 DAY");
    assert!(other.page("/moderation/table").await.contains("rev Morning"));
    assert!(jurado_store::verify::check(&s.store).expect("checked").differences.is_empty());
    let kept = s.count("SELECT ROUND(SUBSTRING_INDEX(SUBSTRING_INDEX(moved, ';', 1), ' ', -1) * 1000) FROM sheets");
    assert_eq!(kept, moved, "kept beside the sheet: {told}");
    // A table that waits again is decided by nobody.
    rev.done(&format!("/bench/{}/undo", s.sheet("Alfa")), &[("version", "3")]).await;
    assert!(chief.page("/moderation").await.contains("0 signed"));
    s.alter("UPDATE sheets SET state = 'waiting', signed_by = 1");
    assert!(chief.page("/moderation").await.contains("0 signed"), "whoever signed it before");
    s.alter(&format!("UPDATE sheets SET state = 'signed', signed_by = {}", s.ids["rev"]));
    s.alter("UPDATE sheets SET moved = '1 0;0 0;0 0;0 0;0 0;0 0'");
    let found = jurado_store::verify::check(&s.store).expect("checked").differences;
    assert!(found.iter().any(|d| d.what.iter().any(|w| w.contains("what persons changed"))), "{found:?}");
    s.alter("UPDATE sheets SET moved = 'x'");
    assert_eq!(chief.get("/moderation").await.status, 500, "what cannot be read is told and not guessed");
    s.alter("UPDATE sheets SET moved = ''");
    assert!(chief.page("/moderation").await.contains("0 signed"), "not judged since: left out until it is");
}

#[actix_web::test]
async fn a_second_mark_sees_neither_team_nor_first_mark_and_moves_nothing() {
    let s = site("moderation_second").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Evening", "Zulu", "303.3"));
    let (rev, other, chief) = (s.browser("rev").await, s.browser("other").await, s.browser("chief").await);
    for (random, hanging, says) in [
        ("0", "0", "draw 1 to 200"),
        ("many", "0", "“many” is no number of tables"),
        ("201", "", "draw 1 to 200"),
        ("2", "2", "wait until tables are signed"),
    ] {
        let told = chief.refused("/moderation/draw", &[("random", random), ("hanging", hanging)]).await;
        assert!(told.contains(says), "{random}: {told}");
    }
    sign(&s, "Alfa", "rev");
    sign(&s, "Zulu", "other");
    assert_eq!(rev.post("/moderation/draw", &[("random", "2"), ("hanging", "0")]).await.status, 403);
    // An auditor is nobody who marks.
    s.alter("INSERT INTO users (sign_in, name, role, password_hash, epoch, demo) VALUES ('aud', 'Aud', 'auditor', 'x', 0, 0)");
    let drawn = chief.done("/moderation/draw", &[("random", "2"), ("hanging", "5")]).await;
    let theirs = "SELECT COUNT(*) FROM second_marks m JOIN users u ON u.id = m.user_id WHERE u.role = 'auditor'";
    assert_eq!(s.count(theirs), 0);
    assert!(drawn.contains("2 second marks asked for"), "{drawn}");
    let of = |team: &str| s.count(&format!("SELECT id FROM second_marks WHERE sheet_id = {}", s.sheet(team)));
    let (alfa, zulu) = (format!("/second/{}", of("Alfa")), format!("/second/{}", of("Zulu")));
    // Each is for whoever has not decided it, and for nobody else.
    for (who, theirs, not) in [(&other, &alfa, &zulu), (&rev, &zulu, &alfa)] {
        let page = who.page(theirs).await;
        assert!(!page.contains("Alfa") && !page.contains("Zulu") && !page.contains("misled"), "blind: {page}");
        assert_eq!((who.get(not).await.status, chief.get(theirs).await.status), (404, 404));
    }
    let before = s.count("SELECT SUM(version * 100000 + ROUND(decided * 1000)) FROM sheets");
    let page = other.get(&alfa).await.body;
    let whole = filled(&page, "accept");
    for (change, says) in [
        (("a1", ""), "Finding 1 is not decided"),
        (("a1", "refuse"), "Finding 1 is not decided"),
        (("a1", "points"), "no number of points"),
        (("k1", "slip:nothing"), "judged otherwise by now"),
        (("submission", "999"), "handed in again"),
    ] {
        let mut form = whole.clone();
        form.iter_mut().filter(|(n, _)| n == change.0).for_each(|(_, v)| *v = change.1.to_owned());
        let told = other.refused(&alfa, &fields(&form)).await;
        assert!(told.contains(says), "{change:?}: {told}");
    }
    assert!(other.done(&alfa, &fields(&whole)).await.contains("Marked a second time"));
    assert_eq!(other.post(&alfa, &fields(&whole)).await.status, 404, "marked once");
    assert_eq!(s.count("SELECT SUM(version * 100000 + ROUND(decided * 1000)) FROM sheets"), before, "nothing moved");
    let points = "ROUND(m.first_points * 1000) = ROUND(s.decided * 1000) AND ROUND(m.second_points * 1000) = ROUND(s.awarded * 1000)";
    let right = format!(
        "SELECT COUNT(*) FROM second_marks m JOIN sheets s ON s.id = m.sheet_id WHERE marked_at IS NOT NULL AND {points}"
    );
    assert_eq!(s.count(&right), 1, "the first as decided, the second as it was proposed");
    let seen = rev.page("/moderation").await;
    assert!(seen.contains("Too little to say: 1 of at least 8") && seen.contains("Alfa"), "{seen}");
    let seen = other.page("/moderation").await;
    assert!(!seen.contains("Alfa") && seen.contains("Table "), "of another’s section no name is told: {seen}");
    // A table that is handed in again is another one, and one nobody marked can be taken back.
    s.bring(&csv("Evening", "Zulu", "30.33"));
    assert_eq!(rev.get(&zulu).await.status, 404);
    sign(&s, "Zulu", "other");
    chief.done("/moderation/draw", &[("random", "1"), ("hanging", "0")]).await;
    assert!(chief.done("/moderation/back", &[]).await.contains("Taken back"));
    assert_eq!(s.count("SELECT COUNT(*) FROM second_marks"), 1, "the one that was marked");
}

#[actix_web::test]
async fn differences_that_are_alike_are_one_question_until_a_ruling_answers_it() {
    let s = site("moderation_question").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Morning", "Bittern", "303.4"));
    let (rev, other, chief) = (s.browser("rev").await, s.browser("other").await, s.browser("chief").await);
    sign(&s, "Alfa", "rev");
    sign(&s, "Bittern", "rev");
    chief.done("/moderation/draw", &[("random", "2"), ("hanging", "0")]).await;
    for id in [1, 2] {
        let path = format!("/second/{id}");
        let page = other.get(&path).await.body;
        other.done(&path, &fields(&filled(&page, "accept"))).await;
    }
    let page = rev.get("/moderation").await.body;
    assert!(words(&page).contains("2 of 2 differences are one question"), "{}", words(&page));
    let to = page.split("href=\"").find(|h| h.starts_with("/rulings/new")).and_then(|h| h.split('"').next());
    let to = to.expect("a way to a ruling").replace("&amp;", "&").replace("&#38;", "&");
    assert!(rev.page(&to).await.contains("a decimal point gone astray"));
    assert!(!other.get("/moderation").await.body.contains("/rulings/new"), "from a table of one's own only");
    let alfa = s.sheet("Alfa").to_string();
    let ruling =
        [("sheet", &*alfa), ("finding", SLIP), ("does", "forgive"), ("reason", "The sheet misled."), ("seen", "0-0")];
    rev.done("/rulings", &ruling).await;
    let page = rev.page("/moderation").await;
    assert!(!page.contains("one question") && page.contains("Ruling 1 : The sheet misled."), "{page}");
    // What was forgiven by hand is forgiven by the ruling now: no person has changed it.
    assert!(rev.page("/moderation/table").await.contains("0.00"), "nothing is a person's change any more");
}

#[actix_web::test]
async fn a_ruling_stands_for_both_marks_and_so_does_what_only_the_paper_tells() {
    let s = site("moderation_alike").await;
    let titre = s.run(|c| labs::install(c, include_str!("../../../core/tests/labs/tide-titre.toml"))).id;
    let chief = s.user("chief");
    let table = "section,team,item,row,value,unit,plus_minus,excluded,note\nMorning,Alfa,boat_full,,12.8431,g,,,\n";
    s.run(|c| {
        let id = imports::offer(c, titre, &chief, "titre.csv", table.as_bytes())?;
        imports::take(c, id, &chief)
    });
    s.bring(&csv("Morning", "Bittern", "303.3"));
    let (rev, other, chief) = (s.browser("rev").await, s.browser("other").await, s.browser("chief").await);
    let bittern = s.sheet("Bittern").to_string();
    let ruling =
        [("sheet", &*bittern), ("finding", SLIP), ("does", "forgive"), ("reason", "misprinted"), ("seen", "0-0")];
    rev.done("/rulings", &ruling).await;
    let paper = s.count(&format!("SELECT id FROM sheets WHERE lab_id = {titre} AND stage IS NOT NULL")) as u32;
    for id in [paper, s.sheet("Bittern")] {
        let (user, version) = (s.user("rev"), s.decide_open(id, "rev", |_| (Action::Accept, "")));
        s.run(|c| sheets::sign(c, id, version, &user));
    }
    chief.done("/moderation/draw", &[("random", "2"), ("hanging", "0")]).await;
    let of = |id: u32| format!("/second/{}", s.count(&format!("SELECT id FROM second_marks WHERE sheet_id = {id}")));
    assert!(other.page(&of(paper)).await.contains("Only the paper tells"));
    assert!(other.page(&of(s.sheet("Bittern"))).await.contains("no points"), "as the ruling has it");
    for id in [paper, s.sheet("Bittern")] {
        let page = other.get(&of(id)).await.body;
        other.done(&of(id), &fields(&filled(&page, "accept"))).await;
    }
    let same = "SELECT COUNT(*) FROM second_marks WHERE marked_at IS NOT NULL AND first_points = second_points";
    assert_eq!(s.count(same), 2, "who takes what is proposed gives what the first gave");
    assert!(!chief.page("/moderation").await.contains("one question"));
}
