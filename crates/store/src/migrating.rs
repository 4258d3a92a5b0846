//! Bringing the tables up to date: one process at a time, and from wherever an earlier one was cut off.
//!
//! Migrations run as a database user of their own where one is named. Whoever serves then gets just the rights it needs:
//! the record may be added to and read, and nothing in it changed or taken out.

use std::time::{Duration, Instant};

use diesel::connection::SimpleConnection;
use diesel::migration::{Migration, MigrationSource};
use diesel::prelude::*;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

use crate::{Store, StoreError, error, secret};

/// Migrations, compiled in.
const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");
/// For how long the lock is held without a word.
const LEASE_SECONDS: u32 = 20;
/// How long another process is waited for.
const PATIENCE: Duration = Duration::from_secs(600);
/// Tables of the record, which only grow.
const RECORD: [&str; 2] = ["events", "event_strands"];

#[derive(QueryableByName)]
pub(crate) struct Name {
    #[diesel(sql_type = diesel::sql_types::Text)]
    pub(crate) name: String,
}

pub(crate) fn failed(e: impl std::fmt::Display) -> StoreError {
    StoreError::Migration(e.to_string())
}

pub(crate) fn connect(url: &str) -> Result<MysqlConnection, StoreError> {
    let mut sql = MysqlConnection::establish(url).map_err(|e| StoreError::Unavailable(e.to_string()))?;
    // Long statements are what this connection is for.
    sql.batch_execute("SET SESSION time_zone = '+00:00', lock_wait_timeout = 600; SET NAMES utf8mb4")?;
    Ok(sql)
}

impl Store {
    /// Brings the tables up to date as whoever serves.
    ///
    /// # Errors
    /// Where the database cannot be reached or a migration fails.
    pub fn migrate(&self) -> Result<(), StoreError> {
        migrate_as(&self.url)
    }

    /// Brings the tables up to date as another user, and grants whoever serves what serving needs.
    ///
    /// # Errors
    /// Where the database cannot be reached, a migration fails, or the rights cannot be granted.
    pub fn migrate_as(&self, url: &str) -> Result<(), StoreError> {
        migrate_as(url)?;
        let serving: String = self.look(|c| {
            let name: Name = diesel::sql_query("SELECT CURRENT_USER() AS name").get_result(c.sql())?;
            Ok(name.name)
        })?;
        grant(&mut connect(url)?, &serving)
    }

    /// Whether the tables are those that this program knows; they may be older ones.
    ///
    /// # Errors
    /// [`StoreError::Bad`] where they are a newer program's; faults of the database.
    pub fn is_known(&self) -> Result<(), StoreError> {
        refuse_newer(&mut connect(&self.url)?)
    }

    /// Whether whoever serves could change the record: then a line at the start says so.
    ///
    /// # Errors
    /// Faults of the database.
    pub fn may_change_the_record(&self) -> Result<bool, StoreError> {
        self.look(|c| {
            // A statement that would change nothing is refused before it is begun where the right is missing.
            match diesel::sql_query("UPDATE events SET what = what WHERE id = 0").execute(c.sql()) {
                Ok(_) => Ok(true),
                Err(e) if e.to_string().contains("denied") => Ok(false),
                Err(e) => Err(e.into()),
            }
        })
    }
}

/// Migrations that this program does not know: the tables are those of a newer one, which means by them what this one cannot.
fn unknown(sql: &mut MysqlConnection) -> Result<Vec<String>, StoreError> {
    let known: Vec<String> = MigrationSource::<diesel::mysql::Mysql>::migrations(&MIGRATIONS)
        .map_err(failed)?
        .iter()
        .map(|m| m.name().version().to_string())
        .collect();
    let there: Vec<Name> = diesel::sql_query(
        "SELECT table_name AS name FROM information_schema.tables \
         WHERE table_schema = DATABASE() AND table_name = '__diesel_schema_migrations'",
    )
    .load(sql)?;
    if there.is_empty() {
        return Ok(Vec::new());
    }
    let applied: Vec<Name> = diesel::sql_query("SELECT version AS name FROM __diesel_schema_migrations").load(sql)?;
    Ok(applied.into_iter().map(|n| n.name).filter(|n| !known.contains(n)).collect())
}

/// Refuses tables of a newer program.
fn refuse_newer(sql: &mut MysqlConnection) -> Result<(), StoreError> {
    match unknown(sql)?.last() {
        None => Ok(()),
        Some(last) => Err(StoreError::Bad(
            format!(
                "the tables are those of a newer Jurado (they were changed by {last}, which this one does not know)"
            ),
            "start that version, or restore a backup of this one".to_owned(),
        )),
    }
}

fn migrate_as(url: &str) -> Result<(), StoreError> {
    let mut sql = connect(url)?;
    refuse_newer(&mut sql)?;
    if !sql.has_pending_migration(MIGRATIONS).map_err(failed)? {
        return Ok(());
    }
    let lock = Lock::take(url)?;
    let outcome =
        drop_triggers(&mut sql).and_then(|()| sql.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(failed));
    lock.release();
    outcome
}

