//! Signing in and out, choosing a password, and the lamp.

use actix_session::SessionExt;
use actix_web::cookie::{Cookie, SameSite, time::Duration};
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_store::tries::{self, Counted, Pace};
use jurado_store::{Store, StoreError, User, second_factor, users};
use serde::Deserialize;

use crate::door::Door;
use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::paths::ours;
use crate::session::{self, Actor, is_night};
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
    #[serde(default)]
    token: String,
    name: String,
    password: String,
    #[serde(default)]
    code: String,
    #[serde(default)]
    to: String,
}

pub(crate) async fn form(request: HttpRequest, query: web::Query<To>) -> Result<HttpResponse, WebError> {
    html(&SignInPage {
        frame: session::outside_now(&request, "Sign in").await?,
        to: query.into_inner().to,
        name: String::new(),
        fault: None,
    })
}

/// How a try to sign in ended.
enum Attempt {
    In(User),
    Wrong,
    /// The password goes with the name, and the code of the second factor is missing, wrong or used.
    Code,
    Wait(u32),
}

/// Tries a name and a password: counted first, then compared, with nothing of the database held meanwhile. A name that is
/// nobody's takes as long as a wrong password.
async fn attempt(
    store: &Store,
    door: &Door,
    counted: Counted,
    name: String,
    (password, code): (String, Option<String>),
) -> Result<Attempt, WebError> {
    let _turn = door.turn(counted.name()).await?;
    let (keep, by) = (store.clone(), counted.clone());
    let (wait, secret) =
        web::block(move || keep.run(|c| Ok((tries::begin(c, &by)?, users::secret_of(c, &name)?)))).await??;
    if wait > 0 {
        return Ok(Attempt::Wait(wait));
    }
    let hash = secret.as_ref().map(|(_, hash)| hash.clone());
    let right = door.hashing(move || users::goes_with(&password, hash.as_deref())).await?;
    let keep = store.clone();
    let outcome = web::block(move || {
        keep.run(|c| match &secret {
            // Whoever is signed in already shows no code again.
            Some((id, _)) if right && !code_fits(c, *id, code.as_deref())? => {
                Ok((Attempt::Code, tries::refused(c, &counted, Some(*id))?))
            }
            Some((id, _)) if right => {
                tries::let_in(c, &counted, *id)?;
                Ok((Attempt::In(users::get(c, *id)?), Pace::AtOnce))
            }
            other => Ok((Attempt::Wrong, tries::refused(c, &counted, other.as_ref().map(|(id, _)| *id))?)),
        })
    });
    let (outcome, pace) = outcome.await??;
    crate::door::answer(pace).await;
    Ok(outcome)
}

/// Whether a code is one of a person's second factor, or none is asked: `None` where the person is signed in already.
fn code_fits(c: &mut jurado_store::Db, id: u32, code: Option<&str>) -> Result<bool, StoreError> {
    match code {
        Some(code) if second_factor::is_on(c, id)? => second_factor::take(c, id, code),
        _ => Ok(true),
    }
}

/// Whether somebody who is signed in has the password in force, and the code of a second factor where there is one: for what outlives
/// a session. Gives what is to be told where not.
pub(super) async fn has_password(
    actor: &Actor,
    request: &HttpRequest,
    door: &Door,
    (password, code): (String, String),
) -> Result<Option<String>, WebError> {
    let counted = Counted::new(&actor.user.sign_in, &door.address_of(request));
    let tried = attempt(&actor.store, door, counted, actor.user.sign_in.clone(), (password, Some(code))).await?;
    Ok(match tried {
        Attempt::In(_) => None,
        Attempt::Wrong => Some("The password you have now is another one.".to_owned()),
        Attempt::Code => Some("Type the code that your device shows now, beside the password.".to_owned()),
        Attempt::Wait(n) => Some(format!("There were too many tries. Wait {} and try again.", seconds(n))),
    })
}

/// Seconds in words.
fn seconds(n: u32) -> String {
    match n {
        1 => "one second".to_owned(),
        n if n < 90 => format!("{n} seconds"),
        n => format!("{} minutes", n.div_ceil(60)),
    }
}

