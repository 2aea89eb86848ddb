//! Reductions that take no count: flat regions merged, edge loops taken out.

use std::time::Instant;

use ectome_compare::Judge;
use ectome_formats::Scene;
use ectome_mesh::{Progress, triangulate::triangulate};
use ectome_reduce::loops::{self, EdgeLoop, Quads, Which};

use crate::{
    CutSettings,
    engine::{CutReport, EngineError, triangulated},
    measured::{measured_report, part_at, report, worst},
    proof::{Proven, prove},
};

/// Merges the flat regions of a scene of triangles and measures the result.
///
/// # Errors
/// See [`EngineError`].
pub fn merge_flat(
    source: Scene,
    settings: &CutSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    let mesh = &source.mesh;
    let before = mesh.triangle_count();
    let started = Instant::now();
    let options = settings.options(mesh);
    let cut = ectome_reduce::merge_flat(mesh, &options, &progress.span(0.0, 0.7))?;
    let seconds_analysis = started.elapsed().as_secs_f64();
    progress.stage("Measuring");
    let started = Instant::now();
    let judge = Judge::of(mesh)?;
    let (measured, details) = judge.examine(mesh, &cut.mesh, &progress.span(0.75, 0.95))?;
    let report = CutReport {
        target: cut.mesh.triangle_count(),
        seconds_analysis,
        seconds_measuring: started.elapsed().as_secs_f64(),
        deviation_worst_part: part_at(mesh, judge.surface(), worst(&measured)),
        ..report(&cut, &measured, before)
    };
    let scene = Scene {
        mesh: cut.mesh,
        ..source.clone()
    };
    let measured = (&measured, &details);
    let proven = prove(&source, judge.surface(), &source.mesh, &scene, measured)?;
    Ok((scene, report, proven))
}

/// The edge loops of a scene of triangles, cheapest first.
pub fn list_loops(source: &Scene, settings: &CutSettings) -> Vec<EdgeLoop> {
    Quads::of(&source.mesh).map_or_else(Vec::new, |quads| {
        loops::find(&source.mesh, &quads, &settings.options(&source.mesh))
    })
}

/// Takes edge loops out of a scene and measures the result, which is made of triangles again.
///
/// # Errors
/// See [`EngineError`]; [`EngineError::NoLoops`] when none can go.
pub fn take_out_loops(
    source: Scene,
    which: Which,
    settings: &CutSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    let started = Instant::now();
    let polygons = Quads::of(&source.mesh).is_none();
    let source = if polygons {
        triangulated(source)
    } else {
        source
    };
    let options = settings.options(&source.mesh);
    let done = loops::take_out(&source.mesh, &options, which, &progress.span(0.0, 0.6))?;
    if done.taken == 0 {
        return Err(EngineError::NoLoops {
            held: done.held.first().and_then(|l| Some(l.held?.to_string())),
        });
    }
    let seconds_analysis = started.elapsed().as_secs_f64();
    progress.stage("Measuring");
    let started = Instant::now();
    let source = triangulated(source);
    let mesh = triangulate(&done.mesh).0;
    let judge = Judge::of(&source.mesh)?;
    let (measured, details) = judge.examine(&source.mesh, &mesh, &progress.span(0.65, 0.95))?;
    let mut held: Vec<(String, usize)> = Vec::new();
    for why in done.held.iter().filter_map(|l| l.held) {
        let why = why.to_string();
        match held.iter_mut().find(|(w, _)| *w == why) {
            Some((_, n)) => *n += 1,
            None => held.push((why, 1)),
        }
    }
    let report = CutReport {
        triangles_before: source.mesh.triangle_count(),
        triangles_after: mesh.triangle_count(),
        target: match which {
            Which::Triangles(n) => n,
            Which::Every(_) => mesh.triangle_count(),
        },
        loops_taken: done.taken,
        loops_held: held,
        seconds_analysis,
        seconds_measuring: started.elapsed().as_secs_f64(),
        deviation_worst_part: part_at(&source.mesh, judge.surface(), worst(&measured)),
        ..measured_report(&measured)
    };
    let scene = Scene {
        mesh,
        ..source.clone()
    };
    let measured = (&measured, &details);
    let proven = prove(&source, judge.surface(), &source.mesh, &scene, measured)?;
    Ok((scene, report, proven))
}
