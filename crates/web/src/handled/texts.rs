//! A lab's text: checked, changed by form, put in force, copied, retired.

use super::*;

fn version(text: &str, n: u32) -> String {
    text.replace("version = 1\n", &format!("version = {n}\n"))
}

#[actix_web::test]
async fn a_text_that_cannot_be_in_force_says_why_and_stays_as_typed() {
    let s = site("texts_refused").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let chief = s.browser("chief").await;
    let path = format!("/protocols/{}/edit", s.lab);
    let two = version(LAB, 2);
    for (text, seen, reason, says) in [
        ("id = [".to_owned(), "1", "x", "cannot be put in force yet"),
        (LAB.replace("possible", "posible"), "1", "x", "cannot be put in force yet"),
        (two.replace("id = \"keel-plate\"", "id = \"other\""), "1", "x", "a lab keeps its id"),
        (LAB.replace("title = \"", "title = \"Another "), "1", "x", "Count the version up"),
        (two.clone(), "7", "x", "Somebody has put version 1 in force meanwhile"),
        (two.clone(), "1", "", "why it is put in force"),
        (two.clone(), "1", &*"x".repeat(501), "longer than 500"),
    ] {
        let answer =
            chief.post(&path, &[("text", &text), ("version", seen), ("reason", reason), ("then", "set")]).await;
        let told = words(&answer.body);
        assert!(answer.status == 422 && told.contains(says), "{says}: {} {told}", answer.status);
        let line = text.lines().find(|l| l.starts_with("id")).unwrap_or("").replace('"', "&#34;");
        assert!(answer.body.contains(&line), "the text stays");
        assert_eq!(s.count("SELECT version FROM protocols p JOIN labs l ON l.protocol_id = p.id"), 1);
    }
    let answer = chief.post(&format!("/protocols/{}/check", s.lab), &[("text", "id = ["), ("version", "1")]).await;
    assert!(words(&answer.body).contains("line 1"), "{}", words(&answer.body));
    assert_eq!(s.browser("rev").await.post(&path, &[("text", &two), ("version", "1")]).await.status, 403);
}

#[actix_web::test]
async fn a_version_is_looked_at_put_in_force_told_apart_and_put_back() {
    let s = site("texts_force").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let chief = s.browser("chief").await;
    let lab = format!("/protocols/{}", s.lab);
    let two = version(LAB, 2).replace("decimal-point = \"0.25\"", "decimal-point = \"0.5\"");
    assert_ne!(two, version(LAB, 2));
    let look = chief.post(&format!("{lab}/edit"), &[("text", &two), ("version", "1"), ("then", "look")]).await;
    let told = words(&look.body);
    assert!(told.contains("What the text changes: 2") && told.contains("1 table would change"), "{told}");
    let fields = [("text", &*two), ("version", "1"), ("reason", "as agreed"), ("then", "set")];
    let (_, page) = chief.looked(&format!("{lab}/edit"), &fields).await;
    assert!(page.contains("as agreed"), "{page}");
    let (one, new) = (s.count("SELECT MIN(id) FROM protocols"), s.count("SELECT MAX(id) FROM protocols"));
    let differs = chief.page(&format!("{lab}/version/{new}")).await;
    assert!(differs.contains("version 2, against version 1") && differs.contains("0.25 0.5"), "{differs}");
    assert_eq!(chief.get(&format!("{lab}/version/999")).await.status, 404);
    assert!(
        chief
            .refused(&format!("{lab}/force"), &[("protocol", &one.to_string())])
            .await
            .contains("why it is put in force")
    );
    let (told, _) =
        chief.looked(&format!("{lab}/force"), &[("protocol", &one.to_string()), ("reason", "too hard")]).await;
    assert!(told.contains("1 table would change"), "{told}");
    assert_eq!(s.count("SELECT protocol_id FROM labs"), one);
}

#[actix_web::test]
async fn forms_write_into_the_text_and_keep_what_was_typed_elsewhere() {
    let s = site("texts_forms").await;
    let chief = s.browser("chief").await;
    let path = format!("/protocols/{}/edit", s.lab);
    let open = chief
        .post(
            &path,
            &[("text", LAB), ("version", "1"), ("reason", "a start"), ("part", "caution:new"), ("then", "open")],
        )
        .await;
    assert!(open.status == 200 && open.body.contains("value=\"a start\""), "{}", words(&open.body));
    assert!(words(&open.body).contains("What has to be heeded"));
    let write = chief
        .post(
            &path,
            &[("text", LAB), ("version", "1"), ("open", "caution:new"), ("f.0", "Mind the <edge>."), ("then", "write")],
        )
        .await;
    assert!(
        write.body.contains("Mind the &#60;edge&#62;.") || write.body.contains("Mind the &lt;edge&gt;."),
        "{}",
        words(&write.body)
    );
    assert!(words(&write.body).contains("Nothing is kept yet."));
    let empty = chief
        .post(&path, &[("text", LAB), ("version", "1"), ("open", "caution:new"), ("f.0", " "), ("then", "write")])
        .await;
    assert!(words(&empty.body).contains("is empty: write it."), "{}", words(&empty.body));
    assert_eq!(s.count("SELECT COUNT(*) FROM protocols"), 1);
}

