//! What the kinds of work compute. No rows, no waiting: files in, results out.

use bytes::Bytes;
use ectome_formats::{
    FileSet, Reading, Scene, Space,
    files::{MESHES, extension_of},
    glb, space,
};
use ectome_mesh::Progress;
use ectome_recipe::{
    Change, CollapseLog, Done, EngineError, Found, Inspection, Mark, Outcome, Recipe, UvReport,
    UvStep, engine, picture, thinned::thinned,
};

use crate::work::Kind;

/// Size of pictures on the shelf.
const PICTURE: (u32, u32) = (640, 480);

/// What kernel work hands back: a mesh for the stage and what belongs to its kind.
pub(super) enum Made {
    Intake {
        looked_at: Box<LookedAt>,
        found: Box<Found>,
        /// The space that was guessed, as a change, and what it did.
        changes: Vec<Change>,
        results: Vec<Done>,
    },
    Preparation {
        looked_at: Box<LookedAt>,
        results: Vec<Done>,
    },
    Analysis {
        log: Box<CollapseLog>,
        flat: u64,
    },
    Cut {
        outcome: Box<Outcome>,
        mesh: Vec<u8>,
    },
    /// Other UVs on the same surface: what was measured of it still holds.
    Uvs {
        scene: Box<Scene>,
        report: Box<UvReport>,
        mesh: Vec<u8>,
        picture: Vec<u8>,
    },
}

/// A source as pages show it.
pub(super) struct LookedAt {
    pub inspection: Inspection,
    pub picture: Vec<u8>,
    pub stage: Vec<u8>,
    pub marks: Vec<Vec<Mark>>,
}

/// A piece of work with everything it needs.
pub(super) struct Task {
    pub kind: Kind,
    pub recipe: Recipe,
    pub files: Vec<(String, Bytes)>,
    /// What all steps but the last make, if that is stored.
    pub base: Option<Bytes>,
    /// The analysis, if that is stored.
    pub known: Option<Bytes>,
    /// Bytes that reading may take.
    pub budget: u64,
}

/// Does a piece of work.
pub(super) fn run(task: Task, progress: &Progress) -> Result<Made, EngineError> {
    match (&task.base, task.recipe.last_uv()) {
        (Some(base), Some(step)) => {
            let reading = Reading::new(progress, task.budget);
            uvs(
                glb::read_within("candidate.glb", base, &reading)?,
                step,
                progress,
            )
        }
        _ => kernel(&task, progress),
    }
}

/// Changes the UVs of a candidate.
fn uvs(scene: Scene, step: &UvStep, progress: &Progress) -> Result<Made, EngineError> {
    let (scene, report) = step.apply(scene, &progress.span(0.0, 0.95))?;
    Ok(Made::Uvs {
        mesh: glb::write(&scene, &glb::Naming::default())?,
        picture: picture::png(&scene, 320, 240),
        scene: Box::new(scene),
        report: Box::new(report),
    })
}

fn kernel(task: &Task, progress: &Progress) -> Result<Made, EngineError> {
    let Task { recipe, files, .. } = task;
    let set = FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let reading = |p: &Progress| Reading::new(p, task.budget);
    // A damaged analysis counts as none.
    let known = || {
        task.known
            .as_ref()
            .and_then(|b| CollapseLog::from_bytes(b).ok())
    };
    let naming = glb::Naming::default();
    match task.kind {
        Kind::Intake => {
            progress.stage("Reading");
            let mut scene = ectome_formats::read_within(&set, &reading(&progress.span(0.0, 0.3)))?;
            progress.at(0.3)?;
            let found = space::of(mesh_extension(files), &scene.mesh);
            let (mut changes, mut results) = (Vec::new(), Vec::new());
            if found.space != Space::default() {
                let change = Change::Measure { space: found.space };
                let (measured, done) = change.apply(scene, progress)?;
                scene = measured;
                changes.push(change);
                results.push(done);
            }
            Ok(Made::Intake {
                looked_at: Box::new(look_at(scene, &progress.span(0.3, 1.0))?),
                found: Box::new(found),
                changes,
                results,
            })
        }
        Kind::Prepare => {
            let outcome = engine::run_within(
                None,
                recipe,
                &set,
                None,
                task.budget,
                &progress.span(0.0, 0.5),
            )?;
            Ok(Made::Preparation {
                looked_at: Box::new(look_at(outcome.scene, &progress.span(0.5, 1.0))?),
                results: outcome.done,
            })
        }
        Kind::Analyse => {
            let session = engine::open_within(
                recipe,
                &set,
                known(),
                task.budget,
                &progress.span(0.0, 0.75),
            )?;
            progress.stage("Looking for flat regions");
            let flat = session.flat_triangles(&progress.span(0.75, 1.0))? as u64;
            Ok(Made::Analysis {
                log: Box::new(session.into_analysis()),
                flat,
            })
        }
        Kind::Cut => {
            let base = match &task.base {
                Some(b) => Some(glb::read_within(
                    "candidate.glb",
                    b,
                    &reading(&progress.span(0.0, 0.1)),
                )?),
                None => None,
            };
            let outcome = engine::run_within(base, recipe, &set, known(), task.budget, progress)?;
            let mesh = glb::write(&outcome.scene, &naming)?;
            Ok(Made::Cut {
                outcome: Box::new(outcome),
                mesh,
            })
        }
    }
}

/// Inspects a scene and makes what pages show of it.
fn look_at(scene: Scene, progress: &Progress) -> Result<LookedAt, EngineError> {
    progress.stage("Inspecting");
    let (mut inspection, marks) = Inspection::of(&scene, &progress.span(0.0, 0.6))?;
    let mut scene = engine::triangulated(scene);
    if let Some(shown) = thinned(&scene) {
        inspection.stage_triangles = shown.mesh.triangle_count();
        scene = shown;
    }
    progress.stage("Taking its picture");
    let picture = picture::png(&scene, PICTURE.0, PICTURE.1);
    progress.at(0.85)?;
    let naming = glb::Naming {
        numbered: true,
        ..glb::Naming::default()
    };
    let stage = glb::write(&scene, &naming)?;
    progress.at(1.0)?;
    Ok(LookedAt {
        inspection,
        picture,
        stage,
        marks,
    })
}

/// The extension of the file that holds the mesh.
fn mesh_extension(files: &[(String, Bytes)]) -> &str {
    let known = |e: &&str| MESHES.iter().any(|m| m.eq_ignore_ascii_case(e));
    files
        .iter()
        .map(|(name, _)| extension_of(name))
        .find(known)
        .unwrap_or_default()
}
