//! Convex hulls of a source, measured and proven.

use std::time::Instant;

use ectome_formats::Scene;
use ectome_mesh::{MeshBuilder, Primitive, Progress, measure};
use ectome_proxy::{Hull, Settings, convex_parts, hull};
use glam::Affine3A;

use super::{FarReport, HullLine, HullSettings, colour::mean_material, judged};
use crate::{
    CutReport, EngineError, jury::Jury, proof::Proven, stopping::left_when_stopped,
    thinned::thinned_within, triangles::triangulated,
};

/// Cells along the longest side of a shape that is taken apart.
const CELLS: u32 = 64;
/// A shape of more triangles is taken apart with its points merged in cells of half that size: what lies closer together cannot move a
/// plane, and takes ten times as long.
const HEAVY: usize = 100_000;
/// Points of the hull over everything that several are told beside.
const WHOLE: usize = 1024;

/// Lays convex hulls over a scene, each a part of its own, and measures and proves them.
///
/// # Errors
/// [`EngineError::FarEnd`], [`EngineError::Cancelled`].
pub(crate) fn hulls_proven(
    source: Scene,
    settings: &HullSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    left_when_stopped(source, settings, progress, made_and_proven)
}

fn made_and_proven(
    source: Scene,
    settings: &HullSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    let begun = Instant::now();
    let source = triangulated(source, progress)?;
    let made = laid(&source, settings, &progress.span(0.0, 0.6))?;
    let whole = hull(&source.mesh.points, WHOLE, progress).map_err(EngineError::Cancelled)?;
    let seconds = begun.elapsed().as_secs_f64();
    let scene = scene(&source, &made, "hull");
    progress.stage("Measuring");
    let started = Instant::now();
    let jury = Jury::of(&source)?;
    let examined = jury
        .judge
        .examine(&source.mesh, &scene.mesh, &progress.span(0.6, 0.95));
    let (measured, details) = examined?;
    let line = |h: &Hull| HullLine {
        triangles: h.corners.len() / 3,
        volume_m3: h.volume(),
        stands_out_mm: f64::from(h.stands_out_m) * 1e3,
        was_flat: h.was_flat,
    };
    let far = FarReport::Hulls {
        hulls: made.iter().map(line).collect(),
        whole_m3: whole.map_or(0.0, |h| h.volume()),
    };
    let (mut report, proven) = judged(
        &source,
        &jury,
        (&measured, &details),
        (&scene, &scene),
        (far, started),
    )?;
    report.seconds_analysis = seconds;
    progress.at(1.0)?;
    Ok((scene, report, proven.without_look()))
}

/// The hulls of a source of triangles, largest first.
///
/// # Errors
/// [`EngineError::FarEnd`], [`EngineError::Cancelled`].
pub(super) fn laid(
    source: &Scene,
    settings: &HullSettings,
    progress: &Progress,
) -> Result<Vec<Hull>, EngineError> {
    if let Some(fault) = settings.fault() {
        return Err(EngineError::FarEnd(format!("this {fault}")));
    }
    let bounds = measure::bounds(&source.mesh);
    let longest = (bounds.max - bounds.min).max_element();
    let is_heavy = settings.hulls > 1 && source.mesh.face_count() > HEAVY && longest > 0.0;
    let thin = is_heavy.then(|| thinned_within(source, 0.5 * longest / CELLS as f32));
    let kernel = Settings {
        most: settings.hulls as usize,
        points_each: settings.points_each(),
        cells: CELLS,
    };
    let of = thin.as_ref().unwrap_or(source);
    Ok(convex_parts(&of.mesh, &kernel, progress)?)
}

/// Hulls as a scene, each a part of its own, in the source's mean colour.
pub(super) fn scene(source: &Scene, hulls: &[Hull], name: &str) -> Scene {
    let mut builder = MeshBuilder::new();
    for (n, hull) in hulls.iter().enumerate() {
        let name = match hulls.len() {
            1 => name.to_owned(),
            _ => format!("{name}_{}", n + 1),
        };
        builder
            .part(&name, Affine3A::IDENTITY)
            .primitive(Primitive {
                positions: hull.points.clone(),
                corners: hull.corners.clone(),
                material: Some(0),
                ..Primitive::default()
            });
    }
    Scene {
        mesh: builder.finish(),
        library: mean_material(source, name),
        copyright: source.copyright.clone(),
        ..Scene::default()
    }
}
