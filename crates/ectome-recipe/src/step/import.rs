//! Reads the source's files.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::EngineError;

/// Reads the source's files.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Import {}

impl Operation for Import {
    fn version(&self) -> u32 {
        2
    }

    fn title(&self) -> &'static str {
        "Reading"
    }

    fn nature(&self) -> Nature {
        Nature::Prepares
    }

    fn cost(&self) -> f32 {
        1.0
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        if !input.is_first() {
            return Err(EngineError::Order("reads its source twice"));
        }
        Ok(Output::of(input.import(progress)?))
    }
}
