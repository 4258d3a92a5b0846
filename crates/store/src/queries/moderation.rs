//! What reviewers changed against the computed score, and who has read it: first the one it is about.

use chrono::{Datelike, Days, NaiveDateTime, Weekday};
use diesel::prelude::*;
use jurado_core::moderation::Moved;

use super::docket::SIGNED;
use super::events;
use super::users::User;
use crate::schema::{moderation_rounds, moderation_words, sections, sheets, users};
use crate::{Db, StoreError, inserted};

/// Longest remark on what one's own tables say, in characters.
pub const MOST_REMARK: usize = 500;
/// Days of work until a row is shown to others whose reviewer has not read it.
const DAYS_TO_READ: usize = 2;

/// A table that a person has signed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Decided {
    /// Who signed it.
    pub user_id: u32,
    /// Their name.
    pub reviewer: String,
    /// Its section.
    pub section_id: u32,
    /// The section's name.
    pub section: String,
    /// What persons changed of it.
    pub moved: Moved,
}

/// The tables of the term that are signed, of one lab or of all, in the order of their sections. A table that an earlier
/// program judged is left out until it is judged anew.
///
/// # Errors
/// [`StoreError::Broken`] where what was kept of a table cannot be read; faults of the database.
pub fn decided(c: &mut Db, lab: Option<u32>) -> Result<Vec<Decided>, StoreError> {
    type Row = (u32, u32, String, String, u32, String);
    let mut query = sheets::table
        .inner_join(sections::table)
        .inner_join(users::table.on(sheets::signed_by.eq(users::id.nullable())))
        // One that was signed and wants a person again waits: nobody has decided it.
        .filter(sheets::stage.ge(Some(SIGNED)))
        .filter(sheets::moved.ne(""))
        .order((sections::position, sections::id, users::id, sheets::id))
        .select((sheets::id, users::id, users::name, sheets::moved, sections::id, sections::name))
        .into_boxed();
    if let Some(lab) = lab {
        query = query.filter(sheets::lab_id.eq(lab));
    }
    let rows: Vec<Row> = query.load(c.sql())?;
    rows.into_iter()
        .map(|(sheet, user_id, reviewer, moved, section_id, section)| {
            let broken = || StoreError::Broken(format!("what was changed of sheet {sheet}"));
            let moved = Moved::from_text(&moved).ok_or_else(broken)?;
            Ok(Decided { user_id, reviewer, section_id, section, moved })
        })
        .collect()
}

/// That somebody has read what it says of their own tables.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Word {
    /// Who.
    pub user_id: u32,
    /// Their name.
    pub name: String,
    /// Their word on it; empty for none.
    pub remark: String,
    /// When.
    pub at: NaiveDateTime,
}

/// A round: from its opening on everybody reads first what is about themselves.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Round {
    /// Number.
    pub id: u32,
    /// When it was opened.
    pub opened_at: NaiveDateTime,
    /// Who opened it.
    pub by: String,
    /// Who has read, in the order of reading.
    pub words: Vec<Word>,
}

impl Round {
    /// From when on a row is shown to others whose reviewer has not read it: two days of work later, at the same hour.
    pub fn shown_from(&self) -> NaiveDateTime {
        let mut at = self.opened_at;
        let mut left = DAYS_TO_READ;
        while left > 0 {
            at = at + Days::new(1);
            left -= usize::from(!matches!(at.weekday(), Weekday::Sat | Weekday::Sun));
        }
        at
    }

    /// Whether a person's rows may be shown to somebody else at a time.
    pub fn shows(&self, person: u32, now: NaiveDateTime) -> bool {
        now >= self.shown_from() || self.words.iter().any(|w| w.user_id == person)
    }
}

