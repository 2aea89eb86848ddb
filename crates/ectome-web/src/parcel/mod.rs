//! The Parcel step: what is handed over, and the blobs that pages load.

mod files;
mod page;
mod view;

use axum::{Router, routing::get};

pub use view::{First, ParcelView};

use crate::state::App;

/// The routes of downloads and of blobs.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/download/{file}", get(page::download))
        .route("/assets/{id}/parcel/files", get(files::files))
        .route("/mesh/{blob}", get(page::mesh))
        .route("/picture/{blob}", get(page::picture))
}
