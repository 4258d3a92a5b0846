//! The door: who may come how often, and what a request may not carry. Hashing of passwords is bounded here, since each takes
//! nineteen megabytes and a good part of a second.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use actix_web::{HttpRequest, web};
use tokio::sync::{OwnedMutexGuard, OwnedSemaphorePermit, Semaphore};

use crate::error::WebError;

/// Passwords that are hashed at the same moment.
const AT_ONCE: usize = 2;
/// Uploads that are read at the same moment: each may keep its budget of memory.
const UPLOADS: usize = 4;
/// How long an upload waits for its turn.
const MOST_WAITING: Duration = Duration::from_secs(30);

/// A person's turn to upload; it ends when this is dropped.
#[derive(Debug)]
pub(crate) struct Turn {
    _own: OwnedMutexGuard<()>,
    _place: OwnedSemaphorePermit,
}

/// What all requests share at the door.
pub(crate) struct Door {
    hashing: Arc<Semaphore>,
    uploads: Arc<Semaphore>,
    /// Tries of one name from one address come one after the other, and uploads of one person.
    turns: Mutex<HashMap<String, Arc<tokio::sync::Mutex<()>>>>,
    /// Whether a proxy stands in front, which says whose request it is.
    behind_proxy: bool,
}

impl Door {
    pub(crate) fn new(behind_proxy: bool) -> Door {
        Door {
            hashing: Arc::new(Semaphore::new(AT_ONCE)),
            uploads: Arc::new(Semaphore::new(UPLOADS)),
            turns: Mutex::default(),
            behind_proxy,
        }
    }

    /// Hashes or compares a password, when it is its turn.
    pub(crate) async fn hashing<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let turn = self.hashing.clone().acquire_owned().await.map_err(|e| WebError::Broken(e.to_string()))?;
        Ok(web::block(move || {
            let outcome = work();
            drop(turn);
            outcome
        })
        .await?)
    }

    /// Waits for the turn of somebody's upload: one of a person or team at a time, and few in all, so that what they keep in memory
    /// is bounded.
    ///
    /// # Errors
    /// Where it takes too long, in words for whoever uploads.
    pub(crate) async fn upload(&self, whose: &str) -> Result<Turn, WebError> {
        let waiting = async {
            let own = self.turn(&format!("upload {whose}")).await;
            (own, self.uploads.clone().acquire_owned().await)
        };
        match tokio::time::timeout(MOST_WAITING, waiting).await {
            Ok((own, Ok(place))) => Ok(Turn { _own: own, _place: place }),
            Ok((_, Err(e))) => Err(WebError::Broken(e.to_string())),
            Err(_) => Err(WebError::Bad(
                "Too many files are being brought at the moment, so yours were not read.".into(),
                "Wait until another upload of yours is done, or a minute, and send them again.".into(),
            )),
        }
    }

    /// Waits until no other try of the same name from the same address is under way: what it comes to counts for this one.
    pub(crate) async fn turn(&self, key: &str) -> OwnedMutexGuard<()> {
        let turn = {
            let mut turns = self.turns.lock().unwrap_or_else(PoisonError::into_inner);
            turns.retain(|_, t| Arc::strong_count(t) > 1);
            turns.entry(key.to_owned()).or_default().clone()
        };
        turn.lock_owned().await
    }

    /// The address that a request comes from. What a proxy says is believed only where one is said to stand in front: anybody
    /// may write that line.
    pub(crate) fn address_of(&self, request: &HttpRequest) -> String {
        let said = request
            .headers()
            .get("x-forwarded-for")
            .and_then(|v| v.to_str().ok())
            // The last entry is the proxy's own word.
            .and_then(|v| v.rsplit(',').next())
            .map(|v| v.trim().to_owned())
            .filter(|v| self.behind_proxy && !v.is_empty());
        said.or_else(|| request.peer_addr().map(|a| a.ip().to_string())).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use actix_web::test::TestRequest;

    use super::Door;

    #[tokio::test(start_paused = true)]
    async fn one_person_uploads_once_at_a_time_and_four_do_in_all() {
        let door = Door::new(false);
        let first = door.upload("1").await.expect("nobody else does");
        assert!(door.upload("1").await.is_err(), "a second one of the same person waits, and not for ever");
        let others = [door.upload("2").await, door.upload("3").await, door.upload("4").await];
        assert!(others.iter().all(Result::is_ok));
        assert!(door.upload("5").await.is_err(), "all places are taken");
        drop(first);
        assert!(door.upload("1").await.is_ok(), "the place is free again");
    }

    #[test]
    fn an_address_that_anybody_may_write_is_believed_behind_a_proxy_only() {
        let request = || {
            TestRequest::default()
                .peer_addr(([127, 0, 0, 1], 5000).into())
                .insert_header(("X-Forwarded-For", "10.9.9.9, 192.0.2.7"))
                .to_http_request()
        };
        assert_eq!(Door::new(false).address_of(&request()), "127.0.0.1");
        assert_eq!(Door::new(true).address_of(&request()), "192.0.2.7");
        let plain = TestRequest::default().peer_addr(([127, 0, 0, 1], 5000).into()).to_http_request();
        assert_eq!(Door::new(true).address_of(&plain), "127.0.0.1");
    }
}
