//! Rulings: drawn up from a finding, refused, put in force, withdrawn.

use super::*;

const SLIP: &str = "slip:plate_volume";

#[actix_web::test]
async fn a_ruling_that_cannot_be_is_told_and_nothing_moves() {
    let s = site("rulings_refused").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, other) = (s.browser("rev").await, s.browser("other").await);
    let id = s.sheet("Alfa").to_string();
    let page = rev.page(&format!("/rulings/new?sheet={id}&finding={SLIP}")).await;
    assert!(page.contains("a decimal point gone astray") && page.contains("it costs nothing"), "{page}");
    for (finding, does, points, reason, says) in [
        (SLIP, "forgive", "", " ", "Write the reason"),
        (SLIP, "forgive", "", &*"x".repeat(501), "longer than 500"),
        (SLIP, "points", "many", "because", "no number of points"),
        (SLIP, "points", "99", "because", "from 0 to"),
        (SLIP, "burn", "", "because", "“burn” is no ruling"),
    ] {
        let fields = [
            ("sheet", &*id),
            ("finding", finding),
            ("does", does),
            ("points", points),
            ("reason", reason),
            ("seen", "0-0"),
        ];
        let told = rev.refused("/rulings", &fields).await;
        assert!(told.contains(says), "{does} {points}: {told}");
    }
    let gone = rev.post("/rulings", &[("sheet", &id), ("finding", "slip:nothing"), ("reason", "x")]).await;
    assert!(gone.status == 422 && words(&gone.body).contains("no longer there"), "{}", words(&gone.body));
    let own = [("version", "1"), ("criterion", ""), ("points", ""), ("text", "untidy")];
    assert!(rev.done(&format!("/bench/{id}/own"), &own).await.contains("untidy"));
    let alone = rev.post("/rulings", &[("sheet", &id), ("finding", "own::1"), ("reason", "x")]).await;
    assert!(alone.status == 422 && words(&alone.body).contains("it has no like"), "{}", words(&alone.body));
    assert_eq!(other.get(&format!("/rulings/new?sheet={id}&finding={SLIP}")).await.status, 404, "another’s table");
    assert_eq!(s.count("SELECT COUNT(*) FROM rulings"), 0);
    assert_eq!(s.count("SELECT version FROM sheets"), 2, "one's own finding alone");
    let chief = s.browser("chief").await;
    chief.done(&format!("/bench/{id}/remove"), &[("version", "2"), ("reason", "another team’s")]).await;
    let out = chief.get(&format!("/rulings/new?sheet={id}&finding={SLIP}")).await;
    assert!(out.status == 422 && words(&out.body).contains("was taken out"), "{}", words(&out.body));
}

