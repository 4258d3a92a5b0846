//! What happens around every request: it gets a number that the log and error pages show, what it may not carry is refused,
//! and its time is counted.

use std::cell::RefCell;
use std::time::Instant;

use actix_web::body::{EitherBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{CONTENT_ENCODING, HOST, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, ResponseError, web};

use crate::error::WebError;
use crate::metrics::Metrics;

tokio::task_local! {
    /// The number of the request that is being answered.
    static NUMBER: RefCell<String>;
}

/// The number of the request that is being answered, for its log lines and its error page; blank outside of one.
pub fn number() -> String {
    NUMBER.try_with(|n| n.borrow().clone()).unwrap_or_default()
}

/// The host that requests have to be for, where one is expected.
#[derive(Clone)]
pub(crate) struct Expected(pub(crate) Option<String>);

/// What a request may not carry.
fn objection(request: &ServiceRequest, expected: &Expected) -> Option<WebError> {
    // A packed body unpacks to a thousand times its size before anything can look at it; no browser sends one.
    if request.headers().contains_key(CONTENT_ENCODING) {
        return Some(WebError::Packed);
    }
    let host = request.headers().get(HOST).and_then(|h| h.to_str().ok()).unwrap_or("");
    match &expected.0 {
        Some(ours) if !host.eq_ignore_ascii_case(ours) => Some(WebError::Host),
        _ => None,
    }
}

/// Numbers, looks at, times and counts a request.
pub(crate) async fn around<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B>>, Error> {
    let begun = Instant::now();
    let number = jurado_store::secret()[..10].to_owned();
    NUMBER
        .scope(RefCell::new(number.clone()), async move {
            let metrics = request.app_data::<web::Data<Metrics>>().cloned();
            let expected = request.app_data::<web::Data<Expected>>().cloned();
            let line = format!("{} {}", request.method(), request.path());
            let objection = expected.as_ref().and_then(|e| objection(&request, e));
            let mut answer = match objection {
                Some(e) => request.into_response(e.error_response()).map_into_right_body(),
                None => next.call(request).await?.map_into_left_body(),
            };
            let took = begun.elapsed();
            let status = answer.status().as_u16();
            if let Some(metrics) = metrics {
                metrics.answered(status, took);
            }
            log::info!("{line} {status} {:.1} ms", 1000.0 * took.as_secs_f64());
            let headers = answer.headers_mut();
            let mut put = |name: &'static str, value: String| {
                if let Ok(value) = HeaderValue::from_str(&value) {
                    headers.insert(HeaderName::from_static(name), value);
                }
            };
            // Browsers and benchmarks read how long it took in the server.
            put("server-timing", format!("app;dur={:.2}", 1000.0 * took.as_secs_f64()));
            put("x-request-id", number);
            Ok(answer)
        })
        .await
}
