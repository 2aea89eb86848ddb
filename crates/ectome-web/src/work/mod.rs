//! The queue of work.

mod page;

use axum::{
    Router,
    routing::{get, post},
};

use crate::state::App;

/// The routes of the queue.
pub fn routes() -> Router<App> {
    Router::new()
        .route("/work", get(page::page))
        .route("/work/list", get(page::list))
        .route("/work/{id}/stop", post(page::stop))
        .route("/work/{id}/first", post(page::first))
        .route("/work/{id}/again", post(page::again))
        .route("/work/{id}/log", get(page::log))
}
