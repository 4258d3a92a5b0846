//! After the door: a team's own sheets, questions on their lines, files and pictures, two phones of one team.

use super::hand_in::{SHEET, codes, come_in};
use super::returns::signed;
use super::*;

/// A site on which Alfa's and Bittern's sheets are in, and Alfa's is signed and released.
async fn returned(s: &Site) -> u32 {
    s.bring(&csv("Morning", "Alfa", "303.3"));
    s.bring(&csv("Morning", "Bittern", "30.33"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    chief.done(&format!("/protocols/{}/term", s.lab), &[("then", "put")]).await;
    signed(s, &rev, id).await;
    chief.post("/returns/release", &[("lab", &s.lab.to_string())]).await;
    id
}

#[actix_web::test]
async fn a_team_reads_its_own_sheet_asks_on_a_line_and_is_answered_beside_it() {
    let s = site("asking").await;
    let id = returned(&s).await;
    let (chief, rev, other) = (s.browser("chief").await, s.browser("rev").await, s.browser("other").await);
    let all = codes(&s, &chief, "Morning").await;
    let (alfa, bittern) = (come_in(&s, &all["Alfa"]).await, come_in(&s, &all["Bittern"]).await);
    let (path, ask) = (format!("/hand-in/{}/sheet", s.lab), format!("/hand-in/{}/ask", s.lab));
    assert!(alfa.page("/hand-in").await.contains("returned "));
    let page = alfa.page(&path).await;
    for says in ["Step by step", "303.3 cm3", "of 20 points", "What happened"] {
        assert!(page.contains(says), "{says}: {page}");
    }
    assert!(!page.contains("Bittern") && !page.contains("Zulu"));
    // Before it goes out nobody sees a sheet or asks on it.
    assert_eq!(bittern.get(&path).await.status, 404);
    let question = [("line", "result:plate_volume:"), ("body", "we read 8.62, is it the point?")];
    assert_eq!(bittern.post(&ask, &question).await.status, 404);
    // What cannot be asked is told, and what was typed stays.
    for (fields, says) in [
        (vec![("line", "result:nothing:"), ("body", "why?")], "no such line"),
        (vec![("line", "result:plate_volume:"), ("body", "  ")], "Write what you would like to know"),
        (vec![("line", "result:plate_volume:"), ("body", &*"x".repeat(1001))], "longer than 1000"),
    ] {
        let told = alfa.refused(&ask, &fields).await;
        assert!(told.contains(says), "{says}: {told}");
    }
    assert!(alfa.post(&ask, &question).await.to.contains("/sheet#q1"));
    let again = alfa.refused(&ask, &[("line", "result:plate_volume:"), ("body", "and again?")]).await;
    assert!(again.contains("waits for its answer") && again.contains("is it the point?"), "{again}");
    assert!(!alfa.page("/hand-in").await.contains("Bittern"));
    assert!(alfa.page("/hand-in").await.contains("1 question on it waits"));
    // It stands on the Docket, on the Bench and on the list of whoever sees the section, with its line.
    for (page, says) in [
        ("/docket".to_owned(), "yours 303.3 cm3, "),
        (format!("/bench/{id}"), "is it the point?"),
        ("/asked".to_owned(), "yours 303.3 cm3, "),
        (format!("/returns/{id}"), "is it the point?"),
    ] {
        let seen = rev.page(&page).await;
        assert!(seen.contains(says), "{page}: {seen}");
        assert!(page.contains("/bench") || page.contains("/returns") || !other.page(&page).await.contains("303.3"));
    }
    assert_eq!(other.post("/asked/1", &[("body", "no")]).await.status, 404, "another section's");
    assert!(rev.refused("/asked/1", &[("body", " ")]).await.contains("Write the answer"));
    let answer = "Your readings are right; the volume is ten times too large.";
    rev.done("/asked/1", &[("body", answer)]).await;
    let late = chief.post("/asked/1", &[("body", "mine, not lost")]).await;
    assert_eq!(late.status, 409);
    assert!(words(&late.body).contains("mine, not lost") && words(&late.body).contains(answer));
    assert!(alfa.page(&path).await.contains(answer));
    assert!(!rev.page(&format!("/bench/{id}")).await.contains("The team asks"));
    // Of a lab that is retired by then the sheet stays on the record.
    s.alter("UPDATE labs SET retired_at = UTC_TIMESTAMP()");
    assert!(alfa.page("/hand-in").await.contains("11.25 of 20") && alfa.get(&path).await.status == 200);
    s.alter("UPDATE labs SET retired_at = NULL");
    // An answered line can be asked on again.
    alfa.done(&ask, &[("line", "points:calculation"), ("body", "and the points?")]).await;
    // Eight may wait on one sheet, and no ninth.
    s.alter("INSERT INTO questions (sheet_id, line_key, says, body, asked_at) SELECT s.id, seq, 'x', 'x', UTC_TIMESTAMP() FROM sheets s JOIN seq_1_to_6 WHERE s.returns > 0");
    alfa.done(&ask, &[("line", "result:plate_volume:"), ("body", "the eighth")]).await;
    let ninth = alfa.refused(&ask, &[("line", "points:completeness"), ("body", "the ninth")]).await;
    assert!(ninth.contains("8 questions on this sheet wait"), "{ninth}");
    // A reviewer opens the sheet: the team still sees what it got, and hands nothing in.
    rev.post(&format!("/bench/{id}/undo"), &[("version", &version(&s, id).to_string())]).await;
    assert!(alfa.page(&path).await.contains("303.3 cm3"));
    let sheet: Vec<(&str, &str)> = SHEET.into_iter().chain([("then", "in")]).collect();
    assert!(alfa.refused(&format!("/hand-in/{}", s.lab), &sheet).await.contains("Marks are out"));
}

fn version(s: &Site, id: u32) -> u32 {
    s.run(|c| sheets::get(c, id, &s.user("chief"))).version
}

const PICTURE: &[u8] = b"\xff\xd8\xff\xc0\0\x0b\x08\0\x03\0\x04\x01\x01\x11\0\xff\xda\0\x08\x01\x01\0\0\x3f\0x\xff\xd9";

#[actix_web::test]
async fn a_file_is_read_into_the_form_and_pictures_go_with_the_sheet() {
    let s = site("door_files").await;
    let chief = s.browser("chief").await;
    chief.done(&format!("/protocols/{}/term", s.lab), &[("then", "put")]).await;
    let all = codes(&s, &chief, "Morning").await;
    let (alfa, bittern) = (come_in(&s, &all["Alfa"]).await, come_in(&s, &all["Bittern"]).await);
    let at = |rest: &str| format!("/hand-in/{}{rest}", s.lab);
    for ending in ["csv", "xlsx", "ods"] {
        let blank = alfa.get(&at(&format!("/blank.{ending}"))).await;
        assert!(blank.status == 200 && (ending != "csv" || blank.body.contains("Alfa")), "{ending}");
    }
    assert_eq!(alfa.get(&at("/blank.doc")).await.status, 404);
    // What is typed stays when the page for files is next.
    alfa.post(&at(""), &[("c.plate_mass", "81.89"), ("then", "files")]).await;
    assert!(alfa.get(&at("")).await.body.contains("81.89"));
    for (name, text, says) in [
        ("empty.csv", "", "empty"),
        ("other.csv", "section,team,item,value\nMorning,Bittern,zero,0.04\n", "is of Bittern"),
        ("letter.txt", "dear reviewer\n", "lacks the column"),
        ("odd.csv", "item,value\nplate_lenth,84.44\n", "plate_lenth"),
    ] {
        let told = alfa.files(&at("/file"), &[], &[(name, text.as_bytes())]).await;
        assert!(told.status == 422 && words(&told.body).contains(says), "{name}: {}", words(&told.body));
    }
    let cookie = RefCell::new(alfa.cookie.borrow().clone());
    let elsewhere = Browser { site: &s, cookie, token: "x".into() };
    let none = elsewhere.files(&at("/file"), &[], &[("a.csv", b"item,value\nzero,0.04\n")]).await;
    assert_eq!(none.status, 403, "a form of somewhere else");
    assert!(alfa.get(&at("")).await.body.contains("81.89"), "nothing typed was lost");
    let part = "item,value\nplate_length,84.44\nplate_lenth,1\n";
    let told = words(&alfa.files(&at("/file"), &[], &[("part.csv", part.as_bytes())]).await.body);
    assert!(told.contains("1 boxes of “part.csv” were read") && told.contains("Line 3"), "{told}");
    let read = alfa.files(&at("/file"), &[], &[("own.csv", b"item;value\nplate_length;84,44\n")]).await;
    assert_eq!(read.to, at(""));
    let page = alfa.get(&at("")).await.body;
    assert!(page.contains("84,44") && words(&page).contains("Read, not handed in yet"), "as it was typed");
    assert_eq!(s.count("SELECT COUNT(*) FROM sheets"), 0);
    // The formulas under a file's cells stay with the draft until another file takes its place.
    let book = r#"[{"section":"Morning","team":"Alfa","keys":{},"cells":[{"item":"plate_volume","value":"7"}],
        "under":{"home":"Data sheet","cells":{"D9":{"item":"plate_volume","held":{"number":"7"},"formula":"=1/0"}}}}]"#;
    alfa.files(&at("/file"), &[], &[("own.json", book.as_bytes())]).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM draft_books"), 1);
    assert!(words(&alfa.get(&at("")).await.body).contains("Your cell D9 gives #DIV/0!"));
    alfa.files(&at("/file"), &[], &[("own.csv", b"item;value\nplate_length;84,44\n")]).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM draft_books"), 0);
    // Pictures: what each shows is said; nobody else's are seen or taken away.
    let put = alfa.files(&at("/picture"), &[("about", "the graph")], &[("g.png", PICTURE)]).await;
    assert_eq!(put.status, 303, "{}", words(&put.body));
    let odd = alfa.files(&at("/picture"), &[], &[("g.png", b"no picture")]).await;
    assert!(odd.status == 422 && words(&odd.body).contains("no picture and no PDF"));
    assert!(alfa.page(&at("/files")).await.contains("the graph"));
    let id = s.count("SELECT MAX(id) FROM attachments");
    assert_eq!(alfa.get(&format!("/hand-in/picture/{id}")).await.kind, "image/jpeg");
    assert_eq!(bittern.get(&format!("/hand-in/picture/{id}")).await.status, 404);
    assert_eq!(bittern.post(&at(&format!("/picture/{id}/remove")), &[]).await.status, 404);
    let sheet: Vec<(&str, &str)> = SHEET.into_iter().chain([("then", "in")]).collect();
    alfa.done(&at(""), &sheet).await;
    let bench = chief.page(&format!("/bench/{}", s.sheet("Alfa"))).await;
    assert!(bench.contains("the graph") && bench.contains("from the team"), "{bench}");
    alfa.done(&at(&format!("/picture/{id}/remove")), &[]).await;
    assert_eq!(s.count("SELECT COUNT(*) FROM attachments"), 0);
    s.alter("UPDATE sheets SET state = 'returned', returns = 1, returned_at = UTC_TIMESTAMP()");
    for form in ["/file", "/picture"] {
        let told = alfa.files(&at(form), &[], &[("g.png", PICTURE)]).await;
        assert!(told.status == 422 && words(&told.body).contains("Marks are out"), "{form}");
    }
}

