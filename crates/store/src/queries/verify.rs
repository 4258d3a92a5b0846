//! Whether what is kept beside each table is what judging it gives, and whether what went out is what it was.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::ground::Ground;
use super::{events, ground, sheets};
use crate::records::sheet::{Derived, Head};
use crate::records::words::SheetState;
use crate::schema::{decisions, labs, sections, sheets as sheet_table, teams};
use crate::{Db, Store, StoreError};

/// A table whose kept verdict is not what judging it gives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// Sheet.
    pub sheet: u32,
    /// Lab, section and team.
    pub place: String,
    /// What differs, such as “points are kept as 29 and judged as 14”.
    pub what: Vec<String>,
    /// Whether judging it anew and keeping that puts it right.
    pub can_be_mended: bool,
}

/// What a check came to.
#[derive(Clone, Debug, Default)]
pub struct Checked {
    /// Tables judged anew.
    pub tables: usize,
    /// What differs.
    pub differences: Vec<Difference>,
    /// What should be there and is not, a sentence each.
    pub missing: Vec<String>,
}

/// What should be there: words, and what is counted that is not.
const SHOULD_BE: [(&str, &str); 12] = [
    (
        "sheets lack their newest revision",
        "sheets s LEFT JOIN submissions u ON u.id = s.submission_id AND u.sheet_id = s.id \
         WHERE s.submission_id IS NOT NULL AND u.id IS NULL",
    ),
    ("revisions lack their sheet", "submissions u LEFT JOIN sheets s ON s.id = u.sheet_id WHERE s.id IS NULL"),
    (
        "sheets lack a revision between two others",
        "(SELECT sheet_id FROM submissions GROUP BY sheet_id HAVING COUNT(*) <> MAX(revision)) g",
    ),
    (
        "revisions lack the file they came with",
        "submissions u LEFT JOIN imports i ON i.id = u.import_id WHERE i.id IS NULL",
    ),
    (
        "revisions are not what was handed in: their digests are others",
        "submissions WHERE CONVERT(SHA2(body, 256) USING utf8mb4) <> CONVERT(digest USING utf8mb4)",
    ),
    ("labs lack the protocol in force", "labs l LEFT JOIN protocols p ON p.id = l.protocol_id WHERE p.id IS NULL"),
    ("sheets lack their lab", "sheets s LEFT JOIN labs l ON l.id = s.lab_id WHERE l.id IS NULL"),
    (
        "sheets lack their team or section",
        "sheets s LEFT JOIN teams t ON t.id = s.team_id LEFT JOIN sections x ON x.id = s.section_id \
         WHERE t.id IS NULL OR x.id IS NULL",
    ),
    (
        "sheets went out, and what went out is not there",
        "sheets s WHERE s.returns > (SELECT COUNT(*) FROM went_out w WHERE w.sheet_id = s.id)",
    ),
    (
        "lines of what went out lack their sheet",
        "went_out w LEFT JOIN sheets s ON s.id = w.sheet_id WHERE s.id IS NULL",
    ),
    ("hand-ins lack their file", "hand_ins h LEFT JOIN imports i ON i.id = h.import_id WHERE i.id IS NULL"),
    (
        "decisions lack the revision they are on",
        "decisions d LEFT JOIN submissions u ON u.id = d.submission_id WHERE u.id IS NULL",
    ),
];

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    n: i64,
}

