//! Protocols: the library, one lab to read, its data sheets and its text.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::protocol::Protocol;
use jurado_core::protocol::differ::{Difference, differences};
use jurado_core::submission::Submission;
use jurado_intake::{write_ods, write_sheet, write_xlsx};
use jurado_store::labs::{Move, Standing};
use jurado_store::{StoreError, labs};

use super::protocol_text::{Source, put_in_force, reason_fault};
use super::returns::{ODS, XLSX};
use super::would::{Change, unseen};
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{FormView, form};
use crate::views::frame::Frame;
use crate::views::protocols::{LibraryView, ProtocolView, StandingView};
use crate::views::would::WouldView;

#[derive(Template)]
#[template(path = "protocols.html")]
struct LibraryPage {
    frame: Frame,
    v: LibraryView,
}

#[derive(Template)]
#[template(path = "protocol.html")]
struct ProtocolPage {
    frame: Frame,
    v: ProtocolView,
    s: StandingView,
    standing: Standing,
    /// Whether anything of it is in.
    used: bool,
    refused: Option<String>,
}

#[derive(Template)]
#[template(path = "datasheet.html")]
struct DataSheetPage {
    frame: Frame,
    title: String,
    version: u32,
    form: FormView,
    cautions: Vec<String>,
}

pub(crate) async fn library(actor: Actor) -> Result<HttpResponse, WebError> {
    let (all, standings, waiting) =
        actor.look(|c, _| Ok((labs::all(c)?, labs::standings(c)?, labs::folder_waiting(c)?))).await?;
    let frame = actor.frame("Protocols", "protocols");
    html(&LibraryPage { frame, v: LibraryView::new(&all, &standings, &waiting) })
}

pub(crate) async fn read(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let page = show(&actor, id, None).await?;
    html(&page)
}

async fn show(actor: &Actor, id: u32, refused: Option<String>) -> Result<ProtocolPage, WebError> {
    let (lab, versions, folder, job, changes, standing, used) = actor
        .look(move |c, _| {
            let lab = labs::get(c, id)?;
            let versions = labs::versions(c, &lab.protocol.id)?;
            let folder = labs::folder_text(c, &lab.protocol.id)?;
            let changes = jurado_store::events::about(c, &format!("lab {id}:"))?;
            let standing = labs::standings(c)?.get(&id).copied().unwrap_or(labs::Standing::Library);
            let used = jurado_store::docket::labs_in_use(c)?.contains(&id);
            Ok((lab, versions, folder, jurado_store::jobs::last_of_lab(c, id)?, changes, standing, used))
        })
        .await?;
    let title = lab.protocol.title.clone();
    Ok(ProtocolPage {
        frame: actor.frame(&title, "protocols"),
        v: ProtocolView::new(&lab, &versions),
        s: StandingView::new(&lab, folder.as_ref(), job.as_ref(), &changes),
        standing,
        used,
        refused,
    })
}

#[derive(Template)]
#[template(path = "version.html")]
struct VersionPage {
    frame: Frame,
    id: u32,
    title: String,
    version: u32,
    since: String,
    /// Which it is compared with: id and number.
    than: Option<(u32, u32)>,
    /// The others: id, number, whether in force.
    others: Vec<(u32, u32, bool)>,
    differences: Vec<Difference>,
    text: String,
}

#[derive(serde::Deserialize)]
pub(crate) struct Than {
    /// Version that it is compared with; without one, the one before, or the one in force.
    #[serde(default)]
    than: Option<u32>,
}

/// One version of a lab, and what differs from another.
pub(crate) async fn version(
    actor: Actor,
    place: web::Path<(u32, u32)>,
    asked: web::Query<Than>,
) -> Result<HttpResponse, WebError> {
    let ((id, which), than) = (*place, asked.than);
    let (lab, versions, text, other) = actor
        .look(move |c, _| {
            let lab = labs::get(c, id)?;
            let versions = labs::versions(c, &lab.protocol.id)?;
            let before = versions.iter().find(|v| v.id < which).or(versions.iter().find(|v| v.id != which));
            let than = than.or(before.map(|v| v.id));
            let other = match than {
                Some(than) => Some((than, labs::source_of(c, id, than)?)),
                None => None,
            };
            let text = labs::source_of(c, id, which)?;
            Ok((lab, versions, text, other))
        })
        .await?;
    let number = |id: u32| versions.iter().find(|v| v.id == id).map_or(0, |v| v.version);
    let since = versions.iter().find(|v| v.id == which).map(|v| crate::views::course::time(v.loaded_at));
    html(&VersionPage {
        frame: actor.frame(&lab.protocol.title, "protocols"),
        id,
        title: lab.protocol.title.clone(),
        version: number(which),
        since: since.unwrap_or_default(),
        than: other.as_ref().map(|(than, _)| (*than, number(*than))),
        others: versions.iter().filter(|v| v.id != which).map(|v| (v.id, v.version, v.id == lab.protocol_id)).collect(),
        differences: other.as_ref().map(|(_, was)| differences(was, &text)).unwrap_or_default(),
        text,
    })
}

#[derive(serde::Deserialize)]
pub(crate) struct Back {
    token: String,
    /// Id of the text that is put in force again.
    protocol: u32,
    #[serde(default)]
    reason: String,
    /// The change that was looked at.
    #[serde(default)]
    looked: String,
}

/// What putting a text in force again would change, looked at before it is done.
#[derive(Template)]
#[template(path = "would.html")]
struct WouldPage {
    frame: Frame,
    id: u32,
    title: String,
    protocol: u32,
    version: u32,
    reason: String,
    would: WouldView,
}

const WHO: &str = "Protocols are changed by the coordinator";