#[actix_web::test]
async fn what_two_phones_of_a_team_type_is_joined_and_what_both_typed_is_told() {
    let s = site("two_phones").await;
    let chief = s.browser("chief").await;
    chief.done(&format!("/protocols/{}/term", s.lab), &[("then", "put")]).await;
    let code = codes(&s, &chief, "Morning").await["Alfa"].clone();
    let (one, two) = (come_in(&s, &code).await, come_in(&s, &code).await);
    let path = format!("/hand-in/{}", s.lab);
    let blank: Vec<(&str, &str)> = SHEET.into_iter().map(|(n, _)| (n, "")).collect();
    let with = |more: &[(&'static str, &'static str)]| {
        let kept = blank.iter().copied().filter(|(n, _)| more.iter().all(|(m, _)| m != n));
        kept.chain(more.iter().copied()).collect::<Vec<(&str, &str)>>()
    };
    // Both began with the empty sheet.
    one.post(&path, &with(&[("seen", "0"), ("c.plate_length", "84.44"), ("k.station", "1")])).await;
    let joined = two.post(&path, &with(&[("seen", "0"), ("c.plate_width", "41.92")])).await.body;
    assert!(joined.contains("84.44") && joined.contains("41.92") && joined.contains("name=\"seen\" value=\"2\""));
    assert!(!joined.contains("Two phones typed here"));
    assert_eq!(s.count("SELECT MIN(version) FROM drafts"), 0, "what it was at first is kept too");
    // The script saves without a page; what both typed in one box is not handed in before it was looked at.
    assert_eq!(one.post(&path, &with(&[("seen", "2"), ("c.plate_mass", "81.89"), ("then", "keep")])).await.status, 204);
    let aside = two.post(&path, &with(&[("seen", "2"), ("c.plate_mass", "81.98"), ("then", "keep")])).await;
    assert_eq!(aside.status, 409, "what both typed is not kept where no page tells it");
    let twice = with(&[("seen", "2"), ("c.plate_length", "84.44"), ("c.plate_mass", "81.98"), ("then", "in")]);
    let told = two.post(&path, &twice).await;
    assert_eq!(told.status, 409);
    let says = words(&told.body);
    assert!(says.contains("“81.98” on this one, “81.89” on the other") && says.contains("Not handed in yet"), "{says}");
    assert_eq!(s.count("SELECT COUNT(*) FROM sheets"), 0);
    let seen = field_of(&told.body, "seen");
    let looked: Vec<(&str, &str)> =
        twice.iter().map(|(n, v)| if *n == "seen" { (*n, seen.as_str()) } else { (*n, *v) }).collect();
    assert!(two.post(&path, &looked).await.to.ends_with("/receipt"), "looked at, it goes in");
    // On the way to the page for files what both typed is told too.
    let files = with(&[("seen", "3"), ("c.plate_mass", "81.00"), ("then", "files")]);
    let told = words(&one.post(&path, &files).await.body);
    assert!(told.contains("“81.00” on this one, “81.98” on the other"), "{told}");
    // The first phone still shows what was there before the sheet went in: nothing of it undoes what was handed in.
    let after = two.post(&path, &with(&[("seen", "4"), ("c.plate_mass", "81.98"), ("c.zero", "0.04")])).await.body;
    assert!(after.contains("0.04") && after.contains("81.00"), "{}", words(&after));
}

