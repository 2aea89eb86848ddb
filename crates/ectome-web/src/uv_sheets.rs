//! Sheets that are open for looking: the UVs of a mesh, examined. Only a cache.

use std::sync::{Arc, OnceLock};

use axum::http::StatusCode;
use ectome_formats::{Scene, glb};
use ectome_recipe::{
    engine::triangulated,
    uv::{
        Ground,
        sheet::{self, Sheet},
    },
};
use ectome_store::Store;

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

/// A mesh blob, the size its sheet is measured at, and what was found.
type Open = (String, u32, Arc<Looked>);

/// The sheets that were looked at last.
#[derive(Clone, Default)]
pub struct UvSheets {
    open: Arc<Mutex<Vec<Open>>>,
}

impl UvSheets {
    /// The sheet of the GLB in a blob, or its `sheets` sheets, for textures of `size` texels.
    pub async fn of(
        &self,
        store: &Store,
        blob: &str,
        size: u32,
        sheets: u32,
    ) -> Result<Arc<Looked>, Failure> {
        // One at a time: two requests of one page want the same sheet.
        let mut open = self.open.lock().await;
        if let Some(at) = open.iter().position(|(b, s, _)| b == blob && *s == size) {
            let found = open.remove(at);
            let looked = found.2.clone();
            open.push(found);
            return Ok(looked);
        }
        let bytes = store.blobs.get(blob).await?;
        let looked = spawn_blocking(move || {
            let scene = triangulated(glb::read("candidate.glb", &bytes)?);
            let sheet = sheet::of(&scene, size, sheets)?;
            Ok::<_, ectome_formats::FormatError>(Looked {
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
        open.push((blob.to_owned(), size, looked.clone()));
        Ok(looked)
    }
}

fn broken() -> Failure {
    Failure::new(
        StatusCode::INTERNAL_SERVER_ERROR,
        "The UVs of this mesh could not be examined. Cut it again.",
    )
}
