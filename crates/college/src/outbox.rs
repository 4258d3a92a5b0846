//! Sending what waits: one thread, beside the application.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use jurado_store::outbox::{self, Tried};
use jurado_store::{Store, StoreError};

use crate::client::Client;
use crate::scores::Score;

/// Scores that are taken at once.
const AT_ONCE: i64 = 20;
/// How long the thread rests where nothing waits.
const REST: Duration = Duration::from_millis(500);
/// How often it looks whether something else should be in the gradebook.
const LOOK: Duration = Duration::from_secs(5);

/// The thread that sends.
pub struct Sender {
    stop: Arc<AtomicBool>,
    thread: std::thread::JoinHandle<()>,
}

impl Sender {
    /// Begins to send.
    pub fn start(store: &Store) -> Sender {
        let stop = Arc::new(AtomicBool::new(false));
        let (keep, until) = (store.clone(), stop.clone());
        Sender { stop, thread: std::thread::spawn(move || work(&keep, &until)) }
    }

    /// Waits until the score under way has come to its end, and stops.
    pub fn stop(self) {
        self.stop.store(true, Ordering::Relaxed);
        let _ = self.thread.join();
    }
}

fn work(store: &Store, stop: &AtomicBool) {
    let mut looked: Option<Instant> = None;
    while !stop.load(Ordering::Relaxed) {
        if looked.is_none_or(|at| at.elapsed() > LOOK) {
            looked = Some(Instant::now());
            if let Err(e) = store.run(outbox::fill) {
                log::debug!("what should be in the gradebook cannot be looked at: {e}");
            }
        }
        match send_some(store, stop) {
            Ok(0) => {}
            Ok(_) => continue,
            Err(e) => log::debug!("no score can be sent: {e}"),
        }
        std::thread::sleep(REST);
    }
}

/// Sends the scores whose time has come, a few at most. Gives how many were tried. The gradebook is asked once more after one
/// that gave no answer, and no more in this round.
///
/// # Errors
/// Faults of the database.
pub fn send_some(store: &Store, stop: &AtomicBool) -> Result<usize, StoreError> {
    let Some(place) = store.look(outbox::place)? else { return Ok(0) };
    let due = store.run(|c| outbox::take(c, AT_ONCE))?;
    let client = Client::new(&place);
    let mut silent = 0;
    for score in &due {
        let tried = if silent > 1 || stop.load(Ordering::Relaxed) {
            Tried::Later("not tried: it gave no answer before".into())
        } else {
            client.put(&Score {
                key: score.key.clone(),
                sequence: score.id,
                student: score.student.clone(),
                column: score.column.clone(),
                points: score.points.normalize(),
                possible: score.possible.normalize(),
                at: score.at.and_utc().to_rfc3339(),
            })
        };
        silent += usize::from(matches!(tried, Tried::Later(_)));
        store.run(|c| outbox::tried(c, score, &tried))?;
    }
    Ok(due.len())
}
