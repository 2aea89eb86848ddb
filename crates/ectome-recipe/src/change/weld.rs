//! Joins points that nearly coincide.

use ectome_formats::Scene;
use ectome_intake::repair::weld;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, metres},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Joins points that nearly coincide.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Weld {
    /// How far and across what.
    #[serde(flatten)]
    pub how: weld::Weld,
}

impl Kind for Weld {
    fn title(&self) -> &'static str {
        "Weld"
    }

    fn says(&self) -> String {
        format!("Weld within {:.3} mm", self.how.distance_m * 1e3)
    }

    fn fault(&self) -> Option<&'static str> {
        let length = self.how.distance_m;
        (!(length.is_finite() && length >= 0.0))
            .then_some("needs a distance in metres that is not below zero")
    }

    fn form(offer: &Offer) -> Option<Form> {
        let fields = vec![
            Field::Length {
                name: "distance_mm",
                before: "Within",
                across: false,
                start_m: offer.sizes.weld_m,
            },
            Field::Tick {
                name: "across_seams",
                says: "also across UV seams",
                on: false,
            },
            Field::Tick {
                name: "across_hard_edges",
                says: "also across hard edges",
                on: false,
            },
        ];
        Some(Form::of("Weld", "Weld", fields).alone())
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let how = weld::Weld {
            distance_m: metres(sent, "distance_mm", "The distance in millimetres")?,
            across_seams: sent.ticked("across_seams"),
            across_hard_edges: sent.ticked("across_hard_edges"),
        };
        Ok(Self { how })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = weld::weld(&scene.mesh, &self.how);
        let faces = match d.faces {
            0 => String::new(),
            n => format!(", and {n} faces that had no area left"),
        };
        let sentence = format!(
            "{} points and {} vertices joined{faces}",
            d.points, d.vertices
        );
        Ok((
            Scene { mesh, ..scene },
            Done::new(d.points.max(d.vertices), sentence),
        ))
    }
}
