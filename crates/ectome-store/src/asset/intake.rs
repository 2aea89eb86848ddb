//! What intake, and every preparation after it, makes of an asset's source.

use ectome_recipe::{Change, Done, Found, Inspection, Recipe, memory};
use sqlx::{MySqlConnection, Row};

use crate::{
    Store, StoreError,
    artefact::{self, Named},
    asking::{Wanted, ask},
    batch::queue_plans,
    document::{json, short, stored},
    retry::retrying,
    work::LIGHT_TRIANGLES,
};

/// What a source was prepared to.
pub(crate) struct Intake {
    /// The key of the recipe that makes it.
    pub key: String,
    /// The changes.
    pub changes: Vec<Change>,
    /// What each of them did.
    pub results: Vec<Done>,
    /// What it consists of.
    pub inspection: Inspection,
    /// What is kept of it.
    pub artefacts: Vec<Named>,
}

impl Store {
    /// Records what intake found. `read` is the source as it was read, where that is not what it is prepared to: the key of its
    /// recipe and what is kept of it.
    pub(crate) async fn finish_intake(
        &self,
        asset: u64,
        intake: &Intake,
        found: &Found,
        (read, as_read): (&str, &[Named]),
    ) -> Result<(), StoreError> {
        let found = json(found, "unit and axis")?;
        let changes = json(&intake.changes, "list of changes")?;
        let results = json(&intake.results, "list of results")?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            artefact::put(&mut tx, read, as_read).await?;
            put_inspection(&mut tx, asset, intake).await?;
            sqlx::query("UPDATE assets SET space = ?, preparation = ?, results = ? WHERE id = ?")
                .bind(&found)
                .bind(&changes)
                .bind(&results)
                .bind(asset)
                .execute(&mut *tx)
                .await?;
            take_in_what_came_along(&mut tx, asset, &intake.changes).await?;
            queue_plans(&mut tx, "m.asset = ?", asset).await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    pub(crate) async fn fail_intake(&self, asset: u64, fault: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE assets SET fault = ? WHERE id = ?")
                .bind(short(fault))
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }
}

/// Asks for the low mesh that came along with a source, once.
async fn take_in_what_came_along(
    tx: &mut MySqlConnection,
    asset: u64,
    changes: &[Change],
) -> Result<(), StoreError> {
    let row =
        sqlx::query("SELECT source, brought FROM assets WHERE id = ? AND brought IS NOT NULL")
            .bind(asset)
            .fetch_optional(&mut *tx)
            .await?;
    let Some(row) = row else { return Ok(()) };
    let source: String = row.try_get("source")?;
    if let Some(files) = stored(&row, "brought")? {
        let recipe = Recipe::brought(source, changes, files);
        ask(tx, asset, &Wanted::of(&recipe, 0)).await?;
    }
    sqlx::query("UPDATE assets SET brought = NULL WHERE id = ?")
        .bind(asset)
        .execute(&mut *tx)
        .await?;
    Ok(())
}

/// Records what a source, as it is prepared now, consists of.
pub(crate) async fn put_inspection(
    tx: &mut MySqlConnection,
    asset: u64,
    intake: &Intake,
) -> Result<(), StoreError> {
    let inspection = json(&intake.inspection, "inspection")?;
    artefact::put(tx, &intake.key, &intake.artefacts).await?;
    sqlx::query(
        "UPDATE assets SET inspection = ?, prepared = ?, fault = NULL, light = ?, needs = ? WHERE id = ?",
    )
    .bind(inspection)
    .bind(&intake.key)
    .bind(intake.inspection.triangles <= LIGHT_TRIANGLES)
    .bind(memory::to_work_on(intake.inspection.triangles))
    .bind(asset)
    .execute(&mut *tx)
    .await?;
    Ok(())
}
