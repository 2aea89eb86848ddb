//! Names a part.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, name, parts},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Names a part.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rename {
    /// The part.
    pub part: u32,
    /// Its name.
    pub name: String,
}

impl Kind for Rename {
    fn title(&self) -> &'static str {
        "Rename a part"
    }

    fn names_parts(&self) -> bool {
        true
    }

    /// A part has one name.
    fn beside(self, newer: &Self) -> Option<Self> {
        (self.part != newer.part).then_some(self)
    }

    fn instead(sent: &dyn Sent) -> Option<&'static str> {
        parts(sent)
            .is_ok_and(|p| p.len() > 1)
            .then_some("rename_parts")
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let name = name(sent, "The part")?;
        let part = parts(sent)?[0];
        Ok(Self { part, name })
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        arrange::check(&scene.mesh, &[self.part])?;
        let own = &mut scene.mesh.parts[self.part as usize].name;
        let old = std::mem::replace(own, self.name.clone());
        Ok((scene, Done::new(1, format!("{old} is now {}", self.name))))
    }
}
