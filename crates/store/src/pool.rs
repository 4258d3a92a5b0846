//! Connections that are kept. One that did its work a moment ago is not asked again whether it is there: a page takes
//! some ten questions, and that one would be every sixth of them.
//!
//! Several servers may be named; a connection is made to the first of them that answers and can work.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use diesel::connection::SimpleConnection;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Error, ManageConnection};
use diesel::{ConnectionError, MysqlConnection, RunQueryDsl};

use crate::silence::Watch;
use crate::{Db, StoreError};

/// For how long a connection that worked is taken to be there.
const SOUND: Duration = Duration::from_secs(1);

/// A connection, and since when it is known to be there.
pub(crate) struct Kept {
    pub(crate) db: Db,
    sound: Option<Instant>,
}

impl Kept {
    /// Remembers how a piece of work went: after a fault of the database the connection is asked before it is used again.
    pub(crate) fn worked<T>(&mut self, outcome: &Result<T, StoreError>) {
        let faulty = outcome.as_ref().err().is_some_and(StoreError::doubts_the_connection);
        self.sound = (!faulty).then(Instant::now);
    }
}

/// Makes and looks after connections to one of several servers.
pub(crate) struct Manager {
    servers: Vec<ConnectionManager<MysqlConnection>>,
    /// The server that answered last.
    living: AtomicUsize,
    watch: Watch,
}

impl Manager {
    pub(crate) fn new(urls: &[&str], silence: Duration) -> Manager {
        Manager {
            servers: urls.iter().map(|u| ConnectionManager::new(*u)).collect(),
            living: AtomicUsize::new(0),
            watch: Watch::new(silence),
        }
    }
}

/// Whether a server that answers can work: a node of a cluster that lost its majority answers and does nothing.
fn works(sql: &mut MysqlConnection) -> Result<(), Error> {
    diesel::sql_query("SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()")
        .execute(sql)
        .map(|_| ())
        .map_err(Error::QueryError)
}

impl ManageConnection for Manager {
    type Connection = Kept;
    type Error = Error;

    fn connect(&self) -> Result<Kept, Error> {
        let first = self.living.load(Ordering::Relaxed);
        let mut fault = Error::ConnectionError(ConnectionError::BadConnection("no server is named".to_owned()));
        for i in 0..self.servers.len() {
            let server = (first + i) % self.servers.len();
            let made = self.servers[server].connect().and_then(|mut sql| works(&mut sql).map(|()| sql));
            match made {
                Ok(mut sql) => {
                    self.watch.over(&mut sql);
                    self.living.store(server, Ordering::Relaxed);
                    return Ok(Kept { db: Db::new(sql), sound: None });
                }
                Err(e) => fault = e,
            }
        }
        Err(fault)
    }

    fn is_valid(&self, kept: &mut Kept) -> Result<(), Error> {
        if kept.sound.is_some_and(|at| at.elapsed() < SOUND) { Ok(()) } else { works(kept.db.sql()) }
    }

    fn has_broken(&self, kept: &mut Kept) -> bool {
        self.servers.first().is_none_or(|s| s.has_broken(kept.db.sql()))
    }
}

/// Strictness is asked for on every connection, whatever the server's default is. Under READ COMMITTED a row that is not
/// there locks nothing, and what is read after a lock is what holds then.
#[derive(Debug)]
pub(crate) struct Strict;

impl CustomizeConnection<Kept, Error> for Strict {
    fn on_acquire(&self, kept: &mut Kept) -> Result<(), Error> {
        kept.db
            .sql()
            .batch_execute(
                "SET SESSION sql_mode = 'STRICT_ALL_TABLES', time_zone = '+00:00', innodb_lock_wait_timeout = 8, \
                 tx_isolation = 'READ-COMMITTED'; SET NAMES utf8mb4",
            )
            .map_err(Error::QueryError)
    }
}
