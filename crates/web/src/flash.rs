//! What a page says once, after a change: kept in the session's sealed cookie until the next page is shown, so that no
//! address carries words that a page of ours would say.

use actix_session::SessionExt;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::{Method, header};
use actix_web::middleware::Next;
use actix_web::{Error, HttpRequest, HttpResponse};
use serde::{Deserialize, Serialize};

use crate::error::on_to;

/// Key of what is to be said in the session.
const FLASH: &str = "said";
/// Most bytes of it: a cookie holds four thousand, sealed and with the rest of the session.
const MOST: usize = 1_500;

/// A few words to be said on the next page.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Said {
    /// Over the lines, such as “Taken”.
    pub(crate) head: String,
    /// One or more lines.
    pub(crate) lines: Vec<String>,
    /// Whether something was not done.
    pub(crate) bad: bool,
}

impl Said {
    pub(crate) fn done(head: &str, line: impl Into<String>) -> Said {
        Said { head: head.to_owned(), lines: vec![line.into()], bad: false }
    }

    /// So much of it as a cookie holds; what is left out is counted.
    fn fitted(mut self) -> Said {
        let mut left = MOST;
        let all = self.lines.len();
        let mut kept = Vec::new();
        for line in self.lines {
            if line.len() <= left {
                left -= line.len();
                kept.push(line);
            } else if kept.is_empty() {
                kept.push(line.chars().take(MOST / 4).chain(['…']).collect());
                left = 0;
            } else {
                break;
            }
        }
        if kept.len() < all {
            kept.push(format!("and {} more", all - kept.len()));
        }
        self.lines = kept;
        self
    }
}

/// Sends the browser on after a change, with what the page there says once.
pub(crate) fn on_to_saying(place: &str, said: Said) -> HttpResponse {
    let mut answer = on_to(place);
    answer.extensions_mut().insert(said);
    answer
}

/// Keeps what an answer wants said, in the session of whoever asked. Stands within the sessions.
pub(crate) async fn keep<B: MessageBody>(request: ServiceRequest, next: Next<B>) -> Result<ServiceResponse<B>, Error> {
    let mut answer = next.call(request).await?;
    let said = answer.response_mut().extensions_mut().remove::<Said>();
    if let Some(said) = said
        && let Err(e) = answer.request().get_session().insert(FLASH, said.fitted())
    {
        log::debug!("what was to be said could not be kept: {e}");
    }
    Ok(answer)
}

/// What is to be said on the page that is asked for now; it is said once. A picture leaves it for the page.
pub(crate) fn take(request: &HttpRequest) -> Option<Said> {
    let accepts = request.headers().get(header::ACCEPT).and_then(|a| a.to_str().ok()).unwrap_or("");
    if request.method() != Method::GET || accepts.starts_with("image/") {
        return None;
    }
    let session = request.get_session();
    let said = session.get(FLASH).ok()??;
    session.remove(FLASH);
    Some(said)
}

#[cfg(test)]
mod tests {
    use super::{MOST, Said};

    #[test]
    fn what_a_cookie_cannot_hold_is_counted() {
        let said = |lines: Vec<String>| Said { lines, ..Said::default() }.fitted().lines;
        let line = "x".repeat(100);
        assert_eq!(said(vec![line.clone(); 15]).len(), 15);
        let cut = said(vec![line; 20]);
        assert_eq!((cut.len(), cut[15].as_str()), (16, "and 5 more"));
        let long = said(vec!["å".repeat(MOST)]);
        assert!(long[0].ends_with('…') && long[0].len() < MOST, "{}", long[0].len());
    }
}
