//! The record of who did what and why. It only grows: each event carries the digest of the one before it, so that a row that
//! was changed, put in or taken out afterwards shows.
//!
//! Each process writes a strand of its own, since events that all wait for one another would make all changes wait; the
//! first event of a strand goes on from the last one of the newest strand there is.

use chrono::NaiveDateTime;
use diesel::MysqlConnection;
use diesel::prelude::*;

use crate::records::event::{EventRecord, NewEvent};
use crate::schema::{event_strands, events};
use crate::{Db, StoreError};

/// What is to be written down.
#[derive(Clone, Debug)]
pub(crate) struct Note {
    user: Option<u32>,
    what: &'static str,
    about: String,
    reason: String,
}

/// Where a strand of events stands.
#[derive(Clone, Debug)]
pub(crate) struct Strand {
    id: u32,
    /// Number of its last event.
    number: u32,
    /// Digest of its last event.
    digest: String,
}

/// Longest text of what an event is about.
const MOST_ABOUT: usize = 400;
/// Longest reason.
const MOST_REASON: usize = 500;

/// Notes an act, in the transaction of the act itself.
pub(crate) fn note(c: &mut Db, user: Option<u32>, what: &'static str, about: &str) -> Result<(), StoreError> {
    note_why(c, user, what, about, "")
}

/// Notes an act with its reason.
pub(crate) fn note_why(
    c: &mut Db,
    user: Option<u32>,
    what: &'static str,
    about: &str,
    reason: &str,
) -> Result<(), StoreError> {
    c.note(Note {
        user,
        what,
        about: about.chars().take(MOST_ABOUT).collect(),
        reason: reason.chars().take(MOST_REASON).collect(),
    })
}

/// Notes an act of a person that has no transaction of its own, such as a file that was fetched.
///
/// # Errors
/// Faults of the database.
pub fn tell(c: &mut Db, user: u32, what: &'static str, about: &str) -> Result<(), StoreError> {
    note(c, Some(user), what, about)
}

/// Digest of an event: SHA-256 over the one before it and all its columns, as a JSON array.
fn digest_of(e: &EventRecord) -> String {
    let all = (&e.before_digest, e.strand, e.number, e.at.to_string(), e.user_id, &e.what, &e.about, &e.reason);
    crate::digest(serde_json::to_string(&all).unwrap_or_default().as_bytes())
}

/// Writes events after the last one of a strand, or begins a strand with them. Gives where the strand stands then.
pub(crate) fn write(
    sql: &mut MysqlConnection,
    strand: Option<&Strand>,
    at: NaiveDateTime,
    noted: &[Note],
) -> Result<Strand, StoreError> {
    let mut rows = Vec::with_capacity(noted.len() + 1);
    let mut strand = match strand {
        Some(strand) => strand.clone(),
        None => {
            let (strand, first) = begin(sql, at)?;
            rows.push(first);
            strand
        }
    };
    for n in noted {
        let event = EventRecord {
            id: 0,
            at,
            user_id: n.user,
            what: n.what.to_owned(),
            about: n.about.clone(),
            reason: n.reason.clone(),
            strand: Some(strand.id),
            number: Some(strand.number + 1),
            before_digest: strand.digest.clone(),
            digest: String::new(),
        };
        strand = Strand { id: strand.id, number: strand.number + 1, digest: digest_of(&event) };
        rows.push(EventRecord { digest: strand.digest.clone(), ..event });
    }
    for some in rows.chunks(500) {
        let new: Vec<NewEvent<'_>> = some.iter().map(NewEvent::from).collect();
        diesel::insert_into(events::table).values(new).execute(sql)?;
    }
    Ok(strand)
}

/// A new strand with its first event, which goes on from the newest strand there is, or from all events before strands.
fn begin(sql: &mut MysqlConnection, at: NaiveDateTime) -> Result<(Strand, EventRecord), StoreError> {
    let last: Option<EventRecord> = events::table
        .filter(events::strand.is_not_null())
        .order((events::strand.desc(), events::number.desc()))
        .select(EventRecord::as_select())
        .first(sql)
        .optional()?;
    let (about, before_digest) = match &last {
        Some(e) => {
            (format!("goes on from strand {} event {}", e.strand.unwrap_or(0), e.number.unwrap_or(0)), e.digest.clone())
        }
        None => {
            let (count, digest) = unchained(sql)?;
            (format!("goes on from {count} events before"), digest)
        }
    };
    diesel::insert_into(event_strands::table).values(event_strands::begun_at.eq(at)).execute(sql)?;
    let id = crate::inserted(sql)?;
    let event = EventRecord {
        id: 0,
        at,
        user_id: None,
        what: "record begun".to_owned(),
        about,
        reason: String::new(),
        strand: Some(id),
        number: Some(1),
        before_digest,
        digest: String::new(),
    };
    let digest = digest_of(&event);
    Ok((Strand { id, number: 1, digest: digest.clone() }, EventRecord { digest, ..event }))
}

