//! A schema beside the one in use. What is restored is written into it, brought up to date and checked there; then all tables change
//! places in one statement, which the server does whole or not at all (atomic DDL, MariaDB 10.6). So whenever it is cut off, the
//! schema in use holds all of the old state or all of the new one.

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use url::Url;

use crate::migrating::{Name, connect, failed};
use crate::{Store, StoreError};

/// A schema that is made ready beside the one in use.
#[derive(Debug)]
pub struct Beside {
    /// Of the schema in use, as the user who may change tables.
    url: String,
    live: String,
}

/// How many connections other than this one are at a database, as far as its user sees them; on each node, where it has several.
///
/// # Errors
/// Faults of the database. A node that is not there has no connections.
pub fn others_at(urls: &str) -> Result<i64, StoreError> {
    let mut others = 0;
    let nodes: Vec<&str> = urls.split([',', ' ']).filter(|u| !u.is_empty()).collect();
    for node in &nodes {
        let mut sql = match connect(node) {
            Ok(sql) => sql,
            Err(StoreError::Unavailable(_)) if nodes.len() > 1 => continue,
            Err(e) => return Err(e),
        };
        let count: Count = diesel::sql_query(
            "SELECT COUNT(*) AS n FROM information_schema.processlist WHERE db = DATABASE() AND id <> CONNECTION_ID()",
        )
        .get_result(&mut sql)?;
        others += count.n;
    }
    Ok(others)
}

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    n: i64,
}

impl Beside {
    /// An empty schema beside the one of a URL. What an earlier try left there is taken away.
    ///
    /// # Errors
    /// Where the user may not make one, with the statement that grants it.
    pub fn begin(url: &str) -> Result<Beside, StoreError> {
        let name = Url::parse(url).map(|u| u.path().trim_start_matches('/').to_owned()).map_err(failed)?;
        if name.is_empty() || !name.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-')) {
            return Err(failed(format!("“{name}” is no name of a database that has one beside it")));
        }
        let beside = Beside { url: url.to_owned(), live: name };
        let made = beside.anew(&beside.ready()).and_then(|()| beside.anew(&beside.replaced()));
        made.map_err(|e| match e.to_string().contains("denied") {
            true => StoreError::Bad(
                format!("the database’s user may not make the databases {} and {}", beside.ready(), beside.replaced()),
                format!("as the server’s root: GRANT ALL ON `{}\\_%`.* TO that user WITH GRANT OPTION", beside.live),
            ),
            false => e,
        })?;
        Ok(beside)
    }

    fn anew(&self, schema: &str) -> Result<(), StoreError> {
        let text = format!(
            "DROP DATABASE IF EXISTS `{schema}`; \
             CREATE DATABASE `{schema}` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
        );
        Ok(connect(&self.url)?.batch_execute(&text)?)
    }

    fn ready(&self) -> String {
        format!("{}_restored", self.live)
    }

    fn replaced(&self) -> String {
        format!("{}_replaced", self.live)
    }

    /// Where the schema is.
    pub fn url(&self) -> String {
        match Url::parse(&self.url) {
            Ok(mut url) => {
                url.set_path(&self.ready());
                url.to_string()
            }
            Err(_) => String::new(),
        }
    }

    /// The schema with its tables up to date.
    ///
    /// # Errors
    /// Where a migration fails.
    pub fn up_to_date(&self) -> Result<Store, StoreError> {
        let store = Store::open(&self.url());
        store.migrate()?;
        store.run(crate::sheets::complete_outcomes)?;
        Ok(store)
    }

    /// Puts the schema in the place of the one in use, in one step, and takes away what was there.
    ///
    /// # Errors
    /// Where the server refuses it: then nothing was changed.
    pub fn switch(self) -> Result<(), StoreError> {
        let mut sql = connect(&self.url)?;
        let tables = |sql: &mut MysqlConnection, schema: &str| -> Result<Vec<String>, StoreError> {
            let names: Vec<Name> = diesel::sql_query(
                "SELECT table_name AS name FROM information_schema.tables \
                 WHERE table_schema = ? AND table_type = 'BASE TABLE' ORDER BY table_name",
            )
            .bind::<diesel::sql_types::Text, _>(schema)
            .load(sql)?;
            Ok(names.into_iter().map(|n| n.name).collect())
        };
        let (live, ready, replaced) = (&self.live, self.ready(), self.replaced());
        let away = tables(&mut sql, live)?.into_iter().map(|t| format!("`{live}`.`{t}` TO `{replaced}`.`{t}`"));
        let new = tables(&mut sql, &ready)?;
        if new.is_empty() {
            return Err(failed("the records that were read hold no table"));
        }
        let back = new.into_iter().map(|t| format!("`{ready}`.`{t}` TO `{live}`.`{t}`"));
        let moves: Vec<String> = away.chain(back).collect();
        sql.batch_execute(&format!("RENAME TABLE {}", moves.join(", ")))?;
        sql.batch_execute(&format!("DROP DATABASE `{replaced}`; DROP DATABASE `{ready}`"))?;
        Ok(())
    }

    /// Leaves the schema in use as it is, and takes the other one away.
    ///
    /// # Errors
    /// Faults of the database.
    pub fn give_up(self) -> Result<(), StoreError> {
        let text = format!("DROP DATABASE IF EXISTS `{}`; DROP DATABASE IF EXISTS `{}`", self.ready(), self.replaced());
        Ok(connect(&self.url)?.batch_execute(&text)?)
    }
}
