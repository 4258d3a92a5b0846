//! The one error of the store.

/// Why the store could not do something.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// The database cannot be reached: stopped, or its connection was lost.
    #[error("the database cannot be reached: {0}")]
    Unavailable(String),
    /// Nothing by that id.
    #[error("there is no such {0}")]
    NotFound(&'static str),
    /// Somebody else was first; carries who and what, to be told.
    #[error("{0}")]
    Conflict(Box<Conflict>),
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
    Database(diesel::result::Error),
}

/// A lost race: what was decided in the meantime.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Conflict {
    /// The sheet's version now.
    pub version: u32,
    /// Who changed it last.
    pub by: String,
    /// What was decided, in a sentence.
    pub theirs: String,
}

impl std::fmt::Display for Conflict {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} was first: {}", self.by, self.theirs)
    }
}

impl From<diesel::result::Error> for StoreError {
    fn from(e: diesel::result::Error) -> Self {
        use diesel::result::{DatabaseErrorKind, Error};
        let lost = |text: &str| {
            ["gone away", "Lost connection", "Can't connect", "Server shutdown", "Connection was killed"]
                .iter()
                .any(|t| text.contains(t))
        };
        match e {
            Error::NotFound => StoreError::NotFound("record"),
            Error::DatabaseError(DatabaseErrorKind::ClosedConnection, info) => {
                StoreError::Unavailable(info.message().to_owned())
            }
            Error::DatabaseError(_, ref info) if lost(info.message()) => {
                StoreError::Unavailable(info.message().to_owned())
            }
            Error::BrokenTransactionManager => {
                StoreError::Unavailable("the connection was lost in the middle".to_owned())
            }
            e => StoreError::Database(e),
        }
    }
}