pub(crate) async fn sign_in(
    request: HttpRequest,
    store: web::Data<Store>,
    door: web::Data<Door>,
    form: web::Form<SignIn>,
) -> Result<HttpResponse, WebError> {
    let form = form.into_inner();
    session::allow_outside(&request.get_session(), &form.token)?;
    let name = form.name.trim().to_owned();
    let counted = Counted::new(&name, &door.address_of(&request));
    let (fault, status) = match attempt(&store, &door, counted, name, (form.password, Some(form.code))).await? {
        Attempt::In(user) => {
            let store = store.get_ref().clone();
            let now = web::block(move || store.look(|c| c.now())).await??;
            session::begin(&request.get_session(), &user, now)?;
            return Ok(on_to(ours(&form.to)));
        }
        Attempt::Wrong => (
            "The name and the password do not go together. Look at capital letters and try again.".to_owned(),
            StatusCode::UNPROCESSABLE_ENTITY,
        ),
        Attempt::Code => (
            "A code of your second factor is asked beside the password. Type the one that your device shows now."
                .to_owned(),
            StatusCode::UNPROCESSABLE_ENTITY,
        ),
        Attempt::Wait(n) => (
            format!(
                "There were too many tries. Wait {} and try again, or ask the coordinator for a one-time link.",
                seconds(n)
            ),
            StatusCode::TOO_MANY_REQUESTS,
        ),
    };
    let page = SignInPage {
        frame: session::outside_now(&request, "Sign in").await?,
        to: form.to,
        name: form.name,
        fault: Some(fault),
    };
    html_with(status, &page)
}

#[derive(Deserialize)]
pub(crate) struct Token {
    pub(crate) token: String,
}

/// Signs a person out, in every browser.
pub(crate) async fn sign_out(
    actor: Actor,
    request: HttpRequest,
    form: web::Form<Token>,
) -> Result<HttpResponse, WebError> {
    actor.allow_own(&form.token)?;
    actor.run(users::sign_out).await?;
    request.get_session().purge();
    Ok(on_to("/sign-in"))
}

#[derive(Template)]
#[template(path = "password.html")]
struct PasswordPage {
    frame: Frame,
    /// Where the form goes.
    place: String,
    title: &'static str,
    says: String,
    /// Whether the one in force is asked for first.
    ask_old: bool,
    /// Whether a name is chosen too; what was typed.
    first: Option<(String, String)>,
    fault: Option<String>,
}

#[derive(Deserialize)]
pub(crate) struct NewPassword {
    #[serde(default)]
    token: String,
    #[serde(default)]
    old: String,
    #[serde(default)]
    name: String,
    #[serde(default)]
    display: String,
    new: String,
    again: String,
}

impl NewPassword {
    /// What is wrong with the new password.
    fn fault(&self, sign_in: &str) -> Option<String> {
        if self.new != self.again {
            return Some("The two do not agree: type the new password twice.".to_owned());
        }
        match users::check_password(sign_in, &self.new) {
            Err(StoreError::Bad(what, mend)) => Some(told(&what, &mend)),
            _ => None,
        }
    }
}

fn told(what: &str, mend: &str) -> String {
    format!("{}: {mend}.", crate::views::capital(what))
}

fn account_page(actor: &Actor, fault: Option<String>) -> PasswordPage {
    PasswordPage {
        frame: actor.frame("Your password", "account"),
        place: "/account".to_owned(),
        title: "Your password",
        says: format!("You sign in as “{}”. A new password ends every other session of yours.", actor.user.sign_in),
        ask_old: true,
        first: None,
        fault,
    }
}

/// Where a person changes the own password.
pub(crate) async fn account(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&account_page(&actor, None))
}

pub(crate) async fn change_password(
    actor: Actor,
    request: HttpRequest,
    door: web::Data<Door>,
    form: web::Form<NewPassword>,
) -> Result<HttpResponse, WebError> {
    actor.allow_own(&form.token)?;
    let form = form.into_inner();
    let refuse = |fault: String| html_with(StatusCode::UNPROCESSABLE_ENTITY, &account_page(&actor, Some(fault)));
    if let Some(fault) = form.fault(&actor.user.sign_in) {
        return refuse(fault);
    }
    // The one in force is tried like a sign-in, and counted like one.
    let counted = Counted::new(&actor.user.sign_in, &door.address_of(&request));
    match attempt(&actor.store, &door, counted, actor.user.sign_in.clone(), (form.old, None)).await? {
        Attempt::In(_) => {}
        Attempt::Wrong | Attempt::Code => return refuse("The password you have now is another one.".to_owned()),
        Attempt::Wait(n) => return refuse(format!("There were too many tries. Wait {} and try again.", seconds(n))),
    }
    let hash = door.hashing(move || users::hash(&form.new)).await??;
    let (user, now) = actor
        .run(move |c, user| {
            users::change(c, user.id, &users::Change::Password(&hash), Some(user.id))?;
            Ok((users::get(c, user.id)?, c.now()?))
        })
        .await?;
    // This browser stays signed in, the others do not.
    session::begin(&request.get_session(), &user, now)?;
    Ok(on_to_saying("/account", Said::done("Kept", "Your password is changed.")))
}

