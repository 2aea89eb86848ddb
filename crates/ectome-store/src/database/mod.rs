//! A MariaDB of our own, kept alive as long as Ectome runs.
//!
//! | file | what it holds |
//! |---|---|
//! | `daemon` | one run of the server: its data, its command line, its end |
//! | `accounts` | who may enter: one account with a password, and nobody else |
//! | `keeper` | the thread that starts it, starts it again when it ends, and gives up when that does not help |
//!
//! The server listens on a socket in a folder that is ours alone (mode 0700) and on no port. It ends with the process
//! that started it, however that ends; one that is found running nevertheless is ended and replaced.

mod accounts;
mod daemon;
mod keeper;

use std::{
    path::{Path, PathBuf},
    sync::Arc,
};

use tokio::sync::watch;

use crate::{StoreError, folder};

/// How the database is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Health {
    /// It is being started, for the first time or again after it ended.
    Starting,
    /// It answers.
    Up,
    /// It ended again and again; nobody starts it any more. The reason is a sentence without a full stop.
    GivenUp(String),
}

/// How to reach a database.
#[derive(Clone)]
pub struct Connection {
    /// Its socket.
    pub socket: PathBuf,
    /// The account.
    pub user: &'static str,
    /// Its password.
    pub password: String,
    /// How it is.
    pub health: watch::Receiver<Health>,
}

/// A database server that is kept alive until [`PrivateServer::stop`], or until this process ends.
pub struct PrivateServer {
    connection: Connection,
    keeper: keeper::Keeper,
}

impl PrivateServer {
    /// Starts the server of `folder`, making its data on first use, and waits until it answers.
    ///
    /// # Errors
    /// [`StoreError::NotInstalled`], [`StoreError::NotStarted`], [`StoreError::File`].
    pub async fn start(folder: &Path) -> Result<Self, StoreError> {
        folder::private(folder)?;
        let folder = folder
            .canonicalize()
            .map_err(|e| StoreError::File(folder.to_owned(), e.to_string()))?;
        let password = folder::kept_secret(&folder.join("password"))?;
        let daemon = Arc::new(daemon::Daemon::of(folder, password.clone())?);
        let (say, mut health) = watch::channel(Health::Starting);
        let socket = daemon.socket().to_owned();
        let keeper = keeper::Keeper::start(daemon, say)?;
        let settled = health
            .wait_for(|h| *h != Health::Starting)
            .await
            .map_err(|_| StoreError::NotStarted("its keeper ended".to_owned()))?
            .clone();
        if let Health::GivenUp(why) = settled {
            return Err(StoreError::NotStarted(why));
        }
        Ok(Self {
            connection: Connection {
                socket,
                user: accounts::USER,
                password,
                health,
            },
            keeper,
        })
    }

    /// How to reach it.
    pub fn connection(&self) -> &Connection {
        &self.connection
    }

    /// The process that runs now, for those who look at it from outside.
    pub fn process(&self) -> Option<u32> {
        self.keeper.process()
    }

    /// Shuts the server down and waits until it is gone.
    pub async fn stop(self) {
        let keeper = self.keeper;
        let _ = tokio::task::spawn_blocking(move || keeper.stop()).await;
    }
}
