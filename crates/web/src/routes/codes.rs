//! The codes of a section's teams, shown once and printed.

use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_store::{StoreError, door, roster};
use serde::Deserialize;

use crate::error::{WebError, html};
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "door/codes.html")]
struct CodesPage {
    frame: Frame,
    id: u32,
    section: String,
    have: i64,
    teams: usize,
    /// Team and code, shown this once.
    codes: Vec<(String, String)>,
    host: String,
    /// Names of the teams.
    names: Vec<String>,
}

async fn show(
    actor: &Actor,
    id: u32,
    codes: Vec<(String, String)>,
    request: &HttpRequest,
) -> Result<HttpResponse, WebError> {
    let (section, have, names) = actor
        .look(move |c, user| {
            let all = roster::sections(c, user)?;
            let section = all.into_iter().find(|s| s.id == id).ok_or(StoreError::NotFound("section"))?;
            let names = roster::roster(c, user)?.sections.remove(&section.name).unwrap_or_default();
            Ok((section, door::with_code(c, id)?, names))
        })
        .await?;
    html(&CodesPage {
        frame: actor.frame("Codes", "sections"),
        id,
        teams: section.teams,
        names: names.into_iter().collect(),
        section: section.name,
        have,
        codes,
        host: crate::request::address(request).split("://").nth(1).unwrap_or_default().to_owned(),
    })
}

pub(crate) async fn page(
    actor: Actor,
    section: web::Path<u32>,
    request: HttpRequest,
) -> Result<HttpResponse, WebError> {
    show(&actor, *section, Vec::new(), &request).await
}

#[derive(Deserialize)]
pub(crate) struct Make {
    token: String,
    #[serde(default)]
    then: String,
    #[serde(default)]
    team: String,
}

pub(crate) async fn make(
    actor: Actor,
    section: web::Path<u32>,
    request: HttpRequest,
    form: web::Form<Make>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *section;
    if form.then == "end" {
        let team = form.team.clone();
        actor.run(move |c, user| door::end_sessions(c, id, &team, user)).await?;
        let said = format!("What {} has open anywhere is over; its code still opens.", form.team);
        return Ok(on_to_saying(&format!("/sections/{id}/codes"), Said::done("Ended", said)));
    }
    let anew = form.then == "anew";
    let codes = actor.run(move |c, user| door::make_codes(c, id, anew, user)).await?;
    show(&actor, id, codes, &request).await
}
