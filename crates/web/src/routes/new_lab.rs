//! A new lab, from a blank page, from a copy of another or from a file: checked as it is typed, then added to the library.

use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::protocol::draft;
use jurado_store::{StoreError, labs};

use super::attachments::BOUNDS;
use super::parts::{self, Bounds};
use super::protocol_text::{CheckedPart, parsed};
use crate::door::Door;
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{Bounded, field};
use crate::views::frame::Frame;
use crate::views::lab_form::{Input, LabFormView, used};
use crate::views::would::Checked;

#[derive(Template)]
#[template(path = "new_lab.html")]
struct NewLabPage {
    frame: Frame,
    text: String,
    refused: Option<String>,
    checked: Checked,
    parts: LabFormView,
    /// Labs to copy: id and title.
    labs: Vec<(u32, String)>,
    from: u32,
}

/// What it begins from.
#[derive(serde::Deserialize)]
pub(crate) struct Begin {
    /// A lab to copy; a blank page without one.
    #[serde(default)]
    from: Option<u32>,
}

#[derive(serde::Deserialize)]
pub(crate) struct Draft {
    token: String,
    text: String,
}

const WHO: &str = "Labs are added by the coordinator";
/// How much of a form with a protocol's text is taken.
const FILE: Bounds =
    Bounds { file: 512 * 1024, files: 1, fields: 4, kept: 1024 * 1024, all: 8 * 1024 * 1024, ..BOUNDS };

async fn checked(actor: &Actor, text: &str) -> Result<Checked, WebError> {
    Ok(match parsed(actor, text).await? {
        Ok(new) => Checked::of(&new),
        Err(faults) => Checked::faulty(faults),
    })
}

async fn show(actor: &Actor, text: String, from: u32, refused: Option<String>) -> Result<NewLabPage, WebError> {
    let all = actor.look(|c, _| labs::all(c)).await?;
    Ok(NewLabPage {
        frame: actor.frame("A new lab", "protocols"),
        checked: checked(actor, &text).await?,
        parts: LabFormView::of(&text),
        text,
        refused,
        labs: all.into_iter().map(|l| (l.id, l.protocol.title.clone())).collect(),
        from,
    })
}

/// The blank page, or the copy of a lab under a free id.
pub(crate) async fn page(actor: Actor, begin: web::Query<Begin>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let text = match begin.from {
        None => draft::BLANK.to_owned(),
        Some(id) => {
            let (lab, source, ids) = actor
                .look(move |c, _| {
                    let ids: Vec<String> = labs::all(c)?.iter().map(|l| l.protocol.id.clone()).collect();
                    Ok((labs::get(c, id)?, labs::source(c, id)?, ids))
                })
                .await?;
            let free = (2..).map(|n| format!("{}-{n}", lab.protocol.id)).find(|id| !ids.contains(id));
            draft::copy(&source, &free.unwrap_or_default(), &format!("{}, a copy", lab.protocol.title))
        }
    };
    html(&show(&actor, text, begin.from.unwrap_or(0), None).await?)
}

/// Checks a text while it is typed; nothing is kept.
pub(crate) async fn check(actor: Actor, form: web::Form<Draft>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    html(&CheckedPart { checked: checked(&actor, &form.text.replace("\r\n", "\n")).await? })
}

/// Puts a file's text on the page, to be looked at and added.
pub(crate) async fn from_file(actor: Actor, door: web::Data<Door>, form: Multipart) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let mut parts = parts::take(&door, actor.whose(), form, FILE).await?;
    actor.allow(field(&parts.fields, "token").unwrap_or(""))?;
    let bytes = parts.files.first_mut().map(|f| f.bytes()).transpose().map_err(parts::not_kept)?;
    let text = match bytes.map(String::from_utf8) {
        Some(Ok(text)) if !text.trim().is_empty() => text.replace("\r\n", "\n"),
        told => {
            let fault = if !parts.too_large.is_empty() {
                "The file is larger than half a megabyte: a protocol is a text of some pages."
            } else if told.is_some_and(|t| t.is_err()) {
                "The file is no text in UTF-8: save it as plain text and choose it again."
            } else {
                "No file was chosen, or it is empty: choose the text of a protocol."
            };
            let page = show(&actor, draft::BLANK.to_owned(), 0, Some(fault.to_owned())).await?;
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    html(&show(&actor, text, 0, None).await?)
}

/// Adds the lab, to the library or at once to the term; or does what a form beside the text asks for.
pub(crate) async fn add(actor: Actor, fields: web::Form<Bounded>) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let text = field(&fields, "text").unwrap_or("").replace("\r\n", "\n");
    if let Some(made) = used(&text, &fields) {
        let page = show(&actor, made.text, 0, None).await?;
        return html(&NewLabPage { parts: made.view, ..page });
    }
    let refuse = |page: NewLabPage| html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    let page = show(&actor, text.clone(), 0, None).await?;
    if !page.checked.faults.is_empty() {
        let refused = Some("It cannot be added yet: see below.".to_owned());
        return refuse(NewLabPage { refused, ..page });
    }
    let term = field(&fields, "then") == Some("term");
    let added = actor
        .run(move |c, user| {
            let lab = labs::add(c, &text, user)?;
            if term {
                labs::stand(c, lab.id, labs::Move::Put, user)?;
            }
            Ok(lab.id)
        })
        .await;
    match added {
        Ok(id) => Ok(on_to(&format!("/protocols/{id}"))),
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let refused = Some(format!("{}: {mend}.", crate::views::capital(&what)));
            refuse(NewLabPage { refused, ..page })
        }
        Err(e) => Err(e),
    }
}
