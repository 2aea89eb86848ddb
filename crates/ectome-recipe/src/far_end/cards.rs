//! Cards of a source, measured and proven.

use std::time::Instant;

use ectome_compare::{CompareError, outline};
use ectome_formats::Scene;
use ectome_mesh::Progress;
use ectome_proxy::cards;
use glam::Vec3;

use super::{CardSettings, FarReport, cut_out::cut_out, judged, pictures::sheet};
use crate::{
    CutReport, EngineError, jury::Jury, maps, proof::Proven, stopping::left_when_stopped,
    thinned::thinned_within,
};

/// Texels between the pictures of two cards: smaller copies of the sheet mix what lies nearer.
const PADDING: u32 = 4;
/// A source of more triangles is compared with its points merged within half a texel.
const HEAVY: usize = 10_000;

/// Makes cards of a source with all parts that are built or only for the maps, and measures and proves what of them is seen. A card
/// shows nothing from above and is thin from its edge, so outlines are judged from where cards are looked at: around the horizon, one
/// card alone from straight in front.
///
/// # Errors
/// [`EngineError::FarEnd`], [`EngineError::Bake`], [`EngineError::Cancelled`].
pub(crate) fn cards_proven(
    source: Scene,
    settings: &CardSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    left_when_stopped(source, settings, progress, made_and_proven)
}

fn made_and_proven(
    source: Scene,
    settings: &CardSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    if let Some(fault) = settings.fault() {
        return Err(EngineError::FarEnd(format!("this {fault}")));
    }
    let begun = Instant::now();
    let source = maps::without_omitted(&source, progress)?.into_owned();
    let kernel = ectome_proxy::CardSettings {
        planes: settings.planes,
        own_back: settings.own_back,
        size: settings.size,
        padding: PADDING,
    };
    let made = cards(&source.mesh, &kernel)?;
    let two_sided = !settings.own_back && settings.planes > 1;
    let baking = progress.span(0.05, 0.5);
    let sheet = sheet(&source, &made, settings.size, two_sided, &baking)?;
    let scene = Scene {
        mesh: made.mesh,
        library: sheet.library,
        copyright: source.copyright.clone(),
        ..Scene::default()
    };
    let (shown, share) = cut_out(&scene, &sheet.rgba, sheet.size);
    if shown.mesh.face_count() == 0 {
        let why = "nothing of the source is opaque from the sides";
        return Err(EngineError::FarEnd(why.to_owned()));
    }
    let seconds = begun.elapsed().as_secs_f64();
    progress.stage("Measuring");
    let started = Instant::now();
    // A card shows nothing that is smaller than its texels.
    let is_heavy = source.mesh.face_count() > HEAVY;
    let thin = is_heavy.then(|| thinned_within(&source, 0.5 / made.texels_per_metre));
    let beside = &thin.unwrap_or_else(|| source.clone());
    // Its UVs say nothing about those of the cards.
    let jury = Jury::of(beside)?.without_uvs();
    let examined = jury
        .judge
        .examine(&beside.mesh, &shown.mesh, &progress.span(0.5, 0.9));
    let (mut measured, mut details) = examined?;
    let is_served = |direction: Vec3| match settings.planes {
        1 => direction.z.abs() > 0.999,
        _ => direction.y.abs() < 1e-3,
    };
    // All of the source counts for outlines, also pieces that are too small to be seen.
    let outline = outline::compare(&source.mesh, &shown.mesh);
    details.outline = outline.ok_or(EngineError::Compare(CompareError::Empty))?;
    details.outline.views.retain(|v| is_served(v.direction));
    // Faces of cards have nothing to do with those of the source.
    measured.flipped_faces = 0;
    measured.vanished.clear();
    let far = FarReport::Cards {
        cards: (scene.mesh.face_count() / 2) as u32,
        shown_percent: 100.0 * share,
        texels_per_metre: f64::from(made.texels_per_metre),
        size: settings.size,
    };
    let (mut report, mut proven) = judged(
        beside,
        &jury,
        (&measured, &details),
        (&scene, &shown),
        (far, started),
    )?;
    // Shading is compared from above and below, too, where cards do not serve.
    proven.proof.maps = None;
    report.triangles_before = source.mesh.triangle_count();
    report.seconds_analysis = seconds;
    report.open_edges[1] = 0;
    progress.at(1.0)?;
    Ok((scene, report, proven))
}
