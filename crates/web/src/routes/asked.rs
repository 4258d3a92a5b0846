//! What teams ask on lines of their sheets, and the answers.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::{StoreError, questions};
use serde::Deserialize;

use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::asked::AskedView;
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "asked.html")]
struct AskedPage {
    frame: Frame,
    waiting: Vec<AskedView>,
    answered: Vec<AskedView>,
    /// Whether more wait than are listed.
    more: bool,
    fault: Option<String>,
}

/// Most questions that a page lists.
const MOST_LISTED: i64 = 60;
/// Answers of before that are shown below.
const MOST_ANSWERED: i64 = 20;

async fn shown(actor: &Actor, typed: Option<(u32, String)>, fault: Option<String>) -> Result<AskedPage, WebError> {
    let (waiting, answered, labs) = actor
        .look(|c, user| {
            Ok((
                questions::list(c, user, false, MOST_LISTED + 1)?,
                questions::list(c, user, true, MOST_ANSWERED)?,
                jurado_store::labs::all(c)?,
            ))
        })
        .await?;
    let more = waiting.len() > MOST_LISTED as usize;
    let view = |p: &questions::Placed| {
        let typed = typed.as_ref().filter(|(id, _)| *id == p.question.id).map(|(_, t)| t.clone());
        AskedView { typed: typed.unwrap_or_default(), ..AskedView::new(p, &labs, actor.blind) }
    };
    Ok(AskedPage {
        frame: actor.frame("Asked", "docket"),
        waiting: waiting.iter().take(MOST_LISTED as usize).map(view).collect(),
        answered: answered.iter().map(view).collect(),
        more,
        fault,
    })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&shown(&actor, None, None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Answered {
    token: String,
    #[serde(default)]
    body: String,
}

pub(crate) async fn answer(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Answered>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let body = match forms::ANSWER.wanted(&form.body, "Write the answer: the team reads it beside its line.") {
        Ok(body) => body,
        Err(told) => {
            let page = shown(&actor, Some((id, form.body.clone())), Some(told)).await?;
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    let put = body.clone();
    match actor.run(move |c, user| questions::answer(c, id, user, &put)).await {
        Ok(()) => Ok(on_to("/asked")),
        Err(WebError::Store(StoreError::Conflict(c))) => {
            let told = format!("{} answered first: “{}”. Yours, not sent: “{body}”.", c.by, c.theirs);
            html_with(StatusCode::CONFLICT, &shown(&actor, None, Some(told)).await?)
        }
        Err(e) => Err(e),
    }
}
