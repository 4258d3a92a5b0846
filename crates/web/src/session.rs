//! Who asks. Handlers take an [`Actor`]: a page without one needs nobody signed in, and every change goes through
//! [`Actor::allow`].
//!
//! A session is a sealed cookie: whose it is, since when, when it was used last, and the number that the person's sessions
//! have to carry at the moment. Signing out, another password, another role and being closed raise that number, so a copied
//! cookie is worth nothing afterwards.

use std::future::Future;
use std::pin::Pin;
use std::sync::Arc;

use actix_session::{Session, SessionExt};
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use chrono::NaiveDateTime;
use jurado_store::{Db, Role, Store, StoreError, User};
use subtle::ConstantTimeEq;

use crate::door::Whose;
use crate::error::WebError;
use crate::flash::Said;
use crate::views::frame::Frame;

/// Key of the person's id in the session.
const USER: &str = "user";
/// Key of the number that the person's sessions carried when it began.
const EPOCH: &str = "epoch";
/// Key of the time it began, in seconds.
const SINCE: &str = "since";
/// Key of the time it was used last, in seconds.
const USED: &str = "used";
/// Key of the token that forms carry.
const TOKEN: &str = "token";

/// How long a session serves at most.
pub(crate) const MOST_HOURS: i64 = 12;
/// How long it serves without being used.
const MOST_IDLE_MINUTES: i64 = 120;
/// The time of use is written anew after so long.
const USED_MINUTES: i64 = 2;

/// How long a person waits for something that is worked out.
const MOST_THINKING: std::time::Duration = std::time::Duration::from_secs(8);

/// A signed-in person.
#[derive(Clone)]
pub(crate) struct Actor {
    pub(crate) user: User,
    pub(crate) token: String,
    pub(crate) night: bool,
    /// Whether names are hidden, from a cookie.
    pub(crate) blind: bool,
    pub(crate) store: Store,
    /// What the page that is asked for says once.
    pub(crate) said: Option<Said>,
}

/// Whether two texts are the same, in a time that does not say where they differ.
pub(crate) fn same(a: &str, b: &str) -> bool {
    // What is a page's own is not asked: it says which page, not whose.
    let a = a.split(OF_PAGE).next().unwrap_or_default();
    !a.is_empty() && a.as_bytes().ct_eq(b.as_bytes()).into()
}

impl Actor {
    /// Whose turn an upload is.
    pub(crate) fn whose(&self) -> Whose {
        Whose::Person(self.user.id)
    }

    /// Lets a change through if its form carries this session's token, and the person may change anything.
    pub(crate) fn allow(&self, token: &str) -> Result<(), WebError> {
        self.allow_own(token)?;
        if self.user.role == Role::Auditor {
            return Err(WebError::Forbidden("An auditor reads everything and changes nothing"));
        }
        Ok(())
    }

    /// Lets through what changes nothing but the person's own: a password, a token for reading, what is only looked at.
    pub(crate) fn allow_own(&self, token: &str) -> Result<(), WebError> {
        if same(token, &self.token) { Ok(()) } else { Err(WebError::Token) }
    }

    /// The frame of a page for this person.
    pub(crate) fn frame(&self, title: &str, current: &'static str) -> Frame {
        Frame {
            current,
            name: self.user.name.clone(),
            role: self.user.role.word(),
            token: of_page(&self.token),
            signed_in: true,
            blind: self.blind,
            said: self.said.clone(),
            ..Frame::outside(title, self.night)
        }
    }

    /// Lets only a coordinator through, and an auditor, whom [`Actor::allow`] keeps from every change.
    pub(crate) fn coordinator(&self, what: &'static str) -> Result<(), WebError> {
        if self.user.role == Role::Reviewer { Err(WebError::Forbidden(what)) } else { Ok(()) }
    }

