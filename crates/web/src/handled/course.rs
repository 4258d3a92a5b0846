//! The course: sections, teams, students, what a section sets, the end of a term.

use super::*;

#[actix_web::test]
async fn a_change_of_the_course_that_cannot_be_says_why() {
    let s = site("course_refused").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let chief = s.browser("chief").await;
    let (morning, evening) = (s.section("Morning").to_string(), s.section("Evening").to_string());
    let alfa = s.count("SELECT id FROM teams WHERE name = 'Alfa'").to_string();
    chief.done("/sections/change", &[("then", "add-student"), ("id", &alfa), ("number", "17"), ("text", "Ada")]).await;
    let ada = s.count("SELECT id FROM students").to_string();
    let long = "x".repeat(81);
    for (then, id, text, more, says) in [
        ("add-section", "0", "", None, "name of the section is empty"),
        ("add-section", "0", &*long, None, "longer than 80"),
        ("add-section", "0", "Evening", None, "there is a section “Evening” already"),
        ("rename-section", &*morning, " ", None, "is empty"),
        ("remove-section", &*morning, "", None, "holds teams"),
        ("add-team", &*morning, "Alfa", None, "there is a team “Alfa” already"),
        ("rename-team", &*alfa, &*long, None, "longer than 80"),
        ("remove-team", &*alfa, "", None, "tables or students"),
        ("move-team", &*alfa, "", Some(("team", &*morning)), "in that section already"),
        ("add-student", &*alfa, "Bo", Some(("number", "17")), "number “17” already"),
        ("add-student", &*alfa, "Bo", Some(("number", "")), "number of the student is empty"),
        ("move-student", &*ada, "Nowhere: Alfa", None, "no team “Nowhere: Alfa”"),
        ("leave", &*ada, "", None, "reason is empty"),
        ("leave", &*ada, &*"x".repeat(501), None, "longer than 500"),
    ] {
        let mut fields = vec![("then", then), ("id", id), ("text", text), ("section", &*morning)];
        fields.extend(more);
        let told = chief.refused("/sections/change", &fields).await.to_lowercase();
        assert!(told.contains(&says.to_lowercase()), "{then}: {told}");
    }
    assert_eq!(chief.post("/sections/change", &[("then", "burn"), ("id", &morning)]).await.status, 404);
    assert_eq!(chief.get("/sections?section=99999").await.status, 404);
    chief
        .done("/sections/change", &[("then", "move-team"), ("id", &alfa), ("team", &evening), ("section", &morning)])
        .await;
    assert_eq!(s.count(&format!("SELECT section_id FROM sheets WHERE team_id = {alfa}")).to_string(), evening);
    let rev = s.browser("rev").await;
    assert_eq!(rev.post("/sections/change", &[("then", "add-section"), ("text", "Mine")]).await.status, 403);
}

#[actix_web::test]
async fn a_roster_is_taken_whole_or_told_by_line() {
    let s = site("course_roster").await;
    let chief = s.browser("chief").await;
    for (text, says) in [
        ("", "the roster is empty"),
        ("team,number\nAlfa,1\n", "lacks a column section or team"),
        ("section,team,number,name\nMorning,,1,Ada\n", "Line 2"),
        ("section,team,number,name\nMorning,Alfa,1,Ada\nEvening,Zulu,1,Ada\n", "Line 3"),
    ] {
        let told = chief.refused("/sections/roster", &[("text", text)]).await;
        assert!(told.contains(says), "{text}: {told}");
        assert_eq!(s.count("SELECT COUNT(*) FROM students"), 0);
    }
    let told = chief
        .done("/sections/roster", &[("text", "section,team,number,name\nMorning,Alfa,1,Ada\nNight,Owl,2,Bo\n")])
        .await;
    assert!(told.contains("1 sections, 1 teams and 2 students are new"), "{told}");
    let csv = chief.get("/sections/roster.csv").await;
    assert!(csv.kind.starts_with("text/csv") && csv.body.contains("Night,Owl,2,Bo"), "{}", csv.body);
}

#[actix_web::test]
async fn the_course_is_set_within_its_limits() {
    let s = site("course_set").await;
    let chief = s.browser("chief").await;
    let base = [
        ("school", "Slipway School"),
        ("term", "Autumn"),
        ("section", "watch"),
        ("sections", "watches"),
        ("zone", "Europe/Helsinki"),
        ("dates", "%a %-d %b, %H:%M"),
    ];
    for (key, value, says) in [
        ("school", "x".repeat(81), "name of the school is longer than 80"),
        ("term", "x".repeat(81), "longer than 80"),
        ("section", String::new(), "what one section is called"),
        ("sections", "x".repeat(31), "longer than 30"),
        ("zone", "Moon/Base".into(), "is no time zone"),
        ("dates", "%Y?".into(), "no form of dates"),
    ] {
        let fields: Vec<(&str, &str)> =
            base.iter().map(|(k, v)| (*k, if *k == key { value.as_str() } else { *v })).collect();
        let told = chief.refused("/course", &fields).await;
        assert!(told.contains(says), "{key}: {told}");
    }
    assert!(chief.done("/course", &base).await.contains("Every page shows it so from now on."));
    assert_eq!(s.run(jurado_store::settings::course).school, "Slipway School");
}

