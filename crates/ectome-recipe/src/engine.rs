//! Runs recipes.

use ectome_compare::CompareError;
use ectome_formats::{FileSet, FormatError, Reading, Scene};
use ectome_intake::parts::{
    arrange::{self, NoSuchPart},
    fold::Fold,
    repeats,
};
use ectome_mesh::{Cancelled, Progress, triangulate::triangulate};
use ectome_reduce::{CollapseLog, CutError};
use ectome_uv::pack::PackError;
use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::{
    Done, Recipe, Session, Step, UvReport, flat_and_loops,
    hold::{self, Hold},
    proof::Proven,
};

/// Why a recipe could not be run.
#[derive(Debug, Error)]
pub enum EngineError {
    /// A file's fault.
    #[error(transparent)]
    Format(FormatError),
    /// The target is at or above the source.
    #[error(
        "the source has {triangles} triangles already, within the target of {target}: nothing to cut"
    )]
    NothingToCut {
        /// Triangles of the source.
        triangles: usize,
        /// The target.
        target: usize,
    },
    /// More triangles were asked for than a first pass left.
    #[error(
        "{target} triangles are more than the {most} that the first pass left of {triangles}. Ask for at most {most}"
    )]
    BeyondFirstPass {
        /// Triangles asked for.
        target: usize,
        /// Triangles of the source.
        triangles: usize,
        /// The most that can be had.
        most: usize,
    },
    /// Guards, or the surface itself, stop a cut above its target.
    #[error("{}", hold::sentence(*.target, *.reached, .held))]
    Held {
        /// Triangles asked for.
        target: usize,
        /// The fewest that can be had.
        reached: usize,
        /// What holds them.
        held: Vec<Hold>,
    },
    /// No edge loop can go.
    #[error("no edge loop can be taken out{}", .held.as_ref().map_or_else(
        || ": the source has no quads in rows".to_owned(),
        |why| format!(": what there is stays ({why})")
    ))]
    NoLoops {
        /// Why those that were found stay.
        held: Option<String>,
    },
    /// A change took everything away.
    #[error(
        "\u{201c}{by}\u{201d} would leave nothing of the source. Change its figures, or take it back"
    )]
    NothingLeft {
        /// The change.
        by: &'static str,
    },
    /// A change with a figure that means nothing.
    #[error("\u{201c}{of}\u{201d} {fault}")]
    Meaningless {
        /// The change.
        of: &'static str,
        /// What is wrong with it.
        fault: &'static str,
    },
    /// A change names a part that is not there.
    #[error(transparent)]
    Part(#[from] NoSuchPart),
    /// Every part is left out.
    #[error("no part of the source is built. Give at least one part the fate build")]
    NothingBuilt,
    /// No count was found that holds a deviation.
    #[error(
        "no cut was found that stays within {limit_mm} mm: even {tried} triangles are further off. Permit more"
    )]
    NotWithin {
        /// The permitted deviation, in millimetres.
        limit_mm: f64,
        /// The most triangles that were tried.
        tried: usize,
    },
    /// The target is too small for any surface.
    #[error("a target of {target} triangles leaves no surface: ask for at least 4")]
    TargetTooSmall {
        /// The target.
        target: usize,
    },
    /// The cut was held.
    #[error(transparent)]
    Cut(CutError),
    /// The result could not be measured.
    #[error(transparent)]
    Compare(CompareError),
    /// UVs could not be changed.
    #[error("{0}")]
    Uv(String),
    /// Islands do not fit.
    #[error(transparent)]
    Pack(PackError),
    /// The steps are in an order that means nothing.
    #[error("the recipe {0}")]
    Order(&'static str),
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

impl From<FormatError> for EngineError {
    fn from(error: FormatError) -> Self {
        match error {
            FormatError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Format(other),
        }
    }
}

impl From<PackError> for EngineError {
    fn from(error: PackError) -> Self {
        match error {
            PackError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Pack(other),
        }
    }
}

impl From<CutError> for EngineError {
    fn from(error: CutError) -> Self {
        match error {
            CutError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Cut(other),
        }
    }
}

impl From<CompareError> for EngineError {
    fn from(error: CompareError) -> Self {
        match error {
            CompareError::Cancelled(c) => Self::Cancelled(c),
            other => Self::Compare(other),
        }
    }
}

/// What a cut did, under the names outsiders rely on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct CutReport {
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
    /// Seconds for the analysis; 0 when an earlier one was used.
    pub seconds_analysis: f64,
    /// Seconds to make this count from the analysis.
    pub seconds_replay: f64,
    /// Seconds to fit the result to the source once more.
    pub seconds_fitting: f64,
    /// Seconds for measuring the result.
    pub seconds_measuring: f64,
    /// Seconds for the pictures and fields of its proof.
    #[serde(default)]
    pub seconds_proving: f64,
    /// Most memory the process held, in bytes (0 where the system does not say).
    pub peak_bytes: u64,
}

