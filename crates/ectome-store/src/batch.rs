//! Batches: one brief and one plan for many assets.
//!
//! An asset in a batch is asked for once its source is read, and again whenever it has another source. Work of the kind *plan* does it, so
//! that a hundred assets are proposed one after another by whoever has time, and nobody waits on a page for it.

use ectome_recipe::{Brief, Plan};
use sqlx::{MySqlConnection, Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    asset::Asset,
    brief::NAME,
    document::{fits, json, short, stored},
    retry::retrying,
};

/// A batch.
#[derive(Clone, Debug, PartialEq)]
pub struct Batch {
    /// Row.
    pub id: u64,
    /// Its name.
    pub name: String,
    /// The row of its brief.
    pub brief: u64,
    /// The plan for all; without it each asset gets the one that is proposed for it.
    pub plan: Option<Plan>,
    /// The folder below the server's folder for watching whose files join by themselves.
    pub folder: Option<String>,
    /// When it was begun, such as `2026-11-28 14:05`.
    pub created: String,
    /// How many assets are in it.
    pub assets: u64,
}

/// An asset of a batch.
#[derive(Clone, Debug, PartialEq)]
pub struct BatchAsset {
    /// The asset.
    pub asset: u64,
    /// Its own plan in place of the batch's.
    pub plan: Option<Plan>,
    /// The source that it was asked for last; empty before that.
    pub source: String,
    /// Why nothing could be asked for.
    pub fault: Option<String>,
}

/// A plan that was saved.
#[derive(Clone, Debug, PartialEq)]
pub struct SavedPlan {
    /// Row.
    pub id: u64,
    /// Its name.
    pub name: String,
    /// The plan.
    pub plan: Plan,
}

/// What was taken from a watched folder.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Watched {
    /// The file or folder.
    pub entry: String,
    /// How it looked then.
    pub looks: String,
    /// The asset that it became.
    pub asset: Option<u64>,
    /// Why it became none.
    pub fault: Option<String>,
}

impl Batch {
    fn from_row(row: &MySqlRow) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.try_get("id")?,
            name: row.try_get("name")?,
            brief: row.try_get("brief")?,
            plan: stored(row, "plan")?,
            folder: row.try_get("folder")?,
            created: row.try_get("created_at")?,
            assets: row.try_get::<i64, _>("held")?.unsigned_abs(),
        })
    }
}

/// The start of a query for rows that [`Batch::from_row`] reads.
macro_rules! batch_rows {
    () => {
        "SELECT b.*, DATE_FORMAT(b.created, '%Y-%m-%d %H:%i') AS created_at, \
         (SELECT COUNT(*) FROM batch_assets m WHERE m.batch = b.id) AS held FROM batches b"
    };
}

