//! The door: who may come how often, and what a request may not carry. Hashing of passwords is bounded here, since each takes
//! nineteen megabytes and a good part of a second.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use actix_web::{HttpRequest, web};
use jurado_store::tries::Pace;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

use crate::error::WebError;

/// Passwords that are hashed at the same moment.
const AT_ONCE: usize = 2;
/// How long a refusal waits where there were many from one address.
const SLOWLY: Duration = Duration::from_secs(1);
/// How long an upload waits for its turn to be read.
const MOST_WAITING: Duration = Duration::from_secs(60);
/// Services of the college that are asked at the same moment, each by a thread of its own: one that does not answer holds up no page.
const OUTSIDE: usize = 2;
/// How long somebody waits until one of them is free.
const MOST_OUTSIDE: Duration = Duration::from_secs(1);
/// Forms with files of one person or team that may be on their way at once.
const ARRIVING_OWN: usize = 4;

/// Whose upload it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Whose {
    /// A person who signed in.
    Person(u32),
    /// A team with its code.
    Team(u32),
}

/// Places for uploads. People who sign in and teams have their own, so that neither can take the other's.
struct Places {
    /// Forms that are on their way: what has come of one waits in a file, so it costs little.
    arriving: Arc<Semaphore>,
    /// Files that are read: each may keep its budget of memory, so there is one, and reading ends within seconds.
    reading: Arc<Semaphore>,
}

impl Places {
    fn of(arriving: usize, reading: usize) -> Places {
        Places { arriving: Arc::new(Semaphore::new(arriving)), reading: Arc::new(Semaphore::new(reading)) }
    }
}

/// What comes one after the other, or a few at once.
#[derive(PartialEq, Eq, Hash)]
enum Own {
    Arriving(Whose),
    Reading(Whose),
    /// Tries of one name from one address.
    Try(String),
}

/// A place that is kept until this is dropped.
#[derive(Debug)]
pub(crate) struct Turn {
    _own: OwnedSemaphorePermit,
    _place: OwnedSemaphorePermit,
}

/// What all requests share at the door.
pub(crate) struct Door {
    hashing: Arc<Semaphore>,
    outside: Arc<Semaphore>,
    people: Places,
    teams: Places,
    /// What one may do so often at the same moment.
    turns: Mutex<HashMap<Own, Arc<Semaphore>>>,
    /// Whether a proxy stands in front, which says whose request it is.
    behind_proxy: bool,
}

