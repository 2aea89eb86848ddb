//! What the kinds of work compute. No rows, no waiting but for what is kept: a recipe in, results out.

use ectome_formats::{Scene, Space, glb, native, space};
use ectome_mesh::Progress;
use ectome_recipe::{
    Artefact, Brief, Change, CutSettings, Done, EngineError, ErrorCurve, FlatOutlook, Found,
    Inspection, Kept, Mark, Outcome, Plan, Recipe, change, engine, far_end,
    parcel::{self, files::File, sheet::Sheet},
    picture, sheets,
    thinned::thinned,
    triangles::triangulated,
};

use crate::{
    parcel::{ParcelTask, mark},
    stock::StoreStock,
    work::Kind,
};

/// Size of pictures of sources.
const PICTURE: (u32, u32) = (640, 480);

/// What kernel work hands back.
pub(super) enum Made {
    Intake {
        prepared: Box<Prepared>,
        found: Box<Found>,
        /// The space that was guessed, as a change.
        changes: Vec<Change>,
        /// The source as it was read, where that is not what it is prepared to.
        read: Option<Box<Written>>,
    },
    Preparation {
        prepared: Box<Prepared>,
    },
    Analysis {
        kept: Box<KeptBytes>,
        flat: FlatOutlook,
    },
    Result {
        outcome: Box<Outcome>,
        mesh: Box<Written>,
        view: Vec<u8>,
        kept: Box<KeptBytes>,
    },
    Parcel {
        files: Vec<File>,
        sheet: Box<Sheet>,
    },
    Plan(Plan),
}

/// A prepared source as it is kept and as pages show it.
pub(super) struct Prepared {
    pub mesh: Written,
    pub results: Vec<Done>,
    pub inspection: Inspection,
    pub picture: Vec<u8>,
    pub view: Vec<u8>,
    pub marks: Vec<Vec<Mark>>,
}

/// A scene as it is kept, and the pictures it names.
pub(super) struct Written {
    pub bytes: Vec<u8>,
    pub pictures: Vec<(String, Vec<u8>)>,
}

impl Written {
    fn of(scene: &Scene) -> Result<Self, EngineError> {
        let mut pictures = Vec::new();
        let bytes = native::write(scene, &mut |picture| {
            // As the store names blobs.
            let name = blake3::hash(picture).to_hex().to_string();
            pictures.push((name.clone(), picture.to_vec()));
            name
        })?;
        Ok(Self { bytes, pictures })
    }
}

/// What others of the same source go on from, as it is kept.
pub(super) struct KeptBytes {
    pub log: Option<Vec<u8>>,
    pub curve: ErrorCurve,
    pub first_pass: Option<(Written, Vec<u8>)>,
}

impl KeptBytes {
    fn of(kept: Kept) -> Result<Self, EngineError> {
        let first_pass = match kept.first_pass {
            None => None,
            Some(pass) => {
                let report = serde_json::to_vec(&pass.report).unwrap_or_default();
                Some((Written::of(&pass.scene)?, report))
            }
        };
        Ok(Self {
            curve: kept
                .analysis
                .as_ref()
                .map_or_else(ErrorCurve::default, |log| {
                    log.error_curve(ectome_recipe::CURVE_PLACES).into()
                }),
            log: kept.analysis.map(|log| log.to_bytes()),
            first_pass,
        })
    }
}

/// A piece of work with everything it needs.
pub(super) struct Task {
    pub kind: Kind,
    pub recipe: Recipe,
    /// The extension of the source's mesh file.
    pub extension: String,
    pub stock: StoreStock,
    /// What a parcel is made of.
    pub parcel: Option<Box<ParcelTask>>,
    /// What a plan is proposed for, or the plan that was chosen.
    pub plan: Option<Box<PlanTask>>,
}

/// What work on a plan needs.
pub(super) struct PlanTask {
    pub chosen: Option<Plan>,
    pub brief: Brief,
    pub inspection: Inspection,
}

