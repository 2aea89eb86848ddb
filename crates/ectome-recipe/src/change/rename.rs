//! Names a part.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Change, Done, Kind, RenameParts, Sent, form::name, form::parts};
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
    fn join(self, list: &mut Vec<Change>) {
        list.retain(|c| !matches!(c, Change::Rename(r) if r.part == self.part));
        list.push(self.into());
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Change, String> {
        let parts = parts(sent)?;
        if parts.len() > 1 {
            return RenameParts::of(parts, sent);
        }
        let name = name(sent, "The part")?;
        let part = parts[0];
        Ok(Self { part, name }.into())
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        arrange::check(&scene.mesh, &[self.part])?;
        let own = &mut scene.mesh.parts[self.part as usize].name;
        let old = std::mem::replace(own, self.name.clone());
        Ok((scene, Done::new(1, format!("{old} is now {}", self.name))))
    }
}