/// What should be there and is not. Each is asked from what names it, since what is gone cannot be missed by itself.
fn missing(c: &mut Db) -> Result<Vec<String>, StoreError> {
    let mut out = Vec::new();
    for (words, what) in SHOULD_BE {
        let count: Count = diesel::sql_query(format!("SELECT COUNT(*) AS n FROM {what}")).get_result(c.sql())?;
        if count.n > 0 {
            out.push(format!("{} {words}", count.n));
        }
    }
    let told = events::of_kind(c, &["decided", "signed"])?;
    // What was done before the record told why is asked for only where the record is gone.
    let since = match events::chained_since(c)? {
        Some(since) => since,
        None if events::any(c)? => NaiveDateTime::MAX,
        None => NaiveDateTime::MIN,
    };
    let decided: Vec<(NaiveDateTime, u32, String)> =
        decisions::table.select((decisions::decided_at, decisions::user_id, decisions::reason)).load(c.sql())?;
    let untold = decided
        .into_iter()
        .filter(|(at, ..)| *at >= since)
        .filter(|(at, user, reason)| !told.contains(&("decided".to_owned(), *at, *user, reason.clone())))
        .count();
    if untold > 0 {
        out.push(format!("{untold} decisions stand otherwise in the record, or not at all: who, when or why"));
    }
    let signed: Vec<(Option<NaiveDateTime>, Option<u32>)> = sheet_table::table
        .filter(sheet_table::signed_at.is_not_null())
        .select((sheet_table::signed_at, sheet_table::signed_by))
        .load(c.sql())?;
    let untold = signed
        .into_iter()
        .filter(|(at, user)| {
            let (Some(at), Some(user)) = (at, user) else { return false };
            *at >= since && !told.contains(&("signed".to_owned(), *at, *user, String::new()))
        })
        .count();
    if untold > 0 {
        out.push(format!("{untold} signatures stand otherwise in the record, or not at all: who or when"));
    }
    Ok(out)
}

/// Judges every table anew and compares what is kept beside it: points, open findings, stage, marks and what went out. All
/// is looked at as it was at one moment, so people may go on working. What was taken out, and what belongs to a term that has
/// ended, is left: it is not judged any more.
///
/// # Errors
/// Faults of the database.
pub fn check(store: &Store) -> Result<Checked, StoreError> {
    store.snapshot(|c| {
        let places: Vec<(u32, u32, String, String)> = sheet_table::table
            .inner_join(labs::table)
            .inner_join(sections::table)
            .filter(sheet_table::stage.is_not_null())
            .select((labs::id, sections::id, labs::slug, sections::name))
            .distinct()
            .load(c.sql())?;
        let mut out = Checked { missing: missing(c)?, ..Checked::default() };
        for (lab, section, slug, name) in places {
            let place = format!("{slug}, {name}");
            let checked = ground::of(c, lab, section).and_then(|g| check_place(c, &g, section, &place, &mut out));
            match checked {
                // What is missing was said above; the other places are looked at all the same.
                Err(StoreError::NotFound(_) | StoreError::Broken(_)) if !out.missing.is_empty() => {}
                checked => checked?,
            }
        }
        out.differences.sort_by_key(|d| d.sheet);
        Ok(out)
    })
}

fn check_place(c: &mut Db, ground: &Ground, section: u32, place: &str, out: &mut Checked) -> Result<(), StoreError> {
    let rows: Vec<(Head, Derived, Option<u8>, String)> = sheet_table::table
        .inner_join(teams::table)
        .filter(sheet_table::lab_id.eq(ground.lab.id))
        .filter(sheet_table::section_id.eq(section))
        .filter(sheet_table::stage.is_not_null())
        .order(sheet_table::id)
        .select((Head::as_select(), Derived::as_select(), sheet_table::stage, teams::name))
        .load(c.sql())?;
    for (head, kept, stage, team) in rows {
        out.tables += 1;
        let (sheet, state) = (head.id, head.state);
        let detail = sheets::detail_of(c, head)?;
        let judged = ground.derived(&ground.judge(&detail.submission, &detail.in_force()));
        let mut what = differences(&kept, &judged);
        let can_be_mended = !what.is_empty();
        let stands = match state {
            SheetState::Signed => 2,
            SheetState::Returned => 3,
            SheetState::Waiting => u8::from(judged.open_findings == 0),
        };
        if stage != Some(stands) {
            what.push(format!("stage is kept as {} and should be {stands}", stage.map_or(-1, i32::from)));
        }
        if state == SheetState::Signed && judged.open_findings > 0 {
            what.push(format!("it is signed with {} findings that nobody has decided", judged.open_findings));
        }
        match (&detail.went_out, detail.returns) {
            (None, n) if n > 0 => what.push(format!("it went out {n} times, and what went out is not there")),
            (Some(sent), _) => match detail.as_sent(c)? {
                Some((_, then)) if then.score.decided.normalize() != sent.points => what.push(format!(
                    "{} points went out, and judging what went out gives {}",
                    sent.points,
                    then.score.decided.normalize()
                )),
                Some((_, then)) if sheets::lines_of(&then) != sent.lines => {
                    what.push("the lines that went out are not those of judging what went out".to_owned());
                }
                _ => {}
            },
            _ => {}
        }
        if !what.is_empty() {
            out.differences.push(Difference { sheet, place: format!("{place}, {team}"), what, can_be_mended });
        }
    }
    Ok(())
}

