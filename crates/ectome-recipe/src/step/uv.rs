//! Changes UVs; the surface stays as it is.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{EngineError, UvStep, artefact::Artefact, leaves, picture, triangles::triangulated};

/// Changes UVs; the surface stays as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Uv {
    /// How.
    #[serde(flatten)]
    pub uv: UvStep,
}

impl Operation for Uv {
    fn version(&self) -> u32 {
        9
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
        let scene = input.scene()?;
        let (scene, report) = match leaves::beside_others(&scene) {
            None => self.uv.apply(scene, progress)?,
            Some(leaves) => {
                let (made, report) = self.uv.apply(leaves.rest.clone(), progress)?;
                (leaves.put_back(&scene, made), report)
            }
        };
        let shown = triangulated(scene.clone(), progress)?;
        let picture = picture::png(&shown, picture::RESULT.0, picture::RESULT.1);
        Ok(Output {
            uv: Some(report),
            artefacts: vec![Artefact::new(Artefact::PICTURE, picture)],
            ..Output::of(scene)
        })
    }
}
