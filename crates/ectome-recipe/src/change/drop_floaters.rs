//! Drops loose pieces.

use ectome_formats::Scene;
use ectome_intake::repair::floaters;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, metres},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Drops loose pieces.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropFloaters {
    /// The largest extent that is dropped, in metres.
    pub size_m: f32,
}

impl Kind for DropFloaters {
    fn title(&self) -> &'static str {
        "Drop floaters"
    }

    fn fault(&self) -> Option<&'static str> {
        let length = self.size_m;
        (!(length.is_finite() && length >= 0.0))
            .then_some("needs a size in metres that is not below zero")
    }

    fn form(offer: &Offer) -> Option<Form> {
        let fields = vec![Field::Length {
            name: "size_mm",
            before: "Below",
            across: true,
            start_m: offer.sizes.floater_m,
        }];
        Some(Form::of("Drop floaters", "Drop floaters", fields))
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let size_m = metres(sent, "size_mm", "The largest piece in millimetres")?;
        Ok(Self { size_m })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = floaters::drop_below(&scene.mesh, self.size_m);
        let sentence = format!(
            "{} loose pieces dropped, {} triangles",
            d.pieces, d.triangles
        );
        Ok((Scene { mesh, ..scene }, Done::new(d.pieces, sentence)))
    }
}
