//! Islands get as many texels as they are seen.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use ectome_uv::{face_graph::FaceGraph, priority};
use serde::{Deserialize, Serialize};

use super::kind::Kind;
use crate::uv::work::Work;
use crate::{EngineError, change::Sent};

/// Islands get as many texels as they are seen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SuggestPriorities {}

impl Kind for SuggestPriorities {
    fn title(&self) -> &'static str {
        "Setting priorities"
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let surface = FaceGraph::of(work.mesh);
        let mut factors = priority::suggested(work.mesh, &surface, &work.islands);
        // A stack is worth what its most visible island is.
        for i in 0..factors.len() {
            let s = work.islands[i].stack as usize;
            factors[s] = factors[s].max(factors[i]);
        }
        let lowered = factors.iter().filter(|f| **f < 1.0).count();
        let sizes = work.true_to_size(|i| factors[work.islands[i].stack as usize]);
        let layout = work.sized(sizes, None, progress)?;
        let sentence = format!("{lowered} islands that are seen less got fewer texels");
        Ok((layout, sentence))
    }
}
