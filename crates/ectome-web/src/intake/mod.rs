//! The Intake step: what came, what is wrong with it, what was done about it.

mod form_view;
mod page;
mod view;

use axum::{
    Router,
    routing::{get, post},
};

pub use form_view::FieldView;
pub use view::IntakeView;

use crate::state::App;

/// The routes of the step.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/assets/{id}/changes", post(page::add))
        .route("/assets/{id}/changes/preview", post(page::preview))
        .route("/assets/{id}/changes/{at}/remove", post(page::remove))
        .route("/assets/{id}/marks/{finding}", get(page::marks))
        .route("/assets/{id}/provenance", post(page::provenance))
}