    /// Runs work off the event loop that changes something on the database; it may run more than once.
    pub(crate) async fn run<T: Send + 'static>(
        &self,
        mut work: impl FnMut(&mut Db, &User) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let (store, user) = (self.store.clone(), self.user.clone());
        Ok(web::block(move || store.run(|c| work(c, &user))).await??)
    }

    /// Judges, or does other work that takes a while, off the event loop and within a limit of time: other people's pages
    /// do not wait for it. `what` begins the sentence that tells whoever asked for too much.
    pub(crate) async fn think<T: Send + 'static>(
        &self,
        what: &'static str,
        work: impl FnOnce(&Actor) -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let actor = self.clone();
        let done = web::block(move || work(&actor));
        match tokio::time::timeout(MOST_THINKING, done).await {
            Ok(done) => Ok(done?),
            Err(_) => Err(WebError::TooLong(what)),
        }
    }

    /// Runs work off the event loop that only reads.
    pub(crate) async fn look<T: Send + 'static>(
        &self,
        mut work: impl FnMut(&mut Db, &User) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let (store, user) = (self.store.clone(), self.user.clone());
        Ok(web::block(move || store.look(|c| work(c, &user))).await??)
    }
}

/// What parts a session's token from what is a page's own.
pub(crate) const OF_PAGE: char = '.';

/// A session's token for the forms of one page: the same form of the same page is one act, however often it is sent.
pub(crate) fn of_page(token: &str) -> String {
    format!("{token}{OF_PAGE}{}", &jurado_store::secret()[..16])
}

/// Whether a form's token is one of this session.
pub(crate) fn is_of(session: &Session, token: &str) -> bool {
    let kept: Option<String> = session.get(TOKEN).unwrap_or_default();
    kept.is_some_and(|kept| same(token, &kept))
}

/// Whether the lamp is shaded, from its cookie.
pub(crate) fn is_night(request: &HttpRequest) -> bool {
    request.cookie("lamp").is_some_and(|c| c.value() == "night")
}

/// The page of ours that a request came from; empty where it says nothing.
pub(crate) fn came_from(request: &HttpRequest) -> String {
    let referer = request.headers().get("referer").and_then(|r| r.to_str().ok()).unwrap_or("");
    let host = crate::request::host(request).to_owned();
    referer
        .split_once("://")
        .and_then(|(_, rest)| rest.split_once('/'))
        .filter(|(at, _)| *at == host)
        .map_or_else(String::new, |(_, path)| format!("/{path}"))
}

/// Begins a session for a person, with another key and token than whatever was before.
pub(crate) fn begin(session: &Session, user: &User, now: NaiveDateTime) -> Result<(), WebError> {
    // A team that came in here before is not in any more.
    session.clear();
    session.renew();
    let at = now.and_utc().timestamp();
    session
        .insert(USER, user.id)
        .and_then(|()| session.insert(EPOCH, user.epoch))
        .and_then(|()| session.insert(SINCE, at))
        .and_then(|()| session.insert(USED, at))
        .and_then(|()| session.insert(TOKEN, jurado_store::secret()))
        .map_err(|e| WebError::Broken(e.to_string()))
}

/// The token of whoever is not signed in yet, for the form to sign in; one is made where there is none.
pub(crate) fn token_outside(session: &Session) -> Result<String, WebError> {
    if let Some(token) = session.get::<String>(TOKEN).unwrap_or_default() {
        return Ok(token);
    }
    let token = jurado_store::secret();
    session.insert(TOKEN, &token).map_err(|e| WebError::Broken(e.to_string()))?;
    Ok(token)
}

/// The frame of a page for somebody who is not signed in, with a token for its forms.
pub(crate) fn outside(request: &HttpRequest, title: &str) -> Result<Frame, WebError> {
    let token = of_page(&token_outside(&request.get_session())?);
    Ok(Frame { token, ..Frame::outside(title, is_night(request)) })
}

/// As [`outside`], with the course as it is now: what ways in there are may have been set a moment ago, elsewhere. Where the
/// database cannot be asked the page is there all the same.
pub(crate) async fn outside_now(request: &HttpRequest, title: &str) -> Result<Frame, WebError> {
    let frame = outside(request, title)?;
    let Some(store) = request.app_data::<web::Data<Store>>().map(|s| s.get_ref().clone()) else { return Ok(frame) };
    let course = web::block(move || store.look(jurado_store::settings::course)).await?;
    Ok(course.map_or(frame.clone(), |course| Frame { course: Arc::new(course), ..frame }))
}

