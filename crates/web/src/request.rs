//! What happens around every request: it gets a number that the log and error pages show, what it may not carry is refused,
//! and its time is counted.

use std::io::ErrorKind;
use std::time::{Duration, Instant};

use actix_web::body::{EitherBody, MessageBody};
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::error::PayloadError;
use actix_web::http::header::{CONTENT_ENCODING, HOST, HeaderName, HeaderValue, ORIGIN};
use actix_web::http::{Method, Uri};
use actix_web::middleware::Next;
use actix_web::web::Bytes;
use actix_web::{Error, HttpMessage, HttpRequest, ResponseError, web};
use futures_util::{Stream, StreamExt, stream};

use crate::error::WebError;
use crate::metrics::Metrics;

/// A request that is being answered.
#[derive(Clone)]
struct Asked {
    number: String,
    begun: Instant,
}

tokio::task_local! {
    /// The request that is being answered.
    static ASKED: Asked;
}

/// The number of the request that is being answered, for its log lines and its error page; blank outside of one.
pub fn number() -> String {
    ASKED.try_with(|a| a.number.clone()).unwrap_or_default()
}

/// When the request that is being answered arrived; now outside of one.
pub(crate) fn arrived() -> Instant {
    ASKED.try_with(|a| a.begun).unwrap_or_else(|_| Instant::now())
}

/// Work of a task of its own, as part of the request that is being answered.
pub(crate) fn as_asked<T>(work: impl Future<Output = T>) -> impl Future<Output = T> {
    let asked = ASKED.try_with(Asked::clone);
    async move {
        match asked {
            Ok(asked) => ASKED.scope(asked, work).await,
            Err(_) => work.await,
        }
    }
}

/// The host that requests have to be for, where one is expected.
#[derive(Clone)]
pub(crate) struct Expected(pub(crate) Option<String>);

/// Under which address people reach this place; nothing where it was not said.
#[derive(Clone)]
pub(crate) struct Public(pub(crate) Option<String>);

/// The host of a request, as its own line says and nobody before us.
pub(crate) fn host(request: &HttpRequest) -> &str {
    request.headers().get(HOST).and_then(|h| h.to_str().ok()).unwrap_or("")
}

/// The address of this place, for cards, links and whoever is sent back: what a request says of it is asked only where nothing else
/// was said.
pub(crate) fn address(request: &HttpRequest) -> String {
    match request.app_data::<web::Data<Public>>().and_then(|p| p.0.clone()) {
        Some(address) => address,
        None => format!("http://{}", host(request)),
    }
}

/// How long a body may take whatever its pace.
const GRACE: Duration = Duration::from_secs(20);
/// After that it has to have come at this pace, in bytes per second: a slow line does, a body that holds a place does not.
const LEAST_PACE: f64 = 16.0 * 1024.0;

/// A body that ends in an error where it comes more slowly than a slow line brings it. The time runs from the first look.
fn paced<S>(body: S) -> impl Stream<Item = Result<Bytes, PayloadError>>
where
    S: Stream<Item = Result<Bytes, PayloadError>> + Unpin,
{
    stream::unfold((body, None, 0usize), |(mut body, begun, arrived)| async move {
        let begun = begun.unwrap_or_else(tokio::time::Instant::now);
        let until = begun + GRACE + Duration::from_secs_f64(arrived as f64 / LEAST_PACE);
        match tokio::time::timeout_at(until, body.next()).await {
            Ok(None) => None,
            Ok(Some(piece)) => {
                let arrived = arrived + piece.as_ref().map_or(0, Bytes::len);
                Some((piece, (body, Some(begun), arrived)))
            }
            Err(_) => {
                let late = PayloadError::Io(ErrorKind::TimedOut.into());
                Some((Err(late), (body, Some(begun), arrived)))
            }
        }
    })
    // Readers of forms look once more after the end.
    .fuse()
}

/// Whether a change is asked for by a page of another place. Browsers say which page it was; other programs say nothing.
fn is_foreign(request: &ServiceRequest, host: &str) -> bool {
    let Some(origin) = request.headers().get(ORIGIN) else { return false };
    let ours = |origin: &Uri| origin.authority().is_some_and(|a| a.as_str().eq_ignore_ascii_case(host));
    *request.method() != Method::GET && !origin.to_str().is_ok_and(|o| o.parse().is_ok_and(|uri| ours(&uri)))
}

