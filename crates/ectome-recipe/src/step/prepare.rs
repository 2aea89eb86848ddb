//! Repairs the mesh or decides about its parts.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{Change, EngineError};

/// Repairs the mesh or decides about its parts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Prepare {
    /// How.
    pub change: Change,
}

impl Operation for Prepare {
    fn version(&self) -> u32 {
        5
    }

    fn title(&self) -> &'static str {
        self.change.title()
    }

    fn nature(&self) -> Nature {
        Nature::Prepares
    }

    fn cost(&self) -> f32 {
        0.5
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (scene, done) = self.change.apply(input.scene()?, progress)?;
        Ok(Output {
            done: Some(done),
            ..Output::of(scene)
        })
    }
}
