//! Pictures and PDFs that belong to a table.

use chrono::NaiveDateTime;
use diesel::prelude::*;

use super::door::Team;
use super::users::User;
use super::{events, sheets as sheet};
use crate::schema::{attachments, sections, teams};
use crate::{Db, StoreError, inserted};

/// Largest attachment, in bytes.
pub const MOST_BYTES: usize = 12 * 1024 * 1024;
/// Most attachments of one table.
pub const MOST_FILES: i64 = 12;

/// What is known of an attachment without its bytes.
#[derive(Clone, Debug, Queryable)]
pub struct Attachment {
    /// Id.
    pub id: u32,
    /// Its name.
    pub file_name: String,
    /// Its media type, as its first bytes say.
    pub media: String,
    /// When it was brought.
    pub at: NaiveDateTime,
    /// What it shows, as the team says it; empty where nobody said.
    pub about: String,
    /// Who brought it; nobody where the team itself did.
    pub by: Option<u32>,
}

/// Keeps a file beside a table; the same bytes again change nothing.
///
/// # Errors
/// [`StoreError::NotFound`] also for a table that is not the person's to see; [`StoreError::File`] for what is no picture
/// and no PDF, is too large, or is one too many.
pub fn add(c: &mut Db, sheet_id: u32, user: &User, file_name: &str, body: &[u8]) -> Result<u32, StoreError> {
    let place = sheet::get(c, sheet_id, user)?;
    put(c, place.lab_id, place.team_id, Some(user), file_name, body)
}

/// A team as a file's name says it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamedTeam {
    /// Id.
    pub id: u32,
    /// Section.
    pub section_id: u32,
    /// Section's name.
    pub section: String,
    /// Name.
    pub name: String,
}

/// The team whose name stands in a file's name: of those the person may hand in for, the one with the longest name, its
/// section's name deciding between teams that are called alike.
///
/// # Errors
/// Faults of the database.
pub fn team_named(c: &mut Db, user: &User, file_name: &str) -> Result<Option<NamedTeam>, StoreError> {
    let words = |text: &str| -> String {
        let plain: String = text.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { ' ' }).collect();
        format!(" {} ", plain.split_whitespace().collect::<Vec<_>>().join(" "))
    };
    let name = words(file_name.rsplit_once('.').map_or(file_name, |(stem, _)| stem));
    let rows: Vec<(u32, u32, String, String)> = teams::table
        .inner_join(sections::table)
        .filter(sections::term_id.eq(0))
        .select((teams::id, sections::id, sections::name, teams::name))
        .load(c.sql())?;
    let mut fits: Vec<(usize, bool, NamedTeam)> = rows
        .into_iter()
        .filter(|(_, section, _, team)| user.sees(*section) && name.contains(&words(team)))
        .map(|(id, section_id, section, team)| {
            let says_section = name.contains(&words(&section));
            (team.len(), says_section, NamedTeam { id, section_id, section, name: team })
        })
        .collect();
    fits.sort_by_key(|f| std::cmp::Reverse((f.0, f.1)));
    let best = fits.first().map(|f| (f.0, f.1));
    // Two that fit alike settle nothing.
    let alone = fits.iter().filter(|f| Some((f.0, f.1)) == best).count() == 1;
    Ok(fits.into_iter().next().filter(|_| alone).map(|(_, _, team)| team))
}

/// Keeps a file for a team's table of a lab, whether that is in yet or not: a person's, or where there is none the team's own.
///
/// # Errors
/// As [`add`].
pub fn put(
    c: &mut Db,
    lab: u32,
    team: u32,
    user: Option<&User>,
    file_name: &str,
    body: &[u8],
) -> Result<u32, StoreError> {
    let refuse = |what: String, mend: &str| {
        Err(StoreError::File(jurado_core::error::Fault { line: 1, column: 1, what, mend: mend.to_owned() }))
    };
    if body.len() > MOST_BYTES {
        let what = format!("“{file_name}” has {} megabytes", body.len() / 1_048_576);
        return refuse(what, "bring at most 12, for instance a smaller photo");
    }
    let (media, body) = jurado_intake::as_kept(file_name, body).map_err(StoreError::File)?;
    let section: u32 = teams::table
        .find(team)
        .select(teams::section_id)
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("team"))?;
    super::sections::hold(c, section, super::labs::Hold::Shared)?;
    let digest = crate::digest(&body);
    let file_name: String = jurado_intake::without_unseen_signs(file_name).chars().take(200).collect();
    let here = attachments::table.filter(attachments::lab_id.eq(lab)).filter(attachments::team_id.eq(team));
    let same: Option<u32> =
        here.filter(attachments::digest.eq(&digest)).select(attachments::id).first(c.sql()).optional()?;
    if let Some(id) = same {
        return Ok(id);
    }
    if here.count().get_result::<i64>(c.sql())? >= MOST_FILES {
        return refuse(format!("this table has {MOST_FILES} attachments already"), "take one away first");
    }
    let at = c.now()?;
    diesel::insert_into(attachments::table)
        .values((
            attachments::lab_id.eq(lab),
            attachments::team_id.eq(team),
            attachments::file_name.eq(&file_name),
            attachments::media.eq(media),
            attachments::digest.eq(&digest),
            attachments::body.eq(&body),
            attachments::user_id.eq(user.map(|u| u.id)),
            attachments::at.eq(at),
        ))
        .execute(c.sql())?;
    let id = inserted(c.sql())?;
    events::note(
        c,
        user.map(|u| u.id),
        "attached",
        &format!("lab {lab} team {team}: attachment {id}, SHA-256 {digest}"),
    )?;
    Ok(id)
}

