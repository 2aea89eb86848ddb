//! One closed skin over a source: how it is asked for, made, and measured.

pub(crate) mod report;
mod settings;
mod worth;

use std::time::Instant;

use ectome_compare::deviation;
use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress, edit, measure, nearest::SurfaceIndex};
use ectome_rebuild::{OpenPiece, Opening, RebuildError, Settings, Skin};

pub use report::{ClosedLine, OpenLine, RebuildReport, Taken};
pub use settings::RebuildSettings;
pub use worth::{Worth, worth};

use crate::{
    CutReport, EngineError,
    jury::Jury,
    measured::{made_report, part_at},
    proof::{Pair, Proven, prove},
    stopping::left_when_stopped,
    thinned::thinned_within,
};

/// Cells along the diagonal in a preview, at most.
const PREVIEW_CELLS: f64 = 110.0;
/// Points of a source are merged within this share of a preview's cell.
const PREVIEW_POINTS: f32 = 0.6;
/// Places on a skin that are measured.
const SAMPLES: usize = 100_000;

/// A source of more triangles has its points merged in cells so much smaller than those of the skin: its search tree alone would take 300
/// bytes a triangle, and the skin does not tell such places apart.
const HEAVY: usize = 8_000_000;
const HEAVY_POINTS: f64 = 0.3;

/// Lines of a kind that a report lists.
const LISTED: usize = 200;

/// What was rebuilt.
pub struct Rebuilt {
    /// The skin. Its materials name what they were and have no textures: those lay on UVs that are no more.
    pub scene: Scene,
    /// What of the source can be seen, which it is measured against.
    pub seen: Scene,
    /// What was done.
    pub report: RebuildReport,
}

/// Lays one closed skin over a scene.
///
/// # Errors
/// See [`EngineError`].
pub fn rebuilt(
    source: Scene,
    settings: &RebuildSettings,
    progress: &Progress,
) -> Result<Rebuilt, EngineError> {
    left_when_stopped(source, settings, progress, laid)
}

/// A source of at most so many triangles, or one with points merged in a part of a skin's cell.
fn lightened(ground: Scene, cell: f64, most: usize) -> Scene {
    if ground.mesh.triangle_count() > most {
        thinned_within(&ground, (HEAVY_POINTS * cell) as f32)
    } else {
        ground
    }
}

fn laid(
    source: Scene,
    settings: &RebuildSettings,
    progress: &Progress,
) -> Result<Rebuilt, EngineError> {
    let started = Instant::now();
    let ground = settings.ground(source, &progress.span(0.0, 0.1))?;
    let cell = settings.cell(&ground.mesh);
    let ground = lightened(ground, cell, HEAVY);
    progress.at(0.1)?;
    let kernel = Settings {
        with_seen: true,
        ..settings.kernel(cell)
    };
    let skin = ectome_rebuild::rebuild(&ground.mesh, &kernel, &progress.span(0.1, 0.95))?;
    let Skin {
        mesh,
        closing,
        seen,
        report,
    } = skin;
    let seconds = started.elapsed().as_secs_f64();
    let seen = bare(&ground, seen.unwrap_or_default());
    let surface = SurfaceIndex::of_while(&seen.mesh, progress)?;
    let off = |closes: bool| {
        let part = edit::kept(&mesh, |f| closing[f] == closes);
        let quiet = Progress::new();
        let off = deviation::one_way(&part, &surface, SAMPLES, &quiet);
        off.map_or([0.0; 2], |d| [d.mean_m * 1e3, d.max_m * 1e3])
    };
    let [away_mean_mm, away_max_mm] = off(false);
    let [_, closing_max_mm] = if report.openings.is_empty() {
        [0.0; 2]
    } else {
        off(true)
    };
    let run_of = ground.mesh.run_of_faces();
    let mut open = report.open_pieces.clone();
    open.sort_by(|a, b| b.across_m.total_cmp(&a.across_m));
    let line = |p: &OpenPiece| {
        let run = run_of.get(p.face as usize);
        let run = run.and_then(|&r| ground.mesh.runs.get(r as usize));
        OpenLine {
            part: run.map_or_else(String::new, |r| {
                ground.mesh.parts[r.part as usize].name.clone()
            }),
            at_m: p.at_m,
            across_mm: f64::from(p.across_m) * 1e3,
            opening_mm: f64::from(p.mouth_m) * 1e3,
            taken: match (p.is_sheet, kernel.sheet_m > 0.0) {
                (false, _) => Taken::Skin,
                (true, true) => Taken::Film,
                (true, false) => Taken::LeftOut,
            },
        }
    };
    let report = RebuildReport {
        cell_mm: cell * 1e3,
        pieces: report.pieces,
        turned: report.turned,
        open_piece_count: open.len(),
        open_pieces: open.iter().take(LISTED).map(line).collect(),
        openings: closed(&report.openings, &seen.mesh, &surface),
        closed_openings: report.openings.len(),
        dropped_interior_triangles: report.hidden_triangles,
        hollows_filled: report.hollows_filled,
        hollows_kept: report.hollows_kept,
        watertight: report.border_edges + report.non_manifold_edges == 0,
        components: report.components,
        genus: report.genus,
        away_mean_mm,
        away_max_mm,
        closing_max_mm,
        seconds,
    };
    progress.at(1.0)?;
    Ok(Rebuilt {
        scene: bare(&ground, mesh),
        seen,
        report,
    })
}

