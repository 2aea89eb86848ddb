//! A whole plan at once: every step of it stands in the tray as if it had been asked for by hand.

use ectome_recipe::{
    Brief, Recipe,
    plan::{Act, Plan},
};

use crate::{
    Store, StoreError,
    asking::Wanted,
    asset::Asset,
    candidate::Candidate,
    chain::Fill,
    document::{json, stored},
    retry::retrying,
};

impl Store {
    /// Asks for what a plan says: the changes of the source, the cut, UVs and maps one upon the other, and the tiers cut from the
    /// last of them. What one step needs is made before it, and what fails says why and can be asked for again.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_plan(
        &self,
        asset: &Asset,
        plan: &Plan,
        brief: &Brief,
    ) -> Result<(), StoreError> {
        self.keep_plan(asset.id, plan).await?;
        let changes = plan.changes(&asset.preparation);
        if changes != asset.preparation {
            self.ask_for_preparation(asset, &changes).await?;
        }
        // What follows is made from the source as it will be.
        let asset = Asset {
            preparation: changes,
            ..asset.clone()
        };
        let source = asset.inspection.as_ref().map_or(0, |i| i.triangles as u64);
        let mut last: Option<Candidate> = None;
        let mut fills = Vec::new();
        for line in &plan.lines {
            let hash = match &line.act {
                Act::Prepare { .. } | Act::Parcel => continue,
                Act::Tier {
                    triangles,
                    stand_in,
                } => {
                    fills.push(match stand_in {
                        None => Fill::to(*triangles),
                        Some(what) => Fill::with(*triangles, what.clone()),
                    });
                    continue;
                }
                Act::Rebuild { rebuild } => {
                    self.ask_for_skin(&asset, rebuild.clone(), None).await?
                }
                Act::Cut { triangles } => {
                    fills.push(Fill::to(*triangles));
                    match &last {
                        Some(skin) => self.ask_to_go_on(&asset, skin, *triangles).await?,
                        None => self.ask_for_cut(&asset, *triangles).await?,
                    }
                }
                Act::Unwrap { uv } => self.ask_for_uvs(&asset, last.as_ref(), uv.clone()).await?,
                Act::Merge { merge } => {
                    self.ask_for_merged_materials(&asset, last.as_ref(), merge.clone())
                        .await?
                }
                Act::Bake { maps } => match &last {
                    Some(from) => self.ask_for_maps(&asset, from, maps.clone()).await?,
                    None => {
                        let whole = Recipe::whole(&asset.source, &asset.preparation);
                        let recipe = whole.with_maps(maps.clone());
                        self.ask_for(&asset, &Wanted::of(&recipe, source)).await?
                    }
                },
            };
            let tray = self.tray(asset.id).await?;
            last = tray.into_iter().find(|c| c.hash == hash);
        }
        let is_cut = plan.lines.iter().any(|l| matches!(l.act, Act::Cut { .. }));
        if !is_cut && !fills.is_empty() {
            // The first tier is the source as it is.
            fills.insert(0, Fill::to(u32::try_from(source).unwrap_or(u32::MAX)));
        }
        let wants_parcel = plan.lines.iter().any(|l| matches!(l.act, Act::Parcel));
        if fills.is_empty() && wants_parcel {
            fills.push(Fill::to(u32::try_from(source).unwrap_or(u32::MAX)));
        }
        if fills.is_empty() {
            return Ok(());
        }
        self.ask_for_chain(&asset, &fills, last.as_ref()).await?;
        if wants_parcel {
            let chain = self.chain(asset.id).await?;
            self.ask_for_parcel(&asset, brief, &chain).await?;
        }
        Ok(())
    }

    async fn keep_plan(&self, asset: u64, plan: &Plan) -> Result<(), StoreError> {
        let document = json(plan, "plan")?;
        retrying(|| async {
            sqlx::query("UPDATE assets SET plan = ? WHERE id = ?")
                .bind(&document)
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// The plan that was asked for last.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn last_plan(&self, asset: u64) -> Result<Option<Plan>, StoreError> {
        let row = sqlx::query("SELECT plan FROM assets WHERE id = ?")
            .bind(asset)
            .fetch_optional(&self.pool)
            .await?;
        row.map_or(Ok(None), |row| stored(&row, "plan"))
    }
}
