//! Labs and the protocols behind them.

use std::collections::HashMap;
use std::sync::{Arc, LazyLock, RwLock};

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::protocol::Protocol;

use super::events;
use super::users::User;
use crate::records::protocol::NewProtocol;
pub use crate::records::protocol::{FolderText, Version};
use crate::records::words::FolderState;
use crate::schema::{folder_texts, labs, protocols};
use crate::{Db, StoreError, inserted};

/// A lab with its current protocol.
#[derive(Clone, Debug)]
pub struct Lab {
    /// Id.
    pub id: u32,
    /// Id of the protocol in force.
    pub protocol_id: u32,
    /// Protocol in force.
    pub protocol: Arc<Protocol>,
}

/// How a row is held until the transaction ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Hold {
    /// Others may hold it so too, and nobody may change it.
    Shared,
    /// Nobody else holds it.
    Alone,
}

impl Hold {
    /// The end of a query that holds so. MariaDB has no `FOR SHARE`.
    pub(crate) fn sql(self) -> &'static str {
        match self {
            Hold::Shared => "LOCK IN SHARE MODE",
            Hold::Alone => "FOR UPDATE",
        }
    }
}

/// Holds the row of a lab.
pub(crate) fn hold(c: &mut Db, id: u32, how: Hold) -> Result<(), StoreError> {
    let text = format!("SELECT id FROM labs WHERE id = {id} {}", how.sql());
    let found = diesel::sql_query(text).execute(c.sql())?;
    if found == 0 { Err(StoreError::NotFound("lab")) } else { Ok(()) }
}

/// Compiled protocols by digest. A text never changes under its digest, so what is cached can only be right.
static COMPILED: LazyLock<RwLock<HashMap<String, Arc<Protocol>>>> = LazyLock::new(Default::default);

fn compiled(digest: &str, source: impl FnOnce() -> Result<String, StoreError>) -> Result<Arc<Protocol>, StoreError> {
    if let Some(p) = COMPILED.read().ok().and_then(|m| m.get(digest).cloned()) {
        return Ok(p);
    }
    let protocol = Protocol::parse(&source()?).map_err(|faults| {
        let told: Vec<String> = faults.iter().map(ToString::to_string).collect();
        StoreError::Protocol(told.join("\n"))
    })?;
    let protocol = Arc::new(protocol);
    if let Ok(mut map) = COMPILED.write() {
        map.insert(digest.to_owned(), protocol.clone());
    }
    Ok(protocol)
}

/// Keeps a protocol's text; the same text again is there already. Puts nothing in force. Gives its id and the protocol.
///
/// # Errors
/// [`StoreError::Protocol`] with every fault of the text; faults of the database.
pub(crate) fn keep(c: &mut Db, source: &str) -> Result<(u32, Arc<Protocol>), StoreError> {
    let digest = crate::digest(source.as_bytes());
    let protocol = compiled(&digest, || Ok(source.to_owned()))?;
    let find = |c: &mut Db| -> Result<Option<u32>, StoreError> {
        Ok(protocols::table.filter(protocols::digest.eq(&digest)).select(protocols::id).first(c.sql()).optional()?)
    };
    if let Some(id) = find(c)? {
        return Ok((id, protocol));
    }
    let loaded_at = c.now()?;
    diesel::insert_or_ignore_into(protocols::table)
        .values(NewProtocol {
            slug: &protocol.id,
            version: protocol.version,
            digest: &digest,
            title: &protocol.title,
            source,
            loaded_at,
        })
        .execute(c.sql())?;
    Ok((find(c)?.ok_or(StoreError::NotFound("protocol"))?, protocol))
}

/// Adds a lab with a protocol's text where there is none of its id; a lab that is there keeps what is in force for it.
///
/// # Errors
/// [`StoreError::Protocol`] with every fault of the text; faults of the database.
pub fn install(c: &mut Db, source: &str) -> Result<Lab, StoreError> {
    let (protocol_id, protocol) = keep(c, source)?;
    if let Some(lab) = by_slug(c, &protocol.id)? {
        return Ok(lab);
    }
    match insert(c, protocol_id, &protocol, None)? {
        Some(lab) => Ok(lab),
        None => by_slug(c, &protocol.id)?.ok_or(StoreError::NotFound("lab")),
    }
}

