//! Transactions that MariaDB asks for again.

use std::time::Duration;

use crate::StoreError;

/// How often a transaction is begun before its error is handed on.
const MOST_ATTEMPTS: u32 = 20;
/// MariaDB's numbers for "deadlock found" and "lock wait timeout exceeded": the statement was rolled
/// back and may be sent again. From the MariaDB error code reference.
const ROLLED_BACK: [u16; 2] = [1213, 1205];

/// Runs `attempt`, which must be a whole transaction or a single statement, until MariaDB lets it
/// through. InnoDB ends one of two transactions that wait for each other and expects its client to
/// begin again; that is ordinary traffic, not a fault.
pub(crate) async fn retrying<T, A>(mut attempt: impl FnMut() -> A) -> Result<T, StoreError>
where
    A: Future<Output = Result<T, StoreError>>,
{
    let mut begun = 1;
    loop {
        match attempt().await {
            Err(error) if begun < MOST_ATTEMPTS && was_rolled_back(&error) => {
                tokio::time::sleep(Duration::from_millis(u64::from(begun))).await;
                begun += 1;
            }
            other => return other,
        }
    }
}

fn was_rolled_back(error: &StoreError) -> bool {
    let StoreError::Database(sqlx::Error::Database(error)) = error else {
        return false;
    };
    error
        .try_downcast_ref::<sqlx::mysql::MySqlDatabaseError>()
        .is_some_and(|e| ROLLED_BACK.contains(&e.number()))
}
