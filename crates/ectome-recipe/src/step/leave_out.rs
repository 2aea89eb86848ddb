//! Leaves out the parts that are not built.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{EngineError, built::only_built};

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

    fn run(&self, input: &dyn Input, _: &Progress) -> Result<Output, EngineError> {
        Ok(Output::of(only_built(input.scene()?)?))
    }
}