/// What a request may not carry.
fn objection(request: &ServiceRequest, expected: &Expected) -> Option<WebError> {
    // A packed body unpacks to a thousand times its size before anything can look at it; no browser sends one.
    if request.headers().contains_key(CONTENT_ENCODING) {
        return Some(WebError::Packed);
    }
    let host = request.headers().get(HOST).and_then(|h| h.to_str().ok()).unwrap_or("");
    match &expected.0 {
        Some(ours) if !host.eq_ignore_ascii_case(ours) => Some(WebError::Host),
        _ if is_foreign(request, host) => Some(WebError::Token),
        _ => None,
    }
}

/// Numbers, looks at, times and counts a request.
pub(crate) async fn around<B: MessageBody>(
    mut request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B>>, Error> {
    let begun = Instant::now();
    let number = jurado_store::secret()[..10].to_owned();
    ASKED
        .scope(Asked { number: number.clone(), begun }, async move {
            let metrics = request.app_data::<web::Data<Metrics>>().cloned();
            let expected = request.app_data::<web::Data<Expected>>().cloned();
            // Some addresses carry what opens something: the log has the pattern of the route.
            let (method, ours) = (request.method().clone(), request.match_pattern());
            let body = Box::pin(paced(request.take_payload()));
            request.set_payload(Payload::Stream { payload: body });
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
            let ours = ours.or_else(|| answer.request().match_pattern());
            let line = ours.as_deref().unwrap_or("no such page");
            log::info!("{method} {line} {status} {:.1} ms", 1000.0 * took.as_secs_f64());
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

#[cfg(test)]
mod tests {
    use actix_web::test::TestRequest;

    use super::*;

    /// How many bytes of a body are taken that sends `piece` bytes every `every`, and whether it is taken to its end.
    async fn taken(piece: usize, every: Duration, pieces: usize) -> (usize, bool) {
        let body = stream::iter(0..pieces).then(move |_| async move {
            tokio::time::sleep(every).await;
            Ok(Bytes::from(vec![b'x'; piece]))
        });
        let mut body = Box::pin(paced(Box::pin(body)));
        let mut arrived = 0;
        while let Some(next) = body.next().await {
            match next {
                Ok(piece) => arrived += piece.len(),
                Err(_) => return (arrived, false),
            }
        }
        assert!(body.next().await.is_none(), "looked at once more after its end");
        (arrived, true)
    }

    #[tokio::test(start_paused = true)]
    async fn a_body_on_a_slow_line_is_taken_and_one_that_holds_a_place_is_not() {
        let second = Duration::from_secs(1);
        for (what, piece, every, pieces, expected) in [
            ("a byte every two seconds", 1, 2 * second, 100, (10, false)),
            ("a byte every two seconds, and few", 1, 2 * second, 9, (9, true)),
            ("just above the least pace", 17 * 1024, second, 200, (200 * 17 * 1024, true)),
            ("half of the least pace", 8 * 1024, second, 200, (39 * 8 * 1024, false)),
            ("at once", 64 * 1024, Duration::ZERO, 100, (6_553_600, true)),
            ("nothing for a minute", 1024, 60 * second, 1, (0, false)),
        ] {
            assert_eq!(taken(piece, every, pieces).await, expected, "{what}");
        }
    }

    #[test]
    fn a_change_asked_for_by_a_page_of_another_place_is_refused() {
        let ask = |method: Method, origin: Option<&str>| {
            let request = TestRequest::default().method(method).insert_header((HOST, "lab.example:8080"));
            let request = if let Some(o) = origin { request.insert_header((ORIGIN, o)) } else { request };
            objection(&request.to_srv_request(), &Expected(None)).is_some()
        };
        for (origin, refused) in [
            (None, false),
            (Some("http://lab.example:8080"), false),
            (Some("https://LAB.example:8080"), false),
            (Some("http://lab.example:8081"), true),
            (Some("http://lab.example"), true),
            (Some("http://evil.example"), true),
            (Some("null"), true),
        ] {
            assert_eq!(ask(Method::POST, origin), refused, "{origin:?}");
            assert!(!ask(Method::GET, origin), "reading, {origin:?}");
        }
    }
}
