//! Scenes: assets that share one budget.

mod page;

use axum::{
    Router,
    routing::{get, post},
};

use crate::state::App;

/// The routes of scenes.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/scenes", get(page::list).post(page::add))
        .route("/scenes/{id}", get(page::one).post(page::save))
        .route("/scenes/{id}/remove", post(page::remove))
}
