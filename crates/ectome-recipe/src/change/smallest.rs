//! Decides the fewest triangles that a cut may leave parts.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, number, parts},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Decides the fewest triangles that a cut may leave parts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Smallest {
    /// The parts.
    pub parts: Vec<u32>,
    /// Fewest triangles that a cut may leave each of them; 0 is no minimum.
    pub triangles: u32,
}

impl Kind for Smallest {
    fn title(&self) -> &'static str {
        "Smallest count"
    }

    fn names_parts(&self) -> bool {
        true
    }

    /// A part has one minimum.
    fn beside(mut self, newer: &Self) -> Option<Self> {
        self.parts.retain(|p| !newer.parts.contains(p));
        (!self.parts.is_empty()).then_some(self)
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let triangles = match sent.text("smallest") {
            "" => 0,
            text => number(text, "The smallest count", 0.0, 4e9)? as u32,
        };
        let parts = parts(sent)?;
        Ok(Self { parts, triangles })
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        arrange::check(&scene.mesh, &self.parts)?;
        for &part in &self.parts {
            scene.mesh.parts[part as usize].smallest = self.triangles;
        }
        let count = self.parts.len();
        let sentence = match self.triangles {
            0 => format!("{count} parts have no smallest count"),
            n => format!("{count} parts keep at least {n} triangles each"),
        };
        Ok((scene, Done::new(count, sentence)))
    }
}
