//! Takes the surface apart where more than two faces meet.

use ectome_formats::Scene;
use ectome_intake::repair::manifold;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Takes the surface apart where more than two faces meet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SplitNonManifold {}

impl Kind for SplitNonManifold {
    fn title(&self) -> &'static str {
        "Split non-manifold"
    }

    fn form(_: &Offer) -> Option<Form> {
        Some(Form::of("Split non-manifold", "Split", Vec::new()))
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = manifold::split(&scene.mesh);
        let sentence = format!("{} edges taken apart, {} points added", d.edges, d.points);
        Ok((Scene { mesh, ..scene }, Done::new(d.points, sentence)))
    }
}
