//! Cuts the mesh into sections of equal size.

use ectome_formats::Scene;
use ectome_intake::repair::clip;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, number},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Cuts the mesh into sections of equal size.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sections {
    /// How many along x, y and z.
    pub cells: [u32; 3],
}

impl Kind for Sections {
    fn title(&self) -> &'static str {
        "Cut into sections"
    }

    fn fault(&self) -> Option<&'static str> {
        let fits = self.cells.iter().all(|c| (1..=MOST).contains(c));
        (!fits).then_some("takes 1 to 32 sections along each axis")
    }

    fn adds_parts(&self) -> bool {
        true
    }

    fn form(_: &Offer) -> Option<Form> {
        let fields = vec![Field::Counts {
            before: "Along",
            of: [("x", 2), ("y", 1), ("z", 2)],
        }];
        Some(Form::of("Cut into sections", "Cut into sections", fields).alone())
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let mut cells = [0; 3];
        for (cell, name) in cells.iter_mut().zip(["x", "y", "z"]) {
            *cell = number(sent.text(name), "A count of sections", 1.0, f64::from(MOST))? as u32;
        }
        Ok(Self { cells })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, parts) = clip::sections(&scene.mesh, self.cells);
        let sentence = format!("{parts} parts after cutting");
        Ok((Scene { mesh, ..scene }, Done::new(parts, sentence)))
    }
}

/// The most sections along one axis.
const MOST: u32 = 32;
