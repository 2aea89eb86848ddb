//! What was made of a source before it was changed, made anew: recipe by recipe, on the source as it is now.

use std::collections::HashMap;

use crate::{
    Store, StoreError,
    asking::{Wanted, ask},
    asset::Asset,
    retry::retrying,
};

impl Store {
    /// Asks for everything in an asset's tray that is out of date on the source as it is prepared now, and puts it where the old
    /// stood: in the tiers of its chain, with its pin. Returns how many candidates that were.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_all_anew(&self, asset: &Asset) -> Result<usize, StoreError> {
        let tray = self.tray(asset.id).await?;
        let mut old = Vec::new();
        for candidate in tray.into_iter().filter(|c| c.is_out_of_date(asset)) {
            let recipe = self.recipe(&candidate.hash).await?;
            old.push((candidate, recipe));
        }
        let _naming = self.naming().await?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            // What something was made of stands before it in the tray.
            let mut made: HashMap<&str, String> = HashMap::new();
            for (candidate, recipe) in &old {
                let recipe = recipe.prepared_as(&asset.source, &asset.preparation);
                let based_on = candidate.based_on.as_deref();
                let based_on = based_on.map(|hash| made.get(hash).map_or(hash, String::as_str));
                let wanted = Wanted {
                    recipe: &recipe,
                    expected: candidate.target,
                    based_on,
                };
                let hash = ask(&mut tx, asset.id, &wanted).await?;
                sqlx::query(
                    "UPDATE chain_tiers SET candidate = ? WHERE asset = ? AND candidate = ?",
                )
                .bind(&hash)
                .bind(asset.id)
                .bind(&candidate.hash)
                .execute(&mut *tx)
                .await?;
                sqlx::query(
                    "UPDATE scene_assets SET candidate = ? WHERE asset = ? AND candidate = ?",
                )
                .bind(&hash)
                .bind(asset.id)
                .bind(&candidate.hash)
                .execute(&mut *tx)
                .await?;
                sqlx::query(
                    "UPDATE tray SET pinned = pinned OR ? WHERE asset = ? AND candidate = ?",
                )
                .bind(candidate.pinned)
                .bind(asset.id)
                .bind(&hash)
                .execute(&mut *tx)
                .await?;
                sqlx::query("DELETE FROM tray WHERE asset = ? AND candidate = ?")
                    .bind(asset.id)
                    .bind(&candidate.hash)
                    .execute(&mut *tx)
                    .await?;
                made.insert(&candidate.hash, hash);
            }
            tx.commit().await?;
            Ok(())
        })
        .await?;
        self.blobs.ask_for_collection();
        Ok(old.len())
    }
}
