//! What a section was taught otherwise: set with a look before, or ruled.

use super::*;

/// The lab with a slip that a section may have been taught, and a constant.
fn lab() -> String {
    let slip = "[[slip]]\nid = \"zero-left\"\nresult = \"plate_volume\"\nsays = \"the zero was left in\"\nformula = \"plate_length * plate_width * plate_thickness\"\n\n";
    let constant = "[[constant]]\nid = \"share\"\ntitle = \"share that is metal\"\nvalue = 1.0\nunit = \"1\"\nsource = \"drawing\"\n\n";
    let text = LAB.replacen("[[result]]", &format!("{constant}[[result]]"), 1);
    let text = text.replacen("[[criterion]]", &format!("{slip}[[criterion]]"), 1);
    text.replace("\"plate_mass / plate_volume\"", "\"plate_mass / (plate_volume * share)\"")
}

/// A table whose volume holds the zero of the caliper, with a density.
fn with_zero(section: &str, team: &str, density: &str) -> String {
    csv(section, team, "30.51") + &format!("{section},{team},1,plate_density,,{density},g/cm3,0.02,,\n")
}

#[actix_web::test]
async fn a_section_sets_what_it_was_taught_after_a_look_at_what_moves() {
    let s = site_of("taught_setting", &lab()).await;
    s.bring(&with_zero("Morning", "Alfa", "2.684"));
    s.bring(&with_zero("Evening", "Zulu", "2.684"));
    let (rev, morning) = (s.browser("rev").await, s.section("Morning"));
    let path = format!("/sections/{morning}/{}", s.lab);
    let sum = |team: &str| s.count(&format!("SELECT ROUND(decided * 1000) FROM sheets WHERE id = {}", s.sheet(team)));
    let (alfa, zulu) = (sum("Alfa"), sum("Zulu"));
    let page = rev.page(&path).await;
    assert!(page.contains("Taught otherwise") && page.contains("the zero was left in"), "{page}");
    for (name, value, says) in [
        ("s.plate_volume", "by heart", "“by heart” is no formula that this lab knows"),
        ("s.plate_mass", "zero-left", "is no formula that this lab knows"),
        ("c.share", "much", "much"),
    ] {
        let fields = [("version", "0"), (name, value), ("reason", "so it was"), ("then", "set")];
        let told = rev.refused(&path, &fields).await;
        assert!(told.contains(says), "{name}: {told}");
        assert_eq!(s.count("SELECT COUNT(*) FROM section_labs"), 0);
    }
    let set = [("version", "0"), ("s.plate_volume", "zero-left"), ("reason", "on the board so"), ("then", "set")];
    let (told, page) = rev.looked(&path, &set).await;
    assert!(told.contains("1 table would change") && told.contains("volume (plate): slip becomes agrees"), "{told}");
    assert!(page.contains("on the board so"), "{page}");
    assert!(sum("Alfa") > alfa && sum("Zulu") == zulu, "{alfa} {zulu}");
    let bench = rev.page(&format!("/bench/{}", s.sheet("Alfa"))).await;
    assert!(bench.contains("is judged by another formula as this section sets it: the zero was left in"), "{bench}");
    // A look at one change is none at another.
    let look = rev.post(&path, &[("version", "1"), ("reason", "no"), ("then", "set")]).await;
    let seen = field_of(&look.body, "looked");
    let other = [("version", "1"), ("c.share", "0.5"), ("reason", "no"), ("then", "set"), ("looked", &*seen)];
    assert!(words(&rev.post(&path, &other).await.body).contains("Since marks would move"));
    rev.done(&path, &[("version", "1"), ("reason", "no"), ("then", "set"), ("looked", &*seen)]).await;
    assert_eq!(sum("Alfa"), alfa);
    // Whose table it is stands nowhere in the look where names are hidden.
    let hidden = s.browser("rev").await;
    hidden.post("/names", &[]).await;
    let look = words(&hidden.post(&path, &[("version", "2"), ("c.share", "0.5"), ("then", "look")]).await.body);
    assert!(look.contains("1 table would change") && look.contains("Table ") && !look.contains("Alfa"), "{look}");
    // What moves nothing is taken at once.
    rev.done(&path, &[("version", "2"), ("due", "2031-01-01T10:00"), ("reason", "due"), ("then", "set")]).await;
}

