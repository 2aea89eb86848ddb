//! Decides what becomes of parts.

use ectome_formats::Scene;
use ectome_intake::parts::arrange;
use ectome_mesh::Fate as Becomes;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Change, Done, Kind, Sent, form::parts};
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

    /// A part has one fate, and parts of one fate stand together, so that a list says each thing once.
    fn join(self, list: &mut Vec<Change>) {
        for c in &mut *list {
            if let Change::Fate(own) = c {
                own.parts.retain(|p| !self.parts.contains(p));
            }
        }
        list.retain(|c| !matches!(c, Change::Fate(own) if own.parts.is_empty()));
        let splits = list.iter().any(Change::adds_parts);
        let same = list.iter_mut().find_map(|c| match c {
            Change::Fate(own) if own.fate == self.fate => Some(&mut own.parts),
            _ => None,
        });
        match same {
            // Parts that a split adds are not there yet where an earlier decision stands.
            Some(own) if !splits => {
                own.extend(self.parts);
                own.sort_unstable();
            }
            _ => list.push(self.into()),
        }
    }

    fn read(how: &str, sent: &dyn Sent) -> Result<Change, String> {
        let fate = match how {
            "imprint" => Becomes::Imprint,
            "omit" => Becomes::Omit,
            _ => Becomes::Build,
        };
        let parts = parts(sent)?;
        Ok(Self { parts, fate }.into())
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
