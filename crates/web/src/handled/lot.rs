//! The clear tables as one lot: looked over, signed together, and left where somebody was first.

use super::*;

/// Takes what is proposed for all that is open of a table, so that it looks clear.
fn clear(s: &Site, team: &str, who: &str) -> u32 {
    let id = s.sheet(team);
    s.decide_open(id, who, |_| (Action::Accept, ""));
    id
}

#[actix_web::test]
async fn clear_tables_are_signed_together_and_one_that_was_changed_stays() {
    let s = site("lot").await;
    for (section, team) in [("Morning", "Alfa"), ("Morning", "Bittern"), ("Evening", "Zulu")] {
        s.bring(&csv(section, team, "303.3"));
    }
    let (rev, other, chief) = (s.browser("rev").await, s.browser("other").await, s.browser("chief").await);
    assert!(chief.page("/docket/clear").await.contains("No table of yours looks clear now."));
    let (alfa, bittern, zulu) = (clear(&s, "Alfa", "rev"), clear(&s, "Bittern", "rev"), clear(&s, "Zulu", "other"));
    let page = rev.page("/docket/clear").await;
    assert!(page.contains("Alfa") && page.contains("Bittern") && !page.contains("Zulu"), "{page}");
    let seen = field_of(&chief.get("/docket/clear").await.body, "seen");
    assert_eq!(seen.split(' ').count(), 3, "{seen}");
    // What somebody else has in hand, and what hangs, is left out.
    s.alter(&format!(
        "UPDATE sheets SET taken_by = {}, taken_until = UTC_TIMESTAMP() + INTERVAL 9 MINUTE WHERE id = {zulu}",
        s.ids["other"]
    ));
    assert!(!chief.page("/docket/clear").await.contains("Zulu") && other.page("/docket/clear").await.contains("Zulu"));
    s.alter(&format!("UPDATE sheets SET taken_by = NULL, taken_until = NULL, mark = 'hangs' WHERE id = {zulu}"));
    assert!(!chief.page("/docket/clear").await.contains("Zulu"));
    s.alter(&format!("UPDATE sheets SET mark = 'agrees' WHERE id = {zulu}"));
    // Another's table is not signed by naming it.
    let theirs = [("seen", format!("{zulu}-2"))];
    assert!(rev.done("/docket/clear", &[("seen", theirs[0].1.as_str())]).await.contains("0 tables signed."));
    // Bittern is opened again while the page stands there.
    rev.done(&format!("/bench/{bittern}/undo"), &[("version", "2")]).await;
    // Somebody takes Zulu in hand meanwhile: it stays, too, until they let it go.
    let hand = |until: &str| {
        s.alter(&format!("UPDATE sheets SET taken_by = {}, taken_until = {until} WHERE id = {zulu}", s.ids["other"]))
    };
    hand("UTC_TIMESTAMP() + INTERVAL 9 MINUTE");
    let said = chief.done("/docket/clear", &[("seen", &seen)]).await;
    assert!(said.contains("1 table signed. 2 tables changed meanwhile"), "{said}");
    hand("UTC_TIMESTAMP() - INTERVAL 1 SECOND");
    assert!(chief.page(&format!("/docket/clear?lab={}", s.lab)).await.contains("Zulu"));
    assert!(chief.page("/docket/clear?lab=999").await.contains("No table of yours looks clear now."));
    let said = chief.done("/docket/clear", &[("seen", &seen)]).await;
    assert!(said.contains("1 table signed. 2 tables changed meanwhile"), "{said}");
    let signed = |id: u32| {
        s.count(&format!("SELECT signed_by = {} FROM sheets WHERE id = {id} AND state = 'signed'", s.ids["chief"]))
    };
    assert_eq!((signed(alfa), signed(zulu)), (1, 1));
    assert_eq!(s.count("SELECT COUNT(*) FROM sheets WHERE state = 'waiting'"), 1);
    assert!(chief.done("/docket/clear", &[("seen", &seen)]).await.contains("0 tables signed. 3 tables changed"));
    let many: Vec<String> = (1..=501).map(|n| format!("{n}-1")).collect();
    assert!(chief.refused("/docket/clear", &[("seen", &many.join(" "))]).await.contains("500 at a time"));
    assert!(jurado_store::verify::check(&s.store).expect("checked").differences.is_empty());
}