#[actix_web::test]
async fn a_ruling_moves_every_section_names_itself_and_goes_again() {
    let s = site("rulings_round").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Evening", "Zulu", "303.3"));
    let (rev, other, chief) = (s.browser("rev").await, s.browser("other").await, s.browser("chief").await);
    let (alfa, zulu) = (s.sheet("Alfa"), s.sheet("Zulu"));
    let (id, sums) = (alfa.to_string(), || s.count("SELECT SUM(ROUND(decided * 1000)) FROM sheets"));
    let before = sums();
    let page = rev.page(&format!("/rulings/new?sheet={id}&finding={SLIP}")).await;
    assert!(
        page.contains("2 are settled") && page.contains("a team") && !page.contains("Zulu"),
        "names of others are not told: {page}"
    );
    let evening = s.section("Evening").to_string();
    let kept = rev.page(&format!("/rulings/new?sheet={id}&finding={SLIP}&section={evening}")).await;
    assert!(kept.contains("1 is settled") && kept.contains("in Evening"), "{kept}");
    let fields = [
        ("sheet", &*id),
        ("finding", SLIP),
        ("does", "forgive"),
        ("reason", "The station sheet misled."),
        ("seen", "0-0"),
    ];
    assert!(rev.done("/rulings", &fields).await.contains("Ruling 1 is in force: 2 tables changed."));
    assert!(sums() > before);
    // Whoever looked before it was there is told of it.
    let late = other
        .post(
            "/rulings",
            &[("sheet", &*zulu.to_string()), ("finding", SLIP), ("does", "accept"), ("reason", "No."), ("seen", "0-0")],
        )
        .await;
    let told = words(&late.body);
    assert!(
        late.status == 409 && told.contains("rev was first") && told.contains("The station sheet misled."),
        "{told}"
    );
    for (who, sheet) in [(&rev, alfa), (&other, zulu)] {
        // The slip is the twelfth finding: readings that are not there come first.
        let told = who.page(&format!("/bench/{sheet}?f=12")).await;
        assert!(told.contains("settled by ruling 1: “The station sheet misled.”"), "{told}");
        assert!(who.page(&format!("/returns/{sheet}")).await.contains("as it costs nobody: The station sheet misled."));
    }
    let back = rev.page("/rulings/1/withdraw").await;
    assert!(back.contains("2 tables are as before") && back.contains("Alfa") && !back.contains("Zulu"), "{back}");
    assert!(chief.refused("/rulings/1/withdraw", &[("reason", "")]).await.contains("why it is withdrawn"));
    assert!(
        chief
            .done("/rulings/1/withdraw", &[("reason", "it was right")])
            .await
            .contains("2 tables stand as they would without ruling 1.")
    );
    assert_eq!(sums(), before);
    assert_eq!(chief.post("/rulings/1/withdraw", &[("reason", "again")]).await.status, 404);
    assert_eq!(chief.get("/rulings/1/withdraw").await.status, 404, "there is nothing to take back any more");
    assert!(chief.page("/rulings").await.contains("withdrawn by chief"));
}

#[actix_web::test]
async fn a_pattern_may_be_of_any_result_and_of_what_comes_from_now_on() {
    let s = site("rulings_patterns").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Evening", "Zulu", "303.3").replace("Zulu,1,", "Zulu,2,"));
    let (rev, id) = (s.browser("rev").await, s.sheet("Alfa").to_string());
    let look = |more: &str| format!("/rulings/new?sheet={id}&finding={SLIP}{more}");
    let page = rev.page(&look("")).await;
    assert!(page.contains("any result of the lab 2") && page.contains("Station any 2 1 1 2 1"), "{page}");
    let wide = rev.page(&look("&result=any&slip=any")).await;
    assert!(wide.contains("where the table has any slip") && wide.contains("2 are settled"), "{wide}");
    let one = rev.page(&look("&result=any&slip=any&at=station%3D2")).await;
    assert!(one.contains("1 is settled") && one.contains("at station 2"), "{one}");
    let new = rev.page(&look("&when=new")).await;
    assert!(new.contains("0 are settled") && new.contains("handed in from now on"), "{new}");
    let fields = [
        ("sheet", &*id),
        ("finding", SLIP),
        ("does", "forgive"),
        ("reason", "New sheets say it."),
        ("seen", "0-0"),
        ("when", "new"),
        ("result", "any"),
        ("slip", "any"),
    ];
    assert!(rev.done("/rulings", &fields).await.contains("Ruling 1 is in force: 0 tables changed."));
    let list = rev.page("/rulings").await;
    assert!(list.contains("where the table has any slip, in any section, handed in from"), "{list}");
    let pattern = "SELECT COUNT(*) FROM rulings WHERE pattern LIKE '%since%' AND pattern NOT LIKE '%plate_volume%'";
    assert_eq!(s.count(pattern), 1);
    s.bring(&csv("Morning", "Bittern", "303.3"));
    let told = rev.page(&format!("/bench/{}?f=12", s.sheet("Bittern"))).await;
    assert!(told.contains("settled by ruling 1: “New sheets say it.”"), "{told}");
    assert!(!rev.page(&format!("/bench/{id}?f=12")).await.contains("settled by ruling"), "what was there stays");
}
