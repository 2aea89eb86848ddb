//! Takes faces without area out.

use ectome_formats::Scene;
use ectome_intake::repair::degenerate;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Takes faces without area out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropDegenerate {}

impl Kind for DropDegenerate {
    fn title(&self) -> &'static str {
        "Drop faces without area"
    }

    fn form(_: &Offer) -> Option<Form> {
        Some(Form::of(
            "Drop faces without area",
            "Take them out",
            Vec::new(),
        ))
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let faces = degenerate::find(&scene.mesh).iter().filter(|&&f| f).count();
        let (mesh, _) = degenerate::drop_degenerate(&scene.mesh);
        let sentence = format!("{faces} faces without area taken out");
        Ok((Scene { mesh, ..scene }, Done::new(faces, sentence)))
    }
}
