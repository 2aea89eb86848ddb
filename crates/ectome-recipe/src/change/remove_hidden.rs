//! Takes away what nobody sees from outside.

use ectome_formats::Scene;
use ectome_intake::parts::hidden;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Takes away what nobody sees from outside.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RemoveHidden {}

impl Kind for RemoveHidden {
    fn title(&self) -> &'static str {
        "Remove hidden faces"
    }

    fn form(_: &Offer) -> Option<Form> {
        let form = Form::of("Remove what nobody sees", "Remove hidden", Vec::new());
        Some(
            form.alone()
                .noted("Looked at from every side; what an opening shows stays."),
        )
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, scene: Scene, progress: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = hidden::remove(&scene.mesh, progress)?;
        let sentence = format!("{} triangles that nobody sees removed", d.triangles);
        Ok((Scene { mesh, ..scene }, Done::new(d.triangles, sentence)))
    }
}
