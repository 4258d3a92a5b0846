//! Returns: what goes out, the marks file, what has moved since.

use super::*;

/// Decides, signs and gives the version of a table.
pub(super) async fn signed(s: &Site, who: &Browser<'_>, id: u32) {
    let detail = s.run(|c| jurado_store::sheets::get(c, id, &s.user("chief")));
    let lab = s.run(|c| labs::get(c, s.lab));
    let mut version = detail.version;
    for f in detail.judge(&lab.protocol).findings.iter().filter(|f| f.open()) {
        let key = f.key.to_string();
        who.done(
            &format!("/bench/{id}/decide"),
            &[("version", &version.to_string()), ("finding", &key), ("action", "accept")],
        )
        .await;
        version += 1;
    }
    let answer = who.post(&format!("/bench/{id}/sign"), &[("version", &version.to_string())]).await;
    assert_eq!(answer.status, 303, "{}", words(&answer.body));
}

#[actix_web::test]
async fn signed_sheets_go_out_and_stand_in_the_marks() {
    let s = site("returns_out").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Morning", "Bittern", "30.33"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    chief.done("/sections/roster", &[("text", "section,team,number,name\nMorning,Alfa,17,Ada\n")]).await;
    assert!(!chief.get("/returns/marks.csv").await.body.contains("Ada,"), "nothing went out");
    signed(&s, &rev, id).await;
    assert!(chief.page("/returns/release").await.contains("Alfa"));
    let lab = s.lab.to_string();
    let answer = chief.post("/returns/release", &[("lab", &lab)]).await;
    assert!(matches!(answer.status, 200 | 303), "{}", words(&answer.body));
    assert_eq!(s.count("SELECT COUNT(*) FROM went_out"), 1, "what waits stays");
    for (ending, kind) in [("csv", "text/csv"), ("xlsx", "spreadsheetml"), ("ods", "opendocument")] {
        let file = chief.get(&format!("/returns/marks.{ending}")).await;
        assert!(file.status == 200 && file.kind.contains(kind), "{ending}: {}", file.kind);
    }
    assert!(chief.get("/returns/marks.csv").await.body.contains("Ada"));
    assert_eq!(chief.get("/returns/marks.doc").await.status, 404);
    let sheet = rev.page(&format!("/returns/{id}")).await;
    assert!(sheet.contains("What happened") && sheet.contains("Step by step"), "{sheet}");
    assert_eq!(s.browser("other").await.get(&format!("/returns/{id}")).await.status, 404);
    assert!(chief.page(&format!("/returns/batch?lab={lab}&section={}", s.section("Morning"))).await.contains("Alfa"));
    let package = chief.get(&format!("/returns/package/{lab}")).await;
    assert_eq!(package.status, 200);
}

#[actix_web::test]
async fn what_would_be_other_marks_now_is_sent_again_or_kept_for_a_reason() {
    let s = site("returns_moved").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    signed(&s, &rev, id).await;
    chief.post("/returns/release", &[("lab", &s.lab.to_string())]).await;
    let two =
        LAB.replace("version = 1\n", "version = 2\n").replace("decimal-point = \"0.25\"", "decimal-point = \"0.5\"");
    let edit = format!("/protocols/{}/edit", s.lab);
    chief.looked(&edit, &[("text", &two), ("version", "1"), ("reason", "as agreed"), ("then", "set")]).await;
    assert!(chief.page("/returns/moved").await.contains("Alfa"));
    let version = s.count(&format!("SELECT version FROM sheets WHERE id = {id}"));
    let which = format!("{id}:{version}");
    for (sheet, reason, says) in [
        ("", "x", "Choose at least one"),
        (&*which, "", "Write the reason"),
        (&*which, &*"x".repeat(501), "longer than 500"),
    ] {
        let fields: Vec<(&str, &str)> = [("reason", reason), ("then", "keep")]
            .into_iter()
            .chain((!sheet.is_empty()).then_some(("sheet", sheet)))
            .collect();
        assert!(chief.refused("/returns/moved", &fields).await.contains(says), "{says}");
    }
    let late = format!("{id}:{}", version + 5);
    assert_eq!(chief.post("/returns/moved", &[("sheet", &late), ("reason", "x"), ("then", "again")]).await.status, 409);
    assert_eq!(rev.post("/returns/moved", &[("sheet", &which), ("reason", "x"), ("then", "again")]).await.status, 403);
    chief.done("/returns/moved", &[("sheet", &which), ("reason", "they keep what they got"), ("then", "keep")]).await;
    assert!(!chief.page("/returns/moved").await.contains("Alfa"));
}