/// A new row for a lab; none where there is one of its id.
fn insert(c: &mut Db, protocol_id: u32, protocol: &Arc<Protocol>, by: Option<u32>) -> Result<Option<Lab>, StoreError> {
    let since = c.now()?;
    let made = diesel::insert_or_ignore_into(labs::table)
        .values((labs::slug.eq(&protocol.id), labs::protocol_id.eq(protocol_id), labs::in_force_since.eq(Some(since))))
        .execute(c.sql())?;
    if made == 0 {
        return Ok(None);
    }
    let id = inserted(c.sql())?;
    events::note(c, by, "lab added", &format!("lab {id}: {} version {}", protocol.id, protocol.version))?;
    Ok(Some(Lab { id, protocol_id, protocol: protocol.clone() }))
}

/// Adds a lab that a person made.
///
/// # Errors
/// [`StoreError::Bad`] where there is a lab of its id; [`StoreError::Protocol`] with every fault of the text; faults of
/// the database.
pub fn add(c: &mut Db, source: &str, user: &User) -> Result<Lab, StoreError> {
    let (protocol_id, protocol) = keep(c, source)?;
    insert(c, protocol_id, &protocol, Some(user.id))?.ok_or_else(|| {
        StoreError::Bad(
            format!("there is a lab with the id `{}` already", protocol.id),
            "give this one an id of its own, or change the text of that lab".into(),
        )
    })
}

/// Where a lab stands in the course.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Standing {
    /// In the library: nothing is in, and nobody has put it on the term.
    Library,
    /// On the term: something is in, or it was put there.
    Term,
    /// Retired: nothing more is taken in; its tables stay.
    Retired,
}

/// What a coordinator does with a lab's standing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Move {
    /// Puts it on the term.
    Put,
    /// Takes it off the term again, while nothing is in.
    Off,
    /// Retires it.
    Retire,
    /// Brings it back.
    Back,
}

/// Where each lab stands.
///
/// # Errors
/// Faults of the database.
pub fn standings(c: &mut Db) -> Result<HashMap<u32, Standing>, StoreError> {
    let used = super::docket::labs_in_use(c)?;
    let rows: Vec<(u32, bool, bool)> = labs::table
        .select((labs::id, labs::on_term_since.is_not_null(), labs::retired_at.is_not_null()))
        .load(c.sql())?;
    let standing = |(id, put, retired): (u32, bool, bool)| {
        let standing = match (retired, put || used.contains(&id)) {
            (true, _) => Standing::Retired,
            (false, true) => Standing::Term,
            (false, false) => Standing::Library,
        };
        (id, standing)
    };
    Ok(rows.into_iter().map(standing).collect())
}

/// Labs that take tables in: those of the term first, then the rest of the library, each by title.
///
/// # Errors
/// Faults of the database; a stored protocol that cannot be read.
pub fn open(c: &mut Db) -> Result<Vec<(Lab, Standing)>, StoreError> {
    let standings = standings(c)?;
    let of = |lab: Lab| {
        let standing = standings.get(&lab.id).copied().unwrap_or(Standing::Library);
        (lab, standing)
    };
    let mut out: Vec<(Lab, Standing)> = all(c)?.into_iter().map(of).filter(|(_, s)| *s != Standing::Retired).collect();
    out.sort_by_key(|(_, s)| *s != Standing::Term);
    Ok(out)
}

/// Refuses what would come into a lab that is retired. The lab is held, so that it is not retired before what comes in is
/// kept.
pub(crate) fn takes_in(c: &mut Db, id: u32) -> Result<(), StoreError> {
    hold(c, id, Hold::Shared)?;
    let retired: bool = labs::table
        .find(id)
        .select(labs::retired_at.is_not_null())
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("lab"))?;
    if retired {
        return Err(StoreError::Bad(
            "this lab is retired, so that nothing more of it is taken in".into(),
            "the coordinator can bring it back under Protocols".into(),
        ));
    }
    Ok(())
}

