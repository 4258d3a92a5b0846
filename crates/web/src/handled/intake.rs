//! Intake: files that cannot be used, previews, quarantine, typing off.

use super::*;

/// The import that an answer leads to.
fn import(answer: &Answer) -> String {
    assert_eq!(answer.status, 303, "{}", words(&answer.body));
    answer.to.clone()
}

#[actix_web::test]
async fn a_file_that_cannot_be_used_says_what_is_wrong_and_where() {
    let s = site("intake_refused").await;
    let rev = s.browser("rev").await;
    let lab = s.lab.to_string();
    assert!(words(&rev.files("/intake", &[("lab", &lab)], &[]).await.body).contains("No file was chosen"));
    for (name, bytes, says) in [
        ("empty.csv", &b""[..], "empty"),
        (
            "picture.png",
            &b"\xff\xd8\xff\xc0\0\x0b\x08\0\x03\0\x04\x01\x01\x11\0\xff\xda\0\x08\x01\x01\0\0\x3f\0x\xff\xd9"[..],
            "its name does not say of which team",
        ),
        ("sheet.xlsx", &b"PK\x03\x04 no workbook"[..], ""),
        ("other.csv", &b"a,b\n1,2\n"[..], ""),
        ("bad.json", &b"{\"section\": "[..], ""),
    ] {
        let answer = rev.files("/intake", &[("lab", &lab)], &[(name, bytes)]).await;
        let told = words(&answer.body);
        // A file of whose columns something can be said is looked at all the same.
        let page = if answer.status == 303 { rev.page(&answer.to).await } else { told };
        assert!(page.contains(says) && !page.contains("Something of ours failed"), "{name}: {page}");
        assert_eq!(s.count("SELECT COUNT(*) FROM submissions"), 0, "{name}");
    }
    let pasted = csv("Morning", "Alfa", "30.33");
    let answer = rev.files("/intake", &[("lab", &lab), ("pasted", &pasted)], &[]).await;
    assert!(rev.page(&import(&answer)).await.contains("Take 1 table"));
}

#[actix_web::test]
async fn a_file_is_looked_at_taken_once_and_said_so() {
    let s = site("intake_taken").await;
    let (rev, other) = (s.browser("rev").await, s.browser("other").await);
    let lab = s.lab.to_string();
    let text = csv("Morning", "Alfa", "30.33");
    let (fields, files) = ([("lab", lab.as_str())], [("class.csv", text.as_bytes())]);
    let bring = || rev.files("/intake", &fields, &files);
    let at = import(&bring().await);
    assert_eq!(other.get(&at).await.status, 404, "another’s file");
    assert!(rev.done(&format!("{at}/take"), &[]).await.contains("Tables: 1 new."));
    assert!(rev.page(&at).await.contains("This file is in already"));
    assert!(rev.done(&format!("{at}/take"), &[]).await.contains("Tables: 1 unchanged."));
    assert_eq!(import(&bring().await), at, "the same file is the same import");
    assert_eq!(other.post(&format!("{at}/take"), &[]).await.status, 404);
    assert_eq!(s.count("SELECT COUNT(*) FROM submissions"), 1);
}

#[actix_web::test]
async fn rows_that_cannot_be_used_are_said_once_wait_and_are_mended() {
    let s = site("intake_held").await;
    let rev = s.browser("rev").await;
    let lab = s.lab.to_string();
    let mut text = csv("Morning", "Alfa", "30.33");
    for n in 0..5 {
        text += &format!("Morning,Alfa,1,boat_{},,1,mm,,,\n", "x".repeat(n % 2));
    }
    text += "Morning,Dunlin,1,zero,,0.04,mm,,,\n";
    let at = import(&rev.files("/intake", &[("lab", &lab)], &[("class.csv", text.as_bytes())]).await);
    let page = rev.page(&at).await;
    assert!(page.contains("6 rows") && page.contains("more for the same reason"), "{page}");
    // The team that is not there is added at once, and its row is no longer held.
    let page = rev.done(&format!("{at}/teams"), &[]).await;
    assert!(
        page.contains("1 team on the roster now.") && page.contains("5 rows") && page.contains("Take 2 tables"),
        "{page}"
    );
    assert!(rev.done(&format!("{at}/take"), &[]).await.contains("5 rows in quarantine"));
    let held = s.count("SELECT MIN(id) FROM quarantine");
    let told = rev.refused(&format!("/quarantine/{held}/mend"), &[("text", "Morning,Alfa,1,boat,,1,mm,,,")]).await;
    assert!(told.contains("The row still cannot be used"), "{told}");
    rev.done(&format!("/quarantine/{held}/mend"), &[("text", "Morning,Alfa,1,plate_density,,2.7,g/cm3,,,")]).await;
    let other = s.browser("other").await;
    assert_eq!(other.post(&format!("/quarantine/{}/settle", held + 1), &[]).await.status, 404);
    rev.done(&format!("/quarantine/{}/settle", held + 1), &[]).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM quarantine WHERE settled_at IS NULL"), 3);
}

