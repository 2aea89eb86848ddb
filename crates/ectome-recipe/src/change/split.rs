//! Splits a part.

use ectome_formats::Scene;
use ectome_intake::parts::arrange::{self, By};
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, parts},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Splits a part.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Split {
    /// The part.
    pub part: u32,
    /// By what.
    pub by: By,
}

impl Kind for Split {
    fn title(&self) -> &'static str {
        "Split a part"
    }

    fn adds_parts(&self) -> bool {
        true
    }

    fn names_parts(&self) -> bool {
        true
    }

    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String> {
        let part = parts(sent)?[0];
        let by = match how {
            "material" => By::Material,
            _ => By::Pieces,
        };
        Ok(Self { part, by })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let name = |m: u32| scene.library.name(m).to_owned();
        let (mesh, added) = arrange::split(&scene.mesh, self.part, self.by, name)?;
        let sentence = format!("{added} parts added");
        Ok((Scene { mesh, ..scene }, Done::new(added, sentence)))
    }
}
