//! Stores what was made and records it.

use ectome_recipe::{CutReport, Pictures, Recipe};

use super::kernel::{LookedAt, Made};
use crate::{
    Store, StoreError,
    asset::IntakeResult,
    candidate::{Base, CutResult, PictureBlobs},
    work::Work,
};

/// Keeps the blobs of a result and names them in the rows of what was asked for. Doing it twice changes nothing.
pub(super) async fn record(
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
