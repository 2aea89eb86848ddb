//! Names several parts: the name and a number from 1.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    Change, Done, Kind, Sent,
    form::{name, parts},
};
use crate::EngineError;

/// Names several parts: the name and a number from 1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RenameParts {
    /// The parts.
    pub parts: Vec<u32>,
    /// What stands before the numbers.
    pub name: String,
}

impl Kind for RenameParts {
    fn title(&self) -> &'static str {
        "Rename parts"
    }

    fn names_parts(&self) -> bool {
        true
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Change, String> {
        Self::of(parts(sent)?, sent)
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        arrange::check(&scene.mesh, &self.parts)?;
        for (n, &part) in self.parts.iter().enumerate() {
            scene.mesh.parts[part as usize].name = format!("{} {}", self.name, n + 1);
        }
        let count = self.parts.len();
        let sentence = format!("{count} parts are {} 1 to {count}", self.name);
        Ok((scene, Done::new(count, sentence)))
    }
}

impl RenameParts {
    pub(super) fn of(parts: Vec<u32>, sent: &dyn Sent) -> Result<Change, String> {
        let name = name(sent, "What stands before the numbers")?;
        Ok(Self { parts, name }.into())
    }
}