/// A coarse skin within seconds: of a source whose points are merged in small cells, at a detail no finer than a hundred-and-tenth of the
/// diagonal. Also says its detail in millimetres.
///
/// # Errors
/// See [`EngineError`].
pub fn preview(
    source: Scene,
    settings: &RebuildSettings,
    progress: &Progress,
) -> Result<(Scene, RebuildReport), EngineError> {
    let ground = settings.ground(source, progress)?;
    let diagonal = f64::from(measure::bounds(&ground.mesh).diagonal());
    let cell = settings.cell(&ground.mesh).max(diagonal / PREVIEW_CELLS);
    let thin = thinned_within(&ground, PREVIEW_POINTS * cell as f32);
    let skin = ectome_rebuild::rebuild(&thin.mesh, &settings.kernel(cell), progress)?;
    let surface = SurfaceIndex::of_while(&thin.mesh, progress)?;
    let report = RebuildReport {
        cell_mm: cell * 1e3,
        pieces: skin.report.pieces,
        components: skin.report.components,
        closed_openings: skin.report.openings.len(),
        openings: closed(&skin.report.openings, &thin.mesh, &surface),
        ..RebuildReport::default()
    };
    Ok((bare(&ground, skin.mesh), report))
}

/// Openings that were closed, as a report lists them, with the part of `beside` that each lies on.
fn closed(openings: &[Opening], beside: &Mesh, surface: &SurfaceIndex) -> Vec<ClosedLine> {
    let line = |o: &Opening| ClosedLine {
        part: part_at(beside, surface, o.at_m),
        at_m: o.at_m,
        across_mm: f64::from(o.across_m) * 1e3,
        area_mm2: o.area_m2 * 1e6,
    };
    openings.iter().take(LISTED).map(line).collect()
}

/// A mesh over a source, in its materials without textures.
fn bare(source: &Scene, mesh: Mesh) -> Scene {
    Scene {
        library: source.library.without_textures(),
        copyright: source.copyright.clone(),
        mesh,
        ..Scene::default()
    }
}

/// Rebuilds a scene, and measures and proves the skin against what can be seen of the source.
///
/// # Errors
/// See [`EngineError`].
pub(crate) fn rebuilt_proven(
    source: Scene,
    settings: &RebuildSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    left_when_stopped(source, settings, progress, made_and_proven)
}

fn made_and_proven(
    source: Scene,
    settings: &RebuildSettings,
    progress: &Progress,
) -> Result<(Scene, CutReport, Proven), EngineError> {
    let before = source.mesh.triangle_count();
    let made = laid(source, settings, &progress.span(0.0, 0.7))?;
    progress.stage("Measuring");
    let started = Instant::now();
    let Rebuilt {
        scene,
        seen,
        report,
    } = made;
    let jury = Jury::of(&seen)?;
    let judge = &jury.judge;
    let (measured, details) = judge.examine(&seen.mesh, &scene.mesh, &progress.span(0.7, 0.95))?;
    let mut cut = CutReport {
        triangles_before: before,
        seconds_analysis: report.seconds,
        seconds_measuring: started.elapsed().as_secs_f64(),
        ..made_report(&scene.mesh, &seen.mesh, judge, &measured)
    };
    if report.closed_openings > 0 {
        // What closes an opening is far from the source by what it is: it is said apart.
        let percent = |mm: f64| mm / (measured.diagonal_m * 1e3) * 100.0;
        cut.deviation_mean_mm = report.away_mean_mm;
        cut.deviation_max_mm = report.away_max_mm;
        cut.deviation_mean_percent_of_diagonal = percent(report.away_mean_mm);
        cut.deviation_max_percent_of_diagonal = percent(report.away_max_mm);
        cut.deviation_worst_part.clear();
    }
    cut.rebuild = Some(Box::new(report));
    let pair = Pair {
        high: &seen,
        low: &scene,
    };
    let proven = prove(pair, pair, &jury, &seen.mesh, (&measured, &details))?;
    Ok((scene, cut, proven.without_look()))
}

impl From<RebuildError> for EngineError {
    fn from(error: RebuildError) -> Self {
        match error {
            RebuildError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Rebuild(other.to_string()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    /// A ball that counts as heavy comes out as the same ball: closed, of one part, with the volume it had to two thousandths.
    #[test]
    fn a_heavy_source_is_thinned_and_has_the_same_skin() {
        let ball = Scene::from(shapes::icosphere(1.0, 7));
        let cell = 0.05;
        let thin = lightened(ball.clone(), cell, 1_000);
        let (before, after) = (ball.mesh.triangle_count(), thin.mesh.triangle_count());
        assert!(
            3 * after < 2 * before && after > 1_000,
            "{after} of {before}"
        );
        assert_eq!(lightened(ball.clone(), cell, before), ball);
        let settings = Settings::with_cell(cell as f32);
        let skin = |scene: &Scene| {
            let made = ectome_rebuild::rebuild(&scene.mesh, &settings, &Progress::new()).unwrap();
            assert_eq!((made.report.border_edges, made.report.components), (0, 1));
            ectome_rebuild::volume(&made.mesh)
        };
        let share = skin(&thin) / skin(&ball);
        assert!((share - 1.0).abs() < 2e-3, "{share}");
    }
}
