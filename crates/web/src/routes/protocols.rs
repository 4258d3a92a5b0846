//! Protocols: the library, one lab to read, its data sheets and its text.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_intake::{write_ods, write_sheet, write_xlsx};

use super::returns::{ODS, XLSX};
use crate::error::{WebError, html};
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
