//! Takes away the blobs that nobody names any more: mark and sweep.
//!
//! A collection waits for everybody who stores blobs and names them ([`naming`](crate::naming)), on all machines, and keeps
//! new ones waiting, which takes a moment.

use std::collections::HashSet;

use ectome_recipe::Recipe;
use sqlx::{Row, mysql::MySqlRow};
use tokio::sync::watch;

use crate::{Store, StoreError};

/// How often a collection runs when nobody asks for one.
const DAILY: std::time::Duration = std::time::Duration::from_secs(24 * 60 * 60);
/// And when others stored blobs all the time.
const LATER: std::time::Duration = std::time::Duration::from_secs(10 * 60);
/// How long it waits for others that may be asked for together.
const GATHER: std::time::Duration = std::time::Duration::from_millis(500);

/// What a collection freed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Freed {
    /// Blobs taken away.
    pub blobs: usize,
    /// Their bytes.
    pub bytes: u64,
}

/// Collects whenever something was removed, and once a day, until `stop` turns true.
pub async fn keep_collecting(store: Store, mut stop: watch::Receiver<bool>) {
    while !*stop.borrow() {
        let mut again = DAILY;
        match store.collect().await {
            Ok(freed) if freed.blobs > 0 => {
                tracing::info!(
                    freed.blobs,
                    freed.bytes,
                    "blobs that nobody names were taken away"
                );
            }
            Ok(_) => {}
            Err(StoreError::Busy) => again = LATER,
            Err(error) => tracing::warn!(%error, "blobs could not be collected"),
        }
        tokio::select! {
            () = store.blobs.asked() => tokio::time::sleep(GATHER).await,
            () = tokio::time::sleep(again) => {}
            _ = stop.changed() => {}
        }
    }
}

impl Store {
    /// Forgets candidates and analyses that belong to no asset any more, and takes away every blob that no row names.
    ///
    /// # Errors
    /// See [`StoreError`]. What was freed by then stays freed.
    pub async fn collect(&self) -> Result<Freed, StoreError> {
        let _alone = self.alone().await?;
        // What another candidate was made from is kept with it.
        loop {
            let gone = sqlx::query(
                "DELETE FROM candidates WHERE NOT EXISTS (SELECT 1 FROM tray t WHERE t.candidate = candidates.hash) \
                 AND NOT EXISTS (SELECT 1 FROM chain_tiers l WHERE l.candidate = candidates.hash) \
                 AND NOT EXISTS (SELECT 1 FROM scene_assets s WHERE s.candidate = candidates.hash) \
                 AND NOT EXISTS (SELECT 1 FROM parcel_tiers q JOIN parcels p ON p.id = q.parcel \
                 WHERE q.candidate = candidates.hash AND p.state = 'waiting') \
                 AND NOT EXISTS (SELECT 1 FROM work w WHERE w.candidate = candidates.hash AND w.state IN ('queued', 'running')) \
                 AND hash NOT IN (SELECT b.based_on FROM (SELECT based_on FROM candidates WHERE based_on IS NOT NULL) b)",
            )
            .execute(&self.pool)
            .await?
            .rows_affected();
            if gone == 0 {
                break;
            }
        }
        // What is named by its key: what sources are read as and prepared to, candidates, and the analyses of both.
        let mut owners: HashSet<String> = HashSet::new();
        let mut analyses: HashSet<String> = HashSet::new();
        let mut named: HashSet<String> = HashSet::new();
        for asset in self.assets().await? {
            analyses.extend(asset.recipe(4).analysis_key());
            owners.insert(Recipe::prepared(&asset.source, &[]).key());
            owners.insert(asset.prepared);
            named.extend(asset.brought.into_iter().flatten().map(|f| f.blob));
        }
        for row in self.rows("SELECT hash, recipe FROM candidates").await? {
            let recipe: String = row.try_get("recipe")?;
            let recipe: Recipe =
                serde_json::from_str(&recipe).map_err(|e| StoreError::stored("recipe", e))?;
            analyses.extend(recipe.analysis_key());
            named.extend(recipe.brought_files().map(|f| f.blob.clone()));
            owners.insert(row.try_get("hash")?);
        }
        for row in self.rows("SELECT hash FROM analyses").await? {
            let hash: String = row.try_get("hash")?;
            if !analyses.contains(&hash) {
                self.forget("DELETE FROM analyses WHERE hash = ?", &hash)
                    .await?;
            }
        }
        owners.extend(analyses);
        for row in self.rows("SELECT DISTINCT owner FROM artefacts").await? {
            let owner: String = row.try_get("owner")?;
            if !owners.contains(&owner) {
                self.forget("DELETE FROM artefacts WHERE owner = ?", &owner)
                    .await?;
            }
        }
        for row in self
            .rows(
                "SELECT blob_key FROM source_files UNION SELECT blob_key FROM artefacts UNION SELECT blob_key FROM parcel_files \
                 UNION SELECT glimpse FROM work WHERE state = 'running' AND glimpse IS NOT NULL",
            )
            .await?
        {
            named.insert(row.try_get("blob_key")?);
        }
        self.blobs.sweep(&named).await
    }

    async fn rows(&self, query: &'static str) -> Result<Vec<MySqlRow>, StoreError> {
        Ok(sqlx::query(query).fetch_all(&self.pool).await?)
    }

    async fn forget(&self, query: &'static str, key: &str) -> Result<(), StoreError> {
        sqlx::query(query).bind(key).execute(&self.pool).await?;
        Ok(())
    }
}
