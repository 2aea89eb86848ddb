//! Takes edge loops out; every point that stays keeps its place and its UV.

use std::time::Instant;

use ectome_formats::Scene;
use ectome_mesh::{Progress, triangulate::triangulate};
use ectome_reduce::loops::{self, EdgeLoop, Quads, Which};
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    CutReport, CutSettings, EngineError, figures,
    jury::Jury,
    measured::made_report,
    proof::{Pair, Proven, prove},
    triangles::triangulated,
};

/// Takes edge loops out; every point that stays keeps its place and its UV.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TakeOutLoops {
    /// Which.
    pub which: Which,
    /// What it keeps; attention does not matter.
    #[serde(default)]
    pub settings: CutSettings,
}

impl Operation for TakeOutLoops {
    fn version(&self) -> u32 {
        5
    }

    fn title(&self) -> &'static str {
        "Taking loops out"
    }

    fn wish(&self) -> String {
        match self.which {
            Which::Every(n) => format!("Taking one loop in {n} out"),
            Which::Triangles(n) => {
                format!("Taking loops out down to {}", figures::grouped(n as u64))
            }
        }
    }

    fn nature(&self) -> Nature {
        Nature::Reduces
    }

    fn cost(&self) -> f32 {
        4.0
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (which, settings) = (self.which, &self.settings);
        let (scene, report, proven) = take_out_loops(input.scene()?, which, settings, progress)?;
        Ok(Output::proven(scene, report, proven))
    }
}

/// The edge loops of a scene of triangles, cheapest first.
pub fn list_loops(source: &Scene, settings: &CutSettings) -> Vec<EdgeLoop> {
    Quads::of(&source.mesh).map_or_else(Vec::new, |quads| {
        loops::find(&source.mesh, &quads, &settings.options(&source.mesh))
    })
}

/// Takes edge loops out of a scene and measures the result. What was in quads is in quads still.
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
        triangulated(source, progress)?
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
    let source = triangulated(source, progress)?;
    let mesh = triangulate(&done.mesh).0;
    let jury = Jury::of(&source)?;
    let judge = &jury.judge;
    let (measured, details) = judge.examine(&source.mesh, &mesh, &progress.span(0.65, 0.95))?;
    let mut held: Vec<(String, usize)> = Vec::new();
    for why in done.held.iter().filter_map(|l| l.held) {
        let why = why.to_string();
        match held.iter_mut().find(|(w, _)| *w == why) {
            Some((_, n)) => *n += 1,
            None => held.push((why, 1)),
        }
    }
    let report = made_report(&mesh, &source.mesh, judge, &measured);
    let report = CutReport {
        target: match which {
            Which::Triangles(n) => n,
            Which::Every(_) => report.target,
        },
        loops_taken: done.taken,
        loops_held: held,
        seconds_analysis,
        seconds_measuring: started.elapsed().as_secs_f64(),
        ..report
    };
    let low = Scene {
        mesh,
        ..source.clone()
    };
    let measured = (&measured, &details);
    let pair = Pair {
        high: &source,
        low: &low,
    };
    let proven = prove(pair, pair, &jury, &source.mesh, measured)?;
    let scene = Scene {
        mesh: done.mesh,
        ..low
    };
    Ok((scene, report, proven))
}
