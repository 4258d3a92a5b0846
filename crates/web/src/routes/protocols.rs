//! Protocols: the library, one lab to read, its data sheets and its text.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::protocol::Protocol;
use jurado_intake::{write_ods, write_sheet, write_xlsx};
use jurado_store::Lab;

use super::returns::{ODS, XLSX};
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{FormView, form};
use crate::views::frame::Frame;
use crate::views::protocols::{LibraryView, ProtocolView};

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
    let (labs, used) =
        actor.run(|c, _| Ok((jurado_store::labs::all(c)?, jurado_store::docket::labs_in_use(c)?))).await?;
    html(&LibraryPage { frame: actor.frame("Protocols", "protocols"), v: LibraryView::new(&labs, &used) })
}

pub(crate) async fn read(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let (lab, versions) = actor
        .run(move |c, _| {
            let lab = jurado_store::labs::get(c, id)?;
            let versions = jurado_store::labs::versions(c, &lab.protocol.id)?;
            Ok((lab, versions))
        })
        .await?;
    let title = lab.protocol.title.clone();
    html(&ProtocolPage { frame: actor.frame(&title, "protocols"), v: ProtocolView::new(&lab, &versions) })
}

/// The data sheet of a lab as CSV, XLSX or ODS, or the protocol's own text.
pub(crate) async fn download(actor: Actor, place: web::Path<(u32, String)>) -> Result<HttpResponse, WebError> {
    let (id, ending) = place.into_inner();
    let (lab, source) =
        actor.run(move |c, _| Ok((jurado_store::labs::get(c, id)?, jurado_store::labs::source(c, id)?))).await?;
    let p = &lab.protocol;
    let broken = |e: &dyn std::fmt::Display| WebError::Broken(e.to_string());
    let (media, name, body) = match ending.as_str() {
        "csv" => ("text/csv; charset=utf-8", "sheet.csv", write_sheet(p, None).into_bytes()),
        "xlsx" => (XLSX, "sheet.xlsx", write_xlsx(p, None).map_err(|e| broken(&e))?),
        "ods" => (ODS, "sheet.ods", write_ods(p, None).map_err(|e| broken(&e))?),
        "toml" => ("application/toml; charset=utf-8", "protocol.toml", source.into_bytes()),
        _ => return Err(WebError::NotFound("kind of file")),
    };
    Ok(HttpResponse::Ok()
        .content_type(media)
        .insert_header(("Content-Disposition", format!("attachment; filename=\"{}-{name}\"", p.id)))
        .body(body))
}

/// The data sheet to print and fill in by hand.
pub(crate) async fn paper(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let lab = actor.run(move |c, _| jurado_store::labs::get(c, id)).await?;
    let p = &lab.protocol;
    html(&DataSheetPage {
        frame: actor.frame(&format!("Data sheet: {}", p.title), "protocols"),
        title: p.title.clone(),
        version: p.version,
        form: form(p, &Vec::new(), true),
        cautions: p.cautions.clone(),
    })
}

#[derive(Template)]
#[template(path = "protocol_edit.html")]
struct EditPage {
    frame: Frame,
    id: u32,
    title: String,
    version: u32,
    text: String,
    /// Line, column, what, how to mend it.
    faults: Vec<(usize, usize, String, String)>,
    refused: Option<String>,
    /// Section and team, points, lines; nothing where it was not asked.
    would: Option<Vec<(String, String, String)>>,
}

#[derive(serde::Deserialize)]
pub(crate) struct Edit {
    token: String,
    text: String,
    #[serde(default)]
    then: String,
    /// Version that was in force when the page was made.
    version: u32,
}

/// The protocol's text – station sheet, references, rubric and all – to be changed by the coordinator.
pub(crate) async fn edit(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    actor.coordinator("Protocols are changed by the coordinator")?;
    let id = *lab;
    let (lab, text) =
        actor.run(move |c, _| Ok((jurado_store::labs::get(c, id)?, jurado_store::labs::source(c, id)?))).await?;
    html(&EditPage {
        frame: actor.frame(&lab.protocol.title, "protocols"),
        id,
        title: lab.protocol.title.clone(),
        version: lab.protocol.version,
        text,
        faults: Vec::new(),
        refused: None,
        would: None,
    })
}

/// Checks a changed text, shows what it would change over all tables, or puts it in force as a new version and judges
/// anew, in that order of care.
pub(crate) async fn change(actor: Actor, lab: web::Path<u32>, form: web::Form<Edit>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("Protocols are changed by the coordinator")?;
    let id = *lab;
    let now = actor.run(move |c, _| jurado_store::labs::get(c, id)).await?;
    let text = form.text.replace("\r\n", "\n");
    let mut page = EditPage {
        frame: actor.frame(&now.protocol.title, "protocols"),
        id,
        title: now.protocol.title.clone(),
        version: form.version,
        text: text.clone(),
        faults: Vec::new(),
        refused: None,
        would: None,
    };
    let new = match Protocol::parse(&text) {
        Ok(new) => new,
        Err(faults) => {
            page.faults = faults
                .into_iter()
                .take(30)
                .map(|f| (f.line, f.column, f.what, crate::views::capital(&f.mend)))
                .collect();
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    page.refused = if new.id != now.protocol.id {
        Some(format!("Its id is `{}`: a lab keeps its id, {}.", new.id, now.protocol.id))
    } else if now.protocol.version != form.version {
        Some(format!(
            "Somebody has put version {} in force meanwhile: copy your changes into that one.",
            now.protocol.version
        ))
    } else if form.then == "set" && new.version <= now.protocol.version && new.digest != now.protocol.digest {
        Some(format!("Count the version up: {} is in force.", now.protocol.version))
    } else {
        None
    };
    if page.refused.is_some() {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    }
    if form.then == "set" {
        actor.run(move |c, _| jurado_store::sheets::put_in_force(c, &text)).await?;
        return Ok(on_to(&format!("/protocols/{id}")));
    }
    page.would = Some(would(&actor, now, new).await?);
    html(&page)
}

/// What a protocol in place of the one in force would change, over all tables: whose, their points, and in which lines and
/// verdicts.
pub(super) async fn would(actor: &Actor, now: Lab, new: Protocol) -> Result<Vec<(String, String, String)>, WebError> {
    actor
        .run(move |c, user| {
            let details = jurado_store::sheets::details_of(c, now.id, None, user)?;
            let before: Vec<_> = details.iter().map(|d| d.judge(&now.protocol)).collect();
            let after: Vec<_> = details.iter().map(|d| d.judge(&new)).collect();
            let changes = jurado_core::preview::difference((&now.protocol, &before), (&new, &after));
            Ok(crate::views::would::told(&new, changes, true))
        })
        .await
}