fn link_page(
    request: &HttpRequest,
    secret: &str,
    person: Option<&User>,
    fault: Option<String>,
) -> Result<PasswordPage, WebError> {
    Ok(PasswordPage {
        frame: session::outside(request, "Choose a password")?,
        place: format!("/link/{secret}"),
        title: "Choose a password",
        says: match person {
            Some(p) => format!("For {}, who signs in as “{}”. This link serves once.", p.name, p.sign_in),
            None => "You will be the first coordinator here. This link serves once.".to_owned(),
        },
        ask_old: false,
        first: person.is_none().then(|| (String::new(), String::new())),
        fault,
    })
}

/// A one-time link: to choose a first password or a new one, or to become the first coordinator.
pub(crate) async fn link(
    request: HttpRequest,
    store: web::Data<Store>,
    secret: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let (store, asked) = (store.get_ref().clone(), secret.to_string());
    let person = web::block(move || store.look(|c| users::invited(c, &asked))).await??;
    html(&link_page(&request, &secret, person.as_ref(), None)?)
}

pub(crate) async fn use_link(
    request: HttpRequest,
    store: web::Data<Store>,
    door: web::Data<Door>,
    secret: web::Path<String>,
    form: web::Form<NewPassword>,
) -> Result<HttpResponse, WebError> {
    let form = form.into_inner();
    session::allow_outside(&request.get_session(), &form.token)?;
    let (keep, asked) = (store.get_ref().clone(), secret.to_string());
    let person = web::block(move || keep.look(|c| users::invited(c, &asked))).await??;
    let refuse = |fault: String| {
        let mut page = link_page(&request, &secret, person.as_ref(), Some(fault))?;
        page.first = page.first.map(|_| (form.name.clone(), form.display.clone()));
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
    };
    let sign_in = person.as_ref().map_or(form.name.trim(), |p| p.sign_in.as_str()).to_owned();
    if let Some(fault) = form.fault(&sign_in) {
        return refuse(fault);
    }
    let new = form.new.clone();
    let hash = door.hashing(move || users::hash(&new)).await??;
    let (keep, asked, display) = (store.get_ref().clone(), secret.to_string(), form.display.trim().to_owned());
    let used = web::block(move || {
        keep.run(|c| {
            let id = users::use_invitation(c, &asked, (&sign_in, &display), &hash)?;
            // Whoever lost the device comes in by a link.
            second_factor::take_off(c, id, None)?;
            Ok((users::get(c, id)?, c.now()?))
        })
    })
    .await?;
    match used {
        Ok((user, now)) => {
            session::begin(&request.get_session(), &user, now)?;
            // The first coordinator has no roster yet, and that is where a course begins.
            Ok(on_to(if person.is_none() { "/people" } else { "/docket" }))
        }
        Err(StoreError::Bad(what, mend)) => refuse(told(&what, &mend)),
        Err(e) => Err(e.into()),
    }
}

/// Shades the lamp or takes the shade off; a matter of this browser only.
pub(crate) async fn lamp(request: HttpRequest) -> HttpResponse {
    let value = if is_night(&request) { "day" } else { "night" };
    keep(&request, "lamp", value)
}

/// Hides the names of teams or shows them, in this browser.
pub(crate) async fn names(actor: Actor, request: HttpRequest) -> HttpResponse {
    keep(&request, "names", if actor.blind { "shown" } else { "hidden" })
}

/// Sets a cookie and goes back to the page it was asked for on.
fn keep(request: &HttpRequest, name: &'static str, value: &'static str) -> HttpResponse {
    let cookie = Cookie::build(name, value).path("/").same_site(SameSite::Lax).max_age(Duration::days(365)).finish();
    let back = session::came_from(request);
    let back = if back.starts_with("/sign-in") { "/sign-in" } else { ours(&back) };
    let mut answer = on_to(back);
    let _ = answer.add_cookie(&cookie);
    answer
}
