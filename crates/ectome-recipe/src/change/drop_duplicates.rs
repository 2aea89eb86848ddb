//! Takes faces out that repeat another.

use ectome_formats::Scene;
use ectome_intake::repair::duplicate;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Takes faces out that repeat another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropDuplicates {
    /// Also those that look the other way.
    #[serde(default)]
    pub either_way: bool,
}

impl Kind for DropDuplicates {
    fn title(&self) -> &'static str {
        "Drop duplicate faces"
    }

    fn form(_: &Offer) -> Option<Form> {
        let fields = vec![Field::Tick {
            name: "either_way",
            says: "also where the two look opposite ways",
            on: true,
        }];
        Some(Form::of("Drop duplicate faces", "Drop duplicates", fields))
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let either_way = sent.ticked("either_way");
        Ok(Self { either_way })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let (mesh, faces) = duplicate::drop_duplicates(&scene.mesh, self.either_way);
        let sentence = format!("{faces} duplicate faces dropped");
        Ok((Scene { mesh, ..scene }, Done::new(faces, sentence)))
    }
}
