//! Keeps one side of a plane and mirrors it.

use ectome_formats::Scene;
use ectome_intake::repair::{clip::Plane, mirror};
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, plane},
    kind::{Done, Kind, NO_PLANE},
};
use crate::EngineError;

/// Keeps one side of a plane and mirrors it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mirror {
    /// The plane; its normal points to the side that stays.
    #[serde(flatten)]
    pub plane: Plane,
}

impl Kind for Mirror {
    fn title(&self) -> &'static str {
        "Mirror"
    }

    fn fault(&self) -> Option<&'static str> {
        (!self.plane.is_sound()).then_some(NO_PLANE)
    }

    fn form(offer: &Offer) -> Option<Form> {
        let fields = vec![Field::Plane {
            through: offer.sizes.middle_m,
            towards: [1.0, 0.0, 0.0],
        }];
        let form = Form::of("Mirror one half", "Mirror this side", fields);
        Some(form.alone().noted(
            "What is on the other side goes; UVs of the image lie on those of its half, so that both share their texels.",
        ))
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let plane = plane(sent)?;
        Ok(Self { plane })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = mirror::mirror(&scene.mesh, &self.plane);
        let sentence = format!(
            "{} triangles of the other side replaced by {}, joined at {} points",
            d.removed, d.added, d.joined
        );
        Ok((Scene { mesh, ..scene }, Done::new(d.added, sentence)))
    }
}
