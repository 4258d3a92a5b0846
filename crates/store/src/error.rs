//! The one error of the store, and what each fault of the database means for the person who asked.

use diesel::result::{DatabaseErrorKind, Error};

/// Why the store could not do something.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// The database cannot be reached: stopped, or its connection was lost before anything was to be kept.
    #[error("the database cannot be reached: {0}")]
    Unavailable(String),
    /// The connection was lost while a change was being kept: it may be stored or not, and only a look can tell.
    #[error("it is not known whether this was stored: {0}")]
    Unknown(String),
    /// The database answers and cannot keep anything at the moment.
    #[error("{0}")]
    Unwell(Ailment),
    /// The server refused a transaction because of another one, each time it was tried.
    #[error("others were changing the same records at the same moment: {0}")]
    Refused(String),
    /// Nothing by that id.
    #[error("there is no such {0}")]
    NotFound(&'static str),
    /// Somebody else was first; carries who and what, to be told.
    #[error("{0}")]
    Conflict(Box<Conflict>),
    /// What was asked cannot be done: what, and how to mend it.
    #[error("{0}; {1}")]
    Bad(String, String),
    /// A protocol's text has faults.
    #[error("the protocol has faults: {0}")]
    Protocol(String),
    /// A file cannot be read (any more).
    #[error("{0}")]
    File(jurado_core::error::Fault),
    /// What is stored does not make sense.
    #[error("stored data is broken: {0}")]
    Broken(String),
    /// A migration failed.
    #[error("the tables could not be brought up to date: {0}")]
    Migration(String),
    /// Any other fault of the database.
    #[error("the database failed: {0}")]
    Database(Error),
}

/// Why a database that answers keeps nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Ailment {
    /// No room on its disk.
    #[error("the database's disk is full")]
    DiskFull,
    /// It was set to be read only.
    #[error("the database may only be read at the moment")]
    ReadOnly,
    /// A node of a cluster that does not see the majority of the others.
    #[error("the database's cluster has lost its majority")]
    NoMajority,
}

/// A lost race: what was changed in the meantime.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Conflict {
    /// The sheet's version now.
    pub version: u32,
    /// Who changed it last.
    pub by: String,
    /// What was changed, in a sentence.
    pub theirs: String,
}

impl std::fmt::Display for Conflict {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} was first: {}", self.by, self.theirs)
    }
}

impl StoreError {
    /// A conflict.
    pub(crate) fn conflict(version: u32, by: impl Into<String>, theirs: impl Into<String>) -> StoreError {
        StoreError::Conflict(Box::new(Conflict { version, by: by.into(), theirs: theirs.into() }))
    }

    /// Whether the same work may be tried again because the server took nothing of it.
    pub(crate) fn is_refused(&self) -> bool {
        matches!(self, StoreError::Refused(_))
    }

    /// Whether the connection it happened on is to be asked before it is used again.
    pub(crate) fn doubts_the_connection(&self) -> bool {
        matches!(
            self,
            StoreError::Unavailable(_)
                | StoreError::Unknown(_)
                | StoreError::Unwell(_)
                | StoreError::Database(_)
                | StoreError::Broken(_)
        )
    }

    /// The fault of a COMMIT. A connection that was lost in it leaves open whether the server kept the transaction.
    pub(crate) fn at_commit(e: Error) -> StoreError {
        let e = match e {
            Error::RollbackErrorOnCommit { commit_error, .. } => *commit_error,
            e => e,
        };
        match StoreError::from(e) {
            StoreError::Unavailable(why) => StoreError::Unknown(why),
            e => e,
        }
    }
}

