//! Names several parts: the name and a number from 1.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, name, parts},
    kind::{Done, Kind},
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

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let name = name(sent, "What stands before the numbers")?;
        let parts = parts(sent)?;
        Ok(Self { parts, name })
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
