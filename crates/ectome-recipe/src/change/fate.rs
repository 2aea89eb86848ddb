//! Decides what becomes of parts.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Fate as Becomes;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Sent, parts},
    kind::{Done, Kind},
};
use crate::{EngineError, figures::grouped};

/// Decides what becomes of parts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Fate {
    /// The parts.
    pub parts: Vec<u32>,
    /// What becomes of them.
    pub fate: Becomes,
}

impl Kind for Fate {
    fn title(&self) -> &'static str {
        "Fate of parts"
    }

    fn says(&self) -> String {
        let fate = match self.fate {
            Becomes::Build => "build",
            Becomes::Imprint => "imprint",
            Becomes::Omit => "leave out",
        };
        format!("Fate of {} parts: {fate}", grouped(self.parts.len()))
    }

    fn leaves_parts_out(&self) -> bool {
        self.fate != Becomes::Build
    }

    fn names_parts(&self) -> bool {
        true
    }

    /// A part has one fate.
    fn beside(mut self, newer: &Self) -> Option<Self> {
        self.parts.retain(|p| !newer.parts.contains(p));
        (!self.parts.is_empty()).then_some(self)
    }

    /// Parts of one fate stand together.
    fn takes_in(&mut self, newer: &Self) -> bool {
        let same = self.fate == newer.fate;
        if same {
            self.parts.extend(&newer.parts);
            self.parts.sort_unstable();
        }
        same
    }

    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String> {
        let fate = match how {
            "imprint" => Becomes::Imprint,
            "omit" => Becomes::Omit,
            _ => Becomes::Build,
        };
        let parts = parts(sent)?;
        Ok(Self { parts, fate })
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        arrange::check(&scene.mesh, &self.parts)?;
        for &part in &self.parts {
            scene.mesh.parts[part as usize].fate = self.fate;
        }
        let word = match self.fate {
            Becomes::Build => "built",
            Becomes::Imprint => "imprinted",
            Becomes::Omit => "omitted",
        };
        let count = self.parts.len();
        Ok((scene, Done::new(count, format!("{count} parts are {word}"))))
    }
}
