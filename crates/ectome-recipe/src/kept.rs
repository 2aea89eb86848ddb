//! What steps leave beside a mesh: what was measured of it, and what a later cut of the same source goes on from.

use ectome_formats::Scene;
use ectome_reduce::CollapseLog;

use crate::{CutReport, Proof, report::FirstPass};

/// What was measured of a result.
#[derive(Clone, Debug, Default)]
pub struct Measurements {
    /// What the cut did.
    pub cut: Option<CutReport>,
    /// What it looks like beside its source.
    pub proof: Option<Proof>,
}

impl Measurements {
    /// What still holds once the UVs are others: drift compares with UVs that are no more.
    #[must_use]
    pub fn without_uvs(self) -> Self {
        Self {
            cut: self.cut.map(|cut| CutReport {
                uv_drift_mean_texels: None,
                uv_drift_max_texels: None,
                ..cut
            }),
            proof: self.proof.map(|proof| Proof { uvs: None, ..proof }),
        }
    }
}

/// What a cut made that others of the same source with the same settings go on from.
#[derive(Clone, Debug, Default)]
pub struct Kept {
    /// The analysis, if it was made anew.
    pub analysis: Option<CollapseLog>,
    /// What a first pass left, if one was made.
    pub first_pass: Option<FirstPassed>,
}

/// What a first pass left of a source too large to analyse at once.
#[derive(Clone, Debug, Default)]
pub struct FirstPassed {
    /// What it left, triangles only.
    pub scene: Scene,
    /// What it did.
    pub report: FirstPass,
}