/// Moves a lab: onto the term, off it, away, back.
///
/// # Errors
/// [`StoreError::NotFound`]; [`StoreError::Bad`] where something of it is in and it cannot be taken off; faults of the
/// database.
pub fn stand(c: &mut Db, id: u32, how: Move, user: &User) -> Result<(), StoreError> {
    hold(c, id, Hold::Alone)?;
    let now = Some(c.now()?);
    let row = labs::table.find(id);
    let what = match how {
        Move::Put => {
            diesel::update(row)
                .set((labs::on_term_since.eq(now), labs::retired_at.eq(None::<NaiveDateTime>)))
                .execute(c.sql())?;
            "lab put on the term"
        }
        Move::Off => {
            if super::docket::labs_in_use(c)?.contains(&id) {
                return Err(StoreError::Bad(
                    "tables of this lab are in, so that it belongs to the term".into(),
                    "retire it, if nothing more is to come in; its tables stay".into(),
                ));
            }
            diesel::update(row).set(labs::on_term_since.eq(None::<NaiveDateTime>)).execute(c.sql())?;
            "lab taken off the term"
        }
        Move::Retire => {
            diesel::update(row).set(labs::retired_at.eq(now)).execute(c.sql())?;
            "lab retired"
        }
        Move::Back => {
            diesel::update(row).set(labs::retired_at.eq(None::<NaiveDateTime>)).execute(c.sql())?;
            "lab brought back"
        }
    };
    events::note(c, Some(user.id), what, &format!("lab {id}:"))
}

/// A lab by the id that its protocol gives it.
///
/// # Errors
/// Faults of the database.
pub fn by_slug(c: &mut Db, slug: &str) -> Result<Option<Lab>, StoreError> {
    let id: Option<u32> = labs::table.filter(labs::slug.eq(slug)).select(labs::id).first(c.sql()).optional()?;
    id.map(|id| get(c, id)).transpose()
}

/// Makes a protocol the one in force. The lab's row is held by the caller.
pub(crate) fn set_in_force(c: &mut Db, lab: u32, protocol: u32) -> Result<(), StoreError> {
    let since = c.now()?;
    diesel::update(labs::table.find(lab))
        .set((labs::protocol_id.eq(protocol), labs::in_force_since.eq(Some(since))))
        .execute(c.sql())?;
    Ok(())
}

/// All labs, by title.
///
/// # Errors
/// Faults of the database; a stored protocol that cannot be read.
pub fn all(c: &mut Db) -> Result<Vec<Lab>, StoreError> {
    let rows: Vec<(u32, u32, String)> = labs::table
        .inner_join(protocols::table)
        .order(protocols::title)
        .select((labs::id, protocols::id, protocols::digest))
        .load(c.sql())?;
    rows.into_iter()
        .map(|(id, protocol_id, digest)| Ok(Lab { id, protocol_id, protocol: by_digest(c, &digest)? }))
        .collect()
}

/// A lab by id.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32) -> Result<Lab, StoreError> {
    let (protocol_id, digest): (u32, String) = labs::table
        .inner_join(protocols::table)
        .filter(labs::id.eq(id))
        .select((protocols::id, protocols::digest))
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("lab"))?;
    Ok(Lab { id, protocol_id, protocol: by_digest(c, &digest)? })
}

/// A lab as tables of a section are judged: by what is in force, or by what was when the section's term ended.
///
/// # Errors
/// As [`get`].
pub fn get_in(c: &mut Db, id: u32, section: u32) -> Result<Lab, StoreError> {
    use crate::schema::{sections, term_labs};
    let then: Option<(u32, String)> = term_labs::table
        .inner_join(sections::table.on(sections::term_id.eq(term_labs::term_id)))
        .inner_join(protocols::table.on(protocols::id.eq(term_labs::protocol_id)))
        .filter(term_labs::lab_id.eq(id))
        .filter(sections::id.eq(section))
        .select((protocols::id, protocols::digest))
        .first(c.sql())
        .optional()?;
    match then {
        None => get(c, id),
        Some((protocol_id, digest)) => Ok(Lab { id, protocol_id, protocol: by_digest(c, &digest)? }),
    }
}

fn by_digest(c: &mut Db, digest: &str) -> Result<Arc<Protocol>, StoreError> {
    compiled(digest, || {
        Ok(protocols::table.filter(protocols::digest.eq(digest)).select(protocols::source).first(c.sql())?)
    })
}

/// A protocol that is or was in force.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn protocol(c: &mut Db, id: u32) -> Result<Arc<Protocol>, StoreError> {
    let digest: String = protocols::table
        .find(id)
        .select(protocols::digest)
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("protocol"))?;
    by_digest(c, &digest)
}

/// The text of the protocol in force for a lab.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn source(c: &mut Db, id: u32) -> Result<String, StoreError> {
    let lab = get(c, id)?;
    source_of(c, id, lab.protocol_id)
}

