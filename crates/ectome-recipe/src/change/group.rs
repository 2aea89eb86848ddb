//! Puts parts into a group; an empty name takes them out.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, name, parts},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Puts parts into a group; an empty name takes them out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Group {
    /// The parts.
    pub parts: Vec<u32>,
    /// The group.
    pub group: String,
}

impl Kind for Group {
    fn title(&self) -> &'static str {
        "Group parts"
    }

    fn names_parts(&self) -> bool {
        true
    }

    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String> {
        let group = match how {
            "none" => String::new(),
            _ => name(sent, "The group")?,
        };
        let parts = parts(sent)?;
        Ok(Self { parts, group })
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        arrange::check(&scene.mesh, &self.parts)?;
        for &part in &self.parts {
            scene.mesh.parts[part as usize]
                .group
                .clone_from(&self.group);
        }
        let count = self.parts.len();
        let sentence = match self.group.as_str() {
            "" => format!("{count} parts taken out of their group"),
            group => format!("{count} parts put into {group}"),
        };
        Ok((scene, Done::new(count, sentence)))
    }
}
