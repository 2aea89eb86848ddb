//! Analyses by address.

use ectome_recipe::{CURVE_PLACES, CollapseLog, Recipe};
use sqlx::Row;

use crate::{Store, StoreError, retry::retrying};

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
                "INSERT INTO work (kind, asset) SELECT 'analyse', ? FROM DUAL WHERE NOT EXISTS \
                 (SELECT 1 FROM analyses WHERE hash = ? AND flat IS NOT NULL) AND NOT EXISTS (SELECT 1 FROM work \
                 WHERE asset = ? AND kind = 'analyse' AND state = 'queued')",
            )
            .bind(asset)
            .bind(key)
            .bind(asset)
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
        let row = sqlx::query("SELECT log FROM analyses WHERE hash = ?")
            .bind(recipe.analysis_key().unwrap_or_default())
            .fetch_optional(&self.pool)
            .await?;
        let Some(row) = row else { return Ok(None) };
        let bytes = self.blobs.get(row.try_get("log")?).await?;
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
        let curve = serde_json::to_string(&curve).map_err(|e| StoreError::stored("curve", e))?;
        let blob = self.blobs.put(bytes).await?;
        sqlx::query(
            "INSERT INTO analyses (hash, log, curve, flat) VALUES (?, ?, ?, ?) ON DUPLICATE KEY \
             UPDATE log = VALUES(log), curve = VALUES(curve), flat = COALESCE(VALUES(flat), flat)",
        )
        .bind(recipe.analysis_key().unwrap_or_default())
        .bind(blob)
        .bind(curve)
        .bind(flat)
        .execute(&self.pool)
        .await?;
        Ok(())
    }
}
