//! Signing in with the college: on to its door and back, a code where a person has a second factor, and where that door is.

use actix_session::{Session, SessionExt};
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_college::sign_in::{self, Known, Pending};
use jurado_college::{check_url, is_same_place};
use jurado_store::college::{self, Found, Place};
use jurado_store::tries::{self, Counted};
use jurado_store::{Store, second_factor, users};
use serde::Deserialize;

use crate::crew;
use crate::door::Door;
use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::{self, Actor};
use crate::views::course::time;
use crate::views::frame::Frame;

/// Key of what has to come back with a person.
const PENDING: &str = "college";
/// Key of a person who came back and has to show a code still, with the time of it in seconds.
const CODE: &str = "college-code";
/// For how many seconds a code is waited for.
const MOST_WAITING: i64 = 300;

#[derive(Template)]
#[template(path = "college/back.html")]
struct BackPage {
    frame: Frame,
    fault: Option<String>,
    /// Whether a code of a second factor is asked.
    code: bool,
}

#[derive(Template)]
#[template(path = "college/set.html")]
struct SetPage {
    frame: Frame,
    issuer: String,
    client: String,
    set: bool,
    back: String,
    fault: Option<String>,
    /// Numbers under which somebody else came: number, when the first one did, how often another, and when last.
    refused: Vec<(String, String, String, String)>,
}

/// Our own address for people who come back.
fn back_of(request: &HttpRequest) -> String {
    format!("{}/sign-in/college/back", crate::request::address(request))
}

fn broken(e: impl std::fmt::Display) -> WebError {
    WebError::Broken(e.to_string())
}

async fn place_of(store: &web::Data<Store>) -> Result<Place, WebError> {
    let store = store.get_ref().clone();
    let place = web::block(move || store.look(college::place)).await??;
    place.ok_or(WebError::NotFound("sign-in with the college"))
}

fn back_page(request: &HttpRequest, fault: Option<String>, code: bool) -> Result<HttpResponse, WebError> {
    let frame = session::outside(request, "Sign in with the college")?;
    let status = if fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    html_with(status, &BackPage { frame, fault, code })
}

/// On to the college's door.
pub(crate) async fn begin(
    request: HttpRequest,
    store: web::Data<Store>,
    door: web::Data<Door>,
) -> Result<HttpResponse, WebError> {
    let (place, back) = (place_of(&store).await?, back_of(&request));
    match door.outside(move || sign_in::begin(&place, &back)).await? {
        Ok((url, pending)) => {
            request.get_session().insert(PENDING, pending).map_err(broken)?;
            Ok(on_to(&url))
        }
        Err(fault) => back_page(&request, Some(fault), false),
    }
}

#[derive(Deserialize)]
pub(crate) struct Back {
    #[serde(default)]
    code: String,
    #[serde(default)]
    state: String,
    #[serde(default)]
    error: String,
}

/// Back from the college's door: what came back is looked at once, whatever it is.
pub(crate) async fn back(
    request: HttpRequest,
    store: web::Data<Store>,
    door: web::Data<Door>,
    query: web::Query<Back>,
) -> Result<HttpResponse, WebError> {
    let session = request.get_session();
    let pending: Option<Pending> = session.get(PENDING).unwrap_or_default();
    session.remove(PENDING);
    let Some(pending) = pending else {
        return back_page(&request, Some("Nobody began to sign in here: begin anew.".into()), false);
    };
    if !query.error.is_empty() {
        let fault = "The college let nobody through. Begin anew, or sign in with a password.";
        return back_page(&request, Some(fault.into()), false);
    }
    let (place, back, query) = (place_of(&store).await?, back_of(&request), query.into_inner());
    let known = door.outside(move || sign_in::finish(&place, &back, &pending, &query.state, &query.code)).await?;
    match known {
        Ok(known) => come_in(&request, &session, &store, known).await,
        Err(fault) => back_page(&request, Some(fault), false),
    }
}