impl Store {
    /// Begins a batch with some assets. Returns its row.
    ///
    /// # Errors
    /// [`StoreError::TooLong`], and others.
    pub async fn add_batch(
        &self,
        name: &str,
        brief: u64,
        plan: Option<&Plan>,
        folder: Option<&str>,
        assets: &[u64],
    ) -> Result<u64, StoreError> {
        fits(name, "The name of a batch", NAME)?;
        let plan = plan.map(|p| json(p, "plan")).transpose()?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let id =
                sqlx::query("INSERT INTO batches (name, brief, plan, folder) VALUES (?, ?, ?, ?)")
                    .bind(name)
                    .bind(brief)
                    .bind(&plan)
                    .bind(folder)
                    .execute(&mut *tx)
                    .await?
                    .last_insert_id();
            for &asset in assets {
                join(&mut tx, id, asset).await?;
            }
            tx.commit().await?;
            Ok(id)
        })
        .await
    }

    /// Lets an asset join a batch.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn join_batch(&self, batch: u64, asset: u64) -> Result<(), StoreError> {
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            join(&mut tx, batch, asset).await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Changes a batch. What was made stays; assets are asked for again where `again` says so.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn change_batch(
        &self,
        id: u64,
        name: &str,
        brief: u64,
        plan: Option<&Plan>,
        again: bool,
    ) -> Result<(), StoreError> {
        fits(name, "The name of a batch", NAME)?;
        let plan = plan.map(|p| json(p, "plan")).transpose()?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query("UPDATE batches SET name = ?, brief = ?, plan = ? WHERE id = ?")
                .bind(name)
                .bind(brief)
                .bind(&plan)
                .bind(id)
                .execute(&mut *tx)
                .await?;
            if again {
                sqlx::query("UPDATE batch_assets SET source = '', fault = NULL WHERE batch = ?")
                    .bind(id)
                    .execute(&mut *tx)
                    .await?;
                queue_plans(&mut tx, "m.batch = ?", id).await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Gives an asset of a batch a plan of its own, or takes it away, and asks for it again.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn set_own_plan(
        &self,
        batch: u64,
        asset: u64,
        plan: Option<&Plan>,
    ) -> Result<(), StoreError> {
        let plan = plan.map(|p| json(p, "plan")).transpose()?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query(
                "UPDATE batch_assets SET plan = ?, source = '', fault = NULL WHERE batch = ? AND asset = ?",
            )
            .bind(&plan)
            .bind(batch)
            .bind(asset)
            .execute(&mut *tx)
            .await?;
            queue_plans(&mut tx, "m.asset = ?", asset).await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Takes an asset out of a batch; what was made of it stays.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn leave_batch(&self, batch: u64, asset: u64) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("DELETE FROM batch_assets WHERE batch = ? AND asset = ?")
                .bind(batch)
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// Removes a batch; its assets and what was made of them stay.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn remove_batch(&self, id: u64) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("DELETE FROM batches WHERE id = ?")
                .bind(id)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// A batch.
    ///
    /// # Errors
    /// [`StoreError::Missing`], and others.
    pub async fn batch(&self, id: u64) -> Result<Batch, StoreError> {
        let row = sqlx::query(concat!(batch_rows!(), " WHERE b.id = ?"))
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        row.as_ref()
            .map_or_else(|| Err(StoreError::missing("batch", id)), Batch::from_row)
    }

    /// All batches, latest first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn batches(&self) -> Result<Vec<Batch>, StoreError> {
        let rows = sqlx::query(concat!(batch_rows!(), " ORDER BY b.id DESC"))
            .fetch_all(&self.pool)
            .await?;
        rows.iter().map(Batch::from_row).collect()
    }

    /// The assets of a batch, in the order in which they were added to the store.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn batch_assets(&self, batch: u64) -> Result<Vec<BatchAsset>, StoreError> {
        let rows = sqlx::query(
            "SELECT asset, plan, source, fault FROM batch_assets WHERE batch = ? ORDER BY asset",
        )
        .bind(batch)
        .fetch_all(&self.pool)
        .await?;
        rows.iter()
            .map(|row| {
                Ok(BatchAsset {
                    asset: row.try_get("asset")?,
                    plan: stored(row, "plan")?,
                    source: row.try_get("source")?,
                    fault: row.try_get("fault")?,
                })
            })
            .collect()
    }

    /// The plan that an asset of a batch is to follow, if one was chosen, and the batch's brief with its row.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) async fn batch_task(
        &self,
        batch: u64,
        asset: u64,
    ) -> Result<(Option<Plan>, u64, Brief), StoreError> {
        let row = self.batch(batch).await?;
        let own = self.batch_assets(batch).await?;
        let own = own
            .into_iter()
            .find(|m| m.asset == asset)
            .and_then(|m| m.plan);
        let briefs = self.briefs().await?;
        let brief = briefs.into_iter().find(|b| b.id == row.brief);
        let brief = brief.ok_or_else(|| StoreError::missing("brief", row.brief))?;
        Ok((own.or(row.plan), row.brief, brief.brief))
    }

    /// Asks for what a plan says on behalf of a batch, unless the asset has another source by now.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) async fn follow_plan(
        &self,
        batch: u64,
        asset: u64,
        source: &str,
        plan: &Plan,
    ) -> Result<(), StoreError> {
        let (_, row, brief) = self.batch_task(batch, asset).await?;
        let asset = self.asset(asset).await?;
        if asset.source != source {
            return Ok(());
        }
        self.set_brief(asset.id, row).await?;
        self.ask_for_plan(&asset, plan, &brief).await?;
        self.note_batch(batch, &asset, None).await
    }

    async fn note_batch(
        &self,
        batch: u64,
        asset: &Asset,
        fault: Option<&str>,
    ) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE batch_assets SET source = ?, fault = ? WHERE batch = ? AND asset = ?",
            )
            .bind(&asset.source)
            .bind(fault.map(short))
            .bind(batch)
            .bind(asset.id)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// Records that nothing could be asked for.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) async fn fail_plan(
        &self,
        batch: u64,
        asset: u64,
        fault: &str,
    ) -> Result<(), StoreError> {
        let asset = self.asset(asset).await?;
        self.note_batch(batch, &asset, Some(fault)).await
    }

    /// Saves a plan under a name, in place of another of that name.
    ///
    /// # Errors
    /// [`StoreError::TooLong`], and others.
    pub async fn save_plan(&self, name: &str, plan: &Plan) -> Result<(), StoreError> {
        fits(name, "The name of a plan", NAME)?;
        let document = json(plan, "plan")?;
        retrying(|| async {
            sqlx::query(
                "INSERT INTO saved_plans (name, document) VALUES (?, ?) ON DUPLICATE KEY UPDATE document = VALUES(document)",
            )
            .bind(name)
            .bind(&document)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// The plans that were saved, by name.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn saved_plans(&self) -> Result<Vec<SavedPlan>, StoreError> {
        let rows = sqlx::query("SELECT id, name, document FROM saved_plans ORDER BY name")
            .fetch_all(&self.pool)
            .await?;
        rows.iter()
            .map(|row| {
                Ok(SavedPlan {
                    id: row.try_get("id")?,
                    name: row.try_get("name")?,
                    plan: stored(row, "document")?.unwrap_or_default(),
                })
            })
            .collect()
    }

    /// Removes a saved plan.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn remove_plan(&self, id: u64) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM saved_plans WHERE id = ?")
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// What was taken from the folder of a batch.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn watched(&self, batch: u64) -> Result<Vec<Watched>, StoreError> {
        let rows = sqlx::query("SELECT entry, looks, asset, fault FROM watched WHERE batch = ?")
            .bind(batch)
            .fetch_all(&self.pool)
            .await?;
        rows.iter()
            .map(|row| {
                Ok(Watched {
                    entry: row.try_get("entry")?,
                    looks: row.try_get("looks")?,
                    asset: row.try_get("asset")?,
                    fault: row.try_get("fault")?,
                })
            })
            .collect()
    }

    /// Notes what became of an entry of a watched folder.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn note_watched(&self, batch: u64, seen: &Watched) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "INSERT INTO watched (batch, entry, looks, asset, fault) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE \
                 looks = VALUES(looks), asset = VALUES(asset), fault = VALUES(fault)",
            )
            .bind(batch)
            .bind(&seen.entry)
            .bind(&seen.looks)
            .bind(seen.asset)
            .bind(seen.fault.as_deref().map(short))
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}

