//! Leaves out the parts that are not built.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Nature, Operation, Output};
use crate::{EngineError, engine::Input};

/// Leaves out the parts that are not built.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct LeaveOut {}

impl Operation for LeaveOut {
    fn version(&self) -> u32 {
        1
    }

    fn title(&self) -> &'static str {
        "Leaving parts out"
    }

    fn nature(&self) -> Nature {
        Nature::Prepares
    }

    fn cost(&self) -> f32 {
        0.1
    }

    fn leaves_parts_out(&self) -> bool {
        true
    }

    fn run(&self, input: &Input<'_>, _: &Progress) -> Result<Output, EngineError> {
        Ok(Output::of(only_built(input.scene()?)?))
    }
}

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