/// A database that ran a version between 0.1 and this one kept the stage by triggers. They are dropped only where they are:
/// a server that keeps a binary log asks for special rights even to drop one that is not there.
fn drop_triggers(sql: &mut MysqlConnection) -> Result<(), StoreError> {
    let there: Vec<Name> = diesel::sql_query(
        "SELECT trigger_name AS name FROM information_schema.triggers \
         WHERE trigger_schema = DATABASE() AND trigger_name IN ('sheets_stage_new', 'sheets_stage_changed')",
    )
    .load(sql)?;
    for Name { name } in there {
        sql.batch_execute(&format!("DROP TRIGGER IF EXISTS `{name}`"))?;
    }
    Ok(())
}

/// The lock around migrating: a row whose lease a thread makes longer. A row and not a lock of the server, since that is
/// known to one node of a cluster only.
struct Lock {
    holder: String,
    done: std::sync::mpsc::Sender<()>,
    keeper: std::thread::JoinHandle<()>,
    url: String,
}

impl Lock {
    fn take(url: &str) -> Result<Lock, StoreError> {
        let holder = secret();
        let mut sql = connect(url)?;
        let (begun, mut told) = (Instant::now(), false);
        sql.batch_execute(
            "CREATE TABLE IF NOT EXISTS migrating (id INT NOT NULL PRIMARY KEY, holder VARCHAR(40) NOT NULL, until DATETIME(3) NOT NULL) \
             ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin; \
             INSERT IGNORE INTO migrating VALUES (1, '', '2000-01-01')",
        )?;
        loop {
            let taken = diesel::sql_query(format!(
                "UPDATE migrating SET holder = ?, until = UTC_TIMESTAMP(3) + INTERVAL {LEASE_SECONDS} SECOND \
                 WHERE id = 1 AND until < UTC_TIMESTAMP(3)"
            ))
            .bind::<diesel::sql_types::Text, _>(&holder)
            .execute(&mut sql);
            match taken {
                Ok(1) => break,
                Ok(_) => {}
                Err(e) if error::meaning(&e.to_string()).is_some_and(|m| m.is_refused()) => {}
                Err(e) => return Err(e.into()),
            }
            if !told && begun.elapsed() > Duration::from_secs(1) {
                told = true;
                log::warn!(
                    "another process is bringing the tables up to date, or was ended while it did: waiting for it, \
                     {LEASE_SECONDS} seconds at least"
                );
            }
            if begun.elapsed() > PATIENCE {
                return Err(failed("another process has been bringing the tables up to date for ten minutes"));
            }
            std::thread::sleep(Duration::from_millis(200));
        }
        let (done, rest) = std::sync::mpsc::channel();
        let kept = holder.clone();
        let keeper = std::thread::spawn(move || {
            while rest.recv_timeout(Duration::from_secs(u64::from(LEASE_SECONDS) / 4))
                == Err(std::sync::mpsc::RecvTimeoutError::Timeout)
            {
                let _ = diesel::sql_query(format!(
                    "UPDATE migrating SET until = UTC_TIMESTAMP(3) + INTERVAL {LEASE_SECONDS} SECOND WHERE id = 1 AND holder = ?"
                ))
                .bind::<diesel::sql_types::Text, _>(&kept)
                .execute(&mut sql);
            }
        });
        Ok(Lock { holder, done, keeper, url: url.to_owned() })
    }

    fn release(self) {
        drop(self.done);
        let _ = self.keeper.join();
        let free = |mut sql: MysqlConnection| {
            diesel::sql_query("UPDATE migrating SET until = '2000-01-01' WHERE id = 1 AND holder = ?")
                .bind::<diesel::sql_types::Text, _>(&self.holder)
                .execute(&mut sql)
        };
        // A lock that cannot be given back runs out by itself.
        let _ = connect(&self.url).map(free);
    }
}

/// Grants whoever serves what serving needs on each table there is: everything, except that the record only grows.
fn grant(sql: &mut MysqlConnection, serving: &str) -> Result<(), StoreError> {
    let (user, host) = serving.rsplit_once('@').ok_or_else(|| failed("a user without a host"))?;
    if user.contains(['\'', '\\']) || host.contains(['\'', '\\']) {
        return Err(failed("the name of the serving user has a quote in it"));
    }
    let same: Name = diesel::sql_query("SELECT CURRENT_USER() AS name").get_result(sql)?;
    if same.name == serving {
        return Ok(());
    }
    let tables: Vec<Name> = diesel::sql_query(
        "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE() AND table_type = 'BASE TABLE'",
    )
    .load(sql)?;
    for Name { name } in tables {
        let rights = if RECORD.contains(&name.as_str()) { "SELECT, INSERT" } else { "SELECT, INSERT, UPDATE, DELETE" };
        sql.batch_execute(&format!("GRANT {rights} ON `{name}` TO '{user}'@'{host}'"))?;
    }
    Ok(())
}
