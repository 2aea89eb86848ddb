//! What people do with work that was asked for: want it sooner, ask for it again, read what it went through.

use sqlx::Row;

use crate::{
    Store, StoreError,
    asking::retry_candidate,
    document::clipped,
    retry::retrying,
    work::{Kind, State, Work},
};

/// A line of what a piece of work went through.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LogLine {
    /// Day and time by the database's clock.
    pub at: String,
    /// What happened.
    pub says: String,
}

impl Store {
    /// Puts queued work before everything else that waits.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn hurry_work(&self, id: u64) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE work w JOIN (SELECT COALESCE(MAX(hurried), 0) + 1 AS next FROM work) m \
                 SET w.hurried = m.next WHERE w.id = ? AND w.state = 'queued'",
            )
            .bind(id)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// Asks again for work that failed or was stopped, and for what failed because it did. False where only its asset's page can: changes
    /// of a source that could not be made are not kept.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_again(&self, work: &Work) -> Result<bool, StoreError> {
        if !matches!(work.state, State::Failed | State::Stopped) {
            return Ok(false);
        }
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            match (work.kind, &work.candidate, work.parcel) {
                (Kind::Make, Some(hash), _) => retry_candidate(&mut tx, hash).await?,
                (Kind::Parcel, _, Some(parcel)) => {
                    sqlx::query("UPDATE parcels SET state = 'waiting', fault = NULL WHERE id = ? AND state = 'failed'")
                        .bind(parcel)
                        .execute(&mut *tx)
                        .await?;
                }
                (Kind::Intake, ..) => {
                    sqlx::query("UPDATE assets SET fault = NULL WHERE id = ?")
                        .bind(work.asset)
                        .execute(&mut *tx)
                        .await?;
                }
                (Kind::Plan, ..) => {
                    sqlx::query("UPDATE batch_assets SET fault = NULL WHERE batch = ? AND asset = ?")
                        .bind(work.batch)
                        .bind(work.asset)
                        .execute(&mut *tx)
                        .await?;
                }
                (Kind::Analyse, ..) => {}
                (Kind::Prepare | Kind::Make | Kind::Parcel, ..) => return Ok(false),
            }
            if work.kind != Kind::Make {
                sqlx::query(
                    "INSERT INTO work (kind, asset, parcel, batch, light, needs) \
                     SELECT kind, asset, parcel, batch, light, needs FROM work old WHERE old.id = ? \
                     AND NOT EXISTS (SELECT 1 FROM work w WHERE w.kind = old.kind AND w.asset = old.asset \
                     AND w.parcel <=> old.parcel AND w.batch <=> old.batch AND w.state IN ('queued', 'running'))",
                )
                .bind(work.id)
                .execute(&mut *tx)
                .await?;
            }
            tx.commit().await?;
            Ok(true)
        })
        .await
    }

    /// Notes what a piece of work goes through. What cannot be noted does not stop it.
    pub(crate) async fn log_work(&self, work: u64, says: &str) {
        let done = sqlx::query("INSERT INTO work_log (work, says) VALUES (?, ?)")
            .bind(work)
            .bind(clipped(says, 400))
            .execute(&self.pool)
            .await;
        if let Err(error) = done {
            tracing::warn!(work, %error, "a line of the log is missing");
        }
    }

    /// What a piece of work went through, first to last.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn work_log(&self, work: u64) -> Result<Vec<LogLine>, StoreError> {
        let rows = sqlx::query(
            "SELECT DATE_FORMAT(at, '%Y-%m-%d %H:%i:%s') AS at_, says FROM work_log WHERE work = ? ORDER BY at LIMIT 1000",
        )
        .bind(work)
        .fetch_all(&self.pool)
        .await?;
        rows.iter()
            .map(|row| {
                Ok(LogLine {
                    at: row.try_get("at_")?,
                    says: row.try_get("says")?,
                })
            })
            .collect()
    }
}
