//! Skins: one closed surface laid over a source, by itself or with all that follows.

use ectome_recipe::{Recipe, Target, UvStep, maps::BakeSettings, rebuild::RebuildSettings};

use crate::{Store, StoreError, asking::Wanted, asset::Asset};

/// What is made of a skin in one go.
pub struct Onward {
    /// The triangles that it is cut to.
    pub triangles: u32,
    /// Its UVs.
    pub uv: UvStep,
    /// Its maps.
    pub maps: BakeSettings,
}

impl Store {
    /// Puts a skin over an asset into its tray and queues the work, unless it was made before, and behind it what is made of it. Returns
    /// the address of the last.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_skin(
        &self,
        asset: &Asset,
        settings: RebuildSettings,
        onward: Option<Onward>,
    ) -> Result<String, StoreError> {
        let skin = Recipe::rebuilt(&asset.source, &asset.preparation, settings);
        // How many triangles a skin has nobody can tell before it is there.
        let mut last = self.ask_for(asset, &Wanted::of(&skin, 0)).await?;
        let Some(onward) = onward else {
            return Ok(last);
        };
        let target = Target::Triangles(onward.triangles);
        let cut = skin.continued(target, asset.settings.clone());
        let unwrapped = cut.clone().with_uvs(onward.uv);
        let baked = unwrapped.clone().with_maps(onward.maps);
        for recipe in [cut, unwrapped, baked] {
            let wanted = Wanted {
                recipe: &recipe,
                expected: u64::from(onward.triangles),
                based_on: Some(&last),
            };
            last = self.ask_for(asset, &wanted).await?;
        }
        Ok(last)
    }
}
