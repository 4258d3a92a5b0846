//! A team at the door. It came in with a code and has no sign-in: what it may do is hand in its own sheets. Its session holds
//! the code's digest; a new code ends it.

use std::future::Future;
use std::pin::Pin;

use actix_session::{Session, SessionExt};
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use chrono::NaiveDateTime;
use jurado_store::door::{self, Team};
use jurado_store::{Db, Store, StoreError, college};

use crate::error::WebError;
use crate::flash::Said;
use crate::session::{self, MOST_HOURS, is_night};
use crate::views::frame::Frame;

/// Key of the code's digest in the session.
const CODE: &str = "code";
/// Key of a student's number in the session, in place of a code.
const STUDENT: &str = "student";
/// Key of the time it began, in seconds.
const SINCE: &str = "since";

/// A team that came in.
#[derive(Clone)]
pub(crate) struct Crew {
    pub(crate) team: Team,
    /// Number of the student who came in from the college; `None` for a team with its code.
    pub(crate) student: Option<String>,
    pub(crate) token: String,
    night: bool,
    store: Store,
    said: Option<Said>,
}

impl Crew {
    /// Lets a change through if its form carries this session's token.
    pub(crate) fn allow(&self, token: &str) -> Result<(), WebError> {
        if session::same(token, &self.token) { Ok(()) } else { Err(WebError::Token) }
    }

    /// The frame of a page for this team.
    pub(crate) fn frame(&self, title: &str) -> Frame {
        Frame { token: session::of_page(&self.token), said: self.said.clone(), ..Frame::outside(title, self.night) }
    }

    /// Runs work off the event loop that changes something; it may run more than once.
    pub(crate) async fn run<T: Send + 'static>(
        &self,
        mut work: impl FnMut(&mut Db, &Team) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let (store, team) = (self.store.clone(), self.team.clone());
        Ok(web::block(move || store.run(|c| work(c, &team))).await??)
    }

    /// Runs work off the event loop that only reads.
    pub(crate) async fn look<T: Send + 'static>(
        &self,
        mut work: impl FnMut(&mut Db, &Team) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let (store, team) = (self.store.clone(), self.team.clone());
        Ok(web::block(move || store.look(|c| work(c, &team))).await??)
    }
}

/// Begins a session for a team; whoever was signed in here before is not any more.
pub(crate) fn begin(session: &Session, team: &Team, now: NaiveDateTime) -> Result<(), WebError> {
    begin_as(session, (CODE, &team.code), now)
}

/// Begins a session for a student, who is let in as the team that the roster has.
pub(crate) fn begin_student(session: &Session, number: &str, now: NaiveDateTime) -> Result<(), WebError> {
    begin_as(session, (STUDENT, number), now)
}

fn begin_as(session: &Session, (key, value): (&str, &str), now: NaiveDateTime) -> Result<(), WebError> {
    session.clear();
    session.renew();
    session
        .insert(key, value)
        .and_then(|()| session.insert(SINCE, now.and_utc().timestamp()))
        .map_err(|e| WebError::Broken(e.to_string()))?;
    session::token_outside(session).map(|_| ())
}

/// The team of a request, if one came in here and its code still stands.
pub(crate) async fn of(request: &HttpRequest) -> Result<Option<Crew>, WebError> {
    let session = request.get_session();
    let code: Option<String> = session.get(CODE).unwrap_or_default();
    let since: i64 = session.get(SINCE).unwrap_or_default().unwrap_or(0);
    let student: Option<String> = session.get(STUDENT).unwrap_or_default();
    if code.is_none() && student.is_none() {
        return Ok(None);
    }
    let store =
        request.app_data::<web::Data<Store>>().ok_or_else(|| WebError::Broken("no store".into()))?.get_ref().clone();
    let keep = store.clone();
    let whose = student.clone();
    let found = web::block(move || {
        keep.look(|c| {
            let team = match (&code, &whose) {
                (Some(code), _) => door::still(c, code)?,
                (None, Some(number)) => college::student(c, number)?,
                (None, None) => None,
            };
            let ended = match &team {
                Some(team) => door::ended(c, team.id)?,
                None => None,
            };
            let team = team.filter(|_| ended.is_none_or(|at| since > at.and_utc().timestamp()));
            Ok((team, c.now()?, jurado_store::settings::course(c)?))
        })
    });
    let (team, now, course) = found.await??;
    crate::views::course::read(course);
    match team {
        Some(team) if now.and_utc().timestamp() < since + MOST_HOURS * 3600 => Ok(Some(Crew {
            team,
            student,
            token: session::token_outside(&session)?,
            night: is_night(request),
            store,
            said: crate::flash::take(request),
        })),
        _ => {
            session.purge();
            Ok(None)
        }
    }
}

impl FromRequest for Crew {
    type Error = WebError;
    type Future = Pin<Box<dyn Future<Output = Result<Crew, WebError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let request = request.clone();
        Box::pin(async move { of(&request).await?.ok_or(WebError::Code) })
    }
}