/// The text of one of a lab's protocols, in force or not.
///
/// # Errors
/// [`StoreError::NotFound`] also for another lab's; faults of the database.
pub fn source_of(c: &mut Db, lab: u32, protocol: u32) -> Result<String, StoreError> {
    let slug: String =
        labs::table.find(lab).select(labs::slug).first(c.sql()).optional()?.ok_or(StoreError::NotFound("lab"))?;
    protocols::table
        .filter(protocols::id.eq(protocol))
        .filter(protocols::slug.eq(slug))
        .select(protocols::source)
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("protocol"))
}

/// All versions of a lab's protocol, newest first.
///
/// # Errors
/// Faults of the database.
pub fn versions(c: &mut Db, slug: &str) -> Result<Vec<Version>, StoreError> {
    Ok(protocols::table
        .filter(protocols::slug.eq(slug))
        .order(protocols::id.desc())
        .select(Version::as_select())
        .load(c.sql())?)
}

/// What a text of the protocols' folder is to what is in force.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FromFolder {
    /// Its lab was not there and was added.
    Added,
    /// It is what is in force.
    Same,
    /// It is a higher version than what is in force.
    Newer,
    /// It differs and is no higher version: it was set aside for somebody to look at.
    Aside {
        /// The version in force.
        in_force: u32,
        /// The file's version.
        file: u32,
    },
    /// As [`FromFolder::Aside`], and somebody has looked and left it.
    Left,
}

/// Looks at a text of the protocols' folder: a new lab is added; a text that differs from what is in force without being a
/// higher version is set aside. Nothing that is in force changes.
///
/// # Errors
/// [`StoreError::Protocol`] with every fault of the text; faults of the database.
pub fn from_folder(c: &mut Db, source: &str) -> Result<FromFolder, StoreError> {
    let digest = crate::digest(source.as_bytes());
    let protocol = compiled(&digest, || Ok(source.to_owned()))?;
    let Some(lab) = by_slug(c, &protocol.id)? else {
        install(c, source)?;
        return Ok(FromFolder::Added);
    };
    if lab.protocol.digest == protocol.digest {
        diesel::delete(folder_texts::table.find(&protocol.id)).execute(c.sql())?;
        return Ok(FromFolder::Same);
    }
    if protocol.version > lab.protocol.version {
        return Ok(FromFolder::Newer);
    }
    let there = folder_text(c, &protocol.id)?;
    if there.as_ref().is_some_and(|t| t.digest == digest && t.state == FolderState::Left) {
        return Ok(FromFolder::Left);
    }
    let seen_at = c.now()?;
    diesel::replace_into(folder_texts::table)
        .values(FolderText {
            slug: protocol.id.clone(),
            digest,
            version: protocol.version,
            source: source.to_owned(),
            state: FolderState::Waiting,
            seen_at,
        })
        .execute(c.sql())?;
    Ok(FromFolder::Aside { in_force: lab.protocol.version, file: protocol.version })
}

/// The text that the folder holds beside what is in force, if it was set aside.
///
/// # Errors
/// Faults of the database.
pub fn folder_text(c: &mut Db, slug: &str) -> Result<Option<FolderText>, StoreError> {
    Ok(folder_texts::table.find(slug).select(FolderText::as_select()).first(c.sql()).optional()?)
}

/// All texts of the folder that wait for somebody to look: lab and the file's version.
///
/// # Errors
/// Faults of the database.
pub fn folder_waiting(c: &mut Db) -> Result<Vec<(String, u32)>, StoreError> {
    Ok(folder_texts::table
        .filter(folder_texts::state.eq(FolderState::Waiting))
        .order(folder_texts::slug)
        .select((folder_texts::slug, folder_texts::version))
        .load(c.sql())?)
}

/// Leaves a text of the folder where it is: it is not told again.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn leave_folder_text(c: &mut Db, slug: &str, user: u32, reason: &str) -> Result<(), StoreError> {
    let left = diesel::update(folder_texts::table.find(slug))
        .set(folder_texts::state.eq(FolderState::Left))
        .execute(c.sql())?;
    if left == 0 && folder_text(c, slug)?.is_none() {
        return Err(StoreError::NotFound("text in the folder"));
    }
    events::note_why(c, Some(user), "folder's text left", slug, reason)
}