fn differences(kept: &Derived, judged: &Derived) -> Vec<String> {
    let mut what = Vec::new();
    let mut differ = |name: &str, kept: String, judged: String| {
        if kept != judged {
            what.push(format!("{name} kept as {kept} and judged as {judged}"));
        }
    };
    let points = |d: rust_decimal::Decimal| d.normalize().to_string();
    differ("points are", points(kept.decided), points(judged.decided));
    differ("points by rule are", points(kept.awarded), points(judged.awarded));
    differ("possible points are", points(kept.possible), points(judged.possible));
    differ("open findings are", kept.open_findings.to_string(), judged.open_findings.to_string());
    differ("points that hang are", points(kept.hanging), points(judged.hanging));
    differ("the mark is", format!("{:?}", kept.mark.0), format!("{:?}", judged.mark.0));
    differ("the headline is", format!("“{}”", kept.headline), format!("“{}”", judged.headline));
    differ("the profile is", kept.profile.clone(), judged.profile.clone());
    differ("the points of the criteria are", kept.outcome.clone(), judged.outcome.clone());
    differ("what it waits for is", kept.pattern.clone(), judged.pattern.clone());
    differ("its findings are", kept.patterns.clone(), judged.patterns.clone());
    differ("what its class is told is", kept.essence.clone(), judged.essence.clone());
    differ("what persons changed is", kept.moved.clone(), judged.moved.clone());
    differ("it is said to be", kept.judged_with.clone(), judged.judged_with.clone());
    what
}

/// Puts right what can be: each table is held, judged anew and kept, and the record says so. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn mend(store: &Store, found: &[Difference]) -> Result<usize, StoreError> {
    let mut count = 0;
    for d in found {
        count += store.run(|c| mend_one(c, d))?;
    }
    Ok(count)
}

fn mend_one(c: &mut Db, d: &Difference) -> Result<usize, StoreError> {
    let (lab, section): (u32, u32) =
        sheet_table::table.find(d.sheet).select((sheet_table::lab_id, sheet_table::section_id)).first(c.sql())?;
    let ground = ground::hold(c, lab, section)?;
    let head: Head = sheet_table::table.find(d.sheet).select(Head::as_select()).for_update().first(c.sql())?;
    let (state, version) = (head.state, head.version);
    let detail = sheets::detail_of(c, head)?;
    let judged = ground.derived(&ground.judge(&detail.submission, &detail.in_force()));
    let reopens = state == SheetState::Signed && judged.open_findings > 0;
    if !d.can_be_mended && !reopens {
        return Ok(0);
    }
    let state = if reopens { SheetState::Waiting } else { state };
    diesel::update(sheet_table::table.find(d.sheet))
        .set((
            judged,
            sheet_table::version.eq(version + 1),
            sheet_table::state.eq(state),
            sheet_table::changed.eq("put right what was kept beside the table"),
            sheet_table::changed_by.eq("The check"),
        ))
        .execute(c.sql())?;
    events::note_why(c, None, "put right", &format!("sheet {}", d.sheet), &d.what.join("; "))?;
    Ok(1)
}
