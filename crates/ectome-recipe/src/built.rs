//! What of a scene is built.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;

use crate::EngineError;

/// The scene without the parts that are not built.
///
/// # Errors
/// [`EngineError::NothingBuilt`].
pub fn only_built(mut scene: Scene) -> Result<Scene, EngineError> {
    scene.mesh = arrange::only_built(&scene.mesh);
    match scene.mesh.face_count() {
        0 => Err(EngineError::NothingBuilt),
        _ => Ok(scene),
    }
}