#[actix_web::test]
async fn a_slip_is_ruled_to_be_what_a_section_was_taught_and_a_constant_taken_as_another() {
    let s = site_of("taught_ruling", &lab()).await;
    s.bring(&with_zero("Morning", "Alfa", "2.684"));
    s.bring(&csv("Morning", "Bittern", "30.33"));
    s.bring(&with_zero("Evening", "Zulu", "2.684"));
    let (rev, chief) = (s.browser("rev").await, s.browser("chief").await);
    let id = s.sheet("Alfa").to_string();
    let state = || {
        s.count("SELECT SUM(CRC32(CONCAT(id, ':', decided, patterns, headline, open_findings, outcome))) FROM sheets")
    };
    let sum = |team: &str| s.count(&format!("SELECT ROUND(decided * 1000) FROM sheets WHERE id = {}", s.sheet(team)));
    let (before, alfa, zulu) = (state(), sum("Alfa"), sum("Zulu"));
    let new = format!("/rulings/new?sheet={id}&finding=slip:plate_volume");
    let page = rev.page(&new).await;
    assert!(page.contains("was taught, and its tables are judged by it: the zero was left in"), "{page}");
    let page = rev.page(&format!("{new}&does=school")).await;
    assert!(
        page.contains("2 tables") && page.contains("in Morning, the volume (plate) is judged by another formula"),
        "{page}"
    );
    let fields = [
        ("sheet", &*id),
        ("finding", "slip:plate_volume"),
        ("does", "school"),
        ("reason", "The card said so"),
        ("seen", "0-0"),
    ];
    assert!(rev.done("/rulings", &fields).await.contains("Ruling 1 is in force"));
    assert!(sum("Alfa") > alfa && sum("Zulu") == zulu);
    let bench = rev.page(&format!("/bench/{id}")).await;
    assert!(bench.contains("by a ruling: the zero was left in") && bench.contains("The card said so"), "{bench}");
    let listed = rev.page("/rulings").await;
    assert!(listed.contains("is judged by another formula, before and from now on: the zero was left in"), "{listed}");
    let back = rev.page("/rulings/1/withdraw").await;
    assert!(back.contains("as before"), "{back}");
    rev.done("/rulings/1/withdraw", &[("reason", "It did not")]).await;
    assert_eq!(state(), before, "every byte is as it was");
    // A constant: of all, or of a section.
    let page = chief.page(&format!("/protocols/{}", s.lab)).await;
    assert!(page.contains("taken as another value : Share that is metal"), "{page}");
    let constant = |value: &'static str| {
        let lab = s.lab.to_string();
        let fields = [("constant", "share"), ("against", value), ("reason", "half is wood"), ("seen", "1-1")];
        let mut all: Vec<(&'static str, String)> = fields.into_iter().map(|(n, v)| (n, v.to_owned())).collect();
        all.push(("lab", lab));
        all
    };
    let send = async |fields: Vec<(&'static str, String)>| {
        let all: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (*n, v.as_str())).collect();
        rev.post("/rulings", &all).await
    };
    let told = send(constant("half")).await;
    assert!(told.status == 422 && words(&told.body).contains("half"), "{}", words(&told.body));
    let look = rev.page(&format!("/rulings/new?lab={}&constant=share&against=0.5", s.lab)).await;
    assert!(look.contains("the share that is metal is taken as 0.5, before and from now on"), "{look}");
    let wrong = rev.get(&format!("/rulings/new?lab={}&constant=plate_mass&against=0.5", s.lab)).await;
    assert_eq!(wrong.status, 422, "{}", words(&wrong.body));
    let put = send(constant("0.5")).await;
    assert_eq!(put.status, 303, "{}", words(&put.body));
    // It is what the readings give that moves: whoever took the sheet’s value made no mistake.
    assert!(sum("Alfa") < alfa && sum("Zulu") < zulu);
    rev.done("/rulings/2/withdraw", &[("reason", "no wood")]).await;
    assert_eq!(state(), before, "every byte is as it was");
}
