//! Lays one closed skin over everything.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    EngineError,
    figures::{grouped, length},
    rebuild::{RebuildSettings, rebuilt_proven},
};

/// Lays one closed skin over everything.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Rebuild {
    /// How.
    #[serde(flatten)]
    pub rebuild: RebuildSettings,
}

impl Operation for Rebuild {
    fn version(&self) -> u32 {
        5
    }

    fn title(&self) -> &'static str {
        "Rebuilding"
    }

    fn wish(&self) -> String {
        match (self.rebuild.detail_mm, self.rebuild.for_triangles) {
            (Some(mm), _) => format!("Rebuilding at {}", length(mm)),
            (None, Some(n)) => format!("Rebuilding for {} triangles", grouped(n)),
            (None, None) => self.title().to_owned(),
        }
    }

    fn nature(&self) -> Nature {
        Nature::Rebuilds
    }

    fn cost(&self) -> f32 {
        12.0
    }

    fn replaces_uvs(&self) -> bool {
        true
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (scene, report, proven) = rebuilt_proven(input.scene()?, &self.rebuild, progress)?;
        Ok(Output::proven(scene, report, proven))
    }
}
