//! Changes UVs; the surface stays as it is.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{EngineError, UvStep, artefact::Artefact, picture, triangles::triangulated};

/// Changes UVs; the surface stays as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Uv {
    /// How.
    #[serde(flatten)]
    pub uv: UvStep,
}

impl Operation for Uv {
    fn version(&self) -> u32 {
        7
    }

    fn title(&self) -> &'static str {
        self.uv.title()
    }

    fn nature(&self) -> Nature {
        Nature::Dresses
    }

    fn cost(&self) -> f32 {
        4.0
    }

    fn replaces_uvs(&self) -> bool {
        true
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (scene, report) = self.uv.apply(input.scene()?, progress)?;
        let shown = triangulated(scene.clone(), progress)?;
        let picture = picture::png(&shown, picture::RESULT.0, picture::RESULT.1);
        Ok(Output {
            uv: Some(report),
            artefacts: vec![Artefact::new(Artefact::PICTURE, picture)],
            ..Output::of(scene)
        })
    }
}
