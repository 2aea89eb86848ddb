//! Batches: the same treatment for many assets, and again when their sources change.

mod page;
mod view;
mod zip;

use axum::{
    Router,
    routing::{get, post},
};

use crate::state::App;

/// The routes of batches and of plans that were saved.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/batches", get(page::list).post(page::begin))
        .route("/batches/{id}", get(page::one).post(page::change))
        .route("/batches/{id}/assets/{asset}", post(page::own_plan))
        .route("/batches/{id}/parcels.zip", get(zip::download))
        .route("/batches/{id}/remove", post(page::remove))
        .route("/plans", post(page::save_plan))
        .route("/plans/{id}/remove", post(page::remove_plan))
}
