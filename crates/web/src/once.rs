//! A form that is sent twice is one act. Each page gives its forms a token of its own; the same form of the same page, sent again with
//! the same content, waits for the first and is answered as that was: a double click, a browser that tries again, a connection that
//! broke before the answer came.
//!
//! What is kept is in the memory of this process. Where several serve one course, a proxy has to send a browser to the same one.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use actix_session::{SessionExt, SessionStatus};
use actix_web::body::{BoxBody, EitherBody, MessageBody, to_bytes};
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::http::header::{CONTENT_TYPE, HeaderMap};
use actix_web::http::{Method, StatusCode};
use actix_web::middleware::Next;
use actix_web::web::{self, Bytes, BytesMut};
use actix_web::{Error, HttpMessage, HttpResponse};
use futures_util::StreamExt;

use crate::flash::Said;
use crate::session;

/// For how long an answer is kept.
const KEPT_FOR: Duration = Duration::from_secs(600);
/// Most bytes of all answers that are kept.
const MOST_KEPT: usize = 12 * 1024 * 1024;
/// Most bytes of one.
const MOST_ANSWER: usize = 512 * 1024;
/// What an answer takes besides its body, about.
const AROUND: usize = 2 * 1024;
/// Longest form that is looked at; longer ones are refused by their readers.
pub(crate) const MOST_FORM: usize = 256 * 1024;

/// An answer as it was given.
#[derive(Clone)]
struct Kept {
    status: StatusCode,
    headers: HeaderMap,
    body: Bytes,
    said: Option<Said>,
}

/// What one form came to, once it came to something.
type Outcome = Arc<tokio::sync::Mutex<Option<Kept>>>;

/// Forms that were sent of late.
#[derive(Default)]
pub(crate) struct Acts(Mutex<HashMap<String, (Instant, usize, Outcome)>>);

impl Acts {
    fn of(&self, key: &str) -> Outcome {
        let mut acts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        acts.retain(|_, (at, ..)| at.elapsed() < KEPT_FOR);
        acts.entry(key.to_owned()).or_insert_with(|| (Instant::now(), 0, Outcome::default())).2.clone()
    }

    /// Counts what is kept of an act, and forgets the oldest where all together are too much.
    fn weigh(&self, key: &str, bytes: usize) {
        let mut acts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(act) = acts.get_mut(key) {
            act.1 = bytes;
        }
        let mut all: usize = acts.values().map(|a| a.1).sum();
        while all > MOST_KEPT {
            let oldest = acts.iter().min_by_key(|(_, a)| a.0).map(|(key, a)| (key.clone(), a.1));
            let Some((oldest, size)) = oldest else { break };
            acts.remove(&oldest);
            all -= size;
        }
    }

    fn forget(&self, key: &str) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).remove(key);
    }
}

/// The token of a page in a form, if the form is of this browser's session and its page gave it one of its own.
fn token_of(form: &[u8], request: &ServiceRequest) -> bool {
    let text = String::from_utf8_lossy(form);
    let token = text.split('&').find_map(|f| f.strip_prefix("token="));
    token.is_some_and(|t| t.contains(session::OF_PAGE) && session::is_of(&request.get_session(), t))
}

/// Lets a form through once. Stands within the sessions.
pub(crate) async fn once<B: MessageBody + 'static>(
    mut request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B, BoxBody>>, Error> {
    let kind = request.headers().get(CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or("");
    let is_form = *request.method() == Method::POST && kind.starts_with("application/x-www-form-urlencoded");
    let acts = request.app_data::<web::Data<Acts>>().cloned();
    let (true, Some(acts)) = (is_form, acts) else {
        return next.call(request).await.map(ServiceResponse::map_into_left_body);
    };
    let mut form = BytesMut::new();
    let mut payload = request.take_payload();
    while let Some(piece) = payload.next().await {
        match piece {
            Ok(piece) if form.len() + piece.len() <= MOST_FORM => form.extend_from_slice(&piece),
            // Whoever reads the form says what is wrong with it.
            Ok(piece) => {
                let before = futures_util::stream::iter([Ok(form.freeze()), Ok(piece)]);
                request.set_payload(Payload::Stream { payload: Box::pin(before.chain(payload)) });
                return next.call(request).await.map(ServiceResponse::map_into_left_body);
            }
            Err(e) => {
                let failed = futures_util::stream::iter([Err(e)]);
                request.set_payload(Payload::Stream { payload: Box::pin(failed) });
                return next.call(request).await.map(ServiceResponse::map_into_left_body);
            }
        }
    }
    let form = form.freeze();
    request.set_payload(Payload::from(form.clone()));
    if !token_of(&form, &request) {
        return next.call(request).await.map(ServiceResponse::map_into_left_body);
    }
    let key = jurado_store::digest(&[request.path().as_bytes(), b"\n", &form].concat());
    let outcome = acts.of(&key);
    let mut kept = outcome.lock_owned().await;
    if let Some(kept) = kept.as_ref() {
        return Ok(request.into_response(again(kept)).map_into_right_body());
    }
    // The act goes on where its sender leaves, so that the one who sends it again finds what it came to.
    let called = actix_web::rt::spawn(crate::request::as_asked(async move {
        let answer = next.call(request).await?;
        let (request, answer) = answer.into_parts();
        let said = answer.extensions().get::<Said>().cloned();
        let (head, body) = answer.into_parts();
        let (status, headers) = (head.status(), head.headers().clone());
        // Whoever comes in, or goes, is answered with a session of their own, which no answer that was kept has.
        let session = request.get_session().status();
        let comes_or_goes = matches!(session, SessionStatus::Renewed | SessionStatus::Purged);
        let body = to_bytes(body).await.map_err(|e| {
            let e: Box<dyn std::error::Error> = e.into();
            crate::error::WebError::Broken(e.to_string())
        })?;
        let answered = Kept { status, headers, body, said };
        // What was refused may be tried again, and a page that is longer than one that tells of an act only shows something.
        let done = status.is_success() || status.is_redirection();
        if done && !comes_or_goes && answered.body.len() <= MOST_ANSWER {
            acts.weigh(&key, answered.body.len() + AROUND);
            *kept = Some(answered.clone());
        } else {
            acts.forget(&key);
        }
        Ok(ServiceResponse::new(request, again(&answered)))
    }));
    let answer: Result<ServiceResponse, Error> =
        called.await.map_err(|e| crate::error::WebError::Broken(e.to_string()))?;
    answer.map(ServiceResponse::map_into_right_body)
}

/// An answer once more.
fn again(kept: &Kept) -> HttpResponse {
    let mut answer = HttpResponse::new(kept.status).set_body(BoxBody::new(kept.body.clone()));
    *answer.headers_mut() = kept.headers.clone();
    if let Some(said) = &kept.said {
        answer.extensions_mut().insert(said.clone());
    }
    answer
}
