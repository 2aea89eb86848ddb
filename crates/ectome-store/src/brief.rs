//! Briefs as rows.

use ectome_recipe::Brief;
use sqlx::Row;

use crate::{Store, StoreError};

/// A brief and its row.
#[derive(Clone, Debug)]
pub struct BriefRow {
    /// Row.
    pub id: u64,
    /// The brief.
    pub brief: Brief,
}

impl Store {
    /// Adds briefs whose names are new.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn add_briefs(&self, briefs: &[Brief]) -> Result<(), StoreError> {
        for brief in briefs {
            let document =
                serde_json::to_string(brief).map_err(|e| StoreError::stored("brief", e))?;
            sqlx::query("INSERT IGNORE INTO briefs (name, document) VALUES (?, ?)")
                .bind(&brief.name)
                .bind(document)
                .execute(&self.pool)
                .await?;
        }
        Ok(())
    }

    /// All briefs by name.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn briefs(&self) -> Result<Vec<BriefRow>, StoreError> {
        sqlx::query("SELECT id, document FROM briefs ORDER BY name")
            .fetch_all(&self.pool)
            .await?
            .iter()
            .map(|row| {
                let document: String = row.try_get("document")?;
                Ok(BriefRow {
                    id: row.try_get("id")?,
                    brief: serde_json::from_str(&document)
                        .map_err(|e| StoreError::stored("brief", e))?,
                })
            })
            .collect()
    }
}
