//! Who asks. Handlers take an [`Actor`]: a page without one needs nobody signed in, and every change goes through
//! [`Actor::allow`].

use std::future::Future;
use std::pin::Pin;

use actix_session::SessionExt;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use jurado_store::{Role, Store, User};

use crate::error::WebError;
use crate::views::frame::Frame;

/// Key of the person's id in the session.
pub(crate) const USER: &str = "user";
/// Key of the token that forms carry.
pub(crate) const TOKEN: &str = "token";

/// A signed-in person.
pub(crate) struct Actor {
    pub(crate) user: User,
    pub(crate) token: String,
    pub(crate) night: bool,
    /// Whether names are hidden, from a cookie.
    pub(crate) blind: bool,
    pub(crate) store: Store,
}

impl Actor {
    /// Lets a change through if its form carries this session's token.
    pub(crate) fn allow(&self, token: &str) -> Result<(), WebError> {
        // Both are random and of one length; comparing all bytes keeps the time the same.
        let same = token.len() == self.token.len()
            && token.bytes().zip(self.token.bytes()).fold(0, |d, (a, b)| d | (a ^ b)) == 0;
        if same && !token.is_empty() { Ok(()) } else { Err(WebError::Token) }
    }

    /// The frame of a page for this person.
    pub(crate) fn frame(&self, title: &str, current: &'static str) -> Frame {
        Frame {
            current,
            name: self.user.name.clone(),
            role: self.user.role.word(),
            token: self.token.clone(),
            signed_in: true,
            blind: self.blind,
            ..Frame::outside(title, self.night)
        }
    }

    /// Lets only a coordinator through.
    pub(crate) fn coordinator(&self, what: &'static str) -> Result<(), WebError> {
        if self.user.role == Role::Coordinator { Ok(()) } else { Err(WebError::Forbidden(what)) }
    }

    /// Runs database work off the event loop.
    pub(crate) async fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce(&mut jurado_store::Db, &User) -> Result<T, jurado_store::StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let (store, user) = (self.store.clone(), self.user.clone());
        Ok(web::block(move || store.run(|c| work(c, &user))).await??)
    }
}

/// Whether the lamp is shaded, from its cookie.
pub(crate) fn is_night(request: &HttpRequest) -> bool {
    request.cookie("lamp").is_some_and(|c| c.value() == "night")
}

/// The page of ours that a request came from; empty where it says nothing.
fn from(request: &HttpRequest) -> String {
    let referer = request.headers().get("referer").and_then(|r| r.to_str().ok()).unwrap_or("");
    let host = request.connection_info().host().to_owned();
    referer
        .split_once("://")
        .and_then(|(_, rest)| rest.split_once('/'))
        .filter(|(at, _)| *at == host)
        .map_or_else(String::new, |(_, path)| format!("/{path}"))
}

impl FromRequest for Actor {
    type Error = WebError;
    type Future = Pin<Box<dyn Future<Output = Result<Actor, WebError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let request = request.clone();
        Box::pin(async move {
            let session = request.get_session();
            let to = request.uri().path_and_query().map_or_else(String::new, ToString::to_string);
            // After a form the way back is the page it stood on, where what was typed is still kept.
            let to = if request.method() == actix_web::http::Method::GET { to } else { from(&request) };
            let id: Option<u32> = session.get(USER).unwrap_or_default();
            let token: Option<String> = session.get(TOKEN).unwrap_or_default();
            let (Some(id), Some(token)) = (id, token) else { return Err(WebError::SignIn(to)) };
            let store = request
                .app_data::<web::Data<Store>>()
                .ok_or_else(|| WebError::Broken("no store".into()))?
                .get_ref()
                .clone();
            let keep = store.clone();
            let user = web::block(move || keep.run(|c| jurado_store::users::get(c, id))).await?;
            match user {
                Ok(user) => Ok(Actor {
                    user,
                    token,
                    night: is_night(&request),
                    blind: request.cookie("names").is_some_and(|c| c.value() == "hidden"),
                    store,
                }),
                // The person is gone: the session is worth nothing.
                Err(jurado_store::StoreError::NotFound(_)) => {
                    session.purge();
                    Err(WebError::SignIn(to))
                }
                Err(e) => Err(e.into()),
            }
        })
    }
}
