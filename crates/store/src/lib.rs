//! Everything that is kept: Diesel over MariaDB, one connection pool, one error type. No web types.
//!
//! `schema` and `migrations/` are the tables, `records` what a row holds, each file under `queries` one noun. All work on the
//! database goes through [`Store::run`], [`Store::look`] and [`Store::snapshot`] (`transaction`). A change of a sheet and what
//! the Docket shows of it happen in one transaction.

pub mod beside;
mod cores;
mod error;
mod migrating;
mod pool;
mod queries;
mod records;
mod schema;
mod silence;
mod transaction;
mod work;

use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use diesel::MysqlConnection;
use diesel::prelude::*;
use diesel::r2d2::Pool;

pub use cores::on_all_cores;
pub use error::{Ailment, Conflict, StoreError};
pub use queries::attachments;
pub use queries::changes;
pub use queries::college;
pub use queries::course;
pub use queries::docket::{self, Counts, DocketRow, Filter, Order, SentMark};
pub use queries::door;
pub use queries::drafts;
pub use queries::events::{self, Event};
pub use queries::floor;
pub use queries::hands;
pub use queries::imports::{self, ImportRow, Preview, Taken};
pub use queries::jobs::{self, Job};
pub use queries::labs::{self, FolderText, FromFolder, Lab};
pub use queries::moderation;
pub use queries::outbox;
pub use queries::practice;
pub use queries::privacy;
pub use queries::quarantine::{self, HeldRecord};
pub use queries::questions;
pub use queries::room;
pub use queries::roster;
pub use queries::rulings;
pub use queries::second;
pub use queries::second_factor;
pub use queries::sections;
pub use queries::settings;
pub use queries::sheets::{self, Moved, NewDecision, ReturnedLine, SheetDetail, StoredDecision, WentOut};
pub use queries::shelf;
pub use queries::terms;
pub use queries::tokens;
pub use queries::tries;
pub use queries::users::{self, User};
pub use queries::verify;
pub use records::words::{FolderState, ImportState, JobKind, JobState, Role, ScoreState, SheetState};
pub use transaction::Db;
pub use work::{Workers, work_on, work_once};

/// Connections of a process.
pub const CONNECTIONS: u32 = 12;

/// A pool of connections, and what this process is to the others.
#[derive(Clone)]
pub struct Store {
    pool: Pool<pool::Manager>,
    /// The first server, without limits of time, for migrations.
    url: Arc<str>,
    /// Where this process stands in the record; see [`queries::events`].
    strand: Arc<Mutex<Option<queries::events::Strand>>>,
    process: Arc<str>,
    /// When the disk was full last.
    full: Arc<Mutex<Option<Instant>>>,
}

/// How long a full disk is told after something did not fit on it: a small change may fit all the while.
const TOLD_FOR: Duration = Duration::from_secs(60);

impl Store {
    /// A pool for a database URL such as `mysql://jurado@127.0.0.1:3307/jurado`, or for several, parted by spaces or commas,
    /// that are nodes of one cluster. Connects when first used.
    pub fn open(url: &str) -> Store {
        Store::open_within(url, silence::LIMIT)
    }

    /// [`Store::open`] with another limit of time within which the database has to answer a question.
    pub fn open_within(url: &str, silence: Duration) -> Store {
        let urls: Vec<&str> = url.split([',', ' ']).filter(|u| !u.is_empty()).collect();
        let first = urls.first().copied().unwrap_or_default();
        let pool = Pool::builder()
            .max_size(CONNECTIONS)
            .min_idle(Some(1))
            .connection_timeout(Duration::from_secs(3))
            .connection_customizer(Box::new(pool::Strict))
            .build_unchecked(pool::Manager::new(&urls, silence));
        Store { pool, url: first.into(), strand: Arc::default(), process: secret()[..32].into(), full: Arc::default() }
    }

    /// A name of this process that no other has.
    pub(crate) fn process(&self) -> &str {
        &self.process
    }

    /// Connections that are open and those of them that are at rest.
    pub fn connections(&self) -> (u32, u32) {
        let state = self.pool.state();
        (state.connections, state.idle_connections)
    }

    /// Whether the database answers, can keep something, and its disk was not full within the last minute.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn well(&self) -> Result<(), StoreError> {
        self.run(queries::settings::touch)?;
        match *self.full.lock().unwrap_or_else(PoisonError::into_inner) {
            Some(at) if at.elapsed() < TOLD_FOR => Err(StoreError::Unwell(Ailment::DiskFull)),
            _ => Ok(()),
        }
    }
}

/// SHA-256 of bytes, hexadecimal.
pub fn digest(bytes: &[u8]) -> String {
    use sha2::{Digest, Sha256};
    Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect()
}

/// Forty letters that nobody can guess.
pub fn secret() -> String {
    let bytes: [u8; 20] = rand::random();
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

diesel::define_sql_function! {
    /// Id of the row last inserted on this connection.
    fn last_insert_id() -> diesel::sql_types::Unsigned<diesel::sql_types::Bigint>;
}

/// Id of the row last inserted on this connection.
pub(crate) fn inserted(sql: &mut MysqlConnection) -> Result<u32, StoreError> {
    let id: u64 = diesel::select(last_insert_id()).get_result(sql)?;
    u32::try_from(id).map_err(|_| StoreError::Broken("an id beyond 32 bits".to_owned()))
}