/// The newest round of the term that runs.
///
/// # Errors
/// Faults of the database.
pub fn round(c: &mut Db) -> Result<Option<Round>, StoreError> {
    let row: Option<(u32, NaiveDateTime, String)> = moderation_rounds::table
        .inner_join(users::table.on(moderation_rounds::opened_by.eq(users::id)))
        .filter(moderation_rounds::term_id.eq(0))
        .order(moderation_rounds::id.desc())
        .select((moderation_rounds::id, moderation_rounds::opened_at, users::name))
        .first(c.sql())
        .optional()?;
    let Some((id, opened_at, by)) = row else { return Ok(None) };
    let words: Vec<(u32, String, String, NaiveDateTime)> = moderation_words::table
        .inner_join(users::table.on(moderation_words::user_id.eq(users::id)))
        .filter(moderation_words::round_id.eq(id))
        .order((moderation_words::read_at, users::id))
        .select((users::id, users::name, moderation_words::remark, moderation_words::read_at))
        .load(c.sql())?;
    let word = |(user_id, name, remark, at)| Word { user_id, name, remark, at };
    Ok(Some(Round { id, opened_at, by, words: words.into_iter().map(word).collect() }))
}

/// Opens a round, as a coordinator: everybody reads first what is about themselves, anew. Gives its number.
///
/// # Errors
/// Faults of the database.
pub fn open(c: &mut Db, user: &User) -> Result<u32, StoreError> {
    let now = c.now()?;
    diesel::insert_into(moderation_rounds::table)
        .values((moderation_rounds::opened_by.eq(user.id), moderation_rounds::opened_at.eq(now)))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    events::note(c, Some(user.id), "moderation opened", &format!("round {id}"))?;
    Ok(id)
}

/// Says that a person has read what it says of their own tables, with a word on it or none; said again it replaces the word.
///
/// # Errors
/// [`StoreError::Bad`] where the remark is too long; [`StoreError::NotFound`] where that round is not the newest; faults of
/// the database.
pub fn read(c: &mut Db, id: u32, remark: &str, user: &User) -> Result<(), StoreError> {
    let remark = remark.trim();
    if remark.chars().count() > MOST_REMARK {
        return Err(StoreError::Bad(
            format!("the remark has more than {MOST_REMARK} characters"),
            "say it in fewer words".into(),
        ));
    }
    round(c)?.filter(|r| r.id == id).ok_or(StoreError::NotFound("round"))?;
    let now = c.now()?;
    diesel::replace_into(moderation_words::table)
        .values((
            moderation_words::round_id.eq(id),
            moderation_words::user_id.eq(user.id),
            moderation_words::remark.eq(remark),
            moderation_words::read_at.eq(now),
        ))
        .execute(c.sql())?;
    events::note_why(c, Some(user.id), "moderation read", &format!("round {id}"), remark)
}

#[cfg(test)]
mod tests {
    use chrono::NaiveDate;

    use super::{Round, Word};

    fn at(day: u32, hour: u32) -> chrono::NaiveDateTime {
        NaiveDate::from_ymd_opt(2026, 11, day).and_then(|d| d.and_hms_opt(hour, 0, 0)).expect("a time")
    }

    #[test]
    fn a_row_is_shown_once_it_was_read_or_two_days_of_work_have_passed() {
        // The 12th is a Thursday, the 14th a Saturday.
        for (opened, shown) in [
            (at(9, 9), at(11, 9)),
            (at(12, 9), at(16, 9)),
            (at(13, 9), at(17, 9)),
            (at(14, 9), at(17, 9)),
            (at(15, 9), at(17, 9)),
        ] {
            let word = Word { user_id: 2, name: "R".into(), remark: String::new(), at: opened };
            let round = Round { id: 1, opened_at: opened, by: "C".into(), words: vec![word] };
            assert_eq!(round.shown_from(), shown);
            let just_before = shown - chrono::TimeDelta::seconds(1);
            assert!(round.shows(2, opened) && !round.shows(3, just_before) && round.shows(3, shown));
        }
    }
}
