//! Doing long work: taking it, carrying it out, and writing down what it came to.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use crate::queries::jobs::{self, Job};
use crate::queries::{changes, imports, privacy, room};
use crate::records::words::{JobKind, JobState};
use crate::{Store, StoreError};

/// How long a worker rests where there is nothing to do.
const REST: Duration = Duration::from_millis(300);

/// Whether a fault passes by itself: the work is then left to be taken again instead of being called failed.
fn passes(e: &StoreError) -> bool {
    matches!(e, StoreError::Unavailable(_) | StoreError::Unknown(_) | StoreError::Unwell(_) | StoreError::Refused(_))
}

fn carry_out(store: &Store, job: &Job, process: &str) -> Result<String, StoreError> {
    match job.kind {
        JobKind::Import => imports::take_in_background(store, job, process),
        JobKind::InForce => changes::put_in_force(store, job, process),
    }
}

/// Does work that this process took, and writes down what it came to.
fn finish(store: &Store, job: &Job, process: &str) {
    let outcome = carry_out(store, job, process);
    let (words, failed) = match &outcome {
        Ok(words) => (words.clone(), false),
        // Whatever took the database away is waited for: the lease runs out, and the work is taken again.
        Err(e) if passes(e) => return log::warn!("work {}: {e}; it will be taken again", job.id),
        // Another process has it now.
        Err(StoreError::NotFound(jobs::LEASE)) => return log::warn!("work {}: another process has it", job.id),
        Err(e) => (format!("It could not be done, and nothing was changed: {e}"), true),
    };
    if let Err(e) = store.run(|c| {
        jobs::hold_own(c, job.id, process)?;
        jobs::end(c, job, &words, failed)
    }) {
        log::warn!("work {}: {e}", job.id);
    }
}

/// How long somebody waits for work that another has in hand.
const PATIENCE: Duration = Duration::from_secs(10);

/// Does one piece of work now; where a worker was quicker, waits a while until that has come to its end. Gives how it stands
/// then.
///
/// # Errors
/// Faults of the database.
pub fn work_on(store: &Store, id: u32) -> Result<Job, StoreError> {
    let process = store.process();
    let begun = std::time::Instant::now();
    loop {
        if let Some(job) = store.run(|c| jobs::take(c, &format!("id = {id}"), process))? {
            finish(store, &job, process);
        }
        let job = store.look(|c| jobs::get(c, id))?;
        if matches!(job.state, JobState::Done | JobState::Failed) || begun.elapsed() > PATIENCE {
            return Ok(job);
        }
        std::thread::sleep(Duration::from_millis(40));
    }
}

/// Does one piece of work of a kind, if there is any. Gives whether there was.
///
/// # Errors
/// Faults of the database.
pub fn work_once(store: &Store, kind: JobKind) -> Result<bool, StoreError> {
    let process = store.process();
    let taken = store.run(|c| jobs::take(c, &format!("kind = '{}'", kind.word()), process))?;
    if let Some(job) = &taken {
        finish(store, job, process);
    }
    Ok(taken.is_some())
}

/// Threads that do long work until they are told to stop: one for each kind, so that a file does not wait for a protocol.
pub struct Workers {
    stop: Arc<AtomicBool>,
    threads: Vec<std::thread::JoinHandle<()>>,
}

impl Workers {
    /// Begins to work.
    pub fn start(store: &Store) -> Workers {
        let stop = Arc::new(AtomicBool::new(false));
        let mut threads: Vec<std::thread::JoinHandle<()>> = JobKind::ALL
            .iter()
            .map(|kind| {
                let (store, stop, kind) = (store.clone(), stop.clone(), *kind);
                std::thread::spawn(move || work(&store, kind, &stop))
            })
            .collect();
        let (keeper, ends) = (store.clone(), stop.clone());
        threads.push(std::thread::spawn(move || keep(&keeper, &ends)));
        Workers { stop, threads }
    }

    /// Waits until what is under way has come to its end, and stops.
    pub fn stop(self) {
        self.stop.store(true, Ordering::Relaxed);
        for thread in self.threads {
            let _ = thread.join();
        }
    }
}

/// How often it is looked whether anything is kept for too long: what is typed in the room goes after an hour.
const KEEP_EVERY: Duration = Duration::from_secs(300);

/// Erases what is kept too long, when it begins and from time to time.
fn keep(store: &Store, stop: &AtomicBool) {
    let mut last: Option<std::time::Instant> = None;
    while !stop.load(Ordering::Relaxed) {
        if last.is_none_or(|at| at.elapsed() > KEEP_EVERY) {
            last = Some(std::time::Instant::now());
            let erased = store.run(|c| {
                privacy::retain(c)?;
                let now = c.now()?;
                room::forget(c, now)
            });
            if let Err(e) = erased {
                log::warn!("what is kept too long could not be erased: {e}");
            }
        }
        std::thread::sleep(REST);
    }
}

fn work(store: &Store, kind: JobKind, stop: &AtomicBool) {
    while !stop.load(Ordering::Relaxed) {
        // What ends this piece of work must not end the thread with it; its lease runs out, and it is counted.
        let outcome = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| work_once(store, kind)));
        match outcome {
            Ok(Ok(true)) => continue,
            Ok(Ok(false)) => {}
            Ok(Err(e)) => log::debug!("no work can be looked for: {e}"),
            Err(_) => log::error!("work ended in a panic"),
        }
        std::thread::sleep(REST);
    }
}