/// Does a piece of work.
pub(super) fn run(task: &Task, progress: &Progress) -> Result<Made, EngineError> {
    let Task { recipe, stock, .. } = task;
    match task.kind {
        Kind::Intake => {
            let reading = progress.span(0.0, 0.3);
            let outcome = engine::run(recipe, stock, &reading)?;
            let found = space::of(&task.extension, &outcome.scene.mesh);
            let (mut scene, mut changes, mut results) = (outcome.scene, Vec::new(), Vec::new());
            let mut read = None;
            if found.space != Space::default() {
                read = Some(Box::new(Written::of(&scene)?));
                let change = Change::Measure(change::Measure { space: found.space });
                let (measured, done) = change.apply(scene, progress)?;
                scene = measured;
                changes.push(change);
                results.push(done);
            }
            Ok(Made::Intake {
                prepared: Box::new(prepared(scene, results, &progress.span(0.3, 1.0))?),
                found: Box::new(found),
                changes,
                read,
            })
        }
        Kind::Prepare => {
            let outcome = engine::run(recipe, stock, &progress.span(0.0, 0.5))?;
            let looking = progress.span(0.5, 1.0);
            let prepared = prepared(outcome.scene, outcome.done, &looking)?;
            Ok(Made::Preparation {
                prepared: Box::new(prepared),
            })
        }
        Kind::Analyse => {
            let session = engine::open(recipe, stock, &progress.span(0.0, 0.75))?;
            progress.stage("Looking for flat regions");
            let flat = session.flat_outlook(&progress.span(0.75, 1.0))?;
            Ok(Made::Analysis {
                kept: Box::new(KeptBytes::of(session.into_kept())?),
                flat,
            })
        }
        Kind::Make => {
            let mut outcome = engine::run(recipe, stock, &progress.span(0.0, 0.97))?;
            let mesh = Written::of(&outcome.scene)?;
            let shown = triangulated(outcome.scene.clone(), progress)?;
            let view = glb::write(&shown, &glb::Options::default())?;
            if !outcome
                .artefacts
                .iter()
                .any(|a| a.kind == Artefact::PICTURE)
                && outcome.artefacts_of.is_none()
            {
                // What no step reduced looks like its source.
                let picture = picture::png(&shown, PICTURE.0 / 2, PICTURE.1 / 2);
                let picture = Artefact::new(Artefact::PICTURE, picture);
                outcome.artefacts.push(picture);
            }
            Ok(Made::Result {
                kept: Box::new(KeptBytes::of(std::mem::take(&mut outcome.kept))?),
                mesh: Box::new(mesh),
                view,
                outcome: Box::new(outcome),
            })
        }
        Kind::Parcel => match &task.parcel {
            Some(parcel) => written_parcel(parcel, recipe, stock, progress),
            None => Err(EngineError::Stock("it has no parcel".to_owned())),
        },
        Kind::Plan => match &task.plan {
            Some(plan) => proposed(plan, recipe, stock, progress).map(Made::Plan),
            None => Err(EngineError::Stock("it has no batch".to_owned())),
        },
    }
}

/// The plan for a source: the one that was chosen, or the one that is proposed. What cannot be run is said now.
fn proposed(
    task: &PlanTask,
    prepared: &Recipe,
    stock: &StoreStock,
    progress: &Progress,
) -> Result<Plan, EngineError> {
    progress.stage("Planning");
    let plan = match &task.chosen {
        Some(plan) => plan.clone(),
        None => {
            let scene = engine::scene(prepared, stock, &progress.span(0.0, 0.7))?;
            let scene = triangulated(scene, progress)?;
            Plan::of(&scene, &task.inspection, &task.brief)
        }
    };
    plan.recipes(
        &prepared.source,
        &prepared.changes(),
        &CutSettings::default(),
    )
    .map_err(|e| EngineError::Plan(e.to_string()))?;
    Ok(plan)
}

/// Writes the files of a parcel. `prepared` makes the source, for those who bake elsewhere.
fn written_parcel(
    task: &ParcelTask,
    prepared: &Recipe,
    stock: &StoreStock,
    progress: &Progress,
) -> Result<Made, EngineError> {
    let mut tiers = Vec::new();
    let count = task.tiers.len().max(1) as f32;
    for (n, recipe) in task.tiers.iter().enumerate() {
        let own = progress.span(0.3 * n as f32 / count, 0.3 * (n + 1) as f32 / count);
        tiers.push(parcel::Tier {
            scene: engine::scene(recipe, stock, &own)?,
            sheets: sheets::count(recipe),
            mark: mark(&task.brief, n as u32),
        });
    }
    let high = if task.brief.delivery.pair {
        Some(engine::scene(prepared, stock, &progress.span(0.3, 0.4))?)
    } else {
        None
    };
    let collision = match task.brief.delivery.collision() {
        None => None,
        Some(hulls) => {
            let source = engine::scene(prepared, stock, &progress.span(0.4, 0.42))?;
            let own = progress.span(0.42, 0.5);
            Some(far_end::collision_hulls(source, &hulls, &own)?)
        }
    };
    let beside = engine::scene(prepared, stock, &progress.span(0.5, 0.52))?;
    let order = parcel::Order {
        high,
        collision,
        beside: Some(beside),
        ..task.order(tiers)
    };
    let made = order.make(&progress.span(0.52, 1.0))?;
    let (made, sheet) = made.with_sheet(&task.brief, &task.date, &task.about);
    Ok(Made::Parcel {
        files: made.files,
        sheet: Box::new(sheet),
    })
}

/// Inspects a scene and makes what pages show of it.
fn prepared(
    scene: Scene,
    results: Vec<Done>,
    progress: &Progress,
) -> Result<Prepared, EngineError> {
    progress.stage("Inspecting");
    let (mut inspection, marks) = Inspection::of(&scene, &progress.span(0.0, 0.6))?;
    let mesh = Written::of(&scene)?;
    let mut scene = triangulated(scene, progress)?;
    if let Some(shown) = thinned(&scene) {
        inspection.stage_triangles = shown.mesh.triangle_count();
        scene = shown;
    }
    progress.stage("Taking its picture");
    let picture = picture::png(&scene, PICTURE.0, PICTURE.1);
    progress.at(0.85)?;
    let naming = glb::Options {
        numbered: true,
        ..glb::Options::default()
    };
    let view = glb::write(&scene, &naming)?;
    progress.at(1.0)?;
    Ok(Prepared {
        mesh,
        results,
        inspection,
        picture,
        view,
        marks,
    })
}

/// The kinds of artefacts that a result with the surface of another shares with it.
pub(super) const SHARED: [&str; 5] = [
    Artefact::PICTURE,
    Artefact::OUTLINE,
    Artefact::SHADING,
    Artefact::FIELD,
    Artefact::LOOK,
];