/// How many events were written before there were strands, and one digest of them all.
fn unchained(sql: &mut MysqlConnection) -> Result<(usize, String), StoreError> {
    let rows: Vec<EventRecord> =
        events::table.filter(events::strand.is_null()).order(events::id).select(EventRecord::as_select()).load(sql)?;
    let text: Vec<String> =
        rows.iter().map(|e| format!("{:?}", (e.id, e.at.to_string(), e.user_id, &e.what, &e.about))).collect();
    Ok((rows.len(), crate::digest(text.join("\n").as_bytes())))
}

/// Checks the whole record. Gives how many events it has, and every place where it does not hold.
///
/// # Errors
/// Faults of the database.
pub fn check(c: &mut Db) -> Result<(usize, Vec<String>), StoreError> {
    let rows: Vec<EventRecord> = events::table
        .filter(events::strand.is_not_null())
        .order((events::strand, events::number, events::id))
        .select(EventRecord::as_select())
        .load(c.sql())?;
    let (count, before) = unchained(c.sql())?;
    let mut faults = Vec::new();
    let mut by_place = std::collections::HashMap::new();
    let mut last: Option<&EventRecord> = None;
    for e in &rows {
        let (strand, number) = (e.strand.unwrap_or(0), e.number.unwrap_or(0));
        let here = format!("event {} (strand {strand}, number {number}, “{}”)", e.id, e.what);
        if e.digest != digest_of(e) {
            faults.push(format!("{here}: its columns are not those it was written with"));
        }
        let follows = last.filter(|l| l.strand == e.strand);
        match follows {
            Some(l) if l.number.unwrap_or(0) + 1 != number => {
                faults.push(format!("{here}: event number {} is not there", l.number.unwrap_or(0) + 1));
            }
            Some(l) if l.digest != e.before_digest => {
                faults.push(format!("{here}: it does not follow the event before it"));
            }
            None if number != 1 => faults.push(format!("{here}: the strand does not begin with number 1")),
            _ => {}
        }
        by_place.insert((strand, number), e.digest.clone());
        last = Some(e);
    }
    for e in rows.iter().filter(|e| e.number == Some(1)) {
        let whole = match goes_on_from(&e.about) {
            Some(place) => by_place.get(&place).is_some_and(|d| *d == e.before_digest),
            None => e.about == format!("goes on from {count} events before") && before == e.before_digest,
        };
        if !whole {
            faults.push(format!("event {}: what it {} is not what it was", e.id, e.about));
        }
    }
    Ok((rows.len() + count, faults))
}

/// What was done, when, by whom and why, of some kinds of acts.
pub(crate) type Told = std::collections::HashSet<(String, NaiveDateTime, u32, String)>;

/// When the record began to tell why and to chain what it tells; events before that, of the first version, have neither, and may be a
/// second off. Nothing where the record is empty but for those.
pub(crate) fn chained_since(c: &mut Db) -> Result<Option<NaiveDateTime>, StoreError> {
    Ok(event_strands::table.select(diesel::dsl::min(event_strands::begun_at)).first(c.sql())?)
}

/// Whether the record holds any event.
pub(crate) fn any(c: &mut Db) -> Result<bool, StoreError> {
    Ok(events::table.select(events::id).first::<u64>(c.sql()).optional()?.is_some())
}

/// The acts of some kinds that the record tells of.
pub(crate) fn of_kind(c: &mut Db, kinds: &[&str]) -> Result<Told, StoreError> {
    let rows: Vec<(String, NaiveDateTime, Option<u32>, String)> = events::table
        .filter(events::what.eq_any(kinds))
        .select((events::what, events::at, events::user_id, events::reason))
        .load(c.sql())?;
    Ok(rows.into_iter().filter_map(|(what, at, user, why)| Some((what, at, user?, why))).collect())
}

