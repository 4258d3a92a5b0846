//! Who calls: a token in the `Authorization` head, and no cookie. Wrong ones are counted like wrong passwords.

use std::future::Future;
use std::pin::Pin;

use actix_web::dev::Payload;
use actix_web::http::StatusCode;
use actix_web::{FromRequest, HttpRequest, HttpResponse, ResponseError, web};
use jurado_store::tries::{self, Counted};
use jurado_store::{Db, Store, StoreError, User, tokens};

use super::answers::Told;
use crate::door::Door;
use crate::error::WebError;

/// A person by a token.
pub(crate) struct Caller {
    pub(super) user: User,
    /// Whether the token may bring tables.
    pub(super) brings: bool,
    store: Store,
}

/// A fault, told as JSON.
#[derive(Debug)]
pub(crate) enum ApiError {
    /// No token that serves.
    Unknown,
    /// As on a page.
    Web(WebError),
}

impl From<WebError> for ApiError {
    fn from(e: WebError) -> ApiError {
        ApiError::Web(e)
    }
}

impl std::fmt::Display for ApiError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            ApiError::Unknown => f.write_str("no token that serves"),
            ApiError::Web(e) => e.fmt(f),
        }
    }
}

impl ResponseError for ApiError {
    fn status_code(&self) -> StatusCode {
        match self {
            ApiError::Unknown => StatusCode::UNAUTHORIZED,
            ApiError::Web(e) => e.status_code(),
        }
    }

    fn error_response(&self) -> HttpResponse {
        let (what, mend) = match self {
            ApiError::Unknown => (
                "No token that serves was shown.".to_owned(),
                "Send “Authorization: Bearer …” with a token from your account's page.".to_owned(),
            ),
            ApiError::Web(e) => e.in_words(),
        };
        if self.status_code().is_server_error() {
            log::error!("{self}");
        }
        HttpResponse::build(self.status_code()).json(Told { what, mend })
    }
}

impl Caller {
    /// Runs work off the event loop that changes something; it may run more than once.
    pub(super) async fn run<T: Send + 'static>(
        &self,
        mut work: impl FnMut(&mut Db, &User) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, ApiError> {
        let (store, user) = (self.store.clone(), self.user.clone());
        let done = web::block(move || store.run(|c| work(c, &user))).await;
        Ok(done.map_err(WebError::from)?.map_err(WebError::from)?)
    }

    /// Runs work off the event loop that only reads.
    pub(super) async fn look<T: Send + 'static>(
        &self,
        mut work: impl FnMut(&mut Db, &User) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, ApiError> {
        let (store, user) = (self.store.clone(), self.user.clone());
        let done = web::block(move || store.look(|c| work(c, &user))).await;
        Ok(done.map_err(WebError::from)?.map_err(WebError::from)?)
    }
}

async fn let_in(request: HttpRequest) -> Result<Caller, ApiError> {
    let missing = || WebError::Broken("no store".into());
    let store = request.app_data::<web::Data<Store>>().ok_or_else(missing)?.get_ref().clone();
    let door = request.app_data::<web::Data<Door>>().ok_or_else(missing)?;
    let shown = request.headers().get("authorization").and_then(|v| v.to_str().ok());
    let secret = shown.and_then(|v| v.strip_prefix("Bearer ")).map(str::trim).unwrap_or("").to_owned();
    if !secret.starts_with(tokens::BEGINS) {
        return Err(ApiError::Unknown);
    }
    let counted = Counted::new("token", &door.address_of(&request));
    let keep = store.clone();
    // One that serves is never kept waiting by others from the same address.
    let found = web::block(move || {
        keep.run(|c| match tokens::whose(c, &secret)? {
            Some(found) => Ok(Ok(found)),
            None => Ok(Err(tries::refused_from(c, &counted)?)),
        })
    });
    match found.await.map_err(WebError::from)?.map_err(WebError::from)? {
        Ok((user, brings)) => Ok(Caller { user, brings, store }),
        Err(pace) => {
            crate::door::answer(pace).await;
            Err(ApiError::Unknown)
        }
    }
}

impl FromRequest for Caller {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Caller, ApiError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        Box::pin(let_in(request.clone()))
    }
}
