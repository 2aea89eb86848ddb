//! All islands get one texel density.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use serde::{Deserialize, Serialize};

use super::kind::Kind;
use crate::uv::work::Work;
use crate::{
    EngineError,
    change::{Sent, number},
};

/// All islands get one texel density.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Density {
    /// In texels per metre; the most that fits when absent.
    #[serde(default)]
    pub texels_per_metre: Option<f64>,
}

impl Kind for Density {
    fn title(&self) -> &'static str {
        "Setting texel density"
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let texels_per_metre = match sent.text("fit") {
            "most" => None,
            _ => Some(number(
                sent.text("texels_per_metre"),
                "A texel density",
                0.1,
                1e6,
            )?),
        };
        Ok(Self { texels_per_metre })
    }

    fn make(&self, work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let sizes = work.true_to_size(|_| 1.0);
        let scale = self
            .texels_per_metre
            .map(|t| t / f64::from(work.packing.sheet.size));
        let layout = work.sized(sizes, scale, progress)?;
        Ok((layout, "All islands have one texel density".to_owned()))
    }
}