#[actix_web::test]
async fn what_a_section_sets_is_told_by_field_and_stays_as_typed() {
    let s = site("course_setting").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (rev, morning) = (s.browser("rev").await, s.section("Morning"));
    let path = format!("/sections/{morning}/{}", s.lab);
    let long = "x".repeat(501);
    for (fields, says) in [
        (vec![("due", "tomorrow"), ("reason", "late")], "tomorrow"),
        (vec![("source", "issued"), ("reason", "shown")], "no value is"),
        (vec![("source", "issued"), ("issued", "plate_mass,,x"), ("reason", "shown")], "“x” is no number"),
        (vec![("source", "issued"), ("issued", "boat,,1"), ("reason", "shown")], "“boat” is no reading"),
        (vec![("source", "issued"), ("issued", "plate_mass,1,1"), ("reason", "shown")], "taken once and has no row"),
        (vec![("source", "issued"), ("issued", "plate_mass"), ("reason", "shown")], "has not three parts"),
        (vec![("w.plate_volume", &*"x".repeat(201)), ("reason", "not asked")], "longer than 200"),
        (vec![("w.plate_volume", "not asked"), ("reason", "")], "Write the reason"),
        (vec![("w.plate_volume", "not asked"), ("reason", &*long)], "longer than 500"),
    ] {
        let all: Vec<(&str, &str)> = [("version", "0"), ("then", "set")].into_iter().chain(fields.clone()).collect();
        let answer = rev.post(&path, &all).await;
        assert!(answer.status == 422 && words(&answer.body).contains(says), "{fields:?}: {}", words(&answer.body));
        let typed = fields[0].1;
        assert!(answer.body.contains(typed), "“{typed}” stays where it was typed");
        assert_eq!(s.count("SELECT COUNT(*) FROM section_labs"), 0);
    }
    // Looking changes nothing; setting does, and only over what was seen.
    let short = "the disc is not asked for";
    let set = [
        ("version", "0"),
        ("w.disc_diameter", short),
        ("w.disc_thickness", short),
        ("w.disc_mass", short),
        ("reason", "short evening"),
    ];
    let look: Vec<(&str, &str)> = set.iter().copied().chain([("then", "look")]).collect();
    let answer = rev.post(&path, &look).await;
    assert!(answer.status == 200 && words(&answer.body).contains("1 table would change"), "{}", words(&answer.body));
    let put: Vec<(&str, &str)> = set.iter().copied().chain([("then", "set")]).collect();
    assert!(rev.looked(&path, &put).await.1.contains("short evening"));
    let again = rev.post(&path, &put).await;
    assert!(words(&again.body).contains("was first"), "{}", words(&again.body));
    let other = s.browser("other").await;
    assert_eq!(other.post(&path, &put).await.status, 404);
}

#[actix_web::test]
async fn a_term_ends_by_a_word_and_its_tables_stay_to_be_read() {
    let s = site("course_term").await;
    s.bring(&csv("Morning", "Alfa", "303.3"));
    let (chief, rev, id) = (s.browser("chief").await, s.browser("rev").await, s.sheet("Alfa"));
    let told = chief.refused("/course/term", &[("ends", "Autumn"), ("begins", "Spring")]).await;
    assert!(told.contains("1 table still wait for a decision"), "{told}");
    for (ends, begins, says) in
        [("", "Spring", "is empty"), ("Spring", "Spring", "one name"), ("Autumn", &*"x".repeat(81), "longer than 80")]
    {
        let told = chief.refused("/course/term", &[("ends", ends), ("begins", begins), ("sure", "on")]).await;
        assert!(told.contains(says), "{told}");
    }
    let told = chief.done("/course/term", &[("ends", "Autumn"), ("begins", "Spring"), ("sure", "on")]).await;
    assert!(told.contains("“Spring” runs now"), "{told}");
    let term = s.count("SELECT id FROM terms");
    let page = rev.page(&format!("/terms/{term}")).await;
    assert!(page.contains("Autumn") && page.contains("Alfa") && page.contains("1 tables"), "{page}");
    assert!(rev.page(&format!("/bench/{id}")).await.contains("Of a term that has ended: Autumn"));
    assert!(s.browser("other").await.page(&format!("/terms/{term}")).await.contains("No table of yours"));
    assert_eq!(rev.get("/terms/99").await.status, 404);
    assert!(rev.get(&format!("/terms/{term}/marks.csv")).await.kind.starts_with("text/csv"));
    let told = chief.refused("/course/term", &[("ends", "Autumn"), ("begins", "Summer")]).await;
    assert!(told.contains("already"), "{told}");
}