/// The first pass over a source too large to analyse at once.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct FirstPass {
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

/// What a recipe made.
#[derive(Clone, Debug)]
pub struct Outcome {
    /// The mesh and its materials, triangles only.
    pub scene: Scene,
    /// What each change did.
    pub done: Vec<Done>,
    /// The report of the last cut, if the recipe cuts.
    pub cut: Option<CutReport>,
    /// What the last cut looks like beside its source.
    pub proven: Option<Box<Proven>>,
    /// What the last step did to UVs, if it changed them.
    pub uv: Option<UvReport>,
    /// The analysis of the last cut, if it was made anew.
    pub analysis: Option<CollapseLog>,
}

/// Runs a recipe on the source's files. `analysis` is what an earlier run with the same
/// [`Recipe::analysis_key`] left.
///
/// # Errors
/// See [`EngineError`].
pub fn run(
    recipe: &Recipe,
    files: &FileSet<'_>,
    analysis: Option<CollapseLog>,
    progress: &Progress,
) -> Result<Outcome, EngineError> {
    run_from(None, recipe, files, analysis, progress)
}

/// The same where `base`, what all steps but the last make, is there already. What it is judged against is still read from
/// the files.
///
/// # Errors
/// See [`EngineError`].
pub fn run_from(
    base: Option<Scene>,
    recipe: &Recipe,
    files: &FileSet<'_>,
    analysis: Option<CollapseLog>,
    progress: &Progress,
) -> Result<Outcome, EngineError> {
    run_within(base, recipe, files, analysis, u64::MAX, progress)
}

/// The same where reading the files may take at most about `budget` bytes of memory.
///
/// # Errors
/// See [`EngineError`].
pub fn run_within(
    mut base: Option<Scene>,
    recipe: &Recipe,
    files: &FileSet<'_>,
    analysis: Option<CollapseLog>,
    budget: u64,
    progress: &Progress,
) -> Result<Outcome, EngineError> {
    let mut known = analysis;
    let (mut made, mut proven) = (None, None);
    // What a cut is judged against that is cut further, and which cut the analysis belongs to.
    let mut origin: Option<Scene> = None;
    let last = recipe.steps.len().saturating_sub(1);
    let mut scene: Option<Scene> = None;
    let (mut cut, mut uvs) = (None, None);
    let mut done = Vec::new();
    let steps = recipe.steps.len().max(1) as f32;
    for (i, step) in recipe.steps.iter().enumerate() {
        // Importing is short beside cutting.
        let (from, to) = match step {
            Step::Cut { .. }
            | Step::MergeFlat { .. }
            | Step::TakeOutLoops { .. }
            | Step::Uv { .. } => (0.2, 1.0),
            _ => (0.2 * i as f32 / steps, 0.2 * (i + 1) as f32 / steps),
        };
        let progress = progress.span(from, to);
        progress.at(0.0)?;
        if i < last && step.reduces() && origin.is_none() {
            origin = scene.clone().map(triangulated);
        }
        if base.is_some() && i < last && step.changes_much() {
            if matches!(step, Step::Uv { .. }) {
                forget_uvs(&mut origin);
            }
            continue;
        }
        if i == last
            && let Some(base) = base.take()
        {
            scene = Some(base);
        }
        scene = Some(match (step, scene.take()) {
            (Step::Import, None) => {
                progress.stage("Reading");
                ectome_formats::read_within(files, &Reading::new(&progress, budget))?
            }
            (Step::Import, Some(_)) => return Err(EngineError::Order("reads its source twice")),
            (_, None) => return Err(EngineError::Order("does not start with reading its source")),
            (Step::Prepare { change }, Some(scene)) => {
                progress.stage(change.title());
                let (scene, d) = change.apply(scene, &progress)?;
                done.push(d);
                scene
            }
            (Step::LeaveOut, Some(scene)) => only_built(scene)?,
            (Step::Triangulate, Some(scene)) => triangulated(scene),
            (Step::MergeFlat { settings }, Some(scene)) => {
                let (scene, report, p) = flat_and_loops::merge_flat(scene, settings, &progress)?;
                (cut, proven) = (Some(report), Some(Box::new(p)));
                scene
            }
            (Step::TakeOutLoops { which, settings }, Some(scene)) => {
                let (scene, report, p) =
                    flat_and_loops::take_out_loops(scene, *which, settings, &progress)?;
                (cut, proven) = (Some(report), Some(Box::new(p)));
                scene
            }
            (Step::Uv { uv }, Some(scene)) => {
                forget_uvs(&mut origin);
                let (scene, report) = uv.apply(triangulated(scene), &progress)?;
                uvs = (i == last).then_some(report);
                scene
            }
            (Step::Cut { target, settings }, Some(scene)) => {
                // An earlier cut has an analysis of its own.
                let own = if i == last { known.take() } else { None };
                let session = Session::new(scene, settings.clone(), own, &progress)?;
                let session = session.judged_against(origin.clone());
                let (scene, report, p) = session.cut_proven(*target, &progress)?;
                (cut, proven) = (Some(report), Some(Box::new(p)));
                made = session.new_analysis();
                scene
            }
        });
        progress.at(1.0)?;
    }
    let scene = scene.ok_or(EngineError::Order("has no steps"))?;
    Ok(Outcome {
        scene,
        done,
        cut,
        proven,
        uv: uvs,
        analysis: made,
    })
}

