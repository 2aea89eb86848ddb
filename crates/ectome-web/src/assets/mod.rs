//! The list of assets, and files that are dropped on it.

mod page;
mod pairs;
mod upload;
mod watch;

use axum::{
    Router,
    extract::DefaultBodyLimit,
    routing::{get, post},
};

pub use watch::keep_watching;

use crate::state::App;

/// The routes of the list.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/", get(page::page))
        .route("/cards", get(page::cards))
        .route(
            "/assets",
            // An upload has a limit of its own, which the application is told.
            post(upload::receive).layer(DefaultBodyLimit::disable()),
        )
        .route(
            "/assets/{id}/files",
            post(upload::replace).layer(DefaultBodyLimit::disable()),
        )
        .route(
            "/assets/{id}/low",
            post(upload::bring).layer(DefaultBodyLimit::disable()),
        )
}
