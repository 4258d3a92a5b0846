//! Tokens of a person for scripts: made, shown once, ended.

use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_store::{StoreError, second_factor, tokens};
use serde::Deserialize;

use super::auth::{Token, has_password};
use crate::door::Door;
use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::course::time;
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "tokens.html")]
struct TokensPage {
    frame: Frame,
    tokens: Vec<TokenView>,
    /// A token that was just made, shown this once.
    made: Option<String>,
    days: i64,
    name: String,
    /// Whether a code of a second factor is asked.
    second: bool,
    fault: Option<String>,
}

struct TokenView {
    id: u32,
    name: String,
    may: &'static str,
    until: String,
    used: String,
}

async fn show(
    actor: &Actor,
    made: Option<String>,
    name: String,
    fault: Option<String>,
) -> Result<TokensPage, WebError> {
    let (all, second) = actor.look(|c, user| Ok((tokens::list(c, user)?, second_factor::is_on(c, user.id)?))).await?;
    let view = |t: &tokens::Token| TokenView {
        id: t.id,
        name: t.name.clone(),
        may: if t.brings { "reads, and brings tables" } else { "reads" },
        until: time(t.until),
        used: t.used_at.map_or_else(|| "not used yet".to_owned(), time),
    };
    let frame = actor.frame("Tokens for scripts", "account");
    Ok(TokensPage { frame, tokens: all.iter().map(view).collect(), made, days: tokens::DAYS, name, second, fault })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&show(&actor, None, String::new(), None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Make {
    token: String,
    #[serde(default)]
    name: String,
    #[serde(default)]
    brings: Option<String>,
    #[serde(default)]
    password: String,
    #[serde(default)]
    code: String,
}

pub(crate) async fn make(
    actor: Actor,
    request: HttpRequest,
    door: web::Data<Door>,
    form: web::Form<Make>,
) -> Result<HttpResponse, WebError> {
    actor.allow_own(&form.token)?;
    // An auditor brings nothing by a script either.
    let brings = form.brings.is_some() && actor.user.role != jurado_store::Role::Auditor;
    let refused = |told: String| async {
        let page = show(&actor, None, form.name.clone(), Some(told)).await?;
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
    };
    let name = match forms::TOKEN_NAME.wanted(&form.name, "Write what the token is for, such as the script’s name.") {
        Ok(name) => name,
        Err(told) => return refused(told).await,
    };
    // It serves long after this session: whoever only found the browser open makes none.
    if let Some(told) = has_password(&actor, &request, &door, (form.password.clone(), form.code.clone())).await? {
        return refused(told).await;
    }
    match actor.run(move |c, user| tokens::make(c, user, &name, brings)).await {
        Ok(secret) => html(&show(&actor, Some(secret), String::new(), None).await?),
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            refused(format!("{}: {mend}.", crate::views::capital(&what))).await
        }
        Err(e) => Err(e),
    }
}

pub(crate) async fn end(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow_own(&form.token)?;
    let id = *id;
    actor.run(move |c, user| tokens::end(c, id, user)).await?;
    Ok(on_to("/account/tokens"))
}
