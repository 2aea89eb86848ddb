//! Keeps one side of a plane.

use ectome_formats::Scene;
use ectome_intake::repair::clip::{self, Plane};
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, plane},
    kind::{Done, Kind, NO_PLANE},
};
use crate::EngineError;

/// Keeps one side of a plane.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Clip {
    /// The plane; its normal points to the side that stays.
    #[serde(flatten)]
    pub plane: Plane,
    /// Close the outlines on it.
    #[serde(default)]
    pub cap: bool,
}

impl Kind for Clip {
    fn title(&self) -> &'static str {
        "Clip"
    }

    fn fault(&self) -> Option<&'static str> {
        (!self.plane.is_sound()).then_some(NO_PLANE)
    }

    fn form(offer: &Offer) -> Option<Form> {
        let [x, _, z] = offer.sizes.middle_m;
        let fields = vec![
            Field::Plane {
                through: [x, offer.sizes.low_m, z],
                towards: [0.0, 1.0, 0.0],
            },
            Field::Tick {
                name: "cap",
                says: "close the outline",
                on: true,
            },
        ];
        Some(Form {
            instead: Some(("divide", "Cut along it, keep both sides")),
            ..Form::of("Clip with a plane", "Clip off the other side", fields).alone()
        })
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let (plane, cap) = (plane(sent)?, sent.ticked("cap"));
        Ok(Self { plane, cap })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = clip::clip(&scene.mesh, &self.plane, self.cap);
        let closed = match d.outlines {
            0 => String::new(),
            n => format!(", {n} outlines closed with {} triangles", d.cap),
        };
        let sentence = format!("{} triangles clipped off{closed}", d.removed);
        Ok((Scene { mesh, ..scene }, Done::new(d.removed, sentence)))
    }
}