/// What is attached to a team's table of a lab.
///
/// # Errors
/// Faults of the database.
pub fn of(c: &mut Db, lab: u32, team: u32) -> Result<Vec<Attachment>, StoreError> {
    Ok(attachments::table
        .filter(attachments::lab_id.eq(lab))
        .filter(attachments::team_id.eq(team))
        .order(attachments::id)
        .select((
            attachments::id,
            attachments::file_name,
            attachments::media,
            attachments::at,
            attachments::about,
            attachments::user_id,
        ))
        .load(c.sql())?)
}

/// What a team brought itself, of a lab.
///
/// # Errors
/// Faults of the database.
pub fn of_team(c: &mut Db, lab: u32, team: &Team) -> Result<Vec<Attachment>, StoreError> {
    Ok(of(c, lab, team.id)?.into_iter().filter(|a| a.by.is_none()).collect())
}

/// Keeps a file that a team brings, with what it shows.
///
/// # Errors
/// As [`add`].
pub fn bring(c: &mut Db, lab: u32, team: &Team, about: &str, file: (&str, &[u8])) -> Result<u32, StoreError> {
    let id = put(c, lab, team.id, None, file.0, file.1)?;
    // The same file may be there from a reviewer: that one stays as it is.
    let own = attachments::table.find(id).filter(attachments::user_id.is_null());
    diesel::update(own).set(attachments::about.eq(about)).execute(c.sql())?;
    Ok(id)
}

/// A file that a team brought itself: media type and bytes.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is another's; faults of the database.
pub fn of_team_get(c: &mut Db, id: u32, team: &Team) -> Result<(String, Vec<u8>), StoreError> {
    attachments::table
        .filter(attachments::id.eq(id))
        .filter(attachments::team_id.eq(team.id))
        .filter(attachments::user_id.is_null())
        .select((attachments::media, attachments::body))
        .first(c.sql())
        .optional()?
        .ok_or(StoreError::NotFound("picture"))
}

/// Takes a file away that a team brought itself.
///
/// # Errors
/// [`StoreError::NotFound`] also where it is another's; faults of the database.
pub fn take_away(c: &mut Db, id: u32, lab: u32, team: &Team) -> Result<(), StoreError> {
    super::sections::hold(c, team.section_id, super::labs::Hold::Shared)?;
    let own = attachments::table
        .filter(attachments::id.eq(id))
        .filter(attachments::lab_id.eq(lab))
        .filter(attachments::team_id.eq(team.id))
        .filter(attachments::user_id.is_null());
    if diesel::delete(own).execute(c.sql())? == 0 {
        return Err(StoreError::NotFound("picture"));
    }
    events::note(c, None, "attachment taken away", &format!("lab {lab} team {}: attachment {id}", team.id))
}

/// An attachment with whose table it went.
#[derive(Clone, Debug, Queryable)]
pub struct Placed {
    /// Its name.
    pub file_name: String,
    /// Lab.
    pub lab_id: u32,
    /// Section's id.
    pub section_id: u32,
    /// Section's name.
    pub section: String,
    /// Team's name.
    pub team: String,
}

/// Attachments by id, of those a person sees.
///
/// # Errors
/// Faults of the database.
pub fn placed(c: &mut Db, ids: &[u32], user: &User) -> Result<Vec<Placed>, StoreError> {
    let rows: Vec<Placed> = attachments::table
        .inner_join(teams::table.on(teams::id.eq(attachments::team_id)))
        .inner_join(sections::table.on(sections::id.eq(teams::section_id)))
        .filter(attachments::id.eq_any(ids))
        .order(attachments::id)
        .select((attachments::file_name, attachments::lab_id, sections::id, sections::name, teams::name))
        .load(c.sql())?;
    Ok(rows.into_iter().filter(|a| user.sees(a.section_id)).collect())
}

/// An attachment's media type and bytes, if its table is this person's to see.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn get(c: &mut Db, id: u32, user: &User) -> Result<(String, Vec<u8>), StoreError> {
    let row: Option<(u32, String, Vec<u8>)> = attachments::table
        .find(id)
        .select((attachments::team_id, attachments::media, attachments::body))
        .first(c.sql())
        .optional()?;
    let (team, media, body) = row.ok_or(StoreError::NotFound("attachment"))?;
    let section: u32 =
        crate::schema::teams::table.find(team).select(crate::schema::teams::section_id).first(c.sql())?;
    if user.sees(section) { Ok((media, body)) } else { Err(StoreError::NotFound("attachment")) }
}

/// Takes an attachment away from a table.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn remove(c: &mut Db, sheet_id: u32, id: u32, user: &User) -> Result<(), StoreError> {
    let place = sheet::get(c, sheet_id, user)?;
    super::sections::hold(c, place.section_id, super::labs::Hold::Shared)?;
    let gone = diesel::delete(
        attachments::table
            .filter(attachments::id.eq(id))
            .filter(attachments::lab_id.eq(place.lab_id))
            .filter(attachments::team_id.eq(place.team_id)),
    )
    .execute(c.sql())?;
    if gone == 0 {
        return Err(StoreError::NotFound("attachment"));
    }
    events::note(c, Some(user.id), "attachment taken away", &format!("sheet {sheet_id}: attachment {id}"))
}
