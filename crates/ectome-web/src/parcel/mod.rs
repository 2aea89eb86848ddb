//! The Parcel step, parcels that were made, and the blobs that pages load.

mod blobs;
mod files;
mod kept;
mod single;
mod view;
mod zipped;

use axum::{
    Router,
    routing::{get, post},
};

pub use single::headers;
pub use view::{First, ParcelView};
pub use zipped::body as zipped;

use crate::state::App;

/// The routes of parcels, of downloads and of blobs.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/download/{file}", get(single::download))
        .route("/assets/{id}/parcel/files", get(files::files))
        .route("/assets/{id}/parcels", post(kept::make))
        .route("/parcels", get(kept::list))
        .route("/parcels/{id}", get(kept::one))
        .route("/parcels/{id}/files/{name}", get(kept::file))
        .route("/parcels/{id}/remove", post(kept::remove))
        .route("/mesh/{blob}", get(blobs::mesh))
        .route("/picture/{blob}", get(blobs::picture))
}
