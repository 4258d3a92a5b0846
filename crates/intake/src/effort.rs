//! What reading a file may cost. Every reader asks while it reads, so that a small file cannot ask for hours and a large one not
//! for the machine's memory, whoever brings it and by whichever way.

use std::cell::Cell;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use jurado_core::error::Fault;
use rustix::time::{ClockId, clock_gettime};

/// How much of a file is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Largest file, in bytes.
    pub bytes: usize,
    /// Most rows.
    pub rows: usize,
    /// Most rows that are held back: a file with more is another kind of file.
    pub held: usize,
    /// Most cells of a spreadsheet that are looked at, whether anything stands in them or not.
    pub cells: usize,
    /// Most bytes that a spreadsheet unpacks to.
    pub unpacked: u64,
    /// Longest work of the processor on it.
    pub work: Duration,
}

/// Of a file that a team brings: one table.
pub const TEAM: Limits = Limits {
    bytes: 12 * 1024 * 1024,
    rows: 20_000,
    held: 1_000,
    cells: 100_000,
    unpacked: 24 * 1024 * 1024,
    work: Duration::from_millis(1_000),
};
/// Of a file that a person brings.
pub const UPLOAD: Limits = Limits {
    bytes: 20 * 1024 * 1024,
    rows: 200_000,
    held: 20_000,
    cells: 500_000,
    unpacked: 48 * 1024 * 1024,
    work: Duration::from_millis(1_500),
};
/// Of a file given on the command line, or of a portion of one that can be cut: a whole course at once, on one's own machine.
pub const COMMAND: Limits = Limits {
    bytes: 1024 * 1024 * 1024,
    rows: 20_000_000,
    held: 20_000_000,
    cells: 1_000_000,
    unpacked: 256 * 1024 * 1024,
    work: Duration::from_secs(2),
};

/// Pace at which a text of any length is read at the least, in bytes a second: a file on the command line may take that long.
const PACE: usize = 2 * 1024 * 1024;
/// Steps between two looks at the clock.
const BETWEEN: usize = 256;

/// What reading one upload may still cost. It belongs to the thread that made it, since it counts that thread's work.
#[derive(Debug)]
pub struct Effort {
    pub(crate) limits: Limits,
    /// Time of the thread at which reading ends.
    until: Duration,
    /// Set where nobody waits for the outcome any more.
    gone: Arc<AtomicBool>,
    steps: Cell<usize>,
    held: Cell<usize>,
    cells: Cell<usize>,
}

fn thread_time() -> Duration {
    let now = clock_gettime(ClockId::ThreadCPUTime);
    Duration::new(now.tv_sec.unsigned_abs(), now.tv_nsec as u32)
}

fn refuse(what: impl Into<String>, mend: impl Into<String>) -> Fault {
    Fault { line: 1, column: 1, what: what.into(), mend: mend.into() }
}

/// How a file that is too much is brought all the same.
const IN_PARTS: &str = "bring the table alone, as “CSV UTF-8”, or section by section";

impl Effort {
    /// All that the limits grant, from now on.
    #[must_use]
    pub fn new(limits: Limits) -> Effort {
        Effort {
            limits,
            until: thread_time() + limits.work,
            gone: Arc::default(),
            steps: Cell::new(0),
            held: Cell::new(0),
            cells: Cell::new(0),
        }
    }

    /// That of a file on the command line: a text may take as long as its length asks for.
    #[must_use]
    pub fn command(bytes: usize) -> Effort {
        let work = COMMAND.work + Duration::from_secs((bytes / PACE) as u64);
        Effort::new(Limits { work, ..COMMAND })
    }

    /// The same, given up as soon as the flag is set: by whoever no longer waits for the outcome.
    #[must_use]
    pub fn until_gone(self, gone: Arc<AtomicBool>) -> Effort {
        Effort { gone, ..self }
    }

    /// So many steps of reading; now and then the clock is asked.
    pub(crate) fn step(&self, steps: usize) -> Result<(), Fault> {
        let done = self.steps.get() + steps;
        if done < BETWEEN {
            self.steps.set(done);
            return Ok(());
        }
        self.steps.set(0);
        self.ask()
    }

    /// Whether there is any left.
    pub(crate) fn ask(&self) -> Result<(), Fault> {
        if self.gone.load(Ordering::Relaxed) {
            return Err(refuse("nobody waits for this file any more", "bring it again"));
        }
        if thread_time() > self.until {
            let seconds = self.limits.work.as_secs_f64();
            return Err(refuse(
                format!("the file takes more than {seconds} s of the processor to read, so it was put down"),
                IN_PARTS,
            ));
        }
        Ok(())
    }

    /// One cell of a spreadsheet more was seen.
    pub(crate) fn cell(&self) -> Result<(), Fault> {
        self.step(1)?;
        let seen = self.cells.get() + 1;
        self.cells.set(seen);
        if seen > self.limits.cells {
            let what = format!("the spreadsheet has more than {} cells", self.limits.cells);
            return Err(refuse(what, IN_PARTS));
        }
        Ok(())
    }

    /// One row more is held back.
    pub(crate) fn hold(&self, line: usize) -> Result<(), Fault> {
        let held = self.held.get() + 1;
        self.held.set(held);
        if held > self.limits.held {
            return Err(Fault {
                line,
                ..refuse(
                    format!("more than {} rows of the file cannot be used", self.limits.held),
                    "look at the first of them: is it of this lab, and are its sections on the roster?",
                )
            });
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;
    use std::sync::atomic::{AtomicBool, Ordering};
    use std::time::Duration;

    use super::{Effort, Limits, UPLOAD};

    #[test]
    fn work_ends_by_the_threads_own_time_and_when_nobody_waits() {
        let effort = Effort::new(Limits { work: Duration::from_millis(20), ..UPLOAD });
        // Sleeping costs nobody anything.
        std::thread::sleep(Duration::from_millis(40));
        assert!((0..10_000).all(|_| effort.step(1).is_ok()));
        let mut steps = 0u64;
        let fault = loop {
            match effort.step(1) {
                Ok(()) => steps = std::hint::black_box(steps + 1),
                Err(fault) => break fault,
            }
        };
        assert!(fault.what.contains("0.02 s of the processor"), "{fault:?} after {steps}");

        let gone = Arc::new(AtomicBool::new(false));
        let effort = Effort::new(UPLOAD).until_gone(gone.clone());
        assert!(effort.step(1_000).is_ok());
        gone.store(true, Ordering::Relaxed);
        assert!(effort.step(1_000).is_err());
    }

    #[test]
    fn cells_and_held_rows_end_at_their_limits() {
        let effort = Effort::new(Limits { cells: 3, held: 2, ..UPLOAD });
        assert_eq!([(); 4].map(|()| effort.cell().is_ok()), [true, true, true, false]);
        assert_eq!([7, 8, 9].map(|line| effort.hold(line).map_err(|f| f.line)), [Ok(()), Ok(()), Err(9)]);
    }
}
