//! The newest parcels of a batch as one zip, a folder for each asset.

use axum::{
    extract::State,
    http::StatusCode,
    response::{IntoResponse, Response},
};
use ectome_recipe::parcel::names;
use ectome_store::parcel::{ParcelFile, ParcelState};

use super::view::latest;
use crate::{extract::Path, failure::Failure, parcel, state::App};

/// `GET /batches/{id}/parcels.zip`: written while it is sent.
pub async fn download(State(app): State<App>, Path(id): Path<u64>) -> Result<Response, Failure> {
    let batch = app.store.batch(id).await?;
    let mut folders = names::Taken::default();
    let mut files: Vec<ParcelFile> = Vec::new();
    for member in app.store.batch_assets(id).await? {
        let Some(made) = latest(&app, member.asset).await? else {
            continue;
        };
        if made.state != ParcelState::Ready {
            continue;
        }
        let folder = folders.free(&names::stem(&made.asset_name), "");
        let own = app.store.parcel_files(made.id).await?;
        files.extend(own.into_iter().map(|f| ParcelFile {
            name: format!("{folder}/{}", f.name),
            ..f
        }));
    }
    if files.is_empty() {
        return Err(Failure::new(
            StatusCode::CONFLICT,
            format!("No parcel of {} is made yet.", batch.name),
        ));
    }
    let name = format!("{}.zip", names::stem(&batch.name));
    let body = parcel::zipped(app.store.clone(), files);
    Ok((parcel::headers(&name, "application/zip"), body).into_response())
}
