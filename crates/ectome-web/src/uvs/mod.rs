//! The UVs step: islands and the sheet they lie on.

mod form;
mod numbers;
mod page;
pub(crate) mod sheets;
mod view;

use axum::{
    Router,
    routing::{get, post},
};

pub use view::UvView;

use crate::state::App;

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/layouts/{number}", post(page::change))
        .route("/assets/{id}/layouts/{number}/sheet", get(page::sheet))
        .route("/assets/{id}/layouts/{number}/mesh", get(page::mesh))
        .route("/assets/{id}/layouts/{number}/numbers", get(page::numbers))
        .route("/assets/{id}/layouts/{number}/path", get(page::path))
}
