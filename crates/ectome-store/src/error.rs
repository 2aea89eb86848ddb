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
    /// The disk is full, or would be too full afterwards.
    #[error(
        "the disk that holds {} is full: {} MB are free, {} MB are needed. Remove assets that are not needed any more, or \
         free space there", .folder.display(), .free / 1_000_000, .needed.div_ceil(1_000_000)
    )]
    NoSpace {
        /// The data folder.
        folder: PathBuf,
        /// Bytes needed, the reserve included.
        needed: u64,
        /// Bytes that are free.
        free: u64,
    },
    /// Somebody typed more than fits.
    #[error("{what} has {found} letters; at most {most} are kept. Shorten it")]
    TooLong {
        /// What was typed.
        what: &'static str,
        /// Its letters.
        found: usize,
        /// The most that fit.
        most: usize,
    },
    /// A document is larger than a column takes.
    #[error(
        "the {what} takes {} MB, more than the {} MB that can be kept. Join or rename parts, so that there is less to list",
        .bytes / 1_000_000, .most / 1_000_000
    )]
    TooLarge {
        /// What it is.
        what: &'static str,
        /// Its size.
        bytes: usize,
        /// The most that fits.
        most: usize,
    },
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
    /// A parcel waits for a tier that there is not.
    #[error(
        "LOD{tier} could not be made, so there is no parcel. {why} Put it right on the Chain step, then make the parcel again"
    )]
    Unmade {
        /// The tier.
        tier: usize,
        /// Why, in a sentence.
        why: String,
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
    /// A URL is not understood.
    #[error("the address of the {what} cannot be used: {fault}")]
    Address {
        /// What it is the address of.
        what: &'static str,
        /// What is wrong with it.
        fault: String,
    },
    /// A database that Ectome did not start is not set up as it needs.
    #[error("the database cannot be used as it is: {0}")]
    Unfit(String),
    /// Others held on to what is being stored for too long.
    #[error("blobs are being stored without a pause, so none could be taken away. Try again later")]
    Busy,
    /// The connection that kept blobs from being taken away broke off.
    #[error("the database was away while results were stored, so they have to be stored again")]
    NamingLost,
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
