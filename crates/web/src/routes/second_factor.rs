//! A person's second factor: set up on a device, confirmed by a code, taken off by one.

use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_store::StoreError;
use jurado_store::second_factor::{self, Shown};
use jurado_store::tries::{self, Counted};
use serde::Deserialize;

use super::auth::has_password;
use crate::door::Door;
use crate::error::{WebError, html, html_with};
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "second_factor.html")]
struct SecondFactorPage {
    frame: Frame,
    on: bool,
    /// The secret of one that is being set up, shown this once.
    shown: Option<Shown>,
    /// Whether it is set up and waits for a code.
    begun: bool,
    fault: Option<String>,
}

async fn show(
    actor: &Actor,
    shown: Option<Shown>,
    begun: bool,
    fault: Option<String>,
) -> Result<SecondFactorPage, WebError> {
    let on = actor.look(|c, user| second_factor::is_on(c, user.id)).await?;
    Ok(SecondFactorPage { frame: actor.frame("Second factor", "account"), on, shown, begun, fault })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&show(&actor, None, false, None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Asked {
    token: String,
    #[serde(default)]
    then: String,
    #[serde(default)]
    code: String,
    #[serde(default)]
    password: String,
}

/// Begins, confirms or takes off a second factor. Codes are counted like passwords.
pub(crate) async fn set(
    actor: Actor,
    request: HttpRequest,
    door: web::Data<Door>,
    form: web::Form<Asked>,
) -> Result<HttpResponse, WebError> {
    actor.allow_own(&form.token)?;
    let refused = |told: String, begun: bool| {
        let actor = actor.clone();
        async move { html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, None, begun, Some(told)).await?) }
    };
    if form.then == "begin" {
        // Whoever only found the browser open would lock its owner out.
        if !actor.look(|c, user| second_factor::is_on(c, user.id)).await? {
            let typed = (form.password.clone(), String::new());
            if let Some(told) = has_password(&actor, &request, &door, typed).await? {
                return refused(told, false).await;
            }
        }
        return match actor.run(second_factor::begin).await {
            Ok(shown) => html(&show(&actor, Some(shown), true, None).await?),
            Err(WebError::Store(StoreError::Bad(what, mend))) => {
                refused(format!("{}: {mend}.", crate::views::capital(&what)), false).await
            }
            Err(e) => Err(e),
        };
    }
    let off = form.then == "off";
    let counted = Counted::new(&format!("second {}", actor.user.sign_in), &door.address_of(&request));
    let code = form.code.clone();
    let (wait, right) = actor
        .run(move |c, user| {
            let wait = tries::begin(c, &counted)?;
            if wait > 0 {
                return Ok((wait, false));
            }
            let right =
                if off { second_factor::take(c, user.id, &code)? } else { second_factor::confirm(c, user, &code)? };
            if right {
                tries::forget(c, &counted)?;
                if off {
                    second_factor::take_off(c, user.id, Some(user.id))?;
                }
            } else {
                tries::refused(c, &counted, Some(user.id))?;
            }
            Ok((0, right))
        })
        .await?;
    match (wait, right, off) {
        (0, true, true) => Ok(on_to_saying("/account/second", Said::done("Taken off", "A password is enough again."))),
        (0, true, false) => {
            let told = "From now on you sign in with a code of your device too.";
            Ok(on_to_saying("/account/second", Said::done("Set", told)))
        }
        (0, ..) => {
            let told = "This code is none of your device's, or was used before. Wait for the next one and type it.";
            refused(told.to_owned(), !off).await
        }
        (wait, ..) => refused(format!("There were too many tries. Wait {wait} seconds."), !off).await,
    }
}
