//! Gives faces of several materials the first of them.

use ectome_formats::Scene;
use ectome_intake::repair::looks;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Gives faces of several materials the first of them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MergeMaterials {
    /// Their names; the first stays.
    pub materials: Vec<String>,
}

impl Kind for MergeMaterials {
    fn title(&self) -> &'static str {
        "Wear one material"
    }

    fn fault(&self) -> Option<&'static str> {
        (self.materials.len() < 2).then_some("takes two materials or more")
    }

    fn form(offer: &Offer) -> Option<Form> {
        if offer.materials.len() < 2 {
            return None;
        }
        let fields = vec![Field::Several {
            name: "material",
            of: offer.materials.to_vec(),
        }];
        let form = Form::of("Wear one material", "Let them wear it", fields);
        Some(form.alone().at_once().noted(
            "What is ticked wears the first of them: its colours and textures, over the UVs as they are.",
        ))
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let materials = sent.all("material").into_iter().map(str::to_owned);
        let materials: Vec<String> = materials.collect();
        if materials.len() < 2 {
            return Err("Two materials or more can wear one. Tick another one too.".to_owned());
        }
        Ok(Self { materials })
    }

    fn make(&self, scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        // Several materials may have one name: all of them are meant.
        let mut numbers = Vec::new();
        for name in &self.materials {
            let all = 0..scene.library.materials.len() as u32;
            let before = numbers.len();
            numbers.extend(all.filter(|&m| scene.library.name(m) == name));
            if numbers.len() == before {
                return Err(EngineError::NoMaterial { name: name.clone() });
            }
        }
        let (mesh, faces) = looks::merge_materials(&scene.mesh, numbers[0], &numbers);
        let sentence = format!("{faces} faces wear {} now", self.materials[0]);
        Ok((Scene { mesh, ..scene }, Done::new(faces, sentence)))
    }
}
