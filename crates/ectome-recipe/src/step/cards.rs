//! Puts cards in the place of the source.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    EngineError,
    far_end::{CardSettings, cards_proven},
};

/// Puts cards in the place of the source.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Cards {
    /// Which.
    #[serde(flatten)]
    pub cards: CardSettings,
}

impl Operation for Cards {
    fn version(&self) -> u32 {
        4
    }

    fn title(&self) -> &'static str {
        "Making cards"
    }

    fn wish(&self) -> String {
        match self.cards.planes {
            1 => format!("A card of {} texels", self.cards.size),
            n => format!("{n} crossed cards, pictures at {}", self.cards.size),
        }
    }

    fn nature(&self) -> Nature {
        Nature::Rebuilds
    }

    fn cost(&self) -> f32 {
        4.0
    }

    fn replaces_uvs(&self) -> bool {
        true
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (scene, report, proven) = cards_proven(input.with_all_parts()?, &self.cards, progress)?;
        Ok(Output::proven(scene, report, proven))
    }
}
