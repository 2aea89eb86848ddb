//! Briefs as rows.

use ectome_recipe::Brief;
use sqlx::Row;

use crate::{
    Store, StoreError,
    document::{fits, json},
};

/// Letters that the name of a brief or a scene may have.
pub(crate) const NAME: usize = 160;

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
            let document = json(brief, "brief")?;
            sqlx::query("INSERT IGNORE INTO briefs (name, document) VALUES (?, ?)")
                .bind(&brief.name)
                .bind(document)
                .execute(&self.pool)
                .await?;
        }
        Ok(())
    }

    /// Adds a brief or puts it in place of the one in row `id`. Returns its row.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when another brief has that name, [`StoreError::TooLong`], and others.
    pub async fn put_brief(&self, id: Option<u64>, brief: &Brief) -> Result<u64, StoreError> {
        fits(&brief.name, "The name of a brief", NAME)?;
        let document = json(brief, "brief")?;
        let taken = |e: sqlx::Error| match e.as_database_error() {
            Some(d) if d.is_unique_violation() => StoreError::Taken {
                name: brief.name.clone(),
            },
            _ => e.into(),
        };
        match id {
            None => {
                let done = sqlx::query("INSERT INTO briefs (name, document) VALUES (?, ?)")
                    .bind(&brief.name)
                    .bind(document)
                    .execute(&self.pool)
                    .await
                    .map_err(taken)?;
                Ok(done.last_insert_id())
            }
            Some(id) => {
                sqlx::query("UPDATE briefs SET name = ?, document = ? WHERE id = ?")
                    .bind(&brief.name)
                    .bind(document)
                    .bind(id)
                    .execute(&self.pool)
                    .await
                    .map_err(taken)?;
                Ok(id)
            }
        }
    }

    /// Removes a brief that nothing is judged by. False when an asset or a scene is.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn remove_brief(&self, id: u64) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "DELETE FROM briefs WHERE id = ? AND NOT EXISTS (SELECT 1 FROM assets a WHERE a.brief = briefs.id) \
             AND NOT EXISTS (SELECT 1 FROM scenes s WHERE s.brief = briefs.id)",
        )
        .bind(id)
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected() > 0)
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
