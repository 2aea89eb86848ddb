//! What a cut did, in figures.

use std::{collections::BTreeSet, time::Duration};

use ectome_formats::Scene;
use serde::{Deserialize, Serialize};

use crate::{CardsReport, far_end::report::FarReport, rebuild::report::RebuildReport};

/// Loose pieces of which a result has nothing.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Vanished {
    /// How many.
    pub pieces: usize,
    /// The largest of them, largest first.
    pub largest: Vec<VanishedPiece>,
}

impl Vanished {
    /// True when there are none.
    pub fn is_none(&self) -> bool {
        self.pieces == 0
    }
}

/// One of them.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct VanishedPiece {
    /// The part it belonged to.
    pub part: String,
    /// The diagonal of its bounds, in millimetres.
    pub size_mm: f64,
    /// Its middle, in metres.
    pub at_m: [f32; 3],
}

/// What a cut did, under the names outsiders rely on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct CutReport {
    /// Materials that the result uses; absent in reports of earlier versions.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub materials: Option<usize>,
    /// UV sets that it has.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub uv_sets: Option<usize>,
    /// Triangles of the source.
    pub triangles_before: usize,
    /// Triangles of the result.
    pub triangles_after: usize,
    /// The most that were asked for.
    pub target: usize,
    /// What had to give way to meet the target, in words.
    pub held_by: Vec<String>,
    /// Mean deviation both ways, in percent of the source's diagonal.
    pub deviation_mean_percent_of_diagonal: f64,
    /// Largest deviation both ways, in percent of the source's diagonal.
    pub deviation_max_percent_of_diagonal: f64,
    /// Mean deviation, in millimetres.
    pub deviation_mean_mm: f64,
    /// Largest deviation, in millimetres.
    pub deviation_max_mm: f64,
    /// Where the largest deviation stands, in metres.
    pub deviation_worst_at_m: [f32; 3],
    /// The part where it stands.
    #[serde(default)]
    pub deviation_worst_part: String,
    /// Mean slip of the texture, in texels at 2048; absent without UVs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub uv_drift_mean_texels: Option<f64>,
    /// Largest slip found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub uv_drift_max_texels: Option<f64>,
    /// What a first pass did, where the source was too large to analyse at once. The deviations of this
    /// report contain it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub first_pass: Option<FirstPass>,
    /// What a rebuild did, where this is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rebuild: Option<Box<RebuildReport>>,
    /// What stands in for the source, where this is something for the far end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub far: Option<Box<FarReport>>,
    /// What became of leaf cards, where there are some. The figures of deviation, outline and surface are those of everything else.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cards: Option<CardsReport>,
    /// Parts and materials of which nothing is left, by name.
    #[serde(default)]
    pub gone: Vec<String>,
    /// Loose pieces of which nothing is left. In the deviations they count by their own size, not by how far they were from
    /// the rest.
    #[serde(default, skip_serializing_if = "Vanished::is_none")]
    pub vanished: Vanished,
    /// Open edges of source and result.
    pub open_edges: [usize; 2],
    /// Non-manifold edges of source and result.
    pub nonmanifold_edges: [usize; 2],
    /// Faces that look against the source.
    pub flipped_faces: usize,
    /// Share of the outlines that source and result have in common (0–1), mean over 26 directions.
    #[serde(default)]
    pub outline_agreement: f64,
    /// Mean distance between the outlines, in pixels of pictures of 512 × 512 that the source fills.
    #[serde(default)]
    pub outline_mean_pixels: f64,
    /// The furthest that one outline leaves the other, in millimetres across the line of sight.
    #[serde(default)]
    pub outline_worst_mm: f64,
    /// Edge loops that went.
    #[serde(default)]
    pub loops_taken: usize,
    /// Why loops had to stay, and how many each.
    #[serde(default)]
    pub loops_held: Vec<(String, usize)>,
    /// Parts that were put back as copies of another instead of being cut themselves.
    #[serde(default)]
    pub copies: usize,
    /// Seconds for everything, from the file to the result. The other seconds add up to it.
    #[serde(default)]
    pub seconds_total: f64,
    /// Seconds for reading and preparing the source: whatever comes before what follows here.
    #[serde(default)]
    pub seconds_preparing: f64,
    /// Seconds for finding equal parts.
    #[serde(default)]
    pub seconds_searching: f64,
    /// Seconds for the analysis; 0 when an earlier one was used.
    pub seconds_analysis: f64,
    /// Seconds to make this count from the analysis.
    pub seconds_replay: f64,
    /// Seconds to fit the result to the source once more.
    pub seconds_fitting: f64,
    /// Seconds for measuring the result.
    pub seconds_measuring: f64,
    /// Seconds for writing the result, where it was written.
    #[serde(default)]
    pub seconds_writing: f64,
    /// Seconds for the pictures and fields of its proof.
    #[serde(default)]
    pub seconds_proving: f64,
    /// Most memory the process held, in bytes (0 where the system does not say).
    pub peak_bytes: u64,
}

/// The first pass over a source too large to analyse at once.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct FirstPass {
    /// Triangles of the source.
    #[serde(default)]
    pub of: usize,
    /// Triangles it left.
    pub triangles: usize,
    /// Blocks it worked in.
    pub blocks: usize,
    /// Mean distance of measured points that went to what is left, in millimetres.
    pub deviation_mean_mm: f64,
    /// The largest of these distances, in millimetres.
    pub deviation_max_mm: f64,
    /// Points that were measured.
    pub measured_points: usize,
    /// Seconds it took.
    pub seconds: f64,
}

impl CutReport {
    /// Says how long everything took that belongs to this report.
    pub fn took(&mut self, total: Duration) {
        let named = self.seconds_searching
            + self.seconds_analysis
            + self.seconds_replay
            + self.seconds_fitting
            + self.seconds_measuring
            + self.seconds_proving
            + self.seconds_writing;
        self.seconds_total = total.as_secs_f64().max(named);
        self.seconds_preparing = self.seconds_total - named;
    }

    /// Notes what the result has of materials and UVs, which steps after a cut may change.
    pub fn describe(&mut self, scene: &Scene) {
        let runs = scene.mesh.runs.iter().filter(|r| !r.faces.is_empty());
        let used: BTreeSet<u32> = runs.filter_map(|r| r.material).collect();
        self.materials = Some(used.len());
        self.uv_sets = Some(scene.mesh.uv_sets.len());
    }

    /// Of what no step cut: it is its source.
    pub fn of_source(triangles: usize) -> Self {
        Self {
            triangles_before: triangles,
            triangles_after: triangles,
            target: triangles,
            outline_agreement: 1.0,
            ..Self::default()
        }
    }
}
