//! Leaves UV sets out, and the textures that lie on them.

use ectome_formats::Scene;
use ectome_intake::repair::looks;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent, number},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Leaves UV sets out, and the textures that lie on them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LeaveOutUvs {
    /// How many stay, from the first.
    pub keep: u32,
}

impl Kind for LeaveOutUvs {
    fn title(&self) -> &'static str {
        "Leave out UV sets"
    }

    fn form(offer: &Offer) -> Option<Form> {
        if offer.uv_sets < 2 {
            return None;
        }
        let fields = vec![Field::Count {
            name: "keep",
            before: format!("Of {} keep the first", offer.uv_sets),
            start: 1,
        }];
        let form = Form::of("Leave out UV sets", "Leave the others out", fields);
        Some(
            form.alone()
                .at_once()
                .noted("Textures that lie on the others go with them."),
        )
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let keep = number(sent.text("keep"), "The count of UV sets", 0.0, 8.0)? as u32;
        Ok(Self { keep })
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, sets) = looks::leave_out_uvs(&scene.mesh, self.keep as usize);
        scene.mesh = mesh;
        scene.library = scene.library.with_uv_sets(self.keep);
        Ok((scene, Done::new(sets, format!("{sets} UV sets left out"))))
    }
}
