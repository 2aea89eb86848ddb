//! Islands are only laid out anew.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use serde::{Deserialize, Serialize};

use super::kind::Kind;
use crate::uv::work::Work;
use crate::{EngineError, change::Sent};

/// Islands are only laid out anew.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Pack {}

impl Kind for Pack {
    fn title(&self) -> &'static str {
        "Packing"
    }

    fn keeps_sizes(&self) -> bool {
        true
    }

    fn read(_: &str, _: &dyn Sent) -> Result<Self, String> {
        Ok(Self {})
    }

    fn make(&self, work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let mut layout = work.packed(None, progress)?;
        layout.renumber();
        Ok((layout, "Islands laid out anew".to_owned()))
    }
}