impl Door {
    pub(crate) fn new(behind_proxy: bool) -> Door {
        Door {
            hashing: Arc::new(Semaphore::new(AT_ONCE)),
            outside: Arc::new(Semaphore::new(OUTSIDE)),
            people: Places::of(50, 1),
            teams: Places::of(200, 1),
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

    /// Asks a service of the college, away from the threads that pages need.
    ///
    /// # Errors
    /// Where others wait for it already, in words.
    pub(crate) async fn outside<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let place = tokio::time::timeout(MOST_OUTSIDE, self.outside.clone().acquire_owned()).await;
        let Ok(Ok(place)) = place else {
            return Err(WebError::Bad(
                "The college’s service answers slowly at the moment, and others wait for it already.".into(),
                "Try again in a minute.".into(),
            ));
        };
        let (tell, told) = tokio::sync::oneshot::channel();
        std::thread::spawn(move || {
            let outcome = work();
            drop(place);
            // Whoever asked may have left.
            let _ = tell.send(outcome);
        });
        told.await.map_err(|e| WebError::Broken(e.to_string()))
    }

    fn places(&self, whose: Whose) -> &Places {
        match whose {
            Whose::Person(_) => &self.people,
            Whose::Team(_) => &self.teams,
        }
    }

    /// Lets a form with files begin to come.
    ///
    /// # Errors
    /// Where too many are on their way, in words for whoever uploads.
    pub(crate) fn arriving(&self, whose: Whose) -> Result<Turn, WebError> {
        let own = self.own(Own::Arriving(whose), ARRIVING_OWN).try_acquire_owned();
        let place = self.places(whose).arriving.clone().try_acquire_owned();
        own.and_then(|own| Ok(Turn { _own: own, _place: place? })).map_err(|_| too_many())
    }

    /// Waits for the turn of somebody's upload to be read: one of a person or team at a time, and few in all, so that what they keep
    /// in memory is bounded.
    ///
    /// # Errors
    /// Where it takes too long, in words for whoever uploads.
    pub(crate) async fn reading(&self, whose: Whose) -> Result<Turn, WebError> {
        let waiting = async {
            let own = self.own(Own::Reading(whose), 1).acquire_owned().await;
            let own = own.map_err(|e| WebError::Broken(e.to_string()))?;
            let place = self.places(whose).reading.clone().acquire_owned().await;
            place.map(|place| Turn { _own: own, _place: place }).map_err(|e| WebError::Broken(e.to_string()))
        };
        tokio::time::timeout(MOST_WAITING, waiting).await.unwrap_or_else(|_| Err(too_many()))
    }

    fn own(&self, key: Own, at_once: usize) -> Arc<Semaphore> {
        let mut turns = self.turns.lock().unwrap_or_else(PoisonError::into_inner);
        turns.retain(|_, t| Arc::strong_count(t) > 1);
        turns.entry(key).or_insert_with(|| Arc::new(Semaphore::new(at_once))).clone()
    }

    /// Waits until no other try of the same name from the same address is under way: what it comes to counts for this one.
    pub(crate) async fn turn(&self, name: &str) -> Result<OwnedSemaphorePermit, WebError> {
        self.own(Own::Try(name.to_owned()), 1).acquire_owned().await.map_err(|e| WebError::Broken(e.to_string()))
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

/// Answers a refusal at its pace: whoever tries much waits between tries, and whoever is right never comes here.
pub(crate) async fn answer(pace: Pace) {
    if pace == Pace::Slowly {
        tokio::time::sleep(SLOWLY).await;
    }
}

fn too_many() -> WebError {
    WebError::Bad(
        "Too many files are being brought at the moment, so yours were not read.".into(),
        "Wait until another upload of yours is done, or a minute, and send them again.".into(),
    )
}

/// Set when whoever asked has left: what is done for them alone is then left off. The answer to a request is dropped when its
/// connection ends, and this with it.
#[derive(Default)]
pub(crate) struct Waiting(Arc<AtomicBool>);

impl Waiting {
    /// What whoever works asks now and then.
    pub(crate) fn flag(&self) -> Arc<AtomicBool> {
        self.0.clone()
    }
}

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use actix_web::test::TestRequest;

    use super::{Door, Whose};
    use crate::error::WebError;

    #[tokio::test(start_paused = true)]
    async fn one_person_is_read_once_at_a_time_and_teams_take_no_place_of_people() {
        let door = Door::new(false);
        let first = door.reading(Whose::Person(1)).await.expect("nobody else is");
        assert!(
            door.reading(Whose::Person(1)).await.is_err(),
            "a second one of the same person waits, and not for ever"
        );
        assert!(door.reading(Whose::Person(2)).await.is_err(), "nor is another meanwhile");
        let team = door.reading(Whose::Team(1)).await.expect("teams have a place of their own");
        assert!(door.reading(Whose::Team(2)).await.is_err(), "and not two");
        drop(team);
        drop(first);
        assert!(door.reading(Whose::Person(1)).await.is_ok(), "the place is free again");
    }

    #[actix_web::test]
    async fn a_service_that_does_not_answer_holds_up_two_and_no_more() {
        let door = Door::new(false);
        let (end, wait) = std::sync::mpsc::channel::<()>();
        let wait = std::sync::Arc::new(std::sync::Mutex::new(wait));
        let slow = |door: &Door| {
            let wait = wait.clone();
            let asked = door.outside(move || drop(wait.lock().map(|w| w.recv())));
            // It begins when it is looked at first.
            let mut asked = Box::pin(asked);
            assert!(futures_util::FutureExt::now_or_never(&mut asked).is_none());
        };
        slow(&door);
        slow(&door);
        assert!(matches!(door.outside(|| 3).await, Err(WebError::Bad(..))), "a third one is told at once");
        drop(end);
        for _ in 0..50 {
            if let Ok(three) = door.outside(|| 3).await {
                return assert_eq!(three, 3);
            }
        }
        panic!("the places are never free again");
    }

    #[test]
    fn forms_on_their_way_hold_up_nobody_else() {
        let door = Door::new(false);
        let slow: Vec<_> = (0..4).map(|_| door.arriving(Whose::Team(1)).expect("its own four")).collect();
        assert!(door.arriving(Whose::Team(1)).is_err(), "and not a fifth");
        let others: Vec<_> = (10..206).map(|n| door.arriving(Whose::Team(n)).expect("a place")).collect();
        assert!(door.arriving(Whose::Team(300)).is_err(), "two hundred in all");
        assert!(door.arriving(Whose::Person(1)).is_ok(), "people have their own");
        drop((slow, others));
        assert!(door.arriving(Whose::Team(1)).is_ok());
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
