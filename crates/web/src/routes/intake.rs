//! Intake: a file offered, looked at, taken or put aside; rows in quarantine.

use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use futures_util::TryStreamExt;
use jurado_intake::{UPLOAD, write_sheet};
use jurado_store::{HeldRecord, ImportRow, StoreError, Taken};
use serde::Deserialize;

use super::auth::Token;
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::frame::Frame;
use crate::views::intake::{PreviewView, time};

#[derive(Template)]
#[template(path = "intake.html")]
struct IntakePage {
    frame: Frame,
    labs: Vec<(u32, String)>,
    recent: Vec<Recent>,
    held: Vec<HeldRecord>,
    fault: Option<(String, String)>,
}

struct Recent {
    id: u32,
    file_name: String,
    by: String,
    state: &'static str,
    at: String,
}

#[derive(Template)]
#[template(path = "preview.html")]
struct PreviewPage {
    frame: Frame,
    v: PreviewView,
}

fn recent(row: ImportRow) -> Recent {
    use jurado_store::ImportState::{Dropped, Offered, Taken};
    let state = match row.state {
        Offered => "waits for a look",
        Taken => "taken",
        Dropped => "put aside",
    };
    Recent { id: row.id, file_name: row.file_name, by: row.by, state, at: time(row.taken_at.unwrap_or(row.offered_at)) }
}

async fn show(actor: &Actor, fault: Option<(String, String)>) -> Result<IntakePage, WebError> {
    let (labs, rows, held) = actor
        .run(|c, user| {
            let used = jurado_store::docket::labs_in_use(c)?;
            let mut labs: Vec<_> =
                jurado_store::labs::all(c)?.into_iter().map(|lab| (!used.contains(&lab.id), lab)).collect();
            // Labs of this term come before the rest of the library.
            labs.sort_by_key(|(unused, _)| *unused);
            Ok((
                labs.into_iter().map(|(_, l)| l).collect::<Vec<_>>(),
                jurado_store::imports::recent(c, user)?,
                jurado_store::quarantine::waiting(c, user)?,
            ))
        })
        .await?;
    let labs = labs.iter().map(|l| (l.id, l.protocol.title.clone())).collect();
    Ok(IntakePage {
        frame: actor.frame("Intake", "intake"),
        labs,
        recent: rows.into_iter().map(recent).collect(),
        held,
        fault,
    })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&show(&actor, None).await?)
}

/// Past this many bytes an upload is no longer read to its end for the sake of a kind answer.
const MOST_READ: usize = 512 * 1024 * 1024;

/// The parts of the upload, read in order and bounded as they come.
#[derive(Default)]
struct Upload {
    token: String,
    lab: Option<u32>,
    file_name: String,
    body: Vec<u8>,
    pasted: String,
    too_large: bool,
}

async fn read(mut payload: Multipart) -> Result<Upload, WebError> {
    let mut out = Upload::default();
    let broken = |_| WebError::Bad("The file did not arrive whole.".into(), "Send it again.".into());
    let mut arrived = 0usize;
    while let Some(mut field) = payload.try_next().await.map_err(broken)? {
        let name = field.name().unwrap_or("").to_owned();
        if name == "file" {
            out.file_name = field.content_disposition().and_then(|d| d.get_filename()).unwrap_or("").to_owned();
        }
        let limit = if name == "file" || name == "pasted" { UPLOAD.bytes } else { 1024 };
        let mut bytes = Vec::new();
        while let Some(chunk) = field.try_next().await.map_err(broken)? {
            arrived += chunk.len();
            if arrived > MOST_READ {
                return Err(WebError::Bad(
                    "The file is far too large to be read to its end.".into(),
                    "Hand in one section at a time.".into(),
                ));
            }
            if bytes.len() + chunk.len() > limit {
                // The rest is read and forgotten, so that the browser gets to see the answer.
                out.too_large = true;
                bytes.clear();
                continue;
            }
            if !out.too_large {
                bytes.extend_from_slice(&chunk);
            }
        }
        let text = || String::from_utf8_lossy(&bytes).trim().to_owned();
        match name.as_str() {
            "token" => out.token = text(),
            "lab" => out.lab = text().parse().ok(),
            "pasted" => out.pasted = String::from_utf8_lossy(&bytes).into_owned(),
            "file" => out.body = bytes,
            _ => {}
        }
    }
    Ok(out)
}