/// Where a strand of the record ends.
#[derive(Clone, Debug, PartialEq, Eq, QueryableByName)]
pub struct End {
    /// Strand.
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    pub strand: u32,
    /// Number of its last event.
    #[diesel(sql_type = diesel::sql_types::Unsigned<diesel::sql_types::Integer>)]
    pub number: u32,
    /// Digest of that.
    #[diesel(sql_type = diesel::sql_types::Text)]
    pub digest: String,
}

impl std::fmt::Display for End {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "record-end:{}:{}:{}", self.strand, self.number, self.digest)
    }
}

impl End {
    /// Every end that a text names, such as a log or the words of a backup.
    #[must_use]
    pub fn all_in(text: &str) -> Vec<End> {
        let end = |words: &str| {
            let mut parts = words.splitn(3, ':');
            let (strand, number) = (parts.next()?.parse().ok()?, parts.next()?.parse().ok()?);
            let digest: String = parts.next()?.chars().take_while(char::is_ascii_hexdigit).collect();
            (digest.len() == 64).then_some(End { strand, number, digest })
        };
        text.split("record-end:").skip(1).filter_map(end).collect()
    }
}

/// Where each strand of the record ends. Kept where the database's root does not write, it shows whether the newest events, or all,
/// were taken out since.
///
/// # Errors
/// Faults of the database.
pub fn ends(c: &mut Db) -> Result<Vec<End>, StoreError> {
    // Tables of the first version have a record without strands: a backup is taken of those too.
    let strands: Count = diesel::sql_query(
        "SELECT COUNT(*) AS n FROM information_schema.columns \
         WHERE table_schema = DATABASE() AND table_name = 'events' AND column_name = 'strand'",
    )
    .get_result(c.sql())?;
    if strands.n == 0 {
        return Ok(Vec::new());
    }
    let last = diesel::sql_query(
        "SELECT e.strand, e.number, e.digest FROM events e JOIN \
         (SELECT strand, MAX(number) AS number FROM events WHERE strand IS NOT NULL GROUP BY strand) l \
         ON l.strand = e.strand AND l.number = e.number ORDER BY e.strand",
    );
    Ok(last.load(c.sql())?)
}

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    n: i64,
}

/// What speaks against the record having been at some ends once.
///
/// # Errors
/// Faults of the database.
pub fn against(c: &mut Db, ends: &[End]) -> Result<Vec<String>, StoreError> {
    let mut faults = Vec::new();
    for end in ends {
        let digest: Option<String> = events::table
            .filter(events::strand.eq(end.strand))
            .filter(events::number.eq(end.number))
            .select(events::digest)
            .first(c.sql())
            .optional()?;
        let at = format!("strand {} was at number {}", end.strand, end.number);
        match digest {
            None => faults.push(format!("{at} once, and has no such event: its newest were taken out")),
            Some(digest) if digest != end.digest => faults.push(format!("{at} once, with another digest")),
            Some(_) => {}
        }
    }
    Ok(faults)
}

/// Strand and number out of the words of a strand's first event.
fn goes_on_from(about: &str) -> Option<(u32, u32)> {
    let (strand, number) = about.strip_prefix("goes on from strand ")?.split_once(" event ")?;
    Some((strand.parse().ok()?, number.parse().ok()?))
}

/// Something that was done, for people to read.
#[derive(Clone, Debug)]
pub struct Event {
    /// When.
    pub at: NaiveDateTime,
    /// Who, where a person did it.
    pub by: Option<String>,
    /// What.
    pub what: String,
    /// About what.
    pub about: String,
    /// Why.
    pub reason: String,
}

/// The newest events about something, newest first, at most 50. `about` is the beginning of what they are about.
///
/// # Errors
/// Faults of the database.
pub fn about(c: &mut Db, about: &str) -> Result<Vec<Event>, StoreError> {
    use crate::schema::users;
    let like = format!("{}%", about.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"));
    let rows: Vec<(EventRecord, Option<String>)> = events::table
        .left_join(users::table.on(users::id.nullable().eq(events::user_id)))
        .filter(events::about.like(like))
        .order(events::id.desc())
        .limit(50)
        .select((EventRecord::as_select(), users::name.nullable()))
        .load(c.sql())?;
    Ok(rows.into_iter().map(|(e, by)| Event { at: e.at, by, what: e.what, about: e.about, reason: e.reason }).collect())
}
