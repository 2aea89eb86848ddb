//! Analyses by address.

use bytes::Bytes;
use ectome_recipe::{CURVE_PLACES, CollapseLog, Recipe};
use sqlx::Row;

use crate::{Store, StoreError, document::json, retry::retrying};

/// What an analysis told, for pages.
#[derive(Clone, Debug)]
pub struct Outlook {
    /// Expected largest deviation in metres against triangles, heaviest first.
    pub curve: Vec<(u32, f32)>,
    /// Triangles that merging the flat regions would leave.
    pub flat: Option<u64>,
}

impl Store {
    /// Queues the analysis of an asset with its present settings, unless it is there or under way.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_analysis(&self, asset: u64) -> Result<(), StoreError> {
        retrying(|| async {
            let row = self.asset(asset).await?;
            let key = row.recipe(4).analysis_key().unwrap_or_default();
            sqlx::query(
                "INSERT INTO work (kind, asset, light) SELECT 'analyse', id, light FROM assets WHERE id = ? AND NOT EXISTS \
                 (SELECT 1 FROM analyses WHERE hash = ? AND flat IS NOT NULL) AND NOT EXISTS (SELECT 1 FROM work w \
                 WHERE w.asset = assets.id AND w.kind = 'analyse' AND w.state = 'queued')",
            )
            .bind(asset)
            .bind(key)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// What a recipe's analysis told, if it has been made.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn outlook(&self, recipe: &Recipe) -> Result<Option<Outlook>, StoreError> {
        sqlx::query("SELECT curve, flat FROM analyses WHERE hash = ?")
            .bind(recipe.analysis_key().unwrap_or_default())
            .fetch_optional(&self.pool)
            .await?
            .map(|row| {
                Ok(Outlook {
                    curve: serde_json::from_str(row.try_get("curve")?)
                        .map_err(|e| StoreError::stored("error curve", e))?,
                    flat: row.try_get("flat")?,
                })
            })
            .transpose()
    }

    /// The analysis of a recipe, if it has been made. A damaged one counts as none.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn analysis(&self, recipe: &Recipe) -> Result<Option<CollapseLog>, StoreError> {
        let Some(bytes) = self.analysis_bytes(recipe).await? else {
            return Ok(None);
        };
        let log = tokio::task::spawn_blocking(move || CollapseLog::from_bytes(&bytes))
            .await
            .map_err(|e| StoreError::stored("analysis", e))?;
        match log {
            Ok(log) => Ok(Some(log)),
            Err(error) => {
                tracing::warn!(%error, "a stored analysis is made again");
                Ok(None)
            }
        }
    }

    /// The same as it is stored.
    pub(crate) async fn analysis_bytes(
        &self,
        recipe: &Recipe,
    ) -> Result<Option<Bytes>, StoreError> {
        let Some(key) = recipe.analysis_key() else {
            return Ok(None);
        };
        let row = sqlx::query("SELECT log FROM analyses WHERE hash = ?")
            .bind(key)
            .fetch_optional(&self.pool)
            .await?;
        match row {
            Some(row) => Ok(Some(self.blobs.open(row.try_get("log")?).await?)),
            None => Ok(None),
        }
    }

    /// Keeps an analysis.
    pub(crate) async fn keep_analysis(
        &self,
        recipe: &Recipe,
        log: CollapseLog,
        flat: Option<u64>,
    ) -> Result<(), StoreError> {
        let (bytes, curve) =
            tokio::task::spawn_blocking(move || (log.to_bytes(), log.error_curve(CURVE_PLACES)))
                .await
                .map_err(|e| StoreError::stored("analysis", e))?;
        let curve = json(&curve, "error curve")?;
        let blob = self.blobs.put(bytes).await?;
        retrying(|| async {
            sqlx::query(
                "INSERT INTO analyses (hash, log, curve, flat) VALUES (?, ?, ?, ?) ON DUPLICATE KEY \
                 UPDATE log = VALUES(log), curve = VALUES(curve), flat = COALESCE(VALUES(flat), flat)",
            )
            .bind(recipe.analysis_key().unwrap_or_default())
            .bind(&blob)
            .bind(&curve)
            .bind(flat)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}
