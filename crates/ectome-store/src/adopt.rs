//! Assets of an earlier version: some kept nothing of a source but a view, and analyses of others are of no use any more.

use ectome_recipe::Recipe;

use crate::{Store, StoreError, asset::AssetState, document::json};

/// What stands for a key that only the application can compute.
const STAND_IN: &str = "asset ";

/// Gives assets the key of what they are prepared to, and asks for that to be made once more and kept. Pages show meanwhile
/// what they showed. Asks for the analysis of every asset whose cuts this version makes otherwise.
pub(crate) async fn adopt(store: &Store) -> Result<(), StoreError> {
    for asset in store.assets().await? {
        if !asset.prepared.starts_with(STAND_IN) {
            if asset.state() == AssetState::Ready {
                store.ask_for_analysis(asset.id).await?;
            }
            continue;
        }
        let key = Recipe::prepared(&asset.source, &asset.preparation).key();
        let wanted = json(&asset.preparation, "list of changes")?;
        let mut tx = store.pool.begin().await?;
        sqlx::query(
            "INSERT IGNORE INTO artefacts (owner, kind, which, blob_key) \
             SELECT ?, kind, which, blob_key FROM artefacts WHERE owner = ?",
        )
        .bind(&key)
        .bind(&asset.prepared)
        .execute(&mut *tx)
        .await?;
        sqlx::query("DELETE FROM artefacts WHERE owner = ?")
            .bind(&asset.prepared)
            .execute(&mut *tx)
            .await?;
        sqlx::query("UPDATE assets SET prepared = ?, wanted = COALESCE(wanted, ?) WHERE id = ?")
            .bind(&key)
            .bind(&wanted)
            .bind(asset.id)
            .execute(&mut *tx)
            .await?;
        sqlx::query(
            "INSERT INTO work (kind, asset, light, needs) SELECT 'prepare', id, light, needs FROM assets WHERE id = ?",
        )
        .bind(asset.id)
        .execute(&mut *tx)
        .await?;
        tx.commit().await?;
    }
    Ok(())
}
