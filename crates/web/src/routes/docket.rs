//! The Docket: what waits.

use actix_web::HttpResponse;
use askama::Template;

use crate::error::{WebError, html, on_to};
use crate::session::Actor;
use crate::views::docket::DocketView;
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "docket.html")]
struct DocketPage {
    frame: Frame,
    v: DocketView,
}

pub(crate) async fn home(_: Actor) -> HttpResponse {
    on_to("/docket")
}

/// For the start script and a watcher: the process answers and the database does.
pub(crate) async fn health(store: actix_web::web::Data<jurado_store::Store>) -> Result<HttpResponse, WebError> {
    let store = store.get_ref().clone();
    actix_web::web::block(move || store.run(|c| jurado_store::labs::all(c).map(|_| ()))).await??;
    Ok(HttpResponse::Ok().content_type("text/plain; charset=utf-8").body("ok\n"))
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    let (labs, sections, held) = actor
        .run(|c, user| {
            let mut labs = Vec::new();
            for lab in jurado_store::labs::all(c)? {
                let rows = jurado_store::sheets::docket(c, lab.id, user)?;
                // A lab that nobody has handed in yet is in the library, not on the docket.
                if !rows.is_empty() {
                    labs.push((lab, rows));
                }
            }
            Ok((labs, jurado_store::roster::sections(c, user)?, jurado_store::quarantine::count(c, user)?))
        })
        .await?;
    let v = DocketView::new(&labs, &sections, held);
    let frame = actor.frame("Docket", "docket").with_passage(labs.iter().flat_map(|(_, rows)| rows), None);
    html(&DocketPage { frame, v })
}
