//! Signing in and out, and the lamp.

use actix_session::SessionExt;
use actix_web::cookie::{Cookie, SameSite, time::Duration};
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_store::Store;
use rand::Rng;
use serde::Deserialize;

use crate::error::{WebError, html, html_with, on_to};
use crate::session::{TOKEN, USER, is_night};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "sign_in.html")]
struct SignInPage {
    frame: Frame,
    to: String,
    name: String,
    fault: Option<String>,
}

#[derive(Deserialize)]
pub(crate) struct To {
    #[serde(default)]
    to: String,
}

#[derive(Deserialize)]
pub(crate) struct SignIn {
    name: String,
    password: String,
    #[serde(default)]
    to: String,
}

pub(crate) async fn form(request: HttpRequest, query: web::Query<To>) -> Result<HttpResponse, WebError> {
    html(&SignInPage {
        frame: Frame::outside("Sign in", is_night(&request)),
        to: query.into_inner().to,
        name: String::new(),
        fault: None,
    })
}

pub(crate) async fn sign_in(
    request: HttpRequest,
    store: web::Data<Store>,
    form: web::Form<SignIn>,
) -> Result<HttpResponse, WebError> {
    let form = form.into_inner();
    let (store, name, password) = (store.get_ref().clone(), form.name.trim().to_owned(), form.password.clone());
    let attempt = web::block(move || store.run(|c| jurado_store::users::sign_in(c, &name, &password))).await??;
    let fault = match attempt {
        jurado_store::users::Attempt::In(id) => {
            let session = request.get_session();
            session.renew();
            let bytes: [u8; 24] = rand::rng().random();
            let token: String = bytes.iter().map(|b| format!("{b:02x}")).collect();
            let stored = session.insert(USER, id).and_then(|()| session.insert(TOKEN, token));
            stored.map_err(|e| WebError::Broken(e.to_string()))?;
            // Only a place of ours: one slash and no host.
            let to = if form.to.starts_with('/') && !form.to.starts_with("//") && !form.to.contains('\\') {
                form.to
            } else {
                "/docket".to_owned()
            };
            return Ok(on_to(&to));
        }
        jurado_store::users::Attempt::Wrong => {
            "The name and the password do not go together. Look at capital letters and try again."
        }
        jurado_store::users::Attempt::TooMany => {
            "Too many tries with this name. Wait ten minutes, or ask the coordinator for a new password."
        }
    };
    let page = SignInPage {
        frame: Frame::outside("Sign in", is_night(&request)),
        to: form.to,
        name: form.name,
        fault: Some(fault.to_owned()),
    };
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
}

#[derive(Deserialize)]
pub(crate) struct Token {
    pub(crate) token: String,
}

pub(crate) async fn sign_out(
    actor: crate::session::Actor,
    request: HttpRequest,
    form: web::Form<Token>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    request.get_session().purge();
    Ok(on_to("/sign-in"))
}

/// Shades the lamp or takes the shade off; a matter of this browser only.
pub(crate) async fn lamp(request: HttpRequest) -> HttpResponse {
    let value = if is_night(&request) { "day" } else { "night" };
    keep(&request, "lamp", value)
}

/// Hides the names of teams or shows them, in this browser.
pub(crate) async fn names(actor: crate::session::Actor, request: HttpRequest) -> HttpResponse {
    keep(&request, "names", if actor.blind { "shown" } else { "hidden" })
}

/// Sets a cookie and goes back to the page it was asked for on.
fn keep(request: &HttpRequest, name: &'static str, value: &'static str) -> HttpResponse {
    let cookie = Cookie::build(name, value).path("/").same_site(SameSite::Lax).max_age(Duration::days(365)).finish();
    let back = request
        .headers()
        .get("referer")
        .and_then(|r| r.to_str().ok())
        .and_then(|r| r.splitn(4, '/').nth(3))
        .map_or_else(|| "/".to_owned(), |p| format!("/{}", p.trim_start_matches(['/', '\\'])));
    let mut answer = on_to(&back);
    let _ = answer.add_cookie(&cookie);
    answer
}
