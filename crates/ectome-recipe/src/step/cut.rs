//! Collapses edges down to a target.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{CutSettings, EngineError, Target, figures};

/// Collapses edges down to a target.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Cut {
    /// How far.
    pub target: Target,
    /// What it keeps and looks at most.
    #[serde(default)]
    pub settings: CutSettings,
}

impl Operation for Cut {
    fn version(&self) -> u32 {
        10
    }

    fn title(&self) -> &'static str {
        "Cutting"
    }

    fn wish(&self) -> String {
        match self.target {
            Target::Triangles(n) => format!("Cutting to {}", figures::grouped(n)),
            Target::SharePercent(share) => format!("Cutting to {share} %"),
            Target::WithinMm(mm) => format!("Cutting to within {}", figures::length(mm)),
        }
    }

    fn nature(&self) -> Nature {
        Nature::Reduces
    }

    fn cost(&self) -> f32 {
        8.0
    }

    fn analysis(&self) -> Option<&CutSettings> {
        Some(&self.settings)
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let session = input.session(&self.settings, &progress.span(0.0, 0.7))?;
        let session = input.judged(session)?;
        let (scene, report, proven) = session.cut_proven(self.target, progress)?;
        input.keep_jury(&session)?;
        Ok(Output {
            kept: session.into_kept(),
            ..Output::proven(scene, report, proven)
        })
    }
}