/// Lets in whoever the college says it is, if that is somebody here.
async fn come_in(
    request: &HttpRequest,
    session: &Session,
    store: &web::Data<Store>,
    known: Known,
) -> Result<HttpResponse, WebError> {
    let (keep, name) = (store.get_ref().clone(), known.name.clone());
    let (found, asks, now) = web::block(move || {
        keep.run(|c| {
            let found = college::who(c, &known.subject, &known.name)?;
            let asks = match &found {
                Found::Person(user) => second_factor::is_on(c, user.id)?,
                _ => false,
            };
            Ok((found, asks, c.now()?))
        })
    })
    .await??;
    match found {
        Found::Person(user) if asks => {
            session.insert(CODE, (user.id, now.and_utc().timestamp())).map_err(broken)?;
            back_page(request, None, true)
        }
        Found::Person(user) => {
            session::begin(session, &user, now)?;
            Ok(on_to("/"))
        }
        Found::Student(number) => {
            crew::begin_student(session, &number, now)?;
            Ok(on_to("/hand-in"))
        }
        Found::Another(number) => {
            let fault = format!(
                "Somebody else came from the college as {number} before you, so nobody was let in. If that is your number, tell \
                 the coordinator, who sees that you tried and can put it right."
            );
            back_page(request, Some(fault), false)
        }
        Found::Nobody => {
            let fault = format!(
                "The college knows you as “{name}”, and nobody here is called so. Ask the coordinator to write that name \
                 down for you, or to put you on the roster."
            );
            back_page(request, Some(fault), false)
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct Code {
    token: String,
    #[serde(default)]
    code: String,
}

/// The code of a second factor, after the college let the person through. It is counted like a password.
pub(crate) async fn code(
    request: HttpRequest,
    store: web::Data<Store>,
    door: web::Data<Door>,
    form: web::Form<Code>,
) -> Result<HttpResponse, WebError> {
    let session = request.get_session();
    session::allow_outside(&session, &form.token)?;
    let Some((id, at)): Option<(u32, i64)> = session.get(CODE).unwrap_or_default() else {
        return back_page(&request, Some("Nobody began to sign in here: begin anew.".into()), false);
    };
    let counted = Counted::new(&format!("code of {id}"), &door.address_of(&request));
    let (keep, typed) = (store.get_ref().clone(), form.into_inner().code);
    let (wait, user, now) = web::block(move || {
        keep.run(|c| {
            let (wait, now) = (tries::begin(c, &counted)?, c.now()?);
            let late = now.and_utc().timestamp() > at + MOST_WAITING;
            // Only a try that is made counts.
            if wait > 0 || late {
                return Ok((wait, None, now));
            }
            if !second_factor::take(c, id, &typed)? {
                tries::refused(c, &counted, Some(id))?;
                return Ok((0, None, now));
            }
            tries::let_in(c, &counted, id)?;
            Ok((0, Some(users::get(c, id)?), now))
        })
    })
    .await??;
    match user.filter(|u| !u.closed) {
        Some(user) => {
            session::begin(&session, &user, now)?;
            Ok(on_to("/"))
        }
        None if wait > 0 => {
            back_page(&request, Some(format!("There were too many tries. Wait {wait} seconds and try again.")), true)
        }
        None if now.and_utc().timestamp() > at + MOST_WAITING => {
            session.remove(CODE);
            back_page(&request, Some("The code was waited for too long: begin anew.".into()), false)
        }
        None => back_page(&request, Some("That is not the code that your device shows now.".into()), true),
    }
}

const WHO: &str = "How people sign in is set by the coordinator";

async fn shown(
    actor: &Actor,
    request: &HttpRequest,
    typed: Option<(String, String)>,
    fault: Option<String>,
) -> Result<SetPage, WebError> {
    let (place, refused) = actor.look(|c, _| Ok((college::place(c)?, college::refused(c)?))).await?;
    let refused = refused
        .into_iter()
        .map(|r| {
            let times = if r.refused == 1 { "once".to_owned() } else { format!("{} times", r.refused) };
            (r.number, time(r.bound_at), times, r.refused_at.map_or_else(String::new, time))
        })
        .collect();
    let set = place.is_some();
    let (issuer, client) = typed.or(place.map(|p| (p.issuer, p.client))).unwrap_or_default();
    let frame = actor.frame("Sign in with the college", "people");
    Ok(SetPage { frame, issuer, client, set, back: back_of(request), fault, refused })
}

pub(crate) async fn page(actor: Actor, request: HttpRequest) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    html(&shown(&actor, &request, None, None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Set {
    token: String,
    #[serde(default)]
    issuer: String,
    #[serde(default)]
    client: String,
    #[serde(default)]
    secret: String,
    #[serde(default)]
    number: String,
    #[serde(default)]
    then: String,
}

/// Sets where the college's door is, once it answered, or that there is none.
pub(crate) async fn set(
    actor: Actor,
    request: HttpRequest,
    door: web::Data<Door>,
    form: web::Form<Set>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let form = form.into_inner();
    if form.then == "unbind" {
        let number = form.number.clone();
        actor.run(move |c, user| college::unbind(c, &number, user)).await?;
        let said = format!("Whoever comes from the college as {} next is that student from then on.", form.number);
        return Ok(on_to_saying("/people/college", Said::done("Let go", said)));
    }
    if form.then == "none" {
        actor.run(|c, user| college::set_place(c, None, user)).await?;
        return Ok(on_to_saying("/people/college", Said::done("Set", "People sign in with a password alone.")));
    }
    let typed = (form.issuer.clone(), form.client.clone());
    let kept = actor.look(|c, _| college::place(c)).await?;
    let read = || -> Result<Place, String> {
        let issuer = check_url(&forms::ADDRESS.wanted(&form.issuer, "Write the address of the issuer.")?)?;
        let client = forms::ADDRESS.wanted(&form.client, "Write the name that the college gave Jurado.")?;
        let secret = forms::SECRET.optional(&form.secret)?;
        // A secret goes only to the address that it was typed for.
        let kept = kept.as_ref().filter(|k| is_same_place(&k.issuer, &issuer)).map(|k| k.secret.clone());
        let secret = if secret.is_empty() { kept.unwrap_or_default() } else { secret };
        if secret.is_empty() {
            return Err("Write the secret that the college gave Jurado.".to_owned());
        }
        Ok(Place { issuer, client, secret })
    };
    let looked = match read() {
        Ok(place) => {
            let asked = place.clone();
            door.outside(move || sign_in::look(&asked)).await?.map(|()| place)
        }
        Err(fault) => Err(fault),
    };
    match looked {
        Ok(place) => {
            actor.run(move |c, user| college::set_place(c, Some(&place), user)).await?;
            let said =
                "The way in stands on the page for signing in. Write down under People who is who at the college.";
            Ok(on_to_saying("/people/college", Said::done("Set, and the college answered", said)))
        }
        Err(fault) => {
            let page = shown(&actor, &request, Some(typed), Some(fault)).await?;
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
    }
}