/// Words of MariaDB's messages, and what they mean. Diesel hands on the message and not the number.
const MEANINGS: [(&str, Meaning); 22] = [
    ("Deadlock found", Meaning::Refused),                            // 1213
    ("Lock wait timeout exceeded", Meaning::Refused),                // 1205
    ("Record has changed since last read", Meaning::Refused),        // 1020
    ("WSREP detected deadlock", Meaning::Refused),                   // 1213 on a node of a cluster
    ("WSREP replication failed", Meaning::Refused),                  // 1180
    ("Query execution was interrupted", Meaning::Refused), // 1317, a node that put another's transaction first
    ("not yet prepared node", Meaning::Unwell(Ailment::NoMajority)), // 1047
    ("--read-only option", Meaning::Unwell(Ailment::ReadOnly)), // 1290
    ("read-only mode", Meaning::Unwell(Ailment::ReadOnly)), // 1836
    ("READ ONLY transaction", Meaning::Unwell(Ailment::ReadOnly)), // 1792
    ("is read only", Meaning::Unwell(Ailment::ReadOnly)),  // 1036
    ("' is full", Meaning::Unwell(Ailment::DiskFull)),     // 1114
    ("No space left", Meaning::Unwell(Ailment::DiskFull)), // 1021, 28
    ("Disk full", Meaning::Unwell(Ailment::DiskFull)),     // 1021
    ("Got error 28", Meaning::Unwell(Ailment::DiskFull)),  // 1030
    ("gone away", Meaning::Lost),                          // 2006
    ("Lost connection", Meaning::Lost),                    // 2013
    ("Can't connect", Meaning::Lost),                      // 2002, 2003
    ("Server shutdown", Meaning::Lost),                    // 1053
    ("Connection was killed", Meaning::Lost),              // 1927
    ("Too many connections", Meaning::Lost),               // 1040
    ("Commands out of sync", Meaning::Lost),               // 2014, after an answer that came too late
];

#[derive(Clone, Copy)]
enum Meaning {
    Refused,
    Unwell(Ailment),
    Lost,
}

/// What a message of the server means for the work, where it means something in particular.
pub(crate) fn meaning(message: &str) -> Option<StoreError> {
    let (_, meaning) = MEANINGS.iter().find(|(words, _)| message.contains(words))?;
    Some(match *meaning {
        Meaning::Refused => StoreError::Refused(message.to_owned()),
        Meaning::Unwell(ailment) => StoreError::Unwell(ailment),
        Meaning::Lost => StoreError::Unavailable(message.to_owned()),
    })
}

impl From<jurado_core::error::Fault> for StoreError {
    fn from(fault: jurado_core::error::Fault) -> Self {
        StoreError::File(fault)
    }
}

impl From<Error> for StoreError {
    fn from(e: Error) -> Self {
        match e {
            Error::NotFound => StoreError::NotFound("record"),
            Error::DatabaseError(DatabaseErrorKind::ClosedConnection, info) => {
                StoreError::Unavailable(info.message().to_owned())
            }
            Error::DatabaseError(DatabaseErrorKind::SerializationFailure, info) => {
                StoreError::Refused(info.message().to_owned())
            }
            Error::DatabaseError(_, ref info) => meaning(info.message()).unwrap_or_else(|| StoreError::Database(e)),
            Error::BrokenTransactionManager => {
                StoreError::Unavailable("the connection was lost in the middle".to_owned())
            }
            e => StoreError::Database(e),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{Ailment, StoreError, meaning};

    #[test]
    fn what_the_server_says_is_told_apart_by_what_may_be_done_next() {
        let of = |message: &str| match meaning(message) {
            Some(StoreError::Refused(_)) => "again",
            Some(StoreError::Unwell(Ailment::DiskFull)) => "full",
            Some(StoreError::Unwell(Ailment::ReadOnly)) => "read only",
            Some(StoreError::Unwell(Ailment::NoMajority)) => "no majority",
            Some(StoreError::Unavailable(_)) => "away",
            _ => "ours",
        };
        for (message, means) in [
            ("Deadlock found when trying to get lock; try restarting transaction", "again"),
            ("Lock wait timeout exceeded; try restarting transaction", "again"),
            ("WSREP has not yet prepared node for application use", "no majority"),
            (
                "The MariaDB server is running with the --read-only option so it cannot execute this statement",
                "read only",
            ),
            ("The table 'imports' is full", "full"),
            ("Lost connection to server during query", "away"),
            ("Data too long for column 'reason' at row 1", "ours"),
            ("Duplicate entry '1-7' for key 'lab_team'", "ours"),
        ] {
            assert_eq!(of(message), means, "{message}");
        }
    }
}
