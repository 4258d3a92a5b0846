//! Returns: what goes back, and the marks. Nothing leaves before it is released.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::Role;

use super::auth::Token;
use crate::error::{WebError, html, on_to};
use crate::session::Actor;
use crate::views::frame::Frame;
use crate::views::returns::{ReturnsView, SheetView, marks_csv};

#[derive(Template)]
#[template(path = "returns.html")]
struct ReturnsPage {
    frame: Frame,
    v: ReturnsView,
}

#[derive(Template)]
#[template(path = "sheet.html")]
struct SheetPage {
    frame: Frame,
    v: SheetView,
}

type LabRows = Vec<(jurado_store::Lab, Vec<jurado_store::DocketRow>)>;

async fn rows(actor: &Actor) -> Result<LabRows, WebError> {
    actor
        .run(|c, user| {
            let mut out = Vec::new();
            for lab in jurado_store::labs::all(c)? {
                let rows = jurado_store::sheets::docket(c, lab.id, user)?;
                out.push((lab, rows));
            }
            Ok(out)
        })
        .await
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    let v = ReturnsView::new(&rows(&actor).await?, actor.user.role == Role::Coordinator);
    html(&ReturnsPage { frame: actor.frame("Returns", "returns"), v })
}

pub(crate) async fn release(actor: Actor, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("Marks are released by the coordinator")?;
    actor
        .run(|c, user| {
            for lab in jurado_store::labs::all(c)? {
                jurado_store::sheets::release(c, lab.id, user)?;
            }
            Ok(())
        })
        .await?;
    Ok(on_to("/returns"))
}

pub(crate) async fn marks(actor: Actor) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", "attachment; filename=\"marks.csv\""))
        .body(marks_csv(&rows(&actor).await?)))
}

pub(crate) async fn sheet(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (detail, lab) = actor
        .run(move |c, user| {
            let detail = jurado_store::sheets::get(c, id, user)?;
            let lab = jurado_store::labs::get(c, detail.lab_id)?;
            Ok((detail, lab))
        })
        .await?;
    let judged = detail.judge(&lab.protocol);
    html(&SheetPage { frame: actor.frame("Returns", "returns"), v: SheetView::new(&lab.protocol, &detail, &judged) })
}
