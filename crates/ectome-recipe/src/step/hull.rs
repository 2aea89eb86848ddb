//! Lays convex hulls over the source.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    EngineError,
    far_end::{HullSettings, hulls_proven},
    figures::grouped,
};

/// Lays convex hulls over the source.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Hull {
    /// How many.
    #[serde(flatten)]
    pub hull: HullSettings,
}

impl Operation for Hull {
    fn version(&self) -> u32 {
        2
    }

    fn title(&self) -> &'static str {
        "Laying hulls"
    }

    fn wish(&self) -> String {
        match self.hull.hulls {
            1 => format!(
                "One hull, {} triangles at most",
                grouped(self.hull.triangles_each)
            ),
            n => format!(
                "Up to {n} hulls, {} triangles each",
                grouped(self.hull.triangles_each)
            ),
        }
    }

    fn nature(&self) -> Nature {
        Nature::Rebuilds
    }

    fn cost(&self) -> f32 {
        3.0
    }

    fn replaces_uvs(&self) -> bool {
        true
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (scene, report, proven) = hulls_proven(input.scene()?, &self.hull, progress)?;
        Ok(Output::proven(scene, report, proven))
    }
}
