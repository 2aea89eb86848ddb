//! The changes of an asset's source before it is cut, and where the source comes from.
//!
//! Changes that are asked for stand in `wanted` until a worker has made them. Only then do they become the
//! asset's preparation, together with the inspection and the stage mesh that belong to them; when they
//! fail, the asset stays what it was.

use ectome_recipe::Change;

use crate::{
    Store, StoreError,
    asset::{Asset, Intake, Provenance, put_inspection},
    batch::queue_plans,
    document::{fits, json, short},
    retry::retrying,
};

impl Store {
    /// Asks for other changes in place of the present ones and queues the work.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_preparation(
        &self,
        asset: &Asset,
        changes: &[Change],
    ) -> Result<(), StoreError> {
        let document = json(&changes, "list of changes")?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query("UPDATE assets SET wanted = ?, preparation_fault = NULL WHERE id = ?")
                .bind(&document)
                .bind(asset.id)
                .execute(&mut *tx)
                .await?;
            sqlx::query(
                "INSERT INTO work (kind, asset, light, needs) SELECT 'prepare', id, light, needs FROM assets WHERE id = ? \
                 AND NOT EXISTS (SELECT 1 FROM work w WHERE w.asset = assets.id AND w.kind = 'prepare' AND w.state = 'queued')",
            )
            .bind(asset.id)
            .execute(&mut *tx)
            .await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Keeps what a worker made, unless other changes are wanted by now.
    pub(crate) async fn finish_preparation(
        &self,
        asset: u64,
        intake: &Intake,
    ) -> Result<(), StoreError> {
        let changes = json(&intake.changes, "list of changes")?;
        let results = json(&intake.results, "list of results")?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let taken = sqlx::query(
                "UPDATE assets SET preparation = ?, results = ?, wanted = NULL, preparation_fault = NULL \
                 WHERE id = ? AND wanted = ?",
            )
            .bind(&changes)
            .bind(&results)
            .bind(asset)
            .bind(&changes)
            .execute(&mut *tx)
            .await?
            .rows_affected();
            if taken > 0 {
                put_inspection(&mut tx, asset, intake).await?;
                queue_plans(&mut tx, "m.asset = ?", asset).await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Forgets the wanted changes and says why.
    pub(crate) async fn fail_preparation(&self, asset: u64, fault: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE assets SET wanted = NULL, preparation_fault = ? WHERE id = ?")
                .bind(short(fault))
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// Records where a source comes from.
    ///
    /// # Errors
    /// [`StoreError::TooLong`] and others.
    pub async fn set_provenance(&self, asset: u64, p: &Provenance) -> Result<(), StoreError> {
        fits(&p.origin, "The origin", 400)?;
        fits(&p.author, "The author", 200)?;
        fits(&p.licence, "The licence", 200)?;
        retrying(|| async {
            sqlx::query(
                "UPDATE assets SET origin = ?, author = ?, licence = ?, may_pass_on = ? WHERE id = ?",
            )
            .bind(&p.origin)
            .bind(&p.author)
            .bind(&p.licence)
            .bind(p.may_pass_on.word())
            .bind(asset)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}
