//! Merges materials over one sheet; the surface stays as it is.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    EngineError,
    artefact::Artefact,
    merge::{MergeSettings, merged},
    picture,
};

/// Merges materials over one sheet; the surface stays as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Merge {
    /// How.
    #[serde(flatten)]
    pub merge: MergeSettings,
}

impl Operation for Merge {
    fn version(&self) -> u32 {
        3
    }

    fn title(&self) -> &'static str {
        "Merging materials over one sheet"
    }

    fn nature(&self) -> Nature {
        Nature::Dresses
    }

    fn cost(&self) -> f32 {
        5.0
    }

    fn replaces_uvs(&self) -> bool {
        true
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (scene, report) = merged(input.scene()?, &self.merge, progress)?;
        let picture = picture::png(&scene, picture::RESULT.0, picture::RESULT.1);
        Ok(Output {
            uv: Some(report),
            artefacts: vec![Artefact::new(Artefact::PICTURE, picture)],
            ..Output::of(scene)
        })
    }
}
