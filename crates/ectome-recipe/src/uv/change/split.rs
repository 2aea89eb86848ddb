//! Islands are cut across their length.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use ectome_uv::{face_graph::FaceGraph, join};
use serde::{Deserialize, Serialize};

use super::{form::chosen, kind::Kind};
use crate::uv::{packing::Spot, work::Work};
use crate::{EngineError, change::Sent};

/// Islands are cut across their length.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Split {
    /// Which.
    pub at: Vec<Spot>,
}

impl Kind for Split {
    fn title(&self) -> &'static str {
        "Splitting islands"
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let at = chosen(sent, "the islands to split")?;
        Ok(Self { at })
    }

    fn make(&self, mut work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let chosen = work.chosen(&self.at)?;
        let surface = FaceGraph::of(work.mesh);
        let before = work.layout.count;
        let split = chosen
            .iter()
            .filter(|&&i| join::split(&surface, &mut work.layout, &work.islands[i as usize]))
            .count();
        let made = work.layout.count - before + split;
        let sentence = format!("{split} islands split into {made}");
        Ok((work.packed(None, progress)?, sentence))
    }
}
