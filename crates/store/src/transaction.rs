//! The one place that runs work on the database: one transaction a piece of work, tried again where the server refuses it
//! because of another, and kept together with the record of who did what.

use std::time::{Duration, Instant};

use chrono::{NaiveDateTime, Timelike};
use diesel::MysqlConnection;
use diesel::connection::{AnsiTransactionManager, SimpleConnection, TransactionManager};
use diesel::prelude::*;

use crate::queries::events::{self, Strand};
use crate::{Ailment, Store, StoreError};

/// How often the same work is tried before the person is told.
const MOST_TRIES: u32 = 5;
/// After so long it is not tried again, however often it was: a person waits.
const MOST_WAITING: Duration = Duration::from_secs(20);

/// What every function of the store works on: a connection, within a transaction or for a look.
pub struct Db {
    sql: MysqlConnection,
    /// What is to be written in the record when the transaction ends well.
    noted: Vec<events::Note>,
    /// The database's time, asked once for a piece of work.
    time: Option<NaiveDateTime>,
    /// Whether this is a transaction, in which things may be changed.
    changes: bool,
}

impl Db {
    pub(crate) fn new(sql: MysqlConnection) -> Db {
        Db { sql, noted: Vec::new(), time: None, changes: false }
    }

    /// The connection, for a query.
    pub(crate) fn sql(&mut self) -> &mut MysqlConnection {
        &mut self.sql
    }

    /// The moment, to the second, in universal time: the database's, so that all processes have one clock.
    ///
    /// # Errors
    /// Faults of the database.
    pub fn now(&mut self) -> Result<NaiveDateTime, StoreError> {
        if let Some(time) = self.time {
            return Ok(time);
        }
        let time: NaiveDateTime = diesel::select(diesel::dsl::sql::<diesel::sql_types::Datetime>("UTC_TIMESTAMP()"))
            .get_result(&mut self.sql)?;
        self.time = Some(time);
        Ok(time)
    }

    /// The moment at which something arrived that is worked on now: whatever was waited for since – a thread, a connection, a lock –
    /// does not make it late. It is that of the whole transaction from here on.
    ///
    /// # Errors
    /// Faults of the database.
    pub(crate) fn arrived(&mut self, at: Instant) -> Result<NaiveDateTime, StoreError> {
        let waited = chrono::TimeDelta::from_std(at.elapsed()).unwrap_or_default();
        let time: NaiveDateTime = diesel::select(diesel::dsl::sql::<diesel::sql_types::Datetime>("UTC_TIMESTAMP(3)"))
            .get_result(&mut self.sql)?;
        let time = (time - waited).with_nanosecond(0).unwrap_or(time);
        self.time = Some(time);
        Ok(time)
    }

    /// The number by which the server knows this connection.
    ///
    /// # Errors
    /// Faults of the database.
    pub fn connection_number(&mut self) -> Result<u64, StoreError> {
        Ok(diesel::select(diesel::dsl::sql::<diesel::sql_types::Unsigned<diesel::sql_types::Bigint>>(
            "CONNECTION_ID()",
        ))
        .get_result(&mut self.sql)?)
    }

    /// Takes down what is done, for the record; it is written when the transaction ends well.
    pub(crate) fn note(&mut self, note: events::Note) -> Result<(), StoreError> {
        if !self.changes {
            return Err(StoreError::Broken("a change within a look".to_owned()));
        }
        self.noted.push(note);
        Ok(())
    }

    fn begin(&mut self) -> Result<(), StoreError> {
        self.forget();
        AnsiTransactionManager::begin_transaction(&mut self.sql)?;
        self.changes = true;
        Ok(())
    }

    fn give_up(&mut self) {
        self.forget();
        // A connection that cannot even do this is found broken by the pool and not used again.
        let _ = AnsiTransactionManager::rollback_transaction(&mut self.sql);
    }

    fn forget(&mut self) {
        self.noted.clear();
        self.time = None;
        self.changes = false;
    }
}