/// Puts a text in force that was in force before: a decision with a name and a reason.
pub(crate) async fn back_in_force(
    actor: Actor,
    lab: web::Path<u32>,
    form: web::Form<Back>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let (id, protocol) = (*lab, form.protocol);
    let lab = actor
        .look(move |c, _| {
            // Of this lab, and there.
            labs::source_of(c, id, protocol)?;
            labs::get(c, id)
        })
        .await?;
    if reason_fault(&form.reason).is_none() {
        let kept = actor.look(move |c, _| labs::protocol(c, protocol)).await?;
        let (version, change) = (kept.version, Change::Protocol(kept));
        if let Some(would) = unseen(&actor, &lab, &change, Some(&form.looked)).await? {
            return html(&WouldPage {
                frame: actor.frame(&lab.protocol.title, "protocols"),
                id,
                title: lab.protocol.title.clone(),
                protocol,
                version,
                reason: form.into_inner().reason,
                would,
            });
        }
    }
    force(&actor, id, Source::Kept(lab, protocol), form.reason.trim()).await
}

async fn force(actor: &Actor, id: u32, source: Source, reason: &str) -> Result<HttpResponse, WebError> {
    if let Some(fault) = reason_fault(reason) {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(actor, id, Some(fault)).await?);
    }
    match put_in_force(actor, source, reason).await {
        Err(WebError::Store(StoreError::Conflict(c))) => {
            let page = show(actor, id, Some(format!("{} was first: {}.", c.by, c.theirs))).await?;
            html_with(StatusCode::CONFLICT, &page)
        }
        done => done.map(|()| on_to(&format!("/protocols/{id}"))),
    }
}

#[derive(serde::Deserialize)]
pub(crate) struct Stand {
    token: String,
    then: String,
}

/// Puts a lab on the term, takes it off, retires it or brings it back.
pub(crate) async fn stand(actor: Actor, lab: web::Path<u32>, form: web::Form<Stand>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *lab;
    let how = match form.then.as_str() {
        "put" => Move::Put,
        "off" => Move::Off,
        "retire" => Move::Retire,
        "back" => Move::Back,
        _ => return Err(WebError::NotFound("change of a lab")),
    };
    match actor.run(move |c, user| labs::stand(c, id, how, user)).await {
        Ok(()) => Ok(on_to(&format!("/protocols/{id}"))),
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let told = format!("{}: {mend}.", crate::views::capital(&what));
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, id, Some(told)).await?)
        }
        Err(e) => Err(e),
    }
}

#[derive(serde::Deserialize)]
pub(crate) struct Folder {
    token: String,
    /// The text that was looked at: another may have come since.
    digest: String,
    then: String,
    #[serde(default)]
    reason: String,
}

/// Takes a text of the protocols' folder, or leaves it.
pub(crate) async fn from_folder(
    actor: Actor,
    lab: web::Path<u32>,
    form: web::Form<Folder>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *lab;
    let text = actor
        .look(move |c, _| {
            let lab = labs::get(c, id)?;
            labs::folder_text(c, &lab.protocol.id)
        })
        .await?
        .filter(|t| t.digest == form.digest)
        .ok_or(WebError::NotFound("text in the folder"))?;
    let reason = form.reason.trim().to_owned();
    if form.then == "take" {
        return force(&actor, id, Source::Text(text.source), &reason).await;
    }
    if let Some(fault) = reason_fault(&reason) {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, id, Some(fault)).await?);
    }
    actor.run(move |c, user| labs::leave_folder_text(c, &text.slug, user.id, &reason)).await?;
    Ok(on_to(&format!("/protocols/{id}")))
}

/// The data sheet of a lab as CSV, XLSX or ODS, or the protocol's own text.
/// The data sheet of a lab, empty or with what is filled in: media type and bytes, by the ending of its file.
///
/// # Errors
/// [`WebError::NotFound`] for another kind of file.
pub(super) fn data_sheet(
    p: &Protocol,
    filled: Option<&Submission>,
    ending: &str,
) -> Result<(&'static str, Vec<u8>), WebError> {
    let broken = |e: &dyn std::fmt::Display| WebError::Broken(e.to_string());
    match ending {
        "csv" => Ok(("text/csv; charset=utf-8", write_sheet(p, filled).into_bytes())),
        "xlsx" => Ok((XLSX, write_xlsx(p, filled).map_err(|e| broken(&e))?)),
        "ods" => Ok((ODS, write_ods(p, filled).map_err(|e| broken(&e))?)),
        _ => Err(WebError::NotFound("kind of file")),
    }
}

pub(crate) async fn download(actor: Actor, place: web::Path<(u32, String)>) -> Result<HttpResponse, WebError> {
    let (id, ending) = place.into_inner();
    let (lab, source) =
        actor.look(move |c, _| Ok((jurado_store::labs::get(c, id)?, jurado_store::labs::source(c, id)?))).await?;
    let p = &lab.protocol;
    let (media, name, body) = match ending.as_str() {
        "toml" => ("application/toml; charset=utf-8", "protocol.toml".to_owned(), source.into_bytes()),
        ending => {
            let (media, body) = data_sheet(p, None, ending)?;
            (media, format!("sheet.{ending}"), body)
        }
    };
    Ok(HttpResponse::Ok()
        .content_type(media)
        .insert_header(("Content-Disposition", format!("attachment; filename=\"{}-{name}\"", p.id)))
        .body(body))
}

/// The data sheet to print and fill in by hand.
pub(crate) async fn paper(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let lab = actor.look(move |c, _| jurado_store::labs::get(c, id)).await?;
    let p = &lab.protocol;
    html(&DataSheetPage {
        frame: actor.frame(&format!("Data sheet: {}", p.title), "protocols"),
        title: p.title.clone(),
        version: p.version,
        form: form(p, &Vec::new(), true),
        cautions: p.cautions.clone(),
    })
}