/// Puts an asset into a batch, and asks for it where its source is read already.
async fn join(tx: &mut MySqlConnection, batch: u64, asset: u64) -> Result<(), StoreError> {
    sqlx::query("INSERT IGNORE INTO batch_assets (batch, asset) VALUES (?, ?)")
        .bind(batch)
        .bind(asset)
        .execute(&mut *tx)
        .await?;
    queue_plans(tx, "m.asset = ?", asset).await
}

/// Queues the work that asks for assets of batches: those that are read and have another source than they were asked for, or none.
/// `which` has one place for `value`.
pub(crate) async fn queue_plans(
    tx: &mut MySqlConnection,
    which: &'static str,
    value: u64,
) -> Result<(), StoreError> {
    let text = format!(
        "INSERT INTO work (kind, asset, batch, light, needs) \
         SELECT 'plan', m.asset, m.batch, a.light, a.needs FROM batch_assets m JOIN assets a ON a.id = m.asset \
         WHERE {which} AND a.inspection IS NOT NULL AND a.fault IS NULL AND a.wanted IS NULL AND m.source <> a.source \
         AND NOT EXISTS (SELECT 1 FROM work w WHERE w.kind = 'plan' AND w.batch = m.batch AND w.asset = m.asset \
         AND w.state IN ('queued', 'running'))"
    );
    sqlx::query(sqlx::AssertSqlSafe(text))
        .bind(value)
        .execute(&mut *tx)
        .await?;
    Ok(())
}
