//! Cuts parts along a plane; both sides stay.

use ectome_formats::Scene;
use ectome_intake::repair::clip::{self, Plane};
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, plane},
    kind::{Done, Kind, NO_PLANE},
};
use crate::EngineError;

/// Cuts parts along a plane; both sides stay.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Divide {
    /// The plane.
    #[serde(flatten)]
    pub plane: Plane,
}

impl Kind for Divide {
    fn title(&self) -> &'static str {
        "Cut along a plane"
    }

    fn fault(&self) -> Option<&'static str> {
        (!self.plane.is_sound()).then_some(NO_PLANE)
    }

    fn adds_parts(&self) -> bool {
        true
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let plane = plane(sent)?;
        Ok(Self { plane })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, parts) = clip::divide(&scene.mesh, &self.plane);
        let added = parts - scene.mesh.parts.len();
        let sentence = format!("{added} parts added");
        Ok((Scene { mesh, ..scene }, Done::new(added, sentence)))
    }
}
