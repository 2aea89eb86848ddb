//! Stores what was made and records it.

use ectome_recipe::{CutReport, FlatOutlook, Outcome, Recipe};

use super::kernel::{KeptBytes, Made, Prepared, SHARED, Written};
use crate::{
    Store, StoreError,
    artefact::{Named, kind},
    asset::Intake,
    candidate::Finished,
    work::Work,
};

/// Keeps the blobs of a result and names them beside what was asked for. Doing it twice changes nothing.
pub(super) async fn record(
    store: &Store,
    work: &Work,
    recipe: &Recipe,
    made: Made,
) -> Result<(), StoreError> {
    match made {
        Made::Intake {
            prepared,
            found,
            changes,
            read,
        } => {
            let as_read = match read {
                None => Vec::new(),
                Some(read) => written(store, kind::MESH, *read).await?,
            };
            let intake = kept(store, &recipe.source, &changes, *prepared).await?;
            store
                .finish_intake(work.asset, &intake, &found, (&recipe.key(), &as_read))
                .await?;
            store.ask_for_analysis(work.asset).await
        }
        Made::Preparation { prepared } => {
            let intake = kept(store, &recipe.source, &recipe.changes(), *prepared).await?;
            store.finish_preparation(work.asset, &intake).await?;
            store.ask_for_analysis(work.asset).await
        }
        Made::Analysis { kept, flat } => keep(store, recipe, *kept, Some(&flat)).await,
        Made::Result {
            outcome,
            mesh,
            view,
            kept,
        } => {
            keep(store, recipe, *kept, None).await?;
            let hash = work.candidate.as_deref().unwrap_or_default();
            finish(store, hash, *outcome, *mesh, view).await
        }
        Made::Plan(plan) => match work.batch {
            Some(batch) => {
                store
                    .follow_plan(batch, work.asset, &recipe.source, &plan)
                    .await
            }
            None => Ok(()),
        },
        Made::Parcel { files, sheet } => store.finish_parcel(work, files, &sheet).await,
    }
}

/// Stores a kept scene with its pictures.
async fn written(
    store: &Store,
    kind: &'static str,
    scene: Written,
) -> Result<Vec<Named>, StoreError> {
    let mut list = Vec::new();
    for (name, bytes) in scene.pictures {
        let blob = store.blobs.put(bytes).await?;
        list.push(Named::new(kind::TEXTURE, name, blob));
    }
    let blob = store.blobs.put(scene.bytes).await?;
    list.push(Named::new(kind, "", blob));
    Ok(list)
}

/// Stores what a source is prepared to.
async fn kept(
    store: &Store,
    source: &str,
    changes: &[ectome_recipe::Change],
    prepared: Prepared,
) -> Result<Intake, StoreError> {
    let document = |v: serde_json::Result<Vec<u8>>| v.map_err(|e| StoreError::stored("marks", e));
    let marks = document(serde_json::to_vec(&prepared.marks))?;
    let done = document(serde_json::to_vec(&prepared.results))?;
    let mut artefacts = written(store, kind::MESH, prepared.mesh).await?;
    let rest = [
        (ectome_recipe::Artefact::PICTURE, prepared.picture),
        (kind::VIEW, prepared.view),
        (kind::MARKS, marks),
        (kind::DONE, done),
    ];
    for (kind, bytes) in rest {
        artefacts.push(Named::new(kind, "", store.blobs.put(bytes).await?));
    }
    Ok(Intake {
        key: Recipe::prepared(source, changes).key(),
        changes: changes.to_vec(),
        results: prepared.results,
        inspection: prepared.inspection,
        artefacts,
    })
}

/// Keeps what others of the same source go on from.
async fn keep(
    store: &Store,
    recipe: &Recipe,
    kept: KeptBytes,
    flat: Option<&FlatOutlook>,
) -> Result<(), StoreError> {
    let mut artefacts = Vec::new();
    if let Some((scene, report)) = kept.first_pass {
        artefacts = written(store, kind::FIRST_PASS, scene).await?;
        let blob = store.blobs.put(report).await?;
        artefacts.push(Named::new(kind::FIRST_PASS_REPORT, "", blob));
    }
    let curve = match kept.log {
        None => None,
        Some(log) => {
            let blob = store.blobs.put(log).await?;
            artefacts.push(Named::new(kind::LOG, "", blob));
            Some(kept.curve)
        }
    };
    store
        .keep_analysis(recipe, curve.as_ref(), flat, &artefacts)
        .await
}

/// Keeps a result and says that it is there.
async fn finish(
    store: &Store,
    hash: &str,
    outcome: Outcome,
    mesh: Written,
    view: Vec<u8>,
) -> Result<(), StoreError> {
    let mut artefacts = written(store, kind::MESH, mesh).await?;
    artefacts.push(Named::new(kind::VIEW, "", store.blobs.put(view).await?));
    for a in outcome.artefacts {
        let blob = store.blobs.put(a.bytes).await?;
        artefacts.push(Named::new(a.kind, a.which, blob));
    }
    let triangles = outcome.scene.mesh.triangle_count();
    let report = outcome.cut.unwrap_or_else(|| {
        let mut report = CutReport::of_source(triangles);
        report.describe(&outcome.scene);
        report
    });
    let finished = Finished {
        triangles: triangles as u64,
        vertices: outcome.scene.mesh.vertex_count() as u64,
        report,
        proof: outcome.proof,
        uv: outcome.uv,
        artefacts,
        shares_with: outcome.artefacts_of,
    };
    store.finish_candidate(hash, &finished, &SHARED).await
}
