//! Labs and the protocols behind them.

use std::collections::HashMap;
use std::sync::{Arc, LazyLock, RwLock};

use diesel::prelude::*;
use jurado_core::protocol::Protocol;

use super::events;
use crate::schema::{labs, protocols};
use crate::{Db, StoreError, inserted, now};

/// A lab with its current protocol.
#[derive(Clone, Debug)]
pub struct Lab {
    /// Id.
    pub id: u32,
    /// Protocol in force.
    pub protocol: Arc<Protocol>,
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

/// Makes a protocol's text the one in force for its lab; the same text again changes nothing.
///
/// # Errors
/// [`StoreError::Protocol`] with every fault of the text; faults of the database.
pub fn install(c: &mut Db, source: &str) -> Result<Lab, StoreError> {
    let digest = crate::digest(source.as_bytes());
    let protocol = compiled(&digest, || Ok(source.to_owned()))?;
    c.transaction(|c| {
        let existing: Option<u32> =
            protocols::table.filter(protocols::digest.eq(&digest)).select(protocols::id).first(c).optional()?;
        let protocol_id = match existing {
            Some(id) => id,
            None => {
                diesel::insert_into(protocols::table)
                    .values((
                        protocols::slug.eq(&protocol.id),
                        protocols::version.eq(protocol.version),
                        protocols::digest.eq(&digest),
                        protocols::title.eq(&protocol.title),
                        protocols::source.eq(source),
                        protocols::loaded_at.eq(now()),
                    ))
                    .execute(c)?;
                let id = inserted(c)?;
                events::note(c, None, "protocol installed", &format!("{} {}", protocol.id, protocol.version))?;
                id
            }
        };
        let lab: Option<(u32, u32)> = labs::table
            .filter(labs::slug.eq(&protocol.id))
            .select((labs::id, labs::protocol_id))
            .first(c)
            .optional()?;
        let id = match lab {
            Some((id, current)) => {
                if current != protocol_id {
                    diesel::update(labs::table.find(id)).set(labs::protocol_id.eq(protocol_id)).execute(c)?;
                }
                id
            }
            None => {
                diesel::insert_into(labs::table)
                    .values((labs::slug.eq(&protocol.id), labs::protocol_id.eq(protocol_id)))
                    .execute(c)?;
                inserted(c)?
            }
        };
        Ok(Lab { id, protocol: protocol.clone() })
    })
}

/// All labs, by title.
///
/// # Errors
/// Faults of the database; a stored protocol that cannot be read.
pub fn all(c: &mut Db) -> Result<Vec<Lab>, StoreError> {
    let rows: Vec<(u32, String)> = labs::table
        .inner_join(protocols::table)
        .order(protocols::title)
        .select((labs::id, protocols::digest))
        .load(c)?;
    rows.into_iter().map(|(id, digest)| Ok(Lab { id, protocol: by_digest(c, &digest)? })).collect()
}

/// A lab by id.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32) -> Result<Lab, StoreError> {
    let digest: String = labs::table
        .inner_join(protocols::table)
        .filter(labs::id.eq(id))
        .select(protocols::digest)
        .first(c)
        .optional()?
        .ok_or(StoreError::NotFound("lab"))?;
    Ok(Lab { id, protocol: by_digest(c, &digest)? })
}

fn by_digest(c: &mut Db, digest: &str) -> Result<Arc<Protocol>, StoreError> {
    compiled(digest, || Ok(protocols::table.filter(protocols::digest.eq(digest)).select(protocols::source).first(c)?))
}

/// The text of the protocol in force for a lab.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn source(c: &mut Db, id: u32) -> Result<String, StoreError> {
    labs::table
        .inner_join(protocols::table)
        .filter(labs::id.eq(id))
        .select(protocols::source)
        .first(c)
        .optional()?
        .ok_or(StoreError::NotFound("lab"))
}

/// A version of a lab's protocol.
#[derive(Clone, Debug, Queryable)]
pub struct Version {
    /// Its digest.
    pub digest: String,
    /// Its number.
    pub version: u32,
    /// When it was installed.
    pub loaded_at: chrono::NaiveDateTime,
}

/// All versions of a lab's protocol, newest first.
///
/// # Errors
/// Faults of the database.
pub fn versions(c: &mut Db, slug: &str) -> Result<Vec<Version>, StoreError> {
    Ok(protocols::table
        .filter(protocols::slug.eq(slug))
        .order(protocols::id.desc())
        .select((protocols::digest, protocols::version, protocols::loaded_at))
        .load(c)?)
}
