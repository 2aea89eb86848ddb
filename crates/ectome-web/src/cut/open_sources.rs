//! Sources that are open for looking: analysed, in memory, ready to be cut to any count at once.

use std::sync::Arc;

use axum::http::StatusCode;
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_recipe::{Change, Done, Recipe, Session, engine};
use ectome_store::{Store, asset::Asset, stock::StoreStock};
use tokio::{sync::Mutex, task::spawn_blocking};

use crate::failure::Failure;

/// How many sources stay open; a million triangles take about 200 MB.
const MOST_OPEN: usize = 2;

/// A source and the key of its analysis.
type Open = (String, Arc<Session>);

/// A prepared source and the key of its recipe.
type Prepared = (String, Arc<Scene>);

/// The sources that were looked at last. Only a cache: nothing here is missed after a restart.
#[derive(Clone, Default)]
pub struct OpenSources {
    /// Latest last, by the key of their analysis.
    sessions: Arc<Mutex<Vec<Open>>>,
    /// The source that changes are tried on, by the key of its recipe.
    prepared: Arc<Mutex<Option<Prepared>>>,
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
        let measures = matches!(change, Change::Measure { .. });
        let changes: Vec<Change> = match measures {
            true => Vec::new(),
            false => asset.preparation.clone(),
        };
        let recipe = Recipe::prepared(&asset.source, &changes);
        let key = recipe.key();
        // Held while a source is read, so that two previews read it once.
        let mut prepared = self.prepared.lock().await;
        let scene = match prepared.as_ref().filter(|(k, _)| *k == key) {
            Some((_, scene)) => scene.clone(),
            None => {
                let progress = Progress::new();
                let stock = StoreStock::of(store, asset.id, u64::MAX, &progress);
                let scene = spawn_blocking(move || engine::scene(&recipe, &stock, &progress))
                    .await
                    .map_err(|_| broken())?
                    .map_err(|e| {
                        Failure::bad(format!("{} could not be opened: {e}.", asset.name))
                    })?;
                let scene = Arc::new(scene);
                *prepared = Some((key, scene.clone()));
                scene
            }
        };
        drop(prepared);
        spawn_blocking(move || change.apply((*scene).clone(), &Progress::new()))
            .await
            .map_err(|_| broken())?
            .map(|(_, done)| done)
            .map_err(|e| Failure::bad(format!("That cannot be done: {e}.")))
    }

    async fn session(&self, store: &Store, asset: &Asset) -> Result<Arc<Session>, Failure> {
        let recipe = asset.recipe(4);
        let key = recipe.analysis_key().unwrap_or_default();
        // Held while a source is opened, so that a drag opens it once.
        let mut sessions = self.sessions.lock().await;
        if let Some(at) = sessions.iter().position(|(k, _)| *k == key) {
            let found = sessions.remove(at);
            let session = found.1.clone();
            sessions.push(found);
            return Ok(session);
        }
        if store.outlook(&recipe).await?.is_none() {
            return Err(Failure::new(
                StatusCode::CONFLICT,
                format!(
                    "{} is still being analysed. Drag again in a moment.",
                    asset.name
                ),
            ));
        }
        let progress = Progress::new();
        let stock = StoreStock::of(store, asset.id, u64::MAX, &progress);
        let session = spawn_blocking(move || engine::open(&recipe, &stock, &progress))
            .await
            .map_err(|_| broken())?
            .map_err(|e| Failure::bad(format!("{} could not be opened: {e}.", asset.name)))?;
        let session = Arc::new(session);
        if sessions.len() == MOST_OPEN {
            sessions.remove(0);
        }
        sessions.push((key, session.clone()));
        Ok(session)
    }
}

fn broken() -> Failure {
    Failure::new(
        StatusCode::INTERNAL_SERVER_ERROR,
        "Ectome itself failed on this source; the source is unharmed. Please report it.",
    )
}