/// The UVs of what came before a change of UVs say nothing about what follows.
fn forget_uvs(origin: &mut Option<Scene>) {
    if let Some(origin) = origin {
        origin.mesh.uv_sets.clear();
        origin
            .mesh
            .runs
            .iter_mut()
            .for_each(|r| r.channels.uv_sets = 0);
    }
}

/// Opens the source of a recipe's last cut, analysed and ready to be cut to any count.
///
/// # Errors
/// See [`EngineError`]; [`EngineError::Order`] for a recipe that does not cut.
pub fn open(
    recipe: &Recipe,
    files: &FileSet<'_>,
    analysis: Option<CollapseLog>,
    progress: &Progress,
) -> Result<Session, EngineError> {
    open_within(recipe, files, analysis, u64::MAX, progress)
}

/// The same where reading the files may take at most about `budget` bytes of memory.
///
/// # Errors
/// See [`EngineError`].
pub fn open_within(
    recipe: &Recipe,
    files: &FileSet<'_>,
    analysis: Option<CollapseLog>,
    budget: u64,
    progress: &Progress,
) -> Result<Session, EngineError> {
    let Some(Step::Cut { settings, .. }) = recipe.steps.last() else {
        return Err(EngineError::Order("does not end with a cut"));
    };
    let before = Recipe {
        source: recipe.source.clone(),
        steps: recipe.steps[..recipe.steps.len() - 1].to_vec(),
    };
    let scene = run_within(None, &before, files, None, budget, &progress.span(0.0, 0.2))?.scene;
    Session::new(scene, settings.clone(), analysis, &progress.span(0.2, 1.34))
}

/// The scene without the parts that are not built.
///
/// # Errors
/// [`EngineError::NothingBuilt`].
pub fn only_built(mut scene: Scene) -> Result<Scene, EngineError> {
    scene.mesh = arrange::only_built(&scene.mesh);
    match scene.mesh.face_count() {
        0 => Err(EngineError::NothingBuilt),
        _ => Ok(scene),
    }
}

/// The scene with triangles only. Equal parts are split alike, so that they stay equal: of a rectangle either
/// diagonal is as good, and rounding would decide.
pub fn triangulated(mut scene: Scene) -> Scene {
    if scene.mesh.is_triangulated() {
        return scene;
    }
    let mesh = &scene.mesh;
    scene.mesh = match Fold::of(mesh, &repeats::find(mesh), &[]) {
        None => triangulate(mesh).0,
        Some(fold) => {
            let split = triangulate(&fold.mesh).0;
            let same: Vec<u32> = (0..split.points.len() as u32).collect();
            fold.unfold(&split, &same)
        }
    };
    scene
}

/// The largest resident size of this process so far, where the system tells.
pub(crate) fn peak_bytes() -> u64 {
    let Ok(status) = std::fs::read_to_string("/proc/self/status") else {
        return 0;
    };
    status
        .lines()
        .find_map(|line| line.strip_prefix("VmHWM:"))
        .and_then(|rest| {
            rest.trim()
                .trim_end_matches("kB")
                .trim()
                .parse::<u64>()
                .ok()
        })
        .map_or(0, |kib| kib * 1024)
}
