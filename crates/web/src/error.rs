//! One error, one page for each: what happened, where, and how to mend it.

use actix_web::error::UrlencodedError;
use actix_web::http::{StatusCode, header};
use actix_web::{HttpRequest, HttpResponse, ResponseError};
use askama::Template;
use jurado_store::StoreError;

use crate::views::frame::Frame;

/// Why a request could not be answered as asked.
#[derive(Debug)]
pub(crate) enum WebError {
    /// Nobody is signed in; the page asked for.
    SignIn(String),
    /// No team has come in with its code.
    Code,
    /// The form did not come from one of our pages.
    Token,
    /// Not this role's to do.
    Forbidden(&'static str),
    /// Nothing there.
    NotFound(&'static str),
    /// What was sent cannot be used: what, how to mend it.
    Bad(String, String),
    /// A body that was packed on its way.
    Packed,
    /// A request for another host.
    Host,
    /// Something took longer than a person should wait.
    TooLong(&'static str),
    /// The store's.
    Store(StoreError),
    /// Ours: logged under the id that the page shows.
    Broken(String),
}

impl std::fmt::Display for WebError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            WebError::Broken(why) => f.write_str(why),
            WebError::Store(e) => write!(f, "{e}"),
            other => write!(f, "{other:?}"),
        }
    }
}

impl From<StoreError> for WebError {
    fn from(e: StoreError) -> Self {
        WebError::Store(e)
    }
}

impl From<actix_web::error::BlockingError> for WebError {
    fn from(e: actix_web::error::BlockingError) -> Self {
        WebError::Broken(e.to_string())
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage<'a> {
    frame: Frame,
    title: &'a str,
    what: String,
    mend: String,
    /// Number of the request in the log.
    number: String,
}

impl WebError {
    /// What is wrong and how to mend it, where no page is shown.
    pub(crate) fn in_words(&self) -> (String, String) {
        let (_, _, what, mend) = self.told();
        (what, mend)
    }

    fn told(&self) -> (StatusCode, &'static str, String, String) {
        let unavailable = "Nothing was changed. Wait a moment and load the page again; what you had typed is still in the page before.";
        match self {
            WebError::SignIn(_) => (StatusCode::SEE_OTHER, "Sign in", String::new(), String::new()),
            WebError::Code => (StatusCode::SEE_OTHER, "Hand in", String::new(), String::new()),
            WebError::Token => (
                StatusCode::FORBIDDEN,
                "This form is too old",
                "It was made before you signed in, or by another page, so nothing was changed.".into(),
                "Go back, load the page anew and try again.".into(),
            ),
            WebError::Forbidden(what) => {
                (StatusCode::FORBIDDEN, "Not yours to do", format!("{what}."), "Ask the coordinator.".into())
            }
            WebError::NotFound(what) => not_found(what),
            WebError::Bad(what, mend) => {
                (StatusCode::UNPROCESSABLE_ENTITY, "This could not be used", what.clone(), mend.clone())
            }
            WebError::Packed => (
                StatusCode::UNSUPPORTED_MEDIA_TYPE,
                "This request is packed",
                "What is sent here is taken as it is, not compressed.".into(),
                "Send it without Content-Encoding.".into(),
            ),
            WebError::Host => (
                StatusCode::MISDIRECTED_REQUEST,
                "This is another place",
                "The address that was asked for is not the one of this installation.".into(),
                "Use the address that the coordinator gave you.".into(),
            ),
            WebError::TooLong(what) => (
                StatusCode::UNPROCESSABLE_ENTITY,
                "This takes too long",
                format!("{what} took longer than it may; nothing was changed."),
                "Look whether a number in it is far too large, and send it again.".into(),
            ),
            WebError::Broken(_) => broken(),
            WebError::Store(e) => match e {
                StoreError::Unavailable(_) => (
                    StatusCode::SERVICE_UNAVAILABLE,
                    "The records cannot be reached",
                    "The database does not answer at the moment.".into(),
                    unavailable.into(),
                ),
                StoreError::NotFound(what) => not_found(what),
                StoreError::Conflict(c) => (
                    StatusCode::CONFLICT,
                    "Somebody was first",
                    c.to_string(),
                    "Look at the table as it is now, then decide again.".into(),
                ),
                StoreError::File(f) => (
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "This file cannot be used",
                    format!("Line {}, column {}: {}.", f.line, f.column, f.what),
                    format!("{}.", crate::views::capital(&f.mend)),
                ),
                StoreError::Protocol(text) => (
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "The protocol has faults",
                    text.clone(),
                    "Mend them in its file.".into(),
                ),
                StoreError::Unknown(_) => (
                    StatusCode::SERVICE_UNAVAILABLE,
                    "It is not known whether this was stored",
                    "The connection to the database was lost while your change was being kept. It may be stored, or not."
                        .into(),
                    "Look at the table as it is now before you send anything again.".into(),
                ),
                StoreError::Unwell(ailment) => (
                    StatusCode::SERVICE_UNAVAILABLE,
                    "Nothing can be stored at the moment",
                    format!("{}. Nothing was changed.", crate::views::capital(&ailment.to_string())),
                    "Tell whoever looks after the machine; what is stored can be read meanwhile.".into(),
                ),
                StoreError::Refused(_) => (
                    StatusCode::SERVICE_UNAVAILABLE,
                    "Others were changing the same records",
                    "It was tried several times and nothing was changed.".into(),
                    "Wait a moment and send it again.".into(),
                ),
                StoreError::Bad(what, mend) => (
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "This could not be used",
                    format!("{}.", crate::views::capital(what)),
                    format!("{}.", crate::views::capital(mend)),
                ),
                StoreError::Broken(_) | StoreError::Migration(_) | StoreError::Database(_) => broken(),
                // The store may learn new faults; what we do not know is ours.
                _ => broken(),
            },
        }
    }
}

fn not_found(what: &str) -> (StatusCode, &'static str, String, String) {
    (
        StatusCode::NOT_FOUND,
        "There is nothing here",
        format!("There is no such {what}, or it is not one of yours."),
        "Go on from the Docket.".into(),
    )
}

fn broken() -> (StatusCode, &'static str, String, String) {
    (
        StatusCode::INTERNAL_SERVER_ERROR,
        "Something of ours failed",
        "Nothing was changed, and the fault has been written down.".into(),
        "Try again; if it comes back, tell the coordinator the number below.".into(),
    )
}

impl ResponseError for WebError {
    fn status_code(&self) -> StatusCode {
        self.told().0
    }

