//! Makes faces agree and look outward.

use ectome_formats::Scene;
use ectome_intake::repair::winding;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Makes faces agree and look outward.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MakeOutward {}

impl Kind for MakeOutward {
    fn title(&self) -> &'static str {
        "Turn faces outward"
    }

    fn form(_: &Offer) -> Option<Form> {
        Some(Form::of("Turn faces outward", "Turn outward", Vec::new()))
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, scene: Scene, progress: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = winding::make_outward(&scene.mesh, progress)?;
        let pieces = match d.pieces {
            0 => String::new(),
            n => format!(", {n} pieces as a whole"),
        };
        let one_sided = match d.one_sided {
            0 => String::new(),
            n => format!("; {n} edges belong to surfaces with one side only"),
        };
        let sentence = format!("{} faces turned{pieces}{one_sided}", d.faces);
        Ok((Scene { mesh, ..scene }, Done::new(d.faces, sentence)))
    }
}
