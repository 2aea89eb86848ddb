//! Takes flat regions and straight lines to the corners they need; nothing else changes.

use std::time::Instant;

use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_reduce::{Faces, Options, join_flat};
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    CutReport, CutSettings, EngineError,
    figures::length,
    jury::Jury,
    measured::{part_at, report},
    proof::{Pair, Proven, prove},
    triangles::triangulated,
};

/// Takes flat regions and straight lines to the corners they need; nothing else changes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MergeFlat {
    /// What it keeps; attention does not matter.
    #[serde(default)]
    pub settings: CutSettings,
    /// What lies within so many millimetres of a plane or a straight line counts as on it.
    #[serde(default)]
    pub within_mm: f64,
    /// The faces that flat regions are left in.
    #[serde(default, skip_serializing_if = "is_default")]
    pub faces: Faces,
}

fn is_default(faces: &Faces) -> bool {
    *faces == Faces::default()
}

impl Operation for MergeFlat {
    fn version(&self) -> u32 {
        4
    }

    fn title(&self) -> &'static str {
        "Merging flat areas"
    }

    fn wish(&self) -> String {
        let into = match self.faces {
            Faces::Triangles => "",
            Faces::Ngons => ", into n-gons",
            Faces::Quads => ", into quads",
        };
        if self.within_mm > 0.0 {
            format!(
                "Merging what is flat within {}{into}",
                length(self.within_mm)
            )
        } else {
            format!("{}{into}", self.title())
        }
    }

    fn nature(&self) -> Nature {
        Nature::Reduces
    }

    fn cost(&self) -> f32 {
        4.0
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let scene = triangulated(input.scene()?, progress)?;
        let (settings, within_mm) = (&self.settings, self.within_mm);
        let (scene, report, proven) = merge_flat(scene, settings, within_mm, self.faces, progress)?;
        Ok(Output::proven(scene, report, proven))
    }
}

/// Merges what is flat within so many millimetres in a scene of triangles, measures the result, and leaves flat regions in such faces.
///
/// # Errors
/// See [`EngineError`].
pub fn merge_flat(
    source: Scene,
    settings: &CutSettings,
    within_mm: f64,
    faces: Faces,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    let mesh = &source.mesh;
    let before = mesh.triangle_count();
    let started = Instant::now();
    let options = Options {
        flat_within_m: (within_mm / 1e3) as f32,
        ..settings.options(mesh)
    };
    let cut = ectome_reduce::merge_flat(mesh, &options, &progress.span(0.0, 0.7))?;
    let seconds_analysis = started.elapsed().as_secs_f64();
    progress.stage("Measuring");
    let started = Instant::now();
    let jury = Jury::of(&source)?;
    let judge = &jury.judge;
    let (measured, details) = judge.examine(mesh, &cut.mesh, &progress.span(0.75, 0.95))?;
    let report = CutReport {
        target: cut.mesh.triangle_count(),
        seconds_analysis,
        seconds_measuring: started.elapsed().as_secs_f64(),
        deviation_worst_part: part_at(mesh, judge.surface(), measured.counted.worst_at_m),
        ..report(&cut, &measured, mesh, before)
    };
    let scene = Scene {
        mesh: cut.mesh,
        ..source.clone()
    };
    let measured = (&measured, &details);
    let pair = Pair {
        high: &source,
        low: &scene,
    };
    let proven = prove(pair, pair, &jury, &source.mesh, measured)?;
    // What is measured are the triangles: faces that lie flat are the same surface.
    let mesh = join_flat(&scene.mesh, faces);
    Ok((Scene { mesh, ..scene }, report, proven))
}
