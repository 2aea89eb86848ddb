//! What can go wrong underneath.

use std::path::PathBuf;

use thiserror::Error;

/// Why the store could not do something.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The database refused or is gone.
    #[error("the database did not answer as expected: {0}")]
    Database(#[from] sqlx::Error),
    /// The schema could not be brought up to date.
    #[error("the database schema could not be brought up to date: {0}")]
    Migration(#[from] sqlx::migrate::MigrateError),
    /// The object store refused.
    #[error("the object store did not answer as expected: {0}")]
    Blob(#[from] object_store::Error),
    /// A file or folder could not be used.
    #[error("{} cannot be used: {}", .0.display(), .1)]
    File(PathBuf, String),
    /// Something stored is not what it should be.
    #[error("a stored {what} cannot be read: {fault}")]
    Stored {
        /// What it is.
        what: &'static str,
        /// What is wrong with it.
        fault: String,
    },
    /// There is no such thing.
    #[error("there is no {what} {id}")]
    Missing {
        /// What was asked for.
        what: &'static str,
        /// Its id.
        id: String,
    },
    /// A name is in use.
    #[error("another one is called {name}. Choose another name")]
    Taken {
        /// The name.
        name: String,
    },
    /// Another Ectome uses the data folder.
    #[error(
        "the data folder {} is in use by another Ectome. Stop that one, or set ECTOME_DATA to another \
         folder", .0.display()
    )]
    Locked(PathBuf),
    /// The database port is taken.
    #[error("port {0} for the database is taken. Set ECTOME_DB_PORT to a free one")]
    PortTaken(u16),
    /// MariaDB is not installed.
    #[error(
        "{0} is not installed. Run ./start, which installs it, or: apt-get install mariadb-server"
    )]
    NotInstalled(&'static str),
    /// MariaDB did not come up.
    #[error("the database did not start: {0}")]
    NotStarted(String),
}

impl StoreError {
    pub(crate) fn stored(what: &'static str, fault: impl ToString) -> Self {
        Self::Stored {
            what,
            fault: fault.to_string(),
        }
    }

    pub(crate) fn missing(what: &'static str, id: impl ToString) -> Self {
        Self::Missing {
            what,
            id: id.to_string(),
        }
    }
}