    fn error_response(&self) -> HttpResponse {
        if let WebError::SignIn(to) = self {
            let place = if to == "/" || to.is_empty() {
                "/sign-in".to_owned()
            } else {
                format!("/sign-in?to={}", crate::views::query(to))
            };
            return HttpResponse::SeeOther().insert_header((header::LOCATION, place)).finish();
        }
        if let WebError::Code = self {
            return HttpResponse::SeeOther().insert_header((header::LOCATION, "/hand-in")).finish();
        }
        let (status, title, what, mend) = self.told();
        if status.is_server_error() {
            log::error!("{self}");
        }
        let page = ErrorPage { frame: Frame::bare(title), title, what, mend, number: crate::request::number() };
        HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render().unwrap_or_default())
    }
}

/// No route.
pub(crate) async fn nowhere() -> Result<HttpResponse, WebError> {
    Err(WebError::NotFound("page"))
}

/// A form that cannot be read.
pub(crate) fn bad_form(e: UrlencodedError, _: &HttpRequest) -> actix_web::Error {
    WebError::Bad(format!("The form could not be read: {e}."), "Go back and send it again.".into()).into()
}

/// An address whose part after the question mark cannot be read.
pub(crate) fn bad_query(_: actix_web::error::QueryPayloadError, _: &HttpRequest) -> actix_web::Error {
    WebError::Bad("A part of this address cannot be read.".into(), "Go on from the Docket.".into()).into()
}

/// Renders a page.
pub(crate) fn html(page: &impl Template) -> Result<HttpResponse, WebError> {
    html_with(StatusCode::OK, page)
}

/// Renders a page with a status.
pub(crate) fn html_with(status: StatusCode, page: &impl Template) -> Result<HttpResponse, WebError> {
    let body = page.render().map_err(|e| WebError::Broken(e.to_string()))?;
    Ok(HttpResponse::build(status)
        .content_type("text/html; charset=utf-8")
        .insert_header((header::CACHE_CONTROL, "no-store"))
        .body(body))
}

/// Sends the browser on after a change.
pub(crate) fn on_to(place: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((header::LOCATION, place)).finish()
}
