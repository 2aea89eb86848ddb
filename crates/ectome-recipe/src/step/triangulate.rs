//! Splits larger faces into triangles.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{EngineError, triangles::triangulated};

/// Splits larger faces into triangles.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Triangulate {}

impl Operation for Triangulate {
    fn version(&self) -> u32 {
        2
    }

    fn title(&self) -> &'static str {
        "Splitting into triangles"
    }

    fn nature(&self) -> Nature {
        Nature::Prepares
    }

    fn cost(&self) -> f32 {
        0.2
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        Ok(Output::of(triangulated(input.scene()?, progress)?))
    }
}