#[actix_web::test]
async fn a_new_lab_is_added_once_and_a_file_says_what_is_wrong_with_it() {
    let s = site("texts_new").await;
    let chief = s.browser("chief").await;
    assert!(chief.page("/protocols/new").await.contains("It reads as New lab"));
    assert!(chief.page(&format!("/protocols/new?from={}", s.lab)).await.contains("a copy"));
    for (files, says) in [
        (vec![], "No file was chosen"),
        (vec![("a.toml", &b"\xff\xfe\x00"[..])], "no text in UTF-8"),
        (vec![("a.toml", &b"  "[..])], "it is empty"),
    ] {
        let answer = chief.files("/protocols/new/file", &[], &files).await;
        assert!(answer.status == 422 && words(&answer.body).contains(says), "{}", words(&answer.body));
    }
    let blank = jurado_core::protocol::draft::BLANK;
    assert!(
        chief
            .refused("/protocols/new", &[("text", "id = ["), ("then", "library")])
            .await
            .contains("cannot be added yet")
    );
    assert!(chief.done("/protocols/new", &[("text", blank), ("then", "term")]).await.contains("On this term."));
    assert!(chief.refused("/protocols/new", &[("text", blank), ("then", "term")]).await.contains("already"));
    assert_eq!(s.browser("rev").await.get("/protocols/new").await.status, 403);
}

#[actix_web::test]
async fn a_lab_stands_where_it_is_put_and_all_its_tables_go_and_come() {
    let s = site("texts_stand").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let chief = s.browser("chief").await;
    let lab = format!("/protocols/{}", s.lab);
    let (term, remove) = (format!("{lab}/term"), format!("{lab}/remove"));
    assert!(chief.refused(&term, &[("then", "off")]).await.contains("ables of this lab are in"));
    assert_eq!(chief.post(&term, &[("then", "burn")]).await.status, 404);
    assert!(chief.done(&term, &[("then", "retire")]).await.contains("Retired"));
    assert!(chief.done(&term, &[("then", "back")]).await.contains("On this term."));
    assert!(chief.refused(&remove, &[("reason", "")]).await.contains("why it is taken out"));
    let page = chief.done(&remove, &[("reason", "the wrong class")]).await;
    assert!(page.contains("1 table can be brought back") && page.contains("Retired"), "{page}");
    assert!(chief.refused(&remove, &[("reason", "again")]).await.contains("No table of this lab is in"));
    assert!(chief.page("/course").await.contains("the wrong class"));
    for kind in ["csv", "xlsx", "ods"] {
        assert_eq!(chief.get(&format!("{lab}/sheet/{kind}")).await.status, 200, "{kind}");
    }
    assert_eq!(chief.get(&format!("{lab}/sheet/doc")).await.status, 404);
    assert_eq!(chief.get("/protocols/999").await.status, 404);
}

#[actix_web::test]
async fn a_station_sheet_that_moves_marks_is_looked_at_first() {
    let s = site("texts_stations").await;
    s.bring(&(csv("Morning", "Alfa", "30.33") + "Morning,Alfa,1,plate_density,,2.700,g/cm3,0.02,,\n"));
    let chief = s.browser("chief").await;
    let path = format!("/protocols/{}/stations", s.lab);
    let page = chief.get(&path).await.body.replace('\n', " ");
    let low = page.split("<input").find(|tag| tag.contains("value=\"2.68\"")).expect("the lower end of station 1");
    let high = page.split("<input").find(|tag| tag.contains("value=\"2.72\"")).expect("the upper end of station 1");
    let (low, high) = (field_name(low), field_name(high));
    let with = |to: &[&'static str; 2]| {
        let all = [(low.clone(), to[0]), (high.clone(), to[1])].map(|(n, v)| (n, v.to_owned()));
        let more = [("version", "1"), ("reason", "weighed anew"), ("then", "set")];
        all.into_iter().chain(more.map(|(n, v)| (n.to_owned(), v.to_owned()))).collect::<Vec<(String, String)>>()
    };
    let fields = with(&["3.10", "3.20"]);
    let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect();
    let (told, _) = chief.looked(&path, &fields).await;
    assert!(told.contains("1 table would change") && told.contains("Accuracy"), "{told}");
    assert_eq!(s.count("SELECT COUNT(*) FROM protocols"), 2);
}

fn field_name(tag: &str) -> String {
    tag.split_once("name=\"").and_then(|(_, rest)| rest.split_once('"')).map_or(String::new(), |(n, _)| n.to_owned())
}
