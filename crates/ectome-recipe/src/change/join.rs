//! Makes parts one.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, name, parts},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Makes parts one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Join {
    /// The parts; the first keeps its number.
    pub parts: Vec<u32>,
    /// What the whole is called.
    pub name: String,
}

impl Kind for Join {
    fn title(&self) -> &'static str {
        "Join parts"
    }

    fn names_parts(&self) -> bool {
        true
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let parts = parts(sent)?;
        if parts.len() < 2 {
            return Err("Joining takes two parts or more. Choose another one too.".to_owned());
        }
        let name = name(sent, "The joined part")?;
        Ok(Self { parts, name })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let mesh = arrange::join(&scene.mesh, &self.parts, &self.name)?;
        let sentence = format!("{} parts joined as {}", self.parts.len(), self.name);
        Ok((
            Scene { mesh, ..scene },
            Done::new(self.parts.len(), sentence),
        ))
    }
}
