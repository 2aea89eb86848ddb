//! What stands in for a source at the far end of its chain.

use ectome_recipe::far_end::StandIn;

use crate::{Store, StoreError, asking::Wanted, asset::Asset};

impl Store {
    /// Puts what stands in for an asset into its tray and queues the work, unless it was made before. Returns its address.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_stand_in(
        &self,
        asset: &Asset,
        what: &StandIn,
    ) -> Result<String, StoreError> {
        let recipe = what.recipe(&asset.source, &asset.preparation);
        let expected = u64::from(what.triangles());
        self.ask_for(asset, &Wanted::of(&recipe, expected)).await
    }
}
