//! Closes borders.

use ectome_formats::Scene;
use ectome_intake::repair::holes;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, metres},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Closes borders.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CloseHoles {
    /// The largest extent that is closed, in metres.
    pub size_m: f32,
}

impl Kind for CloseHoles {
    fn title(&self) -> &'static str {
        "Close holes"
    }

    fn fault(&self) -> Option<&'static str> {
        let length = self.size_m;
        (!(length.is_finite() && length >= 0.0))
            .then_some("needs a size in metres that is not below zero")
    }

    fn form(offer: &Offer) -> Option<Form> {
        let fields = vec![Field::Length {
            name: "size_mm",
            before: "Up to",
            across: true,
            start_m: offer.sizes.hole_m,
        }];
        Some(Form::of("Close holes", "Close holes", fields).alone())
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let size_m = metres(sent, "size_mm", "The largest hole in millimetres")?;
        Ok(Self { size_m })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = holes::close_up_to(&scene.mesh, self.size_m);
        let open = match d.open {
            0 => String::new(),
            1 => format!(", one stays open, {} across", across(d.smallest_open_m)),
            n => format!(
                ", {n} stay open, the smallest {} across",
                across(d.smallest_open_m)
            ),
        };
        let sentence = format!(
            "{} holes closed with {} triangles{open}",
            d.holes, d.triangles
        );
        Ok((Scene { mesh, ..scene }, Done::new(d.holes, sentence)))
    }
}

/// An extent in millimetres, to one more place than a form offers, so that typing it closes the hole.
fn across(metres: f32) -> String {
    format!("{:.1} mm", (f64::from(metres) * 1e4).ceil() / 10.0)
}
