//! Analyses by address.

use ectome_recipe::{ErrorCurve, FlatOutlook, Recipe};
use sqlx::{Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    artefact::{self, Named},
    document::json,
    retry::retrying,
};

/// What an analysis told, for pages.
#[derive(Clone, Debug)]
pub struct Outlook {
    /// Expected largest deviation in metres against triangles, heaviest first.
    pub curve: ErrorCurve,
    /// What merging flat regions would leave.
    pub flat: Option<FlatOutlook>,
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
                "INSERT INTO work (kind, asset, light, needs) SELECT 'analyse', id, light, needs FROM assets WHERE id = ? \
                 AND NOT EXISTS (SELECT 1 FROM analyses WHERE hash = ? AND near IS NOT NULL) AND NOT EXISTS (SELECT 1 FROM work w \
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
        sqlx::query("SELECT curve, flat, near_mm, near FROM analyses WHERE hash = ?")
            .bind(recipe.analysis_key().unwrap_or_default())
            .fetch_optional(&self.pool)
            .await?
            .map(|row| {
                Ok(Outlook {
                    curve: serde_json::from_str(row.try_get("curve")?)
                        .map_err(|e| StoreError::stored("error curve", e))?,
                    flat: flat(&row)?,
                })
            })
            .transpose()
    }

    /// Keeps an analysis: its curve if it was made anew, how far flat regions can be merged if that was looked for, and what it
    /// consists of.
    pub(crate) async fn keep_analysis(
        &self,
        recipe: &Recipe,
        curve: Option<&ErrorCurve>,
        flat: Option<&FlatOutlook>,
        artefacts: &[Named],
    ) -> Result<(), StoreError> {
        let Some(key) = recipe.analysis_key() else {
            return Ok(());
        };
        let curve = curve.map(|c| json(&c, "error curve")).transpose()?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            artefact::put(&mut tx, &key, artefacts).await?;
            if let Some(curve) = &curve {
                sqlx::query(
                    "INSERT INTO analyses (hash, curve) VALUES (?, ?) ON DUPLICATE KEY UPDATE curve = VALUES(curve)",
                )
                .bind(&key)
                .bind(curve)
                .execute(&mut *tx)
                .await?;
            }
            if let Some(flat) = flat {
                sqlx::query("UPDATE analyses SET flat = ?, near_mm = ?, near = ? WHERE hash = ?")
                    .bind(flat.triangles)
                    .bind(flat.near_mm)
                    .bind(flat.near)
                    .bind(&key)
                    .execute(&mut *tx)
                    .await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }
}

/// What a row says of flat regions; nothing where only an earlier version looked for them.
fn flat(row: &MySqlRow) -> Result<Option<FlatOutlook>, StoreError> {
    let triangles: Option<u64> = row.try_get("flat")?;
    let near: (Option<f64>, Option<u64>) = (row.try_get("near_mm")?, row.try_get("near")?);
    Ok(match (triangles, near) {
        (Some(triangles), (Some(near_mm), Some(near))) => Some(FlatOutlook {
            triangles,
            near_mm,
            near,
        }),
        _ => None,
    })
}
