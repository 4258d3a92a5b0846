//! For whoever watches the machine: whether all is well, and figures.

use std::sync::Mutex;
use std::time::{Duration, Instant};

use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use jurado_store::{Store, StoreError};

use crate::error::WebError;
use crate::metrics::Metrics;

/// How long a word on the health is good, so that strangers cannot make the database write.
const GOOD_FOR: Duration = Duration::from_secs(1);

/// The last word on the health, and when it was asked for.
#[derive(Default)]
pub(crate) struct Health(Mutex<Option<(Instant, StatusCode, String)>>);

/// One line: whether the process answers and the database can keep something; else what is wrong.
pub(crate) async fn health(store: web::Data<Store>, health: web::Data<Health>) -> Result<HttpResponse, WebError> {
    let last = health.0.lock().ok().and_then(|h| h.clone()).filter(|(at, ..)| at.elapsed() < GOOD_FOR);
    let (_, status, words) = match last {
        Some(last) => last,
        None => {
            let store = store.get_ref().clone();
            let (status, words) = match web::block(move || store.well()).await? {
                Ok(()) => (StatusCode::OK, "ok".to_owned()),
                Err(e @ (StoreError::Unwell(_) | StoreError::Unavailable(_) | StoreError::Unknown(_))) => {
                    (StatusCode::SERVICE_UNAVAILABLE, e.to_string())
                }
                Err(e) => return Err(e.into()),
            };
            let now = (Instant::now(), status, words);
            if let Ok(mut kept) = health.0.lock() {
                *kept = Some(now.clone());
            }
            now
        }
    };
    Ok(HttpResponse::build(status).content_type("text/plain; charset=utf-8").body(format!("{words}\n")))
}

/// Figures, for a watcher on this machine. Through a proxy there is no such page.
pub(crate) async fn metrics(
    request: HttpRequest,
    store: web::Data<Store>,
    metrics: web::Data<Metrics>,
) -> Result<HttpResponse, WebError> {
    let near = request.peer_addr().is_some_and(|a| a.ip().is_loopback());
    let passed_on = ["x-forwarded-for", "forwarded", "via"].iter().any(|h| request.headers().contains_key(*h));
    if !near || passed_on {
        return Err(WebError::NotFound("page"));
    }
    let store = store.get_ref().clone();
    let text = web::block(move || metrics.text(&store)).await??;
    Ok(HttpResponse::Ok().content_type("text/plain; version=0.0.4; charset=utf-8").body(text))
}
