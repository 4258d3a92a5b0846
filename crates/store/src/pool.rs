//! Connections that are kept. One that did its work a moment ago is not asked again whether it is there: a page takes
//! some ten questions, and that one would be every sixth of them.

use std::time::{Duration, Instant};

use diesel::MysqlConnection;
use diesel::connection::SimpleConnection;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Error, ManageConnection};

use crate::StoreError;

/// For how long a connection that worked is taken to be there.
const SOUND: Duration = Duration::from_secs(1);

/// A connection, and since when it is known to be there.
pub(crate) struct Kept {
    pub(crate) db: MysqlConnection,
    sound: Option<Instant>,
}

impl Kept {
    /// Remembers how a piece of work went: after a fault of the database the connection is asked before it is used again.
    pub(crate) fn worked<T>(&mut self, outcome: &Result<T, StoreError>) {
        let faulty =
            matches!(outcome, Err(StoreError::Unavailable(_) | StoreError::Database(_) | StoreError::Broken(_)));
        self.sound = (!faulty).then(Instant::now);
    }
}

/// Makes and looks after connections.
pub(crate) struct Manager(ConnectionManager<MysqlConnection>);

impl Manager {
    pub(crate) fn new(url: &str) -> Manager {
        Manager(ConnectionManager::new(url))
    }
}

impl ManageConnection for Manager {
    type Connection = Kept;
    type Error = Error;

    fn connect(&self) -> Result<Kept, Error> {
        Ok(Kept { db: self.0.connect()?, sound: None })
    }

    fn is_valid(&self, kept: &mut Kept) -> Result<(), Error> {
        if kept.sound.is_some_and(|at| at.elapsed() < SOUND) { Ok(()) } else { self.0.is_valid(&mut kept.db) }
    }

    fn has_broken(&self, kept: &mut Kept) -> bool {
        self.0.has_broken(&mut kept.db)
    }
}

/// Strictness is asked for on every connection, whatever the server's default is.
#[derive(Debug)]
pub(crate) struct Strict;

impl CustomizeConnection<Kept, Error> for Strict {
    fn on_acquire(&self, kept: &mut Kept) -> Result<(), Error> {
        kept.db
            .batch_execute("SET SESSION sql_mode = 'STRICT_ALL_TABLES', time_zone = '+00:00', innodb_lock_wait_timeout = 10; SET NAMES utf8mb4")
            .map_err(Error::QueryError)
    }
}
