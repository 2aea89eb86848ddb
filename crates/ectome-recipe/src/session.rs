//! One source, analysed once, cut to any number of counts.

use std::time::Instant;

use ectome_compare::Report;
use ectome_formats::{Library, Scene, glb};
use ectome_mesh::Progress;
use ectome_reduce::{CollapseLog, Cut, Replay, analyse};
use serde_json::json;

use crate::{
    CutSettings, Target,
    engine::{CutReport, EngineError, peak_bytes},
};

/// A source of triangles with its analysis, ready to be cut.
pub struct Session {
    source: Scene,
    log: CollapseLog,
    replay: Replay,
    /// Seconds the analysis took; 0 when an earlier one was used.
    seconds_analysis: f64,
    fresh: bool,
}

impl Session {
    /// Opens a scene of triangles. An earlier analysis is used if it belongs to it; otherwise one is
    /// made.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn new(
        source: Scene,
        settings: CutSettings,
        analysis: Option<CollapseLog>,
        progress: &Progress,
    ) -> Result<Self, EngineError> {
        if let Some(log) = analysis
            && let Ok(replay) = Replay::new(&source.mesh, &log)
        {
            return Ok(Self {
                source,
                log,
                replay,
                seconds_analysis: 0.0,
                fresh: false,
            });
        }
        let started = Instant::now();
        let options = settings.options(&source.mesh);
        let log = analyse(&source.mesh, &options, &progress.span(0.0, 0.7))?;
        let replay = Replay::new(&source.mesh, &log)
            .map_err(|_| EngineError::Order("analyses a source that is not made of triangles"))?;
        Ok(Self {
            source,
            log,
            replay,
            seconds_analysis: started.elapsed().as_secs_f64(),
            fresh: true,
        })
    }

    /// The analysis, if this session made it.
    pub fn new_analysis(self) -> Option<CollapseLog> {
        self.fresh.then_some(self.log)
    }

    /// The analysis.
    pub fn analysis(&self) -> &CollapseLog {
        &self.log
    }

    /// Triangles of the source.
    pub fn triangles(&self) -> usize {
        self.source.mesh.triangle_count()
    }

    /// A look at the result for `target` triangles, as a GLB: geometry and the names of its
    /// materials, no pictures. Not measured, not kept.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn preview(&self, target: usize) -> Result<(Vec<u8>, usize), EngineError> {
        let cut = self.replay.at(&self.source.mesh, &self.log, target)?;
        let triangles = cut.mesh.triangle_count();
        let library = Library {
            materials: (0..self.source.library.materials.len() as u32)
                .map(|m| json!({ "name": self.source.library.name(m), "extras": { "number": m } }))
                .collect(),
            ..Library::default()
        };
        let scene = Scene {
            mesh: cut.mesh,
            library,
            ..Scene::default()
        };
        Ok((glb::write(&scene, &glb::Naming::default())?, triangles))
    }

    /// Cuts to a target and measures the result against the source.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn cut(
        &mut self,
        target: Target,
        progress: &Progress,
    ) -> Result<(Scene, CutReport), EngineError> {
        let before = self.triangles();
        let target = target.triangles(before);
        if target < 4 {
            return Err(EngineError::TargetTooSmall { target });
        }
        if before <= target {
            return Err(EngineError::NothingToCut {
                triangles: before,
                target,
            });
        }
        progress.stage("Cutting");
        progress.at(0.7)?;
        let started = Instant::now();
        let cut = self.replay.at(&self.source.mesh, &self.log, target)?;
        let seconds_replay = started.elapsed().as_secs_f64();
        progress.stage("Measuring");
        let started = Instant::now();
        let measured =
            ectome_compare::compare(&self.source.mesh, &cut.mesh, &progress.span(0.75, 1.0))?;
        let report = CutReport {
            target,
            seconds_analysis: self.seconds_analysis,
            seconds_replay,
            seconds_measuring: started.elapsed().as_secs_f64(),
            ..report(&cut, &measured, before)
        };
        let scene = Scene {
            mesh: cut.mesh,
            library: self.source.library.clone(),
            copyright: self.source.copyright.clone(),
            notes: self.source.notes.clone(),
        };
        Ok((scene, report))
    }
}

fn report(cut: &Cut, measured: &Report, before: usize) -> CutReport {
    let worst = if measured.high_to_low.deviation_max_mm >= measured.low_to_high.deviation_max_mm {
        &measured.high_to_low
    } else {
        &measured.low_to_high
    };
    CutReport {
        triangles_before: before,
        triangles_after: cut.mesh.triangle_count(),
        held_by: gave_way(cut),
        deviation_mean_percent_of_diagonal: measured.deviation_mean_percent_of_diagonal,
        deviation_max_percent_of_diagonal: measured.deviation_max_percent_of_diagonal,
        deviation_mean_mm: measured.deviation_mean_mm,
        deviation_max_mm: measured.deviation_max_mm,
        deviation_worst_at_m: worst.worst_at_m,
        open_edges: [measured.high.open_edges, measured.low.open_edges],
        nonmanifold_edges: [
            measured.high.nonmanifold_edges,
            measured.low.nonmanifold_edges,
        ],
        flipped_faces: measured.flipped_faces,
        peak_bytes: peak_bytes(),
        ..CutReport::default()
    }
}

/// What had to give way, in words.
fn gave_way(cut: &Cut) -> Vec<String> {
    let mut list = Vec::new();
    if cut.corners_released {
        list.push("corners of UV islands and lines, given up to meet the target".to_owned());
    }
    if cut.lines_released {
        list.push("outlines of UV islands, crossed to meet the target".to_owned());
    }
    match cut.pieces_dropped {
        0 => {}
        1 => list.push("1 small piece, left out because it cannot shrink further".to_owned()),
        n => list.push(format!(
            "{n} small pieces, left out because they cannot shrink further"
        )),
    }
    list
}
