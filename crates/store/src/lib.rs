//! Everything that is kept: Diesel over MariaDB, one connection pool, one error type. No web types.
//!
//! `schema` and `migrations/` are the tables; each file under `queries` is one noun. A change of a sheet and what the
//! Docket shows of it happen in one transaction.

mod error;
mod pool;
mod queries;
mod schema;

use diesel::prelude::*;
use diesel::r2d2::Pool;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::time::Duration;

pub use error::{Conflict, StoreError};
pub use queries::attachments;
pub use queries::docket::{self, Counts, DocketRow, Filter, Order};
pub use queries::imports::{self, ImportRow, ImportState, Preview, Taken};
pub use queries::labs::{self, Lab};
pub use queries::quarantine::{self, HeldRecord};
pub use queries::roster;
pub use queries::sections;
pub use queries::settings;
pub use queries::sheets::{self, NewDecision, ReturnedLine, SheetDetail, StoredDecision};
pub use queries::users::{self, Role, User};

/// Migrations, compiled in.
const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// What every function here works on.
pub type Db = MysqlConnection;

/// A pool of connections.
#[derive(Clone)]
pub struct Store {
    pool: Pool<pool::Manager>,
}

impl Store {
    /// A pool for a database URL such as `mysql://jurado@127.0.0.1:3307/jurado`. Connects when first used.
    pub fn open(url: &str) -> Store {
        let pool = Pool::builder()
            .max_size(10)
            .min_idle(Some(1))
            .connection_timeout(Duration::from_secs(3))
            .connection_customizer(Box::new(pool::Strict))
            .build_unchecked(pool::Manager::new(url));
        Store { pool }
    }

    /// Runs database work on a connection of the pool.
    ///
    /// # Errors
    /// [`StoreError::Unavailable`] where the database cannot be reached, else what the work gives.
    pub fn run<T>(&self, work: impl FnOnce(&mut Db) -> Result<T, StoreError>) -> Result<T, StoreError> {
        let mut connection = self.pool.get().map_err(|e| StoreError::Unavailable(e.to_string()))?;
        let outcome = work(&mut connection.db);
        connection.worked(&outcome);
        outcome
    }

    /// Brings the tables up to date.
    ///
    /// # Errors
    /// Where the database cannot be reached or a migration fails.
    pub fn migrate(&self) -> Result<(), StoreError> {
        self.run(|c| c.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(|e| StoreError::Migration(e.to_string())))
    }
}

/// The moment, to the second, in universal time.
pub(crate) fn now() -> chrono::NaiveDateTime {
    let now = chrono::Utc::now().naive_utc();
    chrono::DateTime::from_timestamp(now.and_utc().timestamp(), 0).map_or(now, |t| t.naive_utc())
}

/// SHA-256 of bytes, hexadecimal.
pub(crate) fn digest(bytes: &[u8]) -> String {
    use sha2::{Digest, Sha256};
    Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect()
}

diesel::define_sql_function! {
    /// Id of the row last inserted on this connection.
    fn last_insert_id() -> diesel::sql_types::Unsigned<diesel::sql_types::Bigint>;
}

/// Id of the row last inserted on this connection.
pub(crate) fn inserted(c: &mut Db) -> Result<u32, StoreError> {
    let id: u64 = diesel::select(last_insert_id()).get_result(c)?;
    u32::try_from(id).map_err(|_| StoreError::Broken("an id beyond 32 bits".to_owned()))
}