/// Lets a form through that was made for this browser before anybody signed in.
pub(crate) fn allow_outside(session: &Session, token: &str) -> Result<(), WebError> {
    let kept: String = session.get(TOKEN).unwrap_or_default().unwrap_or_default();
    if same(token, &kept) { Ok(()) } else { Err(WebError::Token) }
}

/// What a session's cookie says.
struct Held {
    user: u32,
    epoch: u32,
    since: i64,
    used: i64,
    token: String,
}

fn held(session: &Session) -> Option<Held> {
    Some(Held {
        user: session.get(USER).ok()??,
        epoch: session.get(EPOCH).ok()??,
        since: session.get(SINCE).ok()??,
        used: session.get(USED).ok()??,
        token: session.get(TOKEN).ok()??,
    })
}

impl Held {
    /// Whether the session still serves for this person at this time.
    fn serves(&self, user: &User, now: i64) -> bool {
        !user.closed
            && self.epoch == user.epoch
            && now < self.since + MOST_HOURS * 3600
            && now < self.used + MOST_IDLE_MINUTES * 60
    }
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
            let to = if request.method() == actix_web::http::Method::GET { to } else { came_from(&request) };
            let Some(held) = held(&session) else { return Err(WebError::SignIn(to)) };
            let store = request
                .app_data::<web::Data<Store>>()
                .ok_or_else(|| WebError::Broken("no store".into()))?
                .get_ref()
                .clone();
            let (keep, id) = (store.clone(), held.user);
            let found = web::block(move || {
                keep.look(|c| Ok((jurado_store::users::get(c, id)?, c.now()?, jurado_store::settings::course(c)?)))
            })
            .await?;
            let (user, now) = match found {
                Ok((user, now, course)) => {
                    crate::views::course::read(course);
                    (user, now.and_utc().timestamp())
                }
                // The person is gone: the session is worth nothing.
                Err(StoreError::NotFound(_)) => {
                    session.purge();
                    return Err(WebError::SignIn(to));
                }
                Err(e) => return Err(e.into()),
            };
            if !held.serves(&user, now) {
                session.purge();
                return Err(WebError::SignIn(to));
            }
            if now > held.used + USED_MINUTES * 60 {
                session.insert(USED, now).map_err(|e| WebError::Broken(e.to_string()))?;
            }
            Ok(Actor {
                user,
                token: held.token,
                night: is_night(&request),
                blind: request.cookie("names").is_some_and(|c| c.value() == "hidden"),
                store,
                said: crate::flash::take(&request),
            })
        })
    }
}

#[cfg(test)]
mod tests {
    use super::{Held, MOST_HOURS, MOST_IDLE_MINUTES};
    use jurado_store::{Role, User};

    #[test]
    fn a_session_serves_as_long_as_nothing_ended_it() {
        let user = |epoch, closed| User {
            id: 1,
            sign_in: "a".into(),
            name: "A".into(),
            role: Role::Reviewer,
            sections: Default::default(),
            epoch,
            closed,
            demo: false,
        };
        let (hour, begun) = (3600, 1_000_000);
        let held = |used| Held { user: 1, epoch: 3, since: begun, used, token: String::new() };
        let idle = MOST_IDLE_MINUTES * 60;
        for (what, used, now, epoch, closed, serves) in [
            ("in use", begun, begun + 60, 3, false, true),
            ("idle, just not too long", begun, begun + idle - 1, 3, false, true),
            ("idle for too long", begun, begun + idle, 3, false, false),
            ("in use to the last", begun + MOST_HOURS * hour - 60, begun + MOST_HOURS * hour - 1, 3, false, true),
            ("too old, though in use", begun + MOST_HOURS * hour - 60, begun + MOST_HOURS * hour, 3, false, false),
            ("signed out elsewhere", begun, begun + 60, 4, false, false),
            ("closed", begun, begun + 60, 3, true, false),
        ] {
            assert_eq!(held(used).serves(&user(epoch, closed), now), serves, "{what}");
        }
    }
}
