//! Takes work and does it.

use std::{
    panic::{AssertUnwindSafe, catch_unwind},
    time::Duration,
};

use bytes::Bytes;
use ectome_formats::{
    FileSet, Scene, Space,
    files::{MESHES, extension_of},
    glb, space,
};
use ectome_mesh::Progress;
use ectome_recipe::{
    Change, CollapseLog, CutReport, Done, EngineError, Found, Inspection, Mark, Outcome, Pictures,
    Recipe, UvReport, UvStep, engine, picture, thinned::thinned,
};
use tokio::sync::watch;

use crate::{
    Store, StoreError,
    asset::IntakeResult,
    candidate::{Base, CutResult, PictureBlobs},
    work::{Kind, MOST_ATTEMPTS, State, Work},
};

/// How often an idle worker looks for work.
const IDLE: Duration = Duration::from_millis(250);
/// How often a busy one reports.
const BEAT: Duration = Duration::from_millis(400);
/// Size of pictures on the shelf.
const PICTURE: (u32, u32) = (640, 480);

/// What kernel work hands back: a mesh for the stage and what belongs to its kind.
enum Made {
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
struct LookedAt {
    inspection: Inspection,
    picture: Vec<u8>,
    stage: Vec<u8>,
    marks: Vec<Vec<Mark>>,
}

/// Works until `stop` turns true. `name` must be this worker's alone.
pub async fn run(store: Store, name: String, mut stop: watch::Receiver<bool>) {
    if let Err(error) = store.release_leases(&name).await {
        tracing::error!(%error, "leases could not be released");
    }
    while !*stop.borrow() {
        let idle = match store.take_work(&name).await {
            Ok(Some(work)) => {
                if let Err(error) = one(&store, &name, &work, &stop).await {
                    tracing::error!(work = work.id, %error, "work could not be recorded");
                }
                false
            }
            Ok(None) => true,
            Err(error) => {
                tracing::error!(%error, "no work could be taken");
                true
            }
        };
        if idle {
            tokio::select! {
                () = tokio::time::sleep(IDLE) => {}
                _ = stop.changed() => {}
            }
        }
    }
}

async fn one(
    store: &Store,
    name: &str,
    work: &Work,
    stop: &watch::Receiver<bool>,
) -> Result<(), StoreError> {
    if work.attempts > MOST_ATTEMPTS {
        let fault = format!(
            "Ectome stopped {MOST_ATTEMPTS} times while doing this, most likely for want of memory. \
             Try a smaller source."
        );
        fail(store, work, &fault).await?;
        return store
            .end_work(work, name, State::Failed, Some(&fault))
            .await;
    }
    let recipe = match (work.kind, &work.candidate) {
        (Kind::Cut, Some(hash)) => store.recipe(hash).await?,
        (Kind::Analyse, _) => store.asset(work.asset).await?.recipe(4),
        (Kind::Prepare, _) => {
            let asset = store.asset(work.asset).await?;
            match &asset.wanted {
                Some(changes) => Recipe::prepared(&asset.source, changes),
                // What was wanted is there already: an earlier piece of work made it.
                None => return store.end_work(work, name, State::Done, None).await,
            }
        }
        _ => Recipe::prepared(&store.asset(work.asset).await?.source, &[]),
    };
    // What goes on from something that is made already does not make that again.
    let base = match recipe.before_last() {
        Some(before) if work.kind == Kind::Cut => store.made(&before.key()).await?,
        _ => None,
    };
    let base_mesh = match &base {
        Some(base) => Some(store.blobs.get(&base.mesh).await?),
        None => None,
    };
    let known = store.analysis(&recipe).await?;
    let mut files: Vec<(String, Bytes)> = Vec::new();
    for file in store.source_files(work.asset).await? {
        files.push((file.name, store.blobs.get(&file.blob).await?));
    }

    // Kernel work runs on a thread of its own; this task only watches it.
    let progress = Progress::new();
    let kernel = {
        let (progress, kind, recipe) = (progress.clone(), work.kind, recipe.clone());
        tokio::task::spawn_blocking(move || {
            catch_unwind(AssertUnwindSafe(|| match (base_mesh, recipe.last_uv()) {
                (Some(bytes), Some(step)) => uvs(&bytes, step, &progress),
                (base, _) => kernel(kind, &recipe, base, &files, known, &progress),
            }))
        })
    };
    tokio::pin!(kernel);
    let mut shutting_down = false;
    let result = loop {
        tokio::select! {
            result = &mut kernel => break result,
            () = tokio::time::sleep(BEAT) => {
                if *stop.borrow() && !shutting_down {
                    shutting_down = true;
                    progress.cancel();
                }
                let held = store
                    .heartbeat(work, name, progress.fraction(), &progress.current_stage())
                    .await?;
                if !held {
                    progress.cancel();
                }
            }
        }
    };
    if shutting_down {
        // The row stays as it is; the next start takes it again.
        return store.release_leases(name).await;
    }
    match result {
        Ok(Ok(Ok(made))) => {
            if store.heartbeat(work, name, 1.0, "Storing").await? {
                record(store, work, &recipe, base, made).await?;
                return store.end_work(work, name, State::Done, None).await;
            }
            stopped(store, name, work).await
        }
        Ok(Ok(Err(EngineError::Cancelled(_)))) => stopped(store, name, work).await,
        Ok(Ok(Err(error))) => {
            let fault = sentence(&error.to_string());
            fail(store, work, &fault).await?;
            store
                .end_work(work, name, State::Failed, Some(&fault))
                .await
        }
        Ok(Err(_)) | Err(_) => {
            let fault =
                "Ectome itself failed on this source; the source is unharmed. Please report it.";
            fail(store, work, fault).await?;
            store.end_work(work, name, State::Failed, Some(fault)).await
        }
    }
}

async fn stopped(store: &Store, name: &str, work: &Work) -> Result<(), StoreError> {
    fail(
        store,
        work,
        "The work was stopped. Ask for it again to start over.",
    )
    .await?;
    store.end_work(work, name, State::Stopped, None).await
}

async fn fail(store: &Store, work: &Work, fault: &str) -> Result<(), StoreError> {
    match (work.kind, &work.candidate) {
        (Kind::Intake, _) => store.fail_intake(work.asset, fault).await,
        (Kind::Prepare, _) => store.fail_preparation(work.asset, fault).await,
        (_, Some(hash)) => store.fail_cut(hash, fault).await,
        // An analysis that failed or was stopped leaves the asset as it was; a cut makes it again.
        (_, None) => Ok(()),
    }
}

async fn record(
    store: &Store,
    work: &Work,
    recipe: &Recipe,
    base: Option<Base>,
    made: Made,
) -> Result<(), StoreError> {
    let hash = work.candidate.as_deref().unwrap_or_default();
    match made {
        Made::Uvs {
            scene,
            report,
            mesh,
            picture,
        } => {
            let triangles = scene.mesh.triangle_count();
            let mut proof = base
                .as_ref()
                .and_then(|b| b.proof.clone().zip(b.pictures.clone()));
            if let Some((proof, pictures)) = &mut proof {
                // Drift compares with UVs that are no more.
                proof.uvs = None;
                pictures.result = store.blobs.put(picture).await?;
            }
            let cut = base
                .and_then(|b| b.report)
                .unwrap_or_else(|| uncut(triangles));
            let result = CutResult {
                triangles: triangles as u64,
                vertices: scene.mesh.vertex_count() as u64,
                report: CutReport {
                    uv_drift_mean_texels: None,
                    uv_drift_max_texels: None,
                    ..cut
                },
                mesh: store.blobs.put(mesh).await?,
                proof,
                uv: Some(*report),
            };
            store.finish_cut(hash, &result).await
        }
        Made::Intake {
            looked_at,
            found,
            changes,
            results,
        } => {
            let result = kept(store, *looked_at).await?;
            store
                .finish_intake(work.asset, &result, &found, &changes, &results)
                .await?;
            store.ask_for_analysis(work.asset).await
        }
        Made::Preparation { looked_at, results } => {
            let result = kept(store, *looked_at).await?;
            store
                .finish_preparation(work.asset, &recipe.changes(), &results, &result)
                .await?;
            store.ask_for_analysis(work.asset).await
        }
        Made::Analysis { log, flat } => store.keep_analysis(recipe, *log, Some(flat)).await,
        Made::Cut { mut outcome, mesh } => {
            if let Some(log) = outcome.analysis.take() {
                store.keep_analysis(recipe, log, None).await?;
            }
            let mesh_blob = store.blobs.put(mesh).await?;
            let triangles = outcome.scene.mesh.triangle_count();
            let proof = match outcome.proven.take() {
                None => None,
                Some(p) => Some((p.proof, kept_pictures(store, p.pictures).await?)),
            };
            let result = CutResult {
                proof,
                triangles: triangles as u64,
                vertices: outcome.scene.mesh.vertex_count() as u64,
                report: outcome.cut.unwrap_or_else(|| uncut(triangles)),
                mesh: mesh_blob,
                uv: outcome.uv,
            };
            store.finish_cut(hash, &result).await
        }
    }
}

/// What no step cut is its source.
fn uncut(triangles: usize) -> CutReport {
    CutReport {
        triangles_before: triangles,
        triangles_after: triangles,
        target: triangles,
        outline_agreement: 1.0,
        ..CutReport::default()
    }
}

/// Changes the UVs of a candidate.
fn uvs(glb: &[u8], step: &UvStep, progress: &Progress) -> Result<Made, EngineError> {
    let scene = glb::read("candidate.glb", glb)?;
    let (scene, report) = step.apply(scene, &progress.span(0.0, 0.95))?;
    Ok(Made::Uvs {
        mesh: glb::write(&scene, &glb::Naming::default())?,
        picture: picture::png(&scene, 320, 240),
        scene: Box::new(scene),
        report: Box::new(report),
    })
}

fn kernel(
    kind: Kind,
    recipe: &Recipe,
    base: Option<Bytes>,
    files: &[(String, Bytes)],
    known: Option<CollapseLog>,
    progress: &Progress,
) -> Result<Made, EngineError> {
    let set = FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let naming = glb::Naming::default();
    match kind {
        Kind::Intake => {
            progress.stage("Reading");
            progress.at(0.02)?;
            let mut scene = ectome_formats::read(&set)?;
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
            let outcome = engine::run(recipe, &set, None, &progress.span(0.0, 0.5))?;
            Ok(Made::Preparation {
                looked_at: Box::new(look_at(outcome.scene, &progress.span(0.5, 1.0))?),
                results: outcome.done,
            })
        }
        Kind::Analyse => {
            let session = engine::open(recipe, &set, known, &progress.span(0.0, 0.75))?;
            progress.stage("Looking for flat regions");
            let flat = session.flat_triangles(&progress.span(0.75, 1.0))? as u64;
            Ok(Made::Analysis {
                log: Box::new(session.into_analysis()),
                flat,
            })
        }
        Kind::Cut => {
            let base = base.map(|b| glb::read("candidate.glb", &b)).transpose()?;
            let outcome = engine::run_from(base, recipe, &set, known, progress)?;
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

async fn kept_pictures(store: &Store, p: Pictures) -> Result<PictureBlobs, StoreError> {
    let [source, result, difference] = p.shading;
    Ok(PictureBlobs {
        result: store.blobs.put(p.result).await?,
        outline: store.blobs.put(p.outline).await?,
        shading: [
            store.blobs.put(source).await?,
            store.blobs.put(result).await?,
            store.blobs.put(difference).await?,
        ],
        source_field: store.blobs.put(p.source_field).await?,
        result_field: store.blobs.put(p.result_field).await?,
    })
}

async fn kept(store: &Store, looked_at: LookedAt) -> Result<IntakeResult, StoreError> {
    let marks = serde_json::to_vec(&looked_at.marks).map_err(|e| StoreError::stored("marks", e))?;
    Ok(IntakeResult {
        inspection: looked_at.inspection,
        picture: store.blobs.put(looked_at.picture).await?,
        stage: store.blobs.put(looked_at.stage).await?,
        marks: store.blobs.put(marks).await?,
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

/// An error as a sentence: a capital first, a full stop last.
fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().collect::<String>());
    let mut out = first.unwrap_or_default() + chars.as_str();
    // A file name keeps its own letters.
    if text
        .split_whitespace()
        .next()
        .is_some_and(|w| w.contains('.'))
    {
        out = text.to_owned();
    }
    if !out.ends_with(['.', '?', '!']) {
        out.push('.');
    }
    out
}
