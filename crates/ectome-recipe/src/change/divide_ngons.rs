//! Splits faces of more than four corners.

use ectome_formats::Scene;
use ectome_intake::repair::polygons::{self, Into as Become};
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Splits faces of more than four corners.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DivideNgons {
    /// What they become.
    pub into: Become,
}

impl Kind for DivideNgons {
    fn title(&self) -> &'static str {
        "Divide n-gons"
    }

    fn form(_: &Offer) -> Option<Form> {
        let fields = vec![Field::OneOf {
            name: "into",
            before: "Into",
            of: vec![
                ("quads", "quads where they are good", true),
                ("triangles", "triangles", false),
            ],
        }];
        Some(Form::of("Divide n-gons", "Divide n-gons", fields))
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let into = match sent.text("into") {
            "triangles" => Become::Triangles,
            _ => Become::Quads,
        };
        Ok(Self { into })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, d) = polygons::divide(&scene.mesh, self.into);
        let sentence = format!(
            "{} n-gons divided into {} quads and {} triangles",
            d.ngons, d.quads, d.triangles
        );
        Ok((Scene { mesh, ..scene }, Done::new(d.ngons, sentence)))
    }
}