pub(crate) async fn upload(actor: Actor, payload: Multipart) -> Result<HttpResponse, WebError> {
    let upload = read(payload).await?;
    actor.allow(&upload.token)?;
    let told = |what: &str, mend: &str| Some((what.to_owned(), mend.to_owned()));
    let (file_name, body) = if upload.body.is_empty() && !upload.pasted.trim().is_empty() {
        ("pasted text".to_owned(), upload.pasted.into_bytes())
    } else {
        (upload.file_name, upload.body)
    };
    let fault = if upload.too_large {
        told(
            &format!("The file is larger than {} megabytes.", UPLOAD.bytes / 1_048_576),
            "Hand in one section at a time.",
        )
    } else if upload.lab.is_none() {
        told("No lab was chosen.", "Choose the lab that the tables belong to.")
    } else if file_name.is_empty() && body.is_empty() {
        told("No file was chosen and nothing was pasted.", "Choose a CSV file, or paste its lines.")
    } else {
        None
    };
    let (None, Some(lab)) = (&fault, upload.lab) else {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, fault).await?);
    };
    // A file none of which can be used is told at once and not kept.
    let outcome = actor
        .run(move |c, user| {
            let lab = jurado_store::labs::get(c, lab)?;
            let roster = jurado_store::roster::roster(c, user)?;
            jurado_intake::read_csv(&body, &lab.protocol, Some(&roster)).map_err(StoreError::File)?;
            jurado_store::imports::offer(c, lab.id, user, &file_name, &body)
        })
        .await;
    match outcome {
        Ok(id) => Ok(on_to(&format!("/intake/{id}"))),
        Err(WebError::Store(StoreError::File(f))) => {
            let what = format!("Line {}, column {}: {}.", f.line, f.column, f.what);
            let mend = crate::views::capital(&format!("{}.", f.mend));
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, Some((what, mend))).await?)
        }
        Err(e) => Err(e),
    }
}

#[derive(Deserialize)]
pub(crate) struct Done {
    #[serde(default)]
    done: Option<String>,
}

pub(crate) async fn preview(
    actor: Actor,
    id: web::Path<u32>,
    done: web::Query<Done>,
) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (row, intake, lab, standing) = actor
        .run(move |c, user| {
            let (row, intake) = jurado_store::imports::preview(c, id, user)?;
            let lab = jurado_store::labs::get(c, row.lab_id)?;
            let standing = jurado_store::docket::of_lab(c, lab.id, user)?;
            Ok((row, intake, lab, standing))
        })
        .await?;
    let v = PreviewView::new(&lab.protocol, &row, &intake, &standing, done.into_inner().done);
    html(&PreviewPage { frame: actor.frame("Intake", "intake"), v })
}

pub(crate) async fn take(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let taken: Taken = actor.run(move |c, user| jurado_store::imports::take(c, id, user)).await?;
    Ok(on_to(&format!("/intake/{id}?done={}", crate::views::query(&crate::views::intake::taken_in_words(&taken)))))
}

pub(crate) async fn put_aside(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Token>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| jurado_store::imports::drop(c, id, user)).await?;
    Ok(on_to("/intake"))
}

pub(crate) async fn settle(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| jurado_store::quarantine::settle(c, id, user)).await?;
    Ok(on_to("/intake"))
}

pub(crate) async fn template(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let lab = *lab;
    let lab = actor.run(move |c, _| jurado_store::labs::get(c, lab)).await?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", format!("attachment; filename=\"{}-sheet.csv\"", lab.protocol.id)))
        .body(write_sheet(&lab.protocol, None)))
}