#[actix_web::test]
async fn several_files_come_in_together_and_those_that_cannot_are_named() {
    let s = site("intake_lot").await;
    let rev = s.browser("rev").await;
    let lab = s.lab.to_string();
    let (a, b) = (csv("Morning", "Alfa", "30.33"), csv("Morning", "Bittern", "30.33"));
    let png =
        b"\xff\xd8\xff\xc0\0\x0b\x08\0\x03\0\x04\x01\x01\x11\0\xff\xda\0\x08\x01\x01\0\0\x3f\0x\xff\xd9".as_slice();
    let files =
        [("a.csv", a.as_bytes()), ("b.csv", b.as_bytes()), ("none.csv", b"".as_slice()), ("Alfa graph.png", png)];
    let answer = rev.files("/intake", &[("lab", &lab)], &files).await;
    let page = rev.page(&answer.to).await;
    assert!(page.contains("One file could not be used") && page.contains("none.csv"), "{page}");
    assert!(page.contains("Alfa graph.png with Alfa of Morning"), "{page}");
    assert!(!rev.page(&answer.to).await.contains("could not be used"), "it is said once");
    let ids = answer.to.split("ids=").nth(1).and_then(|r| r.split('&').next()).unwrap_or("").to_owned();
    assert!(rev.done("/intake/lot", &[("ids", &ids)]).await.contains("Tables: 2 new."));
    // Words in the address are no words of ours.
    assert!(!rev.page(&format!("/intake/lot?ids={ids}&refused=Call%20me&done=Call%20me")).await.contains("Call me"));
}

#[actix_web::test]
async fn a_file_goes_to_another_lab_and_a_closed_section_takes_nothing() {
    let s = site("intake_elsewhere").await;
    let chief = s.browser("chief").await;
    let lab = s.lab.to_string();
    let text = csv("Morning", "Alfa", "30.33");
    let user = s.user("chief");
    let other = s.run(|c| labs::add(c, jurado_core::protocol::draft::BLANK, &user)).id.to_string();
    let at = import(&chief.files("/intake", &[("lab", &lab)], &[("class.csv", text.as_bytes())]).await);
    let there = import(&chief.post(&format!("{at}/lab"), &[("lab", &other)]).await);
    assert!(chief.page(&there).await.contains("New lab"));
    let back = import(&chief.post(&format!("{there}/lab"), &[("lab", &lab)]).await);
    assert_eq!(back, at);
    let morning = s.section("Morning").to_string();
    chief.done("/sections/change", &[("then", "close-section"), ("id", &morning)]).await;
    assert!(chief.refused(&format!("{at}/take"), &[]).await.contains("Morning is closed"));
    chief.done("/sections/change", &[("then", "open-section"), ("id", &morning)]).await;
    assert!(chief.done(&format!("{at}/take"), &[]).await.contains("1 new"));
}

#[actix_web::test]
async fn a_sheet_is_typed_off_for_own_teams_only() {
    let s = site("intake_typed").await;
    let (rev, morning, evening) = (s.browser("rev").await, s.section("Morning"), s.section("Evening"));
    assert!(rev.page(&format!("/entry?lab={}&section={morning}", s.lab)).await.contains("Alfa"));
    assert_eq!(rev.get(&format!("/entry?lab={}&section={evening}", s.lab)).await.status, 404);
    assert_eq!(rev.get(&format!("/entry?lab=999&section={morning}")).await.status, 404);
}
