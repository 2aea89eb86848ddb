//! Sheets that are open for looking: the UVs of a mesh, examined. Only a cache.

use std::sync::{Arc, OnceLock};

use axum::http::StatusCode;
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_recipe::{
    EngineError, Recipe, engine,
    triangles::triangulated,
    uv::{
        Ground,
        sheet::{self, Sheet},
    },
};
use ectome_store::{Store, stock::StoreStock};

use tokio::{sync::Mutex, task::spawn_blocking};

use crate::failure::Failure;

/// How many sheets stay open.
const MOST_OPEN: usize = 6;

/// A mesh and its UVs, examined.
pub struct Looked {
    scene: Scene,
    /// What pages show of it.
    pub sheet: Sheet,
    ground: OnceLock<Ground>,
}

impl Looked {
    /// The surface with what seams cost on it. Slow the first time.
    pub fn ground(&self) -> &Ground {
        self.ground.get_or_init(|| Ground::of(&self.scene.mesh))
    }

    /// Its triangles.
    pub fn triangles(&self) -> usize {
        self.scene.mesh.triangle_count()
    }
}

/// Whose sheet is looked at.
pub struct Wanted<'a> {
    /// The asset.
    pub asset: u64,
    /// The key of what was made.
    pub key: &'a str,
    /// What makes it.
    pub recipe: Recipe,
    /// Texels along the edge of a texture.
    pub size: u32,
    /// Sheets.
    pub sheets: u32,
}

/// The key of a recipe, the size its sheet is measured at, and what was found.
type Open = (String, u32, Arc<Looked>);

/// The sheets that were looked at last.
#[derive(Clone, Default)]
pub struct UvSheets {
    open: Arc<Mutex<Vec<Open>>>,
}

impl UvSheets {
    /// The sheet, or sheets, of what a recipe made.
    pub async fn of(&self, store: &Store, wanted: Wanted<'_>) -> Result<Arc<Looked>, Failure> {
        let Wanted {
            asset,
            key,
            recipe,
            size,
            sheets,
        } = wanted;
        // One at a time: two requests of one page want the same sheet.
        let mut open = self.open.lock().await;
        if let Some(at) = open.iter().position(|(k, s, _)| k == key && *s == size) {
            let found = open.remove(at);
            let looked = found.2.clone();
            open.push(found);
            return Ok(looked);
        }
        let progress = Progress::new();
        let stock = StoreStock::of(store, asset, u64::MAX, &progress);
        let looked = spawn_blocking(move || {
            let scene = engine::scene(&recipe, &stock, &progress)?;
            let scene = triangulated(scene, &progress)?;
            let sheet = sheet::of(&scene, size, sheets)?;
            Ok::<_, EngineError>(Looked {
                scene,
                sheet,
                ground: OnceLock::new(),
            })
        })
        .await
        .map_err(|_| broken())?
        .map_err(|e| {
            tracing::error!(error = %e, "the UVs of a stored mesh cannot be examined");
            broken()
        })?;
        let looked = Arc::new(looked);
        if open.len() >= MOST_OPEN {
            open.remove(0);
        }
        open.push((key.to_owned(), size, looked.clone()));
        Ok(looked)
    }
}

fn broken() -> Failure {
    Failure::new(
        StatusCode::INTERNAL_SERVER_ERROR,
        "The UVs of this mesh could not be examined. Cut it again.",
    )
}