impl Store {
    /// Runs work that changes something: all of it is kept, or nothing. Where the server refuses it because of another
    /// transaction (deadlock, a lock waited for too long, a cluster's certification), the whole work is done again, at
    /// most five times with growing, random pauses.
    ///
    /// # Errors
    /// [`StoreError::Unavailable`] where the database cannot be reached, [`StoreError::Unknown`] where the connection was
    /// lost while the change was being kept, [`StoreError::Refused`] where it was refused each time, else what the work
    /// gives.
    pub fn run<T>(&self, mut work: impl FnMut(&mut Db) -> Result<T, StoreError>) -> Result<T, StoreError> {
        let outcome = self.trying(|c| self.once(c, &mut work));
        if matches!(outcome, Err(StoreError::Unwell(Ailment::DiskFull))) {
            *self.full.lock().unwrap_or_else(std::sync::PoisonError::into_inner) = Some(Instant::now());
        }
        outcome
    }

    /// Runs work that only reads. It takes no transaction, so that a page costs none; each query sees what is kept at
    /// its moment.
    ///
    /// # Errors
    /// As [`Store::run`], except that nothing can be left unknown.
    pub fn look<T>(&self, mut work: impl FnMut(&mut Db) -> Result<T, StoreError>) -> Result<T, StoreError> {
        self.trying(|c| {
            c.forget();
            work(c)
        })
    }

    /// Runs work that only reads, all of it as things were at one moment, however long it takes.
    ///
    /// # Errors
    /// As [`Store::look`].
    pub fn snapshot<T>(&self, mut work: impl FnMut(&mut Db) -> Result<T, StoreError>) -> Result<T, StoreError> {
        self.trying(|c| {
            c.forget();
            c.sql.batch_execute(
                "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ; START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY",
            )?;
            let outcome = work(c);
            c.sql.batch_execute("ROLLBACK")?;
            outcome
        })
    }

    fn trying<T>(&self, mut work: impl FnMut(&mut Db) -> Result<T, StoreError>) -> Result<T, StoreError> {
        let begun = Instant::now();
        let mut tries = 0;
        loop {
            let mut kept = self.pool.get().map_err(|e| StoreError::Unavailable(e.to_string()))?;
            let outcome = work(&mut kept.db);
            kept.worked(&outcome);
            drop(kept);
            tries += 1;
            match outcome {
                Err(e) if e.is_refused() && tries < MOST_TRIES && begun.elapsed() < MOST_WAITING => {
                    log::debug!("refused, try {tries}: {e}");
                    let most = 10u64 << tries;
                    std::thread::sleep(Duration::from_millis(rand::random_range(most / 2..=most)));
                }
                outcome => return outcome,
            }
        }
    }

    /// One try of a transaction. The record's strand is held from its writing to the end of the transaction, so that each
    /// event follows the one before.
    fn once<T>(&self, c: &mut Db, work: &mut impl FnMut(&mut Db) -> Result<T, StoreError>) -> Result<T, StoreError> {
        c.begin()?;
        let value = match work(c) {
            Ok(value) => value,
            Err(e) => {
                c.give_up();
                return Err(e);
            }
        };
        if c.noted.is_empty() {
            return c.keep().map(|()| value);
        }
        let mut strand = self.strand.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let written = match c.write_notes(strand.as_ref()) {
            Ok(written) => written,
            Err(e) => {
                c.give_up();
                return Err(e);
            }
        };
        match c.keep() {
            Ok(()) => {
                *strand = Some(written);
                Ok(value)
            }
            Err(e) => {
                // Whether these events are there is not known: what comes next begins a strand of its own.
                if matches!(e, StoreError::Unknown(_)) {
                    *strand = None;
                }
                Err(e)
            }
        }
    }
}

impl Db {
    fn write_notes(&mut self, strand: Option<&Strand>) -> Result<Strand, StoreError> {
        let at = self.now()?;
        let noted = std::mem::take(&mut self.noted);
        events::write(&mut self.sql, strand, at, &noted)
    }

    fn keep(&mut self) -> Result<(), StoreError> {
        let outcome = AnsiTransactionManager::commit_transaction(&mut self.sql).map_err(StoreError::at_commit);
        self.forget();
        outcome
    }
}
