//! Sources that are open for looking: analysed, in memory, ready to be cut to any count at once.

use std::{sync::Arc, time::Duration};

use axum::http::StatusCode;
use ectome_formats::{Scene, glb};
use ectome_mesh::Progress;
use ectome_recipe::{
    Change, Done, EngineError, Recipe, Session, engine,
    rebuild::{self, RebuildReport, RebuildSettings},
};
use ectome_store::{Store, asset::Asset, stock::StoreStock};
use tokio::task::spawn_blocking;

use crate::{failure::Failure, opening::Opening};

/// How many sources stay open; a million triangles take about 200 MB.
const MOST_OPEN: usize = 2;

/// How long somebody waits to hear what a change would do.
const WAITED: Duration = Duration::from_secs(600);
/// And somebody who drags: a page asks again by itself.
const DRAGGED: Duration = Duration::from_millis(1500);

/// The sources that were looked at last.
#[derive(Clone)]
pub struct OpenSources {
    /// By the key of their analysis.
    sessions: Opening<Session>,
    /// The source that changes are tried on, by the key of its recipe.
    prepared: Opening<Scene>,
}

impl Default for OpenSources {
    fn default() -> Self {
        Self {
            sessions: Opening::new(MOST_OPEN),
            prepared: Opening::new(1),
        }
    }
}

impl OpenSources {
    /// The result for `triangles` as a GLB without pictures, and how many triangles it has.
    pub async fn preview(
        &self,
        store: &Store,
        asset: &Asset,
        triangles: usize,
    ) -> Result<(Vec<u8>, usize), Failure> {
        let session = self.session(store, asset).await?;
        spawn_blocking(move || {
            let triangles = triangles.min(session.triangles());
            session.preview(triangles)
        })
        .await
        .map_err(|_| broken())?
        .map_err(|e| Failure::bad(format!("There is nothing to see: {e}.")))
    }

    /// What a change would do to an asset as it is prepared now.
    pub async fn try_change(
        &self,
        store: &Store,
        asset: &Asset,
        change: Change,
    ) -> Result<Done, Failure> {
        let measures = matches!(change, Change::Measure(_));
        let changes: Vec<Change> = if measures {
            Vec::new()
        } else {
            asset.preparation.clone()
        };
        let recipe = Recipe::prepared(&asset.source, &changes);
        let scene = self.scene(store, asset, recipe).await?;
        spawn_blocking(move || change.apply((*scene).clone(), &Progress::new()))
            .await
            .map_err(|_| broken())?
            .map(|(_, done)| done)
            .map_err(|e| Failure::bad(format!("That cannot be done: {e}.")))
    }

    /// A coarse skin over an asset as a GLB, and what was done for it.
    pub async fn preview_skin(
        &self,
        store: &Store,
        asset: &Asset,
        settings: RebuildSettings,
    ) -> Result<(Vec<u8>, RebuildReport), Failure> {
        let recipe = Recipe::whole(&asset.source, &asset.preparation);
        let scene = self.scene(store, asset, recipe).await?;
        spawn_blocking(move || {
            let (skin, report) = rebuild::preview((*scene).clone(), &settings, &Progress::new())?;
            let glb = glb::write(&skin, &glb::Options::default())?;
            Ok::<_, EngineError>((glb, report))
        })
        .await
        .map_err(|_| broken())?
        .map_err(|e| Failure::bad(format!("There is nothing to see: {e}.")))
    }

    /// What a recipe makes of an asset's source, kept for the next look.
    async fn scene(
        &self,
        store: &Store,
        asset: &Asset,
        recipe: Recipe,
    ) -> Result<Arc<Scene>, Failure> {
        let key = recipe.key();
        let progress = Progress::new();
        let stock = StoreStock::of(store, asset.id, u64::MAX, &progress);
        let name = asset.name.clone();
        let open = move || {
            engine::scene(&recipe, &stock, &progress)
                .map_err(|e| format!("{name} could not be opened: {e}."))
        };
        self.prepared.get(&key, WAITED, open).await
    }

    async fn session(&self, store: &Store, asset: &Asset) -> Result<Arc<Session>, Failure> {
        let recipe = asset.recipe(4);
        let key = recipe.analysis_key().unwrap_or_default();
        if !self.sessions.has(&key) && store.outlook(&recipe).await?.is_none() {
            return Err(Failure::new(
                StatusCode::SERVICE_UNAVAILABLE,
                format!(
                    "{} is still being analysed. Try again in a moment.",
                    asset.name
                ),
            ));
        }
        let progress = Progress::new();
        let stock = StoreStock::of(store, asset.id, u64::MAX, &progress);
        let name = asset.name.clone();
        let open = move || {
            engine::open(&recipe, &stock, &progress)
                .map_err(|e| format!("{name} could not be opened: {e}."))
        };
        self.sessions.get(&key, DRAGGED, open).await
    }
}

fn broken() -> Failure {
    Failure::new(
        StatusCode::INTERNAL_SERVER_ERROR,
        "Ectome itself failed on this source; the source is unharmed. Please report it.",
    )
}
