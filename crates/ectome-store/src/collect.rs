//! Takes away the blobs that nobody names any more: mark and sweep.
//!
//! Whoever stores a blob and records its name afterwards holds [`Blobs::naming`] in the meantime, and so does whoever puts a
//! known candidate back into use. A collection waits for all of them and keeps new ones waiting, which takes a moment.

use std::collections::HashSet;

use ectome_recipe::Recipe;
use sqlx::Row;
use tokio::sync::watch;

use crate::{Store, StoreError, candidate::PictureBlobs};

/// How often a collection runs when nobody asks for one.
const DAILY: std::time::Duration = std::time::Duration::from_secs(24 * 60 * 60);
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
        match store.collect().await {
            Ok(freed) if freed.blobs > 0 => {
                tracing::info!(
                    freed.blobs,
                    freed.bytes,
                    "blobs that nobody names were taken away"
                );
            }
            Ok(_) => {}
            Err(error) => tracing::warn!(%error, "blobs could not be collected"),
        }
        tokio::select! {
            () = store.blobs.asked() => tokio::time::sleep(GATHER).await,
            () = tokio::time::sleep(DAILY) => {}
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
        let _alone = self.blobs.alone().await;
        // What another candidate was made from is kept with it.
        loop {
            let gone = sqlx::query(
                "DELETE FROM candidates WHERE NOT EXISTS (SELECT 1 FROM tray t WHERE t.candidate = candidates.hash) \
                 AND NOT EXISTS (SELECT 1 FROM chain_tiers l WHERE l.candidate = candidates.hash) \
                 AND NOT EXISTS (SELECT 1 FROM scene_assets s WHERE s.candidate = candidates.hash) \
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
        let mut named: HashSet<String> = HashSet::new();
        let mut analyses: HashSet<String> = HashSet::new();
        for asset in self.assets().await? {
            analyses.extend(asset.recipe(4).analysis_key());
            named.extend(
                [asset.picture, asset.stage, asset.marks]
                    .into_iter()
                    .flatten(),
            );
        }
        for row in sqlx::query("SELECT blob_key FROM source_files")
            .fetch_all(&self.pool)
            .await?
        {
            named.insert(row.try_get("blob_key")?);
        }
        for row in sqlx::query("SELECT recipe, mesh, pictures FROM candidates")
            .fetch_all(&self.pool)
            .await?
        {
            let recipe: String = row.try_get("recipe")?;
            let recipe: Recipe =
                serde_json::from_str(&recipe).map_err(|e| StoreError::stored("recipe", e))?;
            analyses.extend(recipe.analysis_key());
            named.extend(row.try_get::<Option<String>, _>("mesh")?);
            let pictures: Option<PictureBlobs> = crate::document::stored(&row, "pictures")?;
            named.extend(pictures.into_iter().flat_map(PictureBlobs::all));
        }
        for row in sqlx::query("SELECT hash, log FROM analyses")
            .fetch_all(&self.pool)
            .await?
        {
            let hash: String = row.try_get("hash")?;
            if analyses.contains(&hash) {
                named.insert(row.try_get("log")?);
            } else {
                sqlx::query("DELETE FROM analyses WHERE hash = ?")
                    .bind(hash)
                    .execute(&self.pool)
                    .await?;
            }
        }
        self.blobs.sweep(&named).await
    }
}
