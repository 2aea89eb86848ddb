//! Transactions that are begun again.

use std::time::Duration;

use tokio::time::Instant;

use crate::StoreError;

/// How often a transaction that was rolled back is begun before its error is handed on.
const MOST_ATTEMPTS: u32 = 20;
/// How long a database that is gone is waited for. It is started again within seconds.
const PATIENCE: Duration = Duration::from_secs(15);
/// MariaDB's numbers for "deadlock found" and "lock wait timeout exceeded": the statement was rolled
/// back and may be sent again. From the MariaDB error code reference.
const ROLLED_BACK: [u16; 2] = [1213, 1205];
/// "Server shutdown in progress", "query execution was interrupted" and "connection was killed": the server is going.
const GOING: [u16; 3] = [1053, 1317, 1927];

/// Runs `attempt` until MariaDB lets it through. `attempt` must be a whole transaction or a single statement that may be
/// done twice: InnoDB ends one of two transactions that wait for each other and expects its client to begin again, and of a
/// connection that breaks off nobody knows whether its last word was heard.
pub(crate) async fn retrying<T, A>(mut attempt: impl FnMut() -> A) -> Result<T, StoreError>
where
    A: Future<Output = Result<T, StoreError>>,
{
    let begun = Instant::now();
    let mut tries = 1;
    loop {
        match attempt().await {
            Err(error) if tries < MOST_ATTEMPTS && was_rolled_back(&error) => {
                tokio::time::sleep(Duration::from_millis(u64::from(tries))).await;
                tries += 1;
            }
            Err(error) if error.is_outage() && begun.elapsed() < PATIENCE => {
                tokio::time::sleep(Duration::from_millis(200)).await;
            }
            other => return other,
        }
    }
}

fn was_rolled_back(error: &StoreError) -> bool {
    error.number().is_some_and(|n| ROLLED_BACK.contains(&n))
}

impl StoreError {
    /// The number MariaDB gives the error, if it is one of MariaDB's.
    fn number(&self) -> Option<u16> {
        let Self::Database(sqlx::Error::Database(error)) = self else {
            return None;
        };
        error
            .try_downcast_ref::<sqlx::mysql::MySqlDatabaseError>()
            .map(sqlx::mysql::MySqlDatabaseError::number)
    }

    /// True when others held a lock for too long.
    pub(crate) fn is_lock_timeout(&self) -> bool {
        self.number() == Some(1205)
    }

    /// True when the database was not there, or went while it was asked. What was asked may or may not have been done.
    pub fn is_outage(&self) -> bool {
        match self {
            Self::Database(
                sqlx::Error::Io(_)
                | sqlx::Error::PoolTimedOut
                | sqlx::Error::PoolClosed
                | sqlx::Error::WorkerCrashed
                | sqlx::Error::Protocol(_)
                | sqlx::Error::Tls(_),
            ) => true,
            Self::Database(_) => self.number().is_some_and(|n| GOING.contains(&n)),
            Self::NamingLost => true,
            _ => false,
        }
    }

    /// True when there was no room left for what should be written.
    pub fn is_full_disk(&self) -> bool {
        // MariaDB's "the table is full", "error writing file" and "disk full".
        let full = [1114, 1026, 1021, 3];
        match self {
            Self::NoSpace { .. } => true,
            Self::Database(_) => self.number().is_some_and(|n| full.contains(&n)),
            Self::Blob(error) => says_full(error),
            _ => false,
        }
    }
}

/// True when somewhere below an error the system says that the disk, or the user's share of it, is full.
fn says_full(error: &(dyn std::error::Error + 'static)) -> bool {
    let mut at = Some(error);
    while let Some(error) = at {
        if let Some(io) = error.downcast_ref::<std::io::Error>()
            && matches!(
                io.kind(),
                std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded
            )
        {
            return true;
        }
        at = error.source();
    }
    false
}
