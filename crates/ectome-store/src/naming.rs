//! Keeps blobs that are being named from being taken away as nobody's.
//!
//! A blob is stored first and named by a row afterwards; in between nobody names it. Whoever does both holds a [`Naming`] from
//! before the first blob until the row is there, and so does whoever puts a known candidate back into use. Taking blobs away
//! is done alone. Both hold within this process by a lock of its own, which no outage of the database breaks, and among all
//! processes, on this machine and on others, by a lock on the one row of the table `naming`: shared for naming, exclusive for
//! taking away. It goes with the connection, so nobody who dies keeps it.

use std::{
    sync::{Arc, Weak},
    time::{Duration, Instant},
};

use sqlx::{MySql, Transaction};
use tokio::sync::{Mutex, OwnedRwLockReadGuard, OwnedRwLockWriteGuard, RwLock};

use crate::{Store, StoreError, retry::retrying};

/// So long others of the same process join a lock that is held. Without an end, namers that follow one another closely would
/// keep a collection waiting for ever.
const JOINED: Duration = Duration::from_secs(10);

/// The locks of one process.
#[derive(Clone, Default)]
pub(crate) struct Names {
    local: Arc<RwLock<()>>,
    current: Arc<Mutex<Weak<Shared>>>,
}

struct Shared {
    lock: Mutex<Transaction<'static, MySql>>,
    since: Instant,
}

/// Blobs may be stored and named while this is held.
pub struct Naming {
    _local: OwnedRwLockReadGuard<()>,
    shared: Arc<Shared>,
}

/// Blobs may be taken away while this is held.
pub(crate) struct Alone {
    _local: OwnedRwLockWriteGuard<()>,
    _lock: Transaction<'static, MySql>,
}

impl Store {
    /// To be held from the first blob that is stored until its name is recorded.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn naming(&self) -> Result<Naming, StoreError> {
        let local = self.names.local.clone().read_owned().await;
        let mut current = self.names.current.lock().await;
        let shared = match current.upgrade() {
            Some(shared) if shared.since.elapsed() < JOINED => shared,
            _ => {
                let lock = retrying(|| async {
                    let mut tx = self.pool.begin().await?;
                    sqlx::query("SELECT id FROM naming WHERE id = 1 LOCK IN SHARE MODE")
                        .fetch_one(&mut *tx)
                        .await?;
                    Ok(tx)
                })
                .await?;
                let shared = Arc::new(Shared {
                    lock: Mutex::new(lock),
                    since: Instant::now(),
                });
                *current = Arc::downgrade(&shared);
                shared
            }
        };
        Ok(Naming {
            _local: local,
            shared,
        })
    }

    /// To be held while blobs are taken away.
    ///
    /// # Errors
    /// [`StoreError::Busy`] when others do not come to an end; else see [`StoreError`].
    pub(crate) async fn alone(&self) -> Result<Alone, StoreError> {
        let local = self.names.local.clone().write_owned().await;
        let mut lock = self.pool.begin().await?;
        sqlx::query("SELECT id FROM naming WHERE id = 1 FOR UPDATE WAIT 300")
            .fetch_one(&mut *lock)
            .await
            .map_err(StoreError::from)
            .map_err(|e| {
                if e.is_lock_timeout() {
                    StoreError::Busy
                } else {
                    e
                }
            })?;
        Ok(Alone {
            _local: local,
            _lock: lock,
        })
    }
}

impl Naming {
    /// Makes sure, after a name was recorded, that the lock held all the time.
    ///
    /// # Errors
    /// [`StoreError::NamingLost`] when its connection broke off in the meantime: what was stored has to be stored again.
    pub async fn confirm(&self) -> Result<(), StoreError> {
        let mut lock = self.shared.lock.lock().await;
        sqlx::query("SELECT 1")
            .execute(&mut **lock)
            .await
            .map(drop)
            .map_err(|_| StoreError::NamingLost)
    }
}