/// Twenty rounds of two phones that save at the same moment: what each typed is there afterwards, and of two questions on one
/// line one is asked.
#[actix_web::test]
async fn two_phones_at_the_same_moment_lose_nothing() {
    let s = site("two_at_once").await;
    returned(&s).await;
    let chief = s.browser("chief").await;
    let all = codes(&s, &chief, "Morning").await;
    let (one, two) = (come_in(&s, &all["Bittern"]).await, come_in(&s, &all["Bittern"]).await);
    let path = format!("/hand-in/{}", s.lab);
    // Twenty rounds from a sheet that nobody typed on here, and twenty one after the other.
    for n in 0..40 {
        if n < 20 {
            s.alter("DELETE FROM drafts");
        }
        let page = one.get(&path).await.body;
        let (seen, length, width) = (field_of(&page, "seen"), format!("84.{n:02}"), format!("41.{n:02}"));
        let (was_length, was_width) = (field_of(&page, "c.plate_length"), field_of(&page, "c.plate_width"));
        let first = [("seen", &*seen), ("c.plate_length", &length), ("c.plate_width", &was_width), ("then", "keep")];
        let second = [("seen", &*seen), ("c.plate_length", &was_length), ("c.plate_width", &width), ("then", "keep")];
        let (a, b) = futures_util::future::join(one.post(&path, &first), two.post(&path, &second)).await;
        assert_eq!((a.status, b.status), (204, 204), "round {n}: {} {}", words(&a.body), words(&b.body));
        let page = one.get(&path).await.body;
        assert_eq!((field_of(&page, "c.plate_length"), field_of(&page, "c.plate_width")), (length, width), "round {n}");
    }
    assert_eq!(s.count("SELECT COUNT(*) FROM drafts"), 12, "the last versions are kept, and no more");
    let (one, two) = (come_in(&s, &all["Alfa"]).await, come_in(&s, &all["Alfa"]).await);
    let ask = format!("/hand-in/{}/ask", s.lab);
    for n in 0..20 {
        let question = [("line", "result:plate_volume:"), ("body", "which of us asks?")];
        let (a, b) = futures_util::future::join(one.post(&ask, &question), two.post(&ask, &question)).await;
        let mut both = [a.status, b.status];
        both.sort_unstable();
        assert_eq!(both, [303, 422], "round {n}");
        s.alter("UPDATE questions SET answered_at = UTC_TIMESTAMP(), answer = 'both'");
    }
    assert_eq!(s.count("SELECT COUNT(*) FROM questions"), 20);
}
